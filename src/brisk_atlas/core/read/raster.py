"""Raster formats through rasterio, with warping on the fly."""

from __future__ import annotations

import os
import threading
import warnings
from collections import OrderedDict
from dataclasses import dataclass, replace
from math import ceil
from pathlib import Path

import numpy as np
import rasterio
from rasterio.enums import MaskFlags, Resampling
from rasterio.errors import NotGeoreferencedWarning, RasterioError
from rasterio.transform import from_bounds
from rasterio.vrt import WarpedVRT
from rasterio.windows import Window

from brisk_atlas.core.model import Band, CannotRead, Dataset, Extent, Facts, Level, RasterPart, Rescale, named_as
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place import same_crs

from .content import content_of, head_of
from .grid_facts import grid_facts
from .on_disk import on_disk
from .reach import is_remote, library_name, stem_of

BROKEN = "The copy may have been cut short; ask for the file again."
FORMATS = {
    "GTiff": "GeoTIFF",
    "COG": "GeoTIFF",
    "AAIGrid": "ASCII grid",
    "EHdr": "binary grid",
    "ENVI": "ENVI grid",
    "HFA": "Imagine grid",
    "HDF5Image": "HDF5",
    "JP2OpenJPEG": "JPEG 2000",
    "SRTMHGT": "HGT",
}
MOST_GRIDS = 200  # listed of one container
HANDLES_A_THREAD = 24
OVERVIEW_BLOCK = 128  # the library's own choice for overviews inside a TIFF
READ_THROUGH_BYTES = 50_000_000  # netCDF files up to this size are read once to see whether they are whole
LAST_BLOCKS = 8  # looked at in each level for whether the file holds them
BLOCKS_KEPT_MB = 160  # of decoded cells; the library's own choice is a share of all memory
os.environ.setdefault("GDAL_DISABLE_READDIR_ON_OPEN", "TRUE")  # sidecars are asked for by name, not by listing
os.environ.setdefault("GDAL_CACHEMAX", str(BLOCKS_KEPT_MB))  # read when the first file is opened
_open = threading.local()
warnings.simplefilter("ignore", NotGeoreferencedWarning)  # facts say so in plain words


def handle(path: Path | str, overview: int | None = None) -> rasterio.DatasetReader:
    """Return an open file or one of its overviews, one a thread, reopened when the file has changed."""
    handles: OrderedDict = _open.__dict__.setdefault("handles", OrderedDict())
    key = (str(path), overview, _stamp(str(path)))
    if key not in handles:
        choice = {} if overview is None else {"overview_level": overview}
        handles[key] = rasterio.open(path, sharing=False, **choice)
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


