"""The histogram of a change with its threshold, which can be dragged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPen
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme, mono_font

HEIGHT_PX, FOOT_PX, STEP = 90, 16, 0.01


class ThresholdBars(QWidget):
    """Shows how many cells changed by how much, on a root scale; what counts is in the accent colour.

    Signals:
        chosen(float): the threshold was put elsewhere by hand.
    """

    chosen = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("threshold bars")
        self.setAccessibleName(tr("Histogram of the change with its threshold"))
        self.setToolTip(tr("Drag the threshold; or the arrow keys, then Enter"))
        self.setFixedHeight(HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.theme: Theme = LIGHT
        self.counts, self.edges = np.empty(0, int), np.empty(0)
        self.threshold = 0.0
        self.hide()

    def sizeHint(self) -> QSize:
        return QSize(220, HEIGHT_PX)

    def show_histogram(self, counts: np.ndarray, edges: np.ndarray, threshold: float) -> None:
        """Show counts between edges."""
        self.counts, self.edges, self.threshold = counts, edges, threshold
        self.show()
        self.update()

    def x_of(self, value: float) -> float:
        """Return where a change stands, in pixels."""
        return float((value - self.edges[0]) / (self.edges[-1] - self.edges[0]) * self.width())

    def paintEvent(self, event: object) -> None:
        if not self.counts.size:
            return
        painter = picture_painter(self)
        tall, wide = self.height() - FOOT_PX, self.width()
        together = max(1, len(self.counts) // max(1, wide // 2))
        many = len(self.counts) // together
        tops = np.sqrt(self.counts[: many * together].reshape(many, together).sum(axis=1))
        for number, top in enumerate((tops / max(1.0, tops.max()) * (tall - 4)).tolist()):
            middle = self.edges[min(number * together + together // 2, len(self.edges) - 1)]
            colour = self.theme.accent if middle >= self.threshold else self.theme.second
            painter.fillRect(QRectF(number * wide / many, tall - top, max(1.0, wide / many), top), QColor(colour))
        x = self.x_of(self.threshold)
        painter.setPen(QPen(QColor(self.theme.ink), 2))
        painter.drawLine(QPointF(x, 0), QPointF(x, tall))
        painter.setFont(mono_font(11))
        painter.setPen(QColor(self.theme.quiet))
        foot = QRectF(0, tall, wide, FOOT_PX)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, f"{self.edges[0]:.3g}")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"{self.edges[-1]:.3g}")
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, tr("threshold {threshold:.4g}", threshold=self.threshold))

    def _drag(self, event: QMouseEvent) -> None:
        share = min(max(event.position().x() / max(1, self.width()), 0.0), 1.0)
        self.threshold = float(self.edges[0] + share * (self.edges[-1] - self.edges[0]))
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.counts.size:
            self._drag(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.counts.size and event.buttons():
            self._drag(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.counts.size:
            self.chosen.emit(self.threshold)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_Left: -STEP, Qt.Key.Key_Right: STEP}
        if event.key() in steps and self.counts.size:
            span = float(self.edges[-1] - self.edges[0])
            moved = self.threshold + steps[Qt.Key(event.key())] * span
            self.threshold = float(np.clip(moved, self.edges[0], self.edges[-1]))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.counts.size:
            self.chosen.emit(self.threshold)
        else:
            super().keyPressEvent(event)
