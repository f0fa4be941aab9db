"""Marks below words that no dictionary has, what may have been meant in the menu, and words of one's own."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QSettings
from PyQt6.QtGui import QColor, QSyntaxHighlighter, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QMenu, QTextEdit

from ..theme import LIGHT

if TYPE_CHECKING:
    from brisk_atlas.core.album.spelling import Speller
    from brisk_atlas.core.system.jobs import Job

    from ..session import Session

LANGUAGE, OWN_WORDS = "spelling/language", "spelling/words"
OFF = "off"


class SpellingMarks(QSyntaxHighlighter):
    """Underlines unknown words of a text. `names` gives words that are known beside the dictionary; the dictionary is
    read in the background."""

    def __init__(self, edit: QTextEdit, session: Session, names: Callable[[], Iterable[str]]) -> None:
        super().__init__(edit.document())
        self.edit, self.session, self.names = edit, session, names
        self.speller: Speller | None = None
        self.job: Job | None = None
        self._look = QTextCharFormat()
        self._look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
        self._look.setUnderlineColor(QColor(LIGHT.fault))
        self._named: tuple[str, ...] = ()
        self.read()

    @property
    def busy(self) -> bool:
        """Whether the dictionary is read."""
        return self.job is not None and not self.job.finished

    @property
    def language(self) -> str:
        """The language of the texts, "off" where spelling is not looked at."""
        return str(QSettings().value(LANGUAGE, "en"))

    def read(self) -> None:
        """Read the dictionary and the names, and mark anew."""
        language = self.language
        own = [str(each) for each in (QSettings().value(OWN_WORDS, []) or [])]
        self._named = tuple(self.names())
        known = [*own, *self._named]

        def work(job: Job) -> Speller | None:
            from brisk_atlas.core.album.spelling import LANGUAGES, Speller

            if language not in LANGUAGES:
                return None
            made = Speller(language, known)
            made.knows("a")  # reads the dictionary
            return made

        def done(speller: Speller | None) -> None:
            self.speller = speller
            self.rehighlight()

        self.job = self.session.run("Dictionary", work, done, shown=False)

    def refresh(self) -> None:
        """Take over names that came since."""
        if tuple(self.names()) != self._named:
            self.read()

    def highlightBlock(self, text: str | None) -> None:
        if self.speller is not None and text:
            for start, end in self.speller.unknown(text):
                self.setFormat(start, end - start, self._look)

    def fill_menu(self, menu: QMenu, at: QPoint) -> None:
        """Put what may have been meant above the other entries of a menu, and the languages below them."""
        from brisk_atlas.core.album.spelling import LANGUAGES

        first = menu.actions()[0] if menu.actions() else None
        cursor = self.edit.cursorForPosition(at)
        cursor.select(QTextCursor.SelectionType.WordUnderCursor)
        word = cursor.selectedText()
        if self.speller is not None and self.speller.unknown(word):
            entries = [(each, partial(cursor.insertText, each)) for each in self.speller.proposals(word)]
            entries.append((f"Add “{word}” to the known words", partial(self._add, word)))
            for words, deed in entries:
                action = menu.addAction(words)
                assert action is not None
                action.triggered.connect(lambda checked=False, deed=deed: deed())
                menu.insertAction(first, action)
            menu.insertSeparator(first)
        languages = menu.addMenu("Spelling")
        assert languages is not None
        for key, name in {OFF: "Not looked at", **LANGUAGES}.items():
            action = languages.addAction(name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(key == self.language)
            action.triggered.connect(lambda checked=False, key=key: self._use(key))

    def _add(self, word: str) -> None:
        own = [str(each) for each in (QSettings().value(OWN_WORDS, []) or [])]
        QSettings().setValue(OWN_WORDS, sorted({*own, word}))
        self.read()

    def _use(self, language: str) -> None:
        QSettings().setValue(LANGUAGE, language)
        self.read()
