"""What Find does with catalogues of records: searching them, and going to the data that a record describes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.find.record_links import DataLink
    from brisk_atlas.core.model import DataRef

    from ..session import Session
    from .record_links_form import RecordLinksForm


class CatalogueActions(QObject):
    """Signals:
    place_wanted(object): the reference to what a search finds, to list.
    address_wanted(object): the reference that a link leads to, to list or open.
    """

    place_wanted = pyqtSignal(object)
    address_wanted = pyqtSignal(object)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.window_parent = session, parent
        self.form: RecordLinksForm | None = None

    @staticmethod
    def can_search(place: DataRef | None) -> bool:
        """Return whether a place is a catalogue that searches all of its records itself."""
        return place is not None and (place.protocol == "csw" or (place.protocol == "records" and bool(place.inner)))

    def search(self, place: DataRef, words: str) -> None:
        """Have a catalogue search for words; for none of them, list all of it."""
        from dataclasses import replace

        from brisk_atlas.core.connect.catalogues import RecordSearch

        asked = RecordSearch.of(place) if place.inner else RecordSearch("records")
        self.place_wanted.emit(replace(asked, words=words).place(place))

    def show_links(self, title: str, ref: DataRef) -> None:
        """Show where the data that a record describes are found, to go there."""

        def work(job: object) -> list[DataLink]:
            from brisk_atlas.core.find.record_links import links_of_record

            return links_of_record(self.session.cache, ref)

        def done(links: list[DataLink]) -> None:
            from .record_links_form import RecordLinksForm

            self.form = RecordLinksForm(title, links, self.window_parent)
            self.form.chosen.connect(self.address_wanted)
            self.form.open()

        self.session.run(tr("Reading the record"), work, done)
