"""Grids of tiles, one a zoom level, as services of map pictures have them.

Source: OGC 17-083r4, "Two Dimensional Tile Matrix Set", for the words and the grid over the whole world.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, floor, pi
from typing import NamedTuple

from brisk_atlas.core.model import Extent

PIXEL_M = 0.00028  # the size of a pixel that scale denominators mean
WORLD_M = 2 * pi * 6378137.0  # around the sphere of EPSG:3857
WORLD_CRS = "EPSG:3857"
TILE_PX = 256
MAX_LEVEL = 24


class TileLevel(NamedTuple):
    """One grid of tiles: `name` as its service calls it, `resolution` in units of the CRS a pixel."""

    name: str
    resolution: float
    columns: int
    rows: int


class TilePlace(NamedTuple):
    """A tile: the number of its level (0 is the finest), its column and its row from the top left corner."""

    level: int
    column: int
    row: int


@dataclass(frozen=True)
class TileGrid:
    """Levels of tiles, the finest first, that all begin at the top left corner (`left`, `top`); x grows east."""

    crs: str
    left: float
    top: float
    tile: tuple[int, int]  # pixels across and down
    levels: tuple[TileLevel, ...]

    def extent_of(self, place: TilePlace) -> Extent:
        """Return the rectangle of a tile."""
        level = self.levels[place.level]
        wide, tall = level.resolution * self.tile[0], level.resolution * self.tile[1]
        left, top = self.left + place.column * wide, self.top - place.row * tall
        return Extent(left, top - tall, left + wide, top, self.crs)

    def tiles_in(self, level: int, extent: Extent) -> list[TilePlace]:
        """Return the tiles of a level that an extent meets, row by row."""
        columns, rows = self._spans(level, extent)
        return [TilePlace(level, column, row) for row in rows for column in columns]

    def count_in(self, level: int, extent: Extent) -> int:
        """Return how many tiles of a level an extent meets."""
        columns, rows = self._spans(level, extent)
        return len(columns) * len(rows)

    def tile_at(self, level: int, position: tuple[float, float]) -> tuple[int, int]:
        """Return the column and the row of the tile of a level at a position."""
        each = self.levels[level]
        wide, tall = each.resolution * self.tile[0], each.resolution * self.tile[1]
        return floor((position[0] - self.left) / wide), floor((self.top - position[1]) / tall)

    def _spans(self, level: int, extent: Extent) -> tuple[range, range]:
        """Return the columns and the rows of a level that an extent meets."""
        each = self.levels[level]
        wide, tall = each.resolution * self.tile[0], each.resolution * self.tile[1]
        near = 1e-9
        c0, c1 = floor((extent.xmin - self.left) / wide + near), ceil((extent.xmax - self.left) / wide - near)
        r0, r1 = floor((self.top - extent.ymax) / tall + near), ceil((self.top - extent.ymin) / tall - near)
        return range(max(0, c0), min(each.columns, c1)), range(max(0, r0), min(each.rows, r1))


def world_grid(first: int = 0, last: int = 22, tile: int = TILE_PX) -> TileGrid:
    """Return the grid of square tiles over the world in EPSG:3857, from one zoom level to another."""
    levels = [TileLevel(str(z), WORLD_M / tile / 2**z, 2**z, 2**z) for z in range(first, min(last, MAX_LEVEL) + 1)]
    return TileGrid(WORLD_CRS, -WORLD_M / 2, WORLD_M / 2, (tile, tile), tuple(reversed(levels)))


def grid_over(extent: Extent, finest: float, tile: int = 2 * TILE_PX) -> TileGrid:
    """Return a grid of our own over an extent, for a service that draws any rectangle: each level twice as fine as the
    one before, down to `finest` units a pixel."""
    assert extent.crs is not None
    across = max(extent.width, extent.height, finest * tile)
    levels: list[TileLevel] = []
    resolution = across / tile
    while not levels or (resolution > finest / 2 and len(levels) <= MAX_LEVEL):
        size = resolution * tile
        columns, rows = (max(1, ceil(length / size - 1e-9)) for length in (extent.width, extent.height))
        levels.append(TileLevel(str(len(levels)), resolution, columns, rows))
        resolution /= 2
    return TileGrid(extent.crs, extent.xmin, extent.ymax, (tile, tile), tuple(reversed(levels)))
