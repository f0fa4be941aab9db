"""Drawing many features, in order, from flat coordinates."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from brisk_atlas.core.model.shapes import AREA, LINE, POINT, POLYGON
from brisk_atlas.core.read.index_kernels import BLOCK
from brisk_atlas.core.system.compiled import njit

from . import JIT
from .fill import EVEN_ODD, NO_HATCH, NON_ZERO, add_edge, sweep
from .pixels import lay_box, thinned
from .stroke import DASH, LEFT, ROUND, THIN_PX, begin, dash_to, draw_to, finish
from .thin import GRAIN, SIDE, lay_near, near_path

DOT_PX = 1.5  # a feature no larger than this is drawn as a box of its own area
STEP_PX = 0.35  # a stroke leaves out vertices nearer than this to the last one drawn
TINY_FILL_PX, TINY_STROKE_PX = 0.1, 0.5  # a block no larger than this is drawn as one edge
NEAR = 60  # rows and columns up to which a feature is drawn in the small buffer
REACH = 4.0  # how many half widths a mitred corner may stand out


class IndexArrays(NamedTuple):
    """Features as flat arrays, with the rectangles that say which of them, and of their vertices, are in sight."""

    xy: np.ndarray  # (vertices, 2) float64 map coordinates
    path_starts: np.ndarray  # (paths + 1,) first vertex of each
    path_kinds: np.ndarray  # (paths,) POINT, LINE, POLYGON or AREA
    feature_starts: np.ndarray  # (features + 1,) first path of each
    bounds: np.ndarray  # (features, 4) west, south, east, north
    areas: np.ndarray  # (features,) map units squared
    block_starts: np.ndarray  # (paths + 1,) first block of each
    blocks: np.ndarray  # (blocks, 4) bounds of BLOCK vertices


class Marks(NamedTuple):
    """The features that are drawn, in order, each with its colours and its width."""

    features: np.ndarray  # (marks,) places in the index
    bodies: np.ndarray  # (marks,) uint32 ink of the fill, or of a line; 0 for none
    lines: np.ndarray  # (marks,) uint32 ink of the outline; 0 for none
    halves: np.ndarray  # (marks,) float32 half the stroke's width, pixels; 0 for none


class Corner(NamedTuple):
    """Where the picture lies: the map position of its top left corner, and map units a pixel."""

    left: float
    upper: float
    per_pixel: float


class StrokeForm(NamedTuple):
    """How corners and ends look; lengths drawn and left out in turn, pixels, none for an unbroken stroke."""

    join: int
    cap: int
    dashes: np.ndarray


class HatchForm(NamedTuple):
    """Which pattern fills, its gap and weight in pixels, and where it begins, so that it stays on the map."""

    kind: int
    gap: float
    weight: float
    at_x: float
    at_y: float


class Scratch(NamedTuple):
    """Clean buffers of a band, and NEAR x NEAR ones for small features; scratch of `thin` and of `stroke`."""

    wide_area: np.ndarray
    wide_lo: np.ndarray
    wide_hi: np.ndarray
    near_area: np.ndarray
    near_lo: np.ndarray
    near_hi: np.ndarray
    nearest: np.ndarray
    inside: np.ndarray
    pen: np.ndarray


@njit(**JIT)
def _on_buffer(bounds, i, left, upper, scale):
    """Return the i-th rectangle of the map in pixels: left, upper, right and lower edge."""
    return (
        (bounds[i, 0] - left) * scale,
        (upper - bounds[i, 3]) * scale,
        (bounds[i, 2] - left) * scale,
        (upper - bounds[i, 1]) * scale,
    )


@njit(**JIT)
def _fill_path(area, lo, hi, xy, start, end, blocks, block, left, upper, scale, rows, width):
    """Add a ring's edges; blocks of vertices that are out of sight count as one edge."""
    if end - start < 3:
        return
    fx, fy = (xy[start, 0] - left) * scale, (upper - xy[start, 1]) * scale
    ax, ay = fx, fy
    i = start
    while i < end - 1:
        stop = min(i + BLOCK, end - 1)
        x0, y0, x1, y1 = _on_buffer(blocks, block, left, upper, scale)
        block += 1
        if y1 <= 0.0 or y0 >= rows:
            ax, ay = (xy[stop, 0] - left) * scale, (upper - xy[stop, 1]) * scale
        elif x1 <= 0.0 or x0 >= width or (x1 - x0 < TINY_FILL_PX and y1 - y0 < TINY_FILL_PX):
            bx, by = (xy[stop, 0] - left) * scale, (upper - xy[stop, 1]) * scale
            add_edge(area, lo, hi, ax, ay, bx, by, rows, width)
            ax, ay = bx, by
        else:
            for k in range(i + 1, stop + 1):
                bx, by = (xy[k, 0] - left) * scale, (upper - xy[k, 1]) * scale
                add_edge(area, lo, hi, ax, ay, bx, by, rows, width)
                ax, ay = bx, by
        i = stop
    add_edge(area, lo, hi, ax, ay, fx, fy, rows, width)


