"""A piece of a grid that is offered, as a GeoTIFF of its numbers."""

from __future__ import annotations

from io import BytesIO

import numpy as np
import rasterio
from rasterio.transform import from_origin

from brisk_atlas.core.model import Extent

from .answers import Refused
from .offers import Depot, Offer

NODATA = -9999.0
MAX_CELLS = 16_000_000


def is_coverage(offer: Offer) -> bool:
    """Return whether an offer is a grid of two dimensions whose cells are square."""
    grid = offer.facts.grid
    if grid is None or grid.dimensions or offer.facts.extent is None:
        return False
    extent = offer.facts.extent
    return abs(extent.width / grid.width - extent.height / grid.height) < 1e-6 * extent.width / grid.width


def coverage_file(depot: Depot, offer: Offer, extent: Extent, columns: int, rows: int) -> bytes:
    """Return the numbers of an offer over an extent in its own CRS. Raises Refused for too many cells."""
    if not (0 < columns * rows <= MAX_CELLS):
        raise Refused("InvalidScaleFactor", f"{columns} x {rows} cells are too many")
    grid = offer.facts.grid
    assert grid is not None
    step = offer.extent_in(offer.crs).width / grid.width
    part = depot.cache.raster(offer.layer.ref)
    numbers = tuple(band.index for band in grid.bands)
    read = part.read(extent, (rows, columns), bands=numbers, smooth=columns < extent.width / step)
    values = np.where(read.valid, read.values, NODATA).astype(np.float32)
    out, cell = BytesIO(), (extent.width / columns, extent.height / rows)
    with rasterio.open(
        out, "w", driver="GTiff", width=columns, height=rows, count=len(numbers), dtype="float32", nodata=NODATA,
        crs=offer.crs, transform=from_origin(extent.xmin, extent.ymax, *cell), compress="deflate",
    ) as made:  # fmt: skip
        made.write(values)
        for number, band in enumerate(grid.bands, 1):
            made.set_band_description(number, band.name)
            made.set_band_unit(number, band.unit)
    return out.getvalue()
