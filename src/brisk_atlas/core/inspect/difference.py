"""The change at one point between two grids."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import GridStyle, Layer, number_text

from .cell import cell_values


@dataclass(frozen=True)
class PointChange:
    """Values of A and B at a point and B minus A; None where a side has no data there."""

    a: float | None
    b: float | None
    unit: str = ""

    @property
    def change(self) -> float | None:
        return None if self.a is None or self.b is None else self.b - self.a

    @property
    def text(self) -> str:
        """Return the reading in one line; what is unknown is said."""
        if self.a is None and self.b is None:
            return "no data on either side"
        unit = f" {self.unit}" if self.unit else ""
        a, b = (f"{number_text(round(v, 3))}{unit}" if v is not None else "no data" for v in (self.a, self.b))
        change = self.change
        return f"A {a}   B {b}" + (f"   change {change:+,.2f}{unit}" if change is not None else "")


def difference_at(cache: DataCache, side_a: Layer, side_b: Layer, x: float, y: float, crs: str | None) -> PointChange:
    """Return what the shown band (the first of a composite) of both layers has at a point."""
    found: list[float | None] = []
    units = []
    for layer in (side_a, side_b):
        band = layer.style.bands[0] if isinstance(layer.style, GridStyle) else 1
        part = cache.raster(layer.ref)
        cell, grid = cell_values(part, x, y, crs), part.facts.grid
        assert grid is not None
        units.append(grid.bands[band - 1].unit)
        value = float(cell.values[band - 1]) if cell and cell.known[band - 1] else None
        found.append(value if value is not None and np.isfinite(value) else None)
    return PointChange(found[0], found[1], units[0] if units[0] == units[1] else "")
