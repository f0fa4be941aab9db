"""What goes from step to step of a recipe: rows in batches, cells by window, points in runs.

A flow says what it is before any of its data is read, and gives its data anew each time it is asked.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import Band, CellWindow, DataKind, DataRef, Extent, Lattice, VectorStyle
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.system.shares import CORES

if TYPE_CHECKING:
    import laspy

GEOMETRY = "__geometry"  # the column of well-known binary, the last one of rows that have a place
BATCH, BATCH_BYTES = 32_768, 8_000_000  # rows and bytes in a batch at most, about
PIECE = 500_000  # points in a run


@dataclass(frozen=True, eq=False)
class RowFlow:
    """Rows in Arrow tables of one schema; those of features end with the column GEOMETRY, ISO well-known binary.

    `count` is how many rows come, None where that is known only once they came. `sampled` says that they are some of
    the rows, for a look ahead. `parted` is the field by whose values the rows go to files of their own. `source` is
    the dataset that they come from first. `look` is the style of their layer, and `style` gives it
    as SLD text, "" for none.
    """

    name: str
    schema: pa.Schema
    batches: Callable[[], Iterator[pa.Table]]
    crs: str | None = None
    count: int | None = None
    sampled: bool = False
    parted: str = ""
    source: DataRef | None = None
    units: tuple[tuple[str, str], ...] = ()  # (field, unit)
    style: Callable[[], str] = str
    look: VectorStyle | None = None

    @property
    def has_shapes(self) -> bool:
        """Whether its rows have geometry."""
        return GEOMETRY in self.schema.names

    @property
    def kind(self) -> DataKind:
        return DataKind.VECTOR if self.has_shapes else DataKind.TABLE

    @property
    def fields(self) -> list[str]:
        """The names of its fields."""
        return [name for name in self.schema.names if name != GEOMETRY]

    def whole(self, check: Callable[[], None] = lambda: None) -> pa.Table:
        """Return all rows at once; `check` may raise to stop."""
        found = []
        for batch in self.batches():
            check()
            found.append(batch)
        return pa.concat_tables(found) if found else self.schema.empty_table()


@dataclass(frozen=True, eq=False)
class GridFlow:
    """Cells of one lattice, computed for the window that is asked for.

    `read(window, bands)` returns the values (bands, rows, cols) and where they are valid. `classes` of a band are its
    colours and names. `sampled` says that its cells are larger than those that will be written, for a look ahead.
    """

    name: str
    lattice: Lattice
    bands: tuple[Band, ...]
    dtype: np.dtype
    nodata: float | None
    read: Callable[[CellWindow, tuple[int, ...]], Grid]
    sampled: bool = False
    all_valid: bool = False
    source: DataRef | None = None

    kind = DataKind.RASTER

    @property
    def crs(self) -> str | None:
        return self.lattice.crs

    @property
    def has_classes(self) -> bool:
        """Whether any of its bands has numbers that stand for classes, between which nothing lies."""
        return any(band.classes for band in self.bands)

    def whole(self, bands: tuple[int, ...] | None = None) -> Grid:
        """Return all cells of some bands, of all where None."""
        return self.read(self.lattice.whole, bands or tuple(range(1, len(self.bands) + 1)))

    def windows(self, size: int) -> list[CellWindow]:
        """Return windows of `size` cells a side that together cover all, row by row."""
        columns, rows = self.lattice.columns, self.lattice.rows
        return [
            CellWindow(c, r, min(c + size, columns), min(r + size, rows))
            for r in range(0, rows, size)
            for c in range(0, columns, size)
        ]


@dataclass(frozen=True, eq=False)
class PointFlow:
    """Points in runs, each a record of the format that `header` describes."""

    name: str
    header: laspy.LasHeader
    runs: Callable[[], Iterator[laspy.ScaleAwarePointRecord]]
    crs: str | None = None
    count: int | None = None
    extent: Extent | None = None
    sampled: bool = False
    source: DataRef | None = None
    tile_size: float = 0.0  # in units of the CRS, where each tile becomes a file of its own

    kind = DataKind.POINTCLOUD

    def whole(self, check: Callable[[], None] = lambda: None) -> laspy.ScaleAwarePointRecord:
        """Return all points at once; `check` may raise to stop."""
        import laspy

        runs = []
        for run in self.runs():
            check()
            runs.append(run.array)
        array = np.concatenate(runs) if runs else np.zeros(0, self.header.point_format.dtype())
        return laspy.ScaleAwarePointRecord(
            array, self.header.point_format, scales=self.header.scales, offsets=self.header.offsets
        )


Flow = RowFlow | GridFlow | PointFlow


@dataclass(frozen=True, eq=False)
class LocalBatches:
    """Batches each of which is made of one of `root` alone, by functions in turn: on all cores, in their order.

    begin : called each time the batches are asked for anew
    """

    root: Callable[[], Iterator[pa.Table]]
    made: tuple[Callable[[pa.Table], pa.Table], ...]
    begin: tuple[Callable[[], None], ...] = ()

    def __call__(self) -> Iterator[pa.Table]:
        for each in self.begin:
            each()
        coming = self.root()
        first = next(coming, None)
        if first is None:
            return
        second = next(coming, None)
        if second is not None and not first.num_rows:  # what only says which columns there are
            first, second = second, next(coming, None)
        if second is None:  # threads of its own are for what is much
            yield self._one(first)
            return
        with ThreadPoolExecutor(CORES, thread_name_prefix="recipe") as threads:
            ahead = deque([threads.submit(self._one, first), threads.submit(self._one, second)])
            try:
                for batch in coming:
                    if len(ahead) > CORES:
                        yield ahead.popleft().result()
                    ahead.append(threads.submit(self._one, batch))
                while ahead:
                    yield ahead.popleft().result()
            finally:
                for job in ahead:
                    job.cancel()

    def _one(self, batch: pa.Table) -> pa.Table:
        for each in self.made:
            batch = each(batch)
        return batch

    def then(self, made: Callable[[pa.Table], pa.Table]) -> LocalBatches:
        """Return the batches with one more function."""
        return replace(self, made=(*self.made, made))


def rows_flow(flow: RowFlow, schema: pa.Schema, made: Callable[[pa.Table], pa.Table], **changed: Any) -> RowFlow:
    """Return a flow each of whose batches is made of one of `flow`, alone; `made` is called in several threads."""
    before = flow.batches if isinstance(flow.batches, LocalBatches) else LocalBatches(flow.batches, ())
    return replace(flow, schema=schema, batches=before.then(made), **changed)


def gathered_flow(flow: RowFlow, schema: pa.Schema, made: Callable[[], pa.Table], **changed: Any) -> RowFlow:
    """Return a flow whose rows can only be made of all of them together: `made` gives them."""

    def batches() -> Iterator[pa.Table]:
        yield from in_batches(made())

    return replace(flow, schema=schema, batches=batches, **changed)


def in_batches(table: pa.Table) -> Iterator[pa.Table]:
    """Yield a table in pieces, one without rows where it has none."""
    step = rows_in_batch(table.num_rows, table.nbytes)
    for start in range(0, max(1, table.num_rows), step):
        yield table.slice(start, step)


def rows_in_batch(rows: int, size: int) -> int:
    """Return how many of some rows go together, by the bytes that all of them take."""
    return max(1, min(BATCH, rows * BATCH_BYTES // max(1, size)))
