"""Compile the kernels ahead of the first picture."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CloudStyle, GridStyle, Stretch, VectorStyle
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.read.kernels import reduce_mean, reduce_nearest
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import shapes_of
from brisk_atlas.core.system.compiled import is_stored

from .cloud import draw_order, point_inks
from .cloud_order import order_of
from .ink import pixels_of
from .kernels.grid import CUBIC, blend_pixels, pick, sample
from .kernels.pixels import NORMAL, blend
from .raster import colour
from .vector import Inks, draw_vector
from .view import View

_SQUARE = bytes.fromhex(
    "010300000001000000050000000000000000000000000000000000000000000000000010400000000000000000"
    "00000000000010400000000000001040000000000000000000000000000010400000000000000000"
    "0000000000000000"
)
_POINT = bytes.fromhex("0101000000000000000000f03f000000000000f03f")


def is_compiled() -> bool:
    """Return whether the kernels were compiled here before; if not, the first picture waits for the compiler."""
    return is_stored(blend)


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    view = View(2, 2, 0.5, 16, 16)
    image = np.zeros((16, 16, 4), np.uint8)
    index = index_of(shapes_of(pa.array([_SQUARE, _POINT], pa.binary()))[0])
    index.found_by_tree(view.extent)
    index.at(1.0, 1.0, 0.1)
    for style in (VectorStyle(), VectorStyle(dash=(2, 2), hatch="rising", width=6)):
        draw_vector(image, index, Inks(), style, view)
    blend(image, image.copy(), 0.5, NORMAL, 0, 16)
    cells = np.ones((8, 8), np.float32)
    nodes = np.array([[0.5, 20.5], [0.5, 20.5]]), np.array([[0.5, 0.5], [20.5, 20.5]])
    out = np.zeros((16, 16), np.float32)
    sample(cells, *nodes, 16, CUBIC, out, 0, 16)
    pick(np.zeros((8, 8), np.uint32), *nodes, 16, pixels_of(image), 0, 16)
    blend_pixels(np.zeros((8, 8), np.uint32), *nodes, 16, pixels_of(image), 0, 16)
    limits, metre = [(0.0, 1.0)] * 3, (1.0, 0.0, 0.0, -1.0)
    colour([out], GridStyle(shade=1.0, lights=4), limits, metre, pixels_of(image), 0)
    colour([out], GridStyle(own_colours=True), limits, metre, pixels_of(image), 0, ((1, "#000000", ""),))
    colour([out] * 3, GridStyle((1, 2, 3), stretch=Stretch(gamma=2.0)), limits, metre, pixels_of(image), 0)
    points = Points(np.ones((4, 3)), {}, None)
    order = order_of(points, None)
    inks = order.inks(point_inks(points, CloudStyle()))
    draw_order(image, order, inks, 2.0, view, lambda: None, lambda: None)
    reduced = np.empty((2, 2), np.float32)
    reduce_mean(cells, 4, reduced)
    reduce_nearest(cells, 4, reduced)
