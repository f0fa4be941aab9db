"""Converting a record to another standard: what is lost is read before anything is written."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.operations import ConvertRecord
    from brisk_atlas.core.operations.records import RecordConversion


class ConvertForm(QDialog):
    """Standard, report and target. `written` is the file that was made, None until then.

    `record` and `which` name the record as `ConvertRecord` does; `data` is what it speaks of, which names the new file.
    """

    def __init__(
        self, session: Session, record: Path, which: str, standard: str, data: Path, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        from brisk_atlas.core.record import STANDARDS

        self.setWindowTitle(tr("Convert the record"))
        self.resize(640, 480)
        self.session, self.record, self.which, self.data = session, record, which, data
        self._job: Job | None = None
        self.written: Path | None = None
        self.standard = QComboBox()
        self.standard.setObjectName("convert to")
        for name in STANDARDS:
            if name not in (standard, "INSPIRE"):
                self.standard.addItem(name)
        self.report = QListWidget()
        self.report.setObjectName("convert report")
        self.report.setWordWrap(True)
        self.message = PlainLabel("")
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.target = QLineEdit()
        self.target.setObjectName("convert target")
        choose = QPushButton("…")
        choose.setAutoDefault(False)
        choose.setToolTip(tr("Choose a file"))
        self.go = QPushButton(tr("Write the record"))
        self.go.setAutoDefault(False)
        self.go.setObjectName("main")
        where = QHBoxLayout()
        where.addWidget(self.target, 1)
        where.addWidget(choose)
        form = QFormLayout()
        form.addRow(tr("From {standard} to", standard=standard), self.standard)
        form.addRow(tr("File"), where)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.message)
        column.addWidget(self.report, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.go)
        column.addLayout(row)
        self.standard.currentTextChanged.connect(lambda name: self._convert())
        choose.clicked.connect(self._choose)
        self.go.clicked.connect(self._write)
        self._convert()

    @property
    def busy(self) -> bool:
        return self._job is not None and not self._job.finished

    def _operation(self, *, only_report: bool = False) -> ConvertRecord:
        from brisk_atlas.core.operations import ConvertRecord

        to, target = self.standard.currentText(), Path(self.target.text())
        return ConvertRecord(self.record, to, target, which=self.which, only_report=only_report)

    def _convert(self) -> None:
        """Show what would become of the record, in the background."""
        from brisk_atlas.core.record import STANDARDS

        standard = STANDARDS[self.standard.currentText()]
        self.target.setText(str(self.data.with_name(self.data.name + standard.suffix)))
        self.report.clear()
        self.message.setText(tr("Converting…"))
        self.go.setEnabled(False)
        if self._job:
            self._job.cancel()
        self._job = self.session.run_operation(
            tr("Converting the record"),
            self._operation(only_report=True),
            self._show_report,
            shown=False,
            lane=Lane.INTERACTIVE,
            failed=self._show_failure,
        )

    def _show_report(self, found: RecordConversion) -> None:
        made = found.conversion
        self.message.setText(
            tr(
                "{count} values have no place there, {count2} are in another element or form, {count3} are "
                "still missing.",
                count=len(made.lost),
                count2=len(made.moved),
                count3=len(made.missing),
            )
        )
        self.report.addItems([line[:1].upper() + line[1:] for line in made.lines()])
        self.go.setEnabled(True)

    def _show_failure(self, error: BaseException) -> None:
        self.message.setText(str(error))
        self.message.setObjectName("fault")
        self.message.setStyle(self.message.style())
        self.go.setEnabled(True)

    def _choose(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, tr("Write the record to"), self.target.text())
        if path:
            self.target.setText(path)

    def _write(self) -> None:
        operation = self._operation()

        def done(found: RecordConversion) -> None:
            self.written = found.path
            self.accept()

        self.go.setEnabled(False)
        self._job = self.session.run_operation(
            tr("Writing {text}", text=self.target.text()), operation, done, failed=self._show_failure
        )
