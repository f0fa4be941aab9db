"""Which fields, what they are called and of which type: a line for each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
)

from brisk_atlas.core.model.language import tr

from .step_inputs import StepInput

USED, NAME, NEW, TYPE = range(4)
ROW_PX = 24


class FieldsInput(StepInput):
    """A table of fields: ticked ones are left, in this order; a new name and a new type may be given."""

    def __init__(self, names: Sequence[str], types: Sequence[str]) -> None:
        super().__init__()
        self._names, self._types = list(names), list(types)
        self.table = QTableWidget(0, 4)
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("fields of the step")
        self.table.setAccessibleName(tr("Fields: whether they are left, new name, new type"))
        self.table.setHorizontalHeaderLabels(["", tr("Field"), tr("New name"), tr("New type")])
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setMinimumHeight(180)
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None and head is not None
        side.hide()
        side.setDefaultSectionSize(ROW_PX)
        head.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        head.setSectionResizeMode(NEW, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(USED, 28)
        self.table.setColumnWidth(TYPE, 116)
        buttons = QVBoxLayout()
        for text, tip, deed in (
            (tr("Up"), tr("Earlier in the order (Alt+Up)"), lambda: self._move(-1)),
            (tr("Down"), tr("Later in the order (Alt+Down)"), lambda: self._move(1)),
            (tr("All"), tr("Leave all fields"), lambda: self._tick(True)),
            (tr("None"), tr("Leave none"), lambda: self._tick(False)),
        ):
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda checked=False, d=deed: d())
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.row.addWidget(self.table, 1)
        self.row.addLayout(buttons)
        self.table.itemChanged.connect(lambda item: self.changed.emit())

    def value(self) -> Any:
        found = []
        for row in range(self.table.rowCount()):
            used, name, new = (self.table.item(row, column) for column in (USED, NAME, NEW))
            if used is None or name is None or used.checkState() != Qt.CheckState.Checked:
                continue
            box = self.table.cellWidget(row, TYPE)
            type_ = box.currentData() if isinstance(box, QComboBox) else ""
            renamed = new.text().strip() if new is not None else ""
            plain = name.text() if not set('=:"') & set(name.text()) else f'"{name.text()}"'
            text = f"{plain}={renamed}" if renamed and renamed != name.text() else plain
            found.append(f"{text}:{type_}" if type_ else text)
        return found

    def show_value(self, value: Any) -> None:
        from brisk_atlas.core.handover.steps.fields import parsed_field

        chosen = [parsed_field(text, self._names) for text in value] if value else [(n, n, "") for n in self._names]
        named = {name for name, _, _ in chosen}
        lines = [(True, *each) for each in chosen] + [(False, n, n, "") for n in self._names if n not in named]
        self._show(lines)

    def _show(self, lines: list[tuple[bool, str, str, str]]) -> None:
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(lines))
            for row, (used, name, new, type_) in enumerate(lines):
                tick, field, renamed = (
                    QTableWidgetItem(),
                    QTableWidgetItem(name),
                    QTableWidgetItem(new if new != name else ""),
                )
                tick.setFlags(
                    Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                )
                tick.setCheckState(Qt.CheckState.Checked if used else Qt.CheckState.Unchecked)
                field.setFlags(field.flags() & ~Qt.ItemFlag.ItemIsEditable)
                for column, item in ((USED, tick), (NAME, field), (NEW, renamed)):
                    self.table.setItem(row, column, item)
                box = QComboBox()
                box.setAccessibleName(tr("New type of {name}", name=name))
                for each in ("", *self._types):
                    box.addItem(each or tr("as it is"), each)
                box.setCurrentIndex(max(0, box.findData(type_)))
                box.activated.connect(lambda at: self.changed.emit())
                self.table.setCellWidget(row, TYPE, box)

    def _lines(self) -> list[tuple[bool, str, str, str]]:
        found = []
        for row in range(self.table.rowCount()):
            used, name, new = (self.table.item(row, column) for column in (USED, NAME, NEW))
            assert used is not None and name is not None and new is not None
            box = self.table.cellWidget(row, TYPE)
            type_ = box.currentData() if isinstance(box, QComboBox) else ""
            found.append((used.checkState() == Qt.CheckState.Checked, name.text(), new.text() or name.text(), type_))
        return found

    def _move(self, by: int) -> None:
        lines, row = self._lines(), self.table.currentRow()
        if 0 <= row < len(lines) and 0 <= row + by < len(lines):
            lines[row], lines[row + by] = lines[row + by], lines[row]
            self._show(lines)
            self.table.setCurrentCell(row + by, NAME)
            self.changed.emit()

    def _tick(self, used: bool) -> None:
        self._show([(used, *rest) for _, *rest in self._lines()])  # type: ignore[misc]
        self.changed.emit()
