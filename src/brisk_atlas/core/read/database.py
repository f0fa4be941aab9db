"""Tables of PostgreSQL databases: facts from the catalogue, features and rows as Arrow, filtered by the server.

Rows are asked in the order of the primary key, or of their place in the table, so that the number of a row means the
same one in each question while the table does not change.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from adbc_driver_manager import dbapi as driver
from psycopg import sql

from brisk_atlas.core.connect.arrow_links import arrow_link
from brisk_atlas.core.connect.postgres import ask, connection, explained_database
from brisk_atlas.core.connect.table_names import names_in, statement_in, table_ref
from brisk_atlas.core.model import (
    EVERYTHING,
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
from brisk_atlas.core.model.passwords import masked
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.place import text_of
from brisk_atlas.core.system.jobs import stopped_by

from .answer import ArrowLayer, ArrowTable, batches_of
from .on_disk import on_disk

FORMAT = "PostgreSQL table"
EXACT_ROWS = 100_000  # up to which rows are counted and the extent is measured rather than estimated
ARROW = {
    "int2": "int16", "int4": "int32", "int8": "int64", "oid": "int64", "float4": "float", "float8": "double",
    "numeric": "double", "bool": "bool", "text": "string", "varchar": "string", "bpchar": "string", "name": "string",
    "date": "date32[day]", "timestamp": "timestamp[us]", "timestamptz": "timestamp[us, tz=UTC]", "bytea": "binary",
}  # what a column of a type comes as; all others come as text  # fmt: skip
CASTS = {"numeric": "double precision", "oid": "bigint", "name": "text", "bpchar": "text"}
SHAPES = ("geometry", "geography")
TAKEN_BYTES = 1_500_000_000
LONG_BYTES = 600  # of a shape, some forty corners
QUERY = "q"  # the kind of what a SELECT gives
ABLE = Capability.COLUMNS | Capability.LIMIT | Capability.STEP | Capability.WHERE | Capability.ORDER


class Column(NamedTuple):
    """A column of a table: its name, the name of its type, and its comment."""

    name: str
    type: str
    about: str


class TableAbout(NamedTuple):
    """What the catalogue says of a table. `relations` are its foreign keys, and those of other tables to it."""

    kind: str  # r: table, v: view, m: materialised view, f: of another server, p: in partitions
    rows: int  # an estimate, below 0 for none
    size: int
    about: str
    columns: tuple[Column, ...]
    key: tuple[str, ...]
    relations: tuple[Relation, ...] = ()
    widths: tuple[tuple[str, int], ...] = ()  # mean bytes of columns, as far as the database knows them


def about_table(ref: DataRef) -> TableAbout:
    """Return what the catalogue says of a table. Raises CannotRead."""
    if statement_in(ref):
        return _about_query(ref)
    schema, table = names_in(ref)
    head = ask(
        ref,
        "SELECT c.oid, c.relkind, c.reltuples::bigint, pg_table_size(c.oid), obj_description(c.oid, 'pg_class') "
        "FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = %s AND c.relname = %s",
        [schema, table],
    )
    if not head:
        raise CannotRead(ref, f"it has no table {schema}.{table}", "List the database again.")
    oid, kind, rows, size, about = head[0]
    columns = ask(
        ref,
        "SELECT a.attname, coalesce(b.typname, t.typname), col_description(a.attrelid, a.attnum) FROM pg_attribute a "
        "JOIN pg_type t ON t.oid = a.atttypid LEFT JOIN pg_type b ON b.oid = nullif(t.typbasetype, 0) "
        "WHERE a.attrelid = %s AND a.attnum > 0 AND NOT a.attisdropped "
        "AND has_column_privilege(a.attrelid, a.attnum, 'SELECT') ORDER BY a.attnum",
        [oid],
    )
    key = ask(
        ref,
        "SELECT a.attname FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = ANY(i.indkey) "
        "WHERE i.indrelid = %s AND i.indisprimary ORDER BY array_position(i.indkey::int2[], a.attnum)",
        [oid],
    )
    found = tuple(Column(name, type_, words or "") for name, type_, words in columns)
    relations = _relations(ref, oid)
    widths = tuple(
        ask(ref, "SELECT attname, avg_width FROM pg_stats WHERE schemaname = %s AND tablename = %s", [schema, table])
    )
    return TableAbout(str(kind), rows, size, about or "", found, tuple(name for (name,) in key), relations, widths)


def _relations(ref: DataRef, oid: int) -> tuple[Relation, ...]:
    """Return what a table refers to by a foreign key of one column, and what refers to it."""
    rows = ask(
        ref,
        "SELECT k.conrelid = %s, n.nspname, c.relname, a.attname, b.attname FROM pg_constraint k "
        "JOIN pg_class c ON c.oid = CASE WHEN k.conrelid = %s THEN k.confrelid ELSE k.conrelid END "
        "JOIN pg_namespace n ON n.oid = c.relnamespace "
        "JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = k.conkey[1] "
        "JOIN pg_attribute b ON b.attrelid = k.confrelid AND b.attnum = k.confkey[1] "
        "WHERE k.contype = 'f' AND cardinality(k.conkey) = 1 AND %s IN (k.conrelid, k.confrelid) "
        "AND has_table_privilege(c.oid, 'SELECT') ORDER BY 1 DESC, 2, 3, 4",
        [oid, oid, oid],
    )
    return tuple(
        Relation(table_ref(ref, schema, table), *((near, far) if own else (far, near)), many=not own)
        for own, schema, table, near, far in rows
    )


def _about_query(ref: DataRef) -> TableAbout:
    """Return what a SELECT of one's own gives, after a dry run: it is planned, not run. Raises CannotRead."""
    (plan,) = ask(ref, sql.SQL("EXPLAIN (FORMAT JSON) SELECT * FROM {}").format(_name(ref)))[0]
    with connection(ref) as database:
        described = (
            database.execute(sql.SQL("SELECT * FROM {} LIMIT 0").format(_name(ref)), prepare=True).description or []
        )
    names = [column.name for column in described]
    twice = [name for name in names if names.count(name) > 1]
    if twice:
        raise CannotRead(ref, f"two of its columns are called {twice[0]}", "Give one another name with AS.")
    types = dict(
        ask(ref, "SELECT oid::bigint, typname FROM pg_type WHERE oid = ANY(%s)", [[c.type_code for c in described]])
    )
    columns = tuple(Column(column.name, types.get(column.type_code, "text"), "") for column in described)
    return TableAbout(QUERY, int(plan[0]["Plan"]["Plan Rows"]), 0, "", columns, ())


