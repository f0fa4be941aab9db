"""Raster formats through rasterio, with warping on the fly."""

from __future__ import annotations

import os
import threading
import warnings
from collections import OrderedDict
from dataclasses import dataclass
from math import ceil
from pathlib import Path

import numpy as np
import rasterio
from rasterio.enums import ColorInterp, MaskFlags, Resampling
from rasterio.errors import NotGeoreferencedWarning, RasterioError
from rasterio.transform import from_bounds
from rasterio.vrt import WarpedVRT
from rasterio.windows import Window
from scipy.io import netcdf_file

from brisk_atlas.core.model import Band, CannotRead, Dataset, Extent, Facts, GridFacts, Level, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place import same_crs, text_of

from .content import content_of, head_of
from .members import on_disk
from .xml import parse_xml

BROKEN = "The copy may have been cut short; ask for the file again."
HANDLES_A_THREAD = 24
OVERVIEW_BLOCK = 128  # the library's own choice for overviews inside a TIFF
READ_THROUGH_BYTES = 50_000_000  # netCDF files up to this size are read once to see whether they are whole
LAST_BLOCKS = 8  # looked at in each level for whether the file holds them
BLOCKS_KEPT_MB = 160  # of decoded cells; the library's own choice is a share of all memory
os.environ.setdefault("GDAL_CACHEMAX", str(BLOCKS_KEPT_MB))  # read when the first file is opened
_open = threading.local()
warnings.simplefilter("ignore", NotGeoreferencedWarning)  # facts say so in plain words


def handle(path: Path | str, overview: int | None = None) -> rasterio.DatasetReader:
    """Return an open file or one of its overviews, one a thread, reopened when the file has changed."""
    handles: OrderedDict = _open.__dict__.setdefault("handles", OrderedDict())
    key = (str(path), overview, Path(path).stat().st_mtime_ns if Path(path).exists() else 0)
    if key not in handles:
        choice = {} if overview is None else {"overview_level": overview}
        handles[key] = rasterio.open(path, sharing=False, **choice)
        while len(handles) > HANDLES_A_THREAD:
            handles.popitem(last=False)[1].close()
    handles.move_to_end(key)
    return handles[key]


@dataclass(frozen=True)
class RasterFile(RasterPart):
    """The bands of one raster, each found in `files` as (file, band number); all on one grid."""

    files: tuple[tuple[str, int], ...]

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
        return self._guarded(lambda: _cells(handle(file, level.number), index, window))

    def to_cells(self, band: int, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        t = ~handle(self.files[band - 1][0]).transform
        return t.a * x + t.b * y + t.c, t.d * x + t.e * y + t.f

    def _guarded(self, work):  # type: ignore[no-untyped-def]
        try:
            return work()
        except (RasterioError, OSError) as error:
            raise CannotRead(self.path, f"reading its cells failed ({_first_line(error)})", BROKEN) from error

    def _band(self, band: int, extent: Extent, shape: tuple[int, int], smooth: bool) -> np.ma.MaskedArray:
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
            found.append(handle(file).read(index, window=Window(c0, r0, c1 - c0, r1 - r0), masked=True))
        return _stacked(found, part)


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


def _classes(source: rasterio.DatasetReader, index: int) -> tuple[tuple[int, str, str], ...]:
    """Return the file's own class colours, named by its .aux.xml where that names them."""
    if source.colorinterp[index - 1] != ColorInterp.palette:
        return ()
    names = _category_names(Path(source.name + ".aux.xml"), index)
    return tuple(
        (value, "#{:02x}{:02x}{:02x}".format(*rgba[:3]), names[value] if value < len(names) else "")
        for value, rgba in source.colormap(index).items()
        if rgba[3] > 0 and (not names or (value < len(names) and names[value]))
    )


def _category_names(sidecar: Path, index: int) -> list[str]:
    if not sidecar.is_file():
        return []
    try:
        tree = parse_xml(sidecar)
    except CannotRead:
        return []
    found = tree.xpath(f"/PAMDataset/PAMRasterBand[@band='{index}']/CategoryNames/Category")
    return [(each.text or "").strip() for each in found]


def grid_facts(source: rasterio.DatasetReader, name: str, bands: tuple[Band, ...] | None = None) -> Facts:
    """Return the facts of an open raster."""
    crs = text_of(source.crs.to_wkt()) if source.crs else None
    if bands is None:
        bands = tuple(
            Band(
                i,
                source.descriptions[i - 1] or source.tags(i).get("long_name") or f"band {i}",
                source.colorinterp[i - 1].name,
                None,
                source.units[i - 1] or "",
                _classes(source, i),
            )
            for i in source.indexes
        )
    tags = source.tags()
    keep = ("AREA_OR_POINT", "VERTICAL_DATUM", "SURVEY_YEAR", "TIFFTAG_SOFTWARE", "TIFFTAG_DATETIME")
    notes = {key.replace("_", " ").lower(): tags[key] for key in keep if key in tags}
    xs, ys = sorted((source.bounds.left, source.bounds.right)), sorted((source.bounds.bottom, source.bounds.top))
    extent = Extent(xs[0], ys[0], xs[1], ys[1], crs)
    grid = GridFacts(
        source.width, source.height, source.dtypes[0], source.nodata, source.res, bands, tuple(source.overviews(1))
    )
    return Facts(name, "raster", crs=crs, extent=extent, grid=grid, notes=notes)


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
        try:
            with netcdf_file(path, mmap=False):  # fails where a variable has no room
                return
        except (TypeError, ValueError, OSError, IndexError) as error:
            raise CannotRead(path, "it ends before its cells do", BROKEN) from error


def open_dataset(path: Path) -> Dataset:
    """Return the dataset of a raster file. Raises CannotRead."""
    try:
        with rasterio.open(path) as source:
            if not source.count:
                raise CannotRead(path, "it holds no single grid", "Containers of several grids are not opened yet.")
            last = source.width - 1, source.height - 1
            source.read(source.count, window=Window(*last, 1, 1))  # a cut-off file fails here, not on the map
            _check_whole(path, source)
            name = source.tags(1).get("NETCDF_VARNAME", path.stem)
            facts = grid_facts(source, name)
            format_ = {"GTiff": "GeoTIFF", "netCDF": "netCDF", "JPEG": "JPEG", "PNG": "PNG"}.get(
                source.driver, source.driver
            )
            files = tuple((str(path), i) for i in source.indexes)
    except (RasterioError, OSError) as error:
        raise CannotRead(path, _first_line(error), BROKEN) from error
    said = [] if facts.crs else ["no coordinate reference system"]
    return Dataset(
        format=format_, kind="raster", parts=(RasterFile(path, facts, files),), warnings=tuple(said), **on_disk(path)
    )
