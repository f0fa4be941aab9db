"""What a typed place means: every notation in which a position is usually written."""

from __future__ import annotations

import re
from typing import NamedTuple

import numpy as np

from brisk_atlas.core.model import CannotPlace, Lattice
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .crs import crs_label, is_geographic, proj_crs, transform
from .notation import UPS_NORTH, UPS_SOUTH, WGS84, degrees_from, mgrs_to_degrees, utm_crs

_NUMBER = r"[+-]?\d+(?:[.,]\d+)?"
_CODE = re.compile(r"\b(EPSG|ESRI|OGC|IAU_2015):?\s*(\w+)\b", re.IGNORECASE)
_UTM = re.compile(
    rf"^(?:utm\s*)?(?:zone\s*)?(\d{{1,2}})\s*([a-z]+)?\s+({_NUMBER})\s*m?\s*e?\s+({_NUMBER})\s*m?\s*n?$", re.IGNORECASE
)
_UPS = re.compile(rf"^ups\s*(north|south|n|s)\s+({_NUMBER})\s*m?\s*e?\s+({_NUMBER})\s*m?\s*n?$", re.IGNORECASE)
_MGRS = re.compile(r"^(?:mgrs\s*)?((?:\d{1,2}\s*)?[a-hj-np-z]\s*[a-hj-np-z]{2}\s*(?:\d\s*){0,10})$", re.IGNORECASE)
_CELL = re.compile(rf"^(?:pixel|col(?:umn)?)\s*({_NUMBER})\s*(?:line|row)\s*({_NUMBER})$", re.IGNORECASE)
_CELL_TURNED = re.compile(rf"^(?:line|row)\s*({_NUMBER})\s*(?:pixel|col(?:umn)?)\s*({_NUMBER})$", re.IGNORECASE)
_THOUSANDS = re.compile(r"(?<![\d.,])\d{1,3}(?:,\d{3})+(?!\d)")
_OTHER_GROUPS = re.compile(r"(?<=\d)[\u2019\u202f](?=\d{3}(?!\d))")  # as the application shows numbers, on request
_SPELT = re.compile(
    r"(\d)\s?d(?:eg)?\s?(\d+(?:\.\d+)?)\s?m(?:in)?\s?(\d+(?:\.\d+)?)\s?s(?:ec)?(?![a-z])", re.IGNORECASE
)
_PACKED = re.compile(r"^(\d+(?:\.\d+)?)\s*([NSEW])$", re.IGNORECASE)
_GEO_URI = re.compile(
    r"^geo:\s*(-?\d+(?:\.\d+)?),\s*(-?\d+(?:\.\d+)?)(?:,\s*-?[\d.]+)?((?:;[\w.-]+=[\w.-]+)*)$", re.IGNORECASE
)
_POINT = re.compile(
    rf"^(?:SRID=(\d+);\s*)?POINT\s*(?:[ZM]+\s*)?\(\s*({_NUMBER})\s+({_NUMBER})[\s\d.+-]*\)$", re.IGNORECASE
)
_LABELS = re.compile(
    r"^(lat(?:itude)?|lon(?:g(?:itude)?)?)\.?\s*[:=]?\s*(.+?)\s*[,;]?\s*\b(lat(?:itude)?|lon(?:g(?:itude)?)?)\.?\s*[:=]?\s*(.+)$",
    re.IGNORECASE,
)  # fmt: skip
_UTM_LETTERS_FIRST = re.compile(
    rf"^(?:utm\s*)?(?:zone\s*)?(\d{{1,2}})\s*([a-z]+)?\s+(?:E\s*({_NUMBER})\s*m?\s+N\s*({_NUMBER})|N\s*({_NUMBER})\s*m?\s+E\s*({_NUMBER}))\s*m?$",
    re.IGNORECASE,
)
_ISO6709 = re.compile(r"^([+-]\d+(?:\.\d+)?)([+-]\d+(?:\.\d+)?)(?:[+-]\d+(?:\.\d+)?)?/?$")
MOST_LETTERS = 200  # of a typed place
LAT_LON, LON_LAT = "latitude and longitude in degrees", "longitude and latitude in degrees"
_BANDS_NORTH, _BANDS_SOUTH = "NPQRSTUVWX", "CDEFGHJKLM"


