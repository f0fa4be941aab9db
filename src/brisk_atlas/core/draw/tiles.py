"""Drawing what services draw: the tiles that are in memory at once, coarser ones where they are missing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from brisk_atlas.core.model import CellWindow
from brisk_atlas.core.place import mesh_of, transform_extent
from brisk_atlas.core.place.extents import meets_in_worlds
from brisk_atlas.core.read.tile_store import TILES
from brisk_atlas.core.read.tiled_pictures import TiledPictures

from .bands import in_bands
from .drawn import Drawn, note_missing
from .ink import pixels_of
from .kernels import grid as kernels
from .raster import cell_window, channel_of
from .view import View

NEARER = 1.01  # a level may be so much coarser than the picture, for rounding


def draw_tiles(
    image: np.ndarray, part: TiledPictures, view: View, *, smooth: bool, check: Callable[[], None] = lambda: None
) -> Drawn:
    """Draw a layer of a service into a clear picture, and have what is missing fetched."""
    assert part.facts.extent is not None
    placed = transform_extent(part.facts.extent, view.crs)
    if placed is not None and not meets_in_worlds(placed, view.extent):
        return Drawn()
    channel = channel_of(part, part.ref, 1, mesh_of(view.lattice, part.facts.crs))
    levels = part.levels(1)
    level = max(
        (le for le in levels if le.factor_x <= max(1.0, channel.cells_a_pixel * NEARER)), key=lambda le: le.factor_x
    )
    missing = []
    for turn in channel.turns:
        check()
        here = channel.shifted(turn)
        window = cell_window(here, level, view)
        if window is None:
            continue
        picture, gone = part.mosaic(level, CellWindow(*window))
        missing += gone
        draw = partial(
            kernels.blend_pixels if smooth else kernels.pick,
            pixels_of(picture),
            here.col / level.factor_x - window[0],
            here.row / level.factor_y - window[1],
            here.step,
            pixels_of(image),
        )
        in_bands(view.height, draw)
    drawn = Drawn()
    note_missing(drawn, len(missing), TILES.want(part.pictures, missing) if missing else [])
    return drawn
