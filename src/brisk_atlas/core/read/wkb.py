"""From well-known binary to flat arrays, without an object a feature.

Layout: OGC 06-103r4 (Simple Feature Access 1), section 8; Z, M and ZM both as ISO codes (+1000,
+2000, +3000) and as high-bit flags.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from brisk_atlas.core.model.shapes import Shapes
from brisk_atlas.core.system.compiled import njit
from brisk_atlas.core.system.shares import CORES, pool

if TYPE_CHECKING:
    import pyarrow as pa

_OK, _CORRUPT, _UNKNOWN_TYPE, _BIG_ENDIAN = 0, 1, 2, 3
SHARE = 4096  # features; fewer are not worth a thread


@njit(nogil=True, cache=True)
def _uint32(data, at):
    return data[at] | data[at + 1] << 8 | data[at + 2] << 16 | data[at + 3] << 24


@njit(nogil=True, cache=True)
def _walk(data, numbers, offsets, fill, out, vertices, paths, feature):
    """Go through geometries once, `out` having the first one at `vertices`, `paths` and `feature`. With `fill` False
    it only counts. `numbers` are the bytes `data` as float64 from each of the first eight bytes on: copying them byte
    by byte takes ten times as long.

    Returns the vertices and paths after the last one, whether any has Z, and the worst status met; a feature that
    can't be followed ends where the fault stands.
    """
    any_z, status = False, 0
    for number in range(offsets.size - 1):
        first_vertex = vertices
        if fill:
            out.feature_starts[feature + number] = paths
        at, end = offsets[number], offsets[number + 1]
        while at + 5 <= end:
            if data[at] != 1:
                status = 3
                break
            code = np.int64(_uint32(data, at + 1))
            has_z = (code & 0x80000000) != 0
            has_m = (code & 0x40000000) != 0
            at += 9 if code & 0x20000000 else 5
            code &= 0x0FFFFFFF
            shape, group = code % 1000, code // 1000
            has_z, has_m = has_z or group == 1 or group == 3, has_m or group == 2 or group == 3
            any_z = any_z or has_z
            width = 2 + has_z + has_m
            if 4 <= shape <= 7:
                at += 4  # the members follow, each with a head of its own
                continue
            if shape < 1 or shape > 3:
                status = 2
                break
            rings = 1
            if shape == 3:
                if at + 4 > end:
                    status = 1
                    break
                rings = np.int64(_uint32(data, at))
                at += 4
            for _ in range(rings):
                count = 1
                if shape != 1:
                    if at + 4 > end:
                        status = 1
                        break
                    count = np.int64(_uint32(data, at))
                    at += 4
                if count * width * 8 > end - at:
                    status = 1
                    at = end
                    break
                if fill:
                    out.path_starts[paths] = vertices
                    out.path_kinds[paths] = shape - 1
                    values, first = numbers[at & 7], at >> 3
                    for i in range(count):
                        out.xy[vertices + i, 0] = values[first + i * width]
                        out.xy[vertices + i, 1] = values[first + i * width + 1]
                    if out.z.size:
                        for i in range(count):
                            out.z[vertices + i] = values[first + i * width + 2] if has_z else np.nan
                at += count * width * 8
                vertices += count
                paths += 1
        if fill:
            _bound(out.xy, first_vertex, vertices, out.bounds, feature + number)
    return vertices, paths, any_z, status


@njit(nogil=True, cache=True)
def _bound(xy, first, last, bounds, feature):
    """Write the bounds of some vertices; NaN where there is none, or one that is NaN."""
    if first == last:
        bounds[feature, :] = np.nan
        return
    for axis in range(2):
        low = high = xy[first, axis]
        for i in range(first + 1, last):
            value = xy[i, axis]
            low = value if value < low or value != value else low
            high = value if value > high or value != value else high
        bounds[feature, axis], bounds[feature, 2 + axis] = low, high


class _Flat(NamedTuple):
    """The arrays of `Shapes`, `z` without any where no feature has one."""

    xy: np.ndarray
    z: np.ndarray
    path_starts: np.ndarray
    path_kinds: np.ndarray
    feature_starts: np.ndarray
    bounds: np.ndarray


def _flat(vertices: int, paths: int, features: int, with_z: bool) -> _Flat:
    return _Flat(
        np.empty((vertices, 2)),
        np.empty(vertices if with_z else 0),
        np.zeros(paths + 1, np.int64),
        np.zeros(paths, np.uint8),
        np.zeros(features + 1, np.int64),
        np.empty((features, 4)),
    )


_NONE = _flat(0, 0, 0, False)


class _Share(NamedTuple):
    """Some geometries: where they lie in bytes, which are there as numbers too."""

    data: np.ndarray
    numbers: tuple[np.ndarray, ...]
    offsets: np.ndarray

    def counted(self) -> tuple[int, int, bool, int]:
        """Return how many vertices and paths there are, whether any has Z, and the worst status met."""
        return _walk(*self, False, _NONE, 0, 0, 0)


def _shares(wkb: pa.Array | pa.ChunkedArray) -> list[_Share]:
    """Return geometries in shares, several for each core where there are many."""
    import pyarrow as pa

    shares = []
    for chunk in wkb.chunks if isinstance(wkb, pa.ChunkedArray) else [wkb]:
        whole = chunk.cast(pa.large_binary())
        _, offset_buffer, data_buffer = whole.buffers()
        if not len(whole):
            continue
        offsets = np.frombuffer(offset_buffer, np.int64)[whole.offset : whole.offset + len(whole) + 1]
        data = np.frombuffer(data_buffer, np.uint8) if data_buffer else np.zeros(0, np.uint8)
        numbers = tuple(data[k : k + max(0, data.size - k) // 8 * 8].view(np.float64) for k in range(8))
        pieces = 1 if len(whole) < 2 * SHARE else min(4 * CORES, len(whole) // SHARE)
        edges = [len(whole) * i // pieces for i in range(pieces + 1)]
        shares += [_Share(data, numbers, offsets[a : b + 1]) for a, b in pairwise(edges)]
    return shares


def shapes_of(wkb: pa.Array | pa.ChunkedArray) -> tuple[Shapes, int]:
    """Return the shapes of a binary Arrow array, and a status (0 is well).

    A null or empty geometry becomes a feature without paths; a corrupt one keeps what came before
    the fault. Curves, which have no place in flat arrays, become empty (status 2).
    """
    coming = ArrivingShapes()
    coming.add(wkb)
    return coming.shapes()


def _map(work: Callable[[Any], Any], items: Sequence[Any]) -> Iterable[Any]:
    """Return what `work` returns for each item, worked out by all cores where there are several items."""
    return pool().map(work, items) if len(items) > 1 else map(work, items)


def _read(data: bytes, straightened: Callable[[bytes], Any]) -> Any:
    import shapely

    little = data[:1] == b"\1"
    code = int.from_bytes(data[1:5], "little" if little else "big") & 0x0FFFFFFF
    found = None if code % 1000 > 7 else shapely.from_wkb(data, on_invalid="ignore")
    return found if found is not None else straightened(data)


def exact_shapes(wkb: pa.Array | pa.ChunkedArray) -> tuple[pa.Array | pa.ChunkedArray, Shapes]:
    """Return the geometry as binary and as shapes. What the quick way can't follow (big-endian, curves,
    damage) is read one by one; what can't be read at all is left out."""
    coming = ArrivingShapes()
    coming.add(wkb)
    return coming.exact(wkb)


