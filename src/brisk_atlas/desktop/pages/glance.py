"""The glance: what a dataset is, before it is opened."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QTabWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model.kinds import DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from collections.abc import Sequence

    from brisk_atlas.core.find import Anatomy
    from brisk_atlas.core.model import DataRef, Dataset, Extent, Layer
    from brisk_atlas.core.record import Section

PICTURE_PX = 236
EMPTY = tr("Choose a dataset in the list to see what it is.")
NOT_OPENED = (DataKind.RECORD, DataKind.DOCUMENT)  # read on the Record page, or here
FACTS, ROWS, RECORD, FILES, TEXT = range(5)
TABS = (tr("Facts"), tr("Rows"), tr("Record"), tr("Files"), tr("Text"))


class Glance(QWidget):
    """Picture, facts, first rows, record summary, files and text of one dataset or one of its parts.

    Signals:
        open_wanted(object): the reference of what to open.
        record_wanted(object): the reference of the dataset whose record to read.
        data_wanted(): the data that the record on show describes are to be gone to.
        went_stale(): a file of the dataset was taken away.
    """

    open_wanted = pyqtSignal(object)
    record_wanted = pyqtSignal(object)
    data_wanted = pyqtSignal()
    went_stale = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen: DataRef | None = None
        self._job: Job | None = None
        self._waiting: set[DataRef] = set()
        session.prepared.connect(self._prepared)
        self.name = PlainLabel(EMPTY)
        self.name.setObjectName("title")
        self.name.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(8)
        column.addWidget(self.name)
        self.rest = QWidget()  # stands in for the body until there is something to show
        column.addWidget(self.rest, 1)
        self.theme: Theme = LIGHT
        self._built = False

    def _build(self) -> None:
        """Make the body, with the first dataset that is looked at."""
        if self._built:
            return
        from ..reading_view import ReadingView
        from ..text_view import TextView
        from .glance_files import GlanceFiles
        from .glance_picture import GlancePicture
        from .glance_rows import GlanceRows

        self._built = True
        self.summary = PlainLabel("")
        self.summary.setObjectName("quiet")
        self.summary.setWordWrap(True)
        self.picture = GlancePicture(self.session)
        self.facts, self.record = ReadingView(), ReadingView()
        self.facts.setAccessibleName(tr("Facts"))
        self.record.setAccessibleName(tr("Record"))
        self.rows, self.files, self.text = GlanceRows(), GlanceFiles(self.session), TextView(self.session)
        self.tabs = QTabWidget()
        self.tabs.setObjectName("glance tabs")
        for page, title in zip((self.facts, self.rows, self.record, self.files, self.text), TABS):
            self.tabs.addTab(page, title)
        self.open_button = QPushButton(tr("Open on the Desk"))
        self.open_button.setObjectName("main")
        self.record_button = QPushButton(tr("Read its record"))
        self.data_button = QPushButton(tr("Go to its data…"))
        self.data_button.setObjectName("to data")
        self.data_button.setToolTip(tr("The services and files that the record links to"))
        buttons = QHBoxLayout()
        buttons.addWidget(self.open_button, 1)
        buttons.addWidget(self.record_button, 1)
        buttons.addWidget(self.data_button, 1)
        upper, lower = QWidget(), QWidget()
        top = QVBoxLayout(upper)
        top.setContentsMargins(0, 0, 0, 4)
        top.addWidget(self.picture, 1)
        top.addLayout(buttons)
        bottom = QVBoxLayout(lower)
        bottom.setContentsMargins(0, 0, 0, 0)
        bottom.addWidget(self.tabs, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(upper)
        split.addWidget(lower)
        split.setSizes([PICTURE_PX + 40, 400])
        split.setStretchFactor(1, 1)
        column = QVBoxLayout(self.rest)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.summary)
        column.addWidget(split, 1)
        self.open_button.clicked.connect(self._open)
        self.record_button.clicked.connect(self._read)
        self.data_button.clicked.connect(lambda: self.data_wanted.emit())
        self.picture.unfinished.connect(self._prepare)
        self.files.deleted.connect(self.went_stale)
        self.files.deleted.connect(self._look_again)
        self.tabs.currentChanged.connect(lambda tab: self._tab_changed())
        self.use_theme(self.theme)

    def use_theme(self, theme: Theme) -> None:
        self.theme = theme
        if self._built:
            for reading in (self.facts, self.record):
                reading.repaint_theme(theme)
            self.picture.theme = self.files.theme = self.text.lines.theme = theme
            self.update()

    def _open(self) -> None:
        if self.chosen:
            self.open_wanted.emit(self.chosen)

    def _read(self) -> None:
        if self.chosen:
            self.record_wanted.emit(self.chosen.whole)

    @property
    def busy(self) -> bool:
        if self._job is not None and not self._job.finished:
            return True
        return self._built and self.picture.isVisible() and (self.picture.busy or self.text.busy)

    def _clear(self, text: str) -> None:
        for view in (self.facts, self.record):
            view.show_sections([])
        self.picture.show_words(text)
        self.summary.setText("")
        self.rows.show_tables({})
        self.files.show_anatomy(None)
        self.text.show_file(None)
        for widget in (self.tabs, self.open_button, self.record_button, self.data_button):
            widget.setVisible(False)

    def look_at(self, ref: DataRef | None) -> None:
        """Show a dataset; the latest wish wins."""
        if self._job:
            self._job.cancel()
        self.chosen = ref
        if ref is None:
            self.name.setText(EMPTY)
            if self._built:
                self._clear("")
            return
        self._build()
        self.name.setText(ref.name if ref.part is None else f"{ref.name} · {ref.part}")

        def work(job: Job) -> Glimpse:
            return glimpse(self.session, ref, job)

        def done(found: Glimpse) -> None:
            if self.chosen == ref:
                self._show(ref, found)

        def failed(error: BaseException) -> None:
            if self.chosen == ref:
                self._clear(str(error).removeprefix(f"{ref.whole}: "))
                self._offer_text(ref, alone=True)

        self._job = self.session.run(tr("Glancing at {name}", name=ref.name), work, done, shown=False, failed=failed)

    def _look_again(self) -> None:
        if self.chosen:
            self.look_at(self.chosen)

    def _prepare(self, layers: list[Layer]) -> None:
        self._waiting = {layer.ref for layer in layers}
        for layer in layers:
            self.session.prepare(layer)

    def _prepared(self, source: object) -> None:
        """Draw again once all of what is on show can be seen."""
        if source in self._waiting and self._built:
            self.picture.draw_again()

    def _show(self, ref: DataRef, found: Glimpse) -> None:
        dataset = found.dataset
        self.facts.show_sections(found.derived)
        self.record.show_sections(found.record_sections)
        self.rows.show_tables(found.tables)
        self.files.show_anatomy(found.anatomy)
        for tab, there in ((ROWS, bool(found.tables)), (RECORD, bool(found.record_sections)), (FILES, True)):
            self.tabs.setTabVisible(tab, there)
        remarks = (
            sum(bool(m.remark) for m in found.anatomy.members) + len(found.anatomy.missing) + len(found.anatomy.locks)
        )
        self.tabs.setTabText(FILES, tr("Files ({remarks} !)", remarks=remarks) if remarks else tr("Files"))
        self.tabs.setVisible(True)
        self._offer_text(ref)
        self.summary.setText(
            f"{dataset.format} · {shown(dataset.kind)}"
            + (f" · {'; '.join(dataset.warnings)}" if dataset.warnings else "")
        )
        self.open_button.setVisible(dataset.kind not in NOT_OPENED)
        self.record_button.setVisible(True)
        self.data_button.setVisible(dataset.kind is DataKind.RECORD)
        if found.extent is not None:
            self.picture.show_layers(found.layers, found.extent)
        else:
            self.picture.show_words(found.words)

    def _offer_text(self, ref: DataRef, *, alone: bool = False) -> None:
        """Offer the text of a file; `alone` where there is nothing else to show of it."""
        from brisk_atlas.core.find.text_pages import is_textual

        textual = is_textual(ref)
        self.tabs.setTabVisible(TEXT, textual)
        if alone and textual:  # what can't be read may still be looked at
            for tab in (FACTS, ROWS, RECORD, FILES):
                self.tabs.setTabVisible(tab, False)
            self.tabs.setVisible(True)
        elif not alone:
            self.tabs.setTabVisible(FACTS, True)
        self._tab_changed()

    def _tab_changed(self) -> None:
        """Read the text only once it is looked at."""
        shown = self.tabs.currentIndex() == TEXT and self.tabs.isTabVisible(TEXT) and self.chosen is not None
        self.text.show_file(self.chosen.whole if shown and self.chosen else None)


class Glimpse(NamedTuple):
    """All that a glance shows, worked out in the background. `words` stand in for a picture."""

    dataset: Dataset
    derived: Sequence[Section]
    record_sections: Sequence[Section]
    anatomy: Anatomy
    tables: dict[str, Any]
    layers: Sequence[Layer]
    extent: Extent | None
    words: str


def glimpse(session: Session, ref: DataRef, job: Job) -> Glimpse:
    """Work out a glance. Runs in the background. Raises AtlasError."""
    from brisk_atlas.core import record as records
    from brisk_atlas.core.curate.data_sections import derived_sections
    from brisk_atlas.core.find import anatomy_of
    from brisk_atlas.core.read.find_records import find_records
    from brisk_atlas.core.workspace.preflight import check_safe

    check_safe(ref.whole, session.catalogue, session.scan_pool, job.check)
    if not any(layer.ref.whole == ref.whole for layer in session.work.layers):
        session.cache.forget(ref)
    dataset = session.cache.dataset(ref)
    job.check()
    found_records, _ = find_records(dataset)
    lines: list[Section] = []
    if found_records:
        title = (
            records.Line("title", found_records[0].document.record.title or records.NOT_STATED),
            records.Line("record", found_records[0].label),
        )
        lines = [records.Section(tr("Record"), title), *records.brief(found_records[0].document.record)]
    job.check()
    layers, extent, words = _picture(session, dataset, ref.part)
    job.check()
    derived = derived_sections(dataset, ref.part)
    return Glimpse(dataset, derived, lines, anatomy_of(dataset), _tables(dataset, ref.part), layers, extent, words)


def _tables(dataset: Dataset, part_name: str | None) -> dict[str, Any]:
    """Return the first rows of every part that has rows, and how many it has."""
    from brisk_atlas.core.kinds.first_sight import at_a_sight
    from brisk_atlas.core.model import FeatureQuery, RowsPart

    from .glance_rows import ROWS as FIRST

    parts = [p for p in dataset.parts if isinstance(p, RowsPart) and part_name in (None, p.facts.name)]
    return {
        part.facts.name: (part.rows(FeatureQuery(limit=FIRST)), part.facts.count)
        for part in parts[: at_a_sight(dataset)]
    }


def _picture(session: Session, dataset: Dataset, part_name: str | None) -> tuple[list[Layer], Extent | None, str]:
    """Return the layers to draw and where, or words in place of a picture."""
    from brisk_atlas.core.draw.frame import extent_of
    from brisk_atlas.core.kinds.first_sight import first_layers

    layers = first_layers(dataset, part_name)
    if not layers:
        return [], None, tr("no picture: it has no geometry") if not dataset.kind.has_place else ""
    facts = session.cache.part(layers[0].ref).facts
    extent = extent_of(session.cache, layers, facts.crs)
    return (layers, extent, "") if extent is not None else ([], None, tr("no picture: it has no extent"))
