"""Templates: saving part of a record as one, and putting one into many records after a look at what changes."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QRadioButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel, plain_tip
from ..session import Session
from ..theme import Theme

if TYPE_CHECKING:
    from brisk_atlas.core.operations import ApplyTemplate
    from brisk_atlas.core.operations.records import TemplateChanges
    from brisk_atlas.core.record import Document

ELEMENT = Qt.ItemDataRole.UserRole


class SaveTemplateForm(QDialog):
    """Which elements of a record go into a template, and its file."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        from brisk_atlas.core.record.elements import parts_of
        from brisk_atlas.core.record.model import Record
        from brisk_atlas.core.record.templates import says

        self.document = document
        self.setWindowTitle(tr("Save part of the record as a template"))
        self.resize(420, 460)
        self.elements = QListWidget()
        self.elements.setObjectName("template elements")
        for name in says(document.record):
            item = QListWidgetItem(parts_of(Record)[name].label)
            item.setData(ELEMENT, name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            usual = name in USUAL
            item.setCheckState(Qt.CheckState.Checked if usual else Qt.CheckState.Unchecked)
            self.elements.addItem(item)
        self.message = PlainLabel(
            tr("What is the same in every record of yours. What is derived from the data is never part of it.")
        )
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.save = QPushButton(tr("Save the template…"))
        self.save.setAutoDefault(False)
        self.save.setObjectName("main")
        column = QVBoxLayout(self)
        column.addWidget(self.message)
        column.addWidget(self.elements, 1)
        column.addWidget(self.save)
        self.save.clicked.connect(self._ask)

    def chosen(self) -> list[str]:
        found = []
        for i in range(self.elements.count()):
            item = self.elements.item(i)
            if item is not None and item.checkState() == Qt.CheckState.Checked:
                found.append(item.data(ELEMENT))
        return found

    def _ask(self) -> None:
        suffix = self.document.standard.suffix
        start = self.document.path.with_name(f"template{suffix}")
        path, _ = QFileDialog.getSaveFileName(self, tr("Save the template"), str(start))
        if path:
            self.save_to(Path(path))

    def save_to(self, path: Path) -> None:
        from brisk_atlas.core.curate.saving import save
        from brisk_atlas.core.record import written
        from brisk_atlas.core.record.templates import template_of

        made = written(self.document.standard, template_of(self.document.record, self.chosen()), path)
        try:
            save(made, path, over=True)
        except AtlasError as error:
            self.message.setText(str(error))
            return
        self.accept()


USUAL = ("contacts", "record_contacts", "constraints", "languages", "charset", "maintenance", "language",
         "record_charset", "distributors", "liability", "fees", "ordering", "level")  # fmt: skip


class ApplyTemplateForm(QDialog):
    """A template, fill or replace, what it would change in each record; then all of it, in one go."""

    def __init__(self, session: Session, paths: Sequence[Path], theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.paths, self.theme = session, tuple(paths), theme
        self.found: TemplateChanges | None = None
        self.saved = 0
        self._job: Job | None = None
        self.setWindowTitle(
            trn("Apply a template to {count} record", "Apply a template to {count} records", len(self.paths))
        )
        self.resize(860, 560)
        self.template = QLineEdit()
        self.template.setObjectName("template file")
        self.template.setPlaceholderText(tr("A record that says what all shall say"))
        choose = QPushButton(tr("Choose…"))
        choose.setAutoDefault(False)
        self.fill = QRadioButton(tr("Fill what is not stated"))
        self.fill.setObjectName("template fill")
        self.fill.setChecked(True)
        self.replace = QRadioButton(tr("Replace what is stated"))
        self.replace.setObjectName("template replace")
        self.changes = QTreeWidget()
        self.changes.setObjectName("template changes")
        self.changes.setHeaderLabels([tr("Record and element"), tr("Before"), tr("After")])
        header = self.changes.header()
        assert header is not None
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        header.setStretchLastSection(False)
        header.resizeSection(0, 260)
        self.message = PlainLabel(tr("Choose a template to see what it changes."))
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.go = QPushButton(tr("Save these changes"))
        self.go.setAutoDefault(False)
        self.go.setObjectName("main")
        self.go.setEnabled(False)
        first = QHBoxLayout()
        first.addWidget(PlainLabel(tr("Template")))
        first.addWidget(self.template, 1)
        first.addWidget(choose)
        second = QHBoxLayout()
        second.addWidget(self.fill)
        second.addWidget(self.replace)
        second.addStretch(1)
        last = QHBoxLayout()
        last.addWidget(self.message, 1)
        last.addWidget(self.go)
        column = QVBoxLayout(self)
        for layout in (first, second):
            column.addLayout(layout)
        column.addWidget(self.changes, 1)
        column.addLayout(last)
        choose.clicked.connect(self._choose)
        self.template.editingFinished.connect(self.plan)
        self.fill.toggled.connect(lambda on: self.plan())
        self.go.clicked.connect(self._save)

    @property
    def busy(self) -> bool:
        return self._job is not None and not self._job.finished

    def _choose(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Choose a template"), "", tr("Records (*.xml *.json *.jsonld *.ttl)")
        )
        if path:
            self.template.setText(path)
            self.plan()

    def _operation(self, *, write: bool) -> ApplyTemplate:
        from brisk_atlas.core.operations import ApplyTemplate

        template, digest = Path(self.template.text().strip()), self.found.digest if write and self.found else ""
        return ApplyTemplate(template, self.paths, replace=self.replace.isChecked(), write=write, digest=digest)

    def plan(self) -> None:
        """Work out what the template changes, in the background."""
        if not self.template.text().strip():
            return
        if self._job:
            self._job.cancel()
        self.go.setEnabled(False)
        self.message.setText(tr("Looking at what it changes…"))
        self._job = self.session.run_operation(
            tr("Looking at the template"),
            self._operation(write=False),
            self._planned,
            shown=False,
            lane=Lane.INTERACTIVE,
            failed=lambda error: self.message.setText(str(error)),
        )

    def _planned(self, found: TemplateChanges) -> None:
        from brisk_atlas.core.curate.batch import short

        self.found, plans = found, found.plans
        self.changes.clear()
        changing = [plan for plan in plans if not plan.error and (plan.changes or plan.is_new)]
        for plan in plans:
            state = plan.error or (tr("new record") if plan.is_new else "" if plan.changes else tr("nothing changes"))
            top = QTreeWidgetItem(self.changes, [plan.path.name, state, ""])
            top.setForeground(1, QColor(self.theme.fault if plan.error else self.theme.quiet))
            for change in plan.changes:
                row = QTreeWidgetItem(
                    top, [change.label, short(change.before) or tr("not stated"), short(change.after)]
                )
                row.setForeground(2, QColor(self.theme.accent))
                row.setToolTip(2, plain_tip(short(change.after)))
            top.setExpanded(bool(plan.changes))
        bad = sum(bool(plan.error) for plan in plans)
        text = tr("{count} of {count2} records change", count=len(changing), count2=len(plans))
        self.message.setText(
            text + (tr("; {bad} could not be read", bad=bad) if bad else "") + tr(". Nothing is written yet.")
        )
        self.go.setEnabled(bool(changing))

    def _save(self) -> None:
        def done(found: TemplateChanges) -> None:
            failed = [plan.error for plan in found.plans if plan.error]
            self.saved = sum(not plan.error and bool(plan.changes or plan.is_new) for plan in found.plans)
            if failed:
                self.message.setText(
                    tr("{saved} saved; not saved: {failed}", saved=self.saved, failed="; ".join(failed[:3]))
                )
            else:
                self.accept()

        self.go.setEnabled(False)
        self._job = self.session.run_operation(
            tr("Saving records"),
            self._operation(write=True),
            done,
            failed=lambda error: self.message.setText(str(error)),
        )
