"""Cells of a file put onto another lattice: another extent, cell size, orientation or CRS."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from math import ceil, floor

import numpy as np

from brisk_atlas.core.model import CellWindow, Lattice, Level
from brisk_atlas.core.place import Mesh, clipped, mesh_of

from . import resample_kernels as kernels

MARGIN = 2  # cells around a window, for interpolating at its edge
FINER = 4.0  # times by which the level that means are taken from is finer than the result, so that edges fit
MOST_SAMPLES = 64  # along each side of a cell, for its mean
MOST_AT_ONCE = 16_000_000  # stored cells; a result that needs more is made in pieces
ReadBlock = Callable[[Level, CellWindow], np.ma.MaskedArray]


def resampled(
    source: Lattice, levels: tuple[Level, ...], read: ReadBlock, target: Lattice, dtype: str, smooth: bool
) -> np.ma.MaskedArray:
    """Return (rows, cols) of `target`, masked where `source` has no data.

    `levels` are those of the file, finest first, and `read` gives a window of one, in `dtype`. The value of
    a cell is that of the stored cell at its middle, or, where `smooth`, what lies between the four around;
    a smooth cell that is larger than stored ones has the mean over its area.
    """
    out = np.ma.masked_all((target.rows, target.columns), np.dtype(dtype))
    whole = mesh_of(target, source.crs)
    col, row = source.to_cells(whole.x, whole.y)
    coarser = _spacing(col, row) / whole.step
    wanted = max(1.0, coarser * 1.01 / (FINER if smooth else 1.0))
    level = max((le for le in levels if le.factor_x <= wanted), key=lambda le: le.factor_x)
    seen = _seen(col / level.factor_x, row / level.factor_y, level, whole.step, out.shape)
    if seen is None:
        return out
    rows, columns = seen.shape
    pieces = min(target.rows, ceil(rows * columns / MOST_AT_ONCE))
    edges = [target.rows * i // pieces for i in range(pieces + 1)]
    for top, bottom in pairwise(edges):
        part = target.within(CellWindow(0, top, target.columns, bottom))
        mesh = whole if pieces == 1 else mesh_of(part, source.crs)
        _fill(out[top:bottom], source, level, read, mesh, smooth, coarser / level.factor_x)
    return out


def _fill(
    out: np.ma.MaskedArray, source: Lattice, level: Level, read: ReadBlock, mesh: Mesh, smooth: bool, coarser: float
) -> None:
    col, row = source.to_cells(mesh.x, mesh.y)
    col, row = col / level.factor_x, row / level.factor_y
    window = _seen(col, row, level, mesh.step, out.shape)
    if window is None:
        return
    block = read(level, window)
    col, row = col - window.first_column, row - window.first_row
    if not smooth:
        rows, columns = window.shape
        place = np.empty(out.shape, np.int64)
        kernels.nearest(col, row, mesh.step, rows, columns, place)
        out[:] = np.ma.masked_where(place < 0, block.ravel()[place], copy=False)
        return
    cells = np.where(np.ma.getmaskarray(block), np.nan, block.data.astype(np.float64))
    found = np.empty(out.shape)
    samples = min(MOST_SAMPLES, max(1, ceil(coarser - 0.01)))
    kernels.mean(cells, col, row, mesh.step, samples, found)
    known = np.isfinite(found)
    if out.dtype.kind in "iu":
        found = np.where(known, np.rint(found), 0)
    out[:] = np.ma.MaskedArray(found.astype(out.dtype), ~known)


def _seen(col: np.ndarray, row: np.ndarray, level: Level, step: int, shape: tuple[int, ...]) -> CellWindow | None:
    """Return the cells of a level that the nodes of a mesh over `shape` go over, or None for none."""
    half = _spacing(col, row) / step / 2 + MARGIN  # the first node is the middle of a cell, which reaches further
    col, row = clipped(col, step, *shape), clipped(row, step, *shape)
    known = np.isfinite(col) & np.isfinite(row)
    if not known.any():
        return None

    def ends(values: np.ndarray, count: int) -> tuple[int, int]:
        return max(0, floor(values.min() - half)), min(count, ceil(values.max() + half))

    (c0, c1), (r0, r1) = ends(col[known], level.width), ends(row[known], level.height)
    window = CellWindow(c0, r0, c1, r1)
    return None if window.is_empty else window


def _spacing(col: np.ndarray, row: np.ndarray) -> float:
    """Return the median distance, in stored cells, between neighbouring nodes."""
    apart = [np.hypot(np.diff(col, axis=i), np.diff(row, axis=i)).ravel() for i in (0, 1)]
    every = np.concatenate(apart)
    every = every[np.isfinite(every)]
    return float(np.median(every)) if every.size else 1.0
