"""A list whose lines are as tall as their text, however wide it is."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QListWidget

INSET_PX, ROOM_PX = 24, 8  # what a line has beside its text, and above and below it


class WrappedList(QListWidget):
    """Shows all words of each line; `fit` is called once lines were added."""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Give each line the height of its text; the list's own guess is a few pixels off and cuts words."""
        viewport = self.viewport()
        assert viewport is not None
        wide, metrics = viewport.width() - INSET_PX, self.fontMetrics()
        for i in range(self.count()):
            item = self.item(i)
            assert item is not None
            box = metrics.boundingRect(QRect(0, 0, wide, 10_000), Qt.TextFlag.TextWordWrap, item.text())
            item.setSizeHint(QSize(wide, box.height() + ROOM_PX))
