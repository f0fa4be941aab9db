"""Which coordinate reference systems suit a map of a place, each with the reason.

What they are good for: Snyder, Map Projections: A Working Manual (USGS Professional Paper 1395, 1987).
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

from pyproj.crs import CRS, ProjectedCRS
from pyproj.crs.coordinate_operation import AzimuthalEquidistantConversion, LambertAzimuthalEqualAreaConversion

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.language import tr

from .crs import same_crs
from .extents import transform_extent
from .notation import utm_crs, utm_zone

GEOGRAPHIC, TILES, WORLD = "EPSG:4326", "EPSG:3857", "EPSG:8857"
ARCTIC, ANTARCTIC = "EPSG:3995", "EPSG:3031"
POLAR_DEG = 60.0  # from here on a polar projection is proposed
UTM_WIDE_DEG = 9.0  # a view wider than this leaves its zone by more than half a zone on either side
UTM_SOUTH, UTM_NORTH = -80.0, 84.0  # where the zones end
OFF_CENTRE_DEG = 20.0  # that a world's middle may lie from Greenwich without one of its own
WORLD_WIDE_DEG = 120.0  # from here on a view is of the world


class CrsProposal(NamedTuple):
    """A CRS as `EPSG:n` or WKT, and why it suits."""

    crs: str
    reason: str


def proposals(seen: Extent | None, subject_crs: str | None, subject_name: str = "") -> list[CrsProposal]:
    """Return the CRS that suit a view, the likeliest first, each once.

    seen : what the map shows, in any CRS; None where it shows nothing yet
    """
    found: list[CrsProposal] = []
    if subject_crs:
        found.append(
            CrsProposal(
                subject_crs,
                tr("that of {subject_name}", subject_name=subject_name) if subject_name else tr("that of the subject"),
            )
        )
    degrees = transform_extent(seen, GEOGRAPHIC) if seen is not None and seen.crs else None
    if degrees is not None:
        found += _for_place(degrees)
    found += [
        CrsProposal(WORLD, tr("areas are true, for maps of the world")),
        CrsProposal(TILES, tr("that of most map tiles; sizes grow towards the poles")),
        CrsProposal(GEOGRAPHIC, tr("longitude and latitude as they are")),
    ]
    once: list[CrsProposal] = []
    for each in found:
        if not any(same_crs(each.crs, other.crs) for other in once):
            once.append(each)
    return once


def _for_place(degrees: Extent) -> list[CrsProposal]:
    """Return what suits an extent in degrees."""
    wide = degrees.width if degrees.width >= 0 else degrees.width + 360  # across the antimeridian
    longitude = (degrees.xmin + wide / 2 + 180) % 360 - 180
    latitude = min(max(degrees.centre[1], -90.0), 90.0)
    found = []
    if wide <= UTM_WIDE_DEG and UTM_SOUTH <= latitude <= UTM_NORTH:
        zone = utm_zone(longitude, latitude)
        found.append(
            CrsProposal(utm_crs(zone, south=latitude < 0), tr("UTM zone {zone} of the place in view", zone=zone))
        )
    if latitude >= POLAR_DEG or latitude <= -POLAR_DEG:
        found.append(CrsProposal(ARCTIC if latitude > 0 else ANTARCTIC, tr("around the pole, true at its coasts")))
    if wide < WORLD_WIDE_DEG:
        at = round(longitude, 1), round(latitude, 1)
        found.append(CrsProposal(equal_area(*at), tr("areas are true, drawn around the place in view")))
        found.append(CrsProposal(equidistant(*at), tr("distances from the centre of the view are true")))
    elif abs(longitude) > OFF_CENTRE_DEG:
        around = round(longitude / 10) * 10.0
        found.append(CrsProposal(equal_area_world(around), tr("areas are true, the world around what is in view")))
    return found


@lru_cache(64)
def equal_area_world(longitude: float) -> str:
    """Return the WKT of the equal-area world map around a meridian, in degrees."""
    words = CRS(WORLD).to_json_dict()
    east = "E" if longitude >= 0 else "W"
    words["name"] = words["conversion"]["name"] = f"Equal Earth around {abs(longitude):g}° {east}"
    for stated in (words, words["conversion"]):
        stated.pop("id", None)
    for parameter in words["conversion"]["parameters"]:
        if parameter["name"] == "Longitude of natural origin":
            parameter["value"] = longitude
    wkt: str = CRS.from_json_dict(words).to_wkt()
    return wkt


@lru_cache(64)
def equal_area(longitude: float, latitude: float) -> str:
    """Return the WKT of a Lambert azimuthal equal-area projection around a place, degrees on WGS 84."""
    conversion = LambertAzimuthalEqualAreaConversion(
        latitude_natural_origin=latitude, longitude_natural_origin=longitude
    )
    return _around(conversion, "Equal-area", longitude, latitude)


@lru_cache(64)
def equidistant(longitude: float, latitude: float) -> str:
    """Return the WKT of an azimuthal equidistant projection around a place, degrees on WGS 84."""
    conversion = AzimuthalEquidistantConversion(latitude_natural_origin=latitude, longitude_natural_origin=longitude)
    return _around(conversion, "Equidistant", longitude, latitude)


def _around(conversion: object, kind: str, longitude: float, latitude: float) -> str:
    north, east = "N" if latitude >= 0 else "S", "E" if longitude >= 0 else "W"
    name = f"{kind} around {abs(latitude):g}° {north}, {abs(longitude):g}° {east}"
    wkt: str = ProjectedCRS(conversion=conversion, name=name, geodetic_crs=CRS(GEOGRAPHIC)).to_wkt()
    return wkt
