"""Records as postings, records that change, and the catalogues that list them; what the command line does with each."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from argon2 import PasswordHasher
from owslib import fes
from owslib.csw import CatalogueServiceWeb
from starlette.testclient import TestClient

from brisk_atlas import cli
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import BadOutlet, Outlet, OutletField
from brisk_atlas.core.depot.postings.outlet_changes import ShownChanges
from brisk_atlas.core.depot.postings.outlet_record import record_text, stored_record
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.posted_rows import RowGone
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, ANYONE, EVERYBODY, Identity, Right
from brisk_atlas.core.depot.serving import postings_application, running_postings
from brisk_atlas.core.record.document import document_in, written
from brisk_atlas.core.record.model import Box, Constraint, Contact, DatedEvent, KeywordSet, Link, Locale, Record
from brisk_atlas.core.record.standards import STANDARDS
from brisk_atlas.core.record.words import Words

READ = frozenset({Right.READ})
RECORD = Record(
    title="Gas network 2031", abstract="Stations that measure <gas> & more.", lineage="Put together by hand.",
    contacts=(Contact(person="Ana Moreau", organisation="Tolvane Survey Office", email="ana@tso.example", role="author"),),
    constraints=(Constraint(kind="legal", other=("Open for all",)),), dates=(DatedEvent("2031-05-02", "creation"),),
    keywords=(KeywordSet(words=("gas", "Mount Serrick")),), boxes=(Box(-21.1, -38.4, -20.8, -38.1),),
    links=(Link("https://tso.example/gas", "Data", "At the office", "WWW:LINK"), Link("javascript:alert(1)", "x", "", "")),
)  # fmt: skip


@pytest.fixture
def folder(tmp_path):
    path = tmp_path / "gas.xml"
    path.write_bytes(written(STANDARDS["ISO 19115-3"], RECORD, path).data)
    folder = tmp_path / "depot"
    assert cli.main(["depot", "post", str(path), "--store", str(folder)]) == 0
    assert cli.main(["depot", "post", "--store", str(folder), str(cli_table(tmp_path))]) == 0
    return folder


def cli_table(folder):
    path = folder / "readings.csv"
    path.write_text("station,value\na,1\nb,2\n")
    return path


@pytest.fixture
def store(folder):
    made = DepotStore(folder, lambda database: People(database, PasswordHasher(1, 8, 1)))
    made.offer(Outlet("gas", "gas_network_2031", "Gas network", (), ((EVERYBODY, READ),)), by="local")
    made.offer(Outlet("gas_inside", "gas_network_2031", "Gas network", (), (("team", READ),)), by="local")
    fields = (OutletField("station", "station"), OutletField("value", "value"))
    made.offer(Outlet("readings", "readings", "Readings", fields, ((EVERYBODY, READ),)), by="local")
    made.people.join(made.people.invite(["team"], by="local"), "ada", "long enough 1")
    yield made
    made.close()


def test_a_record_is_offered_in_full_to_some_and_without_persons_to_all(store):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    page = client.get("/pages/gas").text
    assert "Stations that measure &lt;gas&gt; &amp; more." in page and "Open for all" in page and "2031-05-02" in page
    assert (
        "https://tso.example/gas" in page and "javascript:" not in page and "Ana" not in page and "by hand" not in page
    )
    found = document_in(client.get("/collections/gas/record").content, Path("record.xml"), "ISO 19115-3").record
    assert found.title == "Gas network" and found.boxes and not found.lineage
    assert [each.organisation for each in found.contacts] == ["Tolvane Survey Office"]
    inside = client.get("/collections/gas_inside/record", auth=("ada", "long enough 1"))
    assert b"Ana Moreau" in inside.content and b"by hand" in inside.content
    assert client.get("/collections/gas_inside/record").status_code == 404
    for place in (
        "/collections/gas/items",
        "/collections/gas/changes",
        "/pages/gas/map.png?bbox=0,0,1,1",
        "/pages/gas/download/file",
    ):
        assert client.get(place).status_code == 404, place
    with pytest.raises(BadOutlet):
        store.offer(Outlet("", "gas_network_2031", "x", (), (("team", ALL_RIGHTS),)), by="local")


def test_the_page_speaks_the_languages_that_a_record_has(store):
    both = Words("Stations.", (("DE", "Messstellen."), ("FR", "Stations de mesure.")))
    locales = (Locale("DE", "ger", "utf8"), Locale("FR", "fre", "utf8"))
    store.replace_record("gas_network_2031", record_text(replace(RECORD, abstract=both, locales=locales)), by="local")
    client = TestClient(postings_application(store, "Tolvane Depot"))
    page = client.get("/pages/gas").text
    assert ">German</a>" in page and ">French</a>" in page and "Stations." in page
    assert "Messstellen." in client.get("/pages/gas?language=DE").text
    assert "Stations." in client.get("/pages/gas?language=<b>").text
    assert "language=" not in client.get("/pages/readings").text


def test_catalogues_list_records_and_tables_without_a_place_too(store):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    found = client.get("/services/collections/records/items").json()["features"]
    assert {each["id"]: each["geometry"] is None for each in found} == {"gas": False, "readings": True}
    assert found[0]["properties"]["contacts"] == [
        {"organization": "Tolvane Survey Office", "emails": [{"value": "ana@tso.example"}], "roles": ["author"]}
    ]
    near = client.get("/services/collections/records/items?bbox=-21,-38.3,-20.9,-38.2").json()["features"]
    assert [each["id"] for each in near] == ["gas"]
    with running_postings(store, "Tolvane Depot") as address:
        catalogue = CatalogueServiceWeb(f"{address}/services/csw")
        catalogue.getrecords2(maxrecords=10)
        assert set(catalogue.records) == {"gas", "readings"}
        assert catalogue.records["gas"].bbox_wgs84.minx == "-21.1" and catalogue.records["readings"].bbox_wgs84 is None
        for asked, found in (([fes.PropertyIsLike("csw:AnyText", "%serrick%")], {"gas"}), ([fes.BBox([-21, -38.3, -20.9, -38.2])], {"gas"}),
                             ([fes.BBox([1, 2, 3, 4])], set()), ([fes.PropertyIsLike("csw:AnyText", "%station%")], {"gas", "readings"})):  # fmt: skip
            catalogue.getrecords2(constraints=asked, maxrecords=10)
            assert set(catalogue.records) <= found and ("gas" in catalogue.records) == ("gas" in found)
        catalogue.getrecordbyid(["gas"], outputschema="http://www.isotc211.org/2005/gmd")
        assert catalogue.records["gas"].identification[0].title == "Gas network"


@pytest.mark.parametrize("sent", [b"", b"no xml", b"<a", b'<!DOCTYPE x [<!ENTITY e "e">]><x>&e;</x>', b"<Other/>", b"<a>" * 5000,
                                  b'<GetRecords><Query><Constraint><Filter><PropertyIsNull/></Filter></Constraint></Query></GetRecords>',
                                  b"<GetRecords maxRecords='x'/>", b"<a>" + b"x" * 1_000_000])  # fmt: skip
def test_a_question_to_the_catalogue_that_is_none_is_refused(store, sent):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    answer = client.post("/services/csw", content=sent, headers={"content-type": "application/xml"})
    assert "ExceptionReport" in answer.text and answer.status_code in (200, 400, 413)


def test_a_record_changes_and_what_it_was_stays_in_the_history(store, folder, tmp_path, capsys):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    before = client.get("/pages/gas").text
    changed = tmp_path / "changed.xml"
    changed.write_bytes(written(STANDARDS["ISO 19139"], Record(title="x", abstract="Measured anew."), changed).data)
    assert cli.main(["depot", "replace", "gas_network_2031", str(changed), "--store", str(folder)]) == 0
    assert "Measured anew." in client.get("/pages/gas").text != before
    (edit,) = store.rows("gas_network_2031").edits()
    assert stored_record(edit.before.values["record"]).abstract == RECORD.abstract
    capsys.readouterr()
    assert cli.main(["depot", "list", "--store", str(folder)]) == 0
    assert "gas_network_2031: Gas network 2031, record" in capsys.readouterr().out
    assert cli.main(["depot", "withdraw", "gas_network_2031", "--store", str(folder)]) == 0
    assert client.get("/pages/gas").status_code == 404


def test_another_record_of_rows_leaves_their_history_as_it_is(store):
    client = TestClient(postings_application(store, "Tolvane Depot"))
    shown = store.through("readings", Identity("ada", is_owner=True))
    cursor, figures = store.changes("readings", ANYONE, "").cursor, store.figures(shown)
    store.replace_record("readings", record_text(replace(RECORD, abstract="Another.")), by="ada")
    assert "Another." in client.get("/pages/readings").text
    assert store.changes("readings", ANYONE, cursor) == ShownChanges([], [], cursor)
    assert store.figures(shown).count == figures.count == 2 and store.rows("readings").edits() == []
    assert store.rows("readings").last_edits(5) == [] and len(store.rows("readings").rows_at("2999")) == 2
    with pytest.raises(RowGone):
        store.undo("readings", store.rows("readings").last_edit, Identity("ada", is_owner=True))


def test_the_command_line_shows_and_takes_back_edits_and_gives_tokens(store, folder, capsys):
    def run(*words, code=0):
        capsys.readouterr()
        assert cli.main(["depot", *words, "--store", str(folder)]) == code
        found = capsys.readouterr()
        return found.out + found.err

    row = store.rows("readings").all_rows().__next__()
    with store.database.changing() as database:
        store.rows("readings").change(database, row.name, {"value": 9}, None, "ada")
    number = run("history", "readings").split()[0]
    assert f"ada  change {row.name}" in run("history", "readings")
    assert run("undo", "readings", number) == ""
    assert store.rows("readings").row(row.name) == row and f"takes back {number}" in run("history", "readings")
    assert "taken back already" in run("undo", "readings", number, code=1)
    assert "no edit 99" in run("undo", "readings", "99", code=1)
    assert (
        run("circle", "others", "--add", "ada") == "ada\n" and run("circle", "others", "--remove", "ada") == "nobody\n"
    )
    assert "no account ben" in run("circle", "others", "--add", "ben", code=1)
    token = run("token", "ada", "--label", "nightly", "--scope", "read,add", "--until", "2999-01-01").strip()
    assert store.people.by_token(token).scope == {Right.READ, Right.ADD}
    assert "is a file" not in run("replace", "readings", str(folder / "depot.sqlite"), code=1)
