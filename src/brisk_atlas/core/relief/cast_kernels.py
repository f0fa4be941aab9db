"""Compiled: rays from an eye to the ground, which is a set of windows of heights from fine to coarse.

The ground between four neighbouring samples is the bilinear patch through them. A ray skips squares of samples whose
highest one lies below it, by a pyramid of maxima of each window.

Source: Tevs, A., Ihrke, I. and Seidel, H.-P. (2008), "Maximum mipmaps for fast, accurate, and scalable dynamic height
field rendering", Proc. Symposium on Interactive 3D Graphics and Games, 183-190. Windows around what is seen, each as
fine as a pixel needs, after Losasso, F. and Hoppe, H. (2004), "Geometry clipmaps: terrain rendering using nested
regular grids", ACM Trans. Graphics 23(3), 769-776; here nothing is meshed, so that nothing has to be stitched.
"""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

INLINE = {**JIT, "inline": "always"}  # a call would copy all of the ground's descriptions, for each ray
OVER, BESIDE = -1, -2  # windows of rays that meet nothing: they pass over the ground, or beside or below it
NUDGE = 1e-7  # of a sample, past the edge of a square
MOST_STEPS = 50_000  # of one ray through a window; numbers at their limits must not hang a picture
MARGIN_PX = 3.0  # by which a ray begins before those beside it have ended


@njit(**JIT)
def fill_mips(heights, cols, rows, mips, offsets):
    """Fill the maxima of a window's squares; -inf for patches that lack a corner.

    heights : (side, side) of which (rows, cols) are used; mips : (cells,)
    """
    side = heights.shape[0]
    low = np.float32(-np.inf)
    for j in range(rows):
        base = j * side
        for i in range(cols):
            found = low
            if j + 1 < rows and i + 1 < cols:
                a, b, c, d = heights[j, i], heights[j, i + 1], heights[j + 1, i], heights[j + 1, i + 1]
                if a == a and b == b and c == c and d == d:
                    found = max(max(a, b), max(c, d))
            mips[base + i] = found
    width, used_rows, used_cols = side, rows, cols
    for tier in range(1, offsets.size - 1):
        above, here, half = offsets[tier - 1], offsets[tier], width // 2
        next_rows, next_cols = (used_rows + 1) // 2, (used_cols + 1) // 2
        for j in range(next_rows):
            for i in range(next_cols):
                found = low
                for dj in range(2):
                    for di in range(2):
                        jj, ii = 2 * j + dj, 2 * i + di
                        if jj < used_rows and ii < used_cols:
                            found = max(found, mips[above + jj * width + ii])
                mips[here + j * half + i] = found
        width, used_rows, used_cols = half, next_rows, next_cols


@njit(**INLINE)
def _patch(heights, i, j, u, v, du, dv, z, dz, bend, end):
    """Return how far along a ray, 0 to `end`, it first lies on or below a patch, -1 for nowhere, and how high it begins
    above the patch. The ray's height is z + s dz + s² bend at u + s du, v + s dv."""
    h00, h10 = np.float64(heights[j, i]), np.float64(heights[j, i + 1])
    h01, h11 = np.float64(heights[j + 1, i]), np.float64(heights[j + 1, i + 1])
    x, y = u - i, v - j
    across, along, twist = h10 - h00, h01 - h00, h11 - h10 - h01 + h00
    a = bend - twist * du * dv
    b = dz - across * du - along * dv - twist * (x * dv + y * du)
    c = z - h00 - across * x - along * y - twist * x * y
    if c <= 0.0:
        return 0.0, c
    if abs(a) * end < 1e-12 * (abs(b) + 1e-300):
        s = -c / b if b < 0.0 else -1.0
        return (s if s <= end else -1.0), c
    under = b * b - 4.0 * a * c
    if under < 0.0:
        return -1.0, c
    root = np.sqrt(under)
    q = -0.5 * (b + root) if b >= 0.0 else -0.5 * (b - root)
    s1, s2 = q / a, c / q if q != 0.0 else -1.0
    if s1 > s2:
        s1, s2 = s2, s1
    if 0.0 <= s1 <= end:
        return s1, c
    if 0.0 <= s2 <= end:
        return s2, c
    return -1.0, c


@njit(**INLINE)
def _is_solid(ground, w, u, v, outside):
    """Return whether a window has ground at a place; `outside` where it has not that place."""
    i, j = int(np.floor(u)), int(np.floor(v))
    if i < 0 or j < 0 or i >= ground.sizes[w, 0] - 1 or j >= ground.sizes[w, 1] - 1:
        return outside
    return ground.mips[ground.slots[w], j * ground.heights.shape[1] + i] > -np.inf