@njit(**JIT)
def _stroke_path(
    area, lo, hi, pen, xy, start, end, blocks, block, closed, left, upper, scale, half, join, cap, dashes, rows, width
):  # fmt: skip
    """Add the outline of a stroke along one path."""
    reach = half * REACH + 1.0 if half > THIN_PX else half + 1.0
    px, py = (xy[start, 0] - left) * scale, (upper - xy[start, 1]) * scale
    begin(pen, px, py)
    dashed = dashes.size > 1
    if dashed:
        pen[DASH], pen[LEFT] = 0.0, dashes[0]
    i = start
    while i < end - 1:
        stop = min(i + BLOCK, end - 1)
        x0, y0, x1, y1 = _on_buffer(blocks, block, left, upper, scale)
        block += 1
        unseen = y1 < -reach or y0 > rows + reach or x1 < -reach or x0 > width + reach
        tiny = x1 - x0 < TINY_STROKE_PX and y1 - y0 < TINY_STROKE_PX
        first = stop if (unseen or tiny) and not dashed else i + 1
        for k in range(first, stop + 1):
            bx, by = (xy[k, 0] - left) * scale, (upper - xy[k, 1]) * scale
            if k < end - 1 and abs(bx - px) < STEP_PX and abs(by - py) < STEP_PX:
                continue
            if dashed:
                dash_to(area, lo, hi, pen, bx, by, dashes, half, join, cap, rows, width)
            else:
                draw_to(area, lo, hi, pen, bx, by, half, join, rows, width)
            px, py = bx, by
        i = stop
    if not dashed or pen[0] > 0.0:
        finish(area, lo, hi, pen, closed and not dashed, half, join, cap, rows, width)


