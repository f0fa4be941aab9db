"""A hand that does the steps of the guide on the demo's window, by mouse or by keyboard, and counts them.

A step is a click, a key, a drag, or one thing typed.
"""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
MOUSE, KEYS = "mouse", "keyboard"
BOTH = pytest.mark.parametrize("way", [MOUSE, KEYS])


class Hand:
    """Does the steps on the demo's window, and counts them."""

    def __init__(self, driver):
        self.d, self.window, self.steps = driver, driver.window, 0

    def button(self, name, within=None):
        """Click the button that is in sight under a name."""
        shown = [b for b in (within or self.window).findChildren(QAbstractButton) if b.isVisible()]
        found = next(b for b in shown if name in (b.objectName(), b.text()))
        self.click(found, (8, found.height() / 2))

    def click(self, widget, at=None):
        self.steps += 1
        self.d.click(widget, at)

    def key(self, key, modifiers=Qt.KeyboardModifier.NoModifier, on=None):
        self.steps += 1
        self.d.press(on or self.window, key, modifiers)
        self.d.settle()

    def type(self, line, text, enter=True):
        self.steps += 1
        self.d.type(line, text, enter)

    def page(self, way, number):
        if way == MOUSE:
            self.click(self.window.bar.page_buttons.button(number - 1))
        else:
            self.key(Qt.Key(Qt.Key.Key_0 + number), CTRL)

    def menu(self, menu, words, at, of):
        """Right click, then click an entry."""
        self.steps += 2
        of.customContextMenuRequested.emit(at)
        action = next(each for each in menu.actions() if each.text() == words)
        self.d.qtbot.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
        menu.close()
        self.d.settle()

    def do(self, way, words):
        """Run a command by words of it."""
        if way == MOUSE:
            self.button("Do…")
        else:
            self.key(Qt.Key.Key_K, CTRL)
        box = self.window._palette_box
        self.steps += 2
        self.d.qtbot.keyClicks(box.line, words)
        if way == MOUSE:
            rect = box.list.visualItemRect(box.list.item(0))
            self.d.qtbot.mouseClick(box.list.viewport(), Qt.MouseButton.LeftButton, pos=rect.center())
        else:
            self.d.press(box.line, Qt.Key.Key_Return)
        self.d.settle()

    def drag(self, widget, start, end):
        self.steps += 1
        self.d.drag(widget, start, end)
        self.d.settle()

    def choose(self, way, box, text):
        """Choose an entry of a list that opens: click it open and click the entry, or press arrow keys."""
        to = box.findText(text)
        if way == MOUSE:
            self.steps += 2
            box.showPopup()
            shown = box.view()
            self.d.qtbot.mouseClick(
                shown.viewport(), Qt.MouseButton.LeftButton, pos=shown.visualRect(box.model().index(to, 0)).center()
            )
            self.d.settle()
            return
        while box.currentIndex() != to:
            self.key(Qt.Key.Key_Down if box.currentIndex() < to else Qt.Key.Key_Up, on=box)

    def click_tab(self, tabs, words):
        """Click a tab by its words."""
        bar = tabs.tabBar()
        at = bar.tabRect([bar.tabText(n) for n in range(bar.count())].index(words)).center()
        self.click(bar, (at.x(), at.y()))
