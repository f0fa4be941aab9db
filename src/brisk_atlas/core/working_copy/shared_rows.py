"""Rows of an outlet and what was done to them here, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

Plain = bool | int | float | str | None


class StepDeed(StrEnum):
    """What a step of a draft does to a row. RESET drops what was done to it before, as a conflict was decided."""

    ADD = "add"
    CHANGE = "change"
    DELETE = "delete"
    RESET = "reset"


@dataclass(frozen=True)
class SharedField:
    """A field of an outlet; `type` as Arrow calls it."""

    name: str
    type: str
    unit: str = ""


@dataclass(frozen=True)
class SharedOutlet:
    """What an outlet is: its fields, the CRS of the rows that are copied, and what may be done with them. `crs_name` is
    how the Depot calls the CRS, "" for degrees; `geometry_type` is "" for rows without places."""

    title: str
    fields: tuple[SharedField, ...]
    crs: str | None
    crs_name: str
    geometry_type: str
    rights: frozenset[str]


@dataclass(frozen=True)
class SharedRow:
    """A row as the Depot shows it; `state` names that when it is changed. `wkb` is its geometry in the copy's CRS."""

    name: str
    values: Mapping[str, Plain]
    wkb: bytes | None = None
    state: str = ""


@dataclass(frozen=True)
class DraftStep:
    """One thing that was done to a row here: values by field, and its geometry where `moves`. `base` is the row as it
    was seen then, None for one that is new."""

    row: str
    deed: StepDeed
    values: Mapping[str, Plain] = field(default_factory=dict)
    wkb: bytes | None = None
    moves: bool = False
    base: SharedRow | None = None
    number: int = 0


@dataclass(frozen=True)
class RowDraft:
    """All that was done to a row here, and the row as it was before the first of it."""

    row: str
    base: SharedRow | None
    values: Mapping[str, Plain] = field(default_factory=dict)
    wkb: bytes | None = None
    moves: bool = False
    adds: bool = False
    deletes: bool = False
    steps: tuple[int, ...] = ()
