"""Drawing vector layers: their features as the style makes them, labels, and what is picked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import Seen, seen_features
from brisk_atlas.core.model import DataRef, Layer, VectorStyle
from brisk_atlas.core.place.seams import shapes_across
from brisk_atlas.core.read.shape_index import ShapeIndex, index_of
from brisk_atlas.core.table import rows_of, seen_rows, seen_shown

from .classes import colouring_of
from .density import draw_density
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
        inks = _inks(cache, layer, style, seen)
        shown = _shown(cache, layer, style, seen, check)
        if style.density > 0 and index.has_points:
            highest = draw_density(image, index, shown, style.density, style.ramp, view)
            return Drawn(note=seen.note, limits=((0.0, highest),))
        for world in view.in_worlds():
            draw_vector(image, index, inks, style, world.plane, check, so_far, shown)
        return Drawn(note=seen.note)

    def may_move(self, layer: Layer) -> bool:
        return not _style(layer).density  # whose colours follow what is in view

    def labels(self, cache: DataCache, layer: Layer, view: View) -> LabelsWanted | None:
        style = _style(layer)
        if style.label is None:
            return None
        seen = seen_features(cache, layer.ref, view.extent)
        look, index = style.label, index_in(cache, layer.ref, view, seen)
        table, shown = seen_rows(cache, layer, seen), _shown(cache, layer, style, seen)
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


def _shown(
    cache: DataCache, layer: Layer, style: VectorStyle, seen: Seen, check: Check = lambda: None
) -> np.ndarray | None:
    """Return which seen features are drawn: those that the filters show and whose class is on; None for all."""
    shown = seen_shown(cache, layer, seen, check)
    colouring = _inks(cache, layer, style, seen).colouring if style.hidden else None
    on = colouring.showing(style.hidden) if colouring is not None else None
    return shown if on is None else on if shown is None else shown & on


def drawn_rows(cache: DataCache, layer: Layer) -> np.ndarray | None:
    """Return (rows,) bool of those of a layer that is held whose class is on; None for all."""
    style = _style(layer)
    if not style.hidden:
        return None
    colouring = colouring_of(rows_of(cache, layer), style)
    return colouring.showing(style.hidden) if colouring is not None else None


def _inks(cache: DataCache, layer: Layer, style: VectorStyle, seen: Seen) -> Inks:
    """Return what a vector layer's style makes of each row."""
    asked = (seen.key, style.colour_by, style.method, style.classes, style.ramp, style.stretch,
             style.width_by, style.widths, style.size_by, style.sizes, layer.rows.modifications)  # fmt: skip
    table = seen_rows(cache, layer, seen)
    return cache.derive_latest(("inks", layer.id, layer.ref), asked, lambda: inks_of(table, style))
