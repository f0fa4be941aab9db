"""Pages for readers of another language: those of a Depot for each reader, those of a catalogue for its maker."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from lxml import html
from starlette.testclient import TestClient
from test_catalogue_site import source
from test_outlet_pages import PASSWORD, store

from brisk_atlas.core.depot.reader_language import language_of_reader
from brisk_atlas.core.depot.serving import postings_application
from brisk_atlas.core.model import language

__all__ = ["source", "store"]
GERMAN, ENGLISH = {"Accept-Language": "de-AT,de;q=0.9,en;q=0.8"}, {"Accept-Language": "en-GB,en"}
SAME = {"EPSG:32727", "CSV", "GeoJSON", "GeoPackage", "Shapefile", "KML", "FlatGeobuf", "GeoParquet", "WFS", "WMS", "WMTS",
        "OGC API Features", "ISO 19115-3", "ISO 19139", "WGS 84 (EPSG:4326)", "DCAT-AP, Turtle", "DCAT-AP, JSON-LD", "DCAT-AP, RDF/XML",
        "DCAT-AP", "m", "Name", "Text", "Tolvane Depot", "team"}  # fmt: skip
OF_THE_DATA = (
    "Volcanic",
    "gas stations",
    "ash samples",
    "broken",
    "Survey layers",
    "Heights",
    "<script>",
    "Plots",
    "All about",
    "depth",
    "open",
    "id",
    "name",
    "p0",
    "p1",
    "p2",
    "Tolvane",
    "Free",
    "Edda",
    "Walked",
    "ada",
    "Credit",
)


def texts_of(page):
    """Return what a page shows of words, with what its map is called for those who do not see it."""
    stated = html.document_fromstring(page).xpath(
        "//body//text()[not(parent::script)] | //@aria-label | //@alt | //@placeholder"
    )
    return {" ".join(each.split()) for each in stated if any(map(str.isalpha, each))}


def left_out(english, german, allowed):
    both = texts_of(english) & texts_of(german) - SAME
    return {each for each in both if not each.startswith(allowed) and not each.startswith((".", "http"))}


@pytest.mark.parametrize(
    ("accepted", "spoken"),
    [
        ("de", "de"), ("en;q=0.4, de;q=0.5", "de"), ("fr, gd", "en"), ("", "en"), ("*", "en"), ("de;q=0", "en"), ("DE-ch", "de"),
        ("de;q=x,en;q=0.1", "en"), (",;,q=1", "en"), ("x" * 9000 + ",de", "de"), ("fr," * 9000 + "de", "en"),
    ],
)  # fmt: skip
def test_the_language_is_the_one_that_the_reader_wants_most(accepted, spoken):
    assert language_of_reader(accepted) == spoken


@pytest.mark.parametrize(
    "place",
    ["pages", "pages/public", "pages/public?field=name&is=~&value=p", "pages/none", "login", "join/none", "account"],
)
def test_each_reader_of_a_depot_has_pages_in_their_language(store, place):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    if place == "account":
        client.post("/login", data={"name": "ada", "password": PASSWORD})
    english, german = (client.get(f"/{place}", headers=each) for each in (ENGLISH, GERMAN))
    assert (english.headers["content-language"], german.headers["content-language"]) == ("en", "de")
    assert '<html lang="de">' in german.text and "Accept-Language" in german.headers["vary"]
    assert left_out(english.text, german.text, OF_THE_DATA) == set()
    assert client.get(f"/{place}", headers=ENGLISH).text.count('<html lang="en">') == 1  # out of the memory too


def test_what_goes_wrong_is_stated_in_the_language_of_the_reader_and_data_stay_as_they_are(store):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    wrong = client.post("/login", data={"name": "ada", "password": "wrong one 1"}, headers=GERMAN)
    assert wrong.status_code == 401 and "Name oder Passwort stimmt nicht" in wrong.text
    assert "hat Zahlen; „x“ ist keine" in client.get("/pages/public?field=id&value=x", headers=GERMAN).text
    assert (
        client.get("/collections/public/items/none", headers=GERMAN).json()["description"]
        == "dieses Objekt gibt es nicht"
    )
    assert (
        client.get("/collections/public/items", headers=GERMAN).json()["features"]
        == client.get("/collections/public/items").json()["features"]
    )
    assert language.language_in_use() == "en"


def test_a_catalogue_speaks_the_language_of_its_maker(source, tmp_path):
    pages = {}
    for spoken in ("en", "de"):
        arguments = ["catalogue", source, "--out", tmp_path / "site", "--title", "Tolvane"]
        words = {**os.environ, "BRISK_ATLAS_LANGUAGE": spoken}
        done = subprocess.run(
            [sys.executable, "-m", "brisk_atlas", *arguments], env=words, capture_output=True, text=True
        )
        assert done.returncode == 1 and "broken.gpkg" in done.stdout  # one file of the folder can't be read
        pages[spoken] = {
            path.relative_to(tmp_path / "site").as_posix(): path.read_text()
            for path in (tmp_path / "site").rglob("*.html")
        }
    assert pages["de"].keys() == pages["en"].keys() and len(pages["de"]) >= 9
    for name, german in pages["de"].items():
        assert '<html lang="de">' in german and '"Closer":"Näher"' in german, name
    pages_of_the_site = [(pages["en"][name], pages["de"][name]) for name in ("index.html", "all.html")]
    assert all(left_out(*each, OF_THE_DATA) == set() for each in pages_of_the_site)
    one = left_out(*(pages[spoken]["datasets/ash-samples-geojson/index.html"] for spoken in ("en", "de")), OF_THE_DATA)
    assert {each for each in one if " " in each and not each.endswith("kB")} == {"STAC collection"}
