"""What is worked out once for a layer's shapes, so that a picture of any part, and a pick, are quick."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.shapes import LINE, POINT, Shapes
from brisk_atlas.core.system.shares import in_shares

from .index_kernels import (
    DEEPEST,
    FAN,
    around,
    count_blocks,
    fill_areas,
    fill_blocks,
    fill_tree,
    find_in,
    hilbert,
    hit_among,
)

FEW = 256  # features that a pick has room for at first
SEARCHED = 100_000  # features up to which looking at each takes a millisecond at most, and no tree is made for it


class Tree(NamedTuple):
    """Rectangles around runs of features that lie close together.

    order : (features,) int64 along a Hilbert curve
    nodes : (nodes, 4) bounds of runs of it, then of runs of those, up to the last level
    level_starts : (levels + 1,) int64 into nodes, the level of the features' own runs first
    """

    order: np.ndarray
    nodes: np.ndarray
    level_starts: np.ndarray


@dataclass(frozen=True, eq=False)
class ShapeIndex:
    """Rectangles around runs of vertices and runs of features.

    whole : bounds of all features, None where there is no geometry
    block_starts : (paths + 1,) int64 into blocks
    blocks : (n, 4) float64 bounds of runs of vertices along each path
    areas : (features,) float64, CRS units squared
    """

    shapes: Shapes
    whole: Extent | None
    has_points: bool
    block_starts: np.ndarray
    blocks: np.ndarray
    areas: np.ndarray

    @cached_property
    def tree(self) -> Tree:
        """Rectangles around features that lie close together."""
        return _tree_of(self.shapes.bounds, self.whole)

    @cached_property
    def vertex_starts(self) -> np.ndarray:
        """Return (features + 1,) int64: where each feature's vertices begin."""
        return self.shapes.path_starts[self.shapes.feature_starts]

    @cached_property
    def has_lines(self) -> bool:
        """Whether any path is a line."""
        return bool((self.shapes.path_kinds == LINE).any())

    @cached_property
    def has_paths(self) -> bool:
        """Whether anything is a line or an area."""
        return bool((self.shapes.path_kinds != POINT).any())

    def within(self, extent: Extent, margin: float = 0.0) -> np.ndarray:
        """Return the features whose bounds meet `extent` (grown by `margin`), in drawing order."""
        if self.whole is None:
            return np.empty(0, np.int64)
        e, w = extent, self.whole
        if e.xmin <= w.xmin and e.xmax >= w.xmax and e.ymin <= w.ymin and e.ymax >= w.ymax:
            return np.arange(len(self.shapes))
        seen = Extent(e.xmin - margin, e.ymin - margin, e.xmax + margin, e.ymax + margin)
        if len(self.shapes) <= SEARCHED:
            return np.flatnonzero(self.shapes.meeting(seen))
        return np.sort(self.found_by_tree(seen))

    def found_by_tree(self, extent: Extent) -> np.ndarray:
        """Return the features whose bounds meet `extent`, in the order of the tree."""
        found = np.empty(len(self.shapes), np.int64)
        count = find_in(self.shapes.bounds, *self.tree, np.empty((DEEPEST, 2), np.int64), *extent.bounds, found)
        return found[:count]

    def at(self, x: float, y: float, tolerance: float) -> np.ndarray:
        """Return the features at a position, the one drawn last first.

        Polygons by the even-odd rule, exact; lines and points within `tolerance`, in units of the CRS.
        """
        room, s = FEW, self.shapes
        while True:
            found = np.empty(room, np.int64)
            near, count = hit_among(
                s.xy, s.path_starts, s.path_kinds, s.feature_starts, s.bounds,
                *self.tree, np.empty((DEEPEST, 2), np.int64),
                float(x), float(y), float(tolerance), found,
            )  # fmt: skip
            if near <= room:
                break
            room = near
        hit = found[:count]
        hit.sort()
        return hit[::-1]


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
    xmin, ymin, xmax, ymax = around(shapes.bounds)
    whole = Extent(xmin, ymin, xmax, ymax) if xmin <= xmax else None
    has_points = bool((shapes.path_kinds == POINT).any())
    return ShapeIndex(shapes, whole, has_points, block_starts, blocks, areas)


def _tree_of(bounds: np.ndarray, whole: Extent | None) -> Tree:
    features = len(bounds)
    order = np.arange(features, dtype=np.int64)
    if whole is not None:
        codes = np.empty(features, np.uint32)
        scale = 65535.0 / (max(whole.width, whole.height) or 1.0)
        in_shares(features, lambda a, b: hilbert(bounds[a:b], whole.xmin, whole.ymin, scale, codes[a:b]))
        order = np.argsort(codes)
    sizes = [(features + FAN - 1) // FAN]
    while sizes[-1] > FAN:
        sizes.append((sizes[-1] + FAN - 1) // FAN)
    level_starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    nodes = np.empty((int(level_starts[-1]), 4))
    fill_tree(bounds, order, level_starts, nodes)
    return Tree(order, nodes, level_starts)
