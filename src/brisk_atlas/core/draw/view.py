"""What a map pane shows: a place, a scale and a size."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brisk_atlas.core.model import Extent, Lattice
from brisk_atlas.core.place import transform


@dataclass(frozen=True)
class View:
    """A picture's place on the map. `resolution` is CRS units a pixel, the same both ways; pixel
    (0, 0) is the top left corner, y grows down. `density` is device pixels a screen pixel."""

    x: float
    y: float
    resolution: float
    width: int
    height: int
    crs: str | None = None
    density: float = 1.0

    @property
    def extent(self) -> Extent:
        half_w, half_h = self.width * self.resolution / 2, self.height * self.resolution / 2
        return Extent(self.x - half_w, self.y - half_h, self.x + half_w, self.y + half_h, self.crs)

    @property
    def origin(self) -> tuple[float, float]:
        """Return the map position of the top left corner."""
        return self.x - self.width * self.resolution / 2, self.y + self.height * self.resolution / 2

    @property
    def lattice(self) -> Lattice:
        """Return the grid of the picture's pixels."""
        left, upper = self.origin
        step = self.resolution
        return Lattice(step, 0.0, left, 0.0, -step, upper, self.width, self.height, self.crs)

    def to_map(self, px: float, py: float) -> tuple[float, float]:
        """Return the map position of a pixel, in the CRS of the view."""
        left, top = self.origin
        return left + px * self.resolution, top - py * self.resolution

    def to_pixel(self, x: float, y: float) -> tuple[float, float]:
        """Return the pixel, with its fraction, of a map position in the CRS of the view."""
        left, top = self.origin
        return (x - left) / self.resolution, (top - y) / self.resolution

    def on_pixels(self) -> View:
        """Return the view moved by less than a pixel, so that pixels of all views of this resolution
        lie on one grid and a picture can be moved to serve another view."""
        left, upper = self.origin
        col, row = round(left / self.resolution), round(upper / self.resolution)
        return replace(self, x=(col + self.width / 2) * self.resolution, y=(row - self.height / 2) * self.resolution)

    def piece(self, col: int, row: int, width: int, height: int) -> View:
        """Return the view of some of this one's pixels."""
        left, upper = self.origin
        return replace(
            self,
            x=left + (col + width / 2) * self.resolution,
            y=upper - (row + height / 2) * self.resolution,
            width=width,
            height=height,
        )

    def panned(self, dx: float, dy: float) -> View:
        """Return the view after the hand moved the map by (dx, dy) pixels."""
        return replace(self, x=self.x - dx * self.resolution, y=self.y + dy * self.resolution)

    def zoomed(self, factor: float, px: float, py: float) -> View:
        """Return the view `factor` times closer, with what lies at pixel (px, py) staying there."""
        x, y = self.to_map(px, py)
        resolution = self.resolution / factor
        return replace(
            self,
            resolution=resolution,
            x=x - (px - self.width / 2) * resolution,
            y=y + (py - self.height / 2) * resolution,
        )

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
    def fitting(cls, extent: Extent, width: int, height: int, *, margin: float = 0.05, density: float = 1.0) -> View:
        """Return the closest view that shows all of `extent` with a margin (a share of the size)."""
        room = 1 - 2 * margin
        resolution = max(extent.width / (width * room), extent.height / (height * room))
        if resolution <= 0:  # a single point: show its surroundings
            resolution = 1e-6 if extent.crs == "EPSG:4326" else 0.5
        x, y = extent.centre
        return cls(x, y, resolution, width, height, extent.crs, density)
