"""Editing features on the map: drawn anew, corners dragged, snapped to neighbours, deleted."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

import numpy as np
from PyQt6.QtCore import QObject

from brisk_atlas.core.model import AtlasError, DataRef, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace import Picks

from ..panes.corner_tool import CornerTool
from ..panes.hand_tool import HandTool
from ..panes.map_pane import MapPane
from ..session import Session
from .edit_drawer import EditDrawer
from .outlines_in_view import OutlinesInView, outlines_in_view

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.snapping import SnapTargets

log = logging.getLogger(__name__)
SNAP_PX = 10.0
MOST_OUTLINES = 400  # features in view whose corners can be dragged; of more the picked one's
KIND = "edit move"


class Doing(Protocol):
    """What does something to the layer that is edited, after what is being done: `make` returns the reference that
    shows it, `then` is called once it is shown."""

    def __call__(
        self, what: str, make: Callable[[Layer], DataRef], then: Callable[[Layer], None] | None = None
    ) -> None: ...


class MapEditing(QObject):
    """Has the map's tools work on the layer that is edited."""

    def __init__(self, session: Session, pane: MapPane, drawer: EditDrawer, do: Doing) -> None:
        super().__init__(pane)
        self.session, self.pane, self.drawer, self.do = session, pane, drawer, do
        self._corners: dict[tuple[float, float], tuple[float, float]] = {}  # of the map's CRS, in the layer's own
        self._rings: dict[int, tuple[int, int]] = {}  # number of an outline -> row and line of it
        self._targets: SnapTargets | None = None
        self._looks = 0
        drawer.tool_wanted.connect(self.take_tool)
        pane.feature_drawn.connect(self._drawn)
        pane.canvas.tool_changed.connect(self._tool_changed)
        pane.view_changed.connect(self._view_changed)

    @property
    def layer(self) -> Layer | None:
        """The subject, where it is a copy that is edited."""
        subject = self.session.work.subject
        return subject if subject is not None and subject.ref.is_copy else None

    def take_tool(self, name: str) -> None:
        """Put a tool into the hand, put it away, or delete what is picked."""
        shown, canvas = self.drawer.shown, self.pane.canvas
        if shown is None:
            return
        if name == "delete":
            self._delete_picked()
        elif name == "add":
            if shown.outlet.geometry_type:
                kind = f"new {_kind_of(shown.outlet.geometry_type)}"
                again = canvas.tool is not None and canvas.tool.kind == kind
                canvas.hold_tool(
                    None if again else HandTool(kind, canvas.shape_ended, canvas.shape_going.emit, self._snap)
                )
            else:
                self._add({}, None)
        elif isinstance(canvas.tool, CornerTool) and canvas.tool.kind == KIND:
            canvas.hold_tool(None)
        else:
            tool = CornerTool(
                lambda: canvas.view, self._moved, self._ring_chosen, self._ring_removed, self._snap_corner
            )
            tool.kind = KIND
            canvas.hold_tool(tool)
        self.show_outlines()

    def _tool_changed(self) -> None:
        tool = self.pane.canvas.tool
        self.drawer.tools["move"].setChecked(tool is not None and tool.kind == KIND)
        self.drawer.tools["add"].setChecked(tool is not None and tool.kind.startswith("new "))

    def _view_changed(self) -> None:
        if self.layer is not None and self.pane.canvas.tool is not None:
            self.show_outlines()

    def _delete_picked(self) -> None:
        from brisk_atlas.core.workspace.row_editing import delete_features

        layer, picks = self.layer, self.session.work.picks
        if layer is not None and picks is not None and picks.layer_id == layer.id:
            rows = picks.rows
            self.session.work.pick(None)
            what = tr("delete a row") if len(rows) == 1 else tr("delete {count} rows", count=len(rows))
            self.do(what, lambda layer: delete_features(self.session.cache, layer, rows))

    def _drawn(self, kind: str, xy: np.ndarray) -> None:
        """Add what was drawn as a feature, and pick it, so that its values can be typed."""
        layer, shown, crs = self.layer, self.drawer.shown, self.session.work.state.crs
        if layer is None or shown is None:
            return
        from brisk_atlas.core.inspect.feature_rings import new_feature

        own = self._in_layer(xy, crs, shown.outlet.crs)
        shape = new_feature(kind, own, shown.outlet.geometry_type)
        self._add_shape(shape)

    def _add_shape(self, shape: object) -> None:
        import shapely

        if not shapely.is_valid(shape):
            self.session.noticed.emit(
                "fault",
                tr(
                    "This can't be added: {is_valid_reason}. Draw it anew.",
                    is_valid_reason=shapely.is_valid_reason(shape),
                ),
                "",
            )
            return
        self._add({}, bytes(shapely.to_wkb(shape, byte_order=1, flavor="iso")))

    def _add(self, values: dict[str, object], wkb: bytes | None) -> None:
        from brisk_atlas.core.workspace.row_editing import add_feature, row_names

        def pick(layer: Layer) -> None:
            count = len(row_names(self.session.cache, layer))
            self.session.work.pick(Picks(layer.id, (count - 1,)))

        self.do(tr("add a row"), lambda layer: add_feature(layer, values, wkb), pick)

    def _moved(self, number: int, xy: np.ndarray) -> None:
        """Give a feature the corners that were dragged."""
        import shapely

        layer, shown, crs = self.layer, self.drawer.shown, self.session.work.state.crs
        if layer is None or shown is None or number not in self._rings:
            return
        row, line = self._rings[number]
        own = self._in_layer(xy, crs, shown.outlet.crs)

        def make(layer: Layer) -> DataRef:
            from brisk_atlas.core.inspect.feature_rings import with_ring
            from brisk_atlas.core.workspace.row_editing import move_feature

            wkb = self.session.cache.features(layer.ref).wkb[row].as_py()
            shape = with_ring(shapely.from_wkb(wkb), line, own)
            if not shapely.is_valid(shape):
                reason = shapely.is_valid_reason(shape)
                raise AtlasError(
                    layer.name,
                    tr("the feature would not be valid ({reason})", reason=reason),
                    tr("It stays as it was."),
                )
            made = bytes(shapely.to_wkb(shape, byte_order=1, flavor="iso"))
            return move_feature(self.session.cache, layer, row, made)

        self.do(tr("move a feature"), make)

    def _ring_chosen(self, number: int) -> None:
        layer = self.layer
        if layer is not None and number in self._rings:
            self.session.work.pick(Picks(layer.id, (self._rings[number][0],)))

    def _ring_removed(self, number: int) -> None:
        if number in self._rings:
            self._delete_picked()

    def _in_layer(self, xy: np.ndarray, crs: str | None, own: str | None) -> np.ndarray:
        """Return corners in the CRS of the layer; those that are corners there already exactly as they are."""
        from brisk_atlas.core.place import same_crs, transform

        if same_crs(crs, own):
            return xy
        moved = transform(xy, crs, own)
        for number, corner in enumerate(map(tuple, xy.tolist())):
            if corner in self._corners:
                moved[number] = self._corners[corner]
        return moved

    def show_outlines(self) -> None:
        """Give the tools the corners that are in view: those that can be dragged, and those that are snapped to."""
        tool, view, layer = self.pane.canvas.tool, self.pane.canvas.view, self.layer
        if layer is None or view is None or tool is None or (isinstance(tool, CornerTool) and tool.is_dragging):
            return

        picks = self.session.work.picks
        picked = picks.rows[0] if picks is not None and picks.layer_id == layer.id and picks.rows else None

        self._looks += 1
        number = self._looks

        def done(found: OutlinesInView) -> None:
            if number != self._looks:  # what was asked later may have come earlier
                return
            self._rings, self._corners, self._targets = found.rings, found.corners, found.targets
            now = self.pane.canvas.tool
            if isinstance(now, CornerTool) and now.kind == KIND and not now.is_dragging:
                chosen = [number for number, (row, _) in found.rings.items() if row == picked]
                now.show_outlines(found.outlines, now.current if now.current in chosen else next(iter(chosen), None))
                self.pane.canvas.update()

        others = [each.ref for each in self.session.work.layers if each.visible and each.kind.has_shapes]

        def work(job: object) -> OutlinesInView:
            return outlines_in_view(self.session.cache, layer, view, others, picked, MOST_OUTLINES)

        def failed(error: BaseException) -> None:
            log.info("no corners: %s", error)

        self.session.run(tr("Corners"), work, done, shown=False, failed=failed)

    def _snap(self, place: tuple[float, float], without: int | None = None) -> tuple[float, float]:
        view = self.pane.canvas.view
        if not self.drawer.snap.isChecked() or self._targets is None or view is None:
            return place
        return self._targets.nearest(*place, SNAP_PX * view.resolution, without=without) or place

    def _snap_corner(self, number: int, place: tuple[float, float]) -> tuple[float, float]:
        return self._snap(place, self._rings[number][0] if number in self._rings else None)


def _kind_of(geometry_type: str) -> str:
    plain = geometry_type.removesuffix(" Z").removeprefix("Multi")
    return {"Point": "point", "LineString": "line"}.get(plain, "area")
