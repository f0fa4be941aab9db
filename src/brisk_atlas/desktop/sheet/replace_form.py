"""Find and replace in one field, on the working copy."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError, Edit, Layer
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.table.engine import Sheet


class ReplaceForm(QDialog):
    """Replaces among the rows that show.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
    """

    look_changed = pyqtSignal(str, object)

    def __init__(
        self, session: Session, layer: Layer, sheet: Sheet, fields: list[str], field: str, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Find and replace"))
        self.session, self.layer, self.sheet = session, layer, sheet
        self.field = QComboBox()
        self.field.setObjectName("replace in")
        self.field.addItems(fields)
        self.field.setCurrentText(field)
        self.old, self.new = QLineEdit(), QLineEdit()
        self.old.setObjectName("find")
        self.new.setObjectName("replace with")
        self.whole = QCheckBox(tr("only where it is the whole value"))
        self.whole.setObjectName("whole")
        self.hint = PlainLabel(tr("among the {count:,} rows that show", count=len(sheet)))
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        self.use = QPushButton(tr("Replace all"))
        self.use.setObjectName("main")
        self.use.clicked.connect(self._replace)
        form = QFormLayout()
        form.addRow(tr("field"), self.field)
        form.addRow(tr("find"), self.old)
        form.addRow(tr("replace with"), self.new)
        form.addRow("", self.whole)
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.accept)
        end = QHBoxLayout()
        end.addWidget(self.hint, 1)
        end.addWidget(close)
        end.addWidget(self.use)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addLayout(end)

    def _replace(self) -> None:
        field, find, new, whole = self.field.currentText(), self.old.text(), self.new.text(), self.whole.isChecked()
        if not find:
            self.hint.setText(tr("Say what to find."))
            return

        def work(job: Job) -> Edit | None:
            from brisk_atlas.core.table.editing import replacing

            return replacing(self.sheet.table, field, find, new, self.sheet.order, whole=whole)

        self.session.run(tr("Replacing"), work, self._take, shown=False, failed=self._fail)

    def _take(self, edit: Edit | None) -> None:
        from brisk_atlas.core.table.write_back import state_before

        if edit is None:
            self.hint.setText(tr("nothing found"))
            return
        before = self.layer.rows.edited_from or state_before(self.session.cache, self.layer)
        look = replace(self.layer.rows, edits=(*self.layer.rows.edits, edit), edited_from=before)
        self.look_changed.emit(tr("replace in {field}", field=edit.field), look)
        self.layer = replace(self.layer, rows=look)
        self.hint.setText(trn("replaced in {count:,} row", "replaced in {count:,} rows", len(edit.rows)))

    def _fail(self, error: BaseException) -> None:
        self.hint.setText(f"{error.reason}. {error.remedy}" if isinstance(error, AtlasError) else str(error))
