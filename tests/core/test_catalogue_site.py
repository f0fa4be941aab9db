"""A catalogue as a site of files: its pages, what machines read of it, and what is built anew when something changes."""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyogrio
import pystac
import pytest
import shapely
from lxml import etree, html
from owslib.iso import MD_Metadata
from rdflib import DCAT, DCTERMS, XSD, Graph, Literal, URIRef
from rdflib.compare import to_isomorphic
from test_album_page import HOSTILE

from brisk_atlas import cli, demo
from brisk_atlas.core.model import AtlasError, CannotWrite, DataRef
from brisk_atlas.core.operations import CatalogueSite
from brisk_atlas.core.operations.catalogue_plan import stored_site
from brisk_atlas.core.record import check_schema, document_in, written
from brisk_atlas.core.record.model import (
    Box,
    Contact,
    DatedEvent,
    Identifier,
    KeywordSet,
    Locale,
    Period,
    Record,
    Source,
)
from brisk_atlas.core.record.standards import STANDARDS
from brisk_atlas.core.record.words import Words
from brisk_atlas.core.site.key_samples import key_samples, share_keys
from brisk_atlas.core.site.machine_forms import DatasetAddress, citation_of
from brisk_atlas.core.site.related import related_of
from brisk_atlas.core.site.shacl import findings_in
from brisk_atlas.core.site.site_entry import SiteEntry, entry_id
from brisk_atlas.core.system.scratch import ScratchFolder
from brisk_atlas.core.system.workers import Call
from brisk_atlas.core.workspace import Workspace
from stac_schemas import stac_faults

ADDRESS = "https://data.tolvane.example/catalogue/"
COPIED = (
    "tolvane_survey.gpkg",
    "tolvane_survey.gpkg.xml",
    "gas_stations.csv",
    "gas_readings.parquet",
    "ash_samples.geojson",
)


def put_record(path, record, standard="ISO 19139"):
    document = written(STANDARDS[standard], STANDARDS[standard].adapted(record), path)
    path.write_bytes(document.data)


def made(folder, out, **settings):
    with Workspace() as workspace:
        return CatalogueSite(DataRef.file(folder), out, **settings).run(workspace)


@pytest.fixture(scope="module")
def source(tmp_path_factory):
    """A folder of datasets: with and without records, one in two languages, a table that refers to another, what can't
    be read, and what is none."""
    folder = tmp_path_factory.mktemp("shelf") / "data"
    (folder / "gas").mkdir(parents=True)
    for name in COPIED:
        found = next(demo.DATA.rglob(name), None)
        if found is not None:
            shutil.copy(found, folder / ("gas" if "gas" in name else "") / name)
    for path in demo.DATA.rglob("gas_*.xml"):
        shutil.copy(path, folder / "gas" / path.name)
    shutil.copy(demo.DATA / "elevation_2029.tif", folder / "heights.tif")
    put_record(folder / "heights.tif.xml", Record(
        title=Words("Heights of the island", (("fre", "Altitudes de l’île"),)),
        abstract=Words("A surface before the eruption.", (("fre", "Une surface avant l’éruption."),)),
        language="eng", locales=(Locale("fre", "fre", "utf8"),), topics=("elevation",),
        keywords=(KeywordSet("theme", ("surface", "lava")),), boxes=(Box(-21, -38.4, -20.8, -38.1),),
        contacts=(Contact(organisation="Tolvane Survey Office", role="publisher"), Contact(person="Ines Maro", role="originator")),
        dates=(DatedEvent("2029-08-01", "publication"),), times=(Period("2029-03-01", "2029-05-30"),),
        sources=(Source(title="Survey layers of Tolvane Island"),), identifiers=(Identifier("TSO-17"),), edition="2",
    ))  # fmt: skip
    (folder / "broken.gpkg").write_bytes(b"SQLite format 3\0" + b"\xff" * 4000)
    (folder / "notes.txt").write_text("To do: sort the samples.")
    return folder


@pytest.fixture(scope="module")
def site(source, tmp_path_factory):
    out = tmp_path_factory.mktemp("site") / "site"
    result = made(source, out, title="Tolvane data", address=ADDRESS, check=True)
    return out, result


