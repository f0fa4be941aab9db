"""The value at one place through the dates of a series of layers."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.inspect.finding import ProbeSeries
from brisk_atlas.core.model import CellWindow, GridDimension, Layer, RasterPart
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import transform

from .layer_series import SeriesDate


def series_at(
    cache: DataCache,
    dates: Sequence[SeriesDate],
    layers: Sequence[Layer],
    subject: str,
    x: float,
    y: float,
    crs: str | None,
    check: Callable[[], None] = lambda: None,
) -> ProbeSeries | None:
    """Return what the shown band of each layer of a series has in the cell at a point, NaN for no data; None for a
    series of fewer than two dates, or of what is no grid. The subject's date is marked."""
    by_id = {layer.id: layer for layer in layers}
    dates = [date for date in dates if date.layer_id in by_id and by_id[date.layer_id].kind.has_cells]
    if len(dates) < 2:
        return None
    values, unit = [], ""
    for date in dates:
        check()
        layer = by_id[date.layer_id]
        part, band = cache.raster(layer.ref), shown_band(layer.style)
        values.append(_cell(part, band, x, y, crs))
        unit = part.facts.grid.bands[band - 1].unit if part.facts.grid else ""
    seconds = tuple(date.time.seconds for date in dates)
    dimension = GridDimension("time", seconds, tuple(date.time.text for date in dates), "", seconds)
    at = next((number for number, date in enumerate(dates) if date.layer_id == subject), 0)
    return ProbeSeries(dimension, tuple(values), unit, at)


def _cell(part: RasterPart, band: int, x: float, y: float, crs: str | None) -> float:
    """Return the value of the cell at a point, NaN where there is none."""
    lattice = part.facts.lattice
    column, row = lattice.to_cells(*transform(np.array([[x, y]]), crs, part.facts.crs)[0])
    if not (0 <= column < lattice.columns and 0 <= row < lattice.rows):
        return float("nan")
    found = part.block(CellWindow(int(column), int(row), int(column) + 1, int(row) + 1), bands=(band,))
    return float(found.values[0, 0, 0]) if found.valid[0, 0] else float("nan")
