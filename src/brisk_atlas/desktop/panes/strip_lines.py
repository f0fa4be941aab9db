"""Which lines there are: a list beside the strip, with filters."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QVBoxLayout,
    QWidget,
    QWidgetAction,
)

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from ..arrow_view import ArrowView
from ..down_to_list import down_goes_to
from ..plain_text import PlainLabel
from .bar_buttons import bar_button, bar_menu

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.strip.line_list import LineList

HEADS = {"line": tr("Line"), "layer": tr("Layer"), "measured": tr("Measured"), "begin": tr("From"), "end": tr("To"),
         "length_m": tr("Length, km"), "length": tr("Length"), "vessel": tr("Vessel"),
         "records": tr("Records")}  # fmt: skip


class StripLines(QWidget):
    """A filter and a list.

    Signals:
        line_chosen(int): a line by its number in the list that was given.
        filtered(): other lines are listed.
    """

    line_chosen = pyqtSignal(int)
    filtered = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.listed: LineList | None = None
        self.numbers = np.empty(0, np.int64)  # of the lines in the list
        self.map_extent: Callable[[str | None], tuple[float, float, float, float] | None] = lambda crs: None
        self._measured: tuple[str, ...] = ()
        self.text = self._edit("lines text", tr("Name or vessel"), tr("Only lines whose name or vessel holds this"))
        self.begin = self._edit("lines begin", "2029-04-02", tr("Only lines on the way on this day or later"))
        self.end = self._edit("lines end", "2029-04-09", tr("Only lines on the way on this day or earlier"))
        self.when, _ = bar_menu(tr("Dates…"), "lines dates", tr("Only lines on the way between two days"))
        self.when.setMenu(self._dates_menu())
        self.text.setMinimumWidth(110)
        tip = tr("Only lines that measured all of what is chosen")
        self.has, self.menu = bar_menu(tr("Has…"), "lines measured", tip)
        tip = tr("Only lines with a place in what the map shows")
        self.in_view = bar_button(tr("In view"), "lines in view", tip, checkable=True)
        self.count = PlainLabel()
        self.count.setObjectName("quiet")
        self.table = ArrowView("lines", tr("Lines"))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        above = QHBoxLayout()
        above.setContentsMargins(6, 3, 6, 3)
        above.setSpacing(4)
        for widget in (self.text, self.has, self.when, self.in_view, self.count):
            above.addWidget(widget, int(widget is self.text))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(above)
        column.addWidget(self.table, 1)
        for edit in (self.text, self.begin, self.end):
            edit.textChanged.connect(lambda text: self.refilter())
        self.in_view.toggled.connect(lambda on: self.refilter())
        self.menu.aboutToShow.connect(self._fill_menu)
        down_goes_to(self.table, self.text)
        self.table.row_chosen.connect(self._choose)

    def _dates_menu(self) -> QMenu:
        menu, form = QMenu(self), QWidget()
        rows = QFormLayout(form)
        rows.addRow(tr("from"), self.begin)
        rows.addRow(tr("to"), self.end)
        action = QWidgetAction(menu)
        action.setDefaultWidget(form)
        menu.addAction(action)
        return menu

    def _edit(self, name: str, hint: str, tip: str) -> QLineEdit:
        edit = QLineEdit()
        edit.setObjectName(name)
        edit.setPlaceholderText(hint)
        edit.setAccessibleName(tip)
        edit.setToolTip(tip)
        edit.setClearButtonEnabled(True)
        return edit

    def show_lines(self, listed: LineList | None) -> None:
        """List lines; the filter stays."""
        self.listed = listed
        self.refilter()

    def _fill_menu(self) -> None:
        self.menu.clear()
        if self.listed is None:
            return
        words = dict.fromkeys(word for n in range(len(self.listed)) for word in self.listed.measured(n))
        for word in words:
            action = self.menu.addAction(word)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(word in self._measured)
            action.toggled.connect(lambda on, word=word: self.require(word, on))

    def require(self, word: str, on: bool) -> None:
        """List only lines that measured something, or no more only these."""
        rest = tuple(each for each in self._measured if each != word)
        self._measured = (*rest, word) if on else rest
        self.has.setText(tr("Has {measured}", measured=", ".join(self._measured)) if self._measured else tr("Has…"))
        self.refilter()

    def map_moved(self) -> None:
        """Follow the map where only lines in its view are listed."""
        if self.in_view.isChecked() and self.isVisible():
            self.refilter()

    def refilter(self) -> None:
        """List the lines that the filter lets through."""
        from brisk_atlas.core.strip.line_list import LineFilter, fitting, table_of_lines

        if self.listed is None:
            self.numbers = np.empty(0, np.int64)
            self.table.show_table(None)
            self.count.setText("")
            return
        begin, end = (edit.text().strip() for edit in (self.begin, self.end))
        begin, end = (text if len(text) == len("2029-04-02") else "" for text in (begin, end))  # while it is typed
        self.when.setText(
            tr("Dates {begin} to {end}", begin=begin or "…", end=end or "…") if begin or end else tr("Dates…")
        )
        within = self.map_extent(self.listed.lines.crs) if self.in_view.isChecked() else None
        try:
            self.numbers = fitting(
                self.listed, LineFilter(self._measured, begin, end, within, self.text.text().strip())
            )
        except AtlasError as error:
            self.count.setText(error.reason)
            return
        table = table_of_lines(self.listed, self.numbers.tolist())
        if len({layer.id for layer in self.listed.lines.layers}) == 1:
            table = table.drop_columns(["layer"])
        if not any(table.column("vessel").is_valid().to_pylist()):
            table = table.drop_columns(["vessel"])
        table = _readable(table)
        self.table.show_table(table, [HEADS.get(name, name) for name in table.column_names],
                              {"length_m": 2, "length": 2})  # fmt: skip
        self.count.setText(tr("{count:,} of {count2:,}", count=len(self.numbers), count2=len(self.listed)))
        self.filtered.emit()

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self.numbers):
            self.line_chosen.emit(int(self.numbers[row]))

    def mark(self, line: int) -> None:
        """Make a line the current one; reports nothing."""
        at = np.flatnonzero(self.numbers == line)
        self.table.choose(int(at[0]) if at.size else -1)

    def chosen_lines(self) -> list[int]:
        """Return the lines that are selected in the list, by number."""
        return [int(self.numbers[row]) for row in self.table.chosen_rows()]


def _readable(table: pa.Table) -> pa.Table:
    """Return the table with lengths in kilometres and times to the minute."""
    import pyarrow.compute as pc

    for n, name in enumerate(table.column_names):
        if name == "length_m":
            table = table.set_column(n, name, pc.divide(table.column(n), 1000.0))
        elif name in ("begin", "end"):
            table = table.set_column(n, name, pc.strftime(table.column(n), "%Y-%m-%d %H:%M"))
    return table
