"""Two records side by side, what differs marked, and values taken over from one into the other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr, trn

from ..plain_text import PlainLabel, plain_tip
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.record import Record
    from brisk_atlas.core.record.comparing import ElementComparison

ROW = Qt.ItemDataRole.UserRole
ANOTHER = tr("Another file…")


class CompareView(QWidget):
    """A on the left is the record that is edited; B is another one of the dataset, or any file.

    Signals:
        other_chosen(int): the number of B among the dataset's records, -1 for another file.
        taken(object): the row whose value goes from B into A.
        place_chosen(object): a place of A.
    """

    other_chosen = pyqtSignal(int)
    taken = pyqtSignal(object)
    place_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._rows: list[ElementComparison] = []
        self.other = QComboBox()
        self.other.setObjectName("record B")
        self.other.setAccessibleName(tr("The record to compare with"))
        self.other.setMinimumWidth(300)
        self.only = QCheckBox(tr("Only differences"))
        self.only.setObjectName("only differences")
        self.only.setChecked(True)
        self.take = QPushButton(tr("Take from B"))
        self.take.setObjectName("take from B")
        self.take.setToolTip(tr("Put B's value into record A; where B says nothing, A's goes"))
        self.take.setEnabled(False)
        self.message = PlainLabel("")
        self.message.setObjectName("quiet")
        self.tree = QTreeWidget()
        self.tree.setObjectName("record compare")
        self.tree.setAccessibleName(tr("Both records, element by element"))
        self.tree.setColumnCount(4)
        self.tree.setHeaderLabels([tr("Element"), "A", "B", ""])
        self.tree.setWordWrap(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(12)
        header = self.tree.header()
        assert header is not None
        for side in (1, 2):
            header.setSectionResizeMode(side, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(False)
        header.resizeSection(0, 190)
        row = QHBoxLayout()
        row.addWidget(PlainLabel("B:"))
        row.addWidget(self.other)
        row.addWidget(self.only)
        row.addStretch(1)
        row.addWidget(self.take)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addWidget(self.message)
        column.addWidget(self.tree, 1)
        self.other.activated.connect(lambda i: self.other_chosen.emit(int(self.other.itemData(i))))
        self.only.toggled.connect(lambda on: self._fill())
        self.tree.itemSelectionChanged.connect(self._chosen)
        self.take.clicked.connect(self._take)

    def show_others(self, labels: Sequence[tuple[int, str]], chosen: int | None) -> None:
        """Offer records to compare with, by number and label."""
        self.other.clear()
        for number, label in labels:
            self.other.addItem(label, number)
        self.other.addItem(ANOTHER, -1)
        found = self.other.findData(chosen) if chosen is not None else -1
        if found >= 0:
            self.other.setCurrentIndex(found)

    def show_other_file(self, name: str) -> None:
        """Say that B is a file of another place."""
        index = self.other.findData(-2)
        if index < 0:
            self.other.insertItem(0, name, -2)
            index = 0
        self.other.setItemText(index, name)
        self.other.setCurrentIndex(index)

    def show_records(self, a: Record | None, b: Record | None, name_a: str, name_b: str, can_take: bool) -> None:
        from brisk_atlas.core.record import comparisons_of

        self._can_take = can_take
        self.tree.setHeaderLabels(
            [tr("Element"), f"A: {name_a}", f"B: {name_b}" if b else tr("B: choose a record above"), ""]
        )
        self._rows = comparisons_of(a, b) if a is not None and b is not None else []
        self._fill()

    def _fill(self) -> None:
        from brisk_atlas.core.curate.many import item_text
        from brisk_atlas.core.record.comparing import SAME
        from brisk_atlas.core.record.elements import is_stated
        from brisk_atlas.core.record.values import shown

        self.tree.clear()
        t, section = self.theme, ""
        differing = [row for row in self._rows if row.state != SAME]
        plain = sum(row.element.item is None for row in differing)
        if self._rows:
            self.message.setText(
                trn("{count} value differs", "{count} values differ", plain) if plain else tr("Both say the same")
            )
        else:
            self.message.setText("")
        for row in self._rows:
            if self.only.isChecked() and row.state == SAME:
                continue
            if row.element.section and row.element.section != section:
                section = row.element.section
                head = QTreeWidgetItem(self.tree, [section])
                head.setFirstColumnSpanned(True)
                font = self.tree.font()
                font.setBold(True)
                head.setFont(0, font)
                head.setFlags(Qt.ItemFlag.ItemIsEnabled)

            def text(value: object, row: ElementComparison = row) -> str:
                if not is_stated(value):
                    return tr("not stated")
                return item_text(value) if row.element.item else shown(row.element, value)

            label = "    " * row.depth + row.label
            item = QTreeWidgetItem(self.tree, [label, text(row.a), text(row.b), "" if row.state == SAME else row.state])
            item.setData(0, ROW, row)
            for side in (1, 2):
                item.setToolTip(side, plain_tip(item.text(side)))
            if row.element.item:
                for column in (1, 2):
                    item.setForeground(column, QColor(t.quiet))
            elif row.state != SAME:
                for column, value in ((1, row.a), (2, row.b)):
                    item.setForeground(column, QColor(t.accent if is_stated(value) else t.quiet))
                    wash = QColor(t.wash)
                    item.setBackground(column, wash)
            item.setForeground(3, QColor(t.quiet))

    def _chosen(self) -> None:
        row = self._row()
        self.take.setEnabled(bool(row and row.state != "same" and self._can_take))
        if row and row.place_a:
            self.place_chosen.emit(row.place_a)

    def _row(self) -> ElementComparison | None:
        items = self.tree.selectedItems()
        return items[0].data(0, ROW) if items else None

    def _take(self) -> None:
        row = self._row()
        if row:
            self.taken.emit(row)

    def find_next(self, words: str) -> bool:
        """Go to the next row with the words in it; after the last comes the first."""
        rows = [item for i in range(self.tree.topLevelItemCount()) if (item := self.tree.topLevelItem(i)) is not None]
        current = self.tree.currentItem()
        start = rows.index(current) + 1 if current in rows else 0
        for item in (*rows[start:], *rows[:start]):
            if any(words.casefold() in item.text(column).casefold() for column in range(3)):
                self.tree.setCurrentItem(item)
                return True
        return False

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._fill()
