"""Which holes there are: a list with filters."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QVBoxLayout,
    QWidget,
    QWidgetAction,
)

from brisk_atlas.core.model.language import tr

from ..arrow_view import ArrowView
from ..down_to_list import down_goes_to
from ..plain_text import PlainLabel
from .bar_buttons import bar_button, bar_menu

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleSet

HEADS = {"hole": tr("Hole"), "length_m": tr("Length, m"), "elevation_m": tr("Elevation, m"), "drilled": tr("Drilled"),
         "method": tr("Method"), "deviated": tr("Deviates"), "has": tr("Has"), "logged": tr("Logged")}  # fmt: skip
LONGEST_M = 20_000.0


class LogList(QWidget):
    """A filter and a list.

    Signals:
        holes_chosen(object): the numbers of the holes that are selected.
        region_wanted(): only holes in the polygons that are picked on the map are to be listed.
    """

    holes_chosen = pyqtSignal(object)
    region_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.holes: HoleSet | None = None
        self.numbers = np.empty(0, np.int64)
        self.map_view: Callable[[], tuple[tuple[float, float, float, float], str | None] | None] = lambda: None
        self.region: np.ndarray | None = None  # numbers of holes in the polygons that were picked
        self._has: tuple[str, ...] = ()
        self.text = QLineEdit()
        self.text.setObjectName("holes text")
        self.text.setPlaceholderText(tr("Name or fact"))
        self.text.setAccessibleName(tr("Only holes in whose facts this is"))
        self.text.setClearButtonEnabled(True)
        self.has, self.menu = bar_menu(
            tr("Has…"), "holes has", tr("Only holes of which there is all of what is chosen")
        )
        self.more, _ = bar_menu(tr("More…"), "holes more", tr("Only holes by length and date"))
        self.shortest, self.longest = (
            self._length("holes shortest", tr("Shortest")),
            self._length("holes longest", tr("Longest")),
        )
        self.begin, self.end = self._date("holes begin", tr("Drilled from")), self._date("holes end", tr("Drilled to"))
        self.more.setMenu(self._more_menu())
        self.in_view = bar_button(
            tr("In view"), "holes in view", tr("Only holes in what the map shows"), checkable=True
        )
        self.in_region = bar_button(
            tr("In picked"),
            "holes in picked",
            tr("Only holes in the polygons that are picked on the map"),
            checkable=True,
        )
        self.count = PlainLabel()
        self.count.setObjectName("quiet")
        self.table = ArrowView("holes", tr("Boreholes"))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        above = QHBoxLayout()
        above.setContentsMargins(6, 3, 6, 3)
        above.setSpacing(4)
        for widget in (self.text, self.has, self.more, self.in_view, self.in_region, self.count):
            above.addWidget(widget, int(widget is self.text))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(above)
        column.addWidget(self.table, 1)
        for edit in (self.text, self.begin, self.end):
            edit.textChanged.connect(lambda text: self.refilter())
        for spin in (self.shortest, self.longest):
            spin.valueChanged.connect(lambda value: self.refilter())
        self.in_view.toggled.connect(lambda on: self.refilter())
        self.in_region.toggled.connect(self._turn_region)
        self.menu.aboutToShow.connect(self._fill_menu)
        down_goes_to(self.table, self.text)
        model = self.table.selectionModel()
        assert model is not None
        model.selectionChanged.connect(lambda on, off: self._choose())

    def _length(self, name: str, words: str) -> QDoubleSpinBox:
        spin = QDoubleSpinBox()
        spin.setObjectName(name)
        spin.setAccessibleName(words)
        spin.setRange(0.0, LONGEST_M)
        spin.setSpecialValueText(tr("any"))
        spin.setSuffix(" m")
        return spin

    def _date(self, name: str, words: str) -> QLineEdit:
        edit = QLineEdit()
        edit.setObjectName(name)
        edit.setAccessibleName(words)
        edit.setPlaceholderText("2030-01-20")
        return edit

    def _more_menu(self) -> QMenu:
        menu, form = QMenu(self), QWidget()
        rows = QFormLayout(form)
        for label, widget in (
            (tr("at least"), self.shortest),
            (tr("at most"), self.longest),
            (tr("drilled from"), self.begin),
            (tr("to"), self.end),
        ):
            rows.addRow(label, widget)
        action = QWidgetAction(menu)
        action.setDefaultWidget(form)
        menu.addAction(action)
        return menu

    def _fill_menu(self) -> None:
        self.menu.clear()
        holes = self.holes.holes if self.holes is not None else ()
        words = dict.fromkeys([w for hole in holes for w in hole.has()] + [w for hole in holes for w in hole.logged])
        for word in words:
            action = self.menu.addAction(word)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(word in self._has)
            action.toggled.connect(lambda on, word=word: self.require(word, on))

    def require(self, word: str, on: bool) -> None:
        """List only holes of which there is something, or no more only these."""
        rest = tuple(each for each in self._has if each != word)
        self._has = (*rest, word) if on else rest
        self.has.setText(tr("Has {has}", has=", ".join(self._has)) if self._has else tr("Has…"))
        self.refilter()

    def _turn_region(self, on: bool) -> None:
        if on:
            self.region_wanted.emit()
        else:
            self.region = None
            self.refilter()

    def show_holes(self, holes: HoleSet | None) -> None:
        """List holes; the filter stays."""
        self.holes, self.region = holes, None
        with QSignalBlocker(self.in_region):
            self.in_region.setChecked(False)
        self.refilter()

    def refilter(self) -> None:
        """List the holes that the filter lets through."""
        from brisk_atlas.core.strip.holes.hole_list import HoleFilter, fitting_holes, table_of_holes

        if self.holes is None:
            self.numbers = np.empty(0, np.int64)
            self.table.show_table(None)
            self.count.setText("")
            return
        view = self.map_view() if self.in_view.isChecked() else None
        begin, end = (edit.text().strip() for edit in (self.begin, self.end))
        begin, end = (text if len(text) == len("2030-01-20") else "" for text in (begin, end))
        by = HoleFilter(
            self._has, self.shortest.value() or None, self.longest.value() or None, begin, end,
            self.text.text().strip(), view[0] if view is not None else None, view[1] if view is not None else None,
        )  # fmt: skip
        self.numbers = fitting_holes(self.holes, by)
        if self.region is not None:
            self.numbers = self.numbers[np.isin(self.numbers, self.region)]
        table = table_of_holes(self.holes, self.numbers.tolist())
        empty = [name for name in ("drilled", "method", "logged") if table.column(name).null_count == table.num_rows]
        table = table.drop_columns(empty)
        self.table.show_table(table, [HEADS[name] for name in table.column_names], {"length_m": 1, "elevation_m": 1})
        self.count.setText(tr("{count:,} of {count2:,}", count=len(self.numbers), count2=len(self.holes)))

    def map_moved(self) -> None:
        """Follow the map where only holes in its view are listed."""
        if self.in_view.isChecked() and self.isVisible():
            self.refilter()

    def _choose(self) -> None:
        if self.table.is_silent:
            return
        rows = sorted(self.table.chosen_rows())
        if rows:
            self.holes_chosen.emit([int(self.numbers[row]) for row in rows])

    def mark(self, numbers: tuple[int, ...]) -> None:
        """Select holes; reports nothing."""
        rows = [int(at[0]) for n in numbers if (at := np.flatnonzero(self.numbers == n)).size]
        self.table.choose_rows(rows)
