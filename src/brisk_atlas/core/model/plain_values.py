"""Values of Arrow columns as Python's own, also those that Python's types can't hold."""

from __future__ import annotations

from typing import Any

from brisk_atlas.core.model.language import tr


def value_of(scalar: Any) -> Any:
    """Return a scalar as Python has it; a time beyond the years 1 to 9999 as text."""
    try:
        return scalar.as_py()
    except UnicodeDecodeError as error:
        return error.object.decode("latin-1") if isinstance(error.object, bytes) else tr("not readable")
    except (OverflowError, ValueError):
        return tr("outside the calendar ({getattr})", getattr=getattr(scalar, "value", "not readable"))


def values_of(column: Any) -> list[Any]:
    """Return a column, or an array, as a list of such values."""
    try:
        return column.to_pylist()
    except (OverflowError, ValueError):
        return [value_of(scalar) for scalar in column]
