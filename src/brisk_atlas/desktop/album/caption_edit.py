"""Rich text that is stored as Markdown: strong, emphasis, lists and links."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QTextCursor, QTextDocument, QTextListFormat
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QTextEdit, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..later import Later
from .spelling_marks import SpellingMarks, SpellingSettings

DIALECT = QTextDocument.MarkdownFeature.MarkdownDialectCommonMark | QTextDocument.MarkdownFeature.MarkdownNoHTML
LATER_MS = 400


class CaptionEdit(QWidget):
    """A text with its few tools.

    Signals:
        edited(str): the Markdown, a moment after the last key.
    """

    edited = pyqtSignal(str)

    def __init__(self, hint: str, spelling: SpellingSettings) -> None:
        super().__init__()
        self.text = QTextEdit()
        self.spelling = SpellingMarks(self.text, spelling)
        self.text.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.text.customContextMenuRequested.connect(self._show_menu)
        self.text.setAcceptRichText(False)
        self.text.setPlaceholderText(hint)
        self.text.setTabChangesFocus(True)
        self._shown = ""
        self._later = Later(self, LATER_MS, self._say)
        self.text.textChanged.connect(self._later.start)
        tools = QHBoxLayout()
        tools.setSpacing(2)
        deeds = ((tr("Strong"), "Ctrl+B", self._strong), (tr("Emphasis"), "Ctrl+I", self._emphasis),
                 (tr("List"), "", self._list),
                 (tr("Link…"), "", self._link))  # fmt: skip
        for words, keys, deed in deeds:
            button = QToolButton()
            button.setText(words)
            button.setToolTip(f"{words}  {keys}".strip())
            button.clicked.connect(lambda checked=False, deed=deed: deed())
            if keys:
                button.setShortcut(keys)
            tools.addWidget(button)
        tools.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(tools)
        column.addWidget(self.text, 1)

    def _show_menu(self, at: QPoint) -> None:
        menu = self.text.createStandardContextMenu()
        assert menu is not None
        self.spelling.fill_menu(menu, at)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.text.mapToGlobal(at))

    @property
    def markdown(self) -> str:
        """What is written."""
        return self.text.toMarkdown(DIALECT).strip()

    def show_text(self, markdown: str) -> None:
        """Show another text; what was typed in the one before is to be taken by `flush` first."""
        self.spelling.refresh()
        if markdown == self._shown:
            return
        self._shown = markdown
        blocked = self.text.blockSignals(True)
        self.text.document().setMarkdown(markdown, DIALECT)  # type: ignore[union-attr]
        self.text.blockSignals(blocked)

    def flush(self) -> None:
        """Report at once what was typed and not reported yet."""
        if not self._later.isActive():
            return
        self._later.stop()
        self._say()

    def _say(self) -> None:
        if self.markdown != self._shown:
            self._shown = self.markdown
            self.edited.emit(self._shown)

    def _strong(self) -> None:
        strong = self.text.fontWeight() >= QFont.Weight.Bold
        self.text.setFontWeight(QFont.Weight.Normal if strong else QFont.Weight.Bold)
        self.text.setFocus()

    def _emphasis(self) -> None:
        self.text.setFontItalic(not self.text.fontItalic())
        self.text.setFocus()

    def _list(self) -> None:
        self.text.textCursor().createList(QTextListFormat.Style.ListDisc)
        self.text.setFocus()

    def _link(self) -> None:
        address, yes = QInputDialog.getText(self, tr("Link"), tr("Address"), text="https://")
        if yes and address.strip():
            self.add_link(address.strip())

    def add_link(self, address: str) -> None:
        """Have the chosen words, or the address itself, lead somewhere."""
        cursor: QTextCursor = self.text.textCursor()
        words = cursor.selectedText() or address
        look = cursor.charFormat()
        look.setAnchor(True)
        look.setAnchorHref(address)
        look.setFontUnderline(True)
        cursor.insertText(words, look)
        self.text.setTextCursor(cursor)
        self.text.setFocus(Qt.FocusReason.OtherFocusReason)
