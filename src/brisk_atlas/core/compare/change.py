"""The difference between two grids: what rose, what fell, and by how much."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import AtlasError, Band, CellWindow, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place import is_geographic, metres_per_unit, same_crs, transform_extent

NOTHING = 1e-9


@dataclass(frozen=True, eq=False)
class GridDifference:
    """B minus A on A's grid. Areas in m², volumes in m³ where values are metres.

    `threshold` is the change, up or down, from which a cell counts as risen or fallen; net and mean
    are over all compared cells. `resampled` says whether B had to be put onto A's grid.
    """

    difference: Grid
    threshold: float
    compared_cells: int
    cell_area: float
    risen_area: float
    fallen_area: float
    risen_volume: float
    fallen_volume: float
    net_volume: float
    mean: float
    minimum: float
    maximum: float
    resampled: bool


def change_between(
    before: RasterPart,
    after: RasterPart,
    *,
    threshold: float = 0.0,
    bands: tuple[int, int] = (1, 1),
    check: Callable[[float], None] = lambda share: None,
) -> GridDifference:
    """Return what changed from `before` to `after` where both have data.

    `bands` are those of A and of B. B is read onto A's grid: its own cells where the two grids
    coincide, otherwise interpolated.
    Raises AtlasError where they do not overlap or A's CRS has no metres.
    """
    a, b = before.facts, after.facts
    assert a.extent is not None and b.extent is not None and a.grid is not None and b.grid is not None
    for part, facts in ((before, a), (after, b)):
        if facts.grid is not None and facts.grid.drawn_by_service:
            raise AtlasError(
                part.ref, "it is a picture that a server draws, not numbers", "Open its coverage, if it has one."
            )
    if a.crs is None or is_geographic(a.crs):
        raise AtlasError(
            before.ref, "areas and volumes need a projected CRS", "Export the grid in a projected CRS first."
        )
    placed = transform_extent(b.extent, a.crs)
    common = placed.intersection(a.extent) if placed else None
    if common is None or common.width <= 0 or common.height <= 0:
        raise AtlasError(after.ref, f"it does not overlap {before.ref.name}", "Choose two grids of the same place.")
    check(0.05)
    window = a.lattice.window_of(common)
    first, second, aligned = sides_in(window, before, after, bands, check)
    check(0.8)
    valid = first.valid & second.valid
    delta = np.where(valid, second.values[0].astype(float) - first.values[0].astype(float), np.nan)
    scale = metres_per_unit(a.crs)
    area = first.lattice.cell_area * scale**2
    known = delta[valid]
    if not known.size:
        raise AtlasError(after.ref, f"no cell has data both here and in {before.ref.name}", "Choose other grids.")
    limit = max(threshold, NOTHING)
    risen, fallen = known >= limit, known <= -limit
    return GridDifference(
        Grid(delta[None].astype(np.float32), valid, first.lattice),
        threshold,
        int(known.size),
        area,
        float(risen.sum() * area),
        float(fallen.sum() * area),
        float(known[risen].sum() * area),
        float(-known[fallen].sum() * area),
        float(known.sum() * area),
        float(known.mean()),
        float(known.min()),
        float(known.max()),
        not aligned,
    )


def unlike(a: Band, b: Band) -> str:
    """Return why two bands measure different things, so that their difference means nothing; "" where they may be
    compared."""
    if a.unit and b.unit and a.unit != b.unit:
        return f"{a.name} is in {a.unit}, {b.name} in {b.unit}"
    if (a.centre_um is None) != (b.centre_um is None):
        light, other = (b, a) if a.centre_um is None else (a, b)
        return f"{light.name} measures light at {light.centre_um:g} µm, {other.name} does not"
    return ""


def sides_in(
    window: CellWindow,
    before: RasterPart,
    after: RasterPart,
    bands: tuple[int, int],
    check: Callable[[float], None] = lambda share: None,
) -> tuple[Grid, Grid, bool]:
    """Return both sides on A's cells in a window of it, and whether B's own cells coincide with them; otherwise B is
    interpolated."""
    first = before.block(window, bands=bands[:1])
    check(0.4)
    aligned = same_crs(before.facts.crs, after.facts.crs) and before.facts.lattice.matches(after.facts.lattice)
    second = _own_cells(first, after, bands[1]) if aligned else _interpolated(first, after, bands[1])
    return first, second, aligned


def _own_cells(grid: Grid, other: RasterPart, band: int) -> Grid:
    """Return the other raster's cells, which coincide with those of `grid`, where they lie in it."""
    there = other.facts.lattice
    column, row = (round(v) for v in there.to_cells(grid.lattice.c, grid.lattice.f))
    rows, columns = grid.shape
    window = CellWindow(max(column, 0), max(row, 0), min(column + columns, there.columns), min(row + rows, there.rows))
    values, valid = np.zeros((1, rows, columns)), np.zeros((rows, columns), bool)
    found = other.block(window, bands=(band,))
    if found.valid.size:
        into = (
            slice(window.first_row - row, window.last_row - row),
            slice(window.first_column - column, window.last_column - column),
        )
        values[0][into], valid[into] = found.values[0], found.valid
    return Grid(values, valid, grid.lattice)


def _interpolated(grid: Grid, other: RasterPart, band: int) -> Grid:
    """Return the other raster at the middles of the cells of `grid`."""
    return other.onto(grid.lattice, bands=(band,), smooth=True)
