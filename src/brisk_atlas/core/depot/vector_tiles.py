"""Vector tiles over the world: of all offers that have features, by plain addresses and a TileJSON 3.0 (and of each by
itself, as OGC API Tiles, 20-057, has them)."""

from __future__ import annotations

from collections.abc import Sequence

from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from brisk_atlas.core.place.tile_grid import TilePlace, world_grid

from . import answers
from .answers import Refused
from .features import json_type, plain
from .offers import DEGREES, WORLD, Depot, Offer
from .vector_tile import vector_tile

GRID = world_grid(0, 14)
MEDIA_TYPE = "application/vnd.mapbox-vector-tile"  # as the registry of media types has it


def tile_of_features(depot: Depot, offers: Sequence[Offer], name: str, column: int, row: int) -> bytes:
    """Return a tile with a layer for each offer that has something in it. Raises Refused for one off the world."""
    number = next((i for i, level in enumerate(GRID.levels) if level.name == name), None)
    if number is None or not (0 <= column < GRID.levels[number].columns and 0 <= row < GRID.levels[number].rows):
        raise Refused("TileOutOfRange", f"there is no tile {name}/{column}/{row}", 404)
    extent = GRID.extent_of(TilePlace(number, column, row))
    found = []
    for offer in offers:
        rows = depot.rows(offer, extent)
        if len(rows):
            records = depot.features(offer).table.take(rows).to_pylist()
            records = [{key: plain(value) for key, value in record.items()} for record in records]
            found.append(vector_tile(offer.id, depot.geometry(offer, rows, WORLD), rows.tolist(), records, extent))
    return b"".join(found)


class VectorTileAnswers:
    """All layers in each tile."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot

    def routes(self) -> list[Route]:
        return [Route("/vectortiles.json", self.description), Route("/vectortiles/{z}/{x:int}/{y:int}.mvt", self.tile)]

    def description(self, request: Request) -> Response:
        offers = self.depot.feature_offers
        boxes = [offer.extent_in(DEGREES).bounds for offer in offers] or [(-180.0, -85.0, 180.0, 85.0)]
        bounds = [*(min(box[i] for box in boxes) for i in (0, 1)), *(max(box[i] for box in boxes) for i in (2, 3))]
        return JSONResponse(
            {
                "tilejson": "3.0.0",
                "tiles": [f"{answers.base_of(request)}/vectortiles/{{z}}/{{x}}/{{y}}.mvt"],
                "name": self.depot.title,
                "attribution": self.depot.title,
                "minzoom": 0,
                "maxzoom": int(GRID.levels[0].name),
                "bounds": bounds,
                "vector_layers": [
                    {"id": offer.id, "description": offer.title, "fields": _fields(offer)} for offer in offers
                ],
            }
        )

    def tile(self, request: Request) -> Response:
        at = request.path_params
        try:
            return tile_answer(tile_of_features(self.depot, self.depot.feature_offers, at["z"], at["x"], at["y"]))
        except Refused as error:
            return JSONResponse({"message": error.reason}, error.status)


def tile_answer(body: bytes) -> Response:
    """Return a tile as an answer; without content where nothing is in it."""
    return answers.picture(body, MEDIA_TYPE) if body else Response(status_code=204)


def _fields(offer: Offer) -> dict[str, str]:
    words = {"boolean": "Boolean", "integer": "Number", "number": "Number"}
    return {field.name: words.get(json_type(field.type)["type"], "String") for field in offer.facts.fields}
