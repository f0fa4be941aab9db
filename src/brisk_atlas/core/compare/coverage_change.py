"""From which class to which, of two layers of polygons that cover a land."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place.geodesy import ring_areas_on_ellipsoid

from .class_change import MOST_CLASSES, ClassMatrix
from .shape_change import in_crs_of

UNKNOWN = "no value"


def coverage_matrix(
    a: Features, b: Features, fields: tuple[str, str], check: Callable[[float], None] = lambda share: None
) -> ClassMatrix:
    """Return the area on the ellipsoid of every class of A that has each class in B, where polygons of both lie.

    `fields` are those of A and B that hold the classes. Raises AtlasError where there are too many, or no overlap.
    """
    if a.crs is None:
        raise AtlasError("side A", "it states no CRS, and areas need one", "State its CRS when opening it.")
    b = in_crs_of(b, a.crs)
    sides = [_polygons(each) for each in (a, b)]
    names = [_classes(each, field) for each, field in zip((a, b), fields)]
    check(0.2)
    tree = shapely.STRtree(sides[1])
    first, second = tree.query(sides[0], predicate="intersects")
    pieces = shapely.intersection(sides[0][first], sides[1][second])
    check(0.7)
    areas = _areas(pieces, a.crs)
    inside = areas > 0
    if not inside.any():
        raise AtlasError("these layers", "no polygon of one lies over one of the other", "Choose layers of one place.")
    one, two = names[0][first[inside]], names[1][second[inside]]
    classes = tuple(sorted({*one.tolist(), *two.tolist()}))
    if len(classes) > MOST_CLASSES:
        raise AtlasError("these layers", f"their fields have {len(classes):,} different values",
                         "Choose fields that hold classes.")  # fmt: skip
    place = {name: at for at, name in enumerate(classes)}
    codes = np.array([place[x] * len(classes) + place[y] for x, y in zip(one.tolist(), two.tolist())])
    size = len(classes) ** 2
    shape = len(classes), len(classes)
    return ClassMatrix(
        classes,
        np.bincount(codes, areas[inside], size).reshape(shape),
        np.bincount(codes, minlength=size).reshape(shape),
        {},
    )


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
        raise AtlasError("a layer", "it has no polygons", "Choose layers of polygons.")
    return np.asarray(shapely.make_valid(found))


def _classes(features: Features, field: str) -> np.ndarray:
    """Return (n,) text of a field."""
    if field not in features.table.column_names:
        raise AtlasError("a layer", f"it has no field {field}", f"It has {', '.join(features.table.column_names)}.")
    column = features.table.column(field).cast(pa.string()).fill_null(UNKNOWN)
    return np.asarray(column.to_numpy(), object)
