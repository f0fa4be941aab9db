"""Zonal numbers: what the cells of a grid come to within each polygon of a layer."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import BadExpression, CannotPlace, CellWindow, Lattice, Layer
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import POLYGON, Shapes
from brisk_atlas.core.model.words import free_name
from brisk_atlas.core.place import metres_per_unit, same_crs, transform, unit_of
from brisk_atlas.core.place.cell_areas import cell_areas
from brisk_atlas.core.table import rows_of

from .zonal_kernels import gather

STRIP = 4_000_000  # cells read at once
MOST_VALUES = 50_000_000  # cells in all zones up to which the median and the mode value are worked out


def zonal_table(
    cache: DataCache, zones: Layer, grid: Layer, band: int = 1, report: Callable[[float], None] = lambda share: None
) -> pa.Table:
    """Return the rows of a polygon layer with the numbers of one band appended: cells, area, minimum, mean,
    median, maximum, sum, standard deviation, and the mode of a grid of whole numbers.

    A cell counts for a zone if its centre lies in it; zones may overlap. For a zone without cells all
    but their count is missing. Raises BadExpression, CannotPlace, CannotRead.
    """
    shapes = _zones_in(cache, zones, grid)
    part = cache.raster(grid.ref)
    facts = part.facts
    whole = np.issubdtype(np.dtype(part.value_dtype), np.integer)
    read = lambda window: part.block(window, bands=(band,))  # noqa: E731
    cells, made = zone_numbers(shapes, facts.lattice, read, whole, report)
    unit, table = unit_of(facts.crs), rows_of(cache, zones)
    columns = {"cells": pa.array(cells.astype(np.int64))}
    if unit and unit != "°":
        columns[f"cells_area_{unit}2"] = pa.array(cells * _cell_areas(shapes, facts.lattice))
    columns |= {name: pa.array(values, mask=cells == 0) for name, values in made.items()}
    for name, column in columns.items():
        table = table.append_column(free_name(f"{grid.name}_{name}", table.column_names), column)
    return table


def _cell_areas(shapes: Shapes, lattice: Lattice) -> np.ndarray:
    """Return (zones,) the area of a cell in the middle of each zone, in square units of the CRS as they are on the
    ground."""
    middle = (shapes.bounds[:, :2] + shapes.bounds[:, 2:]) / 2
    middle = np.where(np.isfinite(middle), middle, 0.0)
    _, row = lattice.to_cells(middle[:, 0], middle[:, 1])
    areas = cell_areas(lattice) / metres_per_unit(lattice.crs) ** 2
    return areas[np.clip(row.astype(np.int64), 0, lattice.rows - 1)]


def zone_numbers(
    shapes: Shapes, lattice: Lattice, read: Callable[[CellWindow], Grid], whole: bool,
    report: Callable[[float], None] = lambda share: None,
) -> tuple[np.ndarray, dict[str, np.ndarray]]:  # fmt: skip
    """Return how many cells each polygon has, (n,) float64, and their numbers by name, (n,) each.

    They are minimum, mean, median, maximum, sum, standard deviation, and the mode where the values are `whole` numbers;
    the median and the mode for up to MOST_VALUES cells in all. `read` gives one band; the polygons are in the CRS of
    the lattice.
    """
    count = len(shapes)
    sums = np.zeros((count, 3))  # cells, sum, and sum of squares about `shift`
    ends = np.column_stack([np.full(count, np.inf), np.full(count, -np.inf)])
    shift, held = None, 0
    pieces: list[tuple[np.ndarray, np.ndarray]] | None = []
    for zone, value in _pairs(shapes, lattice, read, report):
        if not zone.size:
            continue
        shift = float(value.mean()) if shift is None else shift
        off = value - shift  # squares about a near value lose no digits
        sums += np.column_stack([np.bincount(zone, w, count) for w in (np.ones(zone.size), value, off * off)])
        np.minimum.at(ends[:, 0], zone, value)
        np.maximum.at(ends[:, 1], zone, value)
        held += zone.size
        pieces = None if pieces is None or held > MOST_VALUES else [*pieces, (zone, value)]
    report(0.95)
    cells = sums[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = sums[:, 1] / cells
        standard_deviation = np.sqrt(np.maximum(sums[:, 2] / cells - (mean - (shift or 0.0)) ** 2, 0.0))
    made: dict[str, np.ndarray] = {"minimum": ends[:, 0], "mean": mean}
    if pieces is not None:
        median, mode = _ranked(pieces, count)
        made["median"] = median
    made |= {"maximum": ends[:, 1], "sum": sums[:, 1], "standard_deviation": standard_deviation}
    if pieces is not None and whole:
        made["mode"] = mode
    return cells, made


def _zones_in(cache: DataCache, zones: Layer, grid: Layer) -> Shapes:
    """Return the polygons in the CRS of the grid. Raises BadExpression, CannotPlace."""
    features, facts = cache.features(zones.ref), cache.raster(grid.ref).facts
    if not (features.shapes.path_kinds == POLYGON).any():
        raise BadExpression(zones.name, tr("it has no polygons"), tr("Choose a layer of polygons as zones."))
    if (features.crs is None) != (facts.crs is None):
        raise CannotPlace(zones.name, tr("one of the two has no CRS"), tr("Give it one when it is opened."))
    if same_crs(features.crs, facts.crs):
        return features.shapes
    return features.shapes.moved(transform(features.shapes.xy, features.crs, facts.crs))


def _pairs(
    shapes: Shapes, lattice: Lattice, read: Callable[[CellWindow], Grid], report: Callable[[float], None]
) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Yield (zones, values) of the cells in polygons, strip by strip of the grid."""
    column, row = lattice.to_cells(shapes.xy[:, 0], shapes.xy[:, 1])
    shapes = shapes.moved(np.column_stack([column, -row]))  # so that any grid is a plain one: cells of size 1
    b = shapes.bounds
    if not np.isfinite(b[:, 1]).any():
        return
    top = max(0, int(-np.nanmax(b[:, 3])))
    last = min(lattice.rows, int(-np.nanmin(b[:, 1])) + 1)
    tall = max(1, STRIP // lattice.columns)
    vertices = np.diff(shapes.path_starts[shapes.feature_starts])
    room = np.empty(int(vertices.max(initial=0)) + 2)
    for first in range(top, last, tall):
        report(0.02 + 0.9 * (first - top) / (last - top))
        cells = read(CellWindow(0, first, lattice.columns, min(first + tall, last)))
        values = np.where(cells.valid, cells.values[0], np.nan).astype(np.float64)
        capacity = values.size
        while True:
            zone, value = np.empty(capacity, np.int64), np.empty(capacity)
            found = gather(
                shapes.xy, shapes.path_starts, shapes.path_kinds, shapes.feature_starts, b,
                values, 0.0, 0.0, 1.0, 1.0, first, room, zone, value,
            )  # fmt: skip
            if found <= capacity:
                break
            capacity = found  # zones that lie over each other
        yield zone[:found], value[:found]


def _ranked(pieces: list[tuple[np.ndarray, np.ndarray]], count: int) -> tuple[np.ndarray, np.ndarray]:
    """Return (zones,) the median value and the mode one (the minimum of several); NaN without cells."""
    median, mode = np.full(count, np.nan), np.full(count, np.nan)
    if not pieces:
        return median, mode
    zone, value = np.concatenate([z for z, _ in pieces]), np.concatenate([v for _, v in pieces])
    order = np.lexsort((value, zone))
    zone, value = zone[order], value[order]
    present, starts, counts = np.unique(zone, return_index=True, return_counts=True)
    median[present] = (value[starts + (counts - 1) // 2] + value[starts + counts // 2]) / 2
    new = np.ones(zone.size, bool)
    new[1:] = (zone[1:] != zone[:-1]) | (value[1:] != value[:-1])
    at = np.flatnonzero(new)
    length = np.diff(np.append(at, zone.size))
    best = np.lexsort((value[at], -length, zone[at]))
    first = np.unique(zone[at][best], return_index=True)[1]
    mode[present] = value[at][best][first]
    return median, mode