def open_dataset(ref: DataRef) -> Dataset:
    """Return a table as a dataset: a part for each column of geometry, or one of rows. Raises CannotRead."""
    _, table = names_in(ref)
    if not table:
        raise CannotRead(ref, "it is a database with many tables", "Open one of them; Find lists them.")
    about = about_table(ref)
    rasters = [column.name for column in about.columns if column.type == "raster"]
    if rasters:
        raise CannotRead(
            ref, f"its column {rasters[0]} holds a raster", "Export it from the database to a GeoTIFF first."
        )
    shapes = [column for column in about.columns if column.type in SHAPES]
    fields = tuple(Field(c.name, ARROW.get(c.type, "string")) for c in about.columns if c.type not in SHAPES)
    count, is_exact = _count(ref, about)
    notes = {"kind of table": {"v": "view", "m": "materialised view", QUERY: "query"}.get(about.kind, "table")}
    notes |= {"comment": about.about} if about.about else {}
    notes |= {} if is_exact else {"count": "an estimate of the database"}
    parts: list[Part] = [
        _layer(ref, about, each, fields, count, table if len(shapes) == 1 else f"{table} {each.name}", notes)
        for each in shapes
    ]
    kind = DataKind.VECTOR if shapes else DataKind.TABLE
    if not shapes:
        parts = [DatabaseTable(ref, Facts(table, DataKind.TABLE, count, None, fields, None, None, notes=notes), about)]
    remarks = tuple(no_crs() for part in parts if part.facts.extent is not None and not part.facts.crs)
    return Dataset(format=FORMAT, kind=kind, parts=tuple(parts), warnings=remarks, **on_disk(ref))


def _count(ref: DataRef, about: TableAbout) -> tuple[int | None, bool]:
    """Return how many rows there are, and whether they were counted: small tables and views are."""
    if about.rows >= 0 and about.rows > EXACT_ROWS:
        return about.rows, False
    limited = sql.SQL("SELECT count(*) FROM (SELECT 1 FROM {} LIMIT {}) AS few").format(
        _name(ref), sql.Literal(EXACT_ROWS + 1)
    )
    ((count,),) = ask(ref, limited)
    return (count, True) if count <= EXACT_ROWS else (max(about.rows, count), False)


