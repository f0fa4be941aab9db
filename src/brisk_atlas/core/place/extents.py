"""Rectangles in another CRS, and around a world that repeats."""

from __future__ import annotations

from dataclasses import replace
from math import ceil, floor

import numpy as np
from pyproj.exceptions import ProjError

from brisk_atlas.core.model import Extent

from .crs import is_geographic, same_crs, transform, transformer_between
from .domain import Domain, angle_from, domain_of

WIDE_DEG = 45.0  # from here on what lies inside can reach further than the edges do
INSIDE = 41  # places each way within an extent
EDGE_POINTS = 21  # an edge is followed by


def transform_extent(extent: Extent, target: str | None) -> Extent | None:
    """Return the rectangle in `target` around `extent`, its edges followed; None where impossible.

    What the target's map does not show is left out. In degrees, one across 180 degrees runs on: its east is larger
    than 180.
    """
    if target is None or extent.crs is None or same_crs(extent.crs, target):
        return Extent(*extent.bounds, target or extent.crs)
    domain = domain_of(target)
    if is_geographic(extent.crs):
        low, high = (domain.south, domain.north) if domain is not None else (-90.0, 90.0)
        extent = replace(extent, ymin=min(max(extent.ymin, low), high), ymax=max(min(extent.ymax, high), low))
        if extent.width > WIDE_DEG or (domain is not None and domain.is_disc):
            return _of_inside(extent, target, domain)
    try:
        bounds = transformer_between(extent.crs, target).transform_bounds(*extent.bounds, densify_pts=EDGE_POINTS)
    except ProjError:
        return None
    out = Extent(*bounds, target)
    if not out.is_finite:
        return _of_inside(extent, target, domain)
    return replace(out, xmax=out.xmax + 360.0) if out.xmin > out.xmax and is_geographic(target) else out


def _of_inside(extent: Extent, target: str, domain: Domain | None) -> Extent | None:
    """Return about the rectangle of an extent by places inside, for one that reaches off the map."""
    at = np.linspace(0.0, 1.0, INSIDE)
    u, v = (g.ravel() for g in np.meshgrid(at, at))
    inside = np.column_stack([extent.xmin + u * extent.width, extent.ymin + v * extent.height])
    if domain is not None and domain.is_disc:
        degrees = transform(inside, extent.crs, domain.geographic)
        inside = inside[angle_from(degrees, domain.centre) <= domain.radius]
    there = transform(inside, extent.crs, target)
    there = there[np.isfinite(there).all(axis=1)]
    return Extent.of([*there.min(axis=0), *there.max(axis=0)], target) if len(there) else None


def shortest_around(lows: np.ndarray, highs: np.ndarray, world: float) -> tuple[float, float]:
    """Return the shortest run eastwards around a world that holds all intervals; it may end beyond the first world."""
    order = np.argsort(lows)
    low, high = lows[order], np.maximum.accumulate(highs[order])
    gaps = low[1:] - high[:-1]
    if not gaps.size or gaps.max() <= low[0] + world - high[-1]:
        return float(low[0]), float(high[-1])
    widest = int(gaps.argmax())
    return float(low[widest + 1]), float(high[widest]) + world


def meets_in_worlds(a: Extent, b: Extent) -> bool:
    """Return whether two extents of one CRS meet, in whichever copy of the Earth."""
    domain = domain_of(b.crs or a.crs)
    if domain is None or not domain.world:
        return a.intersection(b) is not None
    first, last = ceil((b.xmin - a.xmax) / domain.world), floor((b.xmax - a.xmin) / domain.world)
    return first <= last and a.ymin <= b.ymax and a.ymax >= b.ymin


def sides_of(extent: Extent) -> list[Extent]:
    """Return an extent in degrees as the rectangles that it is from -180 to 180: two for one across 180 degrees, itself
    for others and in other CRS."""
    domain = domain_of(extent.crs)
    if domain is None or domain.world != 360.0 or -180.0 <= extent.xmin <= extent.xmax <= 180.0:
        return [extent]
    if extent.width >= 360.0:
        return [replace(extent, xmin=-180.0, xmax=180.0)]
    west = domain.canonical(extent.xmin)
    east = west + extent.width
    if east <= 180.0:
        return [replace(extent, xmin=west, xmax=east)]
    return [replace(extent, xmin=west, xmax=180.0), replace(extent, xmin=-180.0, xmax=east - 360.0)]
