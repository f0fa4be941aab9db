"""Cells: cloud-optimised GeoTIFF and the other formats of grids and pictures."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, NamedTuple

import numpy as np
import rasterio
import rasterio.shutil
from affine import Affine
from rasterio.enums import ColorInterp, Resampling
from rasterio.errors import RasterioError
from rasterio.windows import Window

from brisk_atlas.core.model import AtlasError, Band, CannotWrite, CellWindow, DataKind
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.atomic_write import reason_of
from brisk_atlas.core.system.shares import CORES, pool

from ..flows import Flow, GridFlow
from ..moved_grid import reprojected_grid
from ..step import StepContext
from .format import FileFormat, FormatOption, Loss, Report, enter
from .overviews import Overviews, halvings, overviews_in, with_overviews

BLOCK = 512
TILED = {"tiled": True, "blockxsize": BLOCK, "blockysize": BLOCK, "bigtiff": "if_safer"}
PIECE = 2048  # cells along each side that are computed at once
MOST_CELLS = 40_000_000_000
GRID = frozenset({DataKind.RASTER})
COMPRESSION = FormatOption("compression", "deflate", tr("How cells are packed"), ("deflate", "zstd", "lzw", "none"))
EFFORT = FormatOption("effort", "normal", tr("How hard; small takes much longer"), ("quick", "normal", "small"))
LEVELS = {  # of packing; normal ones give all but a hundredth of what the usual ones do in two thirds of the time
    "deflate": {"quick": 1, "normal": 5, "small": 9}, "zstd": {"quick": 1, "normal": 3, "small": 15},
}  # fmt: skip
TIFF_TAIL = 2 * BLOCK  # cells a side up to which a grid needs no overviews


class _Storage(NamedTuple):
    """How gaps are stored: by a nodata value, or by a mask where none is free."""

    nodata: float | None
    masked: bool


def _storage(flow: GridFlow) -> _Storage:
    nodata = flow.nodata
    if nodata is None and flow.dtype.kind == "f":
        nodata = float("nan")
    return _Storage(nodata, nodata is None and not flow.all_valid)


def pieces(
    flow: GridFlow, windows: list[CellWindow], context: StepContext, report: Report, share: float = 0.9
) -> Iterator[tuple[CellWindow, np.ndarray, np.ndarray]]:
    """Yield windows with their values (bands, rows, cols) and where they are valid, in order, computed on all cores a
    few ahead. Cells without data have the nodata value, else 0."""
    bands = tuple(range(1, len(flow.bands) + 1))
    fill = _storage(flow).nodata or 0

    def work(window: CellWindow) -> tuple[np.ndarray, np.ndarray]:
        context.check()
        found = flow.read(window, bands)
        if found.valid.all():
            return found.values.astype(flow.dtype, copy=False), found.valid
        gap = np.asarray(fill).astype(flow.dtype)
        if len(bands) == 1:
            return np.where(found.valid, found.values, gap).astype(flow.dtype, copy=False), found.valid
        alone = [flow.read(window, (band,)) for band in bands]  # a band may have data where another has none
        values = np.stack([np.where(each.valid, each.values[0], gap) for each in alone])
        return values.astype(flow.dtype, copy=False), np.logical_and.reduce([each.valid for each in alone])

    ahead: list[tuple[CellWindow, Any]] = []
    coming = iter(windows)
    done = 0
    while True:
        while len(ahead) <= CORES and (window := next(coming, None)) is not None:
            ahead.append((window, pool().submit(work, window)))
        if not ahead:
            return
        window, job = ahead.pop(0)
        try:
            values, valid = job.result()
        except BaseException:
            for _, other in ahead:
                other.cancel()
            raise
        done += 1
        report(0.03 + share * done / len(windows), tr("writing"))
        yield window, values, valid


def write_tiff(
    flow: GridFlow, path: Path, context: StepContext, report: Report, *, compression: str = "none",
    effort: str = "normal", share: float = 0.9, overviews: Overviews | None = None,
) -> None:  # fmt: skip
    """Write a grid as tiled GeoTIFF, and give its cells to overviews. Raises RasterioError, OSError."""
    storage = _storage(flow)
    packed = {} if compression == "none" else {
        "compress": compression, "predictor": 3 if flow.dtype.kind == "f" else 2, "num_threads": str(CORES),
    }  # fmt: skip
    if compression in LEVELS:
        packed["zlevel" if compression == "deflate" else "zstd_level"] = LEVELS[compression][effort]
    if flow.dtype.itemsize > 4 and flow.dtype.kind in "iu":
        packed.pop("predictor", None)
    with (
        rasterio.Env(GDAL_TIFF_INTERNAL_MASK=True),
        rasterio.open(
            path, "w", driver="GTiff", width=flow.lattice.columns, height=flow.lattice.rows, count=len(flow.bands),
            dtype=flow.dtype, nodata=storage.nodata, crs=proj_crs(flow.crs).to_wkt() if flow.crs else None,
            transform=Affine(*flow.lattice.transform), **TILED, **packed,
        ) as out,
    ):  # fmt: skip
        _describe(out, flow.bands, flow.dtype)
        for window, values, valid in pieces(flow, flow.windows(PIECE), context, report, share):
            place = Window(window.first_column, window.first_row, values.shape[2], values.shape[1])
            out.write(values, window=place)
            if storage.masked:
                out.write_mask(valid, window=place)
            if overviews is not None:
                overviews.add(window, values)


def _describe(out: rasterio.io.DatasetWriter, bands: tuple[Band, ...], dtype: np.dtype) -> None:
    """Give the bands of a file their names, units, colours and what they are."""
    for position, band in enumerate(bands, 1):
        out.set_band_description(position, band.name)
        if band.unit:
            out.set_band_unit(position, band.unit)
    roles = [ColorInterp[band.role] if band.role in ColorInterp.__members__ else None for band in bands]
    if {ColorInterp.red, ColorInterp.green, ColorInterp.blue} <= set(roles):
        out.colorinterp = [role or ColorInterp.undefined for role in roles]
    classes = bands[0].classes
    if len(bands) == 1 and classes and dtype in (np.uint8, np.uint16):
        out.write_colormap(1, {value: (*bytes.fromhex(colour[1:7]), 255) for value, colour, _ in classes})


def overview_factors(columns: int, rows: int) -> list[int]:
    """Return by how much coarser grids make a grid quick to draw from afar, 2, 4, 8 and so on."""
    factors, factor = [], 2
    while max(columns, rows) / factor * 2 > TIFF_TAIL:
        factors.append(factor)
        factor *= 2
    return factors


def _checked(flow: Flow, path: Path) -> GridFlow:
    assert isinstance(flow, GridFlow)
    cells = flow.lattice.columns * flow.lattice.rows
    if not cells:
        raise CannotWrite(path, tr("the grid has no cell"), tr("Widen the extent."))
    if cells > MOST_CELLS:
        raise CannotWrite(
            path,
            tr("the result would have {cells:,} cells", cells=cells),
            tr("Choose a smaller extent or larger cells."),
        )
    return flow


@contextmanager
def _reasoned(path: Path) -> Iterator[None]:
    try:
        yield
    except (RasterioError, OSError, ValueError) as error:
        if isinstance(error, AtlasError):
            raise
        raise reason_of(error, path) from error


def _write_geotiff(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    flow = _checked(flow, path)
    with _reasoned(path):
        write_tiff(flow, path, context, report, compression=options["compression"], effort=options["effort"])
        factors = overview_factors(flow.lattice.columns, flow.lattice.rows) if options["overviews"] else []
        if factors:
            report(0.95, tr("making overviews"))
            with rasterio.Env(GDAL_NUM_THREADS=str(CORES)), rasterio.open(path, "r+") as out:
                out.build_overviews(factors, _overview_method(flow))
    return flow.lattice.columns * flow.lattice.rows


def _overview_method(flow: GridFlow) -> Resampling:
    return Resampling.nearest if flow.has_classes else Resampling.average


def _write_cog(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    flow = _checked(flow, path)
    with _reasoned(path), TemporaryDirectory(dir=context.scratch) as folder:
        whole, storage = Path(folder, "whole.tif"), _storage(flow)
        lattice = flow.lattice
        factors = [] if storage.masked else halvings(lattice.columns, lattice.rows, PIECE)  # the driver halves masks
        with overviews_in(
            Path(folder), factors, (lattice.rows, lattice.columns), storage.nodata, smooth=not flow.has_classes,
            count=len(flow.bands), dtype=flow.dtype, **TILED,
        ) as overviews:  # fmt: skip
            write_tiff(flow, whole, context, report, share=0.6, overviews=overviews)
        report(0.7, tr("packing"))
        _copied_as_cog(with_overviews(whole, factors) if factors else whole, path, flow, options)
    return flow.lattice.columns * flow.lattice.rows


def _copied_as_cog(whole: Path, path: Path, flow: GridFlow, options: Mapping[str, Any]) -> None:
    compression = options["compression"]
    packed = {"LEVEL": str(LEVELS[compression][options["effort"]])} if compression in LEVELS else {}
    predictor = "YES" if compression != "none" else "NO"
    method = _overview_method(flow).name.upper()
    rasterio.shutil.copy(
        whole, path, driver="COG", COMPRESS=compression.upper(), PREDICTOR=predictor, BLOCKSIZE=str(BLOCK),
        NUM_THREADS=str(CORES), BIGTIFF="IF_SAFER", OVERVIEW_RESAMPLING=method, RESAMPLING="NEAREST", **packed,
    )  # fmt: skip


def with_nodata(flow: GridFlow) -> GridFlow:
    """Return a grid whose gaps have a number, in a wider type where none is free, for formats without masks."""
    if not _storage(flow).masked:
        return flow
    name, nodata = {1: ("int16", -32_768.0), 2: ("int32", -2_147_483_648.0)}.get(
        flow.dtype.itemsize, ("float64", float("nan"))
    )
    wider = np.dtype(name)

    def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
        found = flow.read(window, bands)
        return replace(found, values=found.values.astype(wider))

    return replace(flow, dtype=wider, nodata=nodata, read=read)


def _as_copy(driver: str, *, masks: bool = False, **made: str) -> Callable[..., int]:
    """Return what writes a grid with a driver that copies a whole one; `masks` says that its gaps need no number."""

    def write(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
        flow = _checked(flow, path) if masks else with_nodata(_checked(flow, path))
        given = {key.upper(): str(value) for key, value in options.items() if value != ""}
        with _reasoned(path), TemporaryDirectory(dir=context.scratch) as folder:
            whole = Path(folder, "whole.tif")
            write_tiff(flow, whole, context, report, share=0.7)
            report(0.85, tr("writing"))
            rasterio.shutil.copy(whole, path, driver=driver, **{**made, **given})
        return flow.lattice.columns * flow.lattice.rows

    return write


def _write_ascii(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write one band as a grid of text, row by row; the CRS goes into a file beside it."""
    flow = _checked(flow, path)
    if len(flow.bands) > 1:
        raise CannotWrite(path, tr("this format holds one band"), tr("Add the step “Choose bands”."))
    lattice = flow.lattice
    if not lattice.is_north_up:
        raise CannotWrite(path, tr("rows of this format run from north to south"), tr("Add the step “Resample”."))
    width, height = lattice.cell
    nodata = -9999.0 if flow.nodata is None or not np.isfinite(flow.nodata) else flow.nodata
    digits = "%d" if flow.dtype.kind in "iub" else f"%.{options['digits']}g"
    square = abs(width - height) <= 1e-9 * width
    size = [f"cellsize {width!r}"] if square else [f"dx {width!r}", f"dy {height!r}"]
    extent = lattice.extent
    head = [f"ncols {lattice.columns}", f"nrows {lattice.rows}", f"xllcorner {extent.xmin!r}",
            f"yllcorner {extent.ymin!r}", *size, f"NODATA_value {nodata:g}"]  # fmt: skip
    tall = max(1, PIECE * PIECE // lattice.columns)
    windows = [CellWindow(0, r, lattice.columns, min(r + tall, lattice.rows)) for r in range(0, lattice.rows, tall)]
    with _reasoned(path), path.open("w", encoding="ascii") as file:
        file.write("\n".join(head) + "\n")
        for _, values, valid in pieces(flow, windows, context, report):
            np.savetxt(file, np.where(valid, values[0], nodata), fmt=digits)
        if flow.crs:
            path.with_suffix(".prj").write_text(proj_crs(flow.crs).to_wkt("WKT1_ESRI"), "utf-8")
    return lattice.columns * lattice.rows


def _write_picture(driver: str, **made: str) -> Callable[..., int]:
    def write(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
        flow = _checked(flow, path)
        if flow.dtype != np.uint8 or len(flow.bands) not in (1, 3, 4):
            raise CannotWrite(path, tr("a picture has one or three bands of 8 bits"),
                              tr("Add the steps “Choose bands” and “Stretch to 8 bits”."))  # fmt: skip
        if not flow.lattice.is_upright:
            raise CannotWrite(path, tr("the grid is rotated, which a picture can't be"), tr("Add the step “Resample”."))
        count = _as_copy(driver, masks=True, WORLDFILE="YES", **made)(flow, path, options, context, report)
        if flow.crs:
            path.with_suffix(".prj").write_text(proj_crs(flow.crs).to_wkt("WKT1_ESRI"), "utf-8")
        for extra in path.parent.glob(f"{path.name}.aux.xml"):
            extra.unlink()
        return count

    return write


def _picture_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, GridFlow)
    found = [Loss(tr("numbers become colours; units and names of bands are left out"), "COG")]
    if not flow.all_valid:
        found.append(Loss(tr("cells without data become black"), "COG"))
    if flow.dtype != np.uint8:
        found.append(Loss(tr("a picture has 8 bits"), "COG", ("stretch", {}), tr("Stretch to 8 bits")))
    if len(flow.bands) not in (1, 3, 4):
        first = ("bands", {"bands": [band.name for band in flow.bands[:3]]})
        words = f"{len(flow.bands)} bands: a picture has one or three"
        found.append(Loss(words, "COG", first, tr("Choose the first three")))
    return found


def _write_tiles(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    flow = _checked(flow, path)
    if flow.dtype != np.uint8 or len(flow.bands) not in (1, 3, 4):
        raise CannotWrite(path, tr("tiles are pictures of one or three bands of 8 bits"),
                          tr("Add the steps “Choose bands” and “Stretch to 8 bits”."))  # fmt: skip
    if flow.crs is None:
        raise CannotWrite(path, tr("the grid has no CRS"), tr("Add the step “State the CRS”."))
    moved = reprojected_grid(flow, "EPSG:3857", None, None)
    moved = replace(moved, nodata=None)
    count = _as_copy("MBTiles", masks=True, TILE_FORMAT=str(options["tile_format"]))(moved, path, {}, context, report)
    factors = overview_factors(moved.lattice.columns, moved.lattice.rows)
    if factors:
        with _reasoned(path), rasterio.open(path, "r+") as out:
            out.build_overviews(factors, Resampling.average)
    return count


def _write_zarr(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    return _as_copy("Zarr", FORMAT="ZARR_V2", COMPRESS="ZLIB", BLOCKSIZE=f"{BLOCK},{BLOCK}")(
        flow, path, options, context, report
    )


def _single_band_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, GridFlow)
    found = []
    if len(flow.bands) > 1:
        found.append(Loss(tr("it holds one band of {count}", count=len(flow.bands)), "COG",
                          ("bands", {"bands": [flow.bands[0].name]}), tr("Choose the first band")))  # fmt: skip
    if not flow.lattice.is_north_up:
        found.append(Loss(tr("its rows run from north to south"), "COG", ("resample", {}), tr("Resample")))
    return [*found, Loss(tr("units and names of bands are left out"), "COG")]


def _no_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return []


enter(FileFormat("COG", (".tif", ".tiff"), GRID, _write_cog, _no_losses, (COMPRESSION, EFFORT),
             tr("GeoTIFF with tiles and overviews in the order in which they are read over a network.")))  # fmt: skip
enter(FileFormat("GeoTIFF", (".tif", ".tiff"), GRID, _write_geotiff, _no_losses,
             (COMPRESSION, EFFORT, FormatOption("overviews", True, tr("Coarser grids inside, for drawing from afar"))),
             tr("Tiled GeoTIFF.")))  # fmt: skip
enter(FileFormat("netCDF", (".nc",), GRID, _as_copy("netCDF", FORMAT="NC4", COMPRESS="DEFLATE"),
             lambda flow, options: [Loss(tr("colours of classes are left out"), "COG")] if flow.has_classes else [],  # type: ignore[union-attr]
             (), tr("netCDF-4 with CF coordinates.")))  # fmt: skip
enter(FileFormat("Zarr", (".zarr",), GRID, _write_zarr, _no_losses, (), tr("A folder of chunks."), is_folder=True))
enter(FileFormat("ASCII grid", (".asc",), GRID, _write_ascii, _single_band_losses,
             (FormatOption("digits", 9, tr("Significant digits")),), tr("Text, a line for each row.")))  # fmt: skip
enter(
    FileFormat("PNG", (".png",), GRID, _write_picture("PNG"), _picture_losses, (), tr("A picture with a world file."))
)
enter(FileFormat("JPEG", (".jpg", ".jpeg"), GRID, _write_picture("JPEG"), _picture_losses,
             (FormatOption("quality", 85, tr("1 to 100")),), tr("A smaller picture with a world file.")))  # fmt: skip
enter(FileFormat("MBTiles", (".mbtiles",), GRID, _write_tiles, _picture_losses,
             (FormatOption("tile_format", "PNG", tr("The format of a tile"), ("PNG", "JPEG", "WEBP")),),
             tr("Tiles of pictures in one file.")))  # fmt: skip
