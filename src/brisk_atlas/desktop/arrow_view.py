"""A table of what was found, to be sorted, gone through by key, and read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QItemSelectionModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from brisk_atlas.core.model import ColumnView
from brisk_atlas.core.model.digit_groups import grouped

from .plain_text import plain_tip
from .theme import mono_font

if TYPE_CHECKING:
    import pyarrow as pa

NOWHERE, PLAIN = QModelIndex(), ColumnView("")
LOOKED_AT = 1000  # numbers of a column, for how many decimals all get
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
ROW_PX, PADDING_PX, NARROWEST_PX, WIDEST_PX, MEASURED = 22, 18, 44, 260, 60


class ArrowRows(QAbstractTableModel):
    """The rows of an Arrow table in an order; `digits` are the decimals of numbers by column, None for as they are."""

    def __init__(self) -> None:
        super().__init__()
        self.table: pa.Table | None = None
        self.order = np.empty(0, np.int64)
        self.heads: list[str] = []
        self.digits: dict[str, int] = {}
        self._held: dict[int, list[Any]] = {}
        self._decimals: dict[int, int] = {}

    def show(self, table: pa.Table | None, heads: Sequence[str] = (), digits: dict[str, int] | None = None) -> None:
        """Show a table from its first row on."""
        self.beginResetModel()
        self.table = table
        self.heads = list(heads or (table.column_names if table is not None else ()))
        self.digits = digits or {}
        self._held = {}
        self._decimals = {}
        self.order = np.arange(table.num_rows if table is not None else 0)
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.order)

    def columnCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() or self.table is None else self.table.num_columns

    def values(self, column: int) -> list[Any]:
        """Return the values of a column in the order of the table."""
        if column not in self._held:
            from brisk_atlas.core.model.plain_values import values_of

            assert self.table is not None
            self._held[column] = values_of(self.table.column(column))
        return self._held[column]

    def text(self, row: int, column: int) -> str:
        """Return what a cell says."""
        from brisk_atlas.core.table.formats import text_of

        assert self.table is not None
        value = self.values(column)[int(self.order[row])]
        if value is None:
            return "—"
        digits = self.digits.get(self.table.column_names[column])
        if isinstance(value, float) and digits is not None:
            return grouped(value, f",.{digits}f")
        if not isinstance(value, float | int):
            return str(value).removesuffix(".000")
        return text_of(value, PLAIN, self._decimals_of(column))

    def _decimals_of(self, column: int) -> int:
        """Return with how many decimals the numbers of a column are written, by the first of them."""
        if column not in self._decimals:
            from brisk_atlas.core.table.formats import decimals_of

            self._decimals[column] = decimals_of(self.values(column)[:LOOKED_AT])
        return self._decimals[column]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self.text(index.row(), index.column()))
        if role in (Qt.ItemDataRole.TextAlignmentRole, Qt.ItemDataRole.FontRole):
            value = self.values(index.column())[int(self.order[index.row()])]
            if isinstance(value, int | float) and not isinstance(value, bool):
                return RIGHT if role == Qt.ItemDataRole.TextAlignmentRole else mono_font()
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.heads[section] if orientation == Qt.Orientation.Horizontal else section + 1
        return None

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """Sort by a column; rows without a value come last. Column -1 is the order of the table."""
        if self.table is None:
            return
        self.beginResetModel()
        self.order = np.arange(self.table.num_rows)
        if column >= 0:
            import pyarrow.compute as pc

            way = "ascending" if order == Qt.SortOrder.AscendingOrder else "descending"
            self.order = pc.array_sort_indices(self.table.column(column).combine_chunks(), way).to_numpy()
        self.endResetModel()


class ArrowView(QTableView):
    """Shows an Arrow table. A click on a head sorts.

    Signals:
        row_chosen(int): another row is the current one, by its number in the table; -1 for none.
        row_opened(int): a row was clicked twice, or Enter pressed on it.
    """

    row_chosen = pyqtSignal(int)
    row_opened = pyqtSignal(int)

    def __init__(self, name: str, accessible: str) -> None:
        super().__init__()
        self._silent = True
        self.setObjectName(name)
        self.setAccessibleName(accessible)
        self.rows = ArrowRows()
        self.setModel(self.rows)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setAlternatingRowColors(True)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.setSortingEnabled(True)
        below, above = self.verticalHeader(), self.horizontalHeader()
        assert below is not None and above is not None
        below.hide()
        below.setDefaultSectionSize(ROW_PX)
        above.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        above.setHighlightSections(False)
        above.setStretchLastSection(True)
        above.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        above.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self._silent = False
        self.doubleClicked.connect(lambda index: self.row_opened.emit(int(self.rows.order[index.row()])))

    def show_table(
        self, table: pa.Table | None, heads: Sequence[str] = (), digits: dict[str, int] | None = None
    ) -> None:
        """Show a table with heads for its columns, and decimals by the names of columns."""
        self._silent = True
        self.rows.show(table, heads, digits)
        above = self.horizontalHeader()
        assert above is not None
        above.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.rows.sort(-1)
        self._fit_columns()
        self._silent = False

    def _fit_columns(self) -> None:
        plain, mono = self.fontMetrics(), QFontMetrics(mono_font())
        for column in range(self.rows.columnCount()):
            rows = range(min(MEASURED, len(self.rows.order)))
            widths = [plain.horizontalAdvance(self.rows.heads[column])]
            widths += [max(m.horizontalAdvance(self.rows.text(row, column)) for m in (plain, mono)) for row in rows]
            widest = max(widths)
            self.setColumnWidth(column, min(max(widest + PADDING_PX, NARROWEST_PX), WIDEST_PX))

    def choose(self, row: int) -> None:
        """Make a row the current one by its number in the table; reports nothing."""
        at = np.flatnonzero(self.rows.order == row)
        self._silent = True
        if at.size:
            self.selectRow(int(at[0]))
        else:
            self.clearSelection()
        self._silent = False

    @property
    def is_silent(self) -> bool:
        """Whether rows are being chosen without a report."""
        return self._silent

    def choose_rows(self, rows: Sequence[int]) -> None:
        """Select rows by their numbers in the table; reports nothing."""
        model = self.selectionModel()
        if model is None or sorted(self.chosen_rows()) == sorted(rows):
            return
        self._silent = True
        self.clearSelection()
        flags = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        for row in rows:
            at = np.flatnonzero(self.rows.order == row)
            if at.size:
                model.select(self.rows.index(int(at[0]), 0), flags)
        self._silent = False

    def chosen_rows(self) -> list[int]:
        """Return the rows that are selected, by their numbers in the table."""
        model = self.selectionModel()
        return [int(self.rows.order[index.row()]) for index in model.selectedRows()] if model is not None else []

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        if not self._silent:
            self.row_chosen.emit(int(self.rows.order[current.row()]) if current.isValid() else -1)

    def keyPressEvent(self, event: Any) -> None:
        index = self.currentIndex()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and index.isValid():
            self.row_opened.emit(int(self.rows.order[index.row()]))
            return
        super().keyPressEvent(event)
