"""What saving edits changes of one row of a table in a database, and how that is stated."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr


class RowChange(NamedTuple):
    """A row by the values of its primary key, and (the value before, the new one) by field."""

    key: tuple[Any, ...]
    cells: dict[str, tuple[Any, Any]]


Conflict = Callable[[RowChange, Sequence[tuple[Any, ...]]], CannotWrite]
"""Return why a change can't be written, from what stands in its fields now: in one row, or in none."""


def row_in_words(names: Sequence[str], key: Sequence[Any]) -> str:
    """Return which row is meant."""
    return ", ".join(f"{name} = {value}" for name, value in zip(names, key))


def conflict_in_words(names: Sequence[str], change: RowChange, there: Sequence[tuple[Any, ...]]) -> str:
    """Return why a change was not written."""
    row = f"the row {row_in_words(names, change.key)}"
    if not there:
        return tr("{row} is no longer there", row=row)
    now = zip(change.cells.items(), there[0])
    other = [
        f"{field} is now {value_in_words(value)}, was {value_in_words(old)}"
        for (field, (old, _)), value in now
        if value != old
    ]
    return (
        tr("{row} was changed meanwhile ({other})", row=row, other="; ".join(other))
        if other
        else tr("the database leaves {row} as it is", row=row)
    )


def value_in_words(value: Any) -> str:
    """Return a value as a sentence has it."""
    return "missing" if value is None else f"“{value}”" if isinstance(value, str) else str(value)
