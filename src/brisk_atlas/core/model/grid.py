"""Raster cells in memory."""

from __future__ import annotations

from dataclasses import dataclass
from math import floor

import numpy as np

from .extent import Extent
from .lattice import Lattice


@dataclass(frozen=True, eq=False)
class Grid:
    """Cells of one or more bands; `lattice` says where they lie.

    `values` (bands, rows, cols) in the file's own numbers; `valid` (rows, cols) bool, False where
    any of the bands has no data.
    """

    values: np.ndarray
    valid: np.ndarray
    lattice: Lattice

    @classmethod
    def over(cls, values: np.ndarray, valid: np.ndarray, extent: Extent) -> Grid:
        """Return a grid over an extent, row 0 in the north."""
        return cls(values, valid, Lattice.north_up(extent, (valid.shape[0], valid.shape[1])))

    @property
    def extent(self) -> Extent:
        return self.lattice.extent

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self.valid.shape[0], self.valid.shape[1]

    @property
    def cell(self) -> tuple[float, float]:
        """Return the width and height of a cell in CRS units."""
        return self.lattice.cell

    def cell_of(self, x: float, y: float) -> tuple[int, int] | None:
        """Return (row, col) of the cell that holds the point, or None outside."""
        col, row = self.lattice.to_cells(x, y)
        if not (0 <= col <= self.shape[1] and 0 <= row <= self.shape[0]):
            return None
        return min(floor(row), self.shape[0] - 1), min(floor(col), self.shape[1] - 1)

    @property
    def centres(self) -> tuple[np.ndarray, np.ndarray]:
        """Return x and y, (rows, cols) each, of the middles of the cells."""
        rows, cols = self.shape
        return self.lattice.to_map(np.arange(cols)[None, :] + 0.5, np.arange(rows)[:, None] + 0.5)
