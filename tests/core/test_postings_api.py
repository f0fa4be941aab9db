"""The outlets of a Depot by OGC API Features: read and changed by each who may, and nothing more, over a real server."""

from __future__ import annotations

import itertools
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time

import httpx
import pytest
from argon2 import PasswordHasher
from starlette.testclient import TestClient
from test_postings import FIELDS, rows

from brisk_atlas import cli, demo
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application, running_postings
from stand_in import independently

PASSWORD = "long enough 1"
UTM = "http://www.opengis.net/def/crs/EPSG/0/32727"
PEOPLE = {"nobody": None, "olga": ("olga", PASSWORD), "ada": ("ada", PASSWORD), "carl": ("carl", PASSWORD)}


@pytest.fixture
def store(place):
    made = DepotStore(place(), lambda file: People(file, PasswordHasher(1, 8, 1)))
    people = made.people
    people.join(people.invite(by="", owner=True), "olga", PASSWORD)
    people.join(people.invite(["team"], by="olga"), "ada", PASSWORD)
    people.join(people.invite(["others"], by="olga"), "carl", PASSWORD)
    posting = made.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    every = tuple(OutletField(each.name, each.name) for each in FIELDS)
    public = (OutletField("id", "id"), OutletField("place", "name"), OutletField("depth", "depth", 1))
    made.offer(Outlet("team", posting.id, "For the team", every, (("team", ALL_RIGHTS),)), by="olga")
    made.offer(
        Outlet("public", posting.id, "For all", public, ((EVERYBODY, frozenset({Right.READ})),), where="id < 5"),
        by="olga",
    )
    yield made
    made.close()


@pytest.fixture
def client(store):
    return TestClient(postings_application(store, "Tolvane Depot"))


def first(client):
    found = client.get("/collections/team/items?sortby=id&limit=1", auth=PEOPLE["ada"]).json()
    return client.get(f"/collections/team/items/{found['features'][0]['id']}", auth=PEOPLE["ada"])


def test_each_sees_the_collections_that_are_for_them(client):
    seen = {
        who: [c["id"] for c in client.get("/collections", auth=auth).json()["collections"]]
        for who, auth in PEOPLE.items()
    }
    assert seen == {"nobody": ["public"], "olga": ["public", "team"], "ada": ["public", "team"], "carl": ["public"]}
    about = client.get("/collections/public").json()
    assert about["rights"] == ["read"] and about["storageCrs"] == UTM
    west, south, east, north = about["extent"]["spatial"]["bbox"][0]
    assert -21.1 < west < east < -20.9 and -38.3 < south < north < -38.1
    schema = client.get("/collections/public/schema").json()["properties"]
    assert list(schema) == ["id", "name", "depth", "geometry"] and schema["depth"] == {
        "title": "depth", "type": "number", "x-ogc-unit": "m",
    }  # fmt: skip
    unknown = [client.get(path) for path in ("/collections/team", "/collections/nothing")]
    assert unknown[0].status_code == 404 and unknown[0].json() == unknown[1].json()


def test_rows_are_paged_filtered_sorted_and_in_the_crs_that_is_asked_for(client):
    whole = client.get("/collections/public/items").json()
    assert whole["numberMatched"] == whole["numberReturned"] == 5
    names, address = [], "/collections/public/items?limit=2"
    while address:
        page = client.get(address).json()
        names += [feature["id"] for feature in page["features"]]
        address = next((each["href"] for each in page["links"] if each["rel"] == "next"), None)
    assert names == [feature["id"] for feature in whole["features"]]
    sent = {"filter": "depth > 1.2 AND name <> 'p2'", "sortby": "-depth", "crs": UTM}
    found = client.get("/collections/public/items", params=sent)
    assert [f["properties"] for f in found.json()["features"]] == [
        {"id": 4, "name": "p4", "depth": 4.9}, {"id": 3, "name": "p3", "depth": 3.7},
    ]  # fmt: skip
    assert found.json()["features"][0]["geometry"]["coordinates"] == [500_040, 5_770_000]
    assert found.headers["content-crs"] == f"<{UTM}>"
    box = {"bbox": "500005,5769000,500025,5771000", "bbox-crs": UTM}
    assert {f["properties"]["id"] for f in client.get("/collections/public/items", params=box).json()["features"]} == {
        1,
        2,
    }
    assert [f["properties"]["id"] for f in client.get("/collections/public/items?name=p1").json()["features"]] == [1]


