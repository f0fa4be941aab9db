"""Compiled: the statistics of each cell through time, in one pass over a block of dates."""

from __future__ import annotations

import numpy as np
from numba import njit

from brisk_atlas.core.read.index_kernels import JIT

COUNT, LOW, HIGH, MEAN, TREND, SURE, JUMP_AT, JUMP = range(8)  # where each statistic stands in what is returned
STATISTICS = 8
ROOM = 12  # sums that are held for each cell of a row
FEWEST = 3  # values that a line with a doubt about it needs


@njit(**JIT)
def series_sums(stack, years, chances, room, out):
    """Write the statistics of each cell of a block into `out`.

    stack : (dates, rows, cols) float32, NaN without data; years : (dates,) float64, rising, around 0
    chances : (dates + 1, steps) float64: the probability, for so many values, that a correlation as strong as the share
        of the step comes by chance
    room : (ROOM, cols) float64 to work in
    out : (8, rows, cols) float32: the number of values, minimum, maximum, mean, rise a year by least squares, its
        probability to come by chance, the year of the largest change from one value to the next and that change; NaN
        where there are too few values
    """
    dates, rows, cols = stack.shape
    steps = chances.shape[1] - 1
    count = room[11]
    first, last, low, high, jump, jump_at = room[0], room[1], room[2], room[3], room[4], room[5]
    t, tt, v, vv, tv = room[6], room[7], room[8], room[9], room[10]
    for row in range(rows):
        room[4] = 0.0
        room[6:] = 0.0
        for date in range(dates):
            year = years[date]
            for col in range(cols):
                value = np.float64(stack[date, row, col])
                if value != value:
                    continue
                if count[col] == 0:
                    first[col] = low[col] = high[col] = value
                    jump_at[col] = np.nan
                else:
                    low[col], high[col] = min(low[col], value), max(high[col], value)
                    change = value - last[col]
                    if abs(change) > abs(jump[col]):
                        jump[col], jump_at[col] = change, year
                last[col] = value
                count[col] += 1
                off = value - first[col]  # small numbers, so that squares lose nothing
                t[col] += year
                tt[col] += year * year
                v[col] += off
                vv[col] += off * off
                tv[col] += year * off
        for col in range(cols):
            n = np.int64(count[col])
            out[COUNT, row, col] = n
            if n == 0:
                for which in range(1, STATISTICS):
                    out[which, row, col] = np.nan
                continue
            out[LOW, row, col], out[HIGH, row, col] = low[col], high[col]
            out[MEAN, row, col] = first[col] + v[col] / n
            out[JUMP_AT, row, col] = jump_at[col]
            out[JUMP, row, col] = jump[col] if n > 1 else np.nan
            across = n * tt[col] - t[col] * t[col]
            up = n * vv[col] - v[col] * v[col]
            both = n * tv[col] - t[col] * v[col]
            out[TREND, row, col] = both / across if n > 1 and across > 0 else np.nan
            out[SURE, row, col] = np.nan
            if n >= FEWEST and across > 0:
                strength = min(1.0, abs(both) / np.sqrt(across * up)) if up > 0 else 0.0
                place = strength * steps
                step = min(int(place), steps - 1)
                share = place - step
                out[SURE, row, col] = chances[n, step] * (1 - share) + chances[n, step + 1] * share
