"""Go to: type a place in any usual notation; how it was understood is shown before going."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .line_palette import LinePalette
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.model import Lattice

WIDTH_PX, HEIGHT_PX = 520, 210
UNKNOWN = tr("This means no place in a notation known here.")
EXAMPLES = tr(
    "38.2008 S 20.9006 W   ·   38°12′02.9″S 20°54′02.3″W   ·   27 south 508700 5771900   ·   27H WT 08700 71900   ·   "
    "508700 5771900   ·   EPSG:4326 -38.2008 -20.9006   ·   pixel 470, line 410"
)


class GoTo(LinePalette):
    """What a typed place can mean.

    Signals:
        chosen(float, float): a position in the map's CRS.
    """

    chosen = pyqtSignal(float, float)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(tr("Go to…  a position in any usual notation"), (WIDTH_PX, HEIGHT_PX), parent)
        self.session = session
        self.setObjectName("go to")
        self.found: list[tuple[str, float, float]] = []  # how it was understood, and where that is on the map

    def _cells(self) -> Lattice | None:
        """Return the lattice of the subject, if it is a grid."""
        subject = self.session.work.subject
        if subject is None or not subject.kind.has_cells or self.session.dataset_of(subject) is None:
            return None
        return self.session.cache.raster(subject.ref).facts.counted_cells

    def fill(self, text: str) -> None:
        from brisk_atlas.core.place.typed import understand

        crs = self.session.work.state.crs
        placed = [(meant.words, meant.placed(crs)) for meant in understand(text, crs, self._cells())]
        self.found = [(words, *place) for words, place in placed if place is not None]
        self.list.clear()
        for words, x, y in self.found:
            self.list.addItem(
                f"{words}   →   "
                + (f"{x:.6f}, {y:.6f}" if abs(x) < 1e3 else f"{grouped(x, ',.1f')}, {grouped(y, ',.1f')}")
            )
        self.list.setCurrentRow(0)
        self.hint.setText(UNKNOWN if text.strip() and not self.found else EXAMPLES)

    def take(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.found):
            _, x, y = self.found[row]
            self.hide()
            self.chosen.emit(x, y)
