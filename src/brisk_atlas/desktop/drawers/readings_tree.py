"""Findings as a tree: a heading a layer, groups below it, a line a reading."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFont
from PyQt6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem

from brisk_atlas.core.inspect.attachments import Attachment, attachment_in
from brisk_atlas.core.model.language import tr

from ..icons import icon
from ..plain_text import plain_tip
from ..theme import LIGHT, Theme, mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.inspect import ProbeResult
    from brisk_atlas.core.inspect.finding import ProbeValue

LABEL_PX = 148
VALUE = Qt.ItemDataRole.UserRole
LAYER_ID = ATTACHMENT = Qt.ItemDataRole.UserRole + 1  # of a heading, and of a value
CLOSED = ("records in the header", "dimensions of the whole file")  # groups that begin closed


class ReadingsTree(QTreeWidget):
    """What, how much, and the field's own name where it shows under an alias.

    Signals:
        attachment_opened(object): a value that points at a place was chosen, an Attachment.
    """

    attachment_opened = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.pinned: set[str] = set()  # names of values that come first
        self.setObjectName("probe readings")
        self.setAccessibleName(tr("What lies there"))
        self.setHeaderHidden(True)
        self.setColumnCount(3)
        self.setColumnHidden(2, True)
        self.setIndentation(8)
        header = self.header()
        assert header is not None
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        header.resizeSection(0, LABEL_PX)
        self.attachments: list[Attachment] = []  # what the values on show point at
        self._folds: dict[str, bool] = {}  # layers that were folded or opened by hand
        self._filling = False
        self.itemExpanded.connect(self._turned)
        self.itemCollapsed.connect(self._turned)
        self.itemActivated.connect(self._activated)

    def take_at(self, at: QPoint) -> None:
        """Make the line at a point the current one."""
        self.setCurrentItem(self.itemAt(at))

    @property
    def reading(self) -> ProbeValue | None:
        """What the current line says, None where it is no value."""
        item = self.currentItem()
        found = item.data(0, VALUE) if item is not None else None
        return found[1] if found is not None else None

    @property
    def layer_id(self) -> str:
        """The layer of the current line, empty where it has none."""
        item = self.currentItem()
        found = item.data(0, VALUE) if item is not None else None
        return str(found[0]) if found is not None else ""

    def begin(self) -> None:
        self._filling = True
        self.clear()
        self.attachments = []
        self.setColumnHidden(2, True)
        self._filling = False

    def _heading(self, title: str) -> QTreeWidgetItem:
        top = QTreeWidgetItem([title])
        font = QFont(self.font())
        font.setWeight(QFont.Weight.DemiBold)
        top.setFont(0, font)
        self.addTopLevelItem(top)
        top.setFirstColumnSpanned(True)
        top.setExpanded(True)
        return top

    def add(self, title: str, lines: list[tuple[str, str]], *, strong: str = "") -> None:
        """Add a heading and its lines; those whose label begins with `strong` stand out."""
        top = self._heading(title)
        for label, text in lines:
            item = self._line(top, label, text)
            if strong and label.startswith(strong):
                font = QFont(self.font())
                font.setWeight(QFont.Weight.DemiBold)
                item.setForeground(1, QBrush(QColor(self.theme.accent)))
                item.setFont(1, font)

    def add_findings(self, findings: list[ProbeResult], folder_of: Callable[[str], Path | None]) -> None:
        """Add what layers have: the first one open, the others folded to a line, unless they were left otherwise.

        folder_of : the folder of the data of a layer, from which its values name pictures
        """
        for number, finding in enumerate(findings):
            self.add_finding(finding, folder_of(finding.layer_id), opened=number == 0)

    def add_finding(self, finding: ProbeResult, folder: Path | None = None, *, opened: bool = True) -> None:
        """Add what a layer has; several groups get a heading each."""
        self._filling = True
        top = self._heading(finding.title)
        top.setData(0, LAYER_ID, finding.layer_id)
        top.setExpanded(self._folds.get(finding.layer_id, opened))
        top.setText(1, finding.headline(self.pinned))
        self._show_headline(top)
        groups = list(dict.fromkeys(r.group for r in finding.readings))
        for group in groups:
            under = top
            if len(groups) > 1 and group not in ("attributes", "bands", "point"):
                under = QTreeWidgetItem([group])
                under.setForeground(0, QBrush(QColor(self.theme.second)))
                top.addChild(under)
                under.setFirstColumnSpanned(True)
                under.setExpanded(group not in CLOSED)
            own = sorted((r for r in finding.readings if r.group == group), key=lambda r: r.name not in self.pinned)
            for reading in own:
                item = self._line(under, reading.label, reading.shown)
                item.setData(0, VALUE, (finding.layer_id, reading))
                self._mark_attachment(item, attachment_in(reading.value, folder))
                if reading.name in self.pinned:
                    item.setIcon(0, icon("push-pin-simple", self.theme.second, 12))
                if group == "attributes" and reading.key != reading.label:
                    item.setText(2, reading.key)
                    item.setFont(2, mono_font(11))
                    item.setForeground(2, QBrush(QColor(self.theme.quiet)))
                    self.setColumnHidden(2, False)
                about = [reading.key if reading.key and reading.key != reading.label else "", reading.about]
                item.setToolTip(0, plain_tip("\n".join(v for v in about if v) or reading.label.strip()))
        self._filling = False

    def _mark_attachment(self, item: QTreeWidgetItem, attachment: Attachment | None) -> None:
        """Show that a value points at a place."""
        if attachment is None:
            return
        item.setData(1, ATTACHMENT, attachment)
        font = QFont(self.font())
        font.setUnderline(True)
        item.setFont(1, font)
        item.setForeground(1, QBrush(QColor(self.theme.second)))
        self.attachments.append(attachment)

    def _show_headline(self, top: QTreeWidgetItem) -> None:
        """Have a heading say the most telling value while it is folded."""
        top.setFirstColumnSpanned(top.isExpanded())

    def _turned(self, item: QTreeWidgetItem) -> None:
        """Remember for the next probes which layers were folded by hand."""
        layer_id = item.data(0, LAYER_ID)
        if layer_id is not None:
            self._show_headline(item)
            if not self._filling:
                self._folds[layer_id] = item.isExpanded()

    def _activated(self, item: QTreeWidgetItem) -> None:
        attachment = item.data(1, ATTACHMENT)
        if attachment is not None:
            self.attachment_opened.emit(attachment)

    def _line(self, top: QTreeWidgetItem, label: str, text: str) -> QTreeWidgetItem:
        item = QTreeWidgetItem([label, text])
        item.setForeground(0, QBrush(QColor(self.theme.quiet)))
        item.setToolTip(0, plain_tip(label))
        item.setToolTip(1, plain_tip(text))
        top.addChild(item)
        return item

    def as_text(self) -> str:
        """Return all lines, tab-separated."""
        lines: list[str] = []

        def walk(item: QTreeWidgetItem) -> None:
            lines.append("\t".join(v for v in (item.text(0).strip(), item.text(1)) if v))
            for k in range(item.childCount()):
                child = item.child(k)
                assert child is not None
                walk(child)

        for i in range(self.topLevelItemCount()):
            top = self.topLevelItem(i)
            assert top is not None
            walk(top)
        return "\n".join(lines)

    def readings(self) -> dict[str, str]:
        """Return the text of each line by its label, the first of several."""
        found: dict[str, str] = {}
        for line in self.as_text().splitlines():
            label, tab, text = line.partition("\t")
            if tab:
                found.setdefault(label, text)
        return found
