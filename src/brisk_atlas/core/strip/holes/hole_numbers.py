"""The numbers of a hole as a table, and as a LAS log."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import lasio
import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import written_beside

from .hole_set import HoleCurve
from .log_drawing import depths_shown
from .read_hole import HoleData
from .tracks import DepthScale

NULL = -999.25
DEPTH = "depth_m"
MOST_ROWS = 5_000_000
ALONG = DepthScale()


def steps_of(curves: Sequence[HoleCurve]) -> np.ndarray:
    """Return all depths at which one of some curves has a value."""
    if not curves:
        return np.empty(0)
    first = curves[0].depth
    if all(each.depth is first or np.array_equal(each.depth, first) for each in curves):
        return first
    return np.unique(np.concatenate([each.depth for each in curves]))


def on_depths(curve: HoleCurve, depths: np.ndarray, *, between: bool = False) -> np.ndarray:
    """Return the values of a curve at depths: those that it has there, or with `between` straight in between its
    neighbours, NaN beside one that is not known and beyond its ends."""
    if curve.depth is depths or (len(curve.depth) == len(depths) and np.array_equal(curve.depth, depths)):
        return curve.values
    if not len(curve.depth):
        return np.full(len(depths), np.nan)
    if between:
        return np.asarray(np.interp(depths, curve.depth, curve.values, left=np.nan, right=np.nan))
    at = np.minimum(np.searchsorted(curve.depth, depths), len(curve.depth) - 1)
    return np.where(np.abs(curve.depth[at] - depths) < 1e-9, curve.values[at], np.nan)


def numbers_of(
    data: HoleData, names: Sequence[str], scale: DepthScale = ALONG, sight: tuple[float, float] | None = None
) -> pa.Table:
    """Return a row a depth: along the hole, as a scale states it, the values of curves and of intervals by name, of
    those between two depths along the hole."""
    curves = [each for each in data.curves if each.name in names]
    intervals = [each for each in data.intervals if each.name in names]
    depths = steps_of(curves)
    if not curves and intervals:
        depths = np.unique(np.concatenate([each.top for each in intervals]))
    if sight is not None:
        depths = depths[(depths >= sight[0]) & (depths <= sight[1])]
    columns: dict[str, pa.Array] = {DEPTH: pa.array(depths)}
    if scale != ALONG:
        columns[f"depth {scale.words()}"] = pa.array(depths_shown(data, depths, scale))
    for each in intervals:
        columns[each.name] = pa.array(_at(each.top, each.base, each.values, depths))
    for curve in curves:
        if curve.texts is not None:
            at = np.searchsorted(curve.depth, depths)
            known = (at < len(curve.depth)) & np.isin(depths, curve.depth)
            columns[curve.name] = pa.array(
                [curve.texts[n] if ok else None for n, ok in zip(at.tolist(), known.tolist())]
            )
        else:
            values = on_depths(curve, depths)
            columns[curve.name] = pa.array(values, mask=np.isnan(values))
    return pa.table(columns)


def _at(
    top: np.ndarray, base: np.ndarray, values: Sequence[str | float | None], depths: np.ndarray
) -> list[str | float | None]:
    """Return the value of the interval in which each depth lies, None between intervals."""
    number = np.searchsorted(top, depths, "right") - 1
    inside = (number >= 0) & (depths <= base[np.maximum(number, 0)] + 1e-9) if len(top) else np.zeros(len(depths), bool)
    return [values[n] if ok else None for n, ok in zip(number.tolist(), inside.tolist())]


def write_las(data: HoleData, names: Sequence[str], path: Path, step: float | None = None) -> int:
    """Write curves as LAS 2.0, on the depths that they have, or on steps of so many metres; returns how many rows.

    Raises CannotWrite for a hole without a curve of these names, and for more rows than can be meant.
    """
    curves = [each for each in data.curves if each.name in names and each.texts is None]
    if not curves:
        raise CannotWrite(path, tr("no curve with numbers is chosen"), tr("Choose curves of the hole."))
    depths = steps_of(curves)
    if step is not None:
        count = (depths[-1] - depths[0]) / step
        if not step > 0 or count > MOST_ROWS:
            raise CannotWrite(
                path,
                tr("a step of {step:g} m gives {count:,.0f} rows", step=step, count=count),
                tr("Choose a larger step."),
            )
        depths = depths[0] + step * np.arange(int(count + 1e-9) + 1)
    las = lasio.LASFile()
    hole = data.hole
    las.well.WELL.value, las.well.NULL.value = hole.name, NULL
    if hole.xy is not None:
        las.well["LOC"] = lasio.HeaderItem(
            "LOC", "", f"{hole.xy[0]:g} {hole.xy[1]:g} {hole.crs or 'CRS not stated'}", "LOCATION"
        )
    if hole.elevation is not None:
        las.params["EREF"] = lasio.HeaderItem("EREF", "M", hole.elevation, "collar elevation")
    las.append_curve("DEPT", depths, unit="M", descr="depth along the hole")
    for curve in curves:
        las.append_curve(
            curve.name, on_depths(curve, depths, between=step is not None), unit=curve.unit, descr=curve.about
        )
    even = len(depths) > 1 and np.allclose(np.diff(depths), depths[1] - depths[0])
    with written_beside(path) as beside, beside.open("w", encoding="utf-8", newline="\n") as out:
        las.write(out, version=2.0, fmt="%.6g", STEP=None if even else 0.0)
    return len(depths)
