"""The Relief pane: grids in three dimensions with the map draped over them."""

from __future__ import annotations

from math import log
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.length_units import rough_length_text
from brisk_atlas.core.relief.eye import Eye, GroundSpot, eye_over
from brisk_atlas.core.relief.rays import SIDE_BY_SIDE, UNDIVIDED, Division, Look
from brisk_atlas.core.relief.surface_drape import DrapeKind
from brisk_atlas.core.workspace.comparison import Way

from ..session import Session
from ..theme import LIGHT, Theme
from .relief_bar import ReliefBar
from .relief_canvas import ReliefCanvas
from .relief_content import ReliefChoice, ReliefContent
from .relief_drapes import surface_of
from .relief_driver import ReliefDriver
from .relief_light import MOST_HAZE, ReliefLight
from .relief_numbers import ReliefNumbers
from .relief_reading import ReliefReading
from .relief_rose import ReliefRose
from .relief_surface import ReliefSurface
from .relief_tool import HINTS, ReliefToolKind

if TYPE_CHECKING:
    from brisk_atlas.core.relief.scene import ReliefPicture, ReliefScene
    from brisk_atlas.core.relief.space import Space

NOTHING = tr("Open a layer to see it in relief: an elevation grid becomes the ground, others stand on a plane.")
PLANE = tr("a plane at 0 m")
ROSE_RIM_PX = 10


