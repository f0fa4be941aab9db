"""Small features with a thin stroke, by the distance to the nearest segment.

A stroke of a pixel or two around a feature of a few pixels has more corners than pixels, so asking
places is quicker than laying outlines: each pixel is asked at two by two places, the same for all
columns at once. Corners and ends come out round.
"""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT
from .pixels import lay, lay_over

SIDE = 16  # rows and columns of pixels up to which a feature is drawn this way
GRAIN = 2  # places asked in a pixel, each way; `lay_near` adds them up in pairs
LANES = SIDE * GRAIN
FAR = np.float32(1e9)
PLACES = np.arange(LANES, dtype=np.float32) + np.float32(0.5)  # where the places of a row lie


@njit(**JIT)
def near_path(nearest, inside, xy, start, end, left, upper, scale, step, rows, cols, reach):
    """Lower `nearest` (LANES x LANES float32, squared distance) by the distance to one path, and
    turn over `inside` (LANES x LANES uint8) where a place lies left of it (even-odd).

    All in the places' own spacing: scale is places a map unit, rows and cols count places.
    """
    lanes = min(LANES, (cols + 7) // 8 * 8)
    half = np.float32(0.5)
    ax, ay = (xy[start, 0] - left) * scale, (upper - xy[start, 1]) * scale
    for k in range(start + 1, end):
        bx, by = (xy[k, 0] - left) * scale, (upper - xy[k, 1]) * scale
        if k < end - 1 and abs(bx - ax) < step and abs(by - ay) < step:
            continue
        dx, dy = np.float32(bx - ax), np.float32(by - ay)
        x, y = np.float32(ax), np.float32(ay)
        per = np.float32(1.0) / max(dx * dx + dy * dy, np.float32(1e-12))
        above, below = min(ay, by) - reach, max(ay, by) + reach
        if not (below > 0.0 and above < rows):  # also what has no place, or one beyond what an int can hold
            ax, ay = bx, by
            continue
        first = int(max(above, 0.0))
        last = min(rows, int(min(below, float(rows))) + 1)
        for row in range(first, last):
            py = np.float32(row) + half - y
            line = nearest[row]
            for col in range(lanes):
                px = PLACES[col] - x
                along = min(max((px * dx + py * dy) * per, np.float32(0.0)), np.float32(1.0))
                qx, qy = px - along * dx, py - along * dy
                line[col] = min(line[col], qx * qx + qy * qy)
            if (py < np.float32(0.0)) != (py < dy):
                crossing = x + py * dx / dy
                flags = inside[row]
                for col in range(lanes):
                    flags[col] ^= np.uint8(PLACES[col] < crossing)
        ax, ay = bx, by


@njit(**JIT)
def lay_near(nearest, inside, image, row0, col0, rows, cols, body, ink, half):
    """Lay the body within the outline and the stroke upon it, and leave the buffers clean.

    half : half the stroke's width in places. A distance d near it is taken as (d * d / half + half) / 2,
    which saves the root; the last part of `centre` is what that is too far on average.
    """
    whole, nothing, share = np.float32(1.0), np.float32(0.0), np.float32(256.0 / (GRAIN * GRAIN))
    centre, slope = np.float32(0.5 + 0.5 * half + 1.0 / (24.0 * half)), np.float32(0.5 / half)
    lanes = min(LANES, (cols * GRAIN + 7) // 8 * 8)
    for row in range(rows):
        # Both rows of places first, all columns at once; the sums stay in the upper one.
        upper, lower = nearest[row * GRAIN], nearest[row * GRAIN + 1]
        flags, more = inside[row * GRAIN], inside[row * GRAIN + 1]
        for col in range(lanes):
            a = min(max(centre - upper[col] * slope, nothing), whole)
            b = min(max(centre - lower[col] * slope, nothing), whole)
            upper[col] = a + b
            flags[col] += more[col]
        for col in range(cols):
            cover = int((upper[2 * col] + upper[2 * col + 1]) * share + np.float32(0.5))
            fill = np.int64(flags[2 * col]) + np.int64(flags[2 * col + 1])
            if body != 0 and fill > 0 and cover < 256:
                lay(image, row0 + row, col0 + col, body, fill * (256 // (GRAIN * GRAIN)))
            if cover > 0:
                lay_over(image, row0 + row, col0 + col, ink, cover)
        for col in range(lanes):
            upper[col] = FAR
            lower[col] = FAR
            flags[col] = 0
            more[col] = 0
