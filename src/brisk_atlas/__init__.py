"""Brisk Atlas: a desktop reader for spatial data that other people made."""

import logging
import os

__version__ = "0.6.0"
# Drivers of services, of other programs and of pipelines, which a file's content could call, are never registered;
# must be set before the libraries load.
_NEVER = (
    "HTTP WCS WMTS OGCAPI PLMOSAIC EEDAI EEDA DAAS STACIT STACTA GTI GDALG ESRIC MRF PDF Rasterlite NGW "
    "OAPIF WFS CSW Elasticsearch Carto AmigoCloud PLSCENES GPSBabel ADBC MapML GeoRSS GTFS OSM PGDUMP"
)
for _name in ("GDAL_SKIP", "OGR_SKIP"):
    os.environ[_name] = f"{os.environ.get(_name, '')} {_NEVER}".strip()
os.environ.setdefault("CPL_LOG", os.devnull)  # what the libraries say beside their errors is for nobody
os.environ.setdefault("GML_DOWNLOAD_SCHEMA", "NO")
os.environ.setdefault("GML_SKIP_RESOLVE_ELEMS", "ALL")

logging.getLogger(__name__).addHandler(logging.NullHandler())  # nothing is printed unless a log is begun
