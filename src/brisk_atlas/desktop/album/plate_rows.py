"""The rows that a plate shows."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem

from brisk_atlas.core.workspace.plates import PlateTable

SHOWN = 100  # rows, of which the page has more


class PlateRows(QTableWidget):
    """A table that can only be read."""

    def __init__(self) -> None:
        super().__init__()
        self.setTabKeyNavigation(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setObjectName("plate rows")
        head = self.verticalHeader()
        assert head is not None
        head.hide()

    def show_table(self, table: PlateTable | None) -> None:
        """Show other rows; the first of many."""
        self.clear()
        rows = table.rows[:SHOWN] if table is not None else ()
        self.setRowCount(len(rows))
        self.setColumnCount(len(table.fields) if table is not None else 0)
        if table is None:
            return
        self.setHorizontalHeaderLabels(list(table.fields))
        for at, row in enumerate(rows):
            for column, (text, is_number) in enumerate(zip(row, table.numbers)):
                item = QTableWidgetItem(text)
                if is_number:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(at, column, item)
        self.resizeColumnsToContents()
