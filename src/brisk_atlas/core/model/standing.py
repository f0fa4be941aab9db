"""How a vector layer stands in three dimensions. A value, compared by content, saved with the project."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .data_ref import DataRef
from .hole_choices import HoleTable


class StandingWay(StrEnum):
    """What becomes of features: draped as the map draws them; lines and points lifted to a height; polygons raised to
    bodies; a wall along lines, or along points in their order; points as boreholes."""

    DRAPED = "draped"
    LIFTED = "lifted"
    RAISED = "raised"
    WALL = "wall"
    BOREHOLES = "boreholes"


class Foot(StrEnum):
    """From where heights are counted."""

    GROUND = "ground"
    ZERO = "zero"
    OWN_Z = "own z"
    FIELD = "field"


@dataclass(frozen=True)
class IntervalSource:
    """The table of what boreholes passed through: its part, its fields for the hole's name, for where an interval
    begins and ends, in metres along the hole, and for what colours it; and the field of the layer's own with the name
    of the hole."""

    ref: DataRef
    hole: str
    begin: str
    end: str
    colour_by: str
    own_hole: str


@dataclass(frozen=True)
class Standing:
    """`way`, and from where heights are counted: `foot`, a field of metres for FIELD.

    `height` metres over the foot, or those of `height_by`, a field or an SQL expression, times `factor`: a wall or a
    body reaches from the foot to there, down for what is negative; what is lifted lies there. A borehole is so long, if
    not by its intervals; it begins at the foot, goes towards `azimuth_by` degrees clockwise from north and `dip_by`
    degrees below the horizon (negative down in a field whose values are all below zero), straight down without them;
    one that has stations in a survey of `deviation` runs along these.
    """

    way: StandingWay = StandingWay.DRAPED
    foot: Foot = Foot.GROUND
    foot_by: str | None = None
    height: float = 10.0
    height_by: str | None = None
    factor: float = 1.0
    azimuth_by: str | None = None
    dip_by: str | None = None
    intervals: IntervalSource | None = None
    deviation: HoleTable | None = None


DRAPED = Standing()