@pytest.mark.parametrize(
    "query",
    ["secret=s1", "filter=secret='s1'", "sortby=secret", "filter=length(name)>1", "filter=" + "(" * 1500 + "id=1" + ")" * 1500,
     "filter=" + "x" * 5000, "limit=0", "limit=a", "offset=-1", "offset=100001", "bbox=1,2,3", "bbox=a,b,c,d", "crs=EPSG:1",
     "filter=id=1;DROP TABLE edit", "filter-lang=other&filter=1=1", "id=none", "bbox=nan,0,1,1", "name=%00", "id=1e999"],
)  # fmt: skip
def test_what_can_t_be_asked_is_refused_alike_for_what_is_hidden_and_what_there_is_not(client, query):
    answer = client.get(f"/collections/public/items?{query}")
    assert answer.status_code == 400 and answer.json()["code"] == "InvalidParameterValue"
    if "secret" in query:
        other = client.get(f"/collections/public/items?{query.replace('secret', 'nosuch')}")
        assert other.text == answer.text.replace("secret", "nosuch")


def test_a_row_is_added_changed_replaced_and_deleted_each_by_its_state(client, store):
    ada = PEOPLE["ada"]
    feature = {
        "type": "Feature",
        "geometry": {"type": "Point", "coordinates": [-20.9, -38.2]},
        "properties": {"place": "new"},
    }
    made = client.post("/collections/team/items", json=feature, auth=ada)
    assert made.status_code == 201
    row = client.get(made.headers["location"], auth=ada)
    assert row.headers["etag"] == made.headers["etag"] and row.json()["properties"]["place"] == "new"
    assert row.json()["geometry"]["coordinates"] == pytest.approx([-20.9, -38.2], abs=1e-9)
    place, seen = made.headers["location"], {"If-Match": made.headers["etag"]}
    assert client.get(place, auth=ada, headers={"If-None-Match": seen["If-Match"]}).status_code == 304
    changed = client.patch(place, json={"properties": {"depth": 3.5}}, headers=seen, auth=ada)
    assert changed.json()["properties"]["depth"] == 3.5 and changed.json()["geometry"] == row.json()["geometry"]
    late = client.patch(place, json={"properties": {"depth": 9.0}}, headers=seen, auth=ada)
    assert late.status_code == 412 and late.json() == changed.json() and late.headers["etag"] == changed.headers["etag"]
    moved = {
        "type": "Feature",
        "geometry": {"type": "Point", "coordinates": [500_000.5, 5_770_001]},
        "properties": {"id": 77},
    }
    put = client.put(place, json=moved, headers={"If-Match": late.headers["etag"], "Content-Crs": f"<{UTM}>"}, auth=ada)
    assert put.json()["properties"] == {each.name: 77 if each.name == "id" else None for each in FIELDS}
    assert client.get(place, params={"crs": UTM}, auth=ada).json()["geometry"]["coordinates"] == [500_000.5, 5_770_001]
    for without in ({}, {"If-Match": "*"}):
        assert client.delete(place, headers=without, auth=ada).status_code == 428
    assert client.delete(place, headers={"If-Match": put.headers["etag"]}, auth=ada).status_code == 204
    assert client.get(place, auth=ada).status_code == 404
    assert [edit.account for edit in store.rows("gas_stations").edits()] == ["ada"] * 4


def test_every_role_method_path_and_outlet_gives_what_the_rights_say(client, store):
    """All that the description of the interface names, by everybody, at every outlet."""
    paths = client.get("/api").json()["paths"]
    expected = {("team", "olga"): ALL_RIGHTS, ("team", "ada"): ALL_RIGHTS, ("public", "olga"): ALL_RIGHTS}
    of_method = {
        "get": Right.READ,
        "post": Right.ADD,
        "put": Right.CHANGE,
        "patch": Right.CHANGE,
        "delete": Right.DELETE,
    }
    asked = 0
    for (path, methods), (who, auth), outlet in itertools.product(
        paths.items(), PEOPLE.items(), ("team", "public", "none")
    ):
        if "{id}" not in path:
            continue
        for method in methods:
            everywhere = {Right.READ} if outlet == "public" else set()
            rights = set(expected.get((outlet, who), ())) | everywhere
            name = next(iter(store.rows("gas_stations").all_rows())).name
            there = client.get(f"/collections/{outlet}/items/{name}", auth=auth)
            place = path.replace("{id}", outlet).replace("{row}", name)
            body = (
                {}
                if method in ("get", "delete")
                else {"json": {"type": "Feature", "properties": {"id": 2}, "geometry": None}}
            )
            before = len(store.rows("gas_stations").edits())
            answer = client.request(
                method, place, auth=auth, headers={"If-Match": there.headers.get("etag", '"x"')}, **body
            )
            right = of_method[method]
            allowed = right in rights
            if path.endswith(("/history", "/undo")):  # for those who may change something; there is no such edit
                allowed, right = bool(rights - {Right.READ}), Right.READ
                if path == "/collections/{id}/history":  # which wants a time
                    assert answer.status_code == (400 if rights else 404)
                    continue
                if allowed and path.endswith("/undo"):
                    assert answer.status_code == 410
                    continue
            assert answer.status_code == (404 if not rights else 403 if not allowed else answer.status_code), (
                who,
                method,
                place,
            )
            assert (answer.status_code < 300) == allowed, (who, method, place, answer.text)
            assert len(store.rows("gas_stations").edits()) - before == (allowed and right is not Right.READ)
            asked += 1
    assert asked > 80
    methods = [client.request(m, "/collections/public/items", json={}).status_code for m in ("PUT", "DELETE", "PATCH")]
    assert methods == [405] * 3


