"""Compile the kernels of lines ahead of their first use."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.fixed_width_kernels import fixed_columns, survey_times

from .crossover_kernels import cross_runs


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    digits = np.full((1, 4), 48, np.uint8)
    survey_times(np.full((1, 120), 48, np.uint8), 51, np.empty(1, np.int64), np.zeros(1, bool))
    fixed_columns(digits, np.array([0]), np.array([4]), np.ones(1), np.empty((1, 1)), np.zeros(1, bool))
    cross_runs(
        np.zeros((3, 2)), np.ones(3, bool), np.zeros(3, np.int64), np.zeros((1, 2), np.int64), np.array([0, 2]),
        np.zeros((1, 4)), np.empty((1, 2), np.int64), np.empty((1, 2)),
    )  # fmt: skip
