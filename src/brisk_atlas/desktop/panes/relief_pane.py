"""The Relief pane: grids in three dimensions with the map draped over them."""

from __future__ import annotations

from math import log
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import Layer
from brisk_atlas.core.relief.eye import HIGHEST_EXAGGERATION, LOWEST_EXAGGERATION, Eye, GroundSpot, eye_over
from brisk_atlas.core.relief.rays import Look
from brisk_atlas.core.system.jobs import Job, Lane
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.core.workspace.stacks import stacks_of

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .relief_canvas import ReliefCanvas
from .relief_driver import ReliefContent, ReliefDriver
from .relief_light import MOST_HAZE, ReliefLight
from .relief_numbers import ReliefNumbers
from .relief_picture import ReliefPictureForm
from .relief_rose import ReliefRose

if TYPE_CHECKING:
    from brisk_atlas.core.relief.scene import ReliefPicture, ReliefScene
    from brisk_atlas.core.relief.space import Space

NOTHING = "Open an elevation grid or a point cloud to see it in relief."
ROSE_RIM_PX = 10
VIEWS = (
    ("All of the ground", "whole"), ("From the north", "north"), ("From the east", "east"), ("From the south", "south"),
    ("From the west", "west"), ("From above", "above"), ("Back to the view before", "back"),
)  # fmt: skip


