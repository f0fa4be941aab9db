"""The guide in a window of its own: its tasks at the left, searched by words, the text at the right."""

from __future__ import annotations

from typing import cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QTextBlockFormat, QTextCharFormat, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.help import GuideSection, sections, sections_with

from ..plain_text import PlainLabel
from ..theme import MONO

TEXT = Qt.ItemDataRole.UserRole
WIDTH_PX, HEIGHT_PX, LIST_PX = 900, 620, 270
PARAGRAPH_PX, LINE_PERCENT = 8, 125.0
PROPORTIONAL = cast(int, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)


class HelpWindow(QDialog):
    """The guide by task, without a network."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Help"))
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Search the guide, such as curtain or nodata"))
        self.line.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Tasks"))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.none = PlainLabel(tr("No task has all of these words."))
        self.none.setObjectName("quiet")
        self.text = QTextBrowser()
        self.text.setOpenLinks(False)
        self.text.setAccessibleName(tr("Guide"))
        self.text.document().setDocumentMargin(16)  # type: ignore[union-attr]
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 10, 6, 10)
        for widget, stretch in ((self.line, 0), (self.list, 1), (self.none, 0)):
            column.addWidget(widget, stretch)
        split = QSplitter()
        split.addWidget(left)
        split.addWidget(self.text)
        split.setSizes([LIST_PX, WIDTH_PX - LIST_PX])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)
        self.line.textChanged.connect(self._search)
        self.list.currentItemChanged.connect(lambda item, before: self._show(item))
        self._search("")

    def open_at(self, title: str) -> None:
        """Show the window with a task, by its title."""
        self.line.clear()
        found = self.list.findItems(title, Qt.MatchFlag.MatchExactly)
        self.list.setCurrentItem(found[0] if found else self.list.item(0))
        self.show()
        self.raise_()
        self.line.setFocus()

    def _search(self, words: str) -> None:
        found = sections_with(words) if words.strip() else list(sections())
        self.list.clear()
        for section in found:
            item = QListWidgetItem(section.title)
            item.setData(TEXT, section)
            self.list.addItem(item)
        self.none.setVisible(not found)
        self.list.setCurrentRow(0)

    def _show(self, item: QListWidgetItem | None) -> None:
        section: GuideSection | None = item.data(TEXT) if item is not None else None
        if section is None:
            self.text.clear()
            return
        self.text.setMarkdown(f"## {section.title}\n\n{section.text}")
        self._set_apart()
        words = self.line.text().split()
        if words:
            self.text.find(words[0], QTextDocument.FindFlag(0))

    def _set_apart(self) -> None:
        """Give lines and paragraphs room, and code the font that the window has for it."""
        document = self.text.document()
        assert document is not None
        cursor = QTextCursor(document)
        code = QTextCharFormat()
        code.setFontFamilies([MONO])
        for start, end in _code_in(document):
            cursor.setPosition(start)
            cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
            cursor.mergeCharFormat(code)
        cursor.select(QTextCursor.SelectionType.Document)
        room = QTextBlockFormat()
        room.setBottomMargin(PARAGRAPH_PX)
        room.setLineHeight(LINE_PERCENT, PROPORTIONAL)
        cursor.mergeBlockFormat(room)
        self.text.moveCursor(QTextCursor.MoveOperation.Start)


def _code_in(document: QTextDocument) -> list[tuple[int, int]]:
    """Return from where to where texts of one width stand in a document."""
    found, block = [], document.begin()
    while block.isValid():
        at = block.begin()
        while not at.atEnd():
            piece = at.fragment()
            if piece.charFormat().fontFixedPitch():
                found.append((piece.position(), piece.position() + piece.length()))
            at += 1
        block = block.next()
    return found
