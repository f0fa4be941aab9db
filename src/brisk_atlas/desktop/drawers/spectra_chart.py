"""Spectra of held probes: values of bands over their wavelength."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pyqtgraph as pg
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..chart import Chart
from ..panes.discs import colour_of
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.held import Spectrum

HEIGHT_PX = 176


class SpectraChart(Chart):
    """A line a probe, in the colour of its disc."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("spectra")
        self.setFixedHeight(HEIGHT_PX)
        self.theme: Theme = LIGHT
        self.spectra: list[Spectrum] = []
        self.plot = pg.PlotWidget()
        self.plot.setMenuEnabled(False)
        self.plot.hideButtons()
        self.plot.setMouseEnabled(x=False, y=False)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 0, 6, 4)
        column.addWidget(self.plot)

    @property
    def title_words(self) -> str:
        return tr("Spectra of {names}", names=", ".join(each.name for each in self.spectra)) if self.spectra else ""

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
        self.show_spectra(self.spectra)

    def show_spectra(self, spectra: list[Spectrum]) -> None:
        """Draw spectra; those of different units never share an axis, so the first one's unit counts."""
        self.spectra = spectra
        self.plot.clear()
        self.setVisible(bool(spectra))
        if not spectra:
            return
        unit = spectra[0].unit
        for spectrum in spectra:
            if spectrum.unit != unit:
                continue
            colour = colour_of(spectrum.number)
            self.plot.plot(
                spectrum.wavelength, spectrum.value, pen=pg.mkPen(colour, width=2),
                symbol="o", symbolSize=6, symbolBrush=colour, symbolPen=None, name=spectrum.name,
            )  # fmt: skip
            label = pg.TextItem(str(spectrum.number), color=colour, anchor=(-0.4, 0.5))
            label.setPos(float(spectrum.wavelength[-1]), float(spectrum.value[-1]))
            self.plot.addItem(label)
        self.plot.setLabel("bottom", tr("wavelength, µm"), color=self.theme.quiet)
        self.plot.setLabel("left", unit or "number", color=self.theme.quiet)
        self.plot.enableAutoRange()
