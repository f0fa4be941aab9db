"""What lies at a point, layer by layer."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import Extent, GridStyle, Layer
from brisk_atlas.core.model.shapes import POINT, POLYGON, Features, Shapes
from brisk_atlas.core.place import height_unit_of, same_crs, transform, unit_of
from brisk_atlas.core.read import Holdings
from brisk_atlas.core.read.streams import is_stream, piece_of

POINT_CLASSES = {  # ASPRS LAS 1.4, table 9
    0: "never classified",
    1: "unclassified",
    2: "ground",
    3: "low vegetation",
    4: "medium vegetation",
    5: "high vegetation",
    6: "building",
    7: "low noise",
    9: "water",
    17: "bridge deck",
    18: "high noise",
}


@dataclass(frozen=True)
class Reading:
    """One line of a finding: a label, its value as data, as text, and its unit."""

    label: str
    value: Any
    text: str
    unit: str = ""


@dataclass(frozen=True)
class Finding:
    """What one layer has at the point. `row` is the feature's row in the sheet, if it is one."""

    layer_id: str
    title: str
    readings: tuple[Reading, ...]
    row: int | None = None


def number_text(value: Any) -> str:
    """Return a value as a person reads it; unknown is said, not left blank."""
    if value is None or (isinstance(value, float) and np.isnan(value)):
        return "unknown"
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return f"{value:,}" if abs(value) >= 10_000 else str(value)
    if isinstance(value, float):
        digits = 2 if abs(value) >= 100 else 3 if abs(value) >= 1 else 5
        return f"{value:,.{digits}f}".rstrip("0").rstrip(".")
    return str(value)


def probe(holdings: Holdings, layer: Layer, x: float, y: float, crs: str | None, tolerance: float) -> Finding | None:
    """Return what `layer` has at (x, y), given in `crs`, or None for nothing.

    `tolerance`, in units of `crs`, is how far a point or line may lie from the position.
    """
    if layer.kind == "vector":
        return _feature(holdings, layer, x, y, crs, tolerance)
    if layer.kind == "raster":
        return _cell(holdings, layer, x, y, crs)
    if layer.kind == "pointcloud":
        return _point(holdings, layer, x, y, crs, tolerance)
    return None


def pick(shapes: Shapes, x: float, y: float, tolerance: float) -> list[int]:
    """Return the features at a position, the one drawn last first.

    Polygons by the even-odd rule, exact; lines and points within `tolerance`.
    """
    b = shapes.bounds
    near = (
        (b[:, 0] <= x + tolerance)
        & (b[:, 2] >= x - tolerance)
        & (b[:, 1] <= y + tolerance)
        & (b[:, 3] >= y - tolerance)
    )
    return [int(f) for f in np.flatnonzero(near)[::-1] if _hits(shapes, int(f), x, y, tolerance)]


def _hits(shapes: Shapes, feature: int, x: float, y: float, tolerance: float) -> bool:
    inside = False
    for path in range(shapes.feature_starts[feature], shapes.feature_starts[feature + 1]):
        xy = shapes.xy[shapes.path_starts[path] : shapes.path_starts[path + 1]]
        if shapes.path_kinds[path] == POLYGON:
            x0, y0, x1, y1 = xy[:-1, 0], xy[:-1, 1], xy[1:, 0], xy[1:, 1]
            crossing = (y0 > y) != (y1 > y)
            at = x0[crossing] + (y - y0[crossing]) * (x1[crossing] - x0[crossing]) / (y1[crossing] - y0[crossing])
            inside ^= bool(np.count_nonzero(at > x) % 2)
        elif shapes.path_kinds[path] == POINT or len(xy) == 1:
            if np.hypot(xy[:, 0] - x, xy[:, 1] - y).min() <= tolerance:
                return True
        elif _distance_to_line(xy, x, y) <= tolerance:
            return True
    return inside


def _distance_to_line(xy: np.ndarray, x: float, y: float) -> float:
    a, d = xy[:-1], np.diff(xy, axis=0)
    length = (d**2).sum(axis=1)
    t = np.clip(((np.array([x, y]) - a) * d).sum(axis=1) / np.where(length > 0, length, 1), 0, 1)
    near = a + t[:, None] * d
    return float(np.hypot(near[:, 0] - x, near[:, 1] - y).min())


def _feature(holdings: Holdings, layer: Layer, x: float, y: float, crs: str | None, tolerance: float) -> Finding | None:
    if is_stream(holdings, layer.source):
        return _streamed(holdings, layer, x, y, crs, tolerance)
    hits = pick(holdings.shapes_in(layer.source, crs), x, y, tolerance)
    if not hits:
        return None
    return feature_finding(holdings, layer, hits[0], others=len(hits) - 1)


def _streamed(
    holdings: Holdings, layer: Layer, x: float, y: float, crs: str | None, tolerance: float
) -> Finding | None:
    """Return what a layer that is read by view has at a place; its features have no row numbers."""
    around = Extent(x - tolerance, y - tolerance, x + tolerance, y + tolerance, crs)
    features = piece_of(holdings, layer.source, around)
    shapes = features.shapes
    if not same_crs(features.crs, crs):
        shapes = shapes.moved(transform(shapes.xy, features.crs, crs))
    hits = pick(shapes, x, y, tolerance)
    return _finding(layer, features, hits[0], len(hits) - 1, None) if hits else None