class Understood(NamedTuple):
    """One reading of what was typed: position in `crs`, and in words how it was taken."""

    x: float
    y: float
    crs: str | None
    words: str

    def placed(self, crs: str | None) -> tuple[float, float] | None:
        """Return the position in `crs`, or None where it has no place there."""
        x, y = transform(np.array([[self.x, self.y]]), self.crs, crs)[0].tolist()
        return (x, y) if np.isfinite(x) and np.isfinite(y) else None


def understand(text: str, crs: str | None, cells: Lattice | None = None) -> list[Understood]:
    """Return what a typed place can mean, the likeliest first; nothing where it means no place.

    `crs` is that of the map, `cells` the grid that pixel and line count in.
    """
    text = _plain(text[: MOST_LETTERS + 1])
    if not text or len(text) > MOST_LETTERS:
        return []
    if text.lower().startswith("geo:"):
        return _geo_uri(text)
    found = _point(text, crs)
    if found:
        return found
    text = _bare(text)
    labelled = _LABELS.match(text)
    if labelled:
        return _labelled(labelled)
    code = _CODE.search(text)
    if code:
        try:
            words = f"{code[1].upper()}:{code[2]}"
            proj_crs(words)
        except CannotPlace:
            return []
        found += _pair(_in_one(_without(text, code)), words)
        return found
    metres = _in_one(text)
    found += _cell(text, cells) + _utm(metres) + _grid_reference(text) + _packed(text) + _degrees(text)
    found += [u for u in _pair(metres, crs) if not any(_same(u, other) for other in found)]
    return found


def _in_one(text: str) -> str:
    """Return a text in which digits are not parted: "512,345.2 E" as "512345.2 E"."""
    return _THOUSANDS.sub(lambda whole: whole[0].replace(",", ""), text)


def _plain(text: str) -> str:
    text = (
        _OTHER_GROUPS.sub("", text)
        .strip()
        .replace("−", "-")
        .replace("º", "°")
        .replace("\u00a0", " ")
        .replace("\u202f", " ")
    )
    text = _SPELT.sub(lambda marks: f"{marks[1]}°{marks[2]}′{marks[3]}″", text)
    return re.sub(r"\s+", " ", text)


def _bare(text: str) -> str:
    """Return a text without brackets around the whole of it."""
    while len(text) > 2 and text[0] + text[-1] in ("()", "[]", "{}"):
        text = text[1:-1].strip()
    return text


def _geo_uri(text: str) -> list[Understood]:
    """Return the place of a geo URI (RFC 5870), in WGS 84 unless it names another CRS, which none does in use."""
    found = _GEO_URI.match(text)
    if not found or ("crs=" in found[3].lower() and "crs=wgs84" not in found[3].lower()):
        return []
    return _checked(float(found[2]), float(found[1]), WGS84, tr("geo URI, latitude and longitude in degrees"))


def _point(text: str, crs: str | None) -> list[Understood]:
    """Return what a point in well-known text can mean: x first, in the CRS that it names, else in degrees or in
    the CRS of the map."""
    found = _POINT.match(text)
    if not found:
        return []
    x, y = _value(found[2]), _value(found[3])
    if found[1]:
        try:
            named = f"EPSG:{found[1]}"
            proj_crs(named)
        except CannotPlace:
            return []
        return [Understood(x, y, named, tr("well-known text, {crs_label}", crs_label=crs_label(named)))]
    meant = _checked(x, y, WGS84, tr("well-known text, longitude and latitude in degrees"))
    if crs is None or not is_geographic(crs):
        meant.append(Understood(x, y, crs, tr("well-known text, x and y in {crs_label}", crs_label=crs_label(crs))))
    return meant


def _labelled(found: re.Match[str]) -> list[Understood]:
    first, second = found[1].lower()[:3], found[3].lower()[:3]
    values = {first: degrees_from(found[2].strip(" ,;")), second: degrees_from(found[4].strip(" ,;"))}
    lat, lon = values.get("lat"), values.get("lon")
    return _checked(lon, lat, WGS84, LAT_LON) if lat is not None and lon is not None else []


