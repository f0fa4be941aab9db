"""The value at a place along a dimension: a line over real coordinates, with what is shown marked."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.finding import ProbeResult, ProbeSeries

HEIGHT_PX = 190


class AlongChart(QWidget):
    """One series at a time, chosen where there are several."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("along")
        self.setFixedHeight(HEIGHT_PX)
        self.theme: Theme = LIGHT
        self.series: list[tuple[str, ProbeSeries]] = []
        self.choice = QComboBox()
        self.choice.setObjectName("along what")
        self.dates = pg.DateAxisItem(utcOffset=0)
        self.plot = pg.PlotWidget()
        self.plain = self.plot.getAxis("bottom")
        self.plot.setMenuEnabled(False)
        self.plot.hideButtons()
        self.plot.setMouseEnabled(x=False, y=False)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 0, 6, 4)
        column.setSpacing(2)
        column.addWidget(self.choice)
        column.addWidget(self.plot, 1)
        self.choice.activated.connect(lambda at: self._draw())
        self.hide()

    def use_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.plot.setBackground(theme.raised)
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
        self.plot.clear()
        at = self.choice.currentIndex()
        if not 0 <= at < len(self.series):
            return
        series = self.series[at][1]
        dimension = series.dimension
        x, y = np.array(dimension.seconds or dimension.values), np.array(series.values)
        axis = self.dates if dimension.is_time else self.plain
        if self.plot.getAxis("bottom") is not axis:
            self.plot.setAxisItems({"bottom": axis})
        for each in (axis, self.plot.getAxis("left")):
            each.enableAutoSIPrefix(False)
            each.setPen(self.theme.rule)
            each.setTextPen(self.theme.quiet)
        self.plot.plot(x, y, pen=pg.mkPen(self.theme.second, width=2), connect="finite")
        self.plot.plot(
            x[[series.at]], y[[series.at]], pen=None, symbol="o", symbolSize=9,
            symbolBrush=self.theme.accent, symbolPen=self.theme.raised,
        )  # fmt: skip
        name = dimension.name + (f", {dimension.unit}" if dimension.unit else "")
        self.plot.setLabel("bottom", "" if dimension.is_time else name, color=self.theme.quiet)
        self.plot.setLabel("left", series.unit or tr("value"), color=self.theme.quiet)
        self.plot.enableAutoRange()
