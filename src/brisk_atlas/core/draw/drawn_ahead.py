"""Drawing features while further ones still come from where they lie."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model import Layer, VectorStyle
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place.seams import shapes_across
from brisk_atlas.core.read.shape_index import index_of

from .layer_painter import Check
from .vector import Inks, draw_vector
from .view import View


def draws_ahead(layer: Layer) -> bool:
    """Return whether features of a layer can be drawn before the ones after them are known: each in the same ink, over
    those before it, whatever its fields are."""
    style = layer.style
    if not isinstance(style, VectorStyle) or (layer.rows.on_map and layer.rows.filtered):
        return False
    by_fields = style.colour_by or style.width_by or style.size_by or style.rules
    return not (by_fields or style.casing or style.density or style.cluster)


class DrawnAhead:
    """The features that were drawn as they came: the first `count` of all. Points among lines and areas, whose symbols
    lie above those, are left to the picture of all."""

    def __init__(self, image: np.ndarray, style: VectorStyle, view: View, check: Check, so_far: Check) -> None:
        self.count = 0
        self._image, self._style, self._view = image, style, view
        self._check, self._so_far = check, so_far
        self._are_points: bool | None = None
        self._may_go_on = True

    def draw(self, piece: Features) -> None:
        """Draw the next features upon those before."""
        self._check()
        shapes = shapes_across(piece.shapes, piece.crs, self._view.crs)
        index = index_of(shapes.turned(self._view.turn) if self._view.turn else shapes)
        mixed = index.has_points and (index.has_paths or self._are_points is False)
        mixed |= index.has_paths and self._are_points is True
        self._may_go_on &= not mixed
        if not self._may_go_on:
            return
        self._are_points = index.has_points if len(shapes.path_kinds) else self._are_points
        for world in self._view.in_worlds():
            draw_vector(self._image, index, Inks(), self._style, world.plane, self._check, self._so_far)
        self.count += len(piece)
