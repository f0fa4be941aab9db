"""Compile the kernels of this room ahead of their first use."""

from __future__ import annotations

import numpy as np

from .change_kernel import change_sums
from .trend_kernel import ROOM, STATISTICS, series_sums


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    for kind in (np.float32, np.float64):
        cells, room = np.zeros((2, 2), kind), np.empty((2, 4), np.float32)
        for into in (room, room[:, :2]):  # all of the difference, and a piece of it
            change_sums(cells, cells, np.ones((2, 2), bool), np.ones(2), 1.0, into, True)
    found = np.zeros((STATISTICS, 4, 2), np.float32)
    series_sums(np.zeros((3, 2, 4), np.float32), np.arange(3.0), np.zeros((4, 5)), np.empty((ROOM, 2)), found[:, :2])
