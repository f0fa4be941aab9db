"""Every command of the window, in the order in which Do... lists them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from brisk_atlas.core.workspace.comparison import Way

from .commands import Command
from .learning import Learning
from .page_titles import PAGE_TITLES
from .pasting import Pasting
from .relief_commands import relief_commands
from .sheet.copies import COPIES
from .trust.trust_check import TrustCheck

if TYPE_CHECKING:
    from .do_palette import Choice
    from .pages.desk_page import DeskPage
    from .pages.record_page import RecordPage
    from .panes.relief_pane import ReliefPane
    from .window import AtlasWindow

TURN_DEG = 15.0
SHEET_TOOLS = (
    ("fields", "Choose and order the sheet's fields…", "Ctrl+Shift+F"),
    ("compute", "Add a computed field…", "Ctrl+Shift+N"),
    ("join", "Join a table by a key…", "Ctrl+J"),
    ("summary", "Summary row of the sheet", "Ctrl+Shift+M"),
    ("on map", "Let the sheet's filters act on the map", "Ctrl+Shift+A"),
    ("edit", "Edit values of the sheet", "Ctrl+Shift+E"),
    ("replace", "Find and replace in the sheet…", "Ctrl+H"),
    ("save", "Save edited values into their file", ""),
    ("new file", "Save the rows as a new file…", ""),
    ("export", "Export the sheet as seen…", ""),
    ("window", "Sheet in a window of its own", ""),
)
SIDES = (("A", 0, "Shift+A", "side A"), ("B", 1, "Shift+B", "side B"), ("AB", None, "Shift+N", "all sides"))
WAYS = (
    ("curtain", Way.CURTAIN, "Curtain", "C", "square-half", "on either side of an edge or in a glass; [ and ] move it"),
    ("blink", Way.BLINK, "Blink", "X", "swap", "in turn; [ and ] hold one of them"),
    ("twin", Way.TWIN, "Twin", "Y", "columns", "in two panes that go together"),
    ("difference", Way.CHANGE, "Difference on the map", "V", "plus-minus", "by what changed, B minus A, on the map"),
)
DRAWERS = (
    ("probe", "P", "info"),
    ("style", "S", "palette"),
    ("change", "D", "plus-minus"),
    ("statistics", "U", "chart-bar"),
    ("places", "W", "map-trifold"),
    ("sketch", "E", "pencil-line"),
    ("edit", "Shift+E", "note-pencil"),
)
TOOLS = (
    ("pick_box", "box", "Pick in a box", "Alt+B", "selection-plus"),
    ("pick_lasso", "lasso", "Pick in a shape drawn by hand", "Alt+L", "path"),
    ("pick_line", "line", "Pick along a line", "Alt+N", "line-segment"),
    ("measure", "distance", "Measure a distance", "M", "ruler"),
    ("measure_area", "area", "Measure an area", "Shift+M", "polygon"),
    ("sketch_point", "sketch point", "Draw points", "Alt+1", "map-pin"),
    ("sketch_line", "sketch line", "Draw a line", "Alt+2", "line-segments"),
    ("sketch_area", "sketch area", "Draw an area", "Alt+3", "polygon"),
    ("sketch_text", "sketch text", "Write on the map", "Alt+4", "text-t"),
    ("sketch_move", "sketch move", "Move what was drawn", "Alt+5", "cursor"),
)


def commands_of(window: AtlasWindow) -> list[Command]:
    """Return what a window can do."""
    groups = {"Files and help": _files, "Pages": _pages, "The map": _map, "Drawers and tools": _drawers,
              "Layers": _layers}  # fmt: skip
    return [each._replace(group=name) for name, made in groups.items() for each in made(window)]


def _on_desk(window: AtlasWindow, run: Callable[[DeskPage], object]) -> Callable[[], None]:
    """Return a command's work that first goes to the Desk."""

    def go() -> None:
        window.show_page("desk")
        run(window.desk)

    return go


def _on_subject(window: AtlasWindow, run: Callable[[str], object]) -> Callable[[], None]:
    """Return a command's work that is given the id of the subject."""

    def go() -> None:
        if window.session.work.subject is not None:
            run(window.session.work.subject.id)

    return go


def _to_record(window: AtlasWindow) -> RecordPage:
    window.show_page("record")
    return window.record


