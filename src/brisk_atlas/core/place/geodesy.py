"""Lengths, areas and bearings on the ellipsoid and in the plane.

Source: C. F. F. Karney (2013), "Algorithms for geodesics", J. Geodesy 87, as pyproj carries it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import atan2, degrees
from typing import NamedTuple

import numpy as np
import pyproj

from .crs import proj_crs, transform

CHECK_EVERY = 500  # rings between two looks at whether to stop
SHORT_STEP = 0.005  # degrees, up to which the formula for short steps is exact to a micrometre


class Leg(NamedTuple):
    """From one position to the next. Bearings are degrees clockwise: `azimuth` from true north at the
    start, `grid_bearing` from the plane's y axis; NaN where the CRS has no plane or no place on Earth."""

    on_ellipsoid: float
    azimuth: float
    in_plane: float
    grid_bearing: float


@lru_cache(64)
def geod_of(crs: str) -> pyproj.Geod:
    """Return the ellipsoid of a CRS."""
    geod = proj_crs(crs).get_geod()
    return geod if geod is not None else pyproj.Geod(ellps="WGS84")


@lru_cache(64)
def _geodetic(crs: str) -> str:
    """Return the longitude/latitude CRS that a CRS stands on."""
    own = proj_crs(crs).geodetic_crs
    return own.to_wkt() if own is not None else "EPSG:4326"


def on_ellipsoid(xy: np.ndarray, crs: str) -> np.ndarray:
    """Return (n, 2) longitude and latitude, degrees, on the CRS's own ellipsoid; NaN where there is none."""
    return transform(xy, crs, _geodetic(crs))


def has_plane(crs: str | None) -> bool:
    """Return whether coordinates are lengths in a plane."""
    return crs is None or not proj_crs(crs).is_geographic


def legs(xy: np.ndarray, crs: str | None) -> list[Leg]:
    """Return the legs along (n, 2) positions. Lengths on the ellipsoid are metres, in the plane CRS units."""
    step = np.diff(xy, axis=0)
    plane = np.hypot(step[:, 0], step[:, 1])
    grid = [degrees(atan2(dx, dy)) % 360 if dx or dy else float("nan") for dx, dy in step.tolist()]
    if not has_plane(crs):
        plane, grid = np.full(len(step), np.nan), [float("nan")] * len(step)
    if crs is None:
        return [Leg(float("nan"), float("nan"), p, g) for p, g in zip(plane.tolist(), grid)]
    lonlat = on_ellipsoid(xy, crs)
    lon, lat = lonlat[:, 0], lonlat[:, 1]
    azimuth, _, metres = geod_of(crs).inv(lon[:-1], lat[:-1], lon[1:], lat[1:])
    return [
        Leg(m, a % 360 if m > 0 else float("nan"), p, g)
        for m, a, p, g in zip(np.atleast_1d(metres).tolist(), np.atleast_1d(azimuth).tolist(), plane.tolist(), grid)
    ]


def step_lengths(lonlat: np.ndarray, crs: str) -> np.ndarray:
    """Return (n - 1,) metres on the ellipsoid of a CRS between (n, 2) longitudes and latitudes in turn.

    Short steps by the mid-latitude formula of Gauss (Rapp, R.H. (1991), "Geometric Geodesy", part I, section 4.4), a
    fifth of the time of the geodesic, which all others are.
    """
    geod = geod_of(crs)
    step = np.diff(lonlat, axis=0)
    middle = np.radians(lonlat[1:, 1] - step[:, 1] / 2)
    bend = 1 - geod.es * np.sin(middle) ** 2
    across = geod.a / np.sqrt(bend)
    east = across * np.cos(middle) * np.radians(step[:, 0])
    lengths = np.hypot(east, across * (1 - geod.es) / bend * np.radians(step[:, 1]))
    long = np.flatnonzero(~(np.abs(step) <= SHORT_STEP).all(axis=1))
    if long.size:
        start, end = lonlat[long], lonlat[long + 1]
        lengths[long] = geod.inv(start[:, 0], start[:, 1], end[:, 0], end[:, 1])[2]
    return lengths


def ring_area(xy: np.ndarray, crs: str) -> float:
    """Return the area on the ellipsoid, m², of a ring of (n, 2) positions; the smaller side of it."""
    lonlat = on_ellipsoid(xy, crs)
    area, _ = geod_of(crs).polygon_area_perimeter(lonlat[:, 0], lonlat[:, 1])
    return abs(area)


def row_areas(edges: np.ndarray, width: float, crs: str) -> np.ndarray:
    """Return (rows,) areas on the ellipsoid, m², of cells `width` degrees of longitude wide.

    edges : (rows + 1,) latitudes between which the rows lie, degrees
    crs : a geographic one

    Source: the area between two parallels, Snyder, J.P. (1987), "Map projections: a working manual", equation 3-12.
    """
    geod = geod_of(crs)
    sine = np.sin(np.radians(np.clip(edges, -90.0, 90.0)))
    if geod.es < 1e-12:
        below = 2 * sine
    else:
        e = np.sqrt(geod.es)
        below = (1 - geod.es) * (sine / (1 - geod.es * sine**2) + np.arctanh(e * sine) / e)
    return np.abs(np.diff(below)) * geod.a**2 / 2 * np.radians(width)


def plane_area(xy: np.ndarray) -> float:
    """Return the area of a ring in the plane, CRS units squared. Shoelace formula."""
    x, y = xy[:, 0] - xy[0, 0], xy[:, 1] - xy[0, 1]
    return abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) / 2


def lengths_on_ellipsoid(xy: np.ndarray, path_starts: np.ndarray, crs: str) -> np.ndarray:
    """Return (paths,) metres along each path of flat coordinates."""
    out = np.zeros(len(path_starts) - 1)
    if len(xy) < 2:
        return out
    lonlat = on_ellipsoid(xy, crs)
    metres = step_lengths(lonlat, crs)
    along = np.concatenate([[0.0], np.cumsum(np.where(_starts_path(path_starts, len(xy)), 0.0, metres))])
    some = path_starts[1:] > path_starts[:-1]
    out[some] = along[path_starts[1:][some] - 1] - along[path_starts[:-1][some]]
    return out


def _starts_path(path_starts: np.ndarray, count: int) -> np.ndarray:
    """Return (vertices - 1,) bool: whether a step leads from one path's end to the next's begin."""
    jumps = np.zeros(count - 1, bool)
    inner = path_starts[(path_starts > 0) & (path_starts < count)]
    jumps[inner - 1] = True
    return jumps


def ring_areas_on_ellipsoid(
    xy: np.ndarray, starts: np.ndarray, crs: str, check: Callable[[], None] = lambda: None
) -> np.ndarray:
    """Return (rings,) m² of rings in flat coordinates. `check` is called often and may raise to stop."""
    lonlat = on_ellipsoid(xy, crs)
    lon, lat, geod = np.ascontiguousarray(lonlat[:, 0]), np.ascontiguousarray(lonlat[:, 1]), geod_of(crs)
    out = np.zeros(len(starts) - 1)
    for ring, (a, b) in enumerate(zip(starts[:-1].tolist(), starts[1:].tolist())):
        if ring % CHECK_EVERY == 0:
            check()
        if b - a >= 3:
            out[ring] = abs(geod.polygon_area_perimeter(lon[a:b], lat[a:b])[0])
    return out
