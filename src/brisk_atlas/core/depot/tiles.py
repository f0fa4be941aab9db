"""Tiles of pictures: by plain addresses with level, column and row, and as a WMTS 1.0.0 (OGC 07-057r7)."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.raster import values_seen
from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import metres_per_unit
from brisk_atlas.core.place.tile_grid import PIXEL_M, TileGrid, TilePlace, grid_over, world_grid

from . import answers
from .answers import Refused, document, settings_of
from .asked_layer import dimensions_of, layer_as_asked, styles_of
from .offers import DEGREES, Depot
from .pictures import draw, encoded

WORLD_SET = "WebMercatorQuad"
WORLD_GRID = world_grid(0, 18)
NONE: Mapping[str, str] = MappingProxyType({})
OWN_FINEST_M = 0.5  # a pixel of the finest tiles in an offer's own CRS


def tile_of(depot: Depot, layer: Layer, grid: TileGrid, name: str, column: int, row: int) -> bytes:
    """Return a tile as PNG. Raises Refused for one that is outside its level."""
    number = next((i for i, level in enumerate(grid.levels) if level.name == name), None)
    if number is None:
        raise Refused("TileOutOfRange", f"there is no level '{name}'", 404)
    level = grid.levels[number]
    if not (0 <= column < level.columns and 0 <= row < level.rows):
        raise Refused("TileOutOfRange", f"level {name} has {level.columns} x {level.rows} tiles", 404)
    return encoded(draw(depot, [layer], grid.extent_of(TilePlace(number, column, row)), *grid.tile))


def _coded(metres: np.ndarray, valid: np.ndarray) -> np.ndarray:
    tenths = np.where(valid, np.round((metres.astype(float) + 10_000) * 10), 0).astype(np.uint32)
    image = np.empty((*tenths.shape, 4), np.uint8)
    for channel in range(3):
        image[..., channel] = (tenths >> (16 - 8 * channel)) & 255
    image[..., 3] = np.where(valid, 255, 0)
    return image


class TileAnswers:
    """Tiles over the world in EPSG:3857, and over the offer with the largest extent in its own CRS."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot
        projected = [offer for offer in depot.offers.values() if metres_per_unit(offer.crs) == 1.0]
        self.grids = {WORLD_SET: WORLD_GRID}
        if projected:
            widest = max(projected, key=lambda each: each.extent_in(each.crs).width)
            self.grids["IslandQuad"] = grid_over(widest.extent_in(widest.crs), OWN_FINEST_M, tile=256)

    def routes(self) -> list[Route]:
        return [
            Route("/xyz/{id}/{z}/{x:int}/{y:int}.png", self.by_address),
            Route("/tms/{id}/{z}/{x:int}/{y:int}.png", self.from_south),
            Route("/heights/{id}/{z}/{x:int}/{y:int}.png", self.heights),
            Route("/wmts/tile/{id}/{style}/{set}/{z}/{y:int}/{x:int}.png", self.by_template),
            Route("/wmts", self.answer),
        ]

    def _answered(
        self, name: str, set_name: str, z: str, x: int, y: int, style: str = "", settings: Mapping[str, str] = NONE
    ) -> Response:
        offer, grid = self.depot.offers.get(name), self.grids.get(set_name)
        try:
            if offer is None or grid is None:
                raise Refused("InvalidParameterValue", f"there is no layer '{name}' in '{set_name}'", 404)
            layer = layer_as_asked(offer, style, settings)
            return answers.picture(tile_of(self.depot, layer, grid, z, x, y))
        except Refused as error:
            body = document("ows_exception.xml", version="1.0.0", code=error.code, reason=error.reason)
            return answers.xml(body, error.status)

    def by_address(self, request: Request) -> Response:
        at = request.path_params
        return self._answered(at["id"], WORLD_SET, at["z"], at["x"], at["y"])

    def heights(self, request: Request) -> Response:
        """Answer with the heights of a grid as colours: tenths of a metre above -10,000 m as a number of 24 bits."""
        at = request.path_params
        offer, number = self.depot.offers.get(at["id"]), at["z"]
        level = next((i for i, each in enumerate(WORLD_GRID.levels) if each.name == number), None)
        if offer is None or not offer.layer.kind.has_cells or level is None:
            reason = f"there are no heights '{at['id']}' at level {number}"
            return answers.xml(
                document("ows_exception.xml", version="1.0.0", code="TileOutOfRange", reason=reason), 404
            )
        box = WORLD_GRID.extent_of(TilePlace(level, at["x"], at["y"]))
        view = View(*box.centre, box.width / WORLD_GRID.tile[0], *WORLD_GRID.tile, WORLD_GRID.crs)
        found = values_seen(self.depot.cache, offer.layer.ref, shown_band(offer.layer.style), view, Drawn())
        return answers.picture(encoded(_coded(np.nan_to_num(found), np.isfinite(found))))

    def from_south(self, request: Request) -> Response:
        at = request.path_params
        rows = 2 ** int(at["z"]) if at["z"].isdecimal() and len(at["z"]) < 3 else 1
        return self._answered(at["id"], WORLD_SET, at["z"], at["x"], rows - 1 - at["y"])

    def by_template(self, request: Request) -> Response:
        at = request.path_params
        return self._answered(at["id"], at["set"], at["z"], at["x"], at["y"], at["style"], settings_of(request))

    def answer(self, request: Request) -> Response:
        settings = settings_of(request)
        match settings.get("request", "getcapabilities").lower():
            case "getcapabilities":
                return self._capabilities(request)
            case "gettile":
                column, row = settings.get("tilecol", ""), settings.get("tilerow", "")
                if column.isdecimal() and row.isdecimal():
                    return self._answered(
                        settings.get("layer", ""), settings.get("tilematrixset", ""), settings.get("tilematrix", ""),
                        int(column), int(row), settings.get("style", ""), settings,
                    )  # fmt: skip
                code, reason = "MissingParameterValue", "TILECOL and TILEROW must be numbers"
            case other:
                code, reason = "OperationNotSupported", f"there is no request '{other}'"
        return answers.xml(document("ows_exception.xml", version="1.0.0", code=code, reason=reason), 400)

    def _capabilities(self, request: Request) -> Response:
        layers = [
            {
                "name": offer.id,
                "title": offer.title,
                "degrees": offer.extent_in(DEGREES).bounds,
                "styles": styles_of(offer),
                "dimensions": dimensions_of(offer),
            }
            for offer in self.depot.offers.values()
        ]
        sets = [
            {
                "name": name,
                "crs": f"urn:ogc:def:crs:{grid.crs.replace(':', '::')}",
                "levels": [
                    (level, level.resolution * metres_per_unit(grid.crs) / PIXEL_M) for level in reversed(grid.levels)
                ],
                "grid": grid,
            }
            for name, grid in self.grids.items()
        ]
        address = answers.base_of(request)
        return answers.xml(document("wmts.xml", title=self.depot.title, address=address, layers=layers, sets=sets))