@njit(**INLINE)
def _march(ground, w, t, end, eye, dx, dy, dz, goes_on):
    """Follow a ray from t to end through one window. Returns where it meets the ground, OVER if it does not, BESIDE if
    it goes below it from where there is none. `goes_on` says that it came from another window."""
    slot = ground.slots[w]
    heights = ground.heights[slot]
    mips = ground.mips[slot]
    offsets = ground.offsets
    ax, ay = ground.places[w, 2], ground.places[w, 3]
    cols, rows = ground.sizes[w, 0], ground.sizes[w, 1]
    u0, v0 = (eye.x - ground.places[w, 0]) * ax, (eye.y - ground.places[w, 1]) * ay
    du, dv = dx * ax, dy * ay
    iu = 1.0 / du if du != 0.0 else 1e300
    iv = 1.0 / dv if dv != 0.0 else 1e300
    su, sv = (1 if du > 0.0 else 0), (1 if dv > 0.0 else 0)
    shrink = 1.0 / eye.exaggeration
    hz, hd = eye.z * shrink, dz * shrink
    hb = eye.bend * (dx * dx + dy * dy) * shrink
    shift = offsets.size - 2
    nudge = NUDGE * min(abs(iu), abs(iv))
    tiers = offsets.size - 2
    tier = 0
    u, v = u0 + t * du, v0 + t * dv
    i, j = int(np.floor(u)), int(np.floor(v))
    first = hz + t * (hd + t * hb)
    for _ in range(MOST_STEPS):
        if t >= end:
            break
        if i < 0 or j < 0 or i > cols - 2 or j > rows - 2:
            if i < -1 or j < -1 or i > cols - 1 or j > rows - 1:
                break
            i, j = min(max(i, 0), cols - 2), min(max(j, 0), rows - 2)
        bi, bj = i >> tier, j >> tier
        tu, tv = (((bi + su) << tier) - u0) * iu, (((bj + sv) << tier) - v0) * iv
        out = min(tu, tv)
        out = max(min(out, end), t)
        top = mips[offsets[tier] + (bj << (shift - tier)) + bi]
        last = hz + out * (hd + out * hb)
        if min(first, last) - hb * (out - t) * (out - t) * 0.25 > top:
            t = out + nudge
            first = last
            u, v = u0 + t * du, v0 + t * dv
            ni, nj = int(np.floor(u)), int(np.floor(v))
            if tier < tiers and ((ni ^ i) >> (tier + 1) != 0 or (nj ^ j) >> (tier + 1) != 0):
                tier += 1
            i, j = ni, nj
            continue
        if tier > 0:
            tier -= 1
            continue
        if top != -np.inf:
            s, above = _patch(heights, i, j, u, v, du, dv, first, hd + 2.0 * t * hb, hb, out - t)
            if s == 0.0 and above < 0.0:
                back = t - 4.0 * nudge
                if not _is_solid(ground, w, u0 + back * du, v0 + back * dv, goes_on):
                    return float(BESIDE)
            if s >= 0.0:
                return t + s
        t = out + nudge
        first = last
        u, v = u0 + t * du, v0 + t * dv
        i, j = int(np.floor(u)), int(np.floor(v))
    return float(OVER)


@njit(**INLINE)
def direction(eye, col, row, cols, rows):
    """Return the unit vector of the ray through the middle of a pixel."""
    px = eye.tan_x * (2.0 * (col + 0.5) / cols - 1.0)
    py = eye.tan_y * (1.0 - 2.0 * (row + 0.5) / rows)
    dx = eye.ahead[0] + px * eye.right[0] + py * eye.up[0]
    dy = eye.ahead[1] + px * eye.right[1] + py * eye.up[1]
    dz = eye.ahead[2] + px * eye.right[2] + py * eye.up[2]
    size = np.sqrt(dx * dx + dy * dy + dz * dz)
    return dx / size, dy / size, dz / size


@njit(**INLINE)
def _span(ground, w, eye, dx, dy):
    """Return between which distances a ray lies over a window; never where the first is larger."""
    enter, leave = 0.0, eye.reach
    for axis in range(2):
        origin, step = (eye.x, dx) if axis == 0 else (eye.y, dy)
        a = ground.places[w, axis]
        b = a + (ground.sizes[w, axis] - 1) / ground.places[w, 2 + axis]
        low, high = min(a, b), max(a, b)
        if step == 0.0:
            if origin < low or origin > high:
                leave = -1.0
        else:
            one, two = (low - origin) / step, (high - origin) / step
            enter, leave = max(enter, min(one, two)), min(leave, max(one, two))
    return enter, leave


