"""Rows of an outlet as GeoJSON (RFC 7946), and what is sent to change them."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.place import same_crs, transform

from .answers import Refused
from .offers import flipped, in_crs
from .postings.outlet_rows import ShownRow
from .postings.posting import FieldType, Posting

MOST_COORDINATES = 1_000_000  # of a geometry that is sent
JSON_TYPES: dict[FieldType, dict[str, str]] = {
    FieldType.BOOLEAN: {"type": "boolean"},
    FieldType.INTEGER: {"type": "integer"},
    FieldType.NUMBER: {"type": "number"},
    FieldType.TEXT: {"type": "string"},
    FieldType.DATE: {"type": "string", "format": "date"},
    FieldType.TIME: {"type": "string", "format": "date-time"},
}


def feature_of(row: ShownRow, posting: Posting, crs: str, *, flip: bool = False) -> dict[str, Any]:
    """Return a row as a GeoJSON feature in a CRS, northings first where `flip`."""
    geometry = None
    if row.wkb is not None:
        shape = in_crs(np.array([shapely.from_wkb(row.wkb)]), posting.crs, crs)
        geometry = json.loads(shapely.to_geojson(flipped(shape) if flip else shape)[0])
    return {"type": "Feature", "id": row.name, "geometry": geometry, "properties": row.values}


def sent_values(feature: Any) -> dict[str, Any]:
    """Return the properties of a feature that was sent. Raises Refused."""
    if not isinstance(feature, dict) or feature.get("type", "Feature") != "Feature":
        raise Refused("InvalidParameterValue", "a GeoJSON feature is wanted")
    values = feature.get("properties")
    if values is None:
        return {}
    if not isinstance(values, dict):
        raise Refused("InvalidParameterValue", "the properties of the feature are no object")
    return values


def sent_wkb(geometry: Any, posting: Posting, crs: str, *, flip: bool = False) -> bytes | None:
    """Return a GeoJSON geometry that was sent in a CRS as well-known binary in that of the posting. Raises Refused."""
    if geometry is None:
        return None
    try:
        shape = shapely.from_geojson(json.dumps(geometry))
    except (GEOSException, ValueError) as error:
        raise Refused("InvalidParameterValue", f"the geometry can't be read ({error})") from None
    if shapely.get_num_coordinates(shape) > MOST_COORDINATES:
        raise Refused("InvalidParameterValue", f"the geometry has more than {MOST_COORDINATES:,} positions", 413)
    shape = flipped(np.array([shape]))[0] if flip else shape
    if not same_crs(crs, posting.crs):
        moved = shapely.transform(shape, lambda xy: transform(xy, crs, posting.crs))
        if not np.isfinite(shapely.get_coordinates(moved)).all():
            raise Refused("InvalidParameterValue", f"the geometry has no place in {posting.crs}")
        shape = moved
    return bytes(shapely.to_wkb(shape, byte_order=1, flavor="iso"))
