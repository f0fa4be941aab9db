"""Points that lie close together as one symbol with their number, as a look.

Points are gathered by squares of the map, so that clusters stay as they are while it is panned; then clusters whose
middles came to lie close together, across the edge of two squares, become one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from brisk_atlas.core.model import Label, VectorStyle
from brisk_atlas.core.model.shapes import POINT
from brisk_atlas.core.read.shape_index import ShapeIndex

from . import ramps
from .ink import inks_from, pixels_of
from .kernels.symbols import stamp
from .layer_painter import FixedText
from .symbols import masks
from .view import View

CLOSE = 0.6  # of the size of a square: clusters whose middles are closer become one
GROWTH_PX = 4.0  # that a symbol is wider for each doubling of its number
MAX_SIZE_PX = 60.0
TEXT_PX = 11.0


@dataclass(frozen=True, eq=False)
class Clusters:
    """Groups of points. xy : (clusters, 2) middles on the plane of a view; counts : (clusters,) int64; first :
    (clusters,) int64, the feature that a cluster of one is."""

    xy: np.ndarray
    counts: np.ndarray
    first: np.ndarray


def clusters_of(index: ShapeIndex, shown: np.ndarray | None, gap: float, view: View) -> Clusters:
    """Return the clusters of an index's points in a view.

    gap : device pixels, the side of the squares; shown : (features,) bool of those that count, None for all
    """
    shapes, plane, side = index.shapes, view.plane, gap * view.resolution
    features = index.within(plane.extent, 2 * side)
    if shown is not None:
        features = features[shown[features]]
    first, last = shapes.feature_starts[features], shapes.feature_starts[features + 1]
    sizes = last - first
    paths = np.repeat(first - (np.cumsum(sizes) - sizes), sizes) + np.arange(int(sizes.sum()))
    owners, kept = np.repeat(features, sizes), shapes.path_kinds[paths] == POINT
    xy, owners = shapes.xy[shapes.path_starts[paths[kept]]], owners[kept]
    if not len(xy):
        return Clusters(xy, np.empty(0, np.int64), owners)
    squares = np.floor(xy / side).astype(np.int64)
    _, start, of = np.unique(squares, axis=0, return_index=True, return_inverse=True)
    middles, counts = _middles(xy, np.ones(len(xy), np.int64), of.ravel(), len(start))
    pairs = cKDTree(middles).query_pairs(CLOSE * side, output_type="ndarray")
    number, group = connected_components(
        coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (len(middles),) * 2), directed=False
    )
    merged, total = _middles(middles, counts, group, number)
    firsts = np.empty(number, np.int64)
    firsts[group] = owners[start]
    return Clusters(merged, total, firsts)


def _middles(xy: np.ndarray, weights: np.ndarray, of: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Return the weighted middle of each group of positions, and its weight."""
    total = np.bincount(of, weights, count)
    middles = np.column_stack([np.bincount(of, weights * xy[:, axis], count) / total for axis in (0, 1)])
    return middles, total.astype(np.int64)


def draw_clusters(
    image: np.ndarray, clusters: Clusters, bodies: np.ndarray | None, style: VectorStyle, view: View
) -> None:
    """Draw clusters as circles that grow with their number, and points by themselves as the style's symbol.

    bodies : (features,) inks of the points by themselves, None for the style's fill
    """
    plain = inks_from(ramps.rgb_of(style.fill)[None])[0]
    line = inks_from(ramps.rgb_of(style.line)[None])[0]
    sizes = _sizes(clusters, style) * view.density
    for alone in (True, False):
        which = np.flatnonzero((clusters.counts == 1) == alone)
        if not which.size:
            continue
        px, py = view.plane.to_pixel(clusters.xy[which, 0], clusters.xy[which, 1])
        steps, size = np.unique(np.round(sizes[which]), return_inverse=True)
        made, middle = masks(style.symbol if alone else "circle", tuple(steps.tolist()), style.width * view.density)
        body = bodies[clusters.first[which]] if alone and bodies is not None else np.full(which.size, plain)
        stamp(pixels_of(image), 0, image.shape[0], np.asarray(px), np.asarray(py), size.astype(np.int32), made, middle,
              body, np.full(which.size, line))  # fmt: skip


def _sizes(clusters: Clusters, style: VectorStyle) -> np.ndarray:
    """Return how wide each symbol is, screen pixels."""
    grown = TEXT_PX + 5 + GROWTH_PX * np.log2(np.maximum(clusters.counts, 1))
    return np.where(clusters.counts == 1, style.size, np.minimum(np.maximum(grown, style.size), MAX_SIZE_PX))


def numbers_of_clusters(clusters: Clusters, style: VectorStyle) -> list[FixedText]:
    """Return the numbers on the symbols of clusters."""
    dark = ramps.lightness(ramps.rgb_of(style.fill)[None])[0] < 0.62
    look = Label("", TEXT_PX, "#FFFDF8" if dark else "#1D2A35", style.fill)
    many = clusters.counts > 1
    return [
        FixedText(_short(n), x, y, look)
        for n, (x, y) in zip(clusters.counts[many].tolist(), clusters.xy[many].tolist())
    ]


def _short(count: int) -> str:
    """Return a number in a few characters, rounded down from a thousand on."""
    if count < 1000:
        return str(count)
    thousands, unit = (count / 1e3, "k") if count < 1e6 else (count / 1e6, "M")
    return f"{int(thousands * 10) / 10:g}{unit}" if thousands < 10 else f"{int(thousands)}{unit}"
