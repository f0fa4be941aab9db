"""What changed between two pictures: whether they lie on each other, then by which measure, from which threshold."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import DataRef, GridStyle, Layer, OpenOptions, Stretch, Style, VectorStyle
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.quality_band import quality_band
from brisk_atlas.core.model.style import ClassLook
from brisk_atlas.core.place import unit_of
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..reading_again import read_with
from ..session import Session
from ..theme import mono_font
from .threshold_bars import ThresholdBars

if TYPE_CHECKING:
    from brisk_atlas.core.operations.image_change import ImageChangeResult, ImageShiftResult

EXPLAINED = tr("Check first whether B lies on A; then look for what changed, cell by cell.")
MEASURES = (  # what is compared, as the operation calls it and as it is shown
    ("difference", tr("difference of the band")), ("ratio", tr("ratio of the band, log₂")),
    ("vegetation", tr("vegetation index")), ("water", tr("water index")), ("burn", tr("burn index")),
    ("snow", tr("snow index")),
    ("vector", tr("change vector of all bands")), ("angle", tr("spectral angle of all bands")),
    ("expression", tr("an expression of the bands")),
)  # fmt: skip
BRIGHTNESS = (
    ("none", tr("as stored")),
    ("regression", tr("fitted to unchanged cells")),
    ("histogram", tr("histogram of A")),
)
LIMITS = (("otsu", tr("found (Otsu)")), ("deviations", tr("standard deviations")), ("hand", tr("by hand")))
LOOKS = VectorStyle(
    colour_by="class", method="unique", width=1.6,
    class_looks=(ClassLook("loss", "#C2452D"), ClassLook("gain", "#1C7C7D"), ClassLook("changed", "#B7791F")),
)  # fmt: skip


ARROWS = VectorStyle(colour_by="agrees", method="unique", width=2.0)
ARROW_CELLS = 20  # that the longest arrow is long
CLASS_BAND = tr("class: 1 loss, 2 gain, 3 changed")


class ImagePane(QWidget):
    """Asks for a change of pictures, shows its histogram, and adds what changed as layers."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides: tuple[Layer, Layer] | None = None
        self.result: ImageChangeResult | None = None
        self.shift: ImageShiftResult | None = None
        self.check = QPushButton(tr("Check the shift"))
        self.check.setToolTip(tr("Find by how much B lies beside A, in windows all over both"))
        self.move_b = QPushButton(tr("Move B by it"))
        self.move_b.setToolTip(tr("Here alone: the file of B stays as it is"))
        self.add_arrows = QPushButton(tr("Add arrows"))
        self.add_arrows.setToolTip(tr("The shift of each window as an arrow, so many times as long that it is seen"))
        self.shift_text = PlainLabel("")
        self.shift_text.setWordWrap(True)
        self.shift_text.setObjectName("quiet")
        self.measure, self.brightness, self.limit = QComboBox(), QComboBox(), QComboBox()
        for box, name, entries in (
            (self.measure, "picture measure", MEASURES),
            (self.brightness, "picture brightness", BRIGHTNESS),
            (self.limit, "picture threshold", LIMITS),
        ):
            box.setObjectName(name)
            for key, words in entries:
                box.addItem(words, key)
        self.expression = QLineEdit()
        self.expression.setPlaceholderText("(b4 - b3) / (b4 + b3)")
        self.expression.setObjectName("picture expression")
        self.level, self.smallest = QDoubleSpinBox(), QDoubleSpinBox()
        self.level.setObjectName("picture level")
        self.level.setRange(0.0, 1e6)
        self.level.setDecimals(4)
        self.level.setValue(2.0)
        self.smallest.setObjectName("picture smallest")
        self.smallest.setRange(0.0, 1e12)
        self.smallest.setDecimals(0)
        self.smallest.setSingleStep(1000)
        self.smallest.setSuffix(" m²")
        self.smallest.setGroupSeparatorShown(True)
        self.smallest.setToolTip(tr("Smaller patches are left out"))
        self.clear_only = QCheckBox()
        self.clear_only.setObjectName("picture clear only")
        self.clear_only.setChecked(True)
        self.clear_only.setToolTip(tr("Cells that the quality band of either scene marks so are not compared"))
        self.compare = QPushButton(tr("Find what changed"))
        self.compare.setObjectName("main")
        self.bars = ThresholdBars()
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.add_polygons, self.add_change = QPushButton(tr("Add the patches")), QPushButton(tr("Add the change"))
        self.add_polygons.setToolTip(tr("Polygons with their area and mean change, as a layer with a sheet"))
        self.add_change.setToolTip(tr("The change of each cell, as a grid"))
        self.form = QFormLayout()
        self.form.setVerticalSpacing(7)
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.form.addRow(tr("Compare"), self.measure)
        self.form.addRow("SQL", self.expression)
        self.form.addRow(tr("B's brightness"), self.brightness)
        self.form.addRow(tr("Threshold"), self.limit)
        self.form.addRow(tr("Level"), self.level)
        self.form.addRow(tr("Smallest patch"), self.smallest)
        self.form.addRow(tr("Leave out"), self.clear_only)
        first, last = QHBoxLayout(), QHBoxLayout()
        for button in (self.check, self.move_b, self.add_arrows):
            first.addWidget(button)
        for button in (self.add_polygons, self.add_change):
            last.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(first)
        column.addWidget(self.shift_text)
        column.addLayout(self.form)
        for widget in (self.compare, self.bars, self.answer):
            column.addWidget(widget)
        column.addLayout(last)
        column.addStretch(1)
        self.check.clicked.connect(self.find_shift)
        self.move_b.clicked.connect(self.turn_move)
        self.add_arrows.clicked.connect(self.add_shift)
        self.compare.clicked.connect(self.compute)
        self.bars.chosen.connect(self._by_hand)
        self.measure.currentIndexChanged.connect(lambda at: self._show_fields())
        self.limit.currentIndexChanged.connect(lambda at: self._show_fields())
        self.add_polygons.clicked.connect(self.add_patches)
        self.add_change.clicked.connect(self.add_grid)
        self._show_fields()
        self._forget("")

    def _show_fields(self) -> None:
        self.form.setRowVisible(self.expression, self.measure.currentData() == "expression")
        self.form.setRowVisible(self.level, self.limit.currentData() != "otsu")
        self.level.setSuffix(" σ" if self.limit.currentData() == "deviations" else "")

    def show_sides(self, sides: tuple[Layer, Layer] | None) -> None:
        """Offer to compare two grids; what was found of the same two stays."""
        now = tuple(layer.id for layer in sides) if sides else None
        before = tuple(layer.id for layer in self.sides) if self.sides else None
        self.sides = sides
        for button in (self.check, self.compare):
            button.setEnabled(sides is not None)
        if now != before:
            self.shift = None
            self.shift_text.setText("")
            self._forget(EXPLAINED)
        self._show_quality()
        self._show_move()

    def _show_quality(self) -> None:
        """Offer to leave out what the quality bands of the scenes mark as hiding the ground, where they have one."""
        names: dict[str, None] = {}
        for layer in self.sides or ():
            found = quality_band(self.session.dataset_of(layer), layer.part)
            names |= dict.fromkeys(found.obscured if found is not None else ())
        self.clear_only.setText(", ".join(names))
        self.form.setRowVisible(self.clear_only, bool(names))

    def _forget(self, words: str) -> None:
        self.result = None
        self.bars.hide()
        self.answer.setTextFormat(Qt.TextFormat.PlainText)
        self.answer.setText(words)
        for button in (self.add_polygons, self.add_change):
            button.setEnabled(False)

    # The shift

    def find_shift(self) -> None:
        """Look in the background for how far B lies from A."""
        if self.sides is None:
            return
        from brisk_atlas.core.operations import ImageShift

        a, b = self.sides
        self.shift_text.setText(tr("Looking for the shift…"))

        def done(found: ImageShiftResult) -> None:
            self.shift = found
            field = found.field
            x, y = field.shift
            unit = unit_of(self.session.cache.raster(a.ref).facts.crs)
            cells = (x * x + y * y) ** 0.5 / field.cell
            self.shift_text.setText(
                tr(
                    "B lies {x:+,.2f} {unit} east and {y:+,.2f} {unit} north of A ({cells:.2f} cells). Moved "
                    "back, {residual:.2f} cells remain. {count} of {count2} windows agree.",
                    x=x,
                    unit=unit,
                    y=y,
                    cells=cells,
                    residual=field.residual / field.cell,
                    count=int(field.used.sum()),
                    count2=len(field.used),
                )
            )
            self._show_move()

        def failed(error: BaseException) -> None:
            self.shift = None
            self.shift_text.setText(str(error))
            self._show_move()

        self.session.run_operation(
            tr("Looking for the shift of {name}", name=b.name),
            ImageShift(a.id, b.id),
            done,
            lane=Lane.INTERACTIVE,
            failed=failed,
        )

    def _options_of_b(self) -> OpenOptions | None:
        if self.sides is None:
            return None
        return self.session.cache.options.get(self.sides[1].ref.whole, OpenOptions())

    def _show_move(self) -> None:
        options = self._options_of_b()
        is_moved = options is not None and options.shift is not None
        self.move_b.setText(tr("Put B back") if is_moved else tr("Move B by it"))
        self.move_b.setEnabled(is_moved or self.shift is not None)
        self.add_arrows.setEnabled(self.shift is not None)

    def turn_move(self) -> None:
        """Show B where it lies on A from now on, or where its file says again."""
        options = self._options_of_b()
        if self.sides is None or options is None:
            return
        shift = None
        if options.shift is None and self.shift is not None:
            x, y = self.shift.field.shift
            shift = (-x, -y)
        b = self.sides[1]
        read_with(self.session, b, replace(options, shift=shift))
        self.shift = None
        east, north = shift or (0.0, 0.0)
        words = tr(
            "B is shown {east:+,.2f} east and {north:+,.2f} north of where its file says.", east=east, north=north
        )
        self.shift_text.setText(words if shift is not None else "")
        self._forget(EXPLAINED)
        self._show_move()

    def add_shift(self) -> None:
        """Write the shift of each window as an arrow among the user's own data and open them as a layer."""
        if self.shift is None or self.sides is None:
            return
        field, (a, b) = self.shift.field, self.sides
        crs = self.session.cache.raster(a.ref).facts.crs
        longest = float(np.hypot(field.dx, field.dy)[field.used].max()) or field.cell
        times = max(1.0, round(ARROW_CELLS * field.cell / longest))

        def work(job: Job) -> Path:
            from brisk_atlas.core.compare.image_shift import write_arrows
            from brisk_atlas.core.handover.grid import derived_path

            path = derived_path(f"shift_of_{b.name}_x{times:g}", ".gpkg")
            write_arrows(field, crs, path, times)
            return path

        self._add(tr("Writing the arrows"), work, ARROWS)

    # What changed

    def compute(self) -> None:
        """Look in the background for what changed."""
        if self.sides is None:
            self._forget(tr("Choose two different grids."))
            return
        from brisk_atlas.core.operations import ImageChange

        a, b = self.sides
        self._forget(tr("Comparing…"))
        asked = ImageChange(
            a.id, b.id, self.measure.currentData(), self.expression.text(), self.brightness.currentData(),
            self.limit.currentData(), self.level.value(), self.smallest.value(),
            None if self.clear_only.isChecked() else (),
        )  # fmt: skip
        self.session.run_operation(
            tr("Comparing {name} with {b_name}", name=a.name, b_name=b.name), asked,
            lambda found: self._show(found, a, b), lane=Lane.INTERACTIVE,
            failed=lambda error: self._forget(str(error)),
        )  # fmt: skip

    def _by_hand(self, threshold: float) -> None:
        self.limit.setCurrentIndex(self.limit.findData("hand"))
        self.level.setValue(threshold)
        self.compute()

    def _show(self, found: ImageChangeResult, a: Layer, b: Layer) -> None:
        if self.sides is None or (self.sides[0].id, self.sides[1].id) != (a.id, b.id):
            return
        self.result = found
        change = found.change
        self.bars.show_histogram(*change.histogram, change.threshold)
        rows = "".join(
            f"<tr><td>{name}&nbsp;&nbsp;</td><td align=right>{grouped(area, ',.0f')} m²</td>"
            f"<td align=right>&nbsp;&nbsp;{area / change.compared_m2:.2%}</td></tr>"
            for name, area in change.areas.items()
        )
        words = [line for line in found.lines() if not line.startswith(tuple(change.areas))]
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; the names of layers are escaped
        self.answer.setText(
            tr(
                "<b>{name} compared with {name2}</b><table cellspacing=3 style='font-family:{family}; "
                "font-size:12px'>{rows}</table><p>{words}.</p>",
                name=escape(b.name),
                name2=escape(a.name),
                family=mono_font().family(),
                rows=rows,
                words=escape("; ".join(words)),
            )
        )
        self.add_polygons.setEnabled(len(change.patches) > 0)
        self.add_change.setEnabled(True)

    # As layers

    def add_patches(self) -> None:
        """Write the patches among the user's own data and open them as a layer."""
        if self.result is None or self.sides is None:
            return
        change, (a, b) = self.result.change, self.sides

        def work(job: Job) -> Path:
            from brisk_atlas.core.compare.image_change import CLASS_NAMES
            from brisk_atlas.core.compare.patches import write_patches
            from brisk_atlas.core.handover.grid import derived_path

            path = derived_path(f"{b.name}_changes_since_{a.name}", ".gpkg")
            write_patches(change.patches, change.change.lattice, CLASS_NAMES, path)
            return path

        self._add(tr("Writing the patches"), work, LOOKS)

    def add_grid(self) -> None:
        """Write the change of each cell among the user's own data and open it as a layer."""
        if self.result is None or self.sides is None:
            return
        found, (a, b) = self.result, self.sides
        change = found.change

        def work(job: Job) -> Path:
            from brisk_atlas.core.handover.grid import derived_path, write_bands_file

            path = derived_path(f"{found.question.measure}_of_{b.name}_and_{a.name}", ".tif")
            names = (f"{found.question.measure} change", "direction")[: len(change.change.values)]
            classes = np.where(change.change.valid, change.classes, np.nan).astype(np.float32)
            whole = replace(change.change, values=np.concatenate([change.change.values, classes[None]]))
            write_bands_file(whole, path, (*names, CLASS_BAND), (*("", "°")[: len(names)], ""))
            return path

        limit = float(change.histogram[1][-1]) or 1.0
        low = -limit if found.question.measure.has_sign else 0.0
        ramp = "scar" if found.question.measure.has_sign else "ember"
        self._add(tr("Writing the change"), work, GridStyle(ramp=ramp, stretch=Stretch("hand", low, limit)))

    def _add(self, words: str, work: Callable[[Job], Path], style: Style) -> None:
        def done(path: Path) -> None:
            self.session.add_derived(DataRef.file(path), style)

        self.session.run(words, work, done, lane=Lane.BATCH)
