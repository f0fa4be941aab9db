"""Tables of MariaDB and MySQL databases: facts from the catalogue, rows as Arrow, filtered by the server."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import time, timedelta
from decimal import Decimal
from typing import Any, NamedTuple

import pyarrow as pa
from pymysql.constants import FIELD_TYPE, FLAG

from brisk_atlas.core.connect.mariadb import ask, connection, literal, quoted, speaks_mariadb, streamed
from brisk_atlas.core.connect.table_names import names_in, statement_in, table_ref
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
    Relation,
)
from brisk_atlas.core.model.errors import CannotPlace
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.place import proj_crs

from .answer import ArrowLayer, ArrowTable, batches_of
from .on_disk import on_disk

FORMAT = "MariaDB table"
EXACT_ROWS = 100_000  # up to which rows are counted and the extent is measured rather than estimated
BATCH = 20_000  # rows that are turned into Arrow at once
SHAPES = (
    "geometry", "point", "linestring", "polygon", "multipoint", "multilinestring", "multipolygon",
    "geometrycollection", "geomcollection",
)  # fmt: skip
TYPES = {
    "point": "Point", "linestring": "LineString", "polygon": "Polygon", "multipoint": "MultiPoint",
    "multilinestring": "MultiLineString", "multipolygon": "MultiPolygon",
}  # fmt: skip
ARROW = {
    "tinyint": "int16", "smallint": "int16", "mediumint": "int32", "int": "int32", "bigint": "int64", "float": "float",
    "double": "double", "decimal": "double", "date": "date32[day]", "datetime": "timestamp[us]",
    "timestamp": "timestamp[us, tz=UTC]", "year": "int16", "binary": "binary", "varbinary": "binary", "blob": "binary",
    "tinyblob": "binary", "mediumblob": "binary", "longblob": "binary", "bit": "binary",
}  # what a column of a type comes as; all others come as text  # fmt: skip
WIDER = {"int16": "int32", "int32": "int64", "int64": "uint64"}  # of numbers without a sign
SENT = {  # the type of a column by the number that the server sends
    FIELD_TYPE.TINY: "tinyint", FIELD_TYPE.SHORT: "smallint", FIELD_TYPE.INT24: "mediumint", FIELD_TYPE.LONG: "int",
    FIELD_TYPE.LONGLONG: "bigint", FIELD_TYPE.FLOAT: "float", FIELD_TYPE.DOUBLE: "double",
    FIELD_TYPE.DECIMAL: "decimal", FIELD_TYPE.NEWDECIMAL: "decimal", FIELD_TYPE.DATE: "date",
    FIELD_TYPE.DATETIME: "datetime", FIELD_TYPE.TIMESTAMP: "timestamp", FIELD_TYPE.YEAR: "year",
    FIELD_TYPE.BIT: "bit", FIELD_TYPE.TINY_BLOB: "blob", FIELD_TYPE.MEDIUM_BLOB: "blob",
    FIELD_TYPE.LONG_BLOB: "blob", FIELD_TYPE.BLOB: "blob",
}  # fmt: skip
BINARY_CHARSET = 63  # of what is no text
ABLE = Capability.COLUMNS | Capability.LIMIT | Capability.WHERE | Capability.ORDER | Capability.STEP


class TableColumn(NamedTuple):
    """A column: its name, the name of its type, what Arrow calls that, and its comment."""

    name: str
    type: str
    arrow: str
    about: str

    @property
    def is_shape(self) -> bool:
        return self.type in SHAPES


class MariaTable(NamedTuple):
    """What the catalogue says of a table, or the server of a SELECT of one's own."""

    is_view: bool
    rows: int
    about: str
    columns: tuple[TableColumn, ...]
    key: tuple[str, ...]
    relations: tuple[Relation, ...]
    is_query: bool = False


def about_mariadb_table(ref: DataRef) -> MariaTable:
    """Return what the catalogue says of a table. Raises CannotRead."""
    if statement_in(ref):
        return _about_query(ref)
    schema, table = names_in(ref)
    head = ask(
        ref,
        "SELECT table_type, coalesce(table_rows, 0), table_comment FROM information_schema.tables "
        "WHERE table_schema = %s AND table_name = %s",
        [schema, table],
    )
    if not head:
        raise CannotRead(
            ref, tr("it has no table {schema}.{table}", schema=schema, table=table), tr("List the database again.")
        )
    columns = ask(
        ref,
        "SELECT column_name, data_type, column_type, column_comment, column_key FROM information_schema.columns "
        "WHERE table_schema = %s AND table_name = %s ORDER BY ordinal_position",
        [schema, table],
    )
    found = tuple(
        TableColumn(name, type_.lower(), _arrow(type_.lower(), whole.lower()), words)
        for name, type_, whole, words, _ in columns
    )
    keys = tuple(name for name, *_, key in columns if key == "PRI")
    kind, rows, words = head[0]
    is_view = "VIEW" in kind
    return MariaTable(is_view, int(rows), "" if is_view else words, found, keys, _relations(ref, schema, table))


