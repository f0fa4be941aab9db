"""Cells of one lattice on those of another: where each comes from, and its value between the nearest four."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.model import CellWindow, Lattice
from brisk_atlas.core.place import transform
from brisk_atlas.core.system.compiled import njit

STEP = 64  # cells between places that are transformed; between them they are interpolated
FINEST = 1.05  # source cells along one that is made, up to which these are no larger
NEAR = 0.005  # of a source cell, by which a place may be off for that

Move = Callable[[np.ndarray], np.ndarray]  # (n, 2) positions of one CRS to those of another, not finite without a place


def best_move(target: Lattice, source: Lattice) -> Move:
    """Return what moves positions of a lattice to the CRS of its source, by the most accurate transformation."""
    return lambda xy: transform(xy, target.crs or source.crs, source.crs or target.crs)


def source_places(piece: Lattice, source: Lattice, move: Move) -> tuple[np.ndarray, int]:
    """Return where cells of a piece lie in a source, (rows, columns, 2) as column and row there, not finite where they
    have no place, and how many cells each is from the next.

    They are as dense as it needs for all between them to be interpolated, each cell at last.
    """
    step = STEP
    while True:
        nodes = _placed(piece, source, move, step, 0.0)
        if step == 1:
            return nodes, step
        if np.isfinite(nodes).all():
            middle = _placed(piece, source, move, step, step / 2)[:-1, :-1]
            between = (nodes[:-1, :-1] + nodes[1:, :-1] + nodes[:-1, 1:] + nodes[1:, 1:]) / 4
            if np.isfinite(middle).all() and np.abs(middle - between).max(initial=0.0) < NEAR:
                return nodes, step
        step //= 4


def _placed(piece: Lattice, source: Lattice, move: Move, step: int, shift: float) -> np.ndarray:
    columns = np.arange(0, piece.columns + step, step) + 0.5 + shift
    rows = np.arange(0, piece.rows + step, step) + 0.5 + shift
    c, r = np.meshgrid(columns, rows)
    xy = move(np.column_stack(piece.to_map(c.ravel(), r.ravel())))
    return np.stack(source.to_cells(xy[:, 0], xy[:, 1]), axis=-1).reshape(*c.shape, 2)


def reach_of(lattice: Lattice, source: Lattice, move: Move) -> tuple[float, float]:
    """Return how many columns and rows of a source count on either side of a place for a cell of a lattice: one, and
    more where cells become larger, so that none of the source is passed over. It is that of the middle."""
    piece = lattice.within(_middle(lattice))
    nodes = _placed(piece, source, move, 1, 0.0)
    along, down = nodes[0, 1] - nodes[0, 0], nodes[1, 0] - nodes[0, 0]
    if not np.isfinite([along, down]).all():
        return 1.0, 1.0
    columns, rows = (float(each) for each in np.hypot(along, down))  # a turn alone is no larger cell
    return (columns if columns > FINEST else 1.0), (rows if rows > FINEST else 1.0)


def _middle(lattice: Lattice) -> CellWindow:
    column, row = lattice.columns // 2, lattice.rows // 2
    return CellWindow(column, row, column + 1, row + 1)


def warped(
    values: np.ndarray, valid: np.ndarray, window: CellWindow, places: tuple[np.ndarray, int], shape: tuple[int, int],
    reach: tuple[float, float] | None,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Return cells (bands, rows, columns) of a shape, and where they have data, made of those of a window of a source.

    places : what `source_places` gives
    reach : how far cells count, those without data do not; None for the nearest cell alone

    There is no data where the nearest cell has none, so that gaps do not become smaller.
    """
    nodes, step = places
    out = np.zeros((len(values), *shape), values.dtype)
    known = np.zeros(shape, bool)
    whole = values.dtype.kind in "iu"
    low, high = (float(np.iinfo(values.dtype).min), float(np.iinfo(values.dtype).max)) if whole else (0.0, 0.0)
    if high > 2.0**53:  # the next number that a float64 has is one too high
        high = float(np.nextafter(high, 0.0))
    across, down = reach or (0.0, 0.0)
    full = bool(valid.all())
    for number in range(len(values)):
        _warp(values[number], valid, nodes, step, float(window.first_column), float(window.first_row), across, down,
              full, whole, low, high, out[number], known)  # fmt: skip
    return out, known


