"""An outlet is handed out by the services and in the formats that were chosen for it, and in no other way."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from test_outlet_pages import ADA, BOX, client, store  # noqa: F401  (fixtures)
from test_posted_files import client as file_client  # noqa: F401
from test_posted_files import store as file_store  # noqa: F401

from brisk_atlas.core.depot.postings.outlet import BadOutlet
from brisk_atlas.core.depot.postings.outlet_ways import ALL_SERVICES, OfferedService
from brisk_atlas.core.record.document import document_in

WMS, WFS = "/services/wms?service=WMS&request=", "/services/wfs?service=WFS&version=2.0.0&request="
PLACES = {  # where an outlet is found by a service, and what is not there without it
    OfferedService.FEATURES: (
        "/collections/public/items", "/collections/public/schema", "/collections/public/changes",
        "/services/collections/public/items", "/services/collections/public/queryables",
        f"{WFS}GetFeature&typenames=public", f"{WFS}DescribeFeatureType&typenames=public",
    ),
    OfferedService.MAPS: (
        "/services/xyz/public/10/452/629.png", "/services/collections/public/map/tiles",
        "/services/collections/public/map/tiles/WebMercatorQuad/10/629/452",
        f"{WMS}GetMap&version=1.1.1&layers=public&styles=&srs=EPSG:3857&format=image/png&width=9&height=9&{BOX}",
    ),
    OfferedService.TILES: (
        "/services/collections/public/tiles", "/services/collections/public/tiles/WebMercatorQuad/10/629/452",
    ),
    OfferedService.CATALOGUE: ("/services/collections/records/items/public",),
}  # fmt: skip
LISTS = {  # what names all outlets of a service
    OfferedService.FEATURES: f"{WFS}GetCapabilities", OfferedService.MAPS: f"{WMS}GetCapabilities",
    OfferedService.TILES: "/services/vectortiles.json", OfferedService.CATALOGUE: "/services/collections/records/items",
}  # fmt: skip


def is_there(client, place):  # noqa: F811
    answer = client.get(place)
    return answer.status_code == 200 and "xception" not in answer.text[:400]


@pytest.mark.parametrize("only", PLACES)
def test_each_service_is_there_alone_when_it_alone_was_chosen(store, client, only):  # noqa: F811
    assert all(is_there(client, place) for places in PLACES.values() for place in places)
    store.offer(replace(store.outlet("public"), services=(only,)), by="olga")
    for service, places in PLACES.items():
        assert [is_there(client, place) for place in places] == [service is only] * len(places), service
    for service, place in LISTS.items():
        assert ("public" in client.get(place).text.replace("made public", "")) is (service is only), service
    page = client.get("/pages/public").text
    named = {
        OfferedService.FEATURES: "OGC API Features",
        OfferedService.MAPS: "WMTS",
        OfferedService.TILES: "Vector tiles",
    }
    assert all((words in page) is (service is only) for service, words in named.items())
    assert (
        ("data-still" in page) is (only is not OfferedService.MAPS) and 'data-cursor=""' in page
    ) or only is OfferedService.FEATURES
    links = {each["rel"].rpartition("/")[2] for each in client.get("/collections/public").json()["links"]}
    found = {
        "items": OfferedService.FEATURES,
        "tilesets-map": OfferedService.MAPS,
        "tilesets-vector": OfferedService.TILES,
    }
    assert {found[each] for each in links & found.keys()} == ({only} & set(found.values()))


def test_rows_on_a_page_need_no_service(store, client):  # noqa: F811
    store.offer(replace(store.outlet("public"), services=()), by="olga")
    page = client.get("/pages/public?field=id&is==&value=7").text
    assert "p07" in page and "Services</h2>" not in page
    assert client.get("/pages/public/map.png?" + BOX).status_code == 200
    assert {each["id"] for each in client.get("/collections").json()["collections"]} == {"public"}
    with pytest.raises(BadOutlet, match="changes"):
        store.offer(replace(store.outlet("team"), services=(OfferedService.MAPS,)), by="olga")


def test_files_come_in_the_chosen_formats_alone(store, client):  # noqa: F811
    store.offer(replace(store.outlet("public"), downloads=("csv", "gpkg")), by="olga")
    answers = {
        form: client.get(f"/pages/public/download/{form}").status_code for form in ("csv", "gpkg", "kml", "xlsx")
    }
    assert answers == {"csv": 200, "gpkg": 200, "kml": 404, "xlsx": 404}
    page = client.get("/pages/public").text
    assert "download/csv" in page and "download/kml" not in page
    assert client.get("/pages/team/download/kml", auth=ADA).status_code == 200  # another outlet is as it was
    store.offer(replace(store.outlet("public"), downloads=()), by="olga")
    assert client.get("/pages/public/download/csv").status_code == 404
    assert "Files</h2>" not in client.get("/pages/public").text
    with pytest.raises(BadOutlet, match="tar"):
        store.offer(replace(store.outlet("public"), downloads=("tar",)), by="olga")


def test_a_grid_is_shown_without_its_numbers_being_handed_out(file_store, file_client):  # noqa: F811
    coverage = "/services/collections/heights/coverage?width=9&height=9"
    assert file_client.get(coverage).status_code == 200
    (item,) = file_client.get("/services/stac/search").json()["features"]
    assert {"data", "thumbnail", "metadata"} == set(item["assets"])
    shown = replace(
        file_store.outlet("heights"), services=(OfferedService.MAPS, OfferedService.CATALOGUE), downloads=()
    )
    file_store.offer(shown, by="olga")
    assert file_client.get(coverage).status_code == 404
    assert "heights" not in file_client.get("/services/wcs?service=WCS&version=2.0.1&request=GetCapabilities").text
    assert file_client.get("/pages/heights/download/file").status_code == 404
    assert "download/file" not in file_client.get("/pages/heights").text
    assert "enclosure" not in file_client.get("/collections/heights").text
    (item,) = file_client.get("/services/stac/search").json()["features"]
    assert {"thumbnail", "metadata"} == set(item["assets"])
    record = file_client.get("/services/collections/records/items/heights").text
    assert "heights.tif" not in record and str(file_store.database.files) not in record
    document_in(file_client.get("/collections/heights/record").content, Path("record.xml"))
    file_store.offer(replace(shown, services=(OfferedService.COVERAGES,)), by="olga")
    assert file_client.get(coverage).status_code == 200
    assert file_client.get("/services/stac/search").status_code == 404


def test_the_command_line_chooses_them(file_store, capsys):  # noqa: F811
    from brisk_atlas import cli

    folder = ["--store", str(file_store.database.files.parent)]
    asked = ["depot", "offer", "heights", "--title", "Seen", "--to", "everybody:read", "--id", "seen", *folder]
    assert cli.main([*asked, "--services", "maps", "--downloads"]) == 0
    assert (file_store.outlet("seen").services, file_store.outlet("seen").downloads) == ((OfferedService.MAPS,), ())
    assert cli.main(asked) == 0
    assert (file_store.outlet("seen").services, file_store.outlet("seen").downloads) == (ALL_SERVICES, None)
    assert cli.main([*asked, "--services", "smoke"]) == 1 and "smoke" in capsys.readouterr().err
