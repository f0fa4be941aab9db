"""The cells of a raster file as they are stored: its levels, and blocks of them with what is masked."""

from __future__ import annotations

import os
import threading
import warnings
from collections import OrderedDict
from functools import lru_cache
from math import ceil
from pathlib import Path

import numpy as np
import rasterio
from rasterio.enums import MaskFlags
from rasterio.errors import NotGeoreferencedWarning, RasterioError
from rasterio.windows import Window

from brisk_atlas.core.model import CellWindow, Level

from .raster_library import open_raster

HANDLES_A_THREAD = 48  # as many dates as most series have
BLOCKS_KEPT_MB = 64  # of decoded cells; the library's own choice is a share of all memory
HEADED = ("flt", "bil", "bip", "bsq", "img", "dat", "raw")  # endings of grids with a header beside them
OLDER_S = 2.0  # by which overviews beside a file may be older, as when both were copied
CHECKED_SPOTS = 5  # along each side of a grid, where overviews beside a file are held against it
OVERSHOOT = 0.25  # of the local range, by which a cubic overview may leave it
os.environ.setdefault("GDAL_DISABLE_READDIR_ON_OPEN", "TRUE")  # sidecars are asked for by name, not by listing
os.environ.setdefault("GDAL_CACHEMAX", str(BLOCKS_KEPT_MB))  # read when the first file is opened
_open = threading.local()
warnings.simplefilter("ignore", NotGeoreferencedWarning)  # facts say so in plain words


def handle(path: Path | str, overview: int | None = None) -> rasterio.DatasetReader:
    """Return an open file or one of its overviews, one a thread, reopened when the file has changed."""
    handles: OrderedDict = _open.__dict__.setdefault("handles", OrderedDict())
    key = (str(path), overview, _stamp(str(path)), _header_stamp(str(path)))
    if key not in handles:
        choice = {} if overview is None else {"overview_level": overview}
        handles[key] = open_raster(str(path), sharing=False, **choice)
        while len(handles) > HANDLES_A_THREAD:
            handles.popitem(last=False)[1].close()
    handles.move_to_end(key)
    return handles[key]


def _stamp(name: str) -> int:
    """Return the time of change of what a name reaches; 0 for what has none (services, addresses)."""
    file = Path(name)
    try:
        return file.stat().st_mtime_ns if len(name) < 1000 else 0
    except (OSError, ValueError):
        return 0


def _header_stamp(name: str) -> int:
    """Return the time of change of the header by which a grid of plain numbers is read; 0 without one."""
    stem, dot, ending = name.rpartition(".")
    return _stamp(f"{stem}.hdr") if dot and ending.lower() in HEADED else 0


def levels_of(name: str, index: int) -> tuple[Level, ...]:
    """Return the grids on which a band is stored, its own cells first; overviews beside the file that do
    not belong to it are left out."""
    source = handle(name)
    width, height = source.width, source.height
    found = [Level(1.0, 1.0, width, height)]
    if not trusts_overviews(name):
        return tuple(found)
    for number, factor in enumerate(source.overviews(index)):
        w, h = ceil(width / factor), ceil(height / factor)
        found.append(Level(width / w, height / h, w, h, number))
    return tuple(found)


def stored_block(name: str, index: int, level: int | None, window: CellWindow) -> np.ma.MaskedArray:
    """Return the cells of a window of a level in the file's own type, masked where there is no data: by the
    nodata value, a mask inside or beside the file, or an alpha band."""
    source = handle(name, level)
    part = _window(window)
    values = source.read(index, window=part)
    gone = _is_nodata(values, source.nodatavals[index - 1])
    if _has_mask(source, index):
        gone = gone | (source.read_masks(index, window=part) == 0)
    return np.ma.MaskedArray(values, np.broadcast_to(gone, values.shape))


