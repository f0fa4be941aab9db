"""A line to type into and what fits it, over the top middle of the window; arrows choose, Return takes."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QVBoxLayout, QWidget

from .plain_text import PlainLabel

TOP_PX = 60  # below the window's upper edge


class LinePalette(QDialog):
    """Says what `fill` finds for the text, and does what `take` does with the chosen line."""

    def __init__(self, hint: str, size: tuple[int, int], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.line = QLineEdit()
        self.line.setPlaceholderText(hint)
        self.list = QListWidget()
        self.hint = PlainLabel()
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        column = QVBoxLayout(self)
        column.addWidget(self.line)
        column.addWidget(self.list, 1)
        column.addWidget(self.hint)
        self.resize(*size)
        self.line.textChanged.connect(self.fill)
        self.line.installEventFilter(self)
        self.list.itemActivated.connect(lambda item: self.take())
        self.list.itemClicked.connect(lambda item: self.take())

    def fill(self, text: str) -> None:
        """List what fits a text."""
        raise NotImplementedError

    def take(self) -> None:
        """Use the chosen line."""
        raise NotImplementedError

    def begin(self) -> None:
        """Show it, empty."""
        self.line.clear()
        self.fill("")
        parent = self.parentWidget()
        assert parent is not None
        corner = parent.mapToGlobal(parent.rect().topLeft())
        self.move(corner.x() + (parent.width() - self.width()) // 2, corner.y() + TOP_PX)
        self.show()
        self.line.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.take()
                return True
        return super().eventFilter(watched, event)
