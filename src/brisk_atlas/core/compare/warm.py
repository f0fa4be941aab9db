"""Compile the kernels of this room ahead of their first use: `python -m brisk_atlas.core.compare.warm`."""

from __future__ import annotations

import numpy as np

from .change_kernel import change_sums


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    for kind in (np.float32, np.float64):
        cells, room = np.zeros((2, 2), kind), np.empty((2, 4), np.float32)
        for into in (room, room[:, :2]):  # all of the difference, and a piece of it
            change_sums(cells, cells, np.ones((2, 2), bool), np.ones(2), 1.0, into, True)


if __name__ == "__main__":
    warm()
