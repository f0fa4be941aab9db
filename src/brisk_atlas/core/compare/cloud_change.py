"""How far the points of a cloud lie from a grid or from another cloud: straight up, or along the ground's normal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import laspy
import numpy as np
from scipy.ndimage import map_coordinates
from scipy.spatial import KDTree

from brisk_atlas.core.model import AtlasError, Extent, RasterPart
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs, transform
from brisk_atlas.core.system.atomic_write import written_beside
from brisk_atlas.core.system.shares import CORES

NEIGHBOURS = 12  # points of the other cloud that a piece of ground is fitted to
CHUNK = 100_000  # points worked on at once
REACH = 6.0  # times the usual spacing of the other cloud, beyond which it says nothing of a place
SPACING_SAMPLE = 20_000
MOST_CELLS = 100_000_000
DISTANCE = "distance"


class Along(StrEnum):
    """Which way a distance is measured."""

    VERTICAL = "vertical"
    NORMAL = "normal"


@dataclass(frozen=True, eq=False)
class CloudDifference:
    """The points of one cloud and how far each lies from the other side, (n,) float32, positive where the later side is
    higher; NaN where the other side has nothing near."""

    points: Points
    distance: np.ndarray

    @property
    def known(self) -> np.ndarray:
        """The distances that are known."""
        return self.distance[np.isfinite(self.distance)]


def from_grid(
    points: Points, grid: RasterPart, band: int = 1, *, later: bool, check: Callable[[float], None] = lambda share: None
) -> CloudDifference:
    """Return how far points lie above a grid, interpolated between the middles of its cells; below it if `later` says
    that the grid is the later side. Raises AtlasError where they do not overlap or the grid is too large."""
    xy = transform(points.xyz[:, :2], points.crs, grid.facts.crs)
    near = np.isfinite(xy).all(axis=1)
    if not near.any():
        raise AtlasError(
            grid.ref, tr("no point of the cloud can be placed in its CRS"), tr("State the CRS of the cloud.")
        )
    (xmin, ymin), (xmax, ymax) = xy[near].min(axis=0), xy[near].max(axis=0)
    lattice = grid.facts.lattice
    reach = max(lattice.cell)
    extent = grid.facts.extent
    wanted = Extent(xmin - reach, ymin - reach, xmax + reach, ymax + reach, grid.facts.crs)
    common = wanted.intersection(extent) if extent is not None else None
    if common is None or common.width <= 0 or common.height <= 0:
        raise AtlasError(grid.ref, tr("no point of the cloud lies on it"), tr("Choose a grid of the same place."))
    window = lattice.window_of(common)
    if window.shape[0] * window.shape[1] > MOST_CELLS:
        raise AtlasError(grid.ref, tr("it has too many cells under the cloud"), tr("Export a smaller extent first."))
    found = grid.block(window, bands=(band,))
    check(0.4)
    heights = np.where(found.valid, found.values[0].astype(float), np.nan)
    column, row = found.lattice.to_cells(xy[:, 0], xy[:, 1])
    ground = map_coordinates(heights, [row - 0.5, column - 0.5], order=1, mode="constant", cval=np.nan)
    off = points.xyz[:, 2] - ground
    return CloudDifference(points, (-off if later else off).astype(np.float32))


def from_cloud(
    before: Points, after: Points, along: Along = Along.VERTICAL, check: Callable[[float], None] = lambda share: None
) -> CloudDifference:
    """Return how far the points of B lie from the ground that the nearest points of A show: a plane through them.

    Vertically, or along the plane's normal, which points up; the idea of local normals is that of Lague, D., Brodu, N.
    and Leroux, J. (2013), "Accurate 3D comparison of complex topography with terrestrial laser scanner", ISPRS Journal
    of Photogrammetry and Remote Sensing 82, 10-26. Raises AtlasError where A has too few points.
    """
    if len(before) < NEIGHBOURS:
        raise AtlasError(
            tr("side A"),
            tr("it has {count} points, fewer than {neighbours}", count=len(before), neighbours=NEIGHBOURS),
            tr("Choose a denser cloud."),
        )
    own = after.xyz.astype(float).copy()
    own[:, :2] = transform(own[:, :2], after.crs, before.crs)
    origin = before.xyz.mean(axis=0)
    ground, own = before.xyz - origin, own - origin
    flat = along is Along.VERTICAL
    axes = slice(0, 2) if flat else slice(0, 3)
    tree = KDTree(ground[:, axes])
    some = ground[:: max(1, len(ground) // SPACING_SAMPLE), axes]
    spacing = float(np.median(tree.query(some, k=2, workers=CORES)[0][:, 1]))
    distance = np.full(len(own), np.nan, np.float32)
    for first in range(0, len(own), CHUNK):
        here = own[first : first + CHUNK]
        placed = np.isfinite(here).all(axis=1)
        apart, at = tree.query(np.where(placed[:, None], here, 0.0)[:, axes], k=NEIGHBOURS, workers=CORES)
        around = ground[at]  # (points, neighbours, 3)
        middle = around.mean(axis=1)
        _, directions = np.linalg.eigh(np.einsum("nki,nkj->nij", *[around - middle[:, None]] * 2))
        normal = directions[:, :, 0]
        normal = normal * np.where(normal[:, 2:] < 0, -1.0, 1.0)
        off = np.einsum("ni,ni->n", here - middle, normal)
        if flat:
            with np.errstate(divide="ignore", invalid="ignore"):
                off = off / normal[:, 2]
        sideways = apart[:, 0] if flat else np.sqrt(np.maximum(apart[:, 0] ** 2 - off**2, 0.0))
        near = placed & np.isfinite(off) & (sideways <= max(REACH * spacing, 1e-9))
        distance[first : first + CHUNK] = np.where(near, off, np.nan)
        check(min(1.0, (first + CHUNK) / len(own)))
    return CloudDifference(after, distance)


def write_cloud(found: CloudDifference, path: Path) -> None:
    """Write the points whose distance is known as LAZ, with the distance as a dimension. Raises CannotWrite."""
    known = np.isfinite(found.distance)
    xyz = found.points.xyz[known]
    header = laspy.LasHeader(point_format=6, version="1.4")
    header.add_extra_dim(laspy.ExtraBytesParams(name=DISTANCE, type=np.float32))
    header.offsets, header.scales = np.floor(xyz.min(axis=0)), np.array([0.001, 0.001, 0.001])
    if found.points.crs:
        header.add_crs(proj_crs(found.points.crs))
    cloud = laspy.LasData(header)
    cloud.x, cloud.y, cloud.z = xyz.T
    cloud[DISTANCE] = found.distance[known]
    with written_beside(path) as beside:
        cloud.write(beside)