def _packed(text: str) -> list[Understood]:
    """Return latitude and longitude packed as DDMM or DDMMSS and DDDMM or DDDMMSS, each with its letter."""
    pieces = [_PACKED.match(piece) for piece in re.split(r"(?<=[NSEWnsew])\s*[,;]?\s*(?=\d)", text)]
    if len(pieces) != 2 or None in pieces:
        return []
    angles: dict[str, float | None] = {}
    for piece in pieces:
        assert piece is not None
        letter = piece[2].upper()
        value = _iso_angle("+" + piece[1], 2 if letter in "NS" else 3)
        if value is None and letter in "EW":
            value = _iso_angle("+0" + piece[1], 3)  # without the leading nought
        whole = piece[1].partition(".")[0]
        if value is None or len(whole) < 4:
            return []
        angles["lat" if letter in "NS" else "lon"] = -value if letter in "SW" else value
    lat, lon = angles.get("lat"), angles.get("lon")
    return (
        _checked(lon, lat, WGS84, tr("{lat_lon}, minutes and seconds", lat_lon=LAT_LON))
        if lat is not None and lon is not None
        else []
    )


def _without(text: str, code: re.Match[str]) -> str:
    return (text[: code.start()] + " " + text[code.end() :]).strip(" ,;")


def _value(text: str) -> float:
    return float(text.replace(",", "."))


def _same(a: Understood, b: Understood) -> bool:
    return a.crs == b.crs and abs(a.x - b.x) < 1e-9 and abs(a.y - b.y) < 1e-9


def _pair(text: str, crs: str | None) -> list[Understood]:
    """Return two plain numbers as coordinates of a CRS: easting first in a projected one, latitude
    first in degrees, as usual; with letters as they say."""
    if crs is not None and is_geographic(crs):
        return _degrees(text, crs)
    pieces = re.findall(rf"({_NUMBER})\s*(?:m\b)?\s*([ENen])?", re.sub(r"[;,]\s", " ", text))
    rest = re.sub(rf"({_NUMBER})\s*(?:m\b)?\s*([ENen])?", "", re.sub(r"[;,]\s", " ", text)).strip(" ,;xyXY=:")
    if len(pieces) != 2 or rest:
        return []
    (first, mark), (second, other) = pieces
    x, y = _value(first), _value(second)
    if mark.upper() == "N" or other.upper() == "E":
        x, y = y, x
    return [
        Understood(
            x,
            y,
            crs,
            tr("easting and northing, {crs_label}", crs_label=crs_label(crs))
            if crs
            else tr("x and y of a map without CRS"),
        )
    ]


def _degrees(text: str, crs: str = WGS84) -> list[Understood]:
    iso = _ISO6709.match(text.replace(" ", ""))
    if iso and "°" not in text and " " not in text:
        lat, lon = _iso_angle(iso[1], 2), _iso_angle(iso[2], 3)
        return (
            _checked(lon, lat, crs, tr("latitude and longitude, ISO 6709"))
            if lat is not None and lon is not None
            else []
        )
    for first, second in _halves(text):
        a, b = degrees_from(first), degrees_from(second)
        if a is None or b is None:
            continue
        letters = [next((c for c in piece.upper() if c in "NSEW"), "") for piece in (first, second)]
        if letters[0] in tuple("EW") or letters[1] in tuple("NS"):
            return _checked(a, b, crs, LON_LAT)
        if letters[0] or letters[1]:
            return _checked(b, a, crs, LAT_LON)
        usual = _checked(b, a, crs, LAT_LON)
        return usual + _checked(a, b, crs, LON_LAT)
    return []


