"""Contour lines of a grid of any size: found strip by strip, joined where the strips meet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, cast

import numpy as np
import shapely

from brisk_atlas.core.model import AtlasError, CellWindow

from .flows import GridFlow

STRIP_CELLS = 4_000_000
MOST_LEVELS = 10_000  # in one strip
NODE = 1e-9  # of a cell: an end so near to a row, or to the middle of a cell, lies there

Key = tuple[int, float]  # the number of a level, and the column of an end on the row that two strips share


class _Piece:
    """A line as far as it was found: its level and its vertices (n, 2), column and row among the middles of cells."""

    def __init__(self, level: int, line: np.ndarray) -> None:
        self.level, self.line = level, line

    @property
    def is_closed(self) -> bool:
        return len(self.line) > 2 and bool((self.line[0] == self.line[-1]).all())

    def ends_on(self, row: float) -> list[Key]:
        """Return the keys of the ends that lie on a row; none for a closed line."""
        if self.is_closed:
            return []
        return [(self.level, float(self.line[end, 0])) for end in (0, -1) if self.line[end, 1] == row]

    def join(self, other: _Piece, key: Key, row: float) -> None:
        """Go on with another line, from the end that both have on a row."""
        at = np.array([key[1], row])
        own = self.line if (self.line[-1] == at).all() else self.line[::-1]
        theirs = other.line if (other.line[0] == at).all() else other.line[::-1]
        self.line = np.concatenate([own, theirs[1:]])


def contour_strips(
    flow: GridFlow, band: int, interval: float, base: float, check: Callable[[], None]
) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Yield values (n,) and lines (n,) where a band has `base` and multiples of an interval away from it, through the
    middles of its cells by linear interpolation. A line is closed unless it ends at the edge or where there is no data.

    Strips share a row of cells, on which both make a point of the same two numbers: a line that goes on ends there, in
    both, at the very same point. Raises AtlasError for too many lines.
    """
    rows, columns = flow.lattice.rows, flow.lattice.columns
    tall = max(1, STRIP_CELLS // max(1, columns))
    open_lines: list[_Piece] = []
    for first in range(0, max(1, rows - 1), tall):
        last = min(rows, first + tall + 1)
        check()
        found = _lines(flow, band, CellWindow(0, first, columns, last), interval, base)
        pieces = _joined(open_lines, found, float(first)) if first else found
        goes_on = [last < rows and bool(piece.ends_on(float(last - 1))) for piece in pieces]
        open_lines = [piece for piece, on in zip(pieces, goes_on) if on]
        yield _placed(flow, [piece for piece, on in zip(pieces, goes_on) if not on], interval, base)


def _joined(above: list[_Piece], below: list[_Piece], row: float) -> list[_Piece]:
    """Return the lines of two strips, those that meet on the row that they share joined."""
    waiting: dict[Key, list[_Piece]] = {}
    alive = {id(piece): piece for piece in [*above, *below]}
    for piece in above:
        for key in piece.ends_on(row):
            waiting.setdefault(key, []).append(piece)
    for piece in below:
        for key in piece.ends_on(row):
            others = waiting.get(key)
            if not others:
                continue
            other = others.pop()
            if other is piece:
                continue  # both of its ends meet: it is closed
            for far in other.ends_on(row):  # its other end, which may lie on the row too, is the piece's from now on
                waiting[far] = [piece if each is other else each for each in waiting.get(far, [])]
            piece.join(other, key, row)
            del alive[id(other)]
    return list(alive.values())


def _lines(flow: GridFlow, band: int, window: CellWindow, interval: float, base: float) -> list[_Piece]:
    """Return the lines of a strip."""
    from contourpy import LineType, contour_generator

    grid = flow.read(window, (band,))
    known = grid.values[0][grid.valid]
    if not known.size or min(grid.shape) < 2:
        return []
    low, high = ((float(v) - base) / interval for v in (known.min(), known.max()))
    first, last = int(np.ceil(low)), int(np.floor(high))
    if last - first >= MOST_LEVELS:
        raise AtlasError(flow.name, f"contours every {interval:g} are too many", "Give a larger interval.")
    z = np.ma.array(grid.values[0].astype(np.float64), mask=~grid.valid)
    made = contour_generator(z=z, name="serial", line_type=LineType.ChunkCombinedOffset)
    pieces = []
    for level in range(first, last + 1):
        value = base + level * interval
        (points,), (starts,) = cast(tuple[list[Any], list[Any]], made.lines(value))
        if points is None or starts is None:
            continue
        ends = np.concatenate([starts[:-1], starts[1:] - 1]).astype(np.int64)
        for row in (0, grid.shape[0] - 1):
            on_it = ends[np.abs(points[ends, 1] - row) < NODE]
            points[on_it, 1] = row
            _snap(points, on_it, z.data[row], value)
        points[:, 1] += window.first_row
        pieces += [_Piece(level, points[a:b]) for a, b in zip(starts[:-1].tolist(), starts[1:].tolist())]
    return pieces


def _snap(points: np.ndarray, at: np.ndarray, row: np.ndarray, value: float) -> None:
    """Put ends on the first or last row of a strip where the values of that row alone say that they are: what finds the
    lines goes along an edge in one direction in the strip above and in the other below, and rounds differently."""
    x = points[at, 0]
    near = np.rint(x)
    column = np.minimum(np.floor(x).astype(np.int64), len(row) - 2)
    rise = row[column + 1] - row[column]
    between = column + (value - row[column]) / np.where(rise == 0, 1.0, rise)
    points[at, 0] = np.where((np.abs(x - near) < NODE) | (rise == 0), near, between)


def _placed(flow: GridFlow, done: list[_Piece], interval: float, base: float) -> tuple[np.ndarray, np.ndarray]:
    """Return the values and the lines on the map."""
    if not done:
        return np.empty(0), np.empty(0, object)
    lines = [piece.line for piece in done]
    owner = np.repeat(np.arange(len(lines)), [len(line) for line in lines])
    vertices = np.concatenate(lines)
    x, y = flow.lattice.to_map(vertices[:, 0] + 0.5, vertices[:, 1] + 0.5)
    levels = np.array([piece.level for piece in done])
    return base + levels * interval, np.asarray(shapely.linestrings(np.column_stack([x, y]), indices=owner))
