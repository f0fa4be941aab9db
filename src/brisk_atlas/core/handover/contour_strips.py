"""Contour lines of a grid of any size: found strip by strip, joined where the strips meet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from math import floor

import numpy as np
import shapely

from brisk_atlas.core.model import AtlasError, CellWindow
from brisk_atlas.core.model.language import tr

from .flows import GridFlow
from .marching_squares import lines_of

STRIP_CELLS = 1_000_000
MOST_LEVELS = 10_000  # in one strip

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
    grid = flow.read(window, (band,))
    known = grid.values[0][grid.valid]
    if not known.size:
        return []
    low, high = ((float(v) - base) / interval for v in (known.min(), known.max()))
    if high - low >= MOST_LEVELS:
        raise AtlasError(
            flow.name, tr("contours every {interval:g} are too many", interval=interval), tr("Give a larger interval.")
        )
    levels, offsets, vertices = lines_of(grid.values[0], grid.valid, interval, base, floor(low))
    vertices[:, 1] += window.first_row
    ends = offsets.tolist()
    return [_Piece(level, vertices[a:b]) for level, a, b in zip(levels.tolist(), ends, ends[1:])]


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