def page_of(out, id_, name="index.html"):
    return html.fromstring((out / "datasets" / id_ / name).read_bytes())


def test_every_dataset_has_a_page_and_what_can_t_be_read_is_stated(site):
    out, result = site
    assert result.count == len(list((out / "datasets").iterdir())) == 5 and result.findings == ()
    assert [(each.source, bool(each.fault)) for each in result.faults] == [("broken.gpkg", True)]
    listed = html.fromstring((out / "all.html").read_bytes())
    titles = listed.xpath("//li/a/text()")
    assert "Heights of the island" in titles and "broken.gpkg" in listed.text_content()
    assert not (out / "datasets" / "broken-gpkg").exists() and "notes.txt" not in listed.text_content()
    page = page_of(out, "heights-tif")
    assert page.xpath("//h1/text()") == ["Heights of the island"]
    assert page.xpath("//p[@class='facts']/span/text()")[0] == "grid" and "elevation" in page.text_content()
    assert page.xpath("//*[@id='citation']/text()")[0].startswith(
        "Ines Maro (2029): Heights of the island, edition 2 [dataset]. Tolvane"
    )


def test_files_are_what_the_page_states_and_hold_all_rows(site, source):
    out, _ = site
    folder = out / "datasets" / "ash-samples-geojson"
    page = page_of(out, "ash-samples-geojson")
    paths = page.xpath("//dl[@class='files']//a/@href")
    sums = dict(zip(page.xpath("//details[@class='checksums']//li/text()"), page.xpath("//details//li/code/text()")))
    assert len(paths) == 3 and {path.rpartition(".")[2] for path in paths} == {"geojson", "gpkg", "csv"}
    for path in paths:
        data = (folder / path).read_bytes()
        assert hashlib.sha256(data).hexdigest() == sums[path.rpartition("/")[2]]
        assert (
            pyogrio.read_info(folder / path)["features"]
            == pyogrio.read_info(source / "ash_samples.geojson")["features"]
        )
    assert (folder / "files" / "ash_samples.geojson").read_bytes() == (source / "ash_samples.geojson").read_bytes()


def drawn_shapes(script):
    """Return the polygons and lines of a script of rows, as its page puts them together."""
    content = json.loads(script[len("partRows(") : script.rindex(");")])
    stated = content["shapes"]
    for first, last in zip(stated["starts"], stated["starts"][1:]):
        rings = [
            np.array([stated["left"], stated["top"]])
            + np.cumsum(np.reshape(path, (-1, 2)), axis=0) * [stated["unit"], -stated["unit"]]
            for path in stated["paths"][first:last]
        ]
        yield stated["unit"], [ring for ring in rings if len(ring)]


def test_the_page_draws_the_features_where_they_are_and_has_their_values(site, source):
    out, _ = site
    folder = out / "datasets" / "tolvane-survey-gpkg"
    for number, (name, _) in enumerate(pyogrio.list_layers(source / "tolvane_survey.gpkg"), start=1):
        script = (folder / f"part-{number}.js").read_text()
        frame = pyogrio.read_dataframe(source / "tolvane_survey.gpkg", layer=name)
        for shape, (unit, rings) in zip(frame.geometry, drawn_shapes(script), strict=True):
            everywhere = np.vstack(rings)
            assert (
                shapely.hausdorff_distance(
                    shapely.MultiPoint(everywhere), shapely.MultiPoint(shapely.get_coordinates(shape))
                )
                < 3 * unit
            )
        content = json.loads(script[len("partRows(") : script.rindex(");")])
        assert content["part"] == name and [f["name"] for f in content["fields"]] == [
            c for c in frame.columns if c != "geometry"
        ]
        column = content["columns"][0]
        assert [str(value) for value in column[:3]] == [str(value) for value in frame.iloc[:3, 0]]


def plainly(graph):
    """Return a graph with numbers as they count: 10.0 is 10."""
    found = Graph()
    for subject, predicate, value in graph:
        number = isinstance(value, Literal) and value.datatype == XSD.decimal
        found.add((subject, predicate, Literal(float(value)) if number else value))
    return found


