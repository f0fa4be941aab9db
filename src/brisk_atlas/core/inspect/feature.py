"""One feature: its attributes as the record explains them, and the facts of its geometry."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Layer, number_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import value_of
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import transform, unit_of
from brisk_atlas.core.place.geodesy import has_plane, lengths_on_ellipsoid, ring_areas_on_ellipsoid
from brisk_atlas.core.place.unrolling import in_one_piece
from brisk_atlas.core.read.field_meanings import FieldMeaning
from brisk_atlas.core.table import rows_of

from .finding import ProbeResult, ProbeValue

ATTRIBUTES, GEOMETRY, VERTICES = "attributes", "geometry", "vertices"
MOST_VERTICES = 2000  # listed on request
PARTS = ("Polygon", "LineString", "Point")


def feature_finding(cache: DataCache, layer: Layer, row: int, rows: Sequence[int] = ()) -> ProbeResult:
    """Return one feature of a layer that is held, with what was added to its row."""
    table = rows_of(cache, layer)
    return _finding(cache, layer, cache.features(layer.ref), table, row, row, tuple(rows))


def streamed_finding(cache: DataCache, layer: Layer, features: Features, at: int) -> ProbeResult:
    """Return one feature of a piece of a layer that is read by view; it has no lasting row."""
    return _finding(cache, layer, features, features.table, at, None, ())


def row_finding(cache: DataCache, layer: Layer, row: int) -> ProbeResult:
    """Return one row of a table."""
    readings = attribute_readings(rows_of(cache, layer), row, _words(cache, layer), layer)
    return ProbeResult(layer.id, tr("{name}, row {row:,}", name=layer.name, row=row + 1), tuple(readings), row, (row,))


def _finding(
    cache: DataCache, layer: Layer, features: Features, table: pa.Table, at: int, row: int | None, rows: tuple
) -> ProbeResult:
    readings = attribute_readings(table, at, _words(cache, layer), layer)
    readings += geometry_readings(features.wkb[at], features.crs)
    title = layer.name if row is None else tr("{name}, row {row:,}", name=layer.name, row=row + 1)
    return ProbeResult(layer.id, title, tuple(readings), row, rows)


def _words(cache: DataCache, layer: Layer) -> dict[str, FieldMeaning]:
    return cache.field_meanings(layer.ref)


def attribute_readings(table: pa.Table, row: int, words: dict[str, FieldMeaning], layer: Layer) -> list[ProbeValue]:
    """Return the attributes of a row, under their aliases where there are some."""
    found = []
    units = {field.name: field.unit for field in layer.rows.computed}
    for name in table.column_names:
        value = value_of(table.column(name)[row])
        stated, look = words.get(name), layer.rows.column(name)
        label = look.alias or (stated.alias if stated else "") or name
        about = stated.description if stated else ""
        meaning = stated.meaning_of(value) if stated else ""
        text = number_text(value) + (f" {meaning}" if meaning else "")
        unit = look.unit or units.get(name, "") or (stated.unit if stated else "")
        found.append(ProbeValue(label, value, text, unit if value is not None else "", ATTRIBUTES, name, about))
    return found


def geometry_readings(wkb: pa.Scalar, crs: str | None) -> list[ProbeValue]:
    """Return type, parts, vertices, measures, validity and heights of one geometry."""
    if not wkb.is_valid:
        return [ProbeValue("geometry", None, "none", group=GEOMETRY)]
    try:
        shape = shapely.from_wkb(wkb.as_py())
    except GEOSException as error:
        return [ProbeValue("geometry", None, tr("damaged ({error})", error=error), group=GEOMETRY)]
    parts, vertices = shapely.get_num_geometries(shape), shapely.get_num_coordinates(shape)
    out = [
        ProbeValue("type", shape.geom_type, shape.geom_type, group=GEOMETRY),
        ProbeValue("parts", int(parts), grouped(parts), group=GEOMETRY),
        ProbeValue("vertices", int(vertices), grouped(vertices), group=GEOMETRY),
    ]
    whole = in_one_piece(np.array([shape], dtype=object), crs)[0][0]
    out += _measures(whole, crs)
    out.append(_validity(whole))
    for axis, has, take in (("Z", shape.has_z, 2), ("M", shapely.has_m(shape), -1)):
        if has:
            values = shapely.get_coordinates(shape, include_z=True, include_m=bool(shapely.has_m(shape)))[:, take]
            known = values[np.isfinite(values)]
            text = (
                f"{grouped(known.min(), ',.2f')} {tr('to')} {grouped(known.max(), ',.2f')}"
                if known.size
                else tr("unknown")
            )
            low_high = (float(known.min()), float(known.max())) if known.size else None
            out.append(ProbeValue(tr("{axis} range", axis=axis), low_high, text, group=GEOMETRY))
    return out


def _measures(shape: shapely.Geometry, crs: str | None) -> list[ProbeValue]:
    dimension = shapely.get_dimensions(shape)
    if dimension < 1:
        return []
    unit, out = unit_of(crs), []
    rings = shapely.get_rings(shapely.get_parts(shape)) if dimension == 2 else shapely.get_parts(shape)
    noun = "perimeter" if dimension == 2 else "length"
    if crs is not None:
        xy, at = shapely.get_coordinates(rings, return_index=True)
        starts = np.searchsorted(at, np.arange(len(rings) + 1))
        if dimension == 2:
            area = _on_ellipsoid(shape, crs)
            out.append(ProbeValue(tr("area, ellipsoid"), area, _large(area), "m²", GEOMETRY))
        along = float(lengths_on_ellipsoid(xy, starts, crs).sum())
        out.append(ProbeValue(tr("{noun}, ellipsoid", noun=noun), along, _large(along), "m", GEOMETRY))
    if has_plane(crs):
        if dimension == 2:
            out.append(
                ProbeValue(tr("area, plane"), shape.area, _large(shape.area), f"{unit}²" if unit else "", GEOMETRY)
            )
        out.append(ProbeValue(tr("{noun}, plane", noun=noun), shape.length, _large(shape.length), unit, GEOMETRY))
    return out


def _on_ellipsoid(shape: shapely.Geometry, crs: str) -> float:
    total = 0.0
    for polygon in shapely.get_parts(shape):
        if polygon.geom_type == "Polygon" and not polygon.is_empty:
            rings = shapely.get_rings(polygon)
            xy, at = shapely.get_coordinates(rings, return_index=True)
            areas = ring_areas_on_ellipsoid(xy, np.searchsorted(at, np.arange(len(rings) + 1)), crs)
            total += float(areas[0] - areas[1:].sum())
    return total


def _large(value: float) -> str:
    return grouped(value, ",.2f") if abs(value) < 1e9 else grouped(value, ",.0f")


def _validity(shape: shapely.Geometry) -> ProbeValue:
    reason = shapely.is_valid_reason(shape)
    if reason == "Valid Geometry":
        return ProbeValue("valid", True, "yes", group=GEOMETRY)
    words, _, place = reason.partition("[")
    x_y = tuple(float(v) for v in place.rstrip("]").split()[:2]) if place else ()
    where = tr(" at {x_y:,.2f}, {x_y2:,.2f}", x_y=x_y[0], x_y2=x_y[1]) if len(x_y) == 2 else ""
    return ProbeValue("valid", False, f"no: {words.strip().lower()}{where}", group=GEOMETRY)


def place_of(cache: DataCache, layer: Layer, row: int, crs: str | None) -> tuple[float, float] | None:
    """Return a position in a feature, in `crs`; None where it has no geometry or no place there."""
    features = cache.features(layer.ref)
    wkb = features.wkb[row]
    try:
        shape = shapely.from_wkb(wkb.as_py()) if wkb.is_valid else None
    except GEOSException:
        return None
    if shape is None or shape.is_empty:
        return None
    inside = shapely.point_on_surface(shape)
    x, y = transform(np.array([[inside.x, inside.y]]), features.crs, crs)[0].tolist()
    return (x, y) if np.isfinite(x) and np.isfinite(y) else None


def vertex_readings(cache: DataCache, layer: Layer, row: int) -> list[ProbeValue]:
    """Return the coordinates of a feature's vertices, in the layer's CRS, at most MOST_VERTICES."""
    features = cache.features(layer.ref)
    wkb = features.wkb[row]
    if not wkb.is_valid:
        return []
    shape = shapely.from_wkb(wkb.as_py())
    xyz = shapely.get_coordinates(shape, include_z=shape.has_z)
    digits = 8 if unit_of(features.crs) == "°" else 3
    lines = [
        ProbeValue(grouped(i), tuple(v), "  ".join(grouped(c, f",.{digits}f") for c in v), group=VERTICES)
        for i, v in enumerate(xyz[:MOST_VERTICES].tolist(), 1)
    ]
    if len(xyz) > MOST_VERTICES:
        lines.append(
            ProbeValue(
                "…",
                None,
                tr("{count:,} more; copy the row as WKT for all", count=len(xyz) - MOST_VERTICES),
                group=VERTICES,
            )
        )
    return lines
