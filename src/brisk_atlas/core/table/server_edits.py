"""Saving edited values into a table of a database: all of them, or none.

A row is identified by its primary key. It is changed only where each edited value still is what it was when it was
edited, so that what other people wrote meanwhile is never written over.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import CannotWrite, DataRef, Edit, Part
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.table_view import FileState
from brisk_atlas.core.read.database import DatabaseRows
from brisk_atlas.core.read.mariadb import MariaSource

from .mariadb_edits import why_not_mariadb, write_mariadb
from .postgres_edits import why_not_postgres, write_postgres
from .row_change import RowChange, conflict_in_words, row_in_words, value_in_words

COMPARE = "Save your edits as a new file, then compare the two."


def why_not_there(part: Part) -> str | None:
    """Return why edits can't be saved into a table of a database, or None where they can."""
    if isinstance(part, DatabaseRows):
        return why_not_postgres(part)
    return why_not_mariadb(part) if isinstance(part, MariaSource) else tr("its database is only read")


def _key_of(part: Part) -> tuple[str, ...]:
    return part.about.key if isinstance(part, DatabaseRows | MariaSource) else ()


def rows_state(part: Part, table: pa.Table) -> FileState:
    """Return which rows a table has and in which order, so that edits are not laid over others."""
    digest = hashlib.blake2b(digest_size=8)
    for name in _key_of(part):
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
    missing = [edit.field for edit in edits if edit.field not in table.column_names]
    if missing:
        raise CannotWrite(
            ref, tr("there is no field {missing} in it", missing=missing[0]), tr("Save them as a new file.")
        )
    changes = _changes(part, table, edits)

    def conflict(change: RowChange, there: Sequence[tuple[Any, ...]]) -> CannotWrite:
        return CannotWrite(ref, conflict_in_words(_key_of(part), change, there), COMPARE)

    if isinstance(part, DatabaseRows):
        write_postgres(ref, part, changes, conflict)
    else:
        assert isinstance(part, MariaSource)
        write_mariadb(ref, part, changes, conflict)
    return sum(len(change.cells) for change in changes)


def changes_in_words(part: Part, table: pa.Table, edits: Sequence[Edit]) -> list[str]:
    """Return a line for each value that saving edits would write: its row and field, what stands there, what comes."""
    names = _key_of(part)
    return [
        tr(
            "{row_in_words}: {field} {value_in_words} becomes {value_in_words2}",
            row_in_words=row_in_words(names, change.key),
            field=field,
            value_in_words=value_in_words(before),
            value_in_words2=value_in_words(new),
        )
        for change in _changes(part, table, edits)
        for field, (before, new) in change.cells.items()
    ]


def _changes(part: Part, table: pa.Table, edits: Sequence[Edit]) -> list[RowChange]:
    """Return what edits change, row by row: from the value before the first edit of a cell to that of the last."""
    found: dict[int, dict[str, tuple[Any, Any]]] = {}
    for edit in edits:
        kind = table.schema.field(edit.field).type
        for at, (row, value) in enumerate(zip(edit.rows, edit.values)):
            cells = found.setdefault(row, {})
            read = edit.before[at] if edit.before else table.column(edit.field)[row].as_py()
            before = cells[edit.field][0] if edit.field in cells else _as_stored(read, kind)
            cells[edit.field] = (before, _as_stored(value, kind))
    names = _key_of(part)
    return [RowChange(tuple(table.column(name)[row].as_py() for name in names), cells) for row, cells in found.items()]


def _as_stored(value: Any, kind: pa.DataType) -> Any:
    """Return a value as a field has it: a time without a zone is in that of the field, a number is as exact."""
    return pa.scalar(value, kind).as_py()
