"""Compiled: what can be seen from a place over a grid of heights."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit


@njit(**JIT)
def fill_sight(heights, step_x, step_y, row, col, eye, target, bend, reach, seen, top, bottom):
    """Fill the rows `top` to `bottom` of seen (rows, cols) float32: by how many metres something on a cell would have
    to be higher than `target` to be seen, 0 for what is seen, NaN without data and beyond `reach` metres.

    heights : (rows, cols) float32 metres, NaN without data; step_x, step_y : metres between cells
    row, col : the cell of the observer; eye : height of the eye over it; bend : metres by which the Earth falls away
    for each square metre of distance, less what refraction brings back

    Source: the line of sight to each cell is followed through the middles of the rows or columns that it crosses, with
    heights interpolated along them ("R3"): Franklin, W.R., Ray, C.K. and Mehta, S. (1994), "Geometric algorithms for
    siting of air defense missile batteries", technical report, Battelle.
    """
    rows, cols = heights.shape
    own = heights[row, col] + eye
    for j in range(top, bottom):
        for i in range(cols):
            h = heights[j, i]
            dx, dy = (i - col) * step_x, (j - row) * step_y
            away = np.sqrt(dx * dx + dy * dy)
            if h != h or own != own or away > reach:
                seen[j, i] = np.nan
                continue
            steps = max(abs(i - col), abs(j - row))
            if steps <= 1:
                seen[j, i] = 0.0
                continue
            steepest = -np.inf
            si, sj = (i - col) / steps, (j - row) / steps
            for n in range(1, steps):
                x, y = col + n * si, row + n * sj
                if abs(i - col) >= abs(j - row):
                    c = col + (n if i > col else -n)
                    r = int(np.floor(y))
                    share = y - r
                    a, b = heights[r, c], heights[min(r + 1, rows - 1), c]
                else:
                    r = row + (n if j > row else -n)
                    c = int(np.floor(x))
                    share = x - c
                    a, b = heights[r, c], heights[r, min(c + 1, cols - 1)]
                if share < 1e-9:
                    between = a
                elif a == a and b == b:
                    between = a * (1.0 - share) + b * share
                else:
                    between = a if a == a else b
                if between == between:
                    d = away * n / steps
                    steepest = max(steepest, (between - bend * d * d - own) / d)
            needed = own + steepest * away + bend * away * away - h
            seen[j, i] = max(0.0, needed - target)
