"""All keys on one page, by what they are for, and other keys for any command."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr

from ..commands import Commands
from ..plain_text import PlainLabel
from ..theme import mono_font

WIDTH_PX, HEIGHT_PX, KEYS_PX = 640, 680, 160
ON_THE_MAP = (
    (tr("Move the map"), tr("Arrows")), (tr("Zoom in and out"), "+  −"), (tr("Turn the map"), ",  ."),
    (tr("Ask what lies under the cross"), "Space"), (tr("End a shape that is drawn"), "Return"),
    (tr("Take back its last corner"), "Backspace"), (tr("Leave a tool"), "Esc"), (tr("Put A or B in front"), "[  ]"),
)  # fmt: skip
MAP_KEYS = frozenset(("Left", "Right", "Up", "Down", "+", "-", "=", ",", ".", "Space", "Return", "Enter", "Backspace",
                      "Esc", "[", "]", "Tab"))  # fmt: skip
CHOOSE = tr("Choose a command to give it other keys.")


class KeysWindow(QDialog):
    """The keys of commands, and those of the map.

    Signals:
        chosen(object): commands are to have other keys: a dict from the id to the keys, "" for none.
    """

    chosen = pyqtSignal(object)

    def __init__(self, commands: Commands, parent: QWidget) -> None:
        super().__init__(parent)
        self.commands = commands
        self.setWindowTitle(tr("Keys"))
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Search by words or by keys, such as relief or Ctrl+E"))
        self.line.setClearButtonEnabled(True)
        self.without = QCheckBox(tr("Also commands without keys"))
        self.tree = QTreeWidget()
        self.tree.setAccessibleName(tr("Keys"))
        self.tree.setColumnCount(2)
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        header = self.tree.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.resizeSection(1, KEYS_PX)
        self.name, self.edit, self.words = PlainLabel(CHOOSE), QKeySequenceEdit(), PlainLabel("")
        self.edit.setMaximumSequenceLength(1)
        self.edit.setClearButtonEnabled(True)
        self.edit.setAccessibleName(tr("Other keys"))
        self.words.setObjectName("quiet")
        self.words.setWordWrap(True)
        self.use, self.first, self.all_first = (
            QPushButton(words) for words in (tr("Use"), tr("As proposed"), tr("All keys as proposed"))
        )
        self._lay_out()
        self._fill()
        self.line.textChanged.connect(self._search)
        self.without.toggled.connect(lambda on: self._search(self.line.text()))
        self.tree.currentItemChanged.connect(lambda now, before: self._show_chosen())
        self.edit.keySequenceChanged.connect(lambda keys: self._judge())
        self.use.clicked.connect(lambda checked=False: self._use(self._typed()))
        self.first.clicked.connect(lambda checked=False: self._use(self.commands.first_keys[self._command_id()]))
        self.all_first.clicked.connect(lambda checked=False: self._use_first())
        self._show_chosen()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.line, 1)
        top.addWidget(self.without)
        change = QFrame()
        rows = QVBoxLayout(change)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.addWidget(self.name)
        row = QHBoxLayout()
        row.addWidget(self.edit, 1)
        for each in (self.use, self.first):
            row.addWidget(each)
        row.addSpacing(24)
        row.addWidget(self.all_first)
        rows.addLayout(row)
        rows.addWidget(self.words)
        column = QVBoxLayout(self)
        column.addLayout(top)
        column.addWidget(self.tree, 1)
        column.addWidget(change)

    def _fill(self) -> None:
        groups: dict[str, list[tuple[str, str, str]]] = {}
        for each in self.commands.all():
            groups.setdefault(each.group, []).append((each.title.removesuffix("…"), each.keys, each.id))
        groups[tr("With the keyboard on the map")] = [(title, keys, "") for title, keys in ON_THE_MAP]
        for name, rows in groups.items():
            self._add(name, rows)
        self._search("")

    def _add(self, name: str, rows: list[tuple[str, str, str]]) -> None:
        group = QTreeWidgetItem([name, ""])
        font = group.font(0)
        font.setBold(True)
        group.setFont(0, font)
        group.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self.tree.addTopLevelItem(group)
        for title, keys, command_id in rows:
            row = QTreeWidgetItem([title, _native(keys) if command_id else keys])
            row.setFont(1, mono_font())
            row.setData(0, Qt.ItemDataRole.UserRole, command_id)
            group.addChild(row)
        group.setExpanded(True)

    def _search(self, text: str) -> None:
        words = text.casefold().split()
        for number in range(self.tree.topLevelItemCount()):
            group = self.tree.topLevelItem(number)
            assert group is not None
            shown = 0
            for place in range(group.childCount()):
                row = group.child(place)
                assert row is not None
                fits = all(word in f"{row.text(0)} {row.text(1)}".casefold() for word in words)
                fits = fits and bool(row.text(1) or self.without.isChecked())
                row.setHidden(not fits)
                shown += fits
            group.setHidden(not shown)

    # Other keys

    def _command_id(self) -> str:
        item = self.tree.currentItem()
        return str(item.data(0, Qt.ItemDataRole.UserRole) or "") if item is not None else ""

    def _typed(self) -> str:
        return _portable(self.edit.keySequence())

    def _show_chosen(self) -> None:
        command_id, item = self._command_id(), self.tree.currentItem()
        for each in (self.edit, self.use, self.first):
            each.setEnabled(bool(command_id))
        if command_id and item is not None:
            self.name.setText(tr("Other keys for “{text}”", text=item.text(0)))
            self.edit.setKeySequence(QKeySequence(self._keys_of(command_id)))
        else:
            self.name.setText(CHOOSE)
        self._judge()

    def _keys_of(self, command_id: str) -> str:
        return next(each.keys for each in self.commands.all() if each.id == command_id)

    def _judge(self) -> None:
        """Say what the typed keys do already."""
        command_id, typed = self._command_id(), self._typed()
        own = self._keys_of(command_id) if command_id else ""
        first = self.commands.first_keys.get(command_id, "")
        others = self._others_with(typed, command_id)
        on_map = typed in MAP_KEYS
        self.use.setEnabled(bool(command_id) and typed != _portable(own) and not on_map)
        self.use.setText(tr("Use, and take from the other") if others else tr("Use"))
        self.first.setEnabled(bool(command_id) and own != first)
        self.first.setToolTip(tr("Proposed: {native}", native=_native(first) or "none"))
        self.all_first.setEnabled(any(each.keys != self.commands.first_keys[each.id] for each in self.commands.all()))
        if on_map:
            self.words.setText(tr("{native} is a key of the map itself; choose others.", native=_native(typed)))
        elif others:
            titles = " and ".join(f"“{each.removesuffix('…')}”" for each in others.values())
            self.words.setText(tr("{native} is in use: {titles}.", native=_native(typed), titles=titles))
        else:
            self.words.setText("")

    def _others_with(self, keys: str, command_id: str) -> dict[str, str]:
        """Return the titles of other commands with the same keys, by id."""
        others = (each for each in self.commands.all() if each.id != command_id)
        return {each.id: each.title for each in others if keys and _portable(each.keys) == _portable(keys)}

    def _use(self, keys: str) -> None:
        command_id = self._command_id()
        self.chosen.emit({**dict.fromkeys(self._others_with(keys, command_id), ""), command_id: keys})
        self._fill_keys()

    def _use_first(self) -> None:
        self.chosen.emit(dict(self.commands.first_keys))
        self._fill_keys()

    def _fill_keys(self) -> None:
        """Show the keys as they are now."""
        now = {each.id: each.keys for each in self.commands.all()}
        for number in range(self.tree.topLevelItemCount()):
            group = self.tree.topLevelItem(number)
            assert group is not None
            for place in range(group.childCount()):
                row = group.child(place)
                assert row is not None
                command_id = row.data(0, Qt.ItemDataRole.UserRole)
                if command_id:
                    row.setText(1, _native(now[command_id]))
        self._search(self.line.text())
        self._show_chosen()


def _portable(keys: str | QKeySequence) -> str:
    """Return keys as they are stored and compared, however they were written."""
    return QKeySequence(keys).toString(QKeySequence.SequenceFormat.PortableText)


def _native(keys: str) -> str:
    return QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)
