"""The notations of a position, a line each; a click copies one."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QResizeEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel

PAD_PX = 16  # around the text of a line, and beside it


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
        self.texts: dict[str, str] = {}
        self.lines: dict[str, QPushButton] = {}
        self._labels: dict[str, QLabel] = {}

    def show_texts(self, texts: dict[str, str]) -> None:
        """Show notations by name."""
        from brisk_atlas.core.place.notation import TITLES

        for row, (name, title) in enumerate(TITLES.items()):
            if name not in self.lines:
                label, line = PlainLabel(title), QPushButton()
                label.setObjectName("quiet")
                label.setAlignment(Qt.AlignmentFlag.AlignTop)
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
        self.texts = texts
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Go on in a second line, in front of the CRS, with what is too long for one."""
        for name, line in self.lines.items():
            text = self.texts.get(name, "")
            room = self.width() - self.grid.cellRect(0, 1).left() - PAD_PX
            if line.fontMetrics().horizontalAdvance(text) > room and " " in text:
                text = "\n".join(text.rsplit(" ", 1))
            line.setText(text)

    def _copy(self, name: str) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(self.texts[name])
        self.copied.emit(self.texts[name])
