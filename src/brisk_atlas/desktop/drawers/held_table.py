"""Held probes as columns side by side, what differs from the first marked."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QPoint, QPointF, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr

from ..panes.discs import paint_disc
from ..plain_text import PlainLabel, plain_tip
from ..theme import LIGHT, Theme
from .held_list import HeldList

DIFFERS, NUMBER = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
PLAIN_PX, TALL_PX, LABEL_PX, COLUMN_PX = 22, 37, 116, 106
SMALL_PX = 12


class _Cells(QStyledItemDelegate):
    """A value, and below it how it differs."""

    def __init__(self, table: HeldTable) -> None:
        super().__init__(table)
        self.table = table

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        theme, rect = self.table.theme, option.rect
        painter.save()
        differs = index.data(DIFFERS) or ""
        if differs:
            wash = QColor(theme.accent)
            wash.setAlphaF(0.10)
            painter.fillRect(rect, wash)
        inner = rect.adjusted(6, 2, -5, -2)
        label = index.column() == 0
        font = QFont(self.table.font())
        if not label:
            font.setPixelSize(SMALL_PX)
        painter.setFont(font)
        painter.setPen(QColor(theme.quiet if label else theme.ink))
        text = painter.fontMetrics().elidedText(index.data() or "", Qt.TextElideMode.ElideRight, inner.width())
        first = QRect(inner.left(), inner.top(), inner.width(), 18)
        painter.drawText(first, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
        if differs:
            font.setPixelSize(SMALL_PX - 1)
            painter.setFont(font)
            painter.setPen(QColor(theme.accent))
            below = QRect(inner.left(), inner.top() + 16, inner.width(), 16)
            stated = painter.fontMetrics().elidedText(differs, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, stated)
        painter.setPen(QColor(theme.rule))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.restore()


class _Heads(QHeaderView):
    """A disc with the number, and the name."""

    def __init__(self, table: HeldTable) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.table = table
        self.setSectionsClickable(True)
        self.setFixedHeight(30)

    def paintSection(self, painter: QPainter | None, rect: QRect, section: int) -> None:
        assert painter is not None
        theme = self.table.theme
        painter.save()
        painter.fillRect(rect, QColor(theme.paper))
        if section > 0 and section <= len(self.table.held.held):
            probe = self.table.held.held[section - 1]
            font = QFont(self.font())
            font.setPixelSize(11)
            font.setWeight(QFont.Weight.DemiBold)
            painter.setFont(font)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint_disc(painter, probe.number, QPointF(rect.left() + 13, rect.center().y() + 0.5), theme, 8.5)
            chosen = self.table.chosen == section - 1
            painter.setPen(QColor(theme.accent if chosen else theme.ink))
            inner = rect.adjusted(26, 0, -4, 0)
            text = painter.fontMetrics().elidedText(probe.name, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(QColor(theme.rule))
        painter.drawLine(rect.topRight(), rect.bottomRight())
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.restore()

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), 30)


class HeldTable(QWidget):
    """The comparison and what can be done with it."""

    def __init__(self, held: HeldList) -> None:
        super().__init__()
        self.held = held
        self.theme: Theme = LIGHT
        self.chosen = 0
        self.table = QTableWidget(0, 0)
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("held")
        self.table.setItemDelegate(_Cells(self))
        self.heads = _Heads(self)
        self.table.setHorizontalHeader(self.heads)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._menu)
        self.table.setHorizontalScrollMode(QTableWidget.ScrollMode.ScrollPerPixel)
        rows = self.table.verticalHeader()
        assert rows is not None
        rows.hide()
        rows.setMinimumSectionSize(PLAIN_PX)
        self.heads.sectionClicked.connect(self._choose)
        self.heads.sectionDoubleClicked.connect(lambda section: self.rename())
        self.only = QCheckBox(tr("only what differs"))
        self.only.setObjectName("only differences")
        self.only.toggled.connect(lambda on: self.refresh())
        self.title = PlainLabel(tr("Held"))
        self.title.setObjectName("heading")
        self.buttons: dict[str, QToolButton] = {}
        row = QHBoxLayout()
        row.setContentsMargins(10, 3, 6, 2)
        row.setSpacing(1)
        row.addWidget(self.title)
        row.addWidget(self.only)
        row.addStretch(1)
        for name, text, tip in (
            ("left", "◂", tr("Move the chosen column to the left")),
            ("right", "▸", tr("Move the chosen column to the right")),
            ("name", tr("name"), tr("Name the chosen column")),
            ("remove", tr("remove"), tr("Remove the chosen column")),
            ("clear", tr("clear"), tr("Remove all")),
        ):
            button = QToolButton()
            button.setObjectName(f"held {name}")
            button.setText(text)
            button.setToolTip(tip)
            self.buttons[name] = button
            row.addWidget(button)
        self.buttons["left"].clicked.connect(lambda: self._move(-1))
        self.buttons["right"].clicked.connect(lambda: self._move(1))
        self.buttons["name"].clicked.connect(self.rename)
        self.buttons["remove"].clicked.connect(lambda: self.held.remove(self.chosen) if self.held.held else None)
        self.buttons["clear"].clicked.connect(self.held.clear)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        held.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Compare anew and show it."""
        if not self.held.held:
            self.table.setRowCount(0)
            self.table.setColumnCount(0)
            return
        from brisk_atlas.core.inspect import compare

        self.chosen = min(self.chosen, len(self.held) - 1)
        lines = [
            line for line in compare(self.held.held, self.held.mapping) if line.unequal or not self.only.isChecked()
        ]
        self.title.setText(tr("Held {count}", count=len(self.held)))
        self.table.setColumnCount(len(self.held) + 1)
        self.table.setRowCount(len(lines))
        for r, line in enumerate(lines):
            label = QTableWidgetItem(line.label)
            label.setToolTip(plain_tip(line.key))
            self.table.setItem(r, 0, label)
            for c, (text, differs) in enumerate(zip(line.cells, line.differs), 1):
                item = QTableWidgetItem(text)
                item.setData(DIFFERS, differs)
                item.setToolTip(plain_tip(f"{text}\n{differs}".strip()))
                self.table.setItem(r, c, item)
            self.table.setRowHeight(r, TALL_PX if line.unequal else PLAIN_PX)
        self.table.setColumnWidth(0, LABEL_PX)
        for c in range(1, len(self.held) + 1):
            self.table.setColumnWidth(c, COLUMN_PX)
        view = self.heads.viewport()
        if view is not None:
            view.update()

    def _choose(self, section: int) -> None:
        if section > 0:
            self.chosen = section - 1
            view = self.heads.viewport()
            if view is not None:
                view.update()

    def _move(self, by: int) -> None:
        if self.held.held:
            at = self.chosen
            self.chosen = min(max(at + by, 0), len(self.held) - 1)
            self.held.move(at, by)

    def rename(self) -> None:
        if self.held.held:
            now = self.held.held[self.chosen].name
            name, good = QInputDialog.getText(self, tr("Name a held probe"), tr("Name"), text=now)
            if good and name.strip():
                self.held.name(self.chosen, name.strip())

    def _menu(self, at: QPoint) -> None:
        """Offer to compare a line with one of another name."""
        item = self.table.itemAt(at)
        if item is None:
            return
        label = self.table.item(item.row(), 0)
        view = self.table.viewport()
        if label is not None and view is not None:
            self.matching_menu(label.toolTip()).popup(view.mapToGlobal(at))

    def matching_menu(self, key: str) -> QMenu:
        """Return the menu of the lines that a line can be compared with."""
        menu = QMenu(self)
        menu.setTitle(tr("Compare {key} with", key=key))
        first = self.held.held[0].finding.readings
        for reading in first:
            if reading.name.lower() != key:
                menu.addAction(reading.name.strip(), lambda own=reading.name: self.held.match(key, own))
        return menu
