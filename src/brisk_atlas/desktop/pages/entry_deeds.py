"""What is done with the lines of the list on Find: opened, gone to, pinned, read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from .catalogue_actions import CatalogueActions
from .find_list import FindList
from .shelf_list import ShelfList

if TYPE_CHECKING:
    from brisk_atlas.core.find import Entry


class EntryDeeds(QObject):
    """Works on the chosen lines, or on the current one.

    Signals:
        open_wanted(list): references of datasets, or parts of them, to open.
        ask_wanted(list): references to open after asking all that can be chosen.
        record_wanted(object): the reference of a dataset whose record to read.
        place_wanted(object): a folder, a database or a schema to list.
        dataset_wanted(object): the path of a dataset, whose folder to list.
    """

    open_wanted = pyqtSignal(list)
    ask_wanted = pyqtSignal(list)
    record_wanted = pyqtSignal(object)
    place_wanted = pyqtSignal(object)
    dataset_wanted = pyqtSignal(object)

    def __init__(self, listed: FindList, shelves: ShelfList, records: CatalogueActions) -> None:
        super().__init__(listed)
        self.list, self.shelves, self.records = listed, shelves, records
        listed.activated_rows.connect(self.open_chosen)
        listed.asked.connect(self.open_asking)

    @property
    def current(self) -> Entry | None:
        """The dataset or folder that the keyboard stands on."""
        row = self.list.rows.row_at(self.list.currentIndex())
        return row.entry if row is not None else None

    def open_chosen(self) -> None:
        """Go into the chosen folder, or open the chosen datasets."""
        entry = self.current
        if entry is not None and entry.is_folder:
            self.place_wanted.emit(entry.ref)
            return
        chosen = self.list.chosen()
        if chosen:
            self.open_wanted.emit(chosen)

    def open_asking(self) -> None:
        """Open the chosen datasets after asking all that can be chosen about them."""
        chosen = list(dict.fromkeys(ref.whole for ref in self.list.chosen()))
        if chosen:
            self.ask_wanted.emit(chosen)

    def go_to_current(self) -> None:
        """Go into the folder of the current line, or to the folder in which its dataset lies."""
        entry = self.current
        if entry is None:
            return
        if entry.is_folder:
            self.place_wanted.emit(entry.ref)
        elif entry.ref.is_local:
            self.dataset_wanted.emit(entry.path)

    def turn_pin(self) -> None:
        """Pin the current folder, or unpin it."""
        entry = self.current
        if entry is not None and entry.is_folder and entry.ref.is_local:
            self.shelves.turn_pin(entry.path)

    @property
    def is_on_record(self) -> bool:
        """Whether the current line is a record, which may link to data."""
        row = self.list.rows.row_at(self.list.currentIndex())
        known = row.summary if row is not None else None
        return row is not None and not row.entry.is_folder and known is not None and known.kind == "record"

    def show_links(self) -> None:
        """Show where the data that the current record describes are found, to go there."""
        entry = self.current
        if entry is not None and self.is_on_record:
            self.records.show_links(entry.name, entry.ref)

    def read_record(self) -> None:
        """Show the record of the current dataset."""
        entry = self.current
        if entry is not None and not entry.is_folder:
            self.record_wanted.emit(entry.ref)
