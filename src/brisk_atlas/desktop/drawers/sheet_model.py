"""The rows of a sheet as Qt asks for them: only what is seen is fetched."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QColor

from ..theme import LIGHT, Theme, mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.sheet import Sheet

BLOCK = 256  # rows fetched together
KEPT_BLOCKS = 16


class SheetModel(QAbstractTableModel):
    """Shows a Sheet. Sorting goes through `sorter`, which may take its time."""

    def __init__(self) -> None:
        super().__init__()
        self.sheet: Sheet | None = None
        self.theme: Theme = LIGHT
        self._blocks: dict[int, list[list[Any]]] = {}
        self._numeric: list[bool] = []

    def show(self, sheet: Sheet | None) -> None:
        """Show another sheet, or the same in a new order."""
        self.beginResetModel()
        self.sheet = sheet
        self._blocks.clear()
        if sheet is not None:
            import pyarrow as pa

            kinds = [sheet.table.schema.field(name).type for name in sheet.columns]
            self._numeric = [pa.types.is_integer(k) or pa.types.is_floating(k) for k in kinds]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() or self.sheet is None else len(self.sheet)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() or self.sheet is None else len(self.sheet.columns)

    def _value(self, row: int, column: int) -> Any:
        assert self.sheet is not None
        number = row // BLOCK
        if number not in self._blocks:
            if len(self._blocks) >= KEPT_BLOCKS:
                self._blocks.pop(next(iter(self._blocks)))
            rows = self.sheet.rows(number * BLOCK, BLOCK)
            self._blocks[number] = [column.to_pylist() for column in rows.columns]
        return self._blocks[number][column][row % BLOCK]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if self.sheet is None or not index.isValid():
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            from brisk_atlas.core.inspect import number_text

            value = self._value(index.row(), index.column())
            return (
                ""
                if value is None and role == Qt.ItemDataRole.ToolTipRole
                else "—"
                if value is None
                else number_text(value)
            )
        if role == Qt.ItemDataRole.TextAlignmentRole and self._numeric[index.column()]:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.FontRole and self._numeric[index.column()]:
            return mono_font()
        if role == Qt.ItemDataRole.ForegroundRole and self._value(index.row(), index.column()) is None:
            return QColor(self.theme.quiet)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if self.sheet is None:
            return None
        if orientation == Qt.Orientation.Horizontal:
            name = self.sheet.columns[section]
            if role == Qt.ItemDataRole.DisplayRole:
                return name
            if role == Qt.ItemDataRole.ToolTipRole:
                return f"{name} ({self.sheet.table.schema.field(name).type})"
        elif role == Qt.ItemDataRole.DisplayRole and section < len(self.sheet):
            return str(int(self.sheet.order[section]) + 1)
        return None
