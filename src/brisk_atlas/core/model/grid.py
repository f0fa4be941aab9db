"""Raster cells in memory."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .extent import Extent


@dataclass(frozen=True, eq=False)
class Grid:
    """Cells of one or more bands over `extent`; row 0 is the northern edge.

    `values` (bands, rows, cols) in the file's own numbers; `valid` (rows, cols) bool, False where
    any of the bands has no data.
    """

    values: np.ndarray
    valid: np.ndarray
    extent: Extent

    @property
    def shape(self) -> tuple[int, int]:
        return self.valid.shape[0], self.valid.shape[1]

    @property
    def cell(self) -> tuple[float, float]:
        """Return the width and height of a cell in CRS units."""
        return self.extent.width / self.shape[1], self.extent.height / self.shape[0]

    def cell_of(self, x: float, y: float) -> tuple[int, int] | None:
        """Return (row, col) of the cell that holds the point, or None outside."""
        if not self.extent.contains(x, y):
            return None
        width, height = self.cell
        row, col = int((self.extent.ymax - y) / height), int((x - self.extent.xmin) / width)
        return min(row, self.shape[0] - 1), min(col, self.shape[1] - 1)