def block_for_drawing(name: str, index: int, level: int | None, window: CellWindow) -> np.ndarray:
    """Return (rows, cols) float32 cells of a window of a level, NaN without data."""
    source = handle(name, level)
    part, nodata = _window(window), source.nodatavals[index - 1]
    exact = nodata is not None and np.dtype(source.dtypes[index - 1]).itemsize > 2  # equal as float32 is not equal
    values = source.read(index, window=part, **({} if exact else {"out_dtype": "float32"}))
    gone = _is_nodata(values, nodata)
    values = values.astype(np.float32, copy=False)
    if gone is not False:
        values[gone] = np.nan
    if _has_mask(source, index):
        values[source.read_masks(index, window=part) == 0] = np.nan
    return values


def has_no_gaps(name: str, index: int) -> bool:
    """Return whether a band has neither a nodata value nor a mask."""
    return MaskFlags.all_valid in handle(name).mask_flag_enums[index - 1]


def is_in_rows(name: str) -> bool:
    """Return whether a file holds whole rows rather than tiles."""
    source = handle(name)
    return bool(source.block_shapes[0][1] >= source.width)


def _window(window: CellWindow) -> Window:
    rows, columns = window.shape
    return Window(window.first_column, window.first_row, columns, rows)


def _has_mask(source: rasterio.DatasetReader, index: int) -> bool:
    flags = source.mask_flag_enums[index - 1]
    return MaskFlags.per_dataset in flags or MaskFlags.alpha in flags


def _is_nodata(values: np.ndarray, nodata: float | None) -> np.ndarray | bool:
    """Return (rows, cols) bool of the cells that have the nodata value, or False for none."""
    if nodata is None or np.isnan(nodata):
        return False if nodata is None or values.dtype.kind != "f" else np.isnan(values)
    if values.dtype.kind in "iu":
        limits = np.iinfo(values.dtype)
        if nodata != int(nodata) or not limits.min <= nodata <= limits.max:
            return False  # no cell can have it
    return values == values.dtype.type(nodata)


def trusts_overviews(name: str) -> bool:
    """Return whether the overviews of a file are of its own cells. Those in a file beside it may be older than
    it, or left from another file of the same name."""
    beside = Path(name + ".ovr")
    stamp, other = _stamp(name), _stamp(str(beside))
    return not other or _is_of(name, stamp, other)


@lru_cache(4096)
def _is_of(name: str, stamp: int, beside: int) -> bool:
    if beside < stamp - OLDER_S * 1e9:
        return False
    try:
        return all(_agrees(name, index) for index in handle(name).indexes[:3])
    except (RasterioError, OSError, ValueError):
        return False


def _agrees(name: str, index: int) -> bool:
    """Return whether the coarsest overview lies within the range of the cells under it, at places spread
    over the grid."""
    source = handle(name)
    factors = source.overviews(index)
    if not factors:
        return True
    factor = factors[0]
    width, height = ceil(source.width / factor), ceil(source.height / factor)
    coarse = handle(name, 0)
    if (coarse.width, coarse.height) != (width, height):
        return False
    for i in range(CHECKED_SPOTS):
        for j in range(CHECKED_SPOTS):
            column, row = (2 * i + 1) * width // (2 * CHECKED_SPOTS), (2 * j + 1) * height // (2 * CHECKED_SPOTS)
            value = stored_block(name, index, 0, CellWindow(column, row, column + 1, row + 1))
            around = CellWindow(
                max(0, (column - 1) * factor), max(0, (row - 1) * factor),
                min(source.width, (column + 2) * factor), min(source.height, (row + 2) * factor),
            )  # fmt: skip
            cells = stored_block(name, index, None, around).compressed().astype(float)
            cells = cells[np.isfinite(cells)]
            found = value.compressed().astype(float)
            if not found.size or not np.isfinite(found[0]):
                if cells.size == around.shape[0] * around.shape[1]:
                    return False
                continue
            if not cells.size:
                return False
            low, high = cells.min(), cells.max()
            slack = OVERSHOOT * (high - low) + 1e-6 * max(abs(low), abs(high))
            if not low - slack <= found[0] <= high + slack:
                return False
    return True
