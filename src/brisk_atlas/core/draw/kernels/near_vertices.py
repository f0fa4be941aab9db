"""Leaving out vertices that lie next to each other."""

from __future__ import annotations

from brisk_atlas.core.system.compiled import njit

from . import JIT


@njit(**JIT)
def far_enough(xy, ends, step, keep):
    """Clear `keep` (vertices,) bool for those nearer than `step` to the last one that stays in their path, but for the
    first and last of each.

    xy : (vertices, 2) float64; ends : (paths + 1,) int64 into xy
    """
    nearest = step * step
    for path in range(len(ends) - 1):
        start, end = ends[path], ends[path + 1]
        last = start
        for k in range(start + 1, end - 1):
            dx, dy = xy[k, 0] - xy[last, 0], xy[k, 1] - xy[last, 1]
            if dx * dx + dy * dy < nearest:
                keep[k] = False
            else:
                last = k
