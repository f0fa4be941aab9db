"""The lines of a layer of points: which there are, what each measured, and the profile of one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.classes import is_number
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import POINT
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.geodesy import on_ellipsoid, step_lengths
from brisk_atlas.core.system.shares import in_shares
from brisk_atlas.core.table import fields_with_added, rows_of, shown_rows

from .profile import Profile, Trace, breaks_between

LINE_FIELDS = ("survey", "line", "cruise", "track", "transect", "flight", "trip", "profile", "leg")
PLACES = ("lat", "lon", "latitude", "longitude", "x", "y", "easting", "northing")  # no quantities
MOST_LINES = 20_000


class LineLayer(NamedTuple):
    """A layer of lines: its id and name, and the field by which it was divided, "" where it is one line."""

    id: str
    name: str
    field: str


@dataclass(frozen=True, eq=False)
class LineSet:
    """The points of layers in lines, each in the order of its times, where it has some, else of its rows.

    names : of the lines, in the order of the rows; layers : (lines) the layer that each is of; starts : (lines + 1,)
    where each begins in what follows; rows : (n,) int64 rows of the layer; records : (n,) int64 which of the rows of
    its own line each is, as they are stored, from 0; xy : (n, 2) float64 in `crs`; distance : (n,) float64 from the
    begin of each, metres on the ellipsoid, units of the plane without a CRS; breaks : (n,) bool before which nothing
    was measured; time : (n,) datetime64[ms] or None; quantities : name and unit of each; values : (n,) float64 each,
    NaN for none
    """

    names: tuple[str, ...]
    layers: tuple[LineLayer, ...]
    starts: np.ndarray
    rows: np.ndarray
    records: np.ndarray
    xy: np.ndarray
    crs: str | None
    distance: np.ndarray
    breaks: np.ndarray
    time: np.ndarray | None
    quantities: tuple[tuple[str, str], ...]
    values: tuple[np.ndarray, ...]

    def __len__(self) -> int:
        return len(self.names)

    @cached_property
    def counts(self) -> np.ndarray:
        """(lines, quantities) int64: how many values there are."""
        known = [np.concatenate([[0], np.cumsum(np.isfinite(values))]) for values in self.values]
        return (
            np.column_stack([np.diff(each[self.starts]) for each in known]) if known else np.zeros((len(self), 0), int)
        )

    @property
    def measured(self) -> tuple[int, ...]:
        """The numbers of the quantities that were measured: not those that are coordinates."""
        return tuple(n for n, (name, _) in enumerate(self.quantities) if name.lower() not in PLACES)

    def quantity(self, name: str) -> int:
        """Return the number of a quantity. Raises AtlasError for one that is not there."""
        names = [each for each, _ in self.quantities]
        if name not in names:
            there = ", ".join(names[n] for n in self.measured) or "none"
            raise AtlasError(
                self.layers[0].name,
                tr("its lines have no quantity {name}", name=name),
                tr("There are: {there}.", there=there),
            )
        return names.index(name)

    @cached_property
    def lengths(self) -> np.ndarray:
        """(lines,) float64: how long each is, in units of `distance`."""
        return self.distance[self.starts[1:] - 1]

    @cached_property
    def bounds(self) -> np.ndarray:
        """(lines, 4) float64 xmin, ymin, xmax, ymax."""
        first = self.starts[:-1]
        ends = [reduce.reduceat(self.xy[:, axis], first) for reduce in (np.fmin, np.fmax) for axis in (0, 1)]
        return np.column_stack(ends)

    @cached_property
    def dates(self) -> tuple[np.ndarray, np.ndarray] | None:
        """(lines,) datetime64[ms] each: of the first and the last place."""
        return None if self.time is None else (self.time[self.starts[:-1]], self.time[self.starts[1:] - 1])

    def places(self, line: int) -> slice:
        """Return where the points of a line are."""
        return slice(int(self.starts[line]), int(self.starts[line + 1]))

    def profile(self, line: int) -> Profile:
        """Return what one line measured; of quantities those that it has."""
        at = self.places(line)
        counts = self.counts[line]
        traces = [
            Trace(name, unit, self.values[n][at], down=name.lower().startswith("depth"))
            for n, (name, unit) in enumerate(self.quantities) if counts[n]
        ]  # fmt: skip
        layer = self.layers[line]
        title = f"{layer.name}, {self.names[line]}" if layer.field else layer.name
        time = self.time[at] if self.time is not None and not np.isnat(self.time[at]).all() else None
        return Profile(title, layer.id, self.distance[at], self.xy[at], self.crs, tuple(traces), self.breaks[at],
                       self.rows[at], time)  # fmt: skip


def line_field_of(cache: DataCache, layer: Layer) -> str:
    """Return the field that names the line of each point, "" where none seems to."""
    table = rows_of(cache, layer)
    texts = [f.name for f in table.schema if pa.types.is_string(f.type) or pa.types.is_integer(f.type)]
    for word in LINE_FIELDS:
        for name in texts:
            if name.lower().replace("_id", "").rstrip("_") in (word, f"{word}s", f"{word}_name", f"{word}_no"):
                count = pc.count_distinct(table.column(name)).as_py()
                if 1 <= count <= min(MOST_LINES, max(1, table.num_rows // 2)):
                    return name
    return ""


def line_set(cache: DataCache, layer: Layer, field: str | None = None) -> LineSet:
    """Return the lines of a layer of points, of those that its filters show, divided by a field (guessed where None).
    Raises AtlasError for a layer with fewer than two points."""
    shown = layer.rows.map_inputs if layer.rows.on_map else layer.rows.modifications
    units = tuple((column.name, column.unit) for column in layer.rows.columns if column.unit)
    return cache.derive_latest(
        ("line set", layer.id, layer.ref), (shown, units, field, layer.name), lambda: _line_set(cache, layer, field)
    )


def _line_set(cache: DataCache, layer: Layer, field: str | None) -> LineSet:
    features, table = cache.features(layer.ref), rows_of(cache, layer)
    shapes = features.shapes
    field = line_field_of(cache, layer) if field is None else field
    every = np.arange(table.num_rows)
    every_name, codes = _codes(table, field) if field else ((layer.name,), np.zeros(table.num_rows, np.int64))
    records = np.empty(table.num_rows, np.int64)  # the number of each row among those of its line
    by_line = np.argsort(codes, kind="stable")
    records[by_line] = every - np.searchsorted(codes[by_line], codes[by_line])
    rows = np.flatnonzero((np.diff(shapes.feature_starts) == 1) & np.isfinite(shapes.bounds[:, 0]))
    rows = rows[shapes.path_kinds[shapes.feature_starts[rows]] == POINT]
    shown = shown_rows(cache, layer) if layer.rows.on_map else None
    rows = rows[shown[rows]] if shown is not None else rows
    if len(rows) < 2:
        raise AtlasError(layer.name, tr("it has fewer than two points to go along"), tr("Choose points or a line."))
    times = times_of(table)
    time = times[rows] if times is not None else None
    if time is not None and not np.isnat(time).all():
        known = ~np.isnat(time)
        rows, time = rows[known], time[known]
    else:
        time = None
    there = np.flatnonzero(np.bincount(codes[rows], minlength=len(every_name)))
    code = np.searchsorted(there, codes[rows]) if len(there) < len(every_name) else codes[rows]
    names = tuple(every_name[n] for n in there.tolist())
    order = _order(code, time)
    if order is not None:
        rows, code, time = rows[order], code[order], time[order] if time is not None else None
    whole = len(rows) == table.num_rows and order is None
    starts = np.searchsorted(code, np.arange(len(names) + 1))
    xy = shapes.xy[shapes.path_starts[shapes.feature_starts[rows]]]
    distance, breaks = _distances(xy, features.crs, starts)
    units = {each.name: each.unit for each in fields_with_added(cache, layer) if each.unit}
    units |= {column.name: column.unit for column in layer.rows.columns if column.unit}
    quantities, values = [], []
    for name in table.column_names:
        if name != field and is_number(table.schema.field(name).type):
            column = table.column(name).cast(pa.float64(), safe=False).to_numpy()
            own = np.asarray(column, float) if whole else np.asarray(column, float)[rows]
            if np.isfinite(own).any():
                quantities.append((name, units.get(name, "")))
                values.append(own)
    owner = (LineLayer(layer.id, layer.name, field),) * len(names)
    return LineSet(
        names,
        owner,
        starts,
        rows,
        records[rows],
        xy,
        features.crs,
        distance,
        breaks,
        time,
        tuple(quantities),
        tuple(values),
    )


def joined(sets: Sequence[LineSet]) -> LineSet:
    """Return the lines of several sets as one, in the CRS of the first; quantities of the same name and unit are the
    same. Places without a position in that CRS are NaN."""
    if len(sets) == 1:
        return sets[0]
    crs = sets[0].crs
    quantities = tuple(dict.fromkeys(quantity for each in sets for quantity in each.quantities))
    values = []
    for quantity in quantities:
        own = [s.values[s.quantities.index(quantity)] if quantity in s.quantities else np.full(len(s.rows), np.nan)
               for s in sets]  # fmt: skip
        values.append(np.concatenate(own))
    xy = [each.xy if each.crs == crs or None in (crs, each.crs) else transform(each.xy, each.crs, crs) for each in sets]
    offsets = np.concatenate([[0], np.cumsum([len(each.rows) for each in sets])])
    starts = [each.starts[:-1] + offset for each, offset in zip(sets, offsets.tolist())]
    never = np.datetime64("NaT", "ms")
    time = None
    if any(each.time is not None for each in sets):
        time = np.concatenate([each.time if each.time is not None else np.full(len(each.rows), never) for each in sets])
    return LineSet(
        tuple(name for each in sets for name in each.names), tuple(layer for each in sets for layer in each.layers),
        np.append(np.concatenate(starts), offsets[-1]), np.concatenate([each.rows for each in sets]),
        np.concatenate([each.records for each in sets]), np.concatenate(xy),
        crs, np.concatenate([each.distance for each in sets]), np.concatenate([each.breaks for each in sets]), time,
        quantities, tuple(values),
    )  # fmt: skip


def chosen_lines(lines: LineSet, numbers: Sequence[int]) -> LineSet:
    """Return some of the lines as a set of their own."""
    at = np.concatenate([np.arange(lines.starts[n], lines.starts[n + 1]) for n in numbers])
    sizes = [int(lines.starts[n + 1] - lines.starts[n]) for n in numbers]
    return replace(
        lines, names=tuple(lines.names[n] for n in numbers), layers=tuple(lines.layers[n] for n in numbers),
        starts=np.concatenate([[0], np.cumsum(sizes)]), rows=lines.rows[at], records=lines.records[at],
        xy=lines.xy[at], distance=lines.distance[at],
        breaks=lines.breaks[at], time=lines.time[at] if lines.time is not None else None,
        values=tuple(values[at] for values in lines.values),
    )  # fmt: skip


def _order(code: np.ndarray, time: np.ndarray | None) -> np.ndarray | None:
    """Return the order of places by line and time, None where they are in it already."""
    steps = np.diff(code)
    later = np.diff(time) >= np.timedelta64(0) if time is not None else np.ones(len(steps), bool)
    if (steps >= 0).all() and (later | (steps > 0)).all():
        return None
    return np.lexsort((time, code)) if time is not None else np.argsort(code, kind="stable")


def _codes(table: pa.Table, field: str) -> tuple[tuple[str, ...], np.ndarray]:
    """Return the names of lines, and (rows,) which each row is of."""
    coded = table.column(field).cast(pa.string()).combine_chunks().dictionary_encode(null_encoding="encode")
    coded = coded.combine_chunks() if isinstance(coded, pa.ChunkedArray) else coded
    names = tuple("without a name" if name is None else name for name in coded.dictionary.to_pylist())
    return names, coded.indices.to_numpy(zero_copy_only=False).astype(np.int64)


def _distances(xy: np.ndarray, crs: str | None, starts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return (n,) distances from the begin of each line, and (n,) bool of places after a gap."""
    legs = np.zeros(len(xy))
    if crs is None:
        legs[1:] = np.hypot(*np.diff(xy, axis=0).T)
    else:
        lonlat = on_ellipsoid(xy, crs)

        def some(first: int, last: int) -> None:
            legs[first + 1 : last + 1] = step_lengths(lonlat[first : last + 1], crs)

        in_shares(len(xy) - 1, some)
    legs = np.nan_to_num(legs)
    legs[starts[:-1]] = 0.0
    along = np.cumsum(legs)
    along -= np.repeat(along[starts[:-1]], np.diff(starts))
    breaks = np.zeros(len(xy), bool)
    for first, last in zip(starts[:-1].tolist(), starts[1:].tolist()):  # a line each
        breaks[first:last] = breaks_between(along[first:last])
    return along, breaks


def times_of(table: pa.Table) -> np.ndarray | None:
    """Return (rows,) datetime64[ms] of the only field of times; None where there is none, or several."""
    names = [field.name for field in table.schema if pa.types.is_timestamp(field.type)]
    if len(names) != 1:
        return None
    return table.column(names[0]).cast(pa.timestamp("ms"), safe=False).to_numpy().astype("datetime64[ms]")
