"""The shape of features: mended, simplified, widened, measured, in single parts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic
from brisk_atlas.core.table.measures import measure

from ..flows import Flow, RowFlow, rows_flow
from ..geometry_column import (
    all_shapes_flow,
    of_dimension,
    of_one_type,
    refuse_without_crs,
    shapes_flow,
    shapes_of,
    with_shapes,
)
from ..row_expressions import features_of
from ..step import FEATURES, Step, StepContext, step


@step
@dataclass(frozen=True)
class RepairGeometry(Step):
    """Mend geometries that are not valid: bow ties, unclosed or overlapping rings. What has no area is left out."""

    word: ClassVar = "repair"
    label: ClassVar = tr("Repair geometry")
    group: ClassVar = tr("Shape")
    takes: ClassVar = FEATURES

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        def mended(shapes: np.ndarray) -> np.ndarray:
            wrong = ~shapely.is_valid(shapes) & ~shapely.is_missing(shapes)
            out = shapes.copy()
            if wrong.any():
                made = shapely.make_valid(shapes[wrong], method="structure", keep_collapsed=False)
                out[wrong] = of_dimension(made, shapely.get_dimensions(shapes[wrong]))
                context.warn(
                    tr(
                        "geometries were mended, such as: {is_valid_reason}",
                        is_valid_reason=shapely.is_valid_reason(shapes[wrong][0]),
                    )
                )
            return of_one_type(out)

        return shapes_flow(self.features(flow), mended, context, drop=tr("has no valid geometry"))


@step
@dataclass(frozen=True)
class Simplify(Step):
    """Leave out vertices that matter little. Polygons that share borders still share them afterwards."""

    word: ClassVar = "simplify"
    label: ClassVar = tr("Simplify")
    group: ClassVar = tr("Shape")
    takes: ClassVar = FEATURES
    gathers: ClassVar = True

    tolerance: float = argument(tr("about how far an edge may move, in units of the CRS"))
    shared_borders: bool = argument(tr("polygons keep their shared borders"), True)

    @property
    def summary(self) -> str:
        return tr("up to {tolerance:g}", tolerance=self.tolerance)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        if not self.tolerance > 0:
            raise self.refused(tr("the tolerance is 0"), tr("Give a number above 0."))
        if not self.shared_borders:
            return shapes_flow(rows, lambda s: shapely.simplify(s, self.tolerance), context)

        def made(table: pa.Table) -> pa.Table:
            shapes = shapes_of(table)
            areas = shapely.get_dimensions(shapes) == 2
            out = shapes.copy()
            if areas.any():
                valid = shapely.make_valid(shapes[areas])
                if not shapely.coverage_is_valid(valid):
                    context.warn(
                        tr("some polygons overlap or leave slivers, so that their borders are not shared there")
                    )
                out[areas] = shapely.coverage_simplify(valid, self.tolerance)
            out[~areas] = shapely.simplify(shapes[~areas], self.tolerance)
            return with_shapes(table, out)

        return all_shapes_flow(rows, made, context)


@step
@dataclass(frozen=True)
class Buffer(Step):
    """Widen features by a distance, or narrow polygons by a negative one."""

    word: ClassVar = "buffer"
    label: ClassVar = tr("Buffer")
    group: ClassVar = tr("Shape")
    takes: ClassVar = FEATURES

    distance: float = argument(tr("how far, in units of the CRS; in metres for longitude and latitude"))
    segments: int = argument(tr("vertices of a quarter circle"), 16)
    flat: bool = argument(tr("end lines flat, not round"), False)

    @property
    def summary(self) -> str:
        return f"by {self.distance:g}"

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        cap = "flat" if self.flat else "round"

        def widened(shapes: np.ndarray) -> np.ndarray:
            return shapely.buffer(shapes, self.distance, quad_segs=self.segments, cap_style=cap)

        def made(shapes: np.ndarray) -> np.ndarray:
            if rows.crs is not None and is_geographic(rows.crs):
                shapes = _in_planes(shapes, rows.crs, widened)
            else:
                shapes = widened(shapes)
            return of_one_type(shapes)

        return shapes_flow(rows, made, context, drop=tr("nothing is left of it"))


def _in_planes(shapes: np.ndarray, crs: str, work) -> np.ndarray:  # type: ignore[no-untyped-def]
    """Return what `work` makes of each geometry in metres, in a plane about its own middle: azimuthal equidistant
    (Snyder, J.P. (1987), Map projections, USGS Professional Paper 1395, section 25)."""
    from pyproj import Transformer

    from brisk_atlas.core.place import proj_crs

    from .coordinates import mover

    source = proj_crs(crs)
    out = shapes.copy()
    for at, shape in enumerate(shapes):
        if shape is None or shape.is_empty:
            continue
        x, y = map(float, shapely.get_coordinates(shapely.centroid(shape))[0])
        plane = f"+proj=aeqd +lat_0={y!r} +lon_0={x!r} +units=m +type=crs"
        forth = Transformer.from_crs(source, plane, always_xy=True)
        back = Transformer.from_crs(plane, source, always_xy=True)
        placed = shapely.transform(shape, mover(forth), include_z=None)
        out[at] = shapely.transform(work(np.array([placed]))[0], mover(back), include_z=None)
    return out


@step
@dataclass(frozen=True)
class SingleParts(Step):
    """Make a row of each part of features that have several."""

    word: ClassVar = "single-parts"
    label: ClassVar = tr("Single parts")
    group: ClassVar = tr("Shape")
    takes: ClassVar = FEATURES

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)

        def made(table: pa.Table) -> pa.Table:
            shapes = shapes_of(table)
            parts, owner = shapely.get_parts(shapes, return_index=True)
            none = np.flatnonzero(np.bincount(owner, minlength=len(shapes)) == 0)
            owner, parts = np.concatenate([owner, none]), np.concatenate([parts, shapes[none]])
            order = np.argsort(owner, kind="stable")
            return with_shapes(table.take(pa.array(owner[order])), parts[order])

        return rows_flow(rows, rows.schema, made, count=None)


MEASURED = {
    "area": ("area_ellipsoid", "area_m2", "m²"),
    "length": ("length_ellipsoid", "length_m", "m"),
    "plane area": ("area_plane", "area_plane", ""),
    "plane length": ("length_plane", "length_plane", ""),
    "centroid": ("centroid", "centroid", ""),
    "vertices": ("vertices", "vertices", ""),
}


@step
@dataclass(frozen=True)
class AddMeasures(Step):
    """Add fields with area and length on the ellipsoid, the same in the plane, centroid or number of vertices."""

    word: ClassVar = "measures"
    label: ClassVar = tr("Add measures")
    group: ClassVar = tr("Fields")
    takes: ClassVar = FEATURES

    measures: tuple[str, ...] = argument(tr("area, length, plane area, plane length, centroid or vertices"), ("area",))

    @property
    def summary(self) -> str:
        return ", ".join(self.measures)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        strange = [name for name in self.measures if name not in MEASURED]
        if strange:
            raise self.refused(
                tr("there is no measure {strange}", strange=", ".join(strange)),
                tr("There are: {measured}.", measured=", ".join(MEASURED)),
            )
        if {"area", "length"} & set(self.measures):
            refuse_without_crs(self, rows)
        wanted: list[tuple[str, str, str]] = []
        for name in self.measures:
            function, field, unit = MEASURED[name]
            both = [(f"{function}_{axis}", f"{field}_{axis}", unit) for axis in "xy"]
            wanted += both if function == "centroid" else [(function, field, unit)]
        taken = [field for _, field, _ in wanted if field in rows.fields]
        if taken:
            raise self.refused(
                tr("there is a field {taken}", taken=", ".join(taken)), tr("Rename it or leave it out first.")
            )

        def made(table: pa.Table) -> pa.Table:
            features = features_of(table, rows.crs)
            for place, (function, field, _) in enumerate(wanted):
                values = pa.array(measure(features, function, None, context.check), from_pandas=True)
                values = values.cast(pa.int64()) if function == "vertices" else values
                table = table.add_column(len(rows.fields) + place, field, values)
            return table

        names = [(field, unit) for _, field, unit in wanted if unit]
        return rows_flow(rows, made(rows.schema.empty_table()).schema, made, units=(*rows.units, *names))
