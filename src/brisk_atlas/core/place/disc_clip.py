"""What lies within a distance of a centre, of paths in degrees: the part that an azimuthal map shows."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.model.shapes import AREA

from .domain import Domain, angle_from
from .paths import Paths, clipped_paths, unrolled

CIRCLE_STEP_DEG = 1.0  # between places along the rim, and at most between vertices of what it cuts
OFF_POLE_DEG = 1e-7


def in_disc(paths: Paths, domain: Domain) -> Paths:
    """Return what lies within a distance of the centre; areas follow the rim where they leave it."""
    paths = _divided(paths)
    inside = domain.radius - angle_from(paths.xyz[:, :2], domain.centre)
    areas = paths.kinds == AREA
    if not areas.any():
        return clipped_paths(paths, inside)
    low = np.minimum.reduceat(inside, paths.starts[:-1])
    high = np.maximum.reduceat(inside, paths.starts[:-1])
    found = [paths.only(low >= 0)]
    for i in np.flatnonzero((low < 0) & (high >= 0)).tolist():  # a few: what crosses the rim
        run = slice(paths.starts[i], paths.starts[i + 1])
        ring = _within_rim(paths.xyz[run], inside[run], domain)
        starts = np.array([0, len(ring)], np.int64)
        found.append(Paths(ring, starts, paths.kinds[i : i + 1], paths.features[i : i + 1]))
    antipode = domain.centre[0] + 180.0, -domain.centre[1]
    around = np.concatenate([_holding(paths.only(high >= 0), antipode), _holding(paths.only(high < 0), domain.centre)])
    if around.size:
        found.append(_rims(around, domain))
    return unrolled(Paths.joined(found), planar=False)


def _within_rim(ring: np.ndarray, inside: np.ndarray, domain: Domain) -> np.ndarray:
    """Return the part of a closed ring (n, 3) in a disc; where it is outside, the rim is followed as it turns there."""
    first = int(np.argmax(inside >= 0))
    ring = np.roll(ring[:-1], -first, axis=0)
    ring, inside = np.vstack([ring, ring[:1]]), np.append(np.roll(inside[:-1], -first), inside[first])
    bearings = _bearings(ring, domain.centre)
    turned = np.concatenate([[0.0], np.cumsum((np.diff(bearings) + 180.0) % 360.0 - 180.0)])
    is_in = inside >= 0
    at = np.flatnonzero(is_in[1:] != is_in[:-1])
    share = (inside[at] / (inside[at] - inside[at + 1]))[:, None]
    edges = ring[at] + (ring[at + 1] - ring[at]) * share
    pieces, begin = [], 0
    for leaves, comes in zip(range(0, len(at), 2), range(1, len(at), 2)):
        pieces += [ring[begin : at[leaves] + 1], edges[leaves : leaves + 1]]
        a, b = _bearings(edges[[leaves, comes]], domain.centre)
        rough = turned[at[comes] + 1] - turned[at[leaves]]
        turn = b - a + 360.0 * round((rough - (b - a)) / 360.0)
        count = int(abs(turn) / CIRCLE_STEP_DEG)
        arc = _at_bearing(a + turn * np.arange(1, count + 1) / (count + 1), domain)
        pieces += [np.column_stack([arc, np.full(count, edges[leaves, 2])]), edges[comes : comes + 1]]
        begin = at[comes] + 1
    return np.concatenate([*pieces, ring[begin:]])


def _divided(paths: Paths) -> Paths:
    """Return paths with no edge longer than a degree, so that a circle cuts them where it should."""
    steps = np.zeros(len(paths.xyz))
    steps[:-1] = np.abs(np.diff(paths.xyz[:, :2], axis=0)).max(axis=1)
    steps[paths.starts[1:] - 1] = 0.0
    parts = np.maximum(np.ceil(steps / CIRCLE_STEP_DEG), 1).astype(np.int64)
    of = np.repeat(np.arange(len(parts)), parts)
    begin = np.concatenate([[0], np.cumsum(parts)])
    share = (np.arange(len(of)) - begin[of]) / parts[of]
    step = np.where((share > 0)[:, None], paths.xyz[np.minimum(of + 1, len(paths.xyz) - 1)] - paths.xyz[of], 0.0)
    return replace(paths, xyz=paths.xyz[of] + step * share[:, None], starts=begin[paths.starts])


def _holding(rings: Paths, place: tuple[float, float]) -> np.ndarray:
    """Return the feature of each ring that holds a place, in degrees (even-odd rule)."""
    lon, lat = place[0], min(max(place[1], -90.0 + OFF_POLE_DEG), 90.0 - OFF_POLE_DEG)
    if not len(rings.kinds):
        return rings.features
    low = np.minimum.reduceat(rings.xyz[:, 1], rings.starts[:-1])
    high = np.maximum.reduceat(rings.xyz[:, 1], rings.starts[:-1])
    found = []
    for i in np.flatnonzero((low < lat) & (high > lat)).tolist():
        xy = rings.xyz[rings.starts[i] : rings.starts[i + 1], :2]
        x0, y0, x1, y1 = xy[:-1, 0], xy[:-1, 1], xy[1:, 0], xy[1:, 1]
        across = (y0 > lat) != (y1 > lat)
        meets = x0[across] + (lat - y0[across]) * (x1 - x0)[across] / (y1 - y0)[across]
        turns = range(int(np.floor((xy[:, 0].min() - lon) / 360)), int(np.ceil((xy[:, 0].max() - lon) / 360)) + 1)
        if any(int((meets > lon + 360 * k).sum()) % 2 for k in turns):
            found.append(rings.features[i])
    return np.array(found, np.int64)


def _rims(features: np.ndarray, domain: Domain) -> Paths:
    """Return the rim of the map as an area of each feature."""
    around = _at_bearing(np.linspace(0.0, 360.0, 361), domain)
    ring = np.column_stack([around, np.full(len(around), np.nan)])
    count = len(features)
    starts = np.arange(count + 1, dtype=np.int64) * len(ring)
    return Paths(np.tile(ring, (count, 1)), starts, np.full(count, AREA, np.uint8), features)


def _bearings(places: np.ndarray, centre: tuple[float, float]) -> np.ndarray:
    """Return (n,) directions of places (n, 2 or more) from the centre on the sphere, degrees from north."""
    lon, lat, lat0 = np.radians(places[:, 0] - centre[0]), np.radians(places[:, 1]), np.radians(centre[1])
    north = np.cos(lat0) * np.sin(lat) - np.sin(lat0) * np.cos(lat) * np.cos(lon)
    return np.degrees(np.arctan2(np.sin(lon) * np.cos(lat), north))


def _at_bearing(bearings: np.ndarray, domain: Domain) -> np.ndarray:
    """Return (n, 2) places on the rim of a disc, by their direction from the centre."""
    a, r, lat0 = np.radians(bearings), np.radians(domain.radius), np.radians(domain.centre[1])
    sin_lat = np.clip(np.sin(lat0) * np.cos(r) + np.cos(lat0) * np.sin(r) * np.cos(a), -1.0, 1.0)
    lon = np.arctan2(np.sin(a) * np.sin(r), np.cos(lat0) * np.cos(r) - np.sin(lat0) * np.sin(r) * np.cos(a))
    return np.column_stack([domain.centre[0] + np.degrees(lon), np.degrees(np.arcsin(sin_lat))])
