"""Saving edited values: into the file they came from, or as a new one."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
from collections.abc import Callable
from contextlib import closing
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CannotWrite, Dataset, Layer, PlaceKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.table_view import FileState
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.read.sqlite_file import in_place
from brisk_atlas.core.read.table import TextTable
from brisk_atlas.core.system.atomic_write import checked_place, reason_of, written_beside
from brisk_atlas.core.table.asking import quoted
from brisk_atlas.core.table.editing import changed_cells, edited, state_of
from brisk_atlas.core.table.extended import base_rows
from brisk_atlas.core.table.server_edits import COMPARE, changes_in_words, rows_state, save_there, why_not_there

PATIENCE_S = 5.0  # for another program that is writing
IN_PLACE = ("GeoPackage", "SQLite", "SpatiaLite")
REWRITTEN = {
    "GeoJSON": "GeoJSON",
    "FlatGeobuf": "FlatGeobuf",
    "ESRI Shapefile": "ESRI Shapefile",
    "Shapefile": "ESRI Shapefile",
}
TABLES = ("CSV", "TSV", "Text table", "Parquet")
SEQUENCES = (".geojsonl", ".geojsons", ".jsonl", ".ndjson")
ELSEWHERE = "Save them as a new file."
Report = Callable[[float, str], None]


def why_not(dataset: Dataset) -> str | None:
    """Return why edits can't be saved into a dataset's own file, or None where they can."""
    if dataset.ref.is_inline:
        return tr("it is a sketch, whose texts and notes are changed on the map")
    if dataset.ref.kind is PlaceKind.TABLE:
        return why_not_there(dataset.parts[0])
    if dataset.ref.is_copy:
        return tr("it is sent to its Depot from the Edit drawer")
    if dataset.ref.kind is not PlaceKind.FILE:
        return tr("it lies on a server or in an archive")
    if dataset.ref.name.lower().endswith(".gz"):
        return tr("it is packed")
    if not dataset.ref.path.exists():
        return tr("it is gone since it was read")
    if not dataset.ref.path.is_file():
        return tr("it is not a file of its own")
    suffix = dataset.ref.path.suffix.lower()
    if suffix in SEQUENCES:
        return tr("sequences are not rewritten")
    if dataset.format in (*IN_PLACE, *REWRITTEN) or (not dataset.kind.has_shapes and dataset.format in TABLES):
        return None
    return tr("{format} is not written back", format=dataset.format)


def state_before(cache: DataCache, layer: Layer) -> FileState:
    """Return what the rows of a layer are before its first edit, so that a later change is noticed."""
    if layer.ref.is_copy:  # which remembers by itself what each row was
        return ()
    if layer.ref.kind is PlaceKind.TABLE:
        return rows_state(cache.part(layer.ref), base_rows(cache, layer))
    return state_of(cache.dataset(layer.ref).members)


def changes_of(cache: DataCache, layer: Layer) -> list[str]:
    """Return a line for each value that saving the edits of a layer into its database would write. Raises CannotWrite
    where they belong to other rows."""
    _check_rows(cache, layer)
    return changes_in_words(cache.part(layer.ref), base_rows(cache, layer), layer.rows.edits)


def _check_rows(cache: DataCache, layer: Layer) -> None:
    if state_before(cache, layer) != layer.rows.edited_from:
        what = tr("rows were added or removed since your first edit, so edits can't be matched to their rows")
        raise CannotWrite(layer.ref.whole, what, COMPARE)


def check_unchanged(dataset: Dataset, before: FileState) -> None:
    """Raise CannotWrite where a file is not as it was when the first edit was made."""
    now = {name: (size, time) for name, size, time in state_of(dataset.members)}
    for name, size, time in before:
        if now.get(name) != (size, time):
            gone = now.get(name, (-1, -1))[0] < 0
            what = tr(
                "{name} {what} since it was read",
                name=name,
                what="is gone" if gone else "was changed by another program",
            )
            raise CannotWrite(dataset.ref.path, what, COMPARE)


def save_edits(cache: DataCache, layer: Layer, report: Report = lambda share, step: None) -> int:
    """Write the edits of a layer into its own file or table; returns how many values. Raises CannotWrite, and
    leaves it as it was, where it changed meanwhile or can't be written."""
    dataset = cache.dataset(layer.ref)
    reason = why_not(dataset)
    if reason is not None:
        raise CannotWrite(dataset.ref, reason, ELSEWHERE)
    report(0.1, tr("writing"))
    if dataset.ref.kind is PlaceKind.TABLE:
        _check_rows(cache, layer)
        return save_there(dataset.ref, cache.part(layer.ref), base_rows(cache, layer), layer.rows.edits)
    cells = changed_cells(layer.rows.edits)
    if dataset.format in IN_PLACE:
        update_in_place(dataset.ref.path, layer.part, cache.table(layer.ref), cells)
        return len(cells)
    check_unchanged(dataset, layer.rows.edited_from)
    with written_beside(dataset.ref.path, same_data=True) as beside:
        try:
            if not dataset.kind.has_shapes:
                _rewrite_table(cache, dataset, layer, beside)
            else:
                _rewrite(cache, dataset, layer, beside)
        except (
            sqlite3.Error,
            OSError,
            RuntimeError,
            ValueError,
            pa.ArrowException,
            pyogrio.errors.DataSourceError,
        ) as error:
            raise reason_of(error, dataset.ref.path) from error
        report(0.8, tr("reading it back"))
        _check_written(dataset, beside, cache.table(layer.ref).num_rows)
        report(0.9, tr("checking the original"))
        check_unchanged(dataset, layer.rows.edited_from)
        report(0.95, tr("moving into place"))
    return len(cells)


