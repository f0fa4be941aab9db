"""Commands: the one list that menus, keys and Do... draw from."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget

from .icons import icon


class Command(NamedTuple):
    """Something that can be done. `enabled` and `checked` are asked whenever the work changes; `group` is what it is
    for, in a list of all."""

    id: str
    title: str
    run: Callable[[], object]
    keys: str = ""
    tip: str = ""
    icon: str = ""
    enabled: Callable[[], bool] = lambda: True
    checked: Callable[[], bool] | None = None
    group: str = ""

    @property
    def hint(self) -> str:
        """Return the tooltip: what it does and its keys."""
        shown = QKeySequence(self.keys).toString(QKeySequence.SequenceFormat.NativeText)
        return (self.tip or self.title) + (f"  ({shown})" if shown else "")


class Commands:
    """All commands of a window, each with its action. `own_keys` are those of the analyst, by id."""

    def __init__(self, window: QWidget, own_keys: Mapping[str, str]) -> None:
        self._window = window
        self._own_keys = own_keys
        self.first_keys: dict[str, str] = {}  # by id, as the application proposes them
        self._actions: dict[str, QAction] = {}
        self._commands: dict[str, Command] = {}

    def add(self, command: Command) -> QAction:
        self.first_keys[command.id] = command.keys
        if command.id in self._own_keys:
            command = command._replace(keys=self._own_keys[command.id])
        action = QAction(command.title, self._window)
        if command.keys:
            action.setShortcut(QKeySequence(command.keys))
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        action.setCheckable(command.checked is not None)
        action.triggered.connect(lambda checked=False: self._trigger(command))
        self._window.addAction(action)
        self._actions[command.id], self._commands[command.id] = action, command
        return action

    def _trigger(self, command: Command) -> None:
        if command.enabled():
            command.run()
        self.refresh()

    def rekey(self, command_id: str, keys: str) -> None:
        """Have a command answer to other keys from now on, to none for ""."""
        command = self._commands[command_id] = self._commands[command_id]._replace(keys=keys)
        action = self._actions[command_id]
        action.setShortcut(QKeySequence(keys))
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        action.setToolTip(command.hint)

    def __getitem__(self, command_id: str) -> QAction:
        return self._actions[command_id]

    def all(self) -> list[Command]:
        return list(self._commands.values())

    def do(self, command_id: str) -> None:
        """Run a command as if it had been chosen."""
        self._trigger(self._commands[command_id])

    def refresh(self, *ids: str) -> None:
        """Ask commands, all if none is named, whether they can be done now, and whether they are on."""
        for command_id in ids or self._commands:
            command = self._commands[command_id]
            action = self._actions[command_id]
            action.setEnabled(command.enabled())
            if command.checked is not None:
                action.setChecked(command.checked())

    def hint(self, command_id: str) -> str:
        """Return the tooltip of a command."""
        return self._commands[command_id].hint

    def recolour(self, ink: str) -> None:
        """Draw the icons anew for a theme, and give tooltips to those that have none; a moment after the
        window stands, as it shows neither at once."""
        for command_id, command in self._commands.items():
            if self._actions[command_id].toolTip() == command.title.replace("…", ""):
                self._actions[command_id].setToolTip(command.hint)
            if command.icon:
                self._actions[command_id].setIcon(icon(command.icon, ink))
