"""Any XML as tables: element names to choose from, the tables as they come, opened in Sheet or exported."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Written
    from brisk_atlas.core.record.flattening import ElementKind, Flat

PREVIEW_ROWS = 50
NAME = Qt.ItemDataRole.UserRole


class FlattenForm(QDialog):
    """Left the element names with how often they stand there, right a look at the chosen tables.

    Signals:
        opened(list): the files that were made, to be opened in Sheet.
    """

    opened = pyqtSignal(list)

    def __init__(self, session: Session, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.path = session, path
        self._job: Job | None = None
        self.tables: list[Flat] = []
        self.setWindowTitle(tr("Flatten {name} into tables", name=path.name))
        self.resize(1000, 600)
        self.names = QListWidget()
        self.names.setObjectName("flatten names")
        self.names.setAccessibleName(tr("Element names"))
        self.which = QComboBox()
        self.which.setObjectName("flatten table")
        self.preview = QTableWidget()
        self.preview.setTabKeyNavigation(False)
        self.preview.setObjectName("flatten preview")
        self.preview.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.message = PlainLabel(tr("Choose element names; each becomes a table."))
        self.message.setObjectName("quiet")
        self.open_button = QPushButton(tr("Open in Sheet"))
        self.open_button.setAutoDefault(False)
        self.open_button.setObjectName("main")
        self.export = QPushButton(tr("Export as CSV…"))
        self.export.setAutoDefault(False)
        for button in (self.open_button, self.export):
            button.setEnabled(False)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        top = QHBoxLayout()
        top.addWidget(PlainLabel(tr("Table")))
        top.addWidget(self.which, 1)
        column.addLayout(top)
        column.addWidget(self.preview, 1)
        split = QSplitter()
        split.addWidget(self.names)
        split.addWidget(right)
        split.setSizes([280, 720])
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        row.addWidget(self.export)
        row.addWidget(self.open_button)
        whole = QVBoxLayout(self)
        whole.addWidget(split, 1)
        whole.addLayout(row)
        self.names.itemChanged.connect(lambda item: self._look())
        self.which.currentIndexChanged.connect(self._show)
        self.open_button.clicked.connect(self._open)
        self.export.clicked.connect(self._export)
        self._run(tr("Reading element names"), lambda job: _kinds(path), self._named)

    @property
    def busy(self) -> bool:
        return self._job is not None and not self._job.finished

    def _run(self, title: str, work: object, done: object) -> None:
        if self._job:
            self._job.cancel()
        self._job = self.session.run(title, work, done, shown=False, failed=lambda e: self.message.setText(str(e)))  # type: ignore[arg-type]

    def _named(self, kinds: list[ElementKind]) -> None:
        self.names.blockSignals(True)
        for kind in kinds:
            more = "" if kind.has_children else f"   = {kind.example}"
            item = QListWidgetItem(f"{kind.name}   {grouped(kind.count)}{more}")
            item.setData(NAME, kind.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.names.addItem(item)
        self.names.blockSignals(False)

    def chosen(self) -> list[str]:
        items = [item for i in range(self.names.count()) if (item := self.names.item(i)) is not None]
        return [item.data(NAME) for item in items if item.checkState() == Qt.CheckState.Checked]

    def _look(self) -> None:
        names, path = self.chosen(), self.path

        def work(job: Job) -> list[Flat]:
            from brisk_atlas.core.record.flattening import flatten

            return flatten(path, names, check=job.check) if names else []

        self._run(tr("Flattening"), work, self._flattened)

    def _flattened(self, tables: list[Flat]) -> None:
        before = self.which.currentText().partition("  ")[0]
        self.tables = tables
        self.which.blockSignals(True)
        self.which.clear()
        for flat in tables:
            self.which.addItem(
                tr(
                    "{name}  {count:,} rows, {count2} columns",
                    name=flat.name,
                    count=len(flat.rows),
                    count2=len(flat.columns),
                )
            )
        found = next((i for i, flat in enumerate(tables) if flat.name == before), 0)
        self.which.setCurrentIndex(found)
        self.which.blockSignals(False)
        rows = sum(len(flat.rows) for flat in tables)
        self.message.setText(
            trn("{count} table, {rows:,} rows", "{count} tables, {rows:,} rows", len(tables), rows=rows)
            if tables
            else tr("Choose element names; each becomes a table.")
        )
        for button in (self.open_button, self.export):
            button.setEnabled(bool(tables))
        self._show()

    def _show(self) -> None:
        index = self.which.currentIndex()
        flat = self.tables[index] if 0 <= index < len(self.tables) else None
        self.preview.clear()
        self.preview.setColumnCount(len(flat.columns) if flat else 0)
        self.preview.setRowCount(min(PREVIEW_ROWS, len(flat.rows)) if flat else 0)
        if flat is None:
            return
        self.preview.setHorizontalHeaderLabels(list(flat.columns))
        for r, row in enumerate(flat.rows[:PREVIEW_ROWS]):
            for c, value in enumerate(row):
                self.preview.setItem(r, c, QTableWidgetItem("" if value is None else str(value)))
        self.preview.resizeColumnsToContents()
        for c in range(self.preview.columnCount()):
            self.preview.setColumnWidth(c, min(260, self.preview.columnWidth(c)))

    def write_to(self, folder: Path, done: Callable[[Written], None]) -> None:
        """Write the chosen tables into a folder in the background, then call `done`."""
        from brisk_atlas.core.operations import FlattenXml

        self._job = self.session.run_operation(
            tr("Writing the tables of {name}", name=self.path.name),
            FlattenXml(self.path, tuple(self.chosen()), folder),
            done,
            failed=lambda error: self.message.setText(str(error)),
        )

    def _open(self) -> None:
        from brisk_atlas.core.handover.grid import derived_folder

        def done(found: Written) -> None:
            self.opened.emit(list(found.paths))
            self.accept()

        self.write_to(derived_folder(), done)

    def _export(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Write the tables into"), str(self.path.parent))
        if folder:
            self.write_to(
                Path(folder),
                lambda found: self.message.setText(
                    tr("Written: {listed}", listed=", ".join(path.name for path in found.paths))
                ),
            )


def _kinds(path: Path) -> list[ElementKind]:
    from brisk_atlas.core.record.flattening import kinds_in

    return kinds_in(path)
