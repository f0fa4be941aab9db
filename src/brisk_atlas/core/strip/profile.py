"""A profile: quantities along a line, with where on the map each value was measured."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brisk_atlas.core.place.geodesy import on_ellipsoid, step_lengths

GAP_STEPS = 5.0  # times the usual distance between values, from which nothing was measured in between


@dataclass(frozen=True, eq=False)
class Trace:
    """One quantity: values (n,) float64, NaN where it was not measured. `about` says more of it, such as its layer;
    `down` that larger values lie deeper, and are drawn below smaller ones."""

    name: str
    unit: str
    values: np.ndarray
    about: str = ""
    down: bool = False


@dataclass(frozen=True, eq=False)
class Dots:
    """Points beside a line: distance, height and inks (n,) each, xy (n, 2) in `crs`; `count` is how many there are, of
    which some may be left out; `classes` (n,) their codes, None without."""

    name: str
    unit: str
    distance: np.ndarray
    height: np.ndarray
    inks: np.ndarray
    xy: np.ndarray
    crs: str | None
    count: int
    classes: np.ndarray | None


@dataclass(frozen=True, eq=False)
class Axis:
    """Where places stand along the foot of a strip: values (n,) float64, never less than before; `unit` is "m", "" for
    units of a plane without a CRS, or "s" after `begin`."""

    values: np.ndarray
    unit: str
    begin: np.datetime64 | None = None

    @property
    def first(self) -> float:
        """Where it begins."""
        return float(self.values[0]) if len(self.values) else 0.0

    @property
    def last(self) -> float:
        """Where it ends."""
        return float(self.values[-1]) if len(self.values) else 0.0

    def nearest(self, at: float) -> int:
        """Return the place nearest to a value."""
        after = int(np.clip(np.searchsorted(self.values, at), 1, max(1, len(self.values) - 1)))
        before = after - 1
        if after >= len(self.values):
            return before
        return before if at - self.values[before] <= self.values[after] - at else after

    def between(self, low: float, high: float) -> slice:
        """Return the places between two values, both included."""
        first, last = np.searchsorted(self.values, low, "left"), np.searchsorted(self.values, high, "right")
        return slice(int(first), int(last))


@dataclass(frozen=True)
class StretchSummary:
    """What a trace is along a stretch: how many values, of how many places, and their measures; `slope` is that of the
    least-squares line, units of the values for each metre; `above` and `below` are the areas to both sides of a
    reference, units of the values times metres, None where they were not worked out."""

    name: str
    unit: str
    count: int
    places: int
    minimum: float
    mean: float
    maximum: float
    deviation: float
    slope: float
    above: float | None = None
    below: float | None = None


@dataclass(frozen=True, eq=False)
class Profile:
    """Values at places along a line.

    distance : (n,) float64 from its begin, metres on the ellipsoid, units of the plane without a CRS, never less than
    before; xy : (n, 2) float64 in `crs`; breaks : (n,) bool, True where nothing is known of what lies between a place
    and the one before; rows : (n,) int64 rows of the layer in the sheet, None for grids; time : (n,) datetime64 or
    None; dots : points of clouds in a corridor along the line
    """

    title: str
    layer_id: str
    distance: np.ndarray
    xy: np.ndarray
    crs: str | None
    traces: tuple[Trace, ...]
    breaks: np.ndarray
    rows: np.ndarray | None = None
    time: np.ndarray | None = None
    dots: tuple[Dots, ...] = ()

    def __len__(self) -> int:
        return len(self.distance)

    @property
    def length(self) -> float:
        """How long the line is."""
        return float(self.distance[-1]) if len(self) else 0.0

    @property
    def unit(self) -> str:
        """The unit of distances: metres, or "" where the CRS is not known."""
        return "m" if self.crs is not None else ""

    def axis(self, *, by_time: bool = False) -> Axis:
        """Return where its places stand: by distance, or by time where it has one."""
        if not by_time or self.time is None or not len(self):
            return Axis(self.distance, self.unit)
        seconds = (self.time - self.time[0]).astype(np.int64) / 1000
        return Axis(np.maximum.accumulate(seconds), "s", self.time[0])

    def nearest(self, distance: float) -> int:
        """Return the place nearest to a distance along the line."""
        return self.axis().nearest(distance)

    def between(self, low: float, high: float) -> slice:
        """Return the places between two distances, both included."""
        return self.axis().between(low, high)

    def stretch(self, low: float, high: float) -> tuple[StretchSummary, ...]:
        """Return what each trace is between two distances, both included."""
        inside = self.between(low, high)
        return tuple(summary_of(trace, self.distance[inside], trace.values[inside]) for trace in self.traces)


def summary_of(trace: Trace, distance: np.ndarray, every: np.ndarray) -> StretchSummary:
    """Return what a trace is at some places, whose distances and values are given."""
    known = np.isfinite(every)
    values, places = every[known], len(every)
    if not values.size:
        nan = float("nan")
        return StretchSummary(trace.name, trace.unit, 0, places, nan, nan, nan, nan, nan)
    along = distance[known]
    off = along - along.mean()
    squares = float(off @ off)
    slope = float(off @ (values - values.mean())) / squares if squares > 0 else float("nan")
    return StretchSummary(trace.name, trace.unit, values.size, places, float(values.min()), float(values.mean()),
                          float(values.max()), float(values.std()), slope)  # fmt: skip


def distances_along(xy: np.ndarray, crs: str | None) -> np.ndarray:
    """Return (n,) the distance from the first of positions along all of them: metres on the ellipsoid of a CRS, units
    of the plane without one. A position that is not known adds nothing."""
    if len(xy) < 2:
        return np.zeros(len(xy))
    if crs is None:
        legs = np.hypot(*np.diff(xy, axis=0).T)
    else:
        legs = step_lengths(on_ellipsoid(xy, crs), crs)
    return np.concatenate([[0.0], np.cumsum(np.nan_to_num(legs))])


def breaks_between(distance: np.ndarray) -> np.ndarray:
    """Return (n,) bool of places before which nothing was measured for many times the usual distance."""
    steps = np.diff(distance, prepend=distance[:1])
    usual = np.median(steps[steps > 0]) if (steps > 0).any() else np.inf
    return steps > GAP_STEPS * usual


def thinned(distance: np.ndarray, values: np.ndarray, low: float, high: float, columns: int) -> np.ndarray:
    """Return the places that draw a line like all of them, in a picture so many columns wide from one distance to
    another: the first, the lowest, the highest and the last of each column, in their order."""
    first, last = np.searchsorted(distance, [low, high], side="left")
    first, last = max(0, int(first) - 1), min(len(distance), int(last) + 1)
    places = np.arange(first, last)
    places = places[np.isfinite(values[places])]
    if len(places) <= 4 * columns or not high > low:
        return places
    edges = np.searchsorted(distance[places], low + (high - low) / columns * np.arange(columns + 1))
    cuts = np.unique(np.concatenate([[0], edges, [len(places)]])).tolist()
    seen, stays = values[places], []
    for begin, end in pairwise(cuts):  # a column each
        own = seen[begin:end]
        stays += [begin, begin + int(own.argmin()), begin + int(own.argmax()), end - 1]
    return places[np.unique(stays)]
