"""Coordinate reference systems as text (`EPSG:n` or WKT), and what can be asked of them."""

from __future__ import annotations

from functools import lru_cache
from math import cos, pi, radians, sin, sqrt

import numpy as np
import pyproj
from pyproj.exceptions import CRSError, ProjError

from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.model.language import tr

pyproj.network.set_network_enabled(False)
MADE_FOR_MEASURING = 0.01  # of a length, that a unit of such a projection is off
STRETCH_M = 100.0  # along which it is measured how much a map is stretched
METRES_PER_DEGREE = pi * 6378137.0 / 180


@lru_cache(256)
def proj_crs(text: str) -> pyproj.CRS:
    """Return the CRS that `text` means. Raises CannotPlace."""
    try:
        return pyproj.CRS.from_user_input(text)
    except CRSError as error:
        raise CannotPlace(
            text[:60], tr("this is not a coordinate reference system"), tr("Give a code such as EPSG:32727, or WKT.")
        ) from error


@lru_cache(256)
def text_of(wkt: str) -> str:
    """Return the shortest text that means the same CRS: `EPSG:n` where one is certain, else `wkt`.

    A compound CRS keeps its horizontal part's code only when it has a code of its own.
    """
    crs = proj_crs(wkt)
    authority = crs.to_authority(min_confidence=70)
    return ":".join(authority) if authority else wkt


def crs_label(text: str | None) -> str:
    """Return a short name for a chip: the code, the name, or `no CRS`."""
    if not text:
        return tr("no CRS")
    return text if len(text) <= 12 else proj_crs(text).name


def crs_name(text: str | None) -> str:
    """Return the full name with the code."""
    if not text:
        return tr("unknown")
    name = proj_crs(text).name
    return f"{name} ({text})" if len(text) <= 12 else name


def is_geographic(text: str) -> bool:
    """Return whether a CRS has longitude and latitude."""
    return proj_crs(text).is_geographic


def unit_of(text: str | None) -> str:
    """Return the unit of the axes: `m`, `°`, or the CRS's own word; empty where unknown."""
    if not text:
        return ""
    crs = proj_crs(text)
    if crs.is_geographic:
        return "°"
    name = crs.axis_info[0].unit_name if crs.axis_info else ""
    return "m" if name in ("metre", "meter") else name


def height_unit_of(text: str | None) -> str:
    """Return the unit that heights in a CRS are taken to have: that of its vertical part, else that of its plane; empty
    where unknown."""
    vertical = [part for part in proj_crs(text).sub_crs_list if part.is_vertical] if text else []
    if vertical and vertical[0].axis_info:
        name = vertical[0].axis_info[0].unit_name
        return "m" if name in ("metre", "meter") else name
    unit = unit_of(text)
    return "" if unit == "°" else unit


@lru_cache(256)
def vertical_datum(text: str | None) -> str:
    """Return the name of the vertical part of a CRS; "" where it states none. Raises CannotPlace."""
    if not text:
        return ""
    parts = proj_crs(text).sub_crs_list
    return next((part.name for part in parts if part.is_vertical), "")


def same_crs(a: str | None, b: str | None) -> bool:
    """Return whether coordinates mean the same in both; an unknown CRS is taken as the other's."""
    return a is None or b is None or a == b or proj_crs(a) == proj_crs(b)


def metres_per_unit(text: str | None, y: float = 0.0) -> float:
    """Return the length of one axis unit eastwards at `y` (degrees shrink towards the poles)."""
    if not text:
        return 1.0
    crs = proj_crs(text)
    if crs.is_geographic:
        return METRES_PER_DEGREE * max(cos(radians(min(abs(y), 89.9))), 1e-3)
    return float(crs.axis_info[0].unit_conversion_factor) if crs.axis_info else 1.0


@lru_cache(4096)
def ground_metres(text: str | None, x: float, y: float) -> float:
    """Return how far it is on the ground, in metres, along a unit of the map at a place: the mean of all directions
    where a projection draws them differently, eastwards for degrees. It differs from the unit itself as far as the
    projection stretches the map there, by a quarter in the middle latitudes of a Mercator map. Raises CannotPlace.

    It is the side of a square of the same area on the ellipsoid as a square of the map, from lengths of geodesics.
    """
    plain = metres_per_unit(text, y)
    if not text:
        return plain
    crs = proj_crs(text)
    if not crs.is_projected or crs.geodetic_crs is None:
        return plain
    side = STRETCH_M / plain
    there = transform(np.array([(x, y), (x + side, y), (x, y + side)]), text, crs.geodetic_crs.to_2d().to_wkt())
    geod = crs.get_geod()
    if geod is None or not np.isfinite(there).all():
        return plain
    (east, _, wide), (north, _, high) = (geod.inv(*there[0], *there[at]) for at in (1, 2))
    metres = sqrt(wide * high * abs(sin(radians(east - north)))) / side
    return metres if metres > 0 else plain


def measured_metres(text: str | None, x: float, y: float) -> tuple[float, float]:
    """Return what a unit of the map is in metres, eastwards and northwards, where something is measured at a place.

    A projection that is made for measuring, such as those of UTM, is within a hundredth of the ground, and its units
    are used without a correction, as surveyors do; in others, such as those of web maps, they are as long as on the
    ground.
    """
    if not text:
        return 1.0, 1.0
    if is_geographic(text):
        return metres_per_unit(text, y), metres_per_unit(text)
    plain = metres_per_unit(text)
    try:
        ground = ground_metres(text, x, y)
    except CannotPlace:
        return plain, plain
    is_made_for_it = abs(ground / plain - 1.0) < MADE_FOR_MEASURING and not _is_of_the_globe(text)
    metres = plain if is_made_for_it else ground
    return metres, metres


@lru_cache(256)
def _is_of_the_globe(text: str) -> bool:
    """Return whether a projection is one of the whole globe that stretches it more and more towards the poles."""
    operation = proj_crs(text).coordinate_operation
    name = operation.method_name if operation is not None else ""
    is_upright = "Mercator" in name and not any(word in name for word in ("Transverse", "Oblique"))
    return is_upright or "Equidistant Cylindrical" in name


@lru_cache(128)
def transformer_between(source: str, target: str) -> pyproj.Transformer:
    """Return the transformation from one CRS to another, x or longitude first. Raises ProjError."""
    return pyproj.Transformer.from_crs(proj_crs(source), proj_crs(target), always_xy=True)


def transform(xy: np.ndarray, source: str | None, target: str | None) -> np.ndarray:
    """Return (n, 2) coordinates in `target`; points that have no place there come back as NaN."""
    if source is None or target is None or same_crs(source, target):
        return np.asarray(xy, float)
    try:
        transformer = transformer_between(source, target)
    except ProjError as error:
        between = f"{crs_label(source)} to {crs_label(target)}"
        raise CannotPlace(between, tr("no transformation is known"), tr("Give the layer another CRS.")) from error
    x, y = transformer.transform(np.ascontiguousarray(xy[:, 0], float), np.ascontiguousarray(xy[:, 1], float))
    out = np.column_stack([x, y])
    out[~np.isfinite(out).all(axis=1)] = np.nan
    return out