def test_the_catalogue_is_the_same_in_each_form_and_conforms_to_the_shapes(site):
    out, _ = site
    graphs = [Graph().parse(out / f"catalogue.{ending}", format=form)
              for ending, form in (("ttl", "turtle"), ("jsonld", "json-ld"), ("rdf", "xml"))]  # fmt: skip
    assert to_isomorphic(plainly(graphs[0])) == to_isomorphic(plainly(graphs[1])) == to_isomorphic(plainly(graphs[2]))
    heights = URIRef(f"{ADDRESS}datasets/heights-tif/")
    assert len(set(graphs[0].objects(URIRef(ADDRESS), DCAT.dataset))) == 5
    files = {str(graphs[0].value(node, DCAT.downloadURL)) for node in graphs[0].objects(heights, DCAT.distribution)}
    assert f"{heights}files/heights.tif" in files
    assert findings_in(graphs[0]) == []
    graphs[0].remove((heights, DCTERMS.title, None))
    graphs[0].remove((None, DCAT.accessURL, None))
    found = findings_in(graphs[0])
    assert any(each.about == str(heights) and "title" in each.reason for each in found) and len(found) > 5


def test_records_are_read_back_by_the_libraries_of_their_standards(site, source):
    out, _ = site
    folder = out / "datasets" / "heights-tif"
    for name in ("record.iso.xml", "record.iso19115-3.xml"):
        document = document_in((folder / name).read_bytes(), folder / name)
        assert check_schema(document.data, document.standard, document.place_at) == []
        assert str(document.record.title) == "Heights of the island" and document.record.times[0].begin == "2029-03-01"
        assert f"{ADDRESS}datasets/heights-tif/files/heights.tif" in {link.url for link in document.record.links}
    read = MD_Metadata(etree.fromstring((folder / "record.iso.xml").read_bytes()))
    assert read.identification[0].title == "Heights of the island" and float(read.identification[0].bbox.minx) < -20.9
    stated = json.loads(page_of(out, "heights-tif").xpath("//script[@type='application/ld+json']/text()")[0])
    assert stated["@type"] == "Dataset" and stated["creator"][0]["name"] == "Ines Maro"
    assert stated["distribution"][0]["contentUrl"].startswith(ADDRESS) and stated["temporalCoverage"] == [
        "2029-03-01/2029-05-30"
    ]


def test_stac_is_read_by_its_library_and_by_its_schemas(site):
    out, _ = site
    catalog = pystac.Catalog.from_file(str(out / "catalog.json"))
    collections = list(catalog.get_children())
    assert {each.id for each in collections} >= {"heights-tif", "tolvane-survey-gpkg"}
    for each in collections:
        stated = json.loads((out / "datasets" / each.id / "collection.json").read_text())
        assert stac_faults(stated, "collection") == []
        for asset in stated["assets"].values():
            assert (out / "datasets" / each.id / asset["href"]).is_file()
    assert stac_faults(json.loads((out / "catalog.json").read_text()), "catalog") == []
    heights = next(each for each in collections if each.id == "heights-tif")
    assert heights.extent.temporal.intervals[0][0].year == 2029


def test_feed_and_site_map_list_every_page(site):
    out, _ = site
    feed = html.fromstring((out / "feed.xml").read_bytes())
    assert len(feed.xpath("//entry")) == 5
    places = re.findall(r"<loc>([^<]+)</loc>", (out / "sitemap.xml").read_text())
    assert f"{ADDRESS}datasets/heights-tif/" in places and len(places) == 7


def test_a_record_in_two_languages_has_two_pages(site):
    out, _ = site
    other = page_of(out, "heights-tif", "index.fre.html")
    assert (
        other.xpath("//h1/text()") == ["Altitudes de l’île"]
        and other.xpath("//h1/@lang") == ["fr"]
        and other.get("lang") == "en"
    )
    assert "Une surface avant l’éruption." in other.text_content()
    assert page_of(out, "heights-tif").xpath("//nav[@aria-label='Languages of the record']/a/@href") == [
        "index.html",
        "index.fre.html",
    ]
    assert "altitudes" in (out / "search.js").read_text()


