"""Positions in the columns of a table: numbers, degrees in all notations, well-known text, grid references."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.place import degrees_from, mgrs_to_degrees

_POINT_HEAD = np.frombuffer(b"\x01\x01\0\0\0", np.uint8)  # little-endian, type 1


def wkb_points(x: np.ndarray, y: np.ndarray) -> pa.Array:
    """Return points as well-known binary; null where a coordinate is missing."""
    known = np.isfinite(x) & np.isfinite(y)
    body = np.empty((int(known.sum()), 21), np.uint8)
    body[:, :5] = _POINT_HEAD
    body[:, 5:] = np.column_stack([x[known], y[known]]).astype("<f8").view(np.uint8)
    offsets = np.concatenate([[0], np.cumsum(known * 21)]).astype(np.int64)
    valid = None if known.all() else pa.py_buffer(np.packbits(known, bitorder="little"))
    buffers = [valid, pa.py_buffer(offsets), pa.py_buffer(body)]
    return pa.Array.from_buffers(pa.large_binary(), len(x), buffers).cast(pa.binary())


def numbers(column: pa.ChunkedArray) -> np.ndarray:
    """Return a column as float64; NaN where it is empty or no number. Text may use a comma, and
    degrees, minutes and seconds with a letter."""
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return np.array([_number(text) for text in column.to_pylist()], float)
    try:
        return column.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False).astype(float)
    except pa.ArrowException:
        return np.full(len(column), np.nan)


def _number(text: str | None) -> float:
    if not text:
        return np.nan
    try:
        return float(text.replace(",", "."))
    except ValueError:
        found = degrees_from(text)
        return np.nan if found is None else found


def wkb_from_text(texts: list[str | None]) -> pa.Array:
    """Return geometries in well-known text as well-known binary; null where a text is none."""
    shapes = shapely.from_wkt(np.array(texts, object), on_invalid="ignore")
    return pa.array(shapely.to_wkb(shapes, byte_order=1, flavor="iso"), pa.binary())


def from_mgrs(texts: list[str | None]) -> tuple[np.ndarray, np.ndarray]:
    """Return longitudes and latitudes, degrees, of MGRS references; NaN where a text is none."""
    found = [mgrs_to_degrees(text) if text else None for text in texts]
    xy = np.array([pair if pair else (np.nan, np.nan) for pair in found], float).reshape(-1, 2)
    return xy[:, 0], xy[:, 1]
