"""What saving edits would write into a database, before it is written."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr, trn

from ..plain_text import PlainLabel
from ..theme import mono_font

MOST_LINES = 1000  # that are listed


class SaveForm(QDialog):
    """The values that would be written, a line each, and a button that writes them. `accepted` when it is pressed."""

    def __init__(self, place: str, changes: Sequence[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Save edits into a database"))
        self.resize(620, 320)
        values = trn("{count:,} value", "{count:,} values", len(changes))
        says = PlainLabel(
            tr(
                "{values} will be written into {place}, all or none. Undo does not reach there.",
                values=values,
                place=place,
            )
        )
        says.setWordWrap(True)
        more = [tr("and {count:,} more", count=len(changes) - MOST_LINES)] if len(changes) > MOST_LINES else []
        self.list = QPlainTextEdit("\n".join([*changes[:MOST_LINES], *more]))
        self.list.setReadOnly(True)
        self.list.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.list.setFont(mono_font(12))
        cancel, self.write = QPushButton(tr("Cancel")), QPushButton(tr("Write {values}", values=values))
        self.write.setObjectName("main")
        self.write.setDefault(True)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(cancel)
        row.addWidget(self.write)
        column = QVBoxLayout(self)
        column.addWidget(says)
        column.addWidget(self.list, 1)
        column.addLayout(row)
        cancel.clicked.connect(self.reject)
        self.write.clicked.connect(self.accept)
