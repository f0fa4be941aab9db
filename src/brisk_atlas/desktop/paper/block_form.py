"""The settings of a block of a page: its text and size, where it stands, and whether a line is around it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QFormLayout, QGridLayout, QPlainTextEdit, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.box import PageBox
from brisk_atlas.core.paper.layout import MINIMUM_MM, BlockKind, Paper, PaperBlock

from ..later import Later
from ..plain_text import PlainLabel

WORDS = tr(
    "Words in braces are filled in: {title}, {scale}, {crs}, {date}, {page}, "
    "{pages}, {zone}, and the fields of the feature that a page is of."
)
REST_MS = 500  # from the last key until a text is taken over
WITH_TEXT = (BlockKind.TITLE, BlockKind.TEXT)
WITH_LETTERS = (*WITH_TEXT, BlockKind.LEGEND, BlockKind.SCALE_BAR, BlockKind.NORTH, BlockKind.CREDITS)


class BlockForm(QWidget):
    """The settings of one block.

    Signals:
        changed(object): the block as it is to be.
    """

    changed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._block: PaperBlock | None = None
        self._filling = False
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Text of the block"))
        self.text.setMaximumHeight(84)
        self.text.setTabChangesFocus(True)
        self.text.setToolTip(WORDS)
        self.letters = _spin(1.0, 400.0, " pt", 1)
        self.letters.setAccessibleName(tr("Size of the letters"))
        self.sides = {
            name: _spin(0.0, 2000.0, " mm", 1) for name in (tr("from left"), tr("from top"), tr("width"), tr("height"))
        }
        self.framed = QCheckBox(tr("With a line around it"))
        self.text_label, self.letters_label = PlainLabel(tr("Text")), PlainLabel(tr("Letters"))
        form = QFormLayout()
        form.addRow(self.text_label, self.text)
        form.addRow(self.letters_label, self.letters)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for number, (name, spin) in enumerate(self.sides.items()):
            spin.setAccessibleName(name)
            label = PlainLabel(name)
            label.setObjectName("quiet")
            grid.addWidget(label, 2 * (number // 2), number % 2)
            grid.addWidget(spin, 2 * (number // 2) + 1, number % 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(form)
        column.addLayout(grid)
        column.addWidget(self.framed)
        self._rest = Later(self, REST_MS, self._take)
        self.text.textChanged.connect(lambda: None if self._filling else self._rest.start())
        for spin in (self.letters, *self.sides.values()):
            spin.setKeyboardTracking(False)
            spin.valueChanged.connect(lambda value: self._take())
        self.framed.clicked.connect(lambda on: self._take())

    def show_block(self, block: PaperBlock, paper: Paper) -> None:
        """Show another block, or the same after it changed."""
        self.flush()
        self._filling, self._block = True, block
        shown: list[tuple[tuple[QWidget, ...], bool]] = [
            ((self.text, self.text_label), block.kind in WITH_TEXT),
            ((self.letters, self.letters_label), block.kind in WITH_LETTERS),
        ]
        for widgets, on in shown:
            for widget in widgets:
                widget.setVisible(on)
        if self.text.toPlainText() != block.text:
            self.text.setPlainText(block.text)
        self.letters.setValue(block.size)
        for spin, value, most in zip(self.sides.values(), block.box, (*paper.size, *paper.size)):
            spin.setMaximum(most)
            spin.setValue(value)
        self.framed.setChecked(block.framed)
        self._filling = False

    def flush(self) -> None:
        """Take over a text that is being written."""
        if self._rest.isActive():
            self._rest.stop()
            self._take()

    def _take(self) -> None:
        if self._filling or self._block is None:
            return
        x, y, width, height = (spin.value() for spin in self.sides.values())
        shown = tuple(round(value, 1) for value in self._block.box)
        moved = (x, y, width, height) != shown  # a form shows fewer digits than a block may have
        text = self.text.toPlainText() if self._block.kind in WITH_TEXT else self._block.text
        block = self._block._replace(text=text, size=self.letters.value(), framed=self.framed.isChecked())
        block = block.at(PageBox(x, y, max(MINIMUM_MM, width), max(MINIMUM_MM, height))) if moved else block
        if block != self._block:
            self._block = block
            self.changed.emit(block)


def _spin(low: float, high: float, suffix: str, digits: int) -> QDoubleSpinBox:
    spin = QDoubleSpinBox()
    spin.setRange(low, high)
    spin.setDecimals(digits)
    spin.setSuffix(suffix)
    return spin
