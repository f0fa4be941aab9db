"""The flows that data comes from: parts of datasets, and rows that are held."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from itertools import chain
from math import ceil
from pathlib import Path

import laspy
import numpy as np
import pyarrow as pa

from brisk_atlas.core import read
from brisk_atlas.core.connect.connector import fingerprint
from brisk_atlas.core.model import (
    AtlasError,
    CellWindow,
    CloudPart,
    DataRef,
    Dataset,
    FeatureQuery,
    Part,
    PointQuery,
    RasterPart,
    RowsPart,
    VectorPart,
)
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import unique_names
from brisk_atlas.core.read.answer import ArrowLayer, ArrowTable
from brisk_atlas.core.read.points_decoder import PIECE as LAZ_PIECE
from brisk_atlas.core.read.stored_style import stored_style

from .flows import GEOMETRY, PIECE, Flow, GridFlow, PointFlow, RowFlow, in_batches
from .geometry_column import FIELD

LOOK_ROWS = 2_000  # of a look ahead
LOOK_CELLS = 512  # along each side
LOOK_POINTS = 100_000


def flow_of_part(part: Part, name: str, *, sampled: bool = False) -> Flow:
    """Return the flow of a part; `sampled` gives some of its rows, larger cells or some of its points, for a look
    ahead. Raises AtlasError for what has none."""
    if isinstance(part, RasterPart):
        return replace(grid_flow(part, name, sampled=sampled), source=part.ref)
    if isinstance(part, CloudPart):
        return replace(point_flow(part, name, sampled=sampled), source=part.ref)
    if isinstance(part, RowsPart):
        style = partial(stored_style, part.ref.with_part(part.facts.name))
        return replace(row_flow(part, name, sampled=sampled), source=part.ref, style=style)
    raise AtlasError(
        name, tr("a {kind} has no rows, cells or points", kind=part.facts.kind), tr("Choose another source.")
    )


def row_flow(part: RowsPart, name: str, *, sampled: bool = False) -> RowFlow:
    """Return the rows of a part, the first ones where `sampled`."""
    facts = part.facts
    few = sampled and (facts.count is None or facts.count > LOOK_ROWS)
    query = FeatureQuery(limit=LOOK_ROWS if few else None)
    has_shapes = isinstance(part, VectorPart)

    def tables(asked: FeatureQuery) -> Iterator[pa.Table]:
        if isinstance(part, ArrowLayer | ArrowTable):
            mine, _ = asked.divided(part.able)
            yield from part.streamed(mine)
        elif isinstance(part, VectorPart):
            found = part.read(asked)
            yield found.table.append_column(FIELD, found.wkb)
        else:
            yield part.rows(asked)

    begun = tables(query)  # what comes first says which columns there are; who asks first goes on with the rest of it
    first = next(begun, None)
    schema = _named(first if first is not None else pa.table({}), has_shapes).schema
    at_hand = [chain([first] if first is not None else [], begun)]

    def batches() -> Iterator[pa.Table]:
        left = query.limit
        for table in at_hand.pop() if at_hand else tables(query):
            for batch in in_batches(_named(table, has_shapes)):
                if left is not None:
                    batch = batch.slice(0, left)
                    left -= batch.num_rows
                yield batch if batch.schema.equals(schema) else batch.cast(schema)
            if left is not None and left <= 0:
                return

    count = min(facts.count, LOOK_ROWS) if few and facts.count is not None else None if few else facts.count
    units = tuple((field.name, field.unit) for field in facts.fields if field.unit)
    return RowFlow(name, schema, batches, facts.crs if has_shapes else None, count, few, units=units)


def _named(table: pa.Table, has_shapes: bool) -> pa.Table:
    """Return rows as they flow: plain types, names that are unlike, the geometry last under its own name."""
    names = list(table.column_names)
    columns = [_plain(column) for column in table.columns]
    if has_shapes:
        return pa.table([*columns[:-1], columns[-1].cast(pa.binary())], [*unique_names(names[:-1]), GEOMETRY])
    return pa.table(columns, unique_names(names))


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.cast(kind.value_type), kind.value_type
    if pa.types.is_large_string(kind):
        return column.cast(pa.string())
    return column


def held_flow(
    name: str, table: pa.Table, wkb: pa.Array | None, crs: str | None, *, sampled: bool = False, units: tuple = ()
) -> RowFlow:
    """Return rows that are held, such as those of a layer that was edited."""
    table = table.select(table.column_names)  # one that reads its columns late becomes a plain one
    whole = _named(table.append_column(FIELD, wkb) if wkb is not None else table, wkb is not None)
    few = sampled and whole.num_rows > LOOK_ROWS
    whole = whole.slice(0, LOOK_ROWS) if few else whole
    return RowFlow(name, whole.schema, lambda: in_batches(whole), crs, whole.num_rows, few, units=units)


def grid_flow(part: RasterPart, name: str, *, sampled: bool = False) -> GridFlow:
    """Return the cells of a part; larger ones where `sampled` and there are many."""
    facts = part.facts
    assert facts.grid is not None
    lattice = facts.lattice
    dtype = np.dtype(part.value_dtype)
    nodata = facts.grid.nodata if part.value_dtype == facts.grid.dtype else None
    step = ceil(max(lattice.columns, lattice.rows) / LOOK_CELLS)
    smooth = not any(band.classes for band in facts.grid.bands)
    if sampled and step > 1:
        lattice = lattice.thinned(step)

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            return part.onto(lattice.within(window), bands=bands, smooth=smooth)
    else:
        step = 1

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            return part.block(window, bands=bands)

    return GridFlow(name, lattice, facts.grid.bands, dtype, nodata, read, step > 1, part.all_valid and step == 1)


def point_flow(part: CloudPart, name: str, *, sampled: bool = False) -> PointFlow:
    """Return the points of a part; some of them where `sampled` and there are many."""
    facts = part.facts
    few = sampled and (facts.count or 0) > LOOK_POINTS
    path = part.ref.path if part.ref.is_local and part.ref.suffix in (".las", ".laz") else None
    if path is not None and not few:
        with laspy.open(path) as source:
            header = source.header

        def runs() -> Iterator[laspy.ScaleAwarePointRecord]:
            with laspy.open(path) as source:
                yield from source.chunk_iterator(max(PIECE // LAZ_PIECE, 1) * LAZ_PIECE)

        return PointFlow(name, header, runs, facts.crs, facts.count, facts.extent)
    points = part.read(PointQuery(limit=LOOK_POINTS) if few else PointQuery())
    header = header_for(points, path)
    record = record_from(points, header)
    return PointFlow(name, header, lambda: iter([record]), facts.crs, len(points), facts.extent, few)


def header_for(points: Points, like: object = None) -> laspy.LasHeader:
    """Return the header of a LAS file that holds the dimensions of points, or that of the file they come from."""
    if like is not None:
        with laspy.open(like) as source:
            return source.header
    names = set(points.dimensions)
    has_colour = {"red", "green", "blue"} <= names
    header = laspy.LasHeader(point_format=7 if has_colour else 6, version="1.4")
    known = set(header.point_format.dimension_names)
    extra = [n for n in points.dimensions if n not in known and points.dimensions[n].dtype.kind in "iuf"]
    header.add_extra_dims([laspy.ExtraBytesParams(n[:32], points.dimensions[n].dtype) for n in extra])
    low = points.xyz.min(axis=0) if len(points) else np.zeros(3)
    high = points.xyz.max(axis=0) if len(points) else np.zeros(3)
    span = np.maximum(high - low, 1e-9)
    header.scales = np.maximum(10.0 ** np.floor(np.log10(span / 2**30)), 1e-4 if span.max() > 1 else 1e-9)
    header.offsets = np.floor(low)
    return header


def record_from(points: Points, header: laspy.LasHeader) -> laspy.ScaleAwarePointRecord:
    """Return points as records of the format that a header describes."""
    record = laspy.ScaleAwarePointRecord.zeros(len(points), header=header)
    record.x, record.y, record.z = points.xyz.T
    known = set(header.point_format.dimension_names)
    for name, values in points.dimensions.items():
        if name in known:
            record[name] = values
    return record


class FileSources:
    """The sources of a recipe that runs by itself: datasets, by reference or by path. A relative path is from the
    folder of the recipe."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder

    def flow(self, source: str | DataRef, *, sampled: bool = False) -> Flow:
        """Return the flow of a dataset, which has one part or names it. Raises AtlasError."""
        part = one_part(read.open(self.ref(source)), self.ref(source))
        return flow_of_part(part, source_name(part), sampled=sampled)

    def state(self, source: str | DataRef) -> str:
        """Return what tells that a dataset changed."""
        return fingerprint(self.ref(source).whole)

    def count(self, source: str | DataRef) -> int | None:
        """Return how many rows, cells or points a dataset has; None where that is not known."""
        return count_of(one_part(read.open(self.ref(source)), self.ref(source)))

    def ref(self, source: str | DataRef) -> DataRef:
        """Return the reference that a source means."""
        return source if isinstance(source, DataRef) else DataRef.typed(source, self.folder)


def one_part(dataset: Dataset, ref: DataRef) -> Part:
    """Return the part that a reference means, or the only one. Raises AtlasError."""
    if ref.part is not None:
        try:
            return dataset.part_of(ref)
        except KeyError:
            names = ", ".join(part.facts.name for part in dataset.parts)
            raise AtlasError(
                ref.whole, tr("it has no part called {part}", part=ref.part), tr("There are: {names}.", names=names)
            ) from None
    usable = [part for part in dataset.parts if isinstance(part, RowsPart | RasterPart | CloudPart)]
    if len(usable) != 1:
        names = ", ".join(part.facts.name for part in usable) or "none"
        raise AtlasError(
            ref, tr("it has {count} parts", count=len(usable)), tr("Name one of them behind #: {names}.", names=names)
        )
    return usable[0]


def count_of(part: Part) -> int | None:
    """Return how many rows, cells or points a part has."""
    grid = part.facts.grid
    return grid.width * grid.height if grid is not None else part.facts.count


def source_name(part: Part) -> str:
    """Return what the data of a part is called: by the file where it has one part, else by the part."""
    return part.facts.name or part.ref.stem
