"""What covers the land, before and after, as classes of 30 m cells; and from which to which it went."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np
import rasterio
from rasterio.transform import from_origin

from .grids import cover_weights
from .ground import CRS, NORTH, WEST, centres, sample
from .terrain import terrain

FOLDER, CELL = "land_cover", 30.0
CLASSES = (  # number is the place, from 1
    ("sea", (90, 136, 168)), ("forest", (46, 92, 62)), ("scrub", (127, 148, 86)), ("grass", (190, 196, 120)),
    ("ash", (150, 142, 134)), ("old lava", (92, 74, 72)), ("new lava", (52, 36, 38)), ("beach", (226, 208, 160)),
)  # fmt: skip
YEARS = {"before": 2029, "after": 2031}


@cache
def land_cover(epoch: str) -> np.ndarray:
    """Return (rows, cols) uint8: the class that covers most of the middle of each cell."""
    weights = cover_weights(epoch)
    x, y = centres(15.0)
    both = terrain()
    height = sample(both.before if epoch == "before" else both.after, x, y)
    names = [name for name, _ in CLASSES]
    most = np.argmax([weights[name] for name in names], axis=0) + 1
    if epoch == "after":  # ash on fresh lava makes it no less lava
        most = np.where(sample(both.lava[-1].thickness, x, y) > 0.6, names.index("new lava") + 1, most)
    whole = np.where(height <= 0, names.index("sea") + 1, most).astype(np.uint8)
    return whole[: whole.shape[0] // 2 * 2 : 2, : whole.shape[1] // 2 * 2 : 2]


def cover_changes() -> dict:
    """Return the classes, and the m² of each class of 2029 (rows) that has each class in 2031 (columns)."""
    a, b = land_cover("before").astype(int) - 1, land_cover("after").astype(int) - 1
    count = len(CLASSES)
    matrix = np.bincount((a * count + b).ravel(), minlength=count**2).reshape(count, count) * CELL**2
    return {"classes": [name for name, _ in CLASSES], "from_to_m2": matrix.tolist()}


def write_land_cover(folder: Path) -> None:
    """Write both years as GeoTIFF with colours, and the names of the classes beside them."""
    home = folder / FOLDER
    home.mkdir(exist_ok=True)
    names = "".join(f"<Category>{escape(name)}</Category>" for name, _ in (("none", ()), *CLASSES))
    aside = f'<PAMDataset><PAMRasterBand band="1"><CategoryNames>{names}</CategoryNames></PAMRasterBand></PAMDataset>\n'
    for epoch, year in YEARS.items():
        data, path = land_cover(epoch), home / f"land_cover_{year}.tif"
        with rasterio.open(
            path, "w", driver="GTiff", width=data.shape[1], height=data.shape[0], count=1, dtype="uint8", nodata=0,
            crs=CRS, transform=from_origin(WEST, NORTH, CELL, CELL), compress="deflate", zlevel=9,
        ) as out:  # fmt: skip
            out.write(data, 1)
            out.write_colormap(1, {n: (*colour, 255) for n, (_, colour) in enumerate(CLASSES, start=1)})
            out.set_band_description(1, "land cover")
        path.with_name(path.name + ".aux.xml").write_text(aside, encoding="utf-8")
