"""The foot of a strip: distances or times, with round numbers."""

from __future__ import annotations

from math import ceil, floor, log10

import numpy as np

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.strip.profile import Axis

SECONDS = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200, 86_400)
KILOMETRES_FROM_M = 5000


def ticks(low: float, high: float, most: float) -> list[float]:
    """Return round numbers between two, about so many at most."""
    span = high - low
    if not (span > 0 and np.isfinite(span)):
        return []
    rough = span / max(1.0, most)
    power = 10.0 ** floor(log10(rough))
    step = next(n * power for n in (1, 2, 5, 10) if n * power >= rough)
    return [round(n * step, 12) for n in range(ceil(low / step), floor(high / step) + 1)]


def axis_ticks(axis: Axis, low: float, high: float, most: float) -> list[tuple[float, str]]:
    """Return where an axis is marked, and how."""
    if axis.begin is not None:
        return _time_ticks(axis.begin, low, high, most)
    far = axis.unit == "m" and high - low > KILOMETRES_FROM_M
    scale, unit = (1000.0, "km") if far else (1.0, axis.unit)
    return [(at * scale, f"{grouped(at, ',g')} {unit}".strip()) for at in ticks(low / scale, high / scale, most)]


def _time_ticks(begin: np.datetime64, low: float, high: float, most: float) -> list[tuple[float, str]]:
    rough = (high - low) / max(1.0, most)
    step = next((each for each in SECONDS if each >= rough), 86_400 * ceil(rough / 86_400))
    into_day = (begin - begin.astype("datetime64[D]")).astype("timedelta64[ms]").astype(int) / 1000
    found = []
    for number in range(ceil((low + into_day) / step), floor((high + into_day) / step) + 1):
        at = number * step - into_day
        when = begin + np.timedelta64(round(at * 1000), "ms")
        midnight = when == when.astype("datetime64[D]")
        clock = str(when.astype("datetime64[s]"))
        found.append((at, clock[5:10] if step >= 86_400 or midnight else clock[11:19] if step < 60 else clock[11:16]))
    return found
