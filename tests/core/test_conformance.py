"""The classes of conformance that a Depot claims, by the abstract test suites of their standards.

Each test names the tests of the suite (17-069r4 annex A, 18-058r1 annex A, 19-079r2 annex A, 20-002 annex A, 23-058
annex A); they are asked as a client that knows the standard alone would.
"""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapely
from argon2 import PasswordHasher
from jsonschema import Draft202012Validator
from starlette.testclient import TestClient

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application
from brisk_atlas.core.place import transform

SPEC = "http://www.opengis.net/spec"
CRS84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"
UTM = "http://www.opengis.net/def/crs/EPSG/0/32727"
ADA = ("ada", "long enough 1")
FIELDS = {"n": FieldType.INTEGER, "name": FieldType.TEXT, "since": FieldType.DATE, "depth": FieldType.NUMBER}
COUNT = 40


@pytest.fixture(scope="module")
def web(tmp_path_factory):
    store = DepotStore(tmp_path_factory.mktemp("depot"), lambda database: People(database, PasswordHasher(1, 8, 1)))
    store.people.join(store.people.invite(["team"], by=""), *ADA)
    rows = [({"n": n, "name": f"p{n % 5}", "since": f"2031-06-{1 + n % 28:02}" if n else None, "depth": n / 2},
             shapely.Point(500_000 + 100 * n, 5_770_000 + 50 * n).wkb if n != 7 else None) for n in range(COUNT)]  # fmt: skip
    posting = store.post(
        "It", [PostedField(*each) for each in FIELDS.items()], rows, owner="", crs="EPSG:32727", geometry_type="Point"
    )
    shown = tuple(OutletField(name, name) for name in FIELDS)
    rights = (("team", ALL_RIGHTS), (EVERYBODY, frozenset({Right.READ})))
    store.offer(Outlet("it", posting.id, "It", shown, rights), by="")
    store.offer(Outlet("other", posting.id, "Other", shown[:1], rights), by="")
    yield TestClient(postings_application(store, "Tolvane Depot"))
    store.close()


def found(web, path, **settings):
    answer = web.get(path, params={name.replace("_", "-"): value for name, value in settings.items()})
    assert answer.status_code == 200, (path, settings, answer.text[:300])
    return answer.json()


def items(web, **settings):
    return found(web, "/collections/it/items", **settings)["features"]


def by_relation(content):
    links = {}
    for each in content["links"]:
        assert each["href"].startswith("http") and each["rel"] and each["type"]  # core/rel-type
        links.setdefault(each["rel"], []).append(each)
    return links


def inside(tree, name):
    """Return the schema of a component of the description, with all that it names."""
    text = json.dumps(tree["components"]["schemas"]).replace("#/components/schemas/", "#/$defs/")
    defs = json.loads(text.replace('"nullable": true, "allOf"', '"anyOf"'))
    for each in defs.values():
        for part in each.get("properties", {}).values():
            if "anyOf" in part:
                part["anyOf"].append({"type": "null"})
            if part.get("nullable"):
                part["type"] = [part["type"], "null"]
    return Draft202012Validator({"$defs": defs, "$ref": f"#/$defs/{name}"})


def test_every_class_that_is_claimed_is_tested_here(web):
    claimed = set(found(web, "/conformance")["conformsTo"])
    tested = {f"{SPEC}/{each}" for each in (
        "ogcapi-common-1/1.0/conf/core", "ogcapi-common-2/1.0/conf/collections", "ogcapi-features-1/1.0/conf/core",
        "ogcapi-features-1/1.0/conf/geojson", "ogcapi-features-1/1.0/conf/oas30", "ogcapi-features-2/1.0/conf/crs",
        "ogcapi-features-3/1.0/conf/queryables", "ogcapi-features-3/1.0/conf/queryables-query-parameters",
        "ogcapi-features-3/1.0/conf/filter", "ogcapi-features-3/1.0/conf/features-filter",
        "ogcapi-features-4/1.0/conf/create-replace-delete", "ogcapi-features-4/1.0/conf/update",
        "ogcapi-features-4/1.0/conf/optimistic-locking-etags", "ogcapi-features-5/1.0/conf/schemas",
        "ogcapi-features-5/1.0/conf/core-roles-features", "ogcapi-features-5/1.0/conf/returnables-and-receivables",
    )}  # fmt: skip
    assert {
        each for each in claimed if "/cql2/" not in each
    } == tested  # those of CQL2 have a file of tests of their own


