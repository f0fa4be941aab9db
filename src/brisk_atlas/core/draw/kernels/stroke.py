"""Strokes: the outline of a line of some width, added edge by edge to the fill's buffers.

A pen walks along the line and lays both sides as it goes; the sums do not mind the order. The
outline winds the same way everywhere, so it is filled by the non-zero rule.
"""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT
from .fill import FARTHEST, add_edge

ROUND, MITER, BEVEL = 0, 1, 2  # joins
BUTT, SQUARE = 1, 2  # caps; ROUND is 0 for both
MITER_LIMIT = 4.0  # length of the tip over the width, beyond which the join is bevelled
FLATNESS_PX = 0.08  # how far a round join may stay inside its arc

THIN_PX = 1.1  # half width up to which a round corner and a bevelled one look the same
COUNTABLE = 1e12  # pixels; on a longer line a double can't tell one dash from the next, so it is drawn solid
SLIGHT_PX = 0.2  # a corner that a mitre lengthens by no more than this is mitred, whatever the join

# What the pen knows: segments so far, last point, last direction and length, where both sides of the
# last segment begin, first point and direction, and, for dashes, which one it is in and what is left.
COUNT, X, Y, UX, UY, LENGTH, AX, AY, BX, BY, X0, Y0, UX0, UY0, DASH, LEFT = range(16)
PEN_SIZE = 16


@njit(**JIT)
def _arc(area, lo, hi, cx, cy, ax, ay, bx, by, half, rows, width):
    """Add an arc around (cx, cy) from offset a to offset b, the shorter way."""
    turn = np.arctan2(ax * by - ay * bx, ax * bx + ay * by)
    step = 2.0 * np.arccos(max(0.0, 1.0 - FLATNESS_PX / max(half, FLATNESS_PX)))
    pieces = max(1, int(np.ceil(abs(turn) / max(step, 0.05))))
    c, s = np.cos(turn / pieces), np.sin(turn / pieces)
    px, py = ax, ay
    for i in range(pieces):
        if i == pieces - 1:
            qx, qy = bx, by
        else:
            qx, qy = c * px - s * py, s * px + c * py
        add_edge(area, lo, hi, cx + px, cy + py, cx + qx, cy + qy, rows, width)
        px, py = qx, qy


@njit(**JIT)
def _sides_to(area, lo, hi, pen, lx, ly, rx, ry, rows, width):
    """Lay both sides of the last segment, up to (lx, ly) on the left and (rx, ry) on the right."""
    add_edge(area, lo, hi, pen[AX], pen[AY], lx, ly, rows, width)
    add_edge(area, lo, hi, rx, ry, pen[BX], pen[BY], rows, width)
    pen[AX], pen[AY], pen[BX], pen[BY] = lx, ly, rx, ry


@njit(**JIT)
def _join(area, lo, hi, pen, vx, vy, length, half, join, rows, width):
    """End the last segment and begin one in direction v: lay its sides and the corner between."""
    x, y, ux, uy = pen[X], pen[Y], pen[UX], pen[UY]
    cross, dot = ux * vy - uy * vx, ux * vx + uy * vy
    ax, ay, bx, by = -uy * half, ux * half, -vy * half, vx * half
    if dot > 0.0:
        stretch = 1.0 / (1.0 + dot)
        slight = half * (np.sqrt(2.0 * stretch) - 1.0) <= SLIGHT_PX
        room = half * abs(cross) * stretch < min(length, pen[LENGTH])
        if room and (slight or (join == MITER and half > THIN_PX)):
            mx, my = (ax + bx) * stretch, (ay + by) * stretch
            _sides_to(area, lo, hi, pen, x + mx, y + my, x - mx, y - my, rows, width)
            return
    _sides_to(area, lo, hi, pen, x + ax, y + ay, x - ax, y - ay, rows, width)
    if cross >= 0.0:  # the left is the inner side
        add_edge(area, lo, hi, x + ax, y + ay, x + bx, y + by, rows, width)
        sx, sy, ex, ey = -bx, -by, -ax, -ay
    else:
        add_edge(area, lo, hi, x - bx, y - by, x - ax, y - ay, rows, width)
        sx, sy, ex, ey = ax, ay, bx, by
    if join == ROUND and dot < -0.999:  # straight back: around the tip, which has two ways round
        _arc(area, lo, hi, x, y, sx, sy, ux * half, uy * half, half, rows, width)
        _arc(area, lo, hi, x, y, ux * half, uy * half, ex, ey, half, rows, width)
    elif join == ROUND and half > THIN_PX:
        _arc(area, lo, hi, x, y, sx, sy, ex, ey, half, rows, width)
    elif join == MITER and half > THIN_PX and 2.0 / (1.0 + dot + 1e-12) <= MITER_LIMIT * MITER_LIMIT:
        tx, ty = x + (sx + ex) / (1.0 + dot), y + (sy + ey) / (1.0 + dot)
        add_edge(area, lo, hi, x + sx, y + sy, tx, ty, rows, width)
        add_edge(area, lo, hi, tx, ty, x + ex, y + ey, rows, width)
    else:
        add_edge(area, lo, hi, x + sx, y + sy, x + ex, y + ey, rows, width)
    pen[AX], pen[AY], pen[BX], pen[BY] = x + bx, y + by, x - bx, y - by


