"""The picture of a relief, and what hands do on it: orbit, pan, look around, come closer, walk."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.relief.eye import Eye, GroundSpot, eye_over

from ..theme import LIGHT, Theme
from .relief_signs import ReliefSign, paint_signs

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
SIDES = {"north": 180.0, "east": 270.0, "south": 0.0, "west": 90.0}  # from where, and towards which azimuth


class ReliefCanvas(QWidget):
    """Shows the newest picture. A drag orbits about the spot under the pointer; with the right button, or Shift, it
    moves the ground; with the middle one, or Ctrl, it looks around. The wheel comes closer to the pointer.

    Signals:
        moved(): another eye is wanted.
        pointed(object): the GroundSpot under the pointer, None for none.
        clicked(object): the GroundSpot that was clicked.
        point_clicked(str, int): the layer and the place in its file of the point of a cloud that was clicked.
        sized(): the picture has another size.
    """

    moved = pyqtSignal()
    pointed = pyqtSignal(object)
    clicked = pyqtSignal(object)
    point_clicked = pyqtSignal(str, int)
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
        self.message = ""
        self.mark: GroundSpot | None = None  # the pointer of another pane
        self.signs: list[ReliefSign] = []
        self.past: list[Eye] = []
        self._last: QPointF | None = None
        self._pressed: QPointF | None = None
        self._grabbed: GroundSpot | None = None

    # Pictures

    def show_picture(self, picture: ReliefPicture) -> None:
        """Show a picture, whatever its size."""
        rows, cols = picture.depth.shape
        self.picture = picture
        self.image = QImage(picture.image.tobytes(), cols, rows, cols * 4, QImage.Format.Format_RGBX8888).copy()
        self.message = ""
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
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.image is not None and not self.message:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self.image)
            if self.picture is not None:
                paint_signs(painter, self.signs, self.picture, self.eye, QRectF(self.rect()))
            self._paint_mark(painter)
        if self.message:
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(
                self.rect().adjusted(24, 24, -24, -24),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )

    def _paint_mark(self, painter: QPainter) -> None:
        at = self.eye.seen_at(self.mark, self.width(), self.height()) if self.mark is not None else None
        if at is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((self.theme.raised, 4.0), (self.theme.ink, 1.5)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLine(QPointF(at[0] - CROSS_PX, at[1]), QPointF(at[0] + CROSS_PX, at[1]))
            painter.drawLine(QPointF(at[0], at[1] - CROSS_PX), QPointF(at[0], at[1] + CROSS_PX))

    # Where the eye is

    def spot_at(self, at: QPointF) -> GroundSpot | None:
        """Return the spot of the ground that is seen at a place."""
        return self.picture.spot(at.x(), at.y()) if self.picture is not None else None

    @property
    def centre(self) -> GroundSpot:
        """The spot in the middle of the picture; where that shows the sky, one ahead of the eye."""
        found = self.spot_at(QPointF(self.width() / 2, self.height() / 2))
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
            wide = self.width() / max(1, self.height())
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
        self._last = self._pressed = event.position()
        self._grabbed = self.spot_at(event.position()) or self.centre
        self.remember()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
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
            self.turn(self.eye.panned(self._grabbed, at.x(), at.y(), self.width(), self.height()))
        else:
            self.turn(self.eye.turned_about(self._grabbed, -by.x() * DRAG_DEG, by.y() * DRAG_DEG))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pressed, self._last, self._pressed, self._grabbed = self._pressed, None, None, None
        still = pressed is not None and (event.position() - pressed).manhattanLength() < 4
        spot = self.spot_at(event.position())
        if not still or event.button() != Qt.MouseButton.LeftButton or spot is None:
            return
        at = event.position()
        point = self.picture.point(at.x(), at.y()) if self.picture is not None else None
        if point is not None and self.scene is not None and point[0] < len(self.scene.clouds):
            cloud = self.scene.clouds[point[0]]
            self.point_clicked.emit(cloud.layer_id, cloud.row(point[1]))
        else:
            self.clicked.emit(spot)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        spot = self.spot_at(event.position())
        if spot is not None:
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
            if plain and event.key() in WALKS.keys() | TURNS.keys():  # of the canvas, not of the window
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
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
        """The size of the picture at rest, pixels."""
        return QSizeF(max(16, self.width()), max(16, self.height()))