def _halves(text: str) -> list[tuple[str, str]]:
    """Return the ways to part a text into two angles: at a comma or semicolon, after or before a letter, else
    in the middle of its numbers."""
    ways = [tuple(piece.strip() for piece in text.split(mark)) for mark in (";", ", ", ",") if text.count(mark) == 1]
    before = re.match(r"^([NSEW].*?)\s*[,;]?\s*([NSEW].*)$", text, re.IGNORECASE)
    if before:
        ways.append((before[1], before[2]))
    for end in reversed(range(1, len(text))):
        first, second = text[:end], re.sub(r"^\s*[,;]?\s*", "", text[end:])
        if first[-1] in "NSEWnsew" and any(map(str.isdecimal, first)) and any(map(str.isdecimal, second)):
            ways.append((first, second))
            break
    words = text.split(" ")
    if len(words) % 2 == 0:
        ways.append((" ".join(words[: len(words) // 2]), " ".join(words[len(words) // 2 :])))
    return ways  # type: ignore[return-value]


def _iso_angle(text: str, digits: int) -> float | None:
    """Return degrees from ±DD.D, ±DDMM.M or ±DDMMSS.S (three digits of degrees for longitude)."""
    sign, whole, share = text[0], *(text[1:].partition(".")[::2])
    extra = len(whole) - digits
    fraction = f".{share}" if share else ""
    if extra <= 0:
        value = float(whole + fraction)
    elif extra == 2:
        minutes, seconds = float(whole[digits:] + fraction), 0.0
    elif extra == 4:
        minutes, seconds = float(whole[digits : digits + 2]), float(whole[digits + 2 :] + fraction)
    else:
        return None
    if extra > 0:
        if minutes >= 60 or seconds >= 60:
            return None
        value = float(whole[:digits]) + minutes / 60 + seconds / 3600
    return -value if sign == "-" else value


def _checked(lon: float, lat: float, crs: str, words: str) -> list[Understood]:
    return [Understood(lon, lat, crs, words)] if abs(lat) <= 90 and abs(lon) <= 360 else []


def _utm(text: str) -> list[Understood]:
    polar = _UPS.match(text.replace(",", " "))
    if polar:
        south = polar[1].lower().startswith("s")
        return [
            Understood(
                _value(polar[2]), _value(polar[3]), UPS_SOUTH if south else UPS_NORTH,
                tr("UPS {what}", what='south' if south else 'north'),
            )
        ]  # fmt: skip
    plain = re.sub(r"\s+", " ", re.sub(r"[;,]\s?", " ", text))
    found, first = _UTM.match(plain), _UTM_LETTERS_FIRST.match(plain)
    if first:
        x, y = (_value(first[3] or first[6]), _value(first[4] or first[5]))
    elif found:
        x, y = _value(found[3]), _value(found[4])
    found = first or found
    if not found or not 1 <= int(found[1]) <= 60:
        return []
    zone, letter = int(found[1]), (found[2] or "").lower()
    if letter in ("north", "south"):
        halves = [letter == "south"]
    elif letter == "s":  # the southern half, as most write it; the band S lies in the north
        halves = [True, False]
    elif len(letter) == 1 and letter.upper() in _BANDS_NORTH + _BANDS_SOUTH:
        halves = [letter.upper() in _BANDS_SOUTH]
    else:
        return []
    return [
        Understood(
            x,
            y,
            utm_crs(zone, south=south),
            tr("UTM zone {zone} {what}", zone=zone, what="south" if south else "north"),
        )
        for south in halves
        if 0 <= x <= 1_000_000 and 0 <= y <= 10_000_000
    ]


def _grid_reference(text: str) -> list[Understood]:
    found = _MGRS.match(text)
    place = mgrs_to_degrees(found[1]) if found else None
    if found is None or place is None:
        return []
    digits = sum(c.isdigit() for c in re.sub(r"^\d{1,2}", "", "".join(found[1].split())))
    size = 10 ** (5 - digits // 2)
    side = f"{grouped(size)} m" if size < 1000 else f"{grouped(size // 1000)} km"
    return [Understood(*place, WGS84, f"MGRS, south-western corner of a square of {side}")]


def _cell(text: str, cells: Lattice | None) -> list[Understood]:
    if cells is None:
        return []
    plain = re.sub(r"[;,:=]", " ", text)
    plain = re.sub(r"\s+", " ", plain)
    straight, turned = _CELL.match(plain), _CELL_TURNED.match(plain)
    if straight:
        pixel, line = _value(straight[1]), _value(straight[2])
    elif turned:
        line, pixel = _value(turned[1]), _value(turned[2])
    else:
        return []
    if not (0 <= pixel <= cells.columns and 0 <= line <= cells.rows):
        return []
    x, y = cells.to_map(pixel, line)
    return [Understood(x, y, cells.crs, tr("pixel and line of the subject"))]
