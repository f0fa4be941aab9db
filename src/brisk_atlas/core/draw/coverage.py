"""Kernels that turn flat coordinates into anti-aliased pixels. They release Python's lock.

Fill: signed-area accumulation. Every edge adds the exact area it covers to the cells that it
crosses; a running sum along a row is then each pixel's coverage, folded for the even-odd rule.
Stroke: the distance from a pixel's centre to the nearest segment, so joins and caps are round.

Pixels are uint8 RGBA with premultiplied alpha. A call works on the rows `top` to `bottom`, so that
two threads can share one image.
"""

from __future__ import annotations

import numpy as np
from numba import njit

POINT, LINE, POLYGON = 0, 1, 2
_JIT = {"nogil": True, "cache": True, "fastmath": False, "boundscheck": False}


@njit(**_JIT)
def _over(image, row, col, red, green, blue, alpha):
    """Lay a colour of coverage `alpha` (0 to 1) over one pixel."""
    keep = 1.0 - alpha
    image[row, col, 0] = np.uint8(red * alpha + image[row, col, 0] * keep + 0.5)
    image[row, col, 1] = np.uint8(green * alpha + image[row, col, 1] * keep + 0.5)
    image[row, col, 2] = np.uint8(blue * alpha + image[row, col, 2] * keep + 0.5)
    image[row, col, 3] = np.uint8(255.0 * alpha + image[row, col, 3] * keep + 0.5)


@njit(**_JIT)
def _add_edge(area, x0, y0, x1, y1, top, bottom, width):
    """Add one edge's signed area to `area` (rows top..bottom, width + 1 columns)."""
    if y0 == y1:
        return
    sign = 1.0
    if y0 > y1:
        x0, y0, x1, y1 = x1, y1, x0, y0
        sign = -1.0
    if y1 <= top or y0 >= bottom:
        return
    slope = (x1 - x0) / (y1 - y0)
    if y0 < top:
        x0 += (top - y0) * slope
        y0 = float(top)
    if y1 > bottom:
        x1 += (bottom - y1) * slope
        y1 = float(bottom)
    row = int(y0)
    x = x0
    y = y0
    while y < y1:
        y_next = min(float(row + 1), y1)
        x_next = x + (y_next - y) * slope
        _add_span(area, row - top, x, x_next, sign * (y_next - y), width)
        x = x_next
        y = y_next
        row += 1


@njit(**_JIT)
def _add_span(area, row, xa, xb, dy, width):
    """Spread the area right of a piece of edge inside one row; parts outside are clamped."""
    if xa > xb:
        xa, xb = xb, xa
    if xb <= 0.0:
        area[row, 0] += dy
        return
    if xa >= width:
        return
    if xa < 0.0:  # the part left of the picture counts in full from the first column
        share = -xa / (xb - xa)
        area[row, 0] += dy * share
        dy *= 1.0 - share
        xa = 0.0
    if xb > width:
        dy *= (width - xa) / (xb - xa)
        xb = float(width)
    first = int(xa)
    last = int(xb)
    if first >= width:
        return
    if first == last or xb == xa:
        middle = 0.5 * (xa + xb) - first
        area[row, first] += dy * (1.0 - middle)
        area[row, first + 1] += dy * middle
        return
    per = dy / (xb - xa)
    before = 0.0  # area covered so far, as a sum over the columns passed
    for col in range(first, last + 1):
        left = max(xa, float(col))
        right = min(xb, float(col + 1))
        if right <= left:
            break
        piece = per * (right - left)
        inside = piece * (col + 1 - 0.5 * (left + right))
        area[row, col] += inside + before
        before = piece - inside
    end = int(np.ceil(xb))
    if end <= width:
        area[row, end] += before


@njit(**_JIT)
def _sweep(area, image, col0, col1, row0, row1, top, red, green, blue, opacity):
    """Turn accumulated area into coverage, lay the colour, and leave the buffer clean."""
    for row in range(row0, row1):
        total = 0.0
        line = row - top
        for col in range(col0, col1):
            total += area[line, col]
            area[line, col] = 0.0
            cover = abs(total)
            if cover > 1.0:  # even-odd: two layers of ring cancel
                cover -= 2.0 * np.floor(cover / 2.0)
                if cover > 1.0:
                    cover = 2.0 - cover
            if cover > 0.002:
                _over(image, row, col, red, green, blue, cover * opacity)
        area[line, col1] = 0.0