def _plain(value: Any) -> Any:
    if isinstance(value, datetime):
        found = value.astimezone(UTC) if value.tzinfo else value
        return found.strftime("%Y-%m-%dT%H:%M:%S.%f")[:-3] + "Z"
    return value.isoformat() if isinstance(value, date) else value


def update_in_place(path: Path, table: str, read: pa.Table, cells: dict[tuple[int, str], Any]) -> None:
    """Update values of a table in one transaction, by SQLite's own locks; everything else stays as it is.

    Rows are those in the order of the table's own key, as the library reads them. `read` is the table as it was
    read: where the file now has other rows, or other values in the cells to be changed, nothing is written.
    Raises CannotWrite.
    """
    checked_place(path)
    try:
        with closing(sqlite3.connect(in_place(path), uri=True, timeout=PATIENCE_S, isolation_level=None)) as db:
            for name in ("ST_IsEmpty", "ST_MinX", "ST_MaxX", "ST_MinY", "ST_MaxY"):
                db.create_function(name, 1, _of_geometry)  # the triggers name them; attributes alone are changed
            db.execute("BEGIN IMMEDIATE")
            try:
                _update(path, db, table, read, cells)
                db.execute("COMMIT")
            except BaseException:
                db.execute("ROLLBACK")
                raise
    except sqlite3.OperationalError as error:
        if error.sqlite_errorcode & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            raise CannotWrite(
                path, tr("another program is writing to it"), tr("Close it there, then save again.")
            ) from error
        raise reason_of(error, path) from error
    except sqlite3.Error as error:
        raise reason_of(error, path) from error


def _update(path: Path, db: sqlite3.Connection, table: str, read: pa.Table, cells: dict[tuple[int, str], Any]) -> None:
    key = next((row[1] for row in db.execute(f"PRAGMA table_info({quoted(table)})") if row[5] == 1), "rowid")
    key = key if key == "rowid" else quoted(key)
    ids = [row[0] for row in db.execute(f"SELECT {key} FROM {quoted(table)} ORDER BY {key}")]
    by_field: dict[str, list[tuple[Any, int]]] = {}
    for (row, field), value in cells.items():
        by_field.setdefault(field, []).append((value, row))
    changed = CannotWrite(path, tr("another program changed its rows since it was read"), COMPARE)
    if len(ids) != read.num_rows:
        raise changed
    for field, values in by_field.items():
        if field not in read.column_names:
            raise CannotWrite(path, tr("there is no field {field} in it", field=field), ELSEWHERE)
        column = read.column(field)
        for _, row in values:
            now = db.execute(f"SELECT {quoted(field)} FROM {quoted(table)} WHERE {key} = ?", (ids[row],)).fetchone()
            if now is None or not _same(now[0], column[row].as_py()):
                raise changed
        db.executemany(
            f"UPDATE {quoted(table)} SET {quoted(field)} = ? WHERE {key} = ?",
            [(_plain(value), ids[row]) for value, row in values],
        )
    if db.execute("SELECT 1 FROM sqlite_master WHERE name = 'gpkg_contents'").fetchone():
        now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.%f")[:-3] + "Z"
        db.execute("UPDATE gpkg_contents SET last_change = ? WHERE lower(table_name) = lower(?)", (now, table))


