"""The Record page: one record read, checked and mended, or many as a table."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, DataKind, DataRef
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..record.actions import RecordActions
from ..record.bar import BESIDE, BRIEF, FULL, TEXT, RecordBar
from ..record.brief_view import BriefView
from ..record.checks_list import ChecksList
from ..record.compare_view import CompareView
from ..record.full_tree import FullTree
from ..record.many_view import ManyView
from ..record.outline import Outline
from ..record.shown import Shown, derived_in, findings_of
from ..record.xml_view import RecordText
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.record import Document, Finding, Record, Standard
    from brisk_atlas.core.record.checks import Completeness
    from brisk_atlas.core.record.comparing import ElementComparison
    from brisk_atlas.core.record.elements import Place

EMPTY = "Open a layer, or choose a dataset on Find, to read its record."
BRIEF_SECTIONS = {  # section of the model: its heading in the short reading
    "Who": "Who and when",
    "When": "Who and when",
    "Fields and values": "Fields",
}


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
        self._place: Place = ()  # where the hand was in the text, to show in the full reading
        self._edited: dict[DataRef, Shown] = {}  # what was edited and left unsaved, by dataset
        self.bar = RecordBar()
        self.actions_ = RecordActions(session, self)
        self.outline = Outline()
        self.brief = BriefView(session)
        self.reading = self.brief.reading
        self.tree = FullTree()
        self.text = RecordText()
        self.compare = CompareView()
        self.checks = ChecksList()
        self.many = ManyView(session)
        self._lay_out()
        self._connect()

    # Building

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 10, 4, 10)
        heading = PlainLabel("Sections")
        heading.setObjectName("heading")
        column.addWidget(heading)
        column.addWidget(self.outline, 1)
        self.stack = QStackedWidget()
        for widget in (self.brief, self.tree, self.text, self.compare):
            self.stack.addWidget(widget)
        middle = QWidget()
        rows = QVBoxLayout(middle)
        rows.setContentsMargins(8, 10, 8, 8)
        rows.addWidget(self.bar)
        rows.addWidget(self.stack, 1)
        self.split = QSplitter()
        self.split.addWidget(left)
        self.split.addWidget(middle)
        self.split.addWidget(self.checks)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([190, 820, 270])
        self.whole = QStackedWidget()
        self.whole.addWidget(self.split)
        self.whole.addWidget(self.many)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.whole)

    def _connect(self) -> None:
        self.session.work_changed.connect(self._work_changed)
        self.outline.section_chosen.connect(self.go_to_section)
        self.checks.chosen.connect(self.go_to_finding)
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
        self.many.closed.connect(lambda: self.whole.setCurrentIndex(0))
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
        self.tree.place_chosen.connect(self._mark_section)
        self.text.line_chosen.connect(self._line_chosen)
        self.brief.place_chosen.connect(self._brief_chosen)
        self.compare.other_chosen.connect(self._choose_other)
        self.compare.taken.connect(self._take)
        self.compare.place_chosen.connect(self._mark_section)

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
        self.whole.setCurrentIndex(0)
        if self.isVisible():  # otherwise when it comes in sight
            self.refresh()

    def refresh(self, *, anew: bool = False) -> None:
        """Show what the page should speak of; what is being edited stays unless `anew` is said."""
        subject = self.session.work.subject
        ref = self._sent or (subject.ref.whole if subject else None)
        part = subject.part if subject and ref == subject.ref.whole and not self._sent else None
        if ref != self.ref:
            self.ref = ref
            self.dataset_changed.emit()
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
                shown.number = min(self.shown.number, max(0, len(shown.kept) - 1))
            self._show(shown)

        def failed(error: BaseException) -> None:
            if self.ref == ref:
                self.shown = None
                self.show_again()
                self.bar.title.setText(ref.name)
                self.bar.say(str(error))

        if self._job:
            self._job.cancel()
        self._job = self.session.run(
            "Reading the record", lambda job: self._read(ref, part), done, shown=False, failed=failed
        )

    def _read(self, ref: DataRef, part: str | None) -> Shown:
        """Read all of a dataset's records and what its data tells. Runs in the background."""
        from brisk_atlas.core.curate.data_sections import derived_sections
        from brisk_atlas.core.curate.derived import derived_record
        from brisk_atlas.core.read.find_records import find_records
        from brisk_atlas.core.record import Record

        if self._is_idle(ref):
            self.session.cache.forget(ref)
        dataset = self.session.cache.dataset(ref)
        kept, failed = find_records(dataset)
        is_data = dataset.kind is not DataKind.RECORD
        found = derived_record(dataset, part) if is_data else Record()
        return Shown(ref, kept, failed, found, derived_sections(dataset, part), is_data)

    def _is_idle(self, ref: DataRef) -> bool:
        return not any(layer.ref.whole == ref for layer in self.session.work.layers)

    def _show(self, shown: Shown) -> None:
        from brisk_atlas.core.record import STANDARDS

        self.shown, self._other = shown, None
        self.bar.records.clear()
        self.bar.records.addItems([kept.label for kept in shown.kept])
        self.bar.records.setCurrentIndex(shown.number)
        self.bar.records.setVisible(bool(shown.kept))
        self.bar.standard.clear()
        self.bar.standard.addItems(list(STANDARDS))
        self._take_own_standard()
        self.compare.show_others([(i, k.label) for i, k in enumerate(shown.kept)], None)
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
        self.stack.setCurrentIndex(number)
        self.show_again()

    @property
    def view(self) -> int:
        return self.stack.currentIndex()

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
            self.checks.show_findings([], "", "No record to check.", "", False)
        self._show_outline(draft.record if draft else None, full)
        self._show_middle(shown, judged)

    def _show_nothing(self) -> None:
        self.bar.show_nothing(EMPTY)
        self.outline.clear()
        self.checks.show_findings([], "", "", "", False)
        self.brief.show_record(None, [], None)
        self.tree.clear()
        self.text.show_text("", ".xml")
        self.compare.show_records(None, None, "", "", False)

    def _facts_line(self, shown: Shown) -> str:
        lines = []
        draft = shown.draft
        if draft is None:
            lines.append("No record beside the data; below is what the data itself tells")
        else:
            lines += list(draft.document.notes)
            if draft.changed:
                lines.append("edited, not saved")
        lines += [f"{one.path.name}: {one.reason}" for one in shown.failed[:2]]
        return " · ".join(lines)

    def _show_checks(
        self, document: Document, judged: Standard, schema: list[Finding] | None, full: Completeness
    ) -> None:
        from brisk_atlas.core.record.checks import has_schema, leftovers, worst_first

        findings = worst_first([*(schema or []), *self._findings, *leftovers(document)])
        checkable = has_schema(document.standard) and judged.module == document.standard.module
        text = "" if schema is None else "Valid by the schema." if not schema else f"The schema refuses {len(schema)}."
        share = f"{full.stated} of {full.asked} filled in"
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

    def _show_middle(self, shown: Shown, judged: Standard | None) -> None:
        """Fill the view in sight; the others when they come in sight."""
        draft = shown.draft
        if self.view == BRIEF:
            data = shown.ref if shown.is_data else None
            self.brief.show_record(draft.record if draft else None, shown.derived, data)
        elif self.view == FULL and draft is not None and judged is not None:
            self.tree.show_document(
                draft.document, judged, self._findings, derived_in(shown), bool(shown.one and shown.one.can_edit)
            )
            if self._place:
                self.tree.go_to(self._place)
                self._place = ()
        elif self.view == FULL:
            self.tree.clear()
        elif self.view == TEXT:
            self.text.show_text(draft.document.text if draft else "", draft.document.path.suffix if draft else ".xml")
        elif self.view == BESIDE:
            other = self._other
            name = draft.document.path.name if draft else ""
            self.compare.show_records(
                draft.record if draft else None,
                other.record if other else None,
                name,
                other.path.name if other else "",
                bool(shown.one and shown.one.can_edit),
            )

    # Going to places

    def go_to_section(self, name: str) -> None:
        if self.view == FULL:
            self.tree.go_to_section(name)
        elif self.view == TEXT:
            self._go_to_text_of(name)
        else:
            self.reading.go_to_section(BRIEF_SECTIONS.get(name, name))

    def _go_to_text_of(self, section: str) -> None:
        """Show the first line that says something of a section."""
        from brisk_atlas.core.record.checks import section_of

        draft = self.shown.draft if self.shown else None
        if draft is None:
            return
        lines = [line for place, line in draft.document.lines.items() if line and section_of(str(place[0])) == section]
        if lines:
            self.text.go_to(min(lines))

    def go_to_finding(self, finding: Finding) -> None:
        """Go to the field that a finding speaks of, or to its line where it is no field."""
        if finding.place:
            self.go_to_place(finding.place)
        elif finding.line:
            self.show_view(TEXT)
            self.text.go_to(finding.line)

    def go_to_place(self, place: Place) -> None:
        """Show where a place stands, ready to be typed into; in the text where that is on show."""
        draft = self.shown.draft if self.shown else None
        if self.view == TEXT and draft is not None:
            line = draft.document.line_of(place)
            if line:
                self.text.go_to(line)
                self._mark_section(place)
                return
        if self.view != FULL:
            self.show_view(FULL)
        if not self.tree.go_to(place):
            self.bar.everything.setChecked(True)
            self.tree.go_to(place)
        self.tree.setFocus()
        self._mark_section(place)

    def _mark_section(self, place: Place) -> None:
        from brisk_atlas.core.record.checks import section_of

        if place:
            self.outline.mark(section_of(str(place[0])))

    def _line_chosen(self, line: int) -> None:
        """Follow the hand in the text: mark its section, and its row for when the full reading comes."""
        draft = self.shown.draft if self.shown else None
        place = draft.document.place_at(line) if draft else None
        if place:
            self._mark_section(place)
            self._place = place

    def _brief_chosen(self, place: Place) -> None:
        if self.shown is not None and self.shown.draft is not None:
            self.show_view(FULL)
            self.go_to_place(place)

    def find_next(self) -> None:
        """Go to the next place with the typed words, in whichever view is on show."""
        words = self.bar.search.text()
        if not words:
            return
        views = (self.brief, self.tree, self.text, self.compare)
        found = views[self.view].find_next(words)
        self.bar.search.setToolTip("" if found else f"'{words}' is not in it")
        if not found:
            self.bar.say(f"'{words}' is not in what is shown")

    def _show_everything(self, on: bool) -> None:
        self.tree.everything = on
        self.show_again()

    # Editing

    def _edit(self, change: Callable[[Any], object]) -> bool:
        """Change the draft and show it; what is wrong is said."""
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
            self._edit(lambda draft: draft.put(filled(draft.record, shown.derived_record), "Fill from the data"))

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

        self._job = self.session.run("Checking against the schema", work, done)

    # Two records

    def _choose_other(self, number: int) -> None:
        if self.shown is None:
            return
        if number >= 0:
            self._other = self.shown.kept[number].document
            self.show_again()
        elif number == -1:
            path, _ = QFileDialog.getOpenFileName(
                self, "Compare with which record?", str(self.shown.ref.folder or Path.home())
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

        self._job = self.session.run(f"Reading {path.name}", work, done, shown=False)

    def _take(self, row: ElementComparison) -> None:
        from brisk_atlas.core.record import taken

        self._edit(lambda draft: draft.put(taken(draft.record, row), f"Take {row.label} from B"))

    # Many

    def show_many(self) -> None:
        """Show the records of the dataset's folder as a table."""
        self.whole.setCurrentIndex(1)
        if self.many.folder is None and self.ref is not None and self.ref.folder is not None:
            self.many.show_folder(self.ref.path if self.ref.path.is_dir() else self.ref.folder)

    def show_folder(self, folder: Path) -> None:
        """Show the records of a folder as a table."""
        self.whole.setCurrentIndex(1)
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
        """Let go of what was edited and not saved."""
        self._edited.clear()
        self.shown = None

    def use_theme(self, theme: Theme) -> None:
        self.theme = self.actions_.theme = theme
        self.outline.theme = self.tree.theme = theme
        for view in (self.brief, self.text, self.checks, self.compare, self.many):
            view.repaint_theme(theme)
        if self.shown is not None:
            self.show_again()
