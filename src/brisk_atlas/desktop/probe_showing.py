"""What was probed and measured, where it shows: in the Probe drawer, on a card beside the place, and as discs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPoint, pyqtSignal

from .drawers.probe_drawer import ProbeDrawer
from .drawers.side_drawers import SideDrawers
from .drawers.statistics_drawer import StatisticsDrawer
from .panes.map_pane import MapPane
from .panes.spot_card import SpotCard
from .session import Session

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.inspect import Where
    from brisk_atlas.core.inspect.measured import Measured
    from brisk_atlas.core.model import Layer


class ProbeShowing(QObject):
    """Works on the drawers at the right and on the map.

    Signals:
        line_drawn(object): a measure along a line has ended; its (n, 2) corners, in the CRS of the map.
        held_shown(): held probes stand in the drawer, which wants room.
    """

    line_drawn = pyqtSignal(object)
    held_shown = pyqtSignal()

    def __init__(
        self, session: Session, map_: MapPane, side: SideDrawers, probe: ProbeDrawer, statistics: StatisticsDrawer
    ) -> None:
        super().__init__(map_)
        self.session, self.map, self.side = session, map_, side
        self.probe, self.statistics = probe, statistics
        self.card = SpotCard(map_.canvas)
        self.card.more_wanted.connect(self.open_drawer)
        probe.map_view = lambda: map_.canvas.view
        probe.found.connect(self._show_card)
        probe.held_changed.connect(self.show_discs)
        probe.tool_wanted.connect(map_.canvas.take_tool)
        map_.view_changed.connect(self.card.hide)
        map_.probed.connect(self.show)
        map_.measured.connect(self.show_measure)
        map_.canvas.tool_changed.connect(self._tool_changed)

    def open_drawer(self) -> None:
        """Open the Probe drawer in the place of the card."""
        self.card.hide()
        self.side.open("probe")

    def show(self, where: Where) -> None:
        """Probe a place or an area, and show what lies there."""
        self.map.canvas.mark = where.middle if where.kind == "click" else None
        self.map.canvas.update()
        if where.is_area:
            self.statistics.area_drawn(where)
            if self.side.on_show == "statistics":
                return
        self.card.hide()
        if where.kind != "click" or not self.side.isHidden():
            self.open_drawer()
        self.probe.probe(where)

    def show_measure(self, kind: str, xy: np.ndarray, ended: bool) -> None:
        """Say a measure beside what is drawn while it is drawn, and in the drawer when it has ended."""

        def say(found: Measured) -> None:
            if not ended:
                self.map.canvas.say = "   ".join(f"{label} {text}" for label, text in found.lines[:3])
                self.map.canvas.update()

        if ended:
            self.map.canvas.say = ""
            self.open_drawer()
            if kind == "distance":
                self.line_drawn.emit(xy)
        self.probe.measure(kind, xy, ended=ended, then=say)

    def show_row(self, layer: Layer, row: int) -> None:
        """Show in the Probe drawer, if it is open, what was picked elsewhere."""
        if self.side.shows(self.probe):
            self.map.canvas.mark = None
            self.probe.show_row(layer, row)

    def show_points(self, layer: Layer, rows: np.ndarray) -> None:
        """Show points of a cloud that were picked in the relief."""
        self.open_drawer()
        self.probe.show_points(layer, rows)

    def pick_standing(self, layer_id: str, row: int) -> None:
        """Pick a feature that stands in the relief, and show what it is."""
        layer = self.session.work.layer(layer_id)
        if layer is not None:
            from brisk_atlas.core.workspace import Picks

            self.session.work.choose(layer_id)
            self.session.work.pick(Picks(layer_id, (row,)))
            self.open_drawer()
            self.probe.show_row(layer, row)

    def show_discs(self) -> None:
        """Show held probes on the map."""
        held, crs = self.probe.held.held, self.session.work.state.crs
        discs = []
        if held:
            import numpy as np

            from brisk_atlas.core.place import transform

            for probe in held:
                x, y = transform(np.array([[probe.x, probe.y]]), probe.crs, crs)[0].tolist()
                discs.append((probe.number, x, y))
            self.held_shown.emit()
        self.map.canvas.discs = [disc for disc in discs if disc[1] == disc[1]]
        self.map.canvas.update()

    def _show_card(self) -> None:
        """Show what was probed beside its place, while the drawers are closed."""
        where, view = self.probe.where_at, self.map.canvas.view
        if self.side.shows(self.probe) or where is None or view is None or where.kind != "click":
            self.card.hide()
            return
        x, y = (round(value) for value in view.to_pixel(*where.middle))
        self.card.show_results(self.probe.findings, self.probe.tree.pinned, QPoint(x, y))

    def _tool_changed(self) -> None:
        tool = self.map.canvas.tool
        self.probe.bar.show_tool(tool.kind if tool is not None else None)
