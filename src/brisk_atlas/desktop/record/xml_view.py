"""The text of a record with line numbers, colours, folding and search, linked to its elements."""

from __future__ import annotations

import re

from PyQt6.QtCore import QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QMouseEvent,
    QPaintEvent,
    QResizeEvent,
    QSyntaxHighlighter,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
    QTextFormat,
)
from PyQt6.QtWidgets import QPlainTextEdit, QTextEdit, QWidget

from brisk_atlas.core.model.language import tr

from ..picture_painter import picture_painter
from ..text_view import grammar_of
from ..theme import LIGHT, Theme, mono_font

MOST_COLOURED = 400_000  # letters; a longer text is shown without colours


class _Colours(QSyntaxHighlighter):
    def __init__(self, view: RecordText) -> None:
        super().__init__(view.document())
        self.view = view
        self.grammar = grammar_of(".xml")

    def highlightBlock(self, text: str | None) -> None:
        t = self.view.theme
        colours = {"word": t.accent, "name": t.second, "text": t.good, "number": t.ink, "note": t.quiet}
        for match in self.grammar.finditer((text or "")[:MOST_WIDE]):
            form = QTextCharFormat()
            form.setForeground(QColor(colours.get(match.lastgroup or "", t.ink)))
            self.setFormat(match.start(), match.end() - match.start(), form)


MOST_WIDE = 4000  # characters of a line that are coloured


