"""Geometry in degrees that was stored with a jump across 180, as a shape in one piece.

A step of more than half the way around is taken the short way, as on the map (`paths.unrolled`). Rings that go around a
pole do not close then, and stay as they are stored.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely

from .crs import is_geographic

AROUND, HALF = 360.0, 180.0  # degrees
WORLDS = (-1, 0, 1)


def in_one_piece(shapes: np.ndarray, crs: str | None) -> tuple[np.ndarray, np.ndarray]:
    """Return geometries with those that jump across 180 unrolled, and which these are, (n,) bool. Others are the same
    objects; nothing is done in a projected CRS."""
    none = np.zeros(len(shapes), bool)
    if crs is None or not is_geographic(crs) or not len(shapes):
        return shapes, none
    bounds = shapely.bounds(shapes)
    wide = bounds[:, 2] - bounds[:, 0] > HALF
    if not wide.any():
        return shapes, none
    made, jumping = shapes.copy(), none.copy()
    for at in np.flatnonzero(wide).tolist():
        shape = _unrolled(shapes[at])
        if shape is not None:
            made[at], jumping[at] = shape, True
    return made, jumping


def _unrolled(shape: shapely.Geometry) -> shapely.Geometry | None:
    """Return a geometry in one piece; None where no step of it is that long, or it goes around a pole."""
    coordinates, starts = shapely.get_coordinates(shape), _runs(shape)
    jumps = np.abs(np.diff(coordinates[:, 0])) > HALF
    inner = starts[1:-1]
    jumps[inner - 1] = False  # from one run to the next
    if not jumps.any():
        return None
    lon = coordinates[:, 0].copy()
    for first, last in zip(starts[:-1].tolist(), starts[1:].tolist()):
        lon[first:last] = np.unwrap(lon[first:last], period=AROUND)
    if shapely.get_dimensions(shape) == 2:
        if not np.allclose(lon[starts[:-1]], lon[starts[1:] - 1]):
            return None
        lon[starts[1:] - 1] = lon[starts[:-1]]  # closed to the last bit
    _gather_rings(shape, lon, starts)
    return shapely.transform(shape, lambda xyz: np.column_stack([lon, xyz[:, 1:]]), include_z=bool(shape.has_z))


def _runs(shape: shapely.Geometry) -> np.ndarray:
    """Return where each ring, line or point of a geometry begins among its coordinates, and their number."""
    parts = shapely.get_parts(shape)
    rings = [r for part in parts for r in (shapely.get_rings(part) if part.geom_type == "Polygon" else [part])]
    return np.concatenate([[0], np.cumsum(shapely.get_num_coordinates(np.array(rings, dtype=object)))])


def _gather_rings(shape: shapely.Geometry, lon: np.ndarray, starts: np.ndarray) -> None:
    """Move the holes of each polygon by whole turns to where its shell lies."""
    at = 0
    for part in shapely.get_parts(shape):
        if part.geom_type != "Polygon":
            at += 1
            continue
        shell = lon[starts[at] : starts[at + 1]].mean()
        for ring in range(at + 1, at + 1 + shapely.get_num_interior_rings(part)):
            own = lon[starts[ring] : starts[ring + 1]]
            own += AROUND * np.round((shell - own.mean()) / AROUND)
        at += 1 + shapely.get_num_interior_rings(part)


def cut_around(shapes: np.ndarray, crs: str | None, cut: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """Return what a cut leaves of geometries, those that jump across 180 taken in one piece in each world.

    cut : returns the parts inside a blade, None for nothing; it is asked for every shape where it lies from -180 to 180
    """
    whole, jumping = in_one_piece(shapes, crs)
    if not jumping.any():
        return cut(shapes)
    out = shapes.copy()
    out[~jumping] = cut(shapes[~jumping])
    window = shapely.box(-HALF, -90.0, HALF, 90.0)
    pieces = []
    for world in WORLDS:
        step = np.array([AROUND * world, 0.0, 0.0])
        there = shapely.transform(
            whole[jumping],
            lambda xyz: xyz - step[: xyz.shape[1]],  # noqa: B023
            include_z=None,
        )
        pieces.append(cut(shapely.intersection(there, window)))
    out[jumping] = [_together(parts) for parts in zip(*pieces)]
    return out


def _together(parts: tuple[shapely.Geometry | None, ...]) -> shapely.Geometry | None:
    known = [part for part in parts if part is not None and not part.is_empty]
    return shapely.union_all(known) if known else None
