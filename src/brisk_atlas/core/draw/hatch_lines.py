"""Hatches of areas as lines and dots, inside by the even-odd rule."""

from __future__ import annotations

from math import sqrt

import numpy as np

from brisk_atlas.core.model.style import Hatch

# of each family of lines: t = a . (x, y) is equal along a line, s = b . (x, y) runs along it; both scaled alike
FAMILIES = {
    "rising": ((1.0, 1.0), (1.0, -1.0)),
    "falling": ((1.0, -1.0), (1.0, 1.0)),
    "level": ((0.0, 1.0), (1.0, 0.0)),
}


def hatch_lines(
    xy: np.ndarray, path_starts: np.ndarray, shape_starts: np.ndarray, hatch: Hatch, gap: float, at: tuple[float, float]
) -> np.ndarray:
    """Return (lines, 2, 2): where lines of a hatch run within shapes.

    xy, path_starts, shape_starts : rings, as `Outlines` holds them
    gap : between lines; at : what is added to positions before the lines are counted
    """
    found = []
    for name in ("rising", "falling") if hatch == "crossed" else (hatch,):
        across, along = np.array(FAMILIES[name])
        reach = gap if name == "level" else gap * sqrt(2)
        _, level, s = _crossings(xy @ across, xy @ along, path_starts, shape_starts, reach, float(np.dot(at, across)))
        t = level * reach - float(np.dot(at, across))
        inverse = np.linalg.inv(np.array([across, along]))
        ends = np.column_stack([t, s]) @ inverse.T
        found.append(ends.reshape(-1, 2, 2))
    return np.concatenate(found)


def hatch_dots(
    xy: np.ndarray, path_starts: np.ndarray, shape_starts: np.ndarray, gap: float, at: tuple[float, float]
) -> np.ndarray:
    """Return (dots, 2): the middles of a square pattern that lie within shapes."""
    shift = np.array(at) - gap / 2
    _, level, x = _crossings(xy[:, 1], xy[:, 0], path_starts, shape_starts, gap, shift[1])
    first = np.ceil((x[::2] + shift[0]) / gap).astype(np.int64)
    counts = np.maximum(np.floor((x[1::2] + shift[0]) / gap).astype(np.int64) - first + 1, 0)
    numbers = np.repeat(first - (np.cumsum(counts) - counts), counts) + np.arange(int(counts.sum()))
    rows = np.repeat(level[::2], counts)
    return np.column_stack([numbers, rows]) * gap - shift


def _crossings(
    t: np.ndarray, s: np.ndarray, path_starts: np.ndarray, shape_starts: np.ndarray, reach: float, shift: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return where the lines t = n * reach - shift meet the rings: the shape, n, and s; two in turn are the ends of a
    line within its shape."""
    starts = np.asarray(path_starts, np.int64)
    count = len(t)
    following = np.arange(1, count + 1)
    filled = starts[:-1] < starts[1:]
    following[starts[1:][filled] - 1] = starts[:-1][filled]  # a ring ends where it begins
    of_path = np.repeat(np.arange(len(starts) - 1), np.diff(starts))
    of = np.searchsorted(shape_starts, of_path, side="right") - 1
    t0, t1 = (t + shift) / reach, (t[following] + shift) / reach
    low, high = np.ceil(np.minimum(t0, t1)).astype(np.int64), np.ceil(np.maximum(t0, t1)).astype(np.int64)
    counts = high - low  # from low to before high: a corner on a line counts for one of its two sides
    edges = np.repeat(np.arange(count), counts)
    n = np.repeat(low - (np.cumsum(counts) - counts), counts) + np.arange(int(counts.sum()))
    share = (n - t0[edges]) / (t1 - t0)[edges]
    along = s[edges] + share * (s[following] - s)[edges]
    order = np.lexsort((along, n, of[edges]))
    return of[edges][order], n[order], along[order]
