"""Whether one place is seen from another over the ground, and where that is in the way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from .space import EARTH_RADIUS_M
from .viewshed import REFRACTION

STEPS = 2000  # along a line


@dataclass(frozen=True)
class SightLine:
    """`length` metres from the observer to the target, level; `blocked_at` metres along it where the ground is first
    in the way, None where the target is seen; `missing` metres by which the target is too low; `share_known` of the
    line has heights."""

    length: float
    blocked_at: float | None
    missing: float
    share_known: float


def line_of_sight(
    heights: Callable[[np.ndarray], np.ndarray],
    observer: tuple[float, float],
    target: tuple[float, float],
    eye: float = 1.7,
    over: float = 0.0,
    refraction: float = REFRACTION,
) -> SightLine | None:
    """Return whether a target is seen by an observer; None where either stands on no ground.

    heights : gives (n,) metres of the ground at (n, 2) metres east and north; observer, target : metres east and north;
    eye, over : metres that the observer's eye and the target are over the ground
    Source: the Earth falls away by d² / 2R, of which light follows a share by refraction.
    """
    share = np.linspace(0.0, 1.0, STEPS + 1)
    places = np.array(observer) + share[:, None] * (np.array(target) - np.array(observer))
    length = float(np.hypot(*(np.array(target) - np.array(observer))))
    ground = heights(places)
    if length <= 0 or not np.isfinite(ground[[0, -1]]).all():
        return None
    away = share * length
    seen = ground - (1.0 - refraction) * away**2 / (2.0 * EARTH_RADIUS_M)
    begin, end = ground[0] + eye, seen[-1] + over
    sight = begin + share * (end - begin)
    above = seen[1:-1] - sight[1:-1]
    blocked = np.flatnonzero(above > 0)
    with np.errstate(invalid="ignore", divide="ignore"):
        slope = np.nanmax((seen[1:-1] - begin) / away[1:-1], initial=-np.inf)
    missing = max(0.0, float(begin + slope * length - end)) if np.isfinite(slope) else 0.0
    known = float(np.isfinite(ground).mean())
    return SightLine(length, float(away[blocked[0] + 1]) if blocked.size else None, missing, known)
