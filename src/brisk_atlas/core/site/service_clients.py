"""The addresses at which data is had, with a line for each kind of client that can use them."""

from __future__ import annotations

import shlex
from dataclasses import dataclass

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.model import Link, Record

from .site_entry import SiteService

SERVICES = {  # what protocols of records are called there, without their versions, and here
    "ogc:wms": "WMS", "ogc:wfs": "WFS", "ogc:wcs": "WCS", "ogc:wmts": "WMTS", "ogc:csw": "CSW",
    "ogcapi:features": "OGC API Features", "ogc api - features": "OGC API Features",
    "ogcapi-features": "OGC API Features",
    "ogcapi:tiles": "OGC API Tiles", "stac": "STAC API", "xyz": "XYZ tiles",
}  # fmt: skip
IN_A_GIS = tr("in a GIS")
GIS_LINES = {
    "WMS": tr("add a WMS layer by this address"), "WFS": tr("add a WFS layer by this address"),
    "WCS": tr("add a WCS layer by this address"), "WMTS": tr("add a WMTS layer by this address"),
    "CSW": tr("add a catalogue by this address"), 
    "OGC API Features": tr("add an OGC API Features layer by this address"),
    "OGC API Tiles": tr("add vector tiles by this address"), "STAC API": tr("add a STAC catalogue by this address"),
    "XYZ tiles": tr("add XYZ tiles by this address"),
}  # fmt: skip
PYTHON = {
    "WMS": "owslib.wms.WebMapService({address!r})", "WFS": "owslib.wfs.WebFeatureService({address!r}, version='2.0.0')",
    "WCS": "owslib.wcs.WebCoverageService({address!r})", "WMTS": "owslib.wmts.WebMapTileService({address!r})",
    "CSW": "owslib.catalogue.csw2.CatalogueServiceWeb({address!r})",
    "OGC API Features": "owslib.ogcapi.features.Features({address!r}).collection_items({name!r})",
    "STAC API": "pystac_client.Client.open({address!r})",
}  # fmt: skip
FEATURE_FILES, TABLE_FILES = ("application/geopackage+sqlite3", "application/geo+json"), ("text/csv",)
GRID_FILES = ("image/tiff",)


@dataclass(frozen=True)
class AddressLines:
    """An address, what it is called, and (client, line) for each kind of client."""

    name: str
    address: str
    clients: tuple[tuple[str, str], ...]


def services_in(record: Record) -> tuple[SiteService, ...]:
    """Return the services that a record links to."""
    found = [SiteService(standard, link.url, link.name) for link in record.links if (standard := _standard_of(link))]
    return tuple(dict.fromkeys(found))


def _standard_of(link: Link) -> str:
    """Return the standard that a link is served by, "" for a link to no service."""
    protocol = link.protocol.strip().lower()
    named = next((standard for word, standard in SERVICES.items() if protocol.startswith(word)), "")
    if named or not link.url.startswith(("http://", "https://")):
        return named
    query = link.url.lower().partition("?")[2]
    return next((name.upper() for name in ("wms", "wfs", "wcs", "wmts", "csw") if f"service={name}" in query), "")


def lines_of_service(service: SiteService) -> AddressLines:
    """Return the address of a service with its clients."""
    name = f"{service.standard}: {service.name}" if service.name else service.standard
    clients = [(IN_A_GIS, GIS_LINES.get(service.standard, tr("add a layer by this address")))]
    if service.standard in PYTHON:
        clients.append(("Python", PYTHON[service.standard].format(address=service.address, name=service.name)))
    clients.append((tr("shell"), f"curl -o answer {shlex.quote(service.address)}"))
    return AddressLines(name, service.address, tuple(clients))


def lines_of_file(name: str, address: str, media_type: str) -> AddressLines:
    """Return the address of a file of the site with the clients that read it where it lies."""
    clients = [(tr("shell"), f"curl -LO {shlex.quote(address)}")]
    if media_type in FEATURE_FILES:
        clients = [
            (IN_A_GIS, tr("add a vector layer by this address")),
            ("Python", f"geopandas.read_file({address!r})"),
            *clients,
        ]
    elif media_type in GRID_FILES:
        clients = [(IN_A_GIS, tr("add a raster layer by this address; only what is seen is fetched")),
                   ("Python", f"rasterio.open({address!r})"), *clients]  # fmt: skip
    elif media_type in TABLE_FILES:
        clients = [("Python", f"pandas.read_csv({address!r})"), *clients]
    return AddressLines(name, address, tuple(clients))
