"""Grids: from stored cells to the cells of a picture, and from values to colours."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT

NEAREST, BILINEAR, CUBIC = 0, 1, 2


@njit(**JIT)
def _cubic_weights(t):
    """Return the weights of the cells from one before to two behind, at the share t of the way from the one before to
    the next, by the cubic kernel of R. Keys (1981), IEEE ASSP 29(6), a = -1/2."""
    return (
        ((-0.5 * t + 1.0) * t - 0.5) * t,
        (1.5 * t - 2.5) * t * t + 1.0,
        ((-1.5 * t + 2.0) * t + 0.5) * t,
        (0.5 * t - 0.5) * t * t,
    )


@njit(**JIT)
def _four(cells, row, col, weights):
    """Return the weighted sum of four cells side by side, the first one before `col`."""
    a, b, c, d = weights
    return a * cells[row, col - 1] + b * cells[row, col] + c * cells[row, col + 1] + d * cells[row, col + 2]


@njit(**JIT)
def _cubic(cells, row, col, fy, fx):
    """Return the value at the shares fy and fx of the way from a cell to the next ones, NaN where one of the sixteen
    around is not known."""
    across = _cubic_weights(fx)
    a, b, c, d = _cubic_weights(fy)
    return (
        a * _four(cells, row - 1, col, across)
        + b * _four(cells, row, col, across)
        + c * _four(cells, row + 1, col, across)
        + d * _four(cells, row + 2, col, across)
    )


@njit(**JIT)
def _linear(cells, row, col, fy, fx, here):
    """Return the same of the four cells around, of which those decide that are known; `here` where none is."""
    rows, cols = cells.shape
    if row >= 0 and col >= 0 and row + 1 < rows and col + 1 < cols:
        upper = (1.0 - fx) * cells[row, col] + fx * cells[row, col + 1]
        lower = (1.0 - fx) * cells[row + 1, col] + fx * cells[row + 1, col + 1]
        value = (1.0 - fy) * upper + fy * lower
        if value == value:
            return value
    total, weight = 0.0, 0.0
    for a in range(2):
        wy = fy if a else 1.0 - fy
        r = min(rows - 1, max(0, row + a))
        for b in range(2):
            w = wy * (fx if b else 1.0 - fx)
            value = cells[r, min(cols - 1, max(0, col + b))]
            if value == value:
                total += w * value
                weight += w
    return total / weight if weight > 0.0 else here


@njit(**JIT)
def _between(nodes, i, j, v, u):
    """Return the value at shares v and u of the way from node (i, j) to the next ones."""
    upper = (1.0 - u) * nodes[i, j] + u * nodes[i, j + 1]
    lower = (1.0 - u) * nodes[i + 1, j] + u * nodes[i + 1, j + 1]
    return (1.0 - v) * upper + v * lower


@njit(**JIT)
def _side(nodes, i, j, v):
    """Return the value at the share v of the way from node (i, j) to the one below."""
    return (1.0 - v) * nodes[i, j] + v * nodes[i + 1, j]


@njit(**JIT)
def _at(cells, y, x, how):
    """Return the value at a place among cells, NaN outside; see `sample`."""
    rows, cols = cells.shape
    if not (x >= 0.0 and x < cols and y >= 0.0 and y < rows):
        return np.nan
    here = float(cells[int(y), int(x)])
    if how == NEAREST or here != here:
        return here
    r, c = int(y + 0.5) - 1, int(x + 0.5) - 1  # whose middle is the last one before
    fy, fx = y - 0.5 - r, x - 0.5 - c
    if how == CUBIC and r >= 1 and c >= 1 and r + 2 < rows and c + 2 < cols:
        value = _cubic(cells, r, c, fy, fx)
        if value == value:
            return value
    return _linear(cells, r, c, fy, fx, here)


@njit(**JIT)
def sample(cells, mesh_col, mesh_row, step, how, out, top, bottom):
    """Fill rows `top` to `bottom` of `out` (float32, NaN without data) with the cells under them.

    cells : (rows, cols) float32, NaN without data
    mesh_col, mesh_row : float64 nodes, `step` pixels apart: where pixels lie, in cells (0 at the
        outer edge of the first); NaN for nowhere
    how : NEAREST, BILINEAR or CUBIC; at the edge of the data the known cells around decide
    """
    width = out.shape[1]
    for row in range(top, bottom):
        i = row // step
        v = (row - i * step) / step
        for j in range((width + step - 1) // step):
            left_x, right_x = _side(mesh_col, i, j, v), _side(mesh_col, i, j + 1, v)
            left_y, right_y = _side(mesh_row, i, j, v), _side(mesh_row, i, j + 1, v)
            for col in range(j * step, min(width, (j + 1) * step)):
                u = (col - j * step) / step
                x, y = (1.0 - u) * left_x + u * right_x, (1.0 - u) * left_y + u * right_y
                out[row, col] = np.float32(_at(cells, y, x, how))


@njit(**JIT)
def sample_upright(cells, xs, ys, how, line, out, top, bottom):
    """Do what `sample` does where columns of pixels lie along columns of cells, at `xs`, and rows along rows, at `ys`.

    line : (cols,) float64 to work in: a row of cells between the four around it
    """
    rows, cols = cells.shape
    for row in range(top, bottom):
        y = ys[row]
        r = int(y + 0.5) - 1 if y >= 1.5 else 0
        runs = how == CUBIC and r >= 1 and r + 2 < rows
        if runs:
            p, q, s, t = _cubic_weights(y - 0.5 - r)
            for c in range(cols):
                line[c] = p * cells[r - 1, c] + q * cells[r, c] + s * cells[r + 1, c] + t * cells[r + 2, c]
        for col in range(out.shape[1]):
            x = xs[col]
            if runs and x >= 1.5 and x < cols - 1.5:
                c = int(x + 0.5) - 1
                p, q, s, t = _cubic_weights(x - 0.5 - c)
                value = p * line[c - 1] + q * line[c] + s * line[c + 1] + t * line[c + 2]
                if value == value:
                    out[row, col] = np.float32(value)
                    continue
            out[row, col] = np.float32(_at(cells, y, x, how))


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
    by_x, by_y = 1.0 / (8.0 * cell_x), 1.0 / (8.0 * cell_y)
    for r in range(top, bottom):
        if r == 0 or r == rows - 1:
            for c in range(cols):
                east[r, c], north[r, c] = nothing, nothing
            continue
        for c in range(1, cols - 1):
            nw, n, ne = height[r - 1, c - 1], height[r - 1, c], height[r - 1, c + 1]
            sw, s, se = height[r + 1, c - 1], height[r + 1, c], height[r + 1, c + 1]
            w, e = height[r, c - 1], height[r, c + 1]
            east[r, c] = np.float32((ne + 2.0 * e + se - nw - 2.0 * w - sw) * by_x)
            north[r, c] = np.float32((nw + 2.0 * n + ne - sw - 2.0 * s - se) * by_y)
        east[r, 0], north[r, 0] = nothing, nothing
        east[r, cols - 1], north[r, cols - 1] = nothing, nothing


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