def _same(stored: Any, read: Any) -> bool:
    """Return whether a value that stands in a file is the one that was read from it."""
    if stored is None or read is None:
        return stored is read
    if isinstance(read, datetime) and isinstance(stored, str):
        try:
            there = datetime.fromisoformat(stored)
        except ValueError:
            return False
        if (there.tzinfo is None) != (read.tzinfo is None):
            there, read = (t.replace(tzinfo=t.tzinfo or UTC) for t in (there, read))
        return abs((there - read).total_seconds()) < 0.002
    if isinstance(read, float) and isinstance(stored, int | float):
        return stored == read or (stored != stored and read != read) or abs(stored - read) <= 1e-6 * abs(read)
    return bool(stored == _plain(read)) or str(stored) == str(_plain(read))


def _check_written(dataset: Dataset, beside: Path, rows: int) -> None:
    """Open what was written. Raises CannotWrite where it has not all rows."""
    from brisk_atlas.core.model import CannotRead
    from brisk_atlas.core.read.registry import open as open_dataset

    try:
        count = open_dataset(beside).parts[0].facts.count
    except CannotRead as error:
        raise CannotWrite(
            dataset.ref.path, tr("what was written can't be read back ({reason})", reason=error.reason), ELSEWHERE
        ) from error
    if count != rows:
        raise CannotWrite(
            dataset.ref.path, tr("of {rows:,} rows {count:,} were written", rows=rows, count=count or 0), ELSEWHERE
        )


def _of_geometry(blob: bytes | None) -> float | None:
    """Stand in for a function of geometry: whether it is empty (OGC 12-128r18, 2.1.3, flag bit 4)."""
    return None if not blob or len(blob) < 4 else float(blob[3] >> 4 & 1)


def _rewrite(cache: DataCache, dataset: Dataset, layer: Layer, beside: Path) -> None:
    """Write a single-layer vector file anew with its edits, geometry as it was."""
    if len(dataset.parts) != 1:
        raise CannotWrite(dataset.ref.path, tr("it holds several layers"), ELSEWHERE)
    features = cache.features(layer.ref)
    table = edited(features.table, layer.rows.edits)
    driver = REWRITTEN[dataset.format]
    facts = dataset.parts[0].facts
    pyogrio.write_arrow(
        table.append_column("geometry", features.wkb.cast(pa.binary())),
        beside,
        driver=driver,
        layer=beside.stem if driver == "ESRI Shapefile" else facts.name,
        geometry_name="geometry",
        geometry_type=facts.geometry_type or "Unknown",
        crs=_wkt(features.crs),
        **({"encoding": "UTF-8"} if driver == "ESRI Shapefile" else {}),
    )
    if driver == "GeoJSON":
        _keep_head(dataset.ref.path, beside)


def _wkt(crs: str | None) -> str | None:
    return proj_crs(crs).to_wkt() if crs else None


def _keep_head(path: Path, beside: Path) -> None:
    """Give a rewritten GeoJSON the members of the old one that the library does not carry over."""
    old, new = (json.loads(file.read_text("utf-8")) for file in (path, beside))
    features = new.get("features", [])
    for before, after in zip(old.get("features", []), features):
        for member, value in before.items():
            if member not in ("properties", "geometry") and member not in after:
                after[member] = value
    head = {member: value for member, value in old.items() if member != "features"}
    beside.write_text(json.dumps({**head, "features": features}, ensure_ascii=False), "utf-8")


def _rewrite_table(cache: DataCache, dataset: Dataset, layer: Layer, beside: Path) -> None:
    """Write a table anew. Of a text table, cells that were not edited keep the text that they had."""
    if dataset.format == "Parquet":
        table = edited(cache.table(layer.ref), layer.rows.edits)
        pq.write_table(table.replace_schema_metadata(pq.read_schema(dataset.ref.path).metadata), beside)
        return
    part = cache.part(layer.ref)
    assert isinstance(part, TextTable)
    form, names = part.form, cache.table(layer.ref).column_names
    cells = changed_cells(layer.rows.edits)
    raw = dataset.ref.path.read_bytes().decode(form.encoding)
    ending = "\r\n" if "\r\n" in raw[:65536] else "\n"
    mark = "\ufeff" if raw.startswith("\ufeff") else ""
    rows = [
        row for row in csv.reader(io.StringIO(raw.removeprefix("\ufeff"), newline=""), delimiter=form.delimiter) if row
    ]
    head = int(form.header)
    if len(rows) - head != cache.table(layer.ref).num_rows:
        raise CannotWrite(dataset.ref.path, tr("its lines do not match its rows"), ELSEWHERE)
    for (row, field), value in cells.items():
        rows[row + head][names.index(field)] = _text(value, form.decimal)
    with beside.open("w", encoding=form.encoding, newline="") as out:
        out.write(mark)
        csv.writer(out, delimiter=form.delimiter, lineterminator=ending).writerows(rows)


def _text(value: Any, decimal: str) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return repr(value).replace(".", decimal) if isinstance(value, float) else str(_plain(value))
