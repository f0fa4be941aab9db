"""The line of a sheet that filters its rows by an SQL condition, counts them, and says what is wrong."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, BadExpression, Layer
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.jobs import Job

from ..later import Later
from ..plain_text import PlainLabel
from ..session import Session
from .expression_edit import ExpressionEdit, words_for

if TYPE_CHECKING:
    from .grid import SheetGrid

TRY_MS = 220
LARGE = 200_000  # rows; work on more shows among the jobs, with a way to cancel it


class FilterLine(QWidget):
    """Filters the rows of `layer` that `grid` shows.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
    """

    look_changed = pyqtSignal(str, object)

    def __init__(self, session: Session, grid: SheetGrid) -> None:
        super().__init__()
        self.session, self.grid = session, grid
        self.layer_id: str | None = None
        self._counting: Job | None = None
        self.edit = ExpressionEdit()
        self.edit.setObjectName("sheet filter")
        self.edit.setAccessibleName(tr("Condition that rows meet"))
        self.edit.setPlaceholderText(tr("Show rows where… an SQL condition, such as year = 2031"))
        self.count = PlainLabel("")
        self.count.setObjectName("quiet")
        self.wrong = PlainLabel("")
        self.wrong.setObjectName("fault")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.clear = QPushButton(tr("Show all"))
        self.clear.setObjectName("clear filters")
        self.clear.clicked.connect(self.clear_filters)
        self.clear.hide()
        row = QHBoxLayout()
        row.setContentsMargins(8, 0, 8, 4)
        row.setSpacing(8)
        row.addWidget(self.edit, 1)
        row.addWidget(self.count)
        row.addWidget(self.clear)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.wrong)
        self._try = Later(self, TRY_MS, self._count_matches)
        self.edit.entered.connect(self.apply)
        self.edit.textChanged.connect(self._typed)

    @property
    def layer(self) -> Layer | None:
        """Return the layer as it stands in the work now, if its rows are on show."""
        return self.session.work.layer(self.layer_id) if self.grid.sheet is not None else None

    @property
    def busy(self) -> bool:
        return self._try.isActive()

    def begin(self, layer: Layer | None) -> None:
        """Speak of another layer, or of none."""
        self.layer_id = layer.id if layer is not None else None
        self.edit.setText(layer.rows.where if layer is not None else "")
        self.complain(None)

    def show_words(self, columns: Sequence[str]) -> None:
        """Offer the names of fields while one types."""
        self.edit.set_words(words_for(list(columns)))

    def refresh(self) -> None:
        """Show the filter and the number of rows as they stand."""
        layer = self.layer
        if layer is None:
            return
        if not self.edit.hasFocus():
            self.edit.setText(layer.rows.where)
        self.clear.setVisible(layer.rows.filtered)
        self._say_count(layer)

    def complain(self, error: BaseException | None) -> None:
        """Say under the line what is wrong, and mark it there; nothing for None."""
        text = f"{error.reason}. {error.remedy}".strip() if isinstance(error, AtlasError) else ""
        self.wrong.setText("  " + text)
        self.wrong.setVisible(bool(text))
        self.edit.mark(error.at if isinstance(error, BadExpression) else None, wrong=bool(text))

    def _say_count(self, layer: Layer) -> None:
        from brisk_atlas.core.table.filters import words_of

        sheet = self.grid.sheet
        if sheet is None:
            return
        whole, shown = sheet.table.num_rows, len(sheet)
        text = (
            tr("{shown:,} of {whole:,} rows", shown=shown, whole=whole)
            if shown != whole
            else trn("{count:,} row", "{count:,} rows", whole)
        )
        edits = len(self.grid.changed_cells)
        self.count.setText(text + (tr(" · {edits:,} edited", edits=edits) if edits else ""))
        lines = [words_of(f) for f in layer.rows.filters]
        if self.session.is_streamed(layer):
            lines.append(tr("The layer is read by view, so its rows are not tied to the map."))
        self.count.setToolTip("\n".join(lines))

    def _typed(self) -> None:
        if self.edit.hasFocus():
            self._try.start()
        layer = self.layer
        if not self.edit.text() and layer is not None and layer.rows.where:
            self.apply()

    def _is_large(self) -> bool:
        return self.grid.sheet is not None and self.grid.sheet.table.num_rows > LARGE

    def _count_matches(self) -> None:
        """Say how many rows the condition that is being typed would show, or what is wrong with it."""
        layer, text = self.layer, self.edit.text()
        if self._counting is not None:
            self._counting.cancel()
        if layer is None:
            return
        if not text or text == layer.rows.where:
            self.complain(None)
            self._say_count(layer)
            return

        def work(job: Job) -> int:
            from brisk_atlas.core.table import matching

            return int(matching(self.session.cache, layer, text, job.check).sum())

        def done(count: int) -> None:
            if self.edit.text() == text:
                self.complain(None)
                self.count.setText(tr("{count:,} rows match, Return shows them", count=count))

        def failed(error: BaseException) -> None:
            if self.edit.text() == text:
                self.complain(error)

        self._counting = self.session.run(tr("Counting rows"), work, done, shown=self._is_large(), failed=failed)

    def apply(self) -> None:
        """Filter by what is typed. What is wrong with it is shown under the line; the rows stay as they are."""
        layer, text = self.layer, self.edit.text()
        self._try.stop()
        if layer is None:
            return
        if not text:
            self.complain(None)
            self.look_changed.emit(tr("filter rows"), replace(layer.rows, where=""))
            return

        def check(job: Job) -> None:
            from brisk_atlas.core.table import matching

            matching(self.session.cache, layer, text, job.check)

        self.session.run(
            tr("Filtering rows"),
            check,
            lambda nothing: self.look_changed.emit(tr("filter rows"), replace(layer.rows, where=text)),
            shown=self._is_large(),
            failed=self.complain,
        )

    def clear_filters(self) -> None:
        """Show all rows."""
        layer = self.layer
        if layer is not None:
            self.edit.setText("")
            self.look_changed.emit(tr("show all rows"), replace(layer.rows, where="", filters=()))
