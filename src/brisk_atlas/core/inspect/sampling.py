"""The values of a grid at the points of a layer."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.model import CellWindow, RasterPart
from brisk_atlas.core.place import transform

STRIP_CELLS = 4_000_000  # read at a time


def values_at(
    part: RasterPart,
    xy: np.ndarray,
    crs: str | None,
    bands: tuple[int, ...],
    report: Callable[[float], None] = lambda share: None,
) -> np.ndarray:
    """Return (points, bands) float64: the cells of a grid that points lie in, as they are stored.

    NaN where a cell has no data or a point lies outside. `xy` is (points, 2) in `crs`. Strips of the grid that have
    points are read once. Raises CannotRead, CannotPlace.
    """
    lattice = part.facts.lattice
    own = transform(np.asarray(xy, float), crs, part.facts.crs)
    column, row = lattice.to_cells(own[:, 0], own[:, 1])
    with np.errstate(invalid="ignore"):
        inside = (column >= 0) & (column <= lattice.columns) & (row >= 0) & (row <= lattice.rows)
    found = np.full((len(own), len(bands)), np.nan)
    points = np.flatnonzero(inside)
    columns = np.minimum(column[points].astype(np.int64), lattice.columns - 1)
    rows = np.minimum(row[points].astype(np.int64), lattice.rows - 1)
    tall = max(1, STRIP_CELLS // lattice.columns)
    strips = np.unique(rows // tall)
    for number, strip in enumerate(strips):
        report(number / len(strips))
        here = rows // tall == strip
        first, last = int(strip) * tall, min((int(strip) + 1) * tall, lattice.rows)
        cells = part.block(CellWindow(0, first, lattice.columns, last), bands=bands)
        at = rows[here] - first, columns[here]
        for index in range(len(bands)):
            values = cells.values[index][at].astype(float)
            found[points[here], index] = np.where(cells.valid[at], values, np.nan)
    return found
