"""A raster without the cells that a band of classes names: for comparing; its file stays as it is."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy import ndimage

from brisk_atlas.core.model import CellWindow, Lattice, Level, Quantity, RasterPart
from brisk_atlas.core.model.grid import Grid


@dataclass(frozen=True)
class MaskedRaster(RasterPart):
    """Another raster; a cell has no data where the nearest cell of `band` of `classes` has one of `hidden`.

    Its stored levels are those of the other raster: they have no cells of their own, so `levels` is empty.
    """

    inner: RasterPart
    classes: RasterPart
    band: int
    hidden: tuple[int, ...]

    @property
    def value_dtype(self) -> str:
        return self.inner.value_dtype

    def measured_as(self, quantity: Quantity) -> MaskedRaster:
        return replace(self, inner=self.inner.measured_as(quantity))

    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        return self._without(self.inner.onto(lattice, bands=bands, smooth=smooth), around=smooth)

    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        return self._without(self.inner.block(window, bands=bands))

    def _without(self, found: Grid, *, around: bool = False) -> Grid:
        """Return cells without the hidden ones; without their neighbours too where values were interpolated."""
        there = self.classes.onto(found.lattice, bands=(self.band,))
        out = there.valid & np.isin(there.values[0], self.hidden)
        if around:
            out = ndimage.binary_dilation(out, np.ones((3, 3), bool))
        return replace(found, valid=found.valid & ~out)

    @property
    def stored_in_rows(self) -> bool:
        return self.inner.stored_in_rows

    @property
    def all_valid(self) -> bool:
        return False

    def levels(self, band: int) -> tuple[Level, ...]:
        return ()

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        raise NotImplementedError("a masked raster is read by block and onto")


def masked(part: RasterPart, classes: RasterPart, band: int, hidden: tuple[int, ...]) -> MaskedRaster:
    """Return a raster without the cells whose class is hidden."""
    return MaskedRaster(part.ref, part.facts, part, classes, band, hidden)
