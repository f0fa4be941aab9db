"""Compiled reduction of grids."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

_JIT = {"nogil": True, "cache": True, "error_model": "numpy", "_nrt": False}


@njit(**_JIT)
def reduce_mean(cells, factor, out):
    """Fill `out` with the mean of the known cells of each `factor` x `factor` block, NaN for none."""
    rows, cols = cells.shape
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            total, count = 0.0, 0
            for i in range(r * factor, min(rows, (r + 1) * factor)):
                for j in range(c * factor, min(cols, (c + 1) * factor)):
                    value = cells[i, j]
                    if value == value:
                        total += value
                        count += 1
            out[r, c] = np.float32(total / count) if count else np.float32(np.nan)


@njit(**_JIT)
def reduce_nearest(cells, factor, out):
    """Fill `out` with the cell in the middle of each block."""
    rows, cols = cells.shape
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            out[r, c] = cells[min(rows - 1, r * factor + factor // 2), min(cols - 1, c * factor + factor // 2)]
