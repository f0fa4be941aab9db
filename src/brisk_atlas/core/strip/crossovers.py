"""Where lines cross, and by how much what they measured differs there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyarrow as pa
import shapely

from .crossover_kernels import cross_runs
from .survey_lines import LineSet

RUN = 12  # segments whose bounds are looked at together
FIRST_ROOM = 4096
PAIRS_AT_ONCE = 200_000


@dataclass(frozen=True, eq=False)
class Crossovers:
    """Crossovers of the lines of a set.

    lines : (n, 2) int64, the earlier in the set first, the same twice where a line crosses itself; places : (n, 2) the
    places after which each of the two is crossed; shares : (n, 2) float64 of the way to the next; xy : (n, 2) in the
    CRS of the set
    """

    of: LineSet
    lines: np.ndarray
    places: np.ndarray
    shares: np.ndarray
    xy: np.ndarray

    def __len__(self) -> int:
        return len(self.lines)

    def values(self, quantity: int) -> np.ndarray:
        """Return (n, 2) what each of the two lines has there, between the values before and after; NaN where one of
        these is missing."""
        before, after = (self.of.values[quantity][self.places + step] for step in (0, 1))
        return before + self.shares * (after - before)

    def differences(self, quantity: int) -> np.ndarray:
        """Return (n,) what the first line has more than the second."""
        both = self.values(quantity)
        return both[:, 0] - both[:, 1]

    @cached_property
    def times(self) -> np.ndarray | None:
        """(n, 2) datetime64[ms] at which each of the two was there; None without times."""
        if self.of.time is None:
            return None
        first = self.of.time[self.places]
        return first + ((self.of.time[self.places + 1] - first) * self.shares).astype("timedelta64[ms]")

    def summary(self, quantity: int) -> CrossoverSummary:
        """Return the measures of the differences of a quantity."""
        return crossover_summary(self.differences(quantity))


@dataclass(frozen=True)
class CrossoverSummary:
    """How many differences there are, their mean, their standard deviation, the root of the mean of their squares, and
    the largest absolute one; NaN without any."""

    count: int
    mean: float
    deviation: float
    rms: float
    largest: float


def crossover_summary(differences: np.ndarray) -> CrossoverSummary:
    """Return the measures of differences, NaN left out."""
    known = differences[np.isfinite(differences)]
    if not known.size:
        nan = float("nan")
        return CrossoverSummary(0, nan, nan, nan, nan)
    return CrossoverSummary(known.size, float(known.mean()), float(known.std()), float(np.sqrt((known**2).mean())),
                           float(np.abs(known).max()))  # fmt: skip


def crossovers_of(lines: LineSet, check: Callable[[], None] = lambda: None) -> Crossovers:
    """Return all crossovers of lines with others and with themselves, gaps left out.

    Segments are straight in the plane of the CRS; where that is of degrees, longitudes go on past 180. A crossover at a
    place belongs to the segment that begins there, so that it is found once.
    """
    xy = lines.xy.copy()
    if _in_degrees(lines.crs):
        xy[:, 0] = _unrolled(lines)
    line = np.repeat(np.arange(len(lines)), np.diff(lines.starts))
    breaks = lines.breaks.copy()
    breaks[lines.starts[:-1]] = True
    starts = _run_starts(lines.starts)
    boxes = _boxes(xy, starts)
    check()
    pairs = _meeting(boxes)
    breaks = np.append(breaks, True)
    padded = np.vstack([xy, xy[-1:]])
    line = np.append(line, -1)
    segments, shares = [], []
    for begin in range(0, len(pairs), PAIRS_AT_ONCE):
        check()
        some = pairs[begin : begin + PAIRS_AT_ONCE]
        room = FIRST_ROOM
        while True:
            at, share = np.empty((room, 2), np.int64), np.empty((room, 2))
            count = cross_runs(padded, breaks, line, some, starts, boxes, at, share)
            if count <= room:
                break
            room = count
        segments.append(at[:count])
        shares.append(share[:count])
    places = np.concatenate(segments) if segments else np.empty((0, 2), np.int64)
    share = np.concatenate(shares) if shares else np.empty((0, 2))
    order = np.lexsort((places[:, 1], places[:, 0]))
    places, share = places[order], share[order]
    step = xy[np.minimum(places[:, 0] + 1, len(xy) - 1)] - xy[places[:, 0]]
    where = xy[places[:, 0]] + share[:, :1] * step
    if _in_degrees(lines.crs):
        where[:, 0] = (where[:, 0] + 180.0) % 360.0 - 180.0
    return Crossovers(lines, line[places], places, share, where)


def _in_degrees(crs: str | None) -> bool:
    from brisk_atlas.core.place.geodesy import has_plane

    return not has_plane(crs)


def _unrolled(lines: LineSet) -> np.ndarray:
    """Return (n,) longitudes that go on past 180 along a line, each line beginning nearest to the first of all."""
    lon = lines.xy[:, 0]
    step = np.diff(lon, prepend=lon[:1])
    return lon - 360.0 * np.cumsum(np.round(np.nan_to_num(step) / 360.0))


def _run_starts(starts: np.ndarray) -> np.ndarray:
    """Return (runs + 1,) the places at which runs of segments begin, none over the end of a line."""
    found = [np.arange(first, last, RUN) for first, last in zip(starts[:-1].tolist(), starts[1:].tolist())]
    return np.append(np.concatenate(found), starts[-1])


def _boxes(xy: np.ndarray, starts: np.ndarray) -> np.ndarray:
    """Return (runs, 4) the bounds of runs of segments."""
    first = starts[:-1]
    low, high = (reduce.reduceat(xy, first, axis=0) for reduce in (np.fmin, np.fmax))
    after = xy[np.minimum(starts[1:], len(xy) - 1)]  # the last segment of a run ends at the first place of the next
    return np.column_stack([np.fmin(low, after), np.fmax(high, after)])


def _meeting(boxes: np.ndarray) -> np.ndarray:
    """Return (m, 2) the pairs of runs whose bounds meet, the earlier first, each with itself too."""
    shapes = shapely.box(*boxes.T)
    one, other = shapely.STRtree(shapes).query(shapes)
    chosen = one <= other
    return np.column_stack([one[chosen], other[chosen]])


def table_of_crossovers(found: Crossovers, quantities: tuple[int, ...] | None = None) -> pa.Table:
    """Return a row a crossover: its position, its lines with the rows before it, times and hours between, and of each
    quantity both values and the difference, null where one is missing."""
    lines = found.of
    names = np.array(lines.names, object)
    columns: dict[str, pa.Array] = {
        "x": pa.array(found.xy[:, 0]), "y": pa.array(found.xy[:, 1]),
        "line_1": pa.array(names[found.lines[:, 0]], pa.string()),
        "line_2": pa.array(names[found.lines[:, 1]], pa.string()),
        "record_1": pa.array(lines.records[found.places[:, 0]] + 1),
        "record_2": pa.array(lines.records[found.places[:, 1]] + 1),
    }  # fmt: skip
    if found.times is not None:
        columns["time_1"], columns["time_2"] = (pa.array(found.times[:, side]) for side in (0, 1))
        columns["hours_between"] = pa.array((found.times[:, 1] - found.times[:, 0]).astype(np.int64) / 3_600_000)
    for number in lines.measured if quantities is None else quantities:
        name = lines.quantities[number][0]
        both = found.values(number)
        for side in (0, 1):
            columns[f"{name}_{side + 1}"] = pa.array(both[:, side], mask=np.isnan(both[:, side]))
        difference = both[:, 0] - both[:, 1]
        columns[f"{name}_difference"] = pa.array(difference, mask=np.isnan(difference))
    return pa.table(columns)
