"""Outlets as pages, files, maps and tiles: whole without scripts, read by others, and silent about what is left out."""

from __future__ import annotations

import asyncio
import io
import re
from pathlib import Path

import numpy as np
import pyogrio
import pytest
import shapely
from argon2 import PasswordHasher
from owslib.wfs import WebFeatureService
from owslib.wms import WebMapService
from owslib.wmts import WebMapTileService
from PIL import Image
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.support.ui import WebDriverWait
from starlette.testclient import TestClient
from test_postings import BEN, FIELDS

from brisk_atlas.core.depot.moment_memory import MomentMemory
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.outlet_record import record_text
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.outlet_style import style_for
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application, running_postings
from brisk_atlas.core.model import Label, VectorStyle
from brisk_atlas.core.model.style import ClassLook, Stretch
from brisk_atlas.core.record.document import document_in
from brisk_atlas.core.record.model import Constraint, Contact, DatedEvent, Entity, FieldDefinition, Record
from browser import browser, needs_browser, violations
from stand_in import independently

PASSWORD = "long enough 1"
ADA = ("ada", PASSWORD)
SECRET, HOSTILE = "whispered", '<script>alert("x")</script>&'
X, Y = 504_000, 5_770_000


RECORD = Record(
    title="Plots of Tolvane", abstract="Plots as surveyed in 2031.", lineage="Walked with a tape by Edda Holm.",
    contacts=(Contact(person="Edda Holm", organisation="Tolvane Survey Office", role="pointOfContact", phone="0031", email="plots@survey.tolvane.example"),),
    constraints=(Constraint(kind="legal", other=("Free for all, with credit",)),), dates=(DatedEvent("2031-07-01", "publication"),),
    entities=(Entity("plots", fields=(FieldDefinition("depth", definition="below the surface"), FieldDefinition("secret", definition="whispered of"))),),
)  # fmt: skip


def rows():
    for n in range(40):
        place = HOSTILE if n == 3 else f"p{n:02d}"
        values = {"id": n, "place": place, "depth": n * 1.234, "secret": f"{SECRET}{n}", "open": n % 2 == 0,
                  "since": f"2031-06-{1 + n % 28:02d}", "seen": f"2031-06-24T12:{n:02d}:00Z"}  # fmt: skip
        yield values, shapely.to_wkb(shapely.box(X + 50 * n, Y, X + 50 * n + 30, Y + 30 * (1 + n % 3)))


@pytest.fixture
def store(tmp_path):
    made = DepotStore(tmp_path / "depot", lambda file: People(file, PasswordHasher(1, 8, 1)))
    people = made.people
    people.join(people.invite(by="", owner=True), "olga", PASSWORD)
    people.join(people.invite(["team"], by="olga"), "ada", PASSWORD)
    posting = made.post(
        "Plots", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Polygon", record=record_text(RECORD)
    )
    every = tuple(OutletField(each.name, each.name) for each in FIELDS)
    public = (
        OutletField("id", "id"),
        OutletField("place", "name"),
        OutletField("depth", "depth", 1),
        OutletField("open", "open"),
    )
    made.offer(Outlet("team", posting.id, "For the team", every, (("team", ALL_RIGHTS),)), by="olga")
    made.offer(
        Outlet("public", posting.id, "Plots for all", public, ((EVERYBODY, frozenset({Right.READ})),), where="id < 30",
               summary=f"All about plots {HOSTILE}"), by="olga",
    )  # fmt: skip
    yield made
    made.close()


@pytest.fixture
def client(store):
    return TestClient(postings_application(store, "Tolvane Depot"))


def change(store, id_, **values):
    (row,) = [each for each in store.through("team", BEN).page(RowsAsked(), 100) if each.values["id"] == id_]
    store.change_row("team", BEN, row.name, row.state, values)


BOX = "bbox=-2350000,-4660000,-2310000,-4620000"
TILE = "/services/xyz/public/10/452/629.png"
PLACES = (
    "/", "/pages", "/pages/public", "/pages/public?field=name&is=~&value=p", "/pages/public/map.png?" + BOX, "/collections",
    "/collections/public", "/collections/public/items", "/collections/public/schema", "/services/", "/services/collections",
    "/services/collections/public", "/services/collections/public/items", "/services/wms?service=WMS&request=GetCapabilities",
    "/services/wfs?service=WFS&version=2.0.0&request=GetCapabilities", TILE, "/services/vectortiles.json",
    "/services/wfs?service=WFS&version=2.0.0&request=GetFeature&typenames=public",
    "/services/wfs?service=WFS&version=2.0.0&request=DescribeFeatureType&typenames=public",
    "/services/wfs?service=WFS&version=2.0.0&request=DescribeStoredQueries",
    "/services/wfs?service=WFS&version=2.0.0&request=GetFeature&resourceid=" + ",".join(f"public.{n}" for n in range(60)),
    "/services/wmts?service=WMTS&request=GetCapabilities", "/services/vectortiles/10/452/629.mvt",
    "/services/wms?service=WMS&version=1.1.1&request=GetMap&layers=public&styles=&srs=EPSG:3857&format=image/png&width=200&height=200&" + BOX,
)  # fmt: skip


