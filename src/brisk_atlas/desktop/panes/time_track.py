"""A line of time with a mark for each date, the one on show, and the ends of the stretch that counts."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from ..picture_painter import picture_painter
from ..plain_text import plain_tip
from ..theme import LIGHT, Theme

HEIGHT_PX, RIM_PX, MARK_PX, REACH_PX = 26, 12, 5, 9


class TimeTrack(QWidget):
    """Marks stand where their dates are. A mark is chosen by a click or the arrow keys; the ends are dragged.

    Signals:
        chosen(int): the number of the mark to show.
        ends_moved(int, int): the first and the last mark that count.
    """

    chosen = pyqtSignal(int)
    ends_moved = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("time track")
        self.setAccessibleName(tr("Dates"))
        self.setFixedHeight(HEIGHT_PX)
        self.setMinimumWidth(80)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.theme: Theme = LIGHT
        self.seconds: tuple[float, ...] = ()
        self.texts: tuple[str, ...] = ()
        self.at, self.first, self.last = 0, 0, 0
        self._drag = ""

    def sizeHint(self) -> QSize:
        return QSize(300, HEIGHT_PX)

    def show_dates(self, seconds: Sequence[float], texts: Sequence[str], at: int, ends: tuple[int, int]) -> None:
        """Show dates, in their order."""
        self.seconds, self.texts, self.at = tuple(seconds), tuple(texts), at
        self.first, self.last = ends
        self.update()

    def x_of(self, number: int) -> float:
        """Return where a mark stands, in pixels."""
        low, high = self.seconds[0], self.seconds[-1]
        share = (self.seconds[number] - low) / (high - low) if high > low else 0.5
        return RIM_PX + share * (self.width() - 2 * RIM_PX)

    def _nearest(self, x: float) -> int:
        return min(range(len(self.seconds)), key=lambda number: abs(self.x_of(number) - x))

    def paintEvent(self, event: object) -> None:
        if not self.seconds:
            return
        painter = picture_painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        begin, end = self.x_of(self.first), self.x_of(self.last)
        painter.setPen(QPen(QColor(self.theme.rule), 2))
        painter.drawLine(QPointF(RIM_PX, middle), QPointF(self.width() - RIM_PX, middle))
        painter.setPen(QPen(QColor(self.theme.second), 3))
        painter.drawLine(QPointF(begin, middle), QPointF(end, middle))
        for x, side in ((begin, -1), (end, 1)):  # the ends, which can be dragged
            painter.setPen(QPen(QColor(self.theme.second), 2))
            painter.drawLine(QPointF(x + side * 8, middle - 9), QPointF(x + side * 8, middle + 9))
            painter.drawLine(QPointF(x + side * 8, middle), QPointF(x, middle))
        for number in range(len(self.seconds)):
            x, counts = self.x_of(number), self.first <= number <= self.last
            shown = number == self.at
            ink = self.theme.accent if shown else self.theme.second if counts else self.theme.rule
            painter.setPen(QPen(QColor(ink), 1.5))
            painter.setBrush(QColor(ink if shown else self.theme.raised))
            size = MARK_PX + (2 if shown else 0)
            painter.drawEllipse(QRectF(x - size, middle - size, 2 * size, 2 * size))
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.second), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.seconds:
            return
        x = event.position().x()
        handles = {"first": self.x_of(self.first) - 8, "last": self.x_of(self.last) + 8}
        near = {name: abs(at - x) for name, at in handles.items()}
        name = min(near, key=lambda each: near[each])
        mark = self._nearest(x)
        if near[name] <= REACH_PX and near[name] < abs(self.x_of(mark) - x):
            self._drag = name
        else:
            self.chosen.emit(mark)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.seconds:
            return
        mark = self._nearest(event.position().x())
        self.setToolTip(plain_tip(self.texts[mark]))
        if self._drag == "first":
            self.first = min(mark, self.last)
        elif self._drag == "last":
            self.last = max(mark, self.first)
        if self._drag:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag:
            self._drag = ""
            self.ends_moved.emit(self.first, self.last)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        key = Qt.Key(event.key())
        if key in steps and self.seconds:
            after = min(max(self.at + steps[key], 0), len(self.seconds) - 1)
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:  # the end on that side
                ends = (after, self.last) if after <= self.at else (self.first, after)
                self.first, self.last = min(ends), max(ends)
                self.update()
                self.ends_moved.emit(self.first, self.last)
            else:
                self.chosen.emit(after)
        else:
            super().keyPressEvent(event)
