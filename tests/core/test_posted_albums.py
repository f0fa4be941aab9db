"""Albums as postings: pages that act in a reader's browser, and can do nothing to the Depot that hands them out."""

from __future__ import annotations

import io

import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys
from starlette.testclient import TestClient
from test_album_page import picture

from brisk_atlas import cli
from brisk_atlas.core.album.page_file import album_page
from brisk_atlas.core.album.page_parts import PageContent, PageFigure, PagePicture, PictureGroup
from brisk_atlas.core.depot.offering import check_album, offer_album
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import BadOutlet, Outlet
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application, running_postings
from brisk_atlas.core.model import AtlasError, CannotRead
from browser import browser, needs_browser

READ = frozenset({Right.READ})


def written(path, title="Mount Serrick"):
    out = io.BytesIO()
    Image.new("RGB", (640, 400), "#C2452D").save(out, "PNG")
    pictures = (PagePicture(out.getvalue(), "image/png", 640, 400, "2029"), picture("2031"))
    figure = PageFigure("part-1", "Two", pictures, compared=PictureGroup.CURTAIN)
    path.write_bytes(album_page(PageContent(title, "", (figure,))))
    return path


@pytest.fixture
def store(tmp_path):
    made = DepotStore(tmp_path / "depot")
    outlets = [Outlet("for_all", "", "For all", (), ((EVERYBODY, READ),), summary="What changed"),
               Outlet("inside", "", "Inside", (), (("team", READ),))]  # fmt: skip
    offer_album(made, written(tmp_path / "album.html"), "Serrick", "What changed", outlets, by="local")
    yield made
    made.close()


@pytest.fixture
def client(store):
    return TestClient(postings_application(store, "Tolvane Depot"))


def test_an_album_has_a_page_in_the_depot_and_one_of_its_own_without_rights_there(store, client, tmp_path):
    page = client.get("/pages/for_all").text
    assert 'href="for_all/album"' in page and "What changed" in page and "download/file" in page
    answer = client.get("/pages/for_all/album")
    assert answer.content == (tmp_path / "album.html").read_bytes() and answer.headers["content-type"].startswith(
        "text/html"
    )
    policy = answer.headers["content-security-policy"]
    assert (
        policy.startswith("sandbox allow-scripts") and "allow-same-origin" not in policy and "connect-src" not in policy
    )
    assert answer.headers["x-content-type-options"] == "nosniff" and "disposition" not in str(answer.headers)
    saved = client.get("/pages/for_all/download/file")
    assert saved.headers["content-disposition"] == 'attachment; filename="for_all.html"'
    assert "sandbox" not in client.get("/pages/for_all").headers["content-security-policy"]
    assert answer.headers["cache-control"] == "no-store"
    assert [each["id"] for each in client.get("/collections").json()["collections"]] == ["for_all"]
    assert client.get("/services/collections/records/items/for_all").status_code == 200
    for place in ("/pages/inside", "/pages/inside/album", "/pages/inside/download/file", "/pages/none/album"):
        assert client.get(place).status_code == 404


def test_rights_services_and_an_end_go_for_albums_too(store, client):
    with pytest.raises(BadOutlet, match="album"):
        store.offer(Outlet("", "serrick", "x", (), (("team", ALL_RIGHTS),)), by="local")
    for wrong in ({"area": (0.0, 0.0, 1.0, 1.0)}, {"bands": (1,)}, {"blur": 5.0}, {"where": "1 = 1"}):
        with pytest.raises(BadOutlet):
            store.offer(Outlet("", "serrick", "x", (), ((EVERYBODY, READ),), **wrong), by="local")
    store.offer(
        Outlet("for_all", "serrick", "For all", (), ((EVERYBODY, READ),), services=(), downloads=()), by="local"
    )
    assert client.get("/pages/for_all/download/file").status_code == 404
    assert client.get("/services/collections/records/items/for_all").status_code == 404
    assert client.get("/pages/for_all/album").status_code == 200
    store.close_outlet("for_all", by="local")
    assert client.get("/pages/for_all/album").status_code == 404


def test_other_pages_are_no_albums(store, client, tmp_path, capsys):
    (tmp_path / "other.html").write_text("<!DOCTYPE html><script>alert(1)</script>")
    (tmp_path / "album.txt").write_bytes((tmp_path / "album.html").read_bytes())
    for name in ("other.html", "album.txt", "none.html"):
        with pytest.raises(CannotRead):
            check_album(tmp_path / name)
    folder = ["--store", str(store.database.files.parent)]
    assert cli.main(["depot", "post", str(tmp_path / "other.html"), *folder]) == 1
    assert "no page of an album" in capsys.readouterr().err
    assert cli.main(["depot", "replace", "serrick", str(tmp_path / "other.html"), *folder]) == 1
    second = written(tmp_path / "second.html", "Harrow Bay")
    assert cli.main(["depot", "replace", "serrick", str(second), *folder]) == 0
    assert "Harrow Bay" in client.get("/pages/for_all/album").text
    assert cli.main(["depot", "post", str(second), "--title", "Bay", *folder]) == 0
    assert "bay" in capsys.readouterr().out
    with pytest.raises(AtlasError):
        offer_album(store, second, "Wrong", "", [Outlet("", "", "x", (), ((EVERYBODY, READ),), bands=(1,))], by="local")
    assert {each.title for each in store.postings} == {"Serrick", "Bay"}


def test_the_album_acts_in_a_browser_and_reaches_nothing_of_the_depot(store):
    needs_browser()
    with running_postings(store, "Tolvane Depot") as address, browser() as page:
        page.get(f"{address}/pages/for_all")
        page.find_element("link text", "Open the album").click()
        grip = page.find_element("css selector", ".grip")
        grip.send_keys(Keys.END)
        assert grip.get_attribute("aria-valuenow") == "100"
        reached = page.execute_async_script(
            "fetch(arguments[0]).then(() => 'yes', () => 'no').then(arguments[1])", f"{address}/collections"
        )
        assert reached == "no" and page.execute_script("return self.origin") == "null"
        blocked = [each for each in page.get_log("browser") if each["level"] == "SEVERE"]
        assert all("/collections" in each["message"] for each in blocked)  # what was tried here alone
