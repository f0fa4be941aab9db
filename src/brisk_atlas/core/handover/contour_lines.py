"""Contour lines of a grid as features."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from math import floor, log10
from pathlib import Path
from typing import Any, NamedTuple, cast

import numpy as np
import pyarrow as pa
import pyogrio
import shapely

from brisk_atlas.core.draw.contours import HEAVY, levels_of
from brisk_atlas.core.model import AtlasError, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs, transform
from brisk_atlas.core.system.atomic_write import reason_of, written_beside

MOST_CELLS = 40_000_000  # that are held at once, as float64
ABOUT_LEVELS = 20  # that a proposed interval gives
STEPS = 1, 2, 5


class ContourLines(NamedTuple):
    """Lines of equal value, every `interval`: `values` (n,), whether each is the fifth of its kind, `lines` (n,)
    shapely LineStrings in `crs`. A line is closed unless it ends at the edge or where there is no data."""

    values: np.ndarray
    heavy: np.ndarray
    lines: np.ndarray
    crs: str | None
    interval: float


def proposed_interval(low: float, high: float) -> float:
    """Return a round interval, 1, 2 or 5 times a power of ten, that gives about 20 lines between two values.

    >>> proposed_interval(0.0, 1240.0), proposed_interval(-3.0, 0.2)
    (50.0, 0.2)
    """
    span = high - low
    if not (np.isfinite(span) and span > 0):
        return 1.0
    ten = 10.0 ** floor(log10(span / ABOUT_LEVELS))
    return float(next((step * ten for step in STEPS if step * ten * ABOUT_LEVELS >= span), 10 * ten))


def contour_lines(
    part: RasterPart, band: int, interval: float | None, check: Callable[[float], None] = lambda share: None
) -> ContourLines:
    """Return the lines where a band has multiples of an interval, a round one if none is given, through the middles of
    its cells by linear interpolation. Raises AtlasError where the grid is too large, or the lines are too many."""
    assert part.facts.grid is not None
    rows, columns = part.facts.grid.height, part.facts.grid.width
    if rows * columns > MOST_CELLS:
        raise AtlasError(part.ref, tr("{rows:,} cells are too many for contour lines at once", rows=rows * columns),
                         tr("Export a smaller extent, or larger cells, first."))  # fmt: skip
    found = part.native(bands=(band,))
    check(0.3)
    known = found.values[0][found.valid]
    if not known.size:
        raise AtlasError(part.ref, tr("it has no cell with data"), tr("Choose another grid."))
    proposed = proposed_interval(float(known.min()), float(known.max()))
    interval = interval or proposed
    steps = levels_of(float(known.min()), float(known.max()), interval)
    if steps is None:
        raise AtlasError(
            part.ref,
            tr("contours every {interval:g} are too many", interval=interval),
            tr("Try {proposed:g}.", proposed=proposed),
        )
    from contourpy import LineType, contour_generator

    made = contour_generator(
        z=np.ma.array(found.values[0], mask=~found.valid), name="serial", line_type=LineType.ChunkCombinedOffset
    )
    values, lines = [], []
    for number, step in enumerate(steps.tolist()):
        (points,), (starts,) = cast(tuple[list[Any], list[Any]], made.lines(step * interval))
        if points is not None and starts is not None:
            x, y = found.lattice.to_map(points[:, 0] + 0.5, points[:, 1] + 0.5)
            owners = np.repeat(np.arange(len(starts) - 1), np.diff(starts.astype(np.int64)))
            lines.append(shapely.linestrings(np.stack([x, y], axis=1), indices=owners))
            values.append(np.full(len(lines[-1]), step))
        check(0.3 + 0.7 * (number + 1) / len(steps))
    whole = np.concatenate(values) if values else np.empty(0)
    return ContourLines(whole * interval, whole % HEAVY == 0, np.concatenate(lines) if lines else np.empty(0, object),
                        part.facts.crs, interval)  # fmt: skip


def write_contours(found: Sequence[tuple[str, ContourLines]], path: Path) -> None:
    """Write the contour lines of named grids to a GeoPackage, in the CRS of the first: fields `grid`, `value` and
    `heavy`, 1 for every fifth. Raises CannotWrite."""
    crs = found[0][1].crs
    lines = [shapely.transform(each.lines, partial(transform, source=each.crs, target=crs)) for _, each in found]
    table = pa.table({
        "grid": np.concatenate([np.full(len(each.lines), name, object) for name, each in found]),
        "value": np.concatenate([each.values for _, each in found]),
        "heavy": np.concatenate([each.heavy for _, each in found]).astype(np.int32),
        "geometry": pa.array(shapely.to_wkb(np.concatenate(lines)), pa.binary()),
    })  # fmt: skip
    try:
        with written_beside(path) as beside:
            pyogrio.write_arrow(
                table, beside, driver="GPKG", layer=path.stem, geometry_name="geometry", geometry_type="LineString",
                crs=proj_crs(crs).to_wkt() if crs else None,
            )  # fmt: skip
    except OSError as error:
        raise reason_of(error, path) from error
