"""Rows into a table of MariaDB: a new one is given its name once it is whole; rows are added in one transaction."""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Mapping
from contextlib import suppress
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely

from brisk_atlas.core import read
from brisk_atlas.core.connect.mariadb import ask, quoted, speaks_mariadb, writing
from brisk_atlas.core.connect.table_names import names_in
from brisk_atlas.core.model import AtlasError, CannotWrite, DataRef
from brisk_atlas.core.model.language import tr

from ..flows import GEOMETRY, Flow, RowFlow
from ..geometry_column import is_nothing, shapes_of
from ..record_handed import RecordPlan
from ..row_facts import TYPES as TYPE_NAMES
from ..row_facts import RowFacts
from ..step import StepContext
from .features import common_losses, fields_that, texts
from .format import Loss, Report
from .table_format import authority_of, crs_losses, cut_names, free_name, missing_fields, name_losses, refuse_there

NAME_BYTES = 64
MOST_DIGITS = 65  # of a decimal
TYPES = (
    (pa.types.is_boolean, "boolean"),
    (pa.types.is_int8, "tinyint"), (pa.types.is_uint8, "tinyint unsigned"),
    (pa.types.is_int16, "smallint"), (pa.types.is_uint16, "smallint unsigned"),
    (pa.types.is_int32, "int"), (pa.types.is_uint32, "int unsigned"),
    (pa.types.is_int64, "bigint"), (pa.types.is_uint64, "bigint unsigned"),
    (lambda t: pa.types.is_float16(t) or pa.types.is_float32(t), "float"), (pa.types.is_float64, "double"),
    (lambda t: pa.types.is_binary(t) or pa.types.is_large_binary(t), "longblob"),
    (pa.types.is_date, "date"), (pa.types.is_time, "time(6)"), (pa.types.is_timestamp, "datetime(6)"),
)  # of Arrow, and the column; all others become text  # fmt: skip


def write(
    flow: RowFlow, facts: RowFacts, ref: DataRef, append: bool, options: Mapping[str, Any], context: StepContext,
    report: Report, plan: RecordPlan,
) -> int:  # fmt: skip
    """Write rows to a table, which has no record; returns how many. Raises CannotRead, CannotWrite."""
    if not speaks_mariadb(ref.place):
        raise CannotWrite(
            ref, tr("the server is not MariaDB, and stores geometry otherwise"), tr("Write a file instead.")
        )
    schema, table = names_in(ref)
    names = cut_names(flow.fields, NAME_BYTES)
    taken = {name.lower() for name in names.values()}
    if flow.has_shapes:
        names[GEOMETRY] = free_name(str(options["geometry"]) or "geom", taken, NAME_BYTES)
        taken.add(names[GEOMETRY].lower())
    there = {
        name.lower()
        for (name,) in ask(
            ref, "SELECT column_name FROM information_schema.columns WHERE table_schema = %s AND table_name = %s",
            [schema, table],
        )
    }  # fmt: skip
    if there and not append and not options["replace"]:
        raise refuse_there(ref)
    if append and there:
        missing = [name for name in names.values() if name.lower() not in there]
        if missing:
            raise missing_fields(ref, missing)
        with writing(ref) as link, link.cursor() as cursor:
            _insert(cursor, _place(schema, table), flow, names, facts, context, report)
        return facts.count
    key = free_name(str(options["key"]), taken, NAME_BYTES) if options["key"] else ""
    new, old = (_place(schema, f"brisk_{secrets.token_hex(6)}") for _ in range(2))
    final = _place(schema, table)
    try:
        with writing(ref) as link, link.cursor() as cursor:
            cursor.execute(f"CREATE TABLE {new} ({', '.join(_columns(flow, facts, names, key))})")
            _insert(cursor, new, flow, names, facts, context, report)
            link.commit()
            report(0.9, tr("indexing"))
            if flow.has_shapes:
                _index(cursor, new, quoted(names[GEOMETRY]))
            context.check()
            report(0.95, tr("moving into place"))
            if there:
                cursor.execute(f"RENAME TABLE {final} TO {old}, {new} TO {final}")
                cursor.execute(f"DROP TABLE {old}")
            else:
                cursor.execute(f"RENAME TABLE {new} TO {final}")
    except BaseException:
        with suppress(AtlasError), writing(ref) as link, link.cursor() as cursor:
            cursor.execute(f"DROP TABLE IF EXISTS {new}")
        raise
    return facts.count


def _place(schema: str, table: str) -> str:
    return f"{quoted(schema)}.{quoted(table)}"


