"""A grid that comes in tiles of a service: which tiles a window takes, and the mosaic of those that are there."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.connect.service import TileSource
from brisk_atlas.core.model import CannotRead, CellWindow, Level, Quantity, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

from .tile_store import TILES

MAX_TILES = 600  # fetched for one read
PARENTS = 6  # levels above a missing tile that are looked at for something to show


@dataclass(frozen=True)
class TiledPart(RasterPart):
    """A raster whose levels are those of its tiles."""

    tiles: TileSource

    @property
    @abstractmethod
    def blank(self) -> tuple[int, np.dtype, float]:
        """How many values a cell has, of which type, and the one that stands for nothing."""

    def measured_as(self, quantity: Quantity) -> RasterPart:
        raise KeyError(quantity)

    @property
    def all_valid(self) -> bool:
        return False

    def levels(self, band: int) -> tuple[Level, ...]:
        grid = self.tiles.grid
        finest, (wide, tall) = grid.levels[0].resolution, grid.tile
        return tuple(
            Level(each.resolution / finest, each.resolution / finest, each.columns * wide, each.rows * tall, number)
            for number, each in enumerate(grid.levels)
        )

    def tiles_of(self, level: Level, window: CellWindow) -> list[TilePlace]:
        """Return the tiles that a window of a level meets and that can hold anything, the middle ones first. Raises
        CannotRead where they are too many."""
        assert level.number is not None
        wide, tall = self.tiles.grid.tile
        c0, c1 = window.first_column // wide, (window.last_column - 1) // wide
        r0, r1 = window.first_row // tall, (window.last_row - 1) // tall
        count = (c1 - c0 + 1) * (r1 - r0 + 1)
        if count > MAX_TILES:
            raise CannotRead(
                self.ref,
                tr("that takes {count:,} tiles, more than {max_tiles}", count=count, max_tiles=MAX_TILES),
                tr("Ask for less at once."),
            )
        places = [TilePlace(level.number, c, r) for r in range(r0, r1 + 1) for c in range(c0, c1 + 1)]
        middle = (c0 + c1) / 2, (r0 + r1) / 2
        places.sort(key=lambda p: (p.column - middle[0]) ** 2 + (p.row - middle[1]) ** 2)
        return [place for place in places if self._may_hold(place)]

    def _may_hold(self, place: TilePlace) -> bool:
        here, extent = self.tiles.grid.extent_of(place), self.tiles.extent
        shared = here.intersection(extent)
        return shared is not None and shared.width > 0 and shared.height > 0

    def fetched(self, level: Level, window: CellWindow) -> np.ndarray:
        """Return (rows, cols, values) of a window of a level, waiting for what is missing. Raises CannotRead."""
        missing = [place for place in self.tiles_of(level, window) if TILES.now(self.tiles, place) is None]
        if missing:
            TILES.want(self.tiles, missing)
            TILES.wait(self.tiles, missing)
        found, gone = self.mosaic(level, window, parents=False)
        if gone:
            why = (TILES.want(self.tiles, gone) or ["no reason"])[0]
            raise CannotRead(
                self.ref, tr("{count} of its tiles did not come ({why})", count=len(gone), why=why), tr("Try again.")
            )
        return found

    def mosaic(self, level: Level, window: CellWindow, *, parents: bool = True) -> tuple[np.ndarray, list[TilePlace]]:
        """Return (rows, cols, values) of what is in memory of a window, and the tiles that are missing: coarser ones
        stand in for them where there are some."""
        wide, tall = self.tiles.grid.tile
        rows, columns = window.shape
        depth, kind, nothing = self.blank
        out = np.full((rows, columns, depth), nothing, kind)
        missing = []
        for place in self.tiles_of(level, window):
            tile = TILES.now(self.tiles, place)
            if tile is None:
                missing.append(place)
                tile = self._stand_in(place) if parents else None
            if tile is None or not tile.size:
                continue
            tile = self._whole(tile)
            top, left = place.row * tall - window.first_row, place.column * wide - window.first_column
            r0, c0 = max(0, top), max(0, left)
            r1, c1 = min(rows, top + tall), min(columns, left + wide)
            out[r0:r1, c0:c1] = tile[r0 - top : r1 - top, c0 - left : c1 - left]
        return out, missing

    def _whole(self, tile: np.ndarray) -> np.ndarray:
        """Return a tile in the size that its service states."""
        return tile

    def _stand_in(self, place: TilePlace) -> np.ndarray | None:
        """Return what coarser tiles in memory show of a tile."""
        grid = self.tiles.grid
        wide, tall = grid.tile
        box = grid.extent_of(place)
        for number in range(place.level + 1, min(len(grid.levels), place.level + 1 + PARENTS)):
            across = grid.levels[number].resolution
            column, row = (box.centre[0] - grid.left) / across, (grid.top - box.centre[1]) / across
            above = TilePlace(number, int(column // wide), int(row // tall))
            tile = TILES.now(self.tiles, above)
            if tile is None or not tile.size:
                continue
            share = grid.levels[place.level].resolution / across
            rows = ((np.arange(tall) + 0.5 - tall / 2) * share + row - above.row * tall).astype(int)
            columns = ((np.arange(wide) + 0.5 - wide / 2) * share + column - above.column * wide).astype(int)
            return self._whole(tile)[rows.clip(0, tall - 1)[:, None], columns.clip(0, wide - 1)]
        return None
