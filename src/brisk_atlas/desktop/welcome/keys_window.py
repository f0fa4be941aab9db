"""All keys on one page, by what they are for."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QDialog, QHeaderView, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from ..commands import Command
from ..theme import mono_font

WIDTH_PX, HEIGHT_PX, KEYS_PX = 620, 640, 150
ON_THE_MAP = (
    ("Move the map", "Arrows"), ("Zoom in and out", "+  −"), ("Turn the map", ",  ."),
    ("Ask what lies under the cross", "Space"), ("End a shape that is drawn", "Return"),
    ("Take back its last corner", "Backspace"), ("Leave a tool", "Esc"), ("Put A or B in front", "[  ]"),
)  # fmt: skip


class KeysWindow(QDialog):
    """The keys of commands, and those of the map."""

    def __init__(self, commands: list[Command], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Search by words or by keys, such as relief or Ctrl+E")
        self.line.setClearButtonEnabled(True)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Keys")
        self.tree.setColumnCount(2)
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        header = self.tree.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.resizeSection(1, KEYS_PX)
        column = QVBoxLayout(self)
        column.addWidget(self.line)
        column.addWidget(self.tree, 1)
        self.line.textChanged.connect(self._search)
        groups: dict[str, list[tuple[str, str]]] = {}
        for each in commands:
            if each.keys:
                keys = QKeySequence(each.keys).toString(QKeySequence.SequenceFormat.NativeText)
                groups.setdefault(each.group, []).append((each.title, keys))
        groups["With the keyboard on the map"] = list(ON_THE_MAP)
        for name, rows in groups.items():
            self._add(name, rows)

    def _add(self, name: str, rows: list[tuple[str, str]]) -> None:
        group = QTreeWidgetItem([name, ""])
        font = group.font(0)
        font.setBold(True)
        group.setFont(0, font)
        group.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self.tree.addTopLevelItem(group)
        for title, keys in rows:
            row = QTreeWidgetItem([title.removesuffix("…"), keys])
            row.setFont(1, mono_font())
            group.addChild(row)
        group.setExpanded(True)

    def _search(self, text: str) -> None:
        words = text.casefold().split()
        for number in range(self.tree.topLevelItemCount()):
            group = self.tree.topLevelItem(number)
            assert group is not None
            shown = 0
            for place in range(group.childCount()):
                row = group.child(place)
                assert row is not None
                fits = all(word in f"{row.text(0)} {row.text(1)}".casefold() for word in words)
                row.setHidden(not fits)
                shown += fits
            group.setHidden(not shown)
