"""What a legend shows of a style: a piece of area, of line, or a symbol, drawn as the map draws it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON, Shapes, bounds_of
from brisk_atlas.core.read.shape_index import ShapeIndex, index_of

from . import ramps
from .classes import Colouring
from .outlines import Outlined, outlines_of
from .vector import Inks, draw_vector
from .view import View

LEGEND_PX, LEGEND_DENSITY = (44, 28), 2.0  # width and height of what stands beside an entry of a legend on a screen
LARGEST_SHARE = 0.82  # of the swatch's height, for symbols and strokes


@dataclass(frozen=True)
class Swatch:
    """A piece of a style for one kind of path (POINT, LINE or POLYGON); `colour` is of a class, None for the style's
    own."""

    style: VectorStyle
    shape: int
    colour: str | None = None

    def picture(self, size: tuple[int, int], density: float) -> np.ndarray:
        """Return (height, width, 4) uint8 premultiplied RGBA; `size` is width and height in pixels."""
        return _picture(self, size, density)

    @property
    def beside_entry(self) -> np.ndarray:
        """The picture beside an entry of a legend on a screen."""
        return self.picture(LEGEND_PX, LEGEND_DENSITY)

    def outlines(self, size: tuple[int, int]) -> list[Outlined]:
        """Return what it is drawn of, in pixels of a screen."""
        index, inks, style = _piece(self, size, 1.0)
        return outlines_of(index, inks, style, _view(size, 1.0)) or []


@lru_cache(512)
def _picture(swatch: Swatch, size: tuple[int, int], density: float) -> np.ndarray:
    image = np.zeros((size[1], size[0], 4), np.uint8)
    index, inks, style = _piece(swatch, size, density)
    draw_vector(image, index, inks, style, _view(size, density))
    return image


def _view(size: tuple[int, int], density: float) -> View:
    return View(size[0] / 2, -size[1] / 2, 1.0, *size, None, density)


def _piece(swatch: Swatch, size: tuple[int, int], density: float) -> tuple[ShapeIndex, Inks, VectorStyle]:
    """Return the path of a swatch, its colour, and its style so that it finds room."""
    style, shape = swatch.style, swatch.shape
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
    inks = Inks() if swatch.colour is None else Inks(Colouring(ramps.rgb_of(swatch.colour)[None].astype(np.uint8)))
    return index, inks, plain


def shape_of(geometry: str) -> int:
    """Return the kind of path that stands for a geometry type as it is named."""
    return LINE if "Line" in geometry or "Curve" in geometry else POINT if "Point" in geometry else POLYGON
