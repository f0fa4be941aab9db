"""The levels of tiles in which the numbers of a coverage are asked for."""

from __future__ import annotations

from brisk_atlas.core.model import Extent
from brisk_atlas.core.place.tile_grid import TileGrid, TileLevel

TILE = 512
UNLIKE = 1e-3  # by which cells may be wider than high and count as square


def grid_of_cells(extent: Extent, finest: float, columns: int, rows: int) -> TileGrid:
    """Return levels of tiles whose finest cells are those of the coverage, each other one twice as coarse."""
    levels: list[TileLevel] = []
    factor = 1
    while True:
        across, down = -(-columns // (TILE * factor)), -(-rows // (TILE * factor))
        levels.append(TileLevel(str(len(levels)), finest * factor, across, down))
        if across == down == 1:
            return TileGrid(extent.crs or "", extent.xmin, extent.ymax, (TILE, TILE), tuple(levels))
        factor *= 2
