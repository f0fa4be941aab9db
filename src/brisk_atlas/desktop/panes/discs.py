"""Held probes on the map: numbered discs, and the colours that tell them apart."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View

    from ..theme import Theme

COLOURS = ("#1C7C7D", "#B5533C", "#4B5FA5", "#8F5E12", "#A23B72", "#4A7A3A", "#5F6B73", "#7B4B94")
RADIUS_PX = 9.5


def colour_of(number: int) -> str:
    """Return the colour of a held probe's disc and spectrum."""
    return COLOURS[(number - 1) % len(COLOURS)]


def paint_discs(painter: QPainter, discs: list[tuple[int, float, float]], view: View, theme: Theme) -> None:
    """Paint (number, x, y) discs where they lie on the map."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    font = QFont(painter.font())
    font.setPixelSize(11)
    font.setWeight(QFont.Weight.DemiBold)
    painter.setFont(font)
    for number, x, y in discs:
        px, py = view.to_pixel(x, y)
        if not (-RADIUS_PX < px < view.width + RADIUS_PX and -RADIUS_PX < py < view.height + RADIUS_PX):
            continue
        paint_disc(painter, number, QPointF(px, py), theme)


def paint_disc(painter: QPainter, number: int, at: QPointF, theme: Theme, radius: float = RADIUS_PX) -> None:
    painter.setPen(QPen(QColor("#FFFDF8"), 2))
    painter.setBrush(QColor(colour_of(number)))
    painter.drawEllipse(at, radius, radius)
    painter.setPen(QColor("#FFFDF8"))
    painter.drawText(
        QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius), Qt.AlignmentFlag.AlignCenter, str(number)
    )
    painter.setBrush(Qt.BrushStyle.NoBrush)
