"""Paths in another CRS with vertices added where a long edge is not straight there, by halving edges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from math import sqrt

import numpy as np

from .crs import METRES_PER_DEGREE, is_geographic, metres_per_unit
from .paths import Paths

TOLERANCE_M = 0.05  # of a followed edge: a tenth of a pixel at two pixels a metre
SHORT_M = 700.0  # an edge up to this length leaves the straight by less, where the map is stretched too
ADDED = 1_500_000  # vertices that following edges may add
ROUNDS = 12  # of halving an edge


def long_edges(xy: np.ndarray, starts: np.ndarray, crs: str, tolerance_m: float) -> np.ndarray:
    """Return (vertices,) bool: whether the edge from a vertex to the next of its path is long enough to bend."""
    per_unit = METRES_PER_DEGREE if is_geographic(crs) else metres_per_unit(crs)
    short = SHORT_M * sqrt(tolerance_m / TOLERANCE_M) / per_unit
    long = np.zeros(len(xy), bool)
    if len(xy) > 1:
        with np.errstate(invalid="ignore"):
            long[:-1] = np.abs(np.diff(xy, axis=0)).max(axis=1) > short
        long[starts[1:-1] - 1] = False
    return long


def followed(
    paths: Paths,
    place: Callable[[np.ndarray], np.ndarray],
    source: str,
    target: str | None,
    tolerance_m: float,
    budget: int = ADDED,
) -> Paths:
    """Return paths placed in another CRS, with vertices added where a long edge is not straight there."""
    per_metre = 1.0 / (METRES_PER_DEGREE if target is None or is_geographic(target) else metres_per_unit(target))
    there = place(paths.xyz[:, :2])
    z = paths.xyz[:, 2]
    edges = np.flatnonzero(long_edges(paths.xyz[:, :2], paths.starts, source, tolerance_m))
    if not edges.size:
        return replace(paths, xyz=np.column_stack([there, z]))
    # An edge in question: where it begins and ends as shares of the whole one, and both ends in both CRS.
    of, low, high = edges, np.zeros(len(edges)), np.ones(len(edges))
    first, last = there[edges], there[edges + 1]
    added: list[tuple[np.ndarray, np.ndarray, np.ndarray]] = []
    for _ in range(ROUNDS):
        middle = (low + high) / 2
        here = paths.xyz[of, :2] + (paths.xyz[of + 1, :2] - paths.xyz[of, :2]) * middle[:, None]
        spot = place(here)
        with np.errstate(invalid="ignore"):
            bent = np.abs(spot - (first + last) / 2).max(axis=1) > tolerance_m * per_metre
        budget -= int(bent.sum())
        if not bent.any() or budget < 0:
            break
        of, low, middle, high = of[bent], low[bent], middle[bent], high[bent]
        first, spot, last = first[bent], spot[bent], last[bent]
        added.append((of, middle, spot))
        of = np.concatenate([of, of])
        low, high = np.concatenate([low, middle]), np.concatenate([middle, high])
        first, last = np.concatenate([first, spot]), np.concatenate([spot, last])
    if not added:
        return replace(paths, xyz=np.column_stack([there, z]))
    of, share = np.concatenate([a[0] for a in added]), np.concatenate([a[1] for a in added])
    more = np.concatenate([a[2] for a in added])
    order = np.lexsort((share, of))
    of, share, more = of[order], share[order], more[order]
    heights = z[of] + (z[of + 1] - z[of]) * share
    xyz = np.insert(np.column_stack([there, z]), of + 1, np.column_stack([more, heights]), axis=0)
    return replace(paths, xyz=xyz, starts=paths.starts + np.searchsorted(of, paths.starts, side="left"))
