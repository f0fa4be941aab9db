"""What looks wrong along lines: positions on land, speeds, jumps, values beyond the limits of the format."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from functools import partial

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.inspect.sampling import values_at
from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.mgd77_layout import NUMBERS

from .survey_lines import LineSet
from .trace_filters import spikes

FASTEST_M_S = 15.0  # about 29 knots, faster than vessels that measure
KNOT_M_S = 1852 / 3600


class LineFault(StrEnum):
    """What can be wrong with a record."""

    ON_LAND = "on land"
    TOO_FAST = "too fast"
    TIME_REPEATED = "time repeated"
    JUMP = "jump"
    OUT_OF_RANGE = "out of range"


@dataclass(frozen=True, eq=False)
class LineCheck:
    """What was found. faults : (n,) one each; places : (n,) int64 places in the set; lines : (n,) numbers of the lines;
    quantities : (n,) names, "" where it is of the position; values : (n,) float64 what was found there, such as metres
    a second or the value; words : (n,) in plain words. `looked` says what was looked for, and with what limits."""

    of: LineSet
    faults: tuple[LineFault, ...]
    places: np.ndarray
    lines: np.ndarray
    quantities: tuple[str, ...]
    values: np.ndarray
    words: tuple[str, ...]
    looked: tuple[str, ...]

    def __len__(self) -> int:
        return len(self.faults)


def check_lines(
    cache: DataCache, lines: LineSet, land: Layer | None = None, fastest: float = FASTEST_M_S,
    check: Callable[[], None] = lambda: None,
) -> LineCheck:  # fmt: skip
    """Return what looks wrong along lines, by row. `land` is a layer of polygons of land, or a grid of heights."""
    found: list[tuple[LineFault, np.ndarray, str, np.ndarray, Callable[[float], str]]] = []
    looked = []
    if land is not None:
        check()
        heights = _on_land(cache, lines, land)
        looked.append(tr("positions on land by {name}", name=land.name))
        found.append((LineFault.ON_LAND, np.flatnonzero(np.isfinite(heights)), "", heights,
                      lambda value: tr("lies on land by {name}", name=land.name)))  # fmt: skip
    if lines.time is not None and lines.crs is not None:
        speed, still = _speeds(lines)
        looked.append(
            tr("speeds above {fastest:g} m/s ({fastest2:.0f} knots)", fastest=fastest, fastest2=fastest / KNOT_M_S)
        )
        found.append((LineFault.TOO_FAST, np.flatnonzero(speed > fastest), "", speed,
                      lambda v: tr("{v:,.1f} m/s ({v2:,.0f} knots) from the record before", v=v,
                      v2=v / KNOT_M_S)))  # fmt: skip
        found.append((LineFault.TIME_REPEATED, np.flatnonzero(still), "", speed,
                      lambda value: tr("has the time of the record before, at another place")))  # fmt: skip
    limits = {field.name: field for field in NUMBERS}
    for number, (name, unit) in enumerate(lines.quantities):
        check()
        values = lines.values[number]
        if name in limits:
            low, high = limits[name].limits
            looked.append(
                tr("{name} beyond {low:,g} to {high:,g} {unit}", name=name, low=low, high=high, unit=unit).rstrip()
            )
            beyond = np.flatnonzero((values < low) | (values > high))
            found.append((LineFault.OUT_OF_RANGE, beyond, name, values,
                          partial(_beyond, name, unit, low, high)))  # fmt: skip
        if number in lines.measured:
            looked.append(tr("{name} away from its neighbours", name=name))
            found.append((LineFault.JUMP, np.flatnonzero(_jumps(lines, values)), name, values,
                          partial(_standing_out, name, unit)))  # fmt: skip
    return _together(lines, found, tuple(looked))


def _beyond(name: str, unit: str, low: float, high: float, value: float) -> str:
    return tr(
        "{name} {value:,g} {unit} is beyond {low:,g} to {high:,g}",
        name=name,
        value=value,
        unit=unit,
        low=low,
        high=high,
    )


def _standing_out(name: str, unit: str, value: float) -> str:
    return tr("{name} {value:,g} {unit} stands out of the values around it", name=name, value=value, unit=unit)


def _together(lines: LineSet, found: list, looked: tuple[str, ...]) -> LineCheck:
    """Return all faults in the order of the lines and their places."""
    line = np.repeat(np.arange(len(lines)), np.diff(lines.starts))
    every = [(place, fault, name, float(values[place]), words)
             for fault, places, name, values, words in found for place in places.tolist()]  # fmt: skip
    every.sort(key=lambda each: each[0])
    places = np.array([each[0] for each in every], np.int64)
    return LineCheck(
        lines, tuple(each[1] for each in every), places, line[places], tuple(each[2] for each in every),
        np.array([each[3] for each in every], float), tuple(words(value) for _, _, _, value, words in every), looked,
    )  # fmt: skip


def _on_land(cache: DataCache, lines: LineSet, land: Layer) -> np.ndarray:
    """Return (n,) float64 of each place: its height on land, 0 in a polygon of land, NaN elsewhere."""
    if land.kind.has_cells:
        heights = values_at(cache.raster(land.ref), lines.xy, lines.crs, (shown_band(land.style),))[:, 0]
        return np.where(heights > 0, heights, np.nan)
    features = cache.features(land.ref)
    shapes = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False), on_invalid="fix")
    shapes = shapes[shapely.get_dimensions(shapes) == 2]
    xy = transform(lines.xy, lines.crs, features.crs)
    points = shapely.points(np.nan_to_num(xy))
    on = np.zeros(len(xy), bool)
    on[shapely.STRtree(shapes).query(points, predicate="intersects")[0]] = True
    return np.where(on & np.isfinite(xy).all(axis=1), 0.0, np.nan)


def _speeds(lines: LineSet) -> tuple[np.ndarray, np.ndarray]:
    """Return (n,) metres a second from the place before, NaN where there is none, and (n,) bool of those that are at
    another place at the same time."""
    assert lines.time is not None
    seconds = np.diff(lines.time, prepend=lines.time[:1]).astype(np.int64) / 1000
    way = np.diff(lines.distance, prepend=lines.distance[:1])
    inner = np.ones(len(way), bool)
    inner[lines.starts[:-1]] = False
    with np.errstate(divide="ignore", invalid="ignore"):
        speed = np.where(inner & (seconds > 0), way / seconds, np.nan)
    return speed, inner & (seconds == 0) & (way > 0)


def _jumps(lines: LineSet, values: np.ndarray) -> np.ndarray:
    """Return (n,) bool of values that stand out of those around them on their own line."""
    found = np.zeros(len(values), bool)
    for first, last in zip(lines.starts[:-1].tolist(), lines.starts[1:].tolist()):  # a line each
        found[first:last] = spikes(values[first:last])
    return found


def table_of_check(found: LineCheck) -> pa.Table:
    """Return a row a fault: its line, the number of its record, what is wrong, of which quantity, and in words."""
    names = found.of.names
    return pa.table({
        "line": pa.array([names[n] for n in found.lines.tolist()], pa.string()),
        "record": pa.array(found.of.records[found.places] + 1),
        "fault": pa.array([str(each) for each in found.faults], pa.string()),
        "quantity": pa.array([each or None for each in found.quantities], pa.string()),
        "value": pa.array(found.values, mask=~np.isfinite(found.values)),
        "about": pa.array(list(found.words), pa.string()),
    })  # fmt: skip