@njit(**INLINE)
def cast_ray(ground, eye, dx, dy, dz, t):
    """Return how far a ray goes from `t` on until it meets the ground, inf for never, and the window that it met: OVER
    all ground, or BESIDE it, where a flatter ray may meet some."""
    count = ground.slots.size
    goes_on, crossed = True, False  # the eye is above the ground
    if count > 0 and _span(ground, count - 1, eye, dx, dy)[0] > t:
        goes_on = False  # the ray comes from beside all ground
    for _ in range(8 * count):
        fitting = 0  # the coarsest window that is fine enough
        while fitting + 1 < count and ground.far[fitting + 1] <= t:
            fitting += 1
        chosen, end = OVER, eye.reach
        for w in range(fitting, count):
            enter, leave = _span(ground, w, eye, dx, dy)
            if leave <= t or enter >= leave:
                continue
            if enter > t:
                end = min(end, enter)  # a window to come
                continue
            chosen, end = w, min(end, leave)
            break
        if chosen == OVER:
            if end >= eye.reach:
                break
            t, goes_on = end, False
            continue
        if fitting + 1 < count:
            end = min(end, max(ground.far[fitting + 1], t + 1e-9))
        found = _march(ground, chosen, t, end, eye, dx, dy, dz, goes_on)
        if found >= 0.0:
            return found, chosen
        if found == BESIDE:
            return np.inf, BESIDE
        t, goes_on, crossed = end, True, True
        if t >= eye.reach:
            break
    return np.inf, OVER if crossed else BESIDE


@njit(**JIT)
def nadir_row(eye, rows):
    """Return the row of a picture of a level eye at which it looks straight down; beyond the picture if it does not."""
    if eye.ahead[2] >= 0.0:
        return rows
    drop = (eye.ahead[0] * eye.up[0] + eye.ahead[1] * eye.up[1]) / (
        eye.up[0] * eye.up[0] + eye.up[1] * eye.up[1] + 1e-18
    )
    py = -drop  # where ahead + py up has no horizontal part
    return min(max(int(0.5 * rows * (1.0 - py / eye.tan_y)), 0), rows)


@njit(**INLINE)
def _hint(eye, depth, which, col, row, before, left, right, dx, dy, pixel):
    """Return from where a ray has to be followed, by those of the row before that lie in about its upright plane."""
    rows, cols = depth.shape
    # the column of the row before whose ray has the same azimuth: of d = ahead + px right + py up, up has none of right
    py = eye.tan_y * (1.0 - 2.0 * (row + 0.5) / rows)
    py_before = eye.tan_y * (1.0 - 2.0 * (before + 0.5) / rows)
    flat = np.sqrt(eye.ahead[0] * eye.ahead[0] + eye.ahead[1] * eye.ahead[1])
    steep = np.sqrt(eye.up[0] * eye.up[0] + eye.up[1] * eye.up[1])
    if eye.ahead[2] > 0.0:
        steep = -steep
    here, there = flat + py * steep, flat + py_before * steep
    px = 2.0 * (col + 0.5) / cols - 1.0
    at = 0.5 * cols * (px * (there / here if here != 0.0 else 1.0) + 1.0) - 0.5
    near = int(np.floor(at))
    found = np.inf
    if near - 1 < left or near + 2 >= right:
        return 0.0
    for c in range(near - 1, near + 3):
        found = min(found, 0.0 if which[before, c] == BESIDE else depth[before, c])
    return max(0.0, found * (1.0 - MARGIN_PX * pixel))


@njit(**JIT)
def cast_columns(ground, eye, depth, which, left, right):
    """Fill the columns `left` to `right` of a picture: depth (rows, cols) float32 metres from the eye to the ground,
    inf where a ray meets none; which (rows, cols) int8 the window that was met, OVER or BESIDE.

    What lies below a pixel in the plane through the eye and its foot is nearer, so that a ray begins where those of the
    row towards the foot have ended, less what a pixel is wide.
    """
    rows, cols = depth.shape
    foot = nadir_row(eye, rows)
    pixel = 2.0 * eye.tan_y / rows
    for turn in range(2):
        first, last, step = (foot - 1, -1, -1) if turn == 0 else (foot, rows, 1)
        for row in range(first, last, step):
            before = row - step
            known = first != row
            for col in range(left, right):
                dx, dy, dz = direction(eye, col, row, cols, rows)
                t = 0.0
                if known:
                    t = _hint(eye, depth, which, col, row, before, left, right, dx, dy, pixel)
                if t < np.inf:
                    depth[row, col], which[row, col] = cast_ray(ground, eye, dx, dy, dz, t)
                else:
                    depth[row, col], which[row, col] = np.inf, OVER
