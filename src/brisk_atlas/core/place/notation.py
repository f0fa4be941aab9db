"""One position in the notations that analysts read."""

from __future__ import annotations

import re
from functools import cache
from math import floor
from typing import NamedTuple

import mgrs
import numpy as np

from brisk_atlas.core.model import Lattice
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .crs import crs_label, is_geographic, transform, unit_of

WGS84 = "EPSG:4326"
UTM_LIMITS = (-80.0, 84.0)  # degrees of latitude; beyond lie the polar grids
UPS_NORTH, UPS_SOUTH = "EPSG:5041", "EPSG:5042"  # universal polar stereographic, easting first
A_CENTIMETRE = 1e-7  # degrees of latitude
MOST_LETTERS = 80  # of an angle
NO_CRS = "no CRS"
OUTSIDE = "outside this CRS"

TITLES = {
    "pane": tr("map"),
    "layer": tr("layer"),
    "degrees": tr("degrees"),
    "sexagesimal": tr("deg, min, sec"),
    "utm": "UTM",
    "mgrs": "MGRS",
    "cell": tr("pixel, line"),
}


class Spot(NamedTuple):
    """A position: `x` and `y` in `crs`, and what it is read against: a layer's CRS and a grid."""

    x: float
    y: float
    crs: str | None
    layer_crs: str | None = None
    cells: Lattice | None = None


def notations(spot: Spot) -> dict[str, str]:
    """Return the texts of a position by the names of `TITLES`; one that has no place there says so.

    `layer` and `cell` are left out where nothing is given to read them against.
    """
    found = {"pane": own_text(spot.x, spot.y, spot.crs)}
    if spot.layer_crs is not None:
        x, y = transform(np.array([[spot.x, spot.y]]), spot.crs, spot.layer_crs)[0].tolist()
        found["layer"] = own_text(x, y, spot.layer_crs)
    if spot.crs is None:
        found |= dict.fromkeys(("degrees", "sexagesimal", "utm", "mgrs"), NO_CRS)
    else:
        lon, lat = transform(np.array([[spot.x, spot.y]]), spot.crs, WGS84)[0].tolist()
        if not (abs(lat) <= 90 and abs(lon) <= 360):
            found |= dict.fromkeys(("degrees", "sexagesimal", "utm", "mgrs"), OUTSIDE)
        else:
            lon = wrapped(lon) if abs(lon) > 180 else lon
            found["degrees"] = decimal_text(lon, lat)
            found["sexagesimal"] = degrees_text(lon, lat)
            found["utm"], found["mgrs"] = utm_text(lon, lat), mgrs_text(lon, lat)
    if spot.cells is not None:
        found["cell"] = cell_text(spot)
    return found


def own_text(x: float, y: float, crs: str | None) -> str:
    """Return coordinates as their CRS states them, with its label."""
    if not (np.isfinite(x) and np.isfinite(y)):
        return f"outside {crs_label(crs)}"
    if crs is None:
        return f"{grouped(x, ',.2f')} {grouped(y, ',.2f')}"
    if is_geographic(crs):
        if not (abs(y) <= 90 and abs(x) <= 360):
            return f"outside {crs_label(crs)}"
        return f"{y:.6f}° {x:.6f}° {crs_label(crs)}"
    digits = 1 if unit_of(crs) == "m" else 2
    return f"{grouped(x, f',.{digits}f')} E {grouped(y, f',.{digits}f')} N {crs_label(crs)}"


def decimal_text(lon: float, lat: float) -> str:
    """Return latitude and longitude in decimal degrees, to a tenth of a metre."""
    return f"{abs(lat):.6f}° {'S' if lat < 0 else 'N'} {abs(lon):.6f}° {'W' if lon < 0 else 'E'}"


def _sexagesimal(value: float, positive: str, negative: str) -> str:
    tenths = round(abs(value) * 36000)
    degrees, rest = divmod(tenths, 36000)
    minutes, seconds = divmod(rest, 600)
    return f"{degrees}°{minutes:02d}′{seconds / 10:04.1f}″{positive if value >= 0 else negative}"


def degrees_text(lon: float, lat: float) -> str:
    """Return latitude and longitude in degrees, minutes and seconds, to a tenth of a second."""
    return f"{_sexagesimal(lat, 'N', 'S')} {_sexagesimal(lon, 'E', 'W')}"


def wrapped(lon: float) -> float:
    """Return a longitude from -180 (included) to 180."""
    return (lon + 180) % 360 - 180