def _files(window: AtlasWindow) -> list[Command]:
    work, learning = window.session.work, Learning(window)
    window.choices = lambda words: _choices(window, words, learning)
    some = lambda: bool(work.layers)  # noqa: E731
    return [
        Command("do", "Do…", window.begin_do, "Ctrl+K", "Find any command by words", "magnifying-glass"),
        Command("open", "Open files…", window.choose_files, "Ctrl+O", "Open datasets from disk", "folder-open"),
        Command("open_project", "Open a project…", window.project.choose, "Ctrl+Shift+O", icon="folder-notch-open"),
        Command("save", "Save the project, or the record that is edited", window.save_here, "Ctrl+S",
                "Write what is open and how it looks to a project file; on the Record page, the record",
                "floppy-disk", lambda: some() or bool(window.unsaved_records)),
        Command("save_as", "Save the project as…", window.project.save_as, "Ctrl+Shift+S", icon="floppy-disk-back", enabled=some),
        Command("save_script", "Save what was done as a script…", window.project.save_script, icon="code",
                tip="What was computed and written in this run, as Python that does it again",
                enabled=lambda: window.session.has_done),
        Command("undo", "Undo", lambda: window.undoing.undo(), "Ctrl+Z", icon="arrow-counter-clockwise",
                enabled=lambda: bool(window.undoing.undo_text)),
        Command("redo", "Redo", lambda: window.undoing.redo(), "Ctrl+Shift+Z", icon="arrow-clockwise",
                enabled=lambda: bool(window.undoing.redo_text)),
        Command("theme", "Light or night", window.toggle_theme, "Ctrl+T", "Change between light and night colours", "moon"),
        Command("cancel_jobs", "Cancel all jobs", window.session.cancel_all, icon="x-circle",
                enabled=lambda: any(job.shown for job in window.session.jobs.open)),
        Command("settings", "Settings…", window.show_settings, "Ctrl+,", "Colours, size, memory, network, privacy", "gear"),
        Command("welcome", "Welcome and recent work", window.show_welcome, tip="Ways to begin, and what was worked on lately",
                icon="house"),
        Command("choose_folder", "Look into a folder…", lambda: _choose_folder(window), "Ctrl+Alt+O",
                "List the datasets of a folder on Find", "folder-open"),
        Command("open_demo", "Open the demo", window.project.open_demo, tip="Tolvane Island, before and after an eruption",
                icon="map-trifold"),
        Command("tour", "Take the tour", learning.begin_tour, tip="What the parts of the window are for, on the demo",
                icon="flag-banner"),
        Command("help", "Help", lambda: learning.open_help(), "F1",
                "The guide by task, searched by words", "question"),
        Command("keys", "Keys", learning.show_keys, "?", "All keys on one page", "keyboard"),
        Command("quit", "Quit", window.close, "Ctrl+Q"),
    ]  # fmt: skip


def _choices(window: AtlasWindow, words: str, learning: Learning) -> list[Choice]:
    from .do_choices import choices_with

    return choices_with(window, words, learning.open_help)


def _choose_folder(window: AtlasWindow) -> None:
    from pathlib import Path

    from PyQt6.QtWidgets import QFileDialog

    find = window.find_page
    chosen = QFileDialog.getExistingDirectory(window, "Look into a folder", str(find.folder or Path.home()))
    if chosen:
        window.show_page("find")
        find.go_to(Path(chosen))


