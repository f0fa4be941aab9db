"""Commands of the map: places, comparisons, tools."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.comparison import Way

from ..commands import Command
from .going import on_desk, on_subject
from .relief_commands import relief_commands

if TYPE_CHECKING:
    from ..pages.desk_page import DeskPage
    from ..panes.relief_pane import ReliefPane
    from ..window import AtlasWindow

TURN_DEG = 15.0

SIDES = (("A", 0, "Shift+A", tr("side A")), ("B", 1, "Shift+B", tr("side B")), ("AB", None, "Shift+N", tr("all sides")))

WAYS = (
    (
        "curtain",
        Way.CURTAIN,
        tr("Curtain"),
        "C",
        "square-half",
        tr("on either side of an edge or in a glass; [ and ] move it"),
    ),
    ("blink", Way.BLINK, tr("Blink"), "X", "swap", tr("in turn; [ and ] hold one of them")),
    ("twin", Way.TWIN, tr("Twin"), "Y", "columns", tr("in two panes that go together")),
    (
        "difference",
        Way.CHANGE,
        tr("Difference on the map"),
        "V",
        "plus-minus",
        tr("by what changed, B minus A, on the map"),
    ),
)

TOOLS = (
    ("pick_box", "box", tr("Pick in a box"), "Alt+B", "selection-plus"),
    ("pick_lasso", "lasso", tr("Pick in a shape drawn by hand"), "Alt+L", "path"),
    ("pick_line", "line", tr("Pick along a line"), "Alt+N", "line-segment"),
    ("measure", "distance", tr("Measure a distance"), "M", "ruler"),
    ("measure_area", "area", tr("Measure an area"), "Shift+M", "polygon"),
    ("sketch_point", "sketch point", tr("Draw points"), "Alt+1", "map-pin"),
    ("sketch_line", "sketch line", tr("Draw a line"), "Alt+2", "line-segments"),
    ("sketch_area", "sketch area", tr("Draw an area"), "Alt+3", "polygon"),
    ("sketch_text", "sketch text", tr("Write on the map"), "Alt+4", "text-t"),
    ("sketch_move", "sketch move", tr("Move what was drawn"), "Alt+5", "cursor"),
)


def map_commands(window: AtlasWindow) -> list[Command]:
    """Return the commands of the map."""
    work = window.session.work
    some = lambda: bool(work.layers)  # noqa: E731

    def at_map(run: Callable[[DeskPage], object]) -> Callable[[], None]:
        return on_desk(window, run)

    def can_compare() -> bool:
        subject = work.subject
        pair = subject is not None and subject.style is not None and sum(la.style is not None for la in work.layers) > 1
        return work.state.comparison is not None or pair

    has_view = lambda: window.has_desk and window.desk.map.canvas.view is not None  # noqa: E731
    on_reading = lambda: window.has_desk and window.desk.probe.tree.reading is not None  # noqa: E731

    def relief_on_show() -> ReliefPane | None:
        return window.desk.relief if window.has_desk and window.desk.relief.scene is not None else None

    def probe_centre(desk: DeskPage) -> None:
        view = desk.map.canvas.view
        if view is not None:
            desk.map.canvas.probed.emit(view.x, view.y)

    def looks_by(way: Way) -> bool:
        return work.state.comparison is not None and work.state.comparison.way is way

    ways = [
        Command(name, title, at_map(lambda d, way=way: d.map.toggle_way(way)), keys,  # type: ignore[misc]
                tr("Compare the subject with the layer most like it, {words}", words=words), mark, can_compare,
                lambda way=way: looks_by(way))  # type: ignore[misc]
        for name, way, title, keys, mark, words in WAYS
    ]  # fmt: skip
    sides = [
        Command(f"side_{side}", tr("Put the subject on {words} of what is compared", words=words),
                on_subject(window, lambda layer_id, number=number: work.put_on_side(layer_id, number)), keys,  # type: ignore[misc]
                enabled=lambda: work.state.comparison is not None and work.subject is not None)
        for side, number, keys, words in SIDES
    ]  # fmt: skip
    swap = Command("swap_sides", tr("Swap sides A and B"), work.swap_sides, "Shift+X",
                   enabled=lambda: work.state.comparison is not None)  # fmt: skip
    return [
        Command("fit_subject", tr("Fit the subject"), at_map(lambda d: d.map.fit_subject()), "F", tr("Show all of the subject"),
                "frame-corners", lambda: work.subject is not None),
        Command("fit_all", tr("Fit all"), at_map(lambda d: d.map.fit_all()), "A", tr("Show all visible layers"), "corners-out", some),
        Command("fit_picked", tr("Go to the picked rows"), at_map(lambda d: d.map.fit_picked()), "G", icon="crosshair",
                enabled=lambda: work.picks is not None),
        Command("box_zoom", tr("Zoom to a box"), at_map(lambda d: d.map.box_zoom()), "B",
                tr("Drag a box on the map; or hold Shift and drag"), "selection", some),
        Command("zoom_in", tr("Zoom in"), at_map(lambda d: d.map.zoom(1.6)), "Ctrl+=", icon="magnifying-glass-plus", enabled=some),
        Command("zoom_out", tr("Zoom out"), at_map(lambda d: d.map.zoom(1 / 1.6)), "Ctrl+-", icon="magnifying-glass-minus", enabled=some),
        *ways,
        swap,
        *sides,
        Command("relief", tr("Relief"), at_map(lambda d: d.toggle_relief()), "R",
                tr("See an elevation grid in three dimensions, the map draped over it"), "cube", some,
                lambda: window.has_desk and not window.desk.relief.isHidden()),
        *relief_commands(lambda run: at_map(lambda desk: run(desk.relief)), relief_on_show),
        Command("focus_map", tr("To the map"), at_map(lambda d: d.map.canvas.setFocus()), "F6", tr("Put the keyboard on the map"), enabled=some),
        Command("focus_stack", tr("To the stack"), at_map(lambda d: d.spine.setFocus()), "F7",
                tr("Put the keyboard on the stack of layers"), enabled=some),
        Command("grid_projected", tr("Grid lines in map units"), at_map(lambda d: d.map.toggle_grid("projected")), "L",
                icon="grid-four", enabled=some, checked=lambda: window.has_desk and window.desk.map.grid == "projected"),
        Command("grid_geographic", tr("Grid lines in degrees"), at_map(lambda d: d.map.toggle_grid("geographic")), "Shift+L",
                icon="globe-hemisphere-west", enabled=some,
                checked=lambda: window.has_desk and window.desk.map.grid == "geographic"),
        Command("north", tr("North arrow"), at_map(lambda d: d.map.toggle_north()), "N", tr("Point to true north"), "compass", some,
                lambda: window.has_desk and window.desk.map.canvas.shows_north),
        *(
            Command(name, title, at_map(lambda d, kind=kind: d.take_tool(kind)), keys, icon=mark, enabled=some,  # type: ignore[misc]
                    checked=lambda kind=kind: window.has_desk and window.desk.tool == kind)  # type: ignore[misc]
            for name, kind, title, keys, mark in TOOLS
        ),
        Command("copy_value", tr("Copy the probe's value"), at_map(lambda d: d.probe.readings.copy(label=False)), icon="copy-simple",
                enabled=on_reading),
        Command("copy_line", tr("Copy the probe's line"), at_map(lambda d: d.probe.readings.copy(label=True)), icon="copy", enabled=on_reading),
        Command("copy_probe", tr("Copy all of the probe"), at_map(lambda d: d.probe.copy()), icon="copy",
                enabled=lambda: window.has_desk and bool(window.desk.probe.findings)),
        Command("pin_value", tr("Show this value first, or no more"), at_map(lambda d: d.probe.turn_pin()), icon="push-pin-simple",
                tip=tr("In each probe from now on"), enabled=on_reading),
        Command("colour_by_value", tr("Colour the layer by this field"), at_map(lambda d: d.probe.readings.colour()), icon="palette",
                enabled=lambda: window.has_desk and window.desk.probe.readings.is_on_field),
        Command("filter_by_value", tr("Show only what has this value"), at_map(lambda d: d.probe.readings.filter()), icon="funnel",
                tip=tr("A filter of the sheet that acts on the map"), enabled=lambda: window.has_desk and window.desk.probe.readings.is_on_field),
        Command("hold", tr("Hold the probe"), at_map(lambda d: d.probe.hold()), "K", tr("Keep it as a column to compare"), "push-pin-simple",
                lambda: window.has_desk and bool(window.desk.probe.findings)),
        Command("release", tr("Remove all held probes"), at_map(lambda d: d.probe.held.clear()), "Shift+K",
                enabled=lambda: window.has_desk and len(window.desk.probe.held) > 0),
        Command("go_to", tr("Go to a place…"), window.map_dialogs.ask_place, "Ctrl+G", tr("Type coordinates in any usual notation"),
                "map-pin-line", some),
        Command("probe_centre", tr("Probe the centre of the map"), at_map(probe_centre), "Ctrl+P", enabled=some),
        Command("probe_spot", tr("What is here"), at_map(lambda d: d.spots.at_spot(d.map.canvas.probed.emit)), icon="cursor",
                tip=tr("Probe the place of the menu, or the centre of the map"), enabled=has_view),
        Command("copy_spot", tr("Copy the position"), at_map(lambda d: d.spots.copy_spot()), "Ctrl+Alt+C", tr("In the notations of the foot"),
                "copy", has_view),
        Command("centre_spot", tr("Put this place in the centre"), at_map(lambda d: d.spots.at_spot(d.map.canvas.centre_on)), icon="crosshair-simple",
                enabled=has_view),
        Command("measure_spot", tr("Measure from here"), at_map(lambda d: d.spots.at_spot(d.spots.measure_from)), icon="ruler", enabled=has_view),
        Command("back", tr("Back to the place before"), at_map(lambda d: d.map.go_back()), "Ctrl+Alt+Left", icon="arrow-left",
                enabled=lambda: window.has_desk and window.desk.map.history.can_go_back),
        Command("forward", tr("On to the place after"), at_map(lambda d: d.map.go_back(on=True)), "Ctrl+Alt+Right", icon="arrow-right",
                enabled=lambda: window.has_desk and window.desk.map.history.can_go_on),
        Command("copy_link", tr("Copy a link to this view"), lambda: _copy_link(window), "Ctrl+Alt+U",
                tr("Its place and its layers, for whoever has the same data"), "link-simple", has_view),
        Command("register_links", tr("Open links to views with this application"), lambda: _register_links(window),
                tip=tr("Registers them with the desktop of this machine")),
        Command("store_place", tr("Store this place under a name"), at_map(lambda d: d.spots.store_place()), "Ctrl+Alt+P",
                tr("With a picture, in the project"), "bookmark-simple", has_view),
        Command("find_feature", tr("Find a feature by any value…"), window.map_dialogs.ask_feature, "Ctrl+Alt+K", tr("In all fields of all layers"),
                "magnifying-glass", some),
        Command("turn_left", tr("Turn the map to the left"), at_map(lambda d: d.map.turn(-TURN_DEG)), "Ctrl+Alt+,",
                tr("By 15 degrees; or drag with Alt"), "arrow-arc-left", has_view),
        Command("turn_right", tr("Turn the map to the right"), at_map(lambda d: d.map.turn(TURN_DEG)), "Ctrl+Alt+.",
                tr("By 15 degrees; or drag with Alt"), "arrow-arc-right", has_view),
        Command("turn_to", tr("Turn the map to an angle…"), window.map_dialogs.ask_turn, icon="arrows-clockwise", enabled=has_view),
        Command("north_up", tr("Turn the map back to north"), at_map(lambda d: d.map.turn_to(0.0)), "Ctrl+Alt+N", icon="arrow-up",
                enabled=lambda: has_view() and window.desk.map.turned != 0.0),
        Command("map_crs", tr("Choose the map's CRS…"), window.map_dialogs.ask_crs, "Ctrl+Alt+M",
                tr("What suits the place, or by name, code or area"), "globe-simple", some),
    ]  # fmt: skip


def _copy_link(window: AtlasWindow) -> None:
    from ..view_links import copy_link

    copy_link(window)


def _register_links(window: AtlasWindow) -> None:
    from ..view_links import applications_folder, register_links

    window.session.run(
        tr("Links to views"), lambda job: register_links(applications_folder()),
        lambda words: window.notice.say("good", words, ""),
    )  # fmt: skip
