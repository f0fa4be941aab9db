"""Deciding a row that two changed at once: what it was, yours and theirs side by side."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.working_copy.merging import PLACE, WHOLE, MergedRow

from ..plain_text import PlainLabel
from .row_words import row_title, value_words


class ConflictForm(QDialog):
    """A line for each field that both changed, with a choice.

    Signals:
        decided(object, dict): the MergedRow, and for each field whether yours holds.
    """

    decided = pyqtSignal(object, dict)

    def __init__(self, found: MergedRow, parent: QWidget) -> None:
        super().__init__(parent)
        self.found = found
        title = row_title(found.shown or found.theirs or found.draft.base, tr("a row"))
        self.setWindowTitle(tr("Two edits of {title}", title=title))
        self.setMinimumWidth(520)
        self.choices: dict[str, tuple[QRadioButton, QRadioButton]] = {}
        self._groups: list[QButtonGroup] = []
        words = PlainLabel(_explained(found))
        words.setWordWrap(True)
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(8)
        heads = (
            (tr("Field"), tr("Before"), tr("Yours"), tr("Theirs"))
            if not found.whole
            else ("", "", tr("Yours"), tr("Theirs"))
        )
        for column, head in enumerate(heads):
            label = PlainLabel(head)
            label.setObjectName("quiet")
            grid.addWidget(label, 0, column)
        for each in found.conflicts:
            values = (tr("where it was"), tr("your place"), tr("their place")) if each.is_place else tuple(
                map(value_words, (each.before, each.mine, each.theirs)))  # fmt: skip
            self._add_line(grid, PLACE if each.is_place else each.field, *values)
        if found.whole:
            mine, theirs = (tr("delete it"), tr("keep it as they have it")) if found.draft.deletes else (
                tr("add it again"), tr("leave it deleted"))  # fmt: skip
            self._add_line(grid, WHOLE, "", mine, theirs)
        grid.setColumnStretch(2, 1)
        grid.setColumnStretch(3, 1)
        self.mine, self.theirs = QPushButton(tr("All yours")), QPushButton(tr("All theirs"))
        self.mine.clicked.connect(lambda: self._all(0))
        self.theirs.clicked.connect(lambda: self._all(1))
        later, self.use = QPushButton(tr("Later")), QPushButton(tr("Decide"))
        self.use.setObjectName("main")
        self.use.setEnabled(False)
        self.use.clicked.connect(self._take)
        later.clicked.connect(self.reject)
        low = QHBoxLayout()
        for button in (self.mine, self.theirs):
            low.addWidget(button)
            button.setVisible(len(self.choices) > 1)
        low.addStretch(1)
        low.addWidget(later)
        low.addWidget(self.use)
        column_ = QVBoxLayout(self)
        column_.setSpacing(14)
        column_.addWidget(words)
        column_.addLayout(grid)
        column_.addStretch(1)
        column_.addLayout(low)

    def _add_line(self, grid: QGridLayout, name: str, before: str, mine: str, theirs: str) -> None:
        row = grid.rowCount()
        grid.addWidget(PlainLabel("" if name == WHOLE else name), row, 0)
        grid.addWidget(PlainLabel(before), row, 1)
        group, buttons = QButtonGroup(self), (QRadioButton(mine), QRadioButton(theirs))
        for column, button in enumerate(buttons, 2):
            group.addButton(button)
            button.setObjectName(f"{'mine' if column == 2 else 'theirs'} {name}")
            button.toggled.connect(self._chosen)
            grid.addWidget(button, row, column)
        self._groups.append(group)
        self.choices[name] = buttons

    def _chosen(self) -> None:
        self.use.setEnabled(all(mine.isChecked() or theirs.isChecked() for mine, theirs in self.choices.values()))

    def _all(self, which: int) -> None:
        for buttons in self.choices.values():
            buttons[which].setChecked(True)

    def _take(self) -> None:
        self.decided.emit(self.found, {name: mine.isChecked() for name, (mine, _) in self.choices.items()})
        self.accept()


def _explained(found: MergedRow) -> str:
    if found.whole:
        return (tr("You deleted this row while somebody else changed it.") if found.draft.deletes
                else tr("Somebody deleted this row while you changed it."))  # fmt: skip
    other = (
        tr("; what only one of you changed holds for both") if len(found.draft.values) > len(found.conflicts) else ""
    )
    return tr(
        "Somebody else changed the same as you, to something else{other}. Nothing is sent until you decide.",
        other=other,
    )
