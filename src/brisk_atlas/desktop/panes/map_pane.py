"""The Map pane: a canvas, its slim bar of tools, and what the work wants drawn on it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.view import PICK_PX
from brisk_atlas.core.model import AtlasError, Extent, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.domain import domain_of
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace import Place
from brisk_atlas.core.workspace.comparison import Way, side_title
from brisk_atlas.core.workspace.stacks import stacks_of, subtracted
from brisk_atlas.core.workspace.view_history import ViewHistory, VisitedView

from ..commands import Commands
from ..later import Later
from ..plain_text import PlainLabel
from ..session import Session
from .blinker import Blinker
from .coming_pieces import ComingPieces
from .comparison_bar import ComparisonBar
from .dimension_bar import DimensionBar
from .field_time_bar import FieldTimeBar
from .hand_tool import NEW, SKETCHED
from .map_canvas import MapCanvas
from .renderer import MarkedClasses, Renderer, Wish
from .time_bar import TimeBar

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.draw.frame import Frame
    from brisk_atlas.core.inspect import Where
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.workspace.named_places import NamedPlace

HOVER_MS = 40
PLACE_PICTURE = QSize(160, 100)
FLASHES, FLASH_MS = 2, 260
AGAIN_MS = 300  # between two pictures of a layer that is being prepared
NO_GRIDS = tr("Two grids have a difference on the map; the Change drawer compares the rows of other layers.")
MEASURES = ("distance", "area")
MEASURED_AS = {"sketch line": "distance", "sketch area": "area"}  # while they are drawn


class MapPane(QWidget):
    """Draws the work.

    Signals:
        pointer_moved(float, float): map position under the pointer.
        probed(object): where the analyst asks what is there, as a Where.
        sketched(str, object): a mark was drawn: its kind, and positions.
        feature_drawn(str, object): a feature was drawn into the layer that is edited: its kind, and positions.
        measured(str, object, bool): a line or area that is drawn: its kind, positions, whether it has ended.
        settled(): the newest wish has been drawn.
        drawing_faults(dict): layer id -> why it could not be drawn.
        view_changed(): the place or scale changed.
        pane_wanted(): another pane beside the map, for one more side of what is compared.
    """

    pointer_moved = pyqtSignal(float, float)
    probed = pyqtSignal(object)
    measured = pyqtSignal(str, object, bool)
    sketched = pyqtSignal(str, object)
    feature_drawn = pyqtSignal(str, object)
    settled = pyqtSignal()
    drawing_faults = pyqtSignal(dict)
    view_changed = pyqtSignal()
    pane_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.canvas = MapCanvas()
        self.renderer = Renderer(session)
        self.bar = QFrame()
        self.bar.setObjectName("paneBar")
        self._bar_row = QHBoxLayout(self.bar)
        self._bar_row.setContentsMargins(8, 2, 8, 2)
        self._bar_row.setSpacing(2)
        self.bar.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)  # as narrow as a twin
        title = PlainLabel(tr("Map"))
        title.setObjectName("heading")
        self._bar_row.addWidget(title)
        self.message = PlainLabel("")
        self.message.setObjectName("quiet")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        self.along = DimensionBar(session, lambda: not self.busy)
        self._flashes = FLASHES
        self.blinker = Blinker(self)
        self.comparing = ComparisonBar(session, self.blinker)  # stands above all panes
        self.dates = TimeBar(session, lambda: not self.busy)
        self.rows_dates = FieldTimeBar(session, lambda: not self.busy)
        column.addWidget(self.along)
        column.addWidget(self.dates)
        column.addWidget(self.rows_dates)
        column.addWidget(self.canvas, 1)
        self._hover = Later(self, HOVER_MS, self._read_change)
        self._pointer: tuple[float, float] | None = None
        self._reading: Job | None = None
        self._faults: dict[str, str] = {}
        self.history = ViewHistory()
        self.grid = ""  # lines of equal coordinates: projected, geographic, or none
        self.marked: MarkedClasses | None = None
        self.limits: dict[str, tuple[tuple[float, float], ...]] = {}
        self.canvas.view_changed.connect(self._view_changed)
        self.canvas.pointer_moved.connect(self._pointer_moved)
        self.canvas.pointer_left.connect(self._pointer_left)
        self.canvas.probed.connect(self._clicked)
        self.canvas.shape_drawn.connect(self._shape_drawn)
        self.canvas.shape_going.connect(self._shape_going)
        self.canvas.side_held.connect(lambda mix: self.blinker.hold(mix if mix >= 0 else None))
        self.blinker.mixed.connect(self._show_mix)
        self.comparing.pane_wanted.connect(self.pane_wanted)
        self.renderer.drawn.connect(self._drawn)
        self.renderer.begun.connect(self.canvas.show_begun)
        self._again = Later(self, AGAIN_MS, self.draw)
        self._unfinished: set[DataRef] = set()
        self._pieces = ComingPieces(session)
        self._pieces.more.connect(self.draw)
        session.preparing.connect(self._more_to_see)
        session.prepared.connect(self._more_to_see)
        session.work_changed.connect(self._work_changed)
        session.layers_opened.connect(self._layers_opened)

    def set_tools(self, commands: Commands, ids: tuple[str, ...]) -> None:
        """Put commands on the bar as buttons."""
        self._bar_row.addSpacing(8)
        for command_id in ids:
            button = QToolButton()
            button.setDefaultAction(commands[command_id])
            button.setObjectName(command_id)
            self._bar_row.addWidget(button)
        self._bar_row.addStretch(1)
        self._bar_row.addWidget(self.message)

    @property
    def reach(self) -> float:
        """Return how far from the pointer a thing can be picked, in map units."""
        return PICK_PX * self.canvas.view.resolution if self.canvas.view else 0.0

    @property
    def busy(self) -> bool:
        return self.renderer.busy or self.canvas.settling or self._again.isActive() or self._pieces.busy

    # What the hand asks

    def _clicked(self, x: float, y: float) -> None:
        self.canvas.clear_shape()
        self.probed.emit(self.where_at(x, y))

    def _shape_drawn(self, kind: str, xy: np.ndarray) -> None:
        from brisk_atlas.core.inspect import Where

        if kind in SKETCHED:
            self.canvas.say = ""
            self.sketched.emit(kind.removeprefix("sketch "), xy)
            return
        if kind in NEW:
            self.feature_drawn.emit(kind.removeprefix("new "), xy)
            return
        if kind in MEASURES:
            self.measured.emit(kind, xy, True)
            return
        self.probed.emit(Where(kind, xy, self.session.work.state.crs, self.reach if kind == "line" else 0.0))

    def _shape_going(self, kind: str, xy: np.ndarray) -> None:
        kind = MEASURED_AS.get(kind, kind)
        if kind in MEASURES and len(xy) > 1:
            self.measured.emit(kind, xy, False)

    # What to draw

    def mark_classes(self, marked: MarkedClasses | None) -> None:
        """Have the places stand out where one class became another, or no more."""
        if marked != self.marked:
            self.marked = marked
            self.draw()

    def draw(self) -> None:
        """Ask for a frame of the present view."""
        view = self.canvas.wanted_view()
        if view is not None and view.width > 1 and view.height > 1:
            self._pieces.begin(self.session.work.layers)
            work = self.session.work
            self.renderer.want(Wish(stacks_of(work), view, work.picks, self.grid, subtracted(work), self.marked))

    def _drawn(self, frames: list[Frame]) -> None:
        work = self.session.work
        self._show_sides(len(frames))
        self.canvas.show_frames(frames)
        faults = {k: v for frame in frames for k, v in frame.faults.items()}
        if faults != self._faults:
            self._faults = faults
            self.drawing_faults.emit(faults)
        self.canvas.credit = self._credit()
        notes = {k: v for frame in frames for k, v in frame.notes.items()}
        self.message.setText(
            "   ".join(f"{layer.name}: {notes[layer.id]}" for layer in work.layers if layer.id in notes)
        )
        self._unfinished = {source for frame in frames for source in frame.unfinished}
        for layer in work.layers:
            if layer.ref in self._unfinished:
                self.session.prepare(layer)
        self._pieces.take(frames)
        self.limits = {k: v for frame in frames for k, v in frame.limits.items()}
        if not self.renderer.busy:
            self.settled.emit()

    def _show_sides(self, pictures: int) -> None:
        """Have the canvas show as many sides as there are pictures, and what is to be known of a difference."""
        work, sides = self.session.work, self.canvas.sides
        comparison, change = work.state.comparison, self.renderer.change
        sides.titles = None
        if comparison is not None and pictures == 2:
            a, b = (side_title(ids, work.layers, work.state.groups) for ids in comparison.sides[:2])
            sides.titles, sides.way, sides.divide = (a, b), comparison.way, comparison.divide
        self.canvas.sides_changed.emit()
        self.canvas.legend = change.scale if change is not None and subtracted(work) else None
        if comparison is not None and comparison.way is Way.CHANGE:
            self.comparing.say(change.words if change is not None and subtracted(work) else NO_GRIDS)

    def _show_mix(self, mix: float) -> None:
        self.canvas.sides.mix = mix
        self.canvas.share_anew()

    def _credit(self) -> str:
        """Return whom the data of the services on the map is credited to."""
        facts = [self.session.workspace.facts_of(layer) for layer in self.session.work.drawn() if layer.visible]
        return " · ".join(
            dict.fromkeys(each.notes["attribution"] for each in facts if each and "attribution" in each.notes)
        )

    def _more_to_see(self, source: DataRef) -> None:
        """Draw again, not at once, what lacked something when it was drawn last."""
        if source in self._unfinished and not self._again.isActive():
            self._again.start()

    def use_less_motion(self, calm: bool) -> None:
        """Have nothing blink or flash by itself, or again."""
        self._flashes = 1 if calm else FLASHES
        self.comparing.use_less_motion(calm)

    def flash(self, ids: set[str]) -> None:
        """Show some layers alone for a moment, twice, to tell them from the others."""
        view, work = self.canvas.wanted_view(), self.session.work
        if view is None:
            return
        only = (tuple(replace(la, visible=True, opacity=1.0) for la in work.drawn() if la.id in ids),)
        for turn in range(self._flashes):
            QTimer.singleShot(2 * turn * FLASH_MS, lambda: self.renderer.want(Wish(only, view)))
            QTimer.singleShot((2 * turn + 1) * FLASH_MS, self.draw)

    def _view_changed(self) -> None:
        view = self.canvas.view
        if view is not None:
            self.session.work.place = Place(view.x, view.y, view.resolution, view.turn)
            self.history.note(VisitedView(view.x, view.y, view.resolution, view.crs), view.width)
        self.draw()
        self.view_changed.emit()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "comparison", "picks"):
            if not self.session.work.layers:
                self.canvas.view, self.canvas.frames, self.canvas.mark = None, [], None
                self.canvas.update()
            self._follow_crs()
            self.draw()
        elif what == "file":
            place = self.session.work.place
            if place is not None:
                self.canvas.look(
                    View(
                        place.x,
                        place.y,
                        place.resolution,
                        self.canvas.width(),
                        self.canvas.height(),
                        self.session.work.state.crs,
                        turn=place.turn,
                    )
                )
            else:
                self.fit_all()

    def _follow_crs(self) -> None:
        """Keep the place when the map's CRS becomes another."""
        view, crs = self.canvas.view, self.session.work.state.crs
        if view is None or crs is None or view.crs is None or view.crs == crs:
            return
        try:
            there = view.shown_in(crs)
        except AtlasError:
            there = None
        if there is not None:
            self.canvas.mark = None
            self.canvas.look(there)
        else:
            self.fit_all()

    def go_back(self, *, on: bool = False) -> None:
        """Show the place that was seen before, or the one after it."""
        seen, now = self.history.on() if on else self.history.back(), self.canvas.view
        if seen is None or now is None:
            return
        view = View(seen.x, seen.y, seen.resolution, now.width, now.height, seen.crs, turn=now.turn).shown_in(now.crs)
        if view is not None:
            self.canvas.look(view)

    def go_to_place(self, place: NamedPlace) -> None:
        """Show a named place, in the map's own CRS, as it was turned; also where the map shows nothing yet."""
        now = self.canvas.view
        crs = now.crs if now is not None else self.session.work.state.crs
        width, height = max(1, self.canvas.width()), max(1, self.canvas.height())
        wide = max(place.width / width, place.height / height)  # so that all of it is seen here too
        there = View(place.x, place.y, place.resolution * wide, width, height, place.crs, turn=place.turn)
        view = there.shown_in(crs)
        if view is not None:
            self.canvas.look(view)

    def picture(self) -> bytes:
        """Return what the map shows as a small PNG."""
        small = self.canvas.grab().scaled(PLACE_PICTURE, Qt.AspectRatioMode.KeepAspectRatioByExpanding,
                                          Qt.TransformationMode.SmoothTransformation)  # fmt: skip
        held = QBuffer()
        held.open(QBuffer.OpenModeFlag.WriteOnly)
        small.save(held, "PNG")
        return bytes(held.data().data())

    def _layers_opened(self, ids: list[str]) -> None:
        """Go to what was opened if the map shows nothing yet."""
        if self.canvas.view is None or self.canvas.view.crs != self.session.work.state.crs:
            self._fit([layer for layer in self.session.work.layers if layer.id in ids])

    # Going places

    def show_extent(self, extent: Extent) -> None:
        """Go to an extent of any CRS, with as much around it on each side; to one without size as near as now."""
        from brisk_atlas.core.place import transform_extent

        crs, view = self.session.work.state.crs, self.canvas.view
        placed = transform_extent(extent, crs)
        if placed is None or not placed.is_finite or view is None:
            return
        if placed.width or placed.height:
            self.canvas.look(self._fitting(replace(placed.grown(1.0), crs=crs)))
        else:
            self.canvas.look_at_centre(*placed.centre, view.resolution, view.crs)

    def fit_extent(self, extent: Extent) -> None:
        """Go to an extent of the map's CRS; to one without size as near as now."""
        if extent.width or extent.height:
            self.canvas.look(self._fitting(extent, margin=0.15))
        elif self.canvas.view is not None:
            self.canvas.look_at_centre(*extent.centre, self.canvas.view.resolution, self.canvas.view.crs)

    def _fit(self, layers: list[Layer]) -> None:
        crs = self.session.work.state.crs

        def work(job: Job) -> Extent | None:
            from brisk_atlas.core.draw.frame import extent_of

            return extent_of(self.session.cache, layers, crs)

        def done(extent: Extent | None) -> None:
            if extent is not None:
                self.canvas.look(self._fitting(replace(extent, crs=crs)))

        if layers:
            self.session.run(tr("Fitting"), work, done, shown=False)

    def _fitting(self, extent: Extent, *, margin: float = 0.05) -> View:
        """Return the view that shows an extent, turned as the map is."""
        width, height = max(1, self.canvas.width()), max(1, self.canvas.height())
        return View.fitting(extent, width, height, margin=margin, turn=self.turned)

    @property
    def turned(self) -> float:
        """How far the map is turned, degrees clockwise."""
        return self.canvas.view.turn if self.canvas.view is not None else 0.0

    def turn(self, by: float) -> None:
        """Turn the map about its middle, degrees clockwise."""
        if self.canvas.view is not None:
            self.canvas.look(self.canvas.view.turned(by))

    def turn_to(self, angle: float) -> None:
        """Turn the map so that its north points some degrees clockwise from up; 0 is north up."""
        self.turn(angle - self.turned)

    def fit_subject(self) -> None:
        if self.session.work.subject:
            self._fit([self.session.work.subject])

    def fit_all(self) -> None:
        self._fit([layer for layer in self.session.work.drawn() if layer.visible])

    def fit_picked(self) -> None:
        """Go to the picked features."""
        picks = self.session.work.picks
        layer = self.session.work.layer(picks.layer_id) if picks else None
        if picks is None or layer is None or not layer.kind.has_shapes or self.session.is_streamed(layer):
            return
        crs, rows = self.session.work.state.crs, picks.rows

        def work(job: Job) -> Extent:
            bounds = self.session.cache.shapes_in(layer.ref, crs).bounds[list(rows)]
            (xmin, ymin), (xmax, ymax) = bounds[:, :2].min(axis=0).tolist(), bounds[:, 2:].max(axis=0).tolist()
            return Extent(xmin, ymin, xmax, ymax, crs)

        self.session.run(
            tr("Going there"), work, lambda e: self.canvas.look(self._fitting(e, margin=0.25)), shown=False
        )

    def box_zoom(self) -> None:
        self.canvas.boxing = True
        self.canvas.setFocus()

    def zoom(self, factor: float) -> None:
        view = self.canvas.view
        if view:
            self.canvas.look(view.zoomed(factor, self.canvas.width() / 2, self.canvas.height() / 2))

    def toggle_grid(self, kind: str) -> None:
        """Lay lines of equal coordinates over the map, `projected` or `geographic`, or take them off."""
        self.grid = "" if self.grid == kind else kind
        self.draw()

    def toggle_north(self) -> None:
        self.canvas.shows_north = not self.canvas.shows_north
        self.canvas.update()

    # Comparing

    def toggle_way(self, way: Way) -> None:
        """Compare the subject with the layer most like it in this way; the same sides if two are compared already; the
        way that is on show again stops it."""
        work = self.session.work
        comparison = work.state.comparison
        if comparison is not None and comparison.way is way:
            work.stop_comparing()
            self._pointer_left()
        elif comparison is not None:
            work.look_by(way)
        else:
            pair = self.session.workspace.proposed_pair()
            if pair:
                work.compare((pair[0].id,), (pair[1].id,), way)

    def turn_side(self, layer_id: str) -> None:
        """Move a layer on: all sides, A, B and so on, all again."""
        comparison = self.session.work.state.comparison
        if comparison is not None:
            now = comparison.side_of(layer_id)
            after = 0 if now is None else now + 1
            self.session.work.put_on_side(layer_id, after if after < len(comparison.sides) else None)

    def where_at(self, x: float, y: float) -> Where:
        """Return a map position as a place to probe."""
        from brisk_atlas.core.inspect import Where

        return Where.at(x, y, self.session.work.state.crs, self.reach)

    def _pointer_moved(self, x: float, y: float) -> None:
        domain = domain_of(self.session.work.state.crs)
        self._pointer = (x, y) = (domain.canonical(x) if domain is not None else x, y)
        self.pointer_moved.emit(x, y)
        if self.session.work.state.comparison and not self._hover.isActive():
            self._hover.start()

    def _pointer_left(self) -> None:
        self.canvas.hint = ""
        self.canvas.update()

    def _read_change(self) -> None:
        sides, pointer = self.session.work.compared_grids(), self._pointer
        if sides is None or pointer is None or (self._reading and not self._reading.finished):
            return
        crs = self.session.work.state.crs

        def work(job: Job) -> str:
            from brisk_atlas.core.compare.point_change import change_at

            return change_at(self.session.cache, *sides, *pointer, crs).text

        def done(text: str) -> None:
            self.canvas.hint = text if self.session.work.state.comparison else ""
            self.canvas.update()
            if self._pointer != pointer:
                self._hover.start()

        self._reading = self.session.run(tr("Reading the change"), work, done, shown=False, failed=lambda error: None)
