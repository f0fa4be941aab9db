"""What the hand draws on the relief: a line along the ground, a line of sight, a box or a lasso about points."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.eye import Eye, GroundSpot

from ..theme import Theme

LASSO_STEP_PX = 3


class ReliefToolKind(StrEnum):
    """What is drawn."""

    DISTANCE = "distance"
    SIGHT = "sight"
    BOX = "box"
    LASSO = "lasso"


HINTS = {
    ReliefToolKind.DISTANCE: tr(
        "Click along what to measure, double-click or Return ends. Backspace takes a spot back"
    ),
    ReliefToolKind.SIGHT: tr("Click where one stands, then what is looked at. Esc ends"),
    ReliefToolKind.BOX: tr("Drag a box about points to pick them. Esc ends"),
    ReliefToolKind.LASSO: tr("Draw around points to pick them. Esc ends"),
}


class ReliefTool:
    """What is drawn so far: `spots` of the ground that were clicked, with heights not exaggerated, or `outline`: places
    of the canvas that were dragged."""

    def __init__(self, kind: ReliefToolKind) -> None:
        self.kind = kind
        self.spots: list[GroundSpot] = []
        self.outline: list[QPointF] = []
        self.words = ""  # what is known of it, at its last spot
        self.seen_share = 1.0  # of a line of sight, that is seen

    @property
    def is_dragged(self) -> bool:
        """Whether it is drawn in one go."""
        return self.kind in (ReliefToolKind.BOX, ReliefToolKind.LASSO)

    def begin(self, at: QPointF) -> None:
        """Begin an outline."""
        self.outline = [at]

    def drag(self, at: QPointF) -> None:
        """Draw an outline on."""
        if self.kind is ReliefToolKind.BOX:
            self.outline = [self.outline[0], at]
        elif (at - self.outline[-1]).manhattanLength() >= LASSO_STEP_PX:
            self.outline.append(at)

    def end(self) -> np.ndarray | None:
        """Return (n, 2) the outline that was drawn, None for none, and forget it."""
        corners, self.outline = self.corners, []
        xy = np.array([(each.x(), each.y()) for each in corners], float).reshape(-1, 2)
        return xy if len(xy) > 2 and np.ptp(xy, axis=0).min() > 1 else None

    @property
    def corners(self) -> list[QPointF]:
        """The corners of the outline."""
        if self.kind is ReliefToolKind.BOX and len(self.outline) > 1:
            box = QRectF(self.outline[0], self.outline[-1]).normalized()
            return [box.topLeft(), box.topRight(), box.bottomRight(), box.bottomLeft()]
        return self.outline

    def paint(self, painter: QPainter, eye: Eye, bend: float, size: tuple[int, int], theme: Theme) -> None:
        """Paint it over the picture of an eye, of a ground that bends as `Space` has it."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.outline:
            for colour, width in ((theme.raised, 4.0), (theme.accent, 1.8)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawPolygon(QPolygonF(self.corners))
            return
        places = eye.places_of(np.array(self.spots, float).reshape(-1, 3), bend, *size)
        points = [QPointF(*place[:2]) for place in places[np.isfinite(places[:, 0])].tolist()]
        if not points:
            return
        for colour, width in ((theme.raised, 4.0), (theme.accent, 1.8)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawPolyline(QPolygonF(points))
        if self.kind is ReliefToolKind.SIGHT and len(points) == 2:
            turn = points[0] + self.seen_share * (points[1] - points[0])
            painter.setPen(QPen(QColor(theme.second), 2.4))
            painter.drawLine(points[0], turn)
        painter.setBrush(QColor(theme.raised))
        painter.setPen(QPen(QColor(theme.accent), 1.6))
        for point in points:
            painter.drawEllipse(point, 3.4, 3.4)
        if self.words:
            _paint_words(painter, self.words, points[-1], size, theme)


def _paint_words(painter: QPainter, words: str, at: QPointF, size: tuple[int, int], theme: Theme) -> None:
    metrics = painter.fontMetrics()
    wide, high = metrics.horizontalAdvance(words) + 12, metrics.height() + 6
    left = min(max(4.0, at.x() + 10), max(4.0, size[0] - wide - 4.0))
    box = QRectF(left, min(max(4.0, at.y() - high - 8), size[1] - high - 4.0), wide, high)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(QColor(theme.raised))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box.adjusted(6, 3, -6, -3), 0, words)
