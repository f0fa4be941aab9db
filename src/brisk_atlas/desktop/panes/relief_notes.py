"""What is stated on the picture of a relief: its heights, what is not shown, and what colours mean."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from brisk_atlas.core.model.language import tr

from ..theme import Theme

RIM_PX, PAD_PX, SWATCH_PX, LINE_PX = 8.0, 6.0, 11.0, 17.0
MOST_ENTRIES = 14
OPACITY = 215


def paint_notes(painter: QPainter, text: str, legend: Sequence[tuple[str, str]], room: QRectF, theme: Theme) -> None:
    """Paint a line of text at the lower left, and above it a legend: colours and what they stand for."""
    metrics = QFontMetricsF(painter.font())
    back = QColor(theme.raised)
    back.setAlpha(OPACITY)
    bottom = room.bottom() - RIM_PX
    if text:
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, room.width() - 2 * RIM_PX - 2 * PAD_PX)
        wide = metrics.horizontalAdvance(shown) + 2 * PAD_PX
        box = QRectF(room.left() + RIM_PX, bottom - LINE_PX - 2, wide, LINE_PX + 2)
        _fill(painter, box, back)
        painter.setPen(QColor(theme.ink))
        painter.drawText(box.adjusted(PAD_PX, 0, -PAD_PX, 0), Qt.AlignmentFlag.AlignVCenter, shown)
        bottom = box.top() - 4
    entries = list(legend[:MOST_ENTRIES])
    if len(legend) > MOST_ENTRIES:
        entries.append(("", tr("and {count} more", count=len(legend) - MOST_ENTRIES)))
    entries = entries[: max(0, int((bottom - room.top() - RIM_PX) / LINE_PX))]
    if not entries:
        return
    wide = max(metrics.horizontalAdvance(words) for _, words in entries) + SWATCH_PX + 3 * PAD_PX
    high = len(entries) * LINE_PX + PAD_PX
    box = QRectF(room.left() + RIM_PX, bottom - high, min(wide, room.width() / 2), high)
    _fill(painter, box, back)
    for number, (colour, words) in enumerate(entries):
        top = box.top() + PAD_PX / 2 + number * LINE_PX
        if colour:
            painter.setPen(QPen(QColor(theme.rule), 1))
            painter.setBrush(QColor(colour))
            painter.drawRect(QRectF(box.left() + PAD_PX, top + (LINE_PX - SWATCH_PX) / 2, SWATCH_PX, SWATCH_PX))
        painter.setPen(QColor(theme.ink))
        left = box.left() + 2 * PAD_PX + SWATCH_PX
        shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, box.right() - left - PAD_PX / 2)
        painter.drawText(QPointF(left, top + LINE_PX / 2 + metrics.ascent() / 2 - 1), shown)


def _fill(painter: QPainter, box: QRectF, colour: QColor) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawRoundedRect(box, 4, 4)
