"""Tables of PostgreSQL databases: facts from the catalogue, features and rows as Arrow, filtered by the server.

Rows are asked in the order of the primary key, or of their place in the table, so that the number of a row means the
same one in each question while the table does not change.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa
from psycopg import sql

from brisk_atlas.core.connect.arrow_links import batches_sent
from brisk_atlas.core.connect.postgres import ask, connection
from brisk_atlas.core.connect.table_names import names_in
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
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import text_of

from .answer import ArrowLayer, ArrowTable, batches_of, chosen_features
from .on_disk import on_disk
from .table_about import QUERY, Column, TableAbout, about_table, name_of, pages_of

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
HALVED_BYTES = 50_000_000  # a table from which on its rows come over two connections
LONG_BYTES = 600  # of a shape, some forty corners
ABLE = Capability.COLUMNS | Capability.LIMIT | Capability.STEP | Capability.WHERE | Capability.ORDER


def open_dataset(ref: DataRef) -> Dataset:
    """Return a table as a dataset: a part for each column of geometry, or one of rows. Raises CannotRead."""
    _, table = names_in(ref)
    if not table:
        raise CannotRead(ref, tr("it is a database with many tables"), tr("Open one of them; Find lists them."))
    about = about_table(ref)
    rasters = [column.name for column in about.columns if column.type == "raster"]
    if rasters:
        return _rasters(ref, about, rasters)
    shapes = [column for column in about.columns if column.type in SHAPES]
    fields = tuple(Field(c.name, ARROW.get(c.type, "string")) for c in about.columns if c.type not in SHAPES)
    count, is_exact = _count(ref, about)
    notes = {"kind of table": {"v": "view", "m": "materialised view", QUERY: "query"}.get(about.kind, "table")}
    notes |= {"comment": about.about} if about.about else {}
    notes |= {} if is_exact else {"count": tr("an estimate of the database")}
    parts: list[Part] = [
        _layer(ref, about, each, fields, count, table if len(shapes) == 1 else f"{table} {each.name}", notes)
        for each in shapes
    ]
    kind = DataKind.VECTOR if shapes else DataKind.TABLE
    if not shapes:
        parts = [DatabaseTable(ref, Facts(table, DataKind.TABLE, count, None, fields, None, None, notes=notes), about)]
    remarks = tuple(no_crs() for part in parts if part.facts.extent is not None and not part.facts.crs)
    return Dataset(format=FORMAT, kind=kind, parts=tuple(parts), warnings=remarks, **on_disk(ref))


def _rasters(ref: DataRef, about: TableAbout, columns: list[str]) -> Dataset:
    """Return the grids that a table holds in rows as a dataset. Raises CannotRead."""
    from brisk_atlas.core.connect.raster_tables import coverage_of

    from .tiled_cells import part_of

    order = sql.SQL(", ").join(_place_order(about) or [sql.SQL("1")])
    names = (names_in(ref)[0], names_in(ref)[1]) if about.kind != QUERY else ("", "")
    parts, remarks = [], []
    for column in columns:
        srid = ask(
            ref,
            sql.SQL("SELECT ST_SRID({0}) FROM {1} WHERE {0} IS NOT NULL LIMIT 1").format(
                sql.Identifier(column), name_of(ref)
            ),
        )
        crs = _crs_of(ref, srid[0][0]) if srid else None
        coverage, found = coverage_of(ref, name_of(ref), column, order, names, crs)
        coverage = replace(coverage, about=replace(coverage.about, abstract=about.about))
        name = coverage.about.name if len(columns) == 1 else f"{coverage.about.name} {column}"
        parts.append(part_of(coverage, name))
        remarks += [*found, *([] if crs else [no_crs()])]
    return Dataset(
        format="PostgreSQL raster", kind=DataKind.RASTER, parts=tuple(parts), warnings=tuple(remarks), **on_disk(ref)
    )


def _place_order(about: TableAbout) -> list[sql.Composable]:
    """Return what rows are ordered by where no order is asked for: the key, or their place in the table."""
    if about.key:
        return [sql.Identifier(name) for name in about.key]
    return [sql.SQL("ctid")] if about.kind in ("r", "m") else []


def _count(ref: DataRef, about: TableAbout) -> tuple[int | None, bool]:
    """Return how many rows there are, and whether they were counted: small tables and views are."""
    if about.rows >= 0 and about.rows > EXACT_ROWS:
        return about.rows, False
    limited = sql.SQL("SELECT count(*) FROM (SELECT 1 FROM {} LIMIT {}) AS few").format(
        name_of(ref), sql.Literal(EXACT_ROWS + 1)
    )
    ((count,),) = ask(ref, limited)
    return (count, True) if count <= EXACT_ROWS else (max(about.rows, count), False)


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
            ).format(sql.Identifier(shape.name), name_of(ref)),
        )
        srid = srid or (first[0][0] if first else 0)
    if small and type_.upper().rstrip("ZM") == "GEOMETRY":
        kinds = ask(
            ref,
            sql.SQL("SELECT DISTINCT GeometryType({0}::geometry) FROM {1} WHERE {0} IS NOT NULL LIMIT 2").format(
                sql.Identifier(shape.name), name_of(ref)
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
        ).format(sql.Identifier(shape.name), name_of(ref))
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
        return int(ask(self.ref, sql.SQL("SELECT count(*) FROM {}").format(name_of(self.ref)))[0][0])

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
        statement = sql.SQL("SELECT {} FROM {}").format(sql.SQL(", ").join(chosen), name_of(self.ref))
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
        order = [*map(self._ordered, query.order), *_place_order(self.about)]
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
        rows = self._order_by_key(table)
        if rows is not None and table.nbytes > TAKEN_BYTES:
            yield from self._as_sent(self._by_key(query), shape, sent=sent)
        else:
            yield from batches_of(table if rows is None else table.take(pa.array(rows)))

    def _order_by_key(self, table: pa.Table) -> np.ndarray | None:
        """Return the numbers of rows in the order of their key, None where they lie in it, as they mostly do."""
        keys = table.column(self.row_key).to_numpy()
        return np.argsort(keys, kind="stable") if len(keys) > 1 and (np.diff(keys) < 0).any() else None

    def _by_key(self, query: FeatureQuery) -> FeatureQuery:
        """Return a question whose rows the server puts in order: of columns longer than `TAKEN_BYTES` no rows can be
        taken at once here."""
        return replace(query, order=(Ordering(self.row_key),))

    def _as_sent(self, query: FeatureQuery, shape: Column | None, *, sent: bool) -> Iterator[pa.RecordBatch]:
        with connection(self.ref) as database:
            statement = self._statement(query, shape, sent=sent)
            text = statement.as_string(database)
        halves = None
        if self._is_halved(query):
            half = f"{text} {'AND' if query.where else 'WHERE'} ctid", f"'({pages_of(self.ref) // 2},0)'::tid"
            halves = " < ".join(half), " >= ".join(half)
        yield from batches_sent(self.ref, text, halves)

    def _is_halved(self, query: FeatureQuery) -> bool:
        """Return whether the server is asked for two halves of a table at once: making and sending many rows is more
        work for it than finding them."""
        all_rows = query.extent is None and self._sorted_here(query)
        return all_rows and self.about.kind in ("r", "m") and self.about.size > HALVED_BYTES


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
    is_database = True
    about: TableAbout

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, None)


@dataclass(frozen=True)
class DatabaseLayer(DatabaseRows, ArrowLayer):
    """A column of geometry with the other columns of its table."""

    able = ABLE | Capability.EXTENT | Capability.SIMPLIFY
    dialect = "postgresql"
    is_database = True
    about: TableAbout
    shape: Column
    srid: int

    def expected_in(self, extent: Extent | None, where: str = "") -> int | None:
        """Return how many features the server's planner expects. Raises CannotRead."""
        conditions = [self._meets(extent, self.shape, self.srid)] if extent is not None else []
        conditions += [sql.SQL("({})").format(sql.SQL(where))] if where else []  # made by `table`
        statement = sql.SQL("EXPLAIN (FORMAT JSON) SELECT 1 FROM {} WHERE {}").format(
            name_of(self.ref), sql.SQL(" AND ").join([sql.SQL("true"), *conditions])
        )
        return int(ask(self.ref, statement)[0][0][0]["Plan"]["Plan Rows"])

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from self._answered(query, self.shape, sent=geometry)

    def read(self, query: FeatureQuery = EVERYTHING) -> Features:
        if not self._sorted_here(query):
            return super().read(query)
        return self._put_in_order(query, self.features_coming(self._as_sent(query, self.shape, sent=True)))

    def _put_in_order(self, query: FeatureQuery, found: Features) -> Features:
        """Return the features of a question in the order of their key; too many to move here are asked for again."""
        rows = self._order_by_key(found.table)
        if rows is None:
            return found
        if found.table.nbytes + found.geometry.nbytes > TAKEN_BYTES:
            return super().read(self._by_key(query))
        return chosen_features(found, rows, None)

    def read_arriving(self, query: FeatureQuery, arriving: Callable[[Features], None]) -> Features:
        if not self._sorted_here(query):
            return super().read_arriving(query, arriving)
        last, ascending = np.iinfo(np.int64).min, True

        def in_order(piece: Features) -> None:
            nonlocal last, ascending
            keys = piece.table.column(self.row_key).to_numpy()
            if len(keys):
                ascending = ascending and keys[0] > last and bool((keys[1:] > keys[:-1]).all())
                last = int(keys[-1])
            if ascending:
                arriving(piece)

        return self._put_in_order(query, self.features_in_pieces(self._as_sent(query, self.shape, sent=True), in_order))

    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        return pa.Table.from_batches(self.batches(query, geometry=False))
