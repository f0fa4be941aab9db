"""How tables belong to boreholes: which columns name the hole and its depths."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.hole_choices import HoleTable, TableRole
from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from brisk_atlas.core.model import DataRef

LABELS = (("hole", tr("names the hole")), ("top", tr("depth, or begin")), ("base", "end"),
          ("azimuth", tr("azimuth, °")),
          ("inclination", tr("inclination or dip, °")))  # fmt: skip
NEEDED = {
    TableRole.INTERVALS: ("hole", "top", "base"), TableRole.POINTS: ("hole", "top"),
    TableRole.DEVIATION: ("hole", "top", "azimuth", "inclination"), TableRole.LOG: (), TableRole.NOT_USED: (),
}  # fmt: skip


class HoleTableForm(QWidget):
    """How one table belongs to holes."""

    def __init__(self, table: HoleTable, fields: Sequence[str]) -> None:
        super().__init__()
        self.table = table
        self.role = QComboBox()
        self.role.setObjectName("table role")
        self.role.setAccessibleName(tr("What the table says of holes"))
        roles = [TableRole.LOG] if table.role is TableRole.LOG else [r for r in TableRole if r is not TableRole.LOG]
        for role in roles:
            self.role.addItem(str(role), role)
        self.role.setCurrentIndex(max(0, self.role.findData(table.role)))
        self.boxes = {}
        form = QFormLayout(self)
        reason = PlainLabel(tr("Taken so because {reason}.", reason=table.reason) if table.reason else "")
        reason.setWordWrap(True)
        reason.setObjectName("quiet")
        form.addRow(reason)
        form.addRow(tr("says"), self.role)
        for key, label in LABELS:
            box = QComboBox()
            box.setObjectName(f"column {key}")
            box.setAccessibleName(label)
            box.addItem(tr("none"), "")
            for field in fields:
                box.addItem(field, field)
            box.setCurrentIndex(max(0, box.findData(getattr(table, key))))
            self.boxes[key] = box
            form.addRow(label, box)
        self.dips = QCheckBox(tr("counted below the horizon, not from the vertical"))
        self.dips.setChecked(table.dips)
        self.feet = QCheckBox(tr("depths are feet"))
        self.feet.setChecked(table.feet)
        form.addRow("", self.dips)
        form.addRow("", self.feet)
        self.role.currentIndexChanged.connect(lambda n: self._enable())
        self._enable()

    def _enable(self) -> None:
        needed = NEEDED[self.role.currentData()]
        for key, box in self.boxes.items():
            box.setEnabled(key in needed)
        self.dips.setEnabled("inclination" in needed)
        self.feet.setEnabled("top" in needed)

    def missing(self) -> list[str]:
        """Return what has to be stated and is not."""
        return [dict(LABELS)[key] for key in NEEDED[self.role.currentData()] if not self.boxes[key].currentData()]

    def value(self) -> HoleTable:
        """Return what is stated."""
        columns = {key: box.currentData() for key, box in self.boxes.items()}
        stated = replace(self.table, role=self.role.currentData(), **columns, dips=self.dips.isChecked(),
                         feet=self.feet.isChecked())  # fmt: skip
        return stated if stated == self.table else replace(stated, reason=tr("you stated it"))


class HoleColumnsForm(QDialog):
    """A list of tables, and how the chosen one belongs to the holes."""

    def __init__(self, tables: Sequence[HoleTable], fields: Mapping[DataRef, Sequence[str]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Columns of the tables of boreholes"))
        self.resize(640, 420)
        self.list = QListWidget()
        self.list.setObjectName("hole tables")
        self.list.setAccessibleName(tr("Tables"))
        self.list.setFixedWidth(220)
        self.pages = QStackedWidget()
        self.forms = [HoleTableForm(table, fields.get(table.ref, ())) for table in tables]
        for form in self.forms:
            self.list.addItem(f"{form.table.ref.name}: {form.table.role}")
            self.pages.addWidget(form)
            form.role.currentIndexChanged.connect(partial(self._check, 0))
            for box in form.boxes.values():
                box.currentIndexChanged.connect(partial(self._check, 0))
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        both = QHBoxLayout()
        both.addWidget(self.list)
        both.addWidget(self.pages, 1)
        column = QVBoxLayout(self)
        column.addLayout(both, 1)
        column.addWidget(self.words)
        column.addWidget(self.buttons)
        self.list.currentRowChanged.connect(self.pages.setCurrentIndex)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.list.setCurrentRow(0)
        self._check()

    def _check(self, *_: object) -> None:
        missing = [(form.table.ref.name, form.missing()) for form in self.forms if form.missing()]
        words = "; ".join(tr("{name} lacks what {each}", name=name, each=", ".join(each)) for name, each in missing)
        self.words.setText(tr("State the columns: {words}.", words=words) if missing else "")
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        ok.setEnabled(not missing)

    def changed(self) -> tuple[HoleTable, ...]:
        """Return the tables of which something else was stated than what was guessed."""
        return tuple(form.value() for form in self.forms if form.value() != form.table)
