"""Typing values into a record: the right editor for each kind of content, wrong input reported as it is typed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeView,
    QWidget,
)

from brisk_atlas.core.model.language import tr

from ..plain_text import plain_tip

if TYPE_CHECKING:
    from brisk_atlas.core.record.elements import Element

LONG_PX = 110
ROW_PX, MOST_LINES = 24, 8
ELEMENT, TEXT = Qt.ItemDataRole.UserRole + 11, Qt.ItemDataRole.UserRole + 12


class ValueEditors(QStyledItemDelegate):
    """Makes editors; the item says its element and its text.

    Signals:
        written(object, str): index and text, to be put into the record.
        complained(str): what is wrong with what is being typed, "" once it is right.
    """

    written = pyqtSignal(object, str)
    complained = pyqtSignal(str)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Return room for a long text on several lines, as wide as its column is."""
        hint = super().sizeHint(option, index)
        tree = self.parent()
        if index.column() != 1 or not isinstance(tree, QTreeView):
            return QSize(hint.width(), max(hint.height(), ROW_PX))
        text = str(index.data() or "")
        metrics = option.fontMetrics
        wide = max(80, tree.columnWidth(1) - 12)
        if metrics.horizontalAdvance(text) <= wide:
            return QSize(hint.width(), ROW_PX)
        box = metrics.boundingRect(QRect(0, 0, wide, 10_000), Qt.TextFlag.TextWordWrap, text)
        return QSize(wide, min(box.height(), MOST_LINES * metrics.lineSpacing()) + 8)

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        element: Element | None = index.data(ELEMENT)
        if element is None or index.column() != 1:
            return None
        if element.kind == "code":
            return self._codes(parent, element)
        if element.kind == "long":
            editor = QPlainTextEdit(parent)
            editor.setTabChangesFocus(True)
            editor.setObjectName("value editor")
            return editor
        line = QLineEdit(parent)
        line.setObjectName("value editor")
        line.textChanged.connect(lambda text: self._judge(line, element, text))
        return line

    def _codes(self, parent: QWidget | None, element: Element) -> QComboBox:
        from brisk_atlas.core.record.values import code_lists, meaning_of, open_lists

        box = QComboBox(parent)
        box.setObjectName("value editor")
        box.addItem("", "")
        for code in code_lists().get(element.codes, {}):
            box.addItem(meaning_of(element.codes, code), code)
        box.setEditable(element.codes in open_lists())
        box.setMaxVisibleItems(20)
        box.activated.connect(lambda i: self._code_chosen(box))
        return box

    def _code_chosen(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def _judge(self, editor: QWidget, element: Element, text: str) -> None:
        from brisk_atlas.core.record.values import typed

        wrong = ""
        try:
            typed(element, text)
        except ValueError as error:
            wrong = str(error)
        editor.setProperty("wrong", wrong)
        editor.setStyleSheet("border: 2px solid #A61B1B;" if wrong else "")
        editor.setToolTip(plain_tip(wrong))
        self.complained.emit(wrong)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        text = index.data(TEXT) or ""
        if isinstance(editor, QComboBox):
            found = editor.findData(text)
            if found >= 0:
                editor.setCurrentIndex(found)
            elif editor.isEditable():
                editor.setEditText(text)
            else:
                editor.insertItem(1, tr("{text}  (not in the list)", text=text), text)
                editor.setCurrentIndex(1)
        elif isinstance(editor, QPlainTextEdit):
            editor.setPlainText(text)
            editor.selectAll()
        elif isinstance(editor, QLineEdit):
            editor.setText(text)
            editor.selectAll()

    def setModelData(self, editor: QWidget | None, model: Any, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            text = editor.currentText() if editor.isEditable() else editor.currentData() or ""
            found = editor.findText(text)
            text = editor.itemData(found) if found >= 0 else text
        elif isinstance(editor, QPlainTextEdit):
            text = editor.toPlainText()
        else:
            assert isinstance(editor, QLineEdit)
            text = editor.text()
        if text != (index.data(TEXT) or ""):
            self.written.emit(index, text)

    def updateEditorGeometry(self, editor: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert editor is not None
        box: QRect = QRect(option.rect)
        if isinstance(editor, QPlainTextEdit):
            box.setHeight(max(box.height(), LONG_PX))
            parent = editor.parentWidget()
            if parent is not None and box.bottom() > parent.height():
                box.moveBottom(parent.height())
        else:
            box.setHeight(max(box.height(), editor.sizeHint().height()))
        editor.setGeometry(box)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Enter keeps a long text only with Ctrl; a wrong value cannot be entered."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if isinstance(watched, QPlainTextEdit) and enter:
                if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                    return False
                self.commitData.emit(watched)
                self.closeEditor.emit(watched)
                return True
            if enter and isinstance(watched, QLineEdit) and watched.property("wrong"):
                self.complained.emit(watched.property("wrong"))
                return True
        left = event is not None and event.type() == QEvent.Type.FocusOut
        if left and isinstance(watched, QLineEdit) and watched.property("wrong"):
            self.complained.emit(tr("Not taken over: {property}", property=watched.property("wrong")))
            self.closeEditor.emit(watched, QStyledItemDelegate.EndEditHint.RevertModelCache)
            return True
        return super().eventFilter(watched, event)
