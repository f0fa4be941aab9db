"""The picture of a profile: quantities over each other above one axis of distance, with a cursor through all."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.strip.inks import INKS, legible
from brisk_atlas.core.strip.profile import Axis, Dots, Profile, StretchSummary, Trace, thinned
from brisk_atlas.core.strip.trace_view import PLAIN, Reference, TraceView, reference_of, stretch_of

from ..picture_painter import picture_painter
from ..theme import LIGHT, Theme, mono_font
from .strip_axis import axis_ticks, ticks
from .strip_dots import DotsPicture

LEFT_PX, RIGHT_PX, FOOT_PX, HEAD_PX = 74, 12, 22, 4
WHEEL_ZOOM = 1.2
DRAG_PX = 4  # that the hand moves before it chooses a stretch
WORDS_OPACITY = 205
LINE_PX, SMALLEST_PX = 17.0, 22.0  # of a line of words, and of what is drawn below them
KEY_SHARE = 0.1  # of the stretch in sight, that a key moves by


class StripBand(NamedTuple):
    """What is drawn over each other: numbers of traces and of points of corridors on one axis, and of a trace on an
    axis of its own at the right."""

    traces: tuple[int, ...]
    dots: tuple[int, ...] = ()
    right: int | None = None

    @property
    def word_lines(self) -> int:
        """How many lines of words it has."""
        return len(self.traces) + len(self.dots) + (self.right is not None)


class StripCanvas(QWidget):
    """Shows the chosen traces of a profile. A drag chooses a stretch; the wheel comes closer to the pointer, with
    Shift it moves along.

    Signals:
        pointed(object): the place of the profile at the cursor, None for none.
        chosen(object): the two distances of a stretch that was chosen, None for none.
        seen_changed(): another stretch is in sight.
    """

    pointed = pyqtSignal(object)
    chosen = pyqtSignal(object)
    seen_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip canvas")
        self.setAccessibleName(tr("Profile"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(240, 110)
        self.theme: Theme = LIGHT
        self.profile: Profile | None = None
        self.traces: tuple[Trace, ...] = ()
        self.low, self.high = 0.0, 1.0  # the distances in sight
        self.cursor_at: int | None = None
        self.stretch: tuple[float, float] | None = None
        self._summaries: dict[str, StretchSummary] = {}  # of the stretch, by trace
        self._drawn: dict[int, tuple[tuple, list[QPolygonF]]] = {}  # lines by trace, and what they were made for
        self._reach: tuple[tuple[Trace, ...], dict[tuple, tuple[float, float] | None]] | None = None
        self.together = False  # those of one unit on one axis
        self.on_two_axes = False  # the first two over each other, the second with values at the right
        self.looking: TraceView = PLAIN
        self.axis = Axis(np.zeros(0), "")
        self.dots = DotsPicture()
        self.message = ""
        self._pressed: QPointF | None = None

    # What is shown

    def show_profile(
        self, profile: Profile | None, traces: tuple[Trace, ...], message: str = "", *, by_time: bool = False,
        looking: TraceView = PLAIN,
    ) -> None:  # fmt: skip
        """Show traces of a profile, all of it if it is another one; or say why there is none. `by_time` has time at the
        foot where there is one; `looking` is how the traces came about, and what they are compared with."""
        axis = profile.axis(by_time=by_time) if profile is not None else Axis(np.zeros(0), "")
        other = profile is not self.profile or axis.unit != self.axis.unit
        self.profile, self.traces, self.message = profile, traces, message
        self.axis, self.looking = axis, looking
        self._drawn = {}
        if other:
            self.cursor_at, self.stretch = None, None
            self.show_all()
        elif self.stretch is not None:
            self.choose_stretch(self.stretch)
        self.update()

    def show_all(self) -> None:
        """Bring all of the profile into sight."""
        if self.profile is not None:
            self.see(self.axis.first, self.axis.last)

    def see(self, low: float, high: float) -> None:
        """Bring a stretch of the axis into sight, within the profile."""
        length = self.axis.last if self.profile is not None else 1.0
        wide = min(max(high - low, length * 1e-5, 1e-9), max(length, 1e-9))
        self.low = min(max(low, 0.0), max(0.0, length - wide))
        self.high = self.low + wide
        self.seen_changed.emit()
        self.update()

    def show_cursor(self, place: int | None) -> None:
        """Put the cursor at a place of the profile; reports nothing."""
        if place != self.cursor_at:
            self.cursor_at = place
            self.update()

    # Places

    def distance_at(self, x: float) -> float:
        """Return the distance along the line at a column of the canvas."""
        return self.low + (x - LEFT_PX) / max(1.0, self._wide) * (self.high - self.low)

    def x_of(self, distance: np.ndarray | float) -> np.ndarray | float:
        """Return the column of the canvas of distances along the line."""
        return LEFT_PX + (distance - self.low) / max(self.high - self.low, 1e-12) * self._wide

    @property
    def _wide(self) -> float:
        return float(max(1, self.width() - LEFT_PX - RIGHT_PX))

    @property
    def bands(self) -> list[StripBand]:
        """What each band shows: a trace each, or together those of one unit; points of corridors lie in the first band
        of their unit."""
        singles = [StripBand((number,)) for number in range(len(self.traces))]
        if self.on_two_axes and len(singles) > 1:
            singles = [StripBand((0,), (), 1), *singles[2:]]
        found = self._by_unit() if self.together and not self.on_two_axes else singles
        for number, dots in enumerate(self.profile.dots if self.profile is not None else ()):
            at = next((n for n, band in enumerate(found) if self._unit_of(band) == dots.unit), None)
            if at is None:
                found.append(StripBand((), (number,)))
            else:
                found[at] = found[at]._replace(dots=(*found[at].dots, number))
        return found

    def _by_unit(self) -> list[StripBand]:
        found: dict[str, tuple[int, ...]] = {}
        for number, trace in enumerate(self.traces):
            found[trace.unit or trace.name] = (*found.get(trace.unit or trace.name, ()), number)
        return [StripBand(numbers) for numbers in found.values()]

    def _unit_of(self, band: StripBand) -> str:
        assert self.profile is not None
        return self.traces[band.traces[0]].unit if band.traces else self.profile.dots[band.dots[0]].unit

    def box(self, place: int) -> QRectF:
        """Return where a band is drawn."""
        high = (self.height() - FOOT_PX - HEAD_PX) / max(1, len(self.bands))
        return QRectF(LEFT_PX, HEAD_PX + place * high, self._wide, high - 3)

    def plot(self, place: int) -> QRectF:
        """Return where the lines of a band are drawn: below its words, if there is room."""
        band = self.bands[place]
        box, words = self.box(place), LINE_PX * band.word_lines
        return box.adjusted(0, words, 0, 0) if box.height() - words >= SMALLEST_PX else box

    def exaggeration_of(self, place: int) -> float | None:
        """Return how many times heights of a band are drawn larger than distances, None for what is no length."""
        band = self.bands[place]
        limits = self._limits(band)
        if self.axis.unit != "m" or self._unit_of(band) != "m" or limits is None:
            return None
        return (self.plot(place).height() / (limits[1] - limits[0])) / (self._wide / (self.high - self.low))

    def _limits(self, band: StripBand) -> tuple[float, float] | None:
        assert self.profile is not None
        inside = self.axis.between(self.low, self.high)
        key = (self.low, self.high, band)
        if self._reach is None or self._reach[0] is not self.traces or key not in self._reach[1]:
            ends = [_ends(self.traces[number].values[inside]) for number in band.traces]
            ends += [self._ends_of_dots(self.profile.dots[number]) for number in band.dots]
            known = [each for each in ends if each is not None]
            found = (min(low for low, _ in known), max(high for _, high in known)) if known else None
            before = self._reach[1] if self._reach is not None and self._reach[0] is self.traces else {}
            self._reach = self.traces, {**{k: v for k, v in before.items() if k[:2] == key[:2]}, key: found}
        limits = self._reach[1][key]
        if limits is None:
            return None
        low, high = limits
        rim = (high - low) * 0.06 or max(abs(high) * 0.01, 0.5)
        return low - rim, high + rim

    def _ends_of_dots(self, dots: Dots) -> tuple[float, float] | None:
        return _ends(dots.height[(dots.distance >= self.low) & (dots.distance <= self.high)])

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.fillRect(self.rect(), QColor(self.theme.raised))
        if self.profile is None or not (self.traces or self.profile.dots):
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(self.rect().adjusted(20, 10, -20, -10),
                             Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)  # fmt: skip
            return
        painter.setFont(mono_font())
        self._paint_foot(painter)
        if self.stretch is not None:
            left, right = (float(self.x_of(each)) for each in self.stretch)
            shade = QColor(self.theme.wash)
            painter.fillRect(QRectF(left, HEAD_PX, right - left, self.height() - FOOT_PX - HEAD_PX), shade)
        for place, band in enumerate(self.bands):
            self._paint_band(painter, self.profile, place, band)
        if self.cursor_at is not None:
            x = float(self.x_of(float(self.axis.values[self.cursor_at])))
            painter.setPen(QPen(QColor(self.theme.accent), 1))
            painter.drawLine(QPointF(x, HEAD_PX), QPointF(x, self.height() - FOOT_PX))

    def _paint_foot(self, painter: QPainter) -> None:
        for at, words in axis_ticks(self.axis, self.low, self.high, max(2.0, self._wide / 90)):
            x = float(self.x_of(at))
            painter.setPen(QPen(QColor(self.theme.rule), 1))
            painter.drawLine(QPointF(x, HEAD_PX), QPointF(x, self.height() - FOOT_PX))
            painter.setPen(QColor(self.theme.quiet))
            below = QRectF(x - 45, self.height() - FOOT_PX + 2, 90, FOOT_PX - 2)
            painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, words)

    def _paint_band(self, painter: QPainter, profile: Profile, place: int, band: StripBand) -> None:
        box, limits = self.plot(place), self._limits(band)
        painter.setFont(mono_font())
        painter.setPen(QPen(QColor(self.theme.rule), 1))
        painter.drawLine(QPointF(box.left(), box.bottom() + 1.5), QPointF(box.right(), box.bottom() + 1.5))
        if limits is not None:
            self._paint_values(painter, box, limits, down=self._is_down(band))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setClipRect(box.adjusted(0, -1, 0, 2))
            for number in band.dots if self.axis.unit == profile.unit else ():
                self.dots.paint(painter, profile.dots[number], box, limits, (self.low, self.high), self.x_of)  # type: ignore[arg-type]
            for number in band.traces:
                self._paint_reference(painter, profile, number, box, limits, down=self._is_down(band))
                painter.setPen(QPen(QColor(self._ink(number)), 1.5))
                for line in self._lines_once(profile, number, box, *limits, down=self._is_down(band)):
                    if line.count() == 1:
                        painter.drawEllipse(line.first(), 1.6, 1.6)
                    painter.drawPolyline(line)
            painter.setClipping(False)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        if band.right is not None:
            self._paint_right(painter, profile, band.right, box)
        painter.setFont(self.font())
        times = self.exaggeration_of(place)
        scale = f"   × {times:.3g}" if times is not None else ""
        for row, number in enumerate(band.traces):
            self._paint_words(painter, self.words_of(number) + scale, self._ink(number), self.box(place), row)
        if band.right is not None:
            row, ink = band.word_lines - 1, self._ink(band.right)
            self._paint_words(
                painter, tr("{words_of}   at the right", words_of=self.words_of(band.right)), ink, self.box(place), row
            )
        for row, number in enumerate(band.dots, len(band.traces)):
            self._paint_words(
                painter, self._words_of_dots(profile.dots[number]) + scale, self.theme.ink, self.box(place), row
            )

    def _ink(self, number: int) -> str:
        """Return the ink of a trace, as it can be read on the strip."""
        return legible(INKS[number % len(INKS)], self.theme.raised)

    def _paint_right(self, painter: QPainter, profile: Profile, number: int, box: QRectF) -> None:
        """Draw a trace over others, with its values at the right."""
        own = StripBand((number,))
        limits, down = self._limits(own), self._is_down(own)
        if limits is None:
            return
        painter.setPen(QColor(self._ink(number)))
        for value in ticks(*limits, max(2.0, box.height() / 22)):
            y = float(_rows_of(value, *limits, box, down=down))
            words = QRectF(box.right() - 84, y - 8, 80, 16)
            painter.drawText(words, Qt.AlignmentFlag.AlignRight, number_text(value))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(box.adjusted(0, -1, 0, 2))
        painter.setPen(QPen(QColor(self._ink(number)), 1.5))
        for line in self._lines_once(profile, number, box, *limits, down=down):
            painter.drawPolyline(line)
        painter.setClipping(False)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def _paint_values(self, painter: QPainter, box: QRectF, limits: tuple[float, float], *, down: bool) -> None:
        low, high = limits
        for value in ticks(low, high, max(2.0, box.height() / 22)):
            y = float(_rows_of(value, low, high, box, down=down))
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(QRectF(0, y - 8, LEFT_PX - 6, 16), Qt.AlignmentFlag.AlignRight, number_text(value))
            painter.setPen(QPen(QColor(self.theme.rule), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))

    def _paint_reference(
        self, painter: QPainter, profile: Profile, number: int, box: QRectF, limits: tuple[float, float], *, down: bool
    ) -> None:
        """Draw what a trace is compared with as a broken line."""
        inside = self.axis.between(*self.stretch) if self.stretch is not None else None
        reference = reference_of(profile, self.traces[number], self.looking, inside)
        if reference is None:
            return
        pen = QPen(QColor(self._ink(number)), 1.2, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        trace = Trace("", "", reference)
        for line in self._lines(profile, trace, box, *limits, down=down):
            painter.drawPolyline(line)

    def _words_of_dots(self, dots: Dots) -> str:
        left_out = "" if dots.count <= len(dots.distance) else tr(", {count:,} of them drawn", count=len(dots.distance))
        return tr(
            "{name}, points, {unit}   {count:,} in the corridor{left_out}",
            name=dots.name,
            unit=dots.unit,
            count=dots.count,
            left_out=left_out,
        )

    def _is_down(self, band: StripBand) -> bool:
        return bool(band.traces) and not band.dots and all(self.traces[number].down for number in band.traces)

    def words_of(self, number: int) -> str:
        """Return what stands beside a trace: its name, and what it is at the cursor or along the stretch."""
        trace = self.traces[number]
        words = f"{trace.name}, {trace.unit}" if trace.unit else trace.name
        if self.stretch is not None and trace.name in self._summaries:
            return f"{words}   {summary_text(self._summaries[trace.name], self._level)}"
        if self.cursor_at is not None:
            value = float(trace.values[self.cursor_at])
            return f"{words}   {number_text(value) if np.isfinite(value) else 'no value'}"
        return words

    @property
    def _level(self) -> str:
        """What areas are counted from."""
        return "0" if self.looking.reference is Reference.NONE else tr("the reference")

    def _paint_words(self, painter: QPainter, words: str, ink: str, box: QRectF, line: int) -> None:
        metrics = painter.fontMetrics()
        shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, round(box.width()) - 12)
        back = QColor(self.theme.raised)
        back.setAlpha(WORDS_OPACITY)
        place = QRectF(box.left() + 3, box.top() + line * LINE_PX, metrics.horizontalAdvance(shown) + 8,
                       metrics.height())  # fmt: skip
        painter.fillRect(place, back)
        painter.setPen(QColor(ink))
        painter.drawText(place.adjusted(4, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, shown)

    def _lines_once(
        self, profile: Profile, number: int, box: QRectF, low: float, high: float, *, down: bool
    ) -> list[QPolygonF]:
        """Return the lines of a trace, worked out once for what is in sight: the cursor moves over them."""
        state = (profile, self.low, self.high, box, low, high)
        found = self._drawn.get(number)
        if found is None or found[0] != state:
            found = state, self._lines(profile, self.traces[number], box, low, high, down=down)
            self._drawn[number] = found
        return found[1]

    def _lines(
        self, profile: Profile, trace: Trace, box: QRectF, low: float, high: float, *, down: bool
    ) -> list[QPolygonF]:
        places = thinned(self.axis.values, trace.values, self.low, self.high, round(self._wide))
        if not places.size:
            return []
        seen = slice(int(places[0]), int(places[-1]) + 1)
        missing = np.cumsum(~np.isfinite(trace.values[seen]) | profile.breaks[seen])[places - places[0]]
        parts = np.split(np.arange(len(places)), np.flatnonzero(np.diff(missing)) + 1)
        x = np.asarray(self.x_of(self.axis.values[places]))
        y = np.asarray(_rows_of(trace.values[places], low, high, box, down=down))
        points = list(map(QPointF, x.tolist(), y.tolist()))
        return [QPolygonF([points[n] for n in part.tolist()]) for part in parts]

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        if event.button() == Qt.MouseButton.LeftButton and self.profile is not None:
            self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.profile is None or not len(self.profile):
            return
        at = event.position()
        self.point_at(self.distance_at(at.x()))
        if self._pressed is not None and abs(at.x() - self._pressed.x()) >= DRAG_PX:
            ends = sorted(self.distance_at(x) for x in (self._pressed.x(), at.x()))
            self.choose_stretch((max(ends[0], 0.0), min(ends[1], self.axis.last)))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pressed, self._pressed = self._pressed, None
        if pressed is not None and abs(event.position().x() - pressed.x()) < DRAG_PX:
            self.choose_stretch(None)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.show_all()

    def leaveEvent(self, event: object) -> None:
        self.cursor_at = None
        self.pointed.emit(None)
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = event.angleDelta().y() / 120
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.move_by(-steps * KEY_SHARE)
        else:
            self.zoom(WHEEL_ZOOM**steps, self.distance_at(event.position().x()))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, profile = event.key(), self.profile
        if profile is None:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.move_by(step * KEY_SHARE)
            else:
                now = self.cursor_at if self.cursor_at is not None else self.axis.nearest((self.low + self.high) / 2)
                self._put_cursor(min(max(now + step, 0), len(profile) - 1))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            middle = (
                float(self.axis.values[self.cursor_at]) if self.cursor_at is not None else (self.low + self.high) / 2
            )
            self.zoom(1 / WHEEL_ZOOM if key == Qt.Key.Key_Minus else WHEEL_ZOOM, middle)
        elif key == Qt.Key.Key_Home:
            self.show_all()
        elif key == Qt.Key.Key_Escape and self.stretch is not None:
            self.choose_stretch(None)
        else:
            super().keyPressEvent(event)

    def point_at(self, at: float) -> None:
        """Put the cursor at the place nearest to a distance or a time, and report it."""
        if self.profile is None:
            return
        self._put_cursor(self.axis.nearest(min(max(at, 0.0), self.axis.last)))

    def _put_cursor(self, place: int) -> None:
        self.cursor_at = place
        self.pointed.emit(place)
        self.update()

    def choose_stretch(self, stretch: tuple[float, float] | None) -> None:
        """Choose the stretch between two distances, or none."""
        self.stretch, self._summaries = stretch, {}
        if stretch is not None and self.profile is not None:
            found = stretch_of(self.profile, self.traces, self.looking, self.axis, *stretch)
            self._summaries = {each.name: each for each in found}
        self.chosen.emit(stretch)
        self.update()

    def zoom(self, factor: float, middle: float) -> None:
        """Come a factor closer to a distance, which stays where it is."""
        wide = (self.high - self.low) / factor
        share = (middle - self.low) / max(self.high - self.low, 1e-12)
        self.see(middle - share * wide, middle + (1 - share) * wide)

    def move_by(self, share: float) -> None:
        """Move along by a share of what is in sight."""
        step = share * (self.high - self.low)
        self.see(self.low + step, self.high + step)


def _ends(values: np.ndarray) -> tuple[float, float] | None:
    known = values[np.isfinite(values)]
    return (float(known.min()), float(known.max())) if known.size else None


def _rows_of(values: np.ndarray | float, low: float, high: float, box: QRectF, *, down: bool) -> np.ndarray | float:
    """Return the rows of a canvas of values between two limits, the larger above, or below where they go down."""
    share = (values - low) / (high - low)
    return box.top() + (share if down else 1.0 - share) * box.height()


def summary_text(found: StretchSummary, level: str = "0") -> str:
    """Return what a trace is along a stretch; `level` is what areas are counted from."""
    if not found.count:
        return tr("no value")
    unit, slope = f" {found.unit}" if found.unit else "", ""
    if np.isfinite(found.slope) and found.unit == "m":
        slope = tr(", slope {degrees:+.2f}°", degrees=np.degrees(np.arctan(found.slope)))
    elif np.isfinite(found.slope):
        slope = tr(", {slope:+.3g}{unit} a metre", slope=found.slope, unit=unit)
    mean, deviation = (number_text(float(f"{each:.5g}")) for each in (found.mean, found.deviation))
    reach = f"{number_text(found.minimum)} to {number_text(found.maximum)}{unit}"
    areas = ""
    if found.above is not None and found.below is not None:
        above, below = (number_text(float(f"{each:.5g}")) for each in (found.above, found.below))
        areas = tr(
            ", area above {level} {above}, below {below} {unit} × m",
            level=level,
            above=above,
            below=below,
            unit=found.unit or tr("units"),
        )
    return tr(
        "{reach}, mean {mean}, standard deviation {deviation}{slope}{areas}, {count:,} values",
        reach=reach,
        mean=mean,
        deviation=deviation,
        slope=slope,
        areas=areas,
        count=found.count,
    )
