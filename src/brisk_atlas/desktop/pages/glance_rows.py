"""The fields of a dataset and its first hundred rows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import QComboBox, QTableView, QVBoxLayout, QWidget

from brisk_atlas.core.model import ColumnView
from brisk_atlas.core.model.field_types import field_type_words
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of

from ..plain_text import PlainLabel, plain_tip
from ..theme import mono_font

if TYPE_CHECKING:
    import pyarrow as pa

PLAIN = ColumnView("")
ROWS = 100
MEASURED = 20  # rows, whose texts make the width of a column
NARROWEST_PX, WIDEST_PX, PADDING_PX = 48, 220, 22


class FirstRows(QAbstractTableModel):
    """A short table; each head says a field's name and its type."""

    def __init__(self) -> None:
        super().__init__()
        self.names: list[str] = []
        self.types: list[str] = []
        self._columns: list[list[str]] = []
        self._numbers: list[bool] = []
        self._stored: list[str] = []

    def show(self, table: pa.Table | None) -> None:
        self.beginResetModel()
        self.names = list(table.column_names) if table is not None else []
        self._stored = [str(kind) for kind in table.schema.types] if table is not None else []
        self.types = [field_type_words(stored) for stored in self._stored]
        self._columns = [_texts(values_of(column)) for column in table.columns] if table is not None else []
        self._numbers = [_is_number(kind) for kind in table.schema.types] if table is not None else []
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(self._columns[0]) if self._columns and not parent.isValid() else 0

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(self._columns) if not parent.isValid() else 0

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = self._columns[index.column()][index.row()]
            return plain_tip(text) if role == Qt.ItemDataRole.ToolTipRole else text
        number = self._numbers[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole and number:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return mono_font() if role == Qt.ItemDataRole.FontRole and number else None

    def longest(self, column: int) -> str:
        """Return the longest text of a column's head and first values."""
        return max([self.names[column], self.types[column], *self._columns[column][:MEASURED]], key=len)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Vertical:
            return str(section + 1) if role == Qt.ItemDataRole.DisplayRole else None
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{self.names[section]}\n{self.types[section]}"
        return plain_tip(self._tip(section)) if role == Qt.ItemDataRole.ToolTipRole else None

    def _tip(self, column: int) -> str:
        name, words, stored = self.names[column], self.types[column], self._stored[column]
        return tr("{name}: {words}, stored as {stored}", name=name, words=words, stored=stored)


def _texts(values: list[Any]) -> list[str]:
    from brisk_atlas.core.table.formats import decimals_of, text_of

    decimals = decimals_of(values)
    return [text_of(value, PLAIN, decimals) for value in values]


def _is_number(kind: pa.DataType) -> bool:
    from pyarrow import types

    kind = getattr(kind, "value_type", kind) if types.is_dictionary(kind) else kind
    return bool(types.is_integer(kind) or types.is_floating(kind) or types.is_decimal(kind))


class GlanceRows(QWidget):
    """The first rows of one part; a choice where there are several."""

    def __init__(self) -> None:
        super().__init__()
        self.part = QComboBox()
        self.part.setObjectName("rows of")
        self.part.setAccessibleName(tr("Part whose rows are shown"))
        self.message = PlainLabel()
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.rows = FirstRows()
        self.table = QTableView()
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("first rows")
        self.table.setModel(self.rows)
        self.table.setAlternatingRowColors(True)
        self._tables: dict[str, pa.Table] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        for widget in (self.part, self.message, self.table):
            column.addWidget(widget, int(widget is self.table))
        self.part.currentTextChanged.connect(self._show)

    def show_tables(self, tables: dict[str, tuple[pa.Table, int | None]]) -> None:
        """Show the first rows of parts by name, with how many there are of each."""
        self._tables = {name: table for name, (table, _) in tables.items()}
        self._counts = {name: count for name, (_, count) in tables.items()}
        self.part.blockSignals(True)
        self.part.clear()
        self.part.addItems(list(tables))
        self.part.blockSignals(False)
        self.part.setVisible(len(tables) > 1)
        self._show(self.part.currentText())

    def _show(self, name: str) -> None:
        table = self._tables.get(name)
        self.rows.show(table)
        if table is None:
            self.message.setText("")
            return
        count = self._counts.get(name)
        text = tr("{count:,} fields; ", count=len(table.column_names))
        text += (
            tr("rows 1 to {count:,} of {count2:,}", count=len(table), count2=count)
            if count is not None
            else tr("the first {count:,} rows", count=len(table))
        )
        self.message.setText(text)
        metrics = self.table.fontMetrics()
        for number in range(len(table.column_names)):
            width = metrics.horizontalAdvance(self.rows.longest(number)) + PADDING_PX
            self.table.setColumnWidth(number, min(max(width, NARROWEST_PX), WIDEST_PX))
