"""Cells that hang together: cleaned by area, and as polygons."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
import shapely
from affine import Affine
from rasterio.features import shapes
from scipy import ndimage

from brisk_atlas.core.model import Lattice
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.atomic_write import written_beside

EIGHT = np.ones((3, 3), bool)  # cells that touch by a corner hang together


@dataclass(frozen=True, eq=False)
class Patches:
    """Patches of a class. `labels`: (rows, cols) int32, the number of the patch from 1, 0 elsewhere; by patch: `kinds`
    (n,) its class, `areas` (n,) m², `means` and `extremes` (n,) of the values in it, the extreme farthest from 0."""

    labels: np.ndarray
    kinds: np.ndarray
    areas: np.ndarray
    means: np.ndarray
    extremes: np.ndarray

    def __len__(self) -> int:
        return len(self.areas)


def patches_of(classes: np.ndarray, values: np.ndarray, areas: np.ndarray, minimum_m2: float = 0.0) -> Patches:
    """Return the patches of each class but 0 that have an area or more.

    classes : (rows, cols) uint8; values : (rows, cols) float; areas : (rows,) m² of a cell in each row
    """
    labels, count = np.zeros(classes.shape, np.int32), 0
    kinds: list[np.ndarray] = []
    for kind in [int(each) for each in np.unique(classes) if each]:
        own, found = ndimage.label(classes == kind, EIGHT)
        labels[own > 0] = own[own > 0] + count
        kinds.append(np.full(found, kind, np.uint8))
        count += found
    every = np.concatenate(kinds) if kinds else np.empty(0, np.uint8)
    rows, cols = np.nonzero(labels)
    number = labels[rows, cols] - 1
    sizes = np.bincount(number, areas[rows], count)
    large = sizes >= minimum_m2
    renumbered = np.concatenate([[0], np.where(large, np.cumsum(large), 0)]).astype(np.int32)
    labels = renumbered[labels]
    kept = large[number]
    rows, cols, number = rows[kept], cols[kept], renumbered[number[kept] + 1] - 1
    inside, many = values[rows, cols].astype(float), int(large.sum())
    means = np.bincount(number, inside, many) / np.maximum(np.bincount(number, minlength=many), 1)
    high, low = np.full(many, -np.inf), np.full(many, np.inf)
    np.maximum.at(high, number, inside)
    np.minimum.at(low, number, inside)
    return Patches(labels, every[large], sizes[large], means, np.where(np.abs(high) >= np.abs(low), high, low))


def _several(polygons: np.ndarray) -> np.ndarray:
    """Return (n,) valid multipolygons: a ring that touches itself at a corner becomes several."""
    parts, of = shapely.get_parts(shapely.make_valid(polygons), return_index=True)
    return np.asarray(shapely.multipolygons(parts, indices=of))


def write_patches(
    patches: Patches, lattice: Lattice, names: dict[int, str], path: Path, *, value: str = "change"
) -> int:
    """Write the patches as polygons along their cells to a GeoPackage; returns how many. Raises CannotWrite."""
    found = shapes(patches.labels, patches.labels > 0, 8, Affine(*lattice.transform))
    rings, numbers = [], []
    for shape, number in found:
        rings.append(shapely.Polygon(shape["coordinates"][0], shape["coordinates"][1:]))
        numbers.append(int(number) - 1)
    at = np.array(numbers, int)
    table = pa.table({
        "class": [names[int(kind)] for kind in patches.kinds[at]],
        "area_m2": patches.areas[at],
        f"mean_{value}": patches.means[at],
        f"extreme_{value}": patches.extremes[at],
        "geometry": shapely.to_wkb(_several(np.array(rings, object))),
    })  # fmt: skip
    with written_beside(path) as beside:
        pyogrio.write_arrow(
            table, beside, driver="GPKG", layer=path.stem, geometry_name="geometry", geometry_type="MultiPolygon",
            crs=proj_crs(lattice.crs).to_wkt() if lattice.crs else None,
        )  # fmt: skip
    return len(rings)
