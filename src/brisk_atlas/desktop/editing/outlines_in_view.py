"""The corners in view: those of the layer that is edited, and those of all layers that a hand can snap to."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.inspect.feature_rings import rings_of
from brisk_atlas.core.inspect.snapping import SnapTargets
from brisk_atlas.core.model import DataRef, Layer
from brisk_atlas.core.place import transform

from ..panes.corner_tool import MarkOutline

MOST_NEIGHBOURS = 4_000  # features of another layer that are snapped to
Corner = tuple[float, float]


class OutlinesInView(NamedTuple):
    """Outlines in the map's CRS, the row and the line of it that each is of by its number, the corners of the map's CRS
    in the layer's own, and what is snapped to."""

    outlines: list[MarkOutline]
    rings: dict[int, tuple[int, int]]
    corners: dict[Corner, Corner]
    targets: SnapTargets


def outlines_in_view(
    cache: DataCache, layer: Layer, view: View, others: Sequence[DataRef], picked: int | None, most: int
) -> OutlinesInView:
    """Return what is in view, at most so many features of the layer; of more the picked one. Raises CannotRead."""
    shapes = cache.shapes_in(layer.ref, view.crs)
    rows = np.flatnonzero(shapes.meeting(view.extent))
    if len(rows) > most:
        rows = rows[rows == picked] if picked is not None else rows[:0]
    features = cache.features(layer.ref)
    outlines: list[MarkOutline] = []
    rings: dict[int, tuple[int, int]] = {}
    corners: dict[Corner, Corner] = {}
    targets = SnapTargets.none()
    for row in rows.tolist():
        wkb = features.wkb[row].as_py()
        for line, ring in enumerate(rings_of(shapely.from_wkb(wkb)) if wkb is not None else ()):
            xy = transform(ring.xy, features.crs, view.crs)
            if not np.isfinite(xy).all():
                continue
            rings[len(outlines)] = row, line
            outlines.append(MarkOutline(len(outlines), xy, ring.closed))
            corners.update(zip(map(tuple, xy.tolist()), map(tuple, ring.xy.tolist())))
            targets = targets.joined(SnapTargets.of_path(xy, row, closed=ring.closed))
    for ref in others:
        if ref != layer.ref and cache.has_features(ref):
            neighbours = cache.shapes_in(ref, view.crs)
            near = np.flatnonzero(neighbours.meeting(view.extent))
            targets = targets.joined(SnapTargets.of(neighbours, near[:MOST_NEIGHBOURS]))
    return OutlinesInView(outlines, rings, corners, targets)
