"""Sketch: what is drawn on the map by hand, its texts, notes and measures."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QSpacerItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from ..deletable_list import DeletableList
from ..icons import icon
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.sketch import Mark, Sketch

TOOLS = (
    ("sketch point", "map-pin", tr("Point")),
    ("sketch line", "line-segments", tr("Line")),
    ("sketch area", "polygon", tr("Area")),
    ("sketch text", "text-t", tr("Text")),
    ("sketch move", "cursor", tr("Move")),
)
MARK_ICONS = {"point": "map-pin", "line": "line-segments", "area": "polygon", "text": "text-t"}
NUMBER = Qt.ItemDataRole.UserRole
ICON_PX, NOTE_PX = 16, 84
EMPTY = tr(
    "Draw points, lines, areas and text on the map. They become a layer of the project, with notes and measures."
)


class SketchDrawer(QWidget):
    """The tools, the marks of the sketch that is drawn into, and what is written of the current one.

    Signals:
        tool_wanted(str): a tool was chosen.
        mark_chosen(str, int): a mark of a layer is the current one now.
        go_wanted(): the map is to show the current mark.
    """

    tool_wanted = pyqtSignal(str)
    mark_chosen = pyqtSignal(str, int)
    go_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self._shown: tuple[Layer, Sketch] | None = None
        self._filling = False
        self.anew = False  # whether the next mark begins a sketch of its own
        self.tools: dict[str, QToolButton] = {}
        bar = QHBoxLayout()
        bar.setSpacing(4)
        for kind, _, name in TOOLS:
            button = QToolButton()
            button.setObjectName(kind)
            button.setText(name)
            button.setCheckable(True)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.clicked.connect(lambda on, kind=kind: self.tool_wanted.emit(kind))
            bar.addWidget(button)
            self.tools[kind] = button
        bar.addStretch(1)
        self.into = PlainLabel()
        self.into.setObjectName("quiet")
        self.into.setWordWrap(True)
        self.new = QPushButton(tr("Draw into a new sketch"))
        self.new.setObjectName("new sketch")
        self.list = DeletableList()
        self.list.setObjectName("marks")
        self.list.setAccessibleName(tr("Marks of the sketch"))
        self.list.setIconSize(QSize(ICON_PX, ICON_PX))
        self.text, self.note = QLineEdit(), NoteEdit()
        self.text.setObjectName("mark text")
        self.text.setPlaceholderText(tr("Written on the map"))
        self.note.setObjectName("mark note")
        self.note.setPlaceholderText(tr("For yourself, and for whoever gets the sketch"))
        self.note.setMaximumHeight(NOTE_PX)
        self.measures = PlainLabel()
        self.measures.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.go, self.remove = QPushButton(tr("Go there")), QPushButton(tr("Remove"))
        low = QHBoxLayout()
        low.addWidget(self.go)
        low.addWidget(self.remove)
        low.addStretch(1)
        self.about = QWidget()
        form = QFormLayout(self.about)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(6)
        form.addRow(tr("Text"), self.text)
        form.addRow(tr("Note"), self.note)
        form.addRow(tr("Measures"), self.measures)
        form.addRow("", low)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addLayout(bar)
        column.addWidget(self.into)
        column.addWidget(self.new, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.list, 1)
        column.addWidget(self.about)
        self._below = QSpacerItem(0, 0, vPolicy=QSizePolicy.Policy.Minimum)  # takes the room while there is no list
        column.addItem(self._below)
        self.new.clicked.connect(self._begin_anew)
        self.list.currentRowChanged.connect(self._current_changed)
        self.list.delete_pressed.connect(self.remove_current)
        self.list.itemActivated.connect(lambda item: self.go_wanted.emit())
        self.text.editingFinished.connect(lambda: self._write(tr("text of a mark"), text=self.text.text().strip()))
        self.note.ended.connect(lambda: self._write(tr("note of a mark"), note=self.note.toPlainText().strip()))
        self.go.clicked.connect(self.go_wanted)
        self.remove.clicked.connect(self.remove_current)
        session.work_changed.connect(self._work_changed)
        self.fill()

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = theme
        for kind, mark, _ in TOOLS:
            self.tools[kind].setIcon(icon(mark, theme.ink))
        self.fill()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "file"):
            if what == "subject":
                self.anew = False
            self.fill()
        elif what == "picks" and self._shown is not None:
            picks = self.session.work.picks
            if picks is not None and picks.layer_id == self._shown[0].id and picks.rows:
                self.show_mark(picks.rows[0])

    @property
    def current(self) -> int | None:
        """The number of the current mark, None without."""
        item = self.list.currentItem()
        return None if item is None else int(item.data(NUMBER))

    @property
    def layer(self) -> Layer | None:
        """The layer whose marks are shown."""
        return self._shown[0] if self._shown is not None else None

    @property
    def shown_sketch(self) -> Sketch | None:
        """The sketch whose marks are shown."""
        return self._shown[1] if self._shown is not None else None

    def fill(self) -> None:
        """Show the marks of the sketch that is drawn into."""
        from brisk_atlas.core.workspace.sketching import sketch_layer

        layer = None if self.anew else sketch_layer(self.session.work)
        before = self._shown
        self._shown = self._read(layer)
        marks = self._shown[1].marks if self._shown is not None else ()
        same = before is not None and self._shown is not None and before[0].id == self._shown[0].id
        row = self.list.currentRow() if same else len(marks) - 1
        self._filling = True
        self.list.clear()
        for number, mark in enumerate(marks):
            item = QListWidgetItem(icon(MARK_ICONS[mark.kind], self._theme.quiet, ICON_PX), self._line_of(mark))
            item.setData(NUMBER, number)
            self.list.addItem(item)
        grown = same and before is not None and len(marks) > len(before[1].marks)
        self.list.setCurrentRow(len(marks) - 1 if grown else min(row, len(marks) - 1))
        self._filling = False
        self.into.setText(tr("Drawn into {name}", name=layer.name) if layer is not None and marks else EMPTY)
        self.new.setVisible(bool(marks))
        self.list.setVisible(bool(marks))
        self._below.changeSize(0, 0, vPolicy=QSizePolicy.Policy.Minimum if marks else QSizePolicy.Policy.Expanding)
        self.tools["sketch move"].setEnabled(bool(marks))
        self._show_current()

    def _read(self, layer: Layer | None) -> tuple[Layer, Sketch] | None:
        from brisk_atlas.core.workspace.sketching import sketch_of

        try:
            return (layer, sketch_of(layer)) if layer is not None else None
        except AtlasError:  # GeoJSON that a reference carries, but no sketch: it is looked at, not drawn into
            return None

    def _line_of(self, mark: Mark) -> str:
        """Return a mark in a line: its text, or what it is and how large."""
        size = self._measures_of(mark)
        return "   ".join(each for each in (mark.text or mark.kind.capitalize(), size[-1][1] if size else "") if each)

    def _measures_of(self, mark: Mark) -> list[tuple[str, str]]:
        from brisk_atlas.core.model.length_units import area_text, length_text

        assert self._shown is not None
        length, area = mark.measures(self._shown[1].crs)
        found = []
        if length is not None:
            found.append(("around" if area is not None else "length", length_text(length)))
        if area is not None:
            found.append(("area", area_text(area)))
        return found

    def _current_changed(self, row: int) -> None:
        if self._filling:
            return
        self._show_current()
        number = self.current
        if self._shown is not None and number is not None:
            self.mark_chosen.emit(self._shown[0].id, number)

    def _show_current(self) -> None:
        number = self.current
        self.about.setVisible(number is not None)
        if self._shown is None or number is None:
            return
        mark = self._shown[1].marks[number]
        if not self.text.hasFocus():
            self.text.setText(mark.text)
        if not self.note.hasFocus():
            self.note.setPlainText(mark.note)
        lines = [f"{text} {word}" if word == "around" else text for word, text in self._measures_of(mark)]
        self.measures.setText("\n".join(lines) or tr("none of a point"))
        for widget in (self.text, self.note, self.remove):
            widget.setEnabled(not self._shown[0].locked)

    def show_mark(self, number: int) -> None:
        """Make a mark the current one."""
        if 0 <= number < self.list.count() and number != self.list.currentRow():
            self.list.setCurrentRow(number)

    def _begin_anew(self) -> None:
        self.anew = True
        self.fill()

    def _write(self, what: str, *, text: str | None = None, note: str | None = None) -> None:
        from brisk_atlas.core.workspace.sketching import change_mark

        number = self.current
        if self._filling or self._shown is None or number is None:
            return
        layer, sketch = self._shown
        now = sketch.marks[number]
        mark = replace(now, text=now.text if text is None else text, note=now.note if note is None else note)
        self._do(lambda: change_mark(self.session.work, layer.id, number, what, mark))

    def remove_current(self) -> None:
        """Remove the current mark."""
        number = self.current
        if number is not None:
            self.remove_mark(number)

    def remove_mark(self, number: int) -> None:
        """Remove a mark of the sketch on show."""
        from brisk_atlas.core.workspace.sketching import remove_mark

        layer = self.layer
        if layer is not None:
            self._do(lambda: remove_mark(self.session.work, layer.id, number))

    def _do(self, change: Callable[[], None]) -> None:
        try:
            change()
        except AtlasError as error:
            self.session.fault(error)
            self.fill()


class NoteEdit(QPlainTextEdit):
    """A note of several lines.

    Signals:
        ended(): the keyboard left it.
    """

    ended = pyqtSignal()

    def focusOutEvent(self, event: object) -> None:
        super().focusOutEvent(event)  # type: ignore[arg-type]
        self.ended.emit()
