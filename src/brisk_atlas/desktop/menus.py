"""Menus where the hand is: which commands stand in the menu of what, by right click or the menu key."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QAbstractScrollArea, QMenu, QWidget

from .commands import Commands

Groups = Sequence[Sequence[str]]

LAYER_MENU: Groups = (
    ("class_turn", "class_colour", "class_name"),
    ("show_hide", "solo", "show_all", "flash"),
    ("group_layers", "ungroup", "fold_group"),
    ("fit_subject", "sheet", "style", "statistics", "trust"),
    ("rename_layer", "duplicate_layer", "layer_form", "lock_layer"),
    ("copy_style", "paste_style", "share_scale", "own_scale"),
    ("read_style", "write_style"),
    ("layer_up", "layer_down"),
    ("curtain", "blink", "twin", "difference"),
    ("side_A", "side_B", "side_AB"),
    ("layer_crs", "read_record", "show_source", "hand_over"),
    ("relink", "reread"),
    ("close_layer",),
)
MAP_MENU: Groups = (
    ("probe_spot", "copy_spot"),
    ("centre_spot", "measure_spot", "go_to"),
    ("paste", "copy_picture"),
    ("back", "forward", "fit_subject", "fit_all", "store_place", "find_feature"),
    ("turn_left", "turn_right", "turn_to", "north_up"),
    ("grid_projected", "grid_geographic", "north", "map_crs"),
)
FIND_MENU: Groups = (
    ("open_chosen", "open_asking"),
    ("read_chosen_record", "record_links", "go_to_chosen", "pin_chosen"),
)
ROW_MENU: Groups = (("fit_picked",), ("copy_cells", "copy_rows", "copy_csv", "copy_geojson", "copy_wkt"))
FIELD_MENU: Groups = (
    ("field_sort_up", "field_sort_down"),
    ("field_known", "field_missing", "field_all"),
    ("field_colour", "field_label", "field_dates"),
    ("field_pin", "field_hide", "field_panel"),
)
SCALE_MENU: Groups = (("zoom_in", "zoom_out", "box_zoom"), ("fit_subject", "fit_all", "fit_picked"), ("layer_form",))
CRS_MENU: Groups = (
    ("map_crs", "layer_crs"),
    ("turn_left", "turn_right", "turn_to", "north_up"),
    ("grid_projected", "grid_geographic", "north"),
)
JOBS_MENU: Groups = (("cancel_jobs",),)
PROBE_MENU: Groups = (
    ("copy_value", "copy_line", "copy_probe"),
    ("pin_value", "colour_by_value", "filter_by_value"),
    ("hold",),
)


def fill_menu(menu: QMenu, commands: Commands, groups: Groups) -> None:
    """Put those commands into a menu that can be done now; groups are parted by a line."""
    menu.clear()
    commands.refresh()
    for group in groups:
        for command_id in group:
            if commands[command_id].isEnabled():
                menu.addAction(commands[command_id])
        menu.addSeparator()


def offer_menu(
    widget: QWidget, commands: Commands, groups: Groups, prepare: Callable[[QPoint], object] = lambda at: None
) -> QMenu:
    """Have a widget open a menu; returns it. `prepare` gets the point first, on the widget, such as to choose what lies
    there."""
    menu = QMenu(widget)
    inner = widget.viewport() if isinstance(widget, QAbstractScrollArea) else widget
    assert inner is not None
    widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)

    def show(at: QPoint) -> None:
        prepare(at)
        fill_menu(menu, commands, groups)
        menu.popup(inner.mapToGlobal(at))

    widget.customContextMenuRequested.connect(show)
    return menu


def open_menu(
    parent: QWidget, commands: Commands, groups: Groups, at: QPoint, after: Callable[[], None] = lambda: None
) -> None:
    """Open a menu at a point of the screen; `after` is called once its choice, if any, was taken."""
    menu = QMenu(parent)
    menu.aboutToHide.connect(lambda: QTimer.singleShot(0, after))
    menu.aboutToHide.connect(menu.deleteLater)
    fill_menu(menu, commands, groups)
    menu.popup(at)
