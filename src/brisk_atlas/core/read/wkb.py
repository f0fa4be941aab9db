"""From well-known binary to flat arrays, without an object a feature.

Layout: OGC 06-103r4 (Simple Feature Access 1), section 8; Z, M and ZM both as ISO codes (+1000,
+2000, +3000) and as high-bit flags.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numba import njit

from brisk_atlas.core.model.shapes import Shapes
from brisk_atlas.core.system.shares import CORES, pool

if TYPE_CHECKING:
    import pyarrow as pa

_OK, _CORRUPT, _UNKNOWN_TYPE, _BIG_ENDIAN = 0, 1, 2, 3
SHARE = 4096  # features; fewer are not worth a thread


@njit(nogil=True, cache=True)
def _uint32(data, at):
    return data[at] | data[at + 1] << 8 | data[at + 2] << 16 | data[at + 3] << 24


@njit(nogil=True, cache=True)
def _copy(into, at, data, start, count):
    for i in range(count):
        into[at + i] = data[start + i]


@njit(nogil=True, cache=True)
def _walk(data, offsets, fill, out, vertices, paths, feature):
    """Go through geometries once, `out` having the first one at `vertices`, `paths` and `feature`. With `fill` False
    it only counts.

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
                    if width == 2:
                        _copy(out.xy_bytes, vertices * 16, data, at, count * 16)
                    else:
                        for i in range(count):
                            _copy(out.xy_bytes, (vertices + i) * 16, data, at + i * width * 8, 16)
                    if out.z.size:
                        for i in range(count):
                            if has_z:
                                _copy(out.z_bytes, (vertices + i) * 8, data, at + i * width * 8 + 16, 8)
                            else:
                                out.z[vertices + i] = np.nan
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
    """The arrays of `Shapes`, and the bytes of two of them."""

    xy: np.ndarray
    xy_bytes: np.ndarray
    z: np.ndarray
    z_bytes: np.ndarray
    path_starts: np.ndarray
    path_kinds: np.ndarray
    feature_starts: np.ndarray
    bounds: np.ndarray


def _flat(vertices: int, paths: int, features: int, with_z: bool) -> _Flat:
    xy, z = np.empty((vertices, 2)), np.empty(vertices if with_z else 0)
    return _Flat(
        xy,
        xy.reshape(-1).view(np.uint8),
        z,
        z.view(np.uint8),
        np.zeros(paths + 1, np.int64),
        np.zeros(paths, np.uint8),
        np.zeros(features + 1, np.int64),
        np.empty((features, 4)),
    )


def _shares(wkb: pa.Array | pa.ChunkedArray) -> list[tuple[np.ndarray, np.ndarray]]:
    """Return the bytes and offsets of geometries in shares, several for each core where there are many."""
    import pyarrow as pa

    shares = []
    for chunk in wkb.chunks if isinstance(wkb, pa.ChunkedArray) else [wkb]:
        whole = chunk.cast(pa.large_binary())
        _, offset_buffer, data_buffer = whole.buffers()
        if not len(whole):
            continue
        offsets = np.frombuffer(offset_buffer, np.int64)[whole.offset : whole.offset + len(whole) + 1]
        data = np.frombuffer(data_buffer, np.uint8) if data_buffer else np.zeros(0, np.uint8)
        pieces = 1 if len(whole) < 2 * SHARE else min(4 * CORES, len(whole) // SHARE)
        edges = [len(whole) * i // pieces for i in range(pieces + 1)]
        shares += [(data, offsets[a : b + 1]) for a, b in pairwise(edges)]
    return shares


def shapes_of(wkb: pa.Array | pa.ChunkedArray) -> tuple[Shapes, int]:
    """Return the shapes of a binary Arrow array, and a status (0 is well).

    A null or empty geometry becomes a feature without paths; a corrupt one keeps what came before
    the fault. Curves, which have no place in flat arrays, become empty (status 2).
    """
    shares = _shares(wkb)
    none = _flat(0, 0, 0, False)
    counted = list(_map(lambda share: _walk(*share, False, none, 0, 0, 0), shares))
    sizes = np.array([[c[0], c[1], len(s[1]) - 1] for c, s in zip(counted, shares)], np.int64).reshape(-1, 3)
    ends = np.cumsum(sizes, axis=0)
    vertices, paths, _ = (int(v) for v in ends[-1]) if shares else (0, 0, 0)
    any_z = any(c[2] for c in counted)
    out = _flat(vertices, paths, len(wkb), any_z)
    begins = ends - sizes
    list(_map(lambda i: _walk(*shares[i], True, out, *(int(v) for v in begins[i])), range(len(shares))))
    out.feature_starts[-1], out.path_starts[-1] = paths, vertices
    status = max((int(c[3]) for c in counted), default=0)
    shapes = Shapes(out.xy, out.z if any_z else None, out.path_starts, out.path_kinds, out.feature_starts, out.bounds)
    return shapes, status


def _map(work: Callable[[Any], Any], items: Sequence[Any]) -> Iterable[Any]:
    """Return what `work` returns for each item, worked out by all cores where there are several items."""
    return pool().map(work, items) if len(items) > 1 else map(work, items)


def _read(data: bytes, straightened: Callable[[bytes], Any]) -> Any:
    import shapely

    little = data[:1] == b"\1"
    code = int.from_bytes(data[1:5], "little" if little else "big") & 0x0FFFFFFF
    found = None if code % 1000 > 7 else shapely.from_wkb(data, on_invalid="ignore")
    return found if found is not None else straightened(data)


def exact_shapes(wkb: pa.Array | pa.ChunkedArray) -> tuple[pa.Array, Shapes]:
    """Return the geometry as binary and as shapes. What the quick way can't follow (big-endian, curves,
    damage) is read one by one; what can't be read at all is left out."""
    import pyarrow as pa

    wkb = wkb.cast(pa.binary())
    joined = pool().submit(_joined, wkb)
    shapes, status = shapes_of(wkb)
    if status:
        import shapely

        from .curves import straightened

        read = np.array([None if v is None else _read(v, straightened) for v in wkb.to_pylist()], object)
        wkb = pa.array(shapely.to_wkb(read, byte_order=1, flavor="iso"), pa.binary())
        shapes, _ = shapes_of(wkb)
        return wkb, shapes
    return joined.result(), shapes


def _joined(wkb: pa.Array | pa.ChunkedArray) -> pa.Array:
    import pyarrow as pa

    if not isinstance(wkb, pa.ChunkedArray):
        return wkb
    whole = wkb.chunk(0) if wkb.num_chunks == 1 else wkb.combine_chunks()
    return pa.concat_arrays(whole.chunks) if isinstance(whole, pa.ChunkedArray) else whole
