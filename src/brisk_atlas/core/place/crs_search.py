"""Looking for a coordinate reference system by code, by name, or by the area that it is made for."""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

from pyproj.database import query_crs_info

from brisk_atlas.core.model.language import tr

MOST_FOUND = 60
_KINDS = {
    "PROJECTED_CRS": "projected",
    "GEOGRAPHIC_2D_CRS": "geographic",
    "GEOGRAPHIC_3D_CRS": tr("geographic 3D"),
    "COMPOUND_CRS": tr("with heights"),
}


class CrsEntry(NamedTuple):
    """One CRS of the register: `code` as `EPSG:n`, the `area` it is made for, and that area's west, south,
    east and north in degrees (None where it is not stated)."""

    code: str
    name: str
    kind: str
    area: str
    box: tuple[float, float, float, float] | None


@cache
def _register() -> tuple[tuple[str, CrsEntry], ...]:
    """Return all entries, each with the text that is searched, lower case."""
    found = []
    for info in query_crs_info(auth_name="EPSG", allow_deprecated=False):
        kind = _KINDS.get(info.type.name)
        if kind is None:
            continue
        use = info.area_of_use
        box = (use.west, use.south, use.east, use.north) if use else None
        entry = CrsEntry(f"EPSG:{info.code}", info.name, kind, (use.name or "") if use else "", box)
        found.append((f"epsg:{info.code} {entry.name} {kind} {entry.area}".lower(), entry))
    return tuple(found)


def search_crs(text: str, near: tuple[float, float] | None = None) -> list[CrsEntry]:
    """Return the entries that have all words of `text`; those made for a place come first.

    near : longitude and latitude in degrees, or None
    """
    words = text.lower().split()
    if not words and near is None:
        return []
    found = [entry for words_of, entry in _register() if all(word in words_of for word in words)]

    def rank(entry: CrsEntry) -> tuple:
        code = entry.code.partition(":")[2]
        exact = text.strip().lower() in (code, entry.code.lower())
        fits = near is not None and entry.box is not None and covers(entry.box, near)
        modern = entry.name.startswith(("WGS 84", "ETRS89"))  # what new data mostly is in
        return not exact, not fits, not (words and code.startswith(words[0])), not modern, _size(entry), len(entry.name)

    if not words:
        found = [entry for entry in found if near is not None and entry.box and covers(entry.box, near)]
    return sorted(found, key=rank)[:MOST_FOUND]


def covers(box: tuple[float, float, float, float], place: tuple[float, float]) -> bool:
    """Return whether a box in degrees, which may go over the 180th meridian, has a place in it."""
    west, south, east, north = box
    lon, lat = place
    inside = west <= lon <= east if west <= east else lon >= west or lon <= east
    return inside and south <= lat <= north


def entry_of(code: str) -> CrsEntry | None:
    """Return the entry of `EPSG:n`, or None."""
    return next((entry for _, entry in _register() if entry.code == code.strip().upper()), None)


def _size(entry: CrsEntry) -> float:
    if entry.box is None:
        return 1e9
    west, south, east, north = entry.box
    return round(((east - west) % 360 or 360) * (north - south), 3)
