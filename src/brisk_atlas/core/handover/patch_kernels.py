"""Polynomials over the patches of a plane: which patch a position lies in, and what its polynomials say there."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

TERMS = 5  # powers of each coordinate, from 0 on


@njit(cache=True, nogil=True)
def count_in_patches(xy: np.ndarray, left: float, lower: float, size: float, counts: np.ndarray) -> None:
    """Count the (n, 2) positions in each square patch.

    counts : (rows, columns) int64, of patches of `size` a side, the first at (left, lower); positions that are not
    finite are left out
    """
    rows, columns = counts.shape
    for n in range(len(xy)):
        u, v = (xy[n, 0] - left) / size, (xy[n, 1] - lower) / size
        if 0 <= u < columns and 0 <= v < rows:
            counts[int(v), int(u)] += 1


@njit(cache=True, nogil=True)
def evaluate_patches(
    xy: np.ndarray, left: float, lower: float, size: float, numbers: np.ndarray, terms: np.ndarray, moved: np.ndarray
) -> None:
    """Evaluate the polynomials of the patch that each of (n, 2) positions lies in.

    numbers : (rows, columns) int32, the number of the polynomials of a patch, -1 for none
    terms : (patches, TERMS, TERMS, 2), factors of u^i v^j, u and v from -1 to 1 across the patch
    moved : (n, 2), NaN where there are no polynomials
    """
    rows, columns = numbers.shape
    for n in range(len(xy)):
        u, v = (xy[n, 0] - left) / size, (xy[n, 1] - lower) / size
        number = -1
        if 0 <= u < columns and 0 <= v < rows:
            row, column = int(v), int(u)
            number = numbers[row, column]
        if number < 0:
            moved[n, 0] = moved[n, 1] = np.nan
            continue
        u, v = 2.0 * (u - column) - 1.0, 2.0 * (v - row) - 1.0
        a = b = 0.0
        for i in range(TERMS - 1, -1, -1):
            p = q = 0.0
            for j in range(TERMS - 1, -1, -1):
                p = p * v + terms[number, i, j, 0]
                q = q * v + terms[number, i, j, 1]
            a = a * u + p
            b = b * u + q
        moved[n, 0], moved[n, 1] = a, b
