"""Drawing on the map: what the hand does there becomes marks of a sketch, which the Sketch drawer shows."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .drawers.sketch_drawer import SketchDrawer
from .name_line import NameLine
from .panes.corner_tool import KIND as MOVE
from .panes.corner_tool import CornerTool, MarkOutline
from .panes.map_pane import MapPane
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.sketch import Sketch

TEXT_LINE_PX = (220, 26)


class Sketching(QObject):
    """Has the map's tools and the drawer work on the same sketch."""

    def __init__(self, session: Session, pane: MapPane, drawer: SketchDrawer) -> None:
        super().__init__(pane)
        self.session, self.pane, self.drawer = session, pane, drawer
        pane.sketched.connect(self._drawn)
        drawer.mark_chosen.connect(self._chosen)
        drawer.go_wanted.connect(pane.fit_picked)
        session.work_changed.connect(self._work_changed)
        pane.canvas.tool_changed.connect(self._tool_changed)

    def take_tool(self, kind: str) -> None:
        """Put one of the tools of sketches into the hand, or put it away."""
        canvas = self.pane.canvas
        if kind != MOVE:
            canvas.take_tool(kind)
            return
        if canvas.tool is not None and canvas.tool.kind == MOVE:
            canvas.hold_tool(None)
            return
        canvas.hold_tool(CornerTool(lambda: canvas.view, self._moved, self.drawer.show_mark, self.drawer.remove_mark))
        self._show_outlines()

    def _tool_changed(self) -> None:
        tool = self.pane.canvas.tool
        for kind, button in self.drawer.tools.items():
            button.setChecked(tool is not None and tool.kind == kind)

    def _drawn(self, kind: str, xy: np.ndarray) -> None:
        if kind == "text":
            self._ask_text(xy)
        else:
            self.draw(kind, xy)

    def draw(self, kind: str, xy: np.ndarray, text: str = "") -> None:
        """Draw a mark; its text can be typed at once."""
        from brisk_atlas.core.sketch import MarkKind
        from brisk_atlas.core.workspace.sketching import draw_mark

        anew, self.drawer.anew = self.drawer.anew, False

        def do() -> None:
            layer_id, _ = draw_mark(self.session.work, MarkKind(kind), xy, text, anew=anew)
            self.session.work.choose(layer_id)

        self._do(do)

    def _ask_text(self, xy: np.ndarray) -> None:
        """Have a text typed where it is to stand; none draws nothing."""
        canvas = self.pane.canvas
        if canvas.view is None:
            return
        line = NameLine("", canvas)
        line.setObjectName("sketched text")
        line.setPlaceholderText(tr("Text, then Return"))
        width, height = TEXT_LINE_PX
        x, y = (round(value) for value in canvas.view.to_pixel(*xy[0].tolist()))
        line.setGeometry(min(max(0, x - width // 2), max(0, canvas.width() - width)), y - height // 2, width, height)
        line.named.connect(lambda text: self.draw("text", xy, text.strip()) if text.strip() else None)
        line.show()
        line.setFocus()

    def _moved(self, number: int, xy: np.ndarray) -> None:
        from brisk_atlas.core.workspace.sketching import move_mark

        layer = self.drawer.layer
        if layer is not None:
            self._do(lambda: move_mark(self.session.work, layer.id, number, xy))
        self._show_outlines()

    def _do(self, change: Callable[[], None]) -> None:
        try:
            change()
        except AtlasError as error:
            self.session.fault(error)

    def _chosen(self, layer_id: str, number: int) -> None:
        from brisk_atlas.core.workspace import Picks

        self.session.work.pick(Picks(layer_id, (number,)))
        self._show_outlines()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "file"):
            self._show_outlines()

    def _show_outlines(self) -> None:
        """Give the tool that moves marks these as they stand now."""
        tool, view, shown = self.pane.canvas.tool, self.pane.canvas.view, self.drawer.shown_sketch
        if not isinstance(tool, CornerTool) or tool.kind != MOVE:
            return
        outlines = _outlines(shown, view.crs) if shown is not None and view is not None and view.crs else []
        tool.show_outlines(outlines, self.drawer.current)
        self.pane.canvas.update()


def _outlines(sketch: Sketch, crs: str) -> list[MarkOutline]:
    """Return the marks of a sketch that have a place in a CRS, in it."""
    from brisk_atlas.core.place import transform
    from brisk_atlas.core.sketch import MarkKind

    found = []
    for number, mark in enumerate(sketch.marks):
        xy = transform(np.array(mark.xy), sketch.crs, crs)
        if np.isfinite(xy).all():
            found.append(MarkOutline(number, xy, mark.kind is MarkKind.AREA))
    return found
