"""The Desk: the stack on the left, panes in the middle, drawers right and below."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSplitter, QStackedLayout, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..drawers.change_drawer import ChangeDrawer
from ..drawers.drawer_titles import DRAWER_TITLES
from ..drawers.places_drawer import PlacesDrawer
from ..drawers.probe_drawer import ProbeDrawer
from ..drawers.side_drawers import SideDrawers
from ..drawers.sketch_drawer import SketchDrawer
from ..drawers.statistics_drawer import StatisticsDrawer
from ..drawers.style_drawer import StyleDrawer
from ..editing.edit_drawer import EditDrawer
from ..editing.editing import Editing
from ..editing.outlet_follower import OutletFollower
from ..empty_state import EmptyState
from ..floating import Floatable, Floating
from ..log_tether import LogTether
from ..panes.log_content import has_holes
from ..panes.log_pane import LogPane
from ..panes.map_pane import MapPane
from ..panes.relief_pane import ReliefPane
from ..panes.renderer import MarkedClasses
from ..panes.strip_pane import HEIGHT_PX as STRIP_PX
from ..panes.strip_pane import StripPane
from ..probe_showing import ProbeShowing
from ..relief_deeds import ReliefDeeds
from ..relief_tether import ReliefTether
from ..session import Session
from ..sheet.drawer import SheetDrawer
from ..sketching import Sketching
from ..spot_deeds import SpotDeeds
from ..stack_pane import StackPane
from ..strip_tether import StripTether
from ..theme import LIGHT, Theme
from ..twins import Twins

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.model import Extent
    from brisk_atlas.core.relief.eye import GroundSpot

EMPTY = (
    tr("Nothing is open yet"),
    tr("Layers are looked at here: on a map, in relief, along lines and down boreholes, side by side."),
)
CHOICES = {"page_find": tr("Look for data"), "open_demo": tr("Open the demo")}
SHEET_SIZE, RELIEF_SIZE = (1100, 640), (900, 640)  # of their own windows at first
DRAWER_PX, SHEET_PX, SUMMARY_PX = 300, 260, 380
WIDE_ENOUGH_PX, LOG_SHARE = 1500, 0.58  # of the desk for the drawer too; of the panes for the strip log
HELD_PX = 440  # of the drawer that shows held probes


class DeskPage(QWidget):
    """Puts the panes and drawers together and lets them speak with each other."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self._frames()
        self.stack = StackPane(session)
        self.spine = self.stack.spine
        self.map, self.relief = MapPane(session), ReliefPane(session)
        self.probe, self.style_form = ProbeDrawer(session), StyleDrawer(session)
        self.change, self.sheet = ChangeDrawer(session), SheetDrawer(session)
        self.statistics, self.places = StatisticsDrawer(session), PlacesDrawer(session)
        self.sketch = SketchDrawer(session)
        self.showing = ProbeShowing(session, self.map, self.side, self.probe, self.statistics)
        self.sketching = Sketching(session, self.map, self.sketch)
        self.edit = EditDrawer()
        self.editing = Editing(session, self.map, self.edit)
        self.following = OutletFollower(session, self)
        for asks in (self.sheet, self.statistics):
            asks.view_extent = self._view_extent
        self._summary = False
        self._theme: Theme = LIGHT
        self.relief.hide()
        self.panes.addWidget(self.map)
        self.panes.addWidget(self.relief)
        self.twins = Twins(session, self.map, self.panes, self.showing.show)
        self.tether = ReliefTether(self.map, self.relief, self.showing.show)
        self.deeds = ReliefDeeds(self.map, self.relief, self.tether.to_map, self.tether.eye_of,
                                 self.showing.show_measure, self.showing.show_points)  # fmt: skip
        self.spots = SpotDeeds(session, self.map, self.tether, self.places)
        self._strip: StripPane | None = None
        self._log: LogPane | None = None
        self._below_sheet.addWidget(self.sheet)
        self._below_comparison.insertWidget(0, self.map.comparing)
        self.side.put_in(
            {"probe": self.probe, "style": self.style_form, "change": self.change, "statistics": self.statistics,
             "places": self.places, "sketch": self.sketch, "edit": self.edit}
        )  # fmt: skip
        self.floating.can("sheet", Floatable(self.sheet, tr("Sheet"), SHEET_SIZE, self._put_sheet_back))
        self.floating.can("relief", Floatable(self.relief, tr("Relief"), RELIEF_SIZE, self._put_relief_back))
        self._row.insertWidget(0, self.stack)
        self.body.setSizes([1280 - DRAWER_PX, DRAWER_PX])
        self.middle.setMinimumWidth(320)  # the hints of hidden panes must not widen the window
        self.side.setMinimumWidth(240)
        self.body.setMinimumWidth(640)
        self.spine.subject_chosen.connect(session.work.choose)
        self.spine.side_turned.connect(self.map.turn_side)
        self.map.view_changed.connect(self._view_moved)
        self.showing.held_shown.connect(self._give_held_room)
        self.showing.line_drawn.connect(self._line_drawn)
        self.spots.drawer_wanted.connect(lambda: self.side.open("places"))
        self.spots.relief_wanted.connect(self._show_relief)
        self.spots.sheet_wanted.connect(self._open_sheet)
        self.spots.row_chosen.connect(self.showing.show_row)
        self.change.delivery.place_wanted.connect(self.map.show_extent)
        self.change.classes.pair_chosen.connect(self._mark_classes)
        self.places.overview.place_chosen.connect(self.map.canvas.centre_on)
        self.sketch.tool_wanted.connect(self.take_tool)
        self.relief.canvas.feature_clicked.connect(self.showing.pick_standing)
        self.relief.pointed.connect(self._relief_pointed)
        self.sheet.row_chosen.connect(self.showing.show_row)
        self.sheet.rows_edited.connect(self.editing.change_values)
        self.sheet.window_wanted.connect(self.turn_sheet_window)
        self.map.settled.connect(lambda: self.spine.show_limits(self.map.limits))
        self.sheet.go_wanted.connect(self.map.fit_picked)
        session.work_changed.connect(self._work_changed)
        self._which()

    def _frames(self) -> None:
        """Lay out what holds the panes and drawers, from the outside in: a widget that is put into another is given its
        looks anew with all that it holds."""
        self.either = QStackedLayout(self)
        self.empty, self.full = EmptyState(*EMPTY, CHOICES, self), QWidget(self)
        self.either.addWidget(self.empty)
        self.either.addWidget(self.full)
        self._row = QHBoxLayout(self.full)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(0)
        self.body = QSplitter(Qt.Orientation.Horizontal, self.full)
        self._row.addWidget(self.body, 1)
        self.middle = QSplitter(Qt.Orientation.Vertical, self.body)
        self.floating = Floating(self)
        self.side = SideDrawers(self.floating, self.body)
        self.body.setStretchFactor(0, 1)
        self.upper, self.bottom = QSplitter(Qt.Orientation.Vertical, self.middle), QFrame(self.middle)
        self.middle.setStretchFactor(0, 1)
        self.bottom.setObjectName("bottomDrawer")
        self._below_sheet = _close_column(self.bottom)
        self.bottom.hide()
        self._below_comparison = _close_column(QWidget(self.upper))  # the panes, whose maps begin at the same height
        self.upper.setStretchFactor(0, 1)
        self.panes = QSplitter(Qt.Orientation.Horizontal, self._below_comparison.parentWidget())
        self._below_comparison.addWidget(self.panes, 1)
        for splitter in (self.body, self.middle, self.upper, self.panes):
            splitter.setChildrenCollapsible(False)

    def _which(self) -> None:
        self.either.setCurrentWidget(self.full if self.session.work.layers else self.empty)

    def painted_pieces(self) -> list[QWidget]:
        """Return the pieces whose first painting takes longest."""
        return [self.map.bar, self.spine, *self.side.drawers.values(), self.full]

    def _mark_classes(self, pair: tuple[int, int] | None) -> None:
        """Show the places of a cell of the matrix of classes."""
        sides = self.change.classes.sides
        marked = MarkedClasses(*sides, pair) if pair is not None and sides is not None else None
        self.map.mark_classes(marked)
        self.twins.mark_classes(marked)

    def measure_change(self) -> None:
        """Open the Change drawer and measure."""
        self.side.open("change")
        self.change.compute()

    def use_theme(self, theme: Theme) -> None:
        """Hand the colours to everything here that paints itself."""
        painted_by_themselves = (
            *(self.map.canvas, self.spine),
            *(self.probe, self.sheet, self.style_form, self.statistics, self.places, self.sketch, self.edit),
            self.change.image.bars,
        )
        for painted in painted_by_themselves:
            painted.theme = theme
        self.twins.use_theme(theme)
        self.relief.use_theme(theme)
        self._theme = theme
        for pane in (self._strip, self._log):
            if pane is not None:
                pane.use_theme(theme)
        for bar in (self.map.dates, self.map.rows_dates):
            bar.use_theme(theme)
        self.update()

    @property
    def busy(self) -> bool:
        return (
            self.map.busy
            or self.twins.busy
            or self.relief.busy
            or (self._strip is not None and self._strip.busy)
            or (self._log is not None and self._log.busy)
            or self.sheet.busy
            or self.editing.busy
        )

    # Probing and measuring

    @property
    def tool(self) -> str:
        """Return the name of the drawing tool in the hand, empty for none."""
        return self.map.canvas.tool.kind if self.map.canvas.tool else ""

    def take_tool(self, kind: str) -> None:
        """Put a tool into the hand, or put it away; those that draw go with their drawer."""
        if not kind.startswith("sketch"):
            self.map.canvas.take_tool(kind)
            return
        self.side.open("sketch")
        self.sketching.take_tool(kind)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "file"):
            self._which()
            self._make_room()
            self.showing.show_discs()

    def _make_room(self) -> None:
        """Give the sheet room for a summary that was just asked for."""
        layer = self.sheet.layer
        summary = layer is not None and layer.rows.summary
        if summary and not self._summary and self.bottom.isVisible() and self.middle.sizes()[1] < SUMMARY_PX:
            self.middle.setSizes([sum(self.middle.sizes()) - SUMMARY_PX, SUMMARY_PX])
        self._summary = summary

    def _view_extent(self) -> Extent | None:
        view = self.map.canvas.view
        return view.extent if view is not None else None

    def _view_moved(self) -> None:
        self.sheet.view_moved()
        self.statistics.view_moved()
        self.places.overview.show_view(self.map.canvas.view)

    def _relief_pointed(self, spot: GroundSpot | None) -> None:
        """State where the pointer of the relief is, and have the strip follow it."""
        import numpy as np

        there = self.tether.to_map(np.array([spot[:2]])) if spot is not None else None
        if there is not None and np.isfinite(there).all():
            self.map.pointer_moved.emit(*there[0].tolist())
            if self._strip is not None:
                self.strip_tether.follow(*there[0].tolist())
        else:
            self.map.canvas.pointer_left.emit()

    def _give_held_room(self) -> None:
        """Widen the drawers at the right for held probes."""
        sizes = self.body.sizes()
        if self.side.isVisible() and sizes[1] < HELD_PX < sum(sizes) - 400:
            self.body.setSizes([sum(sizes) - HELD_PX, HELD_PX])

    def _line_drawn(self, xy: np.ndarray) -> None:
        if self.shows_strip:
            self.strip.show_line(xy, self.session.work.state.crs)

    @property
    def strip(self) -> StripPane:
        """What was measured along a line; made at the first call, as is the strip log: a map can do without."""
        if self._strip is None:
            strip = self._strip = StripPane(self.session)
            strip.hide()
            strip.use_theme(self._theme)
            self.upper.addWidget(strip)
            self.strip_tether = StripTether(self.map, strip, self.tether.show_in_relief)
        return self._strip

    @property
    def log(self) -> LogPane:
        """What was measured down boreholes."""
        if self._log is None:
            log = self._log = LogPane(self.session)
            log.hide()
            log.use_theme(self._theme)
            self.panes.addWidget(log)
            self.log_tether = LogTether(self.map, log, self.tether.show_in_relief)
        return self._log

    @property
    def shows_strip(self) -> bool:
        return self._strip is not None and not self._strip.isHidden()

    @property
    def shows_log(self) -> bool:
        return self._log is not None and not self._log.isHidden()

    def toggle_strip(self) -> None:
        """Show what was measured along a line below the map, or down boreholes beside it where the subject has some; or
        close it."""
        holes = has_holes(self.session, self.session.work.subject)
        if self.shows_log or (holes and not self.shows_strip):
            self.toggle_log()
            return
        self.strip.setVisible(not self.strip.isVisible())
        if self.shows_strip:
            self.upper.setSizes([max(1, self.upper.height() - STRIP_PX), STRIP_PX])
            self.strip.canvas.setFocus()

    def toggle_log(self) -> None:
        """Show what was measured down boreholes beside the map, or close it."""
        self.log.setVisible(not self.log.isVisible())
        if self.shows_log:
            if self.width() < WIDE_ENOUGH_PX:
                self.side.hide()
            panes = [pane for n in range(self.panes.count()) if (pane := self.panes.widget(n)) is not None]
            others = max(1, sum(not pane.isHidden() for pane in panes) - 1)
            rest = (1 - LOG_SHARE) / others
            shares = [LOG_SHARE if pane is self.log else 0.0 if pane.isHidden() else rest for pane in panes]
            self.panes.setSizes([round(self.panes.width() * share) for share in shares])
            self.log.canvas.setFocus()

    def toggle_sheet(self) -> None:
        self.bottom.setVisible(not self.bottom.isVisible())
        if self.bottom.isVisible():
            subject = self.session.work.subject
            room = SUMMARY_PX if subject is not None and subject.rows.summary else SHEET_PX
            if self.middle.sizes()[1] < max(80, room - SHEET_PX + 80):
                self.middle.setSizes([self.height() - room, room])
            self.sheet.grid.setFocus()

    # The sheet

    def _open_sheet(self) -> None:
        if self.bottom.isHidden() and self.sheet.parent() is self.bottom:
            self.toggle_sheet()

    def use_sheet(self, name: str) -> None:
        """Open the sheet and use one of its tools."""
        self._open_sheet()
        tools = self.sheet.tools
        runs = {
            "replace": tools.replace_values,
            "save": tools.save_edits,
            "new file": tools.save_as_new,
            "export": tools.export,
        }
        if name in runs:
            runs[name]()
        else:
            tools.button[name].click()

    def show_field(self, name: str) -> None:
        """Open the sheet, with the column of a field in sight."""
        self._open_sheet()
        self.sheet.grid.go_to_field(name)

    def turn_sheet_window(self) -> None:
        """Show the sheet in a window of its own, or back below the panes."""
        self.turn_float("sheet")

    def _put_sheet_back(self) -> None:
        layout = self.bottom.layout()
        assert layout is not None
        layout.addWidget(self.sheet)
        self.bottom.show()
        self.sheet.show()

    # Windows of their own

    def turn_float(self, name: str) -> None:
        """Show a drawer or a pane in a window of its own, or back in its place."""
        if name in DRAWER_TITLES:
            self.side.turn_float(name)
            return
        if name == "sheet" and name not in self.floating.windows:
            self.bottom.hide()
        self.floating.turn(name)

    def _put_relief_back(self) -> None:
        self.panes.addWidget(self.relief)
        self.relief.show()

    def reword_lengths(self) -> None:
        """Say lengths and areas in the units that were chosen now."""
        self.map.canvas.update()
        self.sketch.fill()
        if self.relief.canvas.scene is not None:
            self.relief.show_eye()

    def _show_relief(self) -> None:
        if self.relief.isHidden():
            self.toggle_relief()

    def toggle_relief(self) -> None:
        if "relief" in self.floating.windows:
            self.turn_float("relief")
        self.relief.setVisible(not self.relief.isVisible())
        if self.relief.isVisible():
            half = self.panes.width() // 2
            self.panes.setSizes([half, half])


def _close_column(widget: QWidget) -> QVBoxLayout:
    """Return the layout of a widget in a column without room between or around."""
    column = QVBoxLayout(widget)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    return column
