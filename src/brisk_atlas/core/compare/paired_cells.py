"""Two grids on the cells of the first: their own where they coincide, else resampled."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.model import AtlasError, CellWindow, Extent, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import same_crs, transform_extent

Bands = tuple[tuple[int, ...], tuple[int, ...]]
"""The bands of A and those of B."""


def coincide(before: RasterPart, after: RasterPart) -> bool:
    """Return whether the cells of two grids lie on each other."""
    return same_crs(before.facts.crs, after.facts.crs) and before.facts.lattice.matches(after.facts.lattice)


def common_window(before: RasterPart, after: RasterPart, within: Extent | None = None) -> CellWindow:
    """Return the cells of A that lie in B's extent, and in one of A's CRS if that is given.

    Raises AtlasError for a picture that a server draws, and for two that do not overlap.
    """
    a, b = before.facts, after.facts
    assert a.extent is not None and b.extent is not None
    for part in (before, after):
        if part.facts.grid is not None and part.facts.grid.drawn_by_service:
            raise AtlasError(
                part.ref,
                tr("it is a picture that a server draws, not numbers"),
                tr("Open its coverage, if it has one."),
            )
    placed = transform_extent(b.extent, a.crs)
    common = placed.intersection(a.extent) if placed else None
    if common is not None and within is not None:
        common = common.intersection(within)
    if common is None or common.width <= 0 or common.height <= 0:
        raise AtlasError(
            after.ref, tr("it does not overlap {name}", name=before.ref.name), tr("Choose two grids of the same place.")
        )
    return a.lattice.window_of(common)


def sides_in(
    window: CellWindow,
    before: RasterPart,
    after: RasterPart,
    bands: Bands,
    check: Callable[[float], None] = lambda share: None,
    *,
    smooth: bool = True,
) -> tuple[Grid, Grid, bool]:
    """Return both sides on A's cells in a window of it, and whether B's own cells coincide with them; otherwise B is
    interpolated, or has the nearest cell unless `smooth`."""
    first = before.block(window, bands=bands[0])
    check(0.4)
    if coincide(before, after):
        return first, _own_cells(first, after, bands[1]), True
    return first, after.onto(first.lattice, bands=bands[1], smooth=smooth), False


def _own_cells(grid: Grid, other: RasterPart, bands: tuple[int, ...]) -> Grid:
    """Return the other raster's cells, which coincide with those of `grid`, where they lie in it."""
    there = other.facts.lattice
    column, row = (round(v) for v in there.to_cells(grid.lattice.c, grid.lattice.f))
    rows, columns = grid.shape
    window = CellWindow(max(column, 0), max(row, 0), min(column + columns, there.columns), min(row + rows, there.rows))
    found = other.block(window, bands=bands)
    if window == (column, row, column + columns, row + rows):
        return Grid(found.values, found.valid, grid.lattice)
    values, valid = np.zeros((len(bands), rows, columns), found.values.dtype), np.zeros((rows, columns), bool)
    if found.valid.size:
        into = (
            slice(window.first_row - row, window.last_row - row),
            slice(window.first_column - column, window.last_column - column),
        )
        values[:, into[0], into[1]], valid[into] = found.values, found.valid
    return Grid(values, valid, grid.lattice)