@njit(**_JIT)
def _stroke_segment(cover, touched, count, ax, ay, bx, by, half, top, bottom, width):
    """Raise `cover` to the stroke's coverage around one segment; note pixels touched first."""
    reach = half + 0.5
    low_y, high_y = min(ay, by) - reach, max(ay, by) + reach
    low_x, high_x = min(ax, bx) - reach, max(ax, bx) + reach
    if high_y < top or low_y > bottom or high_x < 0 or low_x > width:
        return count
    dx, dy = bx - ax, by - ay
    length = np.sqrt(dx * dx + dy * dy)
    ux, uy = (dx / length, dy / length) if length > 0 else (1.0, 0.0)
    strength = min(1.0, 2.0 * half)
    row0, row1 = max(top, int(np.floor(low_y))), min(bottom, int(np.ceil(high_y)))
    for row in range(row0, row1):
        py = row + 0.5
        left, right = low_x, high_x
        if abs(uy) > 1e-6:
            middle = ax + (py - ay) * ux / uy
            spread = reach / abs(uy)
            left, right = max(left, middle - spread - 1), min(right, middle + spread + 1)
        for col in range(max(0, int(np.floor(left))), min(width, int(np.ceil(right)) + 1)):
            px = col + 0.5
            along = (px - ax) * ux + (py - ay) * uy
            if along < 0.0:
                off = np.sqrt((px - ax) ** 2 + (py - ay) ** 2)
            elif along > length:
                off = np.sqrt((px - bx) ** 2 + (py - by) ** 2)
            else:
                off = abs((px - ax) * uy - (py - ay) * ux)
            value = min(1.0, max(half, 0.5) + 0.5 - off) * strength
            if value > 0.0:
                old = cover[row - top, col]
                if old == 0.0:
                    touched[count, 0] = row
                    touched[count, 1] = col
                    count += 1
                if value > old:
                    cover[row - top, col] = value
    return count


@njit(**_JIT)
def _flush(cover, touched, count, image, top, red, green, blue, opacity):
    for k in range(count):
        row, col = touched[k, 0], touched[k, 1]
        _over(image, row, col, red, green, blue, cover[row - top, col] * opacity)
        cover[row - top, col] = 0.0


@njit(**_JIT)
def _disc(image, x, y, radius, edge, body, line, top, bottom, width):
    """Draw a round symbol: `body` colour with an outline `edge` pixels wide inside its rim."""
    reach = radius + 0.5
    for row in range(max(top, int(np.floor(y - reach))), min(bottom, int(np.ceil(y + reach)))):
        for col in range(max(0, int(np.floor(x - reach))), min(width, int(np.ceil(x + reach)))):
            off = np.sqrt((col + 0.5 - x) ** 2 + (row + 0.5 - y) ** 2)
            outer = min(1.0, radius + 0.5 - off)
            if outer <= 0.0:
                continue
            inner = min(1.0, max(0.0, radius - edge + 0.5 - off))
            if edge > 0.0:
                _over(image, row, col, line[0], line[1], line[2], outer * line[3])
                _over(image, row, col, body[0], body[1], body[2], inner * body[3])
            else:
                _over(image, row, col, body[0], body[1], body[2], outer * body[3])


@njit(**_JIT)
def draw_features(
    image,
    top,
    bottom,
    xy,
    path_starts,
    path_kinds,
    feature_starts,
    features,
    left,
    upper,
    per_pixel,
    bodies,
    lines,
    line_width,
    point_radius,
    area,
    cover,
    touched,
):
    """Draw `features` (indices, in drawing order) into rows `top` to `bottom` of `image`.

    bodies, lines : (len(features), 4) float64 red, green, blue (0 to 255) and opacity (0 to 1)
    area, cover : zeroed float64 scratch of (bottom - top, width + 2); left zeroed again
    touched : (rows x columns of the band, 2) int32 scratch
    left, upper, per_pixel : map position of the top left corner and map units a pixel
    """
    width = image.shape[1]
    for k in range(features.size):
        feature = features[k]
        first, last = feature_starts[feature], feature_starts[feature + 1]
        body, line = bodies[k], lines[k]
        low_x, high_x, low_y, high_y = 1e300, -1e300, 1e300, -1e300
        rings = False
        for path in range(first, last):
            if path_kinds[path] != POLYGON or body[3] <= 0.0:
                continue
            rings = True
            start, end = path_starts[path], path_starts[path + 1]
            if end - start < 3:
                continue
            ax, ay = (xy[end - 1, 0] - left) / per_pixel, (upper - xy[end - 1, 1]) / per_pixel
            for i in range(start, end):
                bx, by = (xy[i, 0] - left) / per_pixel, (upper - xy[i, 1]) / per_pixel
                low_x, high_x = min(low_x, bx), max(high_x, bx)
                low_y, high_y = min(low_y, by), max(high_y, by)
                _add_edge(area, ax, ay, bx, by, top, bottom, width)
                ax, ay = bx, by
        if rings and high_y > top and low_y < bottom and low_x < width:
            col0 = int(min(max(low_x, 0.0), float(width)))
            col1 = int(min(max(np.ceil(high_x), 0.0), float(width)))
            row0, row1 = int(max(low_y, float(top))), int(min(np.ceil(high_y), float(bottom)))
            _sweep(area, image, col0, col1, row0, row1, top, body[0], body[1], body[2], body[3])
        count = 0
        half = 0.5 * line_width
        for path in range(first, last):
            start, end = path_starts[path], path_starts[path + 1]
            if path_kinds[path] == POINT:
                for i in range(start, end):
                    px, py = (xy[i, 0] - left) / per_pixel, (upper - xy[i, 1]) / per_pixel
                    if -point_radius - 1 < px < width + point_radius + 1:
                        _disc(image, px, py, point_radius, line_width, body, line, top, bottom, width)
                continue
            if line[3] <= 0.0 or line_width <= 0.0:
                continue
            ink = body if path_kinds[path] == LINE else line
            ax, ay = (xy[start, 0] - left) / per_pixel, (upper - xy[start, 1]) / per_pixel
            for i in range(start + 1, end):
                bx, by = (xy[i, 0] - left) / per_pixel, (upper - xy[i, 1]) / per_pixel
                if i < end - 1 and abs(bx - ax) < 0.35 and abs(by - ay) < 0.35:
                    continue  # too near to see: the next vertex speaks for it
                count = _stroke_segment(cover, touched, count, ax, ay, bx, by, half, top, bottom, width)
                ax, ay = bx, by
            _flush(cover, touched, count, image, top, ink[0], ink[1], ink[2], ink[3])
            count = 0


