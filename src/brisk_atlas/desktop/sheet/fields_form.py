"""All fields of a sheet in one list: find, choose, order, keep in sight."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import ColumnView, TableView
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel, plain_tip

FIELD = Qt.ItemDataRole.UserRole


class FieldsForm(QDialog):
    """Ticked fields show, in the order of the list; the pinned ones carry a mark.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
    """

    look_changed = pyqtSignal(str, object)

    def __init__(self, look: TableView, names: list[str], about: dict[str, str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Fields"))
        self.resize(420, 520)
        self.look, self.names = look, names
        self.search = QLineEdit()
        self.search.setObjectName("find a field")
        self.search.setPlaceholderText(tr("Find among the names and what they mean"))
        self.search.setClearButtonEnabled(True)
        self.count = PlainLabel()
        self.count.setObjectName("quiet")
        self.list = QListWidget()
        self.list.setObjectName("fields")
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        for column in look.ordered(names):
            item = QListWidgetItem()
            item.setData(FIELD, column)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if column.shown else Qt.CheckState.Unchecked)
            item.setToolTip(plain_tip(about.get(column.name, column.name)))
            item.setText(self._line(column, about.get(column.name, "")))
            self.list.addItem(item)
        buttons = QHBoxLayout()
        for text, name, run in (
            (tr("Show found"), tr("show found"), lambda: self._tick(True)),
            (tr("Hide found"), tr("hide found"), lambda: self._tick(False)),
            (tr("Up"), "up", lambda: self._move(-1)),
            (tr("Down"), "down", lambda: self._move(1)),
            (tr("Keep in sight"), "keep", self._keep),
        ):
            button = QPushButton(text)
            button.setObjectName(name)
            button.clicked.connect(run)
            buttons.addWidget(button)
        end = QHBoxLayout()
        use, cancel = QPushButton(tr("Use")), QPushButton(tr("Cancel"))
        use.setObjectName("main")
        use.setDefault(True)
        use.clicked.connect(self._use)
        cancel.clicked.connect(self.reject)
        end.addWidget(self.count, 1)
        end.addWidget(cancel)
        end.addWidget(use)
        column_ = QVBoxLayout(self)
        column_.addWidget(self.search)
        column_.addWidget(self.list, 1)
        column_.addLayout(buttons)
        column_.addLayout(end)
        self.search.textChanged.connect(self._find)
        self.list.itemChanged.connect(lambda item: self._tell())
        self._tell()

    @staticmethod
    def _line(column: ColumnView, about: str) -> str:
        mark = "● " if column.pinned else ""
        return f"{mark}{column.name}" + (f"   {about}" if about and about != column.name else "")

    def _items(self) -> list[QListWidgetItem]:
        return [item for i in range(self.list.count()) if (item := self.list.item(i)) is not None]

    def _find(self, text: str) -> None:
        words = text.lower().split()
        for item in self._items():
            stated = f"{item.text()} {item.toolTip()}".lower()
            item.setHidden(not all(word in stated for word in words))
        self._tell()

    def _tell(self) -> None:
        ticked = sum(i.checkState() == Qt.CheckState.Checked for i in self._items())
        found = sum(not i.isHidden() for i in self._items())
        text = tr("{ticked:,} of {count:,} shown", ticked=ticked, count=len(self.names))
        self.count.setText(text + (tr(", {found:,} found", found=found) if found < len(self.names) else ""))

    def _tick(self, on: bool) -> None:
        for item in self._items():
            if not item.isHidden():
                item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)

    def _move(self, by: int) -> None:
        rows = sorted((self.list.row(i) for i in self.list.selectedItems()), reverse=by > 0)
        for row in rows:
            to = row + by
            if not 0 <= to < self.list.count():
                break
            item = self.list.takeItem(row)
            self.list.insertItem(to, item)
            if item is not None:
                item.setSelected(True)
                self.list.setCurrentItem(item)

    def _keep(self) -> None:
        for item in self.list.selectedItems():
            column = item.data(FIELD)
            pinned = replace(column, pinned=not column.pinned)
            item.setData(FIELD, pinned)
            item.setText(("● " if pinned.pinned else "") + item.text().removeprefix("● "))

    def _use(self) -> None:
        columns = tuple(
            replace(item.data(FIELD), shown=item.checkState() == Qt.CheckState.Checked) for item in self._items()
        )
        self.look_changed.emit(tr("choose fields"), replace(self.look, columns=columns))
        self.accept()
