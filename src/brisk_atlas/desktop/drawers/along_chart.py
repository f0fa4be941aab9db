"""The values at a place along a dimension, of one series at a time."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..chart import Chart
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.finding import ProbeResult, ProbeSeries

    from .along_line import AlongLine

HEIGHT_PX = 190


class AlongChart(Chart):
    """One series at a time, chosen where there are several."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("along")
        self.setFixedHeight(HEIGHT_PX)
        self.theme: Theme = LIGHT
        self.series: list[tuple[str, ProbeSeries]] = []
        self.choice = QComboBox()
        self.choice.setObjectName("along what")
        self.line: AlongLine | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(6, 0, 6, 4)
        self._column.setSpacing(2)
        self._column.addWidget(self.choice)
        self.choice.activated.connect(lambda at: self._draw())
        self.hide()

    @property
    def title_words(self) -> str:
        return self.choice.currentText()

    @property
    def drawing(self) -> QWidget:
        return self.line or self

    def use_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._draw()

    def show_results(self, results: list[ProbeResult], through: ProbeSeries | None = None) -> None:
        """Offer the series of what was probed, and that `through` the dates of layers; nothing is shown without."""
        before = self.choice.currentText()
        self.series = [(tr("Through the dates of the layers"), through)] if through is not None else []
        self.series += [
            (tr("{title} along {dimension}", title=r.title, dimension=s.dimension.name), s)
            for r in results
            for s in r.series
        ]
        self.choice.clear()
        self.choice.addItems([name for name, _ in self.series])
        self.choice.setCurrentText(before)
        self.setVisible(bool(self.series))
        self._draw()

    def _draw(self) -> None:
        at = self.choice.currentIndex()
        if not 0 <= at < len(self.series):
            return
        if self.line is None:
            from .along_line import AlongLine  # few grids have dimensions, and its library takes its time

            self.line = AlongLine()
            self._column.addWidget(self.line, 1)
        self.line.draw(self.series[at][1], self.theme)
