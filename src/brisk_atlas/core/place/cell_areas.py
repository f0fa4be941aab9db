"""How large the cells of a grid are on the ground."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model import Lattice

from .crs import is_geographic, measured_metres
from .geodesy import row_areas

NODES = 65  # rows of a grid whose cells are measured; those of others lie between


def cell_areas(lattice: Lattice) -> np.ndarray:
    """Return (rows,) m² of a cell in each row, in the middle of it where a projection stretches the ground."""
    crs = lattice.crs
    assert crs is not None
    if is_geographic(crs):
        edges = lattice.f + lattice.e * np.arange(lattice.rows + 1)
        return row_areas(edges, abs(lattice.a), crs)
    nodes = np.unique(np.linspace(0, lattice.rows - 1, min(lattice.rows, NODES)).round())
    x, y = lattice.to_map(np.full(len(nodes), lattice.columns / 2), nodes + 0.5)
    metres = [measured_metres(crs, *place)[0] for place in zip(x.tolist(), y.tolist())]
    return lattice.cell_area * np.interp(np.arange(lattice.rows), nodes, metres) ** 2
