"""Profiles of layers: grids along a line, points in their order, lines with heights of their own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.inspect.sampling import values_at
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import height_unit_of, transform

from .profile import Profile, Trace, distances_along
from .survey_lines import line_set

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
        raise AtlasError(tr("the line"), tr("it has no length"), tr("Draw one with two corners or more."))
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
    title = tr("{name} along a line", name=traces[0].name) if len(traces) == 1 else tr("along a line")
    return Profile(title, "", at, xy, crs, tuple(traces), np.zeros(len(at), bool))


def _cell_along(cache: DataCache, layer: Layer, ends: np.ndarray, crs: str | None) -> float:
    """Return about how many cells of a grid a line passes."""
    part = cache.raster(layer.ref)
    own = transform(ends, crs, part.facts.crs)
    column, row = part.facts.lattice.to_cells(own[:, 0], own[:, 1])
    steps = np.maximum(np.abs(np.diff(column)), np.abs(np.diff(row)))
    return float(np.nansum(steps))


def points_in_order(cache: DataCache, layer: Layer) -> Profile:
    """Return the numbers of a layer of points along them, all as one line, in the order of its time field where it has
    one, else of its rows; of those that its filters show. Raises AtlasError for a layer with fewer than two points."""
    return line_set(cache, layer, "").profile(0)


def line_of_row(cache: DataCache, layer: Layer, row: int) -> tuple[np.ndarray, tuple[Trace, ...]]:
    """Return (n, 2) the longest path of a line feature, and the heights and the measures (M) of its vertices where it
    has some.

    Raises AtlasError for a feature without a line.
    """
    features = cache.features(layer.ref)
    whole = shapely.from_wkb(features.wkb[row].as_py(), on_invalid="ignore")
    paths = list(shapely.get_parts(whole)) if whole is not None else []
    paths = [part for part in paths if part.geom_type in ("LineString", "LinearRing") and len(part.coords) > 1]
    if not paths:
        raise AtlasError(layer.name, tr("row {row} has no line", row=row + 1), tr("Choose a line."))
    path = max(paths, key=lambda each: each.length)
    xyzm = shapely.get_coordinates(path, include_z=True, include_m=True)
    own = []
    if np.isfinite(xyzm[:, 2]).any():
        own.append(Trace("Z", height_unit_of(features.crs), xyzm[:, 2]))
    if np.isfinite(xyzm[:, 3]).any():
        own.append(Trace("M", "", xyzm[:, 3]))
    return xyzm[:, :2], tuple(own)


def along_row(
    cache: DataCache, layer: Layer, row: int, grids: Sequence[Layer], check: Callable[[], None] = lambda: None
) -> Profile:
    """Return grids along a line feature, and its own heights and measures where it has some. Raises AtlasError."""
    xy, own = line_of_row(cache, layer, row)
    crs = cache.features(layer.ref).crs
    found = grids_along(cache, grids, xy, crs, check)
    along = distances_along(xy, crs)
    own = tuple(replace(each, values=np.interp(found.distance, along, each.values)) for each in own)
    return replace(
        found,
        title=tr("{name}, row {row}", name=layer.name, row=row + 1),
        layer_id=layer.id,
        traces=(*found.traces, *own),
    )
