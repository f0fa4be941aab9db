"""The values of the picked row, to be typed over."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from brisk_atlas.core.working_copy.shared_rows import Plain, SharedField

from ..plain_text import PlainLabel

TITLE_PX, LINE_PX = 36, 33  # so that no room is left below the last line


class RowForm(QWidget):
    """One line a field.

    Signals:
        edited(str, str): a field, and the text that was typed for it.
    """

    edited = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.title = PlainLabel("")
        self.title.setObjectName("heading")
        self.lines: dict[str, QLineEdit] = {}
        self._shown: dict[str, str] = {}
        self._fields: tuple[str, ...] = ()
        self._inside = QWidget()
        self._form = QFormLayout(self._inside)
        self._form.setContentsMargins(0, 0, 6, 0)
        self._form.setVerticalSpacing(4)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self._inside)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.title)
        column.addWidget(area, 1)

    def show_row(self, title: str, fields: Sequence[SharedField], values: dict[str, Plain], *, editable: bool) -> None:
        """Show a row; a line that is being typed into stays as it is."""
        self.title.setText(title)
        names = tuple(each.name for each in fields)
        if names != self._fields:
            self._lay_out(fields)
        for name, line in self.lines.items():
            value = values.get(name)
            text = "" if value is None else ("yes" if value else "no") if isinstance(value, bool) else str(value)
            if not (line.hasFocus() and line.isModified() and self._shown.get(name) == text):
                line.setText(text)
            self._shown[name] = text
            line.setReadOnly(not editable)

    def _lay_out(self, fields: Sequence[SharedField]) -> None:
        while self._form.rowCount():
            self._form.removeRow(0)
        self.lines, self._fields, self._shown = {}, tuple(each.name for each in fields), {}
        for each in fields:
            line = QLineEdit()
            line.setObjectName(f"value {each.name}")
            line.setPlaceholderText("missing")
            line.editingFinished.connect(lambda name=each.name: self._typed(name))
            self._form.addRow(f"{each.name} ({each.unit})" if each.unit else each.name, line)
            self.lines[each.name] = line
        self.setMaximumHeight(TITLE_PX + LINE_PX * len(fields))

    def _typed(self, name: str) -> None:
        text = self.lines[name].text()
        if text != self._shown.get(name):
            self._shown[name] = text
            self.edited.emit(name, text)
