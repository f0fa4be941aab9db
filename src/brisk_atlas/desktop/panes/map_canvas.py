"""The drawing surface of a map pane: it shows frames and turns the hand into views."""

from __future__ import annotations

from dataclasses import replace
from math import atan2, degrees
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QCursor,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.draw import View
from brisk_atlas.core.place.domain import domain_of
from brisk_atlas.core.workspace.comparison import Divide, Way

from ..frame_image import image_of
from ..later import Later
from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme
from .corner_tool import CornerTool
from .discs import paint_discs
from .furniture import (
    paint_change_legend,
    paint_credit,
    paint_line,
    paint_names,
    paint_north,
    paint_scale,
    paint_seen,
    paint_spots,
)
from .hand_tool import CLOSED, DRAGGED, NEW, SKETCHED, HandTool, paint_shape
from .map_label import paint_label
from .sides_view import SidesView

if TYPE_CHECKING:
    from brisk_atlas.core.compare.change_picture import ChangeScale
    from brisk_atlas.core.draw.frame import Frame

WHEEL_ZOOM = 1.25  # a notch of the wheel
KEY_PAN = 0.15  # share of the pane that an arrow key moves
TURN_DEG = 15.0  # that a key turns the map by; a tenth of it with Shift
CLICK_PX = 4  # a press that moves less is a click
MIN_RESOLUTION, MAX_RESOLUTION = 1e-9, 1e7
SETTLE_MS = 15
SIDE_KEYS = {Qt.Key.Key_BracketLeft: -1, Qt.Key.Key_BracketRight: 1}  # towards A, towards B


