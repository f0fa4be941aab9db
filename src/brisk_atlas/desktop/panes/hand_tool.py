"""A shape that the hand draws on the map: a box, a lasso, a line or an area."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View

    from ..theme import Theme

DRAGGED = ("box", "lasso")  # drawn in one go; the others vertex by vertex
CLOSED = ("box", "lasso", "area", "sketch area", "new area")
SKETCHED = ("sketch point", "sketch line", "sketch area", "sketch text")
NEW = ("new point", "new line", "new area")  # features of the layer that is edited
PLACED = ("sketch point", "sketch text", "new point")  # by one click
HINTS = {
    "box": tr("Drag a box to pick what it meets. Esc ends"),
    "lasso": tr("Draw around what to pick. Esc ends"),
    "line": tr("Click along a line, double-click or Return picks what it meets. Backspace takes a corner back"),
    "distance": tr("Click along what to measure, double-click or Return ends. Backspace takes a corner back"),
    "area": tr("Click around what to measure, double-click or Return ends. Backspace takes a corner back"),
    "sketch point": tr("Click to draw points. Esc ends"),
    "sketch text": tr("Click where a text is to stand. Esc ends"),
    "sketch line": tr("Click along the line, double-click or Return ends it. Backspace takes a corner back"),
    "sketch area": tr("Click around the area, double-click or Return ends it. Backspace takes a corner back"),
}
HINTS |= {kind: HINTS[kind.replace("new", "sketch")].replace("draw points", "add a point") for kind in NEW}
Snap = Callable[[tuple[float, float]], tuple[float, float]]  # moves a place onto what lies near it
LASSO_STEP_PX = 3  # between two corners of a lasso


class HandTool:
    """What is being drawn: positions of the map, and where the hand is now."""

    def __init__(
        self, kind: str, done: Callable[[str, np.ndarray], None], going: Callable[[str, np.ndarray], None],
        snap: Snap = lambda place: place,
    ) -> None:  # fmt: skip
        self.kind, self._done, self._going, self._snap = kind, done, going, snap
        self.corners: list[tuple[float, float]] = []
        self.hand: tuple[float, float] | None = None
        self._last_px: QPointF | None = None

    @property
    def hint(self) -> str:
        return HINTS[self.kind]

    def positions(self, *, with_hand: bool = False) -> np.ndarray:
        """Return (n, 2) positions drawn so far; a box as its four corners."""
        drawn = [*self.corners, *([self.hand] if with_hand and self.hand else [])]
        if self.kind == "box" and len(drawn) > 1:
            (x0, y0), (x1, y1) = drawn[0], drawn[-1]
            drawn = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
        return np.array(drawn, float).reshape(-1, 2)

    def press(self, at: QPointF, place: tuple[float, float]) -> None:
        if self.kind in DRAGGED:
            self.corners = [place]
            self._last_px = at
        elif self.kind in PLACED:
            self._done(self.kind, np.array([self._snap(place)]))
        else:
            place = self._snap(place)
            if not self.corners or self.corners[-1] != place:
                self.corners.append(place)
            self._going(self.kind, self.positions())

    def move(self, at: QPointF, place: tuple[float, float]) -> None:
        self.hand = self._snap(place)
        if self.kind == "lasso" and self._last_px is not None:
            if (at - self._last_px).manhattanLength() >= LASSO_STEP_PX:
                self.corners.append(place)
                self._last_px = at
        elif self.kind not in DRAGGED and self.corners:
            self._going(self.kind, self.positions(with_hand=True))

    def release(self, place: tuple[float, float]) -> None:
        if self.kind not in DRAGGED or self._last_px is None:
            return
        self.hand, self._last_px = place, None
        xy = self.positions(with_hand=True)
        self.corners, self.hand = [], None
        if len(xy) > 2 and np.ptp(xy, axis=0).min() > 0:
            self._done(self.kind, xy)

    def finish(self) -> bool:
        """End a line or an area with the corners it has; returns whether that was enough."""
        enough = 3 if self.kind in CLOSED else 2
        if self.kind in (*DRAGGED, *PLACED) or len(self.corners) < enough:
            return False
        xy = self.positions()
        self.corners, self.hand = [], None
        self._done(self.kind, xy)
        return True

    def take_back(self) -> None:
        if self.corners and self.kind not in DRAGGED:
            self.corners.pop()
            self._going(self.kind, self.positions())

    def remove_corner(self) -> bool:
        """Return False: what is being drawn loses corners by `take_back`."""
        return False

    def paint(self, painter: QPainter, view: View, theme: Theme) -> None:
        paint_shape(painter, self.positions(with_hand=True), view, theme, closed=self.kind in CLOSED, corners=True)


def paint_shape(
    painter: QPainter, xy: np.ndarray, view: View, theme: Theme, *, closed: bool, corners: bool = False
) -> None:
    """Paint a drawn shape: a line of two colours, so that it stands out on any picture."""
    if not len(xy):
        return
    points = [QPointF(*view.to_pixel(x, y)) for x, y in xy.tolist()]
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((theme.raised, 4.0), (theme.accent, 1.8)):
        painter.setPen(QPen(QColor(colour), width))
        if closed and len(points) > 2:
            painter.drawPolygon(QPolygonF(points))
        else:
            painter.drawPolyline(QPolygonF(points))
    if corners and len(points) < 200:
        painter.setBrush(QColor(theme.raised))
        painter.setPen(QPen(QColor(theme.accent), 1.6))
        for point in points:
            painter.drawEllipse(point, 3.4, 3.4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
