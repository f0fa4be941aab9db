"""What is asked before data is opened: which files, how they are to be read, and what they may point at."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr

from .notice import Notice
from .session import Session
from .theme import Theme

if TYPE_CHECKING:
    from brisk_atlas.core.find import Question
    from brisk_atlas.core.model import NeedsPermission

    from .opening_sheet import OpeningSheet


class OpeningQuestions(QObject):
    """Asks over a window, and has the session open what was answered."""

    def __init__(self, session: Session, notice: Notice, theme: Callable[[], Theme], window: QWidget) -> None:
        super().__init__(window)
        self.session, self.notice, self.window = session, notice, window
        self._theme = theme
        self.sheet: OpeningSheet | None = None
        session.asked.connect(self.ask)
        session.permission_wanted.connect(self.ask_permission)

    @property
    def busy(self) -> bool:
        """Whether a question in sight is still being worked out."""
        return self.sheet is not None and self.sheet.isVisible() and self.sheet.busy

    def choose_files(self, folder: Path | None) -> None:
        """Ask which files to open, from a folder on."""
        chosen, _ = QFileDialog.getOpenFileNames(self.window, tr("Open files"), str(folder or Path.home()))
        if chosen:
            self.session.open_files(chosen)

    def ask(self, questions: list[Question]) -> None:
        """Put the questions that stand before opening; a sheet that stands already is answered first."""
        from .opening_sheet import OpeningSheet

        if self.sheet is not None and self.sheet.isVisible():
            self.sheet.finished.connect(lambda code: self.ask(questions))
            return
        self.sheet = OpeningSheet(self.session, questions, self._theme(), self.window)
        self.sheet.answered.connect(self.session.open_as)
        self.sheet.open()

    def ask_permission(self, error: NeedsPermission) -> None:
        """Ask whether a file may point at folders or hosts outside its own folder, and open it again if it may."""

        def allow() -> None:
            from brisk_atlas.core.read.permissions import allow

            allow(error.places)
            self.session.open_files([error.place])

        self.notice.offer(str(error), [(tr("Allow and open"), allow), (tr("Leave it closed"), lambda: None)])
