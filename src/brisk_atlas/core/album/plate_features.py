"""Features that a click on a picture finds: what of a layer lies in a view, in pixels of it."""

from __future__ import annotations

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import is_stream
from brisk_atlas.core.draw.vector_painter import drawn_rows
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import ColumnView, Layer
from brisk_atlas.core.place import same_crs, transform, transform_extent
from brisk_atlas.core.table.formats import text_of
from brisk_atlas.core.table.seen import seen_of, seen_rows, seen_shown

from .page_parts import PageFeatures

MOST_FEATURES = 2_000  # of a layer in one view
OFF_PX = 0.4  # by which shapes may be off
MOST_TEXT = 300  # characters of a value
KINDS = {0: "point", 1: "line", 2: "line", 3: "area", 4: "point", 5: "line", 6: "area"}  # by the types of shapely


def features_in_view(cache: DataCache, layer: Layer, view: View, key: str = "") -> PageFeatures | None:
    """Return the features of a layer that a picture of a view shows, None for none: those that its filters and classes
    draw, with the fields that its sheet shows. Of more than are looked at, the first. `key` is a field whose values are
    wanted as keys."""
    crs = cache.part(layer.ref).facts.crs
    own = transform_extent(view.extent, crs)
    if own is None:
        return None
    seen = seen_of(cache, layer, own)
    rows = seen_rows(cache, layer, seen)
    near = seen.features.shapes.meeting(own)
    for mask in (seen_shown(cache, layer, seen), None if is_stream(cache, layer.ref) else drawn_rows(cache, layer)):
        near = near if mask is None else near & mask
    numbers = np.flatnonzero(near)
    if not numbers.size:
        return None
    shapes = shapely.from_wkb(seen.features.wkb.take(numbers[: 4 * MOST_FEATURES]).to_numpy(zero_copy_only=False))
    shapes = _usable(shapely.transform(shapes, lambda xy: _pixels(xy, view, crs)))
    hit = np.flatnonzero(shapely.intersects(shapes, shapely.box(0, 0, view.width, view.height)))
    if not hit.size:
        return None
    left_out = max(0, hit.size - MOST_FEATURES) + max(0, numbers.size - 4 * MOST_FEATURES)
    hit = hit[:MOST_FEATURES]
    shapes = shapely.simplify(shapely.clip_by_rect(shapes[hit], -9, -9, view.width + 9, view.height + 9), OFF_PX)
    chosen = np.flatnonzero(~shapely.is_empty(shapes))
    table = rows.take(numbers[hit][chosen])
    units = {field.name: field.unit for field in cache.part(layer.ref).facts.fields}
    looks = [look for look in layer.rows.ordered(table.column_names) if look.shown and not look.name.startswith("__")]
    columns = [_texts(table.column(look.name).to_pylist(), look) for look in looks]
    return PageFeatures(
        layer.name, tuple(f"{look.name}, {units[look.name]}" if units.get(look.name) else look.name for look in looks),
        tuple(zip(*columns)) if columns else ((),) * chosen.size,
        tuple(KINDS.get(int(each), "area") for each in shapely.get_type_id(shapes[chosen])),
        tuple(_paths(each) for each in shapes[chosen]), left_out,
        keys=tuple(map(key_text, table.column(key).to_pylist())) if key in table.column_names else (),
    )  # fmt: skip


def _usable(shapes: np.ndarray) -> np.ndarray:
    """Return shapes mended where that is needed, and None for those that have no place or are no plain kind."""
    placed = np.isfinite(shapely.bounds(shapes)).all(axis=1)
    shapes = shapes.copy()
    shapes[~placed] = None
    broken = placed & ~shapely.is_valid(shapes)
    shapes[broken] = shapely.make_valid(shapes[broken])
    shapes[~np.isin(shapely.get_type_id(shapes), list(KINDS))] = None
    return shapes


def key_text(value: object) -> str:
    """Return a key as texts are compared: whole numbers alike, however they are stored; "" for a missing one.

    >>> key_text(10234), key_text(10234.0), key_text("10234"), key_text(None)
    ('10234', '10234', '10234', '')
    """
    if value is None or value != value:
        return ""
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


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


def _texts(values: list[object], look: ColumnView) -> list[str]:
    """Return values as the sheet shows them, "" for missing ones."""
    return ["" if value is None or value != value else text_of(value, look)[:MOST_TEXT] for value in values]
