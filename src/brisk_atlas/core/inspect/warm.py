"""Compile the kernels of this room ahead of their first use."""

from __future__ import annotations

import numpy as np

from .zonal_kernels import gather


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    xy = np.array([[0.0, 0.0], [0.0, 2.0], [2.0, 2.0], [0.0, 0.0]])
    starts, kinds, features = np.array([0, 4]), np.array([2], np.uint8), np.array([0, 1])
    bounds = np.array([[0.0, 0.0, 2.0, 2.0]])
    gather(
        xy, starts, kinds, features, bounds, np.ones((2, 2)), 0.0, 2.0, 1.0, 1.0, 0,
        np.empty(8), np.empty(4, np.int64), np.empty(4),
    )  # fmt: skip
