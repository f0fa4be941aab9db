"""Making a terrain: the heights of a grid and the drawn layers as its picture."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.frame import Painter
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.facts import Facts
from brisk_atlas.core.place import metres_per_unit

from .terrain import Terrain

MOST_CELLS = 420  # on the longer side; enough for a smooth turn on a processor without graphics
DRAPE_PIXELS = 1400


def terrain_of(painter: Painter, surface: Layer, draped: list[Layer], background: str) -> Terrain:
    """Return the terrain of a raster layer with `draped` layers (bottom first) as its picture.

    Heights are read at most 420 cells wide, so small relief is smoothed; the drape is finer.
    """
    part = painter.cache.raster(surface.ref)
    facts: Facts = part.facts
    assert facts.extent is not None and facts.grid is not None
    shrink = max(1.0, max(facts.grid.width, facts.grid.height) / MOST_CELLS)
    shape = max(2, round(facts.grid.height / shrink)), max(2, round(facts.grid.width / shrink))
    grid = part.read(facts.extent, shape, smooth=True)
    heights = np.where(grid.valid, grid.values[0], np.nan).astype(np.float32)

    fine = max(facts.extent.width, facts.extent.height) / DRAPE_PIXELS
    view = View(
        *facts.extent.centre,
        fine,
        max(2, round(facts.extent.width / fine)),
        max(2, round(facts.extent.height / fine)),
        facts.crs,
    )
    frame = whole_frame(painter, draped, view)
    paper = np.array([int(background[i : i + 2], 16) for i in (1, 3, 5)])
    rest = 1 - frame.image[..., 3:] / 255.0
    drape = np.clip(frame.image[..., :3] + rest * paper, 0, 255).astype(np.uint8)
    scale_x = metres_per_unit(facts.crs, facts.extent.centre[1])
    return Terrain(
        heights, facts.extent.width * scale_x, facts.extent.height * metres_per_unit(facts.crs), drape, surface.name
    )
