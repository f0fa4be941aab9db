"""What looks wrong along lines: a list by record."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr, trn

from ..arrow_view import ArrowView
from ..plain_text import PlainLabel, plain_tip

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.strip.line_checks import LineCheck

HEADS = (tr("Line"), tr("Record"), tr("Fault"), tr("Quantity"), tr("Value"), tr("About"))


class StripCheckPage(QWidget):
    """Asks what is land, and lists what was found.

    Signals:
        check_wanted(): the lines are to be checked, with the land and the speed that are chosen.
        place_chosen(int): a place in the set of lines is to be looked at.
    """

    check_wanted = pyqtSignal()
    place_chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.found: LineCheck | None = None
        self.land = QComboBox()
        self.land.setObjectName("check land")
        self.land.setAccessibleName(tr("Layer of land"))
        self.land.setToolTip(tr("Polygons of land, or a grid of heights: positions on it are faults"))
        self.fastest = QDoubleSpinBox()
        self.fastest.setObjectName("check speed")
        self.fastest.setAccessibleName(tr("Highest speed, metres a second"))
        self.fastest.setRange(0.1, 10_000.0)
        self.fastest.setValue(15.0)
        self.fastest.setSuffix(" m/s")
        self.go = QPushButton(tr("Check the lines"))
        self.go.setObjectName("check lines")
        self.about = PlainLabel(tr("Positions on land, speeds, jumps, and values beyond the limits of the format."))
        self.about.setObjectName("quiet")
        self.table = ArrowView("line faults", tr("What looks wrong along the lines"))
        row = QHBoxLayout()
        for label, widget in ((tr("Land"), self.land), (tr("Fastest"), self.fastest)):
            row.addWidget(PlainLabel(label))
            row.addWidget(widget)
        row.addWidget(self.go)
        row.addWidget(self.about, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 3, 6, 3)
        column.setSpacing(3)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        self.go.clicked.connect(self.check_wanted)
        self.table.row_chosen.connect(self._choose)

    def offer_land(self, layers: list[Layer]) -> None:
        """Offer layers of land; the one that is chosen stays."""
        now = self.land.currentData()
        self.land.clear()
        self.land.addItem(tr("not looked at"), None)
        for layer in layers:
            self.land.addItem(layer.name, layer.id)
        self.land.setCurrentIndex(max(0, self.land.findData(now)))

    def show_check(self, found: LineCheck | None, lines: int = 0) -> None:
        """Show what was found, None before anything was looked for."""
        from brisk_atlas.core.strip.line_checks import table_of_check

        self.found = found
        if found is None:
            self.table.show_table(None)
            self.about.setText(tr("Positions on land, speeds, jumps, and values beyond the limits of the format."))
            self.about.setToolTip("")
            return
        self.table.show_table(table_of_check(found), HEADS)
        self.about.setText(
            trn(
                "{count:,} fault in {records:,} records of {lines:,} lines",
                "{count:,} faults in {records:,} records of {lines:,} lines",
                len(found),
                records=len(found.of.rows),
                lines=lines,
            )
        )
        self.about.setToolTip(plain_tip(tr("Looked for: ") + "; ".join(found.looked)))

    def _choose(self, row: int) -> None:
        if self.found is not None and 0 <= row < len(self.found):
            self.place_chosen.emit(int(self.found.places[row]))
