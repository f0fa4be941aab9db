"""Marks below words that no dictionary has, what may have been meant in the menu, and words of one's own."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QPoint, QSettings
from PyQt6.QtGui import QColor, QSyntaxHighlighter, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QMenu, QTextEdit

from brisk_atlas.core.model.language import tr

from ..theme import LIGHT

if TYPE_CHECKING:
    from brisk_atlas.core.album.spelling import Speller
    from brisk_atlas.core.system.jobs import Job

    from ..session import Session

LANGUAGE, OWN_WORDS = "spelling/language", "spelling/words"
OFF = "off"


class SpellingSettings(NamedTuple):
    """What marks are made by: where the language and the words of one's own are stored, and `names`, which gives words
    that are right whether a dictionary has them or not."""

    session: Session
    stored: QSettings
    names: Callable[[], Iterable[str]]

    @property
    def language(self) -> str:
        """The language of the texts, "off" where spelling is not looked at."""
        return str(self.stored.value(LANGUAGE, "en"))

    @property
    def own_words(self) -> list[str]:
        """The words that were added by hand."""
        return [str(each) for each in (self.stored.value(OWN_WORDS, []) or [])]


class SpellingMarks(QSyntaxHighlighter):
    """Underlines unknown words of a text; the dictionary is read in the background."""

    def __init__(self, edit: QTextEdit, settings: SpellingSettings) -> None:
        super().__init__(edit.document())
        self.edit, self.settings = edit, settings
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

    def read(self) -> None:
        """Read the dictionary and the names, and mark anew."""
        language = self.settings.language
        self._named = tuple(self.settings.names())
        known = [*self.settings.own_words, *self._named]

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

        self.job = self.settings.session.run(tr("Dictionary"), work, done, shown=False)

    def refresh(self) -> None:
        """Take over names that came since."""
        if tuple(self.settings.names()) != self._named:
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
            entries.append((tr("Add “{word}” to the known words", word=word), partial(self._add, word)))
            for words, deed in entries:
                action = menu.addAction(words)
                assert action is not None
                action.triggered.connect(lambda checked=False, deed=deed: deed())
                menu.insertAction(first, action)
            menu.insertSeparator(first)
        languages = menu.addMenu(tr("Spelling"))
        assert languages is not None
        for key, name in {OFF: tr("Not looked at"), **LANGUAGES}.items():
            action = languages.addAction(name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(key == self.settings.language)
            action.triggered.connect(lambda checked=False, key=key: self._use(key))

    def _add(self, word: str) -> None:
        self.settings.stored.setValue(OWN_WORDS, sorted({*self.settings.own_words, word}))
        self.read()

    def _use(self, language: str) -> None:
        self.settings.stored.setValue(LANGUAGE, language)
        self.read()
