"""Do...: find any command by words and run it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QListWidgetItem, QWidget

from .commands import Command, Commands
from .line_palette import LinePalette
from .plain_text import plain_tip

WIDTH_PX, HEIGHT_PX = 520, 380


def matching(commands: list[Command], words: str) -> list[Command]:
    """Return the commands that hold all words, those whose title begins so first."""
    wanted = words.lower().split()
    found = [c for c in commands if all(w in f"{c.title} {c.tip}".lower() for w in wanted)]
    return sorted(found, key=lambda c: (not c.title.lower().startswith(words.lower().strip()), not c.enabled()))


class DoPalette(LinePalette):
    """The commands that fit; those that can't be done now are greyed."""

    def __init__(self, commands: Commands, parent: QWidget) -> None:
        super().__init__("Do…  type what you want, such as curtain or export", (WIDTH_PX, HEIGHT_PX), parent)
        self.commands = commands
        self.setObjectName("do")
        self.hint.setText("No command has these words.")

    def fill(self, text: str) -> None:
        self.list.clear()
        for command in matching(self.commands.all(), text):
            keys = QKeySequence(command.keys).toString(QKeySequence.SequenceFormat.NativeText)
            item = QListWidgetItem(command.title + (f"      {keys}" if keys else ""))
            item.setToolTip(plain_tip(command.tip))
            item.setData(Qt.ItemDataRole.UserRole, command.id)
            item.setIcon(self.commands[command.id].icon())
            if not command.enabled():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.hint.setVisible(self.list.count() == 0)

    def take(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.hide()
            self.commands.do(item.data(Qt.ItemDataRole.UserRole))
