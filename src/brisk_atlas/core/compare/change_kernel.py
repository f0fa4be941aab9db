"""Compiled: the sums of a difference, in one pass over both sides."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit


class ChangeSums(NamedTuple):
    """Sums over cells: of all that were compared, of those that rose and of those that fell; `weights` are sums of
    squared areas, of which the error of a volume is made; `faint` are volumes of changes too small to count."""

    cells: int
    risen: int
    fallen: int
    area: float
    risen_area: float
    fallen_area: float
    volume: float
    risen_volume: float
    fallen_volume: float
    total: float
    low: float
    high: float
    weight: float
    risen_weight: float
    fallen_weight: float
    faint_risen: float
    faint_fallen: float


@njit(**JIT)
def change_sums(a, b, valid, areas, limit, delta, keeps):
    """Return the sums of b - a where `valid`, as `ChangeSums` lists them, and write the difference, NaN elsewhere, into
    `delta` if it `keeps` it.

    a, b : (rows, cols) float; valid : (rows, cols) bool; areas : (rows,) float64 m² of a cell in each row
    limit : the difference, up or down, from which a cell rose or fell
    """
    cells = risen = fallen = 0
    all_area = risen_area = fallen_area = volume = risen_volume = fallen_volume = total = 0.0
    weight = risen_weight = fallen_weight = faint_risen = faint_fallen = 0.0
    low, high = np.inf, -np.inf
    for row in range(a.shape[0]):
        area = areas[row]
        count = up = down = 0
        here = up_sum = down_sum = faint_up = faint_down = 0.0
        for col in range(a.shape[1]):
            if not valid[row, col]:
                if keeps:
                    delta[row, col] = np.nan
                continue
            off = np.float64(b[row, col]) - np.float64(a[row, col])
            if keeps:
                delta[row, col] = off
            if off != off:
                continue
            count += 1
            here += off
            low, high = min(low, off), max(high, off)
            if off >= limit:
                up += 1
                up_sum += off
            elif off <= -limit:
                down += 1
                down_sum -= off
            elif off > 0.0:
                faint_up += off
            else:
                faint_down -= off
        cells += count
        risen += up
        fallen += down
        total += here
        volume += here * area
        all_area += count * area
        risen_area += up * area
        fallen_area += down * area
        risen_volume += up_sum * area
        fallen_volume += down_sum * area
        faint_risen += faint_up * area
        faint_fallen += faint_down * area
        weight += count * area * area
        risen_weight += up * area * area
        fallen_weight += down * area * area
    return (cells, risen, fallen, all_area, risen_area, fallen_area, volume, risen_volume, fallen_volume, total, low,
            high, weight, risen_weight, fallen_weight, faint_risen, faint_fallen)  # fmt: skip
