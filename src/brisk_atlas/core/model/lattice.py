"""Where the cells of a grid lie on the map, whichever way its rows and columns run."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import ceil, floor, hypot
from typing import Any, NamedTuple

from .extent import Extent

NEAR = 1e-6  # of a cell: an edge that close to a cell's edge is taken to be on it


class CellWindow(NamedTuple):
    """A rectangle of cells: first column, first row, last column and last row (not included)."""

    first_column: int
    first_row: int
    last_column: int
    last_row: int

    @property
    def shape(self) -> tuple[int, int]:
        """Return (rows, columns)."""
        return self.last_row - self.first_row, self.last_column - self.first_column

    @property
    def is_empty(self) -> bool:
        """Whether there is no cell in it."""
        return min(self.shape) <= 0


@dataclass(frozen=True)
class Lattice:
    """The affine transform of a grid: x = a column + b row + c, y = d column + e row + f.

    Columns and rows are counted from 0 at the outer corner of the first cell; x and y are in `crs`.
    """

    a: float
    b: float
    c: float
    d: float
    e: float
    f: float
    columns: int
    rows: int
    crs: str | None = None

    @classmethod
    def north_up(cls, extent: Extent, shape: tuple[int, int]) -> Lattice:
        """Return the grid of `shape` (rows, columns) over an extent, its first row in the north."""
        rows, columns = shape
        width, height = extent.width / max(columns, 1), extent.height / max(rows, 1)
        return cls(width, 0.0, extent.xmin, 0.0, -height, extent.ymax, columns, rows, extent.crs)

    @property
    def transform(self) -> tuple[float, float, float, float, float, float]:
        """The affine transform from (column, row) to the map, as six numbers a to f."""
        return self.a, self.b, self.c, self.d, self.e, self.f

    @property
    def whole(self) -> CellWindow:
        """The window of all cells."""
        return CellWindow(0, 0, self.columns, self.rows)

    @property
    def cell(self) -> tuple[float, float]:
        """Return the length of a cell along its row and along its column, in units of the CRS."""
        return hypot(self.a, self.d), hypot(self.b, self.e)

    @property
    def cell_area(self) -> float:
        """The area of a cell in units of the CRS squared."""
        return abs(self.a * self.e - self.b * self.d)

    @property
    def is_upright(self) -> bool:
        """Return whether rows run east and west, so that cells are rectangles of the map."""
        return self.b == 0 and self.d == 0

    @property
    def is_north_up(self) -> bool:
        """Whether rows run from north to south and columns from west to east."""
        return self.is_upright and self.a > 0 and self.e < 0

    @property
    def extent(self) -> Extent:
        x, y = zip(*(self.to_map(c, r) for c in (0, self.columns) for r in (0, self.rows)))
        return Extent(min(x), min(y), max(x), max(y), self.crs)

    def to_map(self, column: Any, row: Any) -> tuple[Any, Any]:
        """Return x, y of positions in cells, as fractions."""
        return self.a * column + self.b * row + self.c, self.d * column + self.e * row + self.f

    def to_cells(self, x: Any, y: Any) -> tuple[Any, Any]:
        """Return column, row of positions on the map, as fractions."""
        scale = self.a * self.e - self.b * self.d
        dx, dy = x - self.c, y - self.f
        return (self.e * dx - self.b * dy) / scale, (self.a * dy - self.d * dx) / scale

    def window_of(self, extent: Extent) -> CellWindow:
        """Return the cells that an extent in the same CRS meets; for a rotated grid, the rectangle around them."""
        corners = [self.to_cells(x, y) for x in (extent.xmin, extent.xmax) for y in (extent.ymin, extent.ymax)]
        columns, rows = zip(*corners)

        def ends(values: tuple[float, ...], count: int) -> tuple[int, int]:
            first, last = floor(min(values) + NEAR), ceil(max(values) - NEAR)
            return min(max(first, 0), count), min(max(last, 0), count)

        (c0, c1), (r0, r1) = ends(columns, self.columns), ends(rows, self.rows)
        return CellWindow(c0, r0, c1, r1)

    def within(self, window: CellWindow) -> Lattice:
        """Return the grid of a window's cells."""
        c, f = self.to_map(window.first_column, window.first_row)
        rows, columns = window.shape
        return replace(self, c=c, f=f, columns=columns, rows=rows)

    def thinned(self, step: int) -> Lattice:
        """Return the grid whose cells are `step` cells wide and high, as many as fit, one at the least."""
        columns, rows = max(1, self.columns // step), max(1, self.rows // step)
        a, b, d, e = (each * step for each in (self.a, self.b, self.d, self.e))
        return Lattice(a, b, self.c, d, e, self.f, columns, rows, self.crs)

    def matches(self, other: Lattice) -> bool:
        """Return whether the cells of both coincide, apart from where the grids begin and end."""
        size = max(abs(v) for v in (self.a, self.b, self.d, self.e))
        far = max(self.columns, self.rows, other.columns, other.rows, 1)
        pairs = zip((self.a, self.b, self.d, self.e), (other.a, other.b, other.d, other.e))
        if any(abs(p - q) > 1e-3 * size / far for p, q in pairs):
            return False
        column, row = self.to_cells(other.c, other.f)
        return abs(column - round(column)) < 1e-3 and abs(row - round(row)) < 1e-3
