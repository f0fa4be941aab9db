"""Values along a dimension: a line over real coordinates, with what is shown marked."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg

from brisk_atlas.core.inspect.finding import ProbeSeries
from brisk_atlas.core.model.language import tr

from ..theme import Theme


class AlongLine(pg.PlotWidget):
    """The line of a series."""

    def __init__(self) -> None:
        super().__init__()
        self.dates = pg.DateAxisItem(utcOffset=0)
        self.plain = self.getAxis("bottom")
        self.setMenuEnabled(False)
        self.hideButtons()
        self.setMouseEnabled(x=False, y=False)

    def draw(self, series: ProbeSeries, theme: Theme) -> None:
        """Show a series in the place of the one before."""
        self.clear()
        self.setBackground(theme.raised)
        dimension = series.dimension
        x, y = np.array(dimension.seconds or dimension.values), np.array(series.values)
        axis = self.dates if dimension.is_time else self.plain
        if self.getAxis("bottom") is not axis:
            self.setAxisItems({"bottom": axis})
        for each in (axis, self.getAxis("left")):
            each.enableAutoSIPrefix(False)
            each.setPen(theme.rule)
            each.setTextPen(theme.quiet)
        self.plot(x, y, pen=pg.mkPen(theme.second, width=2), connect="finite")
        self.plot(
            x[[series.at]], y[[series.at]], pen=None, symbol="o", symbolSize=9,
            symbolBrush=theme.accent, symbolPen=theme.raised,
        )  # fmt: skip
        name = dimension.name + (f", {dimension.unit}" if dimension.unit else "")
        self.setLabel("bottom", "" if dimension.is_time else name, color=theme.quiet)
        self.setLabel("left", series.unit or tr("value"), color=theme.quiet)
        self.enableAutoRange()