@njit(**JIT)
def _cap(area, lo, hi, x, y, ux, uy, half, cap, rows, width):
    """Close an end at (x, y) that looks along u (outwards), from the left side to the right."""
    ax, ay = -uy * half, ux * half
    if cap == ROUND and half >= 0.7:
        fx, fy = ux * half, uy * half
        _arc(area, lo, hi, x, y, ax, ay, fx, fy, half, rows, width)
        _arc(area, lo, hi, x, y, fx, fy, -ax, -ay, half, rows, width)
        return
    out = half if cap != BUTT else 0.0
    px, py = x + ux * out, y + uy * out
    add_edge(area, lo, hi, x + ax, y + ay, px + ax, py + ay, rows, width)
    add_edge(area, lo, hi, px + ax, py + ay, px - ax, py - ay, rows, width)
    add_edge(area, lo, hi, px - ax, py - ay, x - ax, y - ay, rows, width)


@njit(**JIT)
def begin(pen, x, y):
    """Put the pen down."""
    pen[COUNT] = 0.0
    pen[X], pen[Y] = x, y


@njit(**JIT)
def draw_to(area, lo, hi, pen, x, y, half, join, rows, width):
    """Draw a straight piece to (x, y)."""
    dx, dy = x - pen[X], y - pen[Y]
    length = np.sqrt(dx * dx + dy * dy)
    if length < 1e-9:
        return
    ux, uy = dx / length, dy / length
    if pen[COUNT] == 0.0:
        pen[X0], pen[Y0], pen[UX0], pen[UY0] = pen[X], pen[Y], ux, uy
        pen[AX], pen[AY] = pen[X] - uy * half, pen[Y] + ux * half
        pen[BX], pen[BY] = pen[X] + uy * half, pen[Y] - ux * half
    else:
        _join(area, lo, hi, pen, ux, uy, length, half, join, rows, width)
    pen[COUNT] += 1.0
    pen[X], pen[Y], pen[UX], pen[UY], pen[LENGTH] = x, y, ux, uy, length


@njit(**JIT)
def finish(area, lo, hi, pen, closed, half, join, cap, rows, width):
    """Lift the pen: join up a ring, or close both ends of a line."""
    x, y, ux, uy = pen[X], pen[Y], pen[UX], pen[UY]
    if pen[COUNT] == 0.0:
        if not closed and cap != BUTT:  # a line without length is a dot
            _cap(area, lo, hi, x, y, 1.0, 0.0, half, cap, rows, width)
            _cap(area, lo, hi, x, y, -1.0, 0.0, half, cap, rows, width)
        return
    vx, vy = pen[UX0], pen[UY0]
    if closed:
        _join(area, lo, hi, pen, vx, vy, 0.0, half, join, rows, width)
        # The first segment's sides began square to it; lead back to there.
        sx, sy = pen[X0] - vy * half, pen[Y0] + vx * half
        ex, ey = pen[X0] + vy * half, pen[Y0] - vx * half
        _sides_to(area, lo, hi, pen, sx, sy, ex, ey, rows, width)
    else:
        _sides_to(area, lo, hi, pen, x - uy * half, y + ux * half, x + uy * half, y - ux * half, rows, width)
        _cap(area, lo, hi, x, y, ux, uy, half, cap, rows, width)
        _cap(area, lo, hi, pen[X0], pen[Y0], -vx, -vy, half, cap, rows, width)
    pen[COUNT] = 0.0