def _about_query(ref: DataRef) -> MariaTable:
    """Return what a SELECT of one's own gives, after a dry run in which the server gives no rows. Raises CannotRead."""
    with connection(ref) as link, link.cursor() as cursor:
        cursor.execute(f"SELECT * FROM {_name(ref)} LIMIT 0")
        described = cursor._result.fields if cursor._result is not None else ()
        cursor.execute(f"EXPLAIN SELECT * FROM {_name(ref)}")
        planned = [dict(zip((each[0] for each in cursor.description or ()), row)) for row in cursor.fetchall()]
    names = [each.name for each in described]
    twice = [name for name in names if names.count(name) > 1]
    if twice:
        raise CannotRead(
            ref, tr("two of its columns are called {twice}", twice=twice[0]), tr("Give one another name with AS.")
        )
    columns = tuple(TableColumn(each.name, *_type_sent(each), "") for each in described)
    rows = max((int(each.get("rows") or 0) for each in planned), default=0)
    return MariaTable(False, rows, "", columns, (), (), is_query=True)


def _type_sent(sent: Any) -> tuple[str, str]:
    """Return the name of a type and what Arrow calls it, of a column as the server sends it."""
    if sent.type_code == FIELD_TYPE.GEOMETRY:
        return "geometry", "binary"
    name = SENT.get(sent.type_code, "varchar")
    if name == "blob" and sent.charsetnr != BINARY_CHARSET:
        name = "text"
    if name == "tinyint" and sent.length == 1:
        return name, "bool"
    arrow = ARROW.get(name, "string")
    return name, WIDER.get(arrow, arrow) if sent.flags & FLAG.UNSIGNED else arrow


def _arrow(type_: str, whole: str) -> str:
    if whole == "tinyint(1)":
        return "bool"
    name = ARROW.get(type_, "string")
    return WIDER.get(name, name) if "unsigned" in whole else name


def _relations(ref: DataRef, schema: str, table: str) -> tuple[Relation, ...]:
    """Return what a table refers to by a foreign key of one column, and what refers to it."""
    rows = ask(
        ref,
        "SELECT table_schema, table_name, column_name, referenced_table_schema, referenced_table_name, "
        "referenced_column_name, constraint_name FROM information_schema.key_column_usage "
        "WHERE referenced_table_name IS NOT NULL AND ((table_schema = %s AND table_name = %s) OR "
        "(referenced_table_schema = %s AND referenced_table_name = %s))",
        [schema, table, schema, table],
    )
    names = [row[-1] for row in rows]
    found = []
    for near_schema, near, key, far_schema, far, far_key, name in rows:
        if names.count(name) == 1:
            own = (near_schema, near) == (schema, table)
            other = table_ref(ref, *((far_schema, far) if own else (near_schema, near)))
            found.append(Relation(other, *((key, far_key) if own else (far_key, key)), many=not own))
    return tuple(found)


def open_dataset(ref: DataRef) -> Dataset:
    """Return a table as a dataset: a part for each column of geometry, or one of rows. Raises CannotRead."""
    _, table = names_in(ref)
    if not table:
        raise CannotRead(ref, tr("it is a database with many tables"), tr("Open one of them; Find lists them."))
    about = about_mariadb_table(ref)
    fields = tuple(Field(c.name, c.arrow) for c in about.columns if not c.is_shape)
    shapes = [column for column in about.columns if column.is_shape]
    count, is_exact = _count(ref, about)
    notes = {"kind of table": "query" if about.is_query else "view" if about.is_view else "table"}
    notes |= {"comment": about.about} if about.about else {}
    notes |= {} if is_exact else {"count": "an estimate of the database"}
    parts: list[Part] = []
    for shape in shapes:
        name = table if len(shapes) == 1 else f"{table} {shape.name}"
        srid = _srid(ref, shape)
        crs = _crs_of(srid)
        extent = _extent(ref, shape, crs) if is_exact else None
        facts = Facts(
            name, DataKind.VECTOR, count, TYPES.get(shape.type, "Unknown"), fields, crs, extent, notes=dict(notes)
        )
        parts.append(MariaLayer(ref, facts, about, shape, srid))
    if not shapes:
        parts = [MariaRows(ref, Facts(table, DataKind.TABLE, count, None, fields, None, None, notes=notes), about)]
    remarks = tuple(no_crs() for part in parts if part.facts.extent is not None and not part.facts.crs)
    kind = DataKind.VECTOR if shapes else DataKind.TABLE
    return Dataset(format=FORMAT, kind=kind, parts=tuple(parts), warnings=remarks, **on_disk(ref))


