"""A short walk through the window: a card says what a part of it is for, which a frame marks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel

MOVES = (QEvent.Type.Resize, QEvent.Type.Move, QEvent.Type.Show, QEvent.Type.Hide)
CARD_PX, EDGE_PX, FRAME_PX = 380, 14, 3


class Stop(NamedTuple):
    """A stop of the tour: the page it is on, what it says, and the widget that it speaks of."""

    page: str
    title: str
    words: str
    widget: Callable[[], QWidget]
    prepare: Callable[[], object] = lambda: None


class Tour(QFrame):
    """The card of the tour, over the window."""

    def __init__(
        self, window: QWidget, stops: Sequence[Stop], show_page: Callable[[str], None], colour: Callable[[], str]
    ) -> None:
        """`show_page` goes to a page of the window; `colour` is that of the frame."""
        super().__init__(window)
        self.at = -1
        self.stops = tuple(stops)
        self._marked: QWidget | None = None
        self._window, self._show_page = window, show_page
        self.setObjectName("spotCard")
        self.setAccessibleName(tr("Tour"))
        self.setFixedWidth(CARD_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.title, self.words, self.count = PlainLabel(""), PlainLabel(""), PlainLabel("")
        self.title.setObjectName("title")
        self.words.setWordWrap(True)
        self.count.setObjectName("quiet")
        self.back, self.leave, self.on = QPushButton(tr("Back")), QPushButton(tr("Leave")), QPushButton(tr("Next"))
        self.on.setObjectName("main")
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        for label in (self.title, self.words):
            column.addWidget(label)
        row = QHBoxLayout()
        row.addWidget(self.count)
        row.addStretch(1)
        for button in (self.back, self.leave, self.on):
            row.addWidget(button)
        column.addLayout(row)
        self.frame = _Frame(window, colour)
        self.back.clicked.connect(lambda checked=False: self.show_stop(self.at - 1))
        self.on.clicked.connect(lambda checked=False: self.show_stop(self.at + 1))
        self.leave.clicked.connect(lambda checked=False: self.end())
        window.installEventFilter(self)

    def begin(self) -> None:
        """Go to the first stop."""
        self.show_stop(0)

    def end(self) -> None:
        """Leave the tour."""
        self.at = -1
        self.hide()
        self.frame.hide()

    def show_stop(self, number: int) -> None:
        """Go to a stop; after the last one the tour is over."""
        if not 0 <= number < len(self.stops):
            self.end()
            return
        self.at = number
        stop = self.stops[number]
        self._show_page(stop.page)
        stop.prepare()
        self._mark(stop.widget())
        self.title.setText(stop.title)
        self.words.setText(stop.words)
        self.count.setText(tr("{number} of {count}", number=number + 1, count=len(self.stops)))
        self.back.setEnabled(number > 0)
        self.on.setText(tr("Done") if number == len(self.stops) - 1 else tr("Next"))
        self._place()
        self.show()
        self.raise_()
        self.on.setFocus()

    def _mark(self, widget: QWidget) -> None:
        """Follow a widget, which may come in sight a moment later."""
        if self._marked is not None:
            self._marked.removeEventFilter(self)
        self._marked = widget
        widget.installEventFilter(self)

    def _place(self) -> None:
        """Put the frame around the widget, and the card where it covers little of it."""
        widget = self._marked
        assert widget is not None
        marked = QRect(widget.mapTo(self._window, QPoint(0, 0)), widget.size())
        self.frame.setGeometry(marked)
        self.frame.setVisible(widget.isVisible())
        self.frame.raise_()
        self.raise_()
        self.adjustSize()
        room = self._window.rect().adjusted(EDGE_PX, EDGE_PX, -EDGE_PX, -3 * EDGE_PX)
        left = marked.right() + EDGE_PX if marked.right() + EDGE_PX + CARD_PX <= room.right() else room.left()
        if left == room.left() and marked.left() - EDGE_PX - CARD_PX >= room.left():
            left = marked.left() - EDGE_PX - CARD_PX
        below = marked.bottom() + EDGE_PX
        top = below if below + self.height() <= room.bottom() else room.bottom() - self.height() - EDGE_PX
        self.move(left, top)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        match event.key():
            case Qt.Key.Key_Escape:
                self.end()
            case Qt.Key.Key_Right | Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self.show_stop(self.at + 1)
            case Qt.Key.Key_Left:
                self.show_stop(max(0, self.at - 1))
            case _:
                super().keyPressEvent(event)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Stay in place when the window or the widget gets another size, or the widget comes in sight."""
        if event is not None and event.type() in MOVES and self.at >= 0:
            self._place()
        return super().eventFilter(watched, event)


class _Frame(QWidget):
    """A frame around what the tour speaks of, through which the hand reaches."""

    def __init__(self, parent: QWidget, colour: Callable[[], str]) -> None:
        super().__init__(parent)
        self._colour = colour
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(QColor(self._colour()), FRAME_PX))
        half = FRAME_PX // 2 + 1
        painter.drawRect(self.rect().adjusted(half, half, -half, -half))
