"""Contour lines of a grid as its look: lines of equal value under the pixels of a view."""

from __future__ import annotations

from math import ceil, floor
from typing import Any, cast

import numpy as np

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import LINE, Shapes, bounds_of
from brisk_atlas.core.read.shape_index import index_of

from .vector import Inks, draw_vector
from .view import View

MOST_LEVELS = 150  # beyond that the lines would fill the picture
HEAVY = 5  # every fifth line is drawn heavier
WIDTHS = 0.7, 1.5  # pixels


def levels_of(low: float, high: float, interval: float) -> np.ndarray | None:
    """Return the multiples of an interval between two values, whole steps from 0; None where they are too many."""
    if not (interval > 0 and np.isfinite(low) and np.isfinite(high)):
        return np.empty(0)
    first, last = ceil(low / interval), floor(high / interval)
    return np.arange(first, last + 1) if last - first < MOST_LEVELS else None


def draw_contours(image: np.ndarray, values: np.ndarray, interval: float, colour: str, density: float) -> str:
    """Draw lines of equal value on a picture; returns what is to be reported.

    values : (rows, cols) float32 of the pixels of the picture, NaN without data
    """
    known = values[np.isfinite(values)]
    if not known.size:
        return ""
    steps = levels_of(float(known.min()), float(known.max()), interval)
    if steps is None:
        return tr("contours every {interval:g} are too many at this scale", interval=interval)
    if not steps.size:
        return ""
    from contourpy import LineType, contour_generator  # not needed by grids without contours

    made = contour_generator(z=np.ma.masked_invalid(values), name="serial", line_type=LineType.ChunkCombinedOffset)
    runs: list[np.ndarray] = []
    offsets, owners = [0], []
    for number, step in enumerate(steps.tolist()):
        (points,), (starts,) = cast(tuple[list[Any], list[Any]], made.lines(step * interval))
        if points is None:
            continue
        runs.append(points)
        offsets += (starts[1:].astype(int) + offsets[-1]).tolist()
        owners += [number] * (len(starts) - 1)
    if not runs:
        return ""
    height, width = values.shape
    xy = (np.concatenate(runs) + 0.5) * (1, -1)  # the value of a pixel is that of its middle
    paths = np.array(offsets, np.int64)
    features = np.searchsorted(owners, np.arange(len(steps) + 1)).astype(np.int64)
    kinds = np.full(len(owners), LINE, np.uint8)
    index = index_of(Shapes(xy, None, paths, kinds, features, bounds_of(xy, paths, features)))
    widths = np.where(steps % HEAVY == 0, WIDTHS[1], WIDTHS[0]).astype(np.float32)
    style = VectorStyle(line=colour, width=WIDTHS[1])
    view = View(width / 2, -height / 2, 1.0, width, height, None, density)
    draw_vector(image, index, Inks(widths=widths), style, view)
    return ""
