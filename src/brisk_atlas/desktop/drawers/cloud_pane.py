"""How far the points of a cloud lie from a grid or another cloud."""

from __future__ import annotations

from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import CloudStyle, DataRef, Layer, Stretch
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.operations.cloud_change import CloudChangeResult

EXPLAINED = tr(
    "Measures how far each point lies from the other side: a grid of heights, or the ground of another cloud."
)
MOST_SHARE = 98.0  # per cent of the distances that lie within the ramp


class CloudPane(QWidget):
    """Asks for distances, and adds the points coloured by them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides: tuple[Layer, Layer] | None = None
        self.result: CloudChangeResult | None = None
        self.along = QComboBox()
        self.along.setObjectName("cloud along")
        self.along.addItem(tr("straight up"), "vertical")
        self.along.addItem(tr("along the ground's normal"), "normal")
        self.along.setToolTip(tr("Between two clouds; a grid is measured straight up"))
        self.measure = QPushButton(tr("Measure the distances"))
        self.measure.setObjectName("main")
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.add = QPushButton(tr("Add the points with their distance"))
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow(tr("Measured"), self.along)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addLayout(form)
        for widget in (self.measure, self.answer, self.add):
            column.addWidget(widget)
        column.addStretch(1)
        self.measure.clicked.connect(self.compute)
        self.add.clicked.connect(self.add_layer)
        self._forget(EXPLAINED)

    def show_sides(self, sides: tuple[Layer, Layer] | None) -> None:
        """Offer to compare two layers; what was found of the same two stays."""
        now = tuple(layer.id for layer in sides) if sides else None
        before = tuple(layer.id for layer in self.sides) if self.sides else None
        self.sides = sides
        self.measure.setEnabled(sides is not None)
        self.along.setEnabled(sides is not None and sides[0].kind is sides[1].kind)
        if now != before:
            self._forget(EXPLAINED)

    def _forget(self, words: str) -> None:
        self.result = None
        self.answer.setTextFormat(Qt.TextFormat.PlainText)
        self.answer.setText(words)
        self.add.setEnabled(False)

    def compute(self) -> None:
        """Measure in the background."""
        if self.sides is None:
            self._forget(tr("Choose two different layers."))
            return
        from brisk_atlas.core.operations import CloudChange

        a, b = self.sides
        self._forget(tr("Measuring…"))
        self.session.run_operation(
            tr("Measuring from {name} to {b_name}", name=a.name, b_name=b.name),
            CloudChange(a.id, b.id, self.along.currentData()),
            lambda found: self._show(found, a, b), lane=Lane.INTERACTIVE, failed=lambda error: self._forget(str(error)),
        )  # fmt: skip

    def _show(self, found: CloudChangeResult, a: Layer, b: Layer) -> None:
        if self.sides is None or (self.sides[0].id, self.sides[1].id) != (a.id, b.id):
            return
        self.result = found
        first, *rest = found.lines()
        rows = "".join(
            f"<tr><td>{name}&nbsp;&nbsp;</td><td align=right>{value}</td></tr>"
            for name, _, value in (line.partition(": ") for line in rest)
        )
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; the names of layers are escaped
        self.answer.setText(
            f"<b>{escape(b.name)} − {escape(a.name)}</b>"
            f"<table cellspacing=3 style='font-family:{mono_font().family()}; font-size:12px'>{rows}</table>"
            f"<p>{first}.</p>"
        )
        self.add.setEnabled(True)

    def add_layer(self) -> None:
        """Write the points among the user's own data and open them, coloured by their distance."""
        if self.result is None or self.sides is None:
            return
        change, (a, b) = self.result.change, self.sides
        limit = float(np.percentile(np.abs(change.known), MOST_SHARE)) or 1.0
        style = CloudStyle("distance", "scar", Stretch("hand", -limit, limit))

        def work(job: Job) -> Path:
            from brisk_atlas.core.compare.cloud_change import write_cloud
            from brisk_atlas.core.handover.grid import derived_path

            path = derived_path(f"{b.name}_from_{a.name}", ".laz")
            write_cloud(change, path)
            return path

        def done(path: Path) -> None:
            self.session.add_derived(DataRef.file(path), style)

        self.session.run(tr("Writing the points"), work, done, lane=Lane.BATCH)
