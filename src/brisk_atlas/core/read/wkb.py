"""From well-known binary to flat arrays, without an object a feature.

Layout: OGC 06-103r4 (Simple Feature Access 1), section 8; Z, M and ZM both as ISO codes (+1000,
+2000, +3000) and as high-bit flags.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from numba import njit

from brisk_atlas.core.model.shapes import Shapes, bounds_of

if TYPE_CHECKING:
    import pyarrow as pa

_OK, _CORRUPT, _UNKNOWN_TYPE, _BIG_ENDIAN = 0, 1, 2, 3


@njit(nogil=True, cache=True)
def _uint32(data, at):
    return data[at] | data[at + 1] << 8 | data[at + 2] << 16 | data[at + 3] << 24


@njit(nogil=True, cache=True)
def _walk(data, offsets, doubles, fill, xy, z, path_starts, path_kinds, feature_starts):
    """Go through all geometries once. With `fill` False it only counts.

    Returns vertices, paths, whether any has Z, and the worst status met; a feature that can't be
    followed ends where the fault stands.
    """
    vertices, paths, any_z, status = 0, 0, False, 0
    for feature in range(offsets.size - 1):
        if fill:
            feature_starts[feature] = paths
        at, end = offsets[feature], offsets[feature + 1]
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
                    path_starts[paths] = vertices
                    path_kinds[paths] = shape - 1
                    for i in range(count):
                        start = at + i * width * 8
                        for k in range(8):
                            doubles[k] = data[start + k]
                            doubles[8 + k] = data[start + 8 + k]
                        pair = doubles.view(np.float64)
                        xy[vertices + i, 0] = pair[0]
                        xy[vertices + i, 1] = pair[1]
                        if z.size:
                            if has_z:
                                for k in range(8):
                                    doubles[k] = data[start + 16 + k]
                                z[vertices + i] = doubles.view(np.float64)[0]
                            else:
                                z[vertices + i] = np.nan
                at += count * width * 8
                vertices += count
                paths += 1
    if fill:
        feature_starts[offsets.size - 1] = paths
        path_starts[paths] = vertices
    return vertices, paths, any_z, status


def shapes_of(wkb: pa.Array) -> tuple[Shapes, int]:
    """Return the shapes of a binary Arrow array, and how it went (0 is well).

    A null or empty geometry becomes a feature without paths; a corrupt one keeps what came before
    the fault. Curves, which have no place in flat arrays, become empty (status 2).
    """
    import pyarrow as pa

    wkb = wkb.cast(pa.large_binary())
    _, offset_buffer, data_buffer = wkb.buffers()
    offsets = (
        np.frombuffer(offset_buffer, np.int64)[wkb.offset : wkb.offset + len(wkb) + 1]
        if len(wkb)
        else np.zeros(1, np.int64)
    )
    data = np.frombuffer(data_buffer, np.uint8) if data_buffer else np.zeros(0, np.uint8)
    scratch = np.zeros(16, np.uint8)
    nothing = np.zeros((0, 2)), np.zeros(0), np.zeros(0, np.int64), np.zeros(0, np.uint8), np.zeros(0, np.int64)
    vertices, paths, any_z, _ = _walk(data, offsets, scratch, False, *nothing)
    xy, z = np.empty((vertices, 2)), np.empty(vertices if any_z else 0)
    path_starts, kinds = np.zeros(paths + 1, np.int64), np.zeros(paths, np.uint8)
    feature_starts = np.zeros(len(wkb) + 1, np.int64)
    *_, status = _walk(data, offsets, scratch, True, xy, z, path_starts, kinds, feature_starts)
    bounds = bounds_of(xy, path_starts, feature_starts)
    return Shapes(xy, z if any_z else None, path_starts, kinds, feature_starts, bounds), int(status)


def _read(data: bytes, straightened: Callable[[bytes], Any]) -> Any:
    import shapely

    little = data[:1] == b"\1"
    code = int.from_bytes(data[1:5], "little" if little else "big") & 0x0FFFFFFF
    found = None if code % 1000 > 7 else shapely.from_wkb(data, on_invalid="ignore")
    return found if found is not None else straightened(data)


def exact_shapes(wkb: pa.Array) -> tuple[pa.Array, Shapes]:
    """Return the geometry as binary and as shapes. What the quick way can't follow (big-endian, curves,
    damage) is read one by one; what can't be read at all is left out."""
    import pyarrow as pa

    wkb = wkb.cast(pa.binary())
    shapes, status = shapes_of(wkb)
    if status:
        import shapely

        from .curves import straightened

        read = np.array([None if v is None else _read(v, straightened) for v in wkb.to_pylist()], object)
        wkb = pa.array(shapely.to_wkb(read, byte_order=1, flavor="iso"), pa.binary())
        shapes, _ = shapes_of(wkb)
    return wkb, shapes
