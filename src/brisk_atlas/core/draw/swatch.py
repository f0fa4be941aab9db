"""What a legend shows of a style: a piece of area, of line, or a symbol, drawn as the map draws it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON, Shapes, bounds_of
from brisk_atlas.core.read.shape_index import index_of

from . import ramps
from .classes import Colouring
from .vector import Inks, draw_vector
from .view import View

LARGEST_SHARE = 0.82  # of the swatch's height, for symbols and strokes


def swatch(style: VectorStyle, shape: int, colour: str | None, size: tuple[int, int], density: float) -> np.ndarray:
    """Return (height, width, 4) uint8 premultiplied RGBA of a style for one kind of path.

    shape : POINT, LINE or POLYGON; colour : of a class, None for the style's own; size : width and height in pixels
    """
    width, height = size
    inset = 1.0 + min(style.width, 3.0) * density / 2
    if shape == POINT:
        xy = [(width / 2, height / 2)]
    elif shape == LINE:
        xy = [
            (1.0, height * 0.3),
            (width * 0.35, height * 0.72),
            (width * 0.65, height * 0.3),
            (width - 1.0, height * 0.7),
        ]
    else:
        xy = [(inset, inset), (width - inset, inset), (width - inset, height - inset), (inset, height - inset)]
        xy.append(xy[0])
    most = height * LARGEST_SHARE / density
    plain = replace(
        style,
        size=min(style.size, most),
        width=min(style.width, most / 2),
        casing=min(style.casing, most / 4),
        hatch_gap=min(style.hatch_gap, most / 2),
        width_by=None,
        size_by=None,
        colour_by=None,
        label=None,
    )
    points = np.array(xy, float) * (1, -1)
    starts, one = np.array([0, len(points)], np.int64), np.array([0, 1], np.int64)
    kinds = np.array([shape], np.uint8)
    index = index_of(Shapes(points, None, starts, kinds, one, bounds_of(points, starts, one)))
    inks = Inks() if colour is None else Inks(Colouring(ramps.rgb_of(colour)[None].astype(np.uint8)))
    image = np.zeros((height, width, 4), np.uint8)
    draw_vector(image, index, inks, plain, View(width / 2, -height / 2, 1.0, width, height, None, density))
    return image


def shape_of(geometry: str) -> int:
    """Return the kind of path that stands for a geometry type as it is named."""
    return LINE if "Line" in geometry or "Curve" in geometry else POINT if "Point" in geometry else POLYGON
