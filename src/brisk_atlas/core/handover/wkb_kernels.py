"""Compiled: where the coordinates stand in well-known binary.

Layout: OGC 06-103r4 (Simple Feature Access 1), section 8; Z, M and ZM both as ISO codes and as high-bit flags.
"""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

OK, NOT_FOLLOWED = 0, 1


@njit(**JIT)
def _uint32(data, at):
    return data[at] | data[at + 1] << 8 | data[at + 2] << 16 | data[at + 3] << 24


@njit(**JIT)
def find_runs(data, offsets, places, counts, widths, owners):
    """Write where each run of positions begins (`places`, bytes), how many it has, how many numbers each has, and of
    which geometry it is; returns how many runs there are, and whether all could be followed. No more are written than
    there is room for.

    data : (bytes,) uint8; offsets : (geometries + 1,) int64
    """
    found = 0
    for number in range(offsets.size - 1):
        at, end = offsets[number], offsets[number + 1]
        while at + 5 <= end:
            if data[at] != 1:
                return found, NOT_FOLLOWED
            code = np.int64(_uint32(data, at + 1))
            has_z = (code & 0x80000000) != 0
            has_m = (code & 0x40000000) != 0
            at += 9 if code & 0x20000000 else 5
            code &= 0x0FFFFFFF
            shape, group = code % 1000, code // 1000
            width = 2 + (has_z or group == 1 or group == 3) + (has_m or group == 2 or group == 3)
            if 4 <= shape <= 7:
                at += 4  # the members follow, each with a head of its own
                continue
            if not 1 <= shape <= 3:
                return found, NOT_FOLLOWED
            rings = 1
            if shape == 3:
                if at + 4 > end:
                    return found, NOT_FOLLOWED
                rings = np.int64(_uint32(data, at))
                at += 4
            for _ in range(rings):
                count = np.int64(1)
                if shape != 1:
                    if at + 4 > end:
                        return found, NOT_FOLLOWED
                    count = np.int64(_uint32(data, at))
                    at += 4
                if at + 8 * width * count > end:
                    return found, NOT_FOLLOWED
                if found < places.size:
                    places[found], counts[found], widths[found], owners[found] = at, count, width, number
                found += 1
                at += 8 * width * count
    return found, OK


@njit(nogil=True, cache=True)
def copy_positions(numbers, places, counts, widths, xy, back):
    """Copy (n, 2) positions out of the bytes, or `back` into them. `numbers` are the bytes as float64 from each of the
    first eight bytes on."""
    to = 0
    for run in range(places.size):
        view = numbers[places[run] % 8]
        at = places[run] // 8
        for _ in range(counts[run]):
            if back:
                view[at], view[at + 1] = xy[to, 0], xy[to, 1]
            else:
                xy[to, 0], xy[to, 1] = view[at], view[at + 1]
            at += widths[run]
            to += 1


@njit(nogil=True, cache=True)
def bounds_of_runs(numbers, places, counts, widths, owners, bounds):
    """Widen the bounds, (geometries, 4), by the positions of their runs; those that are not numbers are passed over."""
    for run in range(places.size):
        view = numbers[places[run] % 8]
        at, own = places[run] // 8, owners[run]
        for _ in range(counts[run]):
            x, y = view[at], view[at + 1]
            if x < bounds[own, 0]:
                bounds[own, 0] = x
            if y < bounds[own, 1]:
                bounds[own, 1] = y
            if x > bounds[own, 2]:
                bounds[own, 2] = x
            if y > bounds[own, 3]:
                bounds[own, 3] = y
            at += widths[run]
