"""A record in full, in the words of the chosen standard, edited where it stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFont, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from brisk_atlas.core.model.language import tr

from ..plain_text import plain_tip
from ..theme import LIGHT, Theme
from .value_editor import ELEMENT, TEXT, ValueEditors

if TYPE_CHECKING:
    from brisk_atlas.core.record import Document, Finding, Standard
    from brisk_atlas.core.record.elements import Element, Place

PLACE, LIST = Qt.ItemDataRole.UserRole + 13, Qt.ItemDataRole.UserRole + 14
NOT_STATED, MISSING = tr("not stated"), "missing"


class FullTree(QTreeWidget):
    """Sections, elements and items. F2 or Enter edits, Insert adds another, Delete removes.

    Signals:
        written(object, str): a place and the text typed there.
        added(object), removed(object): the place of a list or an item.
        complained(str): what is wrong with what is being typed.
        place_chosen(object): the place that is looked at.
    """

    written = pyqtSignal(object, str)
    added = pyqtSignal(object)
    removed = pyqtSignal(object)
    complained = pyqtSignal(str)
    place_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("record tree")
        self.setAccessibleName(tr("All elements of the record"))
        self.theme: Theme = LIGHT
        self.everything = False
        self._items: dict[Place, QTreeWidgetItem] = {}
        self._sections: dict[str, QTreeWidgetItem] = {}
        self._open: set[Place] = set()
        self._filling = False
        self.setColumnCount(3)
        self.setHeaderLabels([tr("Element"), tr("Value"), ""])
        self.setWordWrap(True)
        self.setIndentation(14)
        self.setUniformRowHeights(False)
        self.setAlternatingRowColors(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        header = self.header()
        assert header is not None
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(False)
        header.resizeSection(0, 230)
        header.sectionResized.connect(lambda *sizes: self.scheduleDelayedItemsLayout())
        self.editors = ValueEditors(self)
        self.setItemDelegate(self.editors)
        self.editors.written.connect(self._written)
        self.editors.complained.connect(self.complained)
        self.currentItemChanged.connect(self._current)
        self.itemDoubleClicked.connect(lambda item: self.add_another() if item.data(0, LIST) else None)

    # Filling

    def show_document(
        self, document: Document, standard: Standard, findings: Sequence[Finding], derived: set[Place], editable: bool
    ) -> None:
        """Show a document's record in a standard's words; `derived` are places that the data tells."""
        from brisk_atlas.core.record.elements import parts_of
        from brisk_atlas.core.record.model import SECTIONS, Record

        at, scroll = self.place, self.verticalScrollBar()
        top = scroll.value() if scroll is not None else 0
        self._remember_open()
        self._filling = True
        self._standard, self._document, self._derived, self._editable = standard, document, derived, editable
        self._findings: dict[Place, Finding] = {}
        for finding in findings:
            self._findings.setdefault(finding.place, finding)
        self.clear()
        self._sections = {name: self._section(name) for name in SECTIONS}
        for element in parts_of(Record).values():
            self._add_element(
                self._sections[element.section], element, (element.name,), getattr(document.record, element.name)
            )
        for section in self._sections.values():
            section.setHidden(section.childCount() == 0)
            section.setExpanded(True)
        for place in self._open:
            if place in self._items:
                self._items[place].setExpanded(True)
        self._filling = False
        if at:
            self.go_to(at, quietly=True)
        if scroll is not None:
            scroll.setValue(top)

    def clear(self) -> None:
        """Show no record, and remember none of its rows, which are gone then."""
        super().clear()
        self._items.clear()
        self._sections.clear()

    def _section(self, name: str) -> QTreeWidgetItem:
        item = QTreeWidgetItem(self, [name])
        font = QFont(self.font())
        font.setWeight(QFont.Weight.DemiBold)
        item.setFont(0, font)
        item.setForeground(0, QColor(self.theme.ink))
        item.setFirstColumnSpanned(True)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
        return item

    def _add_element(self, parent: QTreeWidgetItem, element: Element, place: Place, value: Any) -> None:
        from brisk_atlas.core.record import obligation
        from brisk_atlas.core.record.elements import is_stated

        held = bool(self._standard.places(element.id))
        needed = obligation(self._standard, element.id) if held else "optional"
        stated = is_stated(value)
        if not stated and (not held or not (self.everything or needed == "mandatory" or place in self._findings)):
            return
        if element.several:
            for i, item in enumerate(value):
                self._add_item(parent, element, (*place, i), item, needed, last=i == len(value) - 1)
            if not stated:
                self._row(parent, element, place, "", needed, is_list=True)
        else:
            self._row(parent, element, place, value, needed)

    def _add_item(
        self, parent: QTreeWidgetItem, element: Element, place: Place, value: Any, needed: str, last: bool
    ) -> None:
        from brisk_atlas.core.record.elements import parts_of

        if element.item is None:
            self._row(parent, element, place, value, needed)
            return
        row = self._row(parent, element, place, value, needed)
        for part in parts_of(element.item, f"{element.id}.").values():
            self._add_element(row, part, (*place, part.name), getattr(value, part.name))
        found = any(p[: len(place)] == place for p in self._findings)
        row.setExpanded(found or len(place) == 2)

    def _row(
        self, parent: QTreeWidgetItem, element: Element, place: Place, value: Any, needed: str, is_list: bool = False
    ) -> QTreeWidgetItem:
        from brisk_atlas.core.curate.many import item_text
        from brisk_atlas.core.record.elements import is_stated
        from brisk_atlas.core.record.values import shown

        stated, t = is_stated(value), self.theme
        has_parts = element.item is not None and not (is_list and not stated)
        number = f" {place[-1] + 1}" if isinstance(place[-1], int) and place[-1] else ""
        name = self._standard.word_at(self._document.record, place) or element.label
        row = QTreeWidgetItem(parent, [name[:1].upper() + name[1:] + number])
        row.setToolTip(0, plain_tip("\n".join([element.label, *self._standard.places(element.id)[:2]])))
        row.setData(0, PLACE, place)
        row.setData(0, LIST, is_list)
        text = (
            item_text(value) if has_parts and stated else shown(element, value) if stated and not element.item else ""
        )
        row.setText(1, " ".join(text.split()) if has_parts else text or NOT_STATED)
        if has_parts or not stated:
            row.setForeground(1, QColor(t.quiet))
        if not stated:
            font = QFont(self.font())
            font.setItalic(True)
            row.setFont(1, font)
        self._mark(row, place, stated, needed)
        if not has_parts:
            plain = "" if value is None or not stated else f"{value:.10g}" if isinstance(value, float) else str(value)
            row.setData(1, TEXT, plain)
            if element.item is None:
                row.setData(1, ELEMENT, element)
                if self._editable and self._standard.places(element.id):
                    row.setFlags(row.flags() | Qt.ItemFlag.ItemIsEditable)
        self._items[place] = row
        return row

    def _mark(self, row: QTreeWidgetItem, place: Place, stated: bool, needed: str) -> None:
        """Say in the last column what is to be known: missing, wrong, derived from the data."""
        t, finding = self.theme, self._findings.get(place)
        if finding is not None:
            gaps = {"fault": MISSING, "caution": "recommended", "note": "optional"}
            wrongs = {"fault": "wrong", "caution": tr("look at it"), "note": "note"}
            word = (wrongs if stated else gaps)[finding.severity]
            colour = {"fault": t.fault, "caution": t.caution}.get(finding.severity, t.quiet)
            row.setText(2, word)
            row.setToolTip(2, plain_tip(finding.reason))
            row.setToolTip(1, plain_tip(finding.reason))
            row.setForeground(2, QBrush(QColor(colour)))
            if not stated:
                row.setForeground(0, QBrush(QColor(colour)))
        elif place in self._derived:
            row.setText(2, tr("from the data"))
            row.setForeground(2, QBrush(QColor(t.second)))
        elif needed != "optional" and len(place) <= 2:
            row.setText(2, needed if not stated else "")
            row.setForeground(2, QBrush(QColor(t.quiet)))

    def _remember_open(self) -> None:
        self._open = {place for place, item in self._items.items() if item.childCount() and item.isExpanded()}

    # Places

    @property
    def place(self) -> Place:
        item = self.currentItem()
        return (item.data(0, PLACE) or ()) if item is not None else ()

    def item_at(self, place: Place) -> QTreeWidgetItem | None:
        """Return the row of a place, or the nearest above it."""
        while place:
            if place in self._items:
                return self._items[place]
            if (*place, 0) in self._items:
                return self._items[(*place, 0)]
            place = place[:-1]
        return None

    def go_to(self, place: Place, *, quietly: bool = False) -> bool:
        """Show a place and choose it; returns whether it is there."""
        item = self.item_at(tuple(place))
        if item is None:
            return False
        above = item.parent()
        while above is not None:
            above.setExpanded(True)
            above = above.parent()
        blocked = self.blockSignals(quietly)
        self.setCurrentItem(item)
        self.blockSignals(blocked)
        if not quietly:
            self.scrollToItem(item, QAbstractItemView.ScrollHint.PositionAtCenter)
        return True

    def go_to_section(self, name: str) -> None:
        item = self._sections.get(name)
        if item is not None and not item.isHidden():
            self.scrollToItem(item, QAbstractItemView.ScrollHint.PositionAtTop)
            self.setCurrentItem(item)

    def find_next(self, words: str) -> bool:
        """Go to the next row with the words in it; after the last comes the first."""
        rows = list(self._items.values())
        current = self.currentItem()
        start = rows.index(current) + 1 if current in rows else 0
        for row in (*rows[start:], *rows[:start]):
            says = row.text(1) if row.data(1, ELEMENT) is not None else ""  # others sum up what stands below them
            if words.casefold() in f"{row.text(0)} {says} {row.toolTip(0)}".casefold():
                self.go_to(row.data(0, PLACE))
                return True
        return False

    # The hand

    def _current(self, item: QTreeWidgetItem | None, before: object) -> None:
        if item is not None and not self._filling and item.data(0, PLACE):
            self.place_chosen.emit(item.data(0, PLACE))

    def _written(self, index: QModelIndex, text: str) -> None:
        item = self.itemFromIndex(index)
        if item is not None:
            place: Place = item.data(0, PLACE)
            self.written.emit((*place, 0) if item.data(0, LIST) else place, text)

    def list_place(self) -> Place:
        """Return the list that the chosen row is or is in, () where there is none."""
        from brisk_atlas.core.record.elements import element_of

        place = self.place
        while place:
            if isinstance(place[-1], int):
                return place[:-1]
            if element_of(place).several:
                return place
            place = place[:-1]
        return ()

    def item_place(self) -> Place:
        """Return the item of a list that the chosen row is or is in, () where there is none."""
        place = self.place
        while place and not isinstance(place[-1], int):
            place = place[:-1]
        return place

    def add_another(self) -> None:
        if self._editable and self.list_place():
            self.added.emit(self.list_place())

    def remove_item(self) -> None:
        if self._editable and (self.item_place() or self.place):
            self.removed.emit(self.item_place() or self.place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        item = self.currentItem()
        if event.key() == Qt.Key.Key_Insert:
            self.add_another()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_item()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and item is not None:
            self._enter(item)
        else:
            super().keyPressEvent(event)

    def _enter(self, item: QTreeWidgetItem) -> None:
        """Begin with a row: type into it, make the first of a list, or open and shut it."""
        if item.flags() & Qt.ItemFlag.ItemIsEditable:
            self.editItem(item, 1)
        elif item.data(0, LIST):
            self.add_another()
        else:
            item.setExpanded(not item.isExpanded())

    def add_blank(self, place: Place) -> None:
        """Show the empty rows of an item that is not there yet; what is typed into them makes it."""
        from brisk_atlas.core.record.elements import element_of, parts_of

        element = element_of(place)
        beside = self.item_at(place)
        parent = beside.parent() if beside is not None else self._sections[element.section]
        number = int(place[-1])
        if element.item is None:
            row = self._row(parent or self._sections[element.section], element, place, "", "optional")
            self.setCurrentItem(row)
            self.editItem(row, 1)
            return
        row = self._row(parent or self._sections[element.section], element, place, element.item(), "optional")
        row.setText(1, tr("new; number {number}", number=number + 1))
        first = None
        for part in parts_of(element.item, f"{element.id}.").values():
            if self._standard.places(part.id):
                inner = self._row(row, part, (*place, part.name), () if part.several else "", "optional", part.several)
                first = first or inner
        row.setExpanded(True)
        self.setCurrentItem(first or row)
        self.scrollToItem(first or row)
