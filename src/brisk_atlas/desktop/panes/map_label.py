"""A few words in a box over the map."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

from ..theme import SANS, Theme

LABEL_PX, HEIGHT_PX, RIM_PX = 13, 22, 4


def paint_label(
    painter: QPainter, text: str, at: QPointF, room: float, theme: Theme, *, right: bool = False, middle: bool = False
) -> None:
    """Paint words whose box begins at a place, ends there (`right`) or has it in its `middle`, inside a width."""
    font = QFont(SANS)
    font.setPixelSize(LABEL_PX)
    painter.setFont(font)
    width = painter.fontMetrics().horizontalAdvance(text) + 16
    left = at.x() - (width if right else width / 2 if middle else 0)
    box = QRectF(min(max(left, RIM_PX), max(float(RIM_PX), room - width - RIM_PX)), at.y(), width, HEIGHT_PX)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(QColor(theme.raised))
    painter.drawRoundedRect(box, RIM_PX, RIM_PX)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
