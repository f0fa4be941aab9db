"""Contour lines of cells, those of all levels at once.

Source: W. E. Lorensen and H. E. Cline (1987), "Marching cubes", SIGGRAPH, in two dimensions. Between four middles of
cells a line goes straight from side to side; where it could go two ways the mean of the four decides; where one of the
four has no data the other three make a triangle.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

TOP, LEFT, FALLING, RISING = (0, 1, 2, 3)  # sides of a square; the right and the bottom one are its neighbours'
CORNERS = ((0, 0), (0, 1), (1, 1), (1, 0))  # row and column, clockwise; side i of a square begins at corner i


class _Segments(NamedTuple):
    """Straight pieces, all with higher ground on one hand: (n,) levels, and sides where they start and end."""

    levels: np.ndarray
    starts: np.ndarray
    ends: np.ndarray


def lines_of(
    z: NDArray[Any], valid: NDArray[np.bool_], interval: float, base: float, first: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the number of the level of each line (lines,), where its vertices begin (lines + 1,), and the vertices
    (n, 2): column and row among the middles of cells.

    z : (rows, cols) values; level k is `base + k * interval`, and runs between what is greater and what is not
    first : no level with a smaller number is met, nor one that is 32,000 greater
    """
    with np.errstate(invalid="ignore"):  # where there is no data there may be any number
        below = np.ceil((z.astype(np.float64) - base) / interval - first).astype(np.int16)  # how many levels are
    found = [_squares(z, below, valid, base + first * interval, interval)]
    if not valid.all():
        found += [_triangles(below, valid, without) for without in range(4)]
    segments = _Segments(*(np.concatenate(each) for each in zip(*found)))
    if not len(segments.levels):
        return np.empty(0, np.int64), np.zeros(1, np.int64), np.empty((0, 2))
    order, begins = _in_lines(segments, 4 * z.size)
    levels, starts, ends = (each[order] for each in segments)
    levels += first
    offsets = np.append(begins + np.arange(len(begins)), len(order) + len(begins))
    sides, owner = np.empty(offsets[-1], np.int64), np.empty(offsets[-1], np.int64)
    sides[offsets[:-1]], owner[offsets[:-1]] = starts[begins], levels[begins]
    later = np.ones(offsets[-1], bool)
    later[offsets[:-1]] = False
    sides[later], owner[later] = ends, levels
    return levels[begins], offsets, _vertices(z, sides, base + owner * interval)


def _squares(z: np.ndarray, below: np.ndarray, valid: np.ndarray, lowest: float, interval: float) -> _Segments:
    """Return the segments between four middles that have data."""
    known = np.logical_and.reduce([_at(valid, corner) for corner in CORNERS])
    rows, columns, levels, counts = _crossed([_at(below, corner) for corner in CORNERS], known)
    at = 4 * (rows * z.shape[1] + columns)
    sides = np.stack([at + TOP, at + 4 + LEFT, at + 4 * z.shape[1] + TOP, at + LEFT])
    up, down = _passed(counts, levels)
    both = np.flatnonzero(up.sum(axis=0) == 2)
    one = np.flatnonzero(up.sum(axis=0) == 1)
    middle = np.mean([_at(z, corner)[rows[both], columns[both]] for corner in CORNERS], axis=0, dtype=np.float64)
    turn = np.where(middle > lowest + levels[both] * interval, 3, 1)  # to the side before, or the next one
    pair = up[:, both].argmax(axis=0), 3 - up[::-1, both].argmax(axis=0)
    start = np.concatenate([up[:, one].argmax(axis=0), *pair])
    end = np.concatenate([down[:, one].argmax(axis=0), *((each + turn) % 4 for each in pair)])
    owner = np.concatenate([one, both, both])
    return _Segments(levels[owner], sides[start, owner], sides[end, owner])


