"""Writing changed rows into a table of MariaDB or MySQL, in one transaction: each row is held while it is compared with
what it was, as the server compares its numbers and texts otherwise than exactly."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from brisk_atlas.core.connect.mariadb import quoted, writing
from brisk_atlas.core.connect.table_names import names_in
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.mariadb import MariaSource, as_arrow

from .row_change import Conflict, RowChange


def why_not_mariadb(part: MariaSource) -> str | None:
    """Return why edits can't be saved into a table, or None where they can."""
    about = part.about
    types = {column.name: column.arrow for column in about.columns}
    if about.is_query:
        return tr("it is a query")
    if about.is_view:
        return tr("it is a view")
    if not about.key:
        return tr("it has no primary key, which identifies its rows")
    return tr("its primary key is binary") if any(types[name] == "binary" for name in about.key) else None


def write_mariadb(ref: DataRef, part: MariaSource, changes: Sequence[RowChange], conflict: Conflict) -> None:
    """Write changed rows, all or none. Raises CannotWrite."""
    types = {column.name: column.arrow for column in part.about.columns}
    name = ".".join(quoted(each) for each in names_in(ref))
    this = " AND ".join(f"{quoted(each)} = %s" for each in part.about.key)
    with writing(ref) as database, database.cursor() as cursor:
        for change in changes:
            chosen = ", ".join(map(quoted, change.cells))
            cursor.execute(f"SELECT {chosen} FROM {name} WHERE {this} FOR UPDATE", change.key)
            there = [tuple(map(_read, row, (types[field] for field in change.cells))) for row in cursor.fetchall()]
            before, new = zip(*change.cells.values())
            if there != [before]:
                raise conflict(change, there)
            news = ", ".join(f"{quoted(field)} = %s" for field in change.cells)
            cursor.execute(f"UPDATE {name} SET {news} WHERE {this}", [*map(_sent, new), *change.key])


def _read(value: Any, arrow: str) -> Any:
    return as_arrow((value,), arrow)[0].as_py()


def _sent(value: Any) -> Any:
    """Return a value as the driver takes it: times with a zone in that of the connection, which is UTC."""
    return value.astimezone(UTC).replace(tzinfo=None) if isinstance(value, datetime) and value.tzinfo else value
