"""Paints the drawing of a strip log on a widget or a picture."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QImage, QPainter, QPen, QPixmap, QPolygonF, QTransform

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.strip.holes.drawing import Align, BoxMark, ClipMark, Drawing, LineMark, PhotoMark, TextMark
from brisk_atlas.core.strip.holes.patterns import Pattern

from ..theme import mono_font

ALIGN = {Align.LEFT: Qt.AlignmentFlag.AlignLeft, Align.CENTRE: Qt.AlignmentFlag.AlignHCenter,
         Align.RIGHT: Qt.AlignmentFlag.AlignRight}  # fmt: skip
LETTER = 1.3  # height of a line to that of its letters
FILL_ALPHA = 60
PATTERN_INK = "#1D2A35"
DENSE = 1500  # points of a line, which covers its rows of pixels anyway: smoothing it takes most of a frame
FEW = 40  # points, beyond which they are copied as a whole
SHARP = 3  # times that tiles of patterns are drawn larger


def polygon_of(points: np.ndarray) -> QPolygonF:
    """Return (n, 2) points as Qt has them."""
    if len(points) < FEW:
        return QPolygonF([QPointF(x, y) for x, y in points.tolist()])
    from pyqtgraph.functions import arrayToQPolygonF

    polygon: QPolygonF = arrayToQPolygonF(points[:, 0], points[:, 1])
    return polygon


class LogPainter:
    """Draws marks at so many pixels a millimetre. `photo` gives the picture of a photograph, or None while there is
    none."""

    def __init__(self, font: QFont, photo: Callable[[DataRef, int], QImage | None]) -> None:
        self._fonts: dict[tuple, QFont] = {}
        self._tiles: dict[tuple, QBrush] = {}
        self._plain, self._photo = font, photo

    def paint(self, painter: QPainter, drawing: Drawing, px_mm: float) -> None:
        """Draw all marks of a drawing from the origin on."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._k = px_mm
        for mark in drawing.marks:
            match mark:
                case ClipMark():
                    if mark.width > 0:
                        painter.setClipRect(self._rect(mark.x, mark.y, mark.width, mark.height))
                    else:
                        painter.setClipping(False)
                case BoxMark():
                    self._box(painter, mark)
                case LineMark():
                    self._path(painter, mark)
                case TextMark():
                    self._words(painter, mark)
                case PhotoMark():
                    self._draw_photo(painter, mark)
        painter.setClipping(False)

    def _rect(self, x: float, y: float, width: float, height: float) -> QRectF:
        return QRectF(x * self._k, y * self._k, width * self._k, height * self._k)

    def _box(self, painter: QPainter, mark: BoxMark) -> None:
        rect = self._rect(mark.x, mark.y, mark.width, mark.height)
        if mark.fill:
            painter.fillRect(rect, QColor(mark.fill))
        if mark.pattern is not None:
            painter.fillRect(rect, self._tile(mark.pattern))
        if mark.line:
            painter.setPen(QPen(QColor(mark.line), 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect)

    def _tile(self, pattern: Pattern) -> QBrush:
        key = (pattern, self._k)
        if key not in self._tiles:
            scale = self._k * SHARP
            tile = QPixmap(max(1, round(pattern.width * scale)), max(1, round(pattern.height * scale)))
            tile.fill(Qt.GlobalColor.transparent)
            inner = QPainter(tile)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            inner.setPen(QPen(QColor(PATTERN_INK), SHARP * max(0.8, 0.16 * self._k)))
            for stroke in pattern.strokes:
                points = [QPointF(x * scale, y * scale) for x, y in stroke]
                if len(points) == 1:
                    inner.setBrush(QColor(PATTERN_INK))
                    inner.drawEllipse(points[0], SHARP * 0.5, SHARP * 0.5)
                    inner.setBrush(Qt.BrushStyle.NoBrush)
                else:
                    inner.drawPolyline(QPolygonF(points))
            inner.end()
            brush = QBrush(tile)
            brush.setTransform(QTransform.fromScale(1 / SHARP, 1 / SHARP))
            self._tiles[key] = brush
        return self._tiles[key]

    def _path(self, painter: QPainter, mark: LineMark) -> None:
        points = polygon_of(mark.points * self._k)
        if mark.fill:
            ink = QColor(mark.fill)
            ink.setAlpha(FILL_ALPHA)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink)
            painter.drawPolygon(points)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            return
        dense = len(points) > DENSE
        pen = QPen(QColor(mark.ink), 1.0 if dense else max(1.0, mark.width * self._k))
        if mark.dashed:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not dense)
        painter.drawPolyline(points)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def _font(self, mark: TextMark) -> QFont:
        key = (mark.mono, mark.bold, round(mark.size * LETTER * self._k))
        if key not in self._fonts:
            font = QFont(mono_font() if mark.mono else self._plain)
            font.setPixelSize(max(6, key[2]))
            font.setBold(mark.bold)
            self._fonts[key] = font
        return self._fonts[key]

    def _words(self, painter: QPainter, mark: TextMark) -> None:
        font = self._font(mark)
        painter.setFont(font)
        painter.setPen(QColor(mark.ink))
        rect = self._rect(mark.x, mark.y, mark.width, mark.height)
        if mark.wrapped:
            metrics = QFontMetricsF(font)
            lines = max(1, int(rect.height() / metrics.lineSpacing()))
            rect.setHeight(lines * metrics.lineSpacing())
            painter.save()
            painter.setClipRect(rect, Qt.ClipOperation.IntersectClip)
            painter.drawText(rect, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, mark.text)
            painter.restore()
            return
        text = QFontMetricsF(font).elidedText(mark.text, Qt.TextElideMode.ElideRight, rect.width() + 0.5)
        painter.drawText(rect, ALIGN[mark.align] | Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_photo(self, painter: QPainter, mark: PhotoMark) -> None:
        rect = self._rect(mark.x, mark.y, mark.width, mark.height)
        image = self._photo(mark.ref, round(max(rect.width(), rect.height())))
        if image is None:
            painter.fillRect(rect, QColor("#D9D1C3"))
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(rect, image)
