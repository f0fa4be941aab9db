"""Coverages of an OGC API (Coverages, 19-087): numbers of any rectangle of a collection, scaled by the server."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from rasterio.errors import RasterioError
from rasterio.io import MemoryFile

from brisk_atlas.core.model import Band, CannotRead, DataRef, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

from .coverage_grid import UNLIKE, grid_of_cells
from .fetching import fetch
from .ows import asking, crs_of, northing_first
from .service import Coverage, LayerAbout

TIFF = "image/tiff"
FIRST = 2  # cells along each side of the piece from which the bands are learned


@dataclass(frozen=True)
class CollectionCoverage(Coverage):
    """Tiles as the API gives them: the part of a rectangle that has data, scaled to the cells of a level."""

    coverage: str
    crs_name: str

    def address(self, place: TilePlace) -> str:
        level, box = self.grid.levels[place.level], self.grid.extent_of(place)
        here = box.intersection(self.extent) or box
        return _asked(
            self.coverage, self.crs_name, here, max(1, round(here.width / level.resolution)),
            max(1, round(here.height / level.resolution)),
        )  # fmt: skip


def _asked(coverage: str, crs_name: str, box: Extent, columns: int, rows: int) -> str:
    settings = {
        "bbox": ",".join(map(repr, box.bounds)), "bbox-crs": crs_name, "crs": crs_name, "width": str(columns),
        "height": str(rows),
    }  # fmt: skip
    return asking(coverage, settings)


def coverage_at(ref: DataRef, about: dict[str, Any], words: LayerAbout, coverage: str) -> CollectionCoverage | None:
    """Return the coverage of a collection from what the API states of it; None where it does not state its grid.
    Raises CannotRead."""
    crs_name = str(about.get("storageCrs") or "")
    crs = crs_of(crs_name)
    try:
        spatial = about["extent"]["spatial"]
        box = [float(side) for side in spatial["storageCrsBbox"][0]]
        columns, rows = (int(axis["cellsCount"]) for axis in spatial["grid"][:2])
    except (KeyError, IndexError, TypeError, ValueError):
        return None
    if crs is None or northing_first(crs_name) or len(box) != 4 or columns < 1 or rows < 1:
        return None
    extent = Extent.of(box, crs)
    resolution = extent.width / columns
    if not resolution > 0 or abs(extent.height / rows - resolution) > UNLIKE * resolution:
        raise CannotRead(
            ref, tr("the cells of its coverage are not square, which is not read yet"), tr("Ask for a file.")
        )
    bands, dtype, nodata = _bands(ref, _asked(coverage, crs_name, extent, FIRST, FIRST))
    return CollectionCoverage(
        ref=ref, about=words, grid=grid_of_cells(extent, resolution, columns, rows), extent=extent, bands=bands,
        dtype=dtype, size=(columns, rows), nodata=nodata, coverage=coverage, crs_name=crs_name,
    )  # fmt: skip


def _bands(ref: DataRef, address: str) -> tuple[tuple[Band, ...], str, float | None]:
    """Return the bands of a coverage, their type and what stands for no data, from a small piece of it."""
    body = fetch(ref, address, accept=f"{TIFF}, */*;q=0.5").body
    try:
        with MemoryFile(body) as file, file.open() as source:
            named = zip(source.indexes, source.descriptions, source.units)
            bands = tuple(Band(number, name or f"band {number}", unit=unit or "") for number, name, unit in named)
            return bands, source.dtypes[0], source.nodata
    except (RasterioError, OSError, ValueError) as error:
        raise CannotRead(
            ref, tr("its coverage does not come as a GeoTIFF"), tr("Ask its owner for that form.")
        ) from error