def _pages(window: AtlasWindow) -> list[Command]:
    work = window.session.work
    pages = [
        Command(f"page_{page}", f"Go to {title}", lambda page=page: window.show_page(page), f"Ctrl+{number}")  # type: ignore[misc]
        for number, (page, title) in enumerate(PAGE_TITLES.items(), 1)
    ]

    def on_entry(is_folder: bool) -> bool:
        entry = window.find_page.current_entry if window.page == "find" else None
        return entry is not None and entry.is_folder == is_folder

    pasting = Pasting(window)
    return [
        *pages,
        Command("records", "Table the records of a folder", window.table_records,
                tip="What all records of a folder say, what is missing, how complete they are", icon="table"),
        Command("flatten", "Flatten any XML into tables…", lambda: _to_record(window).actions_.ask_flatten(), icon="tree-structure"),
        Command("search", "Search all pinned shelves", lambda: _to_search(window), "Ctrl+F",
                "By words in names, fields and records", "magnifying-glass"),
        Command("open_chosen", "Open the chosen datasets", window.find_page.open_chosen, icon="folder-open",
                enabled=lambda: window.page == "find"),
        Command("open_asking", "Open the chosen datasets and ask…", window.find_page.open_asking,
                tip="Ask for CRS, columns, parts and form, whatever was answered before  (Ctrl+Return in the list)",
                enabled=lambda: window.page == "find"),
        Command("read_chosen_record", "Read the record of the chosen dataset", window.find_page.read_record_of_current, icon="article",
                enabled=lambda: on_entry(False)),
        Command("go_to_chosen", "Go to the folder of the chosen line", window.find_page.go_to_current, icon="folder-open",
                enabled=lambda: on_entry(True) or on_entry(False)),
        Command("record_links", "Go to the data of the chosen record…", window.find_page.show_links_of_current,
                tip="The services and files that it links to", icon="arrow-square-out",
                enabled=lambda: window.find_page.is_on_record),
        Command("pin_chosen", "Pin or unpin the chosen folder", window.find_page.turn_pin_of_current, icon="push-pin",
                enabled=lambda: on_entry(True)),
        Command("ask_database", "Ask the database on Find by SQL…", window.find_page.ask_database, "Ctrl+Alt+Q",
                "Open what a SELECT of your own gives", "database",
                lambda: window.find_page.place is not None and window.find_page.place.place.startswith(("postgres", "mariadb", "mysql"))),
        Command("search_scenes", "Search the catalogue on Find…", window.search_scenes, "Ctrl+Alt+S",
                "By place, time and clouds; of a catalogue of scenes", "planet", window.can_search_scenes),
        Command("add_connection", "Add a connection…", lambda: window.find_page.connections.edit(None), "Ctrl+Alt+D",
                "A database, a service or tiles, by an address", "link"),
        Command("offline", "Work offline", window.services.turn, icon="wifi-slash",
                tip="Ask no server; draw what is stored of services", checked=lambda: window.services.is_offline),
        Command("stored_answers", "Stored answers of services…", window.services.show_stored, icon="cloud-slash"),
        Command("index", "Index pinned folders", window.find_page.index_shelves,
                tip="Go through them now, so that they can be searched"),
        Command("pin", "Pin or unpin the folder on Find", window.find_page.toggle_pin, "Ctrl+D", icon="push-pin",
                enabled=lambda: window.find_page.folder is not None),
        Command("hand_over", "Hand over the subject", lambda: window.show_page("handover"), "Ctrl+E",
                "Export a piece of the subject", "export", lambda: work.subject is not None),
        Command("capture", "Capture a plate", lambda: _capture(window), "F9",
                "What the pane with the keyboard shows, into the album", "camera",
                lambda: bool(work.layers) and window.page in ("desk", "record")),
        Command("album", "Album", lambda: _to_half(window, "album"), "Ctrl+Shift+F9",
                "Plates with captions, on Hand over", "book-open"),
        Command("draw_plates_again", "Draw all plates again", lambda: _draw_plates_again(window), "",
                "The maps of the album, as their data is now", "arrows-clockwise",
                lambda: bool(work.state.album.plates)),
        Command("paper", "Map on paper", lambda: _on_paper(window), "Shift+F9",
                "Lay out what the map shows, or the plate of the album, on a page at a true scale", "file-text",
                lambda: bool(work.layers) if window.page == "desk" else bool(work.state.album.plates)),
        Command("copy_picture", "Copy a picture of the pane", pasting.copy_picture, "Ctrl+F9",
                "The pane with the keyboard, into the clipboard", "copy",
                lambda: bool(work.layers) and window.page in ("desk", "record")),
        Command("paste", "Paste as a layer", pasting.paste, "Ctrl+V",
                "Files, WKT, GeoJSON, rows or addresses of the clipboard", "clipboard-text",
                lambda: window.page in ("find", "desk")),
        Command("open_recipe", "Open a recipe…", lambda: _open_recipe(window), icon="list-bullets"),
        Command("catalogue", "Catalogue site", lambda: _to_half(window, "catalogue"), "",
                "A site of all datasets of a folder, on Hand over", "books"),
    ]  # fmt: skip


def _capture(window: AtlasWindow) -> None:
    from .album.plate_taker import PlateTaker

    taker = PlateTaker(window.session)
    if window.page == "record":
        taker.take_record(window.record)
    else:
        taker.take_desk(window.desk)


def _on_paper(window: AtlasWindow) -> None:
    from .album.plate_taker import PlateTaker

    def lay_out(plate_id: str) -> None:
        _to_half(window, "album")
        album = window.handover.album
        if album is not None:
            album.choose(plate_id)
            album.lay_out()

    if window.page == "desk":
        PlateTaker(window.session).take_map(window.desk, lay_out)
        return
    _to_half(window, "album")
    album = window.handover.album
    if album is not None and album.current is not None:
        album.lay_out()


