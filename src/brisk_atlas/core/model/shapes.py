"""Features in memory: flat coordinate arrays beside an Arrow table."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    import pyarrow as pa

    from .extent import Extent

POINT, LINE, POLYGON, AREA = 0, 1, 2, 3


@dataclass(frozen=True, eq=False)
class Shapes:
    """Geometry of many features as flat arrays.

    A feature is a run of paths; a path is a run of vertices. A point is a path of one vertex; a
    polygon's rings are paths of kind POLYGON, filled by the even-odd rule, so ring direction does
    not matter. One that was cut for a map has AREA paths, which are filled alone, and LINE paths, its outline.

    xy : (vertices, 2) float64, CRS units
    z : (vertices,) float64 or None
    path_starts : (paths + 1,) int64 into xy
    path_kinds : (paths,) uint8: POINT, LINE, POLYGON or AREA
    feature_starts : (features + 1,) int64 into paths
    bounds : (features, 4) float64 xmin, ymin, xmax, ymax; NaN for empty geometry
    """

    xy: np.ndarray
    z: np.ndarray | None
    path_starts: np.ndarray
    path_kinds: np.ndarray
    feature_starts: np.ndarray
    bounds: np.ndarray

    def __len__(self) -> int:
        return len(self.feature_starts) - 1

    @property
    def paths_bounds(self) -> np.ndarray:
        """Return (paths, 4) bounds: those of the parts of a feature apart."""
        return bounds_of(self.xy, self.path_starts, np.arange(len(self.path_starts), dtype=np.int64))

    def meeting(self, extent: Extent) -> np.ndarray:
        """Return (features,) bool: whose bounds meet `extent`, in the same CRS."""
        b = self.bounds
        return (b[:, 0] <= extent.xmax) & (b[:, 2] >= extent.xmin) & (b[:, 1] <= extent.ymax) & (b[:, 3] >= extent.ymin)

    def moved(self, xy: np.ndarray) -> Shapes:
        """Return the same paths through other vertices (of another CRS, say), with new bounds."""
        return replace(self, xy=xy, bounds=bounds_of(xy, self.path_starts, self.feature_starts))

    def turned(self, degrees: float) -> Shapes:
        """Return the same paths on a plane turned clockwise about the origin."""
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        return self.moved(self.xy @ np.array([[c, -s], [s, c]]))

    @classmethod
    def joined(cls, some: Sequence[Shapes]) -> Shapes:
        """Return all features of some shapes, at least one, one after the other; z is NaN for those without."""
        if len(some) == 1:
            return some[0]
        z = None
        if any(each.z is not None for each in some):
            z = np.concatenate([np.full(len(each.xy), np.nan) if each.z is None else each.z for each in some])
        return cls(
            np.concatenate([each.xy for each in some]),
            z,
            _joined_starts([each.path_starts for each in some]),
            np.concatenate([each.path_kinds for each in some]),
            _joined_starts([each.feature_starts for each in some]),
            np.concatenate([each.bounds for each in some]),
        )

    def paths(self, feature: int) -> list[np.ndarray]:
        """Return the vertex arrays of one feature."""
        start, end = self.feature_starts[feature], self.feature_starts[feature + 1]
        return [self.xy[self.path_starts[p] : self.path_starts[p + 1]] for p in range(start, end)]


def bounds_of(xy: np.ndarray, path_starts: np.ndarray, feature_starts: np.ndarray) -> np.ndarray:
    """Return (features, 4) bounds; NaN where a feature has no vertices."""
    starts = path_starts[feature_starts]
    count = len(starts) - 1
    bounds = np.full((count, 4), np.nan)
    filled = np.flatnonzero(np.diff(starts) > 0)
    if filled.size:
        first = starts[filled]  # features without vertices take no run, so these tile xy
        for column, reduce, axis in ((0, np.minimum, 0), (1, np.minimum, 1), (2, np.maximum, 0), (3, np.maximum, 1)):
            bounds[filled, column] = reduce.reduceat(xy[:, axis], first)
    return bounds


def _joined_starts(some: Sequence[np.ndarray]) -> np.ndarray:
    """Return where each thing begins once the things of all are in one list, which each has the end of, too."""
    ends = np.cumsum([0, *(starts[-1] for starts in some)])
    return np.concatenate([*(starts[:-1] + end for starts, end in zip(some, ends)), ends[-1:]])


@dataclass(frozen=True, eq=False)
class Features:
    """A vector layer in memory: attributes, exact geometry as WKB, and the same as flat arrays.

    All three have one row a feature, in the order of the file. `crs` is text or None. `geometry` is the WKB in the
    batches that it came in: it is put together once something asks for `wkb`, which most pictures do not.
    """

    table: pa.Table
    geometry: pa.Array | pa.ChunkedArray
    shapes: Shapes
    crs: str | None

    @cached_property
    def wkb(self) -> pa.Array:
        """The exact geometry as one binary array."""
        import pyarrow as pa

        if isinstance(self.geometry, pa.ChunkedArray):
            whole = self.geometry.combine_chunks()
            joined = pa.concat_arrays(whole.chunks) if isinstance(whole, pa.ChunkedArray) else whole
            object.__setattr__(self, "geometry", joined)  # so that it is not held twice
        return self.geometry

    def __len__(self) -> int:
        return len(self.shapes)
