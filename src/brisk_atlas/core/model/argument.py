"""The typed, documented settings of what can be done: of operations and of the steps of recipes."""

from __future__ import annotations

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


def argument(help: str, default: Any = MISSING, *, placed: bool = False) -> Any:
    """Return a field of a dataclass with the words that explain it, on the command line too, where one that is `placed`
    needs no name."""
    metadata = {"help": help, "placed": placed}
    return field(metadata=metadata) if default is MISSING else field(default=default, metadata=metadata)