def _name(ref: DataRef) -> sql.Composable:
    """Return what stands behind FROM: a table by its names, or a SELECT of one's own."""
    own = statement_in(ref)
    return sql.SQL("({}\n) AS asked").format(sql.SQL(own)) if own else sql.Identifier(*names_in(ref))


def _layer(
    ref: DataRef,
    about: TableAbout,
    shape: Column,
    fields: tuple[Field, ...],
    count: int | None,
    name: str,
    notes: dict[str, str],
) -> DatabaseLayer:
    small = count is not None and count <= EXACT_ROWS
    srid, type_ = _srid_and_type(ref, shape, small=small)
    crs = _crs_of(ref, srid)
    extent = _extent(ref, about, shape, crs, small=small)
    facts = Facts(name, DataKind.VECTOR, count, type_, fields, crs, extent, notes=dict(notes))
    return DatabaseLayer(ref, facts, about, shape, srid)


def _srid_and_type(ref: DataRef, shape: Column, *, small: bool) -> tuple[int, str]:
    """Return the SRID and the type of a column of geometry: as its table declares them, else the SRID of its first row,
    and of a small table the type of all of them."""
    schema, table = names_in(ref)
    view = "geography_columns" if shape.type == "geography" else "geometry_columns"
    column = "f_geography_column" if shape.type == "geography" else "f_geometry_column"
    found = ask(
        ref,
        sql.SQL("SELECT srid, type FROM {} WHERE f_table_schema = %s AND f_table_name = %s AND {} = %s").format(
            sql.Identifier(view), sql.Identifier(column)
        ),
        [schema, table, shape.name],
    )
    srid, type_ = found[0] if found else (0, "GEOMETRY")
    if not srid or type_.upper() == "GEOMETRY":
        first = ask(
            ref,
            sql.SQL(
                "SELECT ST_SRID({0}::geometry), GeometryType({0}::geometry) FROM {1} WHERE {0} IS NOT NULL LIMIT 1"
            ).format(sql.Identifier(shape.name), _name(ref)),
        )
        srid = srid or (first[0][0] if first else 0)
    if small and type_.upper().rstrip("ZM") == "GEOMETRY":
        kinds = ask(
            ref,
            sql.SQL("SELECT DISTINCT GeometryType({0}::geometry) FROM {1} WHERE {0} IS NOT NULL LIMIT 2").format(
                sql.Identifier(shape.name), _name(ref)
            ),
        )
        type_ = kinds[0][0] if len(kinds) == 1 else type_
    return srid, _TYPES.get(type_.upper().rstrip("ZM"), "Unknown")


WHOLE_NUMBERS = ("int2", "int4", "int8")
_TYPES = {
    "POINT": "Point", "LINESTRING": "LineString", "POLYGON": "Polygon", "MULTIPOINT": "MultiPoint",
    "MULTILINESTRING": "MultiLineString", "MULTIPOLYGON": "MultiPolygon",
}  # fmt: skip


def _crs_of(ref: DataRef, srid: int) -> str | None:
    """Return the CRS that a database means by a number: by authority and code, else by its text."""
    found = ask(ref, "SELECT auth_name, auth_srid, srtext FROM spatial_ref_sys WHERE srid = %s", [srid]) if srid else []
    if not found:
        return None
    authority, code, text = found[0]
    return f"{authority}:{code}" if authority and authority.upper() == "EPSG" else text_of(text) if text else None


def _extent(ref: DataRef, about: TableAbout, shape: Column, crs: str | None, *, small: bool) -> Extent | None:
    """Return the extent of a column: measured where there are few rows, else as the database estimates it."""
    box = None
    if not small and about.kind in ("r", "m"):
        with connection(ref) as database:
            schema, table = names_in(ref)
            try:
                box = database.execute(
                    "SELECT ST_XMin(e), ST_YMin(e), ST_XMax(e), ST_YMax(e) FROM ST_EstimatedExtent(%s, %s, %s) AS e",
                    [schema, table, shape.name],
                ).fetchone()
            except Exception as error:  # a table that was never analysed has no estimate
                if "stat" not in str(error).lower():
                    raise
    if box is None or box[0] is None:
        measured = sql.SQL(
            "SELECT ST_XMin(e), ST_YMin(e), ST_XMax(e), ST_YMax(e) "
            "FROM (SELECT ST_Extent({}::geometry) AS e FROM {}) AS x"
        ).format(sql.Identifier(shape.name), _name(ref))
        box = ask(ref, measured)[0]
    if box[0] is None:
        return None
    xmin, ymin, xmax, ymax = map(float, box)
    return Extent(xmin, ymin, xmax, ymax, crs)


