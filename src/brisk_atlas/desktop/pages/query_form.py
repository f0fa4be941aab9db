"""Asking a database by a SELECT of one's own, after a dry run."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font

HINT = "SELECT name, level, geom\nFROM public.zones\nWHERE level >= 3"


class QueryForm(QDialog):
    """A statement, and what it would give.

    Signals:
        chosen(object): the reference to what the statement gives, to open.
    """

    chosen = pyqtSignal(object)

    def __init__(self, session: Session, database: DataRef, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.database = session, database
        self.setWindowTitle(tr("Ask the database"))
        self.resize(560, 360)
        place = PlainLabel(database.place)
        place.setObjectName("quiet")
        self.statement = QPlainTextEdit()
        self.statement.setObjectName("statement")
        self.statement.setPlaceholderText(HINT)
        self.statement.setFont(mono_font(13))
        self.says = PlainLabel(
            tr("The statement is planned by the server before it is run; the connection only reads.")
        )
        self.says.setObjectName("quiet")
        self.says.setWordWrap(True)
        self.test, self.use = QPushButton(tr("Try")), QPushButton(tr("Open"))
        self.use.setObjectName("main")
        self.use.setEnabled(False)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.test)
        row.addWidget(self.use)
        column = QVBoxLayout(self)
        for widget in (place, self.statement, self.says):
            column.addWidget(widget, int(widget is self.statement))
        column.addLayout(row)
        self.statement.textChanged.connect(lambda: self.use.setEnabled(False))
        self.test.clicked.connect(self.dry_run)
        self.use.clicked.connect(self._take)

    @property
    def ref(self) -> DataRef:
        """The reference to what the statement gives."""
        from brisk_atlas.core.connect.table_names import query_ref

        return query_ref(self.database, self.statement.toPlainText())

    def dry_run(self) -> None:
        """Have the server plan the statement, and say what it would give."""
        ref = self.ref

        def work(job: object) -> str:
            from brisk_atlas.core.read.dry_run import dry_run

            return dry_run(ref)

        def done(words: str) -> None:
            self.says.setText(words)
            self.use.setEnabled(self.ref == ref)

        def failed(error: BaseException) -> None:
            self.says.setText(str(error.reason) if isinstance(error, AtlasError) else str(error))

        if self.statement.toPlainText().strip():
            self.session.run(tr("Trying the statement"), work, done, shown=False, failed=failed)

    def _take(self) -> None:
        self.accept()
        self.chosen.emit(self.ref)