def test_the_way_in_leads_to_all_there_is(web):
    """core/root-op, root-success, api-definition-op, api-definition-success, conformance-op, conformance-success."""
    api, landing = found(web, "/api"), found(web, "/")
    inside(api, "landingPage").validate(landing)
    links = by_relation(landing)
    assert {"self", "service-desc", "conformance", "data"} <= links.keys()
    assert api["openapi"].startswith("3.0") and "/collections/{id}/items" in api["paths"]
    for relation in ("service-desc", "conformance", "data"):
        (each,) = links[relation]
        answer = web.get(each["href"])
        assert answer.status_code == 200 and answer.headers["content-type"].partition(";")[0] in each["type"]
    inside(api, "confClasses").validate(found(web, "/conformance"))


def test_collections_and_each_of_them(web):
    """core/fc-md-op, fc-md-success, fc-md-links, fc-md-items, sfc-md-op, sfc-md-success; crs/crs-uri, storage-crs."""
    api, listed = found(web, "/api"), found(web, "/collections")
    inside(api, "collections").validate(listed)
    assert "self" in by_relation(listed) and [each["id"] for each in listed["collections"]] == ["it", "other"]
    for each in listed["collections"]:
        links = by_relation(each)
        assert links["items"][0]["type"] == "application/geo+json"
        assert found(web, f"/collections/{each['id']}") == each
        (west, south, east, north) = each["extent"]["spatial"]["bbox"][0]
        assert -21.1 < west < east < -20.9 and -38.3 < south < north < -38.1
        assert CRS84 in each["crs"] and each["storageCrs"] in each["crs"]
    assert web.get("/collections/none").status_code == 404


def test_features_come_in_pages_that_hold_each_once(web):
    """core/fc-op, fc-response, fc-links, fc-timestamp, fc-numberMatched, fc-numberReturned, fc-limit-definition,
    fc-limit-response; geojson/content, geojson/definition."""
    api = found(web, "/api")
    whole = found(web, "/collections/it/items", limit=1000)
    inside(api, "featureCollection").validate(whole)
    assert whole["numberMatched"] == whole["numberReturned"] == len(whole["features"]) == COUNT
    address, seen = "/collections/it/items?limit=7", []
    while address:
        answer = web.get(address)
        assert answer.headers["content-type"] == "application/geo+json"
        page = answer.json()
        assert page["numberMatched"] == COUNT and page["numberReturned"] == len(page["features"]) <= 7
        seen += [each["id"] for each in page["features"]]
        links = by_relation(page)
        assert web.get(links["self"][0]["href"]).json()["features"] == page["features"]
        address = links["next"][0]["href"] if "next" in links else ""
    assert len(seen) == len(set(seen)) == COUNT
    parameters = {each["name"] for each in api["paths"]["/collections/{id}/items"]["get"]["parameters"]}
    assert {"limit", "bbox", "datetime", "crs", "bbox-crs", "filter", "filter-lang", "filter-crs"} <= parameters


def test_boxes_and_times_choose_features(web):
    """core/fc-bbox-definition, fc-bbox-response, fc-time-definition, fc-time-response, param-unknown, param-invalid."""
    utm = np.column_stack([500_000 + 100.0 * np.arange(COUNT), 5_770_000 + 50.0 * np.arange(COUNT)])
    degrees = transform(utm, "EPSG:32727", "OGC:CRS84")
    west, south = degrees[9] - 1e-6
    east, north = degrees[19] + 1e-6
    for box in (f"{west},{south},{east},{north}", f"{west},{south},-10,{east},{north},10"):
        assert sorted(each["properties"]["n"] for each in items(web, bbox=box)) == list(range(9, 20))
    assert items(web, bbox="0,0,1,1") == []
    days = {each["properties"]["n"]: each["properties"]["since"] for each in items(web, limit=1000)}

    def of(holds):
        return sorted(
            n for n, day in days.items() if day is None or holds(day)
        )  # what is of no time is always among them

    for stated, holds in (
        ("2031-06-05", lambda day: day == "2031-06-05"), ("2031-06-05T12:00:00Z", lambda day: day == "2031-06-05"),
        ("2031-06-03/2031-06-06", lambda day: "2031-06-03" <= day <= "2031-06-06"), ("../2031-06-02", lambda day: day <= "2031-06-02"),
        ("2031-06-27/..", lambda day: day >= "2031-06-27"), ("/2031-06-02", lambda day: day <= "2031-06-02"),
        ("2030-01-01T00:00:00Z/2031-06-01T23:00:00+02:00", lambda day: day == "2031-06-01"),
    ):  # fmt: skip
        assert sorted(each["properties"]["n"] for each in items(web, limit=1000, datetime=stated)) == of(holds), stated
    for wrong in ({"bbox": "1,2,3"}, {"bbox": "a,b,c,d"}, {"limit": "-1"}, {"limit": "x"}, {"datetime": "yesterday"}, {"datetime": "../.."},
                  {"datetime": "2031-06-06/2031-06-03"}, {"unknown": "1"}, {"crs": "none"}, {"filter": "n ="}):  # fmt: skip
        answer = web.get("/collections/it/items", params=wrong)
        assert answer.status_code == 400, wrong
        inside(found(web, "/api"), "exception").validate(answer.json())
    assert len(items(web, limit=1000, datetime="1900-01-01")) == len(of(lambda day: False)) == 1
    assert found(web, "/collections/other/items", datetime="1900-01-01")["numberMatched"] == COUNT  # none is of a time


