"""What the analyst stated of the boreholes of a layer: how tables belong to them, and markers. Saved with the
project."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .data_ref import DataRef


class TableRole(StrEnum):
    """What a table says of holes."""

    INTERVALS = "intervals"
    POINTS = "values at depths"
    DEVIATION = "deviation survey"
    LOG = "log"
    NOT_USED = "not used"


@dataclass(frozen=True)
class HoleTable:
    """How a table belongs to holes: its role, its field for the hole's name ("" where all rows are of `only`), for
    where an interval begins (or a value is) and ends; of a survey for azimuth and inclination. `dips` says that the
    inclination is counted below the horizon, `feet` that depths are feet. `reason` is why it was taken so."""

    ref: DataRef
    role: TableRole
    hole: str = ""
    top: str = ""
    base: str = ""
    azimuth: str = ""
    inclination: str = ""
    only: str = ""
    dips: bool = False
    feet: bool = False
    reason: str = ""


@dataclass(frozen=True)
class HoleMarker:
    """A level that is known again in several holes: its name, the hole and the depth along it, metres."""

    name: str
    hole: str
    depth: float


@dataclass(frozen=True)
class HoleChoices:
    """`tables` stand in the place of what is guessed of the same tables."""

    tables: tuple[HoleTable, ...] = ()
    markers: tuple[HoleMarker, ...] = ()


NO_CHOICES = HoleChoices()
