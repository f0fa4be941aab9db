"""Saving edited values into a table of a PostgreSQL database: all of them, or none.

A row is identified by its primary key. It is changed only where each edited value still is what it was when it was
edited, so that what other people wrote meanwhile is never written over.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any, cast

import psycopg
import pyarrow as pa
import pyarrow.compute as pc
from psycopg import sql

from brisk_atlas.core.connect.postgres import writing
from brisk_atlas.core.connect.table_names import names_in
from brisk_atlas.core.model import CannotWrite, DataRef, Edit, Part
from brisk_atlas.core.model.table_view import FileState
from brisk_atlas.core.read.database import DatabaseRows, as_read

COMPARE = "Save your edits as a new file, then compare the two."
VIEWS = {"v": "it is a view", "m": "it is a materialised view", "f": "it lies on another server", "q": "it is a query"}


def why_not_there(part: Part) -> str | None:
    """Return why edits can't be saved into a table of a database, or None where they can."""
    if not isinstance(part, DatabaseRows):
        return "its database is only read"
    about = part.about
    types = {column.name: column.type for column in about.columns}
    if about.kind in VIEWS:
        return VIEWS[about.kind]
    if not about.key:
        return "it has no primary key, which identifies its rows"
    if not types.keys() >= set(about.key):
        return "you may not read its primary key"
    return "its primary key is binary" if any(types[name] == "bytea" for name in about.key) else None


def rows_state(part: Part, table: pa.Table) -> FileState:
    """Return which rows a table has and in which order, so that edits are not laid over others."""
    digest = hashlib.blake2b(digest_size=8)
    for name in cast(DatabaseRows, part).about.key:
        for keys in table.column(name).cast(pa.string()).chunks:
            digest.update(pc.binary_join(pa.ListArray.from_arrays([0, len(keys)], keys), "\0")[0].as_buffer())
            digest.update(b"\0")  # the same however the rows come in chunks
    return (("rows", table.num_rows, int.from_bytes(digest.digest(), "big") >> 1),)


def save_there(ref: DataRef, part: Part, table: pa.Table, edits: Sequence[Edit]) -> int:
    """Write edits into a table of a database in one transaction; returns how many values.

    table : the rows as they were read, to which the numbers in `edits` point

    Raises CannotWrite, and nothing was written, where a row is gone, another value stands in it, or the database
    refuses.
    """
    columns = {column.name: column for column in cast(DatabaseRows, part).about.columns}
    missing = [edit.field for edit in edits if edit.field not in columns]
    if missing:
        raise CannotWrite(ref, f"there is no field {missing[0]} in it", "Save them as a new file.")
    key = cast(DatabaseRows, part).about.key
    rows = _by_row(table, edits)
    name, this = sql.Identifier(*names_in(ref)), _all([sql.SQL("{} = %s").format(sql.Identifier(each)) for each in key])
    with writing(ref) as database:
        done: list[tuple[int, psycopg.Cursor[Any]]] = []
        with database.pipeline():
            for row, cells in rows.items():
                news = sql.SQL(", ").join(sql.SQL("{} = %s").format(sql.Identifier(field)) for field in cells)
                olds = [sql.SQL("{} IS NOT DISTINCT FROM %s").format(as_read(columns[field])) for field in cells]
                statement = sql.SQL("UPDATE {} SET {} WHERE {} AND {}").format(name, news, this, _all(olds))
                before, new = zip(*cells.values())
                values = [*new, *_key_of(table, key, row), *before]
                done.append((row, database.execute(statement, values)))
        for row, cursor in done:
            if cursor.rowcount == 1:
                continue
            own = _key_of(table, key, row)
            chosen = sql.SQL(", ").join(as_read(columns[field]) for field in rows[row])
            there = database.execute(sql.SQL("SELECT {} FROM {} WHERE {}").format(chosen, name, this), own).fetchall()
            raise CannotWrite(ref, _conflict(key, own, rows[row], there), COMPARE)
    return sum(map(len, rows.values()))


def changes_in_words(part: Part, table: pa.Table, edits: Sequence[Edit]) -> list[str]:
    """Return a line for each value that saving edits would write: its row and field, what stands there, what comes."""
    key = cast(DatabaseRows, part).about.key
    return [
        f"{_row_in_words(key, _key_of(table, key, row))}: {field} {_stated(before)} becomes {_stated(new)}"
        for row, cells in _by_row(table, edits).items()
        for field, (before, new) in cells.items()
    ]


def _row_in_words(key: Sequence[str], own: Sequence[Any]) -> str:
    return ", ".join(f"{name} = {value}" for name, value in zip(key, own))


def _all(conditions: Sequence[sql.Composable]) -> sql.Composed:
    return sql.SQL(" AND ").join(conditions)


def _key_of(table: pa.Table, key: Sequence[str], row: int) -> list[Any]:
    return [table.column(name)[row].as_py() for name in key]


def _by_row(table: pa.Table, edits: Sequence[Edit]) -> dict[int, dict[str, tuple[Any, Any]]]:
    """Return (the value before, the new one) by row and field; those of the first and of the last edit of a cell."""
    found: dict[int, dict[str, tuple[Any, Any]]] = {}
    for edit in edits:
        kind = table.schema.field(edit.field).type
        for at, (row, value) in enumerate(zip(edit.rows, edit.values)):
            cells = found.setdefault(row, {})
            read = edit.before[at] if edit.before else table.column(edit.field)[row].as_py()
            before = cells[edit.field][0] if edit.field in cells else _as_stored(read, kind)
            cells[edit.field] = (before, _as_stored(value, kind))
    return found


def _as_stored(value: Any, kind: pa.DataType) -> Any:
    """Return a value as a field has it: a time without a zone is in that of the field, a number is as exact."""
    return pa.scalar(value, kind).as_py()


def _conflict(
    key: Sequence[str], own: Sequence[Any], cells: dict[str, tuple[Any, Any]], there: Sequence[tuple[Any, ...]]
) -> str:
    row = f"the row {_row_in_words(key, own)}"
    if not there:
        return f"{row} is no longer there"
    now = zip(cells.items(), there[0])
    other = [f"{field} is now {_stated(value)}, was {_stated(old)}" for (field, (old, _)), value in now if value != old]
    return f"{row} was changed meanwhile ({'; '.join(other)})" if other else f"the database leaves {row} as it is"


def _stated(value: Any) -> str:
    return "missing" if value is None else f"“{value}”" if isinstance(value, str) else str(value)
