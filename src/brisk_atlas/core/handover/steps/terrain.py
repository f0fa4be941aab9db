"""The shape of ground: slope, aspect, hillshade, curvature."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from brisk_atlas.core.draw.kernels.grid import slopes
from brisk_atlas.core.model import Band, CellWindow
from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import measured_metres

from ..flows import Flow, GridFlow
from ..step import GRID, Step, StepContext, step
from .cells import band_number, grown

UNITS = {"slope": "°", "slope percent": "%", "aspect": "°", "hillshade": "", "curvature": "1/100 m"}


@step
@dataclass(frozen=True)
class Terrain(Step):
    """Make slope, aspect, hillshade or curvature of heights.

    Slope, aspect and hillshade are of the gradient after Horn, B.K.P. (1981), "Hill shading and the reflectance map",
    Proc. IEEE 69(1); curvature is that of Zevenbergen, L.W. and Thorne, C.R. (1987), "Quantitative analysis of land
    surface topography", Earth Surface Processes and Landforms 12, positive on ridges. Aspect is the direction that the
    ground falls to, clockwise from north; flat ground has none.
    """

    word: ClassVar = "terrain"
    label: ClassVar = tr("Terrain")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    what: str = argument(tr("what is made"), "slope", choices=tuple(UNITS))
    band: str = argument(tr("the band of heights; the first if not given"), "1")
    azimuth: float = argument(tr("of a hillshade: where the light comes from, clockwise from north"), 315.0)
    altitude: float = argument(tr("of a hillshade: how high the light stands"), 45.0)
    exaggeration: float = argument(tr("by how much heights are multiplied first"), 1.0)

    @property
    def summary(self) -> str:
        return self.what

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        if self.what not in UNITS:
            raise self.refused(
                tr("there is no {what}", what=self.what), tr("There are: {units}.", units=", ".join(UNITS))
            )
        if not cells.lattice.is_upright:
            raise self.refused(tr("the grid is rotated"), tr("Add the step “Resample” first."))
        number = band_number(self, cells, self.band)
        dtype = np.dtype(np.uint8 if self.what == "hillshade" else np.float32)

        def made(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            context.check()
            found = grown(cells, window, (number,), 1)
            heights = np.where(found.valid, found.values[0] * self.exaggeration, np.nan).astype(np.float32)
            width, height = self._cell(found)
            values = self._curvature(heights, width, height) if self.what == "curvature" else self._of_gradient(
                heights, width, height)  # fmt: skip
            values = values[1:-1, 1:-1]
            valid = np.isfinite(values)
            return Grid(np.where(valid, values, 0).astype(dtype)[None], valid, found.lattice.within(
                CellWindow(1, 1, 1 + window.shape[1], 1 + window.shape[0])))  # fmt: skip

        band = Band(1, self.what, unit=UNITS[self.what])
        nodata = 0.0 if self.what == "hillshade" else None
        return replace(cells, bands=(band,), dtype=dtype, nodata=nodata, read=made, all_valid=False)

    @staticmethod
    def _cell(found: Grid) -> tuple[float, float]:
        """Return how far apart cells are, in metres, eastwards along rows and southwards along columns, in the middle
        of the window."""
        lattice = found.lattice
        x, y = lattice.to_map(lattice.columns / 2, lattice.rows / 2)
        east, north = measured_metres(lattice.crs, float(x), float(y))
        return lattice.a * east, -lattice.e * north

    def _of_gradient(self, heights: np.ndarray, width: float, height: float) -> np.ndarray:
        east, north = np.empty_like(heights), np.empty_like(heights)
        slopes(heights, width, height, east, north, 0, heights.shape[0])
        east, north = east.astype(float), north.astype(float)
        steep = np.hypot(east, north)
        if self.what == "slope":
            return np.degrees(np.arctan(steep))
        if self.what == "slope percent":
            return 100 * steep
        if self.what == "aspect":
            falls = np.degrees(np.arctan2(-east, -north)) % 360.0
            return np.where(steep > 0, falls, np.nan)
        up, side = np.radians(self.altitude), np.radians(self.azimuth)
        light = np.sin(up) - np.cos(up) * (east * np.sin(side) + north * np.cos(side))
        return 1 + np.rint(254 * np.clip(light / np.sqrt(1 + steep * steep), 0.0, 1.0))

    @staticmethod
    def _curvature(z: np.ndarray, width: float, height: float) -> np.ndarray:
        out = np.full(z.shape, np.nan)
        middle = z[1:-1, 1:-1].astype(float)
        d = ((z[1:-1, :-2].astype(float) + z[1:-1, 2:]) / 2 - middle) / width**2
        e = ((z[:-2, 1:-1].astype(float) + z[2:, 1:-1]) / 2 - middle) / height**2
        out[1:-1, 1:-1] = -200.0 * (d + e)
        return out
