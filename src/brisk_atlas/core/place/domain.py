"""Which part of the Earth a CRS shows in one piece, and where it is cut.

What the projections leave out: Snyder, Map Projections: A Working Manual (USGS Professional Paper 1395, 1987).
"""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from functools import lru_cache
from math import floor
from typing import Any

import numpy as np

from .crs import proj_crs, transform

SEAM_DEG = 1e-9  # that pieces end short of a seam, a tenth of a millimetre, so that they stay on their side of it
REPEATING = {"merc", "webmerc", "eqc", "cea", "mill", "gall", "longlat", "latlong"}  # worlds side by side
MERCATOR = {"merc", "webmerc"}
MERCATOR_LATITUDE = 89.0
TRANSVERSE = {"utm", "tmerc", "etmerc", "cass", "gstmerc"}
TRANSVERSE_DEG = 80.0  # from the central meridian
LOCAL = {"omerc", "somerc", "krovak", "nzmg", "mod_krovak"}
LOCAL_DEG = 40.0
CONIC_LIMIT = 60.0  # degrees beyond the equator, on the side where a conformal cone opens without end
RADIUS = {
    "laea": 179.0, "aeqd": 179.0, "stere": 120.0, "sterea": 120.0, "ups": 120.0, "ortho": 89.9, "gnom": 70.0,
}  # degrees from the centre  # fmt: skip
UNKNOWN = {"geocent", "cart"}


@dataclass(frozen=True)
class Domain:
    """What a CRS shows, in degrees of `geographic`, its own geographic CRS.

    A window runs from `west` to `east` (the seam, where these are 360 degrees apart) and from `south` to `north`.
    A disc has a `radius` around `centre` (longitude, latitude) besides. `world` is the width of the whole Earth in
    units of the CRS where copies of it stand side by side, 0 where they do not; the first begins at `left`.
    """

    geographic: str
    west: float
    east: float
    south: float = -90.0
    north: float = 90.0
    centre: tuple[float, float] = (0.0, 0.0)
    radius: float = 0.0
    world: float = 0.0
    left: float = 0.0

    def canonical(self, x: float) -> float:
        """Return a position eastwards in the copy of the Earth that begins at `left`."""
        return x - self.world * floor((x - self.left) / self.world) if self.world else x

    @property
    def is_disc(self) -> bool:
        """Whether the limit is a distance from a centre."""
        return self.radius > 0


@lru_cache(128)
def domain_of(crs: str | None) -> Domain | None:
    """Return what a CRS shows; None where that is not known, so that nothing is cut."""
    if crs is None:
        return None
    own = proj_crs(crs)
    own = own.source_crs if own.is_bound and own.source_crs is not None else own
    own = own.sub_crs_list[0] if own.is_compound and own.sub_crs_list else own
    geographic = own.geodetic_crs
    if geographic is None or own.is_geocentric or not _in_degrees(geographic):
        return None
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # a datum may be lost in these words; only the projection is read
        words = own.to_dict()
    name = str(words.get("proj", ""))
    if not name or name in UNKNOWN:
        return None
    text = ":".join(geographic.to_authority() or ()) or geographic.to_wkt()
    if own.is_geographic:
        return Domain(crs, -180.0, 180.0, world=360.0, left=-180.0)
    middle = _longitude(words)
    latitude = float(words.get("lat_0", 0.0))
    if name in RADIUS:
        return Domain(text, middle - 180, middle + 180, centre=(middle, latitude), radius=RADIUS[name])
    if name in TRANSVERSE:
        return Domain(text, middle - TRANSVERSE_DEG, middle + TRANSVERSE_DEG)
    if name in LOCAL:
        low, high = max(latitude - LOCAL_DEG, -90.0), min(latitude + LOCAL_DEG, 90.0)
        return Domain(text, middle - LOCAL_DEG, middle + LOCAL_DEG, low, high)
    south, north = -90.0, 90.0
    if name in MERCATOR:
        south, north = -MERCATOR_LATITUDE, MERCATOR_LATITUDE
    elif name == "lcc":
        of_the_north = float(words.get("lat_1", latitude)) >= 0
        south, north = (-CONIC_LIMIT, 90.0) if of_the_north else (-90.0, CONIC_LIMIT)
    world, left = _world(crs, text, middle) if name in REPEATING else (0.0, 0.0)
    return Domain(text, middle - 180 + SEAM_DEG, middle + 180 - SEAM_DEG, south, north, world=world, left=left)


def _in_degrees(geographic: Any) -> bool:
    return all(axis.unit_name == "degree" for axis in geographic.axis_info[:2])


def _longitude(words: dict[str, Any]) -> float:
    if "zone" in words and words.get("proj") == "utm":
        return float(words["zone"]) * 6 - 183
    return float(words.get("lonc", words.get("lon_0", 0.0)))


def _world(crs: str, geographic: str, middle: float) -> tuple[float, float]:
    """Return how wide the Earth is in a cylindrical CRS, and where it begins."""
    ends = np.array([[middle - 90.0, 0.0], [middle + 90.0, 0.0]])
    (x0, _), (x1, _) = transform(ends, geographic, crs).tolist()
    world = 2 * float(x1 - x0)
    return (world, float(x0) - world / 4) if np.isfinite(world) else (0.0, 0.0)


def has_place(xy: np.ndarray, crs: str | None) -> np.ndarray:
    """Return (n,) bool: which positions of a CRS are places on the Earth, each once: (n, 2) CRS units.

    A projection that gives a place to what lies outside of its map is found out by going there and back.
    """
    domain = domain_of(crs)
    found = np.isfinite(xy).all(axis=1)
    if domain is None or crs is None:
        return found
    if domain.geographic == crs:
        return found & (np.abs(xy[:, 1]) <= 90.0)
    degrees = transform(xy, crs, domain.geographic)
    again = transform(degrees, domain.geographic, crs)
    apart = np.abs(again - xy)
    if domain.world:
        turns = np.round(apart[:, 0] / domain.world)
        apart[:, 0] = np.abs(apart[:, 0] - turns * domain.world)
    near = 1e-6 * np.maximum(np.abs(xy).max(axis=1), 1e6)
    found &= apart.max(axis=1) <= near
    found &= (degrees[:, 1] >= domain.south - 1e-6) & (degrees[:, 1] <= domain.north + 1e-6)
    if domain.is_disc:
        found &= angle_from(degrees, domain.centre) <= domain.radius
    elif domain.east - domain.west < 359:
        middle = (domain.west + domain.east) / 2
        found &= np.abs((degrees[:, 0] - middle + 180) % 360 - 180) <= (domain.east - domain.west) / 2
    return found


def angle_from(degrees: np.ndarray, centre: tuple[float, float]) -> np.ndarray:
    """Return (n,) degrees of arc on the sphere between (n, 2) places and a centre (haversine formula)."""
    lon, lat = np.radians(degrees[:, 0] - centre[0]), np.radians(degrees[:, 1])
    lat0 = np.radians(centre[1])
    h = np.sin((lat - lat0) / 2) ** 2 + np.cos(lat) * np.cos(lat0) * np.sin(lon / 2) ** 2
    return np.degrees(2 * np.arcsin(np.sqrt(np.clip(h, 0.0, 1.0))))
