"""Drawing grids: cells to colours, at the resolution of the view or of the file, whichever is coarser."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model import GridStyle, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place import metres_per_unit, same_crs, transform_extent
from brisk_atlas.core.read import Holdings, Source

from . import ramps
from .bands import in_bands
from .coverage import colour_by_bands, colour_by_ramp, hillshade
from .limits import grid_limits
from .view import View

NO_LIGHT = np.zeros((0, 0), np.float32)
PLAIN_PHOTO = ("red", "green", "blue")


def draw_raster(image: np.ndarray, holdings: Holdings, source: Source, style: GridStyle, view: View) -> None:
    """Draw one raster layer into a clear picture."""
    part = holdings.raster(source)
    assert part.facts.grid is not None and part.facts.extent is not None
    placed = transform_extent(part.facts.extent, view.crs)
    if placed is not None and placed.intersection(view.extent) is None:
        return
    limits = [grid_limits(holdings, source, band, style.stretch) for band in style.bands]
    if same_crs(part.facts.crs, view.crs) and view.resolution < part.facts.grid.resolution[0]:
        _draw_cells(image, part, style, limits, view)
        return
    grid = part.read(view.extent, (view.height, view.width), bands=style.bands, smooth=style.smooth)
    colour(grid, style, limits, image)


def _draw_cells(
    image: np.ndarray, part: RasterPart, style: GridStyle, limits: list[tuple[float, float]], view: View
) -> None:
    """Closer than the file's own cells: colour those, then show each as the square it is."""
    assert part.facts.grid is not None
    seen = view.extent
    two_cells = 2 * part.facts.grid.resolution[0] / max(seen.width, seen.height)
    grid = part.native(seen.grown(two_cells), bands=style.bands)
    if not grid.valid.size:
        return
    small = np.zeros((*grid.shape, 4), np.uint8)
    colour(grid, style, limits, small)
    left, upper = view.origin
    width, height = grid.cell
    cols = np.floor((left + (np.arange(view.width) + 0.5) * view.resolution - grid.extent.xmin) / width).astype(int)
    rows = np.floor((grid.extent.ymax - upper + (np.arange(view.height) + 0.5) * view.resolution) / height).astype(int)
    in_cols, in_rows = (cols >= 0) & (cols < grid.shape[1]), (rows >= 0) & (rows < grid.shape[0])
    image[np.ix_(in_rows, in_cols)] = small[np.ix_(rows[in_rows], cols[in_cols])]


def colour(grid: Grid, style: GridStyle, limits: list[tuple[float, float]], image: np.ndarray) -> None:
    """Colour a grid of the picture's own size, by ramp with optional light, or as three bands."""
    if len(style.bands) == 3:
        lows, highs = np.array(limits, float).T
        in_bands(
            image.shape[0], lambda a, b: colour_by_bands(grid.values[:, a:b], grid.valid[a:b], lows, highs, image[a:b])
        )
        return
    light = NO_LIGHT
    if style.shade > 0:
        across = metres_per_unit(grid.extent.crs, grid.extent.centre[1])
        cell_x, cell_y = grid.cell[0] * across, grid.cell[1] * metres_per_unit(grid.extent.crs)
        light = hillshade(grid.values[0], grid.valid, cell_x, cell_y, style.shade)
    low, high = limits[0]
    table = ramps.ramp(style.ramp)
    in_bands(
        image.shape[0],
        lambda a, b: colour_by_ramp(
            grid.values[0, a:b], grid.valid[a:b], low, high, table, light[a:b] if light.size else light, image[a:b]
        ),
    )
