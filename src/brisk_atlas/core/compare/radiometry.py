"""Bringing one picture to the brightness of another, so that what did not change has the same numbers."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

import numpy as np

TURNS = 12  # of fitting and leaving out what is farthest off
FAR = 2.0  # standard deviations, beyond which cells count as changed
FEWEST_SHARE = 0.2  # of the cells that the line must go on being fitted to
QUANTILES = 257


class Normalise(StrEnum):
    """How B is brought to A's brightness, band by band."""

    NONE = "none"
    REGRESSION = "regression"
    HISTOGRAM = "histogram"


class Brightness(NamedTuple):
    """What B's numbers become: between `knots` as their `levels`, straight in between and beyond. `unchanged` is the
    share of the cells that it was fitted to."""

    knots: tuple[float, ...]
    levels: tuple[float, ...]
    unchanged: float

    @property
    def gain(self) -> float:
        """What B's numbers are multiplied by, where it is the same for all."""
        return (self.levels[-1] - self.levels[0]) / (self.knots[-1] - self.knots[0])

    def __call__(self, values: np.ndarray) -> np.ndarray:
        """Return values at A's brightness."""
        if len(self.knots) == 2:
            return self.levels[0] + (values - self.knots[0]) * self.gain
        return np.interp(values, self.knots, self.levels)


SAME = Brightness((0.0, 1.0), (0.0, 1.0), 1.0)


def brightness(a: np.ndarray, b: np.ndarray, how: Normalise) -> Brightness:
    """Return what brings a band of B to that of A.

    a, b : (n,) float, the same cells of both, all with data

    By regression, a line is fitted by reduced major axis (both sides have noise), time and again, to the cells that lie
    near it, which are taken as unchanged; source of the idea: Schott, J.R., Salvaggio, C. and Volchok, W.J. (1988),
    "Radiometric scene normalization using pseudoinvariant features", Remote Sensing of Environment 26, 1-16. By
    histogram, B's quantiles become A's.
    """
    if how is Normalise.NONE or a.size < 2 or np.ptp(b) == 0 or np.ptp(a) == 0:
        return SAME
    if how is Normalise.HISTOGRAM:
        shares = np.linspace(0, 1, QUANTILES)
        knots, places = np.unique(np.quantile(b, shares), return_index=True)
        levels = np.quantile(a, shares)[places]
        if len(knots) < 2:
            return SAME
        return Brightness(tuple(map(float, knots)), tuple(map(float, levels)), 1.0)
    used = np.ones(a.size, bool)
    gain, offset = 1.0, 0.0
    for _ in range(TURNS):
        x, y = b[used], a[used]
        if np.ptp(x) == 0:
            break
        together = float(((x - x.mean()) * (y - y.mean())).sum())
        gain = float(np.copysign(y.std() / x.std(), together))
        offset = float(y.mean() - gain * x.mean())
        off = np.abs(a - gain * b - offset)
        near = off <= FAR * max(float(off[used].std()), 1e-12 + 1e-9 * float(np.abs(a).max()))
        if near.mean() < FEWEST_SHARE or (near == used).all():
            break
        used = near
    return Brightness((0.0, 1.0), (offset, offset + gain), float(used.mean()))