def _one_by_one(wkb: pa.Array | pa.ChunkedArray) -> tuple[pa.Array, Shapes]:
    import pyarrow as pa
    import shapely

    from .curves import straightened

    read = np.array([None if v is None else _read(v, straightened) for v in wkb.to_pylist()], object)
    wkb = pa.array(shapely.to_wkb(read, byte_order=1, flavor="iso"), pa.binary())
    return wkb, shapes_of(wkb)[0]


class ArrivingShapes:
    """Geometry that comes in batches. Other threads look at each while further ones come, so that there is room for all
    shapes at once in the end."""

    def __init__(self) -> None:
        self._shares: list[_Share] = []
        self._counts: list[Callable[[], tuple[int, int, bool, int]]] = []

    def add(self, wkb: pa.Array | pa.ChunkedArray) -> None:
        """Begin with a batch of binary geometry, which comes after those before."""
        shares = _shares(wkb)
        self._shares += shares
        self._counts += [pool().submit(s.counted).result if len(s.offsets) > SHARE else s.counted for s in shares]

    def shapes(self) -> tuple[Shapes, int]:
        """Return what `shapes_of` does, of all batches."""
        shares, counts = self._shares, [count() for count in self._counts]
        sizes = np.array([(c[0], c[1], len(s.offsets) - 1) for c, s in zip(counts, shares)], np.int64).reshape(-1, 3)
        ends = np.cumsum(sizes, axis=0)
        vertices, paths, features = (int(v) for v in ends[-1]) if shares else (0, 0, 0)
        out = _flat(vertices, paths, features, any(has_z for _, _, has_z, _ in counts))
        begins = ends - sizes
        list(_map(lambda i: _walk(*shares[i], True, out, *(int(v) for v in begins[i])), range(len(shares))))
        out.feature_starts[-1], out.path_starts[-1] = paths, vertices
        z = out.z if out.z.size else None
        shapes = Shapes(out.xy, z, out.path_starts, out.path_kinds, out.feature_starts, out.bounds)
        return shapes, max((status for *_, status in counts), default=0)

    def exact(self, wkb: pa.Array | pa.ChunkedArray) -> tuple[pa.Array | pa.ChunkedArray, Shapes]:
        """Return what `exact_shapes` does, of all batches, which `wkb` is again."""
        import pyarrow as pa

        wkb = wkb.cast(pa.binary())
        shapes, status = self.shapes()
        return (wkb, shapes) if not status else _one_by_one(wkb)
