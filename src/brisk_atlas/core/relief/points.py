"""Point clouds in a relief: as many points as the moment allows, coarse levels first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.bands import in_bands
from brisk_atlas.core.draw.cloud import AT_ONCE, dimensions_of, look_of, point_inks
from brisk_atlas.core.draw.cloud_order import CloudOrder, order_of
from brisk_atlas.core.model import CloudStyle, Extent, Layer
from brisk_atlas.core.place import height_unit_of, transform_extent
from brisk_atlas.core.place.length_units import METRES_A_UNIT
from brisk_atlas.core.system.shares import CORES, in_pieces

from . import point_kernels
from .rays import Rays
from .space import Space

MOVING = 1_500_000  # points that are drawn while the hand moves
MINIMUM_PX, MAXIMUM_PX = 1.0, 14.0
DEPTH_LIGHT, DEPTH_REACH_PX = 28.0, 1


@dataclass(frozen=True, eq=False)
class ReliefPoints:
    """A cloud in the space of a relief, in an order in which every beginning is spread over all of it. `begin` and
    `per` take steps and heights to metres; `spacing` is about how far points lie apart, metres; `whole` says that they
    are all of the cloud's."""

    layer_id: str
    order: CloudOrder
    inks: np.ndarray
    begin: np.ndarray
    per: np.ndarray
    spacing: float
    size: float
    whole: bool

    def __len__(self) -> int:
        return len(self.order)

    @property
    def outline(self) -> np.ndarray:
        """(n, 3) some of its points, metres."""
        some = slice(0, len(self), max(1, len(self) // 2000))
        steps = np.stack([self.order.x[some], self.order.y[some], self.order.height[some]], axis=1).astype(float)
        found = self.begin + self.per * steps
        return found[np.isfinite(found).all(axis=1)]

    def first(self, most: int) -> int:
        """Return how many of its first points are no more than `most`, and spread over all of it: whole levels."""
        ends = self.order.starts[:: self.order.tiles**2][1:]
        fit = ends[ends <= most]
        return int(fit[-1]) if fit.size else min(int(ends[0]), len(self))

    def row(self, point: int) -> int:
        """Return the place in the file of a point."""
        return int(self.order.order[point])


def relief_points(cache: DataCache, layer: Layer, space: Space) -> ReliefPoints:
    """Return the points of a cloud that are read so far: all, or some spread over it while the rest is read."""
    assert isinstance(layer.style, CloudStyle)
    style, source = layer.style, layer.ref
    points, whole = cache.points_so_far(source, AT_ONCE, dimensions_of(style))
    key = (source, "all") if whole else (source, dimensions_of(style))
    order = cache.derive(("cloud order", key, space.crs), lambda: order_of(points, space.crs))
    inks = cache.derive_latest(
        ("relief inks", source), (key, space.crs, look_of(style)),
        lambda: order.inks(point_inks(points, style)),
    )  # fmt: skip
    facts = cache.part(source).facts
    unit = METRES_A_UNIT.get(height_unit_of(facts.crs), 1.0)
    east, north = space.to_metres(order.extent.xmin, order.extent.ymin)
    per = np.array([order.quantum * space.per_unit[0], order.quantum * space.per_unit[1], unit])
    area = order.extent.width * space.per_unit[0] * order.extent.height * space.per_unit[1]
    spacing = float(np.sqrt(max(area, 1e-9) / max(len(order), 1)))
    return ReliefPoints(layer.id, order, inks, np.array([east, north, 0.0]), per, spacing, style.size, whole)


def space_around(cache: DataCache, layers: Sequence[Layer]) -> Space:
    """Return the space of clouds without a ground, in the CRS of the first."""
    boxes = [cache.part(layer.ref).facts.extent for layer in layers]
    crs = cache.part(layers[0].ref).facts.crs
    placed = [found for box in boxes if box is not None and (found := transform_extent(box, crs)) is not None]
    west, south = min(box.xmin for box in placed), min(box.ymin for box in placed)
    east, north = max(box.xmax for box in placed), max(box.ymax for box in placed)
    longer = max(east - west, north - south, 1e-9)
    return Space.around(Extent(west, south, east + longer * 1e-6, north + longer * 1e-6, crs), longer / 512)


def draw_points(
    clouds: Sequence[ReliefPoints], rays: Rays, depth: np.ndarray, image: np.ndarray, *, moving: bool
) -> tuple[np.ndarray, np.ndarray]:
    """Draw clouds into a picture and its depth; returns (rows, cols) int32 which point is seen, -1 for none, and
    (rows, cols) int8 of which cloud.

    depth : (rows, cols) float32 metres; image : (rows, cols, 4) uint8
    """
    rows, cols = depth.shape
    pixels = image.view(np.uint32)[..., 0]
    nearest, owner = np.full((rows, cols), -1, np.int32), np.full((rows, cols), -1, np.int8)
    for number, cloud in enumerate(clouds):
        own = _draw_cloud(cloud, rays, depth, pixels, MOVING // len(clouds) if moving else len(cloud))
        seen = own >= 0
        nearest[seen], owner[seen] = own[seen], number
    in_bands(rows, lambda a, b: point_kernels.shade_by_depth(depth, nearest, image, DEPTH_LIGHT, DEPTH_REACH_PX, a, b))
    return nearest, owner


def _draw_cloud(cloud: ReliefPoints, rays: Rays, depth: np.ndarray, pixels: np.ndarray, most: int) -> np.ndarray:
    """Draw the first points of a cloud, each core into a picture of its own; returns (rows, cols) int32 those seen."""
    rows = depth.shape[0]
    count = cloud.first(most)
    width = cloud.spacing * np.sqrt(len(cloud) / max(count, 1)) * cloud.size / 2
    own = np.full(depth.shape, -1, np.int32)
    pictures = [(depth, pixels, own)]
    pictures += [(depth.copy(), pixels.copy(), own.copy()) for _ in range(CORES - 1)]
    edges = np.linspace(0, count, CORES + 1).astype(int)

    def draw(first: int, last: int) -> None:
        for core in range(first, last):
            point_kernels.splat_points(
                cloud.order.x, cloud.order.y, cloud.order.height, cloud.inks, cloud.begin, cloud.per, rays, width,
                MINIMUM_PX, MAXIMUM_PX, *pictures[core], edges[core], edges[core + 1],
            )  # fmt: skip

    in_pieces(CORES, CORES, draw)
    for other in pictures[1:]:
        in_bands(rows, partial(point_kernels.lay_points, *pictures[0], *other))
    return own
