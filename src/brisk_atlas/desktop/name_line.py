"""A name that is typed over the one that is shown."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget


class NameLine(QLineEdit):
    """A name that is typed over what is there.

    Signals:
        named(str): it was taken.
    """

    named = pyqtSignal(str)

    def __init__(self, name: str, parent: QWidget | None) -> None:
        super().__init__(name, parent)
        self.setObjectName("layer name")
        self.selectAll()
        self.returnPressed.connect(lambda: self.named.emit(self.text()))
        self.editingFinished.connect(self._end)

    def _end(self) -> None:
        self.hide()
        self.deleteLater()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.blockSignals(True)
            self._end()
        else:
            super().keyPressEvent(event)