class ReliefPane(QWidget):
    """A canvas with its bar: which grids are the ground, how much heights are exaggerated, from where it is seen.

    Signals:
        settled(): the picture is final for the present eye.
        seen_changed(): the eye moved, or the ground is another.
        pointed(object): the GroundSpot under the pointer, None for none.
        clicked(object): the GroundSpot that was clicked.
        closed(): it is not shown any more.
        deed_wanted(str): a picture, a film or a model is to be written, or what can be seen is to be found.
    """

    settled = pyqtSignal()
    seen_changed = pyqtSignal()
    pointed = pyqtSignal(object)
    clicked = pyqtSignal(object)
    closed = pyqtSignal()
    deed_wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.driver = ReliefDriver(session)
        self.theme: Theme = LIGHT
        self.canvas = ReliefCanvas()
        self.rose = ReliefRose(self.canvas)
        self.bar = ReliefBar()
        self.ground, self.heights, self.tethered = self.bar.ground, self.bar.heights, self.bar.tethered
        self.light, self.surface = self.bar.light, self.bar.surface
        self.reading = ReliefReading(self.canvas)
        self.choice = ReliefChoice(session)
        self.lights = ReliefLight(self._place, self)
        self.surfaces = ReliefSurface(self)
        self.numbers = ReliefNumbers(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.canvas, 1)
        self._shared = UNDIVIDED
        self._space: Space | None = None  # of the ground that the eye belongs to
        self.canvas.moved.connect(self._moved)
        self.canvas.sized.connect(self._sized)
        self.canvas.pointed.connect(self._point)
        self.canvas.clicked.connect(self.clicked)
        self.canvas.tool_changed.connect(self._show_notes)
        self.heights.valueChanged.connect(self.canvas.exaggerate)
        self.rose.turned.connect(lambda azimuth: self._turn_to(azimuth, self.canvas.eye.tilt))
        self.rose.tilted.connect(lambda tilt: self._turn_to(self.canvas.eye.azimuth, tilt))
        self.rose.numbers_wanted.connect(self.type_numbers)
        self.bar.view_wanted.connect(self.show_view)
        self.bar.deed_wanted.connect(self.do)
        self.light.clicked.connect(lambda: self.lights.show_below(self._below(self.light)))
        self.lights.changed.connect(self._light_changed)
        self.surface.clicked.connect(lambda: self.surfaces.show_below(self._below(self.surface)))
        self.surfaces.changed.connect(self._light_changed)
        self.surfaces.surface_chosen.connect(self.drape_surface)
        self.numbers.wanted.connect(self._take_numbers)
        self.driver.begun.connect(self._begin)
        self.driver.pictured.connect(self._show)
        self.driver.signed.connect(self.canvas.show_signs)
        self.driver.stood.connect(lambda found: self._show_notes())
        self.driver.failed.connect(self.canvas.show_message)
        self.driver.settled.connect(self.settled)
        self.bar.ground_menu.aboutToShow.connect(self._fill_menu)
        session.work_changed.connect(self._work_changed)

    def _below(self, button: QWidget) -> QWidget:
        """Return below what a panel opens: its button, or the menu's where there is no room for it."""
        return button if button.isVisible() else self.bar.more

    @property
    def busy(self) -> bool:
        return self.isVisible() and self.driver.busy

    @property
    def scene(self) -> ReliefScene | None:
        """The ground on show."""
        return self.driver.scene

    def use_theme(self, theme: Theme) -> None:
        """Paint in the colours of a theme."""
        self.theme = self.canvas.theme = self.rose.theme = theme
        self.lights.use_theme(theme)
        self.bar.use_theme(theme)
        self._light_changed()

    def showEvent(self, event: object) -> None:
        self._use_look()
        self.remake()

    def _use_look(self) -> None:
        longer = self.scene.space.longer if self.scene is not None else 1.0
        lost = min(self.lights.haze.value() / MOST_HAZE, 0.98)
        look = _look_of(self.theme, -log(1 - lost) / longer, self.lights.contrast.value() / 100)
        look = look._replace(contours=self.surfaces.contours.value(), solid=self.surfaces.solid.value() / 100)
        if self.surfaces.wet.isChecked() and self.scene is not None:
            wide, high = self.scene.space.metres
            look = look._replace(water=self.surfaces.water.value(), shore=(-wide / 2, -high / 2, wide / 2, high / 2))
        self.driver.look = look
        self.driver.lighting = self.lights.lighting

    def _light_changed(self) -> None:
        self._use_look()
        self.driver.redraw()

    def _place(self) -> tuple[float, float] | None:
        """Return longitude and latitude of the ground's middle, None where that is not known."""
        space = self.scene.space if self.scene is not None else None
        if space is None or space.crs is None:
            return None
        from brisk_atlas.core.place import transform

        found = transform(np.array([space.middle], float), space.crs, "EPSG:4326")[0]
        return (float(found[0]), float(found[1])) if np.isfinite(found).all() else None

    def hideEvent(self, event: object) -> None:
        self.canvas.scene = self.canvas.picture = None  # what it holds is given back; the eye stays where it is
        self.driver.show(None)
        self.closed.emit()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "comparison", "file") and self.isVisible():
            self.remake()

    # The ground

    def choose_grids(self, ids: tuple[str, ...]) -> None:
        """Have other grids as the ground; none for what is proposed."""
        self.choice.choose(ids)
        self.remake()

    def choose_plane(self, on: bool = True) -> None:
        """Have a plane at the height 0 as the ground, or the grids again."""
        self.choice.plane = on
        self.remake()

    def drape_surface(self, surface: DrapeKind) -> None:
        """Drape a measure of the ground over it, or the map again."""
        self.choice.surface = surface
        self.surfaces.surface.setCurrentIndex(self.surfaces.surface.findData(surface))
        self.remake()

    def _fill_menu(self) -> None:
        self.bar.ground_menu.clear()
        chosen = {layer.id for layer in self.choice.chosen_grids()}
        for layer in self.choice.grids():
            action = self.bar.ground_menu.addAction(layer.name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(layer.id in chosen)
            action.toggled.connect(lambda on, layer_id=layer.id: self._turn_grid(layer_id, on))
        self.bar.ground_menu.addSeparator()
        plane = self.bar.ground_menu.addAction(PLANE.capitalize())
        assert plane is not None
        plane.setCheckable(True)
        plane.setChecked(self.choice.plane)
        plane.toggled.connect(self.choose_plane)

    def _turn_grid(self, layer_id: str, on: bool) -> None:
        now = {layer.id for layer in self.choice.chosen_grids()}
        self.choose_grids(tuple(now | {layer_id} if on else now - {layer_id}))

    def remake(self) -> None:
        """Show the grids and layers that are open now."""
        content = self.choice.content()
        self.ground.setText(_ground_name(content))
        self.ground.setEnabled(content is not None)
        self.rose.setVisible(content is not None)
        if content is None:
            self.canvas.scene = None
            self.canvas.show_message(NOTHING)
            self.driver.show(None)
            self.settled.emit()
            return
        if self.driver.scene is None:
            self.canvas.show_message(tr("Building the relief…"))
        self.canvas.twin = len(content.drapes) > 1 and self._is_twin()
        self.driver.divide(self._division())
        self.driver.size = self._size
        self.driver.show(content)
        self._show_notes()

    def _is_twin(self) -> bool:
        comparison = self.session.work.state.comparison
        return comparison is not None and comparison.way is Way.TWIN and self.choice.surface is DrapeKind.MAP

    def use_division(self, division: Division) -> None:
        """Have A and B share the relief as they share the map; a twin is two pictures side by side."""
        self._shared = division
        self.driver.divide(self._division())

    def _division(self) -> Division:
        return Division(SIDE_BY_SIDE) if self.canvas.twin else self._shared

    def _show_notes(self) -> None:
        """State what is known of the heights and what is not shown, and what colours mean."""
        scene, content, cache = self.scene, self.driver.content, self.session.cache
        if scene is None or content is None:
            return
        from brisk_atlas.core.relief.ground import cloud_words, ground_words

        if self.canvas.tool is not None:
            self.canvas.show_notes(HINTS[self.canvas.tool.kind], ())
            return
        words = [ground_words(cache, content.grids)] if content.grids else []
        if not content.grids and content.clouds:
            words = [cloud_words(cache, content.clouds)]
        words += [f"× {self.canvas.eye.exaggeration:g}"]
        names = {layer.id: layer.name for layer in content.standing}
        words += [f"{names.get(each.layer_id, '')}: {each.note}" for each in scene.bodies if each.note]
        legend = surface_of(cache, content, scene).legend if content.surface is not DrapeKind.MAP else ()
        legend += tuple(entry for each in scene.bodies for entry in each.legend)
        self.canvas.show_notes(" · ".join(words), legend)

    # The eye

    @property
    def _size(self) -> tuple[int, int]:
        size = self.canvas.drawn_size
        return round(size.width()), round(size.height())

    def _begin(self, scene: ReliefScene) -> None:
        """Look at another ground: from where the eye was on the map, if that is over it, else at all of it."""
        before, self._space = self._space, scene.space
        self.canvas.scene = scene
        eye = self.canvas.eye
        if before != scene.space:
            cols, rows = self._size
            eye = eye_over(scene.outline, cols / rows, eye)
        self.canvas.eye = self.driver.eye = eye
        self._use_look()
        self.show_eye()
        self._show_notes()
        self.seen_changed.emit()

    def _moved(self) -> None:
        self.driver.size = self._size
        self.driver.look_from(self.canvas.eye)
        self.show_eye()
        self.seen_changed.emit()

    def _sized(self) -> None:
        self.rose.move(self.canvas.width() - self.rose.width() - ROSE_RIM_PX, ROSE_RIM_PX)
        self.reading.place()
        if self.driver.size != self._size:
            self.driver.size = self._size
            self.driver.look_from(self.canvas.eye)

    def show_eye(self) -> None:
        """Say where the eye is, over the ground."""
        eye = self.canvas.eye
        scene = self.canvas.scene
        ground = scene.ground_up(eye.east, eye.north, eye.exaggeration) if scene is not None else None
        over = (eye.up - (ground or 0.0)) / eye.exaggeration
        self.rose.show_eye(eye, f"{eye.azimuth:.0f}° {eye.tilt:.0f}° {rough_length_text(over)}")
        if self.heights.value() != eye.exaggeration:
            self.bar.show_exaggeration(eye.exaggeration)
            self._show_notes()

    def _turn_to(self, azimuth: float, tilt: float) -> None:
        eye = self.canvas.eye
        turn = (azimuth - eye.azimuth + 180.0) % 360.0 - 180.0
        self.canvas.turn(eye.turned_about(self.canvas.centre, turn, tilt - eye.tilt))

    def type_numbers(self) -> None:
        """Open the numbers of the eye, to be typed."""
        eye, scene = self.canvas.eye, self.canvas.scene
        ground = scene.ground_up(eye.east, eye.north, eye.exaggeration) if scene is not None else None
        self.numbers.show_eye(eye, self.canvas.centre, ground or 0.0)
        self.numbers.show_below(self.rose)

    def _take_numbers(self, eye: Eye) -> None:
        self.canvas.jump(eye)
        scene = self.canvas.scene
        ground = scene.ground_up(eye.east, eye.north, eye.exaggeration) if scene is not None else None
        self.numbers.show_eye(self.canvas.eye, self.numbers.centre, ground or 0.0)

    def do(self, deed: str) -> None:
        """Do what the bar or a command asks for: take a tool into the hand, or put it away; write something; find what
        can be seen."""
        tools = {each.value for each in ReliefToolKind}
        if deed in tools:
            now = self.canvas.tool
            self.canvas.take_tool(None if now is not None and now.kind == deed else ReliefToolKind(deed))
            self.canvas.setFocus()
        elif self.scene is not None:
            self.deed_wanted.emit(deed)

    def show_view(self, name: str) -> None:
        """Look from a side, from above, at all of the ground, or from where the eye was before."""
        if name == "whole":
            self.canvas.show_whole()
        elif name == "back":
            self.canvas.go_back()
        else:
            self.canvas.look_from(name)

    def _show(self, picture: ReliefPicture) -> None:
        self.canvas.show_picture(picture)

    def _point(self, spot: GroundSpot | None) -> None:
        """Say how high and how steep the ground is under the pointer."""
        scene, picture = self.canvas.scene, self.canvas.picture
        text = ""
        if spot is not None and scene is not None and picture is not None:
            text = f"{grouped(picture.height_at(spot), ',.1f')} m"
            slope = scene.slope_at(spot.east, spot.north)
            text += f"  {slope:.0f}°" if slope is not None else ""
        self.reading.show_text(text)
        self.canvas.taken_px = self.reading.width() if text else 0
        self.pointed.emit(spot)

    def close_stage(self) -> None:
        """Give back what the relief holds, as the window closes: who listens may be gone when this is hidden."""
        self.blockSignals(True)
        self.driver.show(None)


def _ground_name(content: ReliefContent | None) -> str:
    if content is None:
        return tr("no ground")
    if not content.grids:
        return PLANE if content.around else tr("no ground")
    more = tr(" over {count} more", count=len(content.grids) - 1) if len(content.grids) > 1 else ""
    return content.grids[0].name + more


def _look_of(theme: Theme, haze: float, contrast: float) -> Look:
    """Return the colours of ground and sky in a theme."""

    def rgb(text: str) -> tuple[float, float, float]:
        colour = QColor(text)
        return float(colour.red()), float(colour.green()), float(colour.blue())

    return Look(rgb(theme.rule), rgb(theme.paper), rgb(theme.wash), haze, contrast, contour=rgb(theme.ink))
