"""Profiles of layers: grids along a line, points in their order, lines with heights of their own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.classes import is_number
from brisk_atlas.core.inspect.sampling import values_at
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.shapes import POINT
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import height_unit_of, transform
from brisk_atlas.core.table import rows_of, shown_rows

from .profile import Profile, Trace, breaks_between, distances_along

MOST_SAMPLES = 20_000  # along a line


def grids_along(
    cache: DataCache, grids: Sequence[Layer], xy: np.ndarray, crs: str | None,
    check: Callable[[], None] = lambda: None,
) -> Profile:  # fmt: skip
    """Return the cells of grids along a line through positions, as they are stored, a sample about every half cell of
    the finest. Raises AtlasError for a line without a length."""
    ends = np.asarray(xy, float)
    whole = distances_along(ends, crs)
    if len(ends) < 2 or not whole[-1] > 0:
        raise AtlasError("the line", "it has no length", "Draw one with two corners or more.")
    cells = [_cell_along(cache, layer, ends, crs) for layer in grids]
    count = int(np.clip(2 * max(cells, default=100.0), 2, MOST_SAMPLES))
    at = np.union1d(np.linspace(0.0, whole[-1], count + 1), whole)  # the corners are samples too
    xy = np.column_stack([np.interp(at, whole, ends[:, axis]) for axis in (0, 1)])
    traces = []
    for layer in grids:
        check()
        part, band = cache.raster(layer.ref), shown_band(layer.style)
        assert part.facts.grid is not None
        values = values_at(part, xy, crs, (band,))[:, 0]
        stated = part.facts.grid.bands[band - 1]
        traces.append(Trace(layer.name, stated.unit, values, stated.name))
    title = f"{traces[0].name} along a line" if len(traces) == 1 else "along a line"
    return Profile(title, "", at, xy, crs, tuple(traces), np.zeros(len(at), bool))


def _cell_along(cache: DataCache, layer: Layer, ends: np.ndarray, crs: str | None) -> float:
    """Return about how many cells of a grid a line passes."""
    part = cache.raster(layer.ref)
    own = transform(ends, crs, part.facts.crs)
    column, row = part.facts.lattice.to_cells(own[:, 0], own[:, 1])
    steps = np.maximum(np.abs(np.diff(column)), np.abs(np.diff(row)))
    return float(np.nansum(steps))


def points_in_order(cache: DataCache, layer: Layer) -> Profile:
    """Return the numbers of a layer of points along them, in the order of its time field where it has one, else of its
    rows; of those that its filters show. Raises AtlasError for a layer with fewer than two points."""
    features, table = cache.features(layer.ref), rows_of(cache, layer)
    shapes = features.shapes
    rows = np.flatnonzero((np.diff(shapes.feature_starts) == 1) & np.isfinite(shapes.bounds[:, 0]))
    rows = rows[shapes.path_kinds[shapes.feature_starts[rows]] == POINT]
    shown = shown_rows(cache, layer) if layer.rows.on_map else None
    rows = rows[shown[rows]] if shown is not None else rows
    if len(rows) < 2:
        raise AtlasError(layer.name, "it has fewer than two points to go along", "Choose points or a line.")
    times = _times(table)
    time = times[rows] if times is not None else None
    if time is not None:
        known = ~np.isnat(time)
        order = np.argsort(time[known], kind="stable")
        rows, time = rows[known][order], time[known][order]
    xy = shapes.bounds[rows, :2]
    distance = distances_along(xy, features.crs)
    traces = [
        Trace(name, layer.rows.column(name).unit, values, down=name.lower().startswith("depth"))
        for name in table.column_names
        if is_number(table.schema.field(name).type) and np.isfinite(values := _numbers(table, name)[rows]).any()
    ]
    return Profile(
        layer.name, layer.id, distance, xy, features.crs, tuple(traces), breaks_between(distance), rows, time
    )


def line_of_row(cache: DataCache, layer: Layer, row: int) -> tuple[np.ndarray, Trace | None]:
    """Return (n, 2) the longest path of a line feature, and the heights of its vertices where it has some.

    Raises AtlasError for a feature without a line.
    """
    shapes = cache.features(layer.ref).shapes
    first, last = shapes.feature_starts[row], shapes.feature_starts[row + 1]
    paths = [(shapes.path_starts[n], shapes.path_starts[n + 1]) for n in range(first, last)]
    paths = [each for each in paths if each[1] - each[0] > 1]
    if not paths:
        raise AtlasError(layer.name, f"row {row + 1} has no line", "Choose a line.")
    a, b = max(paths, key=lambda each: np.hypot(*np.diff(shapes.xy[each[0] : each[1]], axis=0).T).sum())
    crs = cache.features(layer.ref).crs
    heights = Trace("Z", height_unit_of(crs), shapes.z[a:b]) if shapes.z is not None else None
    return shapes.xy[a:b], heights


def along_row(
    cache: DataCache, layer: Layer, row: int, grids: Sequence[Layer], check: Callable[[], None] = lambda: None
) -> Profile:
    """Return grids along a line feature, and its own heights where it has some. Raises AtlasError."""
    xy, heights = line_of_row(cache, layer, row)
    crs = cache.features(layer.ref).crs
    found = grids_along(cache, grids, xy, crs, check)
    own: tuple[Trace, ...] = ()
    if heights is not None:
        along = np.interp(found.distance, distances_along(xy, crs), heights.values)
        own = (replace(heights, values=along),)
    return replace(found, title=f"{layer.name}, row {row + 1}", layer_id=layer.id, traces=(*found.traces, *own))


def _numbers(table: pa.Table, name: str) -> np.ndarray:
    return table.column(name).cast(pa.float64(), safe=False).to_numpy().astype(float)


def _times(table: pa.Table) -> np.ndarray | None:
    """Return (rows,) datetime64[ms] of the only field of times; None where there is none, or several."""
    names = [field.name for field in table.schema if pa.types.is_timestamp(field.type)]
    if len(names) != 1:
        return None
    return table.column(names[0]).cast(pa.timestamp("ms"), safe=False).to_numpy().astype("datetime64[ms]")
