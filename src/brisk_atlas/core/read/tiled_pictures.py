"""What a service draws, as a grid of three colours whose levels are those of its tiles."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brisk_atlas.core.connect.service import Pictures
from brisk_atlas.core.model import Band, CannotRead, CellWindow, DataKind, Facts, Lattice, Level, Quantity, RasterPart
from brisk_atlas.core.model.facts import GridFacts
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place.tile_grid import TilePlace

from .resample import resampled
from .service_notes import notes_of
from .tile_pictures import TILES

MAX_TILES = 600  # fetched for one read
COLOURS = ("red", "green", "blue")
PARENTS = 6  # levels above a missing tile that are looked at for something to show


@dataclass(frozen=True)
class TiledPictures(RasterPart):
    """Bands 1 to 3 are red, green and blue from 0 to 255; there is no data where a tile is fully transparent."""

    pictures: Pictures

    def measured_as(self, quantity: Quantity) -> RasterPart:
        raise KeyError(quantity)

    @property
    def all_valid(self) -> bool:
        return False

    def levels(self, band: int) -> tuple[Level, ...]:
        grid = self.pictures.grid
        finest, (wide, tall) = grid.levels[0].resolution, grid.tile
        return tuple(
            Level(each.resolution / finest, each.resolution / finest, each.columns * wide, each.rows * tall, number)
            for number, each in enumerate(grid.levels)
        )

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        picture = self.fetched(level, CellWindow(*window))
        values = picture[..., band - 1].astype(np.float32)
        alpha = picture[..., 3]
        values[alpha == 0] = np.nan
        part = (alpha > 0) & (alpha < 255)
        values[part] *= 255.0 / alpha[part]
        return values

    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        level = self.levels(1)[0]
        values = np.stack([self.cells(band, level, window) for band in bands])
        return Grid(
            np.nan_to_num(values).round().astype(np.uint8), np.isfinite(values[0]), self.facts.lattice.within(window)
        )

    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        def of(band: int) -> np.ma.MaskedArray:
            def read(level: Level, window: CellWindow) -> np.ma.MaskedArray:
                values = self.cells(band, level, window)
                gone = ~np.isfinite(values)
                return np.ma.MaskedArray(np.nan_to_num(values).round().astype(np.uint8), gone)

            return resampled(self.facts.lattice, self.levels(band), read, lattice, "uint8", smooth)

        found = [of(band) for band in bands]
        valid = ~np.any([np.ma.getmaskarray(each) for each in found], axis=0)
        return Grid(np.stack([each.data for each in found]), valid, lattice)

    def tiles_of(self, level: Level, window: CellWindow) -> list[TilePlace]:
        """Return the tiles that a window of a level meets and that can hold anything, the middle ones first."""
        assert level.number is not None
        wide, tall = self.pictures.grid.tile
        c0, c1 = window.first_column // wide, (window.last_column - 1) // wide
        r0, r1 = window.first_row // tall, (window.last_row - 1) // tall
        if (c1 - c0 + 1) * (r1 - r0 + 1) > MAX_TILES:
            count = (c1 - c0 + 1) * (r1 - r0 + 1)
            raise CannotRead(self.ref, f"that takes {count:,} tiles, more than {MAX_TILES}", "Ask for less at once.")
        places = [TilePlace(level.number, c, r) for r in range(r0, r1 + 1) for c in range(c0, c1 + 1)]
        middle = (c0 + c1) / 2, (r0 + r1) / 2
        places.sort(key=lambda p: (p.column - middle[0]) ** 2 + (p.row - middle[1]) ** 2)
        return [place for place in places if self._may_hold(place)]

    def _may_hold(self, place: TilePlace) -> bool:
        here, extent = self.pictures.grid.extent_of(place), self.pictures.extent
        shared = here.intersection(extent)
        return shared is not None and shared.width > 0 and shared.height > 0

    def fetched(self, level: Level, window: CellWindow) -> np.ndarray:
        """Return (rows, cols, 4) uint8 premultiplied RGBA of a window of a level, waiting for what is missing. Raises
        CannotRead."""
        places = self.tiles_of(level, window)
        missing = [place for place in places if TILES.now(self.pictures, place) is None]
        reasons = TILES.want(self.pictures, missing) if missing else []
        if missing:
            TILES.wait(self.pictures, missing)
        picture, gone = self.picture(level, window, parents=False)
        if gone:
            reasons = TILES.want(self.pictures, gone) or reasons
            raise CannotRead(
                self.ref, f"{len(gone)} of its tiles did not come ({(reasons or ['no reason'])[0]})", "Try again."
            )
        return picture

    def picture(self, level: Level, window: CellWindow, *, parents: bool = True) -> tuple[np.ndarray, list[TilePlace]]:
        """Return (rows, cols, 4) uint8 premultiplied RGBA of what is in memory of a window, and the tiles that are
        missing: coarser ones stand in for them where there are some."""
        wide, tall = self.pictures.grid.tile
        rows, columns = window.shape
        out = np.zeros((rows, columns, 4), np.uint8)
        missing = []
        for place in self.tiles_of(level, window):
            tile = TILES.now(self.pictures, place)
            if tile is None:
                missing.append(place)
                tile = self._stand_in(place) if parents else None
            if tile is None or not tile.size:
                continue
            if tile.shape[:2] != (tall, wide):
                tile = _resized(tile, (tall, wide))
            top, left = place.row * tall - window.first_row, place.column * wide - window.first_column
            r0, c0 = max(0, top), max(0, left)
            r1, c1 = min(rows, top + tall), min(columns, left + wide)
            out[r0:r1, c0:c1] = tile[r0 - top : r1 - top, c0 - left : c1 - left]
        return out, missing

    def _stand_in(self, place: TilePlace) -> np.ndarray | None:
        """Return what coarser tiles in memory show of a tile."""
        grid = self.pictures.grid
        wide, tall = grid.tile
        box = grid.extent_of(place)
        for number in range(place.level + 1, min(len(grid.levels), place.level + 1 + PARENTS)):
            across = grid.levels[number].resolution
            column, row = (box.centre[0] - grid.left) / across, (grid.top - box.centre[1]) / across
            above = TilePlace(number, int(column // wide), int(row // tall))
            tile = TILES.now(self.pictures, above)
            if tile is None or not tile.size:
                continue
            share = grid.levels[place.level].resolution / across
            rows = ((np.arange(tall) + 0.5 - tall / 2) * share + row - above.row * tall).astype(int).clip(0, tall - 1)
            cols = (
                ((np.arange(wide) + 0.5 - wide / 2) * share + column - above.column * wide)
                .astype(int)
                .clip(0, wide - 1)
            )
            tile = tile if tile.shape[:2] == (tall, wide) else _resized(tile, (tall, wide))
            return tile[rows[:, None], cols]
        return None


def _resized(tile: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Return a tile of another size than its service states, as one of that size."""
    from PIL import Image

    return np.asarray(Image.fromarray(tile, "RGBa").resize((shape[1], shape[0]), Image.Resampling.BILINEAR))


def part_of(pictures: Pictures, name: str) -> TiledPictures:
    """Return the part of what a service draws."""
    grid, finest = pictures.grid, pictures.grid.levels[0]
    bands = tuple(Band(number + 1, colour, role=colour) for number, colour in enumerate(COLOURS))
    transform = (finest.resolution, 0.0, grid.left, 0.0, -finest.resolution, grid.top)
    facts = GridFacts(
        width=finest.columns * grid.tile[0],
        height=finest.rows * grid.tile[1],
        dtype="uint8",
        nodata=None,
        resolution=(finest.resolution, finest.resolution),
        bands=bands,
        transform=transform,
        drawn_by_service=True,
    )
    notes = notes_of(pictures.about)
    extent = replace(pictures.extent, crs=grid.crs)
    return TiledPictures(
        pictures.ref, Facts(name, DataKind.RASTER, None, None, (), grid.crs, extent, facts, notes=notes), pictures
    )
