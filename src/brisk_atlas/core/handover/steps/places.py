"""Where: what lies in an extent, what lies inside the polygons of another layer."""

from __future__ import annotations

from dataclasses import dataclass, replace
from threading import Lock, local
from typing import ClassVar

import numpy as np
import shapely

from brisk_atlas.core.model import CellWindow, Extent
from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.place.unrolling import cut_around

from ..cell_polygons import inside_polygons
from ..flows import Flow, GridFlow, PointFlow, RowFlow, rows_flow
from ..geometry_column import is_nothing, of_dimension, of_one_type, shapes_flow, shapes_of
from ..moved_grid import shifted
from ..point_runs import chosen_points
from ..step import PLACED, Step, StepContext, split_rows, step
from .coordinates import moved_shapes


@step
@dataclass(frozen=True)
class WithinExtent(Step):
    """Leave what lies in an extent: features that meet it, cut at its edge if wanted; cells; points."""

    word: ClassVar = "extent"
    label: ClassVar = tr("Within an extent")
    group: ClassVar = tr("Place")
    takes: ClassVar = PLACED

    extent: Extent = argument(tr("the extent"))
    cut: bool = argument(tr("cut features at the edge"), True)

    @property
    def summary(self) -> str:
        e = self.extent
        return tr(
            "{xmin:,.6g} to {xmax:,.6g}, {ymin:,.6g} to {ymax:,.6g}", xmin=e.xmin, xmax=e.xmax, ymin=e.ymin, ymax=e.ymax
        )

    def flow(self, flow: Flow, context: StepContext) -> Flow:
        if self.extent.crs is not None and flow.crs is None:
            raise self.refused(tr("the data has no CRS"), tr("State it first."))
        placed = transform_extent(self.extent, flow.crs) if self.extent.crs else replace(self.extent, crs=flow.crs)
        sides = sides_of(placed) if placed is not None else []
        if not sides:
            raise self.refused(tr("the extent has no place in the CRS of the data"), tr("Choose another extent."))
        if isinstance(flow, GridFlow):
            return self._cells(flow, sides)
        if isinstance(flow, PointFlow):
            boxes = [side.bounds for side in sides]

            def inside(x: np.ndarray, y: np.ndarray) -> np.ndarray:
                found = [(x >= b[0]) & (x <= b[2]) & (y >= b[1]) & (y <= b[3]) for b in boxes]
                return np.logical_or.reduce(found)

            return chosen_points(flow, lambda run: inside(np.asarray(run.x), np.asarray(run.y)), context,
                                 extent=sides[0] if len(sides) == 1 else flow.extent)  # fmt: skip
        blade = shapely.union_all([shapely.box(*side.bounds) for side in sides])
        return cut_rows(self.features(flow), blade, context, tr("lies outside the extent"), cut=self.cut)

    def _cells(self, flow: GridFlow, sides: list[Extent]) -> GridFlow:
        own = flow.lattice.extent
        meeting = [c for side in sides if (c := side.intersection(own)) is not None and c.width > 0 and c.height > 0]
        if not meeting:
            raise self.refused(tr("the extent does not meet the grid"), tr("Choose another extent."))
        if len(meeting) > 1:
            raise self.refused(tr("the extent goes across 180 degrees, where the grid's cells end"),
                               tr("Hand over each side by itself."))  # fmt: skip
        return shifted(flow, flow.lattice.within(flow.lattice.window_of(meeting[0])))


