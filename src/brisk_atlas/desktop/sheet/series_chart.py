"""The related rows of the picked row as a small chart: a value over time."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyqtgraph as pg
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from brisk_atlas.core.model import Join, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..chart import Chart
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme


class SeriesChart(Chart):
    """Draws one field of a related table over another, for one row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self.setMinimumWidth(220)
        self.title = PlainLabel("")
        self.title.setObjectName("quiet")
        self.title.setContentsMargins(8, 0, 0, 0)
        self.over, self.value = QComboBox(), QComboBox()
        self.over.setObjectName("over")
        self.value.setObjectName("value")
        row = QHBoxLayout()
        row.setContentsMargins(8, 2, 8, 0)
        for widget in (self.value, PlainLabel(tr("over")), self.over):
            row.addWidget(widget, 1 if isinstance(widget, QComboBox) else 0)
        self.plot = pg.PlotWidget(axisItems={"bottom": pg.DateAxisItem(utcOffset=0)})
        self.plot.setMenuEnabled(False)
        self.plot.hideButtons()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(row)
        column.addWidget(self.title)
        column.addWidget(self.plot, 1)
        self._join: Join | None = None
        self.rows: pa.Table | None = None
        for box in (self.over, self.value):
            box.activated.connect(lambda i: self._draw())

    @property
    def title_words(self) -> str:
        value, over = self.value.currentText(), self.over.currentText()
        return tr("{value} over {over}", value=value, over=over) if self.rows is not None and value and over else ""

    @property
    def drawing(self) -> QWidget:
        return self.plot

    def use_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.plot.setBackground(theme.raised)
        for side in ("bottom", "left"):
            axis = self.plot.getAxis(side)
            axis.enableAutoSIPrefix(False)
            axis.setPen(theme.rule)
            axis.setTextPen(theme.quiet)
        self._draw()

    def show_rows(self, layer: Layer, join: Join, row: int | None) -> None:
        """Look up the related rows of a row in the background, and draw them."""
        if row is None:
            self.rows = None
            self.title.setText(tr("Pick a row to see its {name}", name=join.name))
            self.plot.clear()
            return

        def work(job: Job) -> pa.Table:
            from brisk_atlas.core.table import rows_of
            from brisk_atlas.core.table.joining import related_rows

            cache = self.session.cache
            return related_rows(rows_of(cache, layer, job.check), join, cache.table(join.ref), row)

        def done(rows: pa.Table) -> None:
            self.rows = rows
            if self._join != join:
                self._join = join
                self._offer(rows)
            self.title.setText(
                tr("{num_rows:,} rows of {name}, row {row:,}", num_rows=rows.num_rows, name=join.name, row=row + 1)
            )
            self._draw()

        self.session.run(tr("Related rows"), work, done, shown=False)

    def _offer(self, rows: pa.Table) -> None:
        numbers = [f.name for f in rows.schema if pa.types.is_integer(f.type) or pa.types.is_floating(f.type)]
        times = [f.name for f in rows.schema if pa.types.is_temporal(f.type)]
        key = self._join.other_key if self._join else ""
        self.over.clear()
        self.value.clear()
        self.over.addItems([*times, *(n for n in numbers if n != key)])
        self.value.addItems([n for n in numbers if n != key])

    def series(self) -> tuple[np.ndarray, np.ndarray]:
        """Return what is drawn: (n,) seconds since 1970 or numbers, in order, and (n,) values."""
        if self.rows is None or not self.over.currentText() or not self.value.currentText():
            return np.zeros(0), np.zeros(0)
        over = self.rows.column(self.over.currentText())
        if pa.types.is_temporal(over.type):
            x = over.cast(pa.timestamp("ms")).cast(pa.int64()).cast(pa.float64(), safe=False).to_numpy() / 1000
        else:
            x = over.cast(pa.float64(), safe=False).to_numpy()
        y = self.rows.column(self.value.currentText()).cast(pa.float64(), safe=False).to_numpy()
        known = np.isfinite(x) & np.isfinite(y)
        order = np.argsort(x[known], kind="stable")
        return x[known][order], y[known][order]

    def _draw(self) -> None:
        self.plot.clear()
        x, y = self.series()
        if not x.size:
            return
        look: dict[str, Any] = {"pen": pg.mkPen(self.theme.second, width=1.6)}
        if x.size <= 200:
            look |= {"symbol": "o", "symbolSize": 5, "symbolBrush": self.theme.second, "symbolPen": None}
        self.plot.plot(x, y, **look)
        self.plot.setLabel("left", self.value.currentText(), color=self.theme.quiet)
