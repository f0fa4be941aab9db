"""The grid of a sheet: it paints the rows and columns that are seen, and asks for nothing else."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QFont, QFontMetrics, QHelpEvent, QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QLineEdit, QToolTip

from brisk_atlas.core.model import ColumnView, TableView
from brisk_atlas.core.model.language import tr

from ..plain_text import plain_tip
from ..theme import mono_font
from .columns import NARROWEST, WIDEST, SheetColumns
from .grid_area import GUTTER_PX, GridArea
from .grid_paint import GridPaint

if TYPE_CHECKING:
    from brisk_atlas.core.table.engine import Sheet

DRAG_PX = 6
MOST_PICKED = 50_000  # rows picked at once in the table
MEASURED_ROWS = 200  # looked at for the width of a column


class SheetGrid(GridArea):
    """Rows of a Sheet, and what the hand does with them.

    Signals:
        picked(object): rows (places in the file) that the hand picked.
        sort_wanted(str, bool): a field to sort by; whether beside the others.
        look_changed(str, object): what was changed, in words, and the new TableView.
        menu_wanted(str, object): the field whose panel of filters and formats is wanted, and where.
        field_menu_wanted(str, object): the field whose menu is wanted, and where.
        row_menu_wanted(object): where the menu of the rows is wanted.
        edited(int, str, str): row, field and the text typed.
        go_wanted(): to the picked rows on the map.
    """

    picked = pyqtSignal(object)
    sort_wanted = pyqtSignal(str, bool)
    look_changed = pyqtSignal(str, object)
    menu_wanted = pyqtSignal(str, object)
    field_menu_wanted = pyqtSignal(str, object)
    row_menu_wanted = pyqtSignal(object)
    edited = pyqtSignal(int, str, str)
    go_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.view.setMouseTracking(True)
        self.editable = False
        self._doing: tuple[str, int] | None = None
        self._press = QPoint()
        self._drop_at: int | None = None
        self._wanted_field = ""
        self.editor = QLineEdit(self.view)
        self.editor.setObjectName("cell editor")
        self.editor.hide()
        self.editor.returnPressed.connect(self._take_edit)
        self.editor.installEventFilter(self)
        self.paint = GridPaint(self)
        for bar in (self.verticalScrollBar(), self.horizontalScrollBar()):
            assert bar is not None
            bar.valueChanged.connect(self._scrolled)
        sideways = self.horizontalScrollBar()
        assert sideways is not None
        sideways.valueChanged.connect(lambda value: self.seen_changed.emit())

    def show_sheet(self, sheet: Sheet | None, look: TableView, aliases: dict[str, str]) -> None:
        self.editor.hide()
        super().show_sheet(sheet, look, aliases)
        if self._wanted_field:
            self.go_to_field(self._wanted_field)

    def go_to_field(self, name: str) -> None:
        """Bring the column of a field in sight, now or once the sheet that has it is shown."""
        found = [n for n, column in enumerate(self.columns.all) if column.field == name]
        self._wanted_field = "" if found else name
        sideways = self.horizontalScrollBar()
        if found and sideways is not None and not self.columns.all[found[0]].look.pinned:
            sideways.setValue(self.columns.all[found[0]].left - self.columns.pinned_width)

    def _scrolled(self) -> None:
        if self.editor.isVisible():
            self.editor.hide()
        self.view.update()

    # Painting

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self.view)
        self.paint.paint(painter)
        if self._drop_at is not None and self._drop_at <= len(self.columns):
            n = min(self._drop_at, len(self.columns) - 1)
            x = GUTTER_PX + self.columns.place(n, self.scrolled)
            x += self.columns.all[n].width if self._drop_at == len(self.columns) else 0
            painter.fillRect(QRect(x - 1, 0, 3, self.head_height), QColor(self.theme.accent))

    def resizeEvent(self, event: object) -> None:
        self.set_ranges()
        self.seen_changed.emit()

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position().toPoint()
        self.setFocus()
        self._press = at
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._close_editor()
        edge = self.edge_at(at)
        if edge is not None:
            self._doing = ("width", edge)
            return
        if at.y() < self.head_height:
            number = self.columns.at(at.x() - GUTTER_PX, self.scrolled)
            self._doing = ("head", number) if number is not None else None
            return
        cell = self.cell_at(at)
        if cell is None:
            return
        place, number = cell
        self.current = place, self.current[1] if number is None else number
        mods = event.modifiers()
        if mods & Qt.KeyboardModifier.ShiftModifier:
            self._pick_run(self.anchor, place, add=bool(mods & Qt.KeyboardModifier.ControlModifier))
        elif mods & Qt.KeyboardModifier.ControlModifier:
            self.anchor = place
            row = self.row_at(place)
            self._pick(self.rows ^ {row})
        else:
            self.anchor = place
            self._pick({self.row_at(place)})
        self._doing = ("rows", place)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position().toPoint()
        if self._doing is None:
            edge = self.edge_at(at) is not None
            self.view.setCursor(Qt.CursorShape.SplitHCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        doing, number = self._doing
        if doing == "width":
            left = GUTTER_PX + self.columns.place(number, self.scrolled)
            self._widen(number, at.x() - left)
        elif doing == "head" and abs(at.x() - self._press.x()) > DRAG_PX:
            self._drop_at = self._drop_place(at.x())
            self.view.update()
        elif doing == "rows":
            cell = self.cell_at(at)
            if cell is not None and cell[0] != self.current[0]:
                self.current = cell[0], self.current[1]
                self._pick_run(self.anchor, cell[0])

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        doing, self._doing = self._doing, None
        drop, self._drop_at = self._drop_at, None
        if doing is None or self.sheet is None:
            return
        what, number = doing
        if what == "width":
            self._change(tr("width of a column"), self.columns.all[number].look)
        elif what == "head" and drop is not None:
            self.move_column(number, drop if drop <= number else drop - 1)
        elif what == "head":
            beside = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.sort_wanted.emit(self.columns.all[number].field, beside)
        self.view.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position().toPoint()
        edge = self.edge_at(at)
        if edge is not None:
            self.fit_column(edge)
            return
        cell = self.cell_at(at)
        if cell is not None and cell[1] is not None:
            self.current = cell[0], cell[1]
            if self.editable:
                self.begin_edit()
            else:
                self.go_wanted.emit()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        at = event.pos()
        number = self.columns.at(at.x() - GUTTER_PX, self.scrolled)
        if at.y() < self.head_height and number is not None:
            self.field_menu_wanted.emit(self.columns.all[number].field, event.globalPos())
        elif self.cell_at(at) is not None:
            self.row_menu_wanted.emit(event.globalPos())

    def viewportEvent(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), plain_tip(self._tip(event.pos())), self.view)
            return True
        return super().viewportEvent(event)

    def _tip(self, at: QPoint) -> str:
        if self.sheet is None:
            return ""
        number = self.columns.at(at.x() - GUTTER_PX, self.scrolled)
        if number is None:
            return ""
        field = self.columns.all[number].field
        if at.y() < self.head_height:
            return f"{field} ({self.sheet.type_of(field)})"
        cell = self.cell_at(at)
        return self.texts(cell[0], 1, [field]).get((cell[0], field), "") if cell else ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.sheet is None or not len(self.sheet) or not len(self.columns):
            super().keyPressEvent(event)
            return
        key, mods = event.key(), event.modifiers()
        place, number = self.current
        last, page = len(self.sheet) - 1, self.rows_in_view
        control = bool(mods & Qt.KeyboardModifier.ControlModifier)
        rows = {
            Qt.Key.Key_Up: place - 1, Qt.Key.Key_Down: place + 1,
            Qt.Key.Key_PageUp: place - page, Qt.Key.Key_PageDown: place + page,
        }  # fmt: skip
        sides = {Qt.Key.Key_Left: number - 1, Qt.Key.Key_Right: number + 1}
        if key in sides and mods & Qt.KeyboardModifier.AltModifier:
            self.move_column(number, sides[Qt.Key(key)])
        elif key == Qt.Key.Key_Down and mods & Qt.KeyboardModifier.AltModifier:
            field = self.columns.all[number].field
            self.menu_wanted.emit(field, self.view.mapToGlobal(self.head_rect(field).bottomLeft()))
        elif key in rows:
            self._go(min(max(rows[Qt.Key(key)], 0), last), bool(mods & Qt.KeyboardModifier.ShiftModifier))
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End) and control:
            self._go(0 if key == Qt.Key.Key_Home else last, bool(mods & Qt.KeyboardModifier.ShiftModifier))
        elif key in sides or key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            ends = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: len(self.columns) - 1}
            to = sides.get(Qt.Key(key), ends.get(Qt.Key(key), 0))
            self.current = place, min(max(to, 0), len(self.columns) - 1)
            self.reveal(place, self.current[1])
            self.view.update()
        elif key == Qt.Key.Key_Space:
            self._pick(self.rows ^ {self.row_at(place)})
        elif key == Qt.Key.Key_A and control:
            self._pick_run(0, last)
        elif key in (Qt.Key.Key_F2, Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.editable:
            self.begin_edit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go_wanted.emit()
        elif key == Qt.Key.Key_Menu:
            rect = self.cell_rect(place, number)
            self.row_menu_wanted.emit(self.view.mapToGlobal(rect.bottomLeft()))
        else:
            super().keyPressEvent(event)

    def _go(self, place: int, run: bool) -> None:
        self.current = place, self.current[1]
        self.reveal(place)
        if run:
            self._pick_run(self.anchor, place)
        else:
            self.anchor = place
            self._pick({self.row_at(place)})

    def _pick_run(self, a: int, b: int, *, add: bool = False) -> None:
        assert self.sheet is not None
        a, b = min(a, b), max(a, b)
        run = set(self.sheet.order[a : min(b + 1, a + MOST_PICKED)].tolist())
        self._pick(self.rows | run if add else run)

    def _pick(self, rows: set[int]) -> None:
        self.rows = rows
        self.view.update()
        self.picked.emit(rows)

    # Columns

    def _change(self, what: str, look: ColumnView) -> None:
        assert self.sheet is not None
        self.look_changed.emit(what, self.look.with_column(look, self.sheet.columns))

    def _widen(self, number: int, width: int) -> None:
        """Show a column wider or narrower while the hand drags its edge."""
        from dataclasses import replace

        assert self.sheet is not None
        look = replace(self.columns.all[number].look, width=min(max(width, NARROWEST), WIDEST))
        shown = self.look.with_column(look, self.sheet.columns)
        self.columns = SheetColumns(shown.ordered(self.sheet.columns), {c.field: c.number for c in self.columns.all})
        self.set_ranges()
        self.view.update()

    def fit_column(self, number: int) -> None:
        """Make a column as wide as what it shows."""
        from dataclasses import replace

        assert self.sheet is not None
        column = self.columns.all[number]
        texts = self.texts(self.first, MEASURED_ROWS, [column.field])
        last = min(self.first + MEASURED_ROWS, len(self.sheet))
        metrics = QFontMetrics(mono_font() if column.number else self.font())
        shown = [texts.get((p, column.field), "") for p in range(self.first, last)]
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        head = QFontMetrics(bold).horizontalAdvance(self.aliases.get(column.field, column.field)) + 34
        width = max([head, *(metrics.horizontalAdvance(t) + 18 for t in shown)])
        self._change(tr("width of a column"), replace(column.look, width=min(max(width, NARROWEST), WIDEST)))

    def _drop_place(self, x: int) -> int:
        for number in self.columns.in_view(self.scrolled, self.view.width()):
            left = GUTTER_PX + self.columns.place(number, self.scrolled)
            if x < left + self.columns.all[number].width / 2:
                return number
        return len(self.columns)

    def move_column(self, number: int, to: int) -> None:
        """Move a column to another place among those on show."""
        from dataclasses import replace

        if self.sheet is None or not 0 <= to < len(self.columns) or to == number:
            return
        order = self.look.ordered(self.sheet.columns)
        shown = [c.field for c in self.columns.all]
        field = shown.pop(number)
        shown.insert(to, field)
        by_name = {look.name: look for look in order}
        hidden = [look for look in order if not look.shown]
        looks = (*(by_name[name] for name in shown), *hidden)
        self.current = self.current[0], to
        self.look_changed.emit(f"move {field}", replace(self.look, columns=looks))

    # Editing

    def begin_edit(self) -> None:
        """Open the current cell for typing."""
        if self.sheet is None or not self.editable or not len(self.sheet):
            return
        place, number = self.current
        self.reveal(place, number)
        field = self.columns.all[number].field
        value = self.sheet.values(place, 1, [field])[field][0]
        self.editor.setText("" if value is None else str(value))
        self.editor.setGeometry(self.cell_rect(place, number))
        self.editor.show()
        self.editor.selectAll()
        self.editor.setFocus()

    def _take_edit(self) -> None:
        place, number = self.current
        text = self.editor.text()
        self._close_editor()
        self.edited.emit(self.row_at(place), self.columns.all[number].field, text)

    def _close_editor(self) -> None:
        if self.editor.isVisible():
            self.editor.hide()
            self.setFocus()

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if watched is self.editor and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape:
            if event.type() == QEvent.Type.KeyPress:
                self._close_editor()
            return True
        return False
