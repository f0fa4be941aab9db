"""The sheet that asks what files do not say, before they are opened: all in one place, each with a guess."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel, plain_tip
from .question_form import QuestionForm
from .session import Session
from .theme import Theme

if TYPE_CHECKING:
    from brisk_atlas.core.find import Question

WIDTH_PX, ROW_PX = 760, 26


class OpeningSheet(QDialog):
    """One form a file; the files stand in a list where there are several.

    Signals:
        answered(object, object): a reference and the OpenOptions to open it with, for each file that is to be opened.
    """

    answered = pyqtSignal(object, object)

    def __init__(self, session: Session, questions: Sequence[Question], theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("opening sheet")
        self.setWindowTitle(tr("Before opening"))
        self.setModal(True)
        self.forms = [QuestionForm(session, question, theme) for question in questions]
        title = PlainLabel(
            questions[0].ref.name if len(questions) == 1 else tr("{count} files need an answer", count=len(questions))
        )
        title.setObjectName("title")
        self.files = QListWidget()
        self.files.setObjectName("opening files")
        self.files.addItems([question.ref.name for question in questions])
        self.files.setVisible(len(questions) > 1)
        self.files.setFixedWidth(180)
        self.stack = QStackedWidget()
        for form in self.forms:
            self.stack.addWidget(form)
        self.open_button = QPushButton(
            tr("Open") if len(questions) == 1 else tr("Open all {count}", count=len(questions))
        )
        self.open_button.setObjectName("main")
        self.open_button.setDefault(True)
        self.cancel_button = QPushButton(tr("Cancel"))
        note = PlainLabel(
            tr("What you answer is remembered for the file. To be asked again: Open and ask (Ctrl+Return on Find).")
        )
        note.setObjectName("quiet")
        note.setWordWrap(True)
        middle = QHBoxLayout()
        middle.addWidget(self.files)
        middle.addWidget(self.stack, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(note, 1)
        buttons.addWidget(self.cancel_button)
        buttons.addWidget(self.open_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addWidget(title)
        column.addLayout(middle, 1)
        column.addLayout(buttons)
        self.files.currentRowChanged.connect(self.stack.setCurrentIndex)
        self.files.setCurrentRow(0)
        self.open_button.clicked.connect(self._answer)
        self.cancel_button.clicked.connect(self.reject)
        for form in self.forms:
            form.changed.connect(self._judge)
        self.resize(
            WIDTH_PX + (190 if len(questions) > 1 else 0), max(form.wanted_height() for form in self.forms) + 110
        )
        self._judge()

    @property
    def busy(self) -> bool:
        return any(form.busy for form in self.forms)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return in a line that searches is for the search; with Ctrl it opens from anywhere."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            ctrl = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            if isinstance(self.focusWidget(), QLineEdit) and not ctrl:
                return
            if self.open_button.isEnabled():
                self._answer()
            return
        super().keyPressEvent(event)

    def _judge(self) -> None:
        """Let nothing through that can't be opened, and say what is wrong with it."""
        faults = [(number, form.fault()) for number, form in enumerate(self.forms)]
        wrong = [(number, text) for number, text in faults if text]
        self.open_button.setEnabled(not wrong)
        self.open_button.setToolTip(plain_tip(wrong[0][1] if wrong else ""))
        for number, text in faults:
            item = self.files.item(number)
            if item is not None:
                item.setToolTip(plain_tip(text))
                item.setForeground(self.palette().text() if not text else Qt.GlobalColor.red)

    def _answer(self) -> None:
        for form in self.forms:
            self.answered.emit(form.question.ref, form.reading())
        self.accept()
