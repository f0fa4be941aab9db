"""What a map pane shows: a place, a scale and a size."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import cos, floor, radians, sin
from typing import Any

import numpy as np

from brisk_atlas.core.model import Extent, Lattice
from brisk_atlas.core.place import ground_metres, transform
from brisk_atlas.core.place.domain import domain_of

DOTS_PER_INCH, INCH_M = 96.0, 0.0254
PICK_PX = 6  # how near a pointer must be to pick a thing
MAX_WORLDS = 7  # copies of the Earth side by side


@dataclass(frozen=True)
class View:
    """A picture's place on the map. `resolution` is CRS units a pixel, the same both ways; pixel
    (0, 0) is the top left corner, y grows down. `density` is device pixels a screen pixel. `turn` is how far the map
    is turned, degrees clockwise. `plane` is the same picture on a plane turned with it, where it stands upright."""

    x: float
    y: float
    resolution: float
    width: int
    height: int
    crs: str | None = None
    density: float = 1.0
    turn: float = 0.0

    @property
    def ground_metres(self) -> float:
        """How far it is on the ground across a pixel in the middle."""
        return self.resolution * ground_metres(self.crs, self.x, self.y)

    @property
    def scale(self) -> float:
        """The number below one of the scale, on a screen of the usual 96 dots an inch."""
        return self.ground_metres * self.density * DOTS_PER_INCH / INCH_M

    def shows_at(self, scales: tuple[float, float] | None) -> bool:
        """Return whether what is drawn between two scales is drawn here; where the scale is not known, all is."""
        if scales is None or not self.crs:
            return True
        closest, farthest = scales
        return closest <= self.scale * (1 + 1e-9) and self.scale <= farthest * (1 + 1e-9)

    @property
    def extent(self) -> Extent:
        """The upright rectangle around the picture."""
        c, s = self._turning
        half_w, half_h = self.width * self.resolution / 2, self.height * self.resolution / 2
        across, along = half_w * abs(c) + half_h * abs(s), half_w * abs(s) + half_h * abs(c)
        return Extent(self.x - across, self.y - along, self.x + across, self.y + along, self.crs)

    @property
    def _turning(self) -> tuple[float, float]:
        """The cosine and sine of the turn, exact for none."""
        return (cos(radians(self.turn)), sin(radians(self.turn))) if self.turn else (1.0, 0.0)

    @property
    def plane(self) -> View:
        """The picture upright, on a plane turned about the CRS's origin; positions get there by `on_plane`."""
        if not self.turn:
            return self
        x, y = self.on_plane(self.x, self.y)
        return replace(self, x=x, y=y, turn=0.0, crs=None)

    def on_plane(self, x: Any, y: Any) -> tuple[Any, Any]:
        """Return where map positions lie on the plane."""
        c, s = self._turning
        return x * c + y * s, y * c - x * s

    def off_plane(self, u: Any, v: Any) -> tuple[Any, Any]:
        """Return the map positions of places on the plane."""
        c, s = self._turning
        return u * c - v * s, u * s + v * c

    @property
    def origin(self) -> tuple[float, float]:
        """Return the position of the top left corner, on the plane of a turned view."""
        plane = self.plane
        return plane.x - self.width * self.resolution / 2, plane.y + self.height * self.resolution / 2

    @property
    def lattice(self) -> Lattice:
        """Return the grid of the picture's pixels."""
        left, upper = self.off_plane(*self.origin)
        (a, d), (b, e) = self.off_plane(self.resolution, 0.0), self.off_plane(0.0, -self.resolution)
        return Lattice(a, b, left, d, e, upper, self.width, self.height, self.crs)

    def to_map(self, px: float, py: float) -> tuple[float, float]:
        """Return the map position of a pixel, in the CRS of the view."""
        left, top = self.origin
        return self.off_plane(left + px * self.resolution, top - py * self.resolution)

    def to_pixel(self, x: float, y: float) -> tuple[float, float]:
        """Return the pixel, with its fraction, of a map position in the CRS of the view."""
        left, top = self.origin
        u, v = self.on_plane(x, y)
        return (u - left) / self.resolution, (top - v) / self.resolution

    def on_pixels(self) -> View:
        """Return the view moved by less than a pixel, so that pixels of all views of this resolution
        lie on one grid and a picture can be moved to serve another view."""
        left, upper = self.origin
        col, row = round(left / self.resolution), round(upper / self.resolution)
        x, y = self.off_plane((col + self.width / 2) * self.resolution, (row - self.height / 2) * self.resolution)
        return replace(self, x=x, y=y)

    def piece(self, col: int, row: int, width: int, height: int) -> View:
        """Return the view of some of this one's pixels."""
        x, y = self.to_map(col + width / 2, row + height / 2)
        return replace(self, x=x, y=y, width=width, height=height)

    def panned(self, dx: float, dy: float) -> View:
        """Return the view after the hand moved the map by (dx, dy) pixels."""
        x, y = self.to_map(self.width / 2 - dx, self.height / 2 - dy)
        return replace(self, x=x, y=y)

    def turned(self, by: float) -> View:
        """Return the view with the map turned further about its middle, degrees clockwise."""
        turn = (self.turn + by) % 360.0
        return replace(self, turn=turn - 360.0 if turn > 180.0 else turn)

    def in_worlds(self) -> list[View]:
        """Return the view as each copy of the Earth would have it that stands in it, where its CRS repeats."""
        domain = domain_of(self.crs)
        if domain is None or not domain.world:
            return [self]
        extent, world = self.extent, domain.world
        first, last = (floor((x - domain.left) / world) for x in (extent.xmin, extent.xmax))
        middle = floor((self.x - domain.left) / world)
        near = range(max(first, middle - MAX_WORLDS), min(last, middle + MAX_WORLDS) + 1)
        turns = sorted(near, key=lambda k: abs(k - middle))[:MAX_WORLDS]
        return [replace(self, x=self.x - k * world) for k in sorted(turns)]

    def zoomed(self, factor: float, px: float, py: float) -> View:
        """Return the view `factor` times closer, with what lies at pixel (px, py) staying there."""
        x, y = self.to_map(px, py)
        resolution = self.resolution / factor
        dx, dy = self.off_plane((px - self.width / 2) * resolution, (self.height / 2 - py) * resolution)
        return replace(self, resolution=resolution, x=x - dx, y=y - dy)

    def shown_in(self, crs: str | None) -> View | None:
        """Return the view of the same place at about the same scale in another CRS; None where that does not reach.
        Raises CannotPlace where no transformation is known."""
        if crs == self.crs or crs is None or self.crs is None:
            return replace(self, crs=crs)
        step = min(self.width, self.height) / 4 * self.resolution
        around = [(0, 0), (step, 0), (-step, 0), (0, step), (0, -step)]
        there = transform(np.array([(self.x + dx, self.y + dy) for dx, dy in around], float), self.crs, crs)
        far = np.hypot(*(there[1:] - there[0]).T)
        far = far[np.isfinite(far) & (far > 0)]
        if not np.isfinite(there[0]).all() or not far.size:
            return None
        x, y = there[0].tolist()
        return replace(self, x=x, y=y, resolution=self.resolution * float(np.median(far)) / step, crs=crs)

    @classmethod
    def fitting(
        cls, extent: Extent, width: int, height: int, *, margin: float = 0.05, density: float = 1.0, turn: float = 0.0
    ) -> View:
        """Return the closest view that shows all of `extent` with a margin (a share of the size)."""
        room, c, s = 1 - 2 * margin, abs(cos(radians(turn))), abs(sin(radians(turn)))
        across, along = extent.width * c + extent.height * s, extent.width * s + extent.height * c
        resolution = max(across / (width * room), along / (height * room))
        if resolution <= 0:  # a single point: show its surroundings
            resolution = 1e-6 if extent.crs == "EPSG:4326" else 0.5
        x, y = extent.centre
        return cls(x, y, resolution, width, height, extent.crs, density, turn)