def test_every_place_answers_everybody_and_none_says_what_is_left_out(client):
    for place in PLACES:
        answer = client.get(place, headers={"Accept": "text/html"} if place.startswith(("/pages", "/?")) else {})
        assert answer.status_code == 200, (place, answer.text[:300])
        for word in (SECRET, "secret", "p31", "since", "team"):
            assert word not in answer.text.replace("service=", ""), (place, word)
        assert (
            answer.headers["x-content-type-options"] == "nosniff"
            and "frame-ancestors 'none'" in answer.headers["content-security-policy"]
        )
    by_id = "/services/wfs?service=WFS&version=2.0.0&request=GetFeature&storedquery_id=urn:ogc:def:query:OGC-WFS::GetFeatureById"
    answers = [client.get(f"{by_id}&id={layer}.{n}") for layer in ("public", "team") for n in range(60)]
    assert 0 < sum(each.status_code == 200 for each in answers) < 60
    assert all(each.status_code == 404 for each in answers[60:])
    assert not any(word in each.text for each in answers for word in (SECRET, "p31"))
    assert client.get("/pages/public/map.png?" + BOX).headers["cache-control"] == "no-store"
    seen = client.get("/services/collections", auth=ADA).json()["collections"]
    assert {"team", "public"} <= {each["id"] for each in seen}
    for place in ("/services/wms", "/pages/public"):
        assert client.get(place, auth=("ada", "wrong")).status_code == 401
    assert client.get("/pages/team").status_code == client.get("/pages/none").status_code == 404
    assert client.get("/assets/../pages.py").status_code == client.get("/assets/none").status_code == 404


@pytest.mark.parametrize("form", ["gpkg", "geojson", "csv", "shapefile", "kml", "flatgeobuf", "geoparquet"])
def test_files_hold_what_is_shown_and_another_library_reads_it(client, tmp_path, form):
    answer = client.get(f"/pages/public/download/{form}")
    ending = answer.headers["content-disposition"].rpartition(".")[2].strip('"')
    file = tmp_path / f"public.{ending}"
    file.write_bytes(answer.content)
    if ending == "parquet":
        import pyarrow.parquet as pq

        table = pq.read_table(file)
    else:
        path = f"/vsizip/{file}/public.shp" if ending == "zip" else file
        meta, table = pyogrio.read_arrow(path)
        assert ending == "csv" or meta["crs"] in ("EPSG:32727", "EPSG:4326")
    assert table.num_rows == 30 and not {"secret", "since", "seen"} & set(table.column_names)
    depth = sorted(float(each) for each in table.column("depth").to_pylist())
    assert np.abs(depth - np.arange(30) * 1.234).max() <= 0.0501 and np.allclose(np.round(depth, 1), depth)
    assert SECRET.encode() not in answer.content and b"p31" not in answer.content
    assert client.get("/pages/public/download/exe").status_code == 404


def test_pictures_and_states_change_with_what_is_shown_alone(client, store):
    places = (
        TILE,
        "/pages/public/map.png?" + BOX,
        "/collections/public/items",
        "/services/wfs?service=WFS&request=GetFeature&version=2.0.0&typenames=public",
    )
    first = [client.get(place) for place in places]
    again = client.get(TILE, headers={"If-None-Match": first[0].headers["etag"]})
    assert again.status_code == 304 and not again.content
    assert len(np.unique(np.asarray(Image.open(io.BytesIO(first[0].content))).reshape(-1, 4), axis=0)) > 1
    change(store, 2, secret="other", since="2000-01-01")
    change(store, 35, depth=0.0)
    change(store, 4, depth=4 * 1.234 + 0.001)
    for place, before in zip(places, first):
        after = client.get(place)
        assert re.sub(r'timeStamp="[^"]*"', "", after.text) == re.sub(r'timeStamp="[^"]*"', "", before.text)
        assert after.headers.get("etag") == before.headers.get("etag") or "timeStamp" in after.text
    change(store, 2, id=50)
    assert client.get(TILE).content != first[0].content and client.get(TILE).headers["etag"] != first[0].headers["etag"]
    assert "p02" not in client.get("/collections/public/items").text


