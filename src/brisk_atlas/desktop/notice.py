"""A strip that says what failed, or what was done, and goes away when it is closed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout

from brisk_atlas.core.model.language import tr

from .later import Later
from .plain_text import PlainLabel

GOOD_MS = 6000
MOST_WAITING = 50


class Notice(QFrame):
    """Shows one notice at a time; later faults wait their turn and are counted."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self.text = PlainLabel()
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.more = QPushButton(tr("Details"))
        self.more.setCheckable(True)
        self.copy = QPushButton(tr("Copy"))
        self.close_button = QPushButton(tr("Dismiss"))
        self.close_button.setObjectName("dismiss")
        self.details = QPlainTextEdit()
        self.details.setReadOnly(True)
        self.details.setMaximumHeight(140)
        self.answers = [QPushButton(), QPushButton()]
        row = QHBoxLayout()
        row.addWidget(self.text, 1)
        for answer in self.answers:
            answer.hide()
            row.addWidget(answer)
        for button in (self.more, self.copy, self.close_button):
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 6)
        column.addLayout(row)
        column.addWidget(self.details)
        self.waiting: list[tuple[str, str, str]] = []
        self._fade = Later(self, GOOD_MS, self.dismiss)
        self.more.toggled.connect(self.details.setVisible)
        self.copy.clicked.connect(self._copy)
        self.close_button.clicked.connect(self.dismiss)
        self.hide()

    def say(self, mood: str, text: str, details: str = "") -> None:
        """Show a notice, or let it wait behind a fault that is on show. A repeat is not shown twice."""
        if self.isVisible() and self.property("mood") == "fault":
            if (
                text != self.text.text()
                and (mood, text, details) not in self.waiting
                and len(self.waiting) < MOST_WAITING
            ):
                self.waiting.append((mood, text, details))
                self.close_button.setText(tr("Next ({count})", count=len(self.waiting)))
            return
        self._forget_answers()
        self.setProperty("mood", mood)
        style = self.style()
        assert style is not None
        style.polish(self)
        self.text.setText(text)
        self.details.setPlainText(details)
        self.more.setChecked(False)
        self.details.hide()
        self.more.setVisible(bool(details))
        self.copy.setVisible(mood == "fault")
        self.close_button.setText(tr("Next ({count})", count=len(self.waiting)) if self.waiting else tr("Dismiss"))
        self.show()
        self._fade.stop()
        if mood == "good":
            self._fade.start()

    def offer(self, text: str, answers: Sequence[tuple[str, Callable[[], object]]]) -> None:
        """Show a notice with up to two things that can be done about it."""
        self.say("good", text)
        self._fade.stop()
        for button, (label, act) in zip(self.answers, answers):
            button.setText(label)
            button.clicked.connect(act)
            button.clicked.connect(self.dismiss)
            button.show()

    def _forget_answers(self) -> None:
        for button in self.answers:
            if button.isVisibleTo(self):
                button.clicked.disconnect()
                button.hide()

    def dismiss(self) -> None:
        self._forget_answers()
        self.hide()
        if self.waiting:
            self.say(*self.waiting.pop(0))

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("\n".join(t for t in (self.text.text(), self.details.toPlainText()) if t))
