"""In which encoding the text of a dBase table is stored: the choice, and a value as it reads by it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel

if TYPE_CHECKING:
    from brisk_atlas.core.read.dbf_text import DbfText


class DbfTextRow(QWidget):
    """Signals:
    changed(): another encoding was chosen.
    """

    changed = pyqtSignal()

    def __init__(self, text: DbfText) -> None:
        super().__init__()
        from brisk_atlas.core.read.dbf_text import ENCODINGS

        self.text = text
        stated = tr("as stated: {stated}", stated=text.stated) if text.stated else tr("as guessed: none is stated")
        self.box = QComboBox()
        self.box.setObjectName("text encoding")
        self.box.setAccessibleName(tr("Text encoding"))
        self.box.addItem(stated, None)
        for name in ENCODINGS:
            self.box.addItem(name, name)
        self.example = PlainLabel()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(PlainLabel(tr("Encoding")))
        row.addWidget(self.box)
        row.addWidget(self.example, 1)
        self.box.currentIndexChanged.connect(self._chosen)
        self._show_example()

    def encoding(self) -> str | None:
        """Return the encoding chosen, or None to leave it to the file."""
        return self.box.currentData()

    def _chosen(self) -> None:
        self._show_example()
        self.changed.emit()

    def _show_example(self) -> None:
        self.example.setText(tr("reads: {example_by}", example_by=self.text.example_by(self.encoding())))
