"""From cells to features and back: contours, polygons of classes, cells of features, numbers of zones."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import pyarrow as pa
import shapely
from affine import Affine
from rasterio.enums import MergeAlg
from rasterio.features import rasterize
from rasterio.features import shapes as outlines

from brisk_atlas.core.inspect.zonal import zone_numbers
from brisk_atlas.core.model import Band, CellWindow, Extent, Lattice
from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import POLYGON
from brisk_atlas.core.place import same_crs, transform

from ..contour_strips import contour_strips
from ..flows import Flow, GridFlow, RowFlow, gathered_flow, rows_flow
from ..geometry_column import FIELD, shapes_of, with_shapes
from ..row_expressions import features_of
from ..step import FEATURES, GRID, Step, StepContext, step
from .cells import band_number
from .coordinates import moved_shapes

MOST_CELLS = 400_000_000  # of a grid whose classes become polygons, which are found all together


def _row_flow(cells: GridFlow, schema: pa.Schema, batches) -> RowFlow:  # type: ignore[no-untyped-def]
    return RowFlow(cells.name, schema, batches, cells.crs, None, cells.sampled)


@step
@dataclass(frozen=True)
class Contours(Step):
    """Make lines of equal value, every so many units, in strips of the grid."""

    word: ClassVar = "contours"
    label: ClassVar = tr("Contours")
    group: ClassVar = tr("Cells to features")
    takes: ClassVar = GRID

    interval: float = argument(tr("how far apart the values of lines are"))
    base: float = argument(tr("a value that has a line"), 0.0)
    band: str = argument(tr("the band; the first if not given"), "1")
    field: str = argument(tr("the name of the field of values"), "value")

    @property
    def summary(self) -> str:
        return tr("every {interval:g}", interval=self.interval)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        cells = self.grid(flow)
        if not self.interval > 0:
            raise self.refused(tr("the interval is 0"), tr("Give a number above 0."))
        number = band_number(self, cells, self.band)
        schema = pa.schema([pa.field(self.field, pa.float64()), FIELD])

        def batches() -> Iterator[pa.Table]:
            yield schema.empty_table()
            for values, lines in contour_strips(cells, number, self.interval, self.base, context.check):
                yield with_shapes(pa.table({self.field: values}), lines)

        made = _row_flow(cells, schema, batches)
        unit = cells.bands[number - 1].unit
        return replace(made, units=((self.field, unit),)) if unit else made


@step
@dataclass(frozen=True)
class Polygonise(Step):
    """Make a polygon of each area of cells that have one value."""

    word: ClassVar = "polygonise"
    label: ClassVar = tr("Polygons of cells")
    group: ClassVar = tr("Cells to features")
    takes: ClassVar = GRID
    gathers: ClassVar = True

    band: str = argument(tr("the band; the first if not given"), "1")
    field: str = argument(tr("the name of the field of values"), "value")
    corners: bool = argument(tr("cells that touch at a corner belong together"), False)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        cells = self.grid(flow)
        number = band_number(self, cells, self.band)
        if cells.dtype.kind == "f":
            raise self.refused(tr("its values are not whole numbers"), tr("Add the step “Classify” first."))
        if cells.lattice.columns * cells.lattice.rows > MOST_CELLS:
            raise self.refused(
                tr("it has more than {most_cells:,} cells", most_cells=MOST_CELLS),
                tr("Cut it, or make its cells larger, first."),
            )
        names = {value: name for value, _, name in cells.bands[number - 1].classes}
        fields = [pa.field(self.field, pa.int64()), *([pa.field("class", pa.string())] if names else [])]
        schema = pa.schema([*fields, FIELD])

        def made() -> pa.Table:
            grid = cells.whole((number,))
            context.check()
            values = grid.values[0]
            wide = values.astype(np.int32) if values.dtype.itemsize < 4 or values.dtype == np.uint32 else values
            found = outlines(wide, grid.valid, 8 if self.corners else 4, Affine(*grid.lattice.transform))
            numbers, polygons = [], []
            for shape, value in found:
                polygons.append(shapely.Polygon(shape["coordinates"][0], shape["coordinates"][1:]))
                numbers.append(int(value))
            areas = np.array(polygons, object)
            areas = shapely.make_valid(areas) if self.corners and len(areas) else areas
            columns = {self.field: pa.array(numbers, pa.int64())}
            if names:
                columns["class"] = pa.array([names.get(n, str(n)) for n in numbers], pa.string())
            return with_shapes(pa.table(columns), areas)

        return gathered_flow(_row_flow(cells, schema, lambda: iter(())), schema, made)


@step
@dataclass(frozen=True)
class Rasterise(Step):
    """Make cells of features: each has the number of the feature that it lies in, the last one where several do."""

    word: ClassVar = "rasterise"
    label: ClassVar = tr("Cells of features")
    group: ClassVar = tr("Features to cells")
    takes: ClassVar = FEATURES
    gathers: ClassVar = True

    resolution: float | None = argument(tr("the cell size in units of the CRS"), None)
    field: str = argument(tr("the field of numbers; 1 where there is a feature if not given"), "")
    like: Source | None = argument(tr("a grid whose cells are taken: a branch, an open layer or a dataset"), None)
    touching: bool = argument(tr("every cell that is touched, not those whose middle lies inside"), False)
    how: str = argument(tr("what counts where several features are"), "last", choices=("last", "sum"))

    @property
    def summary(self) -> str:
        return self.field or tr("where there are features")

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        rows = self.features(flow)
        if self.how not in ("last", "sum"):
            raise self.refused(tr("there is no {how}", how=self.how), tr("There are: last, sum."))
        if self.field:
            self.fields_there(rows, (self.field,))
        if (self.resolution is None) == (self.like is None):
            raise self.refused(tr("it needs a cell size, or a grid whose cells are taken"), tr("Give one of the two."))
        table = rows.whole(context.check)
        shapes = shapes_of(table)
        values = self._values(table)
        lattice = self._lattice(shapes, rows, context)
        if self.like is not None:
            shapes = moved_shapes(shapes, rows.crs, lattice.crs, self)
        whole = bool(len(values)) and bool((values == np.rint(values)).all())
        dtype = np.dtype(np.int32 if whole and np.abs(values).max() < 2**31 and self.how == "last" else np.float32)
        some = np.isfinite(values) & ~shapely.is_empty(shapes) & ~shapely.is_missing(shapes)
        shapes, values = shapes[some], values[some]
        bounds = shapely.bounds(shapes)
        merge = MergeAlg.replace if self.how == "last" else MergeAlg.add

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            context.check()
            piece = lattice.within(window)
            e = piece.extent
            near = (
                (bounds[:, 0] <= e.xmax)
                & (bounds[:, 2] >= e.xmin)
                & (bounds[:, 1] <= e.ymax)
                & (bounds[:, 3] >= e.ymin)
            )
            shape = (piece.rows, piece.columns)
            out, there = np.zeros(shape, np.float64), np.zeros(shape, np.uint8)
            if near.any():
                place = {"transform": Affine(*piece.transform), "all_touched": self.touching}
                rasterize(zip(shapes[near], values[near].tolist()), out=out, merge_alg=merge, **place)
                rasterize(((shape, 1) for shape in shapes[near]), out=there, **place)
            return Grid(out.astype(dtype)[None], there > 0, piece)

        band = Band(1, self.field or "features", unit=dict(rows.units).get(self.field, ""))
        nodata = float(np.iinfo(np.int32).min) if dtype.kind == "i" else None
        return GridFlow(rows.name, lattice, (band,), dtype, nodata, read, rows.sampled)

    def _values(self, table: pa.Table) -> np.ndarray:
        from .fields import cast_column

        if not self.field:
            return np.ones(table.num_rows)
        return cast_column(table.column(self.field), "number").to_numpy().astype(float)

    def _lattice(self, shapes: np.ndarray, rows: RowFlow, context: StepContext) -> Lattice:
        if self.like is not None:
            return self.grid(context.flow_of(self.like)).lattice
        assert self.resolution is not None
        if not self.resolution > 0:
            raise self.refused(tr("cells have no size"), tr("Give a number above 0."))
        size = self.resolution
        b = shapely.total_bounds(shapes) if len(shapes) else np.full(4, np.nan)
        if not np.isfinite(b).all():
            raise self.refused(tr("there is no feature with a place"), tr("Look at the steps before."))
        xmin, ymin = np.floor(b[0] / size) * size, np.floor(b[1] / size) * size
        columns, tall = (int(max(1, np.ceil((high - low) / size))) for low, high in ((xmin, b[2]), (ymin, b[3])))
        if columns * tall > 40_000_000_000:
            raise self.refused(
                tr("it would have {columns:,} cells", columns=columns * tall), tr("Give a larger cell size.")
            )
        extent = Extent(float(xmin), float(ymin), float(xmin + columns * size), float(ymin + tall * size), rows.crs)
        return Lattice.north_up(extent, (tall, columns))


@step
@dataclass(frozen=True)
class ZoneNumbers(Step):
    """Add to polygons the numbers of a grid within them: cells, minimum, mean, median, maximum, sum, standard deviation
    and, of whole numbers, the mode. A cell counts where its middle lies inside."""

    word: ClassVar = "zones"
    label: ClassVar = tr("Numbers of zones")
    group: ClassVar = tr("Features to cells")
    takes: ClassVar = FEATURES
    gathers: ClassVar = True

    grid_source: Source = argument(tr("the grid: a branch of the recipe, an open layer or a dataset"))
    band: str = argument(tr("the band; the first if not given"), "1")
    prefix: str = argument(tr("what the names of the fields begin with; the name of the grid if not given"), "")

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        cells = context.flow_of(self.grid_source)
        grid = self.grid(cells)
        if (rows.crs is None) != (grid.crs is None):
            raise self.refused(tr("one of the two has no CRS"), tr("State it first."))
        number = band_number(self, grid, self.band)
        begin = self.prefix or grid.name
        whole = grid.dtype.kind in "iu"
        names = [
            "cells",
            "minimum",
            "mean",
            "median",
            "maximum",
            "sum",
            "standard_deviation",
            *(["mode"] if whole else []),
        ]
        fields = [pa.field(f"{begin}_{n}", pa.int64() if n == "cells" else pa.float64()) for n in names]
        taken = [each.name for each in fields if each.name in rows.fields]
        if taken:
            raise self.refused(tr("there is a field {taken}", taken=taken[0]), tr("Give another beginning."))
        schema = pa.schema([*(f for f in rows.schema if f.name != FIELD.name), *fields, FIELD])

        def made(table: pa.Table) -> pa.Table:
            features = features_of(table, rows.crs)
            shapes = features.shapes
            if len(shapes) and not (shapes.path_kinds == POLYGON).any():
                raise self.refused(tr("there are no polygons"), tr("Choose a layer of polygons."))
            if not same_crs(rows.crs, grid.crs):
                shapes = shapes.moved(transform(shapes.xy, rows.crs, grid.crs))
            read = lambda window: grid.read(window, (number,))  # noqa: E731
            count, found = zone_numbers(shapes, grid.lattice, read, whole, lambda share: context.check())
            for place, each in enumerate(fields):
                name = names[place]
                if name == "cells":
                    column = pa.array(count.astype(np.int64))
                elif name in found:
                    column = pa.array(found[name].astype(float), mask=count == 0)
                else:
                    column = pa.nulls(len(count), pa.float64())
                table = table.add_column(len(rows.fields) + place, each, column)
            return table

        unit = grid.bands[number - 1].unit
        units = [(each.name, unit) for each in fields[1:]] if unit else []
        return rows_flow(rows, schema, made, units=(*rows.units, *units))
