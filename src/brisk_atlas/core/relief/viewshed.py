"""What can be seen from a place over a grid, as a grid."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import AtlasError, CellWindow, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic
from brisk_atlas.core.place.geodesy import row_areas
from brisk_atlas.core.system.shares import CORES, in_pieces

from .sight_kernels import fill_sight
from .space import EARTH_RADIUS_M, Space

MOST_CELLS = 16_000_000  # as many lines of sight are followed
REFRACTION = 0.13  # of the Earth's curvature, that light follows in a usual atmosphere


@dataclass(frozen=True)
class SightQuestion:
    """From where it is looked (x, y in the grid's CRS), metres that the eye is over the ground and what is looked for,
    how far (metres, None for all of the grid), and how much of the Earth's curvature light follows."""

    at: tuple[float, float]
    eye: float = 1.7
    target: float = 0.0
    reach: float | None = None
    refraction: float = REFRACTION


@dataclass(frozen=True, eq=False)
class Viewshed:
    """`missing`: a band of metres by which things are too low to be seen, 0 where they are seen; the areas are m²."""

    missing: Grid
    seen_m2: float
    looked_at_m2: float


def viewshed(
    part: RasterPart,
    band: int,
    metres: float,
    question: SightQuestion,
    check: Callable[[float], None] = lambda share: None,
) -> Viewshed:
    """Return what can be seen from a place. `metres` is how many a unit of the heights has.

    Raises AtlasError for a place without data, a turned grid, or too many cells.
    """
    lattice, space = part.facts.lattice, Space.of(part)
    if not lattice.is_upright:
        raise AtlasError(part.ref, tr("its rows do not run east and west"), tr("Export it north up first."))
    if part.facts.crs is None:
        raise AtlasError(part.ref, tr("distances need a CRS"), tr("State its CRS when it is opened."))
    col, row = (int(np.floor(value)) for value in lattice.to_cells(*question.at))
    if not (0 <= col < lattice.columns and 0 <= row < lattice.rows):
        raise AtlasError(part.ref, tr("the place lies outside it"), tr("Choose a place on the grid."))
    step_x, step_y = abs(lattice.a) * space.per_unit[0], abs(lattice.e) * space.per_unit[1]
    reach = question.reach if question.reach is not None else np.inf
    wide, high = (
        min(n, int(min(reach, 1e12) / step) + 1) for n, step in ((lattice.columns, step_x), (lattice.rows, step_y))
    )
    window = CellWindow(max(0, col - wide), max(0, row - high), min(lattice.columns, col + wide + 1),
                        min(lattice.rows, row + high + 1))  # fmt: skip
    rows, cols = window.shape
    if rows * cols > MOST_CELLS:
        raise AtlasError(
            part.ref, tr("{rows:,} cells are too many lines of sight", rows=rows * cols), tr("Choose a shorter reach.")
        )
    found = part.block(window, bands=(band,))
    heights = np.where(found.valid, found.values[0], np.nan).astype(np.float32) * np.float32(metres)
    at = row - window.first_row, col - window.first_column
    if not np.isfinite(heights[at]):
        raise AtlasError(part.ref, tr("there is no height at the place"), tr("Choose a place with data."))
    bend = (1.0 - question.refraction) / (2.0 * EARTH_RADIUS_M)
    missing = np.empty((rows, cols), np.float32)
    pieces = CORES * 16

    def some(first: int, last: int) -> None:
        fill_sight(heights, step_x, step_y, *at, question.eye, question.target, bend, reach, missing, first, last)

    done = 0
    for number in range(pieces):  # so that it can be stopped
        last = rows * (number + 1) // pieces
        base = done
        in_pieces(last - base, CORES, lambda a, b, base=base: some(base + a, base + b))  # type: ignore[misc]
        done = last
        check((number + 1) / pieces)
    known = np.isfinite(missing)
    area = step_x * step_y
    if is_geographic(part.facts.crs):
        own = lattice.within(window)
        areas = row_areas(own.f + own.e * np.arange(rows + 1), abs(own.a), part.facts.crs)
    else:
        areas = np.full(rows, area)
    seen = ((missing == 0) & known).sum(axis=1) @ areas
    return Viewshed(Grid(missing[None], known, lattice.within(window)), float(seen), float(known.sum(axis=1) @ areas))
