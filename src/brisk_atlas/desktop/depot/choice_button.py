"""A button that says which of a few things are chosen, with a menu that stays open while they are."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QMenu, QPushButton, QSizePolicy

MOST_NAMED = 2
ACTIVATING = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)


class ChoiceButton(QPushButton):
    """Some of several choices.

    Signals:
        edited(): something was chosen, or no longer.
    """

    edited = pyqtSignal()

    def __init__(self, choices: Sequence[tuple[str, str]], chosen: Sequence[str], all_words: str, none: str) -> None:
        """`choices` are keys with their words; `all_words` and `none` are what the button says of all and of none."""
        super().__init__()
        self._words = dict(choices)
        self._all_words, self._none = all_words, none
        self._actions: dict[str, QAction] = {}
        menu = _StayingMenu(self)
        for key, words in choices:
            action = QAction(words, menu)
            action.setCheckable(True)
            action.setChecked(key in chosen)
            action.toggled.connect(lambda on: self._changed())
            menu.addAction(action)
            self._actions[key] = action
        self.setMenu(menu)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(80)
        self._say()

    @property
    def chosen(self) -> tuple[str, ...]:
        """The keys of what is chosen."""
        return tuple(key for key, action in self._actions.items() if action.isChecked())

    @property
    def is_all(self) -> bool:
        """Whether all is chosen."""
        return len(self.chosen) == len(self._actions)

    def choose(self, key: str, on: bool) -> None:
        """Choose something, or no longer."""
        self._actions[key].setChecked(on)

    def _changed(self) -> None:
        self._say()
        self.edited.emit()

    def _say(self) -> None:
        names = [self._words[key].partition(":")[0] for key in self.chosen]
        some = ", ".join(names) if len(names) <= MOST_NAMED else f"{len(names)} of {len(self._actions)}"
        self.setText(self._all_words if self.is_all else some or self._none)
        self.setToolTip(", ".join(names) or self._none)


class _StayingMenu(QMenu):
    """A menu that does not close when something in it is ticked."""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        action = self.activeAction()
        if action is not None and action.isCheckable():
            action.toggle()
        else:
            super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        action = self.activeAction()
        if event is not None and event.key() in ACTIVATING and action is not None and action.isCheckable():
            action.toggle()
        else:
            super().keyPressEvent(event)