@njit(cache=True, nogil=True, error_model="numpy")
def _warp(values, valid, nodes, step, left, top, across, down, full, whole, low, high, out, known):
    height, width = values.shape
    rows, columns = known.shape
    plain = full and across == 1.0 and down == 1.0
    for r in range(rows):
        at = r // step
        part = (r - at * step) / step
        for node in range((columns + step - 1) // step):
            if step == 1:  # each cell has its own place, whatever those beside it have
                x0, y0 = nodes[r, node, 0] - left, nodes[r, node, 1] - top
                _fill(values, valid, x0, y0, across, down, full, whole, low, high, out, known, r, node)
                continue
            x0 = nodes[at, node, 0] * (1 - part) + nodes[at + 1, node, 0] * part - left
            y0 = nodes[at, node, 1] * (1 - part) + nodes[at + 1, node, 1] * part - top
            x1 = nodes[at, node + 1, 0] * (1 - part) + nodes[at + 1, node + 1, 0] * part - left
            y1 = nodes[at, node + 1, 1] * (1 - part) + nodes[at + 1, node + 1, 1] * part - top
            dx, dy = (x1 - x0) / step, (y1 - y0) / step
            first, last = node * step, min((node + 1) * step, columns)
            if plain and _is_inside(x0, x1, width) and _is_inside(y0, y1, height):
                _between(values, x0 - 0.5, y0 - 0.5, dx, dy, whole, out[r, first:last])
                known[r, first:last] = True
                continue
            for c in range(first, last):
                steps = c - first
                _fill(values, valid, x0 + steps * dx, y0 + steps * dy, across, down, full, whole, low, high, out, known,
                      r, c)  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _fill(values, valid, x, y, across, down, full, whole, low, high, out, known, r, c):
    """Fill one cell, whose middle is at a place of the source, where the nearest cell there has data."""
    height, width = values.shape
    if not (0.0 <= x < width and 0.0 <= y < height):
        return
    if not (full or valid[int(y), int(x)]):
        return
    known[r, c] = True
    if across == 0.0:
        out[r, c] = values[int(y), int(x)]
        return
    x -= 0.5
    y -= 0.5
    total, weight = 0.0, 0.0
    for v in range(max(int(np.floor(y - down)) + 1, 0), min(int(np.ceil(y + down)), height)):
        b = 1.0 - abs(v - y) / down
        for u in range(max(int(np.floor(x - across)) + 1, 0), min(int(np.ceil(x + across)), width)):
            if valid[v, u]:
                share = b * (1.0 - abs(u - x) / across)
                total += share * values[v, u]
                weight += share
    value = total / weight
    if whole:
        value = min(max(np.rint(value), low), high)
    out[r, c] = value


@njit(cache=True, nogil=True, error_model="numpy")
def _is_inside(start, end, size):
    """Return whether places from one to another have a cell before and after them."""
    return min(start, end) >= 0.5 and max(start, end) < size - 0.5


@njit(cache=True, nogil=True, error_model="numpy")
def _between(values, x0, y0, dx, dy, whole, out):
    """Fill cells in a row that lie between four with data, without the questions that others need."""
    for c in range(out.size):
        x, y = x0 + c * dx, y0 + c * dy
        u, v = np.uint32(x), np.uint32(y)
        a, b = x - u, y - v
        u1, v1 = u + np.uint32(1), v + np.uint32(1)
        upper = values[v, u] * (1.0 - a) + values[v, u1] * a
        lower = values[v1, u] * (1.0 - a) + values[v1, u1] * a
        value = upper * (1.0 - b) + lower * b
        out[c] = np.rint(value) if whole else value
