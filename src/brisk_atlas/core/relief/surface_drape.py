"""What the ground itself looks like as a drape: how steep it is, where it faces, and how high it lies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise
from math import floor, log10

import numpy as np

from brisk_atlas.core.draw import View, ramps
from brisk_atlas.core.model.language import tr

from .space import Space

FLAT_DEG = 2.0  # up to which ground faces nowhere
BANDS_WANTED = 8
SLOPE_EDGES = (0.0, 2.0, 5.0, 10.0, 15.0, 25.0, 35.0, 45.0, 90.0)
ASPECTS = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")
ASPECT_COLOURS = ("#4C5FA8", "#1C7C7D", "#7FA650", "#D6A32B", "#C2452D", "#A2577F", "#7A5BA8", "#6E84C4")
FLAT_COLOUR = "#C9C2B6"

Entries = tuple[tuple[str, str], ...]  # colours as #rrggbb, and what they stand for


class DrapeKind(StrEnum):
    """What is draped over the ground: the map, or a measure of the ground itself."""

    MAP = "map"
    SLOPE = "slope"
    ASPECT = "aspect"
    HEIGHTS = "heights"


@dataclass(frozen=True)
class SurfaceDrape:
    """Draws a measure of the ground. `heights` returns (rows, cols) metres under a view's pixels; `low` and `high` are
    the limits of height bands, metres."""

    surface: DrapeKind
    space: Space
    heights: Callable[[View], np.ndarray]
    low: float = 0.0
    high: float = 0.0

    def __call__(self, view: View) -> np.ndarray:
        """Return (rows, cols, 4) uint8 red, green, blue and how much there is."""
        wide = replace(view, width=view.width + 2, height=view.height + 2)
        values = self.heights(wide).astype(float)
        if self.surface is DrapeKind.HEIGHTS:
            return _coloured(values[1:-1, 1:-1], self._edges, [colour for colour, _ in self.legend])
        dx, dy = (view.resolution * each for each in self.space.per_unit)
        east = (values[1:-1, 2:] - values[1:-1, :-2]) / (2 * dx)
        north = (values[:-2, 1:-1] - values[2:, 1:-1]) / (2 * dy)
        slope = np.degrees(np.arctan(np.hypot(east, north)))
        colours = [colour for colour, _ in self.legend]
        if self.surface is DrapeKind.SLOPE:
            return _coloured(slope, SLOPE_EDGES, colours)
        facing = np.degrees(np.arctan2(-east, -north)) % 360.0
        sector = np.where(slope < FLAT_DEG, len(ASPECTS), np.floor((facing + 22.5) % 360.0 / 45.0))
        sector[np.isnan(slope)] = np.nan
        return _coloured(sector, np.arange(len(ASPECTS) + 2.0), colours)

    @property
    def _edges(self) -> tuple[float, ...]:
        rough = max(self.high - self.low, 1e-6) / BANDS_WANTED
        power = 10.0 ** floor(log10(rough))
        step = next(n * power for n in (1, 2, 5, 10) if n * power >= rough)
        first = floor(self.low / step)
        return tuple(step * n for n in range(first, floor(self.high / step) + 2))

    @property
    def legend(self) -> Entries:
        """The colours and what they stand for."""
        match self.surface:
            case DrapeKind.MAP:
                return ()
            case DrapeKind.ASPECT:
                return (
                    *zip(ASPECT_COLOURS, ASPECTS),
                    (FLAT_COLOUR, tr("flat, below {flat_deg:g}°", flat_deg=FLAT_DEG)),
                )
            case DrapeKind.SLOPE:
                texts = [tr("{a:g} to {b:g}°", a=a, b=b) for a, b in pairwise(SLOPE_EDGES)]
                return tuple(zip(_evenly_from("ember", len(texts)), texts))
            case DrapeKind.HEIGHTS:
                texts = [tr("{a:,g} to {b:,g} m", a=a, b=b) for a, b in pairwise(self._edges)]
                return tuple(zip(_evenly_from("land", len(texts)), texts))


def _evenly_from(ramp: str, count: int) -> list[str]:
    table = ramps.ramp(ramp)
    at = np.linspace(0.04, 0.96, count) * (len(table) - 1)
    return [ramps.hex_of(table[round(each)]) for each in at.tolist()]


def _coloured(values: np.ndarray, edges: tuple[float, ...] | np.ndarray, colours: list[str]) -> np.ndarray:
    """Return (rows, cols, 4) uint8 of values by the class that they lie in; nothing for NaN."""
    table = np.array([ramps.rgb_of(colour) for colour in colours], np.uint8)
    known = np.isfinite(values)
    number = np.clip(np.searchsorted(edges, np.where(known, values, 0.0), side="right") - 1, 0, len(table) - 1)
    image = np.zeros((*values.shape, 4), np.uint8)
    image[..., :3] = table[number]
    image[..., 3] = 255
    image[~known] = 0
    return image
