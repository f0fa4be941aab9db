"""Traces looked at in another way: without spikes, smoothed, less a reference. What was measured stays as it is."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import median_filter

ROBUST = 1.4826  # times the median absolute deviation is the standard deviation of a normal distribution
SPIKE_WINDOW = 5  # values, in which those of spikes are fewer than half
SPIKE_TIMES = 10.0  # standard deviations of the remainder, beyond which a value is a spike
SMALLEST = 5  # values that a spike can be seen among


def spikes(values: np.ndarray, window: int = SPIKE_WINDOW, times: float = SPIKE_TIMES) -> np.ndarray:
    """Return (n,) bool of values that lie further than some robust standard deviations from the median of those around
    them. NaN values are passed over.

    Source: Hampel, F.R. (1974), "The influence curve and its role in robust estimation", JASA 69: the identifier by
    median and median absolute deviation; the deviation is that of all remainders, so that smooth stretches are not
    taken apart.
    """
    known = np.flatnonzero(np.isfinite(values))
    found = np.zeros(len(values), bool)
    if len(known) < SMALLEST:
        return found
    own = values[known]
    off = np.abs(own - median_filter(own, size=min(window, len(own)), mode="nearest"))
    deviation = ROBUST * float(np.median(off[off > 0])) if (off > 0).any() else 0.0
    found[known] = off > max(times * deviation, 1e-12) if deviation > 0 else False
    return found


def despiked(values: np.ndarray, window: int = SPIKE_WINDOW) -> np.ndarray:
    """Return values without spikes: NaN in their place."""
    return np.where(spikes(values, window), np.nan, values)


def smoothed(at: np.ndarray, values: np.ndarray, width: float, breaks: np.ndarray | None = None) -> np.ndarray:
    """Return the mean of the values within half a width to both sides along `at`, not over a break; NaN where the value
    itself is not known."""
    if not width > 0:
        return values
    known = np.isfinite(values)
    total = np.concatenate([[0.0], np.cumsum(np.where(known, values, 0.0))])
    count = np.concatenate([[0], np.cumsum(known)])
    first = np.searchsorted(at, at - width / 2, "left")
    last = np.searchsorted(at, at + width / 2, "right")
    if breaks is not None:
        part = np.cumsum(breaks)
        first = np.maximum(first, np.searchsorted(part, part, "left"))
        last = np.minimum(last, np.searchsorted(part, part, "right"))
    with np.errstate(invalid="ignore", divide="ignore"):
        means = (total[last] - total[first]) / (count[last] - count[first])
    return np.where(known, means, np.nan)


def line_through(at: np.ndarray, values: np.ndarray) -> np.ndarray:
    """Return the least-squares straight line through values, at each place; NaN without two values."""
    known = np.isfinite(values)
    if known.sum() < 2 or np.ptp(at[known]) == 0:
        return np.full(len(values), np.nan)
    off = at - at[known].mean()
    slope = float(off[known] @ (values[known] - values[known].mean())) / float(off[known] @ off[known])
    return values[known].mean() + slope * off


def area_between(at: np.ndarray, values: np.ndarray, reference: np.ndarray, breaks: np.ndarray) -> tuple[float, float]:
    """Return the areas above and below a reference, units of values times units of `at`, both not negative; between
    places both of which are known, not over a break, straight in between."""
    off = values - reference
    a, b = off[:-1], off[1:]
    known = np.isfinite(a) & np.isfinite(b) & ~breaks[1:]
    a, b, step = a[known], b[known], np.diff(at)[known]
    crosses = a * b < 0
    whole = step * (a + b) / 2
    above = float(np.where(~crosses, np.maximum(whole, 0), 0).sum())
    below = float(np.where(~crosses, np.maximum(-whole, 0), 0).sum())
    a, b, step = a[crosses], b[crosses], step[crosses]
    share = np.abs(a) / (np.abs(a) + np.abs(b))
    first, second = np.abs(a) * share * step / 2, np.abs(b) * (1 - share) * step / 2
    return above + float(np.where(a > 0, first, second).sum()), below + float(np.where(a > 0, second, first).sum())
