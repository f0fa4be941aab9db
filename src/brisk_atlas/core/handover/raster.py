"""Handing over a piece of a raster."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import rasterio
from affine import Affine
from rasterio.enums import ColorInterp
from rasterio.errors import RasterioError
from rasterio.warp import calculate_default_transform
from rasterio.windows import Window

from brisk_atlas.core.model import Band, CannotWrite, CellWindow, Extent, Lattice, RasterPart
from brisk_atlas.core.place import proj_crs, same_crs, transform_extent
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.system.atomic_write import reason_of, written_beside

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


def _lattice(part: RasterPart, order: RasterOrder) -> tuple[Lattice, CellWindow | None]:
    """Return the grid of the result, and which of the source's cells it is where they are copied as they are."""
    facts, own = part.facts, part.facts.lattice
    assert facts.extent is not None
    crs = order.crs or facts.crs
    source = facts.extent
    if order.within is not None:
        placed = transform_extent(order.within, facts.crs)
        meeting = [cut for side in sides_of(placed) if (cut := side.intersection(source))] if placed else []
        if len(meeting) > 1 and all(cut.width > 0 for cut in meeting):
            raise CannotWrite(
                order.path,
                "the extent goes across 180 degrees, where the grid's cells end",
                "Hand over each side by itself, or show the map in a CRS around 180 degrees and hand over in that.",
            )
        cut = meeting[0] if meeting else None
        if cut is None or cut.width <= 0 or cut.height <= 0:
            raise CannotWrite(
                order.path, "the extent does not meet the grid", "Move the map over the grid, or take all of it."
            )
        source = cut
    if same_crs(crs, facts.crs) and order.resolution is None:
        window = own.window_of(source)
        return replace(own.within(window), crs=crs), window
    width, height = own.cell
    columns, rows = max(1, round(source.width / width)), max(1, round(source.height / height))
    resolution = order.resolution
    t, columns, rows = calculate_default_transform(
        proj_crs(facts.crs or crs or "").to_wkt(),
        proj_crs(crs or facts.crs or "").to_wkt(),
        columns,
        rows,
        *source.bounds,
        **({"resolution": resolution} if resolution else {}),
    )
    return Lattice(t.a, t.b, t.c, t.d, t.e, t.f, int(columns), int(rows), crs), None


@dataclass(frozen=True)
class _Storage:
    """How values and gaps are stored: the nodata value, or a mask where none is free."""

    dtype: np.dtype
    nodata: float | None
    masked: bool


def _storage(part: RasterPart, as_is: bool) -> _Storage:
    assert part.facts.grid is not None
    dtype = np.dtype(part.value_dtype)
    nodata = part.facts.grid.nodata if part.value_dtype == part.facts.grid.dtype else None
    if nodata is None and dtype.kind == "f":
        nodata = float("nan")
    return _Storage(dtype, nodata, nodata is None and not (as_is and part.all_valid))


def hand_over_raster(
    part: RasterPart, order: RasterOrder, report: Callable[[float, str], None] = lambda share, step: None
) -> tuple[int, int]:
    """Write a piece of a raster block by block; returns (columns, rows). Raises CannotWrite."""
    facts = part.facts
    assert facts.grid is not None
    path = (
        order.path if order.path.suffix.lower() in (".tif", ".tiff") else order.path.with_name(order.path.name + ".tif")
    )
    lattice, window = _lattice(part, order)
    columns, rows = lattice.columns, lattice.rows
    if columns * rows > MOST_CELLS:
        raise CannotWrite(
            path, f"the result would have {columns * rows:,} cells", "Choose a smaller extent or larger cells."
        )
    storage = _storage(part, window is not None)
    names = {band.index: band for band in facts.grid.bands}
    with written_beside(path) as beside:
        try:
            with (
                rasterio.Env(GDAL_TIFF_INTERNAL_MASK=True),
                rasterio.open(
                    beside,
                    "w",
                    driver="GTiff",
                    width=columns,
                    height=rows,
                    count=len(order.bands),
                    dtype=storage.dtype,
                    nodata=storage.nodata,
                    crs=proj_crs(lattice.crs).to_wkt() if lattice.crs else None,
                    transform=Affine(*lattice.transform),
                    tiled=True,
                    blockxsize=BLOCK,
                    blockysize=BLOCK,
                    compress="deflate",
                    predictor=3 if storage.dtype.kind == "f" else 2,
                    bigtiff="if_safer",
                ) as out,
            ):
                _describe(out, [names[index] for index in order.bands], storage)
                windows = [block for _, block in out.block_windows(1)]
                for done, block in enumerate(windows):
                    report(0.05 + 0.9 * done / len(windows), "writing")
                    _write_block(out, part, order, block, lattice, window, storage)
            check_written(beside, columns, rows)
        except (RasterioError, OSError) as error:
            raise reason_of(error, path) from error
        report(0.97, "moving into place")
    return columns, rows


def _write_block(
    out: rasterio.io.DatasetWriter,
    part: RasterPart,
    order: RasterOrder,
    block: Window,
    lattice: Lattice,
    window: CellWindow | None,
    storage: _Storage,
) -> None:
    col, row, width, height = (int(v) for v in (block.col_off, block.row_off, block.width, block.height))
    piece = CellWindow(col, row, col + width, row + height)
    smooth = order.smooth and not any(part.facts.grid and part.facts.grid.bands[i - 1].classes for i in order.bands)
    gaps = np.zeros((height, width), bool)
    for position, index in enumerate(order.bands, 1):
        if window is not None:
            x, y = window.first_column, window.first_row
            grid = part.block(CellWindow(x + col, y + row, x + col + width, y + row + height), bands=(index,))
        else:
            grid = part.onto(lattice.within(piece), bands=(index,), smooth=smooth)
        fill = 0 if storage.nodata is None else storage.nodata
        out.write(np.where(grid.valid, grid.values[0], fill).astype(storage.dtype), position, window=block)
        gaps |= ~grid.valid
    if storage.masked:
        out.write_mask(~gaps, window=block)


def _describe(out: rasterio.io.DatasetWriter, bands: list[Band], storage: _Storage) -> None:
    """Give the bands of a file their names, units, colours and what they are."""
    for position, band in enumerate(bands, 1):
        out.set_band_description(position, band.name)
        if band.unit:
            out.set_band_unit(position, band.unit)
    roles = [ColorInterp[band.role] if band.role in ColorInterp.__members__ else None for band in bands]
    if {ColorInterp.red, ColorInterp.green, ColorInterp.blue} <= set(roles):
        out.colorinterp = [role or ColorInterp.undefined for role in roles]
    classes = bands[0].classes
    if len(bands) == 1 and classes and storage.dtype in (np.uint8, np.uint16):
        table = {value: (*bytes.fromhex(colour[1:7]), 255) for value, colour, _ in classes}
        out.write_colormap(1, table)


def check_written(path: Path, columns: int, rows: int) -> None:
    """Read a grid that was written through once. Raises RasterioError or OSError for one that is not whole, which
    the library may not notice when it closes a file on a full disk."""
    with rasterio.open(path) as made:
        if (made.width, made.height) != (columns, rows):
            raise OSError("what was written can't be read back")
        for _, block in made.block_windows(1):
            made.read(window=block)
