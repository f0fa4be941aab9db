"""One position in the notations that analysts read."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache

import mgrs
import numpy as np

from .crs import crs_label, is_geographic, transform

WGS84 = "EPSG:4326"
MGRS_LIMITS = (-80.0, 84.0)  # degrees of latitude; beyond lie the polar grids


@dataclass(frozen=True)
class Position:
    """A position as text: in the pane's CRS, as degrees, and as MGRS."""

    own: str
    degrees: str
    mgrs: str


@cache
def _mgrs() -> mgrs.MGRS:
    return mgrs.MGRS()


def _sexagesimal(value: float, positive: str, negative: str) -> str:
    tenths = round(abs(value) * 36000)
    degrees, rest = divmod(tenths, 36000)
    minutes, seconds = divmod(rest, 600)
    return f"{degrees}°{minutes:02d}′{seconds / 10:04.1f}″{positive if value >= 0 else negative}"


def degrees_text(lon: float, lat: float) -> str:
    """Return latitude and longitude in degrees, minutes and seconds, to a tenth of a second."""
    return f"{_sexagesimal(lat, 'N', 'S')} {_sexagesimal(lon, 'E', 'W')}"


def mgrs_text(lon: float, lat: float) -> str:
    """Return the MGRS reference to 1 m, or why there is none."""
    if not MGRS_LIMITS[0] <= lat <= MGRS_LIMITS[1]:
        return "outside MGRS"
    text = _mgrs().toMGRS(lat, (lon + 180) % 360 - 180)
    head = text[: len(text) - 12]
    return f"{head} {text[-12:-10]} {text[-10:-5]} {text[-5:]}"


def position(x: float, y: float, crs: str | None) -> Position:
    """Return the notations of a point given in `crs`. Without a CRS only its own is known."""
    if crs is None:
        return Position(f"{x:,.2f} {y:,.2f}", "no CRS", "no CRS")
    own = f"{y:.6f}° {x:.6f}°" if is_geographic(crs) else f"{x:,.1f} E {y:,.1f} N"
    lon, lat = transform(np.array([[x, y]]), crs, WGS84)[0]
    if not (np.isfinite(lon) and np.isfinite(lat)):
        return Position(f"{own} {crs_label(crs)}", "outside this CRS", "outside this CRS")
    return Position(f"{own} {crs_label(crs)}", degrees_text(lon, lat), mgrs_text(lon, lat))


_DEGREES = re.compile(
    r"^\s*([NSEW])?\s*([+-]?\d+(?:[.,]\d+)?)\s*°?\s*(?:(\d+(?:[.,]\d+)?)\s*['′’m]?\s*)?(?:(\d+(?:[.,]\d+)?)\s*(?:\"|″|”|''|s)?\s*)?([NSEW])?\s*$",
    re.IGNORECASE,
)


def degrees_from(text: str) -> float | None:
    """Return decimal degrees from degrees, minutes and seconds with a letter or sign, or None."""
    found = _DEGREES.match(text)
    if not found:
        return None
    before, degrees, minutes, seconds, after = found.groups()
    parts = [float((piece or "0").replace(",", ".")) for piece in (degrees.lstrip("+-"), minutes, seconds)]
    if parts[1] >= 60 or parts[2] >= 60:
        return None
    value = parts[0] + parts[1] / 60 + parts[2] / 3600
    return -value if degrees.startswith("-") or (before or after or "N").upper() in "SW" else value


def mgrs_to_degrees(text: str) -> tuple[float, float] | None:
    """Return longitude and latitude of an MGRS reference's south-western corner, or None."""
    try:
        lat, lon = _mgrs().toLatLon("".join(text.split()).upper())
    except (mgrs.core.MGRSError, ValueError, TypeError):
        return None
    return lon, lat