def _open_recipe(window: AtlasWindow) -> None:
    _to_half(window, "recipe")
    window.handover.choose_recipe()


def _draw_plates_again(window: AtlasWindow) -> None:
    _to_half(window, "album")
    if window.handover.album is not None:
        window.handover.album.draw_all_again()


def _copy_link(window: AtlasWindow) -> None:
    from .view_links import copy_link

    copy_link(window)


def _register_links(window: AtlasWindow) -> None:
    from .view_links import applications_folder, register_links

    window.session.run(
        "Links to views", lambda job: register_links(applications_folder()),
        lambda words: window.notice.say("good", words, ""),
    )  # fmt: skip


def _to_half(window: AtlasWindow, half: str) -> None:
    window.show_page("handover")
    window.handover.show_half(half)


def _to_search(window: AtlasWindow) -> None:
    window.show_page("find")
    window.find_page.begin_search()


def _map(window: AtlasWindow) -> list[Command]:
    work = window.session.work
    some = lambda: bool(work.layers)  # noqa: E731

    def at_map(run: Callable[[DeskPage], object]) -> Callable[[], None]:
        return _on_desk(window, run)

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
                f"Compare the subject with the layer most like it, {words}", mark, can_compare,
                lambda way=way: looks_by(way))  # type: ignore[misc]
        for name, way, title, keys, mark, words in WAYS
    ]  # fmt: skip
    sides = [
        Command(f"side_{side}", f"Put the subject on {words} of what is compared",
                _on_subject(window, lambda layer_id, number=number: work.put_on_side(layer_id, number)), keys,  # type: ignore[misc]
                enabled=lambda: work.state.comparison is not None and work.subject is not None)
        for side, number, keys, words in SIDES
    ]  # fmt: skip
    swap = Command("swap_sides", "Swap sides A and B", work.swap_sides, "Shift+X",
                   enabled=lambda: work.state.comparison is not None)  # fmt: skip
    return [
        Command("fit_subject", "Fit the subject", at_map(lambda d: d.map.fit_subject()), "F", "Show all of the subject",
                "frame-corners", lambda: work.subject is not None),
        Command("fit_all", "Fit all", at_map(lambda d: d.map.fit_all()), "A", "Show all visible layers", "corners-out", some),
        Command("fit_picked", "Go to the picked rows", at_map(lambda d: d.map.fit_picked()), "G", icon="crosshair",
                enabled=lambda: work.picks is not None),
        Command("box_zoom", "Zoom to a box", at_map(lambda d: d.map.box_zoom()), "B",
                "Drag a box on the map; or hold Shift and drag", "selection", some),
        Command("zoom_in", "Zoom in", at_map(lambda d: d.map.zoom(1.6)), "Ctrl+=", icon="magnifying-glass-plus", enabled=some),
        Command("zoom_out", "Zoom out", at_map(lambda d: d.map.zoom(1 / 1.6)), "Ctrl+-", icon="magnifying-glass-minus", enabled=some),
        *ways,
        swap,
        *sides,
        Command("relief", "Relief", at_map(lambda d: d.toggle_relief()), "R",
                "See an elevation grid in three dimensions, the map draped over it", "cube", some,
                lambda: window.has_desk and not window.desk.relief.isHidden()),
        *relief_commands(lambda run: at_map(lambda desk: run(desk.relief)), relief_on_show),
        Command("focus_map", "To the map", at_map(lambda d: d.map.canvas.setFocus()), "F6", "Put the keyboard on the map", enabled=some),
        Command("focus_stack", "To the stack", at_map(lambda d: d.spine.setFocus()), "F7",
                "Put the keyboard on the stack of layers", enabled=some),
        Command("grid_projected", "Grid lines in map units", at_map(lambda d: d.map.toggle_grid("projected")), "L",
                icon="grid-four", enabled=some, checked=lambda: window.has_desk and window.desk.map.grid == "projected"),
        Command("grid_geographic", "Grid lines in degrees", at_map(lambda d: d.map.toggle_grid("geographic")), "Shift+L",
                icon="globe-hemisphere-west", enabled=some,
                checked=lambda: window.has_desk and window.desk.map.grid == "geographic"),
        Command("north", "North arrow", at_map(lambda d: d.map.toggle_north()), "N", "Point to true north", "compass", some,
                lambda: window.has_desk and window.desk.map.canvas.shows_north),
        *(
            Command(name, title, at_map(lambda d, kind=kind: d.take_tool(kind)), keys, icon=mark, enabled=some,  # type: ignore[misc]
                    checked=lambda kind=kind: window.has_desk and window.desk.tool == kind)  # type: ignore[misc]
            for name, kind, title, keys, mark in TOOLS
        ),
        Command("copy_value", "Copy the probe's value", at_map(lambda d: d.probe.copy_reading(label=False)), icon="copy-simple",
                enabled=on_reading),
        Command("copy_line", "Copy the probe's line", at_map(lambda d: d.probe.copy_reading(label=True)), icon="copy", enabled=on_reading),
        Command("copy_probe", "Copy all of the probe", at_map(lambda d: d.probe.copy()), icon="copy",
                enabled=lambda: window.has_desk and bool(window.desk.probe.findings)),
        Command("pin_value", "Show this value first, or no more", at_map(lambda d: d.probe.turn_pin()), icon="push-pin-simple",
                tip="In each probe from now on", enabled=on_reading),
        Command("colour_by_value", "Colour the layer by this field", at_map(lambda d: d.probe.colour_by_reading()), icon="palette",
                enabled=lambda: window.has_desk and window.desk.probe.is_on_field),
        Command("filter_by_value", "Show only what has this value", at_map(lambda d: d.probe.filter_by_reading()), icon="funnel",
                tip="A filter of the sheet that acts on the map", enabled=lambda: window.has_desk and window.desk.probe.is_on_field),
        Command("hold", "Hold the probe", at_map(lambda d: d.probe.hold()), "K", "Keep it as a column to compare", "push-pin-simple",
                lambda: window.has_desk and bool(window.desk.probe.findings)),
        Command("release", "Remove all held probes", at_map(lambda d: d.probe.held.clear()), "Shift+K",
                enabled=lambda: window.has_desk and len(window.desk.probe.held) > 0),
        Command("go_to", "Go to a place…", window.begin_go_to, "Ctrl+G", "Type coordinates in any usual notation",
                "map-pin-line", some),
        Command("probe_centre", "Probe the centre of the map", at_map(probe_centre), "Ctrl+P", enabled=some),
        Command("probe_spot", "What is here", at_map(lambda d: d.at_spot(d.map.canvas.probed.emit)), icon="cursor",
                tip="Probe the place of the menu, or the centre of the map", enabled=has_view),
        Command("copy_spot", "Copy the position", at_map(lambda d: d.copy_spot()), "Ctrl+Alt+C", "In the notations of the foot",
                "copy", has_view),
        Command("centre_spot", "Put this place in the centre", at_map(lambda d: d.at_spot(d.map.canvas.centre_on)), icon="crosshair-simple",
                enabled=has_view),
        Command("measure_spot", "Measure from here", at_map(lambda d: d.at_spot(d.measure_from)), icon="ruler", enabled=has_view),
        Command("back", "Back to the place before", at_map(lambda d: d.map.go_back()), "Ctrl+Alt+Left", icon="arrow-left",
                enabled=lambda: window.has_desk and window.desk.map.history.can_go_back),
        Command("forward", "On to the place after", at_map(lambda d: d.map.go_back(on=True)), "Ctrl+Alt+Right", icon="arrow-right",
                enabled=lambda: window.has_desk and window.desk.map.history.can_go_on),
        Command("copy_link", "Copy a link to this view", lambda: _copy_link(window), "Ctrl+Alt+U",
                "Its place and its layers, for whoever has the same data", "link-simple", has_view),
        Command("register_links", "Open links to views with this application", lambda: _register_links(window),
                tip="Registers them with the desktop of this machine"),
        Command("store_place", "Store this place under a name", at_map(lambda d: d.store_place()), "Ctrl+Alt+P",
                "With a picture, in the project", "bookmark-simple", has_view),
        Command("find_feature", "Find a feature by any value…", window.map_dialogs.ask_feature, "Ctrl+Alt+K", "In all fields of all layers",
                "magnifying-glass", some),
        Command("turn_left", "Turn the map to the left", at_map(lambda d: d.map.turn(-TURN_DEG)), "Ctrl+Alt+,",
                "By 15 degrees; or drag with Alt", "arrow-arc-left", has_view),
        Command("turn_right", "Turn the map to the right", at_map(lambda d: d.map.turn(TURN_DEG)), "Ctrl+Alt+.",
                "By 15 degrees; or drag with Alt", "arrow-arc-right", has_view),
        Command("turn_to", "Turn the map to an angle…", window.map_dialogs.ask_turn, icon="arrows-clockwise", enabled=has_view),
        Command("north_up", "Turn the map back to north", at_map(lambda d: d.map.turn_to(0.0)), "Ctrl+Alt+N", icon="arrow-up",
                enabled=lambda: has_view() and window.desk.map.turned != 0.0),
        Command("map_crs", "Choose the map's CRS…", window.begin_map_crs, "Ctrl+Alt+M",
                "What suits the place, or by name, code or area", "globe-simple", some),
    ]  # fmt: skip


