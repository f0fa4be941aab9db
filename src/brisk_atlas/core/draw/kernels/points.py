"""Point clouds from above: an order by level of detail, and the highest point in each pixel."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT


@njit(**JIT)
def _scatter(i):
    """Return an even-looking number from 0 to 1 for a place in the file, always the same.

    Source: the finalizer of MurmurHash3, A. Appleby, public domain.
    """
    h = np.uint64(i) * np.uint64(0xFF51AFD7ED558CCD)
    h ^= h >> np.uint64(33)
    h *= np.uint64(0xC4CEB9FE1A85EC53)
    h ^= h >> np.uint64(33)
    return float(h >> np.uint64(11)) / 9007199254740992.0


@njit(**JIT)
def reach_of(xy, out):
    """Fill out (4,) with the minimum x and y and the maximum x and y that are known."""
    for i in range(xy.shape[0]):
        x, y = xy[i, 0], xy[i, 1]
        if x == x and y == y:
            out[0], out[1] = min(out[0], x), min(out[1], y)
            out[2], out[3] = max(out[2], x), max(out[3], y)


@njit(**JIT)
def ramp_inks(values, low, high, gamma, table, out, first, last):
    """Fill out[first:last] with the ink of each value; table : (256,) uint32 from low to high."""
    span = high - low if high > low else 1.0
    for i in range(first, last):
        share = min(max((values[i] - low) / span, 0.0), 1.0)
        if not share >= 0.0:
            share = 0.0
        if gamma != 1.0:
            share = share ** (1.0 / gamma)
        out[i] = table[min(255, int(share * 256.0))]


@njit(**JIT)
def cell_of(i, x, y, xmin, ymin, per_tile, tiles, upto):
    """Return level x tiles x tiles + tile of one point; upto : (levels,) share of points up to each level."""
    share = _scatter(i)
    level = 0
    while level < upto.size - 1 and share >= upto[level]:
        level += 1
    col = min(tiles - 1, max(0, int((x - xmin) * per_tile)))
    row = min(tiles - 1, max(0, int((y - ymin) * per_tile)))
    return (level * tiles + row) * tiles + col


@njit(**JIT)
def count_cells(xy, xmin, ymin, per_tile, tiles, upto, counts):
    """Count the points of each level and tile. xy : (points, 2 or more) float64, NaN for nowhere."""
    for i in range(xy.shape[0]):
        if xy[i, 0] == xy[i, 0] and xy[i, 1] == xy[i, 1]:
            counts[cell_of(i, xy[i, 0], xy[i, 1], xmin, ymin, per_tile, tiles, upto)] += 1


@njit(**JIT)
def order_points(xy, z, xmin, ymin, quantum, per_tile, tiles, upto, places, x, y, height, order):
    """Put every point where its level and tile begin; `places` moves on as they fill.

    x, y : (points,) int32, steps of `quantum` from xmin and ymin; order : place in the file
    """
    for i in range(xy.shape[0]):
        if not (xy[i, 0] == xy[i, 0] and xy[i, 1] == xy[i, 1]):
            continue
        cell = cell_of(i, xy[i, 0], xy[i, 1], xmin, ymin, per_tile, tiles, upto)
        at = places[cell]
        places[cell] = at + 1
        x[at] = np.int32((xy[i, 0] - xmin) / quantum)
        y[at] = np.int32((xy[i, 1] - ymin) / quantum)
        height[at] = np.float32(z[i])
        order[at] = np.int32(i)


@njit(**JIT)
def draw_points(x, y, height, inks, first, last, left, upper, per_step, size, image, depth, top, bottom):
    """Draw points as squares of `size` pixels into rows `top` to `bottom`; the highest one shows.

    left, upper : pixel of step (0, 0); per_step : pixels a step
    image : (rows, cols) uint32; depth : float32 height of what shows, -inf for nothing
    """
    width = image.shape[1]
    back = size // 2
    for i in range(first, last):
        if inks[i] == 0:  # its class is off
            continue
        px, py = left + x[i] * per_step, upper - y[i] * per_step
        if not (px > -size and px < width + size and py > top - size and py < bottom + size):
            continue
        col0, row0 = int(np.floor(px)) - back, int(np.floor(py)) - back
        z = height[i]
        for row in range(max(top, row0), min(bottom, row0 + size)):
            for col in range(max(0, col0), min(width, col0 + size)):
                if z > depth[row, col]:
                    depth[row, col] = z
                    image[row, col] = inks[i]


@njit(**JIT)
def gather(table, order, out, first, last):
    """Fill out[first:last] with the ink of each point. table : (points,) uint32 in file order."""
    for i in range(first, last):
        out[i] = table[order[i]]