def test_logins_that_are_wrong_are_refused_and_those_of_pages_elsewhere_send_nothing(client, store):
    for headers in ({"Authorization": "Basic b2xnYTp3cm9uZw=="}, {"Authorization": "Bearer guess"}, {"Authorization": "Basic ???"},
                    {"Authorization": "Digest x"}):  # fmt: skip
        answer = client.get("/collections", headers=headers)
        assert answer.status_code == 401 and "Basic" in answer.headers["www-authenticate"]
    row = first(client)
    for content in ("text/plain", "application/x-www-form-urlencoded", "multipart/form-data", ""):
        sent = {"Content-Type": content, "If-Match": row.headers["etag"]}
        answer = client.post(
            "/collections/team/items", content=b'{"type": "Feature"}', headers=sent, auth=PEOPLE["ada"]
        )
        assert answer.status_code == 415
    answer = client.get("/collections")
    assert answer.headers["x-content-type-options"] == "nosniff" and "access-control-allow-origin" not in answer.headers
    assert (
        answer.headers["cache-control"] == "no-store"
        and "default-src 'none'" in answer.headers["content-security-policy"]
    )
    assert store.rows("gas_stations").edits() == []


@pytest.mark.parametrize(
    ("body", "status"),
    [(b"", 400), (b"[]", 400), (b"{", 400), (b"[" * 100_000, 400), (b'{"type": "Point"}', 400), (b'{"properties": []}', 400),
     (b'{"properties": {"depth": "deep"}}', 422), (b'{"properties": {"nosuch": 1}}', 422), (b'{"properties": {"depth": NaN}}', 422),
     (b'{"geometry": {"type": "Point", "coordinates": ["a"]}}', 400), (b'{"geometry": {"type": "Strange"}}', 400),
     (b'{"geometry": {"type": "LineString", "coordinates": [[0, 0], [1, 1]]}}', 422), (b"\xff\xfe", 400),
     (b'{"geometry": {"type": "Point", "coordinates": [0, 1e300]}}', 400), (b'{"properties": {"place": "\\ud800"}}', 422), (b'{"properties": {"\\ud800": 1}}', 422),
     (b" " * 10_000_001, 413)],
)  # fmt: skip
def test_bodies_that_are_no_features_change_nothing(client, store, body, status):
    sent = {"Content-Type": "application/geo+json"}
    answer = client.post("/collections/team/items", content=body, headers=sent, auth=PEOPLE["ada"])
    assert answer.status_code == status and answer.json()["description"]
    assert store.rows("gas_stations").edits() == []


def test_text_from_data_and_people_comes_out_as_text(client, store):
    fields = (PostedField("<b>", FieldType.TEXT),)
    posting = store.post("<script>", fields, [({"<b>": "</script><script>alert(1)"}, None)], owner="olga")
    store.offer(
        Outlet("odd", posting.id, "<img src=x>", (OutletField("<b>", "<b>"),), ((EVERYBODY, frozenset({Right.READ})),)),
        by="olga",
    )
    answer = client.get("/collections/odd/items")
    assert answer.json()["features"][0]["properties"]["<b>"].startswith("</script>")
    assert answer.headers["content-type"].startswith("application/geo+json")
    page = client.post("/join/nothing", data={"name": '"><script>alert(1)</script>', "password": "x"})
    assert page.status_code == 400 and "<script>" not in page.text and "&lt;script&gt;" in page.text


def free_port():
    with socket.socket() as spot:
        spot.bind(("127.0.0.1", 0))
        return spot.getsockname()[1]


