"""Compiled index of shapes: rectangles around runs of vertices and of features, and finding by them."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model.shapes import AREA, POINT, POLYGON
from brisk_atlas.core.system.compiled import njit

JIT = {"nogil": True, "cache": True, "error_model": "numpy", "boundscheck": False, "_nrt": False}
BLOCK = 64  # vertices that share one rectangle in the index of a long path
FAN = 16  # features to a leaf, and nodes to the node above
DEEPEST = 16 * FAN  # nodes that can wait while the tree is gone through


@njit(**JIT)
def count_blocks(path_starts, block_starts):
    """Fill block_starts (paths + 1): where each path's blocks of vertices begin."""
    total = 0
    for path in range(path_starts.size - 1):
        block_starts[path] = total
        vertices = path_starts[path + 1] - path_starts[path]
        if vertices > 1:
            total += (vertices - 1 + BLOCK - 1) // BLOCK
    block_starts[path_starts.size - 1] = total


@njit(**JIT)
def fill_blocks(xy, path_starts, block_starts, blocks, first, last):
    """Fill blocks (n, 4): the bounds of each run of BLOCK edges, for paths `first` to `last`."""
    for path in range(first, last):
        start, end = path_starts[path], path_starts[path + 1]
        for block in range(block_starts[path], block_starts[path + 1]):
            a = start + (block - block_starts[path]) * BLOCK
            b = min(a + BLOCK, end - 1)
            xmin, ymin, xmax, ymax = np.inf, np.inf, -np.inf, -np.inf
            for i in range(a, b + 1):
                xmin, xmax = min(xmin, xy[i, 0]), max(xmax, xy[i, 0])
                ymin, ymax = min(ymin, xy[i, 1]), max(ymax, xy[i, 1])
            blocks[block, 0], blocks[block, 1], blocks[block, 2], blocks[block, 3] = xmin, ymin, xmax, ymax


@njit(**JIT)
def fill_areas(xy, path_starts, path_kinds, feature_starts, areas, first, last):
    """Fill areas (features): each one's area; holes, which turn the other way, count off. Shoelace formula."""
    for feature in range(first, last):
        twice = 0.0
        for path in range(feature_starts[feature], feature_starts[feature + 1]):
            if path_kinds[path] != POLYGON and path_kinds[path] != AREA:
                continue
            start, end = path_starts[path], path_starts[path + 1]
            x0, y0 = xy[start, 0], xy[start, 1]
            for i in range(start + 1, end - 1):
                twice += (xy[i, 0] - x0) * (xy[i + 1, 1] - y0) - (xy[i + 1, 0] - x0) * (xy[i, 1] - y0)
        areas[feature] = abs(twice) / 2.0


@njit(**JIT)
def _step(value):
    """Return a number as a step from 0 to 65,535; what is none, or lies outside, at the nearer end."""
    if not value > 0.0:
        return 0
    return int(value) if value < 65535.0 else 65535


@njit(**JIT)
def hilbert(bounds, xmin, ymin, scale, codes):
    """Fill codes (features): place along a Hilbert curve of order 16 of each bounds' middle.

    Source: J. Skilling (2004), "Programming the Hilbert curve", AIP Conf. Proc. 707, in two dimensions.
    """
    for i in range(bounds.shape[0]):
        cx, cy = 0.5 * (bounds[i, 0] + bounds[i, 2]), 0.5 * (bounds[i, 1] + bounds[i, 3])
        if not (np.isfinite(cx) and np.isfinite(cy)):
            codes[i] = np.uint32(0xFFFFFFFF)
            continue
        x, y = _step((cx - xmin) * scale), _step((cy - ymin) * scale)
        code = 0
        s = 32768
        while s > 0:
            rx = 1 if x & s else 0
            ry = 1 if y & s else 0
            code += s * s * ((3 * rx) ^ ry)
            if ry == 0:
                if rx == 1:
                    x, y = 65535 - x, 65535 - y
                x, y = y, x
            s >>= 1
        codes[i] = np.uint32(code)


@njit(**JIT)
def around(bounds):
    """Return xmin, ymin, xmax, ymax of bounds (n, 4), those that are NaN left out; the first is inf where all are."""
    xmin, ymin, xmax, ymax = np.inf, np.inf, -np.inf, -np.inf
    for i in range(bounds.shape[0]):
        if bounds[i, 0] <= bounds[i, 2]:
            xmin, ymin = min(xmin, bounds[i, 0]), min(ymin, bounds[i, 1])
            xmax, ymax = max(xmax, bounds[i, 2]), max(ymax, bounds[i, 3])
    return xmin, ymin, xmax, ymax