@njit(**JIT)
def draw_features(image, top, bottom, index, marks, first, last, corner, stroke, hatch, scratch):
    """Draw the `marks` from `first` to `last` into rows `top` to `bottom`: polygons filled (even-odd), then
    stroked; lines stroked. Points are drawn elsewhere.

    image : (rows, columns) uint32 pixels
    index, marks, corner, stroke, hatch : what is drawn, where and how
    scratch : of this band alone; left clean
    """
    xy, path_starts, path_kinds, feature_starts, bounds, areas, block_starts, blocks = index
    features, bodies, lines, halves = marks
    left, upper, per_pixel = corner
    join, cap, dashes = stroke
    wide_area, wide_lo, wide_hi, near_area, near_lo, near_hi, nearest, inside, pen = scratch
    width = image.shape[1]
    scale = 1.0 / per_pixel
    for k in range(first, last):
        feature = features[k]
        half = float(halves[k])
        x0, y0, x1, y1 = _on_buffer(bounds, feature, left, upper, scale)
        reach = half * REACH + 1.0 if half > THIN_PX else half + 1.0
        if not (y1 > top - reach and y0 < bottom + reach and x1 > -reach and x0 < width + reach):
            continue
        path0, path1 = feature_starts[feature], feature_starts[feature + 1]
        if path0 == path1 or path_kinds[path0] == POINT:
            continue
        body, line = bodies[k], lines[k]
        strength = min(1.0, 2.0 * half)  # a stroke thinner than a pixel is a paler one
        half = max(half, 0.5) if half > 0.0 else 0.0
        wide, tall = x1 - x0, y1 - y0
        is_line = path_kinds[path0] == LINE
        ink = body if is_line else line
        if wide <= DOT_PX and tall <= DOT_PX:
            if not is_line and body != 0:
                w, h = max(wide, 0.02), max(tall, 0.02)
                density = min(1.0, areas[feature] * scale * scale / (w * h))
                lay_box(image, top, bottom, x0, y0, x0 + w, y0 + h, density, body, False)
            if half > 0.0 and ink != 0:
                w, h = wide + 2.0 * half, tall + 2.0 * half
                density = 1.0 - (4.0 - np.pi) * half * half / (w * h)  # its corners are round
                lay_box(image, top, bottom, x0 - half, y0 - half, x1 + half, y1 + half, density * strength, ink, True)
            continue
        row0 = max(top, int(np.floor(max(y0 - reach, float(top)))))
        rows = min(bottom, int(np.ceil(min(y1 + reach, float(bottom))))) - row0
        col0 = int(np.floor(max(x0 - reach, 0.0)))
        cols = int(np.ceil(min(x1 + reach, float(width)))) - col0
        if rows <= 0 or cols <= 0:
            continue
        if rows <= NEAR and cols <= NEAR:
            area, lo, hi = near_area, near_lo, near_hi
        else:
            area, lo, hi = wide_area, wide_lo, wide_hi
        own_left, own_upper = left + col0 * per_pixel, upper - row0 * per_pixel
        if strength < 1.0:
            ink = thinned(ink, strength)
        small = rows <= SIDE and cols <= SIDE and 0.0 < half <= THIN_PX and ink != 0 and path_kinds[path0] != AREA
        if small and hatch.kind == NO_HATCH and dashes.size == 0 and (cap == ROUND or not is_line):
            for path in range(path0, path1):
                near_path(nearest, inside, xy, path_starts[path], path_starts[path + 1], own_left, own_upper,
                          scale * GRAIN, STEP_PX * GRAIN, rows * GRAIN, cols * GRAIN, (half + 0.5) * GRAIN)  # fmt: skip
            only_ink = np.uint32(0) if is_line else body
            lay_near(nearest, inside, image, row0, col0, rows, cols, only_ink, ink, half * GRAIN)
            continue
        if not is_line and body != 0:
            for path in range(path0, path1):
                if path_kinds[path] == POLYGON or path_kinds[path] == AREA:
                    _fill_path(area, lo, hi, xy, path_starts[path], path_starts[path + 1], blocks, block_starts[path],
                               own_left, own_upper, scale, rows, cols)  # fmt: skip
            sweep(area, lo, hi, image, row0, col0, rows, cols, body, EVEN_ODD,
                  hatch.kind, hatch.gap, hatch.weight, hatch.at_x, hatch.at_y)  # fmt: skip
        if half <= 0.0 or ink == 0:
            continue
        for path in range(path0, path1):
            if path_kinds[path] != POINT and path_kinds[path] != AREA:
                closed = path_kinds[path] == POLYGON
                _stroke_path(area, lo, hi, pen, xy, path_starts[path], path_starts[path + 1], blocks,
                             block_starts[path], closed, own_left, own_upper, scale, half, join, cap, dashes,
                             rows, cols)  # fmt: skip
        sweep(area, lo, hi, image, row0, col0, rows, cols, ink, NON_ZERO, NO_HATCH, 1.0, 1.0, 0.0, 0.0)
