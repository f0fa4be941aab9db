"""The picture of a strip log: holes beside each other, a cursor across all of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.inspect.hole_tables import plain
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.strip.holes.drawing import Drawing
from brisk_atlas.core.strip.holes.log_drawing import (
    GAP,
    HoleOnShow,
    LogInks,
    depths_shown,
    head_height,
    log_drawing,
    measured_of,
    width_of,
)
from brisk_atlas.core.strip.holes.tracks import LogTemplate, TrackKind

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme
from .log_painter import LogPainter
from .log_photos import LogPhotos

PX_MM = 4.4
WHEEL_SHARE, WHEEL_ZOOM, KEY_SHARE = 0.12, 1.25, 0.1
DRAG_PX, NEAR_PX, SIDE_PX = 4, 5, 8
SMALLEST_STRETCH = 0.5  # metres that fill the canvas


class LogSpot(NamedTuple):
    """A place of a log: the hole by number, and the depth along it, metres."""

    hole: int
    measured: float


class LogCanvas(QWidget):
    """Shows the tracks of holes. The wheel moves along the depth, with Ctrl it comes closer; a drag chooses a stretch,
    or moves a marker; from a marker to another hole it makes one of the same name there.

    Signals:
        pointed(object): a LogSpot of the cursor, None for none.
        chosen(object): two depths along the hole under the hand of a stretch, with the hole; None for none.
        sight_changed(): other depths are in sight.
        marker_moved(object, float): a HoleMarker and its new depth.
        marker_made(str, str, float): a name, a hole, a depth.
        photo_opened(object): the reference of a photograph that was clicked twice.
        menu_wanted(object, object): a LogSpot and where on the screen, for the menu.
    """

    pointed = pyqtSignal(object)
    chosen = pyqtSignal(object)
    sight_changed = pyqtSignal()
    marker_moved = pyqtSignal(object, float)
    marker_made = pyqtSignal(str, str, float)
    photo_opened = pyqtSignal(object)
    menu_wanted = pyqtSignal(object, object)

    def __init__(self, photos: LogPhotos) -> None:
        super().__init__()
        self.setObjectName("log canvas")
        self.setAccessibleName(tr("Strip log"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(220, 160)
        self.theme: Theme = LIGHT
        self.holes: tuple[HoleOnShow, ...] = ()
        self.template: LogTemplate | None = None
        self.markers: tuple[HoleMarker, ...] = ()
        self.low, self.high = 0.0, 1.0  # depths as stated, in sight
        self.offset = 0.0  # pixels by which the tracks are moved to the left
        self.cursor_at: LogSpot | None = None
        self.stretch: tuple[int, float, float] | None = None  # of a hole, metres along it
        self.picked: np.ndarray | None = None  # depths along the first hole, that the brush of a cross-plot picks
        self.message = ""
        self.photos = photos
        self.painted = LogPainter(self.font(), self._photo)
        self._picture: tuple[tuple, QPixmap] | None = None
        self._pressed: tuple[QPointF, LogSpot | None, HoleMarker | None] | None = None
        self._dragged: float | None = None  # where a marker is held now, metres along its hole
        photos.arrived.connect(self._photo_arrived)

    # What is shown

    def show_holes(self, holes: Sequence[HoleOnShow], template: LogTemplate | None, message: str = "") -> None:
        """Show holes with the tracks of a template, all of them if they are others; or say why there is none."""
        before = [each.data for each in self.holes]
        other = [each.data for each in holes] != before
        scale_changed = self.template is not None and template is not None and self.template.depth != template.depth
        self.holes, self.template, self.message = tuple(holes), template, message
        self._picture = None
        if other:
            self.cursor_at, self.stretch, self.picked, self.offset = None, None, None, 0.0
        if other or scale_changed or any(a.shift != b.shift for a, b in zip(holes, self.holes)):
            self.show_all()
        self.update()

    def show_picked(self, depths: np.ndarray | None) -> None:
        """Mark depths along the first hole, metres, or none."""
        self.picked = depths
        self.update()

    def show_markers(self, markers: Sequence[HoleMarker]) -> None:
        """Show other markers."""
        self.markers = tuple(markers)
        self._picture = None
        self.update()

    @property
    def limits(self) -> tuple[float, float]:
        """The depths, as stated, between which there is anything."""
        if not self.holes or self.template is None:
            return 0.0, 1.0
        ends = [each.shown(np.array(each.data.depth_range), self.template.depth) for each in self.holes]
        return float(min(each.min() for each in ends)), float(max(each.max() for each in ends))

    def show_all(self) -> None:
        """Bring all depths into sight."""
        low, high = self.limits
        rim = (high - low) * 0.01
        self.see(low - rim, high + rim)

    def see(self, low: float, high: float) -> None:
        """Bring the depths between two, as stated, into sight."""
        first, last = self.limits
        rim = (last - first) * 0.05
        wide = min(max(high - low, SMALLEST_STRETCH), (last - first) + 2 * rim)
        self.low = min(max(low, first - rim), last + rim - wide)
        self.high = self.low + wide
        self._picture = None
        self.sight_changed.emit()
        self.update()

    def zoom(self, factor: float, at: float) -> None:
        """Come a factor closer to a depth, which stays where it is."""
        wide = (self.high - self.low) / factor
        share = (at - self.low) / max(self.high - self.low, 1e-12)
        self.see(at - share * wide, at + (1 - share) * wide)

    def move_by(self, share: float) -> None:
        """Move along by a share of what is in sight."""
        step = share * (self.high - self.low)
        self.see(self.low + step, self.high + step)

    # Places

    @property
    def head_px(self) -> float:
        """How high the heads are."""
        return head_height(self.template) * PX_MM if self.template is not None else 0.0

    @property
    def hole_px(self) -> float:
        """How wide the tracks of a hole are, with the gap."""
        return (width_of(self.template) + GAP) * PX_MM if self.template is not None else 1.0

    @property
    def whole_px(self) -> float:
        """How wide all of it is."""
        return max(0.0, self.hole_px * len(self.holes) - GAP * PX_MM + 2 * SIDE_PX)

    def depth_at(self, y: float) -> float:
        """Return the depth, as stated, at a row of the canvas."""
        share = (y - self.head_px) / max(1.0, self.height() - self.head_px)
        return self.low + share * (self.high - self.low)

    def y_of(self, shown: float) -> float:
        """Return the row of the canvas of a depth as stated."""
        share = (shown - self.low) / max(self.high - self.low, 1e-12)
        return self.head_px + share * (self.height() - self.head_px)

    def spot_at(self, x: float, y: float) -> LogSpot | None:
        """Return the place of a hole at a pixel; None outside the tracks."""
        if self.template is None or y < self.head_px or not self.holes:
            return None
        number, into = divmod(x + self.offset - SIDE_PX, self.hole_px)
        if not 0 <= number < len(self.holes) or into > width_of(self.template) * PX_MM:
            return None
        hole = self.holes[int(number)]
        measured = float(measured_of(hole.data, self.depth_at(y) + hole.shift, self.template.depth)[0])
        return LogSpot(int(number), measured) if np.isfinite(measured) else None

    def shown_of(self, spot: LogSpot) -> float:
        """Return the depth as stated of a place."""
        assert self.template is not None
        return float(self.holes[spot.hole].shown(spot.measured, self.template.depth)[0])

    def _marker_near(self, x: float, y: float) -> HoleMarker | None:
        spot = self.spot_at(x, y)
        if spot is None or self.template is None:
            return None
        name = self.holes[spot.hole].data.hole.name
        for marker in self.markers:
            if plain(marker.hole) == plain(name):
                there = self.y_of(self.shown_of(LogSpot(spot.hole, marker.depth)))
                if abs(there - y) <= NEAR_PX:
                    return marker
        return None

    def _photo_at(self, x: float, y: float) -> DataRef | None:
        spot = self.spot_at(x, y)
        if spot is None or self.template is None:
            return None
        into = ((x + self.offset - SIDE_PX) % self.hole_px) / PX_MM
        for track in self.template.tracks:
            if into < track.width:
                if track.kind is not TrackKind.PICTURES:
                    return None
                pictures = self.holes[spot.hole].data.hole.pictures
                return next((each.ref for each in pictures if each.top <= spot.measured <= each.base), None)
            into -= track.width
        return None

    # Painting

    def _photo(self, ref: DataRef, longest: int) -> QImage | None:
        return self.photos.get(ref, longest)

    def _photo_arrived(self) -> None:
        self._picture = None
        self.update()

    def drawing(self) -> Drawing:
        """Return what is in sight as a drawing."""
        assert self.template is not None
        inks = LogInks(self.theme.ink, self.theme.quiet, self.theme.rule, self.theme.raised)
        height = self.height() / PX_MM
        return log_drawing(self.holes, self.template, (self.low, self.high), height, self._markers_now(), inks, PX_MM)

    def _markers_now(self) -> tuple[HoleMarker, ...]:
        """Return the markers, the one that is dragged where it is held."""
        held = self._pressed[2] if self._pressed is not None else None
        if held is None or self._dragged is None:
            return self.markers
        return tuple(HoleMarker(m.name, m.hole, self._dragged) if m == held else m for m in self.markers)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if not self.holes or self.template is None:
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(self.rect().adjusted(20, 10, -20, -10),
                             Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)  # fmt: skip
            return
        painter.drawPixmap(0, 0, self._picture_now())
        self._paint_stretch(painter)
        self._paint_picked(painter)
        if self.cursor_at is not None:
            self._paint_cursor(painter, self.cursor_at)

    def _picture_now(self) -> QPixmap:
        """Return the picture of the tracks, drawn once for what is in sight: the cursor moves over it."""
        state = (self.size(), self.devicePixelRatioF(), self.low, self.high, self.offset, self.theme, self._dragged)
        if self._picture is None or self._picture[0] != state:
            ratio = self.devicePixelRatioF()
            picture = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(QColor(self.theme.paper))
            inner = picture_painter(picture)
            inner.translate(SIDE_PX - self.offset, 0)
            self.painted.paint(inner, self.drawing(), PX_MM)
            inner.end()
            self._picture = state, picture
        return self._picture[1]

    def _paint_cursor(self, painter: QPainter, spot: LogSpot) -> None:
        y = self.y_of(self.shown_of(spot))
        painter.setPen(QPen(QColor(self.theme.accent), 1))
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def _paint_stretch(self, painter: QPainter) -> None:
        if self.stretch is None or self.template is None or self.stretch[0] >= len(self.holes):
            return
        hole, top, base = self.stretch
        upper, lower = (self.y_of(self.shown_of(LogSpot(hole, each))) for each in (top, base))
        shade = QColor(self.theme.accent)
        shade.setAlpha(36)
        left = SIDE_PX - self.offset + hole * self.hole_px
        painter.fillRect(QRectF(left, upper, self.hole_px - GAP * PX_MM, lower - upper), shade)

    def _paint_picked(self, painter: QPainter) -> None:
        """Draw a stroke over the tracks of the first hole at each depth that is picked, one a row of pixels."""
        if self.picked is None or self.template is None:
            return
        share = (self.holes[0].shown(self.picked, self.template.depth) - self.low) / (self.high - self.low)
        rows = np.unique(np.round(self.head_px + share * (self.height() - self.head_px)).astype(int))
        ink = QColor(self.theme.accent)
        ink.setAlpha(110)
        painter.setPen(QPen(ink, 1))
        left = SIDE_PX - self.offset
        for row in rows[(rows >= self.head_px) & (rows <= self.height())].tolist():
            painter.drawLine(QPointF(left, row), QPointF(left + self.hole_px - GAP * PX_MM, row))

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        at = event.position()
        if event.button() == Qt.MouseButton.LeftButton and self.holes:
            self._pressed = at, self.spot_at(at.x(), at.y()), self._marker_near(at.x(), at.y())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        spot = self.spot_at(at.x(), at.y())
        self.put_cursor(spot)
        if self._pressed is None or abs(at.y() - self._pressed[0].y()) + abs(at.x() - self._pressed[0].x()) < DRAG_PX:
            near = self._marker_near(at.x(), at.y())
            self.setCursor(Qt.CursorShape.SizeVerCursor if near is not None else Qt.CursorShape.ArrowCursor)
            return
        _, begin, marker = self._pressed
        if marker is not None:
            same = spot is not None and begin is not None and spot.hole == begin.hole
            self._dragged = spot.measured if spot is not None and same else None
            self.update()
        elif begin is not None and spot is not None and spot.hole == begin.hole:
            ends = sorted((begin.measured, spot.measured))
            self.choose((begin.hole, ends[0], ends[1]))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pressed, self._pressed = self._pressed, None
        dragged, self._dragged = self._dragged, None
        if pressed is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        spot = self.spot_at(at.x(), at.y())
        moved = abs(at.y() - pressed[0].y()) + abs(at.x() - pressed[0].x()) >= DRAG_PX
        marker = pressed[2]
        if marker is not None and moved and spot is not None and pressed[1] is not None:
            if spot.hole == pressed[1].hole and dragged is not None:
                self.marker_moved.emit(marker, dragged)
            elif spot.hole != pressed[1].hole:
                self.marker_made.emit(marker.name, self.holes[spot.hole].data.hole.name, spot.measured)
        elif not moved:
            self.choose(None)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        photo = self._photo_at(at.x(), at.y())
        if photo is not None:
            self.photo_opened.emit(photo)
        else:
            self.show_all()

    def contextMenuEvent(self, event: object) -> None:
        from PyQt6.QtGui import QContextMenuEvent

        assert isinstance(event, QContextMenuEvent)
        spot = self.spot_at(event.pos().x(), event.pos().y())
        if spot is not None:
            self.menu_wanted.emit(spot, event.globalPos())

    def leaveEvent(self, event: object) -> None:
        self.put_cursor(None)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = event.angleDelta().y() / 120
        modifiers = event.modifiers()
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            self.zoom(WHEEL_ZOOM**steps, self.depth_at(event.position().y()))
        elif modifiers & Qt.KeyboardModifier.ShiftModifier or (event.angleDelta().x() and not steps):
            self.move_aside(-(steps or event.angleDelta().x() / 120) * 60)
        else:
            self.move_by(-steps * WHEEL_SHARE)
        event.accept()

    def move_aside(self, pixels: float) -> None:
        """Move to the right by so many pixels, where there is more."""
        self.offset = min(max(0.0, self.offset + pixels), max(0.0, self.whole_px - self.width()))
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        if not self.holes:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._step(1 if key == Qt.Key.Key_Down else -1)
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.move_by(0.8 if key == Qt.Key.Key_PageDown else -0.8)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.move_aside(60 if key == Qt.Key.Key_Right else -60)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            middle = self.shown_of(self.cursor_at) if self.cursor_at is not None else (self.low + self.high) / 2
            self.zoom(1 / WHEEL_ZOOM if key == Qt.Key.Key_Minus else WHEEL_ZOOM, middle)
        elif key == Qt.Key.Key_Home:
            self.show_all()
        elif key == Qt.Key.Key_Escape and self.stretch is not None:
            self.choose(None)
        else:
            super().keyPressEvent(event)

    def _step(self, way: int) -> None:
        """Move the cursor to the next depth that the first curve has, or by a share of what is in sight."""
        assert self.template is not None
        middle = LogSpot(0, float(measured_of(self.holes[0].data, (self.low + self.high) / 2, self.template.depth)[0]))
        spot = self.cursor_at or middle
        curves = self.holes[spot.hole].data.curves
        depths = curves[0].depth if curves else np.empty(0)
        if len(depths):
            at = int(np.searchsorted(depths, spot.measured + (1e-6 if way > 0 else -1e-6), "left")) - (way < 0)
            measured = float(depths[min(max(at, 0), len(depths) - 1)])
        else:
            measured = spot.measured + way * (self.high - self.low) * KEY_SHARE / 10
        self.put_cursor(LogSpot(spot.hole, measured))

    def put_cursor(self, spot: LogSpot | None) -> None:
        """Put the cursor at a place, and report it."""
        if spot != self.cursor_at:
            self.cursor_at = spot
            self.pointed.emit(spot)
            self.update()

    def choose(self, stretch: tuple[int, float, float] | None) -> None:
        """Choose a stretch of a hole, or none."""
        self.stretch = stretch
        self.chosen.emit(stretch)
        self.update()

    def hang_on(self, name: str) -> tuple[float, ...]:
        """Return by how much each hole is moved so that its marker of a name lies at 0; 0 for a hole without it."""
        assert self.template is not None
        found = []
        for hole in self.holes:
            own = hole.data.hole.name
            marker = next((m for m in self.markers if m.name == name and plain(m.hole) == plain(own)), None)
            at = depths_shown(hole.data, marker.depth, self.template.depth) if marker is not None else [0.0]
            found.append(float(at[0]))
        return tuple(found)