@pytest.mark.parametrize(
    ("asked", "count"),
    [("field=name&is=~&value=p1", 10), ("field=id&is=<&value=5", 5), ("field=depth&is=>&value=30", 5), ("field=open&is==&value=yes", 15),
     ("field=name&is=null", 0), ("field=name&is=known", 30), ("field=id&is=<>&value=3", 29), ("field=secret&is==&value=x", 30),
     ("field=name&is==&value='; DROP TABLE edit--", 0), ("is=odd&from=5", 30)],
)  # fmt: skip
def test_the_table_of_a_page_is_filtered_sorted_and_paged_without_scripts(client, asked, count):
    text = client.get(f"/pages/public?{asked}").text
    assert f"{count} row{'s' if count != 1 else ''}" in text
    names = re.findall(r"<td>(p\d\d)</td>", client.get("/pages/public?sort=-name").text)
    assert names == sorted(names, reverse=True) and len(names) == 25
    further = client.get("/pages/public?sort=-name&from=25").text
    assert (
        len(re.findall(r"<td>p\d\d</td>", further)) == 4
        and "&lt;script&gt;" in further
        and "<script>alert" not in further
    )
    wrong = client.get("/pages/public?field=id&is=<&value=many")
    assert wrong.status_code == 200 and "id has numbers" in wrong.text


def test_the_record_is_full_for_colleagues_and_derived_for_everybody(client):
    def read(place, **login):
        answer = client.get(place, **login)
        assert answer.status_code == 200
        return document_in(answer.content, Path("record.ttl" if "dcat" in place else "record.xml")).record

    full = read("/collections/team/record", auth=ADA)
    assert full.contacts == RECORD.contacts and full.lineage == RECORD.lineage and full.abstract == RECORD.abstract
    assert {each.name: each.definition for each in full.entities[0].fields if each.definition} == {
        "depth": "below the surface",
        "secret": "whispered of",
    }
    public = read("/collections/public/record")
    assert (
        public.title == "Plots for all"
        and public.constraints == RECORD.constraints
        and public.dates[0].day == "2031-07-01"
    )
    assert [(each.person, each.organisation, each.phone) for each in public.contacts] == [
        ("", "Tolvane Survey Office", "")
    ]
    assert public.lineage == "" and [each.name for each in public.entities[0].fields] == ["id", "name", "depth", "open"]
    assert -21 < public.boxes[0].west < public.boxes[0].east < -20.9
    dcat = read("/collections/public/record?f=dcat")
    assert dcat.title == "Plots for all" and "Edda" not in client.get("/collections/public/record?f=dcat").text
    page = client.get("/pages/public").text
    assert (
        "Free for all, with credit" in page
        and "Tolvane Survey Office" in page
        and "Edda" not in page
        and "tape" not in page
    )
    assert "tape" in client.get("/pages/team", auth=ADA).text
    found = client.get(
        "/services/csw?service=CSW&version=2.0.2&request=GetRecords&elementsetname=full&resulttype=results&typenames=csw:Record"
    ).text
    assert "Plots for all" in found and "Edda" not in found
    assert (
        client.get("/collections/team/record").status_code == 404
        and client.get("/collections/public/record?f=x").status_code == 400
    )


def test_a_look_says_nothing_of_what_an_outlet_leaves_out():
    look = VectorStyle(colour_by="place", method="unique", class_looks=(ClassLook("whispered"),), stretch=Stretch("hand", 0.0, 99.0),
                       width_by="depth", label=Label("secret"))  # fmt: skip
    fields = (OutletField("place", "name"), OutletField("depth", "depth", 1))
    every = style_for(look, Outlet("", "plots", "x", fields, ()))
    assert (every.colour_by, every.class_looks, every.width_by, every.label) == ("name", look.class_looks, None, None)
    some = style_for(look, Outlet("", "plots", "x", fields, (), where="id < 30"))
    assert (some.colour_by, some.class_looks, some.stretch) == ("name", (), VectorStyle().stretch)
    assert style_for(look, Outlet("", "plots", "x", fields[1:], ())).class_looks == ()


def test_a_client_that_reads_slowly_keeps_nobody_waiting_and_one_answer_serves_all_who_wait():
    worked = []

    async def app(scope, receive, send):
        worked.append(scope["path"])
        await asyncio.sleep(0.05)
        length = b"5" if scope["path"] == "/small" else b"5000000"
        await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", length)]})
        await send({"type": "http.response.body", "body": b"hello"})

    class Store:
        database = property(lambda self: self)
        version_seen = staticmethod(lambda: 1)

    async def both(path):
        memory, never, got = MomentMemory(app, Store()), asyncio.Event(), []
        scope = {"type": "http", "method": "GET", "path": path, "query_string": b"", "headers": []}

        async def slow(message):
            await never.wait()

        async def quick(message):
            got.append(message)

        stuck = asyncio.create_task(memory(scope, None, slow))
        await asyncio.sleep(0.01)
        await asyncio.wait_for(asyncio.gather(*(memory(scope, None, quick) for _ in range(3))), 10)
        stuck.cancel()
        return [message["body"] for message in got if "body" in message]

    assert asyncio.run(both("/small")) == [b"hello"] * 3 and worked == ["/small"]
    assert asyncio.run(both("/large")) == [b"hello"] * 3


