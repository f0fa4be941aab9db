"""The held probes side by side, with their spectra; saved as points."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session
from ..theme import LIGHT, Theme
from .held_list import HeldList
from .held_table import HeldTable

if TYPE_CHECKING:
    from .spectra_chart import SpectraChart


class HeldPane(QWidget):
    """A table of the held probes, and a chart of those that have spectra. Hidden while nothing is held."""

    def __init__(self, session: Session, held: HeldList) -> None:
        super().__init__()
        self.session, self.held = session, held
        self.theme: Theme = LIGHT
        self.table = HeldTable(held)
        self.chart: SpectraChart | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._column.addWidget(self.table, 1)

    def refresh(self) -> None:
        """Show what is held now."""
        self.setVisible(len(self.held) > 0)
        if not len(self.held):
            return
        from brisk_atlas.core.inspect import spectra

        found = spectra(self.held.held)
        if found and self.chart is None:
            from .spectra_chart import SpectraChart

            self.chart = SpectraChart()
            self.chart.use_theme(self.theme)
            self._column.addWidget(self.chart)
        if self.chart is not None:
            self.chart.show_spectra(found)

    def use_theme(self, theme: Theme) -> None:
        self.theme = self.table.theme = theme
        if self.chart is not None:
            self.chart.use_theme(theme)

    def as_text(self) -> str:
        """Return the comparison as tab-separated lines."""
        from brisk_atlas.core.inspect import as_table

        return as_table(self.held.held, self.held.mapping)

    def ask_and_save(self) -> None:
        kinds = tr("GeoPackage (*.gpkg);;GeoJSON (*.geojson)")
        start = str(Path.home() / "probes.gpkg")
        chosen, _ = QFileDialog.getSaveFileName(self, tr("Save held probes as points"), start, kinds)
        if chosen:
            self.save_to(Path(chosen))

    def save_to(self, path: Path) -> None:
        """Write the held probes as points with their values, and open them."""
        held, mapping = list(self.held.held), dict(self.held.mapping)

        def work(job: Job) -> Path:
            from brisk_atlas.core.handover.probes import save_probes

            return save_probes(held, mapping, path)

        def done(written: Path) -> None:
            self.session.noticed.emit(
                "good", tr("Saved {count} probes in {name}", count=len(held), name=written.name), ""
            )
            self.session.open_files([written])

        self.session.run(tr("Saving {name}", name=path.name), work, done)
