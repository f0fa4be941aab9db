"""Drawers and panes in windows of their own, for another screen; which ones, and where, is remembered."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import NamedTuple

from PyQt6.QtCore import QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel

STORED = "floating"


class FloatingWindow(QWidget):
    """Holds a drawer or a pane; closing it puts it back.

    Signals:
        closed(): the analyst closed it.
    """

    closed = pyqtSignal()

    def __init__(self, inner: QWidget, title: str, size: tuple[int, int], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("{title} · Brisk Atlas", title=title))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(inner)
        inner.show()
        self.resize(*size)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is not None:
            event.ignore()
        self.closed.emit()


class Floatable(NamedTuple):
    """What can float: the widget, its title, how large its window is at first, and what puts it back."""

    widget: QWidget
    title: str
    size: tuple[int, int]
    put_back: Callable[[], object]


class Floating:
    """The windows of what floats, by name."""

    def __init__(self, owner: QWidget) -> None:
        self.owner = owner
        self.windows: dict[str, FloatingWindow] = {}
        self._places: dict[str, Floatable] = {}
        self._settings: QSettings | None = None

    def can(self, name: str, what: Floatable) -> None:
        """Let something float under a name."""
        self._places[name] = what

    def use_settings(self, settings: QSettings, names: Collection[str]) -> None:
        """Float those of `names` that floated when the last run ended."""
        stored = [name for name in settings.value(STORED) or [] if name in names]
        self._settings = settings
        for name in stored:
            self.turn(name)

    def turn(self, name: str) -> None:
        """Show something in a window of its own, or back in its place."""
        window = self.windows.pop(name, None)
        what = self._places[name]
        if window is None:
            window = self.windows[name] = FloatingWindow(what.widget, what.title, what.size, self.owner)
            window.closed.connect(lambda: self.turn(name))
            stored = self._settings.value(f"{STORED} {name}") if self._settings is not None else None
            if stored is not None:
                window.restoreGeometry(stored)
            window.show()
        else:
            self._note(name, window)
            what.put_back()
            window.hide()
            window.deleteLater()
        if self._settings is not None:
            self._settings.setValue(STORED, sorted(self.windows))

    def _note(self, name: str, window: FloatingWindow) -> None:
        if self._settings is not None:
            self._settings.setValue(f"{STORED} {name}", window.saveGeometry())

    def note_all(self) -> None:
        """Note where all windows are, at the end."""
        for name, window in self.windows.items():
            self._note(name, window)


def away_note(title: str) -> QWidget:
    """Return what stands where something floats away from."""
    words = PlainLabel(tr("{title} is in a window of its own. Close that window to have it here again.", title=title))
    words.setObjectName("quiet")
    words.setWordWrap(True)
    words.setAlignment(Qt.AlignmentFlag.AlignTop)
    words.setContentsMargins(12, 12, 12, 12)
    return words
