"""Compiled: how the ground that rays met looks: light on its slopes, shadows, the drape, haze, and the sky beyond."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

from .cast_kernels import INLINE, direction

FULL = 160.0  # of a shade: as bright as the drape itself
WATER = (52.0, 112.0, 138.0)
CLEAR_WATER = 3.0  # by how much what lies under water fades, for each of the distance of its surface
STEEPEST = 0.25  # the sine of the flattest angle of sight by which a drape's level is chosen


@njit(**JIT)
def fill_shades(heights, cols, rows, step_x, step_y, exaggeration, lights, ambience, lit, shades):
    """Fill shades (side, side) uint8 of a window's samples: `FULL` where light falls straight on them.

    heights : (side, side) of which (rows, cols) are used; its columns go east, its rows south, every `step_x` and
    `step_y` metres. lights : (n, 4) unit vector towards each light, east, north and up, and its strength; lit : (n,
    side, side) uint8, how much of each light reaches a sample, 255 for all of it, or (n, 0, 0) without shadows.
    Source: Lambert's cosine law; the normal is that of central differences.
    """
    shadowed = lit.shape[1] > 0
    for j in range(rows):
        up, down = max(j - 1, 0), min(j + 1, rows - 1)
        for i in range(cols):
            here = heights[j, i]
            if here != here:
                shades[j, i] = np.uint8(FULL * ambience)
                continue
            west, east = heights[j, max(i - 1, 0)], heights[j, min(i + 1, cols - 1)]
            north, south = heights[up, i], heights[down, i]
            run_x = step_x * (min(i + 1, cols - 1) - max(i - 1, 0))
            run_y = step_y * (down - up)
            if west != west:
                west, run_x = here, run_x * 0.5
            if east != east:
                east, run_x = here, run_x * 0.5
            if north != north:
                north, run_y = here, run_y * 0.5
            if south != south:
                south, run_y = here, run_y * 0.5
            gx = (east - west) * exaggeration / run_x if run_x > 0.0 else 0.0
            gy = (north - south) * exaggeration / run_y if run_y > 0.0 else 0.0
            size = 1.0 / np.sqrt(gx * gx + gy * gy + 1.0)
            found = ambience
            for k in range(lights.shape[0]):
                cosine = (lights[k, 2] - gx * lights[k, 0] - gy * lights[k, 1]) * size
                if cosine > 0.0:
                    reaching = lit[k, j, i] / 255.0 if shadowed else 1.0
                    found += lights[k, 3] * cosine * reaching
            shades[j, i] = np.uint8(min(FULL * found, 255.0))


@njit(**JIT)
def fill_shadows(heights, cols, rows, step_x, step_y, exaggeration, towards, outside, edge, lit):
    """Fill lit (side, side) uint8: 255 where a light reaches a window's samples, 0 where they lie in shadow, in between
    where the edge of a shadow passes.

    towards : the unit vector towards the light, east, north and up. edge : (side, side) float32 room for how high the
    shadow lies. outside : (rows, cols) float32 how high it lies by a coarser window, used along the rim from which
    light comes; NaN where that is not known, (0, 0) without one. Each sample has the shadow of those that it passes on
    its way to the light, sample by sample: the shadow falls as the light does.
    """
    east, north, up = towards[0], towards[1], towards[2]
    flat = np.sqrt(east * east + north * north)
    if flat < 1e-6:
        for j in range(rows):
            for i in range(cols):
                lit[j, i] = 255
        return
    if up <= 0.0:
        for j in range(rows):
            for i in range(cols):
                lit[j, i] = 0
        return
    # one step towards the light goes a whole sample along the axis on which it goes farther
    su, sv = east / step_x, -north / step_y
    longer = max(abs(su), abs(sv))
    su, sv = su / longer, sv / longer
    run = np.sqrt((su * step_x) ** 2 + (sv * step_y) ** 2)
    fall = run * up / flat / exaggeration
    soft = max(fall, 1e-9)
    by_cols = abs(su) >= abs(sv)
    lines, across = (cols, rows) if by_cols else (rows, cols)
    step = su if by_cols else sv
    aside = sv if by_cols else su
    begins_low = step < 0.0
    for n in range(lines):
        line = n if begins_low else lines - 1 - n
        for k in range(across):
            j, i = (k, line) if by_cols else (line, k)
            h = heights[j, i]
            place = k + aside
            low = int(np.floor(place))
            share = place - low
            shadow = np.float32(np.nan)
            if n > 0 and low >= 0 and low + 1 < across:
                before = line - 1 if begins_low else line + 1
                if by_cols:
                    a, b = edge[low, before], edge[low + 1, before]
                    ha, hb = heights[low, before], heights[low + 1, before]
                else:
                    a, b = edge[before, low], edge[before, low + 1]
                    ha, hb = heights[before, low], heights[before, low + 1]
                a = ha if a != a or (ha == ha and ha > a) else a
                b = hb if b != b or (hb == hb and hb > b) else b
                if a == a and b == b:
                    shadow = np.float32(a * (1.0 - share) + b * share - fall)
                elif a == a or b == b:
                    shadow = np.float32((a if a == a else b) - fall)
            elif outside.size > 0:
                shadow = outside[j, i]
            edge[j, i] = shadow
            if h != h or shadow != shadow:
                lit[j, i] = 255
            else:
                over = (h - shadow) / soft + 0.5
                lit[j, i] = np.uint8(255.0 * min(max(over, 0.0), 1.0))


@njit(**INLINE)
def _shade_at(shades, cols, rows, u, v):
    i, j = min(max(int(u), 0), cols - 2), min(max(int(v), 0), rows - 2)
    x, y = min(max(u - i, 0.0), 1.0), min(max(v - j, 0.0), 1.0)
    upper = shades[j, i] * (1.0 - x) + shades[j, i + 1] * x
    lower = shades[j + 1, i] * (1.0 - x) + shades[j + 1, i + 1] * x
    return (upper * (1.0 - y) + lower * y) / FULL


@njit(**INLINE)
def _drape_at(drape, x, y, t):
    """Return red, green, blue and how much of a picture there is at a place that is seen from a distance."""
    count = drape.slots.size
    fitting = 0
    while fitting + 1 < count and drape.far[fitting + 1] <= t:
        fitting += 1
    for w in range(fitting, count):
        u = (x - drape.places[w, 0]) * drape.places[w, 2]
        v = (y - drape.places[w, 1]) * drape.places[w, 3]
        cols, rows = drape.sizes[w, 0], drape.sizes[w, 1]
        rim = 0.0 if w + 1 < count else 0.5
        if u < -rim or v < -rim or u > cols - 1 + rim or v > rows - 1 + rim:
            continue
        i, j = min(max(int(u), 0), cols - 2), min(max(int(v), 0), rows - 2)
        fx, fy = min(max(u - i, 0.0), 1.0), min(max(v - j, 0.0), 1.0)
        a, b, c, d = (1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy
        pixels = drape.pixels[drape.slots[w]]
        red = pixels[j, i, 0] * a + pixels[j, i + 1, 0] * b + pixels[j + 1, i, 0] * c + pixels[j + 1, i + 1, 0] * d
        green = pixels[j, i, 1] * a + pixels[j, i + 1, 1] * b + pixels[j + 1, i, 1] * c + pixels[j + 1, i + 1, 1] * d
        blue = pixels[j, i, 2] * a + pixels[j, i + 1, 2] * b + pixels[j + 1, i, 2] * c + pixels[j + 1, i + 1, 2] * d
        cover = pixels[j, i, 3] * a + pixels[j, i + 1, 3] * b + pixels[j + 1, i, 3] * c + pixels[j + 1, i + 1, 3] * d
        return red, green, blue, cover / 255.0
    return 0.0, 0.0, 0.0, 0.0


@njit(**INLINE)
def _water_before(look, eye, dx, dy, dz, t):
    """Return how much a water level hides of what lies at a distance: more, the deeper that is; 0 for none."""
    if look.water != look.water or dz >= 0.0:
        return 0.0
    there = (look.water * eye.exaggeration - eye.z) / dz
    if there <= 0.0 or there >= t:
        return 0.0
    x, y = eye.x + there * dx, eye.y + there * dy
    west, south, east, north = look.shore
    if x < west or x > east or y < south or y > north:
        return 0.0
    through = min(t - there, 1e9) / max(there, 1e-9)
    return min(0.55 + through * CLEAR_WATER, 0.93)


@njit(**INLINE)
def _share_of_b(division, col, row, cols, rows):
    """Return how much of side B is seen at a pixel, 0 to 1."""
    if division.way == 0:
        return 0.0
    if division.way == 1:
        return 1.0 if (col + 0.5) / cols > division.at else 0.0
    if division.way == 2:
        return 1.0 if (row + 0.5) / rows > division.at else 0.0
    if division.way == 3:
        x, y = col + 0.5 - division.x * cols, row + 0.5 - division.y * rows
        return 1.0 if x * x + y * y < (division.radius * rows) ** 2 else 0.0
    return division.at


@njit(**INLINE)
def _step_at(look, eye, depth, which, row, col, rows, cols):
    """Return between which contour lines the ground lies that is seen at a pixel; NaN for none."""
    if row >= rows or col >= cols or which[row, col] < 0:
        return np.nan
    dx, dy, dz = direction(eye, col, row, cols, rows)
    t = np.float64(depth[row, col])
    height = eye.z + t * dz + eye.bend * t * t * (dx * dx + dy * dy)
    return np.floor(height / eye.exaggeration / look.contours)


@njit(**INLINE)
def _contour_at(look, eye, depth, which, row, col, rows, cols):
    """Return how much of a contour line passes a pixel: 0 for none, more for every fifth one. Where lines would lie
    closer than pixels there is none."""
    here = _step_at(look, eye, depth, which, row, col, rows, cols)
    found = 0.0
    for k in range(2):
        beside = _step_at(look, eye, depth, which, row + k * look.pen, col + (1 - k) * look.pen, rows, cols)
        if abs(beside - here) == 1.0:
            found = max(found, 0.85 if max(here, beside) % 5.0 == 0.0 else 0.5)
    return found


@njit(**JIT)
def paint_rows(ground, shades, drape, other, division, look, eye, depth, which, image, top, bottom):
    """Fill the rows `top` to `bottom` of a picture (rows, cols, 4) uint8, red, green, blue and 255.

    drape, other : those of side A and side B, as `division` has them share the picture
    shades : (slots, side, side) uint8 of the ground's windows; depth, which : (rows, cols) as `cast_columns` fills them
    """
    rows, cols = depth.shape
    for row in range(top, bottom):
        for col in range(cols):
            dx, dy, dz = direction(eye, col, row, cols, rows)
            t = np.float64(depth[row, col])
            height = min(max(dz * 2.0, 0.0), 1.0)
            sky0 = look.horizon[0] + (look.zenith[0] - look.horizon[0]) * height
            sky1 = look.horizon[1] + (look.zenith[1] - look.horizon[1]) * height
            sky2 = look.horizon[2] + (look.zenith[2] - look.horizon[2]) * height
            w = which[row, col]
            wet = _water_before(look, eye, dx, dy, dz, t)
            if w < 0:
                image[row, col, 0] = np.uint8(sky0 + (WATER[0] - sky0) * wet)
                image[row, col, 1] = np.uint8(sky1 + (WATER[1] - sky1) * wet)
                image[row, col, 2] = np.uint8(sky2 + (WATER[2] - sky2) * wet)
                image[row, col, 3] = 255
                continue
            x, y = eye.x + t * dx, eye.y + t * dy
            u, v = (x - ground.places[w, 0]) * ground.places[w, 2], (y - ground.places[w, 1]) * ground.places[w, 3]
            light = _shade_at(shades[ground.slots[w]], ground.sizes[w, 0], ground.sizes[w, 1], u, v)
            away = t / np.sqrt(max(-dz, STEEPEST))
            share = _share_of_b(division, col, row, cols, rows)
            red, green, blue, cover = 0.0, 0.0, 0.0, 0.0
            if share < 1.0:
                red, green, blue, cover = _drape_at(drape, x, y, away)
            if share > 0.0:
                red_b, green_b, blue_b, cover_b = _drape_at(other, x, y, away)
                red, green = red * (1.0 - share) + red_b * share, green * (1.0 - share) + green_b * share
                blue, cover = blue * (1.0 - share) + blue_b * share, cover * (1.0 - share) + cover_b * share
            rest = 1.0 - cover
            red, green, blue = red + look.bare[0] * rest, green + look.bare[1] * rest, blue + look.bare[2] * rest
            if look.strength != 1.0:
                red = 128.0 + (red - 128.0) * look.strength
                green = 128.0 + (green - 128.0) * look.strength
                blue = 128.0 + (blue - 128.0) * look.strength
            if look.contours > 0.0:
                line = _contour_at(look, eye, depth, which, row, col, rows, cols)
                if line > 0.0:
                    red, green = red + (look.contour[0] - red) * line, green + (look.contour[1] - green) * line
                    blue += (look.contour[2] - blue) * line
                    light += (1.0 - light) * line
            clear = np.exp(-t * look.haze) if look.haze > 0.0 else 1.0
            light *= clear
            veil, dry = 1.0 - clear, 1.0 - wet
            red, green, blue = red * light + sky0 * veil, green * light + sky1 * veil, blue * light + sky2 * veil
            image[row, col, 0] = np.uint8(min(max(red * dry + WATER[0] * wet, 0.0), 255.0))
            image[row, col, 1] = np.uint8(min(max(green * dry + WATER[1] * wet, 0.0), 255.0))
            image[row, col, 2] = np.uint8(min(max(blue * dry + WATER[2] * wet, 0.0), 255.0))
            image[row, col, 3] = 255


@njit(**JIT)
def halve(image, out, top, bottom):
    """Fill the rows `top` to `bottom` of a picture (rows, cols, 4) uint8 with the means of four pixels of one of twice
    its size."""
    for row in range(top, bottom):
        for col in range(out.shape[1]):
            for k in range(4):
                total = np.int64(image[2 * row, 2 * col, k]) + image[2 * row, 2 * col + 1, k]
                total += np.int64(image[2 * row + 1, 2 * col, k]) + image[2 * row + 1, 2 * col + 1, k]
                out[row, col, k] = (total + 2) // 4
