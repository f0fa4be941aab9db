"""Which cells of a grid have their middle inside polygons."""

from __future__ import annotations

import numpy as np
import shapely
from affine import Affine
from rasterio.features import rasterize

from brisk_atlas.core.model import Lattice


def inside_polygons(polygons: np.ndarray, lattice: Lattice, *, touching: bool = False) -> np.ndarray:
    """Return (rows, cols) bool: which cells have their middle inside any polygon, or touch one. The polygons are in the
    CRS of the lattice."""
    found = meeting(polygons, lattice)
    if not found.size:
        return np.zeros((lattice.rows, lattice.columns), bool)
    transform = Affine(*lattice.transform)
    made = rasterize(((shape, 1) for shape in found), (lattice.rows, lattice.columns), transform=transform,
                     all_touched=touching, dtype="uint8")  # fmt: skip
    return made.astype(bool)


def meeting(shapes: np.ndarray, lattice: Lattice) -> np.ndarray:
    """Return the geometries whose bounds meet the extent of a lattice."""
    b, e = shapely.bounds(shapes), lattice.extent
    with np.errstate(invalid="ignore"):
        return shapes[(b[:, 0] <= e.xmax) & (b[:, 2] >= e.xmin) & (b[:, 1] <= e.ymax) & (b[:, 3] >= e.ymin)]
