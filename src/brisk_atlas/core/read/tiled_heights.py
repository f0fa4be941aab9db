"""Heights that a service hands out as colours of picture tiles: read as numbers, never mixed as colours."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import cast

import numpy as np
from PIL import Image

from brisk_atlas.core.connect.service import TileSource
from brisk_atlas.core.model import Band, CellWindow, Facts, Level, Quantity
from brisk_atlas.core.model.facts import GridFacts

from .tile_store import TILES
from .tiled_cells import TiledCells

CODED = (Quantity.HEIGHT_TENTHS, Quantity.HEIGHT_FRACTIONS)


def heights_from(colours: np.ndarray, quantity: Quantity) -> np.ndarray:
    """Return (rows, cols) float32 metres of (rows, cols, 4) uint8 colours, NaN where they are transparent.

    The codings are those that such tiles commonly have: tenths of a metre above -10,000 m as a number of 24 bits, or
    256 red + green + blue / 256 - 32,768 m.
    """
    red, green, blue = (colours[..., channel].astype(np.float64) for channel in range(3))
    if quantity is Quantity.HEIGHT_TENTHS:
        found = (red * 65536 + green * 256 + blue) / 10 - 10_000
    else:
        found = red * 256 + green + blue / 256 - 32_768
    return np.where(colours[..., 3] == 255, found, np.nan).astype(np.float32)


def picture_in_size(tile: np.ndarray, size: tuple[int, int], how: Image.Resampling) -> np.ndarray:
    """Return a picture (rows, cols, 4) uint8 of premultiplied colours with so many columns and rows."""
    wide, tall = size
    if tile.shape[:2] == (tall, wide):
        return tile
    return np.asarray(Image.fromarray(tile, "RGBa").resize(size, how))


@dataclass(frozen=True)
class TiledHeights(TiledCells):
    """Its tiles are pictures; its cells metres."""

    coding: Quantity = Quantity.HEIGHT_TENTHS

    @property
    def blank(self) -> tuple[int, np.dtype, float]:
        return 4, np.dtype(np.uint8), 0

    def _whole(self, tile: np.ndarray) -> np.ndarray:
        return picture_in_size(tile, self.tiles.grid.tile, Image.Resampling.NEAREST)

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        return heights_from(self.fetched(level, CellWindow(*window)), self.coding)

    def cells_now(
        self, band: int, level: Level, window: tuple[int, int, int, int]
    ) -> tuple[np.ndarray, int, list[str]]:
        found, missing = self.mosaic(level, CellWindow(*window))
        reasons = TILES.want(self.tiles, missing) if missing else []
        return heights_from(found, self.coding), len(missing), reasons


def coded_heights(tiles: TileSource, facts: Facts, coding: Quantity) -> TiledHeights:
    """Return the heights that the pictures of a service stand for."""
    own = cast(GridFacts, facts.grid)
    grid = replace(
        own, dtype="float32", bands=(Band(1, "height", unit="m"),), drawn_by_service=False, server_styles=(),
        first_band=1,
    )  # fmt: skip
    return TiledHeights(tiles.ref, replace(facts, grid=grid), tiles, coding)
