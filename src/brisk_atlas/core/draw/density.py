"""How densely points lie, as a look: each one smoothed by a normal curve, summed under the pixels of a view."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from brisk_atlas.core.model.shapes import POINT
from brisk_atlas.core.place import ground_metres, is_geographic, metres_per_unit
from brisk_atlas.core.read.shape_index import ShapeIndex

from . import ramps
from .view import View

REACH = 3.0  # standard deviations after which a point counts no more
FULL = 0.6  # share of the highest density from which on colours are solid
PER_KM2 = 1e6  # square metres


def draw_density(
    image: np.ndarray, index: ShapeIndex, shown: np.ndarray | None, radius: float, ramp: str, view: View
) -> float:
    """Draw the density of an index's points into a clear picture; returns the highest one in view, in points a square
    kilometre (a square unit where the CRS has no metres).

    radius : pixels, one standard deviation of the curve; shown : (features,) bool of those that count, None for all
    """
    sigma = max(radius * view.density, 0.5)
    margin = int(np.ceil(REACH * sigma))
    counts = np.zeros((view.height + 2 * margin, view.width + 2 * margin), np.float32)
    for world in view.in_worlds():
        _count(counts, index, shown, margin, world.plane)
    dense = gaussian_filter(counts, sigma, mode="constant", truncate=REACH)[margin:-margin, margin:-margin]
    highest = float(dense.max())
    if highest <= 0:
        return 0.0
    share = dense / highest
    rgb = ramps.ramp(ramp)[np.clip(share * ramps.STEPS, 0, ramps.STEPS - 1).astype(np.int64)]
    alpha = np.clip(share / FULL, 0.0, 1.0)
    image[..., :3] = np.round(rgb * alpha[..., None]).astype(np.uint8)
    image[..., 3] = np.round(alpha * 255).astype(np.uint8)
    across = ground_metres(view.crs, view.x, view.y)
    along = metres_per_unit(view.crs) if view.crs and is_geographic(view.crs) else across  # degrees shrink eastwards
    return highest / (view.resolution**2 * across * along) * (PER_KM2 if view.crs else 1.0)


def _count(counts: np.ndarray, index: ShapeIndex, shown: np.ndarray | None, margin: int, plane: View) -> None:
    """Add to (rows, cols) float32 how many points lie under each pixel of a picture, with a margin around it."""
    shapes = index.shapes
    features = index.within(plane.extent, margin * plane.resolution)
    if shown is not None:
        features = features[shown[features]]
    first, last = shapes.feature_starts[features], shapes.feature_starts[features + 1]
    sizes = last - first
    paths = np.repeat(first - (np.cumsum(sizes) - sizes), sizes) + np.arange(int(sizes.sum()))
    points = shapes.xy[shapes.path_starts[paths[shapes.path_kinds[paths] == POINT]]]
    left, upper = plane.origin
    col = np.floor((points[:, 0] - left) / plane.resolution).astype(np.int64) + margin
    row = np.floor((upper - points[:, 1]) / plane.resolution).astype(np.int64) + margin
    tall, wide = counts.shape
    inside = (col >= 0) & (col < wide) & (row >= 0) & (row < tall)
    counts += np.bincount(row[inside] * wide + col[inside], minlength=tall * wide).reshape(tall, wide)