def _name(ref: DataRef) -> str:
    """Return what stands behind FROM: a table by its names, or a SELECT of one's own."""
    own = statement_in(ref)
    if own:
        return f"({own}\n) AS asked"
    return ".".join(quoted(name) for name in names_in(ref))


def _count(ref: DataRef, about: MariaTable) -> tuple[int, bool]:
    """Return how many rows there are, and whether they were counted: small tables are."""
    count = int(ask(ref, f"SELECT count(*) FROM (SELECT 1 FROM {_name(ref)} LIMIT {EXACT_ROWS + 1}) AS few")[0][0])
    return (count, True) if count <= EXACT_ROWS else (max(about.rows, count), False)


def _srid(ref: DataRef, shape: TableColumn) -> int:
    """Return the SRID of a column: that of its first shape, as MariaDB does not enforce the one that it declares."""
    found = ask(
        ref, f"SELECT ST_SRID({quoted(shape.name)}) FROM {_name(ref)} WHERE {quoted(shape.name)} IS NOT NULL LIMIT 1"
    )
    return int(found[0][0] or 0) if found else 0


def _crs_of(srid: int) -> str | None:
    """Return the CRS that is meant by a number: that of the EPSG, where it has one."""
    try:
        proj_crs(f"EPSG:{srid}")
    except CannotPlace:
        return None
    return f"EPSG:{srid}"


def _extent(ref: DataRef, shape: TableColumn, crs: str | None) -> Extent | None:
    """Return the extent of a column, measured."""
    name = quoted(shape.name)
    flipped = not speaks_mariadb(ref.place) and bool(crs) and proj_crs(crs or "").is_geographic
    corners = ", ".join(
        f"{call}({axis}(ST_PointN(ST_ExteriorRing(ST_Envelope({name})), {number})))"
        for call, axis, number in (("min", "ST_X", 1), ("min", "ST_Y", 1), ("max", "ST_X", 3), ("max", "ST_Y", 3))
    )
    lone = ", ".join(f"{call}({axis}({name}))" for call in ("min", "max") for axis in ("ST_X", "ST_Y"))
    found = [ask(ref, f"SELECT {what} FROM {_name(ref)} WHERE {which}")[0] for what, which in (
        (corners, f"GeometryType({name}) <> 'POINT'"), (lone, f"GeometryType({name}) = 'POINT'"),
    )]  # fmt: skip
    boxes = [Extent.of(box, crs) for box in found if box[0] is not None]
    whole = Extent.around(boxes)
    if whole is None or not flipped:
        return whole
    return Extent(whole.ymin, whole.xmin, whole.ymax, whole.xmax, crs)


