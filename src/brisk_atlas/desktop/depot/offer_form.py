"""Offering a layer: what it is, what its record lacks for people outside, and its outlets side by side."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right, circle_words
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..session import Session
from .outlet_column import BadWish, OutletColumn, PostingShape

if TYPE_CHECKING:
    from brisk_atlas.core.depot.offering import OfferTrial, OutletPreview
    from brisk_atlas.core.depot.postings.depot_store import DepotStore
    from brisk_atlas.core.depot.postings.outlet import Outlet
    from brisk_atlas.core.depot.postings.posting import Posting
    from brisk_atlas.core.model import Extent, GridStyle, VectorStyle
    from brisk_atlas.core.record.model import Record
    from brisk_atlas.core.system.jobs import Job

TEAM = "team"
RECORD_FILE = tr("A metadata record…")
ALBUM = "album"  # the data of its entry
RECORD_TYPES = tr("Metadata records (*.xml *.ttl *.json *.rdf)")
COLUMN_PX = 370


class OfferWish(NamedTuple):
    """What is to be offered: a layer, a record file or the album, or a posting that is there; and its outlets."""

    layer_id: str
    record: Path | None
    is_album: bool
    posting: Posting | None
    title: str
    summary: str
    outlets: list[Outlet]


class OfferForm(QWidget):
    """What is offered, and for each circle a column with its preview.

    Signals:
        offer_wanted(object): an OfferWish.
        cancelled(): nothing is offered.
    """

    offer_wanted = pyqtSignal(object)
    cancelled = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.store: DepotStore | None = None
        self.posting: Posting | None = None
        self.trial: OfferTrial | None = None
        self.record_path: Path | None = None
        self.view_extent: Callable[[], Extent | None] = lambda: None
        self._circles: list[str] = []
        self.columns: list[OutletColumn] = []
        self.which = QComboBox()
        self.which.setObjectName("offered layer")
        self.which.activated.connect(lambda at: self._choose())
        self.title, self.summary = QLineEdit(), QLineEdit()
        self.title.setObjectName("posting title")
        self.title.setPlaceholderText(tr("Title"))
        self.summary.setPlaceholderText(tr("What it is, in a sentence"))
        self.more, self.offer, self.cancel = (
            QPushButton(tr("Another outlet")),
            QPushButton(tr("Offer")),
            QPushButton(tr("Cancel")),
        )
        self.offer.setObjectName("main")
        self.more.clicked.connect(lambda checked=False: self._add_column(self._first_outlet("colleagues", every=True)))
        self.offer.clicked.connect(lambda checked=False: self._take())
        self.cancel.clicked.connect(lambda checked=False: self.cancelled.emit())
        head = QHBoxLayout()
        head.setSpacing(8)
        for widget, stretch in ((self.which, 1), (self.title, 1), (self.summary, 2)):
            head.addWidget(widget, stretch)
        self.record = PlainLabel("")
        self.record.setObjectName("quiet")
        self.record.setWordWrap(True)
        self.row = QHBoxLayout()
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(10)
        inside = QWidget()
        inside.setLayout(self.row)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        area.setWidget(inside)
        low = QHBoxLayout()
        low.addWidget(self.more)
        low.addStretch(1)
        low.addWidget(self.cancel)
        low.addWidget(self.offer)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.record)
        column.addWidget(area, 1)
        column.addLayout(low)

    @property
    def layer(self) -> Layer | None:
        """The layer that is offered, None for a record or a posting that is there."""
        chosen = self.which.currentData()
        return self.session.work.layer(chosen) if self.posting is None and chosen else None

    @property
    def offers_album(self) -> bool:
        """Whether it is the album that is offered."""
        return self.posting is None and self.which.currentData() == ALBUM

    # What is offered

    def begin(self, store: DepotStore, circles: Sequence[str]) -> None:
        """Offer the subject, or another open layer."""
        self.store, self.posting, self._circles = store, None, list(circles)
        subject = self.session.work.subject
        self.which.clear()
        for layer in self.session.work.layers:
            if layer.kind.has_rows or layer.kind.has_place:
                self.which.addItem(layer.name, layer.id)
        album = self.session.work.state.album
        if album.items:
            self.which.addItem(tr("The album: {title}", title=album.title or tr("untitled")), ALBUM)
        self.which.addItem(RECORD_FILE, "")
        self.which.setCurrentIndex(max(0, self.which.findData(subject.id if subject is not None else None)))
        self.which.show()
        self._choose()

    def _choose(self) -> None:
        """Try what is chosen."""
        self.record_path = None
        if self.layer is not None:
            self._begin_trial()
        elif self.offers_album:
            self.offer_album()
        elif self.isVisible():
            chosen, _ = QFileDialog.getOpenFileName(self, RECORD_FILE, "", RECORD_TYPES)
            if chosen:
                self.offer_record(Path(chosen))

    def offer_album(self) -> None:
        """Offer the album of the project, as a page."""
        self._end_trial()
        album = self.session.work.state.album
        self.which.setCurrentIndex(self.which.findData(ALBUM))
        self.offer.setText(tr("Offer"))
        self.title.setText(album.title or tr("Album"))
        self.summary.setText(album.summary)
        self.record.setText(tr("The page is written when it is offered, with the plates as they are then."))
        for line in (self.title, self.summary):
            line.setEnabled(True)
        self._show_columns(PostingShape(self._tried), [self._first_outlet(EVERYBODY, every=True)])

    def offer_record(self, path: Path) -> None:
        """Offer the metadata record of a file, of data that are elsewhere."""
        self._end_trial()
        self._clear()
        self.which.setCurrentIndex(self.which.findData(""))
        self.record_path = path
        self.offer.setText(tr("Offer"))

        def work(job: Job) -> tuple[Record, list[str]]:
            from brisk_atlas.core.depot.offering import missing_in
            from brisk_atlas.core.record import read_document

            record = read_document(path).record
            return record, missing_in(record)

        def done(found: tuple[Record, list[str]]) -> None:
            record, missing = found
            self.title.setEnabled(True)
            self.summary.setEnabled(True)
            self.title.setText(record.title or path.stem)
            self._show_record(record.abstract, missing)
            self._show_columns(PostingShape(self._tried), [self._first_outlet(EVERYBODY, every=True)])

        self.session.run(tr("Reading {name}", name=path.name), work, done, failed=self._failed)

    def change(self, store: DepotStore, posting: Posting, outlets: Sequence[Outlet], circles: Sequence[str]) -> None:
        """Change how a posting is offered."""
        self._end_trial()
        self.store, self.posting, self._circles = store, posting, list(circles)
        self.which.hide()
        self.title.setText(posting.title)
        self.title.setEnabled(False)
        self.summary.setText(posting.summary)
        self.summary.setEnabled(False)
        self.record.setText("")
        self.offer.setText(tr("Change"))
        self._show_columns(PostingShape(posting), outlets)

    def _begin_trial(self) -> None:
        layer = self.layer
        if layer is None:
            return
        self._end_trial()
        self.title.setEnabled(True)
        self.summary.setEnabled(True)
        self.title.setText(layer.name)
        self.summary.clear()
        self.offer.setText(tr("Offer"))
        self.offer.setEnabled(False)
        self._clear()
        self.record.setText(tr("Trying {name}…", name=layer.name))

        def work(job: Job) -> tuple[OfferTrial | None, list[str], str]:
            from brisk_atlas.core.depot.offering import OfferTrial, missing_for_public
            from brisk_atlas.core.handover.flows import RowFlow
            from brisk_atlas.core.operations.recipe_sources import WorkspaceSources

            flow = WorkspaceSources(self.session.workspace).flow(layer.id, sampled=True)
            facts = self.session.cache.part(layer.ref).facts
            trial = (
                OfferTrial(flow, layer.name, facts.geometry_type or "Unknown") if isinstance(flow, RowFlow) else None
            )
            try:
                record, missing = missing_for_public(flow.source, layer.name)
            except AtlasError as error:
                return trial, [tr("a record that can be read ({reason})", reason=error.reason)], ""
            return trial, missing, record.abstract

        def done(found: tuple[OfferTrial | None, list[str], str]) -> None:
            trial, missing, summary = found
            if self.layer != layer:
                if trial is not None:
                    trial.close()
                return
            self.trial = trial
            self._show_record(summary, missing)
            team = next((each for each in self._circles if each != EVERYBODY), TEAM)
            outlets = [self._first_outlet(team, every=True), self._first_outlet(EVERYBODY, every=True)]
            self._show_columns(PostingShape(self._tried), outlets)

        self.session.run(tr("Trying {name}", name=layer.name), work, done, failed=self._failed)

    def _show_record(self, summary: str, missing: list[str]) -> None:
        self.summary.setText(" ".join(summary.split())[:300])
        self.summary.setCursorPosition(0)
        self.record.setText(
            tr("Its record does not state {missing}. People outside look for that.",
            missing=', '.join(missing)) if missing
            else tr("Its record states what people outside look for.")
        )  # fmt: skip

    def _failed(self, error: BaseException) -> None:
        self.record.setText("")
        self.session.fault(error)

    def _end_trial(self) -> None:
        if self.trial is not None:
            self.trial.close()
            self.trial = None

    def _first_outlet(self, circle: str, *, every: bool) -> Outlet:
        from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField

        posting = self._tried
        fields = tuple(OutletField(each.name, each.name) for each in posting.fields) if every else ()
        open_to_all = circle == EVERYBODY
        rights = frozenset({Right.READ}) if open_to_all or not posting.has_rows else ALL_RIGHTS
        title = self.title.text()
        if not open_to_all:
            title = tr("{title} for {circle}", title=title, circle=circle_words(circle))
        return Outlet("", posting.id, title, fields, ((circle, rights),), style=self._style(),
                      grid_style=self._grid_style())  # fmt: skip

    @property
    def _tried(self) -> Posting:
        """The posting that outlets are made of: one that is there, the one on trial, or what a file will be."""
        from brisk_atlas.core.depot.offering import FILE_FORMATS
        from brisk_atlas.core.depot.postings.posting import ALBUM_ENDING, Posting

        if self.posting is not None:
            return self.posting
        if self.trial is not None:
            return self.trial.posting
        layer, title = self.layer, self.title.text()
        if self.offers_album:
            return Posting("", 0, title, "", (), file=f"new{ALBUM_ENDING}")
        if layer is None:
            return Posting("", 0, title, "", (), record="new")
        facts = self.session.cache.part(layer.ref).facts
        return Posting("", 0, title, "", (), facts.crs, file=f"new{FILE_FORMATS[facts.kind][1]}")

    def _grid_style(self) -> GridStyle | None:
        from brisk_atlas.core.model import GridStyle

        layer = self.layer
        style = layer.style if layer is not None else None
        return replace(style, others=(), flow=None, mask=None) if isinstance(style, GridStyle) else None

    def _style(self) -> VectorStyle | None:
        from brisk_atlas.core.model import VectorStyle

        layer = self.layer
        return layer.style if layer is not None and isinstance(layer.style, VectorStyle) else None

    # Its outlets

    def take_keyboard(self) -> None:
        """Have what is pressed next be meant for the form: for what is offered, or for its first outlet where that is
        chosen already."""
        first = self.which if self.posting is None else next((each.title for each in self.columns), self.cancel)
        first.setFocus()

    def _clear(self) -> None:
        while self.columns:
            self._drop(self.columns[-1])

    def _drop(self, column: OutletColumn) -> None:
        self.columns.remove(column)
        self.row.removeWidget(column)
        column.deleteLater()

    def _show_columns(self, shape: PostingShape, outlets: Sequence[Outlet]) -> None:
        self._clear()
        self._shape = shape
        for each in outlets:
            self._add_column(each)
        self._refresh()

    def _add_column(self, outlet: Outlet) -> None:
        column = OutletColumn(self._shape, self._circles, outlet, self.view_extent)
        column.setMinimumWidth(COLUMN_PX)
        column.edited.connect(self._refresh)
        column.remove_wanted.connect(lambda: self._remove(column))
        self.columns.append(column)
        self.row.addWidget(column, 1)
        for before, after in pairwise((column.until, self.more, self.cancel, self.offer)):
            self.setTabOrder(before, after)  # what is made last would be reached last
        self._refresh()

    def _remove(self, column: OutletColumn) -> None:
        self._drop(column)
        self._refresh()

    def _refresh(self) -> None:
        """Work out anew what each sees."""
        self.offer.setEnabled(bool(self.columns))
        for column in self.columns:
            try:
                self._preview(column, column.wished())
            except BadWish as error:
                column.show_fault(f"{error}.")
                self.offer.setEnabled(False)

    def _preview(self, column: OutletColumn, outlet: Outlet) -> None:
        trial, store, posting = self.trial, self.store, self.posting
        if not self._shape.posting.has_rows:
            column.show_whole()
            return

        def work(job: Job) -> OutletPreview:
            from brisk_atlas.core.depot.offering import preview_of

            if posting is not None and store is not None:
                return preview_of(store, posting, outlet)
            assert trial is not None
            return trial.preview(outlet)

        def done(found: OutletPreview) -> None:
            if column in self.columns:
                column.show_preview(found, sampled=trial is not None and trial.sampled)

        def failed(error: BaseException) -> None:
            if column in self.columns:
                reason = error.reason if isinstance(error, AtlasError) else str(error)
                column.show_fault(f"{reason[:1].upper()}{reason[1:]}.")
                self.offer.setEnabled(False)

        self.session.run(tr("What is seen"), work, done, shown=False, failed=failed)

    def _take(self) -> None:
        from brisk_atlas.core.depot.postings.outlet_style import style_for

        outlets = [column.wished() for column in self.columns]
        outlets = [
            replace(each, style=style_for(each.style, each) if each.style is not None else None) for each in outlets
        ]
        layer = self.layer
        wish = OfferWish(layer.id if layer is not None else "", self.record_path, self.offers_album,
                         self.posting,
                         self.title.text().strip() or tr("Untitled"),
                         self.summary.text().strip(), outlets)  # fmt: skip
        self.offer_wanted.emit(wish)

    def close_trial(self) -> None:
        """Give back what was tried."""
        self._end_trial()
