"""What can be done with a record beyond reading and editing it: saving, converting, templates, handing on, linking."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QDialog, QFileDialog, QMenu, QWidget

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session
from ..theme import LIGHT, Theme
from .shown import Shown

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Written


class RecordActions(QObject):
    """Speaks of `shown`; `form` is the dialog that was opened last, `job` the last work.

    Signals:
        saved(): what is shown was saved as it stands.
        replaced(): other records stand there now, to be read anew.
        complained(str): why something can't be done now.
    """

    saved = pyqtSignal()
    replaced = pyqtSignal()
    complained = pyqtSignal(str)

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self.session, self.window = session, window
        self.theme: Theme = LIGHT
        self.shown: Shown | None = None
        self.form: QDialog | None = None
        self.job: Job | None = None

    @property
    def busy(self) -> bool:
        return self.job is not None and not self.job.finished

    def save(self) -> bool:
        """Save the record where it is stored; returns whether it was saved."""
        from brisk_atlas.core.curate.saving import save, save_inside

        shown = self.shown
        draft, one = (shown.draft, shown.one) if shown else (None, None)
        if shown is None or draft is None or one is None or not one.can_edit:
            return False
        try:
            if one.row is not None:
                save_inside(draft.document, shown.ref.path, one.row)
            else:
                save(draft.document, draft.document.path, was=draft.saved_data)
        except AtlasError as error:
            self.session.fault(error)
            return False
        draft.mark_saved()
        self._after_saving(tr("Saved: {partition}", partition=one.label.partition(",")[0]))
        return True

    def _after_saving(self, words: str) -> None:
        if self.shown is not None:
            self.session.cache.forget(self.shown.ref)
        self.saved.emit()
        self.session.noticed.emit("good", words, "")
        self.session.work_changed.emit("record")

    def make_record(self, standard_name: str) -> None:
        """Make a record beside the data, filled from them; a person writes the rest."""
        from brisk_atlas.core.operations import FillRecord

        shown = self.shown
        if shown is None:
            return
        if not shown.ref.is_local:
            self.session.fault(
                AtlasError(shown.ref, tr("nothing can be stored beside it"), tr("Export the data first."))
            )
            return

        def done(found: Written) -> None:
            self.session.noticed.emit("good", tr("Made: {name}", name=found.paths[0].name), "")
            self.session.cache.forget(shown.ref)
            self.replaced.emit()

        self.job = self.session.run_operation(
            tr("Making a record of {name}", name=shown.ref.name),
            FillRecord(shown.ref.path, standard_name, new=True),
            done,
        )

    def fill_menu(self, menu: QMenu) -> None:
        from brisk_atlas.core.record import STANDARDS

        shown = self.shown
        menu.clear()
        if shown is None:
            return
        draft = shown.draft
        if shown.is_data and shown.ref.is_local:
            new = menu.addMenu(tr("New record beside the data"))
            assert new is not None
            for name in STANDARDS:
                new.addAction(name, lambda name=name: self.make_record(name))
        if draft is not None:
            menu.addAction(tr("Save as…"), self._save_as)
            if shown.ref.suffix == ".gpkg" and shown.ref.is_local and shown.one is not None and shown.one.row is None:
                menu.addAction(tr("Save inside the GeoPackage"), self.save_inside_package)
            menu.addSeparator()
            menu.addAction(tr("Convert to another standard…"), self.convert)
            menu.addAction(tr("Apply template…"), self.apply_template)
            menu.addAction(tr("Save part as a template…"), self.save_template)
            menu.addSeparator()
            menu.addAction(tr("Page to hand on (HTML)…"), self._ask_page)
            if draft.document.standard.family == "xml" and not draft.document.read_only:
                menu.addAction(tr("Flatten its XML into tables…"), lambda: self.flatten(draft.document.path))
        menu.addAction(tr("Flatten any XML into tables…"), self.ask_flatten)
        if shown.is_data and shown.ref.is_local:
            menu.addSeparator()
            menu.addAction(tr("Link a record that is elsewhere…"), self._ask_link)
            if any(records.where == "linked" for records in shown.records):
                menu.addAction(tr("Forget the linked record"), lambda: self.link(None))

    def _save_as(self) -> None:
        draft = self.shown.draft if self.shown else None
        if draft is not None:
            path, _ = QFileDialog.getSaveFileName(self.window, tr("Save the record as"), str(draft.document.path))
            if path:
                self.save_as(Path(path))

    def save_as(self, path: Path) -> None:
        """Write the record to a file; one that holds something else, another standard's record too, stays."""
        from brisk_atlas.core.curate.saving import save

        draft = self.shown.draft if self.shown else None
        assert draft is not None
        try:
            save(draft.document, path)
        except AtlasError as error:
            self.session.fault(error)
            return
        self.session.noticed.emit("good", tr("Saved: {name}", name=path.name), "")
        self.session.cache.forget(self.shown.ref) if self.shown else None
        self.replaced.emit()

    def save_inside_package(self) -> None:
        """Put the record into the GeoPackage's own metadata tables."""
        from brisk_atlas.core.curate.saving import save_inside

        shown = self.shown
        if shown is None or shown.draft is None:
            return
        try:
            save_inside(shown.draft.document, shown.ref.path)
        except AtlasError as error:
            self.session.fault(error)
            return
        self.session.noticed.emit("good", tr("Saved inside {name}", name=shown.ref.name), "")
        self.session.cache.forget(shown.ref)
        self.replaced.emit()

    def _is_saved(self, why: str) -> bool:
        """Return whether the record has no unsaved edits, and complain where it has."""
        draft = self.shown.draft if self.shown else None
        if draft is not None and draft.changed:
            self.complained.emit(tr("Save or undo the edits first; {why}.", why=why))
            return False
        return True

    def _named(self, shown: Shown) -> tuple[Path, str]:
        """Return the record as operations name it: a file, or a dataset and the label of a record in it."""
        from brisk_atlas.core.read.find_records import INSIDE

        assert shown.draft is not None and shown.one is not None
        if shown.one.where == INSIDE:
            return shown.ref.path, shown.one.label
        return shown.draft.document.path, ""

    def convert(self) -> None:
        from .convert_form import ConvertForm

        shown = self.shown
        if shown is None or shown.draft is None or not self._is_saved(tr("what is saved is converted")):
            return
        record, which = self._named(shown)
        standard, data = shown.draft.document.standard.name, shown.ref.beside(shown.ref.name)
        form = ConvertForm(self.session, record, which, standard, data, self.window)
        form.accepted.connect(self.replaced)
        self.form = form
        form.open()

    def apply_template(self) -> None:
        from .template_form import ApplyTemplateForm

        shown = self.shown
        if shown is None or shown.draft is None or not self._is_saved(tr("a template goes into what is saved")):
            return
        form = ApplyTemplateForm(self.session, [shown.draft.document.path], self.theme, self.window)
        form.accepted.connect(self.replaced)
        self.form = form
        form.open()

    def save_template(self) -> None:
        from .template_form import SaveTemplateForm

        draft = self.shown.draft if self.shown else None
        if draft is not None:
            self.form = form = SaveTemplateForm(draft.document, self.window)
            form.open()

    def ask_flatten(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window,
            tr("Flatten which XML?"),
            str(self.shown.ref.folder if self.shown else ""),
            tr("XML (*.xml *.gml *.kml *.rdf);;All (*)"),
        )
        if path:
            self.flatten(Path(path))

    def flatten(self, path: Path) -> None:
        from .flatten_form import FlattenForm

        form = FlattenForm(self.session, path, self.window)
        form.opened.connect(self.session.open_files)
        self.form = form
        form.open()

    def _ask_page(self) -> None:
        if self.shown is None:
            return
        start = str(self.shown.ref.beside(self.shown.ref.name + ".html"))
        path, _ = QFileDialog.getSaveFileName(self.window, tr("Write the page"), start, tr("HTML (*.html)"))
        if path:
            self.write_page(Path(path))

    def write_page(self, path: Path) -> None:
        """Write the record as a page that needs nothing else, with a picture of the data."""
        from brisk_atlas.core.operations import WriteRecordPage

        shown = self.shown
        if shown is None or shown.draft is None or not self._is_saved(tr("what is saved is handed on")):
            return
        record, which = self._named(shown)
        data = shown.ref.path if shown.is_data and shown.ref.is_local else None
        self.job = self.session.run_operation(
            tr("Writing {name}", name=path.name),
            WriteRecordPage(record, path, which, data),
            lambda found: self.session.noticed.emit("good", tr("Written: {name}", name=path.name), ""),
        )

    def _ask_link(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window, tr("Which record speaks of this dataset?"), str(self.shown.ref.folder if self.shown else "")
        )
        if path:
            self.link(Path(path))

    def link(self, record: Path | None) -> None:
        """Remember that a record elsewhere speaks of this dataset, or forget it."""
        from brisk_atlas.core.curate.saving import link

        if self.shown is None:
            return
        try:
            link(self.shown.ref.path, record)
        except AtlasError as error:
            self.session.fault(error)
            return
        self.session.cache.forget(self.shown.ref)
        self.replaced.emit()
