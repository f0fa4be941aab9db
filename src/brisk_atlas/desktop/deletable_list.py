"""A list whose lines can be removed by a key."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QListWidget

KEY_DELETE = Qt.Key.Key_Delete


class DeletableList(QListWidget):
    """A list in which Delete means its own line, not the layer of the window's command.

    Signals:
        delete_pressed(): the current line is to be removed.
    """

    delete_pressed = pyqtSignal()

    def event(self, event: QEvent | None) -> bool:
        assert event is not None
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() == KEY_DELETE:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == KEY_DELETE:
            self.delete_pressed.emit()
        else:
            super().keyPressEvent(event)
