"""Find a feature: type any of its values; what all layers hold of it is listed, and gone to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from .later import Later
from .line_palette import LinePalette
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.find_features import FoundFeature
    from brisk_atlas.core.system.jobs import Job

WIDTH_PX, HEIGHT_PX, TYPING_MS = 560, 380, 150
EXAMPLES = tr("A name, a part of one, a number or a date: of any field of any open layer.")


class FindFeature(LinePalette):
    """The features that hold what was typed.

    Signals:
        chosen(str, int): the layer and the row of a feature.
    """

    chosen = pyqtSignal(str, int)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(tr("Find a feature…  by any of its values"), (WIDTH_PX, HEIGHT_PX), parent)
        self.session = session
        self.setObjectName("find feature")
        self.found: list[FoundFeature] = []
        self._job: Job | None = None
        self._typed = Later(self, TYPING_MS, self._search)

    @property
    def busy(self) -> bool:
        return self._typed.isActive() or (self._job is not None and not self._job.finished)

    def fill(self, text: str) -> None:
        if not text.strip():
            self._typed.stop()
            self.found = []
            self.list.clear()
            self.hint.setText(EXAMPLES)
        else:
            self._typed.start()

    def _search(self) -> None:
        words, cache = self.line.text(), self.session.cache
        layers = [la for la in self.session.work.layers if la.kind.has_rows and not self.session.is_streamed(la)]
        if self._job is not None:
            self._job.cancel()

        def work(job: Job) -> list[FoundFeature]:
            from brisk_atlas.core.inspect.find_features import find_features

            return find_features(cache, layers, words, check=job.check)

        self._job = self.session.run(tr("Finding features"), work, self._show, shown=False)

    def _show(self, found: list[FoundFeature]) -> None:
        self.found = found
        self.list.clear()
        self.list.addItems(
            [
                tr(
                    "{text}   ·   {field} of {layer}, row {row:,}",
                    text=each.text,
                    field=each.field,
                    layer=each.layer,
                    row=each.row + 1,
                )
                for each in found
            ]
        )
        self.list.setCurrentRow(0)
        self.hint.setText("" if found else tr("No open layer has this in any field."))

    def take(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.found):
            self.hide()
            self.chosen.emit(self.found[row].layer_id, self.found[row].row)
