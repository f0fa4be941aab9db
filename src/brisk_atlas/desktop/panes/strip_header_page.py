"""The header of a survey, in plain words or as its records."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPlainTextEdit, QStackedLayout, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..arrow_view import ArrowView
from ..plain_text import PlainLabel
from ..theme import mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.read.survey_header import SurveyHeader


class StripHeaderPage(QWidget):
    """What a survey says of itself."""

    def __init__(self) -> None:
        super().__init__()
        self.header: SurveyHeader | None = None
        self.raw = QToolButton()
        self.raw.setObjectName("header records")
        self.raw.setText(tr("As its records"))
        self.raw.setToolTip(tr("Show the header as it is stored in the file"))
        self.raw.setCheckable(True)
        self.words = ArrowView("header words", tr("Header of the survey in plain words"))
        self.text = QPlainTextEdit()
        self.text.setObjectName("header text")
        self.text.setAccessibleName(tr("Header of the survey as its records"))
        self.text.setReadOnly(True)
        self.text.setFont(mono_font())
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.none = PlainLabel(tr("This line has no header: surveys in MGD77 have one."))
        self.none.setObjectName("quiet")
        self.none.setAlignment(Qt.AlignmentFlag.AlignCenter)
        inside = QWidget()
        self.either = QStackedLayout(inside)
        for page in (self.none, self.words, self.text):
            self.either.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 3, 6, 3)
        column.setSpacing(3)
        column.addWidget(self.raw, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(inside, 1)
        self.raw.toggled.connect(lambda on: self._show())

    def show_header(self, header: SurveyHeader | None) -> None:
        """Show the header of a survey, or that it has none."""
        import pyarrow as pa

        if header is self.header and header is not None:
            return
        self.header = header
        if header is not None:
            rows = [
                {
                    "entry": tr(each.words), "stated": tr(each.value) if each.coded else each.value,
                    "record": each.card or None,
                }
                for each in header.entries
            ]  # fmt: skip
            schema = pa.schema([("entry", pa.string()), ("stated", pa.string()), ("record", pa.int32())])
            self.words.show_table(pa.Table.from_pylist(rows, schema), [tr("Entry"), tr("Stated"), tr("Record")])
            self.text.setPlainText("\n".join(header.records))
        self._show()

    def _show(self) -> None:
        self.raw.setEnabled(self.header is not None)
        page = self.none if self.header is None else self.text if self.raw.isChecked() else self.words
        self.either.setCurrentWidget(page)