def test_one_feature_leads_back_to_its_collection(web):
    """core/f-op, f-success, f-links."""
    api, each = found(web, "/api"), items(web, filter="n = 3")[0]
    answer = web.get(f"/collections/it/items/{each['id']}")
    feature = answer.json()
    inside(api, "feature").validate(feature)
    links = by_relation(feature)
    assert web.get(links["self"][0]["href"]).json() == feature
    assert web.get(links["collection"][0]["href"]).json()["id"] == "it"
    assert {**feature, "links": 0} == {**each, "links": 0} | {"links": 0} or feature["properties"] == each["properties"]
    assert web.get("/collections/it/items/none").status_code == 404


def test_coordinates_come_and_are_asked_in_the_systems_that_are_offered(web):
    """crs/crs-parameter, crs-parameter-default, ogc-crs-header, bbox-crs-parameter, bbox-crs-parameter-default."""
    plain = web.get("/collections/it/items?n=3")
    assert plain.headers["content-crs"] == f"<{CRS84}>"
    moved = web.get("/collections/it/items", params={"n": "3", "crs": UTM})
    assert moved.headers["content-crs"] == f"<{UTM}>"
    assert moved.json()["features"][0]["geometry"]["coordinates"] == [500_300.0, 5_770_150.0]
    degrees = plain.json()["features"][0]["geometry"]["coordinates"]
    expected = transform(np.array([[500_300.0, 5_770_150.0]]), "EPSG:32727", "OGC:CRS84")[0]
    assert np.abs(np.array(degrees) - expected).max() < 1e-9
    box = {"bbox": "500250,5770100,500350,5770200", "bbox-crs": UTM}
    assert [each["properties"]["n"] for each in web.get("/collections/it/items", params=box).json()["features"]] == [3]
    for wrong in ({"crs": "http://www.opengis.net/def/crs/EPSG/0/3857"}, {"bbox": "0,0,1,1", "bbox-crs": "EPSG:32727"}):
        assert web.get("/collections/it/items", params=wrong).status_code == 400


def test_queryables_and_schemas_say_what_can_be_asked(web):
    """features-3: queryables/get-queryables, queryables/link, queryables-query-parameters/parameters,
    filter/filter-param, filter-lang-param, filter-crs; features-5: schemas/op, schemas/response, roles."""
    links = by_relation(found(web, "/collections/it"))
    (queryables,) = links["http://www.opengis.net/def/rel/ogc/1.0/queryables"]
    (schema,) = links["http://www.opengis.net/def/rel/ogc/1.0/schema"]
    for each, closed in ((queryables, True), (schema, False)):
        answer = web.get(each["href"])
        assert answer.headers["content-type"].startswith("application/schema+json")
        stated = answer.json()
        Draft202012Validator.check_schema(stated)
        assert (
            stated["$schema"].endswith("2020-12/schema")
            and stated["$id"] == each["href"]
            and stated["type"] == "object"
        )
        assert (
            set(stated["properties"]) == {*FIELDS, "geometry"}
            and (stated.get("additionalProperties") is False) == closed
        )
        assert stated["properties"]["geometry"] == {"format": "geometry-point", "x-ogc-role": "primary-geometry"}
        assert stated["properties"]["since"]["x-ogc-role"] == "primary-instant"
        values = {name: part for name, part in stated["properties"].items() if name != "geometry"}
        for feature in items(web, limit=1000, filter="since IS NOT NULL"):
            Draft202012Validator({"properties": values}).validate(feature["properties"])
    assert [each["properties"]["n"] for each in items(web, name="p3", n="8")] == [8]
    utm = items(web, filter="S_INTERSECTS(geometry, POINT(500300 5770150))", filter_crs=UTM, filter_lang="cql2-text")
    assert [each["properties"]["n"] for each in utm] == [3]


