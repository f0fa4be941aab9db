"""A small rose over the relief: which way it looks, how steeply, from how high; dragged and opened to be typed into."""

from __future__ import annotations

from math import atan2, cos, degrees, hypot, radians, sin

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.eye import FLATTEST, STEEPEST, Eye

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme, mono_font

SIZE = QSize(112, 124)
CENTRE, RADIUS_PX, ARC_PX = QPointF(48.0, 48.0), 34.0, 46.0
TEXT_PX = 100  # below which the numbers stand


class ReliefRose(QWidget):
    """The ring turns with the azimuth, north is its tip; the bow at its side has the tilt.

    Signals:
        turned(float): another azimuth is wanted, degrees clockwise from north.
        tilted(float): another tilt is wanted, degrees below the horizon.
        numbers_wanted(): the numbers are to be typed.
    """

    turned = pyqtSignal(float)
    tilted = pyqtSignal(float)
    numbers_wanted = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("relief rose")
        self.setAccessibleName(tr("Direction and tilt"))
        self.setFixedSize(SIZE)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(tr("Drag the ring to turn, the bow at its side to tilt; click the numbers to type them"))
        self.theme: Theme = LIGHT
        self.eye = Eye()
        self.text = ""
        self._drags = ""

    def show_eye(self, eye: Eye, text: str) -> None:
        """Show where the eye looks; `text` says how high it is."""
        self.eye, self.text = eye, text
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paper = QColor(self.theme.raised)
        paper.setAlpha(225)
        painter.setPen(QPen(QColor(self.theme.rule), 1))
        painter.setBrush(paper)
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 4, 4)
        self._paint_ring(painter)
        self._paint_bow(painter)
        font = mono_font()
        font.setPixelSize(11)
        painter.setFont(font)
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(QRectF(0, TEXT_PX, self.width(), 22), Qt.AlignmentFlag.AlignCenter, self.text)

    def _paint_ring(self, painter: QPainter) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self.theme.quiet), 1.2))
        painter.drawEllipse(CENTRE, RADIUS_PX, RADIUS_PX)
        for quarter, name in enumerate("NESW"):
            turn = radians(quarter * 90.0 - self.eye.azimuth)
            way = QPointF(sin(turn), -cos(turn))
            at = CENTRE + way * (RADIUS_PX - 9)
            ink = self.theme.accent if name == "N" else self.theme.quiet
            if name == "N":
                aside = QPointF(-way.y(), way.x())
                tip = QPolygonF([CENTRE + way * (RADIUS_PX + 9), CENTRE + way * RADIUS_PX + aside * 6,
                                 CENTRE + way * RADIUS_PX - aside * 6])  # fmt: skip
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(ink))
                painter.drawPolygon(tip)
            font = QFont(self.font())
            font.setPixelSize(11)
            font.setBold(name == "N")
            painter.setFont(font)
            painter.setPen(QColor(ink))
            painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, name)
        painter.setPen(QPen(QColor(self.theme.ink), 1.6))
        painter.drawLine(CENTRE + QPointF(0, 8), CENTRE - QPointF(0, 8))
        painter.drawLine(CENTRE - QPointF(0, 8), CENTRE + QPointF(-4, -3))
        painter.drawLine(CENTRE - QPointF(0, 8), CENTRE + QPointF(4, -3))

    def _paint_bow(self, painter: QPainter) -> None:
        """Draw the bow from level, at the right, to straight down, at the bottom."""
        box = QRectF(CENTRE.x() - ARC_PX, CENTRE.y() - ARC_PX, 2 * ARC_PX, 2 * ARC_PX)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self.theme.rule), 3))
        painter.drawArc(box, 0, -90 * 16)
        tilt = radians(min(max(self.eye.tilt, 0.0), 90.0))
        painter.setPen(QPen(QColor(self.theme.raised), 1.5))
        painter.setBrush(QColor(self.theme.second))
        painter.drawEllipse(CENTRE + QPointF(cos(tilt), sin(tilt)) * ARC_PX, 6, 6)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        off = event.position() - CENTRE
        away = hypot(off.x(), off.y())
        if event.position().y() > TEXT_PX:
            self.numbers_wanted.emit()
        elif away > RADIUS_PX + 4 and off.x() > -6 and off.y() > -6:
            self._drags = "tilt"
        elif away > 6:
            self._drags = "turn"
        self._drag(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._drag(event.position())

    def _drag(self, at: QPointF) -> None:
        off = at - CENTRE
        if self._drags == "turn":
            self.turned.emit(-degrees(atan2(off.x(), -off.y())) % 360.0)
        elif self._drags == "tilt":
            self.tilted.emit(min(max(degrees(atan2(off.y(), off.x())), FLATTEST), STEEPEST))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drags = ""
