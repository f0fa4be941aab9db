"""Compile the kernels ahead of the first picture: `python -m brisk_atlas.core.draw.warm`."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.read.wkb import shapes_of

from .coverage import blend, colour_by_bands, colour_by_ramp, draw_points, hillshade
from .ramps import ramp
from .vector import draw_shapes
from .view import View

_SQUARE = bytes.fromhex(
    "010300000001000000050000000000000000000000000000000000000000000000000010400000000000000000"
    "00000000000010400000000000001040000000000000000000000000000010400000000000000000"
    "0000000000000000"
)


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is kept beside the sources."""
    view = View(2, 2, 0.5, 16, 16)
    image = np.zeros((16, 16, 4), np.uint8)
    shapes, _ = shapes_of(pa.array([_SQUARE], pa.binary()))
    ink = np.array([[10.0, 20.0, 30.0, 1.0]])
    draw_shapes(image, shapes, np.array([0]), ink, ink, VectorStyle(), view, lambda: None)
    draw_points(image, 0, 16, np.zeros(1), np.zeros(1), np.zeros((1, 3), np.uint8), 0.0, 4.0, 0.5, 2.0)
    blend(image, image.copy(), 0.5, 0, 16)
    valid, light = np.ones((4, 4), bool), np.ones((4, 4), np.float32)
    small = np.zeros((4, 4, 4), np.uint8)
    for kind in (np.float32, np.uint16, np.uint8, np.int16, np.float64):
        values = np.ones((3, 4, 4), kind)
        colour_by_ramp(values[0], valid, 0.0, 1.0, ramp("ink"), light, small)
        colour_by_bands(values, valid, np.zeros(3), np.ones(3), small)
        hillshade(values[0], valid, 1.0, 1.0, 1.0)


if __name__ == "__main__":
    warm()
