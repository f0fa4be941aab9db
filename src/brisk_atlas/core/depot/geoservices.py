"""Map and feature services of the open GeoServices REST Specification, version 1.0."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime
from typing import Any

import shapely
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from brisk_atlas.core.model import AtlasError, Extent

from . import answers
from .answers import Refused, number_in, numbers_in, settings_of
from .behaviour import Behaviour
from .features import feature_texts, plain
from .offers import Depot, Offer
from .pictures import MAX_SIDE, draw, encoded

NAME = "island"
MAX_RECORDS = 2000
SHAPES = {
    "Point": "esriGeometryPoint", "MultiPoint": "esriGeometryMultipoint", "LineString": "esriGeometryPolyline",
    "MultiLineString": "esriGeometryPolyline", "Polygon": "esriGeometryPolygon", "MultiPolygon": "esriGeometryPolygon",
}  # fmt: skip
ROW_ID = "OBJECTID"


class RestAnswers:
    """Answers of both services; layers are numbered in the order of the offers."""

    def __init__(self, depot: Depot, behaviour: Behaviour) -> None:
        self.depot, self.behaviour = depot, behaviour

    def routes(self) -> list[Route]:
        root = "/rest/services"
        paths = {
            root: self.catalogue,
            f"{root}/{NAME}/MapServer": self.map_service,
            f"{root}/{NAME}/MapServer/export": self.export,
            f"{root}/{NAME}/MapServer/identify": self.identify,
            f"{root}/{NAME}/MapServer/{{number:int}}": self.layer,
            f"{root}/{NAME}/FeatureServer": self.feature_service,
            f"{root}/{NAME}/FeatureServer/{{number:int}}": self.layer,
            f"{root}/{NAME}/FeatureServer/{{number:int}}/query": self.query,
        }
        return [Route(path, _refusing(answer)) for path, answer in paths.items()]

    @property
    def _offers(self) -> list[Offer]:
        return list(self.depot.offers.values())

    def _offer(self, number: int) -> Offer:
        if not 0 <= number < len(self._offers):
            raise Refused("404", f"there is no layer {number}")
        return self._offers[number]

    def catalogue(self, request: Request) -> Response:
        kinds = ("MapServer", "FeatureServer")
        services = [{"name": NAME, "type": kind} for kind in kinds]
        return JSONResponse({"currentVersion": 10.0, "folders": [], "services": services})

    def _listed(self, offers: list[tuple[int, Offer]]) -> list[dict[str, Any]]:
        return [
            {"id": number, "name": offer.title, "parentLayerId": -1, "subLayerIds": None} for number, offer in offers
        ]

    def map_service(self, request: Request) -> Response:
        offer = self._offers[0]
        return JSONResponse(
            {
                "currentVersion": 10.0, "mapName": self.depot.title, "copyrightText": self.depot.title,
                "layers": self._listed(list(enumerate(self._offers))), "spatialReference": _system(offer.crs),
                "singleFusedMapCache": False, "fullExtent": _box(offer.extent_in(offer.crs)),
                "supportedImageFormatTypes": "PNG32,PNG,JPG", "capabilities": "Map,Query,Data",
            }
        )  # fmt: skip

    def feature_service(self, request: Request) -> Response:
        offers = [(number, offer) for number, offer in enumerate(self._offers) if offer.has_features]
        return JSONResponse({"currentVersion": 10.0, "layers": self._listed(offers), "maxRecordCount": MAX_RECORDS})

    def layer(self, request: Request) -> Response:
        offer = self._offer(request.path_params["number"])
        about: dict[str, Any] = {
            "currentVersion": 10.0, "id": request.path_params["number"], "name": offer.title,
            "type": "Feature Layer" if offer.has_features else "Raster Layer", "copyrightText": self.depot.title,
            "extent": _box(offer.extent_in(offer.crs)), "maxRecordCount": MAX_RECORDS,
        }  # fmt: skip
        if offer.has_features:
            own = [
                {"name": field.name, "type": _field_type(field.type), "alias": field.name}
                for field in offer.facts.fields
            ]
            about |= {
                "geometryType": SHAPES.get(offer.facts.geometry_type or "", "esriGeometryPolygon"),
                "objectIdField": ROW_ID,
                "fields": [{"name": ROW_ID, "type": "esriFieldTypeOID", "alias": ROW_ID}, *own],
                "advancedQueryCapabilities": {"supportsPagination": True}, "supportedQueryFormats": "JSON, geoJSON",
            }  # fmt: skip
        return JSONResponse(about)

    def export(self, request: Request) -> Response:
        settings = settings_of(request)
        extent = self._extent(settings.get("bbox", ""), settings.get("bboxsr", ""), self._offers[0].crs)
        width, height = (int(number) for number in numbers_in({"size": settings.get("size", "400,400")}, "size", 2))
        if not (1 <= width <= MAX_SIDE and 1 <= height <= MAX_SIDE):
            raise Refused("400", f"a picture has at most {MAX_SIDE} pixels along a side")
        shown = settings.get("layers", "show:").rpartition(":")[2]
        numbers = [int(number) for number in shown.split(",") if number.isdecimal()]
        offers = [self._offer(number) for number in numbers] if numbers else self._offers
        return answers.picture(encoded(draw(self.depot, [each.layer for each in offers], extent, width, height)))

    def identify(self, request: Request) -> Response:
        settings = settings_of(request)
        extent = self._extent(settings.get("mapextent", ""), settings.get("sr", ""), self._offers[0].crs)
        x, y = self._point(settings.get("geometry", ""))
        width = numbers_in({"imagedisplay": settings.get("imagedisplay", "")}, "imagedisplay", 3)[0]
        reach = number_in(settings, "tolerance", 0, 100, 4) * extent.width / max(width, 1)
        numbers = [int(n) for n in settings.get("layers", "").rpartition(":")[2].split(",") if n.isdecimal()]
        found = []
        for number in numbers or range(len(self._offers)):
            offer = self._offer(number)
            values = self.depot.probe(offer.layer, x, y, extent.crs or "", reach)
            if values:
                found.append({"layerId": number, "layerName": offer.title, "attributes": dict(values)})
        return JSONResponse({"results": found})

    @staticmethod
    def _point(text: str) -> tuple[float, float]:
        try:
            found = json.loads(text) if text.lstrip()[:1] == "{" else dict(zip("xy", map(float, text.split(","))))
            return float(found["x"]), float(found["y"])
        except (ValueError, KeyError, TypeError):
            raise Refused("400", "the geometry is no point") from None

    @staticmethod
    def _extent(text: str, system: str, usual: str) -> Extent:
        try:
            if text.lstrip()[:1] == "{":
                box = json.loads(text)
                numbers = [float(box[name]) for name in ("xmin", "ymin", "xmax", "ymax")]
            else:
                numbers = [float(number) for number in text.split(",")]
            crs = f"EPSG:{int(system)}" if system else usual
            found = Extent.of(numbers, crs)
        except (ValueError, KeyError, TypeError):
            raise Refused("400", "the box is not four numbers") from None
        if not (found.width > 0 and found.height > 0):
            raise Refused("400", "the box has no area")
        return found

    def query(self, request: Request) -> Response:
        offer, settings = self._offer(request.path_params["number"]), settings_of(request)
        if not offer.has_features:
            raise Refused("400", "the layer has no features")
        where = settings.get("where", "").strip()
        where = "" if where in ("", "1=1") else where
        extent = None
        if settings.get("geometry"):
            extent = self._extent(settings["geometry"], settings.get("insr", ""), offer.crs)
        try:
            rows = self.depot.rows(offer, extent, where)
        except AtlasError as error:
            raise Refused("400", f"the condition can't be followed: {error.reason}") from None
        if settings.get("returncountonly", "").lower() == "true":
            return JSONResponse({"count": self.behaviour.counted(len(rows))})
        start = number_in(settings, "resultoffset", 0, 10**9, 0)
        count = min(number_in(settings, "resultrecordcount", 1, 10**9, MAX_RECORDS), MAX_RECORDS)
        page = rows[start : start + count]
        crs = f"EPSG:{settings['outsr']}" if settings.get("outsr", "").isdecimal() else offer.crs
        if settings.get("f", "json").lower() == "geojson":
            texts = feature_texts(self.depot, offer, page, "EPSG:4326", flip=False)
            return Response(
                f'{{"type": "FeatureCollection", "features": [{", ".join(texts)}]}}', media_type="application/geo+json"
            )
        table = self.depot.features(offer).table.take(page)
        shapes = self.depot.geometry(offer, page, crs)
        features = [
            {
                "attributes": {ROW_ID: row, **{name: _value(value) for name, value in record.items()}},
                "geometry": _shape(shape),
            }
            for row, record, shape in zip(page.tolist(), table.to_pylist(), shapes)
        ]
        own = [
            {"name": field.name, "type": _field_type(field.type), "alias": field.name} for field in offer.facts.fields
        ]
        return JSONResponse(
            {
                "objectIdFieldName": ROW_ID, "geometryType": SHAPES.get(offer.facts.geometry_type or ""),
                "spatialReference": _system(crs), "exceededTransferLimit": start + count < len(rows),
                "fields": [{"name": ROW_ID, "type": "esriFieldTypeOID", "alias": ROW_ID}, *own], "features": features,
            }
        )  # fmt: skip


def _system(crs: str) -> dict[str, int]:
    return {"wkid": int(crs.rpartition(":")[2])}


def _box(extent: Extent) -> dict[str, Any]:
    sides = dict(zip(("xmin", "ymin", "xmax", "ymax"), extent.bounds))
    return {**sides, "spatialReference": _system(extent.crs or "EPSG:4326")}


def _field_type(arrow: str) -> str:
    if arrow.startswith(("timestamp", "date")):
        return "esriFieldTypeDate"
    if arrow.startswith(("int8", "int16", "uint8")):
        return "esriFieldTypeSmallInteger"
    if arrow.startswith(("int", "uint")):
        return "esriFieldTypeInteger"
    return "esriFieldTypeDouble" if arrow.startswith(("double", "float")) else "esriFieldTypeString"


def _value(value: Any) -> Any:
    """Return a value as the specification has it: times in milliseconds since 1970, in UTC."""
    if isinstance(value, datetime):
        return int((value if value.tzinfo else value.replace(tzinfo=UTC)).timestamp() * 1000)
    if isinstance(value, date):
        return int(datetime(value.year, value.month, value.day, tzinfo=UTC).timestamp() * 1000)
    return plain(value)


def _shape(shape: Any) -> dict[str, Any] | None:
    if shape is None or shape.is_empty:
        return None
    points = lambda part: shapely.get_coordinates(part).tolist()  # noqa: E731
    match shape.geom_type:
        case "Point":
            return {"x": shape.x, "y": shape.y}
        case "MultiPoint":
            return {"points": points(shape)}
        case "LineString" | "MultiLineString":
            return {"paths": [points(part) for part in getattr(shape, "geoms", [shape])]}
        case _:
            parts = [shapely.orient_polygons(part, exterior_cw=True) for part in getattr(shape, "geoms", [shape])]
            return {"rings": [points(ring) for part in parts for ring in (part.exterior, *part.interiors)]}


def _refusing(answer: Any) -> Any:
    def guarded(request: Request) -> Response:
        try:
            return answer(request)
        except Refused as error:
            code = int(error.code) if error.code.isdecimal() else 400
            return JSONResponse({"error": {"code": code, "message": error.reason, "details": []}})

    return guarded
