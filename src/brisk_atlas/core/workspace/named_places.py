"""Places of the map that were given names, each with a small picture."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, NamedTuple

StoredEye = tuple[float, float, float, float, float, float, float]


class NamedPlace(NamedTuple):
    """What a map showed: its centre in `crs`, units a pixel, size in pixels, turn in degrees, and a PNG of it. `eye` is
    where the relief was seen from, if it was open: x and y in `crs`, metres up as heights are drawn, azimuth, tilt and
    field of view in degrees, exaggeration of heights."""

    id: str
    name: str
    x: float
    y: float
    resolution: float
    width: int
    height: int
    crs: str | None
    turn: float = 0.0
    picture: bytes = b""
    eye: StoredEye | None = None


def geojson_of(places: Sequence[NamedPlace]) -> str:
    """Return places as GeoJSON (RFC 7946): what each showed as an area in longitude and latitude, cut at 180 degrees.

    A place of a map without CRS has no geometry.
    """
    features = [
        {
            "type": "Feature",
            "id": place.id,
            "properties": {
                "name": place.name,
                "crs": place.crs,
                "centre": [place.x, place.y],
                "resolution": place.resolution,
                "turn": place.turn,
            },
            "geometry": _area(place),
        }
        for place in places
    ]
    return json.dumps({"type": "FeatureCollection", "features": features}, indent=1) + "\n"


def _area(place: NamedPlace) -> dict[str, Any] | None:
    if place.crs is None:
        return None
    import numpy as np

    from brisk_atlas.core.draw.view import View
    from brisk_atlas.core.model.shapes import LINE, POLYGON, Shapes, bounds_of
    from brisk_atlas.core.place.seams import shapes_across

    view = View(place.x, place.y, place.resolution, place.width, place.height, place.crs, turn=place.turn)
    corners = [(0, 0), (0, place.height), (place.width, place.height), (place.width, 0), (0, 0)]
    xy = np.array([view.to_map(*corner) for corner in corners], float)
    starts = np.array([0, len(xy)], np.int64)
    ring = np.array([POLYGON], np.uint8)
    one = np.array([0, 1], np.int64)
    around = shapes_across(Shapes(xy, None, starts, ring, one, bounds_of(xy, starts, one)), place.crs, "EPSG:4326")
    rings = [path.round(7).tolist() for path, kind in zip(around.paths(0), around.path_kinds) if kind != LINE]
    if not rings:
        return None
    if len(rings) == 1:
        return {"type": "Polygon", "coordinates": rings}
    return {"type": "MultiPolygon", "coordinates": [[each] for each in rings]}
