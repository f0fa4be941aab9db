"""The Record page: one record read, checked and mended, or many as a table."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..empty_state import EmptyState
from ..plain_text import PlainLabel
from ..record.actions import RecordActions
from ..record.bar import BESIDE, RecordBar
from ..record.checks_list import ChecksList
from ..record.many_view import ManyView
from ..record.outline import Outline
from ..record.shown import Shown, findings_of, read_shown
from ..record.views import RecordViews
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.record import Document, Finding, Record, Standard
    from brisk_atlas.core.record.checks import Completeness
    from brisk_atlas.core.record.comparing import ElementComparison
    from brisk_atlas.core.record.elements import Place

EMPTY = (
    tr("No record to read yet"),
    tr(
        "The metadata of a dataset is read, checked and mended here. Choose a dataset on Find, "
        "open a layer, or table the "
        "records of a whole folder."
    ),
)
CHOICES = {
    "page_find": tr("Look for data"),
    "records": tr("Table the records of a folder"),
    "open_demo": tr("Open the demo"),
}
READING, MANY, NOTHING = range(3)


class RecordPage(QWidget):
    """Outline left, reading in the middle, checks right. Speaks of the subject, or of what Find sent.

    Signals:
        dataset_changed(): it speaks of another dataset.
    """

    dataset_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self.ref: DataRef | None = None
        self._sent: DataRef | None = None
        self._job: Job | None = None
        self._schema: dict[bytes, list[Finding]] = {}
        self._other: Document | None = None
        self._findings: list[Finding] = []
        self._edited: dict[DataRef, Shown] = {}  # what was edited and left unsaved, by dataset
        self.bar = RecordBar()
        self.actions_ = RecordActions(session, self)
        self.outline = Outline()
        self.views = RecordViews(session)
        self.brief, self.tree = self.views.brief, self.views.tree
        self.text, self.compare = self.views.text, self.views.compare
        self.checks = ChecksList()
        self.many = ManyView(session)
        self._lay_out()
        self._connect()

    # Building

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 10, 4, 10)
        heading = PlainLabel(tr("Sections"))
        heading.setObjectName("heading")
        column.addWidget(heading)
        column.addWidget(self.outline, 1)
        middle = QWidget()
        rows = QVBoxLayout(middle)
        rows.setContentsMargins(8, 10, 8, 8)
        rows.addWidget(self.bar)
        rows.addWidget(self.views, 1)
        self.split = QSplitter()
        self.split.addWidget(left)
        self.split.addWidget(middle)
        self.split.addWidget(self.checks)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([190, 820, 270])
        self.whole = QStackedWidget()
        self.whole.addWidget(self.split)
        self.whole.addWidget(self.many)
        self.empty = EmptyState(*EMPTY, CHOICES)
        self.whole.addWidget(self.empty)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.whole)

    def _connect(self) -> None:
        self.session.work_changed.connect(self._work_changed)
        self.outline.section_chosen.connect(self.views.go_to_section)
        self.checks.chosen.connect(self.views.go_to_finding)
        self.checks.schema_wanted.connect(self._check_schema)
        self.bar.views.idClicked.connect(self.show_view)
        self.bar.records.activated.connect(self._record_chosen)
        self.bar.standard.activated.connect(lambda i: self.show_again())
        self.bar.search.returnPressed.connect(self.find_next)
        self.bar.save.clicked.connect(self.actions_.save)
        self.bar.menu.aboutToShow.connect(lambda: self.actions_.fill_menu(self.bar.menu))
        self.actions_.saved.connect(self.show_again)
        self.actions_.replaced.connect(lambda: self.refresh(anew=True))
        self.actions_.complained.connect(self.bar.say)
        self.bar.many.clicked.connect(self.show_many)
        self.bar.make.clicked.connect(lambda: self.actions_.make_record(self.bar.standard.currentText()))
        self.many.closed.connect(self._show_reading)
        self.many.record_chosen.connect(lambda path: self.read_ref(DataRef.file(path)))
        self.bar.everything.toggled.connect(self._show_everything)
        self.bar.add.clicked.connect(self.tree.add_another)
        self.bar.remove.clicked.connect(self.tree.remove_item)
        self.bar.fill.clicked.connect(self.fill_from_data)
        self.bar.fold.clicked.connect(self.text.fold_all)
        self.tree.written.connect(self._written)
        self.tree.added.connect(self._add)
        self.tree.removed.connect(lambda place: self._edit(lambda draft: draft.remove(place)))
        self.tree.complained.connect(self.bar.wrong.setText)
        self.views.view_wanted.connect(self.show_view)
        self.views.everything_wanted.connect(lambda: self.bar.everything.setChecked(True))
        self.views.place_reached.connect(self._mark_section)
        self.compare.other_chosen.connect(self._choose_other)
        self.compare.taken.connect(self._take)

    @property
    def shown(self) -> Shown | None:
        """Return what is read now; the actions speak of the same."""
        return self.actions_.shown

    @shown.setter
    def shown(self, shown: Shown | None) -> None:
        self.actions_.shown = shown

    @property
    def busy(self) -> bool:
        waiting = self._job is not None and not self._job.finished
        return waiting or self.brief.busy or self.many.busy or self.actions_.busy

    # Which record

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "file", "layers"):
            self._sent = None if what == "subject" else self._sent
            if self.isVisible():
                self.refresh()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def read_ref(self, ref: DataRef) -> None:
        """Read the record of a dataset that need not be open."""
        self._sent = ref
        self.whole.setCurrentIndex(READING)
        if self.isVisible():  # otherwise when it comes in sight
            self.refresh()

    def refresh(self, *, anew: bool = False) -> None:
        """Show what the page should speak of; what is being edited stays unless `anew` is set."""
        subject = self.session.work.subject
        ref = self._sent or (subject.ref.whole if subject else None)
        part = subject.part if subject and ref == subject.ref.whole and not self._sent else None
        if ref != self.ref:
            self.ref = ref
            self.dataset_changed.emit()
        if self.whole.currentIndex() != MANY:
            self._show_reading()
        if ref is None:
            self.shown = None
            self.show_again()
            return
        if self.shown is not None and self.shown.changed:
            self._edited[self.shown.ref] = self.shown
        if anew:
            self._edited.pop(ref, None)
        if ref in self._edited:
            edited = self._edited.pop(ref)
            if edited is not self.shown:
                self._show(edited)
            return

        def done(shown: Shown) -> None:
            if self.ref != ref:
                return
            if self.shown is not None and self.shown.ref == ref:
                shown.number = min(self.shown.number, max(0, len(shown.records) - 1))
            self._show(shown)

        def failed(error: BaseException) -> None:
            if self.ref == ref:
                self.shown = None
                self.show_again()
                self.bar.title.setText(ref.name)
                self.bar.say(str(error))

        if self._job:
            self._job.cancel()
        cache, idle = self.session.cache, not any(layer.ref.whole == ref for layer in self.session.work.layers)
        self._job = self.session.run(
            tr("Reading the record"),
            lambda job: read_shown(cache, ref, part, anew=idle),
            done,
            shown=False,
            failed=failed,
        )

    def _show(self, shown: Shown) -> None:
        from brisk_atlas.core.record import STANDARDS

        self.shown, self._other = shown, None
        self.bar.records.clear()
        self.bar.records.addItems([records.label for records in shown.records])
        self.bar.records.setCurrentIndex(shown.number)
        self.bar.records.setVisible(bool(shown.records))
        self.bar.standard.clear()
        self.bar.standard.addItems(list(STANDARDS))
        self._take_own_standard()
        self.compare.show_others([(i, k.label) for i, k in enumerate(shown.records)], None)
        self.show_again()

    def _take_own_standard(self) -> None:
        draft = self.shown.draft if self.shown else None
        if draft is not None:
            self.bar.standard.setCurrentText(draft.document.standard.name)

    def _record_chosen(self, number: int) -> None:
        if self.shown is not None:
            self.shown.number = number
            self._take_own_standard()
            self.show_again()

    @property
    def judged(self) -> Standard | None:
        """Return the standard that the record is read and checked under."""
        from brisk_atlas.core.record import STANDARDS

        return STANDARDS.get(self.bar.standard.currentText())

    # Showing

    def show_view(self, number: int) -> None:
        """Show the brief reading, the full one, the text, or two records side by side."""
        button = self.bar.views.button(number)
        assert button is not None
        button.setChecked(True)
        self.views.setCurrentIndex(number)
        self.show_again()

    @property
    def view(self) -> int:
        return self.views.currentIndex()

    def show_again(self) -> None:
        """Show everything as it is now."""
        from brisk_atlas.core.record import completeness

        shown, judged = self.shown, self.judged
        draft = shown.draft if shown else None
        if shown is None:
            self._show_nothing()
            return
        can_edit = bool(shown.one and shown.one.can_edit)
        self.bar.show_dataset(shown.ref.name)
        self.bar.say(self._facts_line(shown))
        self.bar.show_tools(
            self.view,
            has_record=draft is not None,
            can_edit=can_edit,
            is_data=shown.is_data,
            changed=bool(draft and draft.changed),
        )
        self._findings = findings_of(shown, judged) if draft and judged else []
        schema = self._schema.get(draft.document.data) if draft else None
        full = None
        if draft is not None and judged is not None:
            full = completeness(draft.record, judged)
            self._show_checks(draft.document, judged, schema, full)
        else:
            self.checks.show_findings([], "", tr("No record to check."), "", False)
        self._show_outline(draft.record if draft else None, full)
        self.views.show_record(shown, judged, self._findings, self._other)

    def _show_reading(self) -> None:
        """Show the record, or what to do where there is none to read."""
        self.whole.setCurrentIndex(READING if self.ref is not None else NOTHING)

    def _show_nothing(self) -> None:
        self.bar.show_nothing("")
        self.outline.clear()
        self.checks.show_findings([], "", "", "", False)
        self.views.show_nothing()

    def _facts_line(self, shown: Shown) -> str:
        lines = []
        draft = shown.draft
        if draft is None:
            lines.append(tr("No record beside the data; below is what is derived from the data"))
        else:
            lines += list(draft.document.notes)
            if draft.changed:
                lines.append(tr("edited, not saved"))
        lines += [f"{one.path.name}: {one.reason}" for one in shown.failed[:2]]
        return " · ".join(lines)

    def _show_checks(
        self, document: Document, judged: Standard, schema: list[Finding] | None, full: Completeness
    ) -> None:
        from brisk_atlas.core.record.checks import has_schema, leftovers, worst_first

        findings = worst_first([*(schema or []), *self._findings, *leftovers(document)])
        checkable = has_schema(document.standard) and judged.module == document.standard.module
        text = (
            ""
            if schema is None
            else tr("Valid by the schema.")
            if not schema
            else tr("The schema refuses {count}.", count=len(schema))
        )
        share = tr("{stated} of {asked} filled in", stated=full.stated, asked=full.asked)
        self.checks.show_findings(findings, judged.name, share, text, checkable)

    def _show_outline(self, record: Record | None, full: Completeness | None) -> None:
        from brisk_atlas.core.record.checks import section_of
        from brisk_atlas.core.record.elements import stated_places
        from brisk_atlas.core.record.model import SECTIONS

        counts: dict[str, int] = {}
        if record is not None:
            for place, _ in stated_places(record):
                section = section_of(str(place[0]))
                counts[section] = counts.get(section, 0) + 1
        self.outline.show_sections(SECTIONS if record is not None else (), full, self._findings, counts)

    def find_next(self) -> None:
        """Go to the next place with the typed words, in whichever view is on show."""
        words = self.bar.search.text()
        if words:
            found = self.views.find_next(words)
            self.bar.search.setToolTip("" if found else tr("'{words}' is not in it", words=words))
            if not found:
                self.bar.say(tr("'{words}' is not in what is shown", words=words))

    def _mark_section(self, place: Place) -> None:
        from brisk_atlas.core.record.checks import section_of

        if place:
            self.outline.mark(section_of(str(place[0])))

    def _show_everything(self, on: bool) -> None:
        self.tree.everything = on
        self.show_again()

    # Editing

    def _edit(self, change: Callable[[Any], object]) -> bool:
        """Change the draft and show it; what is wrong is shown."""
        draft = self.shown.draft if self.shown else None
        if draft is None:
            return False
        try:
            change(draft)
        except (ValueError, AtlasError) as error:
            self.bar.wrong.setText(str(error))
            return False
        self.bar.wrong.setText("")
        self.show_again()
        self.session.work_changed.emit("record")
        return True

    def _written(self, place: Place, text: str) -> None:
        self._edit(lambda draft: draft.write(place, text))

    def _add(self, place: Place) -> None:
        """Offer the empty rows of another item."""
        from brisk_atlas.core.record.elements import value_at

        draft = self.shown.draft if self.shown else None
        if draft is not None:
            self.tree.add_blank((*place, len(value_at(draft.record, place))))

    def fill_from_data(self) -> None:
        from brisk_atlas.core.curate.derived import filled

        shown = self.shown
        if shown is not None:
            self._edit(lambda draft: draft.put(filled(draft.record, shown.derived_record), tr("Fill from the data")))

    @property
    def undo_text(self) -> str:
        draft = self.shown.draft if self.shown else None
        return draft.undo_name if draft else ""

    @property
    def redo_text(self) -> str:
        draft = self.shown.draft if self.shown else None
        return draft.redo_name if draft else ""

    def undo(self) -> None:
        self._edit(lambda draft: draft.undo())

    def redo(self) -> None:
        self._edit(lambda draft: draft.redo())

    def _check_schema(self) -> None:
        draft = self.shown.draft if self.shown else None
        if draft is None:
            return
        document = draft.document

        def work(job: Job) -> list[Finding]:
            from brisk_atlas.core.record import check_schema

            return check_schema(document.data, document.standard, document.place_at)

        def done(found: list[Finding]) -> None:
            self._schema = {document.data: found}
            self.show_again()

        self._job = self.session.run(tr("Checking against the schema"), work, done)

    # Two records

    def _choose_other(self, number: int) -> None:
        if self.shown is None:
            return
        if number >= 0:
            self._other = self.shown.records[number].document
            self.show_again()
        elif number == -1:
            path, _ = QFileDialog.getOpenFileName(
                self, tr("Compare with which record?"), str(self.shown.ref.folder or Path.home())
            )
            if path:
                self.compare_with(Path(path))

    def compare_with(self, path: Path) -> None:
        """Read another record as B and show both side by side."""

        def done(document: Document) -> None:
            self._other = document
            self.compare.show_other_file(f"{document.path.name}, {document.standard.name}")
            self.show_view(BESIDE)

        def work(job: Job) -> Document:
            from brisk_atlas.core.record import read_document

            return read_document(path)

        self._job = self.session.run(tr("Reading {name}", name=path.name), work, done, shown=False)

    def _take(self, row: ElementComparison) -> None:
        from brisk_atlas.core.record import taken

        self._edit(lambda draft: draft.put(taken(draft.record, row), tr("Take {label} from B", label=row.label)))

    # Many

    def show_many(self) -> None:
        """Show the records of the dataset's folder as a table."""
        self.whole.setCurrentIndex(MANY)
        if self.many.folder is None and self.ref is not None and self.ref.folder is not None:
            self.many.show_folder(self.ref.path if self.ref.path.is_dir() else self.ref.folder)

    def show_folder(self, folder: Path) -> None:
        """Show the records of a folder as a table."""
        self.whole.setCurrentIndex(MANY)
        self.many.show_folder(folder)

    @property
    def unsaved(self) -> list[str]:
        """Return the datasets whose records were edited and not saved."""
        here = [self.shown.ref.name] if self.shown is not None and self.shown.changed else []
        return here + [path.name for path, shown in self._edited.items() if shown.changed]

    @property
    def can_save(self) -> bool:
        one, draft = (self.shown.one, self.shown.draft) if self.shown else (None, None)
        return bool(one and one.can_edit and draft and draft.changed)

    def forget_edits(self) -> None:
        """Discard what was edited and not saved."""
        self._edited.clear()
        self.shown = None

    def use_theme(self, theme: Theme) -> None:
        self.theme = self.actions_.theme = theme
        self.outline.theme = theme
        self.views.use_theme(theme)
        for view in (self.checks, self.many):
            view.repaint_theme(theme)
        if self.shown is not None:
            self.show_again()
