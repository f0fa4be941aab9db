"""The points of clouds within a corridor along a line: a cross-section."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.cloud import CLASS, point_inks
from brisk_atlas.core.model import AtlasError, CloudStyle, Layer
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import height_unit_of, transform
from brisk_atlas.core.place.geodesy import has_plane

from .profile import Dots, Profile, breaks_between, distances_along
from .survey_lines import line_set

MOST_DOTS = 400_000  # that are drawn of one corridor
METRES_A_DEGREE = 111_320.0  # of latitude, about: a corridor over degrees is as wide to the north and south


def corridor(
    cache: DataCache, clouds: Sequence[Layer], xy: np.ndarray, crs: str | None, width: float,
    check: Callable[[], None] = lambda: None,
) -> tuple[Dots, ...]:  # fmt: skip
    """Return the points of clouds that lie within half a width to both sides of a line, by their distance along it.

    xy : (n, 2) corners of the line in `crs`; width : units of the cloud's plane, metres as a rule. The colours are
    those of classes where the points have some, else of the layer's style; classes that are off are left out. Of more
    than `MOST_DOTS` points every so-many-th is given, and how many there are.
    """
    whole = distances_along(xy, crs)
    found = []
    for layer in clouds:
        check()
        points = cache.points(layer.ref)
        ends = transform(xy, crs, points.crs)
        chosen, along = _within(points.xyz, ends, width, check)
        distance = (
            whole[np.floor(along).astype(int)] + (along % 1) * np.append(np.diff(whole), 0)[np.floor(along).astype(int)]
        )
        step = max(1, -(-len(chosen) // MOST_DOTS))
        some, distance = chosen[::step], distance[::step]
        own = Points(points.xyz[some], {k: v[some] for k, v in points.dimensions.items()}, points.crs)
        style = layer.style if isinstance(layer.style, CloudStyle) else CloudStyle()
        inks = point_inks(own, replace(style, colour_by=CLASS) if CLASS in own.dimensions else style)
        shown = inks != 0
        classes = own.values(CLASS)[shown] if CLASS in own.dimensions else None
        found.append(Dots(layer.name, height_unit_of(points.crs), distance[shown], own.xyz[shown, 2], inks[shown],
                          own.xyz[shown, :2], points.crs, len(chosen), classes))  # fmt: skip
    return tuple(found)


def points_along(
    cache: DataCache, layer: Layer, xy: np.ndarray, crs: str | None, width: float,
    check: Callable[[], None] = lambda: None,
) -> Profile:  # fmt: skip
    """Return the numbers of a layer of points within half a width to both sides of a line, in their order along it;
    distances are those along the line. Raises AtlasError where fewer than two points are so near."""
    whole = distances_along(xy, crs)
    own = line_set(cache, layer, "").profile(0)
    ends = transform(xy, crs, own.crs) if crs != own.crs else np.asarray(xy, float)
    unit = 1.0 if has_plane(own.crs) or own.crs is None else 1.0 / METRES_A_DEGREE
    chosen, along = _within(own.xy, ends, width * unit, check)
    if len(chosen) < 2:
        near = tr("fewer than two of its points lie within {width:g} m of the line", width=width / 2)
        raise AtlasError(layer.name, near, tr("Choose a wider corridor under View, or draw another line."))
    leg = np.floor(along).astype(int)
    distance = whole[leg] + (along % 1) * np.diff(whole)[leg]
    order = np.argsort(distance, kind="stable")
    places, distance = chosen[order], distance[order]
    traces = tuple(replace(trace, values=trace.values[places]) for trace in own.traces)
    rows = own.rows[places] if own.rows is not None else None
    time = own.time[places] if own.time is not None else None
    return replace(own, title=tr("{name} along a line", name=layer.name), distance=distance, xy=own.xy[places],
                   traces=traces,
                   breaks=breaks_between(distance), rows=rows, time=time)  # fmt: skip


def _within(
    xyz: np.ndarray, ends: np.ndarray, width: float, check: Callable[[], None]
) -> tuple[np.ndarray, np.ndarray]:
    """Return the numbers of points within half a width of a line, and how far along each is, in legs: 1.5 is half way
    along the second. A point near several legs belongs to the nearest."""
    half = width / 2
    nearest = np.full(len(xyz), np.inf)
    along = np.zeros(len(xyz))
    x, y = xyz[:, 0], xyz[:, 1]
    for leg, ((ax, ay), (bx, by)) in enumerate(zip(ends[:-1].tolist(), ends[1:].tolist())):  # a corner each
        check()
        length = float(np.hypot(bx - ax, by - ay))
        if not length > 0:
            continue
        box = np.flatnonzero((x >= min(ax, bx) - half) & (x <= max(ax, bx) + half)
                             & (y >= min(ay, by) - half) & (y <= max(ay, by) + half))  # fmt: skip
        ux, uy = (bx - ax) / length, (by - ay) / length
        dx, dy = x[box] - ax, y[box] - ay
        way = dx * ux + dy * uy
        inside = (way >= 0) & (way <= length)
        off = np.where(inside, np.abs(dy * ux - dx * uy), np.inf)
        closer = off < np.minimum(nearest[box], np.nextafter(half, np.inf))
        nearest[box[closer]] = off[closer]
        along[box[closer]] = leg + np.minimum(way[closer] / length, 1 - 1e-12)
    chosen = np.flatnonzero(np.isfinite(nearest))
    return chosen, along[chosen]


def with_corridor(
    cache: DataCache, profile: Profile, clouds: Sequence[Layer], xy: np.ndarray, crs: str | None, width: float,
    check: Callable[[], None] = lambda: None,
) -> Profile:  # fmt: skip
    """Return a profile with the points of clouds along its line."""
    return replace(profile, dots=corridor(cache, clouds, xy, crs, width, check)) if clouds and width > 0 else profile
