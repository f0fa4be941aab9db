"""Tables and views of DuckDB files, asked in their own SQL: a part for each table, and for each column of geometry."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, NamedTuple

import duckdb
import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model import (
    CannotRead,
    Capability,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    FeatureQuery,
    Field,
    Ordering,
    Part,
)
from brisk_atlas.core.model.errors import CannotPlace
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.place import text_of

from .answer import ArrowLayer, ArrowTable, batches_of
from .on_disk import on_disk

FORMAT = "DuckDB"
SAFE = {"enable_external_access": "false", "autoinstall_known_extensions": "false",
        "autoload_known_extensions": "false", "lock_configuration": "true"}  # fmt: skip
MAX_TABLES = 500
MEASURED_ROWS = 200_000  # up to which the extent and the type of shapes are found out by reading them
TYPED = re.compile(r"^GEOMETRY(?:\('(.*)'\))?$", re.DOTALL)
ABLE = Capability.COLUMNS | Capability.LIMIT | Capability.WHERE | Capability.ORDER


class DuckColumn(NamedTuple):
    """A column: its name, its type in SQL and its comment."""

    name: str
    type: str
    about: str

    @property
    def is_shape(self) -> bool:
        return TYPED.match(self.type) is not None


@contextmanager
def _opened(ref: DataRef) -> Iterator[duckdb.DuckDBPyConnection]:
    """Give a connection that reads and reaches nothing else. Raises CannotRead."""
    try:
        link = duckdb.connect(str(ref.path), read_only=True, config=SAFE)
    except duckdb.Error as error:
        raise CannotRead(
            ref, tr("it can't be opened ({line})", line=_line(error)), tr("Close it elsewhere, or ask for it again.")
        ) from error
    try:
        yield link
    except duckdb.Error as error:
        raise CannotRead(ref, tr("it can't be read ({line})", line=_line(error)), tr("Ask for it again.")) from error
    finally:
        link.close()


def _line(error: Exception) -> str:
    return str(error).splitlines()[0][:200]


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def open_dataset(ref: DataRef) -> Dataset:
    """Return the tables and views of a file. Raises CannotRead."""
    with _opened(ref) as link:
        tables = link.execute(
            "SELECT schema_name, table_name, comment FROM duckdb_tables() WHERE NOT internal "
            "UNION ALL SELECT schema_name, view_name, comment FROM duckdb_views() WHERE NOT internal ORDER BY 1, 2"
        ).fetchall()
        parts: list[Part] = []
        remarks: list[str] = []
        for schema, table, words in tables[:MAX_TABLES]:
            try:
                parts += _parts(ref, link, schema, table, words)
            except duckdb.Error as error:  # such as of a view of what lies elsewhere, which is not reached
                remarks.append(tr("{table}: it can't be read ({line})", table=table, line=_line(error)))
    if not parts:
        reason = remarks[0] if remarks else tr("it holds no table")
        raise CannotRead(ref, reason, tr("Ask its sender what should be in it."))
    remarks += [no_crs(p.facts.name) for p in parts if p.facts.extent is not None and not p.facts.crs]
    if len(tables) > MAX_TABLES:
        remarks.append(
            tr("only the first {max_tables} of {count:,} tables are listed", max_tables=MAX_TABLES, count=len(tables))
        )
    kind = DataKind.VECTOR if any(part.facts.kind.has_shapes for part in parts) else DataKind.TABLE
    return Dataset(format=FORMAT, kind=kind, parts=tuple(parts), warnings=tuple(remarks), **on_disk(ref))


def _parts(ref: DataRef, link: duckdb.DuckDBPyConnection, schema: str, table: str, words: str | None) -> list[Part]:
    stated = link.execute(
        "SELECT column_name, data_type, comment FROM duckdb_columns() WHERE schema_name = ? AND table_name = ? "
        "ORDER BY column_index",
        [schema, table],
    ).fetchall()
    columns = tuple(DuckColumn(name, type_, about or "") for name, type_, about in stated)
    place = f"{_quoted(schema)}.{_quoted(table)}"
    plain = [column for column in columns if not column.is_shape]
    chosen = ", ".join(_quoted(column.name) for column in plain) or "1"
    schema_of = link.sql(f"SELECT {chosen} FROM {place} LIMIT 0").to_arrow_table().schema
    fields = tuple(Field(column.name, str(schema_of.field(i).type)) for i, column in enumerate(plain))
    count = int(link.execute(f"SELECT count(*) FROM {place}").fetchall()[0][0])
    called = table if schema == "main" else f"{schema}.{table}"
    notes = {"comment": words} if words else {}
    shapes = [column for column in columns if column.is_shape]
    if not shapes:
        facts = Facts(called, DataKind.TABLE, count, None, fields, None, None, notes=notes)
        return [DuckTable(ref, facts, place, columns)]
    found: list[Part] = []
    for shape in shapes:
        crs = _crs_of(shape)
        type_, extent = _measured(link, place, shape, count, crs)
        name = called if len(shapes) == 1 else f"{called} {shape.name}"
        facts = Facts(name, DataKind.VECTOR, count, type_, fields, crs, extent, notes=notes)
        found.append(DuckLayer(ref, facts, place, columns, shape))
    return found


def _crs_of(shape: DuckColumn) -> str | None:
    stated = TYPED.match(shape.type)
    text = stated[1].replace("''", "'") if stated and stated[1] else ""
    try:
        return text_of(text) if text else None
    except CannotPlace:
        return None


def _measured(
    link: duckdb.DuckDBPyConnection, place: str, shape: DuckColumn, count: int, crs: str | None
) -> tuple[str, Extent | None]:
    """Return the type and the extent of shapes, of a sample of a large table."""
    thin = f" USING SAMPLE {MEASURED_ROWS} ROWS (reservoir, 1)" if count > MEASURED_ROWS else ""
    name = _quoted(shape.name)
    rows = link.sql(f"SELECT {name}::BLOB AS g FROM {place} WHERE {name} IS NOT NULL{thin}").to_arrow_table()
    geometry = shapely.from_wkb(rows.column(0).to_numpy(), on_invalid="ignore")
    kinds = {_type_name(kind) for kind in np.unique(shapely.get_type_id(geometry[~shapely.is_empty(geometry)]))}
    bounds = shapely.total_bounds(geometry) if len(geometry) else np.full(4, np.nan)
    extent = Extent.of(bounds, crs) if np.isfinite(bounds).all() else None
    return (kinds.pop() if len(kinds) == 1 else "Unknown"), extent


def _type_name(number: int) -> str:
    names = {0: "Point", 1: "LineString", 3: "Polygon", 4: "MultiPoint", 5: "MultiLineString", 6: "MultiPolygon"}
    return names.get(int(number), "Unknown")


class DuckSource:
    """What both kinds of parts do: asking for columns, an extent, an order and a number of rows."""

    ref: DataRef
    place: str
    columns: tuple[DuckColumn, ...]

    @property
    def comments(self) -> dict[str, str]:
        """What the file says of its columns."""
        return {column.name: column.about for column in self.columns if column.about}

    def _answered(self, query: FeatureQuery, shape: DuckColumn | None) -> Iterator[pa.RecordBatch]:
        plain = [column.name for column in self.columns if not column.is_shape]
        wanted = plain if query.columns is None else list(query.columns)
        chosen = [_quoted(name) for name in wanted]
        if shape is not None:
            chosen.append(f"{_quoted(shape.name)}::BLOB AS {_quoted(shape.name)}")
        conditions = []
        values: list[Any] = []
        if query.extent is not None and shape is not None:
            conditions.append(f"{_quoted(shape.name)} && ?::BLOB::GEOMETRY")
            values.append(shapely.box(*query.extent.bounds).wkb)
        if query.where:
            conditions.append(f"({query.where})")  # made by `table`
        text = f"SELECT {', '.join(chosen) or '1'} FROM {self.place}"
        text += f" WHERE {' AND '.join(conditions)}" if conditions else ""
        text += f" ORDER BY {', '.join(map(_ordered, query.order))}" if query.order else ""
        text += f" LIMIT {query.limit}" if query.limit is not None else ""
        with _opened(self.ref) as link:
            table = link.sql(text, params=values).to_arrow_table()
        yield from batches_of(table if chosen else table.select([]))


def _ordered(by: Ordering) -> str:
    return f"{_quoted(by.field)} {'DESC' if by.descending else 'ASC'} NULLS LAST"


@dataclass(frozen=True)
class DuckTable(DuckSource, ArrowTable):
    """A table or view without geometry."""

    able = ABLE
    dialect = "duckdb"
    is_database = True
    place: str
    columns: tuple[DuckColumn, ...]

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, None)


@dataclass(frozen=True)
class DuckLayer(DuckSource, ArrowLayer):
    """A column of geometry with the other columns of its table."""

    able = ABLE | Capability.EXTENT
    dialect = "duckdb"
    is_database = True
    place: str
    columns: tuple[DuckColumn, ...]
    shape: DuckColumn

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, self.shape if geometry or query.extent is not None else None)
