"""The statistics of each cell through the dates of a series."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, argument, grid_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class SeriesResult:
    """What was written of a series: how many dates from when to when, how many of them were interpolated."""

    path: Path
    dates: int
    years: tuple[float, float]
    resampled: int
    rising: float
    falling: float
    steepest: float  # the trend, up or down, that 98 % of the cells stay below

    def lines(self) -> list[str]:
        found = [
            tr(
                "{dates} dates, {years:.2f} to {years2:.2f}",
                dates=self.dates,
                years=self.years[0],
                years2=self.years[1],
            ),
            tr(
                "trend that is unlikely to be chance (p < 0.05): {rising:.1%} of the cells rise, {falling:.1%} fall",
                rising=self.rising,
                falling=self.falling,
            ),
        ]
        found += (
            [tr("{resampled} dates have other cells and were interpolated", resampled=self.resampled)]
            if self.resampled
            else []
        )
        return [*found, tr("Written: {path}", path=self.path)]

    def as_json(self) -> dict[str, Any]:
        return {
            "path": str(self.path), "dates": self.dates, "years": list(self.years), "resampled": self.resampled,
            "rising_share": self.rising, "falling_share": self.falling,
        }  # fmt: skip


@dataclass(frozen=True)
class SeriesStatistics(Operation):
    """Count, minimum, maximum, mean, trend a year with its p value, and the largest change, of each cell through time.

    The trend is by least squares; its p value is that of a two-sided t test, which takes the dates as independent.
    """

    sources: tuple[Source, ...] = argument(tr("the grids of the series, or one grid with a time dimension"))
    path: Path = argument(tr("the GeoTIFF to write, a band a statistic"))
    begin: float | None = argument(tr("the year, with its fraction, from which dates count"), None)
    end: float | None = argument(tr("the year, with its fraction, up to which dates count"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> SeriesResult:
        from brisk_atlas.core.compare.layer_series import dated_bands
        from brisk_atlas.core.compare.series import NAMES, band_units, series_statistics, years_of
        from brisk_atlas.core.handover.grid import write_bands_file
        from brisk_atlas.core.model import AtlasError

        self.check_is_no_source(workspace, self.path)
        layers = [grid_of(workspace, source) for source in self.sources]
        times = {layer.id: workspace.time_of(layer) for layer in layers}
        bands = dated_bands(workspace.cache, layers, times)
        years = years_of([each.seconds for each in bands])
        low, high = (edge if edge is not None else default for edge, default in
                     ((self.begin, -np.inf), (self.end, np.inf)))  # fmt: skip
        bands = [each for each, year in zip(bands, years) if low <= year <= high]
        if len(bands) < 2:
            names = ", ".join(layer.name for layer in layers)
            raise AtlasError(
                names,
                tr("{count} of its dates are known", count=len(bands)),
                tr("Put dates into the names of the layers."),
            )
        found = series_statistics(bands, lambda share: progress(0.8 * share, tr("reading the dates")))
        progress(0.85, tr("writing the statistics"))
        write_bands_file(found.grid, self.path, NAMES, band_units(found.unit))
        known, sure = found.grid.values[4], found.grid.values[5] < 0.05
        cells = max(1, int(np.count_nonzero(found.grid.valid)))
        steep = np.abs(known[np.isfinite(known)])
        ends = years_of([min(e.seconds for e in bands), max(e.seconds for e in bands)])
        return SeriesResult(
            self.path, found.dates, (float(ends[0]), float(ends[1])), found.resampled,
            float(np.count_nonzero(sure & (known > 0)) / cells), float(np.count_nonzero(sure & (known < 0)) / cells),
            float(np.percentile(steep, 98)) if steep.size else 0.0,
        )  # fmt: skip
