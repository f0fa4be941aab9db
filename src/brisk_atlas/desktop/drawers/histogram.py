"""A histogram with two handles: where a ramp begins and where it ends."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.draw.distribution import ValueDistribution

HEIGHT_PX, SIDE_PX, GRIP_PX = 74, 7, 8
CHANNELS = ("#C2452D", "#2F7D4F", "#3B7EA6")
KEY_STEP = 0.01  # of the whole range


class Histogram(QWidget):
    """Shows a ValueDistribution; its handles are dragged, or moved by the arrow keys (Tab changes which).

    Signals:
        limits_chosen(float, float): a handle was released.
    """

    limits_chosen = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("histogram")
        self.setAccessibleName(tr("Histogram with the ends of the ramp"))
        self.setFixedHeight(HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setToolTip(tr("Drag an end of the ramp; or the arrow keys, with Space to change ends"))
        self.theme: Theme = LIGHT
        self.shown: ValueDistribution | None = None
        self.ends = [0.0, 1.0]
        self._held: int | None = None
        self._end = 1

    def show_distribution(self, distribution: ValueDistribution | None) -> None:
        self.shown = distribution
        if distribution is not None:
            self.ends = [distribution.low, distribution.high]
        self.setVisible(distribution is not None)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, HEIGHT_PX)

    # Places

    def _range(self) -> tuple[float, float]:
        assert self.shown is not None
        return float(self.shown.edges[0]), float(self.shown.edges[-1])

    def x_of(self, value: float) -> float:
        """Return where a value stands, kept within the widget."""
        low, high = self._range()
        share = min(max((value - low) / (high - low), 0.0), 1.0)
        return SIDE_PX + share * (self.width() - 2 * SIDE_PX)

    def _value_at(self, x: float) -> float:
        low, high = self._range()
        share = min(max((x - SIDE_PX) / max(1, self.width() - 2 * SIDE_PX), 0.0), 1.0)
        return low + share * (high - low)

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.shown is None:
            return
        painter = picture_painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        base = self.height() - 10.0
        most = max(float(counts.max()) for counts in self.shown.counts) or 1.0
        edges = [self.x_of(v) for v in self.shown.edges.tolist()]
        for number, counts in enumerate(self.shown.counts):
            points = [QPointF(edges[0], base)]
            for i, count in enumerate(counts.tolist()):
                top = base - (base - 4) * (count / most) ** 0.5  # roots, so that rare values are seen
                points += [QPointF(edges[i], top), QPointF(edges[i + 1], top)]
            points.append(QPointF(edges[-1], base))
            colour = QColor(self.theme.quiet if len(self.shown.counts) == 1 else CHANNELS[number])
            colour.setAlpha(120)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPolygon(QPolygonF(points))
        painter.setPen(QPen(QColor(self.theme.rule), 1))
        painter.drawLine(QPointF(SIDE_PX, base), QPointF(self.width() - SIDE_PX, base))
        for end in (0, 1):
            self._paint_handle(painter, end, base)

    def _paint_handle(self, painter: QPainter, end: int, base: float) -> None:
        x = self.x_of(self.ends[end])
        active = self.hasFocus() and end == self._end
        ink = QColor(self.theme.accent if active else self.theme.second)
        painter.setPen(QPen(ink, 1.5))
        painter.drawLine(QPointF(x, 2), QPointF(x, base))
        painter.setBrush(ink)
        painter.setPen(QPen(QColor(self.theme.raised), 1))
        painter.drawRoundedRect(QRectF(x - 5, base - 4, 10, 12), 3, 3)

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.shown is None:
            return
        x = event.position().x()
        near = min((0, 1), key=lambda end: (abs(self.x_of(self.ends[end]) - x), -end))
        self._held = self._end = near
        self._move(x)

    def _move(self, x: float) -> None:
        assert self._held is not None
        value = self._value_at(x)
        self.ends[self._held] = min(value, self.ends[1]) if self._held == 0 else max(value, self.ends[0])
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is not None:
            self._move(event.position().x())
        elif self.shown is not None:
            near = any(abs(self.x_of(v) - event.position().x()) < GRIP_PX for v in self.ends)
            self.setCursor(Qt.CursorShape.SizeHorCursor if near else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self._choose()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.shown is None or event.key() not in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Space):
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Space:
            self._end = 1 - self._end
            self.update()
        else:
            low, high = self._range()
            by = KEY_STEP * (high - low) * (1 if event.key() == Qt.Key.Key_Right else -1)
            self._held = self._end
            self._move(self.x_of(self.ends[self._end] + by))
            self._held = None
            self._choose()

    def _choose(self) -> None:
        if self.ends[0] < self.ends[1]:
            self.limits_chosen.emit(*self.ends)
