"""Outlines and lines of text on pixels."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.draw.ink import NO_INK
from brisk_atlas.core.draw.outlines import Outlines, Pen
from brisk_atlas.core.draw.vector import draw_shapes, ink_of
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import LINE, POLYGON, Shapes, bounds_of
from brisk_atlas.core.read.shape_index import index_of

from .lettering import letter_paths
from .surface import INK


def write_on(
    image: np.ndarray, text: str, x: float, y: float, size: float, colour: str = INK, face: str = "sans"
) -> None:
    """Write one line on (rows, cols, 4) uint8 premultiplied RGBA, from the left end of its baseline, in pixels."""
    paths = letter_paths(text, size, face)
    if paths:
        starts = np.concatenate([[0], np.cumsum([len(path) for path in paths])])
        draw_outlines(
            image, Outlines(np.concatenate(paths), starts, np.array([0, len(paths)]), True, colour), at=(x, y)
        )


def draw_outlines(
    image: np.ndarray, outlines: Outlines, scale: float = 1.0, at: tuple[float, float] = (0.0, 0.0)
) -> None:
    """Draw shapes on (rows, cols, 4) uint8 premultiplied RGBA: their positions times `scale`, moved by `at`, pixels."""
    xy = (outlines.xy * scale + at) * (1.0, -1.0)
    starts, of = np.asarray(outlines.path_starts, np.int64), np.asarray(outlines.shape_starts, np.int64)
    if outlines.closed:
        xy, starts = _ended_where_begun(xy, starts)
    kinds = np.full(len(starts) - 1, POLYGON if outlines.closed else LINE, np.uint8)
    index = index_of(Shapes(xy, None, starts, kinds, of, bounds_of(xy, starts, of)))
    features = np.arange(len(of) - 1)
    pen = outlines.pen or Pen(INK, 0.0)
    inks = [np.full(len(features), ink_of(colour) if colour else NO_INK) for colour in (outlines.fill, pen.colour)]
    bodies, lines = inks if outlines.closed else (inks[1], inks[1])
    style = VectorStyle(join=pen.join, cap=pen.cap, dash=tuple(each * scale for each in pen.dash))
    halves = np.full(len(features), pen.width * scale / 2, np.float32)
    view = View(image.shape[1] / 2, -image.shape[0] / 2, 1.0, image.shape[1], image.shape[0])
    draw_shapes(image, index, features, bodies, lines, halves, style, view)


def _ended_where_begun(xy: np.ndarray, starts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return rings that end in the vertex that they begin with."""
    firsts, ends = starts[:-1], starts[1:]
    made = np.insert(xy, ends, xy[firsts], axis=0)
    return made, starts + np.arange(len(starts))
