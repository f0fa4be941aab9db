"""Quantities worked out from those of a hole: expressions, other steps, without spikes, net of gross, classes of
rock."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.table.asking import ROW, row_numbers
from brisk_atlas.core.table.expression import evaluate, prepare

from ..trace_filters import despiked
from .curve_names import category_of
from .hole_numbers import on_depths, steps_of
from .hole_set import HoleCurve, HoleIntervals
from .read_hole import HoleData


def expression_curve(
    data: HoleData, name: str, expression: str, unit: str = "", check: Callable[[], None] = lambda: None
) -> HoleCurve:
    """Return a curve from an SQL expression over the curves of a hole and `depth_m`, at all depths of those that it
    names. Raises BadExpression, and AtlasError for one that gives no numbers."""
    numeric = [each for each in data.curves if each.texts is None]
    names = ["depth_m", *(each.name for each in numeric)]
    prepared = prepare(expression, names, measured=False)
    used = [each for each in numeric if each.name in prepared.fields]
    depths = steps_of(used or numeric)
    columns = {each.name: pa.array(v := on_depths(each, depths, between=True), mask=np.isnan(v)) for each in used}
    table = pa.table({"depth_m": pa.array(depths), **columns, ROW: pa.array(row_numbers(len(depths)))})
    found = evaluate(table, prepared.sql, expression, check, "DOUBLE")
    try:
        values = np.asarray(found.cast(pa.float64()).to_numpy(), float)
    except pa.ArrowInvalid as error:
        raise AtlasError(
            name, tr("the expression gives no numbers"), tr("Write one with numbers, such as GR / 2.")
        ) from error
    return HoleCurve(name, unit, expression, depths, values, category_of(name, unit), "worked out")


def resampled(curve: HoleCurve, step: float) -> HoleCurve:
    """Return a curve on even steps of so many metres, each the mean of the values within half a step, or straight in
    between where the steps are finer than the values. Raises AtlasError for a step that is not above 0."""
    if not step > 0 or not len(curve.depth):
        raise AtlasError(curve.name, tr("{step:g} m is no step", step=step), tr("Choose one above 0."))
    depths = curve.depth[0] + step * np.arange(int((curve.depth[-1] - curve.depth[0]) / step + 1e-9) + 1)
    known = np.isfinite(curve.values)
    number = np.round((curve.depth - depths[0]) / step).astype(np.int64)
    inside = known & (number >= 0) & (number < len(depths))
    count = np.bincount(number[inside], minlength=len(depths))
    total = np.bincount(number[inside], curve.values[inside], minlength=len(depths))
    between = on_depths(curve, depths, between=True)
    with np.errstate(invalid="ignore", divide="ignore"):
        values = np.where(count > 0, total / count, between)
    return replace(curve, name=f"{curve.name} each {step:g} m", depth=depths, values=values, source="worked out")


def without_spikes(curve: HoleCurve) -> HoleCurve:
    """Return a curve without values that stand out of those around them."""
    return replace(curve, name=f"{curve.name} without spikes", values=despiked(curve.values), source="worked out")


@dataclass(frozen=True)
class NetOfGross:
    """Of a stretch so many metres long: how much lies beyond a cut-off, how much is not known, and the mean of the
    curve in what lies beyond."""

    gross: float
    net: float
    unknown: float
    mean: float

    @property
    def share(self) -> float:
        """Net as a share of gross, NaN for nothing."""
        return self.net / self.gross if self.gross > 0 else float("nan")


def net_of_gross(curve: HoleCurve, cut_off: float, top: float, base: float, *, above: bool = True) -> NetOfGross:
    """Return how much of a stretch has values at or above a cut-off, or at or below it. Each value stands for the way
    half to its neighbours."""
    depth = curve.depth
    if not len(depth):
        return NetOfGross(max(0.0, base - top), 0.0, max(0.0, base - top), float("nan"))
    middle = (depth[1:] + depth[:-1]) / 2
    upper = np.clip(np.concatenate([[depth[0]], middle]), top, base)
    lower = np.clip(np.concatenate([middle, [depth[-1]]]), top, base)
    thick = np.maximum(lower - upper, 0.0)
    known = np.isfinite(curve.values)
    beyond = known & ((curve.values >= cut_off) if above else (curve.values <= cut_off))
    net = float(thick[beyond].sum())
    mean = float((curve.values[beyond] * thick[beyond]).sum() / net) if net > 0 else float("nan")
    gross = base - top
    return NetOfGross(gross, net, float(gross - thick[known].sum()), mean)


@dataclass(frozen=True)
class RockDoubt:
    """An interval whose values look more like those of another rock: where, what is stated, what it looks like, and how
    many of its values do."""

    top: float
    base: float
    stated: str
    looks_like: str
    share: float


def doubtful_rocks(
    data: HoleData, rocks: HoleIntervals, names: Sequence[str], most: float = 0.5
) -> tuple[RockDoubt, ...]:
    """Return the intervals of which more than a share of the values lie nearer to the middle of another rock than to
    that of their own, over all values of that rock in the hole.

    Nearness is the sum of squares of the differences to the medians, in median absolute deviations of each curve. A
    rock with one interval alone can't be doubted.
    """
    curves = [each for each in data.curves if each.name in names and each.texts is None]
    if not curves:
        raise AtlasError(
            data.hole.name, tr("no curve with numbers is chosen"), tr("Choose curves to compare the rocks with.")
        )
    depths = steps_of(curves)
    values = np.column_stack([_scaled(on_depths(each, depths, between=True)) for each in curves])
    number = np.searchsorted(rocks.top, depths, "right") - 1
    inside = (number >= 0) & (depths < rocks.base[np.maximum(number, 0)]) & np.isfinite(values).all(axis=1)
    stated = np.array(
        [str(rocks.values[n]) if ok and rocks.values[n] is not None else "" for n, ok in zip(number, inside)]
    )
    kinds = [kind for kind in np.unique(stated).tolist() if kind]
    if len(kinds) < 2:
        return ()
    middles = np.array([np.median(values[stated == kind], axis=0) for kind in kinds])
    off = ((values[:, None, :] - middles[None]) ** 2).sum(axis=2)
    nearest = np.array(kinds)[off.argmin(axis=1)]
    several = {kind for kind in kinds if len(np.unique(number[stated == kind])) > 1}
    found = []
    for n in np.unique(number[stated != ""]).tolist():
        own = (number == n) & (stated != "")
        kind = str(rocks.values[n])
        others, counts = np.unique(nearest[own & (nearest != kind)], return_counts=True)
        if kind in several and len(others) and counts.sum() / own.sum() > most:
            found.append(RockDoubt(float(rocks.top[n]), float(rocks.base[n]), kind, str(others[counts.argmax()]),
                                   float(counts.sum() / own.sum())))  # fmt: skip
    return tuple(found)


def _scaled(values: np.ndarray) -> np.ndarray:
    known = values[np.isfinite(values)]
    if not known.size:
        return values
    middle = np.median(known)
    deviation = float(np.median(np.abs(known - middle))) or float(known.std()) or 1.0
    return (values - middle) / deviation