@njit(**_JIT)
def draw_points(image, top, bottom, x, y, colours, left, upper, per_pixel, size):
    """Draw square points of `size` pixels, opaque, in order. colours : (n, 3) uint8."""
    width = image.shape[1]
    reach = max(1, int(size + 0.5))
    back = reach // 2
    for i in range(x.size):
        px, py = (x[i] - left) / per_pixel, (upper - y[i]) / per_pixel
        if px < -reach or px >= width + reach or py < top - reach or py >= bottom + reach:
            continue
        col0, row0 = int(np.floor(px)) - back, int(np.floor(py)) - back
        for row in range(max(top, row0), min(bottom, row0 + reach)):
            for col in range(max(0, col0), min(width, col0 + reach)):
                image[row, col, 0] = colours[i, 0]
                image[row, col, 1] = colours[i, 1]
                image[row, col, 2] = colours[i, 2]
                image[row, col, 3] = 255


@njit(**_JIT)
def blend(image, above, opacity, top, bottom):
    """Lay the picture `above` over `image`, rows `top` to `bottom`."""
    for row in range(top, bottom):
        for col in range(image.shape[1]):
            alpha = above[row, col, 3] * opacity
            if alpha <= 0.0:
                continue
            keep = 1.0 - alpha / 255.0
            for c in range(4):
                image[row, col, c] = np.uint8(above[row, col, c] * opacity + image[row, col, c] * keep + 0.5)


@njit(**_JIT)
def colour_by_ramp(values, valid, low, high, table, light, image):
    """Colour a band through a ramp. `light` (rows, cols) multiplies the colour, or is empty."""
    span = high - low if high > low else 1.0
    for row in range(image.shape[0]):
        for col in range(image.shape[1]):
            if not valid[row, col]:
                continue
            step = int((float(values[row, col]) - low) / span * 256.0)
            step = min(max(step, 0), 255)
            dim = light[row, col] if light.size else np.float32(1.0)
            for c in range(3):
                image[row, col, c] = np.uint8(min(255.0, table[step, c] * dim))
            image[row, col, 3] = 255


@njit(**_JIT)
def colour_by_bands(values, valid, lows, highs, image):
    """Colour three bands as red, green and blue, each stretched between its own limits."""
    for row in range(image.shape[0]):
        for col in range(image.shape[1]):
            if not valid[row, col]:
                continue
            for c in range(3):
                span = highs[c] - lows[c] if highs[c] > lows[c] else 1.0
                level = (float(values[c, row, col]) - lows[c]) / span * 255.0
                image[row, col, c] = np.uint8(min(max(level, 0.0), 255.0))
            image[row, col, 3] = 255


@njit(**_JIT)
def hillshade(height, valid, cell_x, cell_y, strength):
    """Return how bright each cell is lit from the north-west at 45 degrees, 1 on the flat.

    Slopes by Horn, B.K.P. (1981), "Hill shading and the reflectance map", Proc. IEEE 69(1).
    Cells at an edge or beside nodata count as flat.
    """
    rows, cols = height.shape
    light = np.ones((rows, cols), np.float32)
    east, north, up = -0.5, 0.5, np.sqrt(0.5)  # towards the light
    for r in range(1, rows - 1):
        for c in range(1, cols - 1):
            whole = True
            for i in range(-1, 2):
                for j in range(-1, 2):
                    whole = whole and valid[r + i, c + j]
            if not whole:
                continue
            dzdx = (
                float(height[r - 1, c + 1])
                + 2.0 * height[r, c + 1]
                + height[r + 1, c + 1]
                - height[r - 1, c - 1]
                - 2.0 * height[r, c - 1]
                - height[r + 1, c - 1]
            ) / (8.0 * cell_x)
            dzdy = (
                float(height[r - 1, c - 1])
                + 2.0 * height[r - 1, c]
                + height[r - 1, c + 1]
                - height[r + 1, c - 1]
                - 2.0 * height[r + 1, c]
                - height[r + 1, c + 1]
            ) / (8.0 * cell_y)
            lit = (up - dzdx * east - dzdy * north) / np.sqrt(1.0 + dzdx * dzdx + dzdy * dzdy)
            light[r, c] = 1.0 + strength * (max(lit, 0.0) / up - 1.0)
    return light
