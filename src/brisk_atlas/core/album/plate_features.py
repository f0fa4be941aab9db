"""Features that a click on a picture finds: what of a layer lies in a view, in pixels of it."""

from __future__ import annotations

from datetime import date, datetime

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.words import number_text
from brisk_atlas.core.place import same_crs, transform, transform_extent
from brisk_atlas.core.table.seen import seen_of, seen_rows, seen_shown

from .page_parts import PageFeatures

MOST_FEATURES = 2_000  # of a layer in one view
OFF_PX = 0.4  # by which shapes may be off
MOST_TEXT = 300  # characters of a value
KINDS = {0: "point", 1: "line", 2: "line", 3: "area", 4: "point", 5: "line", 6: "area"}  # by the types of shapely


def features_in_view(cache: DataCache, layer: Layer, view: View) -> PageFeatures | None:
    """Return the features of a layer that a view shows, None for none. Of more than are looked at, the first."""
    extent = view.extent
    own = transform_extent(extent, cache.part(layer.ref).facts.crs)
    if own is None:
        return None
    seen = seen_of(cache, layer, own)
    rows, shown = seen_rows(cache, layer, seen), seen_shown(cache, layer, seen)
    near = seen.features.shapes.meeting(own)
    numbers = np.flatnonzero(near if shown is None else near & shown)
    if not numbers.size:
        return None
    shapes = shapely.from_wkb(seen.features.wkb.take(numbers[: 4 * MOST_FEATURES]).to_numpy(zero_copy_only=False))
    shapes = shapely.transform(shapes, lambda xy: _pixels(xy, view, cache.part(layer.ref).facts.crs))
    frame = shapely.box(0, 0, view.width, view.height)
    usable = shapely.is_valid(shapes) & np.isin(shapely.get_type_id(shapes), list(KINDS))
    shapes = np.where(usable, shapes, shapely.make_valid(np.where(usable, None, shapes)))
    hit = np.flatnonzero(shapely.intersects(shapes, frame) & np.isin(shapely.get_type_id(shapes), list(KINDS)))
    if not hit.size:
        return None
    left_out = max(0, hit.size - MOST_FEATURES) + max(0, numbers.size - 4 * MOST_FEATURES)
    hit = hit[:MOST_FEATURES]
    shapes = shapely.simplify(shapely.clip_by_rect(shapes[hit], -9, -9, view.width + 9, view.height + 9), OFF_PX)
    chosen = np.flatnonzero(~shapely.is_empty(shapes))
    table = rows.take(numbers[hit][chosen])
    units = {field.name: field.unit for field in cache.part(layer.ref).facts.fields}
    names = [name for name in table.column_names if not name.startswith("__")]
    columns = [[_text(value) for value in table.column(name).to_pylist()] for name in names]
    return PageFeatures(
        layer.name, tuple(f"{name}, {units[name]}" if units.get(name) else name for name in names),
        tuple(zip(*columns)) if columns else ((),) * chosen.size,
        tuple(KINDS.get(int(each), "area") for each in shapely.get_type_id(shapes[chosen])),
        tuple(_paths(each) for each in shapes[chosen]), left_out,
    )  # fmt: skip


def _pixels(xy: np.ndarray, view: View, crs: str | None) -> np.ndarray:
    """Return positions in pixels of a view."""
    on_map = xy if same_crs(crs, view.crs) else transform(xy, crs, view.crs)
    left, top = view.origin
    u, v = view.on_plane(on_map[:, 0], on_map[:, 1])
    return np.column_stack([(u - left) / view.resolution, (top - v) / view.resolution])


def _paths(shape: shapely.Geometry) -> tuple[np.ndarray, ...]:
    """Return the rings, lines and points of a shape, to a tenth of a pixel."""
    if isinstance(shape, shapely.Polygon):
        rings = [shape.exterior, *shape.interiors]
        return tuple(np.round(shapely.get_coordinates(ring), 1) for ring in rings)
    if isinstance(shape, (shapely.Point, shapely.LineString)):
        return (np.round(shapely.get_coordinates(shape), 1),)
    return tuple(path for part in shapely.get_parts(shape) for path in _paths(part))


def _text(value: object) -> str:
    """Return a value as a page shows it, "" for a missing one."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (int, float)):
        return number_text(value)
    if isinstance(value, datetime):
        return value.isoformat(" ", "seconds")
    return str(value.isoformat() if isinstance(value, date) else value)[:MOST_TEXT]
