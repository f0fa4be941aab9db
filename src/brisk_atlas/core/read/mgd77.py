"""Boat surveys as points: MGD77 exchange files, their tabular form (MGD77T), and folders of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Extent, Facts, Field
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.system.shares import pool

from .answer import ParsedLayer
from .mgd77_layout import ALWAYS, CODES, NUMBERS
from .on_disk import on_disk
from .positions import wkb_points
from .survey_folder import TABULAR, survey_files

DEGREES = "EPSG:4326"
SURVEY = "survey"
MOST_NAMED = 5  # damaged records that are named
UNITS = {field.name: field.unit for field in NUMBERS}
MEANINGS = {"time": tr("time, UTC"), SURVEY: tr("survey identifier")}
MEANINGS |= {field.name: tr(field.meaning) for field in (*NUMBERS, *CODES)}


@dataclass(frozen=True)
class MarineSurvey(ParsedLayer):
    """The fixes of one survey, or of several one after the other, as points in the order of their files."""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a survey, or of all surveys of a folder. Raises CannotRead."""
    if ref.path.is_dir():
        found = list(_read_all(ref))
        tables, warnings = [table for table, _ in found], tuple(word for _, words in found for word in words)
        table = pa.concat_tables(tables, promote_options="default")
        return _dataset(ref, _in_order(table), f"MGD77, {len(tables)} surveys", warnings)
    table, damaged = _read(ref, ref.path)
    warnings = (_damage(damaged, table.num_rows),) if damaged else ()
    return _dataset(ref, table, "MGD77T" if ref.suffix in TABULAR else "MGD77", warnings)


def _read_all(ref: DataRef) -> Iterator[tuple[pa.Table, list[str]]]:
    """Yield the tables of a folder's surveys, each with remarks; what can't be read is a remark. Raises CannotRead
    where none can."""

    def one(path: Path) -> tuple[pa.Table, list[int]] | str:
        try:
            return _read(DataRef.file(path), path)
        except (CannotRead, OSError) as error:
            return str(getattr(error, "reason", error))

    remarks, any_read = [], False
    files = survey_files(ref.path)
    for path, found in zip(files, pool().map(one, files)):
        if isinstance(found, str):
            remarks.append(f"{path.name} is left out: {found}")
            continue
        any_read = True
        table, damaged = found
        words = [*remarks, *([f"{path.name}: {_damage(damaged, table.num_rows)}"] if damaged else [])]
        remarks = []
        yield table, words
    if not any_read:
        raise CannotRead(
            ref, tr("none of its surveys can be read ({remarks})", remarks=remarks[0]), tr("Ask for the files again.")
        )
    if remarks:  # of files after the last that could be read
        yield table.slice(0, 0), remarks


def _damage(rows: Sequence[int], count: int) -> str:
    named = ", ".join(f"{row + 1:,}" for row in rows[:MOST_NAMED])
    more = tr(" and {count:,} more", count=len(rows) - MOST_NAMED) if len(rows) > MOST_NAMED else ""
    cut = tr("; the copy may have been cut short") if rows[-1] == count - 1 else ""
    damaged = trn(
        "{count:,} record is damaged, and shown as far as possible: {named}",
        "{count:,} records are damaged, and shown as far as possible: {named}",
        len(rows),
        named=named,
    )
    return damaged + more + cut


def _read(ref: DataRef, path: Path) -> tuple[pa.Table, list[int]]:
    """Return a survey's rows and the numbers of those that are damaged. Raises CannotRead."""
    if path.suffix.lower() in TABULAR:
        return _tabular(ref, path)
    from .mgd77_records import columns_of, split  # the compiler loads with it

    text = split(path.read_bytes(), ref)
    if not len(text.records):
        raise CannotRead(ref, tr("it has a header and no records"), tr("Ask for the file again."))
    columns, bad = columns_of(text)
    if bad.all():
        raise CannotRead(ref, tr("all of its records are damaged"), tr("Ask for the file again."))
    name = text.header[0][1:9].strip() or path.stem
    survey = pa.repeat(pa.scalar(name, pa.string()), len(bad))
    return pa.table({SURVEY: survey, **columns}), np.flatnonzero(bad).tolist()


