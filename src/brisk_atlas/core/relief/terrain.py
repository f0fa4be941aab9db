"""What a relief shows, as values: heights with a picture over them, and the camera."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import cos, radians, sin
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np


@dataclass(frozen=True, eq=False)
class Terrain:
    """Heights ready to be drawn.

    heights : (rows, cols) float32 metres, NaN where there are none; row 0 is north
    width, depth : size on the ground in metres, west to east and north to south
    drape : (rows, cols, 3) uint8 picture over the same rectangle
    """

    heights: np.ndarray
    width: float
    depth: float
    drape: np.ndarray
    name: str


@dataclass(frozen=True)
class Camera:
    """Where the eye is: `azimuth` degrees clockwise from north from which it looks, `elevation`
    degrees above the ground, `distance` in units of the terrain's size, `exaggeration` of height.
    `shift_x` and `shift_y` move the point looked at, in units of the terrain's size."""

    azimuth: float = 160.0
    elevation: float = 32.0
    distance: float = 1.5
    exaggeration: float = 1.5
    shift_x: float = 0.0
    shift_y: float = 0.0

    def orbited(self, dx: float, dy: float) -> Camera:
        """Return the camera after a drag of (dx, dy) pixels."""
        elevation = min(max(self.elevation + dy * 0.4, 4.0), 89.0)
        return replace(self, azimuth=(self.azimuth + dx * 0.4) % 360, elevation=elevation)

    def closer(self, factor: float) -> Camera:
        """Return the camera nearer by a factor; above 1 is nearer."""
        return replace(self, distance=min(max(self.distance / factor, 0.08), 6.0))

    def shifted(self, dx: float, dy: float) -> Camera:
        """Return the camera after the hand moved the ground by (dx, dy) pixels."""
        turn = radians(self.azimuth)
        step = self.distance * 0.0012
        right, ahead = -dx * step, dy * step
        east = -cos(turn) * right - sin(turn) * ahead
        north = sin(turn) * right - cos(turn) * ahead
        return replace(self, shift_x=self.shift_x + east, shift_y=self.shift_y + north)