def _drawers(window: AtlasWindow) -> list[Command]:
    work = window.session.work
    some = lambda: bool(work.layers)  # noqa: E731
    drawers = [
        Command(name, f"{name.capitalize()} drawer", _on_desk(window, lambda d, name=name: d.toggle_drawer(d.drawer(name))), keys,  # type: ignore[misc]
                icon=mark, enabled=some, checked=lambda name=name: window.has_desk and window.desk.shows(window.desk.drawer(name)))  # type: ignore[misc]
        for name, keys, mark in DRAWERS
    ]  # fmt: skip

    def on_field() -> bool:
        return window.has_desk and window.desk.sheet.fields.can_act

    def on_drawn_field() -> bool:
        return window.has_desk and window.desk.sheet.fields.can_style

    def can_copy(kind: str) -> bool:
        shapes = kind not in ("geojson", "wkt") or (work.subject is not None and work.subject.kind.has_shapes)
        return window.has_desk and window.desk.sheet.grid.sheet is not None and shapes

    return [
        *drawers,
        Command("float_drawer", "Open drawer in a window of its own, or back", _on_desk(window, lambda d: d.turn_float(d.drawer_on_show)),
                "Ctrl+Alt+W", "For another screen; it is remembered", "arrow-square-out",
                lambda: window.has_desk and bool(window.desk.drawer_on_show)),
        Command("float_relief", "Relief in a window of its own, or back", _on_desk(window, lambda d: d.turn_float("relief")),
                icon="arrow-square-out", enabled=lambda: window.has_desk and not window.desk.relief.isHidden()),
        Command("measure_change", "Measure the change between two grids", _on_desk(window, lambda d: d.measure_change()),
                tip="Area and volume of B minus A", enabled=some),
        Command("strip", "Strip", _on_desk(window, lambda d: d.toggle_strip()), "J",
                "What was measured along a line, or what grids are along one", "chart-line", some,
                lambda: window.has_desk and not window.desk.strip.isHidden()),
        Command("strip_log", "Strip log of boreholes", _on_desk(window, lambda d: d.toggle_log()),
                tip="Rock, photographs and logs down boreholes, beside the map", icon="ruler", enabled=some,
                checked=lambda: window.has_desk and not window.desk.log.isHidden()),
        Command("strip_draw", "Draw a line for the strip", _on_desk(window, lambda d: d.strip.draw_wanted.emit()),
                icon="line-segments", enabled=lambda: window.has_desk and window.desk.strip.isVisible()),
        Command("strip_all", "All of the line in the strip", _on_desk(window, lambda d: d.strip.canvas.show_all()),
                icon="corners-out", enabled=lambda: window.has_desk and window.desk.strip.profile is not None),
        Command("sheet", "Sheet drawer", _on_desk(window, lambda d: d.toggle_sheet()), "T", "The rows of the subject", "table",
                some, lambda: window.has_desk and not window.desk.bottom.isHidden()),
        *(
            Command(f"field_{name}", words, lambda run=run: run(window.desk.sheet.fields), icon=mark, enabled=rule)  # type: ignore[misc]
            for name, words, mark, run, rule in (
                ("sort_up", "Sort by this field, lowest first", "sort-ascending", lambda f: f.sort(down=False), on_field),
                ("sort_down", "Sort by this field, highest first", "sort-descending", lambda f: f.sort(down=True), on_field),
                ("known", "Show only rows where this field is known", "funnel", lambda f: f.filter_by("known"), on_field),
                ("missing", "Show only rows where this field is missing", "funnel", lambda f: f.filter_by("missing"), on_field),
                ("all", "Show all rows again, whatever this field is", "funnel-simple", lambda f: f.filter_by(""), on_field),
                ("colour", "Colour the map by this field", "palette", lambda f: f.colour_by(), on_drawn_field),
                ("label", "Label the map by this field", "text-t", lambda f: f.label_by(), on_drawn_field),
                ("dates", "Go through the dates of this field on the map", "calendar-blank", lambda f: f.turn_dates(),
                 lambda: on_field() and window.desk.sheet.fields.has_times),
                ("pin", "Pin or unpin this field at the left", "push-pin-simple", lambda f: f.turn_pin(), on_field),
                ("hide", "Hide this field", "eye-closed", lambda f: f.hide(), on_field),
                ("panel", "Filter and format this field…", "sliders-horizontal", lambda f: f.open_panel(), on_field),
            )
        ),
        *(
            Command(f"copy_{kind}", words, _on_desk(window, lambda d, kind=kind: d.sheet.tools.copy(kind)), icon="copy",  # type: ignore[misc]
                    enabled=lambda kind=kind: can_copy(kind))  # type: ignore[misc]
            for kind, words in COPIES
        ),
        *(
            Command(f"sheet_{name.replace(' ', '_')}", title, _on_desk(window, lambda d, name=name: d.use_sheet(name)), keys,  # type: ignore[misc]
                    enabled=lambda: work.subject is not None and work.subject.kind.has_rows)
            for name, title, keys in SHEET_TOOLS
        ),
    ]  # fmt: skip