def feature_finding(holdings: Holdings, layer: Layer, row: int, others: int = 0) -> Finding:
    """Return one feature's attributes and the facts of its geometry."""
    return _finding(layer, holdings.features(layer.source), row, others, row)


def _finding(layer: Layer, features: Features, at: int, others: int, row: int | None) -> Finding:
    values = features.table.slice(at, 1).to_pylist()[0] if features.table.num_columns else {}
    readings = [Reading(name, value, number_text(value)) for name, value in values.items()]
    readings += _geometry_readings(features.wkb[at], features.crs)
    if others:
        readings.append(Reading("also here", others, f"{others} more of this layer"))
    title = layer.name if row is None else f"{layer.name}, row {row + 1:,}"
    return Finding(layer.id, title, tuple(readings), row)


def _geometry_readings(wkb: pa.Scalar, crs: str | None) -> list[Reading]:
    import shapely
    from shapely.errors import GEOSException

    if not wkb.is_valid:
        return [Reading("geometry", None, "none")]
    try:
        shape = shapely.from_wkb(wkb.as_py())
    except GEOSException:
        return [Reading("geometry", None, "damaged")]
    unit = unit_of(crs)
    out = [Reading("geometry", shape.geom_type, f"{shape.geom_type}, {shapely.get_num_coordinates(shape):,} vertices")]
    dimension = shapely.get_dimensions(shape)
    if unit == "m" and dimension == 2:
        out.append(Reading("area in the plane", shape.area, f"{shape.area:,.1f}", "m²"))
        out.append(Reading("perimeter", shape.length, f"{shape.length:,.1f}", "m"))
    elif unit == "m" and dimension == 1:
        out.append(Reading("length in the plane", shape.length, f"{shape.length:,.1f}", "m"))
    return out


def cell_values(
    holdings: Holdings, layer: Layer, x: float, y: float, crs: str | None
) -> tuple[tuple[int, int], np.ndarray, bool] | None:
    """Return ((row, col), values of all bands, valid) of the cell at a position, or None outside."""
    part = holdings.raster(layer.source)
    facts = part.facts
    assert facts.grid is not None and facts.extent is not None
    px, py = transform(np.array([[x, y]]), crs, facts.crs)[0]
    if not facts.extent.contains(px, py):
        return None
    width, height = facts.grid.resolution
    col = min(int((px - facts.extent.xmin) / width), facts.grid.width - 1)
    row = min(int((facts.extent.ymax - py) / height), facts.grid.height - 1)
    middle_x, middle_y = facts.extent.xmin + (col + 0.5) * width, facts.extent.ymax - (row + 0.5) * height
    tiny = Extent(middle_x - width / 4, middle_y - height / 4, middle_x + width / 4, middle_y + height / 4, facts.crs)
    grid = part.native(tiny, bands=tuple(band.index for band in facts.grid.bands))
    return (row, col), grid.values[:, 0, 0], bool(grid.valid[0, 0])


def _cell(holdings: Holdings, layer: Layer, x: float, y: float, crs: str | None) -> Finding | None:
    found = cell_values(holdings, layer, x, y, crs)
    if found is None:
        return None
    (row, col), values, valid = found
    facts = holdings.part(layer.source).facts
    assert facts.grid is not None
    shown = layer.style.bands if isinstance(layer.style, GridStyle) else ()
    readings = []
    for band, value in zip(facts.grid.bands, values.tolist()):
        name = (
            band.name
            + (f" ({band.centre_um:g} µm)" if band.centre_um else "")
            + (" · shown" if band.index in shown and len(values) > 1 else "")
        )
        known = valid or (value != facts.grid.nodata and np.isfinite(value))
        label = next((label for number, _, label in band.classes if number == value), "")
        text = f"{number_text(value)} {label}".rstrip() if known else "no data"
        readings.append(Reading(name, value if known else None, text, band.unit if known else ""))
    readings.append(Reading("cell", (row, col), f"row {row:,}, column {col:,}"))
    return Finding(layer.id, layer.name, tuple(readings))


def _point(holdings: Holdings, layer: Layer, x: float, y: float, crs: str | None, tolerance: float) -> Finding | None:
    points = holdings.points(layer.source)
    px, py = transform(np.array([[x, y]]), crs, points.crs)[0]
    if not np.isfinite(px):
        return None
    near = np.flatnonzero((np.abs(points.xyz[:, 0] - px) <= tolerance) & (np.abs(points.xyz[:, 1] - py) <= tolerance))
    if not near.size:
        return None
    i = int(near[np.argmin(np.hypot(points.xyz[near, 0] - px, points.xyz[near, 1] - py))])
    plane, height = unit_of(points.crs), height_unit_of(points.crs)
    px, py, pz = points.xyz[i].tolist()
    digits = 6 if plane == "°" else 2
    readings = [Reading("x", px, f"{px:,.{digits}f}", plane), Reading("y", py, f"{py:,.{digits}f}", plane)]
    readings.append(Reading("z", pz, f"{pz:,.2f}", height))
    for name, values in points.dimensions.items():
        value = values[i].item()
        text = number_text(value)
        if name == "classification":
            text = f"{value} {POINT_CLASSES.get(value, '')}".strip()
        readings.append(Reading(name.replace("_", " "), value, text))
    readings.append(Reading("points within reach", int(near.size), f"{near.size:,}"))
    return Finding(layer.id, f"{layer.name}, point {i + 1:,}", tuple(readings))
