"""How a text table is written: the choices, filled in with the guess, and the first rows that they make."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, TextForm
from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel, plain_tip
from .theme import mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.read.text_form import Guess

DELIMITER_WORDS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar", " ": "blanks"}
DECIMAL_WORDS = {".": "point", ",": "comma"}
PREVIEW_ROWS = 5
HEIGHT_PX = 80 + PREVIEW_ROWS * 24


class TextFormRows(QWidget):
    """Delimiter, encoding, decimal sign, header, and a preview.

    Signals:
        changed(list): another form was chosen; the names of the columns that it makes.
    """

    changed = pyqtSignal(list)

    def __init__(self, ref: DataRef, guess: Guess) -> None:
        super().__init__()
        from brisk_atlas.core.read.text_form import ENCODINGS

        self.ref = ref
        encodings = {name: name for name in dict.fromkeys((guess.form.encoding, *ENCODINGS))}
        self.delimiter = self._box("delimiter", DELIMITER_WORDS, guess.form.delimiter, guess)
        self.encoding = self._box("encoding", encodings, guess.form.encoding, guess)
        self.decimal = self._box("decimal", DECIMAL_WORDS, guess.form.decimal, guess)
        self.header = QCheckBox(tr("first line names the columns"))
        self.header.setChecked(guess.form.header)
        self.header.setToolTip(plain_tip(tr("Guessed: {reasons}", reasons=guess.reasons["header"])))
        self.header.toggled.connect(self._changed)
        row = QHBoxLayout()
        for text, box in (
            (tr("Delimiter"), self.delimiter),
            (tr("Encoding"), self.encoding),
            (tr("Decimal sign"), self.decimal),
        ):
            row.addWidget(PlainLabel(text))
            row.addWidget(box)
        row.addWidget(self.header)
        row.addStretch(1)
        self.preview = QTableWidget()
        self.preview.setTabKeyNavigation(False)
        self.preview.setObjectName("preview")
        self.preview.setAccessibleName(tr("First rows"))
        self.preview.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.preview.setFont(mono_font())
        self.preview.setFixedHeight(34 + PREVIEW_ROWS * 24)
        heads = self.preview.verticalHeader()
        assert heads is not None
        heads.setVisible(False)
        heads.setDefaultSectionSize(24)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addWidget(self.preview)
        self.show_preview()

    def _box(self, name: str, words: dict[str, str], value: str, guess: Guess) -> QComboBox:
        box = QComboBox()
        box.setObjectName(name)
        box.setAccessibleName(name.capitalize())
        box.setToolTip(plain_tip(tr("Guessed: {reasons}", reasons=guess.reasons[name])))
        for data, word in words.items():
            box.addItem(word, data)
        box.setCurrentIndex(box.findData(value))
        box.currentIndexChanged.connect(self._changed)
        return box

    def form(self) -> TextForm:
        """Return how the text is to be taken."""
        data = self.delimiter.currentData(), self.encoding.currentData()
        return TextForm(*data, self.header.isChecked(), self.decimal.currentData())

    def _changed(self) -> None:
        self.changed.emit(self.show_preview())

    def show_preview(self) -> list[str]:
        """Show the first rows; returns the names of the columns."""
        from brisk_atlas.core.connect import localise
        from brisk_atlas.core.read.text_form import first_rows

        try:
            names, rows = first_rows(localise(self.ref).path, self.form(), PREVIEW_ROWS)
        except AtlasError as error:
            names, rows = [tr("it can't be shown")], [[error.reason]]
        self.preview.setColumnCount(len(names))
        self.preview.setRowCount(len(rows))
        self.preview.setHorizontalHeaderLabels(names)
        for i, row in enumerate(rows):
            for j in range(len(names)):
                self.preview.setItem(i, j, QTableWidgetItem(row[j] if j < len(row) else ""))
        self.preview.resizeColumnsToContents()
        return names
