"""Moving what was drawn: marks are chosen by a click, their corners dragged, added and removed."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from brisk_atlas.core.model.language import tr

from .hand_tool import paint_shape

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View

    from ..theme import Theme

NEAR_PX = 9.0
KIND = "sketch move"


class MarkOutline(NamedTuple):
    """A mark on the map: its number, its (n, 2) corners in the CRS of the map, and whether it is closed."""

    number: int
    xy: np.ndarray
    closed: bool


class CornerTool:
    """Drags corners of marks. A corner that is dragged from the middle of a side is a new one; a mark that is pressed
    elsewhere on its sides moves as a whole.

    `moved` is given the number and all corners of a mark, `chosen` the number of one that was pressed, `removed` that
    of one to be removed. `snap` says where a corner of a mark lies that is dragged to a place.
    """

    kind = KIND
    hint = tr("Drag a corner, or the middle of a side to add one; Delete removes it. Esc ends")

    def __init__(
        self,
        view: Callable[[], View | None],
        moved: Callable[[int, np.ndarray], None],
        chosen: Callable[[int], None],
        removed: Callable[[int], None],
        snap: Callable[[int, tuple[float, float]], tuple[float, float]] = lambda number, place: place,
    ) -> None:
        self._snap = snap
        self._view, self._moved, self._chosen, self._removed = view, moved, chosen, removed
        self.outlines: list[MarkOutline] = []
        self.current: int | None = None
        self._corner: int | None = None  # of the current mark, that is dragged or was pressed last
        self._from: tuple[float, float] | None = None
        self._whole: np.ndarray | None = None  # corners of a mark that is moved as a whole, where it began
        self._changed = False

    def show_outlines(self, outlines: list[MarkOutline], current: int | None) -> None:
        """Take the marks as they stand now."""
        self.outlines, self.current = outlines, current
        if self._outline is None or self._corner is None or self._corner >= len(self._outline.xy):
            self._corner = None

    @property
    def is_dragging(self) -> bool:
        """Whether something is in the hand."""
        return self._from is not None

    @property
    def _outline(self) -> MarkOutline | None:
        return next((each for each in self.outlines if each.number == self.current), None)

    def _pixels(self, xy: np.ndarray) -> np.ndarray:
        view = self._view()
        assert view is not None
        return np.array([view.to_pixel(x, y) for x, y in xy.tolist()])

    def press(self, at: QPointF, place: tuple[float, float]) -> None:
        self._changed, self._whole, self._from = False, None, place
        if self._view() is None:
            return
        hand = np.array([at.x(), at.y()])
        current = self._outline
        ordered = sorted(self.outlines, key=lambda each: each is not current)
        for outline in ordered:
            near = np.hypot(*(self._pixels(outline.xy) - hand).T)
            if near.min() <= NEAR_PX:
                self._take(outline, int(near.argmin()))
                return
        for outline in ordered:
            if outline is current and self._press_middle(outline, hand):
                return
            if _distance_to_sides(self._pixels(outline.xy), hand, closed=outline.closed) <= NEAR_PX:
                self._take(outline, None)
                self._whole = outline.xy
                return
        self._corner = self._from = None

    def _take(self, outline: MarkOutline, corner: int | None) -> None:
        self._corner = corner
        if outline.number != self.current:
            self.current = outline.number
            self._chosen(outline.number)

    def _press_middle(self, outline: MarkOutline, hand: np.ndarray) -> bool:
        """Put a corner into the side whose middle is pressed; returns whether there is one."""
        if len(outline.xy) < 2:
            return False
        after = np.roll(outline.xy, -1, axis=0) if outline.closed else outline.xy[1:]
        middles = (outline.xy[: len(after)] + after) / 2
        near = np.hypot(*(self._pixels(middles) - hand).T)
        side = int(near.argmin())
        if near[side] > NEAR_PX:
            return False
        self._put(np.insert(outline.xy, side + 1, middles[side], axis=0))
        self._corner = side + 1
        return True

    def _put(self, xy: np.ndarray) -> None:
        self.outlines = [each._replace(xy=xy) if each.number == self.current else each for each in self.outlines]
        self._changed = True

    def move(self, at: QPointF, place: tuple[float, float]) -> None:
        outline = self._outline
        if self._from is None or outline is None:
            return
        if self._whole is not None:
            self._put(self._whole + np.subtract(place, self._from))
        elif self._corner is not None:
            xy = outline.xy.copy()
            xy[self._corner] = self._snap(outline.number, place)
            self._put(xy)

    def release(self, place: tuple[float, float]) -> None:
        outline, self._from = self._outline, None
        if self._changed and outline is not None:
            self._changed = False
            self._moved(outline.number, outline.xy)

    def remove_corner(self) -> bool:
        """Remove the corner that was pressed last; the mark, where too few would be left or none was. Returns whether
        there was one to remove."""
        outline = self._outline
        if outline is None:
            return False
        if self._corner is None or len(outline.xy) <= (3 if outline.closed else 2):
            self._corner = None
            self._removed(outline.number)
            return True
        xy, self._corner = np.delete(outline.xy, self._corner, axis=0), None
        self._put(xy)
        self._changed = False
        self._moved(outline.number, xy)
        return True

    def finish(self) -> bool:
        return False

    def take_back(self) -> None:
        """There is nothing that is not finished."""

    def paint(self, painter: QPainter, view: View, theme: Theme) -> None:
        outline = self._outline
        for each in self.outlines:
            if each is not outline:
                _paint_corners(painter, self._pixels(each.xy), theme.raised, theme.quiet, 2.4)
        if outline is None:
            return
        paint_shape(painter, outline.xy, view, theme, closed=outline.closed)
        pixels = self._pixels(outline.xy)
        after = np.roll(pixels, -1, axis=0) if outline.closed else pixels[1:]
        if len(pixels) > 1:
            _paint_corners(painter, (pixels[: len(after)] + after) / 2, theme.raised, theme.accent, 2.4)
        _paint_corners(painter, pixels, theme.raised, theme.accent, 4.6)
        if self._corner is not None and self._corner < len(pixels):
            _paint_corners(painter, pixels[self._corner][None], theme.accent, theme.raised, 4.6)


def _paint_corners(painter: QPainter, pixels: np.ndarray, fill: str, line: str, radius: float) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor(fill))
    painter.setPen(QPen(QColor(line), 1.6))
    for x, y in pixels.tolist():
        painter.drawEllipse(QPointF(x, y), radius, radius)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _distance_to_sides(pixels: np.ndarray, hand: np.ndarray, *, closed: bool) -> float:
    """Return how far a pixel lies from the sides of an outline; infinite for a point."""
    if len(pixels) < 2:
        return float("inf")
    first = pixels if closed else pixels[:-1]
    side = (np.roll(pixels, -1, axis=0) if closed else pixels[1:]) - first
    length = np.maximum((side**2).sum(axis=1), 1e-12)
    share = np.clip(((hand - first) * side).sum(axis=1) / length, 0.0, 1.0)
    return float(np.hypot(*(first + share[:, None] * side - hand).T).min())
