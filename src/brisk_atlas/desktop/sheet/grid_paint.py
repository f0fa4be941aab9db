"""How the grid of a sheet looks: heads with small distributions, rows, and the summary at its foot."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPolygon

from brisk_atlas.core.model.digit_groups import grouped

from ..theme import PICKED, mono_font
from .grid_area import BARS_PX, GUTTER_PX, HEAD_PX, LINE_PX, ROW_PX, SUMMARY, GridArea

if TYPE_CHECKING:
    from .columns import SheetColumn

PAD = 8
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class GridPaint:
    """Paints a GridArea; holds nothing but that."""

    def __init__(self, grid: GridArea) -> None:
        self.grid = grid

    def paint(self, painter: QPainter) -> None:
        g, t = self.grid, self.grid.theme
        painter.fillRect(g.view.rect(), QColor(t.raised))
        if g.sheet is None:
            return
        seen = g.columns.in_view(g.scrolled, g.view.width() - GUTTER_PX)
        free = [n for n in seen if not g.columns.all[n].look.pinned]
        pinned = [n for n in seen if g.columns.all[n].look.pinned]
        whole = g.view.rect()
        edge = GUTTER_PX + g.columns.pinned_width
        painter.setClipRect(QRect(edge, 0, whole.width() - edge, whole.height()))
        self._columns(painter, free)
        painter.setClipRect(QRect(0, 0, edge, whole.height()))
        painter.fillRect(QRect(0, 0, edge, whole.height()), QColor(t.raised))
        self._columns(painter, pinned)
        self._gutter(painter)
        painter.setClipping(False)
        if pinned:
            painter.fillRect(QRect(edge - 1, 0, 2, whole.height()), QColor(t.quiet))

    def _columns(self, painter: QPainter, numbers: list[int]) -> None:
        g = self.grid
        assert g.sheet is not None
        fields = [g.columns.all[n].field for n in numbers]
        rows = g.rows_in_view + 1
        texts = g.texts(g.first, rows, fields) if fields else {}
        last = min(len(g.sheet), g.first + rows)
        left = min((g.cell_rect(g.first, n).left() for n in numbers), default=0)
        right = max((g.cell_rect(g.first, n).right() for n in numbers), default=-1)
        for place in range(g.first, last):
            self._row_back(painter, place, left, right)
        for number in numbers:
            column = g.columns.all[number]
            painter.setFont(mono_font() if column.number else g.font())
            for place in range(g.first, last):
                self._cell(painter, place, number, column, texts.get((place, column.field), "…"))
        foot = g.view.height() - g.foot_height
        if g.foot_height:
            painter.fillRect(QRect(left, foot, right - left + 1, g.foot_height), QColor(g.theme.paper))
            for number in numbers:
                self._foot(painter, number, foot)
        for number in numbers:
            self._head(painter, number)

    def _row_back(self, painter: QPainter, place: int, left: int, right: int) -> None:
        g, t = self.grid, self.grid.theme
        rect = QRect(left, g.head_height + (place - g.first) * ROW_PX, right - left + 1, ROW_PX)
        if g.row_at(place) in g.rows:
            wash = QColor(PICKED)
            wash.setAlphaF(0.16)
            painter.fillRect(rect, wash)
        elif place % 2:
            painter.fillRect(rect, QColor(t.paper))

    def _cell(self, painter: QPainter, place: int, number: int, column: SheetColumn, text: str) -> None:
        from brisk_atlas.core.table.formats import MISSING

        g, t = self.grid, self.grid.theme
        rect = g.cell_rect(place, number)
        if (g.row_at(place), column.field) in g.changed_cells:
            painter.fillRect(rect.adjusted(0, 0, -1, -1), QColor(t.wash))
            corner = rect.topLeft()
            painter.setBrush(QColor(t.accent))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygon([corner, corner + QPoint(7, 0), corner + QPoint(0, 7)]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QColor(t.quiet if text == MISSING else t.ink))
        inner = rect.adjusted(PAD, 0, -PAD, 0)
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
        painter.drawText(inner, RIGHT if column.number else LEFT, shown)
        painter.setPen(QColor(t.rule))
        painter.drawLine(rect.topRight(), rect.bottomRight())
        if (place, number) == g.current and g.hasFocus():
            painter.setPen(QColor(PICKED))
            painter.drawRect(rect.adjusted(0, 0, -1, -1))

    def _head(self, painter: QPainter, number: int) -> None:
        g, t = self.grid, self.grid.theme
        column = g.columns.all[number]
        rect = g.head_rect(column.field)
        painter.fillRect(rect, QColor(t.paper))
        font = QFont(g.font())
        font.setWeight(QFont.Weight.DemiBold)
        painter.setFont(font)
        computed = any(c.name == column.field for c in g.look.computed)
        painter.setPen(QColor(t.second if computed or "." in column.field else t.ink))
        inner = QRect(rect.left() + PAD, 0, rect.width() - 2 * PAD, HEAD_PX)
        order = next((i for i, (name, _) in enumerate(g.look.sort) if name == column.field), None)
        if order is not None:
            inner.setRight(inner.right() - 16)
            self._sort_mark(painter, inner.right() + 9, HEAD_PX // 2, g.look.sort[order][1], order)
        if any(f.field == column.field for f in g.look.filters):
            painter.fillRect(QRect(rect.left(), 0, rect.width() - 1, 3), QColor(t.accent))
        painter.setPen(QColor(t.second if computed or "." in column.field else t.ink))
        painter.setFont(font)
        title = column.look.alias or g.aliases.get(column.field) or column.field
        unit = column.look.unit or next((c.unit for c in g.look.computed if c.name == column.field), "")
        title += f" [{unit}]" if unit else ""
        shown = painter.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, inner.width())
        painter.drawText(inner, RIGHT if column.number else LEFT, shown)
        self._bars(painter, column, QRect(rect.left() + PAD, HEAD_PX, rect.width() - 2 * PAD, BARS_PX - 3))
        painter.setPen(QColor(t.rule))
        painter.drawLine(rect.topRight(), rect.bottomRight())
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())

    def _sort_mark(self, painter: QPainter, x: int, y: int, down: bool, order: int) -> None:
        g, t = self.grid, self.grid.theme
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.accent))
        s = 4 if down else -4
        painter.drawPolygon(QPolygon([QPoint(x - 4, y - s // 2), QPoint(x + 4, y - s // 2), QPoint(x, y + s)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if len(g.look.sort) > 1:
            small = QFont(g.font())
            small.setPixelSize(9)
            painter.setFont(small)
            painter.setPen(QColor(t.accent))
            painter.drawText(QRect(x + 3, y - 12, 10, 10), Qt.AlignmentFlag.AlignCenter, str(order + 1))

    def _bars(self, painter: QPainter, column: SheetColumn, rect: QRect) -> None:
        counts = self.grid.bars.get(column.field)
        if counts is None or not counts.size or counts.max() <= 0:
            return
        colour = QColor(self.grid.theme.second)
        colour.setAlphaF(0.55)
        wide = rect.width() / max(len(counts), 12)
        for i, count in enumerate(counts.tolist()):
            tall = max(1 if count else 0, round(rect.height() * count / counts.max()))
            x0, x1 = round(rect.left() + i * wide), round(rect.left() + (i + 1) * wide)
            painter.fillRect(QRect(x0, rect.bottom() - tall + 1, max(1, x1 - x0 - 1), tall), colour)

    def _foot(self, painter: QPainter, number: int, top: int) -> None:
        from brisk_atlas.core.table.formats import text_of

        g, t = self.grid, self.grid.theme
        column = g.columns.all[number]
        s = g.summaries.get(column.field)
        rect = g.cell_rect(0, number)
        painter.setPen(QColor(t.rule))
        painter.drawLine(rect.left(), top, rect.right(), top)
        painter.drawLine(rect.right(), top, rect.right(), top + g.foot_height)
        if s is None:
            return
        painter.setFont(mono_font(11))
        values = (s.count, s.missing, s.distinct, s.minimum, s.mean, s.maximum, s.total)
        for line, value in enumerate(values):
            if value is None:
                continue
            text = grouped(value) if line < 3 else text_of(value, column.look)
            inner = QRect(rect.left() + PAD, top + 3 + line * LINE_PX, rect.width() - 2 * PAD, LINE_PX)
            painter.setPen(QColor(t.ink))
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(inner, RIGHT if column.number or line < 3 else LEFT, shown)

    def _gutter(self, painter: QPainter) -> None:
        g, t = self.grid, self.grid.theme
        assert g.sheet is not None
        painter.fillRect(QRect(0, 0, GUTTER_PX, g.view.height()), QColor(t.paper))
        painter.setFont(mono_font(11))
        for place in range(g.first, min(len(g.sheet), g.first + g.rows_in_view + 1)):
            rect = QRect(0, g.head_height + (place - g.first) * ROW_PX, GUTTER_PX - 6, ROW_PX)
            row = g.row_at(place)
            painter.setPen(QColor(PICKED if row in g.rows and t.name == "light" else t.quiet))
            painter.drawText(rect, RIGHT, str(row + 1))
        foot = g.view.height() - g.foot_height
        if g.foot_height:
            painter.fillRect(QRect(0, foot, GUTTER_PX, g.foot_height), QColor(t.paper))
            painter.setPen(QColor(t.quiet))
            small = QFont(g.font())
            small.setPixelSize(11)
            painter.setFont(small)
            for line, word in enumerate(SUMMARY):
                painter.drawText(QRect(0, foot + 3 + line * LINE_PX, GUTTER_PX - 6, LINE_PX), RIGHT, word)
        painter.fillRect(QRect(0, 0, GUTTER_PX, g.head_height), QColor(t.paper))
        painter.setPen(QColor(t.rule))
        painter.drawLine(GUTTER_PX - 1, 0, GUTTER_PX - 1, g.view.height())
        painter.drawLine(0, g.head_height - 1, GUTTER_PX - 1, g.head_height - 1)
        if foot < g.view.height():
            painter.drawLine(0, foot, GUTTER_PX - 1, foot)
