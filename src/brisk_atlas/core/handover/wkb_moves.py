"""Moving the coordinates of well-known binary where they stand, without an object a feature."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import shapely

from .wkb_kernels import OK, copy_positions, find_runs


def moved_wkb(
    column: pa.ChunkedArray, move: Callable[[np.ndarray], np.ndarray]
) -> tuple[pa.ChunkedArray | pa.Array, np.ndarray]:
    """Return geometries whose positions in the plane `move` changed, heights and measures as they were, and which of
    them have no place any more, (rows,) bool.

    move : (n, 2) to (n, 2) float64; not finite for a position without a place
    """
    whole = column.combine_chunks()
    wkb = pa.concat_arrays(whole.chunks) if isinstance(whole, pa.ChunkedArray) else whole
    if not len(wkb):
        return wkb, np.zeros(0, bool)
    wide = pa.types.is_large_binary(wkb.type)
    _, bounds, content = wkb.buffers()
    first = wkb.offset
    offsets = np.frombuffer(bounds, np.int64 if wide else np.int32)[first : first + len(wkb) + 1].astype(np.int64)
    start, end = int(offsets[0]), int(offsets[-1])
    data = np.zeros((end - start) // 8 * 8 + 16, np.uint8)  # room for views that begin within a number
    data[: end - start] = np.frombuffer(content, np.uint8)[start:end] if end > start else 0
    offsets = offsets - start
    runs = _runs(data, offsets)
    if runs is None:
        return _one_by_one(wkb, move)
    places, counts, widths, owners = runs
    views = tuple(data[k : k + (data.size - 8) // 8 * 8].view(np.float64) for k in range(8))
    total = int(counts.sum())
    x, y = np.empty(total), np.empty(total)
    copy_positions(views, places, counts, widths, x, y, False)
    moved = move(np.column_stack([x, y]))
    bad = ~np.isfinite(moved[:, :2]).all(axis=1) & np.isfinite(x) & np.isfinite(y)  # an empty point is not finite
    lost = np.zeros(len(wkb), bool)
    if bad.any():
        lost[np.repeat(owners, counts)[bad]] = True
    copy_positions(views, places, counts, widths, moved[:, 0].copy(), moved[:, 1].copy(), True)
    validity = wkb.is_valid() if wkb.null_count else None
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(data)]
    made = pa.Array.from_buffers(pa.large_binary(), len(wkb), buffers).cast(pa.binary())
    if validity is not None:
        made = pa.compute.if_else(validity, made, pa.scalar(None, pa.binary()))
    return made, lost


def _runs(data: np.ndarray, offsets: np.ndarray) -> tuple[np.ndarray, ...] | None:
    """Return where the positions stand; None where a geometry is of a kind that is not followed."""
    room = 2 * len(offsets)
    while True:
        runs = tuple(np.empty(room, np.int64) for _ in range(4))
        found, status = find_runs(data, offsets, *runs)
        if status != OK:
            return None
        if found <= room:
            return tuple(each[:found] for each in runs)
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
