"""The records of a survey in the MGD77 exchange format as columns: fixed places, whatever is damaged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .fixed_width_kernels import fixed_columns, survey_times
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
        raise CannotRead(ref, tr("it has no whole MGD77 header"), tr("Ask for the file again."))
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


def times_of(records: np.ndarray, bad: np.ndarray) -> np.ndarray:
    """Return (n,) datetime64[ms] in UTC; not a time where one is not stated. Sets `bad` where it is no time."""
    times = np.empty(len(records), np.int64)
    survey_times(records, OLD_RECORD, times, bad)
    return times.view("datetime64[ms]")


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
