"""Outlined vector layers: their features as the style makes them, labels, and what is picked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import Seen
from brisk_atlas.core.model import DataRef, Layer, VectorStyle
from brisk_atlas.core.place.seams import shapes_across
from brisk_atlas.core.read.shape_index import ShapeIndex, index_of
from brisk_atlas.core.table import rows_of, seen_of, seen_rows, seen_shown

from .classes import colouring_of
from .clusters import Clusters, clusters_of, draw_clusters, numbers_of_clusters
from .density import draw_density
from .drawn import Drawn
from .drawn_ahead import DrawnAhead, draws_ahead
from .ink import inks_from
from .labels import anchors_of
from .layer_painter import HALO, PICKED_INK, Check, FixedText, LabelsWanted
from .outlines import Outlined, outlines_of
from .rules import StylePart, masks_of, parts_of
from .vector import Inks, draw_picked, draw_vector, inks_of
from .view import View


class VectorPainter:
    """Draws features. What is worked out for a view is stored in the cache."""

    def paint(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, check: Check, so_far: Check
    ) -> Drawn:
        def growing(seen: Seen) -> None:
            image[:] = 0  # the ones before are among these
            self._paint_seen(cache, layer, image, view, seen, check, lambda: None)
            so_far()

        ahead = DrawnAhead(image, _style(layer), view, check, so_far) if draws_ahead(layer) else None
        seen = seen_of(
            cache, layer, view.extent, view.resolution, growing, check, ahead.draw if ahead is not None else None
        )
        if ahead is not None and 0 < ahead.count == len(seen.features):
            return Drawn(note=seen.note)
        if seen.key != ("all",):
            image[:] = 0
        return self._paint_seen(cache, layer, image, view, seen, check, so_far)

    @staticmethod
    def _paint_seen(
        cache: DataCache, layer: Layer, image: np.ndarray, view: View, seen: Seen, check: Check, so_far: Check
    ) -> Drawn:
        index = index_in(cache, layer.ref, view, seen)
        check()
        limits: tuple[tuple[float, float], ...] = ()
        for part in _parts(cache, layer, seen, view, check):
            shown = _shown(cache, layer, part, seen, check)
            if part.style.density > 0 and index.has_points:
                limits += ((0.0, draw_density(image, index, shown, part.style.density, part.style.ramp, view)),)
                continue
            inks = _inks(cache, layer, part, seen)
            if part.style.cluster > 0 and index.has_points:
                bodies = inks_from(inks.colouring.rgb) if inks.colouring is not None else None
                for world, clusters in _clusters(cache, layer, part, seen, view):
                    draw_clusters(image, clusters, bodies, part.style, world)
                continue
            for world in view.in_worlds():
                draw_vector(image, index, inks, part.style, world.plane, check, so_far, shown)
        return Drawn(note=seen.note, limits=limits)

    def outlines(self, cache: DataCache, layer: Layer, view: View, check: Check) -> list[Outlined] | None:
        seen = seen_of(cache, layer, view.extent, view.resolution, check=check)
        index = index_in(cache, layer.ref, view, seen)
        found: list[Outlined] = []
        for part in _parts(cache, layer, seen, view, check):
            if (part.style.density > 0 or part.style.cluster > 0) and index.has_points:
                return None
            shown, inks = _shown(cache, layer, part, seen, check), _inks(cache, layer, part, seen)
            for world in view.in_worlds():
                drawn = outlines_of(index, inks, part.style, world.plane, check, shown)
                if drawn is None:
                    return None
                found += drawn
        return found

    def may_move(self, layer: Layer) -> bool:
        style = _style(layer)
        return not any(
            look.density or look.cluster for look in (style, *(rule.style for rule in style.rules))
        )  # it follows the view

    def labels(self, cache: DataCache, layer: Layer, view: View) -> list[LabelsWanted]:
        style, wanted = _style(layer), []
        if not any(look.label for look in (style, *(rule.style for rule in style.rules))):
            return []
        seen = seen_of(cache, layer, view.extent, view.resolution)
        index, table = index_in(cache, layer.ref, view, seen), seen_rows(cache, layer, seen)
        for part in reversed(_parts(cache, layer, seen, view)):
            look = part.style.label
            if look is None or (part.style.cluster > 0 and index.has_points):
                continue
            anchors = cache.derive_latest(
                ("anchors", layer.id, layer.ref, part.number),
                (seen.key, look.text, look.first, look.wrap, look.over, view.crs, view.turn, layer.rows.modifications),
                lambda look=look: anchors_of(seen.features, table, index, look, view),  # type: ignore[misc]
            )
            symbol = max(part.style.size, *(part.style.sizes if part.style.size_by else (0.0,))) * view.density
            wanted.append(LabelsWanted(index, anchors, look, symbol, _shown(cache, layer, part, seen)))
        return wanted

    def texts(self, cache: DataCache, layer: Layer, view: View) -> list[FixedText]:
        style = _style(layer)
        if not any(look.cluster for look in (style, *(rule.style for rule in style.rules))):
            return []
        seen = seen_of(cache, layer, view.extent, view.resolution)
        if not index_in(cache, layer.ref, view, seen).has_points:
            return []
        found: list[FixedText] = []
        for part in _parts(cache, layer, seen, view):
            for world, clusters in _clusters(cache, layer, part, seen, view) if part.style.cluster > 0 else []:
                u, v = view.on_plane(view.x - world.x, 0.0)
                texts = numbers_of_clusters(clusters, part.style)
                found += [replace(text, x=text.x + u, y=text.y + v) for text in texts]
        return found

    def paint_picked(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, rows: tuple[int, ...]
    ) -> None:
        seen = seen_of(cache, layer, view.extent, view.resolution)
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


def _parts(cache: DataCache, layer: Layer, seen: Seen, view: View, check: Check = lambda: None) -> list[StylePart]:
    """Return the looks that a layer's style draws at the scale of a view, with the seen features of each."""
    style = _style(layer)
    if not style.rules:
        return parts_of(style, ())
    asked = (seen.key, tuple((rule.where, rule.otherwise) for rule in style.rules), layer.rows.modifications)
    table = seen_rows(cache, layer, seen, check)
    masks = cache.derive_latest(("rules", layer.id, layer.ref), asked, lambda: masks_of(table, style, check))
    return parts_of(style, masks, view)


