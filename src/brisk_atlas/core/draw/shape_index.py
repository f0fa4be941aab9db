"""What is worked out once for a layer's shapes, so that a picture of any part of it is quick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.shapes import POINT, Shapes

from .bands import in_shares
from .kernels.index import count_blocks, fill_areas, fill_blocks, fill_leaves, find_in, hilbert

LEAF = 16  # features to a rectangle of the tree


@dataclass(frozen=True, eq=False)
class ShapeIndex:
    """Rectangles around runs of vertices and runs of features.

    whole : bounds of all features, None where there is no geometry
    block_starts : (paths + 1,) int64 into blocks
    blocks : (n, 4) float64 bounds of runs of vertices along each path
    areas : (features,) float64, CRS units squared
    order : (features,) int64 along a Hilbert curve; leaves : (n, 4) bounds of runs of it
    """

    shapes: Shapes
    whole: Extent | None
    has_points: bool
    block_starts: np.ndarray
    blocks: np.ndarray
    areas: np.ndarray
    order: np.ndarray
    leaves: np.ndarray

    def within(self, extent: Extent, margin: float = 0.0) -> np.ndarray:
        """Return the features whose bounds meet `extent` (grown by `margin`), in drawing order."""
        if self.whole is None:
            return np.empty(0, np.int64)
        e, w = extent, self.whole
        if e.xmin <= w.xmin and e.xmax >= w.xmax and e.ymin <= w.ymin and e.ymax >= w.ymax:
            return np.arange(len(self.shapes))
        found = np.empty(len(self.shapes), np.int64)
        count = find_in(
            self.shapes.bounds,
            self.order,
            LEAF,
            self.leaves,
            extent.xmin - margin,
            extent.ymin - margin,
            extent.xmax + margin,
            extent.ymax + margin,
            found,
        )
        return np.sort(found[:count])


def index_of(shapes: Shapes) -> ShapeIndex:
    """Return the index of shapes; about as long as reading their coordinates once."""
    paths, features = len(shapes.path_starts) - 1, len(shapes)
    block_starts = np.zeros(paths + 1, np.int64)
    count_blocks(shapes.path_starts, block_starts)
    blocks, areas = np.empty((int(block_starts[-1]), 4)), np.empty(features)
    in_shares(paths, lambda a, b: fill_blocks(shapes.xy, shapes.path_starts, block_starts, blocks, a, b))
    in_shares(
        features,
        lambda a, b: fill_areas(shapes.xy, shapes.path_starts, shapes.path_kinds, shapes.feature_starts, areas, a, b),
    )
    order = np.arange(features, dtype=np.int64)
    whole = None
    if np.isfinite(shapes.bounds[:, 0]).any():
        low, high = np.nanmin(shapes.bounds[:, :2], axis=0), np.nanmax(shapes.bounds[:, 2:], axis=0)
        whole = Extent(float(low[0]), float(low[1]), float(high[0]), float(high[1]))
        codes = np.empty(features, np.uint32)
        span = float(max(high - low)) or 1.0
        in_shares(features, lambda a, b: hilbert(shapes.bounds[a:b], low[0], low[1], 65535.0 / span, codes[a:b]))
        order = np.argsort(codes, kind="stable")
    leaves = np.empty(((features + LEAF - 1) // LEAF, 4))
    fill_leaves(shapes.bounds, order, LEAF, leaves)
    has_points = bool((shapes.path_kinds == POINT).any())
    return ShapeIndex(shapes, whole, has_points, block_starts, blocks, areas, order, leaves)
