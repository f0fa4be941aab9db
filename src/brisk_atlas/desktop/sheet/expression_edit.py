"""A place to type an SQL expression: completion, and the fault marked where it is."""

from __future__ import annotations

import re

from PyQt6.QtCore import QStringListModel, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QTextCharFormat, QTextCursor, QTextOption
from PyQt6.QtWidgets import QCompleter, QFrame, QPlainTextEdit, QTextEdit

from ..theme import LIGHT, Theme, mono_font

LINE_PX = 27
_WORD = re.compile(r"[\w.]+$")
MOST_OFFERED = 8


class ExpressionEdit(QPlainTextEdit):
    """One line, or several, of SQL.

    Signals:
        entered(): Return was pressed in the one-line form.
    """

    entered = pyqtSignal()

    def __init__(self, *, one_line: bool = True) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.one_line = one_line
        self.setFont(mono_font())
        self.setTabChangesFocus(True)
        if one_line:
            self.setObjectName("expression")
            self.setFixedHeight(LINE_PX)
            self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
            self.setWordWrapMode(QTextOption.WrapMode.NoWrap)
            self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            document = self.document()
            assert document is not None
            document.setDocumentMargin(4)
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self._words = QStringListModel()
        self._completer = QCompleter(self._words, self)
        self._completer.setWidget(self)
        self._completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self._completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self._completer.setMaxVisibleItems(MOST_OFFERED)
        self._completer.activated.connect(self._complete)
        self.textChanged.connect(lambda: self.mark(None))

    def text(self) -> str:
        return self.toPlainText().strip() if self.one_line else self.toPlainText()

    def setText(self, text: str) -> None:
        if text != self.toPlainText():
            self.setPlainText(text)
            self.moveCursor(QTextCursor.MoveOperation.End)

    def set_words(self, words: list[str]) -> None:
        """Offer these words: fields first, then functions as they are written."""
        self._words.setStringList(words)

    def mark(self, at: tuple[int, int] | None, *, wrong: bool = False) -> None:
        """Mark the characters that are wrong, or none; `wrong` marks the whole where no place is known."""
        faults = []
        if at is not None:
            fault = QTextEdit.ExtraSelection()
            look = QTextCharFormat()
            look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            look.setUnderlineColor(QColor(self.theme.fault))
            look.setForeground(QColor(self.theme.fault))
            fault.format = look
            cursor = self.textCursor()
            length = len(self.toPlainText())
            cursor.setPosition(min(at[0], length))
            cursor.setPosition(min(at[1], length), QTextCursor.MoveMode.KeepAnchor)
            fault.cursor = cursor
            faults.append(fault)
        self.setExtraSelections(faults)
        if self.property("wrong") != (wrong or at is not None):
            self.setProperty("wrong", wrong or at is not None)
            style = self.style()
            if style is not None:
                style.polish(self)

    @property
    def marked(self) -> str:
        """Return the characters that are marked as wrong."""
        found = self.extraSelections()
        return found[0].cursor.selectedText() if found else ""

    def insert(self, text: str) -> None:
        """Write text at the cursor, in place of what is chosen."""
        cursor = self.textCursor()
        before = self.toPlainText()[: cursor.selectionStart()]
        gap = " " if before and not before.endswith((" ", "(", "\n")) else ""
        cursor.insertText(gap + text)
        self.setFocus()

    def _prefix(self) -> str:
        cursor = self.textCursor()
        before = cursor.block().text()[: cursor.positionInBlock()]
        if before.count("'") % 2:
            return ""  # within a text
        found = _WORD.search(before)
        return found[0] if found and not found[0][0].isdigit() else ""

    def _complete(self, word: str) -> None:
        cursor = self.textCursor()
        cursor.movePosition(QTextCursor.MoveOperation.Left, QTextCursor.MoveMode.KeepAnchor, len(self._prefix()))
        cursor.insertText(word)
        self.setTextCursor(cursor)

    def _offer(self) -> None:
        prefix, popup = self._prefix(), self._completer.popup()
        assert popup is not None
        self._completer.setCompletionPrefix(prefix)
        first = self._completer.currentCompletion()
        if not prefix or not self._completer.completionCount() or first == prefix:
            popup.hide()
            return
        at = self.cursorRect()
        at.setWidth(300)
        self._completer.complete(at)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        popup, key = self._completer.popup(), event.key()
        offered = popup is not None and popup.isVisible()
        if offered and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            chosen = popup.currentIndex()  # type: ignore[union-attr]
            popup.hide()  # type: ignore[union-attr]
            if chosen.isValid():
                self._complete(str(chosen.data()))
                return
        if offered and key == Qt.Key.Key_Escape:
            popup.hide()  # type: ignore[union-attr]
            return
        if self.one_line and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
            return
        super().keyPressEvent(event)
        if event.text().strip() or key == Qt.Key.Key_Backspace:
            self._offer()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Take the first word offered with Tab, where some are offered; else go on to the next widget."""
        popup = self._completer.popup()
        if forward and popup is not None and popup.isVisible():
            chosen = popup.currentIndex()
            popup.hide()
            self._complete(str(chosen.data()) if chosen.isValid() else self._completer.currentCompletion())
            return True
        return super().focusNextPrevChild(forward)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        popup = self._completer.popup()
        if popup is not None and event is not None and event.reason() != Qt.FocusReason.PopupFocusReason:
            popup.hide()
        super().focusOutEvent(event)


def words_for(fields: list[str]) -> list[str]:
    """Return what completion offers: fields as they must be written, then calls of functions."""
    from brisk_atlas.core.table.asking import quoted
    from brisk_atlas.core.table.functions import FUNCTIONS

    written = [name if re.fullmatch(r"[A-Za-z_]\w*(\.[A-Za-z_]\w*)?", name) else quoted(name) for name in fields]
    return [*written, *(f.form for f in FUNCTIONS)]
