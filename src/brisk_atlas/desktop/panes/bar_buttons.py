"""Buttons of the bars of panes, with words and with menus."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QToolButton


def bar_button(text: str, name: str, tip: str, *, checkable: bool = False) -> QToolButton:
    """Return a button with words."""
    button = QToolButton()
    button.setText(text)
    button.setObjectName(name)
    button.setToolTip(tip)
    button.setCheckable(checkable)
    return button


def bar_menu(text: str, name: str, tip: str) -> tuple[QToolButton, QMenu]:
    """Return a button that opens a menu at once, and the menu."""
    button = bar_button(text, name, tip)
    button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    menu = QMenu(button)
    button.setMenu(menu)
    return button, menu
