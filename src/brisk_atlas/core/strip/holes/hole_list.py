"""Which holes there are, what there is of each, and those that fit a filter."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Layer
from brisk_atlas.core.place import transform

from .hole_set import HoleSet

DATE_WORDS = ("drilled", "date", "completed", "spud", "start", "end", "year")
METHOD_WORDS = ("method", "type", "purpose", "rig", "status")
DAY = re.compile(r"\d{4}-\d{2}-\d{2}")


@dataclass(frozen=True)
class HoleFilter:
    """Which holes are listed: those of which there is, or in which was logged, all of some words, at least and at most
    so long, drilled between two days, in whose facts a text is, in an extent (xmin, ymin, xmax, ymax) of `crs`."""

    has: tuple[str, ...] = ()
    shortest: float | None = None
    longest: float | None = None
    begin: str = ""
    end: str = ""
    text: str = ""
    within: tuple[float, float, float, float] | None = None
    crs: str | None = None


def date_of(holes: HoleSet, number: int) -> str:
    """Return the day a hole was drilled, as yyyy-mm-dd, "" where none is stated."""
    for word in DATE_WORDS:
        for name, value in holes.holes[number].facts:
            if name.lower().startswith(word) and (found := DAY.search(value)):
                return found[0]
    return ""


def method_of(holes: HoleSet, number: int) -> str:
    """Return how a hole was drilled, "" where none is stated."""
    facts = holes.holes[number].facts
    return next((value for word in METHOD_WORDS for name, value in facts if name.lower().startswith(word)), "")


def fitting_holes(holes: HoleSet, by: HoleFilter) -> np.ndarray:
    """Return the numbers of the holes that a filter lets through."""
    found = []
    for number, hole in enumerate(holes.holes):
        day = date_of(holes, number)
        words = "\n".join([hole.name, *(value for _, value in hole.facts)]).casefold()
        fits = set(by.has) <= {*hole.has(), *hole.logged}
        fits &= by.shortest is None or (hole.length is not None and hole.length >= by.shortest)
        fits &= by.longest is None or (hole.length is not None and hole.length <= by.longest)
        fits &= not by.begin or (day != "" and day >= by.begin)
        fits &= not by.end or (day != "" and day <= by.end)
        fits &= by.text.casefold() in words
        if fits and by.within is not None:
            fits = hole.xy is not None and _inside(hole.xy, hole.crs, by.within, by.crs)
        if fits:
            found.append(number)
    return np.array(found, np.int64)


def _inside(
    xy: tuple[float, float], crs: str | None, box: tuple[float, float, float, float], box_crs: str | None
) -> bool:
    x, y = transform(np.array([xy]), crs, box_crs)[0] if None not in (crs, box_crs) else xy
    return bool(box[0] <= x <= box[2] and box[1] <= y <= box[3])


def holes_in(cache: DataCache, holes: HoleSet, region: Layer, rows: Sequence[int] | None = None) -> np.ndarray:
    """Return the numbers of the holes whose collars lie in polygons of a layer, of all or of some rows."""
    features = cache.features(region.ref)
    wkb = features.wkb if rows is None else features.wkb.take(pa.array(list(rows)))
    area = shapely.union_all(shapely.make_valid(shapely.from_wkb(wkb.to_numpy(zero_copy_only=False), on_invalid="fix")))
    shapely.prepare(area)
    found = []
    for number, hole in enumerate(holes.holes):
        if hole.xy is None:
            continue
        crs_known = None not in (hole.crs, features.crs)
        xy = transform(np.array([hole.xy]), hole.crs, features.crs)[0] if crs_known else hole.xy
        if shapely.intersects_xy(area, *xy):
            found.append(number)
    return np.array(found, np.int64)


def table_of_holes(holes: HoleSet, numbers: Sequence[int] | None = None) -> pa.Table:
    """Return a row a hole: its name, length, elevation, day, method, whether it deviates, what there is of it, and
    what was logged."""
    chosen = list(range(len(holes)) if numbers is None else numbers)
    own = [holes.holes[n] for n in chosen]
    return pa.table({
        "hole": pa.array([hole.name for hole in own], pa.string()),
        "length_m": pa.array([hole.length for hole in own], pa.float64()),
        "elevation_m": pa.array([hole.elevation for hole in own], pa.float64()),
        "drilled": pa.array([date_of(holes, n) or None for n in chosen], pa.string()),
        "method": pa.array([method_of(holes, n) or None for n in chosen], pa.string()),
        "deviated": pa.array(["yes" if hole.deviates else "no" for hole in own], pa.string()),
        "has": pa.array([", ".join(hole.has()) for hole in own], pa.string()),
        "logged": pa.array([", ".join(hole.logged) or None for hole in own], pa.string()),
    })  # fmt: skip
