"""The datasets that a catalogue site is to have, and what the next build does with each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import QHeaderView, QTableView, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown

from ..plain_text import plain_tip

if TYPE_CHECKING:
    from brisk_atlas.core.operations.catalogue_plan import PlannedDataset

HEADS = (tr("dataset"), tr("title"), tr("theme"), tr("record"), tr("next build"))
NOT_YET = tr("not looked at yet")


def cells_of(row: PlannedDataset) -> tuple[str, ...]:
    """Return a dataset as the texts of its cells."""
    entry = row.entry
    build = shown(row.build) + (f": {entry.fault}" if entry is not None and entry.fault else "")
    if entry is None or not entry.is_listed:
        return row.source, NOT_YET if entry is None else "", "", "", build
    return row.source, entry.title, ", ".join(entry.themes), tr("yes") if entry.has_record else tr("none"), build


class PlannedRows(QAbstractTableModel):
    """The rows of the table."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, ...]] = []

    def show_rows(self, rows: Sequence[PlannedDataset]) -> None:
        """Show other datasets."""
        self.beginResetModel()
        self.rows = [cells_of(row) for row in rows]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(HEADS)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> str | None:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = self.rows[index.row()][index.column()]
            return plain_tip(text) if role == Qt.ItemDataRole.ToolTipRole else text
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> str | None:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return HEADS[section]
        return None


class PlannedTable(QTableView):
    """The table; its last column takes what room is left."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)
        self.rows = PlannedRows()
        self.setModel(self.rows)
        self.setAccessibleName(tr("Datasets of the site"))
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.setAlternatingRowColors(True)
        self.setShowGrid(False)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        upright, across = self.verticalHeader(), self.horizontalHeader()
        if upright is not None and across is not None:
            upright.hide()
            across.setStretchLastSection(True)
            across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            across.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            for column, width in enumerate((240, 260, 140, 60)):
                self.setColumnWidth(column, width)
