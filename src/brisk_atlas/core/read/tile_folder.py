"""Folders of map tiles, `zoom/column/row.png`, as one grid.

The scheme: OGC 17-083r4 (Tile Matrix Set), WebMercatorQuad, rows counted from the north.
"""

from __future__ import annotations

import os
from pathlib import Path, PurePath

ENDINGS = (".png", ".jpg", ".jpeg", ".webp")
DEEPEST = 25
EDGE = 20037508.342789244  # metres; half the side of the world in EPSG:3857


def is_tile_folder(folder: Path) -> bool:
    """Return whether a folder holds nothing but zoom levels of tiles, judged by their first entries."""
    try:
        with os.scandir(folder) as scan:
            names = [item.name for item in scan if item.is_dir()]
        if not names or not all(name.isdigit() and int(name) <= DEEPEST for name in names):
            return False
        with os.scandir(folder / names[0]) as scan:
            column = next((item.name for item in scan if item.is_dir()), "")
        if not column.isdigit():
            return False
        with os.scandir(folder / names[0] / column) as scan:
            tile = next((item.name for item in scan if item.name.lower().endswith(ENDINGS)), "")
    except OSError:
        return False
    return PurePath(tile).stem.isdigit()


def service_of(folder: Path) -> tuple[str, int, int]:
    """Return how the raster library is to read a folder of tiles, its deepest zoom and its tiles there."""
    zoom = max(int(f.name) for f in folder.iterdir() if f.is_dir() and f.name.isdigit())
    deepest = folder / str(zoom)
    columns = sorted(int(f.name) for f in deepest.iterdir() if f.name.isdigit())
    rows: set[int] = set()
    tiles = 0
    ending = ".png"
    for column in columns:
        for tile in (deepest / str(column)).iterdir():
            if tile.stem.isdigit():
                rows.add(int(tile.stem))
                tiles += 1
                ending = tile.suffix
    side = 2 * EDGE / 2**zoom
    west, east = -EDGE + columns[0] * side, -EDGE + (columns[-1] + 1) * side
    north, south = EDGE - min(rows) * side, EDGE - (max(rows) + 1) * side
    where = f"{folder}/${{z}}/${{x}}/${{y}}{ending}".replace("&", "&amp;").replace("<", "&lt;")
    service = (
        f'<GDAL_WMS><Service name="TMS"><ServerUrl>file://{where}</ServerUrl></Service>'
        f"<DataWindow><UpperLeftX>{west!r}</UpperLeftX><UpperLeftY>{north!r}</UpperLeftY>"
        f"<LowerRightX>{east!r}</LowerRightX><LowerRightY>{south!r}</LowerRightY>"
        f"<TileLevel>{zoom}</TileLevel><TileX>{columns[0]}</TileX><TileY>{min(rows)}</TileY>"
        f"<YOrigin>top</YOrigin>"
        f"<SizeX>{256 * (columns[-1] - columns[0] + 1)}</SizeX><SizeY>{256 * (max(rows) - min(rows) + 1)}</SizeY>"
        "</DataWindow><Projection>EPSG:3857</Projection><BlockSizeX>256</BlockSizeX><BlockSizeY>256</BlockSizeY>"
        f"<BandsCount>4</BandsCount><ZeroBlockHttpCodes>404</ZeroBlockHttpCodes><ZeroBlockOnServerException>true"
        "</ZeroBlockOnServerException></GDAL_WMS>"
    )
    return service, zoom, tiles