@dataclass(frozen=True)
class RasterFile(RasterPart):
    """The bands of one raster, each found in `files` as (file, band number); all on one grid.

    `quantity` is what the stored numbers are turned into; empty for the scale that the file itself
    declares, if any.
    """

    files: tuple[tuple[str, int], ...]
    quantity: str = ""

    def measured_as(self, quantity: str) -> RasterFile:
        if quantity not in self.quantities:
            raise KeyError(quantity)
        assert self.facts.grid is not None
        turned = [_rescale(band, quantity) for band in self.facts.grid.bands]
        bands = tuple(
            replace(band, unit=how.unit) for band, how in zip(self.facts.grid.bands, turned) if how is not None
        )
        notes = {**self.facts.notes, "values": f"{quantity}: {turned[0].formula() if turned[0] else ''}"}
        grid = replace(self.facts.grid, bands=bands)
        return replace(
            self,
            facts=replace(self.facts, name=named_as(self.facts.name, quantity), grid=grid, notes=notes),
            quantity=quantity,
        )

    @property
    def value_dtype(self) -> str:
        assert self.facts.grid is not None
        turned = any(_rescale(band, self.quantity) is not None for band in self.facts.grid.bands)
        return "float32" if turned else self.facts.grid.dtype

    def _turn(self, band: int) -> Rescale | None:
        assert self.facts.grid is not None
        return _rescale(self.facts.grid.bands[band - 1], self.quantity)

    def read(
        self, extent: Extent, shape: tuple[int, int], *, bands: tuple[int, ...] = (1,), smooth: bool = False
    ) -> Grid:
        return self._guarded(lambda: _stacked([self._band(b, extent, shape, smooth) for b in bands], extent))

    def native(self, window: Extent | None = None, *, bands: tuple[int, ...] = (1,)) -> Grid:
        return self._guarded(lambda: self._native(window, bands))

    def levels(self, band: int) -> tuple[Level, ...]:
        return self._guarded(lambda: _levels(handle(self.files[band - 1][0]), self.files[band - 1]))

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        file, index = self.files[band - 1]
        stored = self._guarded(lambda: _cells(handle(file, level.number), index, window))
        turn = self._turn(band)
        return stored if turn is None else turn(stored)

    def to_cells(self, band: int, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        t = ~handle(self.files[band - 1][0]).transform
        return t.a * x + t.b * y + t.c, t.d * x + t.e * y + t.f

    def _guarded(self, work):  # type: ignore[no-untyped-def]
        try:
            return work()
        except (RasterioError, OSError) as error:
            raise CannotRead(self.path, f"reading its cells failed ({_first_line(error)})", BROKEN) from error

    def _band(self, band: int, extent: Extent, shape: tuple[int, int], smooth: bool) -> np.ma.MaskedArray:
        return _turned(self._stored(band, extent, shape, smooth), self._turn(band))

    def _stored(self, band: int, extent: Extent, shape: tuple[int, int], smooth: bool) -> np.ma.MaskedArray:
        file, index = self.files[band - 1]
        source = handle(file)
        if same_crs(self.facts.crs, extent.crs) and _is_north_up(source):
            return _decimated(source, index, extent, shape, smooth)
        transform = from_bounds(*extent.bounds, shape[1], shape[0])
        with WarpedVRT(
            source,
            src_crs=self.facts.crs,
            crs=extent.crs,
            transform=transform,
            width=shape[1],
            height=shape[0],
            resampling=Resampling.bilinear if smooth else Resampling.nearest,
            add_alpha=source.nodata is None,
        ) as warped:
            return warped.read(index, masked=True)

    def _native(self, window: Extent | None, bands: tuple[int, ...]) -> Grid:
        assert self.facts.extent is not None and self.facts.grid is not None
        whole, grid = self.facts.extent, self.facts.grid
        width, height = grid.resolution
        c0, r0, c1, r1 = 0, 0, grid.width, grid.height
        if window is not None:
            c0 = int(np.clip((window.xmin - whole.xmin) // width, 0, grid.width))
            c1 = int(np.clip(-((whole.xmin - window.xmax) // width), 0, grid.width))
            r0 = int(np.clip((whole.ymax - window.ymax) // height, 0, grid.height))
            r1 = int(np.clip(-((window.ymin - whole.ymax) // height), 0, grid.height))
        part = Extent(
            whole.xmin + c0 * width,
            whole.ymax - r1 * height,
            whole.xmin + c1 * width,
            whole.ymax - r0 * height,
            self.facts.crs,
        )
        if c1 <= c0 or r1 <= r0:
            return Grid(np.zeros((len(bands), 0, 0)), np.zeros((0, 0), bool), part)
        found = []
        for band in bands:
            file, index = self.files[band - 1]
            stored = handle(file).read(index, window=Window(c0, r0, c1 - c0, r1 - r0), masked=True)
            found.append(_turned(stored, self._turn(band)))
        return _stacked(found, part)


def _rescale(band: Band, quantity: str) -> Rescale | None:
    return next((how for how in band.rescale if how.quantity == quantity), None)


def _turned(stored: np.ma.MaskedArray, turn: Rescale | None) -> np.ma.MaskedArray:
    if turn is None:
        return stored
    gone = np.ma.getmaskarray(stored)
    values = turn(stored.data)
    values[gone] = np.nan  # what stands for no data means nothing once it is turned
    return np.ma.MaskedArray(values, gone)


def _levels(source: rasterio.DatasetReader, file: tuple[str, int]) -> tuple[Level, ...]:
    width, height = source.width, source.height
    found = [Level(1.0, 1.0, width, height)]
    for number, factor in enumerate(source.overviews(file[1])):
        w, h = ceil(width / factor), ceil(height / factor)
        found.append(Level(width / w, height / h, w, h, number))
    return tuple(found)


def _cells(source: rasterio.DatasetReader, index: int, window: tuple[int, int, int, int]) -> np.ndarray:
    c0, r0, c1, r1 = window
    part = Window(c0, r0, c1 - c0, r1 - r0)
    values = source.read(index, window=part, out_dtype="float32")
    flags = source.mask_flag_enums[index - 1]
    nodata = source.nodatavals[index - 1]
    if nodata is not None:
        if not np.isnan(nodata):
            values[values == np.float32(nodata)] = np.nan
    elif MaskFlags.all_valid not in flags:
        values[source.read_masks(index, window=part) == 0] = np.nan
    return values


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0][:160] if str(error) else type(error).__name__


def _is_north_up(source: rasterio.DatasetReader) -> bool:
    t = source.transform
    return t.b == 0 and t.d == 0 and t.a > 0 and t.e < 0


def _stacked(bands: list[np.ma.MaskedArray], extent: Extent) -> Grid:
    valid = ~np.any([np.ma.getmaskarray(b) for b in bands], axis=0)
    values = np.stack([b.data for b in bands])
    if values.dtype.kind == "f":
        valid &= np.isfinite(values).all(axis=0)
    return Grid(values, valid, extent)


def _decimated(
    source: rasterio.DatasetReader, index: int, extent: Extent, shape: tuple[int, int], smooth: bool
) -> np.ma.MaskedArray:
    """Read `extent` at `shape`; output cells whose centre lies outside the file are masked."""
    rows, cols = shape
    out = np.ma.masked_all(shape, source.dtypes[index - 1])
    width, height = extent.width / cols, extent.height / rows
    bounds = source.bounds
    c0 = max(0, int(np.ceil((bounds.left - extent.xmin) / width - 0.5)))
    c1 = min(cols, int(np.floor((bounds.right - extent.xmin) / width + 0.5)))
    r0 = max(0, int(np.ceil((extent.ymax - bounds.top) / height - 0.5)))
    r1 = min(rows, int(np.floor((extent.ymax - bounds.bottom) / height + 0.5)))
    if c1 <= c0 or r1 <= r0:
        return out
    left, right = (extent.xmin + c * width for c in (c0, c1))
    top, bottom = (extent.ymax - r * height for r in (r0, r1))
    t = source.transform
    x0, x1 = (min(max((v - t.c) / t.a, 0.0), source.width) for v in (left, right))
    y0, y1 = (min(max((v - t.f) / t.e, 0.0), source.height) for v in (top, bottom))
    coarser = width > 1.01 * t.a
    how = Resampling.average if smooth and coarser else Resampling.bilinear if smooth else Resampling.nearest
    out[r0:r1, c0:c1] = source.read(
        index, window=Window(x0, y0, x1 - x0, y1 - y0), out_shape=(r1 - r0, c1 - c0), masked=True, resampling=how
    )
    return out


def _check_whole(path: Path, source: rasterio.DatasetReader) -> None:
    """Raise CannotRead for a file that ends before its cells do, which the library may not notice."""
    size = path.stat().st_size
    if source.driver == "GTiff":
        block_rows, block_cols = source.block_shapes[0]
        for level, shrink in ((None, 1), *enumerate(source.overviews(1))):
            tall, wide = (block_rows, block_cols) if level is None else (OVERVIEW_BLOCK, OVERVIEW_BLOCK)
            rows, columns = ceil(ceil(source.height / shrink) / tall), ceil(ceil(source.width / shrink) / wide)
            for number in range(rows * columns - 1, max(-1, rows * columns - 1 - LAST_BLOCKS), -1):
                at = f"{number % columns}_{number // columns}"
                offset = source.get_tag_item(f"BLOCK_OFFSET_{at}", "TIFF", bidx=1, ovr=level)
                length = source.get_tag_item(f"BLOCK_SIZE_{at}", "TIFF", bidx=1, ovr=level)
                if offset and length and int(offset) + int(length) > size:
                    raise CannotRead(path, f"it ends before its cells do, after {size:,} bytes", BROKEN)
    elif source.driver == "netCDF" and size < READ_THROUGH_BYTES and content_of(head_of(path)) == "netCDF":
        from scipy.io import netcdf_file  # slow to load, and seldom needed

        try:
            with netcdf_file(path, mmap=False):  # fails where a variable has no room
                return
        except (TypeError, ValueError, OSError, IndexError) as error:
            raise CannotRead(path, "it ends before its cells do", BROKEN) from error


def part_of(path: Path, name: str, called: str) -> RasterFile:
    """Return one grid of a container by the name that the library gives it. Raises CannotRead."""
    try:
        with rasterio.open(name) as source:
            facts = grid_facts(source, called)
            return RasterFile(path, facts, tuple((name, i) for i in source.indexes))
    except (RasterioError, OSError, ValueError) as error:
        raise CannotRead(path, f"{called} can't be read ({_first_line(error)})", BROKEN) from error


def _called(name: str, path: Path) -> str:
    """Return what a subdataset is called: the end of the name that the library gives it."""
    return name.rpartition(str(path))[2].strip('":/') or name


def _grids(path: Path, names: list[str]) -> tuple[list[RasterFile], list[str]]:
    """Return those of a container's grids that can be read, and what is wrong with the others."""
    parts, said = [], []
    for name in names[:MOST_GRIDS]:
        called = _called(name, path)
        try:
            part = part_of(path, name, called)
        except CannotRead as error:
            said.append(f"{called}: {error.reason}")
            continue
        assert part.facts.grid is not None
        if min(part.facts.grid.width, part.facts.grid.height) > 1:  # else it is an axis, not a grid
            parts.append(part)
    if len(names) > MOST_GRIDS:
        said.append(f"only the first {MOST_GRIDS} of {len(names):,} grids are listed")
    return parts, said


def open_dataset(path: Path) -> Dataset:
    """Return the dataset of a raster file or folder. Raises CannotRead."""
    from .tile_folder import is_tile_folder

    if is_remote(path) or not path.is_dir() or not is_tile_folder(path):
        return open_named(path, library_name(path))
    from .tile_folder import service_of

    service, zoom, tiles = service_of(path)
    return open_named(path, service, format_="map tiles", notes={"zoom": str(zoom), "tiles there": f"{tiles:,}"})


def open_named(path: Path, name: str, *, format_: str = "", notes: dict[str, str] | None = None) -> Dataset:
    """Return the dataset that the raster library reaches by `name`. Raises CannotRead."""
    said: list[str] = []
    try:
        with rasterio.open(name) as source:
            format_ = format_ or FORMATS.get(source.driver, source.driver)
            if (source.count and source.driver not in ("Zarr",)) or not source.subdatasets:
                if not source.count:
                    raise CannotRead(path, "it holds no grid", "It may hold tables alone.")
                last = source.width - 1, source.height - 1
                if source.driver != "WMS" and not is_remote(path):
                    if source.driver != "GTiff":
                        source.read(
                            source.count, window=Window(*last, 1, 1)
                        )  # a cut-off file fails here, not on the map
                    _check_whole(path, source)
                facts = grid_facts(source, source.tags(1).get("NETCDF_VARNAME") or stem_of(path))
                facts.notes.update(notes or {})
                parts = [RasterFile(path, facts, tuple((name, i) for i in source.indexes))]
            else:
                parts, said = _grids(path, source.subdatasets)
    except (RasterioError, OSError, ValueError) as error:
        raise CannotRead(path, _first_line(error), BROKEN) from error
    if not parts:
        raise CannotRead(path, "it holds no grid of two dimensions that can be read", "It may hold tables alone.")
    said += remarks([part.facts for part in parts])
    return Dataset(format=format_, kind="raster", parts=tuple(parts), warnings=tuple(said), **on_disk(path))


def remarks(facts: list[Facts]) -> list[str]:
    """Return what should be said of grids before they are used."""
    if len(facts) == 1:
        return [] if facts[0].crs or "place" in facts[0].notes else ["no coordinate reference system"]
    return [f"{f.name}: no coordinate reference system" for f in facts if not f.crs]
