"""Horizontal coordinate systems as FGDC CSDGM spells them out, by section 4 of the standard."""

from __future__ import annotations

import re
from functools import cache

from lxml import etree
from pyproj import CRS
from pyproj.exceptions import CRSError

from .model import System

NOT_KNOWN = "Unknown"
UTM_NAME, OTHER_NAME = "Universal Transverse Mercator", "other grid system"
_CODE = re.compile(r"EPSG:(\d+)")
# Datum by its name without what varies: EPSG code of its geographic system, and what to add a UTM zone to.
DATUMS = {"wgs1984": (4326, 32600, 32700), "nad1983": (4269, 26900, None), "nad1927": (4267, 26700, None)}
_SPELLINGS = {
    "worldgeodeticsystemof1984": "wgs1984",
    "worldgeodeticsystem1984": "wgs1984",
    "wgs84": "wgs1984",
    "dwgs1984": "wgs1984",
    "northamericandatumof1983": "nad1983",
    "northamericandatum1983": "nad1983",
    "nad83": "nad1983",
    "dnorthamerican1983": "nad1983",
    "northamericandatumof1927": "nad1927",
    "northamericandatum1927": "nad1927",
    "nad27": "nad1927",
    "dnorthamerican1927": "nad1927",
}


@cache
def _crs(code: str) -> CRS | None:
    try:
        return CRS.from_epsg(int(code))
    except (CRSError, ValueError):
        return None


def can_spell(system: System) -> bool:
    """Tell whether a system can be written and read back: those of EPSG that are geographic or projected."""
    crs = _crs(system.code) if system.space.upper() == "EPSG" and system.code.isdigit() else None
    return (
        crs is not None and system.space == "EPSG" and (crs.is_geographic or crs.is_projected) and not crs.is_compound
    )


def _datum(name: str) -> tuple[int, int, int | None] | None:
    plain = re.sub(r"[^a-z0-9]", "", name.lower()).removesuffix("ensemble")
    return DATUMS.get(_SPELLINGS.get(plain, plain))


def spelt_system(element: etree._Element) -> System | None:
    """Return the system that a `horizsys` element spells out, by its EPSG code where it is one of those."""

    def stated(name: str) -> str:
        found = next(element.iter(name), None)
        text = " ".join((found.text or "").split()) if found is not None else ""
        return "" if text == NOT_KNOWN else text

    named = _CODE.search(" ".join("".join(element.itertext()).split()))
    if named:
        return System(named[1], "EPSG")
    datum = _datum(stated("horizdn"))
    if stated("utmzone"):
        zone = stated("utmzone").lstrip("-")
        south = stated("utmzone").startswith("-") or stated("fnorth").split(".")[0] == "10000000"
        base = datum and (datum[2] if south else datum[1])
        if base and zone.isdigit() and 1 <= int(zone) <= 60:
            return System(str(base + int(zone)), "EPSG")
        return System(f"UTM zone {zone}{' south' if south else ''}, {stated('horizdn') or 'datum not stated'}")
    name = stated("mapprojn") or stated("gridsysn") or stated("localpd") or stated("localdes")
    if name:
        return System(", ".join(word for word in (name, stated("horizdn")) if word))
    if element.find("geograph") is not None:
        if datum:
            return System(str(datum[0]), "EPSG")
        return System(f"geographic, {stated('horizdn') or 'datum not stated'}")
    return System(stated("horizdn")) if stated("horizdn") else None


def spell_system(element: etree._Element, system: System) -> None:
    """Spell a system out in a `horizsys` element."""
    for child in list(element):
        element.remove(child)
    crs = _crs(system.code)
    assert crs is not None

    def add(parent: etree._Element, name: str, text: object = None) -> etree._Element:
        child = etree.SubElement(parent, name)
        child.text = None if text is None else str(text)
        return child

    datum_name = crs.geodetic_crs.datum.name if crs.geodetic_crs and crs.geodetic_crs.datum else ""
    known = next((d for d in DATUMS.values() if crs.geodetic_crs and crs.geodetic_crs.to_epsg() == d[0]), None)
    if crs.is_geographic:
        geograph = add(element, "geograph")
        for name in ("latres", "longres"):
            add(geograph, name, NOT_KNOWN)
        add(geograph, "geogunit", "Decimal degrees")
        if known is None:
            datum_name = f"EPSG:{system.code}, {crs.name}"
    else:
        planar = add(element, "planar")
        grid = add(planar, "gridsys")
        zone = crs.utm_zone
        if zone and known and int(system.code) in [base + int(zone[:-1]) for base in known[1:] if base]:
            add(grid, "gridsysn", UTM_NAME)
            utm = add(grid, "utm")
            add(utm, "utmzone", zone[:-1])
            mercator = add(utm, "transmer")
            add(mercator, "sfctrmer", "0.9996")
            add(mercator, "longcm", int(zone[:-1]) * 6 - 183)
            add(mercator, "latprjo", "0.0")
            add(mercator, "feast", "500000")
            add(mercator, "fnorth", "10000000" if zone.endswith("S") else "0")
        else:
            add(grid, "gridsysn", OTHER_NAME)
            add(grid, "othergrd", f"EPSG:{system.code}, {crs.name}")
        planci = add(planar, "planci")
        add(planci, "plance", "coordinate pair")
        coordrep = add(planci, "coordrep")
        for name in ("absres", "ordres"):
            add(coordrep, name, NOT_KNOWN)
        add(planci, "plandu", crs.axis_info[0].unit_name if crs.axis_info else NOT_KNOWN)
    ellipsoid = crs.ellipsoid
    geodetic = add(element, "geodetic")
    add(geodetic, "horizdn", datum_name.removesuffix(" ensemble") or NOT_KNOWN)
    add(geodetic, "ellips", ellipsoid.name if ellipsoid else NOT_KNOWN)
    add(geodetic, "semiaxis", f"{ellipsoid.semi_major_metre:.3f}" if ellipsoid else NOT_KNOWN)
    add(geodetic, "denflat", f"{ellipsoid.inverse_flattening:.9f}" if ellipsoid else NOT_KNOWN)
