"""Compiled: which cells of a grid have their middle in which polygon."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model.shapes import POLYGON
from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit


@njit(**JIT)
def within(value, count):
    """Return a number brought between 0 and `count`, 0 for none."""
    if not value > 0.0:
        return 0.0
    return value if value < count else float(count)


@njit(**JIT)
def gather(
    xy, path_starts, path_kinds, feature_starts, bounds, cells, xmin, ymax, width, height, first, room, zone, value
):
    """Write (zone, value) of each known cell whose middle lies in a polygon, by the even-odd rule; returns
    how many there are, and writes no more than there is room for.

    cells : (rows, cols) float64 from row `first` of the grid on, NaN without data
    room : for the crossings of one row with one feature
    """
    rows, cols = cells.shape
    count = 0
    for feature in range(feature_starts.size - 1):
        if not (bounds[feature, 1] <= bounds[feature, 3]):
            continue
        low = int(within(np.floor((ymax - bounds[feature, 3]) / height - 0.5) - first, rows))
        high = int(within(np.ceil((ymax - bounds[feature, 1]) / height + 0.5) - first, rows))
        for row in range(low, high):
            y = ymax - (first + row + 0.5) * height
            crossings = 0
            for path in range(feature_starts[feature], feature_starts[feature + 1]):
                if path_kinds[path] != POLYGON:
                    continue
                for i in range(path_starts[path], path_starts[path + 1] - 1):
                    y0, y1 = xy[i, 1], xy[i + 1, 1]
                    if (y0 > y) != (y1 > y):
                        at = xy[i, 0] + (y - y0) * (xy[i + 1, 0] - xy[i, 0]) / (y1 - y0)
                        k = crossings
                        while k > 0 and room[k - 1] > at:
                            room[k] = room[k - 1]
                            k -= 1
                        room[k] = at
                        crossings += 1
            for k in range(0, crossings - 1, 2):
                begin = int(within(np.ceil((room[k] - xmin) / width - 0.5), cols))
                end = int(within(np.ceil((room[k + 1] - xmin) / width - 0.5), cols))
                for col in range(begin, end):
                    v = cells[row, col]
                    if v == v:
                        if count < zone.size:
                            zone[count] = feature
                            value[count] = v
                        count += 1
    return count
