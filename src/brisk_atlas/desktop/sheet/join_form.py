"""Joining another table by equal keys, with what does not match reported before it is done."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError, DataRef, Facts, Join, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..session import Session


class JoinForm(QDialog):
    """Asks for the other table and the two keys.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
    """

    look_changed = pyqtSignal(str, object)

    def __init__(self, session: Session, layer: Layer, columns: list[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Join a table"))
        self.resize(460, 340)
        self.session, self.layer = session, layer
        self.other = QComboBox()
        self.other.setObjectName("other table")
        self.file = QPushButton(tr("Another file…"))
        self.file.clicked.connect(self._choose_file)
        self.key, self.other_key = QComboBox(), QComboBox()
        self.key.setObjectName("key")
        self.other_key.setObjectName("other key")
        self.key.addItems(columns)
        self.name = QLineEdit()
        self.name.setObjectName("join name")
        self.many = QCheckBox(tr("several rows to a key: relate the tables, and draw them for the picked row"))
        self.many.setObjectName("many")
        self.report = PlainLabel("")
        self.report.setObjectName("join report")
        self.report.setWordWrap(True)
        self.use = QPushButton(tr("Join"))
        self.use.setObjectName("main")
        self.use.clicked.connect(self._take)
        row = QHBoxLayout()
        row.addWidget(self.other, 1)
        row.addWidget(self.file)
        form = QFormLayout()
        form.addRow(tr("table"), row)
        form.addRow(tr("key in {name}", name=layer.name), self.key)
        form.addRow(tr("key in the table"), self.other_key)
        form.addRow(tr("name"), self.name)
        form.addRow("", self.many)
        cancel = QPushButton(tr("Cancel"))
        cancel.clicked.connect(self.reject)
        end = QHBoxLayout()
        end.addStretch(1)
        end.addWidget(cancel)
        end.addWidget(self.use)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.report, 1)
        column.addLayout(end)
        self._job: Job | None = None
        self._asked = False
        self._fill()
        self.other.currentIndexChanged.connect(self._table_chosen)
        for box in (self.key, self.other_key):
            box.currentIndexChanged.connect(self._try)
        self.many.clicked.connect(lambda: setattr(self, "_asked", True))
        self._table_chosen()

    def _fill(self) -> None:
        """Offer the open tables and layers, then other tables in their files."""
        seen = {self.layer.ref}
        for layer in self.session.work.layers:
            if layer.kind.has_rows and layer.ref not in seen:
                seen.add(layer.ref)
                self.other.addItem(layer.name, layer.ref)
        for place in dict.fromkeys(layer.ref.whole for layer in self.session.work.layers):
            self._offer(place, seen)

    def _offer(self, place: DataRef, seen: set) -> None:
        dataset = self.session.cache.peek(place)
        for part in dataset.parts if dataset else ():
            source = place.with_part(part.facts.name)
            if part.facts.kind.has_rows and source not in seen:
                seen.add(source)
                self.other.addItem(tr("{name}, in {place_name}", name=part.facts.name, place_name=place.name), source)

    def _choose_file(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, tr("A table to join"), str(self.layer.ref.folder or Path.home()))
        if chosen:
            self.add_file(Path(chosen))

    def add_file(self, path: Path) -> None:
        """Offer the tables of a file, and choose the first."""
        ref = DataRef.file(path)

        def done(nothing: object) -> None:
            before = self.other.count()
            self._offer(ref, {self.other.itemData(i) for i in range(before)} | {self.layer.ref})
            if self.other.count() > before:
                self.other.setCurrentIndex(before)
            else:
                self.report.setText(tr("{name} has no table that is not listed.", name=path.name))

        self.session.run(
            tr("Looking at {name}", name=path.name),
            lambda job: self.session.cache.dataset(ref),
            done,
            failed=self._fail,
        )

    def _facts(self) -> Facts | None:
        source = self.other.currentData()
        dataset = self.session.cache.peek(source) if source else None
        return dataset.part(source.part).facts if dataset else None

    def _table_chosen(self) -> None:
        facts = self._facts()
        self.other_key.blockSignals(True)
        self.other_key.clear()
        self.use.setEnabled(facts is not None)
        if facts is not None:
            names = [f.name for f in facts.fields]
            self.other_key.addItems(names)
            self.name.setText("".join(c if c.isalnum() else "_" for c in facts.name))
            own = [self.key.itemText(i).lower() for i in range(self.key.count())]
            both = next((n for n in names if n.lower() in own), None)
            if both is not None:
                self.other_key.setCurrentText(both)
                self.key.setCurrentIndex(own.index(both.lower()))
        self.other_key.blockSignals(False)
        self._asked = False
        self._try()

    def _try(self) -> None:
        """Work out in the background what would match."""
        source, key, other_key = self.other.currentData(), self.key.currentText(), self.other_key.currentText()
        if not source or not key or not other_key:
            self.report.setText(tr("There is no other table to join. Open one, or choose a file."))
            return
        if self._job is not None:
            self._job.cancel()
        self.report.setText(tr("comparing the keys…"))

        def work(job: Job) -> object:
            from brisk_atlas.core.table import rows_of
            from brisk_atlas.core.table.joining import report

            own = rows_of(self.session.cache, self.layer, job.check)
            return report(own.column(key), self.session.cache.table(source).column(other_key))

        self._job = self.session.run(tr("Comparing keys"), work, self._tell, shown=False, failed=self._fail)

    def _tell(self, found: object) -> None:
        from brisk_atlas.core.table.joining import JoinReport

        assert isinstance(found, JoinReport)
        lines = list(found.words)
        if not self._asked:
            self.many.setChecked(found.repeated_other > 0)
        if found.repeated_other and not self.many.isChecked():
            lines.append(tr("Of several rows with one key, the first is joined."))
        self.report.setText("\n".join(lines))

    def _fail(self, error: BaseException) -> None:
        self.report.setText(str(error) if isinstance(error, AtlasError) else f"{type(error).__name__}: {error}")

    def _take(self) -> None:
        other: DataRef = self.other.currentData()
        name = self.name.text().strip() or other.part or ""
        others = [j for j in self.layer.rows.joins if j.name != name]
        join = Join(name, other, self.key.currentText(), self.other_key.currentText(), self.many.isChecked())
        self.look_changed.emit(f"join {name}", replace(self.layer.rows, joins=(*others, join)))
        self.accept()
