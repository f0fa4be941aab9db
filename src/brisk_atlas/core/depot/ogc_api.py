"""OGC API: Common, Features parts 1 to 3 (17-069r4, 18-058r1, 19-079r2) tiles of maps and features (20-057),
and coverages (19-087)."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import numpy as np
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from brisk_atlas.core.connect.ows import northing_first
from brisk_atlas.core.model import AtlasError, Extent

from . import answers
from .answers import Refused, number_in, numbers_in, settings_of
from .api_links import GEOJSON, link
from .behaviour import Behaviour
from .coverage_file import coverage_file, is_coverage
from .features import feature_texts, json_type
from .offers import DEGREES, Depot, Offer, record_address
from .postings.outlet_ways import OfferedService
from .records_api import about_records
from .tiles import WORLD_GRID, WORLD_SET, tile_of
from .vector_tiles import GRID as VECTOR_GRID
from .vector_tiles import MEDIA_TYPE, tile_answer, tile_of_features

CRS84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"
REL = "http://www.opengis.net/def/rel/ogc/1.0"
USUAL_LIMIT, MAX_LIMIT = 100, 5000
PARTS = (
    "ogcapi-common-1/1.0/conf/core", "ogcapi-common-2/1.0/conf/collections", "ogcapi-features-1/1.0/conf/core",
    "ogcapi-features-1/1.0/conf/geojson", "ogcapi-features-2/1.0/conf/crs", "ogcapi-features-3/1.0/conf/filter",
    "ogcapi-features-3/1.0/conf/queryables", "cql2/1.0/conf/cql2-text", "cql2/1.0/conf/basic-cql2",
    "ogcapi-tiles-1/1.0/conf/core", "ogcapi-tiles-1/1.0/conf/tileset",
)  # fmt: skip
TILE_PARTS = tuple(part for part in PARTS if part.startswith(("ogcapi-common", "ogcapi-tiles")))
OWN_SETTINGS = (
    "f",
    "limit",
    "offset",
    "bbox",
    "bbox-crs",
    "crs",
    "filter",
    "filter-lang",
    "filter-crs",
    "properties",
    "datetime",
)


def crs_address(crs: str) -> str:
    """Return the address by which the API names a CRS."""
    return (
        CRS84 if crs == DEGREES else f"http://www.opengis.net/def/crs/{crs.partition(':')[0]}/0/{crs.partition(':')[2]}"
    )


class ApiAnswers:
    """Answers of the API."""

    def __init__(self, depot: Depot, behaviour: Behaviour, claims: Sequence[str] = PARTS) -> None:
        """`claims` are the classes of conformance that are stated."""
        self.depot, self.behaviour, self.claims = depot, behaviour, claims

    def routes(self) -> list[Route]:
        paths = {
            "/": self.landing,
            "/conformance": self.conformance,
            "/api": self.definition,
            "/collections": self.collections,
            "/collections/{id}": self.collection,
            "/collections/{id}/queryables": self.queryables,
            "/collections/{id}/schema": self.queryables,
            "/collections/{id}/items": self.items,
            "/collections/{id}/items/{row:int}": self.item,
            "/collections/{id}/coverage": self.coverage,
            "/collections/{id}/map/tiles": self.tilesets,
            "/collections/{id}/map/tiles/" + WORLD_SET: self.tileset,
            "/collections/{id}/map/tiles/" + WORLD_SET + "/{z}/{y:int}/{x:int}": self.tile,
            "/collections/{id}/tiles": self.tilesets,
            "/collections/{id}/tiles/" + WORLD_SET: self.tileset,
            "/collections/{id}/tiles/" + WORLD_SET + "/{z}/{y:int}/{x:int}": self.vector_tile,
        }
        return [Route(path, _refusing(answer)) for path, answer in paths.items()]

    def _offer(self, request: Request, service: OfferedService | None = None) -> Offer:
        """Return what is asked about. Raises Refused where there is none, or none by this service."""
        offer = self.depot.offers.get(request.path_params["id"])
        if offer is None or (service is not None and service not in offer.services):
            raise Refused("NotFound", f"there is no collection '{request.path_params['id']}'", 404)
        return offer

    def landing(self, request: Request) -> Response:
        base = answers.base_of(request)
        links = [
            link(f"{base}/", "self", "application/json"),
            link(f"{base}/api", "service-desc", "application/vnd.oai.openapi+json;version=3.0"),
            link(f"{base}/conformance", "conformance", "application/json"),
            link(f"{base}/collections", "data", "application/json"),
        ]
        return JSONResponse({"title": self.depot.title, "description": "What is offered.", "links": links})

    def conformance(self, request: Request) -> Response:
        return JSONResponse({"conformsTo": [f"http://www.opengis.net/spec/{part}" for part in self.claims]})

    def definition(self, request: Request) -> Response:
        answer = {"200": {"description": "The answer."}}
        paths = {route.path: {"get": {"responses": answer}} for route in self.routes()}
        return JSONResponse({"openapi": "3.0.3", "info": {"title": self.depot.title, "version": "1"}, "paths": paths})

    def collections(self, request: Request) -> Response:
        base = answers.base_of(request)
        found = [self._about(offer, base) for offer in self.depot.offers.values()] + [about_records(base)]
        return JSONResponse({"links": [link(f"{base}/collections", "self", "application/json")], "collections": found})

    def collection(self, request: Request) -> Response:
        return JSONResponse(self._about(self._offer(request), answers.base_of(request)))

    def _about(self, offer: Offer, base: str) -> dict[str, Any]:
        here = f"{base}/collections/{offer.id}"
        about: dict[str, Any] = {
            "id": offer.id,
            "title": offer.title,
            "attribution": self.depot.title,
            "extent": {"spatial": {"bbox": [list(offer.extent_in(DEGREES).bounds)], "crs": CRS84}},
            "links": [link(here, "self", "application/json")],
        }
        if OfferedService.MAPS in offer.services:
            about["links"].append(link(f"{here}/map/tiles", f"{REL}/tilesets-map", "application/json"))
        record = record_address(self.depot, offer, base)
        if record:
            about["links"].append(link(record, "describedby", "application/xml"))
        if OfferedService.COVERAGES in offer.services and is_coverage(offer) and not northing_first(offer.crs):
            grid, box = offer.facts.grid, offer.extent_in(offer.crs)
            assert grid is not None
            about["storageCrs"] = crs_address(offer.crs)
            about["extent"]["spatial"] |= {
                "storageCrsBbox": [list(box.bounds)],
                "grid": [{"cellsCount": grid.width, "resolution": box.width / grid.width},
                         {"cellsCount": grid.height, "resolution": box.height / grid.height}],
            }  # fmt: skip
            about["links"].append(link(f"{here}/coverage", f"{REL}/coverage", "image/tiff"))
        if offer.has_features and OfferedService.TILES in offer.services:
            about["links"].append(link(f"{here}/tiles", f"{REL}/tilesets-vector", "application/json"))
        if offer.has_features and OfferedService.FEATURES in offer.services:
            systems = [CRS84, *(crs_address(crs) for crs in offer.systems if crs != DEGREES)]
            about |= {"itemType": "feature", "crs": systems, "storageCrs": crs_address(offer.crs)}
            about["links"] += [
                link(f"{here}/items", "items", GEOJSON),
                link(f"{here}/queryables", f"{REL}/queryables", "application/schema+json"),
                link(f"{here}/schema", "describedby", "application/schema+json"),
            ]
        return about

    def queryables(self, request: Request) -> Response:
        offer = self._offer(request, OfferedService.FEATURES)
        fields = {field.name: {"title": field.name, **json_type(field.type)} for field in offer.facts.fields}
        shape = {"format": f"geometry-{(offer.facts.geometry_type or 'any').lower()}", "x-ogc-role": "primary-geometry"}
        schema = {
            "$schema": "https://json-schema.org/draft/2020-12/schema", "$id": str(request.url), "type": "object",
            "title": offer.title, "properties": {**fields, "geometry": shape},
        }  # fmt: skip
        return Response(json.dumps(schema), media_type="application/schema+json")

    def _system(self, settings: dict[str, str], name: str, offer: Offer) -> tuple[str, bool]:
        """Return the CRS that a setting means, and whether its northings come first."""
        stated = settings.get(name, CRS84)
        if stated == CRS84:
            return DEGREES, self.behaviour.wrong_axes
        crs = next(
            (crs for crs in (*offer.systems, DEGREES) if stated.endswith("/".join(("EPSG", "0", crs[5:])))), None
        )
        if crs is None:
            raise Refused("InvalidParameterValue", f"{name} '{stated}' is not offered")
        return crs, northing_first(crs) and not self.behaviour.wrong_axes

    def _extent(self, settings: dict[str, str], offer: Offer) -> Extent | None:
        if "bbox" not in settings:
            return None
        numbers = settings["bbox"].split(",")
        flat = {"bbox": ",".join((*numbers[:2], *numbers[3:5])) if len(numbers) == 6 else settings["bbox"]}
        a, b, c, d = numbers_in(flat, "bbox", 4)
        crs, flip = self._system(settings, "bbox-crs", offer)
        return Extent(b, a, d, c, crs) if flip else Extent(a, b, c, d, crs)

    def items(self, request: Request) -> Response:
        offer, settings = self._offer(request, OfferedService.FEATURES), settings_of(request)
        if not offer.has_features:
            raise Refused("NotFound", f"'{offer.id}' has no features", 404)
        names = [field.name for field in offer.facts.fields]
        equal = {name: value for name, value in request.query_params.items() if name in names}
        unknown = settings.keys() - {*OWN_SETTINGS, *(name.lower() for name in names)}
        if unknown:
            raise Refused("InvalidParameterValue", f"there is no setting '{min(unknown)}'")
        conditions = [f"({settings['filter']})"] if settings.get("filter") else []
        where = " AND ".join([*conditions, *(_equals(name, value) for name, value in equal.items())])
        try:
            rows = self.depot.rows(offer, self._extent(settings, offer), where)
        except AtlasError as error:
            raise Refused("InvalidParameterValue", f"the filter can't be followed: {error.reason}") from None
        offset = number_in(settings, "offset", 0, 10**9, 0)
        limit = min(number_in(settings, "limit", 1, 10**9, USUAL_LIMIT), MAX_LIMIT)
        page = rows[offset : offset + limit]
        crs, flip = self._system(settings, "crs", offer)
        columns = (
            [name for name in settings["properties"].split(",") if name in names] if "properties" in settings else None
        )
        features = feature_texts(self.depot, offer, page, crs, flip=flip, columns=columns)
        links = [link(str(request.url), "self", GEOJSON)]
        if offset + limit < len(rows):
            links.append(
                link(str(request.url.include_query_params(offset=offset + limit, limit=limit)), "next", GEOJSON)
            )
        matched = self.behaviour.counted(len(rows))
        head = f'"numberMatched": {matched}, "numberReturned": {len(page)}, "links": {json.dumps(links)}'
        body = f'{{"type": "FeatureCollection", {head}, "features": [{", ".join(features)}]}}'
        return Response(body, media_type=GEOJSON, headers={"Content-Crs": f"<{crs_address(crs)}>"})

    def coverage(self, request: Request) -> Response:
        offer, settings = self._offer(request, OfferedService.COVERAGES), settings_of(request)
        if not is_coverage(offer) or offer.facts.grid is None:
            raise Refused("NotFound", f"'{offer.id}' has no coverage", 404)
        extent = self._extent(settings, offer) or offer.extent_in(offer.crs)
        if extent.crs != offer.crs or not (extent.width > 0 and extent.height > 0):
            raise Refused("InvalidParameterValue", f"boxes are taken in {offer.crs} alone, with an area")
        step = offer.extent_in(offer.crs).width / offer.facts.grid.width
        columns = number_in(settings, "width", 1, 10**5, max(1, round(extent.width / step)))
        rows = number_in(settings, "height", 1, 10**5, max(1, round(extent.height / step)))
        return answers.picture(coverage_file(self.depot, offer, extent, columns, rows), "image/tiff")

    def item(self, request: Request) -> Response:
        offer, row = self._offer(request, OfferedService.FEATURES), request.path_params["row"]
        if not offer.has_features or row >= len(self.depot.features(offer)):
            raise Refused("NotFound", f"there is no feature {row}", 404)
        crs, flip = self._system(settings_of(request), "crs", offer)
        (text,) = feature_texts(self.depot, offer, np.array([row]), crs, flip=flip)
        return Response(text, media_type=GEOJSON)

    def _tiles_asked(self, request: Request) -> tuple[Offer, str, str]:
        """Return the offer whose tiles are asked about, where they are, and whether they hold a map or features."""
        kind = "map" if "/map/" in request.url.path else "vector"
        offer = self._offer(request, OfferedService.MAPS if kind == "map" else OfferedService.TILES)
        within = "map/tiles" if kind == "map" else "tiles"
        return offer, f"{answers.base_of(request)}/collections/{offer.id}/{within}/{WORLD_SET}", kind

    def tilesets(self, request: Request) -> Response:
        offer, here, kind = self._tiles_asked(request)
        about = {"title": offer.title, "dataType": kind, "crs": "http://www.opengis.net/def/crs/EPSG/0/3857"}
        about |= {"tileMatrixSetURI": f"http://www.opengis.net/def/tilematrixset/OGC/1.0/{WORLD_SET}"}
        return JSONResponse({"tilesets": [about | {"links": [link(here, "self", "application/json")]}]})

    def tileset(self, request: Request) -> Response:
        offer, here, kind = self._tiles_asked(request)
        west, south, east, north = offer.extent_in(DEGREES).bounds
        address = f"{here}/{{tileMatrix}}/{{tileRow}}/{{tileCol}}"
        template = link(address, "item", "image/png" if kind == "map" else MEDIA_TYPE) | {"templated": True}
        limits = [
            {"tileMatrix": level.name, "minTileRow": 0, "maxTileRow": level.rows - 1}
            | {"minTileCol": 0, "maxTileCol": level.columns - 1}
            for level in reversed((WORLD_GRID if kind == "map" else VECTOR_GRID).levels)
        ]
        return JSONResponse(
            {
                "title": offer.title, "dataType": kind, "crs": "http://www.opengis.net/def/crs/EPSG/0/3857",
                "tileMatrixSetURI": f"http://www.opengis.net/def/tilematrixset/OGC/1.0/{WORLD_SET}",
                "boundingBox": {"lowerLeft": [west, south], "upperRight": [east, north], "crs": CRS84},
                "tileMatrixSetLimits": limits, "links": [
                    link(here, "self", "application/json"), template,
                    link(f"http://www.opengis.net/def/tilematrixset/OGC/1.0/{WORLD_SET}", f"{REL}/tiling-scheme",
                         "application/json"),
                ],
            }
        )  # fmt: skip

    def tile(self, request: Request) -> Response:
        at = request.path_params
        layer = self._offer(request, OfferedService.MAPS).layer
        return answers.picture(tile_of(self.depot, layer, WORLD_GRID, at["z"], at["x"], at["y"]))

    def vector_tile(self, request: Request) -> Response:
        at, offer = request.path_params, self._offer(request, OfferedService.TILES)
        if not offer.has_features:
            raise Refused("NotFound", f"'{offer.id}' has no features", 404)
        return tile_answer(tile_of_features(self.depot, [offer], at["z"], at["x"], at["y"]))


def _equals(name: str, value: str) -> str:
    quoted = '"' + name.replace('"', '""') + '"'
    return f"CAST({quoted} AS VARCHAR) = '{value.replace(chr(39), chr(39) * 2)}'"


def _refusing(answer: Any) -> Any:
    def guarded(request: Request) -> Response:
        try:
            return answer(request)
        except Refused as error:
            return JSONResponse({"code": error.code, "description": error.reason}, error.status)

    return guarded