def _columns(flow: RowFlow, facts: RowFacts, names: Mapping[str, str], key: str) -> list[str]:
    """Return the columns of a table as a statement has them."""
    found = [f"{quoted(key)} bigint AUTO_INCREMENT PRIMARY KEY"] if key else []
    for each in flow.schema:
        name = quoted(names[each.name])
        if each.name == GEOMETRY:
            kind = TYPE_NAMES.get(facts.common or 0, "Geometry").lower()
            authority = authority_of(flow.crs)
            known = f" REF_SYSTEM_ID={authority[1]}" if authority else ""
            found.append(f"{name} {kind}{known}")
        elif pa.types.is_decimal(each.type) and each.type.precision <= MOST_DIGITS:
            found.append(f"{name} decimal({each.type.precision}, {each.type.scale})")
        else:
            kind = next((column for fits, column in TYPES if fits(each.type)), "longtext")
            found.append(f"{name} {kind} NULL")
    return found


def _index(cursor: Any, place: str, shape: str) -> None:
    """Index geometry by place, which the server can where none is missing."""
    cursor.execute(f"SELECT EXISTS (SELECT 1 FROM {place} WHERE {shape} IS NULL)")
    if cursor.fetchone()[0]:
        return
    cursor.execute(f"SHOW COLUMNS FROM {place}")
    kind = next(each[1] for each in cursor.fetchall() if quoted(each[0]) == shape)
    cursor.execute(f"ALTER TABLE {place} MODIFY {shape} {kind} NOT NULL, ADD SPATIAL INDEX ({shape})")


def _insert(
    cursor: Any, place: str, flow: RowFlow, names: Mapping[str, str], facts: RowFacts, context: StepContext,
    report: Report,
) -> None:  # fmt: skip
    authority = authority_of(flow.crs)
    shape = f"ST_GeomFromWKB(%s, {authority[1] if authority else 0})"
    marks = ", ".join(shape if name == GEOMETRY else "%s" for name in flow.schema.names)
    columns = ", ".join(quoted(names[name]) for name in flow.schema.names).replace("%", "%%")
    statement = f"INSERT INTO {place.replace('%', '%%')} ({columns}) VALUES ({marks})"
    done = 0
    for table in flow.batches():
        context.check()
        if table.num_rows:
            cursor.executemany(statement, list(_rows(table, context)))
        done += table.num_rows
        report(0.1 + 0.8 * done / max(1, facts.count), tr("writing"))


def _rows(table: pa.Table, context: StepContext) -> Iterator[tuple[Any, ...]]:
    """Return rows as the driver takes them."""
    columns = []
    for name, column in zip(table.column_names, table.columns):
        kind = column.type
        if name == GEOMETRY:
            columns.append(_plane_shapes(table, context))
            continue
        if pa.types.is_floating(kind):
            finite = pc.fill_null(pc.is_finite(column), True)
            if not pc.all(finite).as_py():
                context.warn(tr("values of {name} that are no numbers, or infinite, become missing", name=name))
                column = pc.if_else(finite, column, pa.scalar(None, kind))
        elif pa.types.is_timestamp(kind) and kind.tz:
            column = column.cast(pa.timestamp("us", "UTC"), safe=False).cast(pa.timestamp("us"))
        elif pa.types.is_timestamp(kind):
            column = column.cast(pa.timestamp("us"), safe=False)
        elif pa.types.is_time(kind):
            column = column.cast(pa.time64("us"), safe=False).cast(pa.string())
        elif pa.types.is_nested(kind):
            column = texts(column)
        columns.append(column.to_pylist())
    return zip(*columns)


def _plane_shapes(table: pa.Table, context: StepContext) -> list[bytes | None]:
    """Return geometry without heights and measures, none for what is empty."""
    shapes = shapely.force_2d(shapes_of(table))
    nothing = is_nothing(shapes)
    if (nothing & ~shapely.is_missing(shapes)).any():
        context.warn(tr("empty geometry becomes missing"))
    return list(shapely.to_wkb(np.where(nothing, None, shapes)))


def is_there(ref: DataRef) -> bool:
    """Return whether there is such a table. Raises AtlasError."""
    return bool(read.open(ref).parts)


def losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    found = [
        *name_losses(flow, NAME_BYTES),
        *crs_losses(flow),
        *common_losses(flow, ("nested", tr("lists become text"))),
    ]
    zoned = fields_that(flow, "zone")
    if zoned:
        found.append(Loss(tr("{zoned}: times become those of UTC, without a zone", zoned=", ".join(zoned))))
    if flow.has_shapes:
        found.append(Loss(tr("heights and measures of geometry, where there are any")))
    return found
