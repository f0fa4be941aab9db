"""Where a borehole runs: positions along it from a survey of its directions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

FOOT_M = 0.3048
SMALL = 1e-9


@dataclass(frozen=True, eq=False)
class HolePath:
    """Positions along a hole from its collar. measured : (n,) metres along it; east, north, down : (n,) metres."""

    measured: np.ndarray
    east: np.ndarray
    north: np.ndarray
    down: np.ndarray
    inclination: np.ndarray
    azimuth: np.ndarray

    def vertical_at(self, measured: np.ndarray | float) -> np.ndarray:
        """Return how far below the collar depths along the hole are, on the arcs between stations."""
        return self.position_at(measured)[:, 2]

    def position_at(self, measured: np.ndarray | float) -> np.ndarray:
        """Return (n, 3) east, north and down of depths along the hole, on the arcs between stations; beyond the last
        straight on."""
        at = np.atleast_1d(np.asarray(measured, float))
        number = np.clip(np.searchsorted(self.measured, at, "right") - 1, 0, max(0, len(self.measured) - 2))
        if len(self.measured) < 2:
            direction = _direction(self.inclination[:1], self.azimuth[:1])[0]
            return (at - self.measured[0])[:, None] * direction
        begin, end = self.measured[number], self.measured[number + 1]
        span = np.maximum(end - begin, SMALL)
        directions = _direction(self.inclination, self.azimuth)
        first, second = directions[number], directions[number + 1]
        beyond = at > end
        share = np.where(beyond, 1.0, (at - begin) / span)
        way = _arc(first, second, span, share)
        base = np.column_stack([self.east, self.north, self.down])[number]
        past = np.where(beyond, at - end, 0.0)[:, None] * second
        return base + way + past

    def measured_at(self, vertical: np.ndarray | float) -> np.ndarray:
        """Return the depths along the hole at which it is first so far below the collar; NaN where it never is."""
        wanted = np.atleast_1d(np.asarray(vertical, float))
        fine = np.unique(np.concatenate([self.measured, np.linspace(self.measured[0], self.measured[-1], 2000)]))
        deep = np.maximum.accumulate(self.vertical_at(fine))
        found = np.interp(wanted, deep, fine)
        return np.where((wanted < deep[0] - SMALL) | (wanted > deep[-1] + SMALL), np.nan, found)


def _direction(inclination: np.ndarray, azimuth: np.ndarray) -> np.ndarray:
    """Return (n, 3) unit vectors east, north, down of inclinations from the vertical and azimuths, degrees."""
    i, a = np.radians(inclination), np.radians(azimuth)
    return np.column_stack([np.sin(i) * np.sin(a), np.sin(i) * np.cos(a), np.cos(i)])


def _arc(first: np.ndarray, second: np.ndarray, span: np.ndarray, share: np.ndarray) -> np.ndarray:
    """Return (n, 3) the way along a share of arcs that turn from one direction to another over a span."""
    turn = np.arccos(np.clip((first * second).sum(axis=1), -1.0, 1.0))
    bent = turn > SMALL
    safe = np.where(bent, turn, 1.0)
    # On a circle of radius span / turn, in the plane of both directions.
    across = (second - np.cos(turn)[:, None] * first) / np.where(bent, np.sin(safe), 1.0)[:, None]
    angle = turn * share
    radius = span / safe
    along = np.where(bent, radius * np.sin(angle), span * share)[:, None] * first
    aside = np.where(bent, radius * (1.0 - np.cos(angle)), 0.0)[:, None] * across
    return along + aside


def minimum_curvature(measured: np.ndarray, inclination: np.ndarray, azimuth: np.ndarray) -> HolePath:
    """Return the path through stations of a survey by minimum curvature.

    measured : (n,) metres along the hole; inclination : (n,) degrees from the vertical; azimuth : (n,) degrees
    clockwise from north. Stations are put in order, those without a value or at the depth of one before are left out; a
    hole begins vertical at 0 where its first station is deeper.

    Source: Taylor, H.L. and Mason, C.M. (1972), "A systematic approach to well surveying calculations", SPE Journal
    12(6), 474-488; the ratio factor 2 / turn * tan(turn / 2) is that of an arc.
    """
    known = np.isfinite(measured) & np.isfinite(inclination) & np.isfinite(azimuth)
    m, i, a = measured[known].astype(float), inclination[known].astype(float), azimuth[known].astype(float)
    order = np.argsort(m, kind="stable")
    m, i, a = m[order], i[order], a[order]
    fresh = np.concatenate([[True], np.diff(m) > 0]) if len(m) else np.empty(0, bool)
    m, i, a = m[fresh], i[fresh], a[fresh]
    if not len(m) or m[0] > 0:
        m, i, a = np.insert(m, 0, 0.0), np.insert(i, 0, 0.0), np.insert(a, 0, a[0] if len(a) else 0.0)
    directions = _direction(i, a)
    steps = _arc(directions[:-1], directions[1:], np.diff(m), np.ones(len(m) - 1))
    xyz = np.vstack([[0.0, 0.0, 0.0], np.cumsum(steps, axis=0)]) if len(m) > 1 else np.zeros((1, 3))
    return HolePath(m, xyz[:, 0], xyz[:, 1], xyz[:, 2], i, a)


def straight(length: float, azimuth: float = 0.0, dip: float = 90.0) -> HolePath:
    """Return the path of a straight hole: towards an azimuth, and degrees below the horizon."""
    inclination = np.array([90.0 - dip] * 2)
    return minimum_curvature(np.array([0.0, max(length, SMALL)]), inclination, np.array([azimuth] * 2))
