"""A page as it will be written, with blocks that are moved and resized by hand."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.box import PageBox
from brisk_atlas.core.paper.layout import BlockKind, Paper, PaperBlock
from brisk_atlas.core.paper.moving import edges_beside, moved, resized

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme

HANDLE_PX, EDGE_PX = 4.0, 6.0  # half a handle, and how near an edge the hand takes hold of it
PAD_PX = 14
STEP_MM, FINE_MM = 1.0, 0.1
SIDES = tuple((i, j) for j in (-1, 0, 1) for i in (-1, 0, 1) if i or j)
ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
REMOVING = (Qt.Key.Key_Delete, Qt.Key.Key_Backspace)
CURSORS = {
    (0, 0): Qt.CursorShape.SizeAllCursor, (1, 0): Qt.CursorShape.SizeHorCursor, (0, 1): Qt.CursorShape.SizeVerCursor,
    (1, 1): Qt.CursorShape.SizeFDiagCursor, (1, -1): Qt.CursorShape.SizeBDiagCursor,
}  # fmt: skip


class _Grip(NamedTuple):
    """What the hand holds: a block as it was, which sides, and where it took hold."""

    block: PaperBlock
    sides: tuple[int, int]
    at: QPointF
    moves_map: bool


class PagePreview(QWidget):
    """Paints a page at a given size.

    Signals:
        chosen(object): the id of the block that was clicked, None for none.
        changed(object): a block, after it was moved or resized.
        removal_wanted(): the chosen block is to go.
        map_moved(float, float): millimetres by which the map was moved in its frame.
        map_zoomed(int): steps by which the map is to come closer.
    """

    chosen = pyqtSignal(object)
    changed = pyqtSignal(object)
    removal_wanted = pyqtSignal()
    map_moved = pyqtSignal(float, float)
    map_zoomed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.paper: Paper | None = None
        self.picture = QImage()
        self.block_id: str | None = None
        self.moves_map = False
        self._per_mm = 2.0
        self._grip: _Grip | None = None
        self._now: PageBox | None = None  # where the held block is
        self._shift = QPointF()  # of the map in its frame, under the hand
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Page"))
        self.setAccessibleDescription(tr("Tab goes to the next block, arrow keys move it, Delete removes it"))

    # What is shown

    def show_paper(self, paper: Paper, block_id: str | None) -> None:
        """Show where blocks are, before the page is drawn."""
        self.paper, self.block_id = paper, block_id if block_id and paper.block(block_id) else None
        self._fit()
        self.update()

    def show_picture(self, picture: QImage) -> None:
        """Show the page as it was drawn."""
        self.picture, self._shift = picture, QPointF()
        self.update()

    def set_scale(self, per_mm: float) -> None:
        """Have a millimetre of the page be so many pixels."""
        self._per_mm = per_mm
        self._fit()
        self.update()

    @property
    def per_mm(self) -> float:
        """Pixels for a millimetre of the page."""
        return self._per_mm

    def _fit(self) -> None:
        if self.paper is not None:
            width, height = self.paper.size
            self.setFixedSize(
                QSize(round(width * self._per_mm) + 2 * PAD_PX, round(height * self._per_mm) + 2 * PAD_PX)
            )

    def _rect(self, box: PageBox) -> QRectF:
        return QRectF(PAD_PX + box.x * self._per_mm, PAD_PX + box.y * self._per_mm, box.width * self._per_mm,
                      box.height * self._per_mm)  # fmt: skip

    def _page(self) -> QRectF:
        assert self.paper is not None
        return self._rect(PageBox(0, 0, *self.paper.size))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.paper is None:
            return
        painter, page = picture_painter(self), self._page()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(page.translated(2, 2), QColor(0, 0, 0, 40))
        painter.fillRect(page, QColor("#FFFFFF"))
        if not self.picture.isNull():
            painter.drawImage(page, self.picture)
        painter.setPen(QPen(QColor(LIGHT.rule), 1))
        painter.drawRect(page)
        for block in self.paper.blocks:
            if block.id != self.block_id and self.underMouse():
                painter.setPen(QPen(QColor(LIGHT.rule), 1, Qt.PenStyle.DotLine))
                painter.drawRect(self._rect(block.box))
        chosen = self._chosen_block()
        if chosen is not None:
            self._paint_chosen(painter, self._rect(self._now or chosen.box))
        painter.end()

    def _paint_chosen(self, painter: QPainter, rect: QRectF) -> None:
        held = self._grip is not None and self._grip.moves_map
        painter.setPen(QPen(QColor(LIGHT.second), 1.5, Qt.PenStyle.DashLine if held else Qt.PenStyle.SolidLine))
        painter.drawRect(rect.translated(self._shift) if held else rect)
        painter.setPen(QPen(QColor(LIGHT.second), 1))
        painter.setBrush(QColor(LIGHT.raised))
        for sides in SIDES:
            at = self._handle(rect, sides)
            painter.drawRect(QRectF(at.x() - HANDLE_PX, at.y() - HANDLE_PX, 2 * HANDLE_PX, 2 * HANDLE_PX))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    @staticmethod
    def _handle(rect: QRectF, sides: tuple[int, int]) -> QPointF:
        return rect.center() + QPointF(sides[0] * rect.width() / 2, sides[1] * rect.height() / 2)

    def _chosen_block(self) -> PaperBlock | None:
        return self.paper.block(self.block_id) if self.paper is not None and self.block_id else None

    # The hand

    def _sides_at(self, at: QPointF) -> tuple[int, int] | None:
        """Return the sides of the chosen block that lie at a place, (0, 0) within it, None outside."""
        block = self._chosen_block()
        if block is None:
            return None
        rect = self._rect(block.box)
        if not rect.adjusted(-EDGE_PX, -EDGE_PX, EDGE_PX, EDGE_PX).contains(at):
            return None
        x = -1 if abs(at.x() - rect.left()) <= EDGE_PX else 1 if abs(at.x() - rect.right()) <= EDGE_PX else 0
        y = -1 if abs(at.y() - rect.top()) <= EDGE_PX else 1 if abs(at.y() - rect.bottom()) <= EDGE_PX else 0
        return x, y

    def _block_at(self, at: QPointF) -> PaperBlock | None:
        """Return the topmost block at a place; of those that lie within each other, the smallest."""
        if self.paper is None:
            return None
        found = [each for each in self.paper.blocks if self._rect(each.box).contains(at)]
        return min(found, key=lambda each: each.width * each.height, default=None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.paper is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at, sides = event.position(), self._sides_at(event.position())
        under = self._block_at(at)
        if sides is None or (sides == (0, 0) and under is not None and under.id != self.block_id):
            self.choose(under.id if under is not None else None)
            sides = (0, 0)
        block = self._chosen_block()
        if block is not None:
            moves_map = self.moves_map and block.kind is BlockKind.MAP and sides == (0, 0)
            self._grip, self._now = _Grip(block, sides, at, moves_map), block.box

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.paper is None:
            return
        if self._grip is None:
            self._show_cursor(event.position())
            return
        by = event.position() - self._grip.at
        if self._grip.moves_map:
            self._shift = by
        else:
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self._now = self._put(self._grip.block, self._grip.sides, by / self._per_mm, free=free)
        self.update()

    def _put(self, block: PaperBlock, sides: tuple[int, int], by: QPointF, *, free: bool) -> PageBox:
        assert self.paper is not None
        edges = None if free else edges_beside(self.paper, block.id)
        if sides == (0, 0):
            return moved(block.box, by.x(), by.y(), self.paper.size, edges)
        return resized(block.box, sides, by.x(), by.y(), self.paper.size, edges)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        grip, now, shift = self._grip, self._now, self._shift
        self._grip = self._now = None
        if grip is None or now is None:
            return
        if grip.moves_map:
            if shift.manhattanLength() > 2:
                self.map_moved.emit(shift.x() / self._per_mm, shift.y() / self._per_mm)
        elif now != grip.block.box:
            self.changed.emit(grip.block.at(now))
        self.update()

    def _show_cursor(self, at: QPointF) -> None:
        sides = self._sides_at(at)
        block = self._chosen_block()
        if sides is None:
            self.setCursor(Qt.CursorShape.PointingHandCursor if self._block_at(at) else Qt.CursorShape.ArrowCursor)
        elif sides == (0, 0) and self.moves_map and block is not None and block.kind is BlockKind.MAP:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        else:
            x, y = sides
            self.setCursor(CURSORS.get((x, y)) or CURSORS[(abs(x), x * y if x else abs(y))])

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        under = self._block_at(event.position())
        if self.moves_map and under is not None and under.kind is BlockKind.MAP and event.angleDelta().y():
            self.map_zoomed.emit(1 if event.angleDelta().y() > 0 else -1)
            event.accept()
            return
        event.ignore()

    def leaveEvent(self, event: object) -> None:
        self.update()

    def enterEvent(self, event: object) -> None:
        self.update()

    # The keyboard

    def choose(self, block_id: str | None) -> None:
        """Choose a block."""
        if block_id != self.block_id:
            self.block_id = block_id
            self.chosen.emit(block_id)
            self.update()

    def event(self, event: QEvent | None) -> bool:
        """Have keys mean the chosen block, not what the window's commands make of them."""
        assert event is not None
        own = event.key() if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride else None
        if self.block_id is not None and own in (*ARROWS, *REMOVING, Qt.Key.Key_Escape):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        block = self._chosen_block()
        if event is None or self.paper is None:
            return
        key = Qt.Key(event.key())
        if key in ARROWS and block is not None:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            step = FINE_MM if fine else STEP_MM
            sides = (1, 1) if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else (0, 0)
            x, y = ARROWS[key]
            if self.moves_map and block.kind is BlockKind.MAP and sides == (0, 0):
                self.map_moved.emit(-x * step * 5, -y * step * 5)  # the eye goes there
                return
            now = self._put(block, sides, QPointF(x * step, y * step), free=True)
            if now != block.box:
                self.changed.emit(block.at(now))
        elif key in REMOVING and block is not None:
            self.removal_wanted.emit()
        elif key == Qt.Key.Key_Escape and block is not None:
            self.choose(None)
        else:
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forwards: bool) -> bool:
        """Go to the next block, and out behind the last one."""
        blocks = self.paper.blocks if self.paper is not None else ()
        ids: list[str | None] = [None, *(each.id for each in blocks)]
        at = ids.index(self.block_id if self._chosen_block() is not None else None) + (1 if forwards else -1)
        if self.hasFocus() and 0 < at < len(ids):
            self.choose(ids[at])
            return True
        return super().focusNextPrevChild(forwards)
