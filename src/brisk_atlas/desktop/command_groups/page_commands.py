"""Commands that go to pages, and those of Find, Record and Hand over."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..commands import Command
from ..page_titles import PAGE_TITLES
from ..pasting import Pasting

if TYPE_CHECKING:
    from ..pages.record_page import RecordPage
    from ..window import AtlasWindow


def page_commands(window: AtlasWindow) -> list[Command]:
    """Return the commands that go to pages, and those of Find, Record and Hand over."""
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
    from ..album.plate_taker import PlateTaker

    taker = PlateTaker(window.session)
    if window.page == "record":
        taker.take_record(window.record)
    else:
        taker.take_desk(window.desk)


def _on_paper(window: AtlasWindow) -> None:
    from ..album.plate_taker import PlateTaker

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


def _to_search(window: AtlasWindow) -> None:
    window.show_page("find")
    window.find_page.begin_search()


def _to_record(window: AtlasWindow) -> RecordPage:
    window.show_page("record")
    return window.record


def _to_half(window: AtlasWindow, half: str) -> None:
    window.show_page("handover")
    window.handover.show_half(half)
