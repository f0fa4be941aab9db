"""Where coordinates would land if they were in a CRS."""

from __future__ import annotations

from math import cos, radians
from typing import NamedTuple

from brisk_atlas.core.model import AtlasError, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.length_units import rough_length_text
from brisk_atlas.core.place import METRES_PER_DEGREE, covers, entry_of, transform_extent

DEGREES = "EPSG:4326"


class Landing(NamedTuple):
    """The box in degrees (west, south, east, north), in words, and whether its middle lies in the area that
    the CRS is made for (None where that is not known)."""

    box: tuple[float, float, float, float]
    words: str
    fits: bool | None
    area: str


def landing_of(bounds: tuple[float, float, float, float], crs: str) -> Landing | None:
    """Return where bounds would land, or None where they have no place in that CRS."""
    try:
        landed = transform_extent(Extent(*bounds, crs), DEGREES)
    except AtlasError:
        return None
    if landed is None or abs(landed.ymax) > 90.0001 or abs(landed.ymin) > 90.0001:
        return None
    lon, lat = landed.centre
    wide = landed.width * METRES_PER_DEGREE * cos(radians(min(abs(lat), 89.9)))
    tall = landed.height * METRES_PER_DEGREE
    where = f"{abs(lat):.3f}° {'N' if lat >= 0 else 'S'}, {abs(lon):.3f}° {'E' if lon >= 0 else 'W'}"
    entry = entry_of(crs) if crs.upper().startswith("EPSG:") else None
    fits = None if entry is None or entry.box is None else covers(entry.box, ((lon + 180) % 360 - 180, lat))
    words = tr(
        "centre at {where}; {rough_length_text} wide, {rough_length_text2} high",
        where=where,
        rough_length_text=rough_length_text(wide),
        rough_length_text2=rough_length_text(tall),
    )
    return Landing(landed.bounds, words, fits, entry.area if entry else "")
