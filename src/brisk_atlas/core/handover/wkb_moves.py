"""Moving and bounding the coordinates of well-known binary where they stand, without an object a feature."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import shapely

from .wkb_kernels import OK, bounds_of_runs, copy_positions, find_runs

COMPILED_FROM = 8_192  # geometries in a batch: with fewer, the geometry library is done before the compiler is loaded


def moved_wkb(
    column: pa.ChunkedArray, move: Callable[[np.ndarray], np.ndarray]
) -> tuple[pa.ChunkedArray | pa.Array, np.ndarray]:
    """Return geometries whose positions in the plane `move` changed, heights and measures as they were, and which of
    them have no place any more, (rows,) bool.

    move : (n, 2) to (n, 2) float64; not finite for a position without a place
    """
    wkb, data, offsets = _content(column)
    if not len(wkb):
        return wkb, np.zeros(0, bool)
    if len(wkb) < COMPILED_FROM and not _any_measure(column):
        return _one_by_one(wkb, move)
    data = data.copy()
    runs = _runs_of(data, offsets)
    if runs is None:
        return _one_by_one(wkb, move)
    xy = np.empty((int(runs.counts.sum()), 2))
    copy_positions(runs.views, runs.places, runs.counts, runs.widths, xy, False)
    moved = np.ascontiguousarray(move(xy), float)
    lost = np.zeros(len(wkb), bool)
    if not np.isfinite(moved.sum()):
        bad = ~np.isfinite(moved).all(axis=1) & np.isfinite(xy).all(axis=1)  # an empty point is not finite
        lost[np.repeat(runs.owners, runs.counts)[bad]] = True
    copy_positions(runs.views, runs.places, runs.counts, runs.widths, moved, True)
    validity = wkb.is_valid() if wkb.null_count else None
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(data)]
    made = pa.Array.from_buffers(pa.large_binary(), len(wkb), buffers).cast(pa.binary())
    if validity is not None:
        made = pa.compute.if_else(validity, made, pa.scalar(None, pa.binary()))
    return made, lost


def wkb_bounds(column: pa.ChunkedArray) -> np.ndarray:
    """Return (rows, 4) the lowest x and y and the highest x and y of geometries; NaN where there is no position."""
    wkb, data, offsets = _content(column)
    runs = _runs_of(data, offsets) if len(wkb) >= COMPILED_FROM else None
    if runs is None:
        shapes = shapely.from_wkb(wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
        return np.asarray(shapely.bounds(shapes)).reshape(-1, 4)
    bounds = np.tile([np.inf, np.inf, -np.inf, -np.inf], (len(wkb), 1))
    bounds_of_runs(*runs, bounds)
    bounds[~(bounds[:, 0] <= bounds[:, 2])] = np.nan
    return bounds


def type_codes(column: pa.ChunkedArray) -> np.ndarray:
    """Return the ISO code of each geometry that there is, such as 1003 for a polygon with heights."""
    found = []
    for chunk in column.chunks:
        known = chunk.drop_null()
        if not len(known):
            continue
        wide = pa.types.is_large_binary(known.type)
        _, bounds, content = known.buffers()
        offsets = np.frombuffer(bounds, np.int64 if wide else np.int32)[known.offset : known.offset + len(known)]
        data = np.frombuffer(content, np.uint8)
        heads = offsets.astype(np.int64)[:, None] + np.arange(1, 5)
        number = data[heads].copy().view(np.dtype("<u4"))[:, 0]
        big = data[offsets] == 0
        number = np.where(big, number.byteswap(), number).astype(np.int64)
        plain = number & 0x0FFFFFFF
        plain = plain + 1000 * ((number & 0x80000000) != 0) + 2000 * ((number & 0x40000000) != 0)
        found.append(plain)
    return np.concatenate(found) if found else np.empty(0, np.int64)


class _Runs(NamedTuple):
    """Where positions stand: the bytes as numbers from each of the first eight on, and runs as `find_runs` has them."""

    views: tuple[np.ndarray, ...]
    places: np.ndarray
    counts: np.ndarray
    widths: np.ndarray
    owners: np.ndarray


def _content(column: pa.ChunkedArray) -> tuple[pa.Array, np.ndarray, np.ndarray]:
    """Return geometries as one array, their bytes, and (rows + 1,) int64 where each begins in these."""
    whole = column.combine_chunks()
    wkb = pa.concat_arrays(whole.chunks) if isinstance(whole, pa.ChunkedArray) else whole
    if not len(wkb):
        return wkb, np.empty(0, np.uint8), np.zeros(1, np.int64)
    wide = pa.types.is_large_binary(wkb.type)
    _, bounds, content = wkb.buffers()
    offsets = np.frombuffer(bounds, np.int64 if wide else np.int32)[wkb.offset : wkb.offset + len(wkb) + 1]
    start, end = int(offsets[0]), int(offsets[-1])
    data = np.frombuffer(content, np.uint8)[start:end] if end > start else np.empty(0, np.uint8)
    return wkb, data, offsets.astype(np.int64) - start


def _any_measure(column: pa.ChunkedArray) -> bool:
    """Return whether any geometry has measures, which the geometry library would lose."""
    return bool(np.isin(type_codes(column) // 1000, (2, 3)).any())


def _runs_of(data: np.ndarray, offsets: np.ndarray) -> _Runs | None:
    """Return where the positions stand; None where a geometry is of a kind that is not followed."""
    views = tuple(data[k : k + max(0, data.size - k) // 8 * 8].view(np.float64) for k in range(8))
    room = 2 * len(offsets)
    while True:
        runs = tuple(np.empty(room, np.int64) for _ in range(4))
        found, status = find_runs(data, offsets, *runs)
        if status != OK:
            return None
        if found <= room:
            return _Runs(views, *(each[:found] for each in runs))
        room = found


def _one_by_one(wkb: pa.Array, move: Callable[[np.ndarray], np.ndarray]) -> tuple[pa.Array, np.ndarray]:
    """Return the same for geometries of any kind that the geometry library reads."""
    shapes = shapely.from_wkb(wkb.to_numpy(zero_copy_only=False), on_invalid="fix")
    moved = shapely.transform(
        shapes, lambda xyz: np.column_stack([move(xyz[:, :2])[:, :2], xyz[:, 2:]]), include_z=None
    )
    xy, at = shapely.get_coordinates(moved, return_index=True)
    lost = np.zeros(len(wkb), bool)
    lost[at[~np.isfinite(xy).all(axis=1)]] = True
    return pa.array(shapely.to_wkb(moved, flavor="iso", output_dimension=4), pa.binary()), lost
