"""The notations of a position, a line each; a click copies one."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel


class Coordinates(QWidget):
    """Labels and texts.

    Signals:
        copied(str): a text was copied to the clipboard.
    """

    copied = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(10, 2, 6, 2)
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(0)
        self.grid.setColumnStretch(1, 1)
        self.lines: dict[str, QPushButton] = {}
        self._labels: dict[str, QLabel] = {}

    def show_texts(self, texts: dict[str, str]) -> None:
        """Show notations by name."""
        from brisk_atlas.core.place.notation import TITLES

        for row, (name, title) in enumerate(TITLES.items()):
            if name not in self.lines:
                label, line = PlainLabel(title), QPushButton()
                label.setObjectName("quiet")
                line.setObjectName("copyable")
                line.setCursor(Qt.CursorShape.PointingHandCursor)
                line.setToolTip(tr("Click to copy"))
                line.setFlat(True)
                line.clicked.connect(lambda checked=False, name=name: self._copy(name))
                self.grid.addWidget(label, row, 0)
                self.grid.addWidget(line, row, 1)
                self.lines[name], self._labels[name] = line, label
            there = name in texts and not (name == "layer" and texts.get("layer") == texts.get("pane"))
            self.lines[name].setVisible(there)
            self._labels[name].setVisible(there)
            self.lines[name].setText(texts.get(name, ""))

    def _copy(self, name: str) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(self.lines[name].text())
        self.copied.emit(self.lines[name].text())