def _clusters(cache: DataCache, layer: Layer, part: StylePart, seen: Seen, view: View) -> list[tuple[View, Clusters]]:
    """Return the clusters of a look in each copy of the Earth in view, on the plane of that world."""
    index, shown = index_in(cache, layer.ref, view, seen), _shown(cache, layer, part, seen)
    gap = part.style.cluster * view.density
    return [(world, clusters_of(index, shown, gap, world)) for world in view.in_worlds()]


def _shown(
    cache: DataCache, layer: Layer, part: StylePart, seen: Seen, check: Check = lambda: None
) -> np.ndarray | None:
    """Return which seen features are drawn in a look: those of its rule that the filters show and whose class is on;
    None for all."""
    shown, hidden = seen_shown(cache, layer, seen, check), part.style.hidden
    colouring = _inks(cache, layer, part, seen).colouring if hidden else None
    on = colouring.showing(hidden) if colouring is not None else None
    masks = [mask for mask in (shown, on, part.rows) if mask is not None]
    return np.logical_and.reduce(masks) if masks else None


def drawn_rows(cache: DataCache, layer: Layer) -> np.ndarray | None:
    """Return (rows,) bool of those of a layer that is held that its style draws: whose class is on, or which meet a
    rule that is on; None for all."""
    style = _style(layer)
    if style.rules:
        table = rows_of(cache, layer)
        parts = parts_of(style, masks_of(table, style))
        return np.logical_or.reduce([np.zeros(table.num_rows, bool), *(p.rows for p in parts if p.rows is not None)])
    if not style.hidden:
        return None
    colouring = colouring_of(rows_of(cache, layer), style)
    return colouring.showing(style.hidden) if colouring is not None else None


def _inks(cache: DataCache, layer: Layer, part: StylePart, seen: Seen) -> Inks:
    """Return what a look makes of each row."""
    style = part.style
    asked = (seen.key, style.colour_by, style.method, style.classes, style.ramp, style.stretch, style.class_looks,
             style.width_by, style.widths, style.size_by, style.sizes, layer.rows.modifications)  # fmt: skip
    table = seen_rows(cache, layer, seen)
    return cache.derive_latest(("inks", layer.id, layer.ref, part.number), asked, lambda: inks_of(table, style))
