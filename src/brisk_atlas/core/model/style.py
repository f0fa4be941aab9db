"""How layers look. Values, compared by content, saved with the project."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Stretch:
    """Which values take the ends of a ramp.

    `kind`: `percent` (cut `low`/`high` per cent off the tails), `range` (the least and greatest
    value) or `hand` (from `low` to `high`).
    """

    kind: str = "percent"
    low: float = 2.0
    high: float = 98.0


@dataclass(frozen=True)
class VectorStyle:
    """Colours are `#rrggbb`, widths and sizes pixels. With `colour_by`, `ramp` colours the fill of
    polygons, the stroke of lines and the body of points by that field."""

    fill: str = "#1C7C7D"
    line: str = "#1D2A35"
    width: float = 1.2
    size: float = 8.0
    hollow: bool = False
    colour_by: str | None = None
    ramp: str = "ember"
    stretch: Stretch = Stretch("range", 0.0, 0.0)


@dataclass(frozen=True)
class GridStyle:
    """One band through `ramp`, or three bands as red, green and blue. `shade` darkens the colour by
    a hillshade of the band (0 none, 1 full), for elevation."""

    bands: tuple[int, ...] = (1,)
    ramp: str = "ember"
    stretch: Stretch = Stretch()
    shade: float = 0.0
    smooth: bool = True


@dataclass(frozen=True)
class CloudStyle:
    """`colour_by` is a dimension, `z`, or `rgb`; `size` is the width of a point in pixels."""

    colour_by: str = "z"
    ramp: str = "ember"
    stretch: Stretch = Stretch()
    size: float = 2.0


Style = VectorStyle | GridStyle | CloudStyle
