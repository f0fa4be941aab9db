"""The lights of a relief: dragged on a dial or put where the sun stands at a time, with shadows, haze and contrast;
settings can be stored under a name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from math import atan2, cos, degrees, hypot, radians, sin

from PyQt6.QtCore import QDate, QDateTime, QPoint, QPointF, QSize, Qt, QTime, QTimeZone, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateTimeEdit,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.light import Light, Lighting, sun_at
from brisk_atlas.core.relief.stored_lights import StoredLights

from ..picture_painter import picture_painter
from ..plain_text import PlainLabel
from ..theme import LIGHT, Theme

DIAL = QSize(132, 132)
MOST_LIGHTS = 4
WIDTH_PX = 300
MOST_HAZE = 100  # per cent of what is lost over the ground's longer side


class LightDial(QWidget):
    """The sky from below: lights over the horizon at the rim, overhead in the middle, north up.

    Signals:
        moved(float, float): the light in hand goes to an azimuth and a height, degrees.
    """

    moved = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("light dial")
        self.setAccessibleName(tr("Where the light comes from"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedSize(DIAL)
        self.theme: Theme = LIGHT
        self.lights: tuple[Light, ...] = ()
        self.at = 0

    def show_lights(self, lights: tuple[Light, ...], at: int) -> None:
        """Show lights, one of them in hand."""
        self.lights, self.at = lights, at
        self.update()

    @property
    def _radius(self) -> float:
        return self.width() / 2 - 12

    def place_of(self, light: Light) -> QPointF:
        """Return where a light stands on the dial."""
        away = self._radius * (90 - light.height) / 90
        turn = radians(light.azimuth)
        return QPointF(self.width() / 2 + away * sin(turn), self.height() / 2 - away * cos(turn))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2, self.height() / 2)
        painter.setPen(QPen(QColor(self.theme.rule), 1))
        painter.setBrush(QColor(self.theme.paper))
        for share in (1.0, 2 / 3, 1 / 3):
            painter.drawEllipse(middle, self._radius * share, self._radius * share)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QColor(self.theme.quiet))
        painter.drawText(QPointF(middle.x() - 4, 10), "N")
        for number, light in enumerate(self.lights):
            held = number == self.at
            painter.setPen(QPen(QColor(self.theme.ink if held else self.theme.quiet), 1.5))
            painter.setBrush(QColor(self.theme.caution if held else self.theme.rule))
            painter.drawEllipse(self.place_of(light), 7, 7)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.second), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._drag(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons():
            self._drag(event.position())

    def _drag(self, at: QPointF) -> None:
        x, y = at.x() - self.width() / 2, self.height() / 2 - at.y()
        away = min(hypot(x, y) / self._radius, 1.0)
        self.moved.emit(degrees(atan2(x, y)) % 360.0, max(90.0 * (1 - away), 1.0))


class ReliefLight(QFrame):
    """A panel below its button.

    Signals:
        changed(): lights, contrast or haze are others.
    """

    changed = pyqtSignal()

    def __init__(self, place: Callable[[], tuple[float, float] | None], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("columnMenu")
        self.place = place  # longitude and latitude of the ground's middle
        self.lighting = Lighting()
        self.at = 0
        self._showing = False
        self.dial = LightDial()
        self.which = QComboBox()
        self.which.setObjectName("which light")
        self.add, self.remove = QToolButton(), QToolButton()
        self.add.setText("+")
        self.add.setToolTip(tr("Add a light"))
        self.remove.setText("−")
        self.remove.setToolTip(tr("Remove this light"))
        self.azimuth, self.height_ = QDoubleSpinBox(), QDoubleSpinBox()
        for box, name, most in ((self.azimuth, "light azimuth", 360.0), (self.height_, "light height", 90.0)):
            box.setObjectName(name)
            box.setRange(0.0 if most == 360.0 else 1.0, most)
            box.setDecimals(1)
            box.setSuffix("°")
            box.setWrapping(most == 360.0)
            box.setKeyboardTracking(False)
        self.strength, self.ambience = (
            _slider("light strength", tr("Strength"), 150),
            _slider("ambience", tr("Ambience"), 100),
        )
        self.contrast, self.haze = (
            _slider("drape contrast", tr("Contrast of the map"), 250),
            _slider("haze", tr("Haze"), MOST_HAZE),
        )
        self.contrast.setValue(100)
        self.shadows = QCheckBox(tr("casts shadows"))
        self.when = QDateTimeEdit(QDateTime(QDate(2031, 6, 24), QTime(13, 20), QTimeZone.utc()))
        self.when.setObjectName("sun time")
        self.when.setDisplayFormat("yyyy-MM-dd HH:mm 'UTC'")
        self.sun = QPushButton(tr("Sun at this time"))
        self.store = StoredLights()
        self.stored = QComboBox()
        self.stored.setObjectName("stored lights")
        self.stored.setEditable(True)
        self.stored.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.stored.setToolTip(tr("Choose a stored setting, or type a name to store this one under"))
        typed = self.stored.lineEdit()
        assert typed is not None
        typed.setPlaceholderText(tr("Name of a setting"))
        self.store_now, self.forget = QPushButton(tr("Store")), QPushButton(tr("Remove"))
        self.store_now.setObjectName("store lights")
        self.forget.setObjectName("remove lights")
        self.note = PlainLabel("")
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        self._lay_out()
        self.dial.moved.connect(lambda azimuth, height: self._change(azimuth=azimuth, height=height))
        self.which.activated.connect(self._choose)
        self.add.clicked.connect(self._add)
        self.remove.clicked.connect(self._remove)
        self.azimuth.valueChanged.connect(lambda value: self._change(azimuth=value % 360.0))
        self.height_.valueChanged.connect(lambda value: self._change(height=value))
        self.strength.valueChanged.connect(lambda value: self._change(strength=value / 100))
        self.shadows.toggled.connect(lambda on: self._change(shadows=on))
        self.ambience.valueChanged.connect(self._change_ambience)
        for slider in (self.contrast, self.haze):
            slider.valueChanged.connect(lambda value: None if self._showing else self.changed.emit())
        self.sun.clicked.connect(self.put_sun)
        self.stored.activated.connect(lambda number: self.use_stored(self.stored.itemText(number)))
        self.store_now.clicked.connect(self.store_lights)
        self.forget.clicked.connect(self.remove_stored)
        self._show()

    def _lay_out(self) -> None:
        top, which, form = QHBoxLayout(), QHBoxLayout(), QFormLayout()
        which.addWidget(self.which, 1)
        which.addWidget(self.add)
        which.addWidget(self.remove)
        form.setVerticalSpacing(5)
        for words, widget in (
            (tr("From"), self.azimuth), (tr("Height"), self.height_), (tr("Strength"), self.strength),
            ("", self.shadows),
        ):  # fmt: skip
            form.addRow(words, widget)
        beside = QVBoxLayout()
        beside.addLayout(which)
        beside.addLayout(form)
        top.addWidget(self.dial)
        top.addLayout(beside, 1)
        below = QFormLayout()
        below.setVerticalSpacing(5)
        for words, each in (
            (tr("Ambience"), self.ambience), (tr("Contrast of the map"), self.contrast), (tr("Haze"), self.haze),
            (tr("Time"), self.when),
        ):  # fmt: skip
            below.addRow(words, each)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.addLayout(top)
        column.addLayout(below)
        column.addWidget(self.sun)
        names = QHBoxLayout()
        names.addWidget(self.stored, 1)
        names.addWidget(self.store_now)
        names.addWidget(self.forget)
        column.addLayout(names)
        column.addWidget(self.note)
        self.setFixedWidth(WIDTH_PX + 90)

    def show_below(self, button: QWidget) -> None:
        """Open below a button."""
        self._list_stored(self.stored.currentText())
        self.adjustSize()
        self.move(button.mapToGlobal(QPoint(0, button.height())))
        self.show()

    # Stored settings

    def _list_stored(self, name: str) -> None:
        self.stored.clear()
        self.stored.addItems(sorted(self.store.all()))
        self.stored.setCurrentIndex(self.stored.findText(name))
        self.stored.setEditText(name)

    def use_stored(self, name: str) -> None:
        """Use the setting that is stored under a name."""
        found = self.store.all().get(name)
        if found is not None:
            self.use(found)
            self.note.setText("")

    def store_lights(self) -> None:
        """Store the lights under the name that is typed."""
        name = self.stored.currentText().strip()
        if not name:
            self.note.setText(tr("Type a name for this setting first."))
            return
        self._try(lambda: self.store.store(name, self.lighting), tr("Stored as {name}.", name=name))
        self._list_stored(name)

    def remove_stored(self) -> None:
        """Remove the setting of the name that is shown; the lights stay as they are."""
        name = self.stored.currentText().strip()
        if name in self.store.all():
            self._try(lambda: self.store.remove(name), tr("Removed {name}.", name=name))
            self._list_stored("")

    def _try(self, change: Callable[[], None], words: str) -> None:
        try:
            change()
        except CannotWrite as error:
            self.note.setText(str(error))
        else:
            self.note.setText(words)

    def use_theme(self, theme: Theme) -> None:
        """Paint in the colours of a theme."""
        self.dial.theme = theme
        self.dial.update()

    def use(self, lighting: Lighting) -> None:
        """Show other lights and have them used."""
        self.lighting, self.at = lighting, 0
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        self._showing = True
        lights = self.lighting.lights
        light = lights[self.at]
        self.which.clear()
        for number in range(len(lights)):
            self.which.addItem(tr("Light {number}", number=number + 1))
        self.which.setCurrentIndex(self.at)
        self.add.setEnabled(len(lights) < MOST_LIGHTS)
        self.remove.setEnabled(len(lights) > 1)
        self.azimuth.setValue(light.azimuth)
        self.height_.setValue(light.height)
        self.strength.setValue(round(light.strength * 100))
        self.shadows.setChecked(light.shadows)
        self.ambience.setValue(round(self.lighting.ambience * 100))
        self.dial.show_lights(lights, self.at)
        self._showing = False

    def _put(self, lighting: Lighting) -> None:
        self.lighting = lighting
        self._show()
        self.changed.emit()

    def _change(self, **values: float) -> None:
        if self._showing:
            return
        lights = list(self.lighting.lights)
        lights[self.at] = replace(lights[self.at], **values)  # type: ignore[arg-type]
        self.note.setText("")
        self._put(replace(self.lighting, lights=tuple(lights)))

    def _change_ambience(self, value: int) -> None:
        if not self._showing:
            self._put(replace(self.lighting, ambience=value / 100))

    def _choose(self, number: int) -> None:
        self.at = number
        self._show()

    def _add(self) -> None:
        self.at = len(self.lighting.lights)
        self._put(replace(self.lighting, lights=(*self.lighting.lights, Light(60.0, 45.0, 0.3))))

    def _remove(self) -> None:
        lights = tuple(light for number, light in enumerate(self.lighting.lights) if number != self.at)
        self.at = max(0, self.at - 1)
        self._put(replace(self.lighting, lights=lights))

    def put_sun(self) -> None:
        """Put the light in hand where the sun stands at the time that is set, over the middle of the ground."""
        place = self.place()
        if place is None:
            self.note.setText(tr("The ground has no CRS, so it is not known where on the Earth it lies."))
            return
        seconds = self.when.dateTime().toSecsSinceEpoch()
        azimuth, height = sun_at(datetime.fromtimestamp(seconds, UTC), *place)
        if height <= 0:
            self.note.setText(tr("At that time the sun is {height:.1f}° below the horizon.", height=-height))
            return
        self._change(azimuth=azimuth, height=height, shadows=True)
        self.note.setText(tr("The sun stands {height:.1f}° high in {azimuth:.1f}°.", height=height, azimuth=azimuth))


def _slider(name: str, words: str, most: int) -> QSlider:
    slider = QSlider(Qt.Orientation.Horizontal)
    slider.setObjectName(name)
    slider.setAccessibleName(words)
    slider.setRange(0, most)
    return slider
