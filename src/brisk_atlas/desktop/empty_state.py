"""What stands on a page that has nothing to show yet: what it is for, and what to do next."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from .plain_text import PlainLabel

WIDEST_PX = 560


class EmptyState(QWidget):
    """A heading, a few words, and buttons of commands, the first of which is the usual one.

    Signals:
        wanted(str): the id of the command of a button that was pressed.
    """

    wanted = pyqtSignal(str)

    def __init__(self, heading: str, words: str, choices: dict[str, str], parent: QWidget | None = None) -> None:
        """`choices` are ids of commands with the words of their buttons."""
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addStretch(2)
        title, text = PlainLabel(heading), PlainLabel(words)
        title.setObjectName("title")
        text.setObjectName("quiet")
        text.setWordWrap(True)
        text.setFixedWidth(WIDEST_PX)
        text.setMinimumHeight(text.heightForWidth(WIDEST_PX))  # a layout that centres it would give one line
        for label in (title, text):
            label.setAlignment(Qt.AlignmentFlag.AlignHCenter)
            column.addWidget(label, 0, Qt.AlignmentFlag.AlignHCenter)
        row = QHBoxLayout()
        row.setContentsMargins(0, 8, 0, 0)
        row.addStretch(1)
        self.buttons: dict[str, QPushButton] = {}
        for command_id, label_text in choices.items():
            button = self.buttons[command_id] = QPushButton(label_text)
            button.setObjectName("main" if not row.count() > 1 else "")
            button.clicked.connect(lambda checked=False, wanted=command_id: self.wanted.emit(wanted))
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(3)
