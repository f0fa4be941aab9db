"""How many rows an outlet shows and where they lie, carried on from edit to edit rather than worked out anew."""

from __future__ import annotations

import threading
from dataclasses import dataclass

import numpy as np
import shapely

from .outlet_changes import AT_ONCE, key_of
from .outlet_rows import OutletRows, RowsAsked, ShownRow
from .posted_rows import PostedRow
from .store_database import Box

BATCH = 50_000  # rows looked at together


@dataclass(frozen=True)
class OutletFigures:
    """The number of rows and their bounds, None where nothing has a place; as of the edit `number`."""

    number: int
    count: int
    extent: Box | None


class FiguresMemory:
    """The figures of outlets. Safe for threads."""

    def __init__(self) -> None:
        self._known: dict[bytes, OutletFigures] = {}
        self._lock = threading.Lock()

    def of(self, shown: OutletRows) -> OutletFigures:
        """Return the figures of an outlet as it is now."""
        key, number = key_of(shown), shown.rows.last_edit
        with self._lock:
            known = self._known.get(key)
        while known is not None and known.number < number:
            known = _carried_on(shown, known)
        if known is None:
            known = _counted(shown, number)
        with self._lock:
            self._known[key] = known
        return known


def _counted(shown: OutletRows, number: int) -> OutletFigures:
    if not shown.rows.posting.has_shapes:
        return OutletFigures(number, shown.number_of_rows(), None)
    outlet = shown.outlet
    if not outlet.where and outlet.area is None and not outlet.blur:
        return OutletFigures(
            number, shown.number_of_rows(), shown.rows.store.places.extent(shown.rows.store.reading, shown.rows.posting)
        )
    count, box = 0, None
    for shapes in shown.shapes(RowsAsked(), BATCH):
        count += len(shapes)
        box = _joined(box, _around(shapes))
    return OutletFigures(number, count, box)


def _around(shapes: list[bytes | None]) -> Box | None:
    bounds = shapely.bounds(shapely.from_wkb(shapes))
    known = bounds[np.isfinite(bounds).all(axis=1)]
    if not len(known):
        return None
    (xmin, ymin), (xmax, ymax) = known[:, :2].min(axis=0).tolist(), known[:, 2:].max(axis=0).tolist()
    return xmin, ymin, xmax, ymax


def _carried_on(shown: OutletRows, known: OutletFigures) -> OutletFigures | None:
    """Return figures after some further edits; None where all rows have to be looked at."""
    edits = shown.rows.edits(after=known.number, limit=AT_ONCE)
    if not edits:
        return None
    first: dict[str, PostedRow | None] = {}
    last: dict[str, PostedRow | None] = {}
    for edit in edits:
        first.setdefault(edit.row, edit.before)
        last[edit.row] = edit.after
    was, now = (shown.as_shown([row for row in each.values() if row is not None]) for each in (first, last))
    box = known.extent
    for row in was.values():
        if box is not None and _touches(row, box) and now.get(row.name) != row:
            return None  # it may have been what reached that far
    for row in now.values():
        box = _joined(box, _bounds(row))
    return OutletFigures(edits[-1].number, known.count + len(now) - len(was), box)


def _bounds(row: ShownRow) -> Box | None:
    return _around([row.wkb])


def _touches(row: ShownRow, box: Box) -> bool:
    bounds = _bounds(row)
    return bounds is not None and any(one == other for one, other in zip(bounds, box))


def _joined(one: Box | None, other: Box | None) -> Box | None:
    if one is None or other is None:
        return one or other
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])
