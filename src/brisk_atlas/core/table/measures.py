"""Measures of geometry as columns: areas, lengths, centroids."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.model import BadExpression, CannotPlace
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import LINE, POLYGON, Features
from brisk_atlas.core.place import is_geographic, proj_crs, transform
from brisk_atlas.core.place.geodesy import lengths_on_ellipsoid, ring_areas_on_ellipsoid
from brisk_atlas.core.place.unrolling import in_one_piece


def measure(
    features: Features, name: str, crs: str | None = None, check: Callable[[], None] = lambda: None
) -> np.ndarray:
    """Return (features,) float64 of a measure by its name; NaN where there is no geometry, or none of
    that dimension. `crs` is that of a centroid. Raises BadExpression."""
    shapes = features.shapes
    if name == "vertices":
        return np.diff(shapes.path_starts[shapes.feature_starts]).astype(float)
    if name.startswith("centroid"):
        return _centroids(features, crs)[:, 0 if name.endswith("_x") else 1]
    if name.endswith("_ellipsoid") and features.crs is None:
        raise BadExpression(
            f"{name}()", tr("the layer has no CRS, so it has no ellipsoid"), tr("Give it a CRS when it is opened.")
        )
    if name.startswith("length"):
        if name == "length_ellipsoid":
            assert features.crs is not None
            along = lengths_on_ellipsoid(shapes.xy, shapes.path_starts, features.crs)
        else:
            along = _plane_lengths(shapes.xy, shapes.path_starts, features.crs)
        return _summed(along, np.isin(shapes.path_kinds, (LINE, POLYGON)), shapes.feature_starts)
    shells, holes = _rings(features)
    out = np.full(len(features), np.nan)
    for rings, owner, sign in (shells, holes):
        sign_of = float(sign)
        xy, at = shapely.get_coordinates(rings, return_index=True)
        starts = np.searchsorted(at, np.arange(len(rings) + 1))
        if name == "area_ellipsoid":
            assert features.crs is not None
            areas = ring_areas_on_ellipsoid(xy, starts, features.crs, check)
        else:
            areas = shapely.area(shapely.polygons(rings)) if len(rings) else np.zeros(0)
        total = np.bincount(owner, areas, len(features)) * sign_of
        some = np.bincount(owner, minlength=len(features)) > 0
        out[some] = np.where(np.isnan(out[some]), 0.0, out[some]) + total[some]
    return out


def _rings(features: Features) -> tuple[tuple, tuple]:
    """Return (rings, feature of each, sign) of the shells and of the holes of all polygons."""
    shapes = geometries(features)
    parts, owner = shapely.get_parts(shapes, return_index=True)
    nested = np.isin(shapely.get_type_id(parts), (4, 5, 6, 7))  # collections within collections
    if nested.any():
        inner, of = shapely.get_parts(parts, return_index=True)
        parts, owner = inner, owner[of]
    solid = shapely.get_type_id(parts) == shapely.GeometryType.POLYGON
    parts, owner = parts[solid], owner[solid]
    rings, of = shapely.get_rings(parts, return_index=True)
    first = np.ones(len(rings), bool)
    first[1:] = of[1:] != of[:-1]
    return (rings[first], owner[of[first]], 1), (rings[~first], owner[of[~first]], -1)


def geometries(features: Features) -> np.ndarray:
    """Return the features' geometry as shapely objects, in one piece across 180 degrees; None where there is none or
    it is damaged."""
    raw = features.wkb.to_numpy(zero_copy_only=False)
    return in_one_piece(shapely.from_wkb(raw, on_invalid="ignore"), features.crs)[0]


def _plane_lengths(xy: np.ndarray, starts: np.ndarray, crs: str | None) -> np.ndarray:
    step = np.zeros(len(xy) + 1)
    if len(xy) > 1:
        dx, dy = np.diff(xy, axis=0).T
        if crs is not None and is_geographic(crs):
            dx = np.where(np.abs(dx) > 180.0, 360.0 - np.abs(dx), dx)  # across 180 degrees
        step[1:-1] = np.hypot(dx, dy)
    inner = starts[(starts > 0) & (starts < len(xy))]
    step[inner] = 0.0
    along = np.cumsum(step)
    out = np.zeros(len(starts) - 1)
    some = starts[1:] > starts[:-1]
    out[some] = along[starts[1:][some] - 1] - along[starts[:-1][some]]
    return out


def _summed(values: np.ndarray, counts: np.ndarray, feature_starts: np.ndarray) -> np.ndarray:
    """Return sums by feature of what counts among paths; NaN for features where nothing does."""
    owner = np.repeat(np.arange(len(feature_starts) - 1), np.diff(feature_starts))
    total = np.bincount(owner[counts], values[counts], len(feature_starts) - 1)
    some = np.bincount(owner[counts], minlength=len(feature_starts) - 1) > 0
    return np.where(some, total, np.nan)


def _centroids(features: Features, crs: str | None) -> np.ndarray:
    raw = features.wkb.to_numpy(zero_copy_only=False)
    try:
        shapes, across = in_one_piece(shapely.from_wkb(raw, on_invalid="ignore"), features.crs)
        middle = shapely.centroid(shapes)
    except GEOSException as error:
        raise BadExpression("centroid_x()", tr("the geometry can't be read ({error})", error=error)) from error
    xy = np.full((len(middle), 2), np.nan)
    some = ~(shapely.is_missing(middle) | shapely.is_empty(middle))
    xy[some] = np.column_stack([shapely.get_x(middle[some]), shapely.get_y(middle[some])])
    xy[across, 0] = (xy[across, 0] + 180.0) % 360.0 - 180.0
    if crs is None:
        return xy
    if features.crs is None:
        raise BadExpression(f"centroid_x('{crs}')", tr("the layer has no CRS"), tr("Give it one when it is opened."))
    try:
        proj_crs(crs)
    except CannotPlace as error:
        raise BadExpression(f"centroid_x('{crs}')", error.reason, error.remedy) from error
    known = np.isfinite(xy).all(axis=1)
    out = np.full_like(xy, np.nan)
    out[known] = transform(xy[known], features.crs, crs)
    return out
