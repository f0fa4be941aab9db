"""Which of matched features changed their shape, and how far."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely

from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import is_geographic, measured_metres, same_crs, transform

SEMI_MAJOR_M, FLATTENING = 6_378_137.0, 1 / 298.257223563  # WGS 84
DEGREE = np.pi / 180


def in_crs_of(features: Features, crs: str | None) -> Features:
    """Return features with their exact geometry and bounds in another CRS; as they are where either is unknown."""
    if crs is None or features.crs is None or same_crs(features.crs, crs):
        return features
    from brisk_atlas.core.read.wkb import exact_shapes

    own = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
    placed = shapely.transform(own, lambda xy: transform(xy, features.crs, crs))
    wkb, shapes = exact_shapes(pa.array(shapely.to_wkb(placed, byte_order=1, flavor="iso"), pa.binary()))
    return Features(features.table, wkb, shapes, crs)


def shape_changes(a: Features, b: Features, pairs: np.ndarray, tolerance_m: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (pairs,) bool of those whose shapes differ by more than a tolerance, and (pairs,) float64 by how much,
    metres; 0 where they do not, NaN where one of them has no shape.

    The distance is the largest from a vertex of either shape to the other shape (discrete Hausdorff distance), or a
    difference of height if that is larger. Where a ring begins and which way it runs is no difference. In degrees, east
    and north are scaled by the radii of curvature of the WGS 84 ellipsoid at the middle of each feature. Both must be
    in one CRS, or have none, in which case units are taken for metres.
    """
    rows = pa.array(pairs[:, 0]), pa.array(pairs[:, 1])
    wkb = a.wkb.take(rows[0]), b.wkb.take(rows[1])
    changed = np.zeros(len(pairs), bool)
    distance = np.zeros(len(pairs))
    empty = [np.asarray(pc.is_null(each)) for each in wkb]
    unlike = np.flatnonzero(np.asarray(pc.fill_null(pc.not_equal(*wkb), True)) & ~(empty[0] & empty[1]))
    if not len(unlike):
        return changed, distance
    first, second = (
        shapely.from_wkb(each.take(pa.array(unlike)).to_numpy(zero_copy_only=False), on_invalid="ignore")
        for each in wkb
    )
    none = shapely.is_missing(first) | shapely.is_empty(first), shapely.is_missing(second) | shapely.is_empty(second)
    known = ~none[0] & ~none[1]
    off = np.full(len(unlike), np.nan)
    off[known] = _distances(first[known], second[known], a.crs)
    differs = np.where(known, off > tolerance_m, none[0] != none[1])
    differs |= known & (shapely.get_dimensions(first) != shapely.get_dimensions(second))  # an area became a line
    changed[unlike] = differs
    distance[unlike] = np.where(differs, off, 0.0)
    return changed, distance


def _distances(a: np.ndarray, b: np.ndarray, crs: str | None) -> np.ndarray:
    """Return (shapes,) how far shapes are apart, metres."""
    if crs is not None and is_geographic(crs):
        bounds = shapely.bounds(a)
        middle = (bounds[:, 1] + bounds[:, 3]) / 2 * DEGREE
        a, b = _in_metres(a, middle), _in_metres(b, middle)
        scale = 1.0
    else:
        bounds = shapely.total_bounds(a)
        middle = (float(bounds[0] + bounds[2]) / 2, float(bounds[1] + bounds[3]) / 2)
        scale = measured_metres(crs, *middle)[0] if np.isfinite(middle).all() else 1.0
    apart = shapely.hausdorff_distance(shapely.force_2d(a), shapely.force_2d(b)) * scale
    height = np.zeros(len(a))
    deep = np.flatnonzero(shapely.has_z(a) & shapely.has_z(b))
    for k in deep:  # only shapes that are stored otherwise come here
        z = [shapely.get_coordinates(shapely.normalize(each[k]), include_z=True)[:, 2] for each in (a, b)]
        if len(z[0]) == len(z[1]):
            height[k] = np.nanmax(np.abs(z[0] - z[1]), initial=0.0)
    return np.maximum(apart, height)


def _in_metres(shapes: np.ndarray, latitude: np.ndarray) -> np.ndarray:
    """Return shapes in degrees as shapes in metres near a latitude each, radians.

    Source: radii of curvature in the prime vertical and in the meridian, Snyder, J.P. (1987), "Map projections: a
    working manual", equations 4-18 to 4-20.
    """
    squared = FLATTENING * (2 - FLATTENING)
    bent = 1 - squared * np.sin(latitude) ** 2
    east = SEMI_MAJOR_M / np.sqrt(bent) * np.cos(latitude) * DEGREE
    north = SEMI_MAJOR_M * (1 - squared) / bent**1.5 * DEGREE
    of = np.repeat(np.arange(len(shapes)), shapely.get_num_coordinates(shapes))
    flat = shapely.get_coordinates(shapes, include_z=True)
    flat[:, 0] *= east[of]
    flat[:, 1] *= north[of]
    with_z = shapely.has_z(shapes)
    out = shapes.copy()
    for mask, width in ((with_z, 3), (~with_z, 2)):
        if mask.any():
            out[mask] = shapely.set_coordinates(shapes[mask].copy(), flat[mask[of], :width])
    return out
