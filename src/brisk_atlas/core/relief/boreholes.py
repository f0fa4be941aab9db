"""Boreholes in a relief: sticks from their collars down, in the colours of the intervals that they passed through."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.classes import colouring_of, numbers_of
from brisk_atlas.core.draw.ink import inks_from
from brisk_atlas.core.draw.row_looks import RowLooks
from brisk_atlas.core.inspect.guess_boreholes import HOLE, field_named
from brisk_atlas.core.inspect.hole_tables import path_of, rows_of_hole
from brisk_atlas.core.model import AtlasError, Layer, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.standing import IntervalSource
from brisk_atlas.core.place.hole_path import HolePath
from brisk_atlas.core.table import column_of, rows_of

from .rays import Bodies

STICK_PX, CORE_PX = 1.5, 5.0  # of a hole, and of its intervals
PIECE_M = 10.0  # of a hole that bends
COLLAR_PX = 8.0

StickLegend = tuple[tuple[str, str], ...]  # colours as #rrggbb, and what they stand for


def numbers_in(table: pa.Table, expression: str, layer: Layer) -> np.ndarray:
    """Return (rows,) float64 of a field or an expression, NaN where missing. Raises AtlasError where it has no
    numbers."""
    try:
        return numbers_of(table, expression)
    except pa.ArrowInvalid as error:
        raise AtlasError(
            layer.name, tr("{expression} holds no numbers", expression=expression), tr("Choose another field in Style.")
        ) from error


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
    paths = _paths(cache, layer, table, rows)
    ends, inks, owners = np.empty((0, 2, 3)), np.empty(0, np.uint32), np.empty(0, np.int64)
    note = ""
    if standing.intervals is not None:
        holes, begin, end, inks, legend, lost = _intervals(cache, layer, standing.intervals, table, rows)
        ends = collars[holes][:, None, :] + np.stack([begin, end], axis=1)[:, :, None] * ways[holes][:, None, :]
        ends, inks, holes, own = _bent(paths, ends, inks, holes, collars, begin, end)
        own_length = np.maximum(np.where(np.isfinite(own_length), own_length, 0.0), 0.0)
        np.maximum.at(own_length, own, end)
        owners = rows[holes]
        note = tr("{lost:,} intervals of holes that are not here", lost=lost) if lost else ""
    known = np.isfinite(collars).all(axis=1) & np.isfinite(own_length)
    if not known.all():
        note = "; ".join(
            filter(None, [note, tr("{count:,} holes without a height or a length", count=int((~known).sum()))])
        )
    sticks = np.stack([collars, collars + own_length[:, None] * ways], axis=1)[known]
    straight = np.flatnonzero(known)
    stick_inks = looks.lines[rows[known]]
    sticks, stick_inks, straight, _ = _bent(
        paths, sticks, stick_inks, straight, collars, np.zeros(len(straight)), own_length[straight]
    )
    heads = np.stack([collars, collars], axis=1)[known]
    there = np.isfinite(ends).all(axis=(1, 2))
    whole = np.concatenate([sticks, ends[there], heads])
    return (
        Bodies(
            np.empty((0, 3, 3)), np.empty(0, np.uint32), np.empty(0, np.int32), np.ascontiguousarray(whole),
            np.concatenate([stick_inks, inks[there], looks.bodies[rows[known]]]).astype(np.uint32),
            np.concatenate([np.full(len(sticks), STICK_PX), np.full(int(there.sum()), CORE_PX),
                            np.full(len(heads), COLLAR_PX)]).astype(np.float32),
            np.concatenate([rows[straight], owners[there], rows[known]]).astype(np.int32),
        ),
        legend,
        note,
    )  # fmt: skip


def _paths(cache: DataCache, layer: Layer, table: pa.Table, rows: np.ndarray) -> dict[int, HolePath]:
    """Return where holes run that have stations in the survey of deviation, by their place in `rows`. Raises AtlasError
    where that lacks a field."""
    source = layer.standing.deviation
    own = layer.standing.intervals.own_hole if layer.standing.intervals is not None else None
    own = own or field_named(cache.part(layer.ref).facts.fields, HOLE)
    if source is None or own is None:
        return {}
    there = cache.table(source.ref).column_names
    missing = [name for name in (source.hole, source.top, source.azimuth, source.inclination) if name not in there]
    if missing:
        raise AtlasError(
            layer.name,
            tr("its survey of deviation has no field {missing}", missing=missing[0]),
            tr("Choose another in Style."),
        )
    names = column_of(table, own).cast(pa.string()).take(pa.array(rows)).to_pylist()
    found = {}
    for number, name in enumerate(names):  # a hole each
        stations = rows_of_hole(cache, replace(source, only=name)) if name is not None else None
        if stations is not None and stations.num_rows:
            found[number] = path_of(stations, source)
    return found


def _bent(
    paths: dict[int, HolePath], ends: np.ndarray, inks: np.ndarray, holes: np.ndarray, collars: np.ndarray,
    begin: np.ndarray, end: np.ndarray,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:  # fmt: skip
    """Return strokes with those of deviated holes in short pieces along their paths; their inks and holes, and the
    holes as they were.

    ends : (n, 2, 3) where straight strokes begin and end; holes : (n,) which of the collars each is of; begin, end :
    (n,) metres along the hole
    """
    if not paths:
        return ends, inks, holes, holes
    bent = np.isin(holes, list(paths))
    pieces, piece_inks, piece_holes = [ends[~bent]], [inks[~bent]], [holes[~bent]]
    for n in np.flatnonzero(bent).tolist():
        along = np.linspace(begin[n], end[n], max(2, int((end[n] - begin[n]) / PIECE_M) + 2))
        east, north, down = paths[int(holes[n])].position_at(along).T
        line = collars[holes[n]] + np.column_stack([east, north, -down])
        pieces.append(np.stack([line[:-1], line[1:]], axis=1))
        piece_inks.append(np.repeat(inks[n : n + 1], len(line) - 1))
        piece_holes.append(np.repeat(holes[n : n + 1], len(line) - 1))
    return np.concatenate(pieces), np.concatenate(piece_inks), np.concatenate(piece_holes), holes


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
        raise AtlasError(
            layer.name,
            tr("its intervals have no field {missing}", missing=(missing or [source.own_hole])[0]),
            tr("Choose the fields of the intervals anew in Style."),
        )
    names = column_of(table, source.own_hole).cast(pa.string()).take(pa.array(rows))
    wanted = column_of(other, source.hole).cast(pa.string())
    at = pc.fill_null(pc.index_in(wanted, value_set=names, skip_nulls=True), -1).to_numpy(zero_copy_only=False)
    begin, end = numbers_in(other, source.begin, layer), numbers_in(other, source.end, layer)
    colouring = colouring_of(other, VectorStyle(colour_by=source.colour_by, method="unique"))
    assert colouring is not None
    inks = inks_from(colouring.rgb)
    own = (at >= 0) & np.isfinite(begin) & np.isfinite(end)
    return at[own], begin[own], end[own], inks[own], colouring.entries, int((at < 0).sum())
