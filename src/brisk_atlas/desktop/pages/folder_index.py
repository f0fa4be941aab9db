"""What Find has going in the background: listing folders, looking at datasets, searching, indexing."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job, Lane

from ..session import Session

if TYPE_CHECKING:
    from pathlib import Path

    from brisk_atlas.core.find import DatasetSummary, Entry
    from brisk_atlas.core.find.entry_filter import EntryRow
    from brisk_atlas.core.model import DataRef

PARTIAL_S = 0.1  # between two reports of what was found


class FolderIndex(QObject):
    """Of each kind of work the latest wish wins.

    Signals:
        failed(object, object): the place that could not be listed, and the error.
        listed(object, list, bool): a place, its entries, and whether it was listed again.
        learned(dict): summaries of datasets by path.
        found(str, list): the words that were searched for, and the rows that have them.
        indexed(): the shelves have been gone through.
    """

    listed = pyqtSignal(object, list, bool)
    failed = pyqtSignal(object, object)
    learned = pyqtSignal(dict)
    found = pyqtSignal(str, list)
    indexed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.in_view: Sequence[DataRef] = ()  # looked at before the others
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

    def list_place(self, place: DataRef, *, again: bool = False) -> None:
        """List a folder, a database or a schema of one."""
        from brisk_atlas.core.find import list_place

        self.stop()

        def done(entries: list[Entry]) -> None:
            if self._show is job:
                self.listed.emit(place, entries, again)

        def work(job: Job) -> list[Entry]:
            return list_place(place)

        failed = (lambda error: None) if again else (lambda error: self.failed.emit(place, error))
        name = tr("Listing {name}", name=place.name)
        job = self._show = self.session.run(name, work, done, shown=not again, failed=failed)

    def look_at(self, place: DataRef, entries: Sequence[Entry]) -> None:
        """Find out about datasets: what is stored at once, then what is in view, then the rest."""
        home = self.session.call_in_gui

        def work(job: Job) -> None:
            from brisk_atlas.core.find.index import summaries

            catalogue, scan_pool = self.session.catalogue, self.session.scan_pool
            learned: dict[DataRef, DatasetSummary] = {}
            result = time.monotonic()
            found = summaries(
                place.path if place.is_local else place, entries, catalogue, scan_pool, job.check, lambda: self.in_view
            )
            for number, (ref, summary) in enumerate(found):
                learned[ref] = summary
                if time.monotonic() - result > PARTIAL_S:
                    job.report(number / len(entries), ref.name)
                    home(lambda what: self._tell(job, what), learned)
                    learned, result = {}, time.monotonic()
            home(lambda what: self._tell(job, what), learned)

        if entries:
            self._facts = self.session.run(tr("Looking at datasets"), work, lane=Lane.BATCH)

    def _tell(self, job: Job, learned: dict[DataRef, DatasetSummary]) -> None:
        if job is self._facts and learned:
            self.learned.emit(learned)

    def search(self, words: str) -> None:
        """Look words up in what is known of the pinned shelves."""
        self.stop()
        shelves: list[Path | DataRef] = [*self.session.shelves.pinned]
        shelves += [each.ref for each in self.session.shelves.connections]

        def work(job: Job) -> list[EntryRow]:
            from brisk_atlas.core.find.index import rows_found

            return rows_found(self.session.catalogue.search(words, shelves))

        def done(rows: list[EntryRow]) -> None:
            if self._show is job:
                self.found.emit(words, rows)

        job = self._show = self.session.run(tr("Searching"), work, done, shown=False)

    def index_shelves(self) -> None:
        """Go through everything on the pinned shelves, so that it can be searched."""
        if self._index is not None:
            self._index.cancel()
        shelves = list(self.session.shelves.pinned)

        from brisk_atlas.core.operations import IndexFolders

        if shelves:
            self._index = self.session.run_operation(
                tr("Indexing pinned folders"), IndexFolders(tuple(shelves)), lambda result: self.indexed.emit()
            )
