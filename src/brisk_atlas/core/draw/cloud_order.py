"""Points in an order that serves pictures: by level of detail, and within a level by place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.place import same_crs, transform
from brisk_atlas.core.system.shares import in_shares

from .kernels.points import count_cells, gather, order_points, reach_of

FIRST_LEVEL = 300_000  # points of the coarsest level; each further one has four times as many
TILE_POINTS = 20_000  # points of all levels over an average tile
MOST_TILES = 128  # on a side
FARTHEST = 1e12  # units of a CRS; farther off is no place
STEPS = 2_000_000_000  # into which the longer side of the cloud is cut


@dataclass(frozen=True, eq=False)
class CloudOrder:
    """x, y : (points,) int32 steps of `quantum` from the corner of `extent`; height : float32;
    order : (points,) int32 place in the file. Points of level k and tile (row, col) begin at
    starts[(k * tiles + row) * tiles + col]."""

    extent: Extent
    quantum: float
    tiles: int
    levels: int
    starts: np.ndarray
    x: np.ndarray
    y: np.ndarray
    height: np.ndarray
    order: np.ndarray

    def __len__(self) -> int:
        return len(self.order)

    def runs(self, extent: Extent, level: int) -> list[tuple[int, int]]:
        """Return the runs of points of a level whose tiles meet `extent`, one a row of tiles."""
        if extent.intersection(self.extent) is None:
            return []
        side = max(self.extent.width, self.extent.height) / self.tiles or 1.0
        c0, c1 = (int((v - self.extent.xmin) // side) for v in (extent.xmin, extent.xmax))
        r0, r1 = (int((v - self.extent.ymin) // side) for v in (extent.ymin, extent.ymax))
        last = self.tiles - 1
        c0, c1, r0, r1 = (min(max(v, 0), last) for v in (c0, c1, r0, r1))
        found = []
        for row in range(r0, r1 + 1):
            base = (level * self.tiles + row) * self.tiles
            first, end = int(self.starts[base + c0]), int(self.starts[base + c1 + 1])
            if end > first:
                found.append((first, end))
        return found

    def inks(self, table: np.ndarray) -> np.ndarray:
        """Return (points,) uint32 in this order of inks in the order of the file."""
        out = np.empty(len(self), np.uint32)
        in_shares(len(self), lambda a, b: gather(table, self.order, out, a, b))
        return out


def order_of(
    points: Points,
    crs: str | None,
    on_plane: Callable[[np.ndarray, np.ndarray], tuple[np.ndarray, np.ndarray]] | None = None,
    check: Callable[[], None] = lambda: None,
) -> CloudOrder:
    """Return the order of a cloud seen in `crs`, on the plane of a view that is turned."""
    xy = points.xyz if same_crs(points.crs, crs) else transform(points.xyz[:, :2], points.crs, crs)
    if on_plane is not None:
        xy = np.column_stack(on_plane(xy[:, 0], xy[:, 1]))
    count = len(xy)
    check()
    reach = np.array([np.inf, np.inf, -np.inf, -np.inf])
    reach_of(xy, reach)
    if np.isfinite(reach).any() and np.abs(reach).max() > FARTHEST:  # some are damaged: those have no place
        xy = np.where(np.abs(xy[:, :2]) <= FARTHEST, xy[:, :2], np.nan)
        reach[:] = [np.inf, np.inf, -np.inf, -np.inf]
        reach_of(xy, reach)
    xmin, ymin, xmax, ymax = reach.tolist() if reach[0] <= reach[2] else (0.0, 0.0, 1.0, 1.0)
    extent = Extent(xmin, ymin, xmax, ymax, crs)
    span = max(extent.width, extent.height) or 1.0
    tiles = min(MOST_TILES, max(1, ceil(sqrt(count / TILE_POINTS))))
    levels, reached = 1, FIRST_LEVEL
    while reached < count:
        levels, reached = levels + 1, reached * 4
    upto = np.minimum(1.0, FIRST_LEVEL * 4.0 ** np.arange(levels) / max(count, 1))
    counts = np.zeros(levels * tiles * tiles, np.int64)
    frame = extent.xmin, extent.ymin
    check()
    count_cells(xy, *frame, tiles / span, tiles, upto, counts)
    starts = np.concatenate([[0], np.cumsum(counts)])
    count = int(starts[-1])
    x, y, order = (np.empty(count, np.int32) for _ in range(3))
    height = np.empty(count, np.float32)
    check()
    quantum = span / STEPS
    order_points(
        xy, points.xyz[:, 2], *frame, quantum, tiles / span, tiles, upto, starts[:-1].copy(), x, y, height, order
    )
    return CloudOrder(extent, quantum, tiles, levels, starts, x, y, height, order)
