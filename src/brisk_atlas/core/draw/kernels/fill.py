"""Anti-aliased fill by signed-area accumulation.

Every edge adds to each cell that it crosses the exact area it covers there; a running sum along a
row is then each pixel's coverage. `lo` and `hi` keep, for each row of the buffer, the first and last
column touched, so that only those are swept. A small shape has a buffer of its own size, which stays
in the processor's nearest memory.
"""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT
from .pixels import lay, lay_over

EVEN_ODD, NON_ZERO = 0, 1
NO_HATCH, RISING, FALLING, CROSSED, LEVEL, DOTTED = 0, 1, 2, 3, 4, 5
EDGE = 0.001  # pixels; what lies further right than the buffer's width less this is out of sight
FARTHEST = 1e300  # pixels; farther off is no place
NOTHING = 1 << 30  # `lo` of a row that no edge touched


@njit(**JIT)
def clear_rows(area, lo, hi):
    """Make buffers ready for the first shape."""
    area[:] = 0.0
    lo[:] = NOTHING
    hi[:] = -1


@njit(**JIT)
def _add_inside(area, lo, hi, row, xa, xb, dy, per):
    """ValueDistribution the area right of a piece of edge within one row; both ends lie in the buffer.

    dy : height of the piece, signed; per : the same for each column it crosses
    """
    if xa > xb:
        xa, xb = xb, xa
    first, last = int(xa), int(xb)
    if first < lo[row]:
        lo[row] = first
    if last >= hi[row]:
        hi[row] = last + 1
    if first == last:
        after = dy * (0.5 * (xa + xb) - first)
        area[row, first] += np.float32(dy - after)
        area[row, first + 1] += np.float32(after)
        return
    lead, tail = first + 1 - xa, xb - last
    begun, rest = 0.5 * per * lead * lead, 0.5 * per * tail * tail
    area[row, first] += np.float32(begun)
    area[row, last + 1] += np.float32(rest)
    if last == first + 1:
        area[row, last] += np.float32(dy - rest - begun)
        return
    area[row, first + 1] += np.float32(per * (lead + 0.5) - begun)
    for col in range(first + 2, last):
        area[row, col] += np.float32(per)
    area[row, last] += np.float32(dy - rest - per * (lead + last - first - 1.5))


@njit(**JIT)
def _add_clamped(area, lo, hi, row, xa, xb, dy, per, width):
    """ValueDistribution the same where an end may lie outside: left of the buffer it counts in full."""
    if xa > xb:
        xa, xb = xb, xa
    if not xa <= xb:
        return
    if xb > width - EDGE:
        hi[row] = width
        if xa >= width - EDGE:
            return
        dy *= (width - EDGE - xa) / (xb - xa)
        xb = width - EDGE
    if xa < 0.0:
        share = 1.0 if xb <= 0.0 else -xa / (xb - xa)
        area[row, 0] += np.float32(dy * share)
        lo[row] = 0
        hi[row] = max(hi[row], 0)
        if xb <= 0.0:
            return
        dy *= 1.0 - share
        xa = 0.0
    _add_inside(area, lo, hi, row, xa, xb, dy, per)


@njit(**JIT)
def add_edge(area, lo, hi, x0, y0, x1, y1, rows, width):
    """Add one edge (pixels of the buffer): area (at least rows, width + 2), lo and hi (rows)."""
    if y0 == y1:
        return
    sign = 1.0
    if y0 > y1:
        x0, y0, x1, y1 = x1, y1, x0, y0
        sign = -1.0
    if not (y1 > 0.0 and y0 < rows and abs(x0) + abs(x1) < FARTHEST):  # also what has no place
        return
    slope = (x1 - x0) / (y1 - y0)
    if y0 >= 0.0 and y1 <= rows and min(x0, x1) >= 0.0 and max(x0, x1) < width - EDGE:
        row, end = int(y0), int(y1)
        if row == end:
            _add_inside(area, lo, hi, row, x0, x1, sign * (y1 - y0), sign / abs(slope))
            return
        per = sign / abs(slope)
        x, y = x0, y0
        while row < end:
            row += 1
            x_next = x + (row - y) * slope
            _add_inside(area, lo, hi, row - 1, x, x_next, sign * (row - y), per)
            x, y = x_next, float(row)
        if y1 > y:
            _add_inside(area, lo, hi, row, x, x1, sign * (y1 - y), per)
        return
    per = sign / abs(slope)
    if y0 < 0.0:
        x0 -= y0 * slope
        y0 = 0.0
    y1 = min(y1, float(rows))
    row = int(y0)
    x, y = x0, y0
    while y < y1:
        y_next = min(float(row + 1), y1)
        x_next = x + (y_next - y) * slope
        _add_clamped(area, lo, hi, row, x, x_next, sign * (y_next - y), per, width)
        x, y = x_next, y_next
        row += 1


@njit(**JIT)
def hatch_cover(kind, x, y, spacing, weight):
    """Return how much of the pixel at (x, y) a hatch inks: lines `weight` wide, `spacing` apart."""
    half = 0.5 * weight + 0.5
    if kind == DOTTED:
        dx, dy = x % spacing - 0.5 * spacing, y % spacing - 0.5 * spacing
        return min(1.0, max(0.0, weight + 0.5 - np.sqrt(dx * dx + dy * dy)))
    cover = 0.0
    reach = spacing * 1.4142135623730951
    if kind in (RISING, CROSSED):
        off = (x + y) % reach
        cover = half - min(off, reach - off) * 0.7071067811865476
    if kind in (FALLING, CROSSED):
        off = (x - y) % reach
        cover = max(cover, half - min(off, reach - off) * 0.7071067811865476)
    if kind == LEVEL:
        off = y % spacing
        cover = half - min(off, spacing - off)
    return min(1.0, max(0.0, cover))


@njit(**JIT)
def sweep(area, lo, hi, image, row0, col0, rows, width, ink, rule, hatch, spacing, weight, at_x, at_y):
    """Lay the ink where the accumulated area covers, and leave the buffers clean.

    image, ink : see `pixels.lay`; the buffer's first cell is the picture's (row0, col0)
    rule : EVEN_ODD for fills, laid beside what is there; NON_ZERO for strokes, laid over it
    hatch : NO_HATCH, or the pattern that thins the ink; at_x, at_y place it on the map
    """
    for line in range(rows):
        first, last = lo[line], hi[line]
        if last < 0:
            continue
        lo[line] = NOTHING
        hi[line] = -1
        total = np.float32(0.0)
        row = row0 + line
        for at in range(first, min(last, width - 1) + 1):
            total += area[line, at]
            area[line, at] = np.float32(0.0)
            cover = abs(total)
            if cover > np.float32(1.0):
                if rule == EVEN_ODD:  # two layers of ring cancel
                    cover -= np.float32(2.0) * np.floor(cover * np.float32(0.5))
                    if cover > np.float32(1.0):
                        cover = np.float32(2.0) - cover
                else:
                    cover = np.float32(1.0)
            if cover > np.float32(0.002):
                col = col0 + at
                if hatch != NO_HATCH:
                    cover *= np.float32(hatch_cover(hatch, col + at_x, row + at_y, spacing, weight))
                share = int(cover * np.float32(256.0) + np.float32(0.5))
                if rule == NON_ZERO:
                    lay_over(image, row, col, ink, share)
                else:
                    lay(image, row, col, ink, share)
        if last >= width:
            area[line, width] = np.float32(0.0)
            area[line, width + 1] = np.float32(0.0)
