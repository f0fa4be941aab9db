"""What a service draws, as a grid of three colours whose levels are those of its tiles."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import cast

import numpy as np
from PIL import Image

from brisk_atlas.core.connect.service import Pictures
from brisk_atlas.core.model import Band, CellWindow, DataKind, Facts, Lattice, Level, Quantity, RasterPart
from brisk_atlas.core.model.facts import GridFacts
from brisk_atlas.core.model.grid import Grid

from .resample import resampled
from .service_notes import notes_of
from .tiled_heights import CODED, coded_heights, picture_in_size
from .tiled_part import TiledPart

COLOURS = ("red", "green", "blue")


@dataclass(frozen=True)
class TiledPictures(TiledPart):
    """Bands 1 to 3 are red, green and blue from 0 to 255; there is no data where a tile is fully transparent. Its tiles
    are premultiplied RGBA."""

    @property
    def pictures(self) -> Pictures:
        """What its service draws."""
        return cast(Pictures, self.tiles)

    def drawn_as(self, style: str, bands: tuple[int, ...]) -> TiledPictures:
        """Return the layer in a style of its service, at the place along its dimensions that a band stands for."""
        band = bands[0] if len(bands) == 1 else 0
        return replace(self, tiles=self.pictures.drawn_as(style, band))

    @property
    def quantities(self) -> tuple[Quantity, ...]:
        return CODED

    def measured_as(self, quantity: Quantity) -> RasterPart:
        if quantity not in CODED:
            raise KeyError(quantity)
        return coded_heights(self.tiles, self.facts, quantity)

    @property
    def blank(self) -> tuple[int, np.dtype, float]:
        return 4, np.dtype(np.uint8), 0

    def _whole(self, tile: np.ndarray) -> np.ndarray:
        return picture_in_size(tile, self.tiles.grid.tile, Image.Resampling.BILINEAR)

    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        picture = self.fetched(level, CellWindow(*window))
        values = picture[..., band - 1].astype(np.float32)
        alpha = picture[..., 3]
        values[alpha == 0] = np.nan
        part = (alpha > 0) & (alpha < 255)
        values[part] *= 255.0 / alpha[part]
        return values

    def _stored(self, band: int, level: Level, window: CellWindow) -> np.ma.MaskedArray:
        values = self.cells(band, level, window)
        return np.ma.MaskedArray(np.nan_to_num(values).round().astype(np.uint8), ~np.isfinite(values))

    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        found = [self._stored(band, self.levels(1)[0], window) for band in bands]
        return Grid(
            np.stack([each.data for each in found]), ~np.ma.getmaskarray(found[0]), self.facts.lattice.within(window)
        )

    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        own, levels = self.facts.lattice, self.levels(1)
        found = [resampled(own, levels, partial(self._stored, band), lattice, "uint8", smooth) for band in bands]
        valid = ~np.any([np.ma.getmaskarray(each) for each in found], axis=0)
        return Grid(np.stack([each.data for each in found]), valid, lattice)


def part_of(pictures: Pictures, name: str) -> TiledPictures:
    """Return the part of what a service draws."""
    grid, finest = pictures.grid, pictures.grid.levels[0]
    facts = GridFacts(
        width=finest.columns * grid.tile[0],
        height=finest.rows * grid.tile[1],
        dtype="uint8",
        nodata=None,
        resolution=(finest.resolution, finest.resolution),
        bands=tuple(Band(number + 1, colour, role=colour) for number, colour in enumerate(COLOURS)),
        transform=(finest.resolution, 0.0, grid.left, 0.0, -finest.resolution, grid.top),
        dimensions=tuple(each.dimension for each in pictures.dimensions),
        drawn_by_service=True,
        server_styles=tuple((each.name, each.title) for each in pictures.styles),
        first_band=pictures.usual_band,
    )
    extent = replace(pictures.extent, crs=grid.crs)
    notes = notes_of(pictures.about)
    return TiledPictures(
        pictures.ref, Facts(name, DataKind.RASTER, None, None, (), grid.crs, extent, facts, notes=notes), pictures
    )