class DatabaseRows:
    """What both kinds of parts do: asking the server for columns, an extent, an order and a number of rows."""

    ref: DataRef
    about: TableAbout
    srid: int = 0

    @property
    def relations(self) -> tuple[Relation, ...]:
        """What the table is related to by foreign keys."""
        return self.about.relations

    @property
    def comments(self) -> dict[str, str]:
        """What the database says of its columns."""
        return {column.name: column.about for column in self.about.columns if column.about}

    @property
    def row_key(self) -> str:
        """The primary key, where it is one whole number."""
        if len(self.about.key) != 1:
            return ""
        whole = any(c.name == self.about.key[0] and c.type in WHOLE_NUMBERS for c in self.about.columns)
        return self.about.key[0] if whole else ""

    def count_rows(self) -> int:
        """Return how many rows there are, counted now. Raises CannotRead."""
        return int(ask(self.ref, sql.SQL("SELECT count(*) FROM {}").format(_name(self.ref)))[0][0])

    def _statement(self, query: FeatureQuery, shape: Column | None, *, sent: bool) -> sql.Composed:
        """Return the question in SQL. An extent is minded by the column `shape`, which comes too where it is `sent`."""
        own = [c for c in self.about.columns if c.type not in SHAPES]
        wanted = own if query.columns is None else [next(c for c in own if c.name == name) for name in query.columns]
        chosen: list[sql.Composable] = [
            sql.SQL("{} AS {}").format(as_read(column), sql.Identifier(column.name)) for column in wanted
        ]
        if shape is not None and sent:
            chosen.append(
                sql.SQL("ST_AsBinary({}) AS {}").format(
                    _simplified(shape, query.simplify if self._is_long(shape) else 0.0), sql.Identifier(shape.name)
                )
            )
        blocks = query.step > 1 and self.about.kind in ("r", "m")  # some of its blocks, without a look at the others
        thin = sql.SQL(" TABLESAMPLE SYSTEM ({}) REPEATABLE (1)").format(sql.Literal(100 / query.step))
        statement = sql.SQL("SELECT {} FROM {}").format(sql.SQL(", ").join(chosen), _name(self.ref))
        statement += thin if blocks else sql.SQL("")
        conditions = (
            [self._meets(query.extent, shape, self.srid)] if query.extent is not None and shape is not None else []
        )
        if query.where:
            conditions.append(sql.SQL("({})").format(sql.SQL(query.where)))  # made by `table`
        if query.step > 1 and not blocks:
            conditions.append(self._thinned(query.step))
        if conditions:
            statement += sql.SQL(" WHERE ") + sql.SQL(" AND ").join(conditions)
        order = [*map(self._ordered, query.order), *self._place_order()]
        if order and (query.step == 1 or query.order) and not self._sorted_here(query):
            statement += sql.SQL(" ORDER BY ") + sql.SQL(", ").join(order)
        if query.limit is not None:
            statement += sql.SQL(" LIMIT {}").format(sql.Literal(query.limit))
        return statement

    def _is_long(self, shape: Column) -> bool:
        """Return whether shapes have so many corners that simplifying them saves more than it costs the server."""
        return dict(self.about.widths).get(shape.name, LONG_BYTES) >= LONG_BYTES

    def _meets(self, extent: Extent, shape: Column, srid: int) -> sql.Composed:
        corners = [sql.Literal(value) for value in extent.bounds]
        box = sql.SQL("ST_MakeEnvelope({}, {}, {}, {}, {})").format(*corners, sql.Literal(srid))
        return sql.SQL("{} && {}{}").format(
            sql.Identifier(shape.name), box, sql.SQL("::geography" if shape.type == "geography" else "")
        )

    def _thinned(self, step: int) -> sql.Composed:
        """Return the condition that one in so many rows of a view meets, by what stands in them."""
        names = [sql.Identifier(column.name) for column in self.about.columns]
        hashed = sql.SQL("hashtext(ROW({})::text)").format(sql.SQL(", ").join(names))
        return sql.SQL("abs({}::bigint) % {} = 0").format(hashed, sql.Literal(step))

    def _ordered(self, by: Ordering) -> sql.Composed:
        """Return a field to order by: texts by their letters' numbers, as here, and missing values last."""
        column = next(c for c in self.about.columns if c.name == by.field)
        is_text = ARROW.get(column.type, "string") == "string"
        name = sql.SQL("{}::text" if is_text else "{}").format(sql.Identifier(by.field))
        collate = sql.SQL(' COLLATE "C"' if is_text else "")
        return sql.SQL("{}{} {} NULLS LAST").format(name, collate, sql.SQL("DESC" if by.descending else "ASC"))

    def _place_order(self) -> list[sql.Composable]:
        """Return what rows are ordered by where no order is asked for: the key, or their place in the table."""
        if self.about.key:
            return [sql.Identifier(name) for name in self.about.key]
        return [sql.SQL("ctid")] if self.about.kind in ("r", "m") else []

    def _sorted_here(self, query: FeatureQuery) -> bool:
        """Return whether rows are put in the order of their key here, as a server that sorts many wide rows writes them
        to its disk for that: all rows, by a key of one whole number that is read anyway."""
        if not self.row_key or query.order or query.limit is not None or query.step > 1:
            return False
        return query.columns is None or self.row_key in query.columns

    def _answered(self, query: FeatureQuery, shape: Column | None, *, sent: bool = True) -> Iterator[pa.RecordBatch]:
        """Yield the rows of a question as Arrow batches, one without rows where there are none."""
        if not self._sorted_here(query):
            yield from self._as_sent(query, shape, sent=sent)
            return
        table = pa.Table.from_batches(self._as_sent(query, shape, sent=sent))
        keys = table.column(self.about.key[0]).to_numpy()
        if len(keys) > 1 and (np.diff(keys) < 0).any():  # they mostly lie in that order
            if table.nbytes > TAKEN_BYTES:  # of columns longer than that no rows can be taken at once
                in_order = replace(query, order=tuple(map(Ordering, self.about.key)))
                yield from self._as_sent(in_order, shape, sent=sent)
                return
            table = table.take(pa.array(np.argsort(keys, kind="stable")))
        yield from batches_of(table)

    def _as_sent(self, query: FeatureQuery, shape: Column | None, *, sent: bool) -> Iterator[pa.RecordBatch]:
        with explained_database(self.ref):
            with connection(self.ref) as database:
                text = self._statement(query, shape, sent=sent).as_string(database)
            try:
                with arrow_link(self.ref) as link, link.cursor() as cursor, stopped_by(cursor.adbc_cancel):
                    cursor.execute(text)
                    reader = cursor.fetch_record_batch()
                    some = False
                    for batch in reader:
                        some = True
                        yield batch
                    if not some:
                        yield from batches_of(reader.schema.empty_table())
            except (driver.Error, pa.ArrowException, OSError) as error:
                lines = [line for line in masked(str(error)).splitlines() if line.strip()]
                raise CannotRead(self.ref, f"the database refuses ({lines[0][:300]})", "Try again.") from error


