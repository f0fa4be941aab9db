"""The panes of a twin: as many as there are sides after A, tethered to the map."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QSplitter

from brisk_atlas.core.draw import View
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.workspace.comparison import Way

from .panes.map_canvas import MapCanvas
from .panes.map_pane import MapPane
from .panes.renderer import MarkedClasses
from .panes.twin_pane import TwinPane
from .session import Session
from .theme import LIGHT, Theme


class Twins(QObject):
    """Makes, tethers and removes the panes beside the map."""

    def __init__(self, session: Session, map_pane: MapPane, room: QSplitter, probe: Callable[[Where], None]) -> None:
        super().__init__(map_pane)
        self.session, self.map, self.room, self._probe = session, map_pane, room, probe
        self.panes: list[TwinPane] = []
        self.theme: Theme = LIGHT
        self.marked: MarkedClasses | None = None
        map_pane.canvas.looked.connect(lambda: self._follow(map_pane.canvas))
        map_pane.canvas.pointer_moved.connect(lambda x, y: self._show_cross(map_pane.canvas, x, y))
        map_pane.canvas.pointer_left.connect(self._hide_crosses)
        map_pane.pane_wanted.connect(self.add_pane)
        session.work_changed.connect(self._work_changed)

    @property
    def busy(self) -> bool:
        """Whether a pane is still being drawn."""
        return any(pane.busy for pane in self.panes)

    def use_theme(self, theme: Theme) -> None:
        """Paint the panes in a theme."""
        self.theme = theme
        for pane in self.panes:
            pane.canvas.theme = theme
            pane.canvas.update()

    def mark_classes(self, marked: MarkedClasses | None) -> None:
        """Have the places stand out where one class became another, as on the map."""
        self.marked = marked
        for pane in self.panes:
            pane.marked = marked
            pane.draw()

    def add_pane(self) -> None:
        """Open one more pane, with the layers of side A at first."""
        comparison = self.session.work.state.comparison
        if comparison is not None:
            self.session.work.set_side(len(comparison.sides), comparison.side_a)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "comparison", "picks", "file"):
            comparison = self.session.work.state.comparison
            wanted = len(comparison.sides) - 1 if comparison is not None and comparison.way is Way.TWIN else 0
            if wanted != len(self.panes):
                self._make(wanted)
            for pane in self.panes:
                pane.side.fill()
                pane.draw()

    def _make(self, count: int) -> None:
        """Have so many panes, all as wide as the map."""
        while len(self.panes) > count:
            gone = self.panes.pop()
            gone.hide()
            gone.deleteLater()
        while len(self.panes) < count:
            pane = TwinPane(self.session, len(self.panes) + 1)
            pane.canvas.theme, pane.marked = self.theme, self.marked
            pane.canvas.looked.connect(lambda pane=pane: self._follow(pane.canvas))
            pane.canvas.pointer_moved.connect(lambda x, y, pane=pane: self._show_cross(pane.canvas, x, y))
            pane.canvas.pointer_left.connect(self._hide_crosses)
            pane.canvas.probed.connect(lambda x, y: self._probe(self.map.where_at(x, y)))
            pane.tether.toggled.connect(lambda on: self._follow(self.map.canvas) if on else None)
            pane.remove_wanted.connect(self.session.work.remove_side)
            self.panes.append(pane)
            self.room.insertWidget(self.room.indexOf(self.map) + len(self.panes), pane)
        shown = [w for i in range(self.room.count()) if (w := self.room.widget(i)) is not None and not w.isHidden()]
        self.room.setSizes([
            self.room.width() // max(1, len(shown)) if self.room.widget(i) in shown else 0
            for i in range(self.room.count())
        ])  # fmt: skip
        if count:
            self._follow(self.map.canvas)

    def _tethered(self) -> list[MapCanvas]:
        return [pane.canvas for pane in self.panes if pane.tether.isChecked()]

    def _follow(self, leader: MapCanvas) -> None:
        """Bring the canvases that are tethered to where one of them is."""
        tethered = self._tethered()
        if leader.view is None or (leader is not self.map.canvas and leader not in tethered):
            return
        for canvas in (self.map.canvas, *tethered):
            if canvas is leader:
                continue
            there = replace(leader.view, width=max(1, canvas.width()), height=max(1, canvas.height()))
            if canvas.view is None or _place(there) != _place(canvas.view):
                canvas.look(there)

    def _show_cross(self, canvas: MapCanvas, x: float, y: float) -> None:
        """Mark where the pointer is on the other panes."""
        for other in (self.map.canvas, *(pane.canvas for pane in self.panes)):
            other.cross = (x, y) if other is not canvas and self.panes else None
            other.update()

    def _hide_crosses(self) -> None:
        for canvas in (self.map.canvas, *(pane.canvas for pane in self.panes)):
            canvas.cross = None
            canvas.update()


def _place(view: View) -> tuple[object, ...]:
    return view.x, view.y, view.resolution, view.turn, view.crs
