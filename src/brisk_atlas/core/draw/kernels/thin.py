"""Small features with a thin stroke, by the distance of each pixel to the nearest segment.

A stroke of a pixel or two around a feature of a few pixels has more corners than pixels, so asking
each pixel is quicker than laying outlines; corners and ends come out round.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from . import JIT
from .pixels import lay

SIDE = 16  # rows and columns of the buffer of squared distances
FAR = np.float32(1e9)


@njit(**JIT)
def near_path(nearest, inside, xy, start, end, left, upper, scale, step, rows, reach):
    """Lower `nearest` (SIDE x SIDE float32, squared pixels) by the distance to one path, and turn
    over `inside` (SIDE x SIDE uint8) where a pixel's middle lies left of it (even-odd)."""
    ax, ay = (xy[start, 0] - left) * scale, (upper - xy[start, 1]) * scale
    for k in range(start + 1, end):
        bx, by = (xy[k, 0] - left) * scale, (upper - xy[k, 1]) * scale
        if k < end - 1 and abs(bx - ax) < step and abs(by - ay) < step:
            continue
        dx, dy = np.float32(bx - ax), np.float32(by - ay)
        x, y = np.float32(ax), np.float32(ay)
        per = np.float32(1.0) / max(dx * dx + dy * dy, np.float32(1e-12))
        first = max(0, int(min(ay, by) - reach))
        last = min(rows, int(max(ay, by) + reach) + 1)
        for row in range(first, last):
            py = np.float32(row) + np.float32(0.5) - y
            line = nearest[row]
            for col in range(SIDE):
                px = np.float32(col) + np.float32(0.5) - x
                along = min(max((px * dx + py * dy) * per, np.float32(0.0)), np.float32(1.0))
                qx, qy = px - along * dx, py - along * dy
                line[col] = min(line[col], qx * qx + qy * qy)
            if (py < np.float32(0.0)) != (py < dy):
                crossing = x + py * dx / dy
                flags = inside[row]
                for col in range(SIDE):
                    flags[col] ^= np.uint8(np.float32(col) + np.float32(0.5) < crossing)
        ax, ay = bx, by


@njit(**JIT)
def lay_near(nearest, inside, image, row0, col0, rows, cols, body, ink, half):
    """Lay the body within the outline and the stroke upon it, and leave the buffers clean.

    The edge of the body is told by the distance to it, as the stroke hides all but its course.
    """
    reach = np.float32(half + 0.5)
    half_pixel, whole = np.float32(0.5), np.float32(1.0)
    for row in range(rows):
        line, flags = nearest[row], inside[row]
        for col in range(cols):
            far = np.sqrt(line[col])
            within = flags[col] != 0
            line[col] = FAR
            flags[col] = 0
            stroke = min(reach - far, whole)
            if body != 0 and stroke < whole:
                fill = min(half_pixel + far, whole) if within else half_pixel - far
                if fill > np.float32(0.0):
                    lay(image, row0 + row, col0 + col, body, int(fill * np.float32(256.0) + half_pixel))
            if stroke > np.float32(0.0):
                lay(image, row0 + row, col0 + col, ink, int(stroke * np.float32(256.0) + half_pixel))