class MariaSource:
    """What both kinds of parts do: asking the server for columns, an extent, an order and a number of rows."""

    ref: DataRef
    about: MariaTable
    srid: int = 0

    @property
    def relations(self) -> tuple[Relation, ...]:
        """What the table is related to by foreign keys."""
        return self.about.relations

    @property
    def comments(self) -> dict[str, str]:
        """What the database says of its columns."""
        return {column.name: column.about for column in self.about.columns if column.about}

    def count_rows(self) -> int:
        """Return how many rows there are, counted now. Raises CannotRead."""
        return int(ask(self.ref, f"SELECT count(*) FROM {_name(self.ref)}")[0][0])

    def _wanted(self, query: FeatureQuery) -> list[TableColumn]:
        own = [column for column in self.about.columns if not column.is_shape]
        return own if query.columns is None else [next(c for c in own if c.name == name) for name in query.columns]

    def _statement(self, query: FeatureQuery, shape: TableColumn | None, *, axes: bool) -> str:
        chosen = [quoted(column.name) for column in self._wanted(query)]
        if shape is not None:
            order = ", 'axis-order=long-lat'" if axes else ""
            chosen.append(f"ST_AsBinary({quoted(shape.name)}{order})")
        conditions = []
        if query.extent is not None and shape is not None:
            x0, y0, x1, y1 = query.extent.bounds
            ring = ", ".join(f"{x!r} {y!r}" for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)))
            order = ", 'axis-order=long-lat'" if axes else ""
            box = f"ST_GeomFromText({literal(f'POLYGON(({ring}))')}, {self.srid}{order})"
            conditions.append(f"MBRIntersects({quoted(shape.name)}, {box})")
        if query.where:
            conditions.append(f"({query.where})")  # made by `table`
        if query.step > 1:
            names = self.about.key or tuple(column.name for column in self.about.columns if not column.is_shape)
            marks = ", ".join(f"coalesce({quoted(name)}, '')" for name in names) or "'x'"
            conditions.append(f"crc32(concat_ws('|', {marks})) % {query.step} = 0")
        statement = f"SELECT {', '.join(chosen) or '1'} FROM {_name(self.ref)}"
        statement += f" WHERE {' AND '.join(conditions)}" if conditions else ""
        order_by = [*map(self._ordered, query.order), *map(quoted, self.about.key)]
        statement += f" ORDER BY {', '.join(order_by)}" if order_by else ""
        return statement + (f" LIMIT {query.limit}" if query.limit is not None else "")

    def _ordered(self, by: Ordering) -> str:
        """Return a field to order by: texts by their letters' numbers, as here, and missing values last."""
        column = next(c for c in self.about.columns if c.name == by.field)
        name = f"CAST({quoted(by.field)} AS BINARY)" if column.arrow == "string" else quoted(by.field)
        return f"{quoted(by.field)} IS NULL, {name} {'DESC' if by.descending else 'ASC'}"

    def _answered(self, query: FeatureQuery, shape: TableColumn | None) -> Iterator[pa.RecordBatch]:
        """Yield the rows of a question as Arrow batches, one without rows where there are none."""
        columns = self._wanted(query)
        names = [column.name for column in columns] + ([shape.name] if shape is not None else [])
        types = [_type(column.arrow) for column in columns] + ([pa.binary()] if shape is not None else [])
        schema = pa.schema([pa.field(name, type_) for name, type_ in zip(names, types)])
        axes = not speaks_mariadb(self.ref.place)
        some = False
        with streamed(self.ref, self._statement(query, shape, axes=axes)) as cursor:
            while rows := cursor.fetchmany(BATCH):
                some = True
                if not names:
                    yield pa.RecordBatch.from_struct_array(pa.array([{}] * len(rows), pa.struct([])))
                    continue
                arrays = [_array(values, type_) for values, type_ in zip(zip(*rows), types)]
                yield pa.RecordBatch.from_arrays(arrays, schema=schema)
        if not some:
            yield from batches_of(schema.empty_table())


def _type(name: str) -> pa.DataType:
    named = {
        "timestamp[us]": pa.timestamp("us"), "timestamp[us, tz=UTC]": pa.timestamp("us", "UTC"),
        "date32[day]": pa.date32(), "bool": pa.bool_(),
    }  # fmt: skip
    return named.get(name) or pa.type_for_alias(name)


def as_arrow(values: tuple[Any, ...], name: str) -> pa.Array:
    """Return values of a column as they are read, by the name that Arrow has for their type."""
    return _array(values, _type(name))


def _array(values: tuple[Any, ...], type_: pa.DataType) -> pa.Array:
    """Return values of a column as Arrow; dates that are none, such as 0000-00-00, are missing."""
    if pa.types.is_string(type_):
        return pa.array([None if value is None else _text(value) for value in values], type_)
    if pa.types.is_boolean(type_):
        return pa.array([None if value is None else bool(value) for value in values], type_)
    if pa.types.is_temporal(type_):
        return pa.array([None if isinstance(value, str) else value for value in values], type_)
    if pa.types.is_floating(type_):
        return pa.array([float(value) if isinstance(value, Decimal) else value for value in values], type_)
    return pa.array(values, type_)


def _text(value: Any) -> str:
    if isinstance(value, timedelta):
        seconds = int(value.total_seconds())
        sign, seconds = ("-", -seconds) if seconds < 0 else ("", seconds)
        return f"{sign}{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
    if isinstance(value, time):
        return value.isoformat()
    if isinstance(value, bytes):
        return value.decode("utf-8", "backslashreplace")
    return ",".join(sorted(value)) if isinstance(value, (set, frozenset)) else str(value)


@dataclass(frozen=True)
class MariaRows(MariaSource, ArrowTable):
    """A table without geometry."""

    able = ABLE
    dialect = "mysql"
    is_database = True
    about: MariaTable

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, None)


@dataclass(frozen=True)
class MariaLayer(MariaSource, ArrowLayer):
    """A column of geometry with the other columns of its table."""

    able = ABLE | Capability.EXTENT
    dialect = "mysql"
    is_database = True
    about: MariaTable
    shape: TableColumn
    srid: int

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, self.shape if geometry or query.extent is not None else None)
