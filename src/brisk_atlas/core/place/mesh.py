"""Where the cells of one grid lie in another CRS: exact at the nodes of a mesh, interpolated between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import Lattice

from .crs import same_crs, transform
from .domain import domain_of, has_place

FIRST_STEP = 32  # cells between nodes, halved until interpolation is good enough
TOLERANCE = 0.05  # of a cell
NET = 17  # places each way that are asked whether they are on the Earth


@dataclass(frozen=True, eq=False)
class Mesh:
    """x, y : (rows, cols) float64, positions of the middles of every `step`-th cell, both ways,
    from the first on; NaN where the grid has no place in the other CRS. Where worlds repeat, x runs on beyond the
    first."""

    x: np.ndarray
    y: np.ndarray
    step: int


def mesh_of(lattice: Lattice, crs: str | None) -> Mesh:
    """Return where the middles of a grid's cells lie in `crs`, within a twentieth of a cell."""
    if same_crs(lattice.crs, crs):
        return _nodes(lattice, crs, max(lattice.columns, lattice.rows, 1))
    step, masked = FIRST_STEP, _leaves_earth(lattice)
    while step > 1 and not masked:
        mesh, fine = _nodes(lattice, crs, step), _nodes(lattice, crs, step // 2)
        if _error(mesh, fine) <= TOLERANCE:
            return mesh
        step //= 2
    return _nodes(lattice, crs, 1, masked=masked)


def clipped(nodes: np.ndarray, step: int, rows: int, columns: int) -> np.ndarray:
    """Return values at the nodes of a mesh, those beyond the last of `rows` x `columns` cells brought back to it."""
    out = nodes.copy()
    out[:, -1] = out[:, -2] + (out[:, -1] - out[:, -2]) * ((columns - 1) % step) / step
    out[-1] = out[-2] + (out[-1] - out[-2]) * ((rows - 1) % step) / step
    return out


def _nodes(lattice: Lattice, crs: str | None, step: int, *, masked: bool = False) -> Mesh:
    cols = np.arange((lattice.columns - 1) // step + 2) * step + 0.5
    rows = np.arange((lattice.rows - 1) // step + 2) * step + 0.5
    x, y = lattice.to_map(*np.meshgrid(cols, rows))
    if not same_crs(lattice.crs, crs):
        here = np.column_stack([x.ravel(), y.ravel()])
        placed = transform(here, lattice.crs, crs)
        if masked:
            placed[~has_place(here, lattice.crs)] = np.nan
        x, y = (np.ascontiguousarray(placed[:, i].reshape(x.shape)) for i in (0, 1))
        domain = domain_of(crs)
        if domain is not None and domain.world:
            x = _running_on(x, domain.world)
    return Mesh(x, y, step)


def _running_on(x: np.ndarray, world: float) -> np.ndarray:
    """Return positions eastwards that run on from node to node, beyond the edge of the first world where need be."""
    for axis in (1, 0):
        turns = np.nan_to_num(np.round(np.diff(x, axis=axis) / world))
        x = x.copy()
        tail = (slice(None), slice(1, None)) if axis else (slice(1, None), slice(None))
        x[tail] -= world * np.cumsum(turns if axis else turns[:, :1], axis=axis)
    return x


def _leaves_earth(lattice: Lattice) -> bool:
    """Return whether a grid's cells may lie where its CRS has no place on the Earth."""
    u, v = np.meshgrid(np.linspace(0, lattice.columns, NET), np.linspace(0, lattice.rows, NET))
    x, y = lattice.to_map(u.ravel(), v.ravel())
    return not bool(has_place(np.column_stack([x, y]), lattice.crs).all())


def _error(mesh: Mesh, fine: Mesh) -> float:
    """Return the largest error of interpolating between the nodes, in cells."""
    worst = 0.0
    rows, cols = min(mesh.x.shape[0], (fine.x.shape[0] + 1) // 2), min(mesh.x.shape[1], (fine.x.shape[1] + 1) // 2)
    cell = max(_spacing(fine.x, fine.y) / fine.step, 1e-300)
    for coarse, exact in ((mesh.x, fine.x), (mesh.y, fine.y)):
        c = coarse[:rows, :cols]
        middle = (c[:-1, :-1] + c[1:, :-1] + c[:-1, 1:] + c[1:, 1:]) / 4
        there = exact[1 : 2 * rows - 2 : 2, 1 : 2 * cols - 2 : 2]
        middle = middle[: there.shape[0], : there.shape[1]]
        if middle.size and np.isfinite(middle - there).any():
            worst = max(worst, float(np.nanmax(np.abs(middle - there))))
    return worst / cell


def _spacing(x: np.ndarray, y: np.ndarray) -> float:
    """Return the median distance between neighbouring nodes."""
    if x.shape[1] < 2:
        return 1.0
    apart = np.hypot(np.diff(x, axis=1), np.diff(y, axis=1))
    apart = apart[np.isfinite(apart)]
    return float(np.median(apart)) if apart.size else 1.0
