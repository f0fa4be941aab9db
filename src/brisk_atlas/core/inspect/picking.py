"""Which features lie at a click, in an area or along a line."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import is_stream, piece_of
from brisk_atlas.core.model import Extent, Layer
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import same_crs, transform
from brisk_atlas.core.place.seams import shapes_across
from brisk_atlas.core.read.shape_index import ShapeIndex, index_of
from brisk_atlas.core.table import shown_rows

from .finding import Where

EDGE_POINTS = 21  # that an edge is followed by when an area is taken to another CRS


def picked(cache: DataCache, layer: Layer, where: Where) -> tuple[Features, np.ndarray]:
    """Return the features that were looked through, and the places of those hit, the topmost first.

    Of a layer that is held, places are rows of the sheet; of one that is read by view, places in the
    piece that was read. Features that a filter keeps off the map are not hit.
    """
    if is_stream(cache, layer.ref):
        features = piece_of(cache, layer.ref, around(where))
        shapes = shapes_across(features.shapes, features.crs, where.crs)
        return features, hit(features, index_of(shapes), where)
    features, index = cache.features(layer.ref), cache.shape_index(layer.ref, where.crs)
    parts = [hit(features, index, each) for each in where.in_worlds()]
    found = parts[0] if len(parts) == 1 else np.unique(np.concatenate(parts))[::-1]
    mask = shown_rows(cache, layer) if layer.rows.on_map else None
    return features, found if mask is None else found[mask[found]]


def around(where: Where) -> Extent:
    """Return the rectangle around what was chosen, with its reach."""
    (x0, y0), (x1, y1) = where.xy.min(axis=0).tolist(), where.xy.max(axis=0).tolist()
    return Extent(x0 - where.reach, y0 - where.reach, x1 + where.reach, y1 + where.reach, where.crs)


def hit(features: Features, index: ShapeIndex, where: Where) -> np.ndarray:
    """Return the places of the features hit, the one drawn last first. `index` is in the CRS of `where`.

    A click hits polygons that hold it, by the even-odd rule, and what lies within its reach. An area or
    a line hits what it meets, exactly.
    """
    if where.kind == "click":
        x, y = where.xy[0].tolist()
        return index.at(x, y, where.reach)
    near = index.within(around(where))
    if not near.size:
        return near
    wanted = shape_in(where, features.crs)
    shapely.prepare(wanted)
    shapes = shapely.from_wkb(features.wkb.take(near).to_numpy(zero_copy_only=False), on_invalid="ignore")
    try:
        meets = shapely.intersects(wanted, shapes)
    except GEOSException:  # one of them is too damaged: then one by one
        meets = np.array([_meets(wanted, shape) for shape in shapes])
    return near[meets][::-1]


def _meets(wanted: shapely.Geometry, shape: shapely.Geometry | None) -> bool:
    try:
        return bool(shapely.intersects(wanted, shape))
    except GEOSException:
        return False


def shape_in(where: Where, crs: str | None) -> shapely.Geometry:
    """Return what was chosen as a geometry in another CRS, its edges followed; a line is as wide as its
    reach on both sides."""
    shape = shapely.Polygon(where.xy) if where.is_area else shapely.LineString(where.xy)
    if where.is_area and not shape.is_valid:
        shape = shapely.make_valid(shape)
    if where.kind == "line" and where.reach > 0:
        shape = shape.buffer(where.reach)
    if same_crs(where.crs, crs):
        return shape
    longest = max(np.ptp(where.xy, axis=0).max(), 1e-12)
    followed = shapely.segmentize(shape, longest / EDGE_POINTS)
    return shapely.transform(followed, lambda xy: transform(xy, where.crs, crs))
