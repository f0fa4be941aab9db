"""How a surface changed: area and volume of what rose and fell, with how far they can be believed."""

from __future__ import annotations

from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDoubleSpinBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import DataRef, GridStyle, Layer, Stretch
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.compare import GridDifference
    from brisk_atlas.core.compare.change import VolumeError
    from brisk_atlas.core.operations.grid_change import GridChangeResult

EXPLAINED = "Compares two grids where both have data: what rose, what fell, how much."
STATED = "as the record states"


class SurfacePane(QWidget):
    """Measures B minus A of two grids, and adds the difference as a layer."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides: tuple[Layer, Layer] | None = None
        self.result: GridDifference | None = None
        self._names, self._unit = ("", ""), ""
        self.threshold = QDoubleSpinBox()
        self.threshold.setObjectName("change threshold")
        self.threshold.setRange(0, 1e6)
        self.threshold.setValue(0.5)
        self.threshold.setSingleStep(0.1)
        self.threshold.setToolTip("Smaller changes, up or down, count as none")
        self.errors = [QDoubleSpinBox(), QDoubleSpinBox()]
        for side, box in zip("AB", self.errors):
            box.setObjectName(f"standard error {side}")
            box.setRange(0, 1e4)
            box.setDecimals(3)
            box.setSingleStep(0.05)
            box.setSpecialValueText(STATED)
            box.setToolTip(f"The standard error of {side}'s heights; 0 for the one that its record states")
        self.measure = QPushButton("Measure the change")
        self.measure.setObjectName("main")
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.keep = QPushButton("Add the difference as a layer")
        self.keep.setEnabled(False)
        form = QFormLayout()
        form.setVerticalSpacing(9)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow("Threshold", self.threshold)
        form.addRow("Error of A", self.errors[0])
        form.addRow("Error of B", self.errors[1])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addLayout(form)
        for widget in (self.measure, self.answer, self.keep):
            column.addWidget(widget)
        column.addStretch(1)
        self.measure.clicked.connect(self.compute)
        self.keep.clicked.connect(self.add_layer)

    def show_sides(self, sides: tuple[Layer, Layer] | None) -> None:
        """Say what two grids have in common, unless a result of theirs stands there."""
        self.sides = sides
        self.measure.setEnabled(sides is not None)
        if self.result is not None and sides and (sides[0].name, sides[1].name) == self._names:
            return
        facts = [self.session.facts_of(layer) for layer in sides or ()]
        known = [each for each in facts if each is not None and each.grid is not None and each.extent is not None]
        if sides is None or len(known) < 2:
            self._say(EXPLAINED)
            return
        from brisk_atlas.core.compare.pairing import pair_lines

        bands = [each.grid.bands[shown_band(la.style) - 1] for each, la in zip(known, sides) if each.grid is not None]
        lines, words = pair_lines(known[0], known[1], (bands[0], bands[1]))
        rows = "".join(
            f"<tr><td>{escape(line.label)}&nbsp;&nbsp;</td><td>{escape(line.a)}&nbsp;&nbsp;</td>"
            f"<td>{'<b>' if line.differs else ''}{escape(line.b)}{'</b>' if line.differs else ''}</td></tr>"
            for line in lines
        )
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; the names of bands are escaped
        self.answer.setText(
            f"<table cellspacing=3><tr><td></td><td>A</td><td>B</td></tr>{rows}</table><p>{escape(words)}</p>"
        )

    def compute(self) -> None:
        """Compare in the background and show the numbers."""
        if self.sides is None:
            self._say("Choose two different grids.")
            return
        a, b = self.sides
        from brisk_atlas.core.operations import GridChange

        self._say("Comparing…")
        self.session.run_operation(
            f"Comparing {a.name} with {b.name}",
            GridChange(a.id, b.id, self.threshold.value(), self._typed_errors()),
            lambda result: self._show(result, a, b),
            lane=Lane.INTERACTIVE,
            failed=self._failed,
        )

    def _typed_errors(self) -> tuple[float, float] | None:
        """Return the standard errors that were typed, None unless both were."""
        first, second = (box.value() for box in self.errors)
        return (first, second) if first and second else None

    def _failed(self, error: BaseException) -> None:
        self._say(str(error))
        self.keep.setEnabled(False)

    def _show(self, result: GridChangeResult, a: Layer, b: Layer) -> None:
        change, unit, volume = result.change, result.unit, result.volume_unit
        self.result, self._names, self._unit = change, (a.name, b.name), unit
        sure = change.uncertainty
        rows = [
            ("rose", f"{change.risen_area:,.0f} m²", f"{change.risen_volume:,.0f} {volume}"),
            ("", "", _off(sure.risen, volume) if sure else ""),
            ("fell", f"{change.fallen_area:,.0f} m²", f"{change.fallen_volume:,.0f} {volume}"),
            ("", "", _off(sure.fallen, volume) if sure else ""),
            ("net", "", f"{change.net_volume:+,.0f} {volume}"),
            ("", "", _off(sure.net, volume) if sure else ""),
            ("mean", "", f"{change.mean:+,.3f} {unit}"),
            ("maximum", "", f"{change.maximum:+,.2f} {unit}"),
            ("minimum", "", f"{change.minimum:+,.2f} {unit}"),
        ]
        cells = "".join(
            f"<tr><td>{n}&nbsp;&nbsp;</td><td align=right>{x}</td><td align=right>&nbsp;&nbsp;{y}</td></tr>"
            for n, x, y in rows
            if n or y
        )
        believed = "The records do not state how exact both grids are, so the volumes have no error."
        if sure is not None:
            first, second = sure.accuracies
            source = "You typed" if self._typed_errors() else "The records state"
            believed = (
                f"{source} standard errors of {first:g} {unit} (A) and {second:g} {unit} (B): changes below "
                f"{sure.detection:.2f} {unit} (95 %) do not count, together {sure.left_out[0]:,.0f} {volume} up and "
                f"{sure.left_out[1]:,.0f} {volume} down. The first ± is for cells whose errors are independent, the "
                "second for errors that are all alike."
            )
        how = (
            "B was interpolated onto the cells of A."
            if change.resampled
            else "Cells of A and B coincide; nothing was resampled."
        )
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; the names of layers are escaped
        self.answer.setText(
            f"<b>{escape(b.name)} − {escape(a.name)}</b>"
            f"<table cellspacing=3 style='font-family:{mono_font().family()}; font-size:12px'>{cells}</table>"
            f"<p>{change.compared_cells:,} cells compared; a change counts from {change.threshold:.3g} {unit} on. "
            f"{how} Areas {'on the ellipsoid' if change.on_ellipsoid else 'in the plane'}.</p><p>{escape(believed)}</p>"
        )
        self.keep.setEnabled(change.difference is not None)
        self.keep.setToolTip("" if change.difference is not None else "The difference is too large to be held")

    def _say(self, text: str) -> None:
        self.answer.setTextFormat(Qt.TextFormat.PlainText)
        self.answer.setText(text)

    def add_layer(self) -> None:
        """Write the difference to the user's cache and open it as a layer."""
        if self.result is None:
            return
        change, (a, b), unit = self.result, self._names, self._unit
        difference = change.difference
        if difference is None:
            return

        def work(job: Job) -> Path:
            from brisk_atlas.core.handover.grid import write_grid

            return write_grid(difference, f"{b}_minus_{a}", unit=unit, description=f"{b} minus {a}")

        def done(path: Path) -> None:
            limit = max(abs(change.minimum), abs(change.maximum)) * 0.6 or 1.0
            style = GridStyle(ramp="scar", stretch=Stretch("hand", -limit, limit))
            self.session.add_derived(DataRef.file(path), style)

        self.session.run("Writing the difference", work, done, lane=Lane.BATCH)


def _off(error: VolumeError, unit: str) -> str:
    return f"±{error.independent:,.0f}, ±{error.alike:,.0f} {unit}"
