"""What a posting or an outlet is: in words, by its first rows as they are seen, and by what was done last."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QTableWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr, trn

from ..plain_text import PlainLabel
from .outlet_column import fill_preview, without_numbers

if TYPE_CHECKING:
    from brisk_atlas.core.depot.offering import OutletPreview

LAST_EDITS = 12


class OfferDetail(QWidget):
    """A heading, lines, a table and a list; those of them that there is nothing for are not shown."""

    def __init__(self) -> None:
        super().__init__()
        self.title, self.words, self.seen, self.done = PlainLabel(""), PlainLabel(""), PlainLabel(""), PlainLabel("")
        self.title.setObjectName("title")
        for label in (self.seen, self.done):
            label.setObjectName("heading")
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.rows, self.edits = QTableWidget(), QListWidget()
        self.rows.setTabKeyNavigation(False)
        self.rows.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.rows.setObjectName("shown rows")
        self.edits.setObjectName("last edits")
        self.edits.setWordWrap(True)
        without_numbers(self.rows)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 10)
        column.setSpacing(8)
        for widget, stretch in (
            (self.title, 0),
            (self.words, 0),
            (self.seen, 0),
            (self.rows, 3),
            (self.done, 0),
            (self.edits, 2),
        ):
            column.addWidget(widget, stretch)
        column.addStretch(0)

    def show_words(self, lines: Sequence[str]) -> None:
        """Show what it is; the first line is its title."""
        self.title.setText(lines[0])
        self.words.setText("\n".join(lines[1:]).strip())
        for widget in (self.seen, self.rows, self.done, self.edits):
            widget.hide()

    def show_rows(self, found: OutletPreview) -> None:
        """Show the first rows as they are seen."""
        count = (
            trn("{count:,} row", "{count:,} rows", found.count)
            if found.count is not None
            else tr("more than 10,000 rows")
        )
        self.seen.setText(tr("What is seen: {count}", count=count))
        fill_preview(self.rows, found)
        self.seen.show()
        self.rows.show()

    def show_edits(self, lines: Sequence[str]) -> None:
        """Show what was done last, newest first."""
        self.done.setText(tr("Last edits") if lines else tr("Nothing was edited yet"))
        self.done.show()
        self.edits.clear()
        self.edits.addItems(list(lines))
        self.edits.setVisible(bool(lines))
