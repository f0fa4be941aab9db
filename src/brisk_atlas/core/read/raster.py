"""Raster formats through rasterio."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import ceil
from pathlib import Path

import numpy as np
import rasterio
from rasterio.errors import RasterioError
from rasterio.windows import Window

from brisk_atlas.core.model import (
    Band,
    CannotRead,
    CellWindow,
    DataKind,
    DataRef,
    Dataset,
    Facts,
    Lattice,
    Level,
    Quantity,
    RasterPart,
    Rescale,
)
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.place import is_geographic

from .content import content_of, head_of
from .grib import grib_grids
from .grid_facts import grid_facts
from .library_names import library_name
from .on_disk import on_disk
from .raster_library import open_raster
from .resample import resampled
from .stored_cells import block_for_drawing, has_no_gaps, is_in_rows, levels_of, stored_block

BROKEN = tr("The copy may have been cut short; ask for the file again.")
FORMATS = {
    "GTiff": "GeoTIFF",
    "COG": "GeoTIFF",
    "AAIGrid": "ASCII grid",
    "EHdr": "binary grid",
    "ENVI": "grid with .hdr",
    "HFA": "HFA grid",
    "HDF5Image": "HDF5",
    "JP2OpenJPEG": "JPEG 2000",
    "SRTMHGT": "HGT",
}
MOST_GRIDS = 200  # listed of one container
OVERVIEW_BLOCK = 128  # the library's own choice for overviews inside a TIFF
READ_THROUGH_BYTES = 50_000_000  # netCDF files up to this size are read once to see whether they are whole
LEAST_BYTES = {"AAIGrid": 2, "EHdr": 0, "ENVI": 0}  # a cell takes; 0 for those of its type
LAST_BLOCKS = 8  # looked at in each level for whether the file holds them


@dataclass(frozen=True)
class RasterFile(RasterPart):
    """The bands of one raster, each found in `files` as (file, band number); all on one grid.

    `quantity` is what the stored numbers are turned into; None for the scale that the file itself
    declares, if any. `turned` is how many columns of the file, at its beginning, come last, so that longitudes
    run from -180 to 180.
    """

    files: tuple[tuple[str, int], ...]
    quantity: Quantity | None = None
    turned: int = 0

    def measured_as(self, quantity: Quantity) -> RasterFile:
        if quantity not in self.quantities:
            raise KeyError(quantity)
        assert self.facts.grid is not None
        turned = [_rescale(band, quantity) for band in self.facts.grid.bands]
        bands = tuple(
            replace(band, unit=how.unit) for band, how in zip(self.facts.grid.bands, turned) if how is not None
        )
        notes = {**self.facts.notes, "values": f"{quantity}: {turned[0].formula() if turned[0] else ''}"}
        grid = replace(self.facts.grid, bands=bands)
        return replace(self, facts=replace(self.facts, grid=grid, notes=notes), quantity=quantity)

    @property
    def value_dtype(self) -> str:
        assert self.facts.grid is not None
        turned = any(_rescale(band, self.quantity) is not None for band in self.facts.grid.bands)
        if not turned:
            return self.facts.grid.dtype
        return "float32" if self.quantity is not None and np.dtype(self.facts.grid.dtype).itemsize <= 2 else "float64"

    @property
    def stored_in_rows(self) -> bool:
        return self._guarded(lambda: is_in_rows(self.files[0][0]))

    @property
    def all_valid(self) -> bool:
        return self._guarded(lambda: all(has_no_gaps(*file) for file in self.files))

    def _rescale_of(self, band: int) -> Rescale | None:
        assert self.facts.grid is not None
        return _rescale(self.facts.grid.bands[band - 1], self.quantity)

    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        return self._guarded(lambda: _stacked([self._resampled(b, lattice, smooth) for b in bands], lattice))

    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        lattice = self.facts.lattice.within(window)
        if window.is_empty:
            return Grid(np.zeros((len(bands), *lattice_shape(window))), np.zeros(lattice_shape(window), bool), lattice)
        return self._guarded(lambda: _stacked([self._block(b, None, window) for b in bands], lattice))

    def levels(self, band: int) -> tuple[Level, ...]:
        return self._guarded(lambda: self._levels(band))

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        name, index = self.files[band - 1]
        asked = CellWindow(*window)

        def stored(piece: CellWindow) -> np.ndarray:
            return block_for_drawing(name, index, level.number, piece)

        values = self._guarded(lambda: np.concatenate([stored(p) for p in self._stored(asked, level.width)], axis=1))
        how = self._rescale_of(band)
        return values if how is None else how(values).astype(np.float32)

    def _guarded(self, work):  # type: ignore[no-untyped-def]
        try:
            return work()
        except (RasterioError, OSError) as error:
            raise CannotRead(
                self.ref, tr("reading its cells failed ({first_line})", first_line=_first_line(error)), BROKEN
            ) from error

    def _levels(self, band: int) -> tuple[Level, ...]:
        assert self.facts.grid is not None
        found, width = levels_of(*self.files[band - 1]), self.facts.grid.width
        if not self.turned and found[0].width == width:
            return found
        # of a grid that is turned round the globe, levels whose cells the seam does not cut
        fits = [le for le in found if found[0].width == width and self.turned * le.width % width == 0]
        return tuple(fits) or (Level(1.0, 1.0, width, found[0].height),)

    def _stored(self, window: CellWindow, width: int) -> list[CellWindow]:
        """Return where a window of a level, `width` cells wide, lies in the file: in two pieces across the seam."""
        assert self.facts.grid is not None
        if not self.turned:
            return [window]
        first = window.first_column + self.turned * width // self.facts.grid.width
        last = first + window.last_column - window.first_column
        if first >= width:
            first, last = first - width, last - width
        edges = [(first, min(last, width)), (0, last - width)] if last > width else [(first, last)]
        return [CellWindow(a, window.first_row, b, window.last_row) for a, b in edges]

    def _block(self, band: int, level: Level | None, window: CellWindow) -> np.ma.MaskedArray:
        """Return a window of a level (None for the file's own cells) in the part's quantity."""
        assert self.facts.grid is not None
        name, index = self.files[band - 1]
        pieces = self._stored(window, level.width if level else self.facts.grid.width)
        number = level.number if level else None
        stored = np.ma.concatenate([stored_block(name, index, number, piece) for piece in pieces], axis=1)
        return _rescaled(stored, self._rescale_of(band))

    def _resampled(self, band: int, target: Lattice, smooth: bool) -> np.ma.MaskedArray:
        return resampled(
            self.facts.lattice,
            self._levels(band),
            lambda level, window: self._block(band, level, window),
            target,
            self.value_dtype,
            smooth,
        )


def lattice_shape(window: CellWindow) -> tuple[int, int]:
    """Return rows and columns of a window; none are negative."""
    rows, columns = window.shape
    return max(rows, 0), max(columns, 0)


def _rescale(band: Band, quantity: Quantity | None) -> Rescale | None:
    return next((how for how in band.rescale if how.quantity == quantity), None)


def _rescaled(stored: np.ma.MaskedArray, how: Rescale | None) -> np.ma.MaskedArray:
    if how is None:
        return stored
    gone = np.ma.getmaskarray(stored)
    values = how(stored.data)
    values[gone] = np.nan  # what stands for no data means nothing in another quantity
    return np.ma.MaskedArray(values, gone)


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0][:160] if str(error) else type(error).__name__


def _stacked(bands: list[np.ma.MaskedArray], lattice: Lattice) -> Grid:
    valid = ~np.any([np.ma.getmaskarray(b) for b in bands], axis=0)
    values = np.stack([b.data for b in bands])
    if values.dtype.kind == "f":
        valid &= np.isfinite(values).all(axis=0)
    return Grid(values, valid, lattice)


def placed(ref: DataRef, facts: Facts, files: tuple[tuple[str, int], ...]) -> RasterFile:
    """Return the part of bands on one grid. A grid of longitudes from 0 to 360 degrees is taken as one from
    -180 to 180, which is noted in its facts."""
    grid, lattice = facts.grid, facts.lattice
    assert grid is not None
    geographic = facts.crs is not None and is_geographic(facts.crs)
    if not geographic or not lattice.is_upright or lattice.a <= 0:
        return RasterFile(ref, facts, files)
    west, east, step = lattice.c, lattice.extent.xmax, lattice.a
    around = round(360 / step)
    notes = {
        **facts.notes,
        "longitudes": tr("{west:g} to {east:g} in the file, taken as -180 to 180", west=west, east=east),
    }
    if east <= 180 + step or west < -180 - step:
        return RasterFile(ref, facts, files)
    if abs(around * step - 360) < step / 100 and around <= grid.width <= around + 1:
        turned = round((180 - west) / step) % around
        west += turned * step - 360
    elif west >= 180 - step / 100:
        turned, around = 0, grid.width
        west -= 360
    else:
        return RasterFile(ref, facts, files)
    moved = replace(lattice, c=west, columns=around)
    grid = replace(grid, width=around, transform=moved.transform)
    facts = replace(facts, grid=grid, extent=moved.extent, notes=notes)
    return RasterFile(ref, facts, files, turned=turned)


def _check_whole(path: Path, source: rasterio.DatasetReader) -> None:
    """Raise CannotRead for a file that ends before its cells do, which the library may not notice."""
    size = path.stat().st_size
    if source.driver == "GTiff":
        block_rows, block_cols = source.block_shapes[0]
        inside = [] if Path(source.name + ".ovr").is_file() else source.overviews(1)
        for level, shrink in ((None, 1), *enumerate(inside)):
            tall, wide = (block_rows, block_cols) if level is None else (OVERVIEW_BLOCK, OVERVIEW_BLOCK)
            rows, columns = ceil(ceil(source.height / shrink) / tall), ceil(ceil(source.width / shrink) / wide)
            for number in range(rows * columns - 1, max(-1, rows * columns - 1 - LAST_BLOCKS), -1):
                at = f"{number % columns}_{number // columns}"
                offset = source.get_tag_item(f"BLOCK_OFFSET_{at}", "TIFF", bidx=1, ovr=level)
                length = source.get_tag_item(f"BLOCK_SIZE_{at}", "TIFF", bidx=1, ovr=level)
                if offset and length and int(offset) + int(length) > size:
                    raise CannotRead(path, tr("it ends before its cells do, after {size:,} bytes", size=size), BROKEN)
    elif source.driver in LEAST_BYTES:  # refused before the library looks for cells that can't be there
        cells = source.width * source.height * source.count
        each = LEAST_BYTES[source.driver] or np.dtype(source.dtypes[0]).itemsize
        if cells * each - 1 > size:
            raise CannotRead(
                path, tr("it is too short for the {cells:,} cells that its head promises", cells=cells), BROKEN
            )
    elif source.driver == "netCDF" and size < READ_THROUGH_BYTES and content_of(head_of(path)) == "netCDF":
        from scipy.io import netcdf_file  # slow to load, and seldom needed

        try:
            with netcdf_file(path, mmap=False):  # fails where a variable has no room
                return
        except (TypeError, ValueError, OSError, IndexError) as error:
            raise CannotRead(path, tr("it ends before its cells do"), BROKEN) from error


def part_of(ref: DataRef, name: str, called: str) -> RasterFile:
    """Return one grid of a container by the name that the library gives it. Raises CannotRead."""
    try:
        with open_raster(name) as source:
            facts = grid_facts(source, called)
            return placed(ref, facts, tuple((name, i) for i in source.indexes))
    except (RasterioError, OSError, ValueError) as error:
        raise CannotRead(
            ref, tr("{called} can't be read ({first_line})", called=called, first_line=_first_line(error)), BROKEN
        ) from error


def _called(name: str, ref: DataRef) -> str:
    """Return what a subdataset is called: the end of the name that the library gives it."""
    return name.rpartition(ref.place)[2].strip('":/') or name


def _grids(ref: DataRef, names: list[str]) -> tuple[list[RasterFile], list[str]]:
    """Return those of a container's grids that can be read, and what is wrong with the others."""
    parts, stated = [], []
    for name in names[:MOST_GRIDS]:
        called = _called(name, ref)
        try:
            part = part_of(ref, name, called)
        except CannotRead as error:
            stated.append(f"{called}: {error.reason}")
            continue
        assert part.facts.grid is not None
        if min(part.facts.grid.width, part.facts.grid.height) > 1:  # else it is an axis, not a grid
            parts.append(part)
    if len(names) > MOST_GRIDS:
        stated.append(
            tr("only the first {most_grids} of {count:,} grids are listed", most_grids=MOST_GRIDS, count=len(names))
        )
    return parts, stated


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a raster file or folder. Raises CannotRead."""
    from .tile_folder import is_tile_folder

    if not ref.is_local or not ref.path.is_dir() or not is_tile_folder(ref.path):
        return open_named(ref, library_name(ref))
    from .tile_folder import service_of

    service, zoom, tiles = service_of(ref.path)
    return open_named(ref, service, format_="map tiles", notes={"zoom": str(zoom), "tiles there": f"{tiles:,}"})


def open_named(ref: DataRef, name: str, *, format_: str = "", notes: dict[str, str] | None = None) -> Dataset:
    """Return the dataset that the raster library reaches by `name`. Raises CannotRead."""
    found_remarks: list[str] = []
    try:
        with open_raster(name) as source:
            format_ = format_ or FORMATS.get(source.driver, source.driver)
            if (source.count and source.driver not in ("Zarr",)) or not source.subdatasets:
                if not source.count:
                    raise CannotRead(ref, tr("it holds no grid"), tr("It may hold tables alone."))
                last = source.width - 1, source.height - 1
                if source.driver != "WMS" and ref.is_local:
                    _check_whole(ref.path, source)
                    if source.driver != "GTiff":  # a cut-off file fails here, not on the map
                        source.read(source.count, window=Window(*last, 1, 1))
                facts = grid_facts(source, source.tags(1).get("NETCDF_VARNAME") or ref.stem)
                facts.notes.update(notes or {})
                grids = grib_grids(source, facts) if source.driver == "GRIB" else [(facts, tuple(source.indexes))]
                parts = [placed(ref, each, tuple((name, i) for i in bands)) for each, bands in grids]
            else:
                parts, found_remarks = _grids(ref, source.subdatasets)
    except (RasterioError, OSError, ValueError) as error:
        raise CannotRead(ref, _first_line(error), BROKEN) from error
    if not parts:
        raise CannotRead(
            ref, tr("it holds no grid of two dimensions that can be read"), tr("It may hold tables alone.")
        )
    found_remarks += remarks([part.facts for part in parts])
    return Dataset(
        format=format_, kind=DataKind.RASTER, parts=tuple(parts), warnings=tuple(found_remarks), **on_disk(ref)
    )


def remarks(facts: list[Facts]) -> list[str]:
    """Return what should be reported of grids before they are used."""
    if len(facts) == 1:
        return [] if facts[0].crs or facts[0].unplaced else [no_crs()]
    return [no_crs(f.name) for f in facts if not f.crs]
