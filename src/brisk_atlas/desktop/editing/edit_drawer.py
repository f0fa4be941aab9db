"""Edit: the tools for features of an outlet, the values of the picked row, and what was not sent yet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.working_copy.merging import MergedRow
from brisk_atlas.core.working_copy.shared_rows import Plain, SharedOutlet

from ..deletable_list import DeletableList
from ..icons import icon
from ..plain_text import PlainLabel
from ..theme import LIGHT, Theme
from .row_form import RowForm
from .row_words import draft_words

TOOLS = (("add", "plus", tr("Add")), ("move", "cursor", tr("Move")), ("delete", "trash", tr("Delete")))
RIGHTS = {"add": "add", "move": "change", "delete": "delete"}
ICON_PX = 16
OTHER = (tr("Rows that a Depot offers to you for editing can be edited here: values, and places on the map. "
         "Open such a layer from Find, by the address of its Depot."))  # fmt: skip
READY = (tr("Edits are stored on this machine, also while the Depot can't be reached, until you send them. "
         "What others change appears by itself."))  # fmt: skip


@dataclass(frozen=True)
class DraftShown:
    """What the drawer shows of a copy: the outlet, what was not sent, and the picked row with its title, if one is."""

    outlet: SharedOutlet
    unsent: Sequence[MergedRow]
    picked: tuple[str, dict[str, Plain]] | None


class EditDrawer(QWidget):
    """The tools and lists. It does nothing by itself.

    Signals:
        begin_wanted(): the subject is to be edited.
        tool_wanted(str): a tool was chosen: add, move or delete.
        value_edited(str, str): a field of the picked row, and the text that was typed.
        send_wanted(): what was done is to be sent.
        take_back_wanted(object): what was done to a MergedRow is to be dropped.
        decide_wanted(object): a MergedRow is to be decided.
        go_wanted(object): the map is to show a MergedRow.
    """

    begin_wanted = pyqtSignal()
    tool_wanted = pyqtSignal(str)
    value_edited = pyqtSignal(str, str)
    send_wanted = pyqtSignal()
    take_back_wanted = pyqtSignal(object)
    decide_wanted = pyqtSignal(object)
    go_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._theme: Theme = LIGHT
        self.shown: DraftShown | None = None
        self.about = PlainLabel(OTHER)
        self.about.setWordWrap(True)
        self.begin = QPushButton(tr("Edit features"))
        self.begin.setObjectName("main")
        self.begin.clicked.connect(self.begin_wanted)
        first = QWidget()
        first_column = QVBoxLayout(first)
        first_column.setContentsMargins(12, 12, 12, 10)
        first_column.setSpacing(10)
        first_column.addWidget(self.about)
        first_column.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignLeft)
        first_column.addStretch(1)
        self.tools: dict[str, QToolButton] = {}
        self.either = QStackedWidget()
        self.either.addWidget(first)
        self.either.addWidget(self._editing_page())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.either)
        self.show_other(can_begin=False)

    def _editing_page(self) -> QWidget:
        bar = QHBoxLayout()
        bar.setSpacing(4)
        for name, _, words in TOOLS:
            button = QToolButton()
            button.setObjectName(f"edit {name}")
            button.setText(words)
            button.setCheckable(name != "delete")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.clicked.connect(lambda on, name=name: self.tool_wanted.emit(name))
            bar.addWidget(button)
            self.tools[name] = button
        bar.addStretch(1)
        self.snap = QCheckBox(tr("Snap to corners and sides"))
        self.snap.setChecked(True)
        self.form = RowForm()
        self.form.edited.connect(self.value_edited)
        self.nothing_picked = PlainLabel(tr("Pick a feature on the map or in the sheet to edit its values."))
        self.nothing_picked.setObjectName("quiet")
        self.nothing_picked.setWordWrap(True)
        self.waiting = PlainLabel("")
        self.waiting.setObjectName("heading")
        self.list = DeletableList()
        self.list.setObjectName("unsent edits")
        self.list.setAccessibleName(tr("Edits that were not sent"))
        self.list.setIconSize(QSize(ICON_PX, ICON_PX))
        self.list.setWordWrap(True)
        self.list.itemActivated.connect(lambda item: self._act())
        self.list.itemDoubleClicked.connect(lambda item: self._act())
        self.list.currentRowChanged.connect(lambda row: self._row_chosen())
        self.list.delete_pressed.connect(self._take_back)
        self.send, self.take_back = QPushButton(tr("Send")), QPushButton(tr("Take back"))
        self.send.setObjectName("main")
        self.decide = QPushButton(tr("Decide…"))
        self.send.clicked.connect(self.send_wanted)
        self.take_back.clicked.connect(self._take_back)
        self.decide.clicked.connect(self._decide)
        low = QHBoxLayout()
        low.setSpacing(6)
        for each in (self.send, self.decide, self.take_back):
            low.addWidget(each)
        low.addStretch(1)
        self.state = PlainLabel("")
        self.state.setObjectName("quiet")
        self.state.setWordWrap(True)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addLayout(bar)
        column.addWidget(self.snap)
        column.addWidget(self.nothing_picked)
        column.addWidget(self.form, 3)
        column.addWidget(self.waiting)
        column.addWidget(self.list, 2)
        column.addLayout(low)
        column.addWidget(self.state)
        return page

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = theme
        for name, mark, _ in TOOLS:
            self.tools[name].setIcon(icon(mark, theme.ink))
        if self.shown is not None:
            self.show_draft(self.shown)

    def show_other(self, *, can_begin: bool) -> None:
        """Show that the subject is not edited, and whether it can be."""
        self.shown = None
        self.about.setText(READY if can_begin else OTHER)
        self.begin.setVisible(can_begin)
        self.either.setCurrentIndex(0)

    def show_draft(self, shown: DraftShown) -> None:
        """Show a copy that is edited."""
        before, self.shown = self.current, shown
        self.either.setCurrentIndex(1)
        for name, button in self.tools.items():
            button.setEnabled(RIGHTS[name] in shown.outlet.rights)
        self.tools["delete"].setEnabled("delete" in shown.outlet.rights and shown.picked is not None)
        self.tools["move"].setVisible(bool(shown.outlet.geometry_type))
        self.snap.setVisible(bool(shown.outlet.geometry_type))
        self.form.setVisible(shown.picked is not None)
        self.nothing_picked.setVisible(shown.picked is None)
        if shown.picked is not None:
            title, values = shown.picked
            self.form.show_row(title, shown.outlet.fields, values, editable="change" in shown.outlet.rights)
        self._fill(shown.unsent, before)

    def _fill(self, unsent: Sequence[MergedRow], before: MergedRow | None) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for each in unsent:
            colour = self._theme.fault if each.in_conflict else self._theme.quiet
            item = QListWidgetItem(icon(_mark_of(each), colour, ICON_PX), draft_words(each))
            if each.in_conflict:
                item.setForeground(QColor(self._theme.fault))
            self.list.addItem(item)
        rows = [each.draft.row for each in unsent]
        self.list.setCurrentRow(rows.index(before.draft.row) if before is not None and before.draft.row in rows else 0)
        self.list.blockSignals(False)
        conflicts = sum(each.in_conflict for each in unsent)
        ready = len(unsent) - conflicts
        words = [trn("{count:,} edited row not sent", "{count:,} edited rows not sent", len(unsent))] if unsent else []
        words += [tr("{conflicts:,} to decide", conflicts=conflicts)] if conflicts else []
        self.waiting.setText(", ".join(words) or tr("Nothing to send"))
        self.list.setVisible(bool(unsent))
        self.send.setText(tr("Send {ready:,}", ready=ready) if ready else tr("Send"))
        self.send.setEnabled(bool(ready))
        self._row_chosen()

    @property
    def current(self) -> MergedRow | None:
        """The row of the list that is chosen."""
        at = self.list.currentRow()
        return self.shown.unsent[at] if self.shown is not None and 0 <= at < len(self.shown.unsent) else None

    def _row_chosen(self) -> None:
        now = self.current
        self.take_back.setEnabled(now is not None)
        self.decide.setVisible(now is not None and now.in_conflict)

    def _act(self) -> None:
        now = self.current
        if now is not None:
            (self.decide_wanted if now.in_conflict else self.go_wanted).emit(now)

    def _take_back(self) -> None:
        if self.current is not None:
            self.take_back_wanted.emit(self.current)

    def _decide(self) -> None:
        if self.current is not None:
            self.decide_wanted.emit(self.current)


def _mark_of(found: MergedRow) -> str:
    """Return the icon of what was done to a row."""
    if found.in_conflict:
        return "warning"
    return "plus" if found.draft.adds else "trash" if found.draft.deletes else "pencil-simple"
