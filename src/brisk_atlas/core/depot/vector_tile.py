"""Features as a vector tile, by the Vector Tile specification 2.1: messages of protocol buffers whose shapes are steps
on a grid of 4,096 units."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import shapely

from brisk_atlas.core.model import Extent

UNITS = 4096  # across a tile
MARGIN = 64  # units beyond its edges, so that outlines have no seams
MOVE, LINE, CLOSE = 1, 2, 7
POINT, LINESTRING, POLYGON = 1, 2, 3
DIMENSION = {0: POINT, 1: LINESTRING, 2: POLYGON}


def vector_tile(
    name: str, geometry: np.ndarray, ids: Sequence[int], rows: Sequence[dict[str, Any]], extent: Extent
) -> bytes:
    """Return a tile with one layer of features, empty for none in it.

    geometry : shapes in the CRS of `extent`, x first; ids and rows : of the same features
    """
    left, top, unit = extent.xmin, extent.ymax, extent.width / UNITS
    clipped = shapely.clip_by_rect(
        geometry, left - MARGIN * unit, extent.ymin - MARGIN * unit, extent.xmax + MARGIN * unit, top + MARGIN * unit
    )
    on_grid = shapely.transform(
        clipped, lambda xy: np.column_stack([(xy[:, 0] - left) / unit, (top - xy[:, 1]) / unit])
    )
    coarse = shapely.simplify(on_grid, 0.75)
    layer = _Layer(name)
    for shape, number, values in zip(coarse, ids, rows):
        layer.add(shape, number, values)
    return _field(3, layer.body()) if layer.features else b""


class _Layer:
    def __init__(self, name: str) -> None:
        self.name, self.features = name, list[bytes]()
        self.keys: dict[str, int] = {}
        self.values: dict[bytes, int] = {}

    def add(self, shape: shapely.Geometry, number: int, values: dict[str, Any]) -> None:
        if shape is None or shape.is_empty:
            return
        kind = DIMENSION[shapely.get_dimensions(shape)]
        steps = _steps(shape, kind)
        if not steps:
            return
        tags: list[int] = []
        for key, value in values.items():
            if value is not None:
                stored = _value(value)
                tags += [self.keys.setdefault(key, len(self.keys)), self.values.setdefault(stored, len(self.values))]
        body = _number(1, number) + _field(2, _packed(tags)) + _number(3, kind) + _field(4, _packed(steps))
        self.features.append(body)

    def body(self) -> bytes:
        found = _number(15, 2) + _field(1, self.name.encode())
        found += b"".join(_field(2, each) for each in self.features)
        found += b"".join(_field(3, key.encode()) for key in self.keys)
        return found + b"".join(_field(4, value) for value in self.values) + _number(5, UNITS)


def _steps(shape: shapely.Geometry, kind: int) -> list[int]:
    """Return the commands that draw a shape, each position as the way from the one before."""
    found: list[int] = []
    here = np.zeros(2, np.int64)
    parts = shapely.get_parts(shape)
    if kind == POINT:
        xy = np.rint(shapely.get_coordinates(parts)).astype(np.int64)
        return [MOVE | len(xy) << 3, *_ways(xy, here)]
    for part in parts:
        rings = [part] if kind == LINESTRING else [part.exterior, *part.interiors]
        for number, ring in enumerate(rings):
            xy = np.rint(shapely.get_coordinates(ring)).astype(np.int64)
            xy = xy[np.r_[True, (np.diff(xy, axis=0) != 0).any(axis=1)]]
            if kind == POLYGON:
                xy = _turned(xy[:-1], outer=number == 0)
            if len(xy) < kind:
                if kind == POLYGON and number == 0:
                    break  # nothing is left of it at this scale
                continue
            ways = _ways(xy, here)
            found += [MOVE | 1 << 3, *ways[:2], LINE | (len(xy) - 1) << 3, *ways[2:]]
            found += [CLOSE | 1 << 3] if kind == POLYGON else []
            here = xy[-1]
    return found


def _turned(ring: np.ndarray, *, outer: bool) -> np.ndarray:
    """Return a ring the way round that the specification wants: outer ones have a positive area with y down."""
    x, y = ring[:, 0], ring[:, 1]
    area = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
    if area == 0:
        return ring[:0]
    return ring if (area > 0) == outer else ring[::-1]


def _ways(xy: np.ndarray, here: np.ndarray) -> list[int]:
    steps = np.diff(np.vstack([here, xy]), axis=0).ravel()
    return ((steps << 1) ^ (steps >> 63)).tolist()


def _value(value: Any) -> bytes:
    if isinstance(value, bool):
        return _number(7, int(value))
    if isinstance(value, int):
        return _number(6, (value << 1) ^ (value >> 63))
    if isinstance(value, float):
        return bytes([3 << 3 | 1]) + np.float64(value).tobytes()
    return _field(1, str(value).encode())


def _varint(value: int) -> bytes:
    out = bytearray()
    while value > 0x7F:
        out.append(value & 0x7F | 0x80)
        value >>= 7
    out.append(value)
    return bytes(out)


def _packed(values: Iterable[int]) -> bytes:
    return b"".join(map(_varint, values))


def _number(field: int, value: int) -> bytes:
    return _varint(field << 3) + _varint(value)


def _field(field: int, body: bytes) -> bytes:
    return _varint(field << 3 | 2) + _varint(len(body)) + body
