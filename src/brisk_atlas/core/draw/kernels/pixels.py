"""Laying colour on pixels, and pictures on pictures."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT

NORMAL, MULTIPLY = 0, 1
FULL = 256  # coverage of a whole pixel
_PAIR = 0xFF00FF  # two channels of a pixel, each with room to be multiplied


@njit(**JIT)
def thinned(ink, share):
    """Return an ink of which only `share` (0 to 1) is left."""
    cover, source = int(share * 256.0), np.int64(ink)
    return np.uint32(((source & _PAIR) * cover >> 8 & _PAIR) | (((source >> 8) & _PAIR) * cover & 0xFF00FF00))


@njit(**JIT)
def lay(image, row, col, ink, cover):
    """Lay `ink` on the share `cover` (0 to FULL) of one pixel of a layer's picture.

    image : (rows, cols) uint32, each premultiplied red, green, blue, alpha from the lowest byte up
    ink : one such pixel

    What is there already keeps the uncovered share of the pixel as far as it needs it: two shapes
    that share an edge fill the pixels along it completely, so no seam shows between them.
    Source: "disjoint over", after T. Porter and T. Duff (1984), "Compositing digital images",
    SIGGRAPH 18(3), for coverages that lie beside each other.
    """
    source = np.int64(ink)
    if cover < FULL:
        source = (((source & _PAIR) * cover + 0x800080) >> 8 & _PAIR) | (
            (((source >> 8) & _PAIR) * cover + 0x800080) & 0xFF00FF00
        )
    below = np.int64(image[row, col])
    if below == 0:
        image[row, col] = np.uint32(source)
        return
    free = 255 - (source >> 24)
    if free == 0:
        image[row, col] = np.uint32(source)
        return
    there = below >> 24
    keep = free + 1 if there == 255 else min(FULL, (free << 8) // there)  # 255 * keep >> 8 is free
    image[row, col] = np.uint32(
        source + (((below & _PAIR) * keep >> 8 & _PAIR) | (((below >> 8) & _PAIR) * keep & 0xFF00FF00))
    )


@njit(**JIT)
def lay_over(image, row, col, ink, cover):
    """Lay `ink` on the share `cover` (0 to FULL) of one pixel, over all that is there: for strokes,
    which hide the edges that they follow. Source: "over", Porter and Duff (1984)."""
    source = np.int64(ink)
    if cover < FULL:
        source = (((source & _PAIR) * cover + 0x800080) >> 8 & _PAIR) | (
            (((source >> 8) & _PAIR) * cover + 0x800080) & 0xFF00FF00
        )
    below = np.int64(image[row, col])
    free = 255 - (source >> 24)
    keep = free + 1 if free > 0 else 0
    image[row, col] = np.uint32(
        source + (((below & _PAIR) * keep >> 8 & _PAIR) | (((below >> 8) & _PAIR) * keep & 0xFF00FF00))
    )


@njit(**JIT)
def lay_box(image, top, bottom, x0, y0, x1, y1, density, ink, over):
    """Lay an upright box, each pixel by the share of it that the box covers, thinned by `density`."""
    width = image.shape[1]
    for row in range(max(top, int(np.floor(y0))), min(bottom, int(np.ceil(y1)))):
        tall = (min(y1, row + 1.0) - max(y0, float(row))) * density * 256.0
        for col in range(max(0, int(np.floor(x0))), min(width, int(np.ceil(x1)))):
            wide = min(x1, col + 1.0) - max(x0, float(col))
            if over:
                lay_over(image, row, col, ink, int(tall * wide + 0.5))
            else:
                lay(image, row, col, ink, int(tall * wide + 0.5))


@njit(**JIT)
def blend(image, above, opacity, mode, top, bottom):
    """Lay the picture `above` on `image`, rows `top` to `bottom`.

    mode : NORMAL, or MULTIPLY, which darkens what lies below by the colour above
    """
    part = np.float32(opacity)
    half = np.float32(0.5)
    for row in range(top, bottom):
        for col in range(image.shape[1]):
            cover = above[row, col, 3]
            if cover == 0:
                continue
            if mode == MULTIPLY:
                share = cover * part / np.float32(255.0)
                below = image[row, col, 3] / np.float32(255.0)
                for c in range(3):
                    over, under = above[row, col, c] * part, np.float32(image[row, col, c])
                    mixed = over * under / np.float32(255.0) + over * (1 - below) + under * (1 - share)
                    image[row, col, c] = np.uint8(min(np.float32(255.0), mixed + half))
                image[row, col, 3] = np.uint8(cover * part + image[row, col, 3] * (1 - share) + half)
            elif cover == 255 and part == 1.0:
                for c in range(4):
                    image[row, col, c] = above[row, col, c]
            else:
                keep = np.float32(1.0) - cover * part / np.float32(255.0)
                for c in range(4):
                    image[row, col, c] = np.uint8(above[row, col, c] * part + image[row, col, c] * keep + half)
