"""A rectangle on the map."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from math import isfinite


@dataclass(frozen=True)
class Extent:
    """A rectangle in the units of `crs` (text: `EPSG:n` or WKT); x grows east, y grows north."""

    xmin: float
    ymin: float
    xmax: float
    ymax: float
    crs: str | None = None

    @property
    def width(self) -> float:
        """From west to east, in units of the CRS."""
        return self.xmax - self.xmin

    @property
    def height(self) -> float:
        """From south to north, in units of the CRS."""
        return self.ymax - self.ymin

    @property
    def centre(self) -> tuple[float, float]:
        """The position half way between the sides."""
        return (self.xmin + self.xmax) / 2, (self.ymin + self.ymax) / 2

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """West, south, east and north."""
        return self.xmin, self.ymin, self.xmax, self.ymax

    @property
    def is_finite(self) -> bool:
        """Whether all four sides are numbers."""
        return all(map(isfinite, self.bounds))

    def contains(self, x: float, y: float) -> bool:
        """Return whether a position lies in the extent or on its edge."""
        return self.xmin <= x <= self.xmax and self.ymin <= y <= self.ymax

    def intersection(self, other: Extent) -> Extent | None:
        """Return the part that both share (same CRS assumed), or None."""
        xmin, ymin = max(self.xmin, other.xmin), max(self.ymin, other.ymin)
        xmax, ymax = min(self.xmax, other.xmax), min(self.ymax, other.ymax)
        return Extent(xmin, ymin, xmax, ymax, self.crs) if xmin <= xmax and ymin <= ymax else None

    def union(self, other: Extent) -> Extent:
        """Return the smallest rectangle around both (same CRS assumed)."""
        return Extent(
            min(self.xmin, other.xmin),
            min(self.ymin, other.ymin),
            max(self.xmax, other.xmax),
            max(self.ymax, other.ymax),
            self.crs,
        )

    def grown(self, share: float) -> Extent:
        """Return this rectangle, wider on each side by `share` of its longer side."""
        by = share * (max(self.width, self.height) or 1.0)
        return Extent(self.xmin - by, self.ymin - by, self.xmax + by, self.ymax + by, self.crs)

    @classmethod
    def of(cls, bounds: Iterable[float], crs: str | None) -> Extent:
        """Return the rectangle of four numbers: xmin, ymin, xmax, ymax."""
        xmin, ymin, xmax, ymax = (float(v) for v in bounds)
        return cls(xmin, ymin, xmax, ymax, crs)

    @classmethod
    def around(cls, extents: Iterable[Extent]) -> Extent | None:
        """Return the union of `extents`, or None for none."""
        whole: Extent | None = None
        for extent in extents:
            whole = extent if whole is None else whole.union(extent)
        return whole
