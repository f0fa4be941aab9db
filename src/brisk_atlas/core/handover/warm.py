"""Compile the kernels of recipes ahead of their first use."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model import CellWindow
from brisk_atlas.core.place.crs import transformer_between

from .cube_kernels import SLOTS, SeenCubes
from .patched_moves import MANY, moved_in_patches
from .warp_kernels import warped
from .wkb_moves import COMPILED_FROM, moved_wkb, wkb_bounds

CELLS = np.uint8, np.int16, np.uint16, np.int32, np.float32, np.float64
LAID_OUT = "u2", "u4"  # what follows three integers in a point: its numbers begin at odd places, or do not


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    square = pa.chunked_array([shapely.to_wkb(np.full(COMPILED_FROM, shapely.box(0, 0, 1, 1)))], pa.binary())
    moved_wkb(square, lambda xy: xy)
    wkb_bounds(square)
    moved_in_patches(transformer_between("EPSG:32727", "EPSG:4326"), np.full((MANY, 2), 500_000.0))
    for rest in LAID_OUT:
        points = np.zeros(SLOTS, [("X", np.int32), ("Y", np.int32), ("Z", np.int32), ("rest", rest)])
        points["X"] = 4 * np.arange(SLOTS)  # more blocks than there is room for at first
        SeenCubes(np.ones(3), np.zeros(3), 1.0).first_in_cube(points["X"], points["Y"], points["Z"])
    window, places = CellWindow(0, 0, 3, 3), (np.ones((2, 2, 2)), 64)
    for dtype in CELLS:
        warped(np.ones((1, 3, 3), dtype), np.ones((3, 3), bool), window, places, (2, 2), (1.0, 1.0))
