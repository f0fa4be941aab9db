"""From which class to which, of two layers of polygons that cover a land."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyogrio
import shapely

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.place.geodesy import ring_areas_on_ellipsoid
from brisk_atlas.core.system.atomic_write import written_beside

from .class_change import MOST_CLASSES, ClassMatrix
from .shape_change import in_crs_of

UNKNOWN = "no value"


def coverage_matrix(
    a: Features, b: Features, fields: tuple[str, str], check: Callable[[float], None] = lambda share: None
) -> ClassMatrix:
    """Return the area on the ellipsoid of every class of A that has each class in B, where polygons of both lie.

    `fields` are those of A and B that hold the classes. Raises AtlasError where there are too many, or no overlap.
    """
    pieces = _pieces(a, b, fields, check)
    one, two, areas = pieces.before, pieces.after, pieces.areas
    classes = tuple(sorted({*one.tolist(), *two.tolist()}))
    if len(classes) > MOST_CLASSES:
        raise AtlasError(tr("these layers"), tr("their fields have {count:,} different values", count=len(classes)),
                         tr("Choose fields that hold classes."))  # fmt: skip
    place = {name: at for at, name in enumerate(classes)}
    codes = np.array([place[x] * len(classes) + place[y] for x, y in zip(one.tolist(), two.tolist())])
    size = len(classes) ** 2
    shape = len(classes), len(classes)
    return ClassMatrix(
        classes, np.bincount(codes, areas, size).reshape(shape), np.bincount(codes, minlength=size).reshape(shape), {}
    )


class CoveragePieces(NamedTuple):
    """What polygons of A and of B have in common: (n,) shapes, their classes on both sides, and m²."""

    shapes: np.ndarray
    before: np.ndarray
    after: np.ndarray
    areas: np.ndarray
    crs: str


def _pieces(
    a: Features, b: Features, fields: tuple[str, str], check: Callable[[float], None] = lambda share: None
) -> CoveragePieces:
    """Return what lies in a polygon of both. Raises AtlasError where nothing does, or a CRS is missing."""
    if a.crs is None:
        raise AtlasError(tr("side A"), tr("it states no CRS, and areas need one"), tr("State its CRS when opening it."))
    b = in_crs_of(b, a.crs)
    sides = [_polygons(each) for each in (a, b)]
    names = [_classes(each, field) for each, field in zip((a, b), fields)]
    check(0.2)
    first, second = shapely.STRtree(sides[1]).query(sides[0], predicate="intersects")
    shapes = shapely.intersection(sides[0][first], sides[1][second])
    check(0.7)
    areas = _areas(shapes, a.crs)
    inside = areas > 0
    if not inside.any():
        raise AtlasError(
            tr("these layers"), tr("no polygon of one lies over one of the other"), tr("Choose layers of one place.")
        )
    return CoveragePieces(shapes[inside], names[0][first[inside]], names[1][second[inside]], areas[inside], a.crs)


def write_pieces(a: Features, b: Features, fields: tuple[str, str], pair: tuple[str, str], path: Path) -> int:
    """Write where one class of A became another of B as polygons to a GeoPackage; returns how many.

    Raises AtlasError.
    """
    found = _pieces(a, b, fields)
    here = (found.before == pair[0]) & (found.after == pair[1])
    parts, of = shapely.get_parts(found.shapes[here], return_index=True)
    polygons = shapely.get_dimensions(parts) == 2
    parts, of = parts[polygons], of[polygons]
    shapes = shapely.multipolygons(parts, indices=np.arange(len(parts)))
    table = pa.table({
        "before": found.before[here][of].astype(str), "after": found.after[here][of].astype(str),
        "area_m2": _areas(parts, found.crs), "geometry": shapely.to_wkb(shapes),
    })  # fmt: skip
    with written_beside(path) as beside:
        pyogrio.write_arrow(
            table, beside, driver="GPKG", layer=path.stem, geometry_name="geometry", geometry_type="MultiPolygon",
            crs=proj_crs(found.crs).to_wkt(),
        )  # fmt: skip
    return len(parts)


def _areas(shapes: np.ndarray, crs: str) -> np.ndarray:
    """Return (n,) m² on the ellipsoid of the polygons in shapes; holes do not count."""
    parts, of_shape = shapely.get_parts(shapes, return_index=True)
    parts, of_part = shapely.get_parts(parts, return_index=True)  # polygons of several within a collection
    of_shape = of_shape[of_part]
    rings, of_polygon = shapely.get_rings(parts, return_index=True)
    xy, of_ring = shapely.get_coordinates(rings, return_index=True)
    if not len(rings):
        return np.zeros(len(shapes))
    areas = ring_areas_on_ellipsoid(xy, np.searchsorted(of_ring, np.arange(len(rings) + 1)), crs)
    outer = np.concatenate([[True], of_polygon[1:] != of_polygon[:-1]])
    return np.bincount(of_shape[of_polygon], np.where(outer, areas, -areas), len(shapes))


def _polygons(features: Features) -> np.ndarray:
    """Return (n,) valid polygons."""
    found = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
    if not (shapely.get_dimensions(found[~shapely.is_missing(found)]) == 2).any():
        raise AtlasError(tr("a layer"), tr("it has no polygons"), tr("Choose layers of polygons."))
    return np.asarray(shapely.make_valid(found))


def _classes(features: Features, field: str) -> np.ndarray:
    """Return (n,) text of a field."""
    if field not in features.table.column_names:
        raise AtlasError(
            tr("a layer"),
            tr("it has no field {field}", field=field),
            tr("It has {column_names}.", column_names=", ".join(features.table.column_names)),
        )
    column = features.table.column(field).cast(pa.string()).fill_null(UNKNOWN)
    return np.asarray(column.to_numpy(), object)
