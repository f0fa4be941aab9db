"""Rows as text for the clipboard: tab-separated, CSV, GeoJSON or well-known text."""

from __future__ import annotations

import csv
import datetime
import io
import json
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.place import transform

MOST_COPIED = 200_000  # rows


def separated(table: pa.Table, delimiter: str = "\t", *, headers: bool = True) -> str:
    """Return rows as text separated by `delimiter`, quoted where needed. Missing is empty."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator="\n")
    if headers:
        writer.writerow(table.column_names)
    columns = [values_of(column) for column in table.columns]
    writer.writerows(["" if v is None else _plain(v) for v in row] for row in zip(*columns))
    return out.getvalue()


def well_known(wkb: pa.Array, rows: Sequence[int]) -> str:
    """Return the geometry of rows as well-known text, a line each."""
    shapes = shapely.from_wkb(wkb.take(pa.array(rows)).to_numpy(zero_copy_only=False), on_invalid="ignore")
    return "\n".join("" if shape is None else shape.wkt for shape in shapes) + "\n"


def geojson(table: pa.Table, wkb: pa.Array, crs: str | None) -> str:
    """Return rows with geometry as GeoJSON (RFC 7946: longitude and latitude). Raises BadExpression
    without a CRS."""
    if crs is None:
        raise BadExpression(
            "GeoJSON", tr("the layer has no CRS"), tr("Copy as WKT, or give it a CRS when it is opened.")
        )
    shapes = shapely.from_wkb(wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
    placed = shapely.transform(shapes, lambda xy: _placed(xy, crs), include_z=False)
    features = []
    for shape, properties in zip(placed, table.to_pylist()):
        geometry = None if shape is None else json.loads(shapely.to_geojson(shape))
        features.append(
            {"type": "Feature", "geometry": geometry, "properties": {k: _plain(v) for k, v in properties.items()}}
        )
    return json.dumps({"type": "FeatureCollection", "features": features}, ensure_ascii=False)


def _placed(xy: np.ndarray, crs: str) -> np.ndarray:
    return np.round(transform(xy, crs, "EPSG:4326"), 8)


def _plain(value: Any) -> Any:
    if isinstance(value, datetime.date | datetime.datetime | datetime.time):
        return value.isoformat()
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, bytes):
        return value.hex()
    return value
