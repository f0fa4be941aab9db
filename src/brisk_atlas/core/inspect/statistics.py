"""Numbers about many values: of a band, a field or a dimension; whole, in view, in an area or along a line."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import BadExpression, CellWindow, Extent, Lattice, Layer, RasterPart, number_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import is_year
from brisk_atlas.core.place import height_unit_of
from brisk_atlas.core.table import rows_of, shown_rows

from .cell import along
from .finding import ProbeValue, Where
from .picking import around, hit, shape_in

MOST_CELLS = 16_000_000  # read for one summary; of more, one in so many is taken
LINE_STEPS = 2000  # places along a line
STRIP = 4_000_000  # cells read at once
Check = Callable[[], None]


@dataclass(frozen=True, eq=False)
class StatisticsSummary:
    """Summary of the known values. `counts` and `edges` are those of a histogram.

    `missing` is how many had no value; `note` says how they were chosen, where not all were taken.
    """

    count: int
    minimum: float
    mean: float
    maximum: float
    standard_deviation: float
    counts: np.ndarray
    edges: np.ndarray
    median: float = float("nan")
    missing: int = 0
    note: str = ""


def summarise(values: np.ndarray, bins: int = 64, note: str = "") -> StatisticsSummary | None:
    """Return the summary of a 1-D array; NaN does not count; None where nothing is known."""
    values = np.asarray(values, float)
    known = values[np.isfinite(values)]
    if not known.size:
        return None
    counts, edges = np.histogram(known, bins)
    return StatisticsSummary(
        known.size,
        float(known.min()),
        float(known.mean()),
        float(known.max()),
        float(known.std()),
        counts,
        edges,
        float(np.median(known)),
        values.size - known.size,
        note,
    )


def summary_readings(name: str, summary: StatisticsSummary, unit: str = "") -> list[ProbeValue]:
    """Return a summary as the lines of a finding, under the name of what it sums up."""
    lines = [
        ("minimum", summary.minimum), ("mean", summary.mean), ("median", summary.median),
        ("maximum", summary.maximum), (tr("standard deviation"), summary.standard_deviation),
    ]  # fmt: skip
    found = [
        ProbeValue(
            "values", summary.count, grouped(summary.count), "", name, tr("{name}, values", name=name), summary.note
        )
    ]
    if summary.missing:
        found.append(
            ProbeValue(
                tr("without a value"),
                summary.missing,
                grouped(summary.missing),
                "",
                name,
                tr("{name}, missing", name=name),
            )
        )
    for label, value in lines:
        text = number_text(float(f"{value:.7g}"), in_groups=not is_year(name))
        found.append(ProbeValue(label, value, text, unit, name, f"{name}, {label}"))
    if summary.note:
        found.append(ProbeValue("taken", None, summary.note, "", name, tr("{name}, taken", name=name)))
    return found


def band_values(
    part: RasterPart, band: int, area: shapely.Geometry | None, check: Check = lambda: None
) -> tuple[np.ndarray, str]:
    """Return the values of the cells whose middle lies in an area (in the part's CRS; None for all), NaN
    without data, and how they were taken where not all were."""
    lattice = part.facts.lattice
    window = lattice.whole if area is None else lattice.window_of(Extent.of(area.bounds, part.facts.crs))
    if window.is_empty:
        return np.zeros(0), ""
    rows, columns = window.shape
    every = max(1, ceil(sqrt(rows * columns / MOST_CELLS)))
    if every > 1:
        return _sampled(part, band, area, lattice.within(window), every)
    found = []
    tall = max(1, STRIP // columns)
    for first in range(window.first_row, window.last_row, tall):
        check()
        strip = CellWindow(window.first_column, first, window.last_column, min(first + tall, window.last_row))
        found.append(_known(part.block(strip, bands=(band,)), area))
    return np.concatenate(found), ""


def _sampled(
    part: RasterPart, band: int, area: shapely.Geometry | None, lattice: Lattice, every: int
) -> tuple[np.ndarray, str]:
    """Return one cell in `every`, both ways, of a piece of a grid."""
    grid = part.read(lattice.extent, (max(1, lattice.rows // every), max(1, lattice.columns // every)), bands=(band,))
    if not lattice.is_upright:  # the corners around a turned grid are none of its cells
        column, row = lattice.to_cells(*grid.centres)
        inside = (column >= 0) & (column < lattice.columns) & (row >= 0) & (row < lattice.rows)
        values = np.where(grid.valid, grid.values[0], np.nan)[inside]
        x, y = (v[inside] for v in grid.centres)
        return (values if area is None else values[shapely.intersects_xy(area, x, y)]), _note(every)
    return _known(grid, area), _note(every)


def _note(every: int) -> str:
    return tr("one cell in {every:,}, nearest", every=every * every)


def _known(grid: Grid, area: shapely.Geometry | None) -> np.ndarray:
    """Return the values of one band whose middle lies in an area, NaN without data."""
    values = np.where(grid.valid, grid.values[0], np.nan).astype(float)
    if area is None:
        return values.ravel()
    rows, columns = grid.shape
    to_cells = grid.lattice.to_cells
    there = shapely.transform(area, lambda xy: np.column_stack(to_cells(xy[:, 0], xy[:, 1])))
    x, y = np.arange(columns) + 0.5, np.arange(rows) + 0.5
    if there.equals(shapely.box(*there.bounds)):
        xmin, ymin, xmax, ymax = there.bounds
        return values[((y >= ymin) & (y <= ymax))[:, None] & ((x >= xmin) & (x <= xmax))[None, :]]
    shapely.prepare(there)
    inside = [shapely.intersects_xy(there, x, np.full(columns, v)) for v in y.tolist()]
    return values[np.array(inside).reshape(rows, columns)]


def area_statistics(
    cache: DataCache, layer: Layer, where: Where, check: Check = lambda: None
) -> list[tuple[str, StatisticsSummary, str]]:
    """Return (band, summary, unit) of all bands of a raster layer over the cells in an area."""
    part = cache.raster(layer.ref)
    assert part.facts.grid is not None
    area, found = shape_in(where, part.facts.crs), []
    for band in part.facts.grid.bands:
        values, note = band_values(part, band.index, area, check)
        summary = summarise(values, note=note)
        if summary is not None:
            found.append((band.name, summary, band.unit))
    return found


def line_statistics(
    cache: DataCache, layer: Layer, where: Where, check: Check = lambda: None
) -> list[tuple[str, StatisticsSummary, str]]:
    """Return (band, summary, unit) of all bands of a raster layer at places along a line."""
    part, xy = cache.raster(layer.ref), places_along(where.xy, LINE_STEPS)
    assert part.facts.grid is not None
    found = []
    for band in part.facts.grid.bands:
        check()
        summary = summarise(
            along(part, xy, where.crs, band.index), note=tr("at {count:,} places along the line", count=len(xy))
        )
        if summary is not None:
            found.append((band.name, summary, band.unit))
    return found


def places_along(xy: np.ndarray, count: int) -> np.ndarray:
    """Return (count, 2) positions at equal steps along (n, 2) positions."""
    run = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
    at = np.linspace(0.0, run[-1], count)
    return np.column_stack([np.interp(at, run, xy[:, 0]), np.interp(at, run, xy[:, 1])])


def number_fields(table: pa.Table) -> list[str]:
    """Return the fields of a table that hold numbers."""
    number = lambda t: pa.types.is_integer(t) or pa.types.is_floating(t) or pa.types.is_decimal(t)  # noqa: E731
    return [field.name for field in table.schema if number(field.type)]


def grid_statistics(
    cache: DataCache, layer: Layer, name: str, where: Where | None, check: Check = lambda: None
) -> tuple[StatisticsSummary | None, str]:
    """Return the summary of a band by name, in an area or everywhere, and its unit. Raises CannotRead."""
    part = cache.raster(layer.ref)
    facts = part.facts
    assert facts.grid is not None
    band = next(b for b in facts.grid.bands if b.name == name)
    values, note = band_values(part, band.index, shape_in(where, facts.crs) if where else None, check)
    return summarise(values, note=note), band.unit


def cloud_statistics(
    cache: DataCache, layer: Layer, name: str, where: Where | None
) -> tuple[StatisticsSummary | None, str]:
    """Return the summary of a dimension of points, in an area or everywhere, and its unit. Raises CannotRead."""
    points = cache.points(layer.ref)
    values = points.values(name)
    if where is not None:
        values = values[shapely.intersects_xy(shape_in(where, points.crs), points.xyz[:, 0], points.xyz[:, 1])]
    return summarise(values), height_unit_of(points.crs) if name == "z" else ""


def field_statistics(
    cache: DataCache, layer: Layer, name: str, rows: np.ndarray | None = None
) -> tuple[StatisticsSummary | None, str]:
    """Return the summary of a field over the rows that the filters show, of those numbered `rows` where given, and its
    unit. Raises BadExpression, CannotRead."""
    table = rows_of(cache, layer)
    if name not in table.column_names:
        raise BadExpression(name, tr("there is no such field any more"), tr("Choose another one."))
    column = table.column(name).cast(pa.float64(), safe=False).to_numpy()
    mask = shown_rows(cache, layer)
    if rows is not None:
        met = np.zeros(table.num_rows, bool)
        met[rows] = True
        mask = met if mask is None else mask & met
    unit = next((f.unit for f in layer.rows.computed if f.name == name), "")
    return summarise(column if mask is None else column[mask]), unit


def features_in(cache: DataCache, layer: Layer, where: Where) -> np.ndarray:
    """Return the numbers of the features that meet an area."""
    return hit(cache.features(layer.ref), cache.shape_index(layer.ref, where.crs), where)


__all__ = [
    "StatisticsSummary", "area_statistics", "around", "band_values", "line_statistics", "places_along",
    "summarise", "summary_readings",
]  # fmt: skip
