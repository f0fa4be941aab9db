"""Opening what the raster library reads: a file by its name, what lies on a web server by pieces that we fetch."""

from __future__ import annotations

from typing import Any

import rasterio

from brisk_atlas.core.connect.web_file import open_web_file

from .library_names import WEB


def open_raster(name: str, **choice: Any) -> rasterio.DatasetReader:
    """Return an open raster by the name that the library gives it. Raises RasterioError, OSError."""
    if not name.startswith(WEB):
        return rasterio.open(name, **choice)
    return rasterio.open(name.removeprefix("/vsicurl/"), opener=open_web_file, **choice)
