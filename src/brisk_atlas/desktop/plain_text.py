"""Text from data is text, never markup: labels and tooltips that take no tags."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMessageBox, QWidget


class PlainLabel(QLabel):
    """A label that shows what it is given letter by letter."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


def plain_tip(text: str) -> str:
    """Return a tooltip's text in a form in which nothing of it is taken for a tag."""
    if "<" not in text:
        return text
    from html import escape  # loads a table of all named characters

    return f"<qt>{escape(text)}</qt>".replace("\n", "<br>")


def plain_box(parent: QWidget, title: str, text: str, icon: QMessageBox.Icon = QMessageBox.Icon.NoIcon) -> QMessageBox:
    """Return a question whose text is taken letter by letter."""
    box = QMessageBox(icon, title, "", parent=parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    return box
