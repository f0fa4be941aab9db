"""Web Feature Service 1.1.0 and 2.0.0 (OGC 04-094, 09-025r2), to read from."""

from __future__ import annotations

import numpy as np
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from brisk_atlas.core.connect.ows import crs_of, northing_first
from brisk_atlas.core.model import Extent

from . import answers
from .answers import Refused, document, number_in, settings_of
from .behaviour import Behaviour
from .features import GEOMETRY_NAME, SPACE, feature_texts, gml_collection, gml_feature, json_type, time_stamp, xml_name
from .offers import DEGREES, Depot, Offer

XSD = {
    "boolean": "xsd:boolean",
    "integer": "xsd:long",
    "number": "xsd:double",
    "date-time": "xsd:dateTime",
    "date": "xsd:date",
}
JSON = "application/json"
MAX_COUNT = 5000
BY_ID = "urn:ogc:def:query:OGC-WFS::GetFeatureById"  # the stored query that each server has
PROPERTY_TYPES = {
    "Point": "PointPropertyType", "MultiPoint": "MultiPointPropertyType", "LineString": "CurvePropertyType",
    "MultiLineString": "MultiCurvePropertyType", "Polygon": "SurfacePropertyType",
    "MultiPolygon": "MultiSurfacePropertyType",
}  # fmt: skip


