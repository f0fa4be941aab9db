"""What Find has going in the background: listing folders, looking at datasets, searching, indexing."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.system.jobs import Job, Lane

from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.find import DatasetSummary, Entry
    from brisk_atlas.core.find.entry_filter import EntryRow

PARTIAL_S = 0.1  # between two reports of what was found


class FolderIndex(QObject):
    """Of each kind of work the latest wish wins.

    Signals:
        listed(object, list, bool): a folder, its entries, and whether it was listed again.
        learned(dict): summaries of datasets by path.
        found(str, list): the words that were searched for, and the rows that have them.
        indexed(): the shelves have been gone through.
    """

    listed = pyqtSignal(object, list, bool)
    learned = pyqtSignal(dict)
    found = pyqtSignal(str, list)
    indexed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.in_view: Sequence[Path] = ()  # looked at before the others
        self._show: Job | None = None
        self._facts: Job | None = None
        self._index: Job | None = None

    @property
    def busy(self) -> bool:
        return any(job is not None and not job.finished for job in (self._show, self._facts, self._index))

    def stop(self) -> None:
        """Stop listing, looking and searching; indexing goes on."""
        for job in (self._show, self._facts):
            if job is not None:
                job.cancel()
        self._facts = None

    def list_folder(self, folder: Path, *, again: bool = False) -> None:
        from brisk_atlas.core.find import list_folder

        self.stop()

        def done(entries: list[Entry]) -> None:
            if self._show is job:
                self.listed.emit(folder, entries, again)

        def work(job: Job) -> list[Entry]:
            entries = list_folder(folder)
            for entry in entries:
                str(entry.path)  # a path keeps its text; of fifty thousand it must not be made on the window's thread
            return entries

        failed = (lambda error: None) if again else None
        name = f"Listing {folder.name}"
        job = self._show = self.session.run(name, work, done, shown=not again, failed=failed)

    def look_at(self, folder: Path, entries: Sequence[Entry]) -> None:
        """Find out about datasets: what is stored at once, then what is in view, then the rest."""
        home = self.session.call_in_gui

        def work(job: Job) -> None:
            from brisk_atlas.core.find.index import summaries

            catalogue, scan_pool = self.session.catalogue, self.session.scan_pool
            learned: dict[Path, DatasetSummary] = {}
            result = time.monotonic()
            found = summaries(folder, entries, catalogue, scan_pool, job.check, lambda: self.in_view)
            for number, (path, summary) in enumerate(found):
                learned[path] = summary
                if time.monotonic() - result > PARTIAL_S:
                    job.report(number / len(entries), path.name)
                    home(lambda what: self._tell(job, what), learned)
                    learned, result = {}, time.monotonic()
            home(lambda what: self._tell(job, what), learned)

        if entries:
            self._facts = self.session.run("Looking at datasets", work, lane=Lane.BATCH)

    def _tell(self, job: Job, learned: dict[Path, DatasetSummary]) -> None:
        if job is self._facts and learned:
            self.learned.emit(learned)

    def search(self, words: str) -> None:
        """Look words up in what is known of the pinned shelves."""
        self.stop()
        shelves = list(self.session.shelves.pinned)

        def work(job: Job) -> list[EntryRow]:
            from brisk_atlas.core.find.index import rows_found

            return rows_found(self.session.catalogue.search(words, shelves))

        def done(rows: list[EntryRow]) -> None:
            if self._show is job:
                self.found.emit(words, rows)

        job = self._show = self.session.run("Searching", work, done, shown=False)

    def index_shelves(self) -> None:
        """Go through everything on the pinned shelves, so that it can be searched."""
        if self._index is not None:
            self._index.cancel()
        shelves = list(self.session.shelves.pinned)

        from brisk_atlas.core.operations import IndexFolders

        if shelves:
            self._index = self.session.run_operation(
                "Indexing pinned folders", IndexFolders(tuple(shelves)), lambda result: self.indexed.emit()
            )
