"""A coverage of a service: numbers in tiles, read as those of a file are."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import cast

import numpy as np

from brisk_atlas.core.connect.service import Coverage
from brisk_atlas.core.model import CellWindow, DataKind, Facts, Lattice, Level
from brisk_atlas.core.model.facts import GridFacts
from brisk_atlas.core.model.grid import Grid

from .resample import resampled
from .service_notes import notes_of
from .tile_store import TILES
from .tiled_part import TiledPart


@dataclass(frozen=True)
class TiledCells(TiledPart):
    """Its tiles are (rows, cols, bands) float32, NaN without data."""

    @property
    def coverage(self) -> Coverage:
        """What its service hands out."""
        return cast(Coverage, self.tiles)

    @property
    def blank(self) -> tuple[int, np.dtype, float]:
        return len(self.coverage.bands), np.dtype(np.float32), np.nan

    def _whole(self, tile: np.ndarray) -> np.ndarray:
        """Return a tile with what is beyond the edge of the coverage as missing."""
        wide, tall = self.tiles.grid.tile
        if tile.shape[:2] == (tall, wide):
            return tile
        depth, kind, nothing = self.blank
        out = np.full((tall, wide, depth), nothing, kind)
        rows, columns = min(tall, tile.shape[0]), min(wide, tile.shape[1])
        out[:rows, :columns] = tile[:rows, :columns]
        return out

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        return np.ascontiguousarray(self.fetched(level, CellWindow(*window))[..., band - 1])

    def cells_now(
        self, band: int, level: Level, window: tuple[int, int, int, int]
    ) -> tuple[np.ndarray, int, list[str]]:
        """Return (rows, cols) float32 of what is in memory of a window, how many tiles are missing, which are fetched
        in the background from now on, and why some of them failed lately."""
        found, missing = self.mosaic(level, CellWindow(*window))
        reasons = TILES.want(self.tiles, missing) if missing else []
        return np.ascontiguousarray(found[..., band - 1]), len(missing), reasons

    def _stored(self, band: int, level: Level, window: CellWindow) -> np.ma.MaskedArray:
        values = self.cells(band, level, window)
        return np.ma.MaskedArray(values, ~np.isfinite(values))

    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        found = [self._stored(band, self.levels(1)[0], window) for band in bands]
        valid = ~np.any([np.ma.getmaskarray(each) for each in found], axis=0)
        return Grid(np.stack([each.data for each in found]), valid, self.facts.lattice.within(window))

    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        own, levels = self.facts.lattice, self.levels(1)
        found = [resampled(own, levels, partial(self._stored, band), lattice, "float32", smooth) for band in bands]
        valid = ~np.any([np.ma.getmaskarray(each) for each in found], axis=0)
        return Grid(np.stack([each.data for each in found]), valid, lattice)


def part_of(coverage: Coverage, name: str) -> TiledCells:
    """Return the part of a coverage; its numbers are read as float32 whatever their service stores."""
    grid, finest = coverage.grid, coverage.grid.levels[0]
    width, height = coverage.size
    facts = GridFacts(
        width=width,
        height=height,
        dtype="float32",
        nodata=coverage.nodata,
        resolution=(finest.resolution, finest.resolution),
        bands=coverage.bands,
        transform=(finest.resolution, 0.0, grid.left, 0.0, -finest.resolution, grid.top),
    )
    extent = replace(coverage.extent, crs=grid.crs)
    notes = {**notes_of(coverage.about), "stored as": coverage.dtype}
    return TiledCells(
        coverage.ref, Facts(name, DataKind.RASTER, None, None, (), grid.crs, extent, facts, notes=notes), coverage
    )
