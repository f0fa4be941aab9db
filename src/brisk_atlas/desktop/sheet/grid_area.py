"""What a sheet shows and where each thing of it is painted; what is done with it stands in `grid`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QPoint, QRect, pyqtSignal
from PyQt6.QtWidgets import QAbstractScrollArea

from brisk_atlas.core.model import TableView

from ..theme import LIGHT, Theme
from .columns import SheetColumns

if TYPE_CHECKING:
    from brisk_atlas.core.table.engine import FieldSummary, Sheet

ROW_PX, HEAD_PX, BARS_PX, LINE_PX = 23, 26, 16, 17
GUTTER_PX = 62
EDGE_PX = 5  # how near the edge between two columns is gripped
SUMMARY = ("count", "missing", "distinct", "minimum", "mean", "maximum", "sum")


class GridArea(QAbstractScrollArea):
    """The rows and columns of a Sheet under a TableView: which are in sight, their texts, their places.

    Signals:
        columns_wanted(list): fields in sight that are still to be read.
        seen_changed(): other columns came into sight.
    """

    columns_wanted = pyqtSignal(list)
    seen_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        view = self.viewport()
        assert view is not None
        self.view = view
        self.theme: Theme = LIGHT
        self.sheet: Sheet | None = None
        self.look = TableView()
        self.columns = SheetColumns([], {})
        self.aliases: dict[str, str] = {}
        self.summaries: dict[str, FieldSummary] = {}
        self.bars: dict[str, np.ndarray] = {}
        self.changed_cells: dict[tuple[int, str], Any] = {}
        self.rows: set[int] = set()  # picked, by their place in the file
        self.current = (0, 0)  # place in the order, number of the column
        self.anchor = 0  # the place at which a run of picked rows begins
        self._texts: dict[tuple[int, str], str] = {}
        self._decimals: dict[str, int] = {}  # of the columns, by what was seen of them

    # What to show

    def show_sheet(self, sheet: Sheet | None, look: TableView, aliases: dict[str, str]) -> None:
        """Show a sheet, or the same one in another order or look."""
        other = sheet is not self.sheet
        self.sheet, self.look, self.aliases = sheet, look, aliases
        self._texts.clear()
        self._decimals.clear()
        if sheet is None:
            self.columns = SheetColumns([], {})
        else:
            self.columns = SheetColumns(
                look.ordered(sheet.columns), {name: sheet.is_number(name) for name in sheet.columns}
            )
        if other:
            self.summaries, self.bars, self.current, self.anchor = {}, {}, (0, 0), 0
        last = max(0, len(sheet) - 1) if sheet is not None else 0
        self.current = min(self.current[0], last), min(self.current[1], max(0, len(self.columns) - 1))
        self.set_ranges()
        self.view.update()

    def show_picked(self, rows: set[int], *, scroll: bool = True) -> None:
        """Mark the picked rows, and bring the first of them into sight."""
        self.rows = rows
        if self.sheet is not None and rows and scroll:
            place = self.sheet.place_of(min(rows) if len(rows) > 1 else next(iter(rows)))
            if place is not None:
                self.current, self.anchor = (place, self.current[1]), place
                self.reveal(place)
        self.view.update()

    def set_summary(self, summaries: dict[str, FieldSummary], bars: dict[str, np.ndarray]) -> None:
        self.summaries, self.bars = summaries, bars
        self.view.update()

    @property
    def head_height(self) -> int:
        return HEAD_PX + BARS_PX

    @property
    def foot_height(self) -> int:
        return len(SUMMARY) * LINE_PX + 6 if self.look.summary and self.sheet is not None else 0

    @property
    def first(self) -> int:
        """Return the place of the first row that is seen."""
        bar = self.verticalScrollBar()
        return bar.value() if bar else 0

    @property
    def scrolled(self) -> int:
        bar = self.horizontalScrollBar()
        return bar.value() if bar else 0

    @property
    def rows_in_view(self) -> int:
        return max(1, (self.view.height() - self.head_height - self.foot_height) // ROW_PX)

    def set_ranges(self) -> None:
        down, right = self.verticalScrollBar(), self.horizontalScrollBar()
        assert down is not None and right is not None
        count = len(self.sheet) if self.sheet is not None else 0
        page = self.rows_in_view
        down.setRange(0, max(0, count - page))
        down.setPageStep(page)
        room = self.view.width() - GUTTER_PX
        right.setRange(0, max(0, self.columns.width - room))
        right.setPageStep(max(1, room - self.columns.pinned_width))
        right.setSingleStep(40)

    def texts(self, start: int, count: int, fields: list[str]) -> dict[tuple[int, str], str]:
        """Return the texts of cells by (place, field); those not seen lately are asked for."""
        assert self.sheet is not None
        count = max(0, min(count, len(self.sheet) - start))
        if not self.sheet.ready(fields, start, count):
            unread = [f for f in fields if not self.sheet.ready([f], start, count)]
            self.columns_wanted.emit(unread)
            fields = [f for f in fields if f not in unread]
        missing = [f for f in fields if any((start + i, f) not in self._texts for i in (0, count - 1))]
        if missing and count:
            from brisk_atlas.core.table.formats import decimals_of, text_of

            if len(self._texts) > 20_000:
                self._texts.clear()
                missing = fields
            for field, values in self.sheet.values(start, count, missing).items():
                look, known = self.look.column(field), self._decimals.get(field, 0)
                decimals = self._decimals[field] = max(known, decimals_of(values))
                if decimals > known:
                    self._texts = {cell: text for cell, text in self._texts.items() if cell[1] != field}
                self._texts |= {(start + i, field): text_of(v, look, decimals) for i, v in enumerate(values)}
        return self._texts

    def row_at(self, place: int) -> int:
        """Return the row in the file that shows at a place."""
        assert self.sheet is not None
        return int(self.sheet.order[place])

    # Where things are

    def cell_rect(self, place: int, number: int) -> QRect:
        """Return where a cell is painted, on the viewport."""
        x = GUTTER_PX + self.columns.place(number, self.scrolled)
        y = self.head_height + (place - self.first) * ROW_PX
        return QRect(x, y, self.columns.all[number].width, ROW_PX)

    def head_rect(self, field: str) -> QRect:
        """Return where the head of a column is painted, on the viewport."""
        number = self.columns.number_of(field)
        assert number is not None, f"{field} is not on show"
        x = GUTTER_PX + self.columns.place(number, self.scrolled)
        return QRect(x, 0, self.columns.all[number].width, self.head_height)

    def cell_at(self, at: QPoint) -> tuple[int, int | None] | None:
        """Return the (place, column) at a position among the rows."""
        if self.sheet is None or not self.head_height <= at.y() < self.view.height() - self.foot_height:
            return None
        place = self.first + (at.y() - self.head_height) // ROW_PX
        if place >= len(self.sheet):
            return None
        return place, self.columns.at(at.x() - GUTTER_PX, self.scrolled) if at.x() >= GUTTER_PX else None

    def edge_at(self, at: QPoint) -> int | None:
        """Return the column whose right edge is near a position in the head."""
        if at.y() >= self.head_height:
            return None
        for number in self.columns.in_view(self.scrolled, self.view.width()):
            right = GUTTER_PX + self.columns.place(number, self.scrolled) + self.columns.all[number].width
            if abs(at.x() - right) <= EDGE_PX:
                return number
        return None

    def reveal(self, place: int, number: int | None = None) -> None:
        """Scroll so that a row, and a column, can be seen."""
        down, right = self.verticalScrollBar(), self.horizontalScrollBar()
        assert down is not None and right is not None
        if place < self.first:
            down.setValue(place)
        elif place >= self.first + self.rows_in_view:
            down.setValue(place - self.rows_in_view + 1)
        if number is not None and number < len(self.columns) and not self.columns.all[number].look.pinned:
            column, room = self.columns.all[number], self.view.width() - GUTTER_PX
            if column.left - self.scrolled < self.columns.pinned_width:
                right.setValue(column.left - self.columns.pinned_width)
            elif column.left + column.width - self.scrolled > room:
                right.setValue(column.left + column.width - room)
