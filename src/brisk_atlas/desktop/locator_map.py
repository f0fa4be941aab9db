"""A small map of boxes in degrees: where datasets lie, and a box to draw over them."""

from __future__ import annotations

from collections.abc import Sequence
from math import floor, log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from .picture_painter import picture_painter
from .theme import LIGHT, MONO, Theme

Box = tuple[float, float, float, float]  # west, south, east, north in degrees
WHOLE: Box = (-180.0, -90.0, 180.0, 90.0)
AROUND = 0.12  # of the boxes' size, left free on each side
SMALLEST = 0.002  # degrees shown at least
WHEEL_ZOOM = 1.3
CLICK_PX = 4


class LocatorMap(QWidget):
    """Boxes over lines of longitude and latitude. With `drawing`, a drag draws a box; otherwise it pans.

    Signals:
        drawn(object): the box that was drawn, or None when it was taken away.
    """

    drawn = pyqtSignal(object)

    def __init__(self, *, drawing: bool = False) -> None:
        super().__init__()
        self.setObjectName("locator")
        self.setAccessibleName(tr("Locator map; drag to draw a box") if drawing else tr("Locator map"))
        self.setMinimumSize(160, 110)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.theme: Theme = LIGHT
        self.drawing = drawing
        self.boxes: Sequence[Box] = ()
        self.named: Sequence[tuple[str, Box]] = ()
        self.box: Box | None = None
        self.chosen: Box | None = None
        self._window: Box = WHOLE
        self._press: QPointF | None = None
        self._last: QPointF | None = None
        self._drag: QRectF | None = None

    def sizeHint(self) -> QSize:
        return QSize(300, 190)

    def show_boxes(
        self, boxes: Sequence[Box], *, chosen: Box | None = None, named: Sequence[tuple[str, Box]] = ()
    ) -> None:
        """Show where things lie, one of them set off, some with their names; look at all of them."""
        self.boxes, self.chosen, self.named = boxes, chosen, named
        every = [*boxes, *(box for _, box in named), *([chosen] if chosen else []), *([self.box] if self.box else [])]
        self._window = _around(every) if every else WHOLE
        self.update()

    def take_away(self) -> None:
        """Take the drawn box away."""
        if self.box is not None:
            self.box = None
            self.update()
            self.drawn.emit(None)

    # Degrees and pixels

    def _scale(self) -> tuple[float, float, float]:
        """Return pixels a degree, and the degrees at the left and upper edge."""
        west, south, east, north = self._window
        scale = min(self.width() / max(east - west, 1e-9), self.height() / max(north - south, 1e-9))
        lon, lat = (west + east) / 2, (south + north) / 2
        return scale, lon - self.width() / 2 / scale, lat + self.height() / 2 / scale

    def to_pixel(self, lon: float, lat: float) -> QPointF:
        scale, left, top = self._scale()
        return QPointF((lon - left) * scale, (top - lat) * scale)

    def to_degrees(self, at: QPointF) -> tuple[float, float]:
        scale, left, top = self._scale()
        return left + at.x() / scale, top - at.y() / scale

    def _rect(self, box: Box, minimum: float = 3.0) -> QRectF:
        rect = QRectF(self.to_pixel(box[0], box[3]), self.to_pixel(box[2], box[1]))
        if rect.width() < minimum or rect.height() < minimum:
            middle = rect.center()
            rect = QRectF(0, 0, max(rect.width(), minimum), max(rect.height(), minimum))
            rect.moveCenter(middle)
        return rect

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        t = self.theme
        painter.fillRect(self.rect(), QColor(t.paper))
        self._paint_lines(painter)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wash = QColor(t.second)
        wash.setAlpha(26)
        painter.setBrush(wash)
        painter.setPen(QPen(QColor(t.second), 1))
        for box in self.boxes:
            painter.drawRect(self._rect(box))
        for name, box in self.named:
            rect = self._rect(box)
            painter.drawRect(rect)
            painter.drawText(rect.adjusted(3, 1, 200, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, name)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.chosen:
            painter.setPen(QPen(QColor(t.raised), 4))
            painter.drawRect(self._rect(self.chosen, 6))
            painter.setPen(QPen(QColor(t.accent), 2))
            painter.drawRect(self._rect(self.chosen, 6))
        wanted = self._drag or (self._rect(self.box) if self.box else None)
        if wanted is not None:
            painter.setPen(QPen(QColor(t.accent), 1.6, Qt.PenStyle.DashLine))
            painter.drawRect(wanted)
        painter.setPen(QPen(QColor(t.second if self.hasFocus() else t.rule), 1))
        painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _paint_lines(self, painter: QPainter) -> None:
        scale, left, top = self._scale()
        step = _step(90 / scale)
        digits = max(0, -floor(log10(step)))
        font = QFont(MONO)
        font.setPixelSize(10)
        painter.setFont(font)
        lines, words = QPen(QColor(self.theme.rule), 1), QColor(self.theme.quiet)
        lon = floor(left / step) * step
        while lon <= left + self.width() / scale:
            if -180 - 1e-9 <= lon <= 180 + 1e-9:
                x = round((lon - left) * scale)
                painter.setPen(lines)
                painter.drawLine(x, 0, x, self.height())
                painter.setPen(words)
                if x >= 0:
                    painter.drawText(x + 3, self.height() - 4, _degrees(lon, "E", "W", digits))
            lon += step
        lat = floor((top - self.height() / scale) / step) * step
        while lat <= top:
            if -90 - 1e-9 <= lat <= 90 + 1e-9:
                y = round((top - lat) * scale)
                painter.setPen(lines)
                painter.drawLine(0, y, self.width(), y)
                painter.setPen(words)
                if y < self.height() - 18:
                    painter.drawText(3, y - 3, _degrees(lat, "N", "S", digits))
            lat += step

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self._press = self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._press is None or self._last is None:
            return
        at = event.position()
        if self.drawing and event.buttons() & Qt.MouseButton.LeftButton:
            self._drag = QRectF(self._press, at).normalized()
        else:
            (lon0, lat0), (lon1, lat1) = self.to_degrees(self._last), self.to_degrees(at)
            self._move(lon0 - lon1, lat0 - lat1)
            self._last = at
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag, self._press = self._drag, None, None
        if drag is not None and drag.width() > CLICK_PX and drag.height() > CLICK_PX:
            (west, north), (east, south) = self.to_degrees(drag.topLeft()), self.to_degrees(drag.bottomRight())
            self.box = (west, south, east, north)
            self.drawn.emit(self.box)
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if event.angleDelta().y():
            self._zoom(WHEEL_ZOOM ** (-event.angleDelta().y() / 120), *self.to_degrees(event.position()))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        west, south, east, north = self._window
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        key = event.key()
        if key in steps:
            dx, dy = steps[Qt.Key(key)]
            self._move(dx * 0.15 * (east - west), dy * 0.15 * (north - south))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            closer = 1 / WHEEL_ZOOM if key != Qt.Key.Key_Minus else WHEEL_ZOOM
            self._zoom(closer, (west + east) / 2, (south + north) / 2)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.drawing:
            self.box = self._window  # by keyboard, what is in view is the box
            self.drawn.emit(self.box)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.take_away()
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def _move(self, lon: float, lat: float) -> None:
        west, south, east, north = self._window
        self._window = (west + lon, south + lat, east + lon, north + lat)

    def _zoom(self, factor: float, lon: float, lat: float) -> None:
        west, south, east, north = self._window
        if SMALLEST < (east - west) * factor < 800:
            self._window = (
                lon + (west - lon) * factor,
                lat + (south - lat) * factor,
                lon + (east - lon) * factor,
                lat + (north - lat) * factor,
            )
        self.update()


def _around(boxes: Sequence[Box]) -> Box:
    west, south = min(b[0] for b in boxes), min(b[1] for b in boxes)
    east, north = max(b[2] for b in boxes), max(b[3] for b in boxes)
    by = AROUND * max(east - west, north - south, SMALLEST)
    return west - by, south - by, east + by, north + by


def _step(minimum: float) -> float:
    """Return the next round number of degrees."""
    power = 10.0 ** floor(log10(max(minimum, 1e-6)))
    return next((power * m for m in (1, 2, 5, 10) if power * m >= minimum), power * 10) if minimum < 30 else 30.0


def _degrees(value: float, positive: str, negative: str, digits: int) -> str:
    return f"{abs(value):.{digits}f}°{positive if value >= 0 else negative}"
