"""Writing changed rows into a table of PostgreSQL, in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import psycopg
from psycopg import sql

from brisk_atlas.core.connect.postgres import writing
from brisk_atlas.core.connect.table_names import names_in
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.database import DatabaseRows, as_read

from .row_change import Conflict, RowChange

VIEWS = {
    "v": tr("it is a view"),
    "m": tr("it is a materialised view"),
    "f": tr("it lies on another server"),
    "q": tr("it is a query"),
}


def why_not_postgres(part: DatabaseRows) -> str | None:
    """Return why edits can't be saved into a table, or None where they can."""
    about = part.about
    types = {column.name: column.type for column in about.columns}
    if about.kind in VIEWS:
        return VIEWS[about.kind]
    if not about.key:
        return tr("it has no primary key, which identifies its rows")
    if not types.keys() >= set(about.key):
        return tr("you may not read its primary key")
    return tr("its primary key is binary") if any(types[name] == "bytea" for name in about.key) else None


def write_postgres(ref: DataRef, part: DatabaseRows, changes: Sequence[RowChange], conflict: Conflict) -> None:
    """Write changed rows, all or none. Raises CannotWrite."""
    columns = {column.name: column for column in part.about.columns}
    name = sql.Identifier(*names_in(ref))
    this = _all([sql.SQL("{} = %s").format(sql.Identifier(each)) for each in part.about.key])
    with writing(ref) as database:
        done: list[tuple[RowChange, psycopg.Cursor[Any]]] = []
        with database.pipeline():
            for change in changes:
                cells = change.cells
                news = sql.SQL(", ").join(sql.SQL("{} = %s").format(sql.Identifier(field)) for field in cells)
                olds = [sql.SQL("{} IS NOT DISTINCT FROM %s").format(as_read(columns[field])) for field in cells]
                statement = sql.SQL("UPDATE {} SET {} WHERE {} AND {}").format(name, news, this, _all(olds))
                before, new = zip(*cells.values())
                done.append((change, database.execute(statement, [*new, *change.key, *before])))
        for change, cursor in done:
            if cursor.rowcount == 1:
                continue
            chosen = sql.SQL(", ").join(as_read(columns[field]) for field in change.cells)
            asked = sql.SQL("SELECT {} FROM {} WHERE {}").format(chosen, name, this)
            raise conflict(change, database.execute(asked, change.key).fetchall())


def _all(conditions: Sequence[sql.Composable]) -> sql.Composed:
    return sql.SQL(" AND ").join(conditions)
