"""Where lines cross, and by how much they differ there: measures, a histogram, a table, and levelling."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.language import tr

from ..arrow_view import ArrowView
from ..drawers.bars import Bars
from ..plain_text import PlainLabel

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.strip.crossovers import Crossovers, CrossoverSummary
    from brisk_atlas.core.strip.levelling import Levelling

BINS, SIDE_PX, BARS_PX = 21, 262, 72
HEADS = {"line_1": tr("Line"), "line_2": tr("Other line"), "record_1": tr("Record"), "record_2": tr("Its record"),
         "hours_between": tr("Hours between"),
         "difference": tr("Difference"), "first": tr("Line has"), "second": tr("Other has"), "x": "X",
         "y": "Y"}  # fmt: skip


class StripCrossoversPage(QWidget):
    """Shows the crossovers of the lines for one quantity.

    Signals:
        find_wanted(): the crossovers of the lines are to be found.
        quantity_chosen(): another quantity is on show.
        crossover_chosen(int): one is to be looked at.
        level_wanted(): the levelled quantity is to be added to the layers as a field.
        save_wanted(): the table is to be written.
    """

    find_wanted = pyqtSignal()
    quantity_chosen = pyqtSignal()
    crossover_chosen = pyqtSignal(int)
    level_wanted = pyqtSignal()
    save_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.found: Crossovers | None = None
        self.levelling: Levelling | None = None
        self.quantity = QComboBox()
        self.quantity.setObjectName("crossover quantity")
        self.quantity.setAccessibleName(tr("Quantity that is compared at crossovers"))
        self.seek = QPushButton(tr("Find"))
        self.seek.setObjectName("find crossovers")
        self.seek.setToolTip(tr("Find where the lines that are listed cross"))
        self.level = QPushButton(tr("Add levelled field"))
        self.level.setObjectName("level lines")
        self.level.setToolTip(
            tr("Add a field in which one shift a line makes the differences smallest by least squares")
        )
        self.save = QPushButton(tr("Save…"))
        self.save.setObjectName("save crossovers")
        self.save.setToolTip(tr("Write the crossovers as a table, or as points of a GeoPackage"))
        self.words = PlainLabel(tr("The lines that are listed are compared where they cross."))
        self.words.setObjectName("quiet")
        self.words.setWordWrap(True)
        self.bars = Bars()
        self.bars.setFixedHeight(BARS_PX)
        self.bars.hide()
        self.table = ArrowView("crossovers", tr("Crossovers"))
        side = QVBoxLayout()
        side.setSpacing(4)
        above = QHBoxLayout()
        above.addWidget(self.quantity, 1)
        above.addWidget(self.seek)
        side.addLayout(above)
        side.addWidget(self.words)
        side.addWidget(self.bars)
        deeds = QHBoxLayout()
        deeds.addWidget(self.level)
        deeds.addWidget(self.save)
        side.addLayout(deeds)
        side.addStretch(1)
        left = QWidget()
        left.setLayout(side)
        left.setFixedWidth(SIDE_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 2, 4, 2)
        row.addWidget(left)
        row.addWidget(self.table, 1)
        self.seek.clicked.connect(self.find_wanted)
        self.quantity.activated.connect(lambda n: self._show_quantity())
        self.level.clicked.connect(self.level_wanted)
        self.save.clicked.connect(self.save_wanted)
        self.table.row_chosen.connect(lambda row: self.crossover_chosen.emit(row) if row >= 0 else None)
        self._enable()

    def _enable(self) -> None:
        some = self.found is not None and len(self.found) > 0
        for widget in (self.quantity, self.level, self.save):
            widget.setEnabled(some)

    @property
    def number(self) -> int | None:
        """The number of the quantity on show in the set of lines."""
        return self.quantity.currentData()

    def show_crossovers(self, found: Crossovers | None) -> None:
        """Show crossovers, None before they were looked for."""
        self.found = found
        now = self.quantity.currentText()
        self.quantity.clear()
        for number in found.of.measured if found is not None else ():
            name, unit = found.of.quantities[number] if found is not None else ("", "")
            self.quantity.addItem(f"{name}, {unit}" if unit else name, number)
        self.quantity.setCurrentIndex(max(0, self.quantity.findText(now)))
        self._enable()
        self._show_quantity()

    def _show_quantity(self) -> None:
        from brisk_atlas.core.inspect.statistics import summarise
        from brisk_atlas.core.strip.levelling import level

        self.levelling = None
        found, number = self.found, self.number
        if found is None or number is None or not len(found):
            self.bars.hide()
            self.table.show_table(None)
            none = tr("None of the lines that are listed crosses another, or itself.")
            self.words.setText(
                none if found is not None else tr("The lines that are listed are compared where they cross.")
            )
            self.quantity_chosen.emit()
            return
        unit = found.of.quantities[number][1]
        self.levelling = level(found, number)
        self.words.setText(_words(found.summary(number), self.levelling, unit))
        differences = found.differences(number)
        self.bars.show_summary(summarise(differences, BINS), unit, tr("differences at crossovers"))
        table = _table(found, number)
        digits = {name: 2 for name in table.column_names if name not in ("x", "y")}
        self.table.show_table(table, [HEADS.get(name, name.replace("_", " ")) for name in table.column_names], digits)
        self.quantity_chosen.emit()


def _words(of: CrossoverSummary, levelling: Levelling, unit: str) -> str:
    if not of.count:
        return tr("Neither line has a value where they cross.")
    mean, deviation, rms = (number_text(float(f"{each:.4g}")) for each in (of.mean, of.deviation, of.rms))
    after = number_text(float(f"{levelling.after.rms:.3g}"))
    return (tr("{count:,} differences, {unit}: mean {mean}, standard deviation {deviation}, RMS {rms}; RMS "
"{after} once levelled", count=of.count, unit=unit, mean=mean, deviation=deviation, rms=rms, after=after))  # fmt: skip


def _table(found: Crossovers, number: int) -> pa.Table:
    from brisk_atlas.core.strip.crossovers import table_of_crossovers

    table = table_of_crossovers(found, (number,))
    name = found.of.quantities[number][0]
    first = ["line_1", "line_2", f"{name}_difference", f"{name}_1", f"{name}_2"]
    rest = [each for each in ("hours_between", "record_1", "record_2") if each in table.column_names]
    return table.select([*first, *rest]).rename_columns(["line_1", "line_2", "difference", "first", "second", *rest])