@njit(**JIT)
def fill_tree(bounds, order, level_starts, tree):
    """Fill tree (nodes, 4): bounds of each run of FAN features along the curve, then, level by level, of
    each run of FAN nodes of the level before; level_starts (levels + 1) says where each level begins."""
    for n in range(level_starts[1]):
        xmin, ymin, xmax, ymax = np.inf, np.inf, -np.inf, -np.inf
        for k in range(n * FAN, min((n + 1) * FAN, order.size)):
            i = order[k]
            if bounds[i, 0] <= bounds[i, 2]:
                xmin, ymin = min(xmin, bounds[i, 0]), min(ymin, bounds[i, 1])
                xmax, ymax = max(xmax, bounds[i, 2]), max(ymax, bounds[i, 3])
        tree[n, 0], tree[n, 1], tree[n, 2], tree[n, 3] = xmin, ymin, xmax, ymax
    for level in range(1, level_starts.size - 1):
        below, here = level_starts[level - 1], level_starts[level]
        for n in range(here, level_starts[level + 1]):
            xmin, ymin, xmax, ymax = np.inf, np.inf, -np.inf, -np.inf
            first = below + (n - here) * FAN
            for k in range(first, min(first + FAN, here)):
                xmin, ymin = min(xmin, tree[k, 0]), min(ymin, tree[k, 1])
                xmax, ymax = max(xmax, tree[k, 2]), max(ymax, tree[k, 3])
            tree[n, 0], tree[n, 1], tree[n, 2], tree[n, 3] = xmin, ymin, xmax, ymax


@njit(**JIT)
def find_in(bounds, order, tree, level_starts, waiting, xmin, ymin, xmax, ymax, found):
    """Write to `found` the features whose bounds meet the rectangle; returns how many there are, and
    writes no more than there is room for. `waiting` is room for (DEEPEST, 2) nodes and their levels."""
    count = 0
    top = level_starts.size - 2
    held = 0
    for n in range(level_starts[top], level_starts[top + 1]):
        waiting[held, 0], waiting[held, 1] = n, top
        held += 1
    while held > 0:
        held -= 1
        n, level = waiting[held, 0], waiting[held, 1]
        if tree[n, 0] > xmax or tree[n, 2] < xmin or tree[n, 1] > ymax or tree[n, 3] < ymin:
            continue
        first = (n - level_starts[level]) * FAN
        if level == 0:
            for k in range(first, min(first + FAN, order.size)):
                i = order[k]
                if bounds[i, 0] <= xmax and bounds[i, 2] >= xmin and bounds[i, 1] <= ymax and bounds[i, 3] >= ymin:
                    if count < found.size:
                        found[count] = i
                    count += 1
        else:
            below = level_starts[level - 1]
            for k in range(below + first, min(below + first + FAN, level_starts[level])):
                waiting[held, 0], waiting[held, 1] = k, level - 1
                held += 1
    return count


@njit(**JIT)
def hits(xy, path_starts, path_kinds, feature_starts, feature, x, y, tolerance):
    """Return whether a feature is at a position: polygons by the even-odd rule, exact; lines and points
    within `tolerance`."""
    inside = False
    reach = tolerance * tolerance
    for path in range(feature_starts[feature], feature_starts[feature + 1]):
        a, b = path_starts[path], path_starts[path + 1]
        if path_kinds[path] == POLYGON or path_kinds[path] == AREA:
            for i in range(a, b - 1):
                y0, y1 = xy[i, 1], xy[i + 1, 1]
                if (y0 > y) != (y1 > y):
                    x0, x1 = xy[i, 0], xy[i + 1, 0]
                    if x0 + (y - y0) * (x1 - x0) / (y1 - y0) > x:
                        inside = not inside
        elif path_kinds[feature_starts[feature]] == AREA:
            continue  # the outline of what was cut
        elif path_kinds[path] == POINT or b - a == 1:
            for i in range(a, b):
                dx, dy = xy[i, 0] - x, xy[i, 1] - y
                if dx * dx + dy * dy <= reach:
                    return True
        else:
            for i in range(a, b - 1):
                x0, y0 = xy[i, 0], xy[i, 1]
                dx, dy = xy[i + 1, 0] - x0, xy[i + 1, 1] - y0
                length = dx * dx + dy * dy
                t = 0.0 if length == 0.0 else min(1.0, max(0.0, ((x - x0) * dx + (y - y0) * dy) / length))
                ex, ey = x0 + t * dx - x, y0 + t * dy - y
                if ex * ex + ey * ey <= reach:
                    return True
    return inside


@njit(**JIT)
def hit_among(
    xy, path_starts, path_kinds, feature_starts, bounds, order, tree, level_starts, waiting, x, y, tolerance, found
):
    """Write to `found` the features that are at a position, as far as there is room; returns how many of
    those whose bounds are near there are, and how many of them are hit."""
    near = find_in(
        bounds, order, tree, level_starts, waiting, x - tolerance, y - tolerance, x + tolerance, y + tolerance, found
    )
    count = 0
    for k in range(min(near, found.size)):
        feature = found[k]
        if hits(xy, path_starts, path_kinds, feature_starts, feature, x, y, tolerance):
            found[count] = feature
            count += 1
    return near, count
