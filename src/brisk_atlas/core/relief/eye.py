"""From where a relief is looked at, and how hands move that."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import cos, radians, sin, sqrt, tan
from typing import NamedTuple

import numpy as np

from .rays import Rays
from .space import Space

FLATTEST, STEEPEST = -60.0, 90.0  # tilts, degrees below the horizon
LOWEST_EXAGGERATION, HIGHEST_EXAGGERATION = 0.1, 50.0
NARROWEST, WIDEST = 5.0, 100.0  # fields of view, degrees
FARTHEST = 6.0  # times the longer side of the ground, from its middle
CENTRED = 6  # times that a whole ground is moved into the middle
ROOM = 0.94  # of the picture, that a whole ground fills
REACH = 40.0  # times the longer side of the ground, that is seen


class GroundSpot(NamedTuple):
    """A point of the relief as it is drawn: metres east and north of its middle, and up, heights exaggerated."""

    east: float
    north: float
    up: float


@dataclass(frozen=True)
class Eye:
    """Where the eye is, metres as of `GroundSpot`; `azimuth` towards which it looks, degrees clockwise from north;
    `tilt` degrees below the horizon; `field` the angle from the top to the bottom of the picture, degrees."""

    east: float = 0.0
    north: float = 0.0
    up: float = 1000.0
    azimuth: float = 340.0
    tilt: float = 32.0
    field: float = 36.0
    exaggeration: float = 1.5

    @classmethod
    def looking_at(
        cls,
        spot: GroundSpot,
        distance: float,
        azimuth: float,
        tilt: float,
        field: float = 36.0,
        exaggeration: float = 1.5,
    ) -> Eye:
        """Return the eye that has a spot in the middle of its picture."""
        bare = cls(0.0, 0.0, 0.0, azimuth % 360.0, min(max(tilt, FLATTEST), STEEPEST), field, exaggeration)
        ahead = bare.ahead
        return replace(bare, east=spot.east - distance * ahead[0], north=spot.north - distance * ahead[1],
                       up=spot.up - distance * ahead[2])  # fmt: skip

    @property
    def ahead(self) -> tuple[float, float, float]:
        """The unit vector in which it looks."""
        turn, fall = radians(self.azimuth), radians(self.tilt)
        return sin(turn) * cos(fall), cos(turn) * cos(fall), -sin(fall)

    @property
    def right(self) -> tuple[float, float, float]:
        """The unit vector to the right of the picture, which is level."""
        turn = radians(self.azimuth)
        return cos(turn), -sin(turn), 0.0

    @property
    def upward(self) -> tuple[float, float, float]:
        """The unit vector to the top of the picture."""
        turn, fall = radians(self.azimuth), radians(self.tilt)
        return sin(turn) * sin(fall), cos(turn) * sin(fall), cos(fall)

    def pixel(self, rows: int) -> float:
        """Return the angle of a pixel in the middle of a picture so many rows high, radians."""
        return 2.0 * tan(radians(self.field) / 2) / rows

    def rays(self, space: Space, cols: int, rows: int) -> Rays:
        """Return the rays of a picture."""
        tan_y = tan(radians(self.field) / 2)
        return Rays(
            self.east, self.north, self.up, self.ahead, self.right, self.upward, tan_y * cols / rows, tan_y,
            self.exaggeration, space.bend, REACH * space.longer,
        )  # fmt: skip

    def direction(self, col: float, row: float, cols: int, rows: int) -> np.ndarray:
        """Return (3,) the unit vector of the ray through a place of a picture, in pixels from its upper left corner."""
        tan_y = tan(radians(self.field) / 2)
        px, py = tan_y * cols / rows * (2 * col / cols - 1), tan_y * (1 - 2 * row / rows)
        found = np.array(self.ahead) + px * np.array(self.right) + py * np.array(self.upward)
        return found / np.linalg.norm(found)

    def seen_at(self, spot: GroundSpot, cols: int, rows: int) -> tuple[float, float] | None:
        """Return where in a picture a spot is seen, pixels from its upper left corner; None for what is behind."""
        off = np.array(spot) - (self.east, self.north, self.up)
        deep = float(off @ np.array(self.ahead))
        if deep <= 0:
            return None
        tan_y = tan(radians(self.field) / 2)
        px, py = float(off @ np.array(self.right)) / deep, float(off @ np.array(self.upward)) / deep
        return cols / 2 * (1 + px / (tan_y * cols / rows)), rows / 2 * (1 - py / tan_y)

    def places_of(self, spots: np.ndarray, bend: float, cols: int, rows: int) -> np.ndarray:
        """Return (n, 3) where in a picture spots are seen, and how far they are, metres; NaN for what is behind.

        spots : (n, 3) metres, heights not exaggerated; bend : of the ground, as `Space` has it
        """
        off = spots * (1.0, 1.0, self.exaggeration) - (self.east, self.north, self.up)
        off[:, 2] -= bend * (off[:, 0] ** 2 + off[:, 1] ** 2)
        deep, tan_y = off @ np.array(self.ahead), tan(radians(self.field) / 2)
        with np.errstate(divide="ignore", invalid="ignore"):
            col = cols / 2 * (1 + off @ np.array(self.right) / deep / (tan_y * cols / rows))
            row = rows / 2 * (1 - off @ np.array(self.upward) / deep / tan_y)
        found = np.column_stack([col, row, np.linalg.norm(off, axis=1)])
        found[~(deep > 0)] = np.nan
        return found

    def distance_to(self, spot: GroundSpot) -> float:
        """Return how far a spot is, metres."""
        return sqrt((spot.east - self.east) ** 2 + (spot.north - self.north) ** 2 + (spot.up - self.up) ** 2)

    def turned_about(self, spot: GroundSpot, by_azimuth: float, by_tilt: float) -> Eye:
        """Return the eye moved around a spot, which stays where it is seen, by degrees of azimuth and tilt."""
        tilt = min(max(self.tilt + by_tilt, FLATTEST), STEEPEST)
        after = replace(self, azimuth=(self.azimuth + by_azimuth) % 360.0, tilt=tilt)
        off = np.array(spot) - (self.east, self.north, self.up)
        parts = [float(off @ np.array(axis)) for axis in (self.ahead, self.right, self.upward)]
        axes = (after.ahead, after.right, after.upward)
        moved = np.array(spot) - sum(part * np.array(axis) for part, axis in zip(parts, axes))
        return replace(after, east=float(moved[0]), north=float(moved[1]), up=float(moved[2]))

    def looked_around(self, by_azimuth: float, by_tilt: float) -> Eye:
        """Return the eye turned where it is, by degrees."""
        tilt = min(max(self.tilt + by_tilt, FLATTEST), STEEPEST)
        return replace(self, azimuth=(self.azimuth + by_azimuth) % 360.0, tilt=tilt)

    def panned(self, grabbed: GroundSpot, col: float, row: float, cols: int, rows: int) -> Eye:
        """Return the eye moved level so that a spot that was grabbed is seen at a place of the picture; as it is where
        that place is over the horizon."""
        way = self.direction(col, row, cols, rows).tolist()
        drop = grabbed.up - self.up
        if way[2] * drop <= 0 or abs(way[2]) < 0.02:
            return self
        far = drop / way[2]
        east, north = self.east + far * way[0], self.north + far * way[1]
        return replace(self, east=self.east + grabbed.east - east, north=self.north + grabbed.north - north)

    def closer(self, spot: GroundSpot, factor: float, nearest: float) -> Eye:
        """Return the eye a factor nearer to a spot, which stays where it is seen; no nearer than `nearest` metres."""
        share = 1.0 / factor
        if factor > 1:
            share = max(share, min(1.0, nearest / max(self.distance_to(spot), 1e-9)))
        move = [here + share * (there - here) for here, there in zip(spot, (self.east, self.north, self.up))]
        return replace(self, east=move[0], north=move[1], up=move[2])

    def walked(self, ahead: float, right: float, up: float) -> Eye:
        """Return the eye moved by metres: level ahead, to the right, and up."""
        turn = radians(self.azimuth)
        return replace(self, east=self.east + ahead * sin(turn) + right * cos(turn),
                       north=self.north + ahead * cos(turn) - right * sin(turn), up=self.up + up)  # fmt: skip

    def exaggerated(self, factor: float, spot: GroundSpot | None) -> Eye:
        """Return the eye with heights exaggerated by a factor; a spot that is looked at stays in its place of the
        picture."""
        factor = min(max(factor, LOWEST_EXAGGERATION), HIGHEST_EXAGGERATION)
        up = self.up if spot is None else self.up + spot.up * (factor / self.exaggeration - 1.0)
        return replace(self, exaggeration=factor, up=up)

    def within(self, space: Space, ground_up: float | None, clearance: float) -> Eye:
        """Return the eye where the ground can't be lost: not too far from its middle, and over it. `ground_up` is how
        high the ground is drawn below the eye, None where there is none."""
        away = sqrt(self.east**2 + self.north**2 + self.up**2)
        most = FARTHEST * space.longer
        share = min(1.0, most / away) if away > 0 else 1.0
        east, north, up = self.east * share, self.north * share, self.up * share
        if ground_up is not None:
            up = max(up, ground_up + clearance)
        return replace(self, east=east, north=north, up=up)


def eye_over(outline: np.ndarray, wide: float, look: Eye) -> Eye:
    """Return the eye that has all of a ground in its picture, so many times as wide as it is high, with the azimuth,
    tilt, field and exaggeration of another.

    outline : (n, 3) points of the ground, metres, heights as they are
    """
    points = outline * (1.0, 1.0, look.exaggeration)
    low, high = points.min(axis=0), points.max(axis=0)
    middle = (low + high) / 2
    tan_y = tan(radians(look.field) / 2)
    tan_x = tan_y * wide
    axes = np.array([look.ahead, look.right, look.upward])
    closest = max(float(np.linalg.norm(high - low)) * 0.05, 1e-3)
    distance = closest
    for _ in range(CENTRED):  # what is nearer looks larger: the middle of the picture is not that of the ground
        deep, right, up = ((points - middle) @ axes.T).T
        needed = np.maximum(np.abs(right) / (tan_x * ROOM), np.abs(up) / (tan_y * ROOM)) - deep
        distance = max(float(needed.max()), closest)
        px, py = right / (distance + deep), up / (distance + deep)
        middle = middle + distance * ((px.min() + px.max()) / 2 * axes[1] + (py.min() + py.max()) / 2 * axes[2])
    deep, right, up = ((points - middle) @ axes.T).T
    needed = np.maximum(np.abs(right) / (tan_x * ROOM), np.abs(up) / (tan_y * ROOM)) - deep
    distance = max(float(needed.max()), closest)
    spot = GroundSpot(*middle.tolist())
    return Eye.looking_at(spot, distance, look.azimuth, look.tilt, look.field, look.exaggeration)
