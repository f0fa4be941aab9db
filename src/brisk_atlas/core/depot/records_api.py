"""OGC API Records (20-004r1): a collection whose items are the records of what is offered."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from brisk_atlas.core.model import Extent
from brisk_atlas.core.record.model import Contact

from . import answers
from .answers import Refused, number_in, numbers_in, settings_of
from .api_links import GEOJSON, link
from .catalogue import CatalogueEntry, entries_of
from .offers import DEGREES, Depot

RECORDS = "records"  # the name of the collection
USUAL_LIMIT, MAX_LIMIT = 10, 1000
CORE = "http://www.opengis.net/spec/ogcapi-records-1/1.0/req/record-core"


def about_records(base: str) -> dict[str, Any]:
    """Return what a list of collections says of this one."""
    here = f"{base}/collections/{RECORDS}"
    links = [link(here, "self", "application/json"), link(f"{here}/items", "items", GEOJSON)]
    return {"id": RECORDS, "title": "Records", "itemType": "record", "links": links}


class RecordsApiAnswers:
    """Answers about the collection."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot

    def routes(self) -> list[Route]:
        here = f"/collections/{RECORDS}"
        return [Route(here, self.about), Route(f"{here}/items", self.items), Route(f"{here}/items/{{id}}", self.item)]

    def about(self, request: Request) -> Response:
        return JSONResponse(about_records(answers.base_of(request)))

    def items(self, request: Request) -> Response:
        settings, base = settings_of(request), answers.base_of(request)
        try:
            box = Extent.of(numbers_in(settings, "bbox", 4), DEGREES) if "bbox" in settings else None
            offset = number_in(settings, "offset", 0, 10**9, 0)
            limit = min(number_in(settings, "limit", 1, 10**9, USUAL_LIMIT), MAX_LIMIT)
        except Refused as error:
            return JSONResponse({"code": error.code, "description": error.reason}, error.status)
        found = [entry for entry in entries_of(self.depot, base) if entry.has(settings.get("q", ""), box)]
        page = found[offset : offset + limit]
        links = [link(str(request.url), "self", GEOJSON)]
        if offset + limit < len(found):
            following = str(request.url.include_query_params(offset=offset + limit, limit=limit))
            links.append(link(following, "next", GEOJSON))
        answer = {"type": "FeatureCollection", "numberMatched": len(found), "numberReturned": len(page)}
        features = [_record(entry, base) for entry in page]
        return JSONResponse(answer | {"links": links, "features": features}, media_type=GEOJSON)

    def item(self, request: Request) -> Response:
        base, name = answers.base_of(request), request.path_params["id"]
        found = next((entry for entry in entries_of(self.depot, base) if entry.id == name), None)
        if found is None:
            return JSONResponse({"code": "NotFound", "description": f"there is no record '{name}'"}, 404)
        return JSONResponse(_record(found, base), media_type=GEOJSON)


def _record(entry: CatalogueEntry, base: str) -> dict[str, Any]:
    geometry = None
    if entry.degrees is not None:
        west, south, east, north = entry.degrees
        ring = [[west, south], [east, south], [east, north], [west, north], [west, south]]
        geometry = {"type": "Polygon", "coordinates": [ring]}
    links = [{"href": each.url, "rel": "item", "title": each.description} for each in entry.record.links]
    stated = {
        "type": "dataset", "title": entry.record.title, "description": entry.record.abstract,
        "keywords": entry.keywords, "contacts": _contacts(entry.record.contacts),
    }  # fmt: skip
    return {
        "type": "Feature", "id": entry.id, "geometry": geometry,
        "conformsTo": [CORE], "time": None, "properties": stated,
        "links": [link(f"{base}/collections/{RECORDS}/items/{entry.id}", "self", GEOJSON), *links],
    }  # fmt: skip


def _contacts(contacts: Iterable[Contact]) -> list[dict[str, Any]]:
    found = []
    for each in contacts:
        stated = {"name": each.person, "organization": each.organisation, "emails": each.email, "roles": each.role}
        made: dict[str, Any] = {key: text for key, text in stated.items() if text}
        made |= {"emails": [{"value": each.email}]} if each.email else {}
        made |= {"roles": [each.role]} if each.role else {}
        found.append(made)
    return [each for each in found if "name" in each or "organization" in each]
