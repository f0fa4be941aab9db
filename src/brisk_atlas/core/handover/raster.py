"""Handing over a piece of a raster: its own cells, or as it is on others."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from rasterio.warp import calculate_default_transform

from brisk_atlas.core.model import CannotWrite, CellWindow, Extent, Lattice, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs, same_crs, transform_extent
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.system.scratch import ScratchFolder

from .flows import GridFlow
from .step import StepContext
from .steps.write import WriteStep

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
                tr("the extent goes across 180 degrees, where the grid's cells end"),
                tr("Hand over each side by itself, or show the map in a CRS around 180 degrees and hand over in that."),
            )
        cut = meeting[0] if meeting else None
        if cut is None or cut.width <= 0 or cut.height <= 0:
            raise CannotWrite(
                order.path,
                tr("the extent does not meet the grid"),
                tr("Move the map over the grid, or take all of it."),
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


def hand_over_raster(
    part: RasterPart, order: RasterOrder, report: Callable[[float, str], None] = lambda share, step: None
) -> tuple[int, int]:
    """Write a piece of a raster block by block; returns (columns, rows). Raises CannotWrite."""
    facts = part.facts
    assert facts.grid is not None
    path = order.path
    path = path if path.suffix.lower() in (".tif", ".tiff") else path.with_name(path.name + ".tif")
    lattice, window = _lattice(part, order)
    if lattice.columns * lattice.rows > MOST_CELLS:
        raise CannotWrite(path, tr("the result would have {columns:,} cells", columns=lattice.columns * lattice.rows),
                          tr("Choose a smaller extent or larger cells."))  # fmt: skip
    named = {band.index: band for band in facts.grid.bands}
    smooth = order.smooth and not any(facts.grid.bands[index - 1].classes for index in order.bands)

    def read(piece: CellWindow, bands: tuple[int, ...]) -> Grid:
        own = tuple(order.bands[band - 1] for band in bands)
        if window is None:
            return part.onto(lattice.within(piece), bands=own, smooth=smooth)
        x, y = window.first_column, window.first_row
        return part.block(CellWindow(piece[0] + x, piece[1] + y, piece[2] + x, piece[3] + y), bands=own)

    flow = GridFlow(
        path.stem, lattice, tuple(named[index] for index in order.bands), np.dtype(part.value_dtype),
        facts.grid.nodata if part.value_dtype == facts.grid.dtype else None, read,
        all_valid=window is not None and part.all_valid,
    )  # fmt: skip
    with ScratchFolder() as scratch:
        context = StepContext(lambda name: flow, scratch, lambda: None)
        WriteStep(str(path), "GeoTIFF", {"overviews": False}).write(flow, context, report)
    return lattice.columns, lattice.rows
