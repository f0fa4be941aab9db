"""Handing over a piece of a vector layer or table."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.model import CannotWrite, Extent
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import proj_crs, transform, transform_extent
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.place.unrolling import cut_around
from brisk_atlas.core.system.atomic_write import reason_of, written_beside

FORMATS = {  # shown: (ending, driver, what is lost)
    "GeoPackage": (".gpkg", "GPKG", ""),
    "GeoJSON": (".geojson", "GeoJSON", "Always in longitude and latitude."),
    "FlatGeobuf": (".fgb", "FlatGeobuf", ""),
    "Shapefile": (".shp", "ESRI Shapefile", "Field names are cut to 10 characters, text to 254."),
}
NO_GEOMETRY = -1  # the type of a missing geometry
SLICE = 5_000  # features between two looks at whether to stop


@dataclass(frozen=True)
class VectorOrder:
    """What to hand over. `rows` are row numbers (None for all); `fields` names (None for all).

    `within` cuts to an extent; `clip` to polygons given as WKB with their CRS. `crs` is that of the
    result (None keeps the source's).
    """

    path: Path
    format: str
    layer_name: str
    rows: np.ndarray | None = None
    fields: tuple[str, ...] | None = None
    crs: str | None = None
    within: Extent | None = None
    clip: tuple[pa.Array, str | None] | None = None


def _moved(shapes: np.ndarray, source: str | None, target: str | None, path: Path) -> np.ndarray:
    """Return geometries in another CRS, heights kept. Raises CannotWrite where one has no place there."""
    if source is None or target is None or source == target:
        return shapes
    xy = transform(shapely.get_coordinates(shapes), source, target)
    if not np.isfinite(xy).all():
        raise CannotWrite(path, "some features have no place in that CRS", "Choose a CRS made for this area.")
    return shapely.transform(
        shapes, lambda xyz: np.column_stack([transform(xyz[:, :2], source, target), xyz[:, 2:]]), include_z=True
    )


def _cut(shapes: np.ndarray, blade: shapely.Geometry, report: Callable[[float], None]) -> np.ndarray:
    """Return the parts inside `blade`; what keeps only a lower dimension becomes empty."""
    shapely.prepare(blade)
    out = shapes.copy()
    dimension = shapely.get_dimensions(shapes)
    for start in range(0, len(shapes), SLICE):
        report(start / max(1, len(shapes)))
        cut = slice(start, start + SLICE)
        whole = shapely.covers(blade, shapes[cut])
        piece = shapes[cut].copy()
        partly = ~whole & shapely.intersects(blade, piece)
        piece[~whole & ~partly] = None
        piece[partly] = shapely.intersection(shapely.make_valid(piece[partly]), blade)
        out[cut] = piece
    return np.array([_of_dimension(s, d) for s, d in zip(out, dimension)], dtype=object)


def _of_dimension(shape: shapely.Geometry | None, dimension: int) -> shapely.Geometry | None:
    if shape is None or shape.is_empty:
        return None
    if shape.geom_type != "GeometryCollection":
        return shape if shapely.get_dimensions(shape) == dimension else None
    parts = [p for p in shapely.get_parts(shape) if shapely.get_dimensions(p) == dimension]
    return shapely.union_all(parts) if parts else None


def hand_over_vector(
    features: Features, order: VectorOrder, report: Callable[[float, str], None] = lambda share, step: None
) -> int:
    """Write a piece of a layer; returns how many features. Raises CannotWrite; `report` may stop it.

    Polygons cut into several pieces are written as multipolygons, so the layer keeps one type.
    """
    suffix, driver, _ = FORMATS[order.format]
    path = order.path if order.path.suffix.lower() == suffix else order.path.with_name(order.path.name + suffix)
    crs = "EPSG:4326" if order.format == "GeoJSON" else order.crs or features.crs
    report(0.02, "choosing rows")
    rows = np.arange(len(features)) if order.rows is None else np.asarray(order.rows, np.int64)
    try:
        wkb = features.wkb.take(pa.array(rows)).to_numpy(zero_copy_only=False)
        shapes = shapely.from_wkb(wkb, on_invalid="fix")  # such as a track of one point, or an open ring
    except GEOSException as error:
        raise CannotWrite(
            path, f"a geometry of the source is damaged ({error})", "Filter that row out first."
        ) from error
    if order.within is not None:
        placed = transform_extent(order.within, features.crs)
        box = shapely.union_all([shapely.box(*side.bounds) for side in sides_of(placed)]) if placed else shapely.Point()
        share = lambda s: report(0.05 + 0.3 * s, "cutting to the extent")  # noqa: E731
        shapes = cut_around(shapes, features.crs, lambda some: _cut(some, box, share))
    if order.clip is not None:
        wkb, blade_crs = order.clip
        blades = shapely.make_valid(
            _moved(shapely.from_wkb(wkb.to_numpy(zero_copy_only=False)), blade_crs, features.crs, path)
        )
        blade, share = shapely.union_all(blades), lambda s: report(0.35 + 0.3 * s, "cutting to the polygons")
        shapes = cut_around(shapes, features.crs, lambda some: _cut(some, blade, share))
    if order.within is not None or order.clip is not None:
        has_shape = np.array([s is not None for s in shapes], bool)
        rows, shapes = rows[has_shape], shapes[has_shape]
    if not len(rows):
        raise CannotWrite(path, "the choice leaves no feature", "Widen the extent, the rows or the polygons.")
    report(0.7, "changing the CRS")
    shapes = _moved(shapes, features.crs, crs, path)
    kinds = set(shapely.get_type_id(shapes).tolist()) - {NO_GEOMETRY}
    if len(kinds) > 1:
        multi = {0: shapely.multipoints, 1: shapely.multilinestrings, 3: shapely.multipolygons}
        shapes = np.array(
            [multi[t]([s]) if (t := shapely.get_type_id(s)) in multi else s for s in shapes], dtype=object
        )
    known = shapes[~shapely.is_missing(shapes)]
    geometry_type = known[0].geom_type if len({s.geom_type for s in known}) == 1 else "Unknown"
    if order.format == "Shapefile" and not len(known):
        raise CannotWrite(path, "a Shapefile needs a geometry, and none of these rows has one", "Choose GeoPackage.")
    if len(known) and shapely.has_z(known).all():
        geometry_type += " Z"
    names = list(order.fields if order.fields is not None else features.table.column_names)
    geometry = pa.array(shapely.to_wkb(shapes, flavor="iso", output_dimension=3), pa.binary())
    columns = [features.table.column(name).take(pa.array(rows)) for name in names]
    fields = [features.table.schema.field(name) for name in names]
    table = pa.Table.from_arrays([*columns, geometry], schema=pa.schema([*fields, pa.field("geometry", pa.binary())]))
    report(0.8, "writing")
    with written_beside(path) as beside:
        try:
            pyogrio.write_arrow(
                table,
                beside,
                driver=driver,
                layer=_layer_name(order.layer_name),
                geometry_name="geometry",
                geometry_type=geometry_type,
                crs=proj_crs(crs).to_wkt() if crs else None,
                **({"SPATIAL_INDEX": "NO"} if order.format == "FlatGeobuf" and len(known) < len(shapes) else {}),
            )
            report(0.95, "reading it back")
            check_written(beside, len(rows))
        except (RuntimeError, ValueError, OSError, pyogrio.errors.DataSourceError) as error:
            raise reason_of(error, path) from error
        report(0.97, "moving into place")
    return len(rows)


def check_written(path: Path, count: int) -> None:
    """Raise OSError for a file that does not have all features that were written."""
    found = pyogrio.read_info(path, force_feature_count=True)["features"]
    if found != count:
        raise OSError(f"of {count:,} features {found:,} were written")


def _layer_name(name: str) -> str:
    """Return a layer's name as every format can have it."""
    plain = re.sub(r"[^\w .()+-]+", "_", name).strip(" -.")
    return plain or "layer"
