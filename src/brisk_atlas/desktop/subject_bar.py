"""The subject bar: the name of the layer under discussion and its facts as chips."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from brisk_atlas.core.model import DataKind
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.vocabulary import amount_words, shown

from .plain_text import PlainLabel, plain_tip
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.model import Facts


CHIP_PX, GAP_PX, ENDS_PX = 24, 6, 12
BY_WEIGHT = (4, 0, 2, 1, 3)  # of the chips: warnings, kind, CRS, count, extent
NAME_CHARS = 28


def count_text(facts: Facts) -> str:
    """Return how much there is: cells for grids, else features, points or rows."""
    if facts.grid:
        if facts.grid.drawn_by_service:
            return tr("drawn by a server")
        return tr("{width:,} x {height:,} cells", width=facts.grid.width, height=facts.grid.height)
    if facts.count is None:
        return tr("count unknown")
    if facts.kind is DataKind.VECTOR:
        return trn("{count:,} feature", "{count:,} features", facts.count)
    return amount_words(facts.kind, facts.count)


def kind_text(facts: Facts) -> str:
    if facts.geometry_type:
        if not facts.kind.has_shapes:
            return shown("points")
        return tr("mixed geometry") if facts.geometry_type == "Unknown" else shown(facts.geometry_type)
    if facts.grid and facts.grid.drawn_by_service:
        return shown("picture")
    if facts.grid and facts.grid.dimensions:
        return tr("raster by {listed}", listed=tr(" and ").join(each.name for each in facts.grid.dimensions))
    if facts.grid and len(facts.grid.bands) > 1:
        return tr("raster, {count} bands", count=len(facts.grid.bands))
    return shown(facts.kind)


class SubjectBar(QWidget):
    """Name, kind, count, CRS, extent and warnings of the subject."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._other: str | None = None
        self.name = PlainLabel()
        self.name.setObjectName("title")
        self.name.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.name.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        self.chips = [PlainLabel() for _ in range(5)]
        self._full_name, self._tip = "", ""
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 0, 0)
        row.setSpacing(GAP_PX)
        row.addWidget(self.name)
        for chip in self.chips:
            chip.setObjectName("chip")
            chip.setFixedHeight(CHIP_PX)
            row.addWidget(chip)
        row.addStretch(1)
        session.work_changed.connect(self._work_changed)
        self.refresh()

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file"):
            self.refresh()

    def speak_of(self, words: str | None) -> None:
        """Name what a page speaks of that is not the subject; None for the subject."""
        if words != self._other:
            self._other = words
            self.refresh()

    def refresh(self) -> None:
        """Say what the subject is now."""
        for chip in self.chips:
            chip.setText("")
        self._say()
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Show what there is room for: the name, then the chips by how much they matter; the rest is in the tip."""
        room = self.width() - ENDS_PX
        self.name.setText(
            self.name.fontMetrics().elidedText(self._full_name, Qt.TextElideMode.ElideMiddle, max(room, 40))
        )
        room -= self.name.sizeHint().width()
        hidden = []
        for number in BY_WEIGHT:
            chip = self.chips[number]
            room -= chip.sizeHint().width() + GAP_PX if chip.text() else 0
            chip.setVisible(bool(chip.text()) and room >= 0)
            if chip.text() and room < 0:
                hidden.append(chip.text())
        self.name.setToolTip(plain_tip("\n".join((*((self._tip,) if self._tip else ()), *hidden))))

    def _say(self) -> None:
        if self._other is not None:
            self._full_name, self._tip = self._other, ""
            self._set(0, tr("not the subject"))
            return
        layer = self.session.work.subject
        facts = self.session.facts_of(layer) if layer else None
        if layer is None:
            self._full_name, self._tip = tr("no subject yet"), ""
            return
        self._full_name = layer.name if len(layer.name) <= NAME_CHARS else f"{layer.name[:14]}…{layer.name[-13:]}"
        self._tip = layer.name
        if facts is None:
            self._set(0, tr("file can't be read"), "caution")
            return
        from brisk_atlas.core.place import crs_label, crs_name, unit_of

        dataset = self.session.dataset_of(layer)
        warnings = dataset.warnings if dataset else ()
        self._set(0, kind_text(facts))
        self._set(1, count_text(facts))
        self._set(
            2, crs_label(facts.crs), "" if facts.crs or not facts.kind.has_place else "caution", crs_name(facts.crs)
        )
        if facts.extent:
            unit, scale = unit_of(facts.crs), 1.0
            if unit == "m" and max(facts.extent.width, facts.extent.height) >= 5000:
                unit, scale = "km", 0.001
            wide, high = (grouped(side * scale, ",.4g") for side in (facts.extent.width, facts.extent.height))
            self._set(
                3,
                f"{wide} x {high} {unit}".strip(),
                tip=tr("extent: ") + ", ".join(grouped(v, ",.6g") for v in facts.extent.bounds),
            )
        text = (
            tr("ok")
            if not warnings
            else warnings[0]
            if len(warnings) == 1
            else tr("{count} warnings", count=len(warnings))
        )
        self._set(
            4,
            text if len(text) < 34 else tr("1 warning"),
            "caution" if warnings else "good",
            "\n".join(warnings) or tr("nothing to warn of"),
        )

    def _set(self, number: int, text: str, mood: str = "", tip: str = "") -> None:
        chip = self.chips[number]
        chip.setText(text)
        chip.setToolTip(plain_tip(tip))
        chip.setProperty("mood", mood)
        style = chip.style()
        assert style is not None
        style.polish(chip)
