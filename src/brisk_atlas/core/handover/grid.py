"""Writing a computed grid to the user's data folder, so that it can be a layer like any other."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import rasterio
from affine import Affine
from rasterio.enums import Resampling
from rasterio.errors import RasterioError

from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.atomic_write import reason_of, written_beside
from brisk_atlas.core.system.folders import data_folder, make_private

from .formats.reading_back import check_written

BLOCK = 256


def derived_folder() -> Path:
    """Return where computed grids are stored."""
    return data_folder("derived")


def derived_path(name: str, suffix: str) -> Path:
    """Return where something computed is stored under a name, in a folder that is there. Raises CannotWrite."""
    path = derived_folder() / (re.sub(r"[^\w.-]+", "_", name)[:120] + suffix)
    try:
        make_private(path.parent)
    except OSError as error:
        raise reason_of(error, path) from error
    return path


def write_grid(grid: Grid, name: str, *, unit: str = "", description: str = "") -> Path:
    """Write the first band of a grid among the application's own data; returns its path. Raises CannotWrite."""
    path = derived_path(name, ".tif")
    write_grid_file(grid, path, unit=unit, description=description or name)
    return path


def write_grid_file(grid: Grid, path: Path, *, unit: str = "", description: str = "") -> None:
    """Write the first band of a grid as GeoTIFF with overviews. Raises CannotWrite."""
    values = np.where(grid.valid, grid.values[0], np.nan).astype(np.float32)
    write_bands_file(replace(grid, values=values[None]), path, (description,), (unit,))


def write_bands_file(grid: Grid, path: Path, names: Sequence[str], units: Sequence[str]) -> None:
    """Write all bands of a grid of float32, NaN without data, as GeoTIFF with overviews. Raises CannotWrite."""
    rows, columns = grid.shape
    with written_beside(path) as beside:
        try:
            with rasterio.open(
                beside,
                "w",
                driver="GTiff",
                width=columns,
                height=rows,
                count=len(names),
                dtype="float32",
                nodata=np.nan,
                crs=proj_crs(grid.extent.crs).to_wkt() if grid.extent.crs else None,
                transform=Affine(*grid.lattice.transform),
                tiled=True,
                blockxsize=BLOCK,
                blockysize=BLOCK,
                compress="deflate",
                predictor=3,
            ) as out:
                for band, (name, unit) in enumerate(zip(names, units), start=1):
                    out.write(grid.values[band - 1], band)
                    out.set_band_description(band, name)
                    out.set_band_unit(band, unit)
                factors = [factor for factor in (2, 4, 8) if min(rows, columns) >= 2 * factor]
                if factors:
                    out.build_overviews(factors, Resampling.average)
            check_written(beside, columns * rows, path)
        except (RasterioError, OSError) as error:
            raise reason_of(error, path) from error
