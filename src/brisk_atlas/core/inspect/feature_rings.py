"""The lines that a geometry is drawn by, one at a time: taken apart for a hand that moves corners, and put back."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely


class Ring(NamedTuple):
    """A line of a geometry: its (n, 2) corners, without the last one again where it is closed."""

    xy: np.ndarray
    closed: bool


def rings_of(shape: shapely.Geometry) -> list[Ring]:
    """Return the lines of a geometry: each point, line, outline and hole."""
    found = []
    for part in shapely.get_parts(shape).tolist():
        if part.geom_type == "Polygon":
            found += [Ring(shapely.get_coordinates(each)[:-1], True) for each in shapely.get_rings(part).tolist()]
        elif not part.is_empty:
            found.append(Ring(shapely.get_coordinates(part), False))
    return found


def with_ring(shape: shapely.Geometry, number: int, xy: np.ndarray) -> shapely.Geometry:
    """Return a geometry with other corners in one of its lines. The holes of an outline that was moved as a whole move
    with it. Corners have the height of the nearest one that was there before."""
    parts = [part for part in shapely.get_parts(shape).tolist() if not part.is_empty]
    made, at = [], 0
    for part in parts:
        rings = shapely.get_rings(part).tolist() if part.geom_type == "Polygon" else [part]
        mine = number - at
        at += len(rings)
        made.append(_with(part, rings, mine, xy) if 0 <= mine < len(rings) else part)
    if not shape.geom_type.startswith(("Multi", "Geometry")):
        return made[0]
    return _collected(shape.geom_type, made)


def _with(part: shapely.Geometry, rings: list[shapely.Geometry], mine: int, xy: np.ndarray) -> shapely.Geometry:
    if part.geom_type != "Polygon":
        placed = _placed(part, xy)
        return shapely.Point(placed[0]) if part.geom_type == "Point" else shapely.LineString(placed)
    old = shapely.get_coordinates(rings[mine])[:-1]
    if mine == 0 and len(old) == len(xy):
        moved = xy - old
        if np.ptp(moved, axis=0).max() <= 1e-9 * max(1.0, np.abs(old).max()):
            by = moved.mean(axis=0)
            return shapely.transform(part, lambda all_xy: all_xy + by)
    lines = [_placed(ring, xy) if n == mine else shapely.get_coordinates(ring, include_z=part.has_z)
             for n, ring in enumerate(rings)]  # fmt: skip
    return shapely.Polygon(lines[0], lines[1:])


def _placed(line: shapely.Geometry, xy: np.ndarray) -> np.ndarray:
    if not line.has_z:
        return xy
    old = shapely.get_coordinates(line, include_z=True)
    nearest = ((xy[:, None] - old[None, :, :2]) ** 2).sum(axis=2).argmin(axis=1)
    return np.column_stack([xy, old[nearest, 2]])


def _collected(kind: str, parts: list[shapely.Geometry]) -> shapely.Geometry:
    makers = {"MultiPoint": shapely.multipoints, "MultiLineString": shapely.multilinestrings,
              "MultiPolygon": shapely.multipolygons}  # fmt: skip
    return makers.get(kind, shapely.geometrycollections)(parts)


def new_feature(kind: str, xy: np.ndarray, geometry_type: str) -> shapely.Geometry:
    """Return a geometry of corners that were drawn as a point, a line or an area, of the type that a layer has."""
    plain = geometry_type.removesuffix(" Z")
    shape = {"point": lambda: shapely.Point(xy[0]), "line": lambda: shapely.LineString(xy)}.get(
        kind, lambda: shapely.Polygon(xy)
    )()
    if plain.startswith("Multi"):
        shape = _collected(plain, [shape])
    return shapely.force_3d(shape) if geometry_type.endswith(" Z") else shape
