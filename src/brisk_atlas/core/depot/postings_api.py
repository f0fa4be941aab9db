"""OGC API Features over the outlets of a Depot: parts 1 (17-069r4), 2 (18-058r1), 3 (19-079r2), 4 (20-002, where each
change names the state that it is of) and 5 (23-058)."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from brisk_atlas.core.connect.ows import northing_first
from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.model.extent import Extent
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.record.document import written
from brisk_atlas.core.record.model import Link
from brisk_atlas.core.record.standards import STANDARDS

from .answers import Refused, base_of, number_in, numbers_in
from .api_description import described
from .api_links import GEOJSON, link
from .guarding import SAFE, Answer, guarded
from .offers import DEGREES
from .ogc_api import CRS84, crs_address
from .outlet_services import OutletServices
from .posting_features import JSON_TYPES, feature_of, sent_values, sent_wkb
from .postings.depot_store import DepotStore, EditConflict
from .postings.outlet import Outlet
from .postings.outlet_rows import OutletRows, RowsAsked, ShownRow
from .postings.outlet_ways import OfferedService, services_of
from .postings.posted_rows import RowGone
from .postings.posting import Posting
from .postings.rights import Identity
from .row_questions import OWN_SETTINGS, filter_asked, instant_of, order_asked

log = logging.getLogger(__name__)
PARTS = (
    "ogcapi-common-1/1.0/conf/core", "ogcapi-common-2/1.0/conf/collections", "ogcapi-features-1/1.0/conf/core",
    "ogcapi-features-1/1.0/conf/geojson", "ogcapi-features-1/1.0/conf/oas30", "ogcapi-features-2/1.0/conf/crs",
    "ogcapi-features-4/1.0/conf/create-replace-delete", "ogcapi-features-4/1.0/conf/update",
    "ogcapi-features-4/1.0/conf/optimistic-locking-etags", "ogcapi-features-3/1.0/conf/queryables",
    "ogcapi-features-3/1.0/conf/queryables-query-parameters", "ogcapi-features-3/1.0/conf/filter",
    "ogcapi-features-3/1.0/conf/features-filter", "ogcapi-features-5/1.0/conf/schemas",
    "ogcapi-features-5/1.0/conf/core-roles-features", "ogcapi-features-5/1.0/conf/returnables-and-receivables",
    *(f"cql2/1.0/conf/{each}" for each in (
        "cql2-text", "cql2-json", "basic-cql2", "advanced-comparison-operators", "case-insensitive-comparison",
        "accent-insensitive-comparison", "basic-spatial-functions", "basic-spatial-functions-plus", "spatial-functions",
        "temporal-functions", "property-property", "arithmetic",
    )),
)  # fmt: skip
OPENAPI = "application/vnd.oai.openapi+json;version=3.0"
RELATIONS = "http://www.opengis.net/def/rel/ogc/1.0/"
USUAL_LIMIT, MAX_LIMIT, MOST_SKIPPED = 100, 5_000, 100_000
MOST_OF_MARK = 200  # characters of what is not to be added twice
RECORD_FORMS = {
    "iso": ("ISO 19115-3", "record.xml"),
    "dcat": ("DCAT-AP", "record.ttl"),
}  # the standard, and a file of it
RECORD_TYPES = {"iso": "application/xml", "dcat": "text/turtle"}
SENT = ("application/merge-patch+json", GEOJSON, "application/json")


class PostingsApi:
    """Answers about the outlets of a store, to each who asks about those that they may read."""

    def __init__(self, store: DepotStore, services: OutletServices, title: str) -> None:
        self.store, self.services, self.title = store, services, title

    def routes(self) -> list[Route]:
        item = "/collections/{id}/items/{row}"
        deeds: list[tuple[str, str, Answer]] = [
            ("GET", "/conformance", self.conformance),
            ("GET", "/api", self.definition),
            ("GET", "/collections", self.collections),
            ("GET", "/collections/{id}", self.collection),
            ("GET", "/collections/{id}/schema", self.schema),
            ("GET", "/collections/{id}/queryables", partial(self.schema, closed=True)),
            ("GET", "/collections/{id}/record", self.record),
            ("GET", "/collections/{id}/items", self.items),
            ("POST", "/collections/{id}/items", self.add),
            ("GET", item, self.item),
            ("PUT", item, partial(self.change, whole=True)),
            ("PATCH", item, self.change),
            ("DELETE", item, self.delete),
            ("GET", "/collections/{id}/changes", self.changes),
            ("GET", "/collections/{id}/history", self.as_it_was),
            ("GET", f"{item}/history", self.history),
            ("POST", f"{item}/undo", self.undo),
        ]
        found = [Route(path, guarded(self.store, answer), methods=[method]) for method, path, answer in deeds]
        methods: dict[str, list[str]] = {}
        for method, path, _ in deeds:
            methods.setdefault(path, []).append(method)
        return found + [Route(path, _options(each), methods=["OPTIONS"], include_in_schema=False)
                        for path, each in methods.items()]  # fmt: skip

    # What there is

    def landing(self, request: Request, who: Identity, body: bytes) -> Response:
        base = base_of(request)
        links = [
            link(f"{base}/", "self", "application/json"),
            link(f"{base}/api", "service-desc", OPENAPI),
            link(f"{base}/conformance", "conformance", "application/json"),
            link(f"{base}/collections", "data", "application/json"),
        ]
        return JSONResponse({"title": self.title, "links": links})

    def conformance(self, request: Request, who: Identity, body: bytes) -> Response:
        return JSONResponse({"conformsTo": [f"http://www.opengis.net/spec/{part}" for part in PARTS]})

    def definition(self, request: Request, who: Identity, body: bytes) -> Response:
        text = json.dumps(described(self.title, [Route("/", guarded(self.store, self.landing)), *self.routes()]))
        return Response(text, media_type=OPENAPI)

    def collections(self, request: Request, who: Identity, body: bytes) -> Response:
        base = base_of(request)
        found = [self._about_any(each.id, who, base) for each in self.store.readable(who)]
        return JSONResponse({"links": [link(f"{base}/collections", "self", "application/json")], "collections": found})

    def collection(self, request: Request, who: Identity, body: bytes) -> Response:
        return JSONResponse(self._about_any(request.path_params["id"], who, base_of(request)))

    def _about_any(self, name: str, who: Identity, base: str) -> dict[str, Any]:
        outlet, posting = self.store.seen(name, who)
        if posting.has_rows and OfferedService.FEATURES in outlet.services:
            return self._about(self.store.rows_shown(outlet, posting), who, base)
        here, page = f"{base}/collections/{name}", f"{base}/pages/{name}"
        forms = outlet.forms(posting)
        links = [
            link(here, "self", "application/json"),
            link(page, "alternate", "text/html"),
            link(f"{here}/record", "describedby", RECORD_TYPES["iso"]),
            link(f"{here}/record?f=dcat", "describedby", RECORD_TYPES["dcat"]),
        ]
        links += [link(f"{page}/download/{key}", "enclosure", form.media_type) for key, form in forms.items()]
        links += _tile_links(outlet, posting, base)
        rights = sorted(self.store.rights(outlet, who))
        return {"id": name, "title": outlet.title, "description": outlet.summary, "rights": rights, "links": links}

    def _about(self, shown: OutletRows, who: Identity, base: str) -> dict[str, Any]:
        outlet, posting = shown.outlet, shown.rows.posting
        here = f"{base}/collections/{outlet.id}"
        about: dict[str, Any] = {
            "id": outlet.id, "title": outlet.title, "description": outlet.summary, "itemType": "feature",
            "rights": sorted(self.store.rights(outlet, who)),
            "links": [
                link(here, "self", "application/json"),
                link(f"{here}/items", "items", GEOJSON),
                link(f"{here}/changes", "changes", GEOJSON),
                link(f"{here}/schema", "describedby", "application/schema+json"),
                link(f"{here}/schema", f"{RELATIONS}schema", "application/schema+json"),
                link(f"{here}/queryables", f"{RELATIONS}queryables", "application/schema+json"),
                link(f"{here}/record", "describedby", RECORD_TYPES["iso"]),
                link(f"{here}/record?f=dcat", "describedby", RECORD_TYPES["dcat"]),
            ],
        }  # fmt: skip
        if posting.crs is not None:
            about |= {"crs": [CRS84, crs_address(posting.crs)], "storageCrs": crs_address(posting.crs)}
            about["links"] += _tile_links(outlet, posting, base)
            bounds = self.store.figures(shown).extent
            placed = transform_extent(Extent(*bounds, posting.crs), DEGREES) if bounds is not None else None
            if placed is not None:
                about["extent"] = {"spatial": {"bbox": [list(placed.bounds)], "crs": CRS84}}
        return about

    def schema(self, request: Request, who: Identity, body: bytes, *, closed: bool = False) -> Response:
        """Answer with the fields; `closed` where they are those that conditions can name, and no others."""
        shown = self._shown(request, who)
        instant = instant_of(shown)
        roles = {instant: {"x-ogc-role": "primary-instant"}} if instant else {}
        fields: dict[str, Any] = {
            name: {"title": name, **JSON_TYPES[field.type], **roles.get(name, {})}
            for name, field in shown.fields.items()
        }
        for name, field in shown.fields.items():
            fields[name] |= {"x-ogc-unit": field.unit} if field.unit else {}
        if shown.rows.posting.has_shapes:
            kind = shown.rows.posting.geometry_type.lower().removesuffix(" z")
            form = "geometry-any" if kind == "unknown" else f"geometry-{kind}"
            fields["geometry"] = {"format": form, "x-ogc-role": "primary-geometry"}
        schema: dict[str, Any] = {
            "$schema": "https://json-schema.org/draft/2020-12/schema", "$id": str(request.url), "type": "object",
            "title": shown.outlet.title, "properties": fields,
        }  # fmt: skip
        if closed:
            schema["additionalProperties"] = False
        return Response(json.dumps(schema), media_type="application/schema+json")

    def record(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the record of an outlet: in ISO 19115-3, or as DCAT-AP in Turtle."""
        (outlet, posting), form = self.store.seen(request.path_params["id"], who), request.query_params.get("f", "iso")
        if form not in RECORD_TYPES:
            raise Refused("InvalidParameterValue", f"records come as {' or '.join(RECORD_TYPES)}")
        page = Link(f"{base_of(request)}/pages/{outlet.id}", outlet.title, "The page of it", "WWW:LINK")
        record = replace(self.services.record(outlet, posting), links=(page,))
        standard, name = RECORD_FORMS[form]
        document = written(STANDARDS[standard], STANDARDS[standard].adapted(record), Path(name))
        return Response(document.data, media_type=RECORD_TYPES[form])

    # Rows

    def items(self, request: Request, who: Identity, body: bytes) -> Response:
        shown = self._shown(request, who)
        settings = dict(request.query_params)
        strange = settings.keys() - OWN_SETTINGS - shown.fields.keys()
        if strange:
            raise Refused("InvalidParameterValue", f"there is no setting '{min(strange)}'")
        filter_crs, flipped = self._system(shown, settings.get("filter-crs"))
        condition = filter_asked(shown, settings, filter_crs, flip=flipped)
        asked = RowsAsked(self._box(shown, settings), filter=condition, order=order_asked(settings))
        limit = min(number_in(settings, "limit", 1, 10**9, USUAL_LIMIT), MAX_LIMIT)
        skip = number_in(settings, "offset", 0, MOST_SKIPPED, 0)
        crs, flip = self._system(shown, settings.get("crs"))
        rows = shown.page(asked, limit + 1, after=settings.get("after", ""), skip=skip)
        page = rows[:limit]
        links = [link(str(request.url), "self", GEOJSON)]
        if len(rows) > limit:
            further = {"offset": skip + limit} if asked.order else {"after": page[-1].name}
            links.append(link(str(request.url.include_query_params(**further)), "next", GEOJSON))
        found: dict[str, Any] = {"type": "FeatureCollection", "numberReturned": len(page), "links": links}
        count = shown.count(asked)
        if count is not None:
            found["numberMatched"] = count
        found["features"] = [self._stated(row, shown, crs, flip=flip) for row in page]
        return _geojson(found, crs)

    def item(self, request: Request, who: Identity, body: bytes) -> Response:
        shown = self._shown(request, who)
        row = shown.row(request.path_params["row"])
        if row is None:
            raise RowGone(request.path_params["row"])
        if row.state in _states(request, "if-none-match"):
            return Response(status_code=304, headers={"ETag": f'"{row.state}"'})
        return self._one(shown, row, request)

    def add(self, request: Request, who: Identity, body: bytes) -> Response:
        shown = self._shown(request, who)
        feature = _parsed(request, body)
        crs, flip = self._system(shown, _sent_crs(request))
        wkb = sent_wkb(feature.get("geometry"), shown.rows.posting, crs, flip=flip)
        mark = request.headers.get("idempotency-key", "").strip()[:MOST_OF_MARK]
        row = self.store.add_row(shown.outlet.id, who, sent_values(feature), wkb, mark)
        place = f"{base_of(request)}/collections/{shown.outlet.id}/items/{row.name}"
        return Response(status_code=201, headers={"Location": place, "ETag": f'"{row.state}"'})

    def change(self, request: Request, who: Identity, body: bytes, *, whole: bool = False) -> Response:
        """Change what a feature that is sent has; where it stands for the whole, all else becomes missing."""
        shown = self._shown(request, who)
        feature = _parsed(request, body)
        crs, flip = self._system(shown, _sent_crs(request))
        values = sent_values(feature)
        if whole:
            exact = {each.name for each in shown.outlet.fields if each.decimals is None}
            values = dict.fromkeys(exact) | values
        has_shape = "geometry" in feature or whole
        made = sent_wkb(feature.get("geometry"), shown.rows.posting, crs, flip=flip) if has_shape else None
        try:
            row = self.store.change_row(
                shown.outlet.id, who, request.path_params["row"], _state_named(request), values,
                lambda stored: made if has_shape else stored,
            )  # fmt: skip
        except EditConflict as conflict:
            return self._one(shown, conflict.now, request, 412)
        return self._one(shown, row, request)

    def delete(self, request: Request, who: Identity, body: bytes) -> Response:
        shown = self._shown(request, who)
        try:
            self.store.delete_row(shown.outlet.id, who, request.path_params["row"], _state_named(request))
        except EditConflict as conflict:
            return self._one(shown, conflict.now, request, 412)
        return Response(status_code=204)

    # What was done

    def changes(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with what changed since a cursor that was handed out before."""
        shown = self._shown(request, who)
        found = self.store.changes(shown.outlet.id, who, request.query_params.get("since", ""))
        crs, flip = self._system(shown, request.query_params.get("crs"))
        features = [self._stated(row, shown, crs, flip=flip) for row in found.changed]
        return JSONResponse({"type": "FeatureCollection", "features": features, "gone": found.gone,
                             "cursor": found.cursor})  # fmt: skip

    def history(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with what was done to a row, for those who may change something."""
        shown, row = self._shown(request, who), request.path_params["row"]
        crs, flip = self._system(shown, request.query_params.get("crs"))

        def stated(each: ShownRow | None) -> dict[str, Any] | None:
            return self._stated(each, shown, crs, flip=flip) if each is not None else None

        edits = [
            {"edit": e.edit, "at": e.at, "by": e.account, "before": stated(e.before), "after": stated(e.after)}
            for e in self.store.history(shown.outlet.id, who, row)
        ]
        return JSONResponse({"edits": edits})

    def as_it_was(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the rows as they were at a time, for those who may change something."""
        shown, text = self._shown(request, who), request.query_params.get("at", "")
        try:
            when = datetime.fromisoformat(text)
        except ValueError:
            raise Refused("InvalidParameterValue", "at is a time such as 2031-06-24T12:00:00Z") from None
        when = when.replace(tzinfo=UTC) if when.tzinfo is None else when
        crs, flip = self._system(shown, request.query_params.get("crs"))
        rows = self.store.as_it_was(shown.outlet.id, who, when)
        features = [self._stated(row, shown, crs, flip=flip) for row in rows]
        return _geojson({"type": "FeatureCollection", "numberReturned": len(rows), "features": features}, crs)

    def undo(self, request: Request, who: Identity, body: bytes) -> Response:
        """Take back an edit of one's own, or any as an owner."""
        shown, sent = self._shown(request, who), _parsed(request, body)
        row = self.store.undo_through(shown.outlet.id, who, request.path_params["row"], str(sent.get("edit", "")))
        return self._one(shown, row, request) if row is not None else Response(status_code=204)

    @staticmethod
    def _stated(row: ShownRow, shown: OutletRows, crs: str, *, flip: bool) -> dict[str, Any]:
        """Return a row as a feature that has its state beside, which a change of it must name."""
        return feature_of(row, shown.rows.posting, crs, flip=flip) | {"state": row.state}

    def _one(self, shown: OutletRows, row: ShownRow, request: Request, status: int = 200) -> Response:
        crs, flip = self._system(shown, request.query_params.get("crs"))
        feature = feature_of(row, shown.rows.posting, crs, flip=flip)
        here = f"{base_of(request)}/collections/{shown.outlet.id}"
        feature["links"] = [
            link(f"{here}/items/{row.name}", "self", GEOJSON),
            link(here, "collection", "application/json"),
        ]
        answer = _geojson(feature, crs, status)
        answer.headers["ETag"] = f'"{row.state}"'
        return answer

    def _shown(self, request: Request, who: Identity) -> OutletRows:
        shown = self.store.through(request.path_params["id"], who)
        if OfferedService.FEATURES not in shown.outlet.services:
            raise Refused("NotFound", "its rows are not handed out by this interface", 404)
        return shown

    def _system(self, shown: OutletRows, stated: str | None) -> tuple[str, bool]:
        """Return the CRS that an address means, and whether its northings come first."""
        own = shown.rows.posting.crs
        if stated in (None, CRS84):
            return DEGREES, False
        if own is not None and stated == crs_address(own):
            return own, northing_first(own)
        raise Refused("InvalidParameterValue", f"the CRS '{stated}' is not offered")

    def _box(self, shown: OutletRows, settings: dict[str, str]) -> tuple[float, float, float, float] | None:
        if "bbox" not in settings:
            return None
        own = shown.rows.posting.crs
        if own is None:
            raise Refused("InvalidParameterValue", "these rows have no places")
        numbers = settings["bbox"].split(",")
        flat = {"bbox": ",".join((*numbers[:2], *numbers[3:5])) if len(numbers) == 6 else settings["bbox"]}
        a, b, c, d = numbers_in(flat, "bbox", 4)
        crs, flip = self._system(shown, settings.get("bbox-crs"))
        box = Extent(b, a, d, c, crs) if flip else Extent(a, b, c, d, crs)
        try:
            placed = transform_extent(box, own)
        except CannotPlace as error:
            raise Refused("InvalidParameterValue", f"the box has no place: {error.reason}") from None
        if placed is None:
            raise Refused("InvalidParameterValue", f"the box has no place in {own}")
        return placed.bounds


def _tile_links(outlet: Outlet, posting: Posting, base: str) -> list[dict[str, str]]:
    """Return links to the tiles that an outlet has."""
    here, able = f"{base}/services/collections/{outlet.id}", set(services_of(posting)) & set(outlet.services)
    kinds = {OfferedService.MAPS: ("map/tiles", "tilesets-map"), OfferedService.TILES: ("tiles", "tilesets-vector")}
    return [link(f"{here}/{path}", f"{RELATIONS}{relation}", "application/json")
            for service, (path, relation) in kinds.items() if service in able]  # fmt: skip


def _options(methods: list[str]) -> Callable[[Request], Response]:
    """Return what answers which methods a path has."""
    headers = {"Allow": ", ".join([*methods, "OPTIONS"])}
    headers |= {"Accept-Patch": ", ".join(SENT)} if "PATCH" in methods else {}
    return lambda request: Response(status_code=200, headers={**SAFE, **headers})


def _parsed(request: Request, body: bytes) -> dict[str, Any]:
    """Return the feature that was sent. Other types of body are refused: a page elsewhere could have a browser send
    them in the name of its user."""
    if request.headers.get("content-type", "").partition(";")[0].strip().lower() not in SENT:
        raise Refused("InvalidParameterValue", f"a body of {GEOJSON} is wanted", 415)
    try:
        found = json.loads(body)
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, dict):
        raise Refused("InvalidParameterValue", "the body is no GeoJSON feature")
    return found


def _states(request: Request, header: str) -> list[str]:
    return [each.strip().removeprefix("W/").strip('"') for each in request.headers.get(header, "").split(",")]


def _state_named(request: Request) -> str:
    """Return the state of the row that a change is of. Raises Refused where it names none."""
    stated = request.headers.get("if-match", "").strip()
    if not stated or stated == "*":
        raise Refused("PreconditionRequired", "If-Match must name the ETag of the feature that was seen", 428)
    return _states(request, "if-match")[0]


def _sent_crs(request: Request) -> str | None:
    stated = request.headers.get("content-crs")
    return stated.strip().strip("<>") if stated else None


def _geojson(content: dict[str, Any], crs: str, status: int = 200) -> Response:
    text = json.dumps(content, ensure_ascii=False, allow_nan=False)
    return Response(text, status, media_type=GEOJSON, headers={"Content-Crs": f"<{crs_address(crs)}>"})