class FeatureAnswers:
    """Answers the questions of both versions."""

    def __init__(self, depot: Depot, behaviour: Behaviour) -> None:
        self.depot, self.behaviour = depot, behaviour

    def routes(self) -> list[Route]:
        return [Route("/wfs", self.answer)]

    def answer(self, request: Request) -> Response:
        settings = settings_of(request)
        stated = settings.get("version", settings.get("acceptversions", "2.0.0").split(",")[0])
        version = "1.1.0" if stated.startswith("1") else "2.0.0"
        try:
            match settings.get("request", "").lower():
                case "getcapabilities":
                    return self._capabilities(request, version)
                case "describefeaturetype":
                    return self._schema(settings, version)
                case "getfeature" if version == "2.0.0" and "storedquery_id" in settings:
                    return self._feature(settings)
                case "getfeature":
                    return self._features(settings, version)
                case "liststoredqueries" | "describestoredqueries" as asked if version == "2.0.0":
                    return self._stored_queries(settings, described=asked.startswith("describe"))
                case other:
                    raise Refused("OperationNotSupported", f"there is no request '{other}'")
        except Refused as error:
            return answers.xml(
                document("ows_exception.xml", version=version, code=error.code, reason=error.reason), error.status
            )

    def _capabilities(self, request: Request, version: str) -> Response:
        types = [
            {
                "name": f"depot:{offer.id}",
                "title": offer.title,
                "systems": [_urn(crs) for crs in offer.systems],
                "degrees": offer.extent_in(DEGREES).bounds,
            }
            for offer in self.depot.feature_offers
        ]
        address = f"{answers.base_of(request)}/wfs?"
        template = "wfs_110.xml" if version == "1.1.0" else "wfs_200.xml"
        return answers.xml(
            document(template, title=self.depot.title, address=address, types=types, space=SPACE, count=MAX_COUNT)
        )

    def _stored_queries(self, settings: dict[str, str], *, described: bool) -> Response:
        stated = settings.get("storedquery_id", "") if described else ""
        unknown = [name for name in stated.split(",") if name not in ("", BY_ID)]
        if unknown:
            raise Refused("InvalidParameterValue", f"there is no stored query '{unknown[0]}'")
        template = "wfs_stored_query.xml" if described else "wfs_stored_queries.xml"
        return answers.xml(document(template, query=BY_ID, offers=self.depot.feature_offers, space=SPACE))

    def _feature(self, settings: dict[str, str]) -> Response:
        """Answer the one stored query that there is: a feature by its id."""
        if settings["storedquery_id"] != BY_ID:
            raise Refused("InvalidParameterValue", f"there is no stored query '{settings['storedquery_id']}'")
        name = settings.get("id", "")
        offer, row = self._place_of(name)
        if row not in self.depot.rows(offer):
            raise Refused("NotFound", f"there is no feature '{name}'", 404)
        crs = crs_of(settings.get("srsname", "")) or offer.crs
        flip = northing_first(crs) and not self.behaviour.wrong_axes
        return answers.xml(gml_feature(self.depot, offer, row, crs, flip=flip))

    def _place_of(self, name: str) -> tuple[Offer, int]:
        """Return the offer and the row that the id of a feature means, -1 for no number. Raises Refused."""
        layer, _, number = name.rpartition(".")
        offer = next((each for each in self.depot.feature_offers if each.id == layer), None)
        if offer is None:
            raise Refused("NotFound", f"there is no feature '{name}'", 404)
        return offer, int(number) if number.isdecimal() and len(number) < 19 else -1

    def _offers(self, settings: dict[str, str]) -> list[Offer]:
        stated = settings.get("typenames", settings.get("typename", ""))
        names = [name.rpartition(":")[2] for name in stated.split(",") if name]
        known = {offer.id: offer for offer in self.depot.feature_offers}
        unknown = [name for name in names if name not in known]
        if unknown:
            raise Refused("InvalidParameterValue", f"there is no feature type '{unknown[0]}'")
        return [known[name] for name in names]

    def _schema(self, settings: dict[str, str], version: str) -> Response:
        offers = self._offers(settings) or self.depot.feature_offers
        types = []
        for offer in offers:
            fields = []
            for field in offer.facts.fields:
                found = json_type(field.type)
                fields.append((xml_name(field.name), XSD.get(found.get("format", found["type"]), "xsd:string")))
            shape = PROPERTY_TYPES.get(offer.facts.geometry_type or "", "GeometryPropertyType")
            types.append({"name": offer.id, "fields": fields, "shape": f"gml:{shape}"})
        gml = "http://www.opengis.net/gml/3.2" if version == "2.0.0" else "http://www.opengis.net/gml"
        return answers.xml(document("wfs_schema.xml", types=types, gml=gml, space=SPACE, geometry=GEOMETRY_NAME))

    def _features(self, settings: dict[str, str], version: str) -> Response:
        ids = [each for each in settings.get("resourceid", settings.get("featureid", "")).split(",") if each]
        offers = self._offers(settings) or [found for found, _ in map(self._place_of, ids[:1])]
        if len(offers) != 1:
            raise Refused("MissingParameterValue", "one feature type must be asked for")
        (offer,) = offers
        crs = crs_of(settings.get("srsname", "")) or offer.crs
        flip = northing_first(crs) and not self.behaviour.wrong_axes
        rows = self.depot.rows(offer, self._extent(settings, offer))
        if ids:
            rows = rows[np.isin(rows, [row for found, row in map(self._place_of, ids) if found is offer])]
        start = number_in(settings, "startindex", 0, 10**9, 0)
        limit = number_in(settings, "count" if version == "2.0.0" else "maxfeatures", 0, 10**9, MAX_COUNT)
        page = rows[start : start + min(limit, MAX_COUNT)]
        matched = self.behaviour.counted(len(rows))
        if settings.get("resulttype", "").lower() == "hits":
            return answers.xml(document("wfs_hits.xml", version=version, matched=matched, made=time_stamp()))
        form = settings.get("outputformat", "")
        if form == JSON:
            texts = feature_texts(self.depot, offer, page, crs, flip=False)
            name = f'"crs": {{"type": "name", "properties": {{"name": "{_urn(crs)}"}}}}'
            head = f'"type": "FeatureCollection", "numberMatched": {matched}, "numberReturned": {len(page)}, {name}'
            return Response(f'{{{head}, "features": [{", ".join(texts)}]}}', media_type=JSON)
        return answers.xml(gml_collection(self.depot, offer, page, crs, flip=flip, matched=matched, version=version))

    def _extent(self, settings: dict[str, str], offer: Offer) -> Extent | None:
        stated = settings.get("bbox")
        if not stated:
            return None
        pieces = stated.split(",")
        try:
            a, b, c, d = (float(each) for each in pieces[:4])
        except ValueError:
            raise Refused("InvalidParameterValue", f"bbox is '{stated}'") from None
        name = pieces[4] if len(pieces) > 4 else settings.get("srsname", "")
        crs = crs_of(name) or offer.crs
        flip = northing_first(crs) and not self.behaviour.wrong_axes
        return Extent(b, a, d, c, crs) if flip else Extent(a, b, c, d, crs)


def _urn(crs: str) -> str:
    return f"urn:ogc:def:crs:{crs.replace(':', '::')}"