def test_features_are_created_replaced_updated_and_deleted(web):
    """features-4: create-replace-delete/*, update/*, optimistic-locking-etags/*."""
    for path, methods in (
        ("/collections/it/items", {"GET", "POST"}),
        ("/collections/it/items/x", {"GET", "PUT", "PATCH", "DELETE"}),
    ):
        answer = web.options(path)
        assert answer.status_code == 200 and methods <= {each.strip() for each in answer.headers["allow"].split(",")}
    assert "application/merge-patch+json" in web.options("/collections/it/items/x").headers["accept-patch"]
    feature = {
        "type": "Feature",
        "geometry": {"type": "Point", "coordinates": [-20.95, -38.2]},
        "properties": {"n": 500, "name": "new"},
    }
    headers = {"Content-Type": "application/geo+json"}
    made = web.post("/collections/it/items", content=json.dumps(feature), headers=headers, auth=ADA)
    assert made.status_code == 201 and made.headers["location"].startswith("http")
    here = made.headers["location"]
    stored = web.get(here)
    assert stored.json()["properties"]["n"] == 500 and stored.headers["etag"] == made.headers["etag"]
    assert np.abs(np.array(stored.json()["geometry"]["coordinates"]) - [-20.95, -38.2]).max() < 1e-9
    state = stored.headers["etag"]
    changed = {**feature, "properties": {"n": 501}}
    put = web.put(here, content=json.dumps(changed), headers={**headers, "If-Match": state}, auth=ADA)
    assert put.status_code == 200 and web.get(here).json()["properties"] == {
        "n": 501,
        "name": None,
        "since": None,
        "depth": None,
    }
    patch = {**headers, "Content-Type": "application/merge-patch+json"}
    late = web.patch(here, content='{"properties": {"name": "late"}}', headers={**patch, "If-Match": state}, auth=ADA)
    assert late.status_code == 412
    state = web.get(here).headers["etag"]
    now = web.patch(here, content='{"properties": {"name": "now"}}', headers={**patch, "If-Match": state}, auth=ADA)
    assert now.status_code == 200 and web.get(here).json()["properties"]["n"] == 501
    assert web.get(here, headers={"If-None-Match": now.headers["etag"]}).status_code == 304
    assert web.delete(here, auth=ADA).status_code == 428
    assert web.delete(here, headers={"If-Match": now.headers["etag"]}, auth=ADA).status_code == 204
    assert web.get(here).status_code == 404
    assert web.delete(here, headers={"If-Match": now.headers["etag"]}, auth=ADA).status_code == 404


def test_tiles_of_maps_and_features_are_found_from_the_collection(web):
    """tiles-1: core/tc-op, tc-success, tc-error; tileset/desc-links, desc-success (20-057 annex A)."""
    claimed = found(web, "/services/conformance")["conformsTo"]
    assert [each.removeprefix(f"{SPEC}/") for each in claimed] == [
        "ogcapi-common-1/1.0/conf/core", "ogcapi-common-2/1.0/conf/collections", "ogcapi-tiles-1/1.0/conf/core",
        "ogcapi-tiles-1/1.0/conf/tileset",
    ]  # fmt: skip
    links = by_relation(found(web, "/collections/it"))
    for relation, kind, media in (
        ("tilesets-map", "map", "image/png"),
        ("tilesets-vector", "vector", "application/vnd.mapbox-vector-tile"),
    ):
        (listed,) = links[f"http://www.opengis.net/def/rel/ogc/1.0/{relation}"]
        (brief,) = found(web, listed["href"])["tilesets"]
        about = found(web, by_relation(brief)["self"][0]["href"])
        assert about["dataType"] == brief["dataType"] == kind and about["tileMatrixSetURI"].endswith("/WebMercatorQuad")
        inner = by_relation(about)
        assert {"self", "item", "http://www.opengis.net/def/rel/ogc/1.0/tiling-scheme"} <= inner.keys()
        (template,) = inner["item"]
        assert template["templated"] is True and template["type"] == media
        for level, row, column, status in (
            ("10", 629, 452, {200}),
            ("0", 0, 0, {200}),
            ("10", 99_999, 0, {400, 404}),
            ("99", 0, 0, {400, 404}),
        ):
            address = (
                template["href"]
                .replace("{tileMatrix}", level)
                .replace("{tileRow}", str(row))
                .replace("{tileCol}", str(column))
            )
            answer = web.get(address)
            assert answer.status_code in status, (address, answer.status_code)
            if answer.status_code == 200:
                assert answer.headers["content-type"].partition(";")[0] == media and answer.content
