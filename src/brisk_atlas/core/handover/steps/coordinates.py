"""Coordinates: another CRS by a chosen transformation, points from fields, fields from points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import ClassVar

import numpy as np
import pyarrow as pa
import pyproj
import shapely
from pyproj.enums import TransformDirection
from pyproj.transformer import TransformerGroup

from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import crs_label, is_geographic, proj_crs, same_crs, text_of
from brisk_atlas.core.place.crs import transformer_between
from brisk_atlas.core.place.transformation import Transformation, transformation_between

from ..flows import GEOMETRY, Flow, GridFlow, PointFlow, RowFlow, rows_flow
from ..geometry_column import FIELD, shapes_flow, shapes_of, with_shapes
from ..moved_grid import reprojected_grid
from ..moved_points import reprojected_points
from ..patched_moves import moved_in_patches
from ..step import FEATURES, PLACED, Step, StepContext, step


def transformations(source: str, target: str) -> list[tuple[Transformation, pyproj.Transformer]]:
    """Return the transformations that this machine has, the most accurate first, and what does each. Raises
    CannotPlace."""
    group = TransformerGroup(proj_crs(source), proj_crs(target), always_xy=True)
    return [
        (Transformation(each.description, None if each.accuracy < 0 else float(each.accuracy)), each)
        for each in group.transformers
    ]


@lru_cache(64)
def chosen_transformer(source: str, target: str, name: str) -> tuple[pyproj.Transformer, Transformation]:
    """Return what moves coordinates from one CRS to another, by the transformation that is called `name` or the best
    one, and what is known of it. Raises CannotPlace."""
    if not name:
        best = transformation_between(source, target)
        return transformer_between(source, target), best
    known = transformations(source, target)
    for about, transformer in known:
        if about.name == name:
            return transformer, about
    names = "; ".join(about.name for about, _ in known)
    between = f"{crs_label(source)} to {crs_label(target)}"
    raise CannotPlace(
        between, tr("no transformation here is called {name}", name=name), tr("There are: {names}.", names=names)
    )


def mover(transformer: pyproj.Transformer) -> Callable[[np.ndarray], np.ndarray]:
    """Return what moves (n, 2 or 3) coordinates in the plane; heights stay. Those without a place become not finite."""

    def moved(xyz: np.ndarray) -> np.ndarray:
        return np.column_stack([moved_in_patches(transformer, xyz), xyz[:, 2:]])

    return moved


def mover_back(transformer: pyproj.Transformer) -> Callable[[np.ndarray], np.ndarray]:
    """Return what moves (n, 2) positions the other way; those without a place become not finite."""

    def moved(xy: np.ndarray) -> np.ndarray:
        x, y = transformer.transform(
            np.ascontiguousarray(xy[:, 0]), np.ascontiguousarray(xy[:, 1]), direction=TransformDirection.INVERSE
        )
        return np.column_stack([x, y])

    return moved


def moved_shapes(shapes: np.ndarray, source: str | None, target: str | None, step_: Step) -> np.ndarray:
    """Return geometries of another source in the CRS of this one. Raises BadStep where one has no place in it."""
    if source is None or target is None or same_crs(source, target):
        return shapes
    made = _transformed(shapes, mover(transformer_between(source, target)))
    if not np.isfinite(shapely.get_coordinates(made)).all():
        raise step_.refused(
            tr("some features of the other source have no place in the CRS here"), tr("Choose another CRS.")
        )
    return made


def _transformed(shapes: np.ndarray, move: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    return shapely.transform(shapes, move, include_z=None)


@step
@dataclass(frozen=True)
class Reproject(Step):
    """Move the data to another CRS. Grids get new cells, by the nearest cell or between cells."""

    word: ClassVar = "reproject"
    label: ClassVar = tr("Reproject")
    group: ClassVar = tr("Coordinates")
    takes: ClassVar = PLACED

    crs: str = argument(tr("the CRS of the result, such as EPSG:4326"))
    transformation: str = argument(tr("the name of the transformation; the most accurate one if not given"), "")
    resolution: float | None = argument(tr("of a grid: the cell size in units of the new CRS"), None)
    smooth: bool | None = argument(tr("of a grid: between cells; if not given, unless its numbers are classes"), None)

    @property
    def summary(self) -> str:
        return crs_label(self.crs)

    def flow(self, flow: Flow, context: StepContext) -> Flow:
        proj_crs(self.crs)
        source = flow.crs
        if source is None:
            raise self.refused(tr("the data has no CRS"), tr("State it first by the step “State the CRS”."))
        transformer, about = chosen_transformer(source, self.crs, self.transformation)
        if about.accuracy_m is None or about.accuracy_m > 0 or about.missing_grids:
            context.warn(about.text)
        if isinstance(flow, RowFlow):
            return self._rows(self.features(flow), transformer, context)
        if isinstance(flow, PointFlow):
            return reprojected_points(flow, self.crs, mover(transformer), context)
        return reprojected_grid(flow, self.crs, self.resolution, self.smooth, mover_back(transformer))

    def _rows(self, rows: RowFlow, transformer: pyproj.Transformer, context: StepContext) -> RowFlow:
        from ..wkb_moves import moved_wkb

        if same_crs(rows.crs, self.crs):
            return replace(rows, crs=self.crs)

        def made(table: pa.Table) -> pa.Table:
            context.check()
            column, lost = moved_wkb(table.column(GEOMETRY), mover(transformer))
            if lost.any():
                if context.reject is not None:
                    context.reject(
                        table.filter(pa.array(lost)), tr("has no place in {crs_label}", crs_label=crs_label(self.crs))
                    )
                context.warn(tr("features without a place in {crs_label} are left out", crs_label=crs_label(self.crs)))
            table = table.set_column(table.num_columns - 1, FIELD, column)
            return table.filter(pa.array(~lost)) if lost.any() else table

        return rows_flow(rows, rows.schema, made, crs=text_of(proj_crs(self.crs).to_wkt()))


@step
@dataclass(frozen=True)
class StateCrs(Step):
    """State in which CRS the coordinates are, without moving them."""

    word: ClassVar = "state-crs"
    label: ClassVar = tr("State the CRS")
    group: ClassVar = tr("Coordinates")
    takes: ClassVar = PLACED

    crs: str = argument(tr("the CRS that the coordinates are in, such as EPSG:32727"))

    @property
    def summary(self) -> str:
        return crs_label(self.crs)

    def flow(self, flow: Flow, context: StepContext) -> Flow:
        proj_crs(self.crs)
        if flow.crs is not None and not same_crs(flow.crs, self.crs):
            context.warn(tr("the source states {crs_label}", crs_label=crs_label(flow.crs)))
        if isinstance(flow, GridFlow):
            return replace(flow, lattice=replace(flow.lattice, crs=self.crs))
        return replace(flow, crs=self.crs)


@step
@dataclass(frozen=True)
class PointsFromTable(Step):
    """Make points of two fields of numbers."""

    word: ClassVar = "points-from-table"
    label: ClassVar = tr("Points from fields")
    group: ClassVar = tr("Coordinates")

    x: str = argument(tr("the field of x or longitude"))
    y: str = argument(tr("the field of y or latitude"))
    z: str = argument(tr("the field of heights; none if not given"), "")
    crs: str = argument(tr("the CRS of the coordinates"), "EPSG:4326")

    @property
    def summary(self) -> str:
        return f"{self.x}, {self.y}"

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        proj_crs(self.crs)
        names = self.fields_there(rows, tuple(name for name in (self.x, self.y, self.z) if name))

        def made(table: pa.Table) -> pa.Table:
            numbers = [_numbers(table.column(name)) for name in names]
            fits = np.isfinite(numbers[0]) & np.isfinite(numbers[1])
            if is_geographic(self.crs):
                fits &= (np.abs(numbers[1]) <= 90.0) & (np.abs(numbers[0]) <= 360.0)
            lost = ~fits
            if lost.any():
                context.warn(tr("rows without a position are left out"))
                if context.reject is not None:
                    context.reject(table.filter(pa.array(lost)), tr("has no position"))
            shapes = np.full(table.num_rows, None, object)
            shapes[fits] = shapely.points(*(n[fits] for n in numbers))
            return with_shapes(table, shapes).filter(pa.array(fits))

        bare = [each for each in rows.schema if each.name != GEOMETRY]
        return rows_flow(rows, pa.schema([*bare, FIELD]), made, crs=self.crs, count=None)


def _numbers(column: pa.ChunkedArray) -> np.ndarray:
    """Return values as float64, NaN for what is no number."""
    from .fields import cast_column

    return cast_column(column, "number").to_numpy().astype(float)


@step
@dataclass(frozen=True)
class TableFromPoints(Step):
    """Make fields of the coordinates, and leave the geometry out; of lines and polygons those of a point on them."""

    word: ClassVar = "table-from-points"
    label: ClassVar = tr("Fields from points")
    group: ClassVar = tr("Coordinates")

    x: str = argument(tr("the name of the field of x or longitude"), "x")
    y: str = argument(tr("the name of the field of y or latitude"), "y")
    z: str = argument(tr("the name of the field of heights; none if not given"), "")
    crs: str = argument(tr("the CRS of the coordinates; that of the layer if not given"), "")
    geometry: bool = argument(tr("leave the geometry"), False)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        names = tuple(name for name in (self.x, self.y, self.z) if name)
        taken = [name for name in names if name in rows.fields]
        if taken:
            raise self.refused(tr("there is a field {taken}", taken=", ".join(taken)), tr("Choose another name."))

        def made(table: pa.Table) -> pa.Table:
            shapes = shapes_of(table)
            points = np.where(shapely.get_type_id(shapes) == 0, shapes, shapely.point_on_surface(shapes))
            if self.crs:
                points = moved_shapes(points, rows.crs, self.crs, self)
            made = [shapely.get_x(points), shapely.get_y(points), shapely.get_z(points)]
            at = len(rows.fields)
            for place, name in enumerate(names):
                table = table.add_column(at + place, name, pa.array(made[place], from_pandas=True))
            return table if self.geometry else table.drop_columns([GEOMETRY])

        schema = made(rows.schema.empty_table()).schema
        return rows_flow(rows, schema, made, crs=rows.crs if self.geometry else None)


@step
@dataclass(frozen=True)
class SnapToGrid(Step):
    """Round coordinates to a grid; what collapses is left out."""

    word: ClassVar = "snap"
    label: ClassVar = tr("Snap to a grid")
    group: ClassVar = tr("Coordinates")
    takes: ClassVar = FEATURES

    size: float = argument(tr("the size of the grid in units of the CRS"))

    @property
    def summary(self) -> str:
        return f"{self.size:g}"

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        if not self.size > 0:
            raise self.refused(tr("the grid has no size"), tr("Give a number above 0."))
        return shapes_flow(
            rows, lambda s: shapely.set_precision(s, self.size), context, drop=tr("collapses on the grid")
        )