def _read_subject(window: AtlasWindow) -> None:
    subject = window.session.work.subject
    if subject is not None:
        window.read_record(subject.ref.whole)


def _show_source(window: AtlasWindow) -> None:
    subject = window.session.work.subject
    if subject is not None and subject.ref.folder is not None:
        window.show_page("find")
        window.find_page.go_to(subject.ref.folder, choose=subject.ref.name)


def _layers(window: AtlasWindow) -> list[Command]:
    work, checking = window.session.work, TrustCheck(window)
    has_subject = lambda: work.subject is not None  # noqa: E731

    chosen = lambda: work.chosen  # noqa: E731
    some_drawn = lambda: any(la.style is not None for la in work.chosen_layers)  # noqa: E731
    a_group = lambda: next((i for i in work.chosen if work.group(i) is not None), None)  # noqa: E731

    on_class = lambda: window.has_desk and window.desk.spine.spot is not None  # noqa: E731

    def spot_class() -> tuple[str, str]:
        spot = window.desk.spine.spot
        return (spot[0], spot[1].text) if spot is not None else ("", "")

    def move(by: int) -> None:
        for row_id in chosen()[::-by]:
            work.move(row_id, by)

    def fold() -> None:
        group_id = a_group()
        if group_id is not None:
            window.desk.spine.turn_fold(group_id)

    def lock() -> None:
        layers = work.chosen_layers
        on = not layers[0].locked
        work.change("lock" if on else "unlock", [la.id for la in layers], locked=on)

    return [
        Command("show_hide", "Show or hide the chosen layers", lambda: work.show_or_hide(chosen()), "H", icon="eye",
                enabled=lambda: some_drawn() or a_group() is not None),
        Command("layer_up", "Move the chosen layers up", lambda: move(-1), "Ctrl+Up", "By one line of the stack, into and out of groups",
                "arrow-up", has_subject),
        Command("layer_down", "Move the chosen layers down", lambda: move(1), "Ctrl+Down",
                "By one line of the stack, into and out of groups", "arrow-down", has_subject),
        Command("group_layers", "Group the chosen layers", lambda: work.put_in_group(chosen()), "Ctrl+Alt+G", icon="folder-simple-plus",
                enabled=has_subject),
        Command("ungroup", "Take the group apart", lambda: work.ungroup(a_group() or ""), "Ctrl+Alt+Shift+G",
                "What lay in it stays", "folder-simple-minus", lambda: a_group() is not None),
        Command("fold_group", "Fold or unfold the group", fold, tip="Left and Right on its head", icon="caret-down",
                enabled=lambda: a_group() is not None),
        Command("lock_layer", "Lock or unlock the chosen layers", lock, "Ctrl+Alt+L", "A locked layer can't be changed",
                "lock-simple", has_subject, lambda: bool(work.chosen_layers) and work.chosen_layers[0].locked),
        Command("flash", "Flash the chosen layers on the map", _on_desk(window, lambda d: d.map.flash({la.id for la in work.chosen_layers})),
                "Ctrl+Alt+H", icon="flashlight", enabled=some_drawn),
        Command("layer_form", "Name, note and scales of the subject…", lambda: window.layer_dialogs.ask_form(window.desk.map.canvas.view), "Ctrl+Alt+I", icon="note",
                enabled=has_subject),
        Command("filter_stack", "Filter the stack by name", _on_desk(window, lambda d: d.stack.begin_filter()), "Ctrl+Alt+F",
                icon="funnel", enabled=has_subject),
        Command("relink", "Say where the subject's file lies now…", window.layer_dialogs.ask_place, icon="link",
                tip="And find what lay beside it, if it has moved too",
                enabled=lambda: work.subject is not None and work.subject.ref.is_local),
        Command("reread", "Read the files of the chosen layers again", lambda: window.session.reread(work.chosen_layers), icon="arrows-clockwise",
                tip="As they are on the disk now", enabled=has_subject),
        Command("copy_style", "Copy the subject's style", lambda: window.desk.style_form.copy(), "Ctrl+Shift+C", icon="copy",
                enabled=lambda: work.subject is not None and work.subject.style is not None),
        Command("paste_style", "Paste the style on the subject", lambda: window.desk.style_form.paste(), "Ctrl+Shift+V",
                icon="clipboard",
                enabled=lambda: window.has_desk and work.subject is not None and window.desk.style_form.can_paste(work.subject)),
        Command("class_turn", "Switch this class on or off", lambda: window.desk.spine.legend_edit.turn_class(*spot_class()), icon="eye-closed",
                enabled=lambda: on_class() and window.desk.spine.can_turn_class),
        Command("class_colour", "Colour of this class…", lambda: window.desk.spine.edit_class("swatch"), icon="palette",
                tip="Or click its picture in the legend", enabled=on_class),
        Command("class_name", "Name of this class…", lambda: window.desk.spine.edit_class("text"), icon="pencil-simple",
                tip="Or double-click it in the legend", enabled=on_class),
        Command("share_scale", "Share one colour scale", lambda: window.session.share_scale(work.chosen_layers), icon="equals",
                tip="Give the chosen layers the same ramp and limits; a later change of one changes all",
                enabled=lambda: len(work.chosen_layers) > 1),
        Command("own_scale", "Stop sharing the colour scale", lambda: work.change("own colour scale", chosen(), scale_group=None), icon="link-break",
                enabled=lambda: any(la.scale_group for la in work.chosen_layers)),
        Command("read_style", "Read a style from a file…", window.style_files.ask_and_read, icon="file-arrow-down",
                tip="SLD 1.0 or 1.1, with its rules and labels", enabled=lambda: work.subject is not None and work.subject.style is not None),
        Command("write_style", "Write the subject's style to a file…", window.style_files.ask_and_write, icon="file-arrow-up",
                tip="SLD 1.1 with Symbology Encoding, for other programs and servers",
                enabled=lambda: work.subject is not None and work.subject.style is not None),
        Command("solo", "Show only the chosen layers", lambda: work.show_only({la.id for la in work.chosen_layers}), "Shift+H", icon="eye-slash",
                tip="Hide all other layers", enabled=some_drawn),
        Command("show_all", "Show all layers", lambda: work.show_only({la.id for la in work.layers}), "Ctrl+Shift+H", icon="eye",
                enabled=lambda: any(not la.visible for la in work.layers)),
        Command("rename_layer", "Rename the layer or group", _on_desk(window, lambda d: d.spine.begin_rename()), icon="pencil-simple",
                enabled=has_subject),
        Command("duplicate_layer", "Duplicate the subject", _on_subject(window, work.duplicate), "Ctrl+Shift+D",
                "A second layer of the same data, with a look of its own", "copy-simple", has_subject),
        Command("trust", "Check the subject's data", checking.begin, "Ctrl+Alt+T",
                "Look for what is wrong or strange in it: geometry, values, holes, spikes, stripes", "check-circle",
                lambda: work.subject is not None),
        Command("count_rows", "Count the rows of the subject", window.layer_dialogs.count_rows, icon="list-numbers",
                tip="Where its place only states an estimate", enabled=lambda: work.subject is not None and work.subject.kind.has_rows),
        Command("layer_crs", "Set the subject's CRS…", window.layer_dialogs.ask_crs, icon="globe-stand",
                tip="Where the one that its file states is wrong; the file stays as it is",
                enabled=lambda: work.subject is not None and work.subject.kind.has_place),
        Command("read_record", "Read the subject's record", lambda: _read_subject(window),
                icon="article", enabled=has_subject),
        Command("show_source", "Show the subject's file on Find", lambda: _show_source(window), icon="folder-open",
                enabled=lambda: work.subject is not None and work.subject.ref.is_local),
        Command("close_layer", "Close the chosen layers", lambda: work.remove(*(la.id for la in work.chosen_layers)), "Delete",
                "Take them off the Desk; their files stay", "x", has_subject),
    ]  # fmt: skip
