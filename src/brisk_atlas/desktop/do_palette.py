"""Do...: find any command by words and run it."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from .commands import Command, Commands

WIDTH_PX, HEIGHT_PX = 520, 380


def matching(commands: list[Command], words: str) -> list[Command]:
    """Return the commands that hold all words, those whose title begins so first."""
    wanted = words.lower().split()
    found = [c for c in commands if all(w in f"{c.title} {c.tip}".lower() for w in wanted)]
    return sorted(found, key=lambda c: (not c.title.lower().startswith(words.lower().strip()), not c.enabled()))


class DoPalette(QDialog):
    """A line to type into and the commands that fit; those that can't be done now are greyed."""

    def __init__(self, commands: Commands, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.commands = commands
        self.setObjectName("do")
        self.line = QLineEdit()
        self.line.setPlaceholderText("Do…  type what you want, such as curtain or export")
        self.list = QListWidget()
        self.empty = QLabel("No command has these words.")
        self.empty.setObjectName("quiet")
        column = QVBoxLayout(self)
        column.addWidget(self.line)
        column.addWidget(self.list, 1)
        column.addWidget(self.empty)
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.line.textChanged.connect(self._fill)
        self.line.installEventFilter(self)
        self.list.itemActivated.connect(lambda item: self._run())
        self.list.itemClicked.connect(lambda item: self._run())

    def begin(self) -> None:
        """Show it over the top middle of the window."""
        self.line.clear()
        self._fill("")
        parent = self.parentWidget()
        assert parent is not None
        corner = parent.mapToGlobal(parent.rect().topLeft())
        self.move(corner.x() + (parent.width() - self.width()) // 2, corner.y() + 60)
        self.show()
        self.line.setFocus()

    def _fill(self, words: str) -> None:
        self.list.clear()
        for command in matching(self.commands.all(), words):
            keys = QKeySequence(command.keys).toString(QKeySequence.SequenceFormat.NativeText)
            item = QListWidgetItem(command.title + (f"      {keys}" if keys else ""))
            item.setToolTip(command.tip)
            item.setData(Qt.ItemDataRole.UserRole, command.id)
            item.setIcon(self.commands[command.id].icon())
            if not command.enabled():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.empty.setVisible(self.list.count() == 0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
        return super().eventFilter(watched, event)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.hide()
            self.commands.do(item.data(Qt.ItemDataRole.UserRole))