def _tabular(ref: DataRef, path: Path) -> tuple[pa.Table, list[int]]:
    """Return the rows of the tabular form: a line of names, then values divided by tabs, empty where unknown."""
    damaged: list[int] = []

    def odd(row: object) -> str:
        damaged.append(int(getattr(row, "number", 0) or 0) - 2)
        return "skip"

    text = pa.string()
    names = {**{each.tabular: each for each in NUMBERS}, **{each.tabular: each for each in CODES}}
    try:
        read = pa.csv.read_csv(
            path, pa.csv.ReadOptions(encoding="latin-1", use_threads=False),
            pa.csv.ParseOptions(delimiter="\t", invalid_row_handler=odd, quote_char=False),
            pa.csv.ConvertOptions(column_types=dict.fromkeys([*names, "SURVEY_ID", "DATE", "TIME", "TIMEZONE"], text),
                                  strings_can_be_null=True, null_values=[""]),
        )  # fmt: skip
    except (pa.ArrowInvalid, pa.ArrowKeyError) as error:
        raise CannotRead(
            ref, tr("it is not a table divided by tabs ({error})", error=error), tr("Ask for the file again.")
        ) from error
    if "SURVEY_ID" not in read.column_names or "LAT" not in read.column_names or not read.num_rows:
        raise CannotRead(ref, tr("it has no columns SURVEY_ID and LAT, or no rows"), tr("Ask for the file again."))
    bad = np.zeros(read.num_rows, bool)
    columns: dict[str, pa.Array | pa.ChunkedArray] = {SURVEY: read.column("SURVEY_ID")}
    times = _tabular_times(read, bad)
    columns["time"] = pa.array(times, mask=np.isnat(times))
    for field in NUMBERS:
        values = _floats(read, field.tabular, bad)
        if field.name in ALWAYS or np.isfinite(values).any():
            columns[field.name] = pa.array(values, mask=np.isnan(values))
    for code in CODES:
        if code.tabular in read.column_names and read.column(code.tabular).null_count < read.num_rows:
            columns[code.name] = read.column(code.tabular)
    return pa.table(columns), sorted({*np.flatnonzero(bad).tolist(), *(row for row in damaged if row >= 0)})


def _floats(table: pa.Table, name: str, bad: np.ndarray) -> np.ndarray:
    """Return a column of texts as numbers, NaN where it is empty; sets `bad` where it is no number."""
    if name not in table.column_names:
        return np.full(table.num_rows, np.nan)
    texts = table.column(name)
    try:
        return texts.cast(pa.float64()).to_numpy().astype(float)
    except pa.ArrowInvalid:
        is_number = pc.match_substring_regex(texts, r"^\s*[-+]?(\d+\.?\d*|\.\d+)\s*$")
        values = pc.if_else(is_number, pc.utf8_trim_whitespace(texts), None).cast(pa.float64()).to_numpy().astype(float)
        bad |= np.isnan(values) & texts.is_valid().to_numpy()
        return values


def _tabular_times(table: pa.Table, bad: np.ndarray) -> np.ndarray:
    """Return (rows,) datetime64[ms] in UTC of days yyyymmdd and times hhmm.mmm."""
    day, clock, zone = (_floats(table, name, bad) for name in ("DATE", "TIME", "TIMEZONE"))
    known = np.isfinite(day)
    day, clock = np.where(known, day, 19700101.0), np.nan_to_num(clock)
    year, month, date = day // 10000, day // 100 % 100, day % 100
    hour, minute = clock // 100, clock % 100
    fits = (month >= 1) & (month <= 12) & (date >= 1) & (date <= 31) & (hour < 24) & (minute < 60)
    bad |= ~fits
    months = np.where(fits, (year - 1970) * 12 + month - 1, 0).astype(np.int64).astype("datetime64[M]")
    milliseconds = (date - 1) * 86_400_000 + (hour + np.nan_to_num(zone)) * 3_600_000 + np.round(minute * 60_000)
    when = months.astype("datetime64[ms]") + np.where(fits, milliseconds, 0).astype(np.int64).astype("timedelta64[ms]")
    when[~(fits & known)] = np.datetime64("NaT")
    return when


def _in_order(table: pa.Table) -> pa.Table:
    """Return the columns in the order of the format."""
    order = [SURVEY, "time", *(field.name for field in NUMBERS), *(code.name for code in CODES)]
    return table.select([name for name in order if name in table.column_names])


def _dataset(ref: DataRef, table: pa.Table, form: str, warnings: tuple[str, ...]) -> Dataset:
    from .wkb import exact_shapes  # the compiler loads with it, which other formats can do without

    lon, lat = table.column("lon").to_numpy(), table.column("lat").to_numpy()
    known = (np.abs(lat) <= 90) & (lon >= -180) & (lon <= 360)
    if not known.any():
        raise CannotRead(ref, tr("none of its records has a position"), tr("Ask for the file again."))
    x, y = np.where(known, np.where(lon > 180, lon - 360, lon), np.nan), np.where(known, lat, np.nan)
    extent = Extent(np.nanmin(x), np.nanmin(y), np.nanmax(x), np.nanmax(y), DEGREES)
    fields = tuple(
        Field(each.name, str(each.type), UNITS.get(each.name, ""), MEANINGS.get(each.name, "")) for each in table.schema
    )
    facts = Facts(ref.stem, DataKind.VECTOR, table.num_rows, "Point", fields, DEGREES, extent)
    features = Features(table, *exact_shapes(wkb_points(x, y)), DEGREES)
    return Dataset(format=form, kind=DataKind.VECTOR, parts=(MarineSurvey(ref, facts, features),), warnings=warnings,
                   **on_disk(ref))  # fmt: skip
