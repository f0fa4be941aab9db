"""The frame that every made-up dataset shares: where the island lies and on which grid."""

from __future__ import annotations

import numpy as np
from rasterio.transform import from_origin
from scipy.ndimage import map_coordinates, zoom

SEED = 20310417
CRS = "EPSG:32727"
WEST, NORTH = 504_000.0, 5_776_000.0
COLUMNS, ROWS = 1024, 900  # of 10 m
CELL = 10.0
EAST, SOUTH = WEST + COLUMNS * CELL, NORTH - ROWS * CELL
TRANSFORM = from_origin(WEST, NORTH, CELL, CELL)

SUMMIT = (508_700.0, 5_771_900.0)
HARROW_BAY = (511_550.0, 5_769_350.0)
EPOCHS = {"before": "2029-03-11", "after": "2031-06-24"}


def rng(name: str) -> np.random.Generator:
    """Return a generator of its own for each dataset, so that one can be remade alone."""
    return np.random.default_rng([SEED, *name.encode()])


def centres(cell: float = CELL) -> tuple[np.ndarray, np.ndarray]:
    """Return x and y of the cell centres of the island's frame at `cell` metres, each (rows, cols)."""
    columns, rows = round((EAST - WEST) / cell), round((NORTH - SOUTH) / cell)
    x = WEST + (np.arange(columns) + 0.5) * cell
    y = NORTH - (np.arange(rows) + 0.5) * cell
    return np.meshgrid(x, y)


def sample(grid: np.ndarray, x, y, cell: float = CELL) -> np.ndarray:
    """Return `grid` (on the island's frame) at points, bilinear, clamped at the frame."""
    column = (np.asarray(x, float) - WEST) / cell - 0.5
    row = (NORTH - np.asarray(y, float)) / cell - 0.5
    return bilinear(grid, column, row)


def bilinear(grid: np.ndarray, column, row) -> np.ndarray:
    """Return `grid` at fractional columns and rows (0 is the first cell's centre), same shape as they."""
    column, row = np.asarray(column, float), np.asarray(row, float)
    found = map_coordinates(grid, [row.ravel(), column.ravel()], order=1, mode="nearest")
    return found.reshape(row.shape)


def smooth_noise(random, shape, wavelength_cells, octaves=4, gain=0.5) -> np.ndarray:
    """Return fractal noise of unit deviation: spline-smoothed lattices, each half as wide as the last."""
    total = np.zeros(shape)
    for octave in range(octaves):
        step = max(wavelength_cells / 2**octave, 1.0)
        lattice = random.standard_normal((int(shape[0] / step) + 4, int(shape[1] / step) + 4))
        fine = zoom(lattice, step, order=3, mode="nearest", grid_mode=True)
        offset = int(step)
        total += gain**octave * fine[offset : offset + shape[0], offset : offset + shape[1]]
    return total / total.std()