@njit(**JIT)
def _in_view(ax, ay, bx, by, x0, y0, x1, y1):
    """Return the shares of the way from a to b between which a line lies in a rectangle; 1, 1 where it does not.

    Source: Y.-D. Liang, B. A. Barsky (1984), "A new concept and method for line clipping", ACM TOG 3(1).
    """
    first, last = 0.0, 1.0
    for side in range(4):
        if side == 0:
            p, q = ax - bx, ax - x0
        elif side == 1:
            p, q = bx - ax, x1 - ax
        elif side == 2:
            p, q = ay - by, ay - y0
        else:
            p, q = by - ay, y1 - ay
        if p == 0.0:
            if q < 0.0:
                return 1.0, 1.0
        elif p < 0.0:
            first = max(first, q / p)
        else:
            last = min(last, q / p)
    return (first, last) if first <= last else (1.0, 1.0)


@njit(**JIT)
def dash_to(area, lo, hi, pen, x, y, dashes, half, join, cap, rows, width):
    """Go to (x, y) in dashes: the lengths in `dashes` (pixels) are drawn and left out in turn."""
    sx, sy = pen[X], pen[Y]
    length = np.sqrt((x - sx) ** 2 + (y - sy) ** 2)
    reach = half + 2.0
    away = max(sx, x) < -reach or min(sx, x) > width + reach or max(sy, y) < -reach or min(sy, y) > rows + reach
    if not 1e-9 <= length < FARTHEST:
        return
    if length > COUNTABLE:
        draw_to(area, lo, hi, pen, x, y, half, join, rows, width)
        return
    whole = 0.0
    for i in range(dashes.size):
        whole += dashes[i]
    # Out of sight only the place in the pattern matters: whole patterns are left out before the line comes
    # into view and after it has left it.
    first, last = (1.0, 1.0) if away else _in_view(sx, sy, x, y, -reach, -reach, width + reach, rows + reach)
    done = np.floor(max(0.0, first * length - whole) / whole) * whole
    if done > 0.0:
        if pen[COUNT] > 0.0:
            finish(area, lo, hi, pen, False, half, join, cap, rows, width)
        begin(pen, sx + (x - sx) * done / length, sy + (y - sy) * done / length)
    seen_until = last * length + whole
    while done < length:
        if done > seen_until:
            skip = np.floor((length - done) / whole) * whole
            seen_until = np.inf
            if skip > 0.0:
                if pen[COUNT] > 0.0:
                    finish(area, lo, hi, pen, False, half, join, cap, rows, width)
                done += skip
                begin(pen, sx + (x - sx) * done / length, sy + (y - sy) * done / length)
                if done >= length:
                    return
        piece = min(pen[LEFT], length - done)
        done += piece
        px, py = sx + (x - sx) * done / length, sy + (y - sy) * done / length
        if int(pen[DASH]) % 2 == 0:
            draw_to(area, lo, hi, pen, px, py, half, join, rows, width)
        pen[LEFT] -= piece
        if pen[LEFT] <= 1e-9:
            if int(pen[DASH]) % 2 == 0 and pen[COUNT] > 0.0:
                finish(area, lo, hi, pen, False, half, join, cap, rows, width)
            pen[DASH] = (pen[DASH] + 1.0) % dashes.size
            pen[LEFT] = max(dashes[int(pen[DASH])], 0.01)
            begin(pen, px, py)
        elif int(pen[DASH]) % 2 == 1:
            begin(pen, px, py)
