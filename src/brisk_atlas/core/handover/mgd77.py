"""Surveys as MGD77 files. What was not changed is written byte for byte as it was read."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.mgd77_layout import CODES, HEADER_LINES, HEADER_WIDTH, NUMBERS, RECORD_WIDTH, RecordField
from brisk_atlas.core.read.mgd77_records import SurveyText, columns_of, split
from brisk_atlas.core.read.survey_folder import EXCHANGE
from brisk_atlas.core.system.atomic_write import written_beside

NAME_WIDTH = 8
NEEDED = ("time", "lat", "lon")
SURVEYED = (
    ("depth_m", "travel_time_s"),
    ("magnetic_total_nt", "magnetic_residual_nt"),
    ("gravity_mgal", "free_air_mgal"),
)


def write_survey(
    table: pa.Table, path: Path, *, name: str, source: Path | None = None, rows: np.ndarray | None = None
) -> int:
    """Write rows of one survey; returns how many.

    table : columns with the names of the reader; rows : (n,) which records of `source` the rows are, None where that
    is not known. Of a source in the same format the header and all bytes that say the same are copied. Raises
    CannotWrite for rows without time or position, and for values that the format has no room for.
    """
    missing = [each for each in NEEDED if each not in table.column_names]
    if missing:
        raise CannotWrite(
            path, tr("there is no field {missing}", missing=", ".join(missing)), tr("MGD77 needs time, lat and lon.")
        )
    original = _original(source) if source is not None and rows is not None else None
    ending = b"\n"
    if original is not None and rows is not None and source is not None:
        header = [line.encode("latin-1") for line in original.header]
        before, _ = columns_of(original)
        records = original.records[rows].copy()
        _change(records, table, {k: v.take(pa.array(rows)) for k, v in before.items()}, path)
        if np.array_equal(records, original.records) and np.array_equal(rows, np.arange(len(original.records))):
            with written_beside(path) as beside:  # nothing was changed: what is damaged stays as it was too
                beside.write_bytes(source.read_bytes())
            return len(records)
        ending = _ending(source)
    else:
        header = _header(table, name)
        records = np.full((table.num_rows, RECORD_WIDTH), ord("9"), np.uint8)
        records[:, 0] = ord("5")
        records[:, 1:9] = np.frombuffer(name[:NAME_WIDTH].ljust(NAME_WIDTH).encode("latin-1", "replace"), np.uint8)
        records[:, 9:12] = np.frombuffer(b"+00", np.uint8)
        _change(records, table, {}, path)
    lines = np.empty((len(records), RECORD_WIDTH + len(ending)), np.uint8)
    lines[:, :RECORD_WIDTH] = records
    lines[:, RECORD_WIDTH:] = np.frombuffer(ending, np.uint8)
    with written_beside(path) as beside:
        beside.write_bytes(ending.join(header) + ending + lines.tobytes())
    return len(records)


def _original(source: Path) -> SurveyText | None:
    if source.suffix.lower() not in EXCHANGE:
        return None
    try:
        return split(source.read_bytes(), DataRef.file(source))
    except (CannotRead, OSError):
        return None


def _ending(source: Path) -> bytes:
    with source.open("rb") as file:
        return b"\r\n" if file.readline().endswith(b"\r\n") else b"\n"


def _change(records: np.ndarray, table: pa.Table, before: Mapping[str, pa.Array], path: Path) -> None:
    """Write into records what differs from before."""
    for field in NUMBERS:
        if field.name in table.column_names:
            values = _floats(table.column(field.name))
            known = _floats(before[field.name]) if field.name in before else np.full(len(values), np.nan)
            differs = ~((values == known) | (np.isnan(values) & np.isnan(known)))
            _put(records, np.flatnonzero(differs), field, values, path)
    times = table.column("time").cast(pa.timestamp("ms"), safe=False).to_numpy().astype("datetime64[ms]")
    if np.isnat(times).any() and "time" not in before:
        raise CannotWrite(path, tr("a row has no time"), tr("Filter such rows out first; MGD77 needs a time each."))
    old = before["time"].to_numpy(zero_copy_only=False).astype("datetime64[ms]") if "time" in before else None
    changed = np.flatnonzero(~np.isnat(times) & (times != old)) if old is not None else np.arange(len(times))
    _put_times(records, changed, times)
    for code in CODES:
        width = code.last - code.first + 1
        if code.name in table.column_names:
            texts = table.column(code.name).cast(pa.string()).to_pylist()
            known_texts = before[code.name].to_pylist() if code.name in before else [None] * len(texts)
            for row in [n for n, (new, was) in enumerate(zip(texts, known_texts)) if new != was]:
                stored = (texts[row] or code.none)[:width].rjust(width).encode("latin-1", "replace")
                records[row, code.first - 1 : code.last] = np.frombuffer(stored, np.uint8)


def _floats(column: pa.Array | pa.ChunkedArray) -> np.ndarray:
    values = column.cast(pa.float64(), safe=False)
    return np.asarray(
        values.to_numpy(zero_copy_only=False) if isinstance(values, pa.Array) else values.to_numpy(), float
    )


def _put(records: np.ndarray, rows: np.ndarray, field: RecordField, values: np.ndarray, path: Path) -> None:
    """Write numbers into their columns: digits filled with zeros, a sign where they are negative, nines for none.
    Raises CannotWrite for those that are too long."""
    if not rows.size:
        return
    width = field.last - field.first + 1
    chosen = values[rows]
    known = np.isfinite(chosen)
    digits = np.zeros(len(rows), np.int64)
    digits[known] = np.round(chosen[known] * field.divisor).astype(np.int64)
    room = np.where(digits < 0, 10 ** (width - 1), 10**width - 1)  # all nines are no value
    if (np.abs(digits) >= room).any():
        worst = chosen[np.abs(digits) >= room][0]
        raise CannotWrite(
            path,
            tr("{name} {worst:g} is longer than the format has room for", name=field.name, worst=worst),
            tr("Filter it out first."),
        )
    texts = np.where(digits < 0, np.char.add("-", np.char.zfill(np.abs(digits).astype(str), width - 1)),
                     np.char.zfill(digits.astype(str), width))  # fmt: skip
    texts = np.where(known, texts, "9" * width).astype(f"S{width}")
    records[rows, field.first - 1 : field.last] = np.ascontiguousarray(texts).view(np.uint8).reshape(-1, width)


def _put_times(records: np.ndarray, rows: np.ndarray, times: np.ndarray) -> None:
    """Write times into records, in UTC."""
    if not rows.size:
        return
    records[rows, 0] = ord("5")
    when = times[rows].astype("datetime64[ms]")
    minutes = (when - when.astype("datetime64[h]")).astype(np.int64) / 60_000
    thousandths = np.minimum(np.round(minutes * 1000).astype(np.int64), 59_999)
    hours = np.char.replace(np.char.replace(when.astype("datetime64[h]").astype(str), "-", ""), "T", "")
    stamp = np.char.add(np.char.add("+00", hours), np.char.zfill(thousandths.astype(str), 5)).astype("S18")
    records[rows, 9:27] = np.ascontiguousarray(stamp).view(np.uint8).reshape(-1, 18)


def _header(table: pa.Table, name: str) -> list[bytes]:
    """Return the header of a survey of which nothing but its rows is known."""
    names = table.column_names
    surveyed = "".join(
        "5" if any(each in names and table.column(each).null_count < table.num_rows for each in kinds) else "1"
        for kinds in SURVEYED
    )
    times = table.column("time").cast(pa.timestamp("ms"), safe=False).to_numpy()
    known = times[~np.isnat(times)]
    days = [str(each.astype("datetime64[D]")).replace("-", "") for each in (known.min(), known.max())]
    cards = {
        1: f"4{name[:NAME_WIDTH]:<8}MGD77{'':12}{surveyed}11{date.today():%Y%m%d}",
        4: f"{days[0]}{'':32}{days[1]}",
        10: "A(DATA RECORDS OF 120 CHARACTERS EACH)",
        16: "00",
    }
    return [
        f"{cards.get(card, '')[: HEADER_WIDTH - 2]:<78}{card:02d}".encode("latin-1", "replace")
        for card in range(1, HEADER_LINES + 1)
    ]
