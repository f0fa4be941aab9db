"""Where the pixels of a view lie in another CRS: exact at the nodes of a mesh, interpolated between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.place import same_crs, transform

from .view import View

FIRST_STEP = 32  # pixels between nodes, halved until interpolation is good enough
TOLERANCE_PX = 0.05


@dataclass(frozen=True, eq=False)
class Mesh:
    """x, y : (rows, cols) float64, positions of the middles of every `step`-th pixel, both ways,
    from the first on; NaN where the view has no place in the other CRS."""

    x: np.ndarray
    y: np.ndarray
    step: int


def mesh_of(view: View, crs: str | None) -> Mesh:
    """Return where the pixels of a view lie in `crs`, within a twentieth of a pixel."""
    if same_crs(view.crs, crs):
        return _nodes(view, crs, max(view.width, view.height, 1))
    step = FIRST_STEP
    while step > 1:
        mesh, fine = _nodes(view, crs, step), _nodes(view, crs, step // 2)
        if _error_px(mesh, fine) <= TOLERANCE_PX:
            return mesh
        step //= 2
    return _nodes(view, crs, 1)


def _nodes(view: View, crs: str | None, step: int) -> Mesh:
    left, upper = view.origin
    cols = np.arange((view.width - 1) // step + 2) * step + 0.5
    rows = np.arange((view.height - 1) // step + 2) * step + 0.5
    x, y = np.meshgrid(left + cols * view.resolution, upper - rows * view.resolution)
    if not same_crs(view.crs, crs):
        placed = transform(np.column_stack([x.ravel(), y.ravel()]), view.crs, crs)
        x, y = (np.ascontiguousarray(placed[:, i].reshape(x.shape)) for i in (0, 1))
    return Mesh(x, y, step)


def _error_px(mesh: Mesh, fine: Mesh) -> float:
    """Return the largest error of interpolating between the nodes, in pixels of the view."""
    worst = 0.0
    rows, cols = min(mesh.x.shape[0], (fine.x.shape[0] + 1) // 2), min(mesh.x.shape[1], (fine.x.shape[1] + 1) // 2)
    pixel = max(_spacing(fine.x, fine.y) / fine.step, 1e-300)
    for coarse, exact in ((mesh.x, fine.x), (mesh.y, fine.y)):
        c = coarse[:rows, :cols]
        middle = (c[:-1, :-1] + c[1:, :-1] + c[:-1, 1:] + c[1:, 1:]) / 4
        there = exact[1 : 2 * rows - 2 : 2, 1 : 2 * cols - 2 : 2]
        middle = middle[: there.shape[0], : there.shape[1]]
        if middle.size and np.isfinite(middle - there).any():
            worst = max(worst, float(np.nanmax(np.abs(middle - there))))
    return worst / pixel


def _spacing(x: np.ndarray, y: np.ndarray) -> float:
    """Return the median distance between neighbouring nodes."""
    if x.shape[1] < 2:
        return 1.0
    apart = np.hypot(np.diff(x, axis=1), np.diff(y, axis=1))
    apart = apart[np.isfinite(apart)]
    return float(np.median(apart)) if apart.size else 1.0
