"""The records of a survey in the MGD77 exchange format as columns: fixed places, whatever is damaged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotRead, DataRef

from .fixed_width_kernels import fixed_columns, fixed_numbers
from .mgd77_layout import ALWAYS, CODES, HEADER_LINES, NUMBERS, RECORD_WIDTH

OLD_RECORD = ord("3")  # of before 1989, with a year of two digits
BLANK = ord(" ")
FIRSTS = np.array([field.first - 1 for field in NUMBERS])
LASTS = np.array([field.last for field in NUMBERS])
DIVISORS = np.array([field.divisor for field in NUMBERS], float)


@dataclass(frozen=True, eq=False)
class SurveyText:
    """A survey as its file has it. header : the lines; records : (n, 120) uint8, filled up with blanks where a line is
    shorter; damaged : (n,) bool, of records that are too short or too long, or hold something else than numbers."""

    header: tuple[str, ...]
    records: np.ndarray
    damaged: np.ndarray


def split(data: bytes, ref: DataRef) -> SurveyText:
    """Return the header and the records of a file's bytes. Raises CannotRead for what has no whole header."""
    lines = data.split(b"\n", HEADER_LINES)
    if len(lines) <= HEADER_LINES or lines[0][9:14] != b"MGD77":
        raise CannotRead(ref, "it has no whole MGD77 header", "Ask for the file again.")
    header = tuple(line.rstrip(b"\r").decode("latin-1") for line in lines[:HEADER_LINES])
    return SurveyText(header, *_matrix(lines[HEADER_LINES]))


def _matrix(body: bytes) -> tuple[np.ndarray, np.ndarray]:
    """Return (n, 120) the bytes of records and (n,) those of another length."""
    ending = b"\r\n" if body[: RECORD_WIDTH + 2].endswith(b"\r\n") else b"\n"
    stride = RECORD_WIDTH + len(ending)
    whole = body if body.endswith(ending) or not body else body + ending
    if len(whole) % stride == 0:
        table = np.frombuffer(whole, np.uint8).reshape(-1, stride)
        if (table[:, RECORD_WIDTH:] == np.frombuffer(ending, np.uint8)).all():
            return table[:, :RECORD_WIDTH], np.zeros(len(table), bool)
    lines = [line.rstrip(b"\r") for line in body.split(b"\n")]
    lines = lines[:-1] if lines and not lines[-1].strip() else lines
    padded = b"".join(line[:RECORD_WIDTH].ljust(RECORD_WIDTH) for line in lines)
    odd = np.array([len(line) != RECORD_WIDTH for line in lines], bool)
    return np.frombuffer(padded, np.uint8).reshape(-1, RECORD_WIDTH), odd


def _number(records: np.ndarray, first: int, last: int, bad: np.ndarray) -> np.ndarray:
    values = np.empty(len(records))
    fixed_numbers(records, first - 1, last, values, bad)
    return values


def times_of(records: np.ndarray, bad: np.ndarray) -> np.ndarray:
    """Return (n,) datetime64[ms] in UTC; not a time where one is not stated. Sets `bad` where it is no time."""
    old = records[:, 0] == OLD_RECORD
    year = np.where(old, 1900 + _plain_number(records, 15, 16, bad & old), _plain_number(records, 13, 16, bad))
    month, day, hour = (_plain_number(records, *places, bad) for places in ((17, 18), (19, 20), (21, 22)))
    minute = _plain_number(records, 23, 27, bad) / 1000
    zone = np.where(old, _plain_number(records, 10, 14, bad & old) / 100, _plain_number(records, 10, 12, bad))
    known = np.isfinite(year) & np.isfinite(month) & np.isfinite(day) & np.isfinite(hour) & np.isfinite(minute)
    fits = known & (month >= 1) & (month <= 12) & (day >= 1) & (day <= 31) & (hour < 24) & (minute < 60) & (year > 1600)
    bad |= known & ~fits
    months = np.where(fits, (year - 1970) * 12 + month - 1, 0).astype(np.int64).astype("datetime64[M]")
    offset = (day - 1) * 86_400_000 + (hour + np.nan_to_num(zone)) * 3_600_000 + np.round(minute * 60_000)
    when = months.astype("datetime64[ms]") + np.where(fits, offset, 0).astype(np.int64).astype("timedelta64[ms]")
    when[~fits] = np.datetime64("NaT")
    return when


def _plain_number(records: np.ndarray, first: int, last: int, bad: np.ndarray) -> np.ndarray:
    """Return numbers that are not measured, such as of times, of which 99 is one."""
    own = np.zeros(len(records), bool)
    values = _number(records, first, last, own)
    bad |= own
    nines = np.isnan(values) & ~own & (records[:, last - 1] != BLANK)
    values[nines] = 10.0 ** (last - first + 1) - 1
    return values


def columns_of(text: SurveyText) -> tuple[dict[str, pa.Array], np.ndarray]:
    """Return the columns of a survey, those that are always there and those in which something is stated; and (n,)
    bool of the damaged records."""
    bad = text.damaged.copy()
    times = times_of(text.records, bad)
    columns = {"time": pa.array(times, mask=np.isnat(times))}
    every = np.empty((len(NUMBERS), len(text.records)))
    fixed_columns(text.records, FIRSTS, LASTS, DIVISORS, every, bad)
    for field, values in zip(NUMBERS, every):
        if field.name in ALWAYS or np.isfinite(values).any():
            columns[field.name] = pa.array(values, mask=np.isnan(values))
    for code in CODES:
        column = _code_column(text.records[:, code.first - 1 : code.last], code.none)
        if column is not None:
            columns[code.name] = column
    return columns, bad


def _code_column(places: np.ndarray, none: str) -> pa.Array | None:
    """Return codes as texts, null where one is not stated; None where none is."""
    width = places.shape[1]
    stated = np.ascontiguousarray(places).view(f"S{width}").ravel() if width > 1 else places[:, 0]
    missing = (stated == none.encode()) | (stated == b" " * width) if width > 1 else (stated == ord(none)) | (
        stated == BLANK)  # fmt: skip
    if missing.all():
        return None
    kinds, numbers = np.unique(stated[~missing], return_inverse=True)
    kinds = kinds.astype(np.uint8).view("S1") if width == 1 else kinds
    at = np.zeros(len(places), np.int32)
    at[~missing] = numbers
    return pa.array([kind.decode("latin-1") for kind in kinds.tolist()]).take(pa.array(at, mask=missing))
