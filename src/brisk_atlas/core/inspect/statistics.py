"""Numbers about many values: histogram and summary."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, eq=False)
class Summary:
    """Summary of the known values. `counts` and `edges` are those of a histogram."""

    count: int
    least: float
    mean: float
    greatest: float
    spread: float
    counts: np.ndarray
    edges: np.ndarray


def summarise(values: np.ndarray, bins: int = 64) -> Summary | None:
    """Return the summary of a 1-D array; NaN does not count; None where nothing is known."""
    values = np.asarray(values, float)
    values = values[np.isfinite(values)]
    if not values.size:
        return None
    counts, edges = np.histogram(values, bins)
    return Summary(
        values.size, float(values.min()), float(values.mean()), float(values.max()), float(values.std()), counts, edges
    )
