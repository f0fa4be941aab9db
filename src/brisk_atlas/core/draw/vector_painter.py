"""Drawing vector layers: their features as the style makes them, labels, and what is picked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import Seen, seen_features
from brisk_atlas.core.model import DataRef, Layer, VectorStyle
from brisk_atlas.core.place.seams import shapes_across
from brisk_atlas.core.read.shape_index import ShapeIndex, index_of
from brisk_atlas.core.table import seen_rows, seen_shown

from .drawn import Drawn
from .labels import anchors_of
from .layer_painter import HALO, PICKED_INK, Check, LabelsWanted
from .vector import Inks, draw_picked, draw_vector, inks_of
from .view import View


class VectorPainter:
    """Draws features. What is worked out for a view is stored in the cache."""

    def paint(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, check: Check, so_far: Check
    ) -> Drawn:
        style = _style(layer)
        seen = seen_features(cache, layer.ref, view.extent)
        index = index_in(cache, layer.ref, view, seen)
        check()
        inks, shown = _inks(cache, layer, style, seen), seen_shown(cache, layer, seen, check)
        for world in view.in_worlds():
            draw_vector(image, index, inks, style, world.plane, check, so_far, shown)
        return Drawn(note=seen.note)

    def may_move(self, layer: Layer) -> bool:
        return True

    def labels(self, cache: DataCache, layer: Layer, view: View) -> LabelsWanted | None:
        style = _style(layer)
        if style.label is None:
            return None
        seen = seen_features(cache, layer.ref, view.extent)
        look, index = style.label, index_in(cache, layer.ref, view, seen)
        table, shown = seen_rows(cache, layer, seen), seen_shown(cache, layer, seen)
        anchors = cache.derive_latest(
            ("anchors", layer.id, layer.ref),
            (seen.key, look.text, look.first, view.crs, view.turn, layer.rows.modifications),
            lambda: anchors_of(seen.features, table, index, look, view),
        )
        symbol = max(style.size, *(style.sizes if style.size_by else (0.0,))) * view.density
        return LabelsWanted(index, anchors, look, symbol, shown)

    def paint_picked(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, rows: tuple[int, ...]
    ) -> None:
        seen = seen_features(cache, layer.ref, view.extent)
        if seen.key != ("all",):
            return  # rows of what is read by view have no lasting numbers
        index = index_in(cache, layer.ref, view, seen)
        for world in view.in_worlds():
            draw_picked(image, index, np.array(rows, np.int64), world.plane, HALO, PICKED_INK)


def _style(layer: Layer) -> VectorStyle:
    assert isinstance(layer.style, VectorStyle)
    return layer.style


def index_in(cache: DataCache, source: DataRef, view: View, seen: Seen) -> ShapeIndex:
    """Return the index of the shapes of seen features on the plane of a view, made once."""
    crs, turn = view.crs, view.turn
    if turn:
        upright = index_in(cache, source, replace(view, turn=0.0), seen)
        return cache.derive_latest(
            ("turned index", source), (seen.key, crs, turn), lambda: index_of(upright.shapes.turned(turn))
        )
    if seen.key == ("all",):
        return cache.shape_index(source, crs)
    shapes = seen.features.shapes

    return cache.derive_latest(
        ("shape index", source), (seen.key, crs), lambda: index_of(shapes_across(shapes, seen.features.crs, crs))
    )


def _inks(cache: DataCache, layer: Layer, style: VectorStyle, seen: Seen) -> Inks:
    """Return what a vector layer's style makes of each row."""
    asked = (seen.key, style.colour_by, style.method, style.classes, style.ramp, style.stretch,
             style.width_by, style.widths, style.size_by, style.sizes, layer.rows.modifications)  # fmt: skip
    table = seen_rows(cache, layer, seen)
    return cache.derive_latest(("inks", layer.id, layer.ref), asked, lambda: inks_of(table, style))