def test_related_datasets_state_why(site):
    out, _ = site
    lines = page_of(out, "heights-tif").xpath("//ul[@class='related']/li")
    assert (
        "Survey layers of Tolvane Island" in lines[0].text_content()
        and "this was made from it" in lines[0].text_content()
    )
    stations = page_of(out, "gas-gas-readings-parquet").xpath("//ul[@class='related']/li")
    assert any("the same values in station" in line.text_content() for line in stations)


def test_samples_of_keys_are_alike_where_values_are():
    import pyarrow as pa

    many = pa.table({"plot": [f"P{n}" for n in range(5_000)], "year": [2029, 2031] * 2_500, "n": range(5_000)})
    half = pa.table({"Plot": [f"P{n % 2_500}" for n in range(5_000)]})
    other = pa.table({"plot": [f"Q{n}" for n in range(5_000)]})
    (plot, number), (referring,), (strange,) = key_samples(many), key_samples(half), key_samples(other)
    assert (plot.field, plot.is_unique, number.field, referring.is_unique) == ("plot", True, "n", False)
    assert share_keys(plot, referring) and not share_keys(plot, strange) and not share_keys(plot, number)
    assert not share_keys(referring, replace(plot, is_unique=False))


def test_only_what_changed_is_built_anew(source, tmp_path):
    folder, out = tmp_path / "data", tmp_path / "site"
    shutil.copytree(source, folder)
    assert made(folder, out).built == 6
    before = {path: path.stat().st_mtime_ns for path in (out / "datasets").rglob("*") if path.is_file()}
    same = made(folder, out)
    assert same.built == 0 and same.count == 5
    assert before == {path: path.stat().st_mtime_ns for path in (out / "datasets").rglob("*") if path.is_file()}
    put_record(folder / "ash_samples.geojson.xml", Record(title="Samples of ash", abstract="From trenches."))
    assert made(folder, out).built == 1
    assert page_of(out, "ash-samples-geojson").xpath("//h1/text()") == ["Samples of ash"]
    (folder / "heights.tif").unlink()
    (folder / "heights.tif.xml").unlink()
    gone = made(folder, out)
    assert (gone.built, gone.removed, gone.count) == (0, 1, 4) and not (out / "datasets" / "heights-tif").exists()
    assert "Heights of the island" not in page_of(out, "tolvane-survey-gpkg").text_content()
    (out / ".catalogue.json").write_text("{")
    assert made(folder, out).built == 5


def test_hostile_texts_are_texts_in_every_output(tmp_path):
    folder, out = tmp_path / "data", tmp_path / "site"
    folder.mkdir()
    for number, text in enumerate(HOSTILE):
        features = [
            {
                "type": "Feature",
                "properties": {text: text, "n": 1},
                "geometry": {"type": "Point", "coordinates": [-20.9, -38.2]},
            }
        ]
        path = folder / f"set{number}.geojson"
        path.write_text(json.dumps({"type": "FeatureCollection", "features": features}))
        plain = "".join(sign for sign in text if sign.isprintable())
        put_record(folder / f"set{number}.geojson.xml", Record(
            title=plain, abstract=text, keywords=(KeywordSet("theme", (text,)),), lineage=text, places=(text,),
            contacts=(Contact(organisation=text, role="publisher"),), boxes=(Box(-21, -39, -20, -38),)))  # fmt: skip
    result = made(folder, out, title=HOSTILE[0], summary=HOSTILE[1], address=ADDRESS, check=True)
    assert result.count == len(HOSTILE) and not result.faults and result.findings == ()
    for page in out.rglob("*.html"):
        tree = html.fromstring(page.read_bytes())
        scripts = tree.xpath("//script")
        assert all(s.get("src") or s.get("type") in ("application/json", "application/ld+json") for s in scripts), page
        assert all(
            re.fullmatch(r"(\.\./\.\./)?(assets/\w+\.js|search\.js)", s.get("src")) for s in scripts if s.get("src")
        )
        assert not tree.xpath("//img[@onerror] | //b | //style")
        assert all(a.startswith(("#", "index", "../", "datasets/", "all.html", "machines", "files/", "record.", "collection.", "catalog", "feed", "sitemap", "https://data.tolvane"))
                   for a in tree.xpath("//a/@href")), page  # fmt: skip
        for each in scripts:
            if not each.get("src"):
                json.loads(each.text)
    titles = {html.fromstring(page.read_bytes()).xpath("string(//h1)") for page in out.glob("datasets/*/index.html")}
    assert {" ".join(text.split()) for text in HOSTILE if text.isprintable()} <= {
        " ".join(title.split()) for title in titles
    }
    assert len(pystac.Catalog.from_file(str(out / "catalog.json")).get_child_links()) == len(HOSTILE)
    html.fromstring((out / "feed.xml").read_bytes())


