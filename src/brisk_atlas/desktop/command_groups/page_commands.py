"""Commands that go to pages, and those of Find, Record and Hand over."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

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
        Command(f"page_{page}", tr("Go to {page}", page=title), partial(window.show_page, page), f"Ctrl+{number}")
        for number, (page, title) in enumerate(PAGE_TITLES.items(), 1)
    ]

    def on_entry(is_folder: bool) -> bool:
        entry = window.find_page.deeds.current if window.page == "find" else None
        return entry is not None and entry.is_folder == is_folder

    pasting = Pasting(window)
    return [
        *pages,
        Command("records", tr("Table the records of a folder"), window.table_records,
                tip=tr("What all records of a folder say, what is missing, how complete they are"), icon="table"),
        Command("flatten", tr("Flatten any XML into tables…"), lambda: _to_record(window).actions_.ask_flatten(), icon="tree-structure"),
        Command("search", tr("Search all pinned shelves"), lambda: _to_search(window), "Ctrl+F",
                tr("By words in names, fields and records"), "magnifying-glass"),
        Command("open_chosen", tr("Open the chosen datasets"), window.find_page.deeds.open_chosen, icon="folder-open",
                enabled=lambda: window.page == "find"),
        Command("open_asking", tr("Open the chosen datasets and ask…"), window.find_page.deeds.open_asking,
                tip=tr("Ask for CRS, columns, parts and form, whatever was answered before  (Ctrl+Return in the list)"),
                enabled=lambda: window.page == "find"),
        Command("read_chosen_record", tr("Read the record of the chosen dataset"), window.find_page.deeds.read_record, icon="article",
                enabled=lambda: on_entry(False)),
        Command("go_to_chosen", tr("Go to the folder of the chosen line"), window.find_page.deeds.go_to_current, icon="folder-open",
                enabled=lambda: on_entry(True) or on_entry(False)),
        Command("record_links", tr("Go to the data of the chosen record…"), window.find_page.deeds.show_links,
                tip=tr("The services and files that it links to"), icon="arrow-square-out",
                enabled=lambda: window.find_page.deeds.is_on_record),
        Command("pin_chosen", tr("Pin or unpin the chosen folder"), window.find_page.deeds.turn_pin, icon="push-pin",
                enabled=lambda: on_entry(True)),
        Command("ask_database", tr("Ask the database on Find by SQL…"), window.find_page.ask_database, "Ctrl+Alt+Q",
                tr("Open what a SELECT of your own gives"), "database",
                lambda: window.find_page.place is not None and window.find_page.place.place.startswith(("postgres", "mariadb", "mysql"))),
        Command("search_scenes", tr("Search the catalogue on Find…"), window.search_scenes, "Ctrl+Alt+S",
                tr("By place, time and clouds; of a catalogue of scenes"), "planet", window.can_search_scenes),
        Command("add_connection", tr("Add a connection…"), lambda: window.find_page.connections.edit(None), "Ctrl+Alt+D",
                tr("A database, a service or tiles, by an address"), "link"),
        Command("offline", tr("Work offline"), window.services.turn, icon="wifi-slash",
                tip=tr("Ask no server; draw what is stored of services"), checked=lambda: window.services.is_offline),
        Command("stored_answers", tr("Stored answers of services…"), window.services.show_stored, icon="cloud-slash"),
        Command("allowed_places", tr("Allowed hosts and folders…"), window.services.show_allowed, icon="shield-check",
                tip=tr("What files may point at beyond their own folder")),
        Command("index", tr("Index pinned folders"), window.find_page.index_shelves,
                tip=tr("Go through them now, so that they can be searched")),
        Command("pin", tr("Pin or unpin the folder on Find"), window.find_page.toggle_pin, "Ctrl+D", icon="push-pin",
                enabled=lambda: window.find_page.folder is not None),
        Command("hand_over", tr("Hand over the subject"), lambda: window.show_page("handover"), "Ctrl+E",
                tr("Export a piece of the subject"), "export", lambda: work.subject is not None),
        Command("capture", tr("Capture a plate"), lambda: _capture(window), "F9",
                tr("What the pane with the keyboard shows, into the album"), "camera",
                lambda: bool(work.layers) and window.page in ("desk", "record")),
        Command("album", tr("Album"), lambda: _to_half(window, "album"), "Ctrl+Shift+F9",
                tr("Plates with captions, on Hand over"), "book-open"),
        Command("draw_plates_again", tr("Draw all plates again"), lambda: _draw_plates_again(window), "",
                tr("The maps of the album, as their data is now"), "arrows-clockwise",
                lambda: bool(work.state.album.plates)),
        Command("paper", tr("Map on paper"), lambda: _on_paper(window), "Shift+F9",
                tr("Lay out what the map shows, or the plate of the album, on a page at a true scale"), "file-text",
                lambda: bool(work.layers) if window.page == "desk" else bool(work.state.album.plates)),
        Command("copy_picture", tr("Copy a picture of the pane"), pasting.copy_picture, "Ctrl+F9",
                tr("The pane with the keyboard, into the clipboard"), "copy",
                lambda: bool(work.layers) and window.page in ("desk", "record")),
        Command("paste", tr("Paste as a layer"), pasting.paste, "Ctrl+V",
                tr("Files, WKT, GeoJSON, rows or addresses of the clipboard"), "clipboard-text",
                lambda: window.page in ("find", "desk")),
        Command("open_recipe", tr("Open a recipe…"), lambda: _open_recipe(window), icon="list-bullets"),
        Command("catalogue", tr("Catalogue site"), lambda: _to_half(window, "catalogue"), "",
                tr("A site of all datasets of a folder, on Hand over"), "books"),
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
