"""What a hole is at a depth, and along a stretch, in words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import number_text

from .hole_set import HoleCurve
from .log_drawing import depths_shown
from .read_hole import HoleData
from .tracks import DepthScale

NEAR_STEPS = 1.0  # times the step of a curve, within which it has a value


def value_at(curve: HoleCurve, depth: float) -> float | str | None:
    """Return what a curve is at the place nearest to a depth, None where that has no value or is further than its
    steps."""
    if not len(curve.depth):
        return None
    after = int(np.clip(np.searchsorted(curve.depth, depth), 0, len(curve.depth) - 1))
    before = max(0, after - 1)
    at = before if abs(curve.depth[before] - depth) <= abs(curve.depth[after] - depth) else after
    steps = curve.depth[max(0, at - 1)], curve.depth[min(len(curve.depth) - 1, at + 1)]
    if abs(curve.depth[at] - depth) > NEAR_STEPS * max(float(steps[1] - steps[0]) / 2, 1e-6):
        return None
    if curve.texts is not None:
        return curve.texts[at]
    value = float(curve.values[at])
    return value if np.isfinite(value) else None


def reading_of(data: HoleData, names: Sequence[str], depth: float, scale: DepthScale) -> list[str]:
    """Return the depth, and what each of some quantities is there, in words."""
    stated = number_text(round(float(depths_shown(data, depth, scale)[0]), 2))
    words = [f"{data.hole.name} at {stated} {scale.unit}"]
    for name in names:
        curve = data.curve(name)
        if curve is not None:
            value = value_at(curve, depth)
            shown = number_text(float(f"{value:.5g}")) if isinstance(value, float) else value
            words.append(
                f"{name} {shown} {curve.unit}".rstrip() if shown is not None else tr("{name} no value", name=name)
            )
            continue
        for each in data.intervals:
            if each.name == name:
                inside = np.flatnonzero((each.top <= depth) & (each.base > depth))
                found = each.values[int(inside[0])] if inside.size else None
                words.append(f"{name} {number_text(found)}" if found is not None else tr("{name} no value", name=name))
    return words


def stretch_reading(data: HoleData, names: Sequence[str], top: float, base: float) -> list[str]:
    """Return how long a stretch is, and the mean and the ends of quantities along it, in words."""
    words = [
        tr(
            "{name} {top} to {base} m: {base2:,.2f} m",
            name=data.hole.name,
            top=number_text(round(top, 2)),
            base=number_text(round(base, 2)),
            base2=base - top,
        )
    ]
    for name in names:
        curve = data.curve(name)
        if curve is None or curve.texts is not None:
            continue
        inside = (curve.depth >= top) & (curve.depth <= base) & np.isfinite(curve.values)
        if inside.any():
            own = curve.values[inside]
            mean, low, high = (number_text(float(f"{each:.4g}")) for each in (own.mean(), own.min(), own.max()))
            words.append(
                tr(
                    "{name} mean {mean}, {low} to {high} {unit}",
                    name=name,
                    mean=mean,
                    low=low,
                    high=high,
                    unit=curve.unit,
                ).rstrip()
            )
    return words
