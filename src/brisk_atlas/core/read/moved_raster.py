"""A raster as if it lay elsewhere by a little: for looking and comparing; its file stays as it is."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brisk_atlas.core.model import CellWindow, Extent, Lattice, Level, Quantity, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import same_crs, transform


@dataclass(frozen=True)
class MovedRaster(RasterPart):
    """Another raster, moved by `shift` (east, north) in units of its CRS."""

    inner: RasterPart
    shift: tuple[float, float]

    @property
    def value_dtype(self) -> str:
        return self.inner.value_dtype

    def measured_as(self, quantity: Quantity) -> MovedRaster:
        return moved(self.inner.measured_as(quantity), self.shift)

    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        dx, dy = self._shift_in(lattice)
        there = replace(lattice, c=lattice.c - dx, f=lattice.f - dy)
        found = self.inner.onto(there, bands=bands, smooth=smooth)
        return replace(found, lattice=lattice)

    def _shift_in(self, lattice: Lattice) -> tuple[float, float]:
        """Return the shift in units of a lattice's CRS, at its middle."""
        if same_crs(lattice.crs, self.facts.crs):
            return self.shift
        middle = np.array([lattice.to_map(lattice.columns / 2, lattice.rows / 2)], float)
        own = transform(middle, lattice.crs, self.facts.crs)
        there = transform(own + self.shift, self.facts.crs, lattice.crs)
        dx, dy = (there - transform(own, self.facts.crs, lattice.crs))[0].tolist()
        return dx, dy

    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        return replace(self.inner.block(window, bands=bands), lattice=self.facts.lattice.within(window))

    @property
    def stored_in_rows(self) -> bool:
        return self.inner.stored_in_rows

    @property
    def all_valid(self) -> bool:
        return self.inner.all_valid

    def levels(self, band: int) -> tuple[Level, ...]:
        return self.inner.levels(band)

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        return self.inner.cells(band, level, window)


def moved(part: RasterPart, shift: tuple[float, float]) -> MovedRaster:
    """Return a raster as if it lay elsewhere; its facts say so."""
    facts, (dx, dy) = part.facts, shift
    extent = facts.extent
    assert extent is not None and facts.grid is not None
    box = Extent(extent.xmin + dx, extent.ymin + dy, extent.xmax + dx, extent.ymax + dy, extent.crs)
    turned = facts.grid.transform
    grid = facts.grid
    if turned is not None:
        grid = replace(grid, transform=(*turned[:2], turned[2] + dx, *turned[3:5], turned[5] + dy))
    notes = {
        **facts.notes,
        "moved": tr("by {dx:+.3f} east and {dy:+.3f} north, here alone; the file stays as it is", dx=dx, dy=dy),
    }
    return MovedRaster(part.ref, replace(facts, extent=box, grid=grid, notes=notes), part, shift)
