"""The stack with a line that filters it by name, shown when there are many layers or when asked for."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QVBoxLayout

from brisk_atlas.core.model.language import tr

from .session import Session
from .stack_spine import StackSpine
from .stack_tile import WIDTH_PX

MANY = 16  # layers from which on the line is shown


class StackPane(QFrame):
    """The spine below its filter."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.spine = StackSpine(session)
        self.line = _FilterLine()
        self.line.setObjectName("stack filter")
        self.line.setPlaceholderText(tr("Filter by name"))
        self.line.setClearButtonEnabled(True)
        self.line.hide()
        self.setFixedWidth(WIDTH_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.line)
        column.addWidget(self.spine, 1)
        self.line.textChanged.connect(self.spine.filter)
        session.work_changed.connect(self._work_changed)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "file") and len(self.session.work.layers) >= MANY:
            self.line.show()

    def begin_filter(self) -> None:
        """Put the keyboard on the line."""
        self.line.show()
        self.line.setFocus()
        self.line.selectAll()


class _FilterLine(QLineEdit):
    """A line that Escape empties."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self.text():
            self.clear()
        else:
            super().keyPressEvent(event)
