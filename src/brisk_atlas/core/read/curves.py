"""Geometries that shapes have no place for, as those they have: arcs as short straight lines, patches as polygons.

Layout and codes: OGC 06-103r4, section 8, and ISO/IEC 13249-3 for curves and surfaces.
"""

from __future__ import annotations

import struct
from math import atan2, ceil, cos, hypot, pi, radians, sin

import numpy as np
import shapely

from brisk_atlas.core.model.language import tr

STEP = radians(4.0)  # of an arc, for one straight piece
REMARK = tr("its curves are read as straight pieces of at most 4 degrees of arc, its patches as polygons")
CURVED = ("Circular", "Compound", "Curve", "Surface", "TIN", "Triangle", "Polyhedral")
DEEPEST = 32  # geometries within geometries
POINT, LINE, POLYGON, COLLECTION = 1, 2, 3, 7
CIRCULAR, COMPOUND, CURVE_POLYGON, MULTI_CURVE, MULTI_SURFACE, POLYHEDRAL, TIN, TRIANGLE = 8, 9, 10, 11, 12, 15, 16, 17


class _Bytes:
    """One geometry's bytes, read from the beginning on."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def take(self, form: str) -> tuple:
        size = struct.calcsize(form)
        if self.at + size > len(self.data):
            raise ValueError(tr("the geometry ends too soon"))
        found = struct.unpack_from(form, self.data, self.at)
        self.at += size
        return found

    def head(self) -> tuple[str, int, int, bool]:
        """Return byte order, type, numbers a position, and whether there is a height."""
        order = "<" if self.take("B")[0] == 1 else ">"
        code = self.take(order + "I")[0]
        z, m = bool(code & 0x80000000), bool(code & 0x40000000)
        if code & 0x20000000:
            self.take(order + "I")
        code &= 0x0FFFFFFF
        group = code // 1000
        z, m = z or group in (1, 3), m or group in (2, 3)
        return order, code % 1000, 2 + z + m, z

    def positions(self, order: str, width: int, z: bool, count: int | None = None) -> np.ndarray:
        count = self.take(order + "I")[0] if count is None else count
        if self.at + 8 * width * count > len(self.data):
            raise ValueError(tr("the geometry ends too soon"))
        found = np.frombuffer(self.data, order + "f8", width * count, self.at).reshape(count, width)
        self.at += 8 * width * count
        return found[:, : 2 + z].astype(float)


def straightened(data: bytes) -> shapely.Geometry | None:
    """Return a geometry with its curves as straight lines; None for one that can't be followed."""
    try:
        return _geometry(_Bytes(data), 0)
    except (ValueError, struct.error, shapely.errors.GEOSException, RecursionError):
        return None


def _geometry(data: _Bytes, depth: int) -> shapely.Geometry:
    if depth > DEEPEST:
        raise ValueError(tr("too deep"))
    order, code, width, z = data.head()
    if code == POINT:
        return shapely.Point(data.positions(order, width, z, 1)[0])
    if code == LINE:
        return shapely.LineString(data.positions(order, width, z))
    if code == CIRCULAR:
        return shapely.LineString(arcs(data.positions(order, width, z)))
    count = data.take(order + "I")[0]
    if code in (POLYGON, TRIANGLE):
        rings = [data.positions(order, width, z) for _ in range(count)]
        return shapely.Polygon(rings[0], rings[1:]) if rings else shapely.Polygon()
    parts = [_geometry(data, depth + 1) for _ in range(count)]
    if code == COMPOUND:
        pieces = [shapely.get_coordinates(part, include_z=z) for part in parts]
        return shapely.LineString(np.concatenate([p if i == 0 else p[1:] for i, p in enumerate(pieces)]))
    if code == CURVE_POLYGON:
        rings = [shapely.get_coordinates(part, include_z=z) for part in parts]
        return shapely.Polygon(rings[0], rings[1:]) if rings else shapely.Polygon()
    if code in (MULTI_SURFACE, POLYHEDRAL, TIN, 6):
        return shapely.MultiPolygon(parts)
    if code in (MULTI_CURVE, 5):
        return shapely.MultiLineString(parts)
    if code == 4:
        return shapely.MultiPoint(parts)
    if code == COLLECTION:
        return shapely.GeometryCollection(parts)
    raise ValueError(tr("a geometry of type {code}", code=code))


def arcs(positions: np.ndarray) -> np.ndarray:
    """Return positions along circular arcs, each through three of `positions`, the last being the next one's first."""
    pieces = [_arc(*positions[i : i + 3])[1:] for i in range(0, len(positions) - 2, 2)]
    return np.concatenate([positions[:1], *pieces])


def _arc(start: np.ndarray, middle: np.ndarray, end: np.ndarray) -> np.ndarray:
    """Return (n, 2 or 3) positions from start to end through the middle; heights change evenly."""
    (ax, ay), (bx, by), (cx, cy) = start[:2], middle[:2], end[:2]
    if ax == cx and ay == cy:  # a whole circle: the middle lies opposite
        x, y, sweep = (ax + bx) / 2, (ay + by) / 2, 2 * pi
    else:
        twice = 2 * ((bx - ax) * (cy - ay) - (by - ay) * (cx - ax))
        if abs(twice) < 1e-12 * max(hypot(cx - ax, cy - ay) ** 2, 1e-300):
            return np.array([start, middle, end])  # on one line
        b2, c2 = (bx - ax) ** 2 + (by - ay) ** 2, (cx - ax) ** 2 + (cy - ay) ** 2
        x = ax + ((cy - ay) * b2 - (by - ay) * c2) / twice
        y = ay + ((bx - ax) * c2 - (cx - ax) * b2) / twice
        first, last = atan2(ay - y, ax - x), atan2(cy - y, cx - x)
        sweep = (last - first) % (2 * pi)
        if (atan2(by - y, bx - x) - first) % (2 * pi) > sweep:
            sweep -= 2 * pi
    begin, radius = atan2(ay - y, ax - x), hypot(ax - x, ay - y)
    count = max(2, ceil(abs(sweep) / STEP))
    shares = np.linspace(0.0, 1.0, count + 1)
    xy = np.array([(x + radius * cos(begin + s * sweep), y + radius * sin(begin + s * sweep)) for s in shares])
    xy[0], xy[-1] = start[:2], end[:2]
    if len(start) == 2:
        return xy
    return np.column_stack([xy, start[2] + shares * (end[2] - start[2])])
