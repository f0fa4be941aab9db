"""The change at one point between two grids."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CellWindow, Layer
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import transform
from brisk_atlas.core.table.formats import decimals_together

from .change import unlike
from .paired_cells import sides_in


@dataclass(frozen=True)
class PointChange:
    """Values of A and B at a point and B minus A; None where a side has no data there. `unlike` is why they are not
    subtracted, where they measure different things; `units` are those of A and B."""

    a: float | None
    b: float | None
    units: tuple[str, str] = ("", "")
    unlike: str = ""

    @property
    def unit(self) -> str:
        """The unit of the change, "" where A and B do not state the same."""
        return self.units[0] if self.units[0] == self.units[1] else ""

    @property
    def change(self) -> float | None:
        """B minus A; None where a side has no data, or they measure different things."""
        return None if self.a is None or self.b is None or self.unlike else self.b - self.a

    @property
    def text(self) -> str:
        """Return the reading in one line; what is unknown is stated."""
        if self.a is None and self.b is None:
            return tr("no data on either side")
        decimals = decimals_together([value for value in (self.a, self.b) if value is not None])
        a, b = (
            f"{grouped(value, f',.{decimals}f')} {unit}".strip() if value is not None else tr("no data")
            for value, unit in zip((self.a, self.b), self.units)
        )
        text = f"A {a}   B {b}"
        if self.change is None:
            return text
        change = f"{grouped(self.change, f'+,.{decimals}f')} {self.unit}".strip()
        return tr("{sides}   change {change}", sides=text, change=change)


def change_at(cache: DataCache, side_a: Layer, side_b: Layer, x: float, y: float, crs: str | None) -> PointChange:
    """Return what the shown band (the first of a composite) of both layers has in A's cell at a point, compared as
    `change_between` does."""
    parts = cache.raster(side_a.ref), cache.raster(side_b.ref)
    bands = shown_band(side_a.style), shown_band(side_b.style)
    of_a, of_b = (part.facts.grid.bands[band - 1] for part, band in zip(parts, bands) if part.facts.grid)
    units, reason = (of_a.unit, of_b.unit), unlike(of_a, of_b)
    lattice = parts[0].facts.lattice
    column, row = lattice.to_cells(*transform(np.array([[x, y]]), crs, parts[0].facts.crs)[0])
    if not (0 <= column < lattice.columns and 0 <= row < lattice.rows):
        return PointChange(None, None, units, reason)
    window = CellWindow(int(column), int(row), int(column) + 1, int(row) + 1)
    first, second, _ = sides_in(window, parts[0], parts[1], (bands[:1], bands[1:]))
    a, b = (float(g.values[0, 0, 0]) if g.valid[0, 0] else None for g in (first, second))
    return PointChange(_known(a), _known(b), units, reason)


def _known(value: float | None) -> float | None:
    return value if value is not None and np.isfinite(value) else None
