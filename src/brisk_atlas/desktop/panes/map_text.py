"""Text and grid lines painted on a frame. Works on images alone, so it runs beside the window."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from brisk_atlas.core.draw.labels import BOX_PX

from ..frame_image import image_of
from ..picture_painter import picture_painter
from ..theme import LIGHT, MONO, SANS

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Frame
    from brisk_atlas.core.draw.labels import PlacedLabel
    from brisk_atlas.core.model import Label

HALO_PX = 3.0
LINE_SPACING = 0.95  # of the height of a line of text
GRID_INK, GRID_OPACITY = LIGHT.ink, 110
GRID_TEXT_PX = 10


@lru_cache(64)
def _font(size: float, family: str = SANS) -> QFont:
    font = QFont(family)
    font.setPixelSize(max(4, round(size)))
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)  # even gaps between letters, turned or not
    return font


def measure(text: str, size: float) -> tuple[float, float]:
    """Return width and height of a text of a size, in pixels."""
    metrics, lines = QFontMetricsF(_font(size)), text.split("\n")
    height = metrics.height() * (0.86 + (len(lines) - 1) * LINE_SPACING)
    return max(map(metrics.horizontalAdvance, lines)), height


def paint_labels(frame: Frame) -> None:
    """Paint the labels that were placed for a frame on its picture."""
    if not frame.labels:
        return
    image = image_of(frame)
    painter = picture_painter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for label in frame.labels:
        _paint_label(painter, label, frame)
    painter.end()


def _paint_label(painter: QPainter, label: PlacedLabel, frame: Frame) -> None:
    painter.save()
    if label.anchor is not None:
        _paint_callout(painter, label, frame)
    painter.translate(QPointF(*frame.view.to_pixel(label.x, label.y)))
    painter.rotate(label.angle)
    paint_text(painter, label.text, QPointF(0.0, 0.0), label.look, frame.view.density)
    painter.restore()


def paint_text(painter: QPainter, text: str, middle: QPointF, look: Label, density: float = 1.0) -> None:
    """Paint the lines of a text with their halo about a place."""
    font = _font(look.size * density)
    metrics = QFontMetricsF(font)
    path, lines = QPainterPath(), text.split("\n")
    step = metrics.height() * LINE_SPACING
    for number, line in enumerate(lines):
        down = metrics.capHeight() / 2 + (number - (len(lines) - 1) / 2) * step
        path.addText(middle + QPointF(-metrics.horizontalAdvance(line) / 2, down), font, line)
    halo = QPen(QColor(look.halo), HALO_PX * density)
    halo.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.strokePath(path, halo)
    painter.fillPath(path, QColor(look.colour))


def _paint_callout(painter: QPainter, label: PlacedLabel, frame: Frame) -> None:
    """Paint the box of a callout and the line from it to its feature."""
    assert label.anchor is not None
    density = frame.view.density
    width, height = measure(label.text, label.look.size * density)
    middle, anchor = (QPointF(*frame.view.to_pixel(*at)) for at in ((label.x, label.y), label.anchor))
    pad = BOX_PX * density
    box = QRectF(middle.x() - width / 2 - pad, middle.y() - height / 2 - pad, width + 2 * pad, height + 2 * pad)
    near = QPointF(min(max(anchor.x(), box.left()), box.right()), min(max(anchor.y(), box.top()), box.bottom()))
    paper = QColor(label.look.halo)
    for colour, thick in ((paper, 3.0), (QColor(label.look.colour), 1.0)):
        painter.setPen(QPen(colour, thick * density))
        painter.drawLine(near, anchor)
    painter.setBrush(paper)
    painter.drawRoundedRect(box, 3 * density, 3 * density)
    painter.setBrush(QColor(label.look.colour))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawEllipse(anchor, 2.2 * density, 2.2 * density)


def paint_grid_lines(frame: Frame, *, geographic: bool) -> None:
    """Paint grid lines with their values at the left and upper edge."""
    from brisk_atlas.core.draw.overlays import edge_place, grid_lines

    image = image_of(frame)
    painter = picture_painter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    density = frame.view.density
    ink, paper = QColor(GRID_INK), QColor(LIGHT.raised)
    ink.setAlpha(GRID_OPACITY)
    font = _font(GRID_TEXT_PX * density, MONO)
    painter.setFont(font)
    metrics = QFontMetricsF(font)
    for line in grid_lines(frame.view, geographic=geographic):
        points = QPolygonF([QPointF(x, y) for x, y in line.points.tolist()])
        paper.setAlpha(GRID_OPACITY)
        for colour, width in ((paper, 2.5), (ink, 1.0)):
            painter.setPen(QPen(colour, width * density))
            painter.drawPolyline(points)
        at = edge_place(line, frame.view.width, frame.view.height)
        if at is None:
            continue
        width, height = metrics.horizontalAdvance(line.text) + 6 * density, metrics.height()
        left = min(max(at[0] - width / 2, 2.0), frame.view.width - width - 2) if line.upright else 3.0
        upper = 3.0 if line.upright else min(max(at[1] - height / 2, 2.0), frame.view.height - height - 2)
        box = QRectF(left, upper, width, height)
        paper.setAlpha(225)
        painter.fillRect(box, paper)
        painter.setPen(QColor(GRID_INK))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, line.text)
    painter.end()
