"""Compiled: the statistics of each cell through time, in one pass over a block of dates."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

COUNT, LOW, HIGH, MEAN, TREND, SURE, JUMP_AT, JUMP = range(8)  # where each statistic stands in what is returned
STATISTICS = 8
FEWEST = 3  # values that a line with a doubt about it needs
ROOM = 8  # sums that are held for each cell of a row without gaps


@njit(**JIT)
def series_sums(stack, years, chances, room, out):
    """Write the statistics of each cell of a block into `out`.

    stack : (dates, rows, cols or more) float32, NaN without data; years : (dates,) float64, rising, around 0
    chances : (dates + 1, steps) float64: the probability, for so many values, that a correlation as strong as the share
        of the step comes by chance
    room : (ROOM, cols) float64 to work in
    out : (8, rows, cols) float32: the number of values, minimum, maximum, mean, rise a year by least squares, its
        probability to come by chance, the year of the largest change from one value to the next and that change; NaN
        where there are too few values
    """
    dates, rows, cols = len(stack), out.shape[1], out.shape[2]
    t = tt = 0.0
    for date in range(dates):
        t += years[date]
        tt += years[date] * years[date]
    for row in range(rows):
        gaps = 0
        for date in range(dates):
            for col in range(cols):
                gaps += stack[date, row, col] != stack[date, row, col]
        if gaps:
            _row_with_gaps(stack, years, chances, row, out)
            continue
        _whole_row(stack, years, row, room)
        for col in range(cols):
            first, low, high, v, vv, tv, jump, jump_at = (
                np.float64(stack[0, row, col]), room[0, col], room[1, col], room[2, col], room[3, col], room[4, col],
                room[5, col], room[6, col],
            )  # fmt: skip
            _conclude(out, row, col, dates, first, low, high, t, tt, v, vv, tv, jump, jump_at, chances)


@njit(**JIT)
def _whole_row(stack, years, row, room):
    """Sum up a row without gaps, date by date, in loops that touch so little that cells are taken side by side."""
    dates, cols = stack.shape[0], room.shape[1]
    low, high, v, vv, tv = room[0], room[1], room[2], room[3], room[4]
    jump, jump_at, first = room[5], room[6], room[7]
    for col in range(cols):
        first[col] = low[col] = high[col] = stack[0, row, col]
        v[col] = vv[col] = tv[col] = jump[col] = 0.0
        jump_at[col] = np.nan
    for date in range(1, dates):
        year = years[date]
        now, before = stack[date, row], stack[date - 1, row]
        for col in range(cols):
            value = np.float64(now[col])
            low[col] = value if value < low[col] else low[col]
            high[col] = value if value > high[col] else high[col]
        for col in range(cols):
            off = np.float64(now[col]) - first[col]  # small numbers, so that squares lose nothing
            v[col] += off
            tv[col] += year * off
        for col in range(cols):
            off = np.float64(now[col]) - first[col]
            vv[col] += off * off
        for col in range(cols):
            change = np.float64(now[col]) - np.float64(before[col])
            larger = abs(change) > abs(jump[col])
            jump[col] = change if larger else jump[col]
            jump_at[col] = year if larger else jump_at[col]


@njit(**JIT)
def _row_with_gaps(stack, years, chances, row, out):
    """Work out a row in which values are missing: each cell through all dates, its sums in registers."""
    dates, cols = len(stack), out.shape[2]
    for col in range(cols):
        n = 0
        first = last = low = high = jump = size = 0.0
        jump_at = np.nan
        t = tt = v = vv = tv = 0.0
        for date in range(dates):
            value = np.float64(stack[date, row, col])
            if value != value:
                continue
            year = years[date]
            if n == 0:
                first = last = low = high = value
            low = value if value < low else low
            high = value if value > high else high
            change = value - last
            if abs(change) > size:
                jump, jump_at, size = change, year, abs(change)
            last = value
            n += 1
            off = value - first
            t += year
            tt += year * year
            v += off
            vv += off * off
            tv += year * off
        _conclude(out, row, col, n, first, low, high, t, tt, v, vv, tv, jump, jump_at, chances)


@njit(**JIT)
def _conclude(out, row, col, n, first, low, high, t, tt, v, vv, tv, jump, jump_at, chances):
    """Write the statistics of a cell from its sums: of n values less the first one (v), their squares (vv), their times
    (t, tt) and products with them (tv)."""
    out[COUNT, row, col] = n
    if n == 0:
        for which in range(1, STATISTICS):
            out[which, row, col] = np.nan
        return
    steps = chances.shape[1] - 1
    out[LOW, row, col], out[HIGH, row, col] = low, high
    out[MEAN, row, col] = first + v / n
    out[JUMP_AT, row, col] = jump_at
    out[JUMP, row, col] = jump if n > 1 else np.nan
    across = n * tt - t * t
    up = n * vv - v * v
    both = n * tv - t * v
    out[TREND, row, col] = both / across if n > 1 and across > 0 else np.nan
    out[SURE, row, col] = np.nan
    if n >= FEWEST and across > 0:
        strength = min(1.0, abs(both) / np.sqrt(across * up)) if up > 0 else 0.0
        place = strength * steps
        step = min(int(place), steps - 1)
        share = place - step
        out[SURE, row, col] = chances[n, step] * (1 - share) + chances[n, step + 1] * share
