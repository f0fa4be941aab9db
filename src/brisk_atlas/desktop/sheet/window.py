"""A window of its own for the sheet."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

SIZE = (1100, 640)


class SheetWindow(QWidget):
    """Holds the sheet; closing it puts the sheet back.

    Signals:
        closed(): the analyst closed it.
    """

    closed = pyqtSignal()

    def __init__(self, sheet: QWidget, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Sheet · Brisk Atlas")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(sheet)
        sheet.show()
        self.resize(*SIZE)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is not None:
            event.ignore()
        self.closed.emit()
