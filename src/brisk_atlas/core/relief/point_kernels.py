"""Compiled: points in a relief, in front of its ground or behind it, and light that shows their depth."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

from .cast_kernels import INLINE


@njit(**INLINE)
def _seen(eye, dx, dy, dz, cols, rows):
    """Return the column and row at which an offset from the eye is seen, with their fractions, and how deep it lies."""
    deep = dx * eye.ahead[0] + dy * eye.ahead[1] + dz * eye.ahead[2]
    if deep <= 0.0:
        return 0.0, 0.0, -1.0
    px = (dx * eye.right[0] + dy * eye.right[1] + dz * eye.right[2]) / deep
    py = (dx * eye.up[0] + dy * eye.up[1] + dz * eye.up[2]) / deep
    return 0.5 * cols * (1.0 + px / eye.tan_x), 0.5 * rows * (1.0 - py / eye.tan_y), deep


@njit(**JIT)
def splat_points(x, y, height, inks, begin, per, eye, width, minimum, maximum, depth, pixels, nearest, first, last):
    """Draw the points `first` to `last` as squares, those in front over those behind and over the ground.

    x, y : (n,) int32 steps; height : (n,) float32; inks : (n,) uint32. begin and per : three float64 each, a point
    lies at begin + per * (x, y, height), metres, heights not exaggerated yet. width : of a point, metres; minimum,
    maximum : of it, pixels
    depth : (rows, cols) float32, of what is there so far; pixels : (rows, cols) uint32; nearest : (rows, cols) int32,
    the point that is seen.
    """
    rows, cols = depth.shape
    pixel = 2.0 * eye.tan_y / rows
    for n in range(first, last):
        if inks[n] == 0:  # its class is off
            continue
        dx, dy = begin[0] + per[0] * x[n] - eye.x, begin[1] + per[1] * y[n] - eye.y
        dz = (begin[2] + per[2] * height[n]) * eye.exaggeration - eye.z
        if eye.bend != 0.0:
            dz -= eye.bend * (dx * dx + dy * dy)
        col, row, deep = _seen(eye, dx, dy, dz, cols, rows)
        if deep <= 0.0 or col < -maximum or row < -maximum or col > cols + maximum or row > rows + maximum:
            continue
        far = np.sqrt(dx * dx + dy * dy + dz * dz)
        side = min(max(width / (far * pixel), minimum), maximum)
        left, top = int(np.floor(col - 0.5 * side + 0.5)), int(np.floor(row - 0.5 * side + 0.5))
        count = max(1, int(side + 0.5))
        front = np.float32(far - 0.5 * width)
        for j in range(max(top, 0), min(top + count, rows)):
            for i in range(max(left, 0), min(left + count, cols)):
                if front < depth[j, i]:
                    depth[j, i] = front
                    pixels[j, i] = inks[n]
                    nearest[j, i] = n


@njit(**JIT)
def lay_points(depth, pixels, nearest, other_depth, other_pixels, other_nearest, top, bottom):
    """Lay what another core has drawn on what one has, where that is nearer, in the rows `top` to `bottom`."""
    for j in range(top, bottom):
        for i in range(depth.shape[1]):
            if other_depth[j, i] < depth[j, i]:
                depth[j, i], pixels[j, i] = other_depth[j, i], other_pixels[j, i]
                nearest[j, i] = other_nearest[j, i]


@njit(**JIT)
def shade_by_depth(depth, nearest, image, strength, reach, top, bottom):
    """Darken points that lie behind what is around them, in the rows `top` to `bottom` of an image (rows, cols, 4).

    Source: Boucheny, C. (2009), "Interactive scientific visualization of large datasets: towards a perceptive-based
    approach", thesis, Université Joseph Fourier: eye-dome lighting, the obscurance of a pixel by its neighbours.
    """
    rows, cols = depth.shape
    for j in range(top, bottom):
        for i in range(cols):
            if nearest[j, i] < 0:
                continue
            here = np.log2(depth[j, i])
            found, count = 0.0, 0
            for n in range(8):
                dj = (-1, -1, -1, 0, 0, 1, 1, 1)[n] * reach
                di = (-1, 0, 1, -1, 1, -1, 0, 1)[n] * reach
                jj, ii = j + dj, i + di
                if 0 <= jj < rows and 0 <= ii < cols:
                    count += 1
                    if depth[jj, ii] < np.inf:
                        found += max(0.0, here - np.log2(depth[jj, ii]))
            light = np.exp(-strength * found / max(count, 1))
            for k in range(3):
                image[j, i, k] = np.uint8(image[j, i, k] * light)
