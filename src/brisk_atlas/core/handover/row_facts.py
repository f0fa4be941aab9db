"""What the geometry of rows is, found while they come: types, heights, measures, extent."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from tempfile import mkdtemp

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.cache.budget import give_back

from .checkpoints import stored_flow
from .flows import GEOMETRY, RowFlow
from .geometry_column import shapes_of, with_shapes
from .wkb_moves import type_codes, wkb_bounds

TYPES = {1: "Point", 2: "LineString", 3: "Polygon", 4: "MultiPoint", 5: "MultiLineString", 6: "MultiPolygon",
         7: "GeometryCollection"}  # fmt: skip
HELD_BYTES = 8_000_000  # of rows that wait in memory while it is found what they are
SINGLE_OF = {4: 1, 5: 2, 6: 3}
MULTI_OF = {1: 4, 2: 5, 3: 6}


@dataclass
class RowFacts:
    """What was met: codes of types (1 to 7), whether any has Z or M and whether all have Z, how many rows there are,
    how many bytes they take and how many of them have no geometry, and the bounds."""

    codes: set[int] = field(default_factory=set)
    any_z: bool = False
    any_m: bool = False
    without_z: bool = False
    count: int = 0
    size_bytes: int = 0
    without_shape: int = 0
    bounds: np.ndarray = field(default_factory=lambda: np.array([np.inf, np.inf, -np.inf, -np.inf]))

    def add(self, table: pa.Table, bounds: np.ndarray | None = None) -> None:
        """Take rows into account; `bounds` are those of their geometries, (rows, 4), where they are known."""
        self.count += table.num_rows
        self.size_bytes += table.nbytes
        if GEOMETRY not in table.column_names:
            return
        column = table.column(GEOMETRY)
        self.without_shape += column.null_count
        codes = type_codes(column)
        self.codes |= set((codes % 1000).tolist())
        groups = set((codes // 1000).tolist())
        self.any_z |= bool(groups & {1, 3})
        self.any_m |= bool(groups & {2, 3})
        self.without_z |= bool(groups & {0, 2})
        self.widen(wkb_bounds(column) if bounds is None else bounds)

    def widen(self, bounds: np.ndarray) -> None:
        """Take the bounds of features into account, (rows, 4); NaN for those that have none."""
        known = bounds[np.isfinite(bounds).all(axis=1)]
        for side, found in enumerate((np.minimum, np.minimum, np.maximum, np.maximum)):
            self.bounds[side] = found.reduce(known[:, side], initial=self.bounds[side])

    @property
    def are_few(self) -> bool:
        """Whether all the rows can be held in memory."""
        return self.size_bytes <= HELD_BYTES

    @property
    def common(self) -> int | None:
        """The one type that all can have, 4 to 6 where some are single and some multiple; None for several."""
        multi = {MULTI_OF.get(code, code) for code in self.codes}
        if len(self.codes) == 1:
            return next(iter(self.codes))
        return next(iter(multi)) if len(multi) == 1 else None

    @property
    def type_name(self) -> str:
        """The type as the vector library names it."""
        if self.any_m:  # for which the library takes no name
            return "Unknown"
        return TYPES.get(self.common or 0, "Unknown") + (" Z" if self.any_z and not self.without_z else "")


def with_facts(flow: RowFlow, scratch: Path, check: Callable[[], None]) -> tuple[RowFlow, RowFacts]:
    """Return the rows of a flow, computed once, and what their geometry is. What is larger than a few batches lies in a
    file meanwhile."""
    facts = RowFacts()
    held: list[pa.Table] = []
    coming = flow.batches()
    for batch in coming:
        check()
        facts.add(batch)
        held.append(batch)
        if not facts.are_few:
            break
    else:
        return replace(flow, batches=lambda: iter(held or [flow.schema.empty_table()]), count=facts.count), facts

    def rest():  # type: ignore[no-untyped-def]
        yield from held
        held.clear()
        for batch in coming:
            check()
            facts.add(batch)
            yield batch

    path = Path(mkdtemp(dir=scratch)) / "rows"
    stored = stored_flow(replace(flow, batches=rest), path, check)
    assert isinstance(stored, RowFlow)
    give_back()  # what making them took, before they are written
    return stored, facts


def promoted(flow: RowFlow, code: int) -> RowFlow:
    """Return features all of which are multiple, of a code of 4 to 6."""
    makes = {4: shapely.multipoints, 5: shapely.multilinestrings, 6: shapely.multipolygons}[code]
    single = SINGLE_OF[code]

    def batches():  # type: ignore[no-untyped-def]
        for batch in flow.batches():
            shapes = shapes_of(batch)
            alone = np.flatnonzero(shapely.get_type_id(shapes) == {1: 0, 2: 1, 3: 3}[single])
            if alone.size:
                shapes = shapes.copy()
                shapes[alone] = makes(shapes[alone], indices=np.arange(alone.size))
                batch = with_shapes(batch, shapes)
            yield batch

    return replace(flow, batches=batches)
