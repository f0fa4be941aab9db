"""What of a hole is drawn: quantities by category, with a search."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from ..plain_text import plain_tip

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleCurve, HoleIntervals

WIDE_PX, TALL_PX = 330, 380
NAME = Qt.ItemDataRole.UserRole
INTERVALS = tr("Intervals")


class LogQuantities(QWidget):
    """A search, and a tree of categories with what is in each.

    Signals:
        turned(str, bool): a curve or a field of intervals is to be drawn, or no more.
    """

    turned = pyqtSignal(str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.search = QLineEdit()
        self.search.setObjectName("quantity search")
        self.search.setPlaceholderText(tr("Search by name, unit or meaning"))
        self.search.setAccessibleName(tr("Search quantities"))
        self.search.setClearButtonEnabled(True)
        self.tree = QTreeWidget()
        self.tree.setObjectName("quantities")
        self.tree.setAccessibleName(tr("Quantities by category"))
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(2)
        self.tree.setFixedSize(WIDE_PX, TALL_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.addWidget(self.search)
        column.addWidget(self.tree)
        self._filling = False
        self.search.textChanged.connect(self._filter)
        self.tree.itemChanged.connect(self._changed)

    def fill(self, curves: Sequence[HoleCurve], intervals: Sequence[HoleIntervals], drawn: Collection[str]) -> None:
        """List what can be drawn; what is drawn is ticked."""
        from brisk_atlas.core.strip.holes.curve_names import CATEGORIES, OTHER

        self._filling = True
        open_before = {
            self._category(n).text(0) for n in range(self.tree.topLevelItemCount()) if self._category(n).isExpanded()
        }
        self.tree.clear()
        for category in (INTERVALS, *CATEGORIES, OTHER):
            lines = (
                [(each.name, each.unit, "") for each in intervals] if category == INTERVALS
                else [(each.name, each.unit, each.about) for each in curves if each.category == category]
            )  # fmt: skip
            if not lines:
                continue
            top = QTreeWidgetItem([f"{category}", grouped(len(lines))])
            for name, unit, about in lines:
                item = QTreeWidgetItem([f"{name}, {unit}" if unit else name, about])
                item.setData(0, NAME, name)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(0, Qt.CheckState.Checked if name in drawn else Qt.CheckState.Unchecked)
                item.setToolTip(0, plain_tip(about))
                top.addChild(item)
            self.tree.addTopLevelItem(top)
            top.setExpanded(category in open_before or any(name in drawn for name, _, _ in lines))
        self.tree.resizeColumnToContents(0)
        self._filling = False
        self._filter(self.search.text())

    def _category(self, number: int) -> QTreeWidgetItem:
        item = self.tree.topLevelItem(number)
        assert item is not None
        return item

    def _filter(self, text: str) -> None:
        words = text.casefold().split()
        for number in range(self.tree.topLevelItemCount()):
            top = self._category(number)
            left = 0
            for child in (top.child(n) for n in range(top.childCount())):
                assert child is not None
                fits = all(word in f"{child.text(0)} {child.text(1)} {top.text(0)}".casefold() for word in words)
                child.setHidden(not fits)
                left += fits
            top.setHidden(not left)
            if words:
                top.setExpanded(left > 0)

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        name = item.data(0, NAME)
        if not self._filling and name is not None:
            self.turned.emit(str(name), item.checkState(0) == Qt.CheckState.Checked)
