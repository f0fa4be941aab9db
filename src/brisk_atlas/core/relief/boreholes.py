"""Boreholes in a relief: sticks from their collars down, in the colours of the intervals that they passed through."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.classes import colouring_of, numbers_of
from brisk_atlas.core.draw.ink import inks_from
from brisk_atlas.core.draw.row_looks import RowLooks
from brisk_atlas.core.model import AtlasError, Layer, VectorStyle
from brisk_atlas.core.model.standing import IntervalSource
from brisk_atlas.core.table import column_of, rows_of

from .rays import Bodies

STICK_PX, CORE_PX = 1.5, 5.0  # of a hole, and of its intervals
COLLAR_PX = 8.0

StickLegend = tuple[tuple[str, str], ...]  # colours as #rrggbb, and what they stand for


def numbers_in(table: pa.Table, expression: str, layer: Layer) -> np.ndarray:
    """Return (rows,) float64 of a field or an expression, NaN where missing. Raises AtlasError where it has no
    numbers."""
    try:
        return numbers_of(table, expression)
    except pa.ArrowInvalid as error:
        raise AtlasError(layer.name, f"{expression} holds no numbers", "Choose another field in Style.") from error


def directions_of(azimuth: np.ndarray, dip: np.ndarray) -> np.ndarray:
    """Return (n, 3) unit vectors east, north and up of holes towards an azimuth, degrees clockwise from north, and
    below the horizon by a dip, degrees; by one that is negative down, where none is above zero. Straight down where
    either is NaN."""
    down = -dip if (dip[np.isfinite(dip)] <= 0).all() else dip
    stated = np.isfinite(azimuth) & np.isfinite(down)
    fall, turn = np.radians(np.where(stated, down, 90.0)), np.radians(np.where(stated, azimuth, 0.0))
    return np.column_stack([np.sin(turn) * np.cos(fall), np.cos(turn) * np.cos(fall), -np.sin(fall)])


def sticks_of(
    cache: DataCache, layer: Layer, xy: np.ndarray, foot: np.ndarray, rows: np.ndarray, lengths: np.ndarray,
    looks: RowLooks,
) -> tuple[Bodies, StickLegend, str]:  # fmt: skip
    """Return boreholes as strokes, what the colours of their intervals stand for, and what is not shown of them.

    xy : (n, 2) metres east and north of collars; foot : (n,) their heights, metres; rows : (n,) of the layer;
    lengths : (all rows,) metres, for holes without intervals
    Raises AtlasError where the table of intervals lacks a field.
    """
    table, standing = rows_of(cache, layer), layer.standing
    azimuth = numbers_in(table, standing.azimuth_by, layer)[rows] if standing.azimuth_by else np.zeros(len(rows))
    dip = numbers_in(table, standing.dip_by, layer)[rows] if standing.dip_by else np.full(len(rows), 90.0)
    ways = directions_of(
        np.nan_to_num(azimuth), np.where(np.isfinite(dip), dip, 90.0 if np.nanmin(dip, initial=0) >= 0 else -90.0)
    )
    collars = np.column_stack([xy, foot])
    own_length = np.abs(lengths[rows])
    legend: StickLegend = ()
    ends, inks, owners = np.empty((0, 2, 3)), np.empty(0, np.uint32), np.empty(0, np.int64)
    note = ""
    if standing.intervals is not None:
        holes, begin, end, inks, legend, lost = _intervals(cache, layer, standing.intervals, table, rows)
        ends = collars[holes][:, None, :] + np.stack([begin, end], axis=1)[:, :, None] * ways[holes][:, None, :]
        own_length = np.maximum(np.where(np.isfinite(own_length), own_length, 0.0), 0.0)
        np.maximum.at(own_length, holes, end)
        owners = rows[holes]
        note = f"{lost:,} intervals of holes that are not here" if lost else ""
    known = np.isfinite(collars).all(axis=1) & np.isfinite(own_length)
    if not known.all():
        note = "; ".join(filter(None, [note, f"{int((~known).sum()):,} holes without a height or a length"]))
    sticks = np.stack([collars, collars + own_length[:, None] * ways], axis=1)[known]
    heads = np.stack([collars, collars], axis=1)[known]
    there = np.isfinite(ends).all(axis=(1, 2))
    whole = np.concatenate([sticks, ends[there], heads])
    return (
        Bodies(
            np.empty((0, 3, 3)), np.empty(0, np.uint32), np.empty(0, np.int32), np.ascontiguousarray(whole),
            np.concatenate([looks.lines[rows[known]], inks[there], looks.bodies[rows[known]]]).astype(np.uint32),
            np.concatenate([np.full(len(sticks), STICK_PX), np.full(int(there.sum()), CORE_PX),
                            np.full(len(heads), COLLAR_PX)]).astype(np.float32),
            np.concatenate([rows[known], owners[there], rows[known]]).astype(np.int32),
        ),
        legend,
        note,
    )  # fmt: skip


def _intervals(
    cache: DataCache, layer: Layer, source: IntervalSource, table: pa.Table, rows: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, StickLegend, int]:
    """Return of each interval which of the holes it is of, where it begins and ends, its ink; the legend; and how many
    intervals are of no hole."""
    other = cache.table(source.ref)
    missing = [
        name for name in (source.hole, source.begin, source.end, source.colour_by) if name not in other.column_names
    ]
    if missing or source.own_hole not in table.column_names:
        raise AtlasError(layer.name, f"its intervals have no field {(missing or [source.own_hole])[0]}",
                         "Choose the fields of the intervals anew in Style.")  # fmt: skip
    names = column_of(table, source.own_hole).cast(pa.string()).take(pa.array(rows))
    wanted = column_of(other, source.hole).cast(pa.string())
    at = pc.fill_null(pc.index_in(wanted, value_set=names, skip_nulls=True), -1).to_numpy(zero_copy_only=False)
    begin, end = numbers_in(other, source.begin, layer), numbers_in(other, source.end, layer)
    colouring = colouring_of(other, VectorStyle(colour_by=source.colour_by, method="unique"))
    assert colouring is not None
    inks = inks_from(colouring.rgb)
    own = (at >= 0) & np.isfinite(begin) & np.isfinite(end)
    return at[own], begin[own], end[own], inks[own], colouring.entries, int((at < 0).sum())