def _simplified(shape: Column, tolerance: float) -> sql.Composable:
    """Return a column of geometry with its shapes off by no more than a tolerance; none of them vanishes."""
    name = sql.Identifier(shape.name)
    if tolerance <= 0 or shape.type != "geometry":
        return name
    return sql.SQL("ST_Simplify({}, {}, true)").format(name, sql.Literal(tolerance))


def as_read(column: Column) -> sql.Composed | sql.Identifier:
    """Return a column as it is asked for: types that Arrow has not come as ones that it has."""
    name = sql.Identifier(column.name)
    if column.type in ARROW and column.type not in CASTS:
        return name
    return sql.SQL("{}::{}").format(name, sql.SQL(CASTS.get(column.type, "text")))


@dataclass(frozen=True)
class DatabaseTable(DatabaseRows, ArrowTable):
    """A table without geometry."""

    able = ABLE
    dialect = "postgresql"
    about: TableAbout

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, None)


@dataclass(frozen=True)
class DatabaseLayer(DatabaseRows, ArrowLayer):
    """A column of geometry with the other columns of its table."""

    able = ABLE | Capability.EXTENT | Capability.SIMPLIFY
    dialect = "postgresql"
    about: TableAbout
    shape: Column
    srid: int

    def expected_in(self, extent: Extent) -> int | None:
        """Return how many features the server's planner expects in an extent. Raises CannotRead."""
        statement = sql.SQL("EXPLAIN (FORMAT JSON) SELECT 1 FROM {} WHERE {}").format(
            _name(self.ref), self._meets(extent, self.shape, self.srid)
        )
        return int(ask(self.ref, statement)[0][0][0]["Plan"]["Plan Rows"])

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, self.shape, sent=geometry)

    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        return pa.Table.from_batches(self.batches(query, geometry=False))
