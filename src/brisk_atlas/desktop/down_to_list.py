"""The arrow key down goes from a field that filters a list into the list."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QLineEdit, QTableView


def down_goes_to(table: QTableView, field: QLineEdit) -> None:
    """Let the key go to the row of a table that is chosen, or to its first."""

    def enter() -> None:
        table.setFocus()
        chosen = table.selectionModel()
        if chosen is not None and not chosen.hasSelection():
            table.selectRow(max(0, table.currentIndex().row()))

    key = QShortcut(QKeySequence(Qt.Key.Key_Down), field)
    key.setContext(Qt.ShortcutContext.WidgetShortcut)
    key.activated.connect(enter)
