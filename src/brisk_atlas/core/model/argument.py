"""The typed, documented settings of what can be done: of operations and of the steps of recipes."""

from __future__ import annotations

import types
import typing
from dataclasses import MISSING, field
from typing import Annotated, Any

from pydantic import BeforeValidator, PlainSerializer

from .data_ref import DataRef


def _source_from(value: Any) -> str | DataRef:
    """Return a source from its JSON: a text is the name of an open layer, an object a reference."""
    if isinstance(value, dict):
        return DataRef.from_json(value)
    if isinstance(value, str | DataRef):
        return value
    raise ValueError("a source is the name of a layer or a reference")


Source = Annotated[
    str | DataRef,
    BeforeValidator(_source_from),
    PlainSerializer(lambda source: source if isinstance(source, str) else source.as_json()),
]
"""Data that an operation works on: an open layer by its name or id, or a reference."""


def argument(help: str, default: Any = MISSING, *, placed: bool = False, choices: tuple[str, ...] = ()) -> Any:
    """Return a field of a dataclass with the words that explain it, on the command line too, where one that is `placed`
    needs no name. `choices` are all the values that it may have, where they are few."""
    metadata = {"help": help, "placed": placed, "choices": choices}
    return field(metadata=metadata) if default is MISSING else field(default=default, metadata=metadata)


def plain_type(hint: Any) -> tuple[Any, bool]:
    """Return the type of one value of a setting, and whether several may be given.

    >>> plain_type(tuple[int, ...] | None), plain_type(float)
    ((<class 'int'>, True), (<class 'float'>, False))
    """
    if typing.get_origin(hint) in (typing.Union, types.UnionType):
        hint = next(option for option in typing.get_args(hint) if option is not type(None))
    if typing.get_origin(hint) is tuple:
        return typing.get_args(hint)[0], True
    return hint, False
