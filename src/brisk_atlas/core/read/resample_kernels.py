"""Compiled resampling of grids onto another lattice."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

JIT = {"nogil": True, "cache": True, "error_model": "numpy", "boundscheck": False, "_nrt": False}


@njit(**JIT)
def position(nodes, step, x, y):
    """Return the value of a mesh (see `place.mesh`) at cell (x, y), which may lie between two cells."""
    j, i = min(max(int(x // step), 0), nodes.shape[1] - 2), min(max(int(y // step), 0), nodes.shape[0] - 2)
    u, v = (x - j * step) / step, (y - i * step) / step
    upper = (1.0 - u) * nodes[i, j] + u * nodes[i, j + 1]
    lower = (1.0 - u) * nodes[i + 1, j] + u * nodes[i + 1, j + 1]
    return (1.0 - v) * upper + v * lower


@njit(**JIT)
def nearest(mesh_col, mesh_row, step, rows, cols, out):
    """Fill out (rows, cols int64) with the place, in a block of `rows` x `cols` cells laid out row by row, of the
    cell that holds the middle of each cell; -1 outside."""
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            x, y = position(mesh_col, step, c, r), position(mesh_row, step, c, r)
            inside = x >= 0.0 and x < cols and y >= 0.0 and y < rows
            out[r, c] = int(y) * cols + int(x) if inside else -1


@njit(**JIT)
def between(cells, x, y):
    """Return what lies at column x and row y between the middles of the four cells around, of which those
    without data (NaN) do not count; NaN where the nearest cell has none, and outside."""
    rows, cols = cells.shape
    if not (x >= 0.0 and x < cols and y >= 0.0 and y < rows) or np.isnan(cells[int(y), int(x)]):
        return np.nan
    r0, c0 = int(np.floor(y - 0.5)), int(np.floor(x - 0.5))
    fy, fx = y - 0.5 - r0, x - 0.5 - c0
    total, weight = 0.0, 0.0
    for a in range(2):
        wy = fy if a else 1.0 - fy
        for b in range(2):
            w = wy * (fx if b else 1.0 - fx)
            value = cells[min(rows - 1, max(0, r0 + a)), min(cols - 1, max(0, c0 + b))]
            if w > 0.0 and value == value:
                total += w * value
                weight += w
    return total / weight


@njit(**JIT)
def mean(cells, mesh_col, mesh_row, step, samples, out):
    """Fill `out` (float64) with the mean over each cell's area of what lies at `samples` x `samples` places in
    it (see `between`), which for one sample is that at its middle; NaN where none of them has data."""
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            total, count = 0.0, 0
            for a in range(samples):
                py = r + (a + 0.5) / samples - 0.5
                for b in range(samples):
                    px = c + (b + 0.5) / samples - 0.5
                    value = between(cells, position(mesh_col, step, px, py), position(mesh_row, step, px, py))
                    if value == value:
                        total += value
                        count += 1
            out[r, c] = total / count if count else np.nan
