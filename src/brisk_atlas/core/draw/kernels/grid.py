"""Grids: from stored cells to the cells of a picture, and from values to colours."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT

NEAREST, BILINEAR, CUBIC = 0, 1, 2


@njit(**JIT)
def _cubic(t):
    """Return the weight at distance t of the cubic kernel of R. Keys (1981), IEEE ASSP 29(6), a = -1/2."""
    t = abs(t)
    if t < 1.0:
        return 1.5 * t * t * t - 2.5 * t * t + 1.0
    if t < 2.0:
        return -0.5 * t * t * t + 2.5 * t * t - 4.0 * t + 2.0
    return 0.0


@njit(**JIT)
def _between(nodes, i, j, v, u):
    """Return the value at shares v and u of the way from node (i, j) to the next ones."""
    upper = (1.0 - u) * nodes[i, j] + u * nodes[i, j + 1]
    lower = (1.0 - u) * nodes[i + 1, j] + u * nodes[i + 1, j + 1]
    return (1.0 - v) * upper + v * lower


@njit(**JIT)
def sample(cells, mesh_col, mesh_row, step, how, out, top, bottom):
    """Fill rows `top` to `bottom` of `out` (float32, NaN without data) with the cells under them.

    cells : (rows, cols) float32, NaN without data
    mesh_col, mesh_row : float64 nodes, `step` pixels apart: where pixels lie, in cells (0 at the
        outer edge of the first); NaN for nowhere
    how : NEAREST, BILINEAR or CUBIC; at the edge of the data the known cells around decide
    """
    rows, cols = cells.shape
    for row in range(top, bottom):
        i = row // step
        v = (row - i * step) / step
        for col in range(out.shape[1]):
            j = col // step
            u = (col - j * step) / step
            x, y = _between(mesh_col, i, j, v, u), _between(mesh_row, i, j, v, u)
            out[row, col] = np.float32(np.nan)
            if not (x >= 0.0 and x < cols and y >= 0.0 and y < rows):
                continue
            r, c = int(y), int(x)
            here = cells[r, c]
            if how == NEAREST or here != here:
                out[row, col] = here
                continue
            r0, c0 = int(np.floor(y - 0.5)), int(np.floor(x - 0.5))
            fy, fx = y - 0.5 - r0, x - 0.5 - c0
            if how == CUBIC and r0 >= 1 and c0 >= 1 and r0 + 2 < rows and c0 + 2 < cols:
                total = 0.0
                for a in range(-1, 3):
                    wy = _cubic(a - fy)
                    for b in range(-1, 3):
                        total += wy * _cubic(b - fx) * cells[r0 + a, c0 + b]
                if total == total:
                    out[row, col] = np.float32(total)
                    continue
            total, weight = 0.0, 0.0
            for a in range(2):
                wy = fy if a else 1.0 - fy
                rr = min(rows - 1, max(0, r0 + a))
                for b in range(2):
                    w = wy * (fx if b else 1.0 - fx)
                    value = cells[rr, min(cols - 1, max(0, c0 + b))]
                    if value == value:
                        total += w * value
                        weight += w
            out[row, col] = np.float32(total / weight) if weight > 0.0 else here


@njit(**JIT)
def pick(picture, mesh_col, mesh_row, step, out, top, bottom):
    """Fill rows `top` to `bottom` of `out` with the pixel of `picture` under each; both uint32."""
    rows, cols = picture.shape
    for row in range(top, bottom):
        i = row // step
        v = (row - i * step) / step
        for col in range(out.shape[1]):
            j = col // step
            u = (col - j * step) / step
            x, y = _between(mesh_col, i, j, v, u), _between(mesh_row, i, j, v, u)
            if x >= 0.0 and x < cols and y >= 0.0 and y < rows:
                out[row, col] = picture[int(y), int(x)]


@njit(**JIT)
def blend_pixels(picture, mesh_col, mesh_row, step, out, top, bottom):
    """Fill rows `top` to `bottom` of `out` with what lies between the four pixels of `picture` around each; both
    uint32, premultiplied."""
    rows, cols = picture.shape
    for row in range(top, bottom):
        i = row // step
        v = (row - i * step) / step
        for col in range(out.shape[1]):
            j = col // step
            u = (col - j * step) / step
            x, y = _between(mesh_col, i, j, v, u), _between(mesh_row, i, j, v, u)
            if not (x >= 0.0 and x < cols and y >= 0.0 and y < rows):
                continue
            r0, c0 = int(np.floor(y - 0.5)), int(np.floor(x - 0.5))
            fy, fx = int((y - 0.5 - r0) * 256.0), int((x - 0.5 - c0) * 256.0)
            r1, c1 = min(rows - 1, r0 + 1), min(cols - 1, c0 + 1)
            r0, c0 = max(0, r0), max(0, c0)
            even, odd = (
                np.int64(0x800000008000),
                np.int64(0x800000008000),
            )  # two channels each, with room for the weights
            for a in range(2):
                wy = fy if a else 256 - fy
                for b in range(2):
                    w = wy * (fx if b else 256 - fx)
                    pixel = np.int64(picture[r1 if a else r0, c1 if b else c0])
                    even += (pixel & 255) * w + ((pixel >> 16 & 255) * w << 32)
                    odd += (pixel >> 8 & 255) * w + ((pixel >> 24 & 255) * w << 32)
            out[row, col] = np.uint32(
                (even >> 16 & 255) | (odd >> 16 & 255) << 8 | (even >> 48 & 255) << 16 | (odd >> 48 & 255) << 24
            )


@njit(**JIT)
def colour_by_ramp(values, low, high, gamma, table, light, image, top, bottom):
    """Colour a band (float32, NaN without data) through a ramp of (256,) uint32 inks.

    light : (rows, cols) float32 that multiplies the colour, or empty
    """
    span = high - low if high > low else 1.0
    lit = light.size > 0
    for row in range(top, bottom):
        for col in range(image.shape[1]):
            value = values[row, col]
            if value != value:
                continue
            share = min(max((value - low) / span, 0.0), 1.0)
            if not share >= 0.0:
                share = 0.0
            if gamma != 1.0:
                share = share ** (1.0 / gamma)
            ink = np.int64(table[min(255, int(share * 256.0))])
            if lit:
                dim = int(light[row, col] * 256.0)
                red = min(255, (ink & 255) * dim >> 8)
                green = min(255, (ink >> 8 & 255) * dim >> 8)
                blue = min(255, (ink >> 16 & 255) * dim >> 8)
                ink = red | green << 8 | blue << 16 | 255 << 24
            image[row, col] = np.uint32(ink)


@njit(**JIT)
def colour_by_bands(red, green, blue, lows, highs, gamma, image, top, bottom):
    """Colour three bands (float32, NaN without data), each stretched between its own limits."""
    for row in range(top, bottom):
        for col in range(image.shape[1]):
            r, g, b = red[row, col], green[row, col], blue[row, col]
            if not (r == r and g == g and b == b):
                continue
            ink = 255 << 24
            for k in range(3):
                value = r if k == 0 else g if k == 1 else b
                span = highs[k] - lows[k] if highs[k] > lows[k] else 1.0
                share = min(max((value - lows[k]) / span, 0.0), 1.0)
                if gamma != 1.0:
                    share = share ** (1.0 / gamma)
                ink |= int(share * 255.0 + 0.5) << 8 * k
            image[row, col] = np.uint32(ink)


@njit(**JIT)
def colour_by_class(values, table, image, top, bottom):
    """Colour whole numbers 0 to table.size - 1 (float32, NaN without data) each by its own ink."""
    for row in range(top, bottom):
        for col in range(image.shape[1]):
            value = values[row, col]
            if value >= 0.0 and value < table.size:
                image[row, col] = table[int(value)]


@njit(**JIT)
def slopes(height, cell_x, cell_y, east, north, top, bottom):
    """Fill how fast the ground rises eastwards and northwards, from the eight cells around.

    NaN where one of them is missing or lies outside. Source: B. K. P. Horn (1981), "Hill shading
    and the reflectance map", Proc. IEEE 69(1).
    """
    rows, cols = height.shape
    nothing = np.float32(np.nan)
    for r in range(top, bottom):
        for c in range(cols):
            if r == 0 or c == 0 or r == rows - 1 or c == cols - 1:
                east[r, c] = nothing
                north[r, c] = nothing
                continue
            nw, n, ne = height[r - 1, c - 1], height[r - 1, c], height[r - 1, c + 1]
            sw, s, se = height[r + 1, c - 1], height[r + 1, c], height[r + 1, c + 1]
            w, e = height[r, c - 1], height[r, c + 1]
            east[r, c] = np.float32((ne + 2.0 * e + se - nw - 2.0 * w - sw) / (8.0 * cell_x))
            north[r, c] = np.float32((nw + 2.0 * n + ne - sw - 2.0 * s - se) / (8.0 * cell_y))


@njit(**JIT)
def shade(east, north, light_east, light_north, light_up, share, strength, light, top, bottom):
    """Add to `light` the `share` of one lamp: 1 on flat ground, by `strength` away from it elsewhere.

    light_east, light_north, light_up : towards the lamp, of length 1
    """
    for r in range(top, bottom):
        for c in range(light.shape[1]):
            dx, dy = east[r, c], north[r, c]
            value = 1.0
            if dx == dx and dy == dy:
                lit = (light_up - dx * light_east - dy * light_north) / np.sqrt(1.0 + dx * dx + dy * dy)
                value = 1.0 + strength * (max(lit, 0.0) / light_up - 1.0)
            light[r, c] += np.float32(share * value)
