"""A record in another of its languages."""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar, cast

from .words import Words

T = TypeVar("T")


def translated(value: T, language: str) -> T:
    """Return a record, or a part of one, with its texts in a language by the id that it has there; texts that it has
    not in this language stay as they are, and all do for ""."""
    return cast(T, _in(value, language)) if language else value


def _in(value: Any, language: str) -> Any:
    if isinstance(value, Words):
        return dict(value.also).get(language) or value
    if isinstance(value, tuple) and not hasattr(value, "_fields"):
        return tuple(_in(each, language) for each in value)
    if is_dataclass(value) and not isinstance(value, type):
        return replace(value, **{each.name: _in(getattr(value, each.name), language) for each in fields(value)})
    return value
