"""Runs of vertices on their way from one CRS to another: taken apart, unrolled, clipped by half planes.

Clipping as in I. E. Sutherland and G. W. Hodgman (1974), "Reentrant polygon clipping", Comm. ACM 17(1).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brisk_atlas.core.model.shapes import AREA, LINE, POLYGON, Shapes, bounds_of


@dataclass(frozen=True, eq=False)
class Paths:
    """Runs of vertices on their way: xyz (n, 3) with z NaN where there is none, starts (paths + 1,), kinds (paths,)
    and the feature of each path. Rings end where they began."""

    xyz: np.ndarray
    starts: np.ndarray
    kinds: np.ndarray
    features: np.ndarray

    @property
    def of_vertex(self) -> np.ndarray:
        """Return the path of each vertex."""
        return np.repeat(np.arange(len(self.kinds)), np.diff(self.starts))

    def only(self, wanted: np.ndarray) -> Paths:
        """Return the paths where (paths,) bool is set."""
        sizes = np.diff(self.starts)
        starts = np.concatenate([[0], np.cumsum(sizes[wanted])]).astype(np.int64)
        return Paths(self.xyz[np.repeat(wanted, sizes)], starts, self.kinds[wanted], self.features[wanted])

    def shifted(self, by: float) -> Paths:
        """Return the paths moved by some degrees of longitude."""
        return replace(self, xyz=self.xyz + np.array([by, 0.0, 0.0]))

    @classmethod
    def joined(cls, some: list[Paths]) -> Paths:
        """Return several runs of paths as one."""
        sizes = np.concatenate([np.diff(p.starts) for p in some])
        return cls(
            np.concatenate([p.xyz for p in some]),
            np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64),
            np.concatenate([p.kinds for p in some]),
            np.concatenate([p.features for p in some]),
        )


def paths_of(shapes: Shapes) -> Paths:
    z = np.full(len(shapes.xy), np.nan) if shapes.z is None else shapes.z
    features = np.repeat(np.arange(len(shapes)), np.diff(shapes.feature_starts))
    return Paths(np.column_stack([shapes.xy, z]), shapes.path_starts, shapes.path_kinds, features)


def shapes_of_paths(paths: Paths, count: int, *, has_z: bool) -> Shapes:
    """Return paths, put in the order of their features, as shapes."""
    order = np.argsort(paths.features, kind="stable")
    sizes = np.diff(paths.starts)[order]
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    take = np.repeat(paths.starts[:-1][order] - starts[:-1], sizes) + np.arange(starts[-1])
    xyz = paths.xyz[take]
    feature_starts = np.searchsorted(paths.features[order], np.arange(count + 1)).astype(np.int64)
    xy, z = np.ascontiguousarray(xyz[:, :2]), np.ascontiguousarray(xyz[:, 2]) if has_z else None
    return Shapes(xy, z, starts, paths.kinds[order], feature_starts, bounds_of(xy, starts, feature_starts))


def unrolled(paths: Paths, *, planar: bool) -> Paths:
    """Return paths whose longitudes run on, so that no edge spans more than half the Earth.

    planar : whether edges are as a file of degrees states them, so that a polygon's edge along a parallel stays,
        unless the polygon goes around a pole with it
    """
    lon, lat = paths.xyz[:, 0], paths.xyz[:, 1]
    step = np.zeros(len(lon))
    step[1:] = np.diff(lon)
    step[paths.starts[:-1]] = 0.0
    turns = np.round(step / 360.0)
    if planar:
        flat = np.zeros(len(lon), bool)
        flat[1:] = np.diff(lat) == 0
        winding = np.add.reduceat(step - 360.0 * turns, paths.starts[:-1])
        stays = np.isin(paths.kinds, (POLYGON, AREA)) & (np.abs(winding) < 180.0)
        turns[flat & stays[paths.of_vertex]] = 0.0
    whole = np.cumsum(turns)
    whole -= np.repeat(whole[paths.starts[:-1]], np.diff(paths.starts))
    xyz = paths.xyz.copy()
    xyz[:, 0] -= 360.0 * whole
    return replace(paths, xyz=xyz)


def broken(paths: Paths, before: np.ndarray) -> Paths:
    """Return paths that end before some vertices and begin anew there; what has one vertex alone is left out."""
    if not len(paths.xyz):
        return paths
    begins = before.copy()
    begins[paths.starts[:-1]] = True
    starts = np.concatenate([np.flatnonzero(begins), [len(paths.xyz)]]).astype(np.int64)
    of = paths.of_vertex[starts[:-1]]
    parts = Paths(paths.xyz, starts, paths.kinds[of], paths.features[of])
    return parts.only(np.diff(starts) > 1)


def clipped_paths(paths: Paths, inside: np.ndarray) -> Paths:
    """Return the parts of paths where a value of each vertex, linear along edges, is not negative."""
    if not len(paths.kinds) or (inside >= 0).all():
        return paths
    is_in = inside >= 0
    of = paths.of_vertex
    next_in, same = np.zeros(len(is_in), bool), np.zeros(len(is_in), bool)
    next_in[:-1], same[:-1] = is_in[1:], of[1:] == of[:-1]
    crossing = same & (is_in != next_in)
    at = np.flatnonzero(crossing)
    share = inside[at] / (inside[at] - inside[at + 1])
    edge = paths.xyz[at] + (paths.xyz[at + 1] - paths.xyz[at]) * share[:, None]
    counts = is_in.astype(np.int64) + crossing
    place = np.concatenate([[0], np.cumsum(counts)])
    xyz = np.empty((int(place[-1]), 3))
    xyz[place[:-1][is_in]] = paths.xyz[is_in]
    xyz[place[at] + is_in[at]] = edge
    owner = np.repeat(of, counts)
    entering = np.zeros(len(xyz), bool)
    entering[(place[at] + is_in[at])[~is_in[at]]] = True  # where a line comes in
    starts = np.searchsorted(owner, np.arange(len(paths.kinds) + 1)).astype(np.int64)
    out = Paths(xyz, starts, paths.kinds, paths.features)
    lines = out.only((out.kinds == LINE) & (np.diff(starts) > 0))
    rest = out.only((out.kinds != LINE) & (np.diff(starts) > 0))
    if len(lines.kinds):
        lines = broken(lines, entering[(paths.kinds == LINE)[owner]])
    return Paths.joined([_reclosed(rest), lines])


def _reclosed(paths: Paths) -> Paths:
    """Return rings that end where they begin, after some of their vertices were left out."""
    ends = paths.starts[1:] - 1
    first = paths.xyz[paths.starts[:-1]]
    open_ = np.flatnonzero((paths.kinds == AREA) & (first[:, :2] != paths.xyz[ends, :2]).any(axis=1))
    if not open_.size:
        return paths
    xyz = np.insert(paths.xyz, ends[open_] + 1, first[open_], axis=0)
    grown = np.diff(paths.starts)
    grown[open_] += 1
    return replace(paths, xyz=xyz, starts=np.concatenate([[0], np.cumsum(grown)]).astype(np.int64))
