"""The room in which a relief stands: metres east, north and up of a point of the map, and the steps of its windows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.draw import View
from brisk_atlas.core.model import Extent, RasterPart
from brisk_atlas.core.place import is_geographic, measured_metres

EARTH_RADIUS_M = 6_371_008.8  # mean radius, IUGG
FINENESS = 0.7  # of a pixel, that samples are apart at most: what they leave out of rough ground stays below a pixel
RIM = 4  # samples around what is seen
FLAT_M = 200_000.0  # on the longer side; up to it the ground is taken for a plane


@dataclass(frozen=True)
class WindowPlace:
    """Samples of the ground: of which level, from which column and row on, and how many. A level's samples lie
    `spacing * 2**level` apart; level 0 has those of the finest grid."""

    level: int
    col: int
    row: int
    cols: int
    rows: int

    def contains(self, other: WindowPlace) -> bool:
        """Return whether it has all samples of another window of its level."""
        return (
            self.level == other.level
            and self.col <= other.col and other.col + other.cols <= self.col + self.cols
            and self.row <= other.row and other.row + other.rows <= self.row + self.rows
        )  # fmt: skip


@dataclass(frozen=True)
class Space:
    """Where a relief stands on the map, and its units.

    `corner` is the upper left corner of the ground in `crs`, `size` its width and height, `spacing` what lies between
    samples of level 0, all in units of the CRS. Metres are counted from the middle of the ground; `per_unit` are metres
    to a unit east and north there. `bend` is by how much the Earth falls away, metres for a square metre of distance: 0
    for a ground that is taken for a plane, as of up to 200 km in a projected CRS.
    """

    crs: str | None
    corner: tuple[float, float]
    size: tuple[float, float]
    spacing: float
    per_unit: tuple[float, float]
    bend: float

    @classmethod
    def of(cls, part: RasterPart) -> Space:
        """Return the space of a grid; its samples are the grid's cells where they are square and upright."""
        extent, lattice = part.facts.extent, part.facts.lattice
        assert extent is not None
        return cls.around(extent, min(lattice.cell))

    @classmethod
    def around(cls, extent: Extent, spacing: float) -> Space:
        """Return the space of a ground that covers an extent."""
        crs, y = extent.crs, extent.centre[1]
        per_unit = measured_metres(crs, extent.centre[0], y)
        longer = max(extent.width * per_unit[0], extent.height * per_unit[1])
        bends = crs is not None and (is_geographic(crs) or longer > FLAT_M)
        bend = 1.0 / (2.0 * EARTH_RADIUS_M) if bends and longer > FLAT_M else 0.0
        return cls(crs, (extent.xmin, extent.ymax), (extent.width, extent.height), spacing, per_unit, bend)

    @property
    def middle(self) -> tuple[float, float]:
        """The point of the map that metres are counted from."""
        return self.corner[0] + self.size[0] / 2, self.corner[1] - self.size[1] / 2

    @property
    def metres(self) -> tuple[float, float]:
        """The width and height of the ground."""
        return self.size[0] * self.per_unit[0], self.size[1] * self.per_unit[1]

    @property
    def longer(self) -> float:
        """The longer side of the ground, metres."""
        return max(self.metres)

    def to_metres(self, x: float, y: float) -> tuple[float, float]:
        """Return where a position of the map lies, metres east and north of the middle."""
        mx, my = self.middle
        return (x - mx) * self.per_unit[0], (y - my) * self.per_unit[1]

    def to_map(self, east: float, north: float) -> tuple[float, float]:
        """Return the position of the map of metres east and north of the middle."""
        mx, my = self.middle
        return mx + east / self.per_unit[0], my + north / self.per_unit[1]

    def step(self, level: int) -> tuple[float, float]:
        """Return the metres between samples of a level, east and north."""
        return self.spacing * 2.0**level * self.per_unit[0], self.spacing * 2.0**level * self.per_unit[1]

    def far(self, level: int, pixel: float) -> float:
        """Return from which distance, metres, a level is fine enough for pixels (radians)."""
        return max(self.step(level)) / (FINENESS * pixel)

    def levels_for(self, far: np.ndarray, pixel: float) -> np.ndarray:
        """Return (n,) int the coarsest levels that are fine enough at distances."""
        return np.floor(np.log2(np.maximum(far, 1e-9) * pixel * FINENESS / max(self.step(0)))).astype(int)

    def base_level(self, most: int) -> int:
        """Return the finest level of which no more than `most` samples a side cover the whole ground."""
        longer = max(self.size) / self.spacing
        return max(0, int(np.ceil(np.log2(max(longer / most, 1.0)))))

    def whole(self, level: int) -> WindowPlace:
        """Return the window of all samples of a level."""
        step = self.spacing * 2.0**level
        return WindowPlace(
            level, 0, 0, max(2, int(np.ceil(self.size[0] / step))), max(2, int(np.ceil(self.size[1] / step)))
        )

    def view(self, place: WindowPlace) -> View:
        """Return the view of the map whose pixels are the samples of a window."""
        step = self.spacing * 2.0**place.level
        x = self.corner[0] + (place.col + place.cols / 2) * step
        y = self.corner[1] - (place.row + place.rows / 2) * step
        return View(x, y, step, place.cols, place.rows, self.crs)

    def placed(self, place: WindowPlace) -> tuple[float, float, float, float]:
        """Return where the first sample of a window lies, metres, and how many samples there are to a metre, east and
        north; those to the north are negative, as rows go south."""
        dx, dy = self.step(place.level)
        width, height = self.metres
        return -width / 2 + (place.col + 0.5) * dx, height / 2 - (place.row + 0.5) * dy, 1 / dx, -1 / dy

    def window_of(self, level: int, box: tuple[float, float, float, float], margin: float, most: int) -> WindowPlace:
        """Return the window of a level around a box (west, south, east, north in metres), wider by a share of itself,
        within the ground, and no more than `most` samples a side."""
        dx, dy = self.step(level)
        width, height = self.metres
        whole = self.whole(level)
        cols = (box[0] + width / 2) / dx, (box[2] + width / 2) / dx
        rows = (height / 2 - box[3]) / dy, (height / 2 - box[1]) / dy
        first_col, count_cols = _stretch(*cols, margin, most, whole.cols)
        first_row, count_rows = _stretch(*rows, margin, most, whole.rows)
        return WindowPlace(level, first_col, first_row, count_cols, count_rows)


def _stretch(low: float, high: float, margin: float, most: int, count: int) -> tuple[int, int]:
    """Return the first sample and the number of samples of a stretch with a margin, about its middle where it has more
    than `most`. One with a margin has all samples of the one without."""
    first, last = int(np.floor(low)) - RIM, int(np.ceil(high)) + RIM
    if last - first > most:
        first = (first + last - most) // 2
        last = first + most
    extra = min(int((last - first) * margin), (most - (last - first)) // 2)
    first, last = max(first - extra, 0), min(last + extra, count)
    if last - first < 2:
        first = min(max(first, 0), max(count - 2, 0))
        last = first + min(2, count)
    return first, last - first
