"""Turn to: type how far the map's north is to point from up."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from .line_palette import LinePalette

WIDTH_PX, HEIGHT_PX = 420, 150
EXAMPLES = tr("30   ·   -12.5   ·   0 is north up")


class TurnTo(LinePalette):
    """What a typed angle means.

    Signals:
        chosen(float): degrees clockwise that the map's north is to point from up.
    """

    chosen = pyqtSignal(float)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(tr("Turn to…  degrees clockwise"), (WIDTH_PX, HEIGHT_PX), parent)
        self.setObjectName("turn to")
        self.angle: float | None = None

    def fill(self, text: str) -> None:
        try:
            self.angle = float(text.strip().rstrip("°").replace("\u2212", "-").replace(",", ".")) % 360.0
        except ValueError:
            self.angle = None
        self.list.clear()
        if self.angle is not None and self.angle == self.angle:
            shown = self.angle - 360.0 if self.angle > 180.0 else self.angle
            side = (
                "up"
                if not shown
                else tr("{shown:g}° to the {what} of up", shown=abs(shown), what="right" if shown > 0 else "left")
            )
            self.list.addItem(tr("north points {side}", side=side))
        self.list.setCurrentRow(0)
        self.hint.setText(tr("This is no number of degrees.") if text.strip() and self.angle is None else EXAMPLES)

    def take(self) -> None:
        if self.angle is not None and self.list.count():
            self.hide()
            self.chosen.emit(self.angle)