def utm_zone(lon: float, lat: float) -> int:
    """Return the number of the UTM zone, with the wider zones at 56 to 64 and 72 to 84 degrees north.

    Source: NGA.SIG.0012_2.0.0_UTMUPS (2014), section 7.
    """
    lon = wrapped(lon)
    if 56 <= lat < 64 and 3 <= lon < 12:
        return 32
    if 72 <= lat <= 84 and 0 <= lon < 42:
        return 31 if lon < 9 else 33 if lon < 21 else 35 if lon < 33 else 37
    return floor((lon + 180) / 6) % 60 + 1


def utm_crs(zone: int, *, south: bool) -> str:
    """Return the EPSG code of a UTM zone on WGS 84, north or south."""
    return f"EPSG:{(32700 if south else 32600) + zone}"


def utm_text(lon: float, lat: float) -> str:
    """Return zone, easting and northing to 1 m; beyond its limits in the polar grid, and that it is that."""
    if not -90 <= lat <= 90:
        return tr("outside UTM")
    south = lat < 0
    if not UTM_LIMITS[0] <= lat <= UTM_LIMITS[1]:
        x, y = transform(np.array([[wrapped(lon), lat]]), WGS84, UPS_SOUTH if south else UPS_NORTH)[0].tolist()
        return tr(
            "outside UTM, UPS {what} {metres} E {metres2} N",
            what="south" if south else "north",
            metres=_metres(x),
            metres2=_metres(y),
        )
    zone = utm_zone(lon, lat)
    x, y = transform(np.array([[wrapped(lon), lat]]), WGS84, utm_crs(zone, south=south))[0].tolist()
    return f"{zone} {'south' if south else 'north'} {_metres(x)} E {_metres(y)} N"


def _metres(value: float) -> str:
    return grouped(round(value))


@cache
def _mgrs() -> mgrs.MGRS:
    return mgrs.MGRS()


def mgrs_text(lon: float, lat: float) -> str:
    """Return the MGRS reference of the square metre that holds a point; the polar letters at the poles."""
    if not -90 <= lat <= 90:
        return tr("outside MGRS")
    # The library can round over an edge, into a square that is none; then a centimetre south or west of it counts.
    tries = ((lat, lon), (lat - A_CENTIMETRE, lon), (lat, lon - A_CENTIMETRE))
    texts = (_mgrs().toMGRS(y, wrapped(x)) for y, x in tries if y >= -90)
    text = next((found for found in texts if mgrs_to_degrees(found) is not None), tr("outside MGRS"))
    if text == "outside MGRS":
        return text
    head = text[: len(text) - 12]
    return f"{head} {text[-12:-10]} {text[-10:-5]} {text[-5:]}"


def mgrs_to_degrees(text: str) -> tuple[float, float] | None:
    """Return longitude and latitude of an MGRS reference's south-western corner, or None."""
    try:
        lat, lon = _mgrs().toLatLon("".join(text.split()).upper())
    except (mgrs.core.MGRSError, ValueError, TypeError):
        return None
    return lon, lat


def cell_text(spot: Spot) -> str:
    """Return pixel and line (the first is 0, 0), with the share of a cell; outside the grid it says so."""
    cells = spot.cells
    assert cells is not None
    x, y = transform(np.array([[spot.x, spot.y]]), spot.crs, cells.crs)[0].tolist()
    pixel, line = cells.to_cells(x, y)
    if not (0 <= pixel <= cells.columns and 0 <= line <= cells.rows):
        return tr("outside the grid")
    return tr("pixel {pixel:.1f}, line {line:.1f}", pixel=pixel, line=line)


_DEGREES = re.compile(
    r"^\s*+([NSEW])?\s*+([+-]?\d++(?:[.,]\d++)?+)\s*+[°:]?\s*+"
    r"(?:(\d++(?:[.,]\d++)?+)\s*+['′’:m]?\s*+)?(?:(\d++(?:[.,]\d++)?+)\s*+(?:\"|″|”|''|s(?=\s*[NSEW]))?\s*+)?([NSEW])?\s*+$",
    re.IGNORECASE,
)


def degrees_from(text: str) -> float | None:
    """Return decimal degrees from degrees, minutes and seconds with a letter or sign, or None."""
    found = _DEGREES.match(text) if len(text) <= MOST_LETTERS else None
    if not found:
        return None
    before, degrees, minutes, seconds, after = found.groups()
    parts = [float((piece or "0").replace(",", ".")) for piece in (degrees.lstrip("+-"), minutes, seconds)]
    if parts[1] >= 60 or parts[2] >= 60:
        return None
    value = parts[0] + parts[1] / 60 + parts[2] / 3600
    return -value if degrees.startswith("-") or (before or after or "N").upper() in "SW" else value
