"""The Change drawer: B minus A for two grids, in numbers and as a new layer; or what two deliveries differ in."""

from __future__ import annotations

from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import DataRef, GridStyle, Layer, Stretch
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font
from .delivery_pane import DeliveryPane

if TYPE_CHECKING:
    from brisk_atlas.core.compare import GridDifference
    from brisk_atlas.core.compare.change import VolumeError
    from brisk_atlas.core.operations.grid_change import GridChangeResult

EXPLAINED = "Compares two grids where both have data: what rose, what fell, how much."


class ChangeDrawer(QWidget):
    """Chooses two layers: of grids it shows area and volume of what rose and fell, of layers with rows what changed
    from one delivery to the next."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.result: GridDifference | None = None
        self._names, self._unit = ("", ""), ""
        self.side_a, self.side_b = QComboBox(), QComboBox()
        self.side_a.setObjectName("change a")
        self.side_b.setObjectName("change b")
        self.threshold = QDoubleSpinBox()
        self.threshold.setObjectName("change threshold")
        self.threshold.setRange(0, 1e6)
        self.threshold.setValue(0.5)
        self.threshold.setSingleStep(0.1)
        self.threshold.setToolTip("Smaller changes, up or down, count as none")
        self.measure = QPushButton("Measure the change")
        self.measure.setObjectName("main")
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.keep = QPushButton("Add the difference as a layer")
        self.keep.setEnabled(False)
        self.delivery = DeliveryPane(session)
        self.form = form = QFormLayout()
        form.setVerticalSpacing(9)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow("A, before", self.side_a)
        form.addRow("B, after", self.side_b)
        form.addRow("Threshold", self.threshold)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(10)
        column.addLayout(form)
        column.addWidget(self.measure)
        column.addWidget(self.answer)
        column.addWidget(self.keep)
        column.addWidget(self.delivery, 1)
        column.addStretch(0)
        self.delivery.hide()
        for box in (self.side_a, self.side_b):
            box.activated.connect(lambda at: self._show_pair())
        self.measure.clicked.connect(self.compute)
        self.keep.clicked.connect(self.add_layer)
        session.work_changed.connect(self._work_changed)

    def showEvent(self, event: object) -> None:
        self._fill()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "comparison", "file", "subject") and self.isVisible():
            self._fill()

    def _fill(self) -> None:
        """Offer the open layers of the subject's kind, grids if that is not compared; chosen are the sides that are
        compared, then those of the result on show, else the subject and the layer most like it."""
        work = self.session.work
        subject = work.subject
        by_rows = subject is not None and subject.kind.has_rows
        grids = [
            layer for layer in work.layers
            if (layer.kind == subject.kind if by_rows and subject is not None else layer.kind.has_cells)
        ]  # fmt: skip
        for widget in (self.threshold, self.measure, self.answer, self.keep):
            widget.setVisible(not by_rows)
        self.form.setRowVisible(self.threshold, not by_rows)
        self.delivery.setVisible(by_rows)
        pair = self.session.workspace.proposed_pair() if subject in grids else None
        for side, box in enumerate((self.side_a, self.side_b)):
            now = box.currentData()
            box.clear()
            for layer in grids:
                box.addItem(layer.name, layer.id)
            compared = work.state.comparison
            wanted = next((layer.id for layer in grids if compared and layer.id in compared.sides[side]), None)
            result = self.delivery.result if by_rows else self.result
            if wanted is None and result is not None and box.findData(now) >= 0:
                wanted = now
            if wanted is None and pair and pair[side] in grids:
                wanted = pair[side].id
            at = next((box.findData(i) for i in (wanted, now) if box.findData(i) >= 0), min(side, len(grids) - 1))
            box.setCurrentIndex(at)
        self.measure.setEnabled(len(grids) > 1)
        if by_rows:
            self.delivery.show_sides(self._sides())
        else:
            self._show_pair()

    def _show_pair(self) -> None:
        """Say what the two grids have in common, unless a result stands there."""
        sides = self._sides()
        if self.delivery.isVisibleTo(self):
            self.delivery.show_sides(sides)
            return
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

    def _sides(self) -> tuple[Layer, Layer] | None:
        a, b = (self.session.work.layer(box.currentData()) for box in (self.side_a, self.side_b))
        return (a, b) if a and b and a.id != b.id else None

    def compute(self) -> None:
        """Compare in the background and show the numbers."""
        sides = self._sides()
        if sides is None:
            self._say("Choose two different grids.")
            return
        a, b = sides
        from brisk_atlas.core.operations import GridChange

        self._say("Comparing…")
        self.session.run_operation(
            f"Comparing {a.name} with {b.name}",
            GridChange(a.id, b.id, self.threshold.value()),
            lambda result: self._show(result, a, b),
            lane=Lane.INTERACTIVE,
            failed=self._failed,
        )

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
            believed = (
                f"The records state standard errors of {first:g} {unit} (A) and {second:g} {unit} (B): changes below "
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

            ref = DataRef.file(path)

            def opened(dataset: object) -> None:
                layer = self.session.work.add(ref, dataset.parts[0].facts, style)  # type: ignore[attr-defined]
                self.session.layers_opened.emit([layer.id])

            self.session.cache.forget(ref)
            self.session.painter.forget()
            self.session.run(f"Opening {path.name}", lambda job: self.session.cache.dataset(ref), opened)

        self.session.run("Writing the difference", work, done, lane=Lane.BATCH)


def _off(error: VolumeError, unit: str) -> str:
    return f"±{error.independent:,.0f}, ±{error.alike:,.0f} {unit}"
