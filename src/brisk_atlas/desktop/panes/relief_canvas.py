"""The picture of a relief, and what hands do on it: orbit, pan, look around, come closer, walk."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.draw.layer_painter import PICKED_INK
from brisk_atlas.core.relief.eye import Eye, GroundSpot, eye_over

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme
from .relief_notes import paint_notes
from .relief_signs import ReliefSign, paint_signs
from .relief_tool import ReliefTool, ReliefToolKind

if TYPE_CHECKING:
    from brisk_atlas.core.relief.scene import ReliefPicture, ReliefScene

WHEEL_ZOOM = 1.18
DRAG_DEG = 0.35  # that a pixel of a drag turns
KEY_DEG = 6.0
KEY_STEP = 0.06  # of the height over the ground, or of the distance, that a key walks
CLEARANCE = 0.0005  # of the ground's longer side, that the eye stays over it
NEAREST = 0.0004  # of the ground's longer side, that a spot is come close to
CROSS_PX = 9
WALKS = {  # ahead, right and up
    Qt.Key.Key_W: (1, 0, 0), Qt.Key.Key_S: (-1, 0, 0), Qt.Key.Key_A: (0, -1, 0), Qt.Key.Key_D: (0, 1, 0),
    Qt.Key.Key_PageUp: (0, 0, 1), Qt.Key.Key_PageDown: (0, 0, -1),
}  # fmt: skip
TURNS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
TOOL_KEYS = {Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Backspace}
MOST_PICKED = 4_000  # points that are marked; of more, as many from all over them
SIDES = {"north": 180.0, "east": 270.0, "south": 0.0, "west": 90.0}  # from where, and towards which azimuth


class ReliefCanvas(QWidget):
    """Shows the newest picture. A drag orbits about the spot under the pointer; with the right button, or Shift, it
    moves the ground; with the middle one, or Ctrl, it looks around. The wheel comes closer to the pointer.

    Signals:
        moved(): another eye is wanted.
        pointed(object): the GroundSpot under the pointer, None for none.
        clicked(object): the GroundSpot that was clicked.
        point_clicked(str, int): the layer and the place in its file of the point of a cloud that was clicked.
        feature_clicked(str, int): the layer that stands and the row that was clicked.
        line_drawn(object, bool): the ReliefTool of a line along the ground or of sight, and whether it has ended.
        area_drawn(object): (n, 2) an outline on the picture, about points to be picked.
        tool_changed(): another tool is in the hand, or none.
        sized(): the picture has another size.
    """

    moved = pyqtSignal()
    pointed = pyqtSignal(object)
    clicked = pyqtSignal(object)
    point_clicked = pyqtSignal(str, int)
    feature_clicked = pyqtSignal(str, int)
    line_drawn = pyqtSignal(object, bool)
    area_drawn = pyqtSignal(object)
    tool_changed = pyqtSignal()
    sized = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("relief canvas")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(200, 160)
        self.theme: Theme = LIGHT
        self.eye = Eye()
        self.scene: ReliefScene | None = None
        self.picture: ReliefPicture | None = None
        self.image: QImage | None = None
        self.twin_image: QImage | None = None
        self.twin = False  # side A and side B are seen side by side
        self.notes = ""
        self.taken_px = 0  # at the lower right, by what is read under the pointer
        self.legend: tuple[tuple[str, str], ...] = ()
        self.message = ""
        self.mark: GroundSpot | None = None  # the pointer of another pane
        self.signs: list[ReliefSign] = []
        self.tool: ReliefTool | None = None
        self.picked = np.empty((0, 3), np.float32)  # points, metres, heights as they are
        self.past: list[Eye] = []
        self._last: QPointF | None = None
        self._pressed: QPointF | None = None
        self._grabbed: GroundSpot | None = None

    # Pictures

    def show_picture(self, picture: ReliefPicture) -> None:
        """Show a picture, whatever its size."""
        self.picture = picture
        self.image = _image_of(picture.image)
        self.twin_image = _image_of(picture.twin) if picture.twin is not None else None
        self.message = ""
        self.update()

    def show_notes(self, text: str, legend: tuple[tuple[str, str], ...]) -> None:
        """State what is known of the heights and of what stands, and what colours mean."""
        self.notes, self.legend = text, legend
        self.update()

    def show_signs(self, signs: list[ReliefSign]) -> None:
        """Show labels over their spots."""
        self.signs = signs
        self.update()

    def show_message(self, text: str) -> None:
        """Say why there is no picture."""
        self.message = text
        self.update()

    def show_mark(self, spot: GroundSpot | None) -> None:
        """Mark where the pointer of another pane is."""
        self.mark = spot
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.image is not None and not self.message:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            for number, (half, image) in enumerate(self._halves()):
                painter.save()
                painter.translate(half.left(), 0.0)
                painter.setClipRect(QRectF(0.0, 0.0, half.width(), half.height()))
                painter.drawImage(QRectF(0.0, 0.0, half.width(), half.height()), image)
                if self.picture is not None:
                    paint_signs(painter, self.signs, self.picture, self.eye, QRectF(QPointF(), half.size()))
                self._paint_picked(painter, half.size())
                self._paint_mark(painter)
                if self.tool is not None:
                    bend = self.scene.space.bend if self.scene is not None else 0.0
                    self.tool.paint(painter, self.eye, bend, (round(half.width()), round(half.height())), self.theme)
                if self.twin:
                    paint_notes(painter, "AB"[number], (), QRectF(0, 0, 40, 30), self.theme)
                painter.restore()
            if self.twin:
                painter.fillRect(QRectF(self.width() / 2 - 1, 0, 2, self.height()), QColor(self.theme.raised))
            room = QRectF(self.rect()).adjusted(0, 0, -self.taken_px, 0)
            paint_notes(painter, self.notes, self.legend, room, self.theme)
        if self.message:
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(
                self.rect().adjusted(24, 24, -24, -24),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )

    def _halves(self) -> list[tuple[QRectF, QImage]]:
        """Return the pictures and where they are painted: one, or side A and side B of a twin."""
        assert self.image is not None
        size = self.drawn_size
        if not self.twin:
            return [(QRectF(self.rect()), self.image)]
        found = [(QRectF(QPointF(), size), self.image)]
        if self.twin_image is not None:
            found.append((QRectF(QPointF(self.width() - size.width(), 0), size), self.twin_image))
        return found

    def _own(self, at: QPointF) -> QPointF:
        """Return a place of the canvas as one of the picture: that of side A, too, of a twin."""
        right = self.width() - self.drawn_size.width()
        return QPointF(at.x() - right, at.y()) if self.twin and at.x() >= right else at

    def _paint_mark(self, painter: QPainter) -> None:
        size = self.drawn_size
        if self.mark is None or self.scene is None:
            return
        spot = np.array([(*self.mark[:2], self.mark.up / self.eye.exaggeration)])
        at = self.eye.places_of(spot, self.scene.space.bend, round(size.width()), round(size.height()))[0].tolist()
        if not np.isfinite(at[0]):
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((self.theme.raised, 4.0), (self.theme.ink, 1.5)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLine(QPointF(at[0] - CROSS_PX, at[1]), QPointF(at[0] + CROSS_PX, at[1]))
            painter.drawLine(QPointF(at[0], at[1] - CROSS_PX), QPointF(at[0], at[1] + CROSS_PX))

    def _paint_picked(self, painter: QPainter, size: QSizeF) -> None:
        if self.scene is None or not len(self.picked):
            return
        some = self.picked[:: max(1, len(self.picked) // MOST_PICKED)].astype(float)
        at = self.eye.places_of(some, self.scene.space.bend, round(size.width()), round(size.height()))[:, :2]
        painter.setPen(QPen(QColor(PICKED_INK), 1.6))
        painter.drawPoints(QPolygonF([QPointF(*each) for each in at[np.isfinite(at).all(axis=1)].tolist()]))

    # The tool in the hand

    def take_tool(self, kind: ReliefToolKind | None) -> None:
        """Take a tool into the hand; the one that is there is put away."""
        self.tool = ReliefTool(kind) if kind is not None else None
        self.setCursor(Qt.CursorShape.CrossCursor if kind is not None else Qt.CursorShape.ArrowCursor)
        self.tool_changed.emit()
        self.update()

    def _use_tool(self, tool: ReliefTool, spot: GroundSpot | None) -> None:
        """Take a spot that was clicked into what is drawn."""
        if spot is None:
            return
        if tool.kind is ReliefToolKind.SIGHT and len(tool.spots) == 2:
            tool.spots = []
        tool.spots.append(spot._replace(up=spot.up / self.eye.exaggeration))
        tool.words = ""
        self.line_drawn.emit(tool, False)
        self.update()

    def _tool_key(self, tool: ReliefTool, key: Qt.Key) -> bool:
        """Return whether a key was for the tool in the hand."""
        if key == Qt.Key.Key_Escape:
            self.take_tool(None)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and len(tool.spots) > 1:
            self.line_drawn.emit(tool, True)
        elif key == Qt.Key.Key_Backspace and tool.spots:
            tool.spots.pop()
            tool.words = ""
            self.line_drawn.emit(tool, False)
            self.update()
        else:
            return False
        return True

    # Where the eye is

    def spot_at(self, at: QPointF) -> GroundSpot | None:
        """Return the spot of the ground that is seen at a place."""
        own = self._own(at)
        return self.picture.spot(own.x(), own.y()) if self.picture is not None else None

    @property
    def centre(self) -> GroundSpot:
        """The spot in the middle of the picture; where that shows the sky, one ahead of the eye."""
        size = self.drawn_size
        found = self.spot_at(QPointF(size.width() / 2, size.height() / 2))
        if found is not None:
            return found
        away = max((self.eye.east**2 + self.eye.north**2) ** 0.5, 1.0)
        ahead = self.eye.ahead
        return GroundSpot(
            self.eye.east + away * ahead[0], self.eye.north + away * ahead[1], self.eye.up + away * ahead[2]
        )

    def turn(self, eye: Eye) -> None:
        """Look from elsewhere, within the limits."""
        scene = self.scene
        if scene is not None:
            ground = scene.ground_up(eye.east, eye.north, eye.exaggeration)
            eye = eye.within(scene.space, ground, CLEARANCE * scene.space.longer)
        self.eye = eye
        self.moved.emit()

    def jump(self, eye: Eye) -> None:
        """Look from elsewhere, so that one can go back."""
        self.remember()
        self.turn(eye)

    def remember(self) -> None:
        """Note the present eye, to go back to."""
        if not self.past or self.past[-1] != self.eye:
            self.past = [*self.past[-99:], self.eye]

    def go_back(self) -> None:
        """Look from where the eye was before the last move."""
        while self.past and self.past[-1] == self.eye:
            self.past.pop()
        if self.past:
            self.turn(replace(self.past.pop(), exaggeration=self.eye.exaggeration))

    def show_whole(self) -> None:
        """Bring all of the ground into the picture, from the side it is looked at now."""
        if self.scene is not None:
            wide = self.drawn_size.width() / max(1, self.height())
            self.jump(eye_over(self.scene.outline, wide, replace(self.eye, tilt=max(self.eye.tilt, 20.0))))

    def look_at(self, spot: GroundSpot) -> None:
        """Turn so that a spot is in the middle, from where the eye is seen to it by now."""
        distance = self.eye.distance_to(spot)
        self.jump(
            Eye.looking_at(spot, distance, self.eye.azimuth, self.eye.tilt, self.eye.field, self.eye.exaggeration)
        )

    def look_from(self, side: str) -> None:
        """Look at the spot in the middle from the north, east, south, west, or from above."""
        spot, azimuth = self.centre, SIDES.get(side, self.eye.azimuth)
        tilt = 90.0 if side == "above" else self.eye.tilt if self.eye.tilt < 80 else 32.0
        distance = self.eye.distance_to(spot)
        self.jump(Eye.looking_at(spot, distance, azimuth, tilt, self.eye.field, self.eye.exaggeration))

    def exaggerate(self, factor: float) -> None:
        """Exaggerate heights by a factor; the spot in the middle stays in place."""
        self.turn(self.eye.exaggerated(factor, self.centre if self.picture is not None else None))

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        if self.tool is not None and self.tool.is_dragged and event.button() == Qt.MouseButton.LeftButton:
            self.tool.begin(event.position())
            return
        self._last = self._pressed = event.position()
        self._grabbed = self.spot_at(event.position()) or self.centre
        self.remember()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        if self.tool is not None and self.tool.outline:
            self.tool.drag(at)
            self.update()
            return
        if self._last is None or not event.buttons():
            self.pointed.emit(self.spot_at(at))
            return
        by, self._last = at - self._last, at
        if self._grabbed is None:
            return
        held, keys = event.buttons(), event.modifiers()
        if held & Qt.MouseButton.MiddleButton or keys & Qt.KeyboardModifier.ControlModifier:
            self.turn(self.eye.looked_around(-by.x() * DRAG_DEG / 2, -by.y() * DRAG_DEG / 2))
        elif held & Qt.MouseButton.RightButton or keys & Qt.KeyboardModifier.ShiftModifier:
            size, own = self.drawn_size, self._own(at)
            self.turn(self.eye.panned(self._grabbed, own.x(), own.y(), round(size.width()), round(size.height())))
        else:
            self.turn(self.eye.turned_about(self._grabbed, -by.x() * DRAG_DEG, by.y() * DRAG_DEG))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.tool is not None and self.tool.outline:
            outline = self.tool.end()
            self.update()
            if outline is not None:
                self.area_drawn.emit(outline)
            return
        pressed, self._last, self._pressed, self._grabbed = self._pressed, None, None, None
        still = pressed is not None and (event.position() - pressed).manhattanLength() < 4
        spot = self.spot_at(event.position())
        if not still or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        if self.tool is not None:
            self._use_tool(self.tool, spot)
        elif not self._click_thing(at) and spot is not None:
            self.clicked.emit(spot)

    def _click_thing(self, at: QPointF) -> bool:
        """Report the point of a cloud, or the feature that stands, that is seen at a place; returns whether one is."""
        found = self.picture.thing(self._own(at).x(), at.y()) if self.picture is not None else None
        if found is None or self.scene is None:
            return False
        number, row = found
        clouds, standing = self.scene.clouds, self.scene.bodies
        if number < len(clouds):
            self.point_clicked.emit(clouds[number].layer_id, clouds[number].row(row))
        elif number - len(clouds) < len(standing):
            self.feature_clicked.emit(standing[number - len(clouds)].layer_id, row)
        else:
            return False
        return True

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        spot = self.spot_at(event.position())
        if self.tool is not None:
            if len(self.tool.spots) > 1:
                self.line_drawn.emit(self.tool, True)
        elif spot is not None:
            self.look_at(spot)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.come_closer(WHEEL_ZOOM ** (event.angleDelta().y() / 120), self.spot_at(event.position()))
        event.accept()

    def come_closer(self, factor: float, spot: GroundSpot | None = None) -> None:
        """Come a factor closer to a spot, or to that in the middle."""
        nearest = NEAREST * self.scene.space.longer if self.scene is not None else 1.0
        self.turn(self.eye.closer(spot or self.centre, factor, nearest))

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(None)

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ShortcutOverride:
            assert isinstance(event, QKeyEvent)
            plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
            own = WALKS.keys() | TURNS.keys() | (TOOL_KEYS if self.tool is not None else set())
            if plain and event.key() in own:  # of the canvas, not of the window
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        if self.tool is not None and self._tool_key(self.tool, key):
            return
        if not event.isAutoRepeat():
            self.remember()
        if key in TURNS:
            side, up = TURNS[key]
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self.turn(self.eye.looked_around(side * KEY_DEG / 2, -up * KEY_DEG / 2))
            else:
                self.turn(self.eye.turned_about(self.centre, -side * KEY_DEG, up * KEY_DEG))
        elif key in WALKS:
            self.walk(*WALKS[key])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.come_closer(WHEEL_ZOOM)
        elif key == Qt.Key.Key_Minus:
            self.come_closer(1 / WHEEL_ZOOM)
        elif key == Qt.Key.Key_Home:
            self.show_whole()
        elif key == Qt.Key.Key_Backspace:
            self.go_back()
        else:
            super().keyPressEvent(event)

    def walk(self, ahead: int, right: int, up: int) -> None:
        """Go a step over the ground, at the height over it that the eye has; `up` and down change that height."""
        scene = self.scene
        if scene is None:
            return
        before = scene.ground_up(self.eye.east, self.eye.north, self.eye.exaggeration)
        over = self.eye.up - before if before is not None else self.eye.up
        step = KEY_STEP * max(over, CLEARANCE * scene.space.longer * 4)
        after = self.eye.walked(ahead * step, right * step, up * step)
        there = scene.ground_up(after.east, after.north, after.exaggeration)
        if not up and before is not None and there is not None:
            after = replace(after, up=there + over)
        self.turn(after)

    def resizeEvent(self, event: object) -> None:
        self.sized.emit()

    @property
    def drawn_size(self) -> QSizeF:
        """The size of the picture at rest, pixels: half the canvas for a twin."""
        width = self.width() // 2 if self.twin else self.width()
        return QSizeF(max(16, width), max(16, self.height()))


def _image_of(pixels: np.ndarray) -> QImage:
    rows, cols = pixels.shape[:2]
    return QImage(pixels.tobytes(), cols, rows, cols * 4, QImage.Format.Format_RGBX8888).copy()