def test_no_output_names_a_place_of_the_machine(site, source):
    out, _ = site
    private = (str(source.parent).encode(), bytes(Path.home()) + b"/", b"file://")
    for path in out.rglob("*"):
        if path.is_file() and path.suffix not in (".ttf", ".jpg"):
            content = path.read_bytes()
            assert not [each for each in private if each in content], path


def test_the_command_line_makes_a_site_and_refuses_another_folder(source, tmp_path, capsys):
    other = tmp_path / "other"
    other.mkdir()
    (other / "thesis.doc").write_text("mine")
    assert cli.main(["catalogue", str(source), "--out", str(other)]) == 1
    assert "something else" in capsys.readouterr().err and [each.name for each in other.iterdir()] == ["thesis.doc"]
    with pytest.raises(AtlasError):
        made(source / "notes.txt", tmp_path / "site")
    with pytest.raises(AtlasError):
        made(source, tmp_path / "site", address="data.tolvane.example")
    assert cli.main(["catalogue", str(source / "gas"), "--out", str(tmp_path / "site"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["count"] == 2
    assert not (tmp_path / "site" / "sitemap.xml").exists()
    with pytest.raises(CannotWrite):
        made(source, tmp_path / "site" / "index.html")


def test_addresses_are_plain_and_apart():
    assert entry_id("a/Straße & Weg.gpkg", ()) == "a-stra-e-weg-gpkg"
    first = entry_id("x_1.tif", ())
    assert entry_id("x-1.tif", (first,)).startswith("x-1-tif-") and entry_id("地図.tif", ()) == "tif"
    assert entry_id("地図", ()).startswith("dataset-")
    bare = citation_of(Record(), "Ash", DatasetAddress("ash"), "2031-01-01")
    assert bare == "No author stated (no date stated): Ash [dataset]."


def test_places_are_the_same_where_boxes_share_most_of_their_area():
    random = np.random.default_rng(7)
    boxes = [(x, y, x + w, y + h) for x, y, w, h in (random.random((700, 4)) * (2, 2, 1, 1)).tolist()]
    boxes[3], boxes[5] = (1.0, 1.0, 1.0, 1.0), (179.5, 0.0, -179.5, 1.0)
    entries = [SiteEntry(f"{n}", f"{n}", "", f"{n}", boxes=(box,)) for n, box in enumerate(boxes)] + [
        SiteEntry("none", "none", "", "none")
    ]
    shapes = shapely.box(*np.array(boxes).T)
    for n in (0, 3, 5, 300, 699):
        both, either = (shapely.area(each(shapes[n], shapes)) for each in (shapely.intersection, shapely.union))
        shares = np.where(shapely.area(shapes) > 0, both / either, 0) if n not in (3, 5) else np.zeros(700)
        shares[[n, 3, 5]] = 0
        wanted = [f"{other}" for other in np.argsort(-shares, kind="stable")[:8] if shares[other] >= 0.4]
        assert [each.id for each in related_of(entries)[f"{n}"]] == wanted
    assert related_of(entries)["none"] == ()


def test_a_site_of_somebody_else_leads_to_no_other_folder(source, tmp_path):
    out, mine = tmp_path / "site", tmp_path / "mine"
    made(source / "gas", out)
    mine.mkdir()
    state = json.loads((out / ".catalogue.json").read_text())
    state["entries"].append({**state["entries"][0], "id": "../../mine", "source": "gone.csv"})
    (out / ".catalogue.json").write_text(json.dumps(state))
    assert made(source / "gas", out).built == 2 and mine.is_dir()


def end_process(*given):
    os._exit(3)


def test_a_file_that_ends_its_process_is_left_out_alone(source, tmp_path, monkeypatch):
    import brisk_atlas.core.operations.catalogue_site as catalogue_site

    folder, out = tmp_path / "data", tmp_path / "site"
    folder.mkdir()
    for n in range(8):
        shutil.copy(source / "gas" / "gas_stations.csv", folder / f"set{n}.csv")
    call = catalogue_site._call

    def deadly(batch, *rest):
        has_it = any(wish.source == "set5.csv" for wish in batch)
        return Call("test_catalogue_site:end_process", (batch, *rest)) if has_it else call(batch, *rest)

    monkeypatch.setattr(catalogue_site, "_call", deadly)
    result = made(folder, out)
    assert [each.source for each in result.faults] == ["set5.csv"] and result.count == 7


def test_a_part_that_can_t_be_drawn_leaves_the_rest_of_its_page_and_a_full_disk_is_said(source, tmp_path, monkeypatch):
    import brisk_atlas.core.operations.catalogue_parts as catalogue_parts
    from brisk_atlas.core.operations.catalogue_dataset import SiteSettings, build_dataset
    from brisk_atlas.core.operations.catalogue_plan import DatasetWish
    from brisk_atlas.core.site.site_pages import SiteAbout

    wish = DatasetWish(DataRef.file(source / "ash_samples.geojson"), "ash_samples.geojson", "ash", "1")
    settings, scratch = SiteSettings(SiteAbout("Tolvane"), "2031-01-01", "", 10**9, "en"), ScratchFolder()

    def failing(error):
        def draw(*given):
            raise error

        monkeypatch.setattr(catalogue_parts, "whole_frame", draw)

    failing(ValueError("no such symbol"))
    entry = build_dataset(wish, tmp_path / "ash", settings, scratch)
    page = html.fromstring((tmp_path / "ash" / "index.html").read_bytes()).text_content()
    assert entry.is_listed and not entry.has_picture and "It can’t be shown (ValueError: no such symbol)." in page
    assert len(entry.downloads) == 3
    failing(OSError(28, "No space left on device"))
    with pytest.raises(CannotWrite, match="the disk is full"):
        build_dataset(wish, tmp_path / "ash", settings, scratch)


def test_a_table_that_states_degrees_lies_on_the_map_and_no_other(tmp_path):
    folder = tmp_path / "data"
    folder.mkdir()
    (folder / "stations.csv").write_text("name,Longitude,Latitude\na,-20.91,-38.21\nb,-20.87,-38.19\nc,,\n")
    (folder / "collars.csv").write_text("name,x,y\na,510000,5770000\nb,511000,5771000\n")
    (folder / "far.csv").write_text("name,lon,lat\na,510000,5770000\nb,511000,5771000\n")
    (folder / "later.csv").write_text("name,lon,lat\n" + "a,-20.9,-38.2\n" * 300 + "b,510000,5770000\n")
    (folder / "references.csv").write_text("name,mgrs\na,27HWB1000070000\nb,27HWB1100071000\n")
    (folder / "words.csv").write_text("name,lon,lat\na,west,south\nb,east,north\n")
    made(folder, tmp_path / "site")
    entries = {each.source: each for each in stored_site(tmp_path / "site").entries}
    assert {name: bool(each.has_picture) for name, each in entries.items()} == {
        "stations.csv": True, "collars.csv": False, "far.csv": False, "later.csv": False,
        "references.csv": True, "words.csv": False,
    }  # fmt: skip
    ((west, south, east, north),) = entries["stations.csv"].boxes
    assert (west, south, east, north) == pytest.approx((-20.91, -38.21, -20.87, -38.19), abs=1e-6)
    page = page_of(tmp_path / "site", "stations-csv")
    assert "placed by Longitude, Latitude" in page.text_content() and page.xpath("//div[@class='map']")
    rows = (tmp_path / "site" / "datasets" / "stations-csv" / "part-1.js").read_text()
    assert '"count":3' in rows.replace(" ", "") and page.xpath("//a[contains(@href, '.geojson')]")
