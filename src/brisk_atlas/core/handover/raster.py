"""Handing over a piece of a raster."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import rasterio
from rasterio.errors import RasterioError
from rasterio.transform import from_bounds
from rasterio.warp import calculate_default_transform

from brisk_atlas.core.model import CannotWrite, Extent, RasterPart
from brisk_atlas.core.place import proj_crs, same_crs, transform_extent
from brisk_atlas.core.target import reason_of, written_beside

FORMATS = {"GeoTIFF": (".tif", "Tiled, deflate-compressed.")}
BLOCK = 512
MOST_CELLS = 4_000_000_000


@dataclass(frozen=True)
class RasterOrder:
    """What to hand over. `within` cuts to an extent; `crs` and `resolution` (units of it) are those
    of the result, None to keep the source's; `smooth` interpolates when cells must be remade."""

    path: Path
    bands: tuple[int, ...]
    crs: str | None = None
    resolution: float | None = None
    within: Extent | None = None
    smooth: bool = True


def _lattice(part: RasterPart, order: RasterOrder) -> tuple[Extent, int, int, bool]:
    """Return the extent, columns and rows of the result, and whether cells are copied as they are."""
    facts = part.facts
    assert facts.extent is not None and facts.grid is not None
    crs = order.crs or facts.crs
    source = facts.extent
    if order.within is not None:
        placed = transform_extent(order.within, facts.crs)
        cut = placed.intersection(source) if placed else None
        if cut is None or cut.width <= 0 or cut.height <= 0:
            raise CannotWrite(
                order.path, "the extent does not meet the grid", "Move the map over the grid, or take all of it."
            )
        source = cut
    width, height = facts.grid.resolution
    if same_crs(crs, facts.crs) and order.resolution is None:
        whole = facts.extent
        c0, c1 = np.floor((source.xmin - whole.xmin) / width + 1e-6), np.ceil((source.xmax - whole.xmin) / width - 1e-6)
        r0, r1 = (
            np.floor((whole.ymax - source.ymax) / height + 1e-6),
            np.ceil((whole.ymax - source.ymin) / height - 1e-6),
        )
        extent = Extent(
            whole.xmin + c0 * width, whole.ymax - r1 * height, whole.xmin + c1 * width, whole.ymax - r0 * height, crs
        )
        return extent, int(c1 - c0), int(r1 - r0), True
    columns, rows = max(1, round(source.width / width)), max(1, round(source.height / height))
    resolution = order.resolution
    transform, columns, rows = calculate_default_transform(
        proj_crs(facts.crs or crs or "").to_wkt(),
        proj_crs(crs or facts.crs or "").to_wkt(),
        columns,
        rows,
        *source.bounds,
        **({"resolution": resolution} if resolution else {}),
    )
    extent = Extent(
        transform.c, transform.f + rows * transform.e, transform.c + columns * transform.a, transform.f, crs
    )
    return extent, int(columns), int(rows), False


def hand_over_raster(
    part: RasterPart, order: RasterOrder, report: Callable[[float, str], None] = lambda share, step: None
) -> tuple[int, int]:
    """Write a piece of a raster block by block; returns (columns, rows). Raises CannotWrite."""
    facts = part.facts
    assert facts.grid is not None
    path = (
        order.path if order.path.suffix.lower() in (".tif", ".tiff") else order.path.with_name(order.path.name + ".tif")
    )
    extent, columns, rows, as_is = _lattice(part, order)
    if columns * rows > MOST_CELLS:
        raise CannotWrite(
            path, f"the result would have {columns * rows:,} cells", "Choose a smaller extent or larger cells."
        )
    kind = np.dtype(part.value_dtype)
    nodata = facts.grid.nodata if part.value_dtype == facts.grid.dtype else None
    nodata = nodata if nodata is not None else (np.nan if kind.kind == "f" else None)
    names = {band.index: band for band in facts.grid.bands}
    with written_beside(path) as beside:
        try:
            with rasterio.open(
                beside,
                "w",
                driver="GTiff",
                width=columns,
                height=rows,
                count=len(order.bands),
                dtype=part.value_dtype,
                nodata=nodata,
                crs=proj_crs(extent.crs).to_wkt() if extent.crs else None,
                transform=from_bounds(*extent.bounds, columns, rows),
                tiled=True,
                blockxsize=BLOCK,
                blockysize=BLOCK,
                compress="deflate",
                predictor=3 if kind.kind == "f" else 2,
                bigtiff="if_safer",
            ) as out:
                windows = [window for _, window in out.block_windows(1)]
                for done, window in enumerate(windows):
                    report(0.05 + 0.9 * done / len(windows), "writing")
                    west, south, east, north = out.window_bounds(window)
                    block = Extent(west, south, east, north, extent.crs)
                    shape = int(window.height), int(window.width)
                    grid = part.read(block, shape, bands=order.bands, smooth=order.smooth and not as_is)
                    fill = 0 if nodata is None else nodata
                    out.write(np.where(grid.valid, grid.values, fill).astype(kind), window=window)
                for position, index in enumerate(order.bands, 1):
                    out.set_band_description(position, names[index].name)
                    if names[index].unit:
                        out.set_band_unit(position, names[index].unit)
        except (RasterioError, OSError) as error:
            raise reason_of(error, path) from error
        report(0.97, "moving into place")
    return columns, rows
