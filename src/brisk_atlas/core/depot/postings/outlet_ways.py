"""The ways in which an outlet hands out what it shows: services, and formats of files."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from types import MappingProxyType
from typing import NamedTuple

from .posting import Posting


class OfferedService(StrEnum):
    """Groups of protocols, each for one use of what is offered."""

    FEATURES = "features"
    MAPS = "maps"
    TILES = "tiles"
    COVERAGES = "coverages"
    CATALOGUE = "catalogue"


ALL_SERVICES = tuple(OfferedService)
PROTOCOLS: Mapping[OfferedService, str] = MappingProxyType({
    OfferedService.FEATURES: "OGC API Features, WFS",
    OfferedService.MAPS: "WMS, WMTS, tiles of pictures",
    OfferedService.TILES: "vector tiles",
    OfferedService.COVERAGES: "WCS, OGC API Coverages",
    OfferedService.CATALOGUE: "CSW, OGC API Records, STAC",
})  # fmt: skip


class FileForm(NamedTuple):
    """A format that is handed out, the ending of its files and its media type."""

    name: str
    ending: str
    media_type: str


PLACED: Mapping[str, FileForm] = MappingProxyType({
    "gpkg": FileForm("GeoPackage", ".gpkg", "application/geopackage+sqlite3"),
    "geojson": FileForm("GeoJSON", ".geojson", "application/geo+json"),
    "csv": FileForm("CSV", ".csv", "text/csv"),
    "shapefile": FileForm("Shapefile", ".zip", "application/zip"),
    "kml": FileForm("KML", ".kml", "application/vnd.google-earth.kml+xml"),
    "flatgeobuf": FileForm("FlatGeobuf", ".fgb", "application/octet-stream"),
    "geoparquet": FileForm("GeoParquet", ".parquet", "application/vnd.apache.parquet"),
})  # fmt: skip
PLAIN: Mapping[str, FileForm] = MappingProxyType({
    "csv": FileForm("CSV", ".csv", "text/csv"),
    "xlsx": FileForm("XLSX", ".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
    "parquet": FileForm("Parquet", ".parquet", "application/vnd.apache.parquet"),
})  # fmt: skip
WHOLE: Mapping[str, FileForm] = MappingProxyType({"file": FileForm("the file", "", "application/octet-stream")})
PAGE: Mapping[str, FileForm] = MappingProxyType({"file": FileForm("the page", ".html", "text/html")})
NONE: Mapping[str, FileForm] = MappingProxyType({})


def forms_of(posting: Posting) -> Mapping[str, FileForm]:
    """Return the formats that a posting can be handed out in, by their names in addresses."""
    if posting.has_rows:
        return PLACED if posting.has_shapes else PLAIN
    if posting.is_album:
        return PAGE
    return WHOLE if posting.file else NONE


def services_of(posting: Posting) -> tuple[OfferedService, ...]:
    """Return the services that a posting can be handed out by."""
    if not posting.has_data:
        return (OfferedService.CATALOGUE,)
    if posting.file:
        cells = (OfferedService.COVERAGES,) if posting.file.endswith(".tif") else ()
        return (OfferedService.MAPS, *cells, OfferedService.CATALOGUE)
    placed = (OfferedService.MAPS, OfferedService.TILES) if posting.has_shapes else ()
    return (OfferedService.FEATURES, *placed, OfferedService.CATALOGUE)
