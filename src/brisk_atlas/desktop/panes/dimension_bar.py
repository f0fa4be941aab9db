"""Where along its further dimensions a grid is shown: a slider by real coordinates for each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QFrame, QGridLayout, QSlider, QToolButton

from brisk_atlas.core.model import GridDimension, GridStyle, Layer
from brisk_atlas.core.model.dimension import band_at, places_of
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..session import Session
from .player import Player

WHAT = tr("go along a dimension")  # as undo calls it; what comes after each other is one step


class DimensionBar(QFrame):
    """The dimensions of the subject; hidden for a subject without any. Times can be shared by all layers."""

    def __init__(self, session: Session, ready: Callable[[], bool] = lambda: True) -> None:
        super().__init__()
        self.ready = ready
        self.setObjectName("dimensions")
        self.session = session
        self.layer_id = ""
        self.dimensions: tuple[GridDimension, ...] = ()
        self.sliders: dict[str, QSlider] = {}
        self.values: dict[str, PlainLabel] = {}
        self.shared = QCheckBox(tr("all layers go to this time"))
        self.shared.setObjectName("share time")
        self.rows = QGridLayout(self)
        self.rows.setContentsMargins(10, 3, 10, 3)
        self.rows.setVerticalSpacing(2)
        self.rows.setColumnStretch(2, 1)
        self._showing = False
        self.shared.toggled.connect(lambda on: self._share() if on else None)
        session.work_changed.connect(self._work_changed)
        self.hide()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "file"):
            self.show_subject()

    def show_subject(self) -> None:
        """Show where the subject stands."""
        layer = self.session.work.subject
        facts = self.session.facts_of(layer) if layer is not None and isinstance(layer.style, GridStyle) else None
        found = facts.grid.dimensions if facts is not None and facts.grid is not None else ()
        if layer is None or not found or not isinstance(layer.style, GridStyle) or len(layer.style.bands) != 1:
            self.dimensions, self.layer_id = (), ""
            self.hide()
            return
        if found != self.dimensions or layer.id != self.layer_id:
            self._build(found)
        self.dimensions, self.layer_id = found, layer.id
        self._showing = True
        for dimension, place in zip(found, places_of(found, layer.style.bands[0])):
            self.sliders[dimension.name].setValue(place)
            self.values[dimension.name].setText(dimension.shown(place))
        self._showing = False
        self.show()

    def _build(self, dimensions: tuple[GridDimension, ...]) -> None:
        while (item := self.rows.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None and widget is not self.shared:
                widget.deleteLater()
        self.sliders, self.values = {}, {}
        self.shared.setVisible(any(each.is_time for each in dimensions))
        for row, dimension in enumerate(dimensions):
            slider, value, name = QSlider(Qt.Orientation.Horizontal), PlainLabel(), PlainLabel(dimension.name)
            slider.setObjectName(f"slider {dimension.name}")
            slider.setAccessibleName(dimension.name)
            slider.setRange(0, len(dimension) - 1)
            slider.setPageStep(max(1, len(dimension) // 12))
            value.setObjectName("mono")
            longest = max(range(len(dimension)), key=lambda i, d=dimension: len(d.texts[i]))  # type: ignore[misc]
            value.setMinimumWidth(value.fontMetrics().horizontalAdvance(dimension.shown(longest) + "00"))
            slider.valueChanged.connect(lambda place, which=row: self.go(which, place))
            self.rows.addWidget(name, row, 0)
            for column, (mark, by) in enumerate((("‹", -1), ("›", 1))):
                button = QToolButton()
                button.setText(mark)
                button.setToolTip(f"{dimension.name}: {'the one before' if by < 0 else 'the next one'}")
                button.clicked.connect(lambda checked=False, s=slider, by=by: s.setValue(s.value() + by))
                self.rows.addWidget(button, row, 1 + 2 * column)
            self.rows.addWidget(slider, row, 2)
            self.rows.addWidget(value, row, 4)
            if dimension.is_time:
                self.rows.addWidget(self.shared, row, 5)
            if dimension.is_time:
                player = Player(partial(_step_around, slider), self.ready)
                player.setObjectName(f"play {dimension.name}")
                self.rows.addWidget(player, row, 6)
            self.sliders[dimension.name], self.values[dimension.name] = slider, value

    def go(self, which: int, place: int) -> None:
        """Show the subject at a place along one dimension; with time shared, all layers at the nearest time."""
        layer = self.session.work.layer(self.layer_id)
        if self._showing or layer is None or not isinstance(layer.style, GridStyle):
            return
        places = [*places_of(self.dimensions, layer.style.bands[0])]
        places[which] = place
        band = band_at(self.dimensions, places)
        dimension = self.dimensions[which]
        with self.session.work.together():
            self.session.work.slide(WHAT, layer.id, style=replace(layer.style, bands=(band,)))
            if dimension.is_time and self.shared.isChecked():
                self._take_along(dimension.seconds[place])

    def _share(self) -> None:
        """Bring the other layers to the time that is shown."""
        layer = self.session.work.layer(self.layer_id)
        if layer is not None and isinstance(layer.style, GridStyle):
            for dimension, place in zip(self.dimensions, places_of(self.dimensions, layer.style.bands[0])):
                if dimension.is_time:
                    with self.session.work.together():
                        self._take_along(dimension.seconds[place])

    def _take_along(self, seconds: float) -> None:
        for other in self.session.work.layers:
            if other.id != self.layer_id:
                self._bring(other, seconds)

    def _bring(self, layer: Layer, seconds: float) -> None:
        """Bring a layer that has times to the one nearest to a time."""
        facts = self.session.facts_of(layer)
        if facts is None or facts.grid is None or not isinstance(layer.style, GridStyle) or len(layer.style.bands) != 1:
            return
        places = [*places_of(facts.grid.dimensions, layer.style.bands[0])]
        for which, dimension in enumerate(facts.grid.dimensions):
            if dimension.is_time:
                places[which] = dimension.nearest_time(seconds)
        band = band_at(facts.grid.dimensions, places)
        self.session.work.slide(WHAT, layer.id, style=replace(layer.style, bands=(band,)))


def _step_around(slider: QSlider) -> None:
    """Go to the next place; the first follows the last."""
    slider.setValue(slider.value() + 1 if slider.value() < slider.maximum() else 0)
