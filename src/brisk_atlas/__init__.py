"""Brisk Atlas: a desktop reader for spatial data that other people made.

What scripts use is named here, and stays as it is; each name loads when it is first asked for. `brisk_atlas.operations`
has what can be done to data.
"""

import logging
import os
from typing import TYPE_CHECKING

from .late_names import late_names
from .version import VERSION

if TYPE_CHECKING:
    from .core.model import AtlasError, DataRef, Extent, FeatureQuery, OpenOptions, Ordering
    from .core.read import open
    from .core.table.query import ask
    from .core.workspace import Workspace

__version__ = VERSION
__all__ = ["AtlasError", "DataRef", "Extent", "FeatureQuery", "OpenOptions", "Ordering", "Workspace", "ask", "open"]
_MODEL = ("AtlasError", "DataRef", "Extent", "FeatureQuery", "OpenOptions", "Ordering")
_OTHERS = {"open": "core.read", "ask": "core.table.query", "Workspace": "core.workspace"}
__getattr__ = late_names(__name__, dict.fromkeys(_MODEL, "core.model") | _OTHERS)
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
