"""What draws the layers of one kind: the painter of frames is given one for each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Label, Layer
from brisk_atlas.core.read.shape_index import ShapeIndex

from .drawn import Drawn
from .labels import Anchors
from .outlines import Outlined
from .view import View

Check = Callable[[], None]
PICKED_INK, HALO = "#7A2DBF", "#FFFDF8"


@dataclass(frozen=True, eq=False)
class LabelsWanted:
    """What labels of a layer in one look need: where features lie, their texts, how large the symbols are under them,
    and which features are shown (all where None)."""

    index: ShapeIndex
    anchors: Anchors
    look: Label
    symbol: float
    shown: np.ndarray | None


@dataclass(frozen=True)
class FixedText:
    """Text that belongs to a symbol: its middle is at (x, y) on the plane of the view, whatever else stands there."""

    text: str
    x: float
    y: float
    look: Label


class LayerPainter(Protocol):
    """Draws layers of one kind into (rows, cols, 4) uint8 premultiplied RGBA of a view."""

    def paint(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, check: Check, so_far: Check
    ) -> Drawn:
        """Draw a layer. `check` is called often and may raise to stop; `so_far` when more of it can be seen."""

    def outlines(self, cache: DataCache, layer: Layer, view: View, check: Check) -> list[Outlined] | None:
        """Return what a layer is drawn of, bottom first, in pixels of a view of density 1; None where it is drawn of
        pixels."""

    def may_move(self, layer: Layer) -> bool:
        """Return whether a place looks the same wherever it stands in the picture, so that a picture can be moved."""

    def labels(self, cache: DataCache, layer: Layer, view: View) -> list[LabelsWanted]:
        """Return what the labels of a layer need, for each look that has some; those placed first are first."""

    def texts(self, cache: DataCache, layer: Layer, view: View) -> list[FixedText]:
        """Return the texts on the symbols of a layer."""

    def paint_picked(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, rows: tuple[int, ...]
    ) -> None:
        """Draw the picked features of a layer."""


class PlainPainter:
    """The base of painters of what has neither labels nor features to pick."""

    def outlines(self, cache: DataCache, layer: Layer, view: View, check: Check) -> list[Outlined] | None:
        return None

    def may_move(self, layer: Layer) -> bool:
        return True

    def labels(self, cache: DataCache, layer: Layer, view: View) -> list[LabelsWanted]:
        return []

    def texts(self, cache: DataCache, layer: Layer, view: View) -> list[FixedText]:
        return []

    def paint_picked(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, rows: tuple[int, ...]
    ) -> None:
        """Nothing of it can be picked."""