@step
@dataclass(frozen=True)
class Clip(Step):
    """Leave what lies inside the polygons of another layer, or outside of them: features are cut, cells whose middle
    lies elsewhere have no data."""

    word: ClassVar = "clip"
    label: ClassVar = tr("Clip")
    group: ClassVar = tr("Place")
    takes: ClassVar = PLACED

    polygons: Source = argument(tr("the layer of polygons: a branch of the recipe, an open layer or a dataset"))
    outside: bool = argument(tr("leave what lies outside of them"), False)
    cut: bool = argument(tr("cut features at the edge; else those that meet them stay whole"), True)

    @property
    def summary(self) -> str:
        return tr("outside of polygons") if self.outside else tr("inside polygons")

    def flow(self, flow: Flow, context: StepContext) -> Flow:
        other = self.features(context.flow_of(self.polygons))
        if (other.crs is None) != (flow.crs is None):
            raise self.refused(tr("one of the two has no CRS"), tr("State it first."))
        if isinstance(flow, GridFlow):
            return self._cells(flow, other, context)
        if isinstance(flow, PointFlow):
            blades: list[shapely.Geometry] = []

            def chosen(run: object) -> np.ndarray:
                if not blades:
                    blades.append(self._blade(other, flow.crs, context))
                    shapely.prepare(blades[0])
                found = shapely.contains_xy(blades[0], np.asarray(run.x), np.asarray(run.y))  # type: ignore[attr-defined]
                return ~found if self.outside else found

            return chosen_points(flow, chosen, context)
        rows = self.features(flow)
        held: list[shapely.Geometry] = []

        def blade() -> shapely.Geometry:
            if not held:
                held.append(self._blade(other, rows.crs, context))
            return held[0]

        where = tr("lies inside the polygons") if self.outside else tr("lies outside the polygons")
        return cut_rows(rows, blade, context, where, cut=self.cut, outside=self.outside)

    def _polygons(self, other: RowFlow, crs: str | None, context: StepContext) -> np.ndarray:
        shapes = moved_shapes(shapes_of(other.whole(context.check)), other.crs, crs, self)
        areas = shapely.make_valid(shapes[shapely.get_dimensions(shapes) == 2])
        if not areas.size:
            raise self.refused(tr("{name} has no polygons", name=other.name), tr("Choose a layer of polygons."))
        return areas

    def _blade(self, other: RowFlow, crs: str | None, context: StepContext) -> shapely.Geometry:
        return shapely.union_all(self._polygons(other, crs, context))

    def _cells(self, flow: GridFlow, other: RowFlow, context: StepContext) -> GridFlow:
        areas = self._polygons(other, flow.crs, context)
        xmin, ymin, xmax, ymax = map(float, shapely.total_bounds(areas))
        cut = Extent(xmin, ymin, xmax, ymax, flow.crs).intersection(flow.lattice.extent)
        if not self.outside:
            if cut is None or cut.width <= 0 or cut.height <= 0:
                raise self.refused(tr("the polygons do not meet the grid"), tr("Choose another layer."))
            flow = shifted(flow, flow.lattice.within(flow.lattice.window_of(cut)))

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            found = flow.read(window, bands)
            inside = inside_polygons(areas, found.lattice)
            return replace(found, valid=found.valid & (~inside if self.outside else inside))

        return replace(flow, read=read, all_valid=False)


def cut_rows(
    rows: RowFlow, blade: object, context: StepContext, reason: str, *, cut: bool = True, outside: bool = False
) -> RowFlow:
    """Return the features that meet a geometry, cut at its edge if wanted, or what is outside of it. `blade` is the
    geometry or what makes it once it is needed."""

    lock, mine = Lock(), local()
    stored: list[bytes] = []

    def the_blade() -> shapely.Geometry:
        """Return the geometry, one of its own for each thread: a prepared one makes its index when it is asked first,
        and two threads that make it at once bring the process down."""
        if not hasattr(mine, "blade"):
            with lock:
                if not stored:
                    stored.append(shapely.to_wkb(blade() if callable(blade) else blade))
            mine.blade = shapely.from_wkb(stored[0])
            shapely.prepare(mine.blade)
        return mine.blade

    if cut:

        def made(shapes: np.ndarray) -> np.ndarray:
            edge = the_blade()
            return of_one_type(cut_around(shapes, rows.crs, lambda some: _cut(some, edge, outside)))

        return shapes_flow(rows, made, context, drop=reason)

    def chosen(table):  # type: ignore[no-untyped-def]
        context.check()
        edge = the_blade()
        shapes = shapes_of(table)
        meeting = cut_around(shapes, rows.crs, lambda some: _only(some, _meets(some, edge, outside)))
        return split_rows(table, ~is_nothing(meeting), context, reason)

    return rows_flow(rows, rows.schema, chosen, count=None)


def _only(shapes: np.ndarray, which: np.ndarray) -> np.ndarray:
    out = shapes.copy()
    out[~which] = None
    return out


def _meets(shapes: np.ndarray, blade: shapely.Geometry, outside: bool) -> np.ndarray:
    return ~shapely.covers(blade, shapes) if outside else shapely.intersects(blade, shapes)


def _cut(shapes: np.ndarray, blade: shapely.Geometry, outside: bool) -> np.ndarray:
    """Return the parts of geometries inside a blade, or outside of it, of their own dimension; None for nothing."""
    dimension = shapely.get_dimensions(shapes)
    out = shapes.copy()
    whole = ~shapely.intersects(blade, shapes) if outside else shapely.covers(blade, shapes)
    none = shapely.covers(blade, shapes) if outside else ~shapely.intersects(blade, shapes)
    partly = ~whole & ~none
    out[none] = None
    if partly.any():
        mended = shapely.make_valid(shapes[partly])
        out[partly] = shapely.difference(mended, blade) if outside else shapely.intersection(mended, blade)
        out[partly] = of_dimension(out[partly], dimension[partly])
    return out
