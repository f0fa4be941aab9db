"""Where the eye of a relief is, in numbers that can be typed."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QFormLayout, QFrame, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.eye import FLATTEST, NARROWEST, STEEPEST, WIDEST, Eye, GroundSpot


class ReliefNumbers(QFrame):
    """A panel below the rose: azimuth, tilt, height over the ground, distance of the middle, field of view.

    Signals:
        wanted(object): another Eye is wanted.
    """

    wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("columnMenu")
        self._eye, self.centre, self._ground = Eye(), GroundSpot(0.0, 0.0, 0.0), 0.0
        self._showing = False
        self.boxes: dict[str, QDoubleSpinBox] = {}
        form = QFormLayout(self)
        form.setContentsMargins(10, 10, 10, 10)
        for name, words, low, high, unit in (
            ("azimuth", tr("Looks to"), 0.0, 360.0, "°"), ("tilt", tr("Tilt"), FLATTEST, STEEPEST, "°"),
            ("over", tr("Height over the ground"), 0.0, 1e7, " m"),
            ("distance", tr("Distance of the middle"), 0.0, 1e8, " m"),
            ("field", tr("Field of view"), NARROWEST, WIDEST, "°"),
        ):  # fmt: skip
            box = QDoubleSpinBox()
            box.setObjectName(f"eye {name}")
            box.setRange(low, high)
            box.setDecimals(1)
            box.setSuffix(unit)
            box.setGroupSeparatorShown(True)
            box.setKeyboardTracking(False)
            box.setWrapping(name == "azimuth")
            box.valueChanged.connect(lambda value, name=name: self._take(name, value))
            form.addRow(words, box)
            self.boxes[name] = box

    def show_eye(self, eye: Eye, centre: GroundSpot, ground: float) -> None:
        """Show where the eye is; `ground` is how high the ground is drawn below it."""
        self._eye, self.centre, self._ground = eye, centre, ground
        self._showing = True
        self.boxes["azimuth"].setValue(eye.azimuth)
        self.boxes["tilt"].setValue(eye.tilt)
        self.boxes["over"].setValue((eye.up - ground) / eye.exaggeration)
        self.boxes["distance"].setValue(eye.distance_to(centre))
        self.boxes["field"].setValue(eye.field)
        self._showing = False

    def show_below(self, widget: QWidget) -> None:
        """Open below a widget, its right edge at that of the widget."""
        self.adjustSize()
        self.move(widget.mapToGlobal(QPoint(widget.width() - self.width(), widget.height())))
        self.show()
        self.boxes["azimuth"].setFocus()
        self.boxes["azimuth"].selectAll()

    def _take(self, name: str, value: float) -> None:
        if self._showing:
            return
        eye, centre = self._eye, self.centre
        away = eye.distance_to(centre)
        if name == "over":
            self.wanted.emit(replace(eye, up=self._ground + value * eye.exaggeration))
        elif name == "field":
            self.wanted.emit(replace(eye, field=value))
        else:
            azimuth, tilt = (value, eye.tilt) if name == "azimuth" else (eye.azimuth, value)
            if name == "distance":
                away, azimuth, tilt = value, eye.azimuth, eye.tilt
            self.wanted.emit(Eye.looking_at(centre, away, azimuth, tilt, eye.field, eye.exaggeration))
