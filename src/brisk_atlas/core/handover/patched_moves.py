"""Many positions moved to another CRS at once, patch by patch.

A smooth transformation is all but a polynomial within some kilometres. Where many positions lie in a patch, the
transformation is asked at some places of it, and a polynomial through these moves the rest in a fifth of the time. Each
polynomial is compared with the transformation at further places, the corners among them, as a line at which positions
jump has a corner of the patch on either side. It is used only where it is the same to a micrometre; all other positions
are moved by the transformation itself.
"""

from __future__ import annotations

import re

import numpy as np
import pyproj

from .patch_kernels import TERMS, count_in_patches, evaluate_patches

PATCH_M, PATCH_DEGREES = 30_000.0, 0.25
TOLERANCE_M, TOLERANCE_DEGREES = 1e-6, 1e-11
PLACES = 7  # each way, at which a polynomial is compared
FEWEST = 4 * (TERMS**2 + PLACES**2)  # positions in a patch, four for each that the transformation is asked for
MANY = 50_000  # positions; fewer are moved before the compiler is loaded
MOST_PATCHES = 250_000
SMOOTH = frozenset({
    "pipeline", "noop", "axisswap", "unitconvert", "push", "pop", "cart", "helmert", "longlat", "latlong",
    "utm", "tmerc", "etmerc", "merc", "webmerc", "lcc", "aea", "laea", "stere", "sterea", "ups", "omerc", "somerc",
    "cass", "krovak", "nzmg", "poly", "aeqd", "eqc", "cea",
})  # fmt: skip
_NODES = np.cos(np.pi * (np.arange(TERMS) + 0.5) / TERMS)  # of Chebyshev
_TO_TERMS = np.linalg.inv(np.vander(_NODES, increasing=True))
_ASKED = np.linspace(-1.0, 1.0, PLACES)
_POWERS = np.vander(_ASKED, TERMS, increasing=True)


def moved_in_patches(transformer: pyproj.Transformer, xy: np.ndarray) -> np.ndarray:
    """Return (n, 2) positions as a transformation moves them; not finite where it has no place for them.

    xy : (n, 2) positions in the CRS that the transformation is from
    """
    plane = np.ascontiguousarray(xy[:, :2], float)
    moved = _in_patches(transformer, plane) if len(plane) >= MANY else None
    if moved is None:
        return np.column_stack(transformer.transform(plane[:, 0].copy(), plane[:, 1].copy()))
    left = np.flatnonzero(np.isnan(moved[:, 0]))
    if left.size:
        moved[left] = np.column_stack(transformer.transform(plane[left, 0], plane[left, 1]))
    return moved


def is_smooth(transformer: pyproj.Transformer) -> bool:
    """Return whether a transformation is one chain of formulas without tables, the same everywhere."""
    words = transformer.definition
    steps = re.findall(r"(?<!\S)proj=(\S+)", words)
    return bool(steps) and set(steps) <= SMOOTH and "grids" not in words


def _in_patches(transformer: pyproj.Transformer, xy: np.ndarray) -> np.ndarray | None:
    """Return the positions that polynomials move, NaN for the others; None where none do."""
    if transformer.source_crs is None or transformer.target_crs is None or not is_smooth(transformer):
        return None
    size, tolerance = _patch_size(transformer.source_crs), _tolerance(transformer.target_crs)
    low, high = _bounds(xy)
    with np.errstate(invalid="ignore"):
        left, lower = np.floor(low / size) * size
        columns, rows = np.floor((high - (left, lower)) / size) + 1
    if not columns * rows <= MOST_PATCHES:  # not a number where no position is known
        return None
    counts = np.zeros((int(rows), int(columns)), np.int64)
    count_in_patches(xy, left, lower, size, counts)
    row, column = np.nonzero(counts >= FEWEST)
    terms, exact = _polynomials(transformer, left + (column + 0.5) * size, lower + (row + 0.5) * size, size, tolerance)
    if not exact.any():
        return None
    numbers = np.full(counts.shape, -1, np.int32)
    numbers[row[exact], column[exact]] = np.flatnonzero(exact)
    moved = np.empty_like(xy)
    evaluate_patches(xy, left, lower, size, numbers, terms, moved)
    return moved


def _bounds(xy: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the lowest and the highest coordinates that are finite; not finite where none are."""
    ends = np.array([(column.min(), column.max()) for column in xy.T])  # column by column is the quick way
    if not np.isfinite(ends).all():
        known = [column[np.isfinite(column)] for column in xy.T]
        ends = np.array([(column.min(initial=np.inf), column.max(initial=-np.inf)) for column in known])
    return ends[:, 0], ends[:, 1]


def _polynomials(
    transformer: pyproj.Transformer, x: np.ndarray, y: np.ndarray, size: float, tolerance: float
) -> tuple[np.ndarray, np.ndarray]:
    """Return (patches, TERMS, TERMS, 2) the polynomials around (patches,) middles, and which are exact enough."""
    values = _at(transformer, x, y, _NODES * size / 2)
    middle = values[:, :, :1, :1].copy()  # without which rounding would be the largest error
    terms = _TO_TERMS @ (values - middle) @ _TO_TERMS.T
    with np.errstate(invalid="ignore"):
        found = _POWERS @ terms @ _POWERS.T + middle
        off = np.abs(found - _at(transformer, x, y, _ASKED * size / 2))
    terms[:, :, 0, 0] += middle[:, :, 0, 0]
    return np.ascontiguousarray(np.moveaxis(terms, 0, -1)), (off <= tolerance).all(axis=(0, 2, 3))


def _at(transformer: pyproj.Transformer, x: np.ndarray, y: np.ndarray, offsets: np.ndarray) -> np.ndarray:
    """Return (2, patches, n, n) where the transformation moves n x n places around middles."""
    across = np.broadcast_to(x[:, None, None] + offsets[:, None], (len(x), len(offsets), len(offsets)))
    up = np.broadcast_to(y[:, None, None] + offsets, across.shape)
    return np.stack(transformer.transform(across.ravel(), up.ravel())).reshape(2, *across.shape)


def _patch_size(crs: pyproj.CRS) -> float:
    return PATCH_DEGREES if crs.is_geographic else PATCH_M / _unit_m(crs)


def _tolerance(crs: pyproj.CRS) -> float:
    return TOLERANCE_DEGREES if crs.is_geographic else TOLERANCE_M / _unit_m(crs)


def _unit_m(crs: pyproj.CRS) -> float:
    """Return the length of a unit of a plane, metres."""
    return float(crs.axis_info[0].unit_conversion_factor) if crs.axis_info else 1.0