def test_a_depot_is_made_served_and_joined_and_other_clients_read_it(tmp_path, capsys):
    folder, port = tmp_path / "depot", free_port()

    def depot(*arguments):
        code = cli.main(["depot", arguments[0], "--store", str(folder), *arguments[1:]])
        return code, capsys.readouterr()

    assert depot("post", f"{demo.DATA / 'tolvane_survey.gpkg'}#lava_flows")[1].out == "lava_flows\n"
    offered = depot("offer", "lava_flows", "--title", "Flows", "--to", "everybody:read", "team:change", "--fields", "flow_id",
                    "year", "volume_m3=volume:0", "--where", "year >= 2031", "--id", "flows")  # fmt: skip
    assert offered[1].out == "flows\n"
    assert depot("offer", "lava_flows", "--title", "X", "--to", "all:everything")[0] == 1
    assert depot("offer", "nothing", "--title", "X", "--to", "everybody")[1].err.startswith("There is no nothing")
    assert "flows: Flows, 3 fields; everybody may read; team may change" in depot("list")[1].out
    secret = depot("invite", "--circle", "team")[1].out.strip()
    served = subprocess.Popen(
        [sys.executable, "-m", "brisk_atlas", "depot", "serve", "--store", str(folder), "--port", str(port)],
        stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    try:
        owner = re.search(r"http\S+/join/\S+", served.stdout.readline())[0]
        base = served.stdout.readline().split()[-1].rstrip("/")
        until = time.monotonic() + 30
        while time.monotonic() < until:
            try:
                httpx.get(f"{base}/conformance")
                break
            except httpx.ConnectError:
                time.sleep(0.1)
        for address, name in ((owner, "olga"), (f"{base}/join/{secret}", "ada")):
            assert "Choose a name" in httpx.get(address).text
            assert "is made" in httpx.post(address, data={"name": name, "password": PASSWORD}).text
            assert httpx.post(address, data={"name": "eve", "password": PASSWORD}).status_code == 400
        printed = independently(f"""
import json, pyogrio
from owslib.ogcapi.features import Features
info = pyogrio.read_info("OAPIF:{base}", layer="flows")
meta, table = pyogrio.read_arrow("OAPIF:{base}", layer="flows")
api = Features("{base}")
print(json.dumps([info["crs"], table.num_rows, sorted(set(table.column_names)), [c["id"] for c in api.collections()["collections"]],
                  len(api.collection_items("flows")["features"])]))
""")
        crs, count, columns, collections, items = json.loads(printed)
        assert crs in ("EPSG:4326", "EPSG:32727") and count == items > 0 and collections == ["flows"]
        assert {"flow_id", "year", "volume"} <= set(columns) and "vent" not in columns
        row = httpx.get(f"{base}/collections/flows/items?limit=1").json()["features"][0]
        place = f"{base}/collections/flows/items/{row['id']}"
        seen = httpx.get(place).headers["etag"]
        refused = httpx.patch(place, json={"properties": {"flow_id": "x"}}, headers={"If-Match": seen})
        assert refused.status_code == 403
        changed = httpx.patch(
            place, json={"properties": {"flow_id": "x"}}, headers={"If-Match": seen}, auth=("ada", PASSWORD)
        )
        assert changed.status_code == 200 and httpx.get(place).json()["properties"]["flow_id"] == "x"
    finally:
        served.send_signal(signal.SIGINT)
        served.wait(20)
    log = depot("audit")[1].out
    assert "olga  join" in log and PASSWORD not in log and secret not in log
    assert depot("withdraw", "flows")[0] == 0 and depot("withdraw", "lava_flows")[0] == 0 and depot("list")[1].out == ""


def test_connections_that_send_nothing_or_little_are_ended_and_keep_nobody_out(store, monkeypatch):
    monkeypatch.setattr("brisk_atlas.core.depot.patient_protocol.QUESTION_S", 0.5)
    monkeypatch.setattr("brisk_atlas.core.depot.guarding.BODY_S", 0.5)
    with running_postings(store, "Tolvane Depot") as address:
        host, port = address.removeprefix("http://").split(":")
        slow = [socket.create_connection((host, int(port))) for _ in range(100)]
        for number, each in enumerate(slow):
            each.settimeout(20)
            each.sendall(b"GET / HTTP/1.1\r\nHost: x\r\nX: " if number % 2 else b"")
        assert httpx.get(f"{address}/collections").status_code == 200
        assert all(each.recv(1000) == b"" for each in slow)  # the server has ended them
        begun = socket.create_connection((host, int(port)))
        begun.settimeout(20)
        begun.sendall(
            b"POST /collections/public/items HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 900\r\n\r\n{"
        )
        assert b" 408 " in begun.recv(1000)
        with httpx.Client() as client:  # one that goes on asking stays
            for _ in range(3):
                assert client.get(f"{address}/collections").status_code == 200
                time.sleep(0.3)


def test_pages_of_allowed_sites_read_what_is_for_everybody(store):
    with running_postings(store, "Tolvane Depot", allowed=["https://maps.example"]) as address:
        for site, allowed in (("https://maps.example", "https://maps.example"), ("https://other.example", None)):
            answer = httpx.get(f"{address}/collections", headers={"Origin": site})
            assert answer.headers.get("access-control-allow-origin") == allowed
            assert "access-control-allow-credentials" not in answer.headers
        asked = {"Origin": "https://maps.example", "Access-Control-Request-Method": "DELETE"}
        assert httpx.options(f"{address}/collections/public/items/x", headers=asked).status_code == 400
