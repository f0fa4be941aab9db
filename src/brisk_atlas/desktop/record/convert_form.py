"""Saying a record in another standard: what is lost is read before anything is written."""

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

from brisk_atlas.core.model import AtlasError

from ..plain_text import PlainLabel

if TYPE_CHECKING:
    from brisk_atlas.core.record import Conversion, Document


class ConvertForm(QDialog):
    """Standard, report and target. `written` is the file that was made, None until then."""

    def __init__(self, document: Document, data: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        from brisk_atlas.core.record import STANDARDS

        self.setWindowTitle("Convert the record")
        self.resize(640, 480)
        self.document, self.data = document, data
        self.made: Conversion | None = None
        self.written: Path | None = None
        self.standard = QComboBox()
        self.standard.setObjectName("convert to")
        for name in STANDARDS:
            if name not in (document.standard.name, "INSPIRE"):
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
        choose.setToolTip("Choose a file")
        self.go = QPushButton("Write the record")
        self.go.setAutoDefault(False)
        self.go.setObjectName("main")
        where = QHBoxLayout()
        where.addWidget(self.target, 1)
        where.addWidget(choose)
        form = QFormLayout()
        form.addRow(f"From {document.standard.name} to", self.standard)
        form.addRow("File", where)
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

    def _convert(self) -> None:
        from brisk_atlas.core.record import STANDARDS, convert

        standard = STANDARDS[self.standard.currentText()]
        self.target.setText(str(self.data.with_name(self.data.name + standard.suffix)))
        self.made = convert(self.document, standard, Path(self.target.text()))
        lost, moved, missing = len(self.made.lost), len(self.made.moved), len(self.made.missing)
        self.message.setText(
            f"{lost} values have no place there, {moved} are said otherwise, {missing} are still missing."
        )
        self.report.clear()
        self.report.addItems([line[:1].upper() + line[1:] for line in self.made.lines()])

    def _choose(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Write the record to", self.target.text())
        if path:
            self.target.setText(path)

    def _write(self) -> None:
        from brisk_atlas.core.curate.saving import save

        assert self.made is not None
        path = Path(self.target.text())
        try:
            save(self.made.document, path)
        except AtlasError as error:
            self.message.setText(str(error))
            self.message.setObjectName("fault")
            self.message.setStyle(self.message.style())
            return
        self.written = path
        self.accept()