class _Margin(QWidget):
    """Line numbers and, where something can be folded, a mark to click."""

    def __init__(self, view: RecordText) -> None:
        super().__init__(view)
        self.view = view

    def sizeHint(self) -> QSize:
        return QSize(self.view.margin_px(), 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self.view.paint_margin(self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        cursor = self.view.cursorForPosition(event.position().toPoint())
        self.view.fold(cursor.blockNumber())


class RecordText(QPlainTextEdit):
    """A record's own text, read-only.

    Signals:
        line_chosen(int): the line that was chosen, counted from 1.
    """

    line_chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("record text")
        self.setAccessibleName(tr("Text of the record"))
        self.theme: Theme = LIGHT
        self.setReadOnly(True)
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByKeyboard | Qt.TextInteractionFlag.TextSelectableByMouse
        )
        self.setFont(mono_font())
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setStyleSheet(f'font-family: "{mono_font().family()}"; font-size: 12px;')
        self._folds: dict[int, int] = {}
        self._folded: set[int] = set()
        self._going = False
        self.wanted = ""
        self.colours = _Colours(self)
        self.margin = _Margin(self)
        self.blockCountChanged.connect(self._fit)
        self.updateRequest.connect(self._scrolled)
        self.cursorPositionChanged.connect(self._moved)

    def show_text(self, text: str, suffix: str) -> None:
        """Show a text; the place in it stays where it can."""
        if text == self.toPlainText():
            return
        line = self.textCursor().blockNumber()
        self._going = True
        self.colours.setDocument(None)
        self.colours.grammar = grammar_of(suffix)
        self.setPlainText(text)
        if len(text) <= MOST_COLOURED:
            self.colours.setDocument(self.document())
        self._folds = folds_of(text, suffix)
        self._folded.clear()
        self._going = False
        self._fit()
        self.go_to(line + 1, quietly=True)

    # Margin and folding

    def margin_px(self) -> int:
        return self.fontMetrics().horizontalAdvance("9") * max(3, len(str(self.blockCount()))) + 26

    def _fit(self) -> None:
        self.setViewportMargins(self.margin_px(), 0, 0, 0)
        box = self.contentsRect()
        self.margin.setGeometry(QRect(box.left(), box.top(), self.margin_px(), box.height()))

    def _scrolled(self, rect: QRect, dy: int) -> None:
        if dy:
            self.margin.scroll(0, dy)
        else:
            self.margin.update(0, rect.y(), self.margin.width(), rect.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def paint_margin(self, margin: QWidget) -> None:
        painter = picture_painter(margin)
        t = self.theme
        painter.fillRect(margin.rect(), QColor(t.paper))
        painter.setFont(mono_font())
        block, offset = self.firstVisibleBlock(), self.contentOffset()
        wide = margin.width()
        while block.isValid():
            box = self.blockBoundingGeometry(block).translated(offset)
            if box.top() > margin.height():
                break
            if block.isVisible():
                number, tall = block.blockNumber(), self.fontMetrics().height()
                painter.setPen(QColor(t.quiet))
                painter.drawText(
                    QRect(0, round(box.top()), wide - 18, tall), Qt.AlignmentFlag.AlignRight, str(number + 1)
                )
                if number in self._folds:
                    painter.setPen(QColor(t.second))
                    mark = "+" if number in self._folded else "−"
                    painter.drawText(QRect(wide - 16, round(box.top()), 12, tall), Qt.AlignmentFlag.AlignCenter, mark)
            block = block.next()

    def fold(self, number: int) -> None:
        """Fold or unfold what begins on a line, counted from 0."""
        if number not in self._folds:
            return
        if number in self._folded:
            self._folded.discard(number)
        else:
            self._folded.add(number)
        self._show_folds()

    def fold_all(self) -> None:
        """Fold everything below the root, or unfold all where something is folded."""
        if self._folded:
            self._folded.clear()
        else:
            first = min(self._folds, default=0)
            self._folded = {line for line in self._folds if line != first}
        self._show_folds()

    def _show_folds(self) -> None:
        document = self.document()
        assert document is not None
        hidden_until = -1
        block: QTextBlock = document.begin()
        while block.isValid():
            number = block.blockNumber()
            block.setVisible(number > hidden_until)
            if number in self._folded and number > hidden_until:
                hidden_until = self._folds[number]
            block = block.next()
        document.markContentsDirty(0, document.characterCount())
        self._fit()
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()
        self.margin.update()

    # Lines

    def go_to(self, line: int, *, quietly: bool = False) -> None:
        """Show a line, counted from 1, unfolded and marked."""
        document = self.document()
        assert document is not None
        block = document.findBlockByNumber(max(0, line - 1))
        if not block.isValid():
            return
        around = {start for start in self._folded if start < block.blockNumber() <= self._folds[start]}
        if around:
            self._folded -= around
            self._show_folds()
        self._going = True
        self.setTextCursor(QTextCursor(block))
        self._going = False
        self._mark_line()
        if not quietly:
            self.centerCursor()

    def _moved(self) -> None:
        self._mark_line()
        if not self._going:
            self.line_chosen.emit(self.textCursor().blockNumber() + 1)

    def _mark_line(self) -> None:
        marks = []
        line = QTextEdit.ExtraSelection()
        line.format.setBackground(QColor(self.theme.wash))
        line.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
        line.cursor = self.textCursor()
        line.cursor.clearSelection()
        marks.append(line)
        if self.wanted:
            wash = QColor(self.theme.accent)
            wash.setAlpha(60)
            for match in list(re.finditer(re.escape(self.wanted), self.toPlainText(), re.IGNORECASE))[:500]:
                found = QTextEdit.ExtraSelection()
                found.format.setBackground(wash)
                found.cursor = self.textCursor()
                found.cursor.setPosition(match.start())
                found.cursor.setPosition(match.end(), QTextCursor.MoveMode.KeepAnchor)
                marks.append(found)
        self.setExtraSelections(marks)

    def find_next(self, words: str) -> bool:
        """Go to the next line that has the words in it; after the last comes the first."""
        self.wanted = words
        text, start = self.toPlainText().casefold(), self.textCursor().position()
        after = text.find(words.casefold(), text.find("\n", start) + 1 if "\n" in text[start:] else len(text))
        found = after if after >= 0 else text.find(words.casefold())
        if found < 0:
            self._mark_line()
            return False
        self.go_to(text.count("\n", 0, found) + 1)
        return True

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.colours.rehighlight()
        self._mark_line()
        self.margin.update()


_TAG = re.compile(r"<(/?)([\w:.-]+)[^<>]*?(/?)>")


def folds_of(text: str, suffix: str) -> dict[int, int]:
    """Return what can be folded: the first and the last line, counted from 0, of what spans three lines or more."""
    found: dict[int, int] = {}
    stack: list[int] = []
    for number, line in enumerate(_without_comments(text).split("\n")):
        if suffix in (".json", ".jsonld"):
            stripped = line.strip().rstrip(",")
            if stripped.endswith(("{", "[")):
                stack.append(number)
            elif stripped in ("}", "]") and stack:
                _close(found, stack.pop(), number)
            continue
        for closing, _, alone in _TAG.findall(line):
            if closing and stack:
                _close(found, stack.pop(), number)
            elif not closing and not alone:
                stack.append(number)
    return found


def _without_comments(text: str) -> str:
    """Return XML with nothing but the line breaks of its comments."""
    first, *others = text.split("<!--")
    pieces = [first]
    for other in others:
        inside, end, rest = other.partition("-->")
        pieces += ["\n" * inside.count("\n"), rest] if end else ["<!--", inside]
    return "".join(pieces)


def _close(found: dict[int, int], first: int, last: int) -> None:
    if last - first >= 2:
        found.setdefault(first, last)
