"""Do...: find any command, layer, field, place, dataset or task of the guide by words, and run or go to it."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QListWidgetItem, QWidget

from brisk_atlas.core.model.language import tr

from .commands import Command, Commands
from .icons import icon
from .line_palette import LinePalette
from .plain_text import plain_tip

WIDTH_PX, HEIGHT_PX = 560, 420
RUN = Qt.ItemDataRole.UserRole


class Choice(NamedTuple):
    """Something besides commands: what it is called, what it is, its icon, and how to go there."""

    title: str
    what: str
    icon: str
    run: Callable[[], object]


def matching(commands: list[Command], words: str) -> list[Command]:
    """Return the commands that hold all words, those whose title begins so first."""
    wanted = words.lower().split()
    found = [c for c in commands if all(w in f"{c.title} {c.tip}".lower() for w in wanted)]
    return sorted(found, key=lambda c: (not c.title.lower().startswith(words.lower().strip()), not c.enabled()))


class DoPalette(LinePalette):
    """The commands that fit, then what else is called so; commands that can't be done now are greyed."""

    def __init__(
        self, commands: Commands, others: Callable[[str], list[Choice]], ink: Callable[[], str], parent: QWidget
    ) -> None:
        super().__init__(tr("Do…  type what you want, such as curtain, export, or the name of a layer"),
                         (WIDTH_PX, HEIGHT_PX), parent)  # fmt: skip
        self.commands, self._others, self._ink = commands, others, ink
        self.setObjectName("do")
        self.hint.setText(tr("Nothing here has these words."))

    def fill(self, text: str) -> None:
        self.list.clear()
        for command in matching(self.commands.all(), text):
            keys = QKeySequence(command.keys).toString(QKeySequence.SequenceFormat.NativeText)
            item = QListWidgetItem(command.title + (f"      {keys}" if keys else ""))
            item.setToolTip(plain_tip(command.tip))
            item.setData(RUN, lambda command_id=command.id: self.commands.do(command_id))
            item.setIcon(self.commands[command.id].icon())
            if not command.enabled():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
        for choice in self._others(text):
            item = QListWidgetItem(f"{choice.title}      {choice.what}")
            item.setData(RUN, choice.run)
            item.setIcon(icon(choice.icon, self._ink()))
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.hint.setVisible(self.list.count() == 0)

    def take(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.hide()
            item.data(RUN)()
