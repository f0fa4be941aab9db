"""A line that steps through things that lie upon each other."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel


class StepRow(QWidget):
    """Two buttons, and between them which one is on show; hidden until there is something to step through.

    Signals:
        stepped(int): 1 for the next one, -1 for the one before.
    """

    stepped = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.text = PlainLabel("")
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 6, 0)
        row.addWidget(self._button("step back", "◂", tr("The one before"), -1))
        row.addWidget(self.text)
        row.addWidget(self._button("step on", "▸", tr("The next one"), 1))
        row.addStretch(1)
        self.hide()

    def _button(self, name: str, mark: str, tip: str, by: int) -> QToolButton:
        button = QToolButton()
        button.setObjectName(name)
        button.setText(mark)
        button.setToolTip(tip)
        button.clicked.connect(lambda checked=False: self.stepped.emit(by))
        return button

    def show_step(self, number: int, count: int, name: str) -> None:
        """Show which of `count` features of a layer is on show; `number` counts from 1."""
        self.text.setText(tr("{index:,} of {count:,} in {name}", index=number, count=count, name=name))
        self.show()