def _triangles(below: np.ndarray, valid: np.ndarray, without: int) -> _Segments:
    """Return the segments between three middles where the fourth corner has no data."""
    others = [(without + step) % 4 for step in (1, 2, 3)]
    known = np.logical_and.reduce([_at(valid, CORNERS[corner]) for corner in others])
    known &= ~_at(valid, CORNERS[without])
    rows, columns, levels, counts = _crossed([_at(below, CORNERS[corner]) for corner in others], known)
    at = 4 * (rows * below.shape[1] + columns)
    four = at + TOP, at + 4 + LEFT, at + 4 * below.shape[1] + TOP, at + LEFT
    sides = np.stack([four[others[0]], four[others[1]], at + (RISING if without in (0, 2) else FALLING)])
    up, down = _passed(counts, levels)
    each = np.arange(len(levels))
    return _Segments(levels, sides[up.argmax(axis=0), each], sides[down.argmax(axis=0), each])


def _at(values: np.ndarray, corner: tuple[int, int]) -> np.ndarray:
    """Return one corner of each square."""
    row, column = corner
    return values[row : len(values) - 1 + row, column : values.shape[1] - 1 + column]


def _crossed(corners: list[np.ndarray], known: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Return the rows, columns and levels (n,) of places that lines cross, once for each level, and how many levels are
    below each corner (corners, n)."""
    bottom, top = np.minimum(corners[0], corners[1]), np.maximum(corners[0], corners[1])
    for corner in corners[2:]:
        np.minimum(bottom, corner, out=bottom)
        np.maximum(top, corner, out=top)
    rows, columns = np.nonzero((bottom != top) & known)
    first = bottom[rows, columns].astype(np.int64)
    count = top[rows, columns] - first
    owner = np.repeat(np.arange(len(rows)), count)
    levels = first[owner] + np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    rows, columns = rows[owner], columns[owner]
    return rows, columns, levels, np.stack([corner[rows, columns] for corner in corners])


def _passed(counts: np.ndarray, levels: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return by which sides (sides, n) one comes above a level, going round clockwise, and by which below."""
    above = counts > levels
    following = np.roll(above, -1, axis=0)
    return ~above & following, above & ~following


def _in_lines(segments: _Segments, sides: int) -> tuple[np.ndarray, np.ndarray]:
    """Return the order in which segments follow each other, line by line, and where in it each line begins.

    Each goes twice as far back as in the round before (J. C. Wyllie, 1979, "The complexity of parallel computations").
    """
    number = (segments.levels - segments.levels.min()) * sides
    starts, ends = number + segments.starts, number + segments.ends
    each = np.arange(len(starts))
    order = np.argsort(ends)
    place = np.minimum(np.searchsorted(ends[order], starts), len(starts) - 1)
    before = np.where(ends[order][place] == starts, order[place], each)
    back, lowest = before, each
    for _ in range(len(starts).bit_length()):
        back, lowest = back[back], np.minimum(lowest, lowest[back])
    on_ring = before[back] != back
    before = np.where(on_ring & (lowest == each), each, before)  # a closed line begins anywhere
    back, steps = before, (before != each).astype(np.int64)
    while (before[back] != back).any():
        back, steps = back[back], steps + steps[back]
    order = np.lexsort((steps, back, segments.levels))
    return order, np.flatnonzero(steps[order] == 0)


def _vertices(z: np.ndarray, sides: np.ndarray, value: np.ndarray) -> np.ndarray:
    """Return where sides have values, (n, 2): the same two numbers whichever way a line comes."""
    place, kind = sides >> 2, sides & 3
    rows, columns = place // z.shape[1], place % z.shape[1]
    to_row, to_column = rows + (kind != TOP), columns + ((kind == TOP) | (kind == FALLING))
    from_column = columns + (kind == RISING)
    low, high = z[rows, from_column].astype(np.float64), z[to_row, to_column].astype(np.float64)
    share = np.clip((value - low) / (high - low), 0.0, 1.0)
    return np.column_stack([from_column + share * (to_column - from_column), rows + share * (to_row - rows)])
