"""The drawers at the right of the Desk, one on show; each can stand in a window of its own."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFrame, QTabWidget, QVBoxLayout, QWidget

from ..floating import STORED, Floatable, Floating, away_note
from .drawer_titles import DRAWER_TITLES

WINDOW_SIZE = (400, 640)  # of a drawer's own window at first


class SideDrawers(QFrame):
    """A tab for each drawer, in the order of DRAWER_TITLES. `floating` has the windows of what stands on its own."""

    def __init__(self, floating: Floating, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("drawer")
        self.floating = floating
        self.drawers: dict[str, QWidget] = {}
        self.tabs = QTabWidget(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.tabs)

    def put_in(self, drawers: dict[str, QWidget]) -> None:
        """Take the drawers, by the names in DRAWER_TITLES."""
        self.drawers = drawers
        for name, title in DRAWER_TITLES.items():
            self.tabs.addTab(drawers[name], title)
            self.floating.can(name, Floatable(drawers[name], title, WINDOW_SIZE, partial(self._put_back, name)))

    @property
    def on_show(self) -> str:
        """The name of the drawer that is open here, empty for none."""
        return list(DRAWER_TITLES)[self.tabs.currentIndex()] if not self.isHidden() else ""

    def floats(self, name: str) -> bool:
        """Return whether a drawer stands in a window of its own."""
        return name in self.floating.windows

    def shows(self, drawer: QWidget) -> bool:
        """Return whether a drawer is open, here or in a window of its own."""
        away = any(window.isAncestorOf(drawer) for window in self.floating.windows.values())
        return away or (not self.isHidden() and self.tabs.currentWidget() is drawer)

    def open(self, name: str) -> None:
        """Open a drawer here, unless it stands in a window of its own."""
        if self.floats(name):
            return
        if not self.isVisible():
            self.show()
        if self.tabs.currentWidget() is not self.drawers[name]:
            self.tabs.setCurrentWidget(self.drawers[name])

    def toggle(self, name: str) -> None:
        """Open a drawer, or close it if it is the one on show; a window of its own comes to the front."""
        if self.floats(name):
            self.floating.windows[name].raise_()
            self.floating.windows[name].activateWindow()
        elif self.isVisible() and self.tabs.currentWidget() is self.drawers[name]:
            self.hide()
        else:
            self.open(name)
            self.drawers[name].setFocus()

    def turn_float(self, name: str) -> None:
        """Show a drawer in a window of its own, or back here."""
        if not self.floats(name):
            self._leave_note(name)
        self.floating.turn(name)

    def use_settings(self, settings: QSettings) -> None:
        """Have drawers in windows of their own where they were when the last run ended."""
        for name in [each for each in settings.value(STORED) or [] if each in DRAWER_TITLES]:
            self._leave_note(name)
        self.floating.use_settings(settings, tuple(DRAWER_TITLES))

    def _leave_note(self, name: str) -> None:
        """Put a note where a drawer stands that goes to a window of its own."""
        at = self.tabs.indexOf(self.drawers[name])
        self.tabs.removeTab(at)
        self.tabs.insertTab(at, away_note(DRAWER_TITLES[name]), DRAWER_TITLES[name])

    def _put_back(self, name: str) -> None:
        at = list(DRAWER_TITLES).index(name)
        note = self.tabs.widget(at)
        self.tabs.removeTab(at)
        if note is not None:
            note.deleteLater()
        self.tabs.insertTab(at, self.drawers[name], DRAWER_TITLES[name])
        self.tabs.setCurrentIndex(at)
