"""What the drawing kernels must know of shapes beforehand, and finding those in view."""

from __future__ import annotations

import numpy as np
from numba import njit

from brisk_atlas.core.model.shapes import POLYGON

from . import JIT
from .features import BLOCK


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
            if path_kinds[path] != POLYGON:
                continue
            start, end = path_starts[path], path_starts[path + 1]
            x0, y0 = xy[start, 0], xy[start, 1]
            for i in range(start + 1, end - 1):
                twice += (xy[i, 0] - x0) * (xy[i + 1, 1] - y0) - (xy[i + 1, 0] - x0) * (xy[i, 1] - y0)
        areas[feature] = abs(twice) / 2.0


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
        x = min(65535, max(0, int((cx - xmin) * scale)))
        y = min(65535, max(0, int((cy - ymin) * scale)))
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
def fill_leaves(bounds, order, leaf, leaves):
    """Fill leaves (n, 4): the bounds of each run of `leaf` features along the curve."""
    for n in range(leaves.shape[0]):
        xmin, ymin, xmax, ymax = np.inf, np.inf, -np.inf, -np.inf
        for k in range(n * leaf, min((n + 1) * leaf, order.size)):
            i = order[k]
            if bounds[i, 0] <= bounds[i, 2]:
                xmin, ymin = min(xmin, bounds[i, 0]), min(ymin, bounds[i, 1])
                xmax, ymax = max(xmax, bounds[i, 2]), max(ymax, bounds[i, 3])
        leaves[n, 0], leaves[n, 1], leaves[n, 2], leaves[n, 3] = xmin, ymin, xmax, ymax


@njit(**JIT)
def find_in(bounds, order, leaf, leaves, xmin, ymin, xmax, ymax, found):
    """Write to `found` the features whose bounds meet the rectangle; returns how many."""
    count = 0
    for n in range(leaves.shape[0]):
        if leaves[n, 0] > xmax or leaves[n, 2] < xmin or leaves[n, 1] > ymax or leaves[n, 3] < ymin:
            continue
        for k in range(n * leaf, min((n + 1) * leaf, order.size)):
            i = order[k]
            if bounds[i, 0] <= xmax and bounds[i, 2] >= xmin and bounds[i, 1] <= ymax and bounds[i, 3] >= ymin:
                found[count] = i
                count += 1
    return count
