"""What a service answers about a place in a layer that it draws, and the colour that it shows there."""

from __future__ import annotations

import json
import re
from typing import Any

import numpy as np

from brisk_atlas.core.connect.fetching import fetch
from brisk_atlas.core.connect.ows import complaint_in
from brisk_atlas.core.connect.stored_answers import StoredAnswer
from brisk_atlas.core.model import CellWindow, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.tile_grid import TilePlace
from brisk_atlas.core.read.tiled_pictures import TiledPictures

from .finding import ProbeResult, ProbeValue, Where

PICK_PX = 6  # that the reach of a click has
ANSWER_BYTES = 2_000_000
MAX_VALUES, MAX_TEXT = 400, 4000
ANSWER, COLOUR = "answer of the service", "colour"
FIELD = re.compile(rb"<(?:[\w-]+:)?([\w.-]+)[^<>]*>([^<>]{1,4000})</")


def service_finding(part: TiledPictures, layer: Layer, where: Where) -> ProbeResult | None:
    """Return what a service answers about a click, and the colour on the map; None outside of the layer. Raises
    CannotRead."""
    pictures = part.pictures
    x, y = transform(np.array([where.middle]), where.crs, part.facts.crs)[0].tolist()
    extent = part.facts.extent
    if extent is None or not (np.isfinite(x) and extent.contains(x, y)):
        return None
    resolution = _resolution(part, where)
    level = max(
        (le for le in part.levels(1) if le.factor_x * pictures.grid.levels[0].resolution <= resolution * 1.01),
        key=lambda le: le.factor_x,
        default=part.levels(1)[0],
    )
    assert level.number is not None
    each = pictures.grid.levels[level.number]
    column, row = (x - pictures.grid.left) / each.resolution, (pictures.grid.top - y) / each.resolution
    column, row = min(column, level.width - 1e-6), min(row, level.height - 1e-6)
    wide, tall = pictures.grid.tile
    place = TilePlace(level.number, int(column // wide), int(row // tall))
    readings: list[ProbeValue] = []
    for address in pictures.question_at(place, column % wide, row % tall):
        found = fetch(part.ref, address, limit=ANSWER_BYTES)
        if complaint_in(found.body):
            continue
        readings = [ProbeValue(label, value, value, group=ANSWER, key=label) for label, value in _values(found)]
        break
    picture, _ = part.mosaic(level, CellWindow(int(column), int(row), int(column) + 1, int(row) + 1))
    readings += _colour(picture[0, 0])
    return ProbeResult(layer.id, layer.name, tuple(readings)) if readings else None


def _resolution(part: TiledPictures, where: Where) -> float:
    """Return how large a pixel of the map is, in units of the layer's CRS."""
    x, y = where.middle
    near = np.array([[x, y], [x + where.reach, y]])
    (x0, y0), (x1, y1) = transform(near, where.crs, part.facts.crs).tolist()
    return max(float(np.hypot(x1 - x0, y1 - y0)) / PICK_PX, 1e-12)


def _colour(pixel: np.ndarray) -> list[ProbeValue]:
    red, green, blue, alpha = (int(value) for value in pixel)
    if not alpha:
        return []
    values = [round(value * 255 / alpha) for value in (red, green, blue)]
    return [ProbeValue(tr("on the map"), values, "#{:02x}{:02x}{:02x}".format(*values), group=COLOUR, key=COLOUR)]


def _values(answer: StoredAnswer) -> list[tuple[str, str]]:
    """Return labels and values in an answer: of JSON and XML those of its features, of text its lines."""
    body, kind = answer.body, answer.media_type.lower()
    if "json" in kind:
        try:
            return _of_json(json.loads(body))[:MAX_VALUES]
        except (ValueError, RecursionError):
            return []
    if "xml" in kind or "gml" in kind:
        found = [(name.decode(), _clean(value.decode("utf-8", "replace"))) for name, value in FIELD.findall(body)]
        return [(name, value) for name, value in found if value][:MAX_VALUES]
    text = body.decode("utf-8", "replace")
    pairs = [line.partition("=") for line in text.splitlines() if "=" in line]
    if pairs:
        return [(name.strip(), _clean(value.strip(" '\""))) for name, _, value in pairs][:MAX_VALUES]
    return [("text", _clean(text))] if text.strip() and "<html" not in text[:500].lower() else []


def _of_json(found: Any) -> list[tuple[str, str]]:
    features = (found.get("features") or found.get("results")) if isinstance(found, dict) else []
    values = []
    for feature in features if isinstance(features, list) else []:
        stated = (feature.get("properties") or feature.get("attributes")) if isinstance(feature, dict) else None
        if isinstance(stated, dict):
            values += [(str(name), _clean("" if value is None else str(value))) for name, value in stated.items()]
    return values


def _clean(text: str) -> str:
    return " ".join(text.split())[:MAX_TEXT]
