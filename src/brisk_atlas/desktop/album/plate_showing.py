"""Showing the view of a plate again."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.named_places import NamedPlace
from brisk_atlas.core.workspace.plates import Plate, PlateKind

if TYPE_CHECKING:
    from ..pages.desk_page import DeskPage


def show_on_desk(desk: DeskPage, plate: Plate) -> None:
    """Have the Desk show what a plate shows: its layers as they looked, its place, and its pane."""
    view = plate.view
    if view is None:
        return
    desk.session.work.show_view(tr("show {title}", title=plate.title or tr("a plate")), view)
    if view.width > 1:
        desk.map.grid = view.grid
        eye = view.eye if plate.kind is PlateKind.RELIEF else None
        place = NamedPlace("", plate.title, view.x, view.y, view.resolution, view.width, view.height, view.crs,
                           view.turn, b"", eye)  # fmt: skip
        desk.spots.go_to_place(place)
    in_sheet = plate.kind is PlateKind.SHEET or (plate.kind is PlateKind.CHART and not view.drawer)
    if in_sheet and desk.bottom.isHidden():
        desk.toggle_sheet()
    if plate.kind is PlateKind.CHART and view.drawer in desk.side.drawers:
        desk.side.open(view.drawer)
    in_strip = plate.kind is PlateKind.STRIP or (plate.kind is PlateKind.CHART and view.drawer == "strip")
    if in_strip and not (desk.shows_strip or desk.shows_log):
        desk.toggle_strip()