class MapCanvas(QWidget):
    """Shows the newest frames under the current view.

    Signals:
        view_changed(): the hand chose another view; a new frame is wanted.
        pointer_moved(float, float): map position under the pointer.
        pointer_left(): the pointer left the canvas.
        probed(float, float): the analyst asks what is here. Dragging with Alt turns the map about its middle.
        looked(): another view is on show, before its frame is asked for.
        side_held(float): a key for one of two sides is down: 0 for A, 1 for B; -1 when it is up again.
        shape_drawn(str, object): the hand ended a shape: its kind, and (n, 2) positions.
        shape_going(str, object): the same, while it is being drawn.
        tool_changed(): another tool is in the hand, or none.
        sides_changed(): A and B share the canvas in another way.
    """

    view_changed = pyqtSignal()
    pointer_moved = pyqtSignal(float, float)
    pointer_left = pyqtSignal()
    probed = pyqtSignal(float, float)
    looked = pyqtSignal()
    side_held = pyqtSignal(float)
    shape_drawn = pyqtSignal(str, object)
    shape_going = pyqtSignal(str, object)
    tool_changed = pyqtSignal()
    sides_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("map canvas")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(200, 160)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.theme: Theme = LIGHT
        self.view: View | None = None
        self.frames: list[tuple[QImage, View]] = []
        self._under: tuple[QImage, View] | None = None  # the last whole frame, while the next is being drawn
        self.sides = SidesView()
        self.legend: ChangeScale | None = None  # of the difference on show
        self.cross: tuple[float, float] | None = None  # where the pointer is on another pane
        self.seen: np.ndarray | None = None  # (n, 2) corners of what the relief sees
        self.stretch: np.ndarray | None = None  # (n, 2) places along the line that the strip shows
        self.spots: tuple[np.ndarray, np.ndarray] | None = None  # (n, 2) crossovers, and (n,) their differences
        self.names: tuple[tuple[str, float, float, bool], ...] = ()  # of boreholes, and whether each is on show
        self.mark: tuple[float, float] | None = None
        self.tool: HandTool | CornerTool | None = None
        self.shape: tuple[np.ndarray, bool] | None = None  # the last one drawn, and whether it is closed
        self.discs: list[tuple[int, float, float]] = []  # held probes
        self.say = ""  # beside what is being drawn
        self.hint = ""
        self.credit = ""  # whom the data on show is credited to
        self.shows_north = False
        self.boxing = False
        self._spot: tuple[float, float] | None = None
        self._press: QPointF | None = None
        self._last: QPointF | None = None
        self._box: QRectF | None = None
        self._doing = ""
        self._settle = Later(self, SETTLE_MS, self.view_changed)

    # What to show

    def look(self, view: View) -> None:
        """Go to a view and ask for its frame."""
        resolution = min(max(view.resolution, MIN_RESOLUTION), MAX_RESOLUTION)
        view = self._in_first_world(view)
        self.view = replace(view, resolution=resolution, width=self.width(), height=self.height())
        self._spot = None
        self.update()
        self._settle.start()
        self.looked.emit()

    def _in_first_world(self, view: View) -> View:
        """Return a view moved by whole worlds, where the CRS repeats them; what is on show moves with it."""
        domain = domain_of(view.crs)
        by = domain.canonical(view.x) - view.x if domain is not None else 0.0
        if not by:
            return view
        shift = lambda shown: (shown[0], replace(shown[1], x=shown[1].x + by))  # noqa: E731
        self.frames = [shift(shown) for shown in self.frames]
        self._under = shift(self._under) if self._under is not None else None
        return replace(view, x=view.x + by)

    def show_frames(self, frames: list[Frame]) -> None:
        self.frames = [(image_of(frame), frame.view) for frame in frames]
        self._under = None
        self.update()

    def show_begun(self, frame: Frame) -> None:
        """Show a frame as far as it is, over the last whole one."""
        if self._under is None and len(self.frames) == 1:
            self._under = self.frames[0]
        self.frames = [(image_of(frame), frame.view)]
        self.update()

    def wanted_view(self) -> View | None:
        """Return the view to draw, in device pixels."""
        density = self.devicePixelRatioF()
        if self.view is None:
            return None
        return replace(
            self.view,
            resolution=self.view.resolution / density,
            width=round(self.width() * density),
            height=round(self.height() * density),
            density=density,
        )

    @property
    def settling(self) -> bool:
        """Return whether a frame of the present view is still to be asked for."""
        return self._settle.isActive()

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.view is None:
            return
        if self._under is not None:
            self._paint_frame(painter, *self._under)
        size = QSizeF(self.size())
        self.sides.paint(painter, self.frames, size, self.theme, self._paint_frame)
        if len(self.frames) == 2:
            self.sides.paint_marks(painter, size, self.theme)
        if self.frames:
            paint_scale(painter, self.scale_bar(), self.height(), self.theme)
            paint_credit(painter, self.credit, self.rect(), self.theme)
            if self.shows_north:
                paint_north(painter, self.view, self.width(), self.theme)
            if self.legend is not None:
                paint_change_legend(painter, self.legend, self.rect(), self.theme)
        if self.shape is not None:
            paint_shape(painter, self.shape[0], self.view, self.theme, closed=self.shape[1])
        if self.tool is not None:
            self.tool.paint(painter, self.view, self.theme)
            words = self.say or self.tool.hint
            paint_label(painter, words, QPointF(self.width() / 2, 10), self.width(), self.theme, middle=True)
        if self.mark:
            self._paint_mark(painter, QPointF(*self.view.to_pixel(*self.mark)))
        paint_discs(painter, self.discs, self.view, self.theme)
        if self.hasFocus() and self.view and not self.underMouse():
            self._paint_cross(painter, QPointF(self.width() / 2, self.height() / 2))
        if self.seen is not None:
            paint_seen(painter, self.seen, self.view, self.theme)
        if self.stretch is not None and len(self.stretch) > 1:
            paint_line(painter, self.stretch, self.view, self.theme)
        paint_names(painter, self.names, self.view, self.theme)
        if self.spots is not None:
            paint_spots(painter, *self.spots, self.view, self.theme)
        if self.cross is not None:
            self._paint_cross(painter, QPointF(*self.view.to_pixel(*self.cross)))
        if self._box is not None:
            painter.setPen(QPen(QColor(self.theme.accent), 1.5, Qt.PenStyle.DashLine))
            painter.drawRect(self._box)
        if self.hint:
            at = QPointF(self.width() / 2, self.height() - 26)
            paint_label(painter, self.hint, at, self.width(), self.theme, middle=True)

    def _paint_frame(self, painter: QPainter, image: QImage, view: View) -> None:
        """Paint a frame where it lies under the current view, which may be turned against it by now."""
        assert self.view is not None
        if view.turn == self.view.turn:
            painter.drawImage(self._where(view), image)
            return
        scale = view.resolution / self.view.resolution
        width, height = view.width * scale, view.height * scale
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.translate(QPointF(*self.view.to_pixel(view.x, view.y)))
        painter.rotate(self.view.turn - view.turn)
        painter.drawImage(QRectF(-width / 2, -height / 2, width, height), image)
        painter.restore()

    def _where(self, view: View) -> QRectF:
        """Return where a frame that is turned as the current view lies on the canvas."""
        assert self.view is not None
        left, top = self.view.plane.to_pixel(*view.origin)
        scale = view.resolution / self.view.resolution
        width, height = view.width * scale, view.height * scale
        if abs(width - round(width)) < 1e-6 and abs(height - round(height)) < 1e-6:
            left, top = round(left), round(top)  # an unscaled frame is shown pixel for pixel
        return QRectF(left, top, width, height)

    def scale_bar(self) -> tuple[float, str] | None:
        """Return the bar's width in pixels and its label, at the latitude of the view's middle."""
        from brisk_atlas.core.draw.overlays import scale_bar

        return scale_bar(self.view) if self.view is not None else None

    def _paint_mark(self, painter: QPainter, at: QPointF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((self.theme.raised, 5), (self.theme.accent, 2)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawEllipse(at, 7, 7)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                painter.drawLine(QPointF(at.x() + dx * 7, at.y() + dy * 7), QPointF(at.x() + dx * 13, at.y() + dy * 13))

    def _paint_cross(self, painter: QPainter, at: QPointF) -> None:
        """Mark where the keyboard points, or the pointer of another pane."""
        x, y = at.x(), at.y()
        for colour, width in ((self.theme.raised, 3), (self.theme.ink, 1)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLine(QPointF(x - 9, y), QPointF(x + 9, y))
            painter.drawLine(QPointF(x, y - 9), QPointF(x, y + 9))

    # The hand

    def take_tool(self, kind: str) -> None:
        """Put a drawing tool into the hand; the same again, or an empty name, puts it away."""
        put_away = not kind or (self.tool is not None and self.tool.kind == kind)
        self.hold_tool(None if put_away else HandTool(kind, self.shape_ended, self.shape_going.emit))

    def hold_tool(self, tool: HandTool | CornerTool | None) -> None:
        """Have a tool in the hand from now on, or none."""
        self.tool = tool
        self.say = ""
        self.setFocus()
        self.update()
        self.tool_changed.emit()

    def shape_ended(self, kind: str, xy: np.ndarray) -> None:
        """Take a shape that a tool has drawn."""
        self.shape = None if kind in (*SKETCHED, *NEW) else (xy, kind in CLOSED)
        self.shape_drawn.emit(kind, xy)
        self.update()

    def clear_shape(self) -> None:
        self.shape = None
        self.update()

    @property
    def spot(self) -> tuple[float, float] | None:
        """The map position that a menu was opened at, or the centre of the map."""
        return self._spot if self._spot is not None else (self.view.x, self.view.y) if self.view is not None else None

    def take_spot(self, at: QPoint | None) -> None:
        """Note the pixel that a menu is opened at; None for the centre."""
        has_place = at is not None and self.view is not None
        self._spot = self.view.to_map(at.x(), at.y()) if has_place and self.view and at else None
        self.update()

    def _near_edge(self, at: QPointF) -> bool:
        return self.sides.near_edge(at, QSizeF(self.size()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        at = event.position()
        self._press = self._last = at
        left = event.button() == Qt.MouseButton.LeftButton
        if left and self.tool is not None and self.view is not None:
            self._doing = "draw"
            self.tool.press(at, self.view.to_map(at.x(), at.y()))
            self.update()
        elif left and self._near_edge(at):
            self._doing = "edge"
        elif left and (self.boxing or event.modifiers() & Qt.KeyboardModifier.ShiftModifier):
            self._doing = "box"
        elif left and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._doing = "turn"
        elif left or event.button() == Qt.MouseButton.MiddleButton:
            self._doing = "press"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        if self.view is None:
            return
        if self.tool is not None and self._doing in ("draw", ""):
            self.tool.move(at, self.view.to_map(at.x(), at.y()))
            self.update()
        elif self._doing == "edge":
            self.sides.drag(at, QSizeF(self.size()))
            self.share_anew()
        elif self._doing == "turn" and self._last is not None:
            self.look(self.view.turned(self._bearing(at) - self._bearing(self._last)))
            self._last = at
        elif self._doing == "box" and self._press is not None:
            self._box = QRectF(self._press, at).normalized()
            self.update()
        elif self._press is not None and self._last is not None and self._doing in ("press", "pan"):
            if self._doing == "press" and (at - self._press).manhattanLength() > CLICK_PX:
                self._doing = "pan"
                self.setCursor(Qt.CursorShape.ClosedHandCursor)
            if self._doing == "pan":
                self.look(self.view.panned(at.x() - self._last.x(), at.y() - self._last.y()))
                self._last = at
        if not self._doing:
            self.setCursor(self.sides.cursor if self._near_edge(at) else QCursor(Qt.CursorShape.CrossCursor))
        self.sides.pointer = at
        if self.sides.divides and self.sides.divide is Divide.GLASS:
            self.share_anew()
        self.pointer_moved.emit(*self.view.to_map(at.x(), at.y()))

    def _bearing(self, at: QPointF) -> float:
        """Return the direction of a pixel from the middle, degrees clockwise from up."""
        return degrees(atan2(at.x() - self.width() / 2, self.height() / 2 - at.y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        doing, self._doing = self._doing, ""
        self.setCursor(Qt.CursorShape.CrossCursor)
        if doing == "draw" and self.tool is not None and self.view is not None:
            self.tool.release(self.view.to_map(event.position().x(), event.position().y()))
        if self.view is not None and doing == "press" and event.button() == Qt.MouseButton.LeftButton:
            self.probed.emit(*self.view.to_map(event.position().x(), event.position().y()))
        if doing == "box" and self._box is not None and self.view is not None:
            box, self._box = self._box, None
            self.boxing = False
            if box.width() > CLICK_PX and box.height() > CLICK_PX:
                x, y = self.view.to_map(box.center().x(), box.center().y())
                closer = max(box.width() / self.width(), box.height() / self.height())
                self.look(replace(self.view, x=x, y=y, resolution=self.view.resolution * closer))
        self._press = self._last = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.tool is not None:
            self.tool.finish()
            self.update()
        else:
            self.mousePressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if self.view is not None and event.angleDelta().y():
            at = event.position()
            self.look(self.view.zoomed(WHEEL_ZOOM ** (event.angleDelta().y() / 120), at.x(), at.y()))
        event.accept()

    def leaveEvent(self, event: object) -> None:
        self.sides.pointer = None
        self.pointer_left.emit()
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Let Delete mean what a tool in the hand has chosen, not the layer of the window's command."""
        key = event if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride else None
        if key is not None and key.key() == Qt.Key.Key_Delete and isinstance(self.tool, CornerTool):
            event = key
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, view = event.key(), self.view
        steps = {Qt.Key.Key_Left: (1, 0), Qt.Key.Key_Right: (-1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if view is None:
            super().keyPressEvent(event)
        elif self.tool is not None and self._tool_key(Qt.Key(key)):
            self.update()
        elif key in steps:
            dx, dy = steps[Qt.Key(key)]
            self.look(view.panned(dx * KEY_PAN * fine * self.width(), dy * KEY_PAN * fine * self.height()))
            self._tell_centre()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = WHEEL_ZOOM if key != Qt.Key.Key_Minus else 1 / WHEEL_ZOOM
            self.look(view.zoomed(factor, self.width() / 2, self.height() / 2))
        elif key in (Qt.Key.Key_Comma, Qt.Key.Key_Period, Qt.Key.Key_Less, Qt.Key.Key_Greater):
            self.look(view.turned((TURN_DEG if key in (Qt.Key.Key_Period, Qt.Key.Key_Greater) else -TURN_DEG) * fine))
        elif key in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.probed.emit(view.x, view.y)
        elif key in SIDE_KEYS and self.sides.titles is not None:
            self._side_key(SIDE_KEYS[Qt.Key(key)], repeated=event.isAutoRepeat())
        elif key == Qt.Key.Key_Escape:
            self._box, self._doing, self.boxing = None, "", False
            self.update()
        else:
            super().keyPressEvent(event)

    def _tool_key(self, key: Qt.Key) -> bool:
        """Let the tool in the hand have a key; returns whether it took it. Space sets a corner in the middle."""
        assert self.tool is not None and self.view is not None
        if key == Qt.Key.Key_Escape:
            self.take_tool("")
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.tool.finish()
        elif key == Qt.Key.Key_Backspace:
            self.tool.take_back()
        elif key == Qt.Key.Key_Delete:
            return self.tool.remove_corner()
        elif key == Qt.Key.Key_Space and self.tool.kind not in DRAGGED:
            middle = QPointF(self.width() / 2, self.height() / 2)
            self.tool.press(middle, (self.view.x, self.view.y))
        else:
            return False
        return True

    def _tell_centre(self) -> None:
        if self.view:
            self.pointer_moved.emit(self.view.x, self.view.y)

    def _side_key(self, direction: int, *, repeated: bool) -> None:
        """Move the edge, size the glass, or hold one of two sides that blink while the key is down."""
        if self.sides.way is Way.CURTAIN:
            self.sides.step(direction)
            self.share_anew()
        elif not repeated:
            self.side_held.emit(max(0.0, float(direction)))

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in SIDE_KEYS and self.sides.way is Way.BLINK and not event.isAutoRepeat():
            self.side_held.emit(-1.0)
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.side_held.emit(-1.0)  # its release may go elsewhere
        super().focusOutEvent(event)

    def move_edge(self, share: float) -> None:
        """Put the edge between A and B at a share of the width or height."""
        self.sides.move(share)
        self.share_anew()

    def share_anew(self) -> None:
        """Paint A and B anew, as they share the canvas in another way."""
        self.update()
        self.sides_changed.emit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self.view is not None:
            x, y = self.view.x, self.view.y
            self.look(replace(self.view, x=x, y=y, width=self.width(), height=self.height()))

    def centre_on(self, x: float, y: float) -> None:
        """Put a map position in the centre, at the same scale."""
        if self.view is not None:
            self.look(replace(self.view, x=x, y=y))

    def look_at_centre(self, x: float, y: float, resolution: float, crs: str | None) -> None:
        turn = self.view.turn if self.view is not None else 0.0
        self.look(View(x, y, resolution, self.width(), self.height(), crs, turn=turn))