def test_other_libraries_read_the_services(store):
    with running_postings(store, "Tolvane Depot") as address:
        wms = WebMapService(f"{address}/services/wms", version="1.3.0")
        assert list(wms.contents) == ["public"] and wms["public"].title == "Plots for all"
        box = wms["public"].boundingBoxWGS84
        assert -21.1 < box[0] < box[2] < -20.9 and -38.3 < box[1] < box[3] < -38.1
        picture = wms.getmap(
            layers=["public"],
            styles=[""],
            srs="EPSG:4326",
            bbox=box,
            size=(300, 100),
            format="image/png",
            transparent=True,
        )
        assert len(np.unique(np.asarray(Image.open(io.BytesIO(picture.read()))).reshape(-1, 4), axis=0)) > 1
        wfs = WebFeatureService(f"{address}/services/wfs", version="2.0.0")
        assert set(wfs.get_schema("public")["properties"]) == {"id", "name", "depth", "open"}
        wmts = WebMapTileService(f"{address}/services/wmts")
        tile = wmts.gettile(
            layer="public", tilematrixset="WebMercatorQuad", tilematrix="10", row=629, column=452, format="image/png"
        )
        assert Image.open(io.BytesIO(tile.read())).size == (256, 256)
        for place in (f"WFS:{address}/services/wfs", f"OAPIF:{address}/services/"):
            script = f"import pyogrio; _, t = pyogrio.read_arrow({place!r}, layer='public'); print(t.num_rows, 'secret' in t.column_names)"
            assert independently(script).strip() == "30 False"


def test_a_browser_without_scripts_has_all_of_it_and_one_on_a_phone_too(store):
    needs_browser()
    with running_postings(store, "Tolvane Depot") as address:
        with browser(scripts=False) as page:
            page.get(address)
            page.find_element("link text", "Plots for all").click()
            picture = page.find_element("css selector", "#map img")
            assert picture.size["width"] > 500 and int(picture.get_property("naturalWidth")) == 840
            page.find_element("link text", "Closer").click()
            assert page.find_element("css selector", "#map img").get_attribute("src").count(",") == 3
            page.find_element("link text", "depth").click()
            WebDriverWait(page, 60).until(lambda page: page.find_elements("css selector", "th[aria-sort=ascending]"))
            assert page.find_element("css selector", "th[aria-sort=ascending]").text.startswith("depth")
            page.find_element("name", "value").send_keys("p07")
            page.find_element("css selector", "form.filter select").send_keys("name")
            page.find_element("css selector", "form.filter button").click()
            first = lambda page: [each.text for each in page.find_elements("css selector", "#rows tbody td")][:2]  # noqa: E731
            WebDriverWait(page, 60, ignored_exceptions=(StaleElementReferenceException,)).until(
                lambda page: first(page) == ["7", "p07"]
            )
        with browser(width=500, height=900) as page:
            page.get(f"{address}/pages/public")
            assert page.execute_script("return document.documentElement.scrollWidth - innerWidth") <= 0
            tiles = "return [...document.querySelectorAll('#map .sheet img')].filter(i => i.complete && i.naturalWidth).length"
            WebDriverWait(page, 60).until(lambda page: page.execute_script(tiles) > 1)
            assert violations(page) == []
            bar = "const bar = document.querySelector('#map .bar'); return bar.style.width + bar.textContent"
            before = page.execute_script(bar)
            page.find_element("css selector", "#map .tools button").click()
            assert page.execute_script(bar) != before
            page.find_element("css selector", "#map .tools button[aria-label=Whole]").click()
            change(store, 7, place="changed since")
            WebDriverWait(page, 60).until(lambda page: "changed since" in page.find_element("id", "rows").text)
            assert not [each for each in page.get_log("browser") if each["level"] == "SEVERE"]


@pytest.mark.parametrize("place", ["pages", "login", "join/none", "pages/none", "account"])
def test_other_pages_of_the_depot_are_for_everybody_too(store, place):
    needs_browser()
    with running_postings(store, "Tolvane Depot") as address, browser(width=700) as page:
        page.get(f"{address}/{place}")
        assert page.find_element("css selector", "h1").text and violations(page) == []
