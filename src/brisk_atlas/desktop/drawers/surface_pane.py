"""How a surface changed: area and volume of what rose and fell, with how far they can be believed."""

from __future__ import annotations

from dataclasses import replace
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDoubleSpinBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import ClassLook, DataRef, GridStyle, Label, Layer, Stretch, VectorStyle
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.compare import GridDifference
    from brisk_atlas.core.compare.change import VolumeError
    from brisk_atlas.core.compare.layer_series import SeriesDate
    from brisk_atlas.core.operations import Written
    from brisk_atlas.core.operations.grid_change import GridChangeResult
    from brisk_atlas.core.operations.surface_steps import SurfaceStepsResult

EXPLAINED = tr("Compares two grids where both have data: what rose, what fell, how much.")
STATED = tr("as the record states")
CONTOURS_A, CONTOURS_B = "#1C7C7D", "#C2452D"
HEIGHTS = Label("CASE WHEN heavy = 1 THEN value END", size=10.0, repeat=400.0)
CONTOURS = VectorStyle(colour_by="grid", method="unique", width=1.1, label=HEIGHTS)


class SurfacePane(QWidget):
    """Measures B minus A of two grids, and adds the difference as a layer."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides: tuple[Layer, Layer] | None = None
        self.result: GridDifference | None = None
        self._names, self._unit = ("", ""), ""
        self._series: list[SeriesDate] = []
        self._answered: tuple[str, str] | None = None  # the names of those whose numbers are on show
        self.threshold = QDoubleSpinBox()
        self.threshold.setObjectName("change threshold")
        self.threshold.setRange(0, 1e6)
        self.threshold.setValue(0.5)
        self.threshold.setSingleStep(0.1)
        self.threshold.setToolTip(tr("Smaller changes, up or down, count as none"))
        self.errors = [QDoubleSpinBox(), QDoubleSpinBox()]
        for side, box in zip("AB", self.errors):
            box.setObjectName(f"standard error {side}")
            box.setRange(0, 1e4)
            box.setDecimals(3)
            box.setSingleStep(0.05)
            box.setSpecialValueText(STATED)
            box.setToolTip(
                tr("The standard error of {side}'s heights; 0 for the one that its record states", side=side)
            )
        self.measure = QPushButton(tr("Measure the change"))
        self.measure.setObjectName("main")
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.keep = QPushButton(tr("Add the difference as a layer"))
        self.keep.setEnabled(False)
        self.contours = QPushButton(tr("Add contours of both"))
        self.contours.setToolTip(tr("Lines of equal height of A and of B, at the same heights, as one layer"))
        self.contours.setEnabled(False)
        self.steps = QPushButton()
        self.steps.setObjectName("surface steps")
        self.steps.setToolTip(tr("What rose and fell from each date of the series to the next, as a table"))
        self.steps.hide()
        form = QFormLayout()
        form.setVerticalSpacing(9)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow(tr("Threshold"), self.threshold)
        form.addRow(tr("Error of A"), self.errors[0])
        form.addRow(tr("Error of B"), self.errors[1])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addLayout(form)
        for widget in (self.measure, self.answer, self.keep, self.contours, self.steps):
            column.addWidget(widget)
        column.addStretch(1)
        self.measure.clicked.connect(self.compute)
        self.keep.clicked.connect(self.add_layer)
        self.contours.clicked.connect(self.add_contours)
        self.steps.clicked.connect(self.measure_steps)

    def show_sides(self, sides: tuple[Layer, Layer] | None) -> None:
        """Say what two grids have in common, unless a result of theirs stands there."""
        self.sides = sides
        for button in (self.measure, self.contours):
            button.setEnabled(sides is not None)
        self._series = self.session.workspace.series_of(sides[0]) if sides else []
        self.steps.setVisible(len(self._series) > 2)
        self.steps.setText(tr("Measure through all {count} dates", count=len(self._series)))
        if sides and (sides[0].name, sides[1].name) == self._answered:
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
            self._say(tr("Choose two different grids."))
            return
        a, b = self.sides
        from brisk_atlas.core.operations import GridChange

        self._answered = None
        self._say(tr("Comparing…"))
        self.session.run_operation(
            tr("Comparing {name} with {b_name}", name=a.name, b_name=b.name),
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
        self._answered = self._names
        sure = change.uncertainty
        rows = [
            ("rose", f"{grouped(change.risen_area, ',.0f')} m²", f"{grouped(change.risen_volume, ',.0f')} {volume}"),
            ("", "", _off(sure.risen) if sure else ""),
            ("fell", f"{grouped(change.fallen_area, ',.0f')} m²", f"{grouped(change.fallen_volume, ',.0f')} {volume}"),
            ("", "", _off(sure.fallen) if sure else ""),
            ("net", "", f"{grouped(change.net_volume, '+,.0f')} {volume}"),
            ("", "", _off(sure.net) if sure else ""),
            ("mean", "", f"{grouped(change.mean, '+,.3f')} {unit}"),
            ("maximum", "", f"{grouped(change.maximum, '+,.2f')} {unit}"),
            ("minimum", "", f"{grouped(change.minimum, '+,.2f')} {unit}"),
        ]
        cells = "".join(
            f"<tr><td>{n}&nbsp;&nbsp;</td><td align=right>{x}</td><td align=right>&nbsp;&nbsp;{y}</td></tr>"
            for n, x, y in rows
            if n or y
        )
        believed = tr("The records do not state how exact both grids are, so the volumes have no error.")
        if sure is not None:
            first, second = sure.accuracies
            source = tr("You typed") if self._typed_errors() else tr("The records state")
            believed = tr(
                "{source} standard errors of {first:g} {unit} (A) and {second:g} {unit} (B): changes below "
                "{detection:.2f} {unit} (95 %) do not count, together {left_out:,.0f} {volume} up and "
                "{left_out2:,.0f} {volume} down. The first ± is for cells whose errors are independent, the "
                "second for errors that are all alike.",
                source=source,
                first=first,
                unit=unit,
                second=second,
                detection=sure.detection,
                left_out=sure.left_out[0],
                volume=volume,
                left_out2=sure.left_out[1],
            )
        how = (
            tr("B was interpolated onto the cells of A.")
            if change.resampled
            else tr("Cells of A and B coincide; nothing was resampled.")
        )
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; the names of layers are escaped
        self.answer.setText(
            tr(
                "<b>{name} − {name2}</b><table cellspacing=3 style='font-family:{family}; "
                "font-size:12px'>{cells}</table><p>{compared_cells:,} cells compared; a change counts from "
                "{threshold:.3g} {unit} on. {how} Areas {what}.</p><p>{believed}</p>",
                name=escape(b.name),
                name2=escape(a.name),
                family=mono_font().family(),
                cells=cells,
                compared_cells=change.compared_cells,
                threshold=change.threshold,
                unit=unit,
                how=how,
                what=tr("on the ellipsoid") if change.on_ellipsoid else tr("in the plane"),
                believed=escape(believed),
            )
        )
        self.keep.setEnabled(change.difference is not None)
        self.keep.setToolTip("" if change.difference is not None else tr("The difference is too large to be held"))

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

        self.session.run(tr("Writing the difference"), work, done, lane=Lane.BATCH)

    def add_contours(self) -> None:
        """Write lines of equal height of both among the user's own data and open them as a layer."""
        if self.sides is None:
            return
        from brisk_atlas.core.handover.grid import derived_path
        from brisk_atlas.core.operations import WriteContours

        a, b = self.sides
        path = derived_path(f"contours_of_{a.name}_and_{b.name}", ".gpkg")
        looks = (ClassLook(a.name, CONTOURS_A), ClassLook(b.name, CONTOURS_B))
        style = replace(CONTOURS, class_looks=looks)

        def done(result: Written) -> None:
            self.session.add_derived(DataRef.file(path), style, as_subject=False)
            self.session.noticed.emit("good", result.lines()[0], "")

        self.session.run_operation(
            tr("Following contour lines"), WriteContours((a.id, b.id), path), done, lane=Lane.BATCH
        )

    def measure_steps(self) -> None:
        """Measure each date of the series against the next, and open the table of it."""
        from brisk_atlas.core.handover.grid import derived_path
        from brisk_atlas.core.operations import SurfaceSteps

        first, last = self._series[0], self._series[-1]
        path = derived_path(f"steps_{first.name}_to_{last.name}", ".csv")
        ids = tuple(date.layer_id for date in self._series)
        typed = self._typed_errors()
        asked = SurfaceSteps(ids, self.threshold.value(), max(typed) if typed else None, None, path)

        sides = self.sides

        def done(result: SurfaceStepsResult) -> None:
            if sides is not None and self.sides == sides:
                self._answered = sides[0].name, sides[1].name
                self._show_steps(result)
            self.session.add_derived(DataRef.file(path), None, as_subject=False)

        self.session.run_operation(
            tr("Measuring {count} surfaces", count=len(ids)), asked, done, lane=Lane.INTERACTIVE, failed=self._failed
        )

    def _show_steps(self, found: SurfaceStepsResult) -> None:
        steps = (*found.steps, found.whole)
        rows = "".join(
            tr(
                "<tr><td colspan=2>{before} to {after}</td></tr><tr><td>&nbsp;&nbsp;rose&nbsp;&nbsp;</td><td "
                "align=right>{risen_volume:,.0f}</td></tr><tr><td>&nbsp;&nbsp;fell</td><td "
                "align=right>{fallen_volume:,.0f}</td></tr><tr><td>&nbsp;&nbsp;net</td><td "
                "align=right>{net_volume:+,.0f}{margin}</td></tr>",
                before=escape(step.before),
                after=escape(step.after),
                risen_volume=step.result.change.risen_volume,
                fallen_volume=step.result.change.fallen_volume,
                net_volume=step.result.change.net_volume,
                margin=_margin(step.result),
            )
            for step in steps
        )
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; the names of layers are escaped
        self.answer.setText(
            tr(
                "<b>Volumes, {volume_unit}</b><table cellspacing=3 style='font-family:{family}; "
                "font-size:12px'>{rows}</table><p>Each ± is for cells whose errors are independent (95 %); "
                "the table has the others.</p>",
                volume_unit=escape(found.whole.result.volume_unit),
                family=mono_font().family(),
                rows=rows,
            )
        )


def _margin(result: GridChangeResult) -> str:
    sure = result.change.uncertainty
    return f" ±{grouped(sure.net.independent, ',.0f')}" if sure is not None else ""


def _off(error: VolumeError) -> str:
    """Return both errors, in the unit of the volume above them."""
    return f"±{grouped(error.independent, ',.0f')}, ±{grouped(error.alike, ',.0f')}"
