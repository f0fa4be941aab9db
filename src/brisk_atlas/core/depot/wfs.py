"""Web Feature Service 1.1.0 and 2.0.0 (OGC 04-094, 09-025r2), to read from."""

from __future__ import annotations

from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from brisk_atlas.core.connect.ows import crs_of, northing_first
from brisk_atlas.core.model import Extent

from . import answers
from .answers import Refused, document, number_in, settings_of
from .behaviour import Behaviour
from .features import GEOMETRY_NAME, SPACE, feature_texts, gml_collection, json_type, xml_name
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
                case "getfeature":
                    return self._features(settings, version)
                case "liststoredqueries" if version == "2.0.0":
                    return answers.xml(
                        document("wfs_stored_queries.xml", offers=self.depot.feature_offers, space=SPACE)
                    )
                case other:
                    raise Refused("OperationNotSupported", f"there is no request '{other}'")
        except Refused as error:
            return answers.xml(
                document("ows_exception.xml", version=version, code=error.code, reason=error.reason), 400
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
        offers = self._offers(settings)
        if len(offers) != 1:
            raise Refused("MissingParameterValue", "one feature type must be asked for")
        (offer,) = offers
        crs = crs_of(settings.get("srsname", "")) or offer.crs
        flip = northing_first(crs) and not self.behaviour.wrong_axes
        rows = self.depot.rows(offer, self._extent(settings, offer))
        start = number_in(settings, "startindex", 0, 10**9, 0)
        limit = number_in(settings, "count" if version == "2.0.0" else "maxfeatures", 0, 10**9, MAX_COUNT)
        page = rows[start : start + min(limit, MAX_COUNT)]
        matched = self.behaviour.counted(len(rows))
        if settings.get("resulttype", "").lower() == "hits":
            return answers.xml(document("wfs_hits.xml", version=version, matched=matched))
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