class ReliefPane(QWidget):
    """A canvas with its bar: which grids are the ground, how much heights are exaggerated, from where it is seen.

    Signals:
        settled(): the picture is final for the present eye.
        seen_changed(): the eye moved, or the ground is another.
        pointed(object): the GroundSpot under the pointer, None for none.
        clicked(object): the GroundSpot that was clicked.
        closed(): it is not shown any more.
    """

    settled = pyqtSignal()
    seen_changed = pyqtSignal()
    pointed = pyqtSignal(object)
    clicked = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.driver = ReliefDriver(session)
        self.theme: Theme = LIGHT
        self.canvas = ReliefCanvas()
        self.rose = ReliefRose(self.canvas)
        self.ground = QToolButton()
        self.ground.setObjectName("relief ground")
        self.ground.setToolTip("Which grids give the heights; an upper layer comes before a lower one")
        self.ground.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.ground_menu = QMenu(self.ground)
        self.ground.setMenu(self.ground_menu)
        self.heights = QDoubleSpinBox()
        self.heights.setObjectName("vertical exaggeration")
        self.heights.setAccessibleName("Vertical exaggeration")
        self.heights.setToolTip("Vertical exaggeration; the spot in the middle stays where it is")
        self.heights.setRange(LOWEST_EXAGGERATION, HIGHEST_EXAGGERATION)
        self.heights.setDecimals(1)
        self.heights.setSingleStep(0.5)
        self.heights.setPrefix("× ")
        self.heights.setValue(Eye().exaggeration)
        self.heights.setKeyboardTracking(False)
        self.views = QToolButton()
        self.views.setText("View")
        self.views.setObjectName("relief views")
        self.views.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.views)
        for words, name in VIEWS:
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda checked=False, name=name: self.show_view(name))
        self.views.setMenu(menu)
        self.light = QToolButton()
        self.light.setText("Light")
        self.light.setObjectName("relief light")
        self.light.setToolTip("Where the light comes from, shadows, haze, and the contrast of the map")
        self.lights = ReliefLight(self._place, self)
        self.numbers = ReliefNumbers(self)
        self.tethered = QCheckBox("tethered")
        self.tethered.setObjectName("relief tethered")
        self.tethered.setToolTip("Go with the map: place and scale")
        self.picture = QToolButton()
        self.picture.setText("Picture…")
        self.picture.setObjectName("relief picture")
        self.picture.setToolTip("Write what is seen as a PNG at any size, or a turn about the middle as a GIF")
        self.reading = PlainLabel("")
        self.reading.setObjectName("mono")
        bar = QFrame()
        bar.setObjectName("paneBar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 2, 8, 2)
        title = PlainLabel("Relief")
        title.setObjectName("heading")
        for widget in (title, self.ground, self.heights, self.views, self.light, self.picture, self.tethered):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.reading)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(self.canvas, 1)
        self._space: Space | None = None  # of the ground that the eye belongs to
        self._chosen: tuple[str, ...] | None = None  # ids of grids that were chosen by hand
        self.canvas.moved.connect(self._moved)
        self.canvas.sized.connect(self._sized)
        self.canvas.pointed.connect(self._point)
        self.canvas.clicked.connect(self.clicked)
        self.heights.valueChanged.connect(self.canvas.exaggerate)
        self.rose.turned.connect(lambda azimuth: self._turn_to(azimuth, self.canvas.eye.tilt))
        self.rose.tilted.connect(lambda tilt: self._turn_to(self.canvas.eye.azimuth, tilt))
        self.rose.numbers_wanted.connect(self.type_numbers)
        self.picture.clicked.connect(self.ask_picture)
        self.light.clicked.connect(lambda: self.lights.show_below(self.light))
        self.lights.changed.connect(self._light_changed)
        self.numbers.wanted.connect(self._take_numbers)
        self.driver.begun.connect(self._begin)
        self.driver.pictured.connect(self._show)
        self.driver.signed.connect(self.canvas.show_signs)
        self.driver.failed.connect(self.canvas.show_message)
        self.driver.settled.connect(self.settled)
        self.ground_menu.aboutToShow.connect(self._fill_menu)
        session.work_changed.connect(self._work_changed)

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
        self._light_changed()

    def showEvent(self, event: object) -> None:
        self._use_look()
        self.remake()

    def _use_look(self) -> None:
        longer = self.scene.space.longer if self.scene is not None else 1.0
        lost = min(self.lights.haze.value() / MOST_HAZE, 0.98)
        look = _look_of(self.theme, -log(1 - lost) / longer, self.lights.contrast.value() / 100)
        if self.lights.wet.isChecked() and self.scene is not None:
            wide, high = self.scene.space.metres
            look = look._replace(water=self.lights.water.value(), shore=(-wide / 2, -high / 2, wide / 2, high / 2))
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

    def grids(self) -> list[Layer]:
        """Return the grids that can be the ground, the upper first: of one band, or the subject's shown one."""
        found = []
        for layer in self.session.work.layers:
            facts = self.session.facts_of(layer)
            if layer.kind.has_cells and facts and facts.grid and len(facts.grid.bands) == 1:
                found.append(layer)
        return found

    def chosen_grids(self) -> list[Layer]:
        """Return the grids of the ground: those chosen by hand, else the subject, else the first that is shown."""
        grids = self.grids()
        by_hand = [layer for layer in grids if layer.id in (self._chosen or ())]
        subject = self.session.work.subject
        if subject in grids and subject not in by_hand:
            self._chosen, by_hand = None, []
        if by_hand:
            return by_hand
        if subject is not None and subject in grids:
            return [subject]
        before = [each.id for each in self.driver.content.grids] if self.driver.content is not None else []
        stays = [layer for layer in grids if layer.id in before]
        if subject is not None and subject.kind.has_points and not stays:
            shown = [layer for layer in grids if layer.visible]
            return shown[:1]
        return stays or [layer for layer in grids if layer.visible][:1] or grids[:1]

    def clouds(self, *, alone: bool) -> list[Layer]:
        """Return the clouds that stand in the relief: those that are shown; `alone`, the subject too."""
        subject = self.session.work.subject
        return [
            layer for layer in self.session.work.layers
            if layer.kind.has_points and layer.style is not None and (layer.visible or (alone and layer is subject))
        ]  # fmt: skip

    def choose_grids(self, ids: tuple[str, ...]) -> None:
        """Have other grids as the ground; none for what is proposed."""
        self._chosen = ids or None
        self.remake()

    def _fill_menu(self) -> None:
        self.ground_menu.clear()
        chosen = {layer.id for layer in self.chosen_grids()}
        for layer in self.grids():
            action = self.ground_menu.addAction(layer.name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(layer.id in chosen)
            action.toggled.connect(lambda on, layer_id=layer.id: self._turn_grid(layer_id, on))

    def _turn_grid(self, layer_id: str, on: bool) -> None:
        now = {layer.id for layer in self.chosen_grids()}
        self.choose_grids(tuple(now | {layer_id} if on else now - {layer_id}))

    def remake(self) -> None:
        """Show the grids and layers that are open now."""
        grids = self.chosen_grids()
        clouds = self.clouds(alone=not grids)
        more = f" over {len(grids) - 1} more" if len(grids) > 1 else ""
        self.ground.setText(grids[0].name + more if grids else "no ground")
        self.ground.setEnabled(bool(self.grids()))
        self.rose.setVisible(bool(grids or clouds))
        if not grids and not clouds:
            self.canvas.scene = None
            self.canvas.show_message(NOTHING)
            self.driver.show(None)
            self.settled.emit()
            return
        if self.driver.scene is None:
            self.canvas.show_message("Building the relief…")
        comparison = self.session.work.state.comparison
        stacks = stacks_of(self.session.work)
        if comparison is not None and comparison.way is Way.CHANGE:
            stacks = (tuple(self.session.work.drawn()),)
        drapes = [tuple(la for la in stack if la.visible and not la.kind.has_points) for stack in stacks]
        self.driver.size = self._size
        only = tuple(grids[:1])
        self.driver.show(ReliefContent(tuple(grids), tuple(each or only for each in drapes), tuple(clouds)))

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
        self._show_eye()
        self.seen_changed.emit()

    def _moved(self) -> None:
        self.driver.size = self._size
        self.driver.look_from(self.canvas.eye)
        self._show_eye()
        self.seen_changed.emit()

    def _sized(self) -> None:
        self.rose.move(self.canvas.width() - self.rose.width() - ROSE_RIM_PX, ROSE_RIM_PX)
        if self.driver.size != self._size:
            self.driver.size = self._size
            self.driver.look_from(self.canvas.eye)

    def _show_eye(self) -> None:
        eye = self.canvas.eye
        scene = self.canvas.scene
        ground = scene.ground_up(eye.east, eye.north, eye.exaggeration) if scene is not None else None
        over = (eye.up - (ground or 0.0)) / eye.exaggeration
        self.rose.show_eye(eye, f"{eye.azimuth:.0f}° {eye.tilt:.0f}° {_length(over)}")
        self.heights.blockSignals(True)
        self.heights.setValue(eye.exaggeration)
        self.heights.blockSignals(False)

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

    def ask_picture(self) -> None:
        """Ask where the picture is to be written and how large it is to be, and write it."""
        if self.scene is None:
            return
        form = ReliefPictureForm(self._size, self)
        form.wanted.connect(self.write_picture)
        form.open()

    def write_picture(self, path: Path, cols: int, rows: int) -> None:
        """Write what the eye sees as a PNG of a size, once all that it needs is read; as a GIF, a turn about the
        spot in the middle."""
        scene, eye, look, middle = self.scene, self.canvas.eye, self.driver.look, self.canvas.centre
        if scene is None or look is None:
            return

        def work(job: Job) -> Path:
            from brisk_atlas.core.draw.png import png_bytes
            from brisk_atlas.core.relief.complete import complete_picture
            from brisk_atlas.core.relief.turntable import turntable
            from brisk_atlas.core.system.atomic_write import write_whole

            def step(share: float) -> None:
                job.report(share, "drawing")

            if path.suffix.lower() == ".gif":
                write_whole(path, turntable(scene, eye, middle, (cols, rows), look, check=step))
            else:
                write_whole(path, png_bytes(complete_picture(scene, eye, (cols, rows), look, step).image))
            return path

        self.session.run(
            "Writing the picture", work, lambda path: self.session.noticed.emit("good", f"Wrote {path}", ""),
            lane=Lane.BATCH,
        )  # fmt: skip

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
            text = f"{picture.height_at(spot):,.1f} m"
            slope = scene.slope_at(spot.east, spot.north)
            text += f"  {slope:.0f}°" if slope is not None else ""
        self.reading.setText(text)
        self.pointed.emit(spot)

    def close_stage(self) -> None:
        """Give back what the relief holds, as the window closes: who listens may be gone when this is hidden."""
        self.blockSignals(True)
        self.driver.show(None)


def _length(metres: float) -> str:
    return f"{metres / 1000:,.1f} km" if abs(metres) >= 1000 else f"{metres:,.0f} m"


def _look_of(theme: Theme, haze: float, contrast: float) -> Look:
    """Return the colours of ground and sky in a theme."""

    def rgb(text: str) -> tuple[float, float, float]:
        colour = QColor(text)
        return float(colour.red()), float(colour.green()), float(colour.blue())

    return Look(rgb(theme.rule), rgb(theme.paper), rgb(theme.wash), haze, contrast)
