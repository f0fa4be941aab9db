"""Records read as they come, checked, compared, filled, kept, tabled, flattened and handed on."""

from __future__ import annotations

import csv
import json
import resource
import shutil
import sqlite3
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import openpyxl
import pytest
from lxml import etree

from brisk_atlas.core import read
from brisk_atlas.core.curate import batch, handing_on, many
from brisk_atlas.core.curate.derived import contradictions, derived_places, derived_record, filled
from brisk_atlas.core.curate.saving import link, path_beside, save, save_inside
from brisk_atlas.core.model import CannotRead, CannotWrite
from brisk_atlas.core.read.field_meanings import meanings_of
from brisk_atlas.core.read.find_records import find_records, linked_record
from brisk_atlas.core.record import (
    STANDARDS,
    Draft,
    brief,
    check,
    check_schema,
    completeness,
    convert,
    document_in,
    flattening,
    obligation,
    read_document,
    standard_named,
    taken,
    written,
)
from brisk_atlas.core.record.checks import leftovers, rules_named
from brisk_atlas.core.record.comparing import differences
from brisk_atlas.core.record.elements import elements, label_of, place_text, stated_places, values_of
from brisk_atlas.core.record.model import (
    Box,
    Constraint,
    Contact,
    DatedEvent,
    Entity,
    FieldDefinition,
    KeywordSet,
    Measure,
    ObjectCount,
    Period,
    Record,
    System,
)
from brisk_atlas.core.record.standards import crosswalk
from brisk_atlas.core.record.templates import applied, template_of
from brisk_atlas.core.record.values import shown, typed, wrong_with

ISO, FGDC = STANDARDS["ISO 19139"], STANDARDS["FGDC CSDGM"]


@pytest.fixture
def shelf(data, tmp_path):
    """The demo's data where it may be written to."""
    folder = tmp_path / "shelf"
    shutil.copytree(data, folder)
    return folder


def lines(sections):
    return {line.label: line.text for section in sections for line in section.lines}


# OpenOptions


def test_an_iso_record_in_brief(data):
    told = lines(brief(read_document(data / "elevation_2031.tif.xml").record))
    assert told["creation"] == "2031-06-24" and told["publication"] == "2031-07-30" and told["resolution"] == "10 m"
    assert told["reference system"] == "WGS 84 / UTM zone 27S (EPSG:32727)"
    assert told["accuracy of position"].startswith("0.21 m; vertical accuracy, root mean square")
    assert told["use"].endswith("made-up data; No limits on access") and "merged in" not in told["lineage"]
    assert told["owner"].startswith("Ines Maro, Tolvane Survey Office, Harrow Landing")
    assert lines(brief(read_document(data / "tolvane_survey.gpkg.xml").record))["scale"] == "1 : 5,000"


def test_gaps_are_said_and_not_left_blank(data):
    told = lines(brief(read_document(data / "ash_samples.geojson.xml").record))
    for label in ("purpose", "contact", "date", "lineage", "use", "accuracy", "scale", "reference system"):
        assert told[label] == "not stated"


def test_an_fgdc_record_explains_cut_off_names(data):
    document = read_document(data / "fissures_2031" / "fissures.shp.xml")
    told = lines(brief(document.record))
    assert told["MAXOPEN_M"] == "Largest opening. Widest gap measured across the fissure; in metres; from 0 to 5"
    assert told["ACT_2031"].endswith("1 = active, 0 = not active")
    words = meanings_of(read.open(data / "fissures_2031" / "fissures.shp"), "fissures")
    assert words["MAXOPEN_M"].alias == "Largest opening" and words["MAXOPEN_M"].unit == "metres"
    assert words["ACT_2031"].meaning_of(1.0) == "active"


def test_iso_19115_3_and_stac_are_read(data):
    sea = read_document(data / "seafloor.nc.xml")
    assert sea.standard.name == "ISO 19115-3" and sea.record.topics == ("oceans",)
    assert sea.record.boxes == (Box(-21.1, -38.36, -20.7, -38.04),)
    scene = read_document(data / "MERIDEL3_20310624" / "MERIDEL3_20310624.stac.json").record
    assert scene.times[0].begin == "2031-06-24T10:42:17Z" and scene.systems == (System("32727", "EPSG"),)
    assert len(scene.links) == 10 and scene.links[0].function == "download"


def test_every_line_is_known_and_leads_back(data):
    document = read_document(data / "elevation_2031.tif.xml")
    rows = document.text.splitlines()
    for place, value in stated_places(document.record):
        line = document.line_of(place)
        assert line is not None
        if place[-1] == "kind":
            continue  # said by the element's name
        near = " ".join(rows[line - 1 : line + 12])
        assert str(value).split(" ")[0] in near or str(value).removesuffix(".0") in near
    assert document.place_at(document.line_of(("contacts", 0, "email")))[:2] == ("contacts", 0)


@pytest.mark.parametrize("change", ["prefix", "namespace", "no namespace", "order", "latin"])
def test_reading_is_tolerant(data, change):
    text = (data / "elevation_2031.tif.xml").read_text()
    wanted = read_document(data / "elevation_2031.tif.xml").record
    if change == "prefix":
        text = text.replace("gmd:", "m:").replace("xmlns:gmd", "xmlns:m")
    elif change == "namespace":
        text = text.replace("http://www.isotc211.org/2005/gmd", "http://schemas.example/iso/19139/20060504/gmd")
    elif change == "no namespace":
        text = (
            text.replace("gmd:", "")
            .replace("gco:", "")
            .replace(' xmlns:gml="http://www.opengis.net/gml/3.2"', "")
            .replace("gml:", "")
        )
    elif change == "order":
        root = etree.fromstring(text.encode())
        root[:] = list(reversed(root))
        text = etree.tostring(root, encoding="unicode")
    else:
        text = text.replace("Tolvane Survey Office", "Tölvane Survey Office")
        wanted = None
    data_ = text.encode("latin-1" if change == "latin" else "utf-8")
    document = document_in(data_, data / "elevation_2031.tif.xml")
    if wanted is None:
        assert document.record.contacts[0].organisation == "Tölvane Survey Office" and "cp1252" in document.notes[0]
    else:
        assert document.record == wanted
    edited = document.edited(replace(document.record, purpose="", credits=("The crew",)))
    assert edited.record.credits == ("The crew",) and not edited.record.purpose


def test_what_has_no_place_is_told_with_its_line_and_kept(data):
    text = (data / "tolvane_survey.gpkg.xml").read_text()
    text = text.replace("<gco:Integer>5000</gco:Integer>", "<gco:Integer>about 5000</gco:Integer>")
    text = text.replace(
        "</gmd:identificationInfo>",
        "</gmd:identificationInfo><gmd:portrayalCatalogueInfo><gco:Note>in blue</gco:Note></gmd:portrayalCatalogueInfo>",
    )
    document = document_in(text.encode(), data / "x.xml")
    told = {u.text: u for u in document.unplaced}
    assert told["about 5000"].reason == "it could not be understood" and told["in blue"].line > 100
    assert all(
        f"Line {u.line}" in f.reason and f.line == u.line for u, f in zip(document.unplaced, leftovers(document))
    )
    edited = document.edited(replace(document.record, title="T"))
    assert "about 5000" in edited.text and "in blue" in edited.text
    assert document.edited(replace(document.record, scales=(25_000,))).record.scales == (25_000,)


def test_what_files_say_inside_themselves(data, tmp_path):
    labels = {kept.label: kept.document for kept in find_records(read.open(data / "seafloor.nc"))[0]}
    assert labels["netCDF attributes"].record.title == "Sea floor around Tolvane Island, 2029"
    assert labels["netCDF attributes"].read_only
    header = find_records(read.open(data / "harrow_bay_2031.laz"))[0][1].document
    assert header.record.dates == (DatedEvent("2031-06-24", "creation"),)
    assert header.text.splitlines()[header.line_of(("dates",)) - 1] == "created = 2031-06-24"
    import rasterio
    from rasterio.transform import from_origin

    path = tmp_path / "tagged.tif"
    with rasterio.open(path, "w", driver="GTiff", width=2, height=2, count=1, dtype="uint8", crs="EPSG:32727",
                       transform=from_origin(500_000, 5_770_000, 10, 10)) as out:  # fmt: skip
        out.update_tags(
            TIFFTAG_ARTIST="Ines Maro", TIFFTAG_DATETIME="2031:06:24 10:00:00", TIFFTAG_COPYRIGHT="Free", OTHER="x"
        )
    said = find_records(read.open(path))[0][0].document.record
    assert said.contacts == (Contact(person="Ines Maro", role="author"),) and said.dates[0].day == "2031-06-24"
    assert said.constraints[0].other == ("Free",)


# Hostile files

HOSTILE = {
    "bomb": b'<?xml version="1.0"?><!DOCTYPE m [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">'
    b'<!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;&b;&b;">]><metadata><idinfo><title>&c;</title></idinfo></metadata>',
    "outside": b'<?xml version="1.0"?><!DOCTYPE m [<!ENTITY x SYSTEM "file:///etc/passwd">]><metadata><idinfo>&x;</idinfo></metadata>',
    "deep": b"<a>" * 3_000_000,
    "wide": b"<metadata>" + b"<a/>" * 5_000_000,
    "attributes": b"<metadata " + b" ".join(b'a%d=""' % i for i in range(1_500_000)) + b"/>",
    "empty": b"",
    "encoding": b'<?xml version="1.0" encoding="UTF-16"?><metadata><idinfo>\xff\xfe\x00</idinfo></metadata>',
    "cut": b"<metadata><idinfo><citation>",
    "not one": b"<html><body/></html>",
    "json": b'{"stac_version": ' * 100_000,
    "jsonld": b'{"@context": "https://context.example/x.jsonld", "@id": "urn:a", "@type": "dcat:Dataset"}',
}


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_are_refused_in_little_memory(name, tmp_path):
    """In a process of its own, which may take 200 MB more than its libraries."""
    path = tmp_path / ("x.json" if name.startswith("json") else "x.xml")
    path.write_bytes(HOSTILE[name])
    code = (
        "import resource, sys\n"
        "from pathlib import Path\n"
        "from brisk_atlas.core.record import read_document\n"
        "from brisk_atlas.core.model import CannotRead\n"
        "import brisk_atlas.core.record.standards.iso19139, rdflib\n"
        "before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        "try:\n    read_document(Path(sys.argv[1]))\n    print('read')\n"
        "except CannotRead as error:\n    print(error)\n"
        "print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024)\n"
    )
    out = subprocess.run([sys.executable, "-c", code, path], capture_output=True, text=True, timeout=60)
    said, figures = out.stdout.strip().rsplit("\n", 1)
    assert said.startswith(str(path)) and len(said) < 400, out.stdout + out.stderr
    megabytes = float(figures)
    assert megabytes < 200  # how long it takes is the benchmark's to say


def test_a_file_too_large_is_not_even_read(tmp_path):
    path = tmp_path / "huge.xml"
    with path.open("wb") as file:
        file.truncate(1_200_000_000)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(CannotRead, match="larger than 64 MB"):
        read_document(path)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000


# Checks


def test_a_record_with_gaps_is_found_wanting(data):
    record = read_document(data / "ash_samples.geojson.xml").record
    faults = [place_text(f.place) for f in check(record, ISO) if f.severity == "fault"]
    assert faults == ["dates", "topics", "record_contacts"]
    full = completeness(record, ISO)
    assert (full.stated, full.asked) == (5, 9) and ("When", 0, 1) in full.sections
    inspire = [f.reason for f in check(record, STANDARDS["INSPIRE"])]
    assert any("INSPIRE themes" in reason for reason in inspire) and len(inspire) > 12
    whole = read_document(data / "elevation_2031.tif.xml").record
    assert check(whole, ISO) == [] and completeness(whole, ISO).share == 1


@pytest.mark.parametrize(
    ("record", "place", "words"),
    [
        (Record(dates=(DatedEvent("2031-02-30", "creation"),)), ("dates", 0, "day"), "no day 2031-02-30"),
        (Record(dates=(DatedEvent("soon", "creation"),)), ("dates", 0, "day"), "no date"),
        (Record(dates=(DatedEvent("2031-01-01"),)), ("dates", 0, "kind"), "what happened then"),
        (Record(status="done"), ("status",), "not in the code list"),
        (Record(contacts=(Contact(email="at home", role="owner"),)), ("contacts", 0, "email"), "no e-mail address"),
        (
            Record(contacts=(Contact(email="a@b.example", role="owner"),)),
            ("contacts", 0, "person"),
            "a person, an organisation",
        ),
        (Record(boxes=(Box(-21, -38.1, -20.8, -38.3),)), ("boxes", 0), "south lies north"),
        (Record(boxes=(Box(-200, -38.3, -20.8, -38.1),)), ("boxes", 0, "west"), "not between -180 and 180"),
        (Record(times=(Period("2031", "2029"),)), ("times", 0), "ends before it begins"),
        (
            Record(constraints=(Constraint("legal", access=("otherRestrictions",)),)),
            ("constraints", 0, "other"),
            "in words",
        ),
        (Record(level="series"), ("level_name",), "must be named"),
    ],
)
def test_each_finding_names_its_place_and_reason(record, place, words):
    found = {f.place: f.reason for f in check(record, ISO)}
    assert place in found and words in found[place]
    assert label_of(place)


def test_rules_hold_only_where_they_apply():
    service = Record(level="service", level_name="map service")
    assert not any(f.place in (("topics",), ("boxes",)) for f in check(service, ISO))
    assert not any(f.place == ("liability",) for f in check(Record(), FGDC))
    with_distributor = Record(distributors=(Contact(organisation="Depot", role="distributor"),))
    assert any(f.place == ("liability",) for f in check(with_distributor, FGDC))
    twice = Record(dates=(DatedEvent("2029", "creation"), DatedEvent("2031", "creation")))
    assert any("one date of creation" in f.reason for f in check(twice, STANDARDS["INSPIRE"]))


def test_obligations_come_from_the_rules():
    assert obligation(ISO, "title") == "mandatory" and obligation(ISO, "boxes") == "conditional"
    assert obligation(ISO, "purpose") == "optional" and obligation(FGDC, "purpose") == "mandatory"


def test_every_rule_names_what_the_model_has_and_the_standard_holds():
    for standard in STANDARDS.values():
        for rule in rules_named(standard.rules):
            assert all(standard.places(element) for element in rule.elements if standard.name != "ISO 19115-3"), rule


def test_the_schema_says_what_the_rules_do_not(data):
    document = read_document(data / "ash_samples.geojson.xml")
    found = check_schema(document.data, ISO, document.place_at)
    assert len(found) == 1 and found[0].source == "schema" and "dateStamp" in found[0].reason and found[0].line > 10
    good = read_document(data / "fissures_2031" / "fissures.shp.xml")
    assert check_schema(good.data, FGDC, good.place_at) == []


@pytest.mark.parametrize(
    ("element", "text", "value"),
    [("scales", "25,000", 25_000), ("scales", "2 500", 2_500), ("boxes.west", "-20.5", -20.5), ("dates.day", "2031-06", "2031-06"),
     ("status", "completed", "completed"), ("dates.day", "", ""), ("size_mb", "", None)],
)  # fmt: skip
def test_typed_texts_become_values(element, text, value):
    assert typed(elements()[element], text) == value


@pytest.mark.parametrize(
    ("element", "text"),
    [("scales", "many"), ("scales", "0"), ("boxes.west", "-181"), ("boxes.west", "nan"), ("dates.day", "24.6.2031"),
     ("contacts.email", "ines"), ("links.url", "over there"), ("status", "finished")],
)  # fmt: skip
def test_wrong_texts_are_refused_in_words(element, text):
    with pytest.raises(ValueError, match=r"\w{2,}"):
        typed(elements()[element], text)


def test_codes_are_shown_in_plain_words():
    assert (
        shown(elements()["maintenance"], "asNeeded") == "as needed" and shown(elements()["scales"], 25_000) == "25,000"
    )
    assert wrong_with(elements()["links.url"], "B1.tif") == ""


# The data and its record


def test_what_the_data_tells_is_filled_in_and_known_again(data):
    dataset = read.open(data / "fissures_2031" / "fissures.shp")
    told = derived_record(dataset)
    assert told.objects == (ObjectCount("curve", 6),) and told.systems == (System("32727", "EPSG"),)
    assert [f.name for f in told.entities[0].fields][:2] == ["FISS_ID", "OPEN_DT"]
    record = read_document(data / "fissures_2031" / "fissures.shp.xml").record
    full = filled(record, told)
    assert full.boxes == told.boxes and full.systems == told.systems
    assert full.entities[0].fields[5].definition.startswith("Dip.") and full.entities[0].fields[5].type == "int32"
    assert ("boxes", 0, "west") in derived_places(full, told) and ("boxes", 0, "west") not in derived_places(
        record, told
    )
    assert not [f for f in contradictions(full, told) if f.severity != "note"]
    grid = derived_record(read.open(data / "elevation_2031.tif"))
    assert grid.distances == (Measure(10.0, "m"),) and [d.size for d in grid.dimensions] == [900, 1024]


def test_a_record_that_says_otherwise_than_its_data_is_caught(data):
    told = derived_record(read.open(data / "fissures_2031" / "fissures.shp"))
    wrong = Record(
        boxes=(Box(-20.91, -38.21, -20.89, -38.20),),
        systems=(System("4326", "EPSG"),),
        objects=(ObjectCount("curve", 7),),
        representation=("grid",),
        entities=(Entity("fissures", fields=(FieldDefinition("FISS_ID"), FieldDefinition("DEPTH"))),),
    )
    reasons = " ".join(f.reason for f in contradictions(wrong, told))
    for words in ("reaches beyond", "data is in EPSG:32727", "has 6 objects; the record says 7", "explains the field DEPTH",
                  "does not explain: OPEN_DT", "data is vector; the record says grid"):  # fmt: skip
        assert words in reasons
    raster = derived_record(read.open(data / "elevation_2031.tif"))
    grain = contradictions(Record(distances=(Measure(30.0, "m"),)), raster)
    assert "cells of the data are 10 m; the record says 30 m" in grain[0].reason


# Editing and keeping


def test_edits_are_steps_that_can_be_undone(data):
    draft = Draft(read_document(data / "ash_samples.geojson.xml"))
    draft.write(("dates", 0, "day"), "2031-06-02")
    draft.write(("dates", 0, "kind"), "creation")
    assert draft.record.dates == (DatedEvent("2031-06-02", "creation"),) and draft.changed
    with pytest.raises(ValueError, match="no date"):
        draft.write(("dates", 0, "day"), "last week")
    draft.write(("keywords", 0, "words", 0), "ash")
    draft.remove(("keywords", 0))
    assert draft.undo() == "Remove keywords 1" and draft.record.keywords == (KeywordSet("", ("ash",)),)
    for _ in range(3):
        draft.undo()
    assert draft.document.data == draft.opened.data and not draft.changed and draft.redo_name
    draft.redo()
    assert draft.record.dates[0].day == "2031-06-02"


def test_saving_goes_beside_and_never_over_another_record(shelf):
    path = shelf / "ash_samples.geojson.xml"
    draft = Draft(read_document(path))
    draft.write(("purpose",), "Shows where ash fell.")
    save(draft.document, path, was=draft.saved_data)
    assert read_document(path).record.purpose == "Shows where ash fell."
    path.write_bytes(path.read_bytes() + b"\n")
    with pytest.raises(CannotWrite, match="changed by someone else"):
        save(draft.document, path, was=draft.saved_data)
    other = convert(draft.document, FGDC).document
    with pytest.raises(CannotWrite, match="holds a record in ISO 19139"):
        save(other, path)
    assert path_beside(shelf / "ash_samples.geojson", other).name == "ash_samples.geojson.fgdc.xml"
    save(other, path_beside(shelf / "ash_samples.geojson", other))
    kept, _ = find_records(read.open(shelf / "ash_samples.geojson"))
    assert {k.document.standard.name for k in kept} == {"ISO 19139", "FGDC CSDGM"}
    assert not list(shelf.glob(".*writing*"))


def test_saving_inside_a_geopackage(shelf):
    package = shelf / "tolvane_survey.gpkg"
    document = read_document(shelf / "tolvane_survey.gpkg.xml")
    row = save_inside(document, package, table="lava_flows")
    with sqlite3.connect(package) as db:
        uri, scope = db.execute(
            "SELECT md_standard_uri, reference_scope FROM gpkg_metadata m JOIN gpkg_metadata_reference r ON r.md_file_id = m.id"
        ).fetchone()
        assert uri == "http://www.isotc211.org/2005/gmd" and scope == "table"
        assert db.execute("SELECT count(*) FROM gpkg_extensions WHERE extension_name = 'gpkg_metadata'").fetchone() == (
            2,
        )
    inside = next(k for k in find_records(read.open(package))[0] if k.row is not None)
    assert inside.document.record == document.record and "lava_flows" in inside.label
    save_inside(inside.document.edited(replace(document.record, title="New")), package, row)
    assert next(k for k in find_records(read.open(package))[0] if k.row == row).document.record.title == "New"
    with pytest.raises(CannotWrite, match="is gone"):
        save_inside(document, package, 99)


def test_a_record_elsewhere_is_linked_by_hand(shelf, tmp_path, home):
    data, record = shelf / "gas_stations.csv", shelf / "gas_readings.parquet.xml"
    assert find_records(read.open(data))[0] == []
    link(data, record)
    kept, _ = find_records(read.open(data))
    assert kept[0].where == "linked" and linked_record(data) == record
    with pytest.raises(CannotRead):
        link(data, shelf / "gas_stations.csv")
    link(data, None)
    assert linked_record(data) is None


def test_differences_and_taking_one_over(data):
    a = read_document(data / "elevation_2029.tif.xml").record
    b = read_document(data / "elevation_2031.tif.xml").record
    rows = {place_text(row.place_a or row.place_b): row for row in differences(a, b)}
    assert "contacts[1].email" not in rows and rows["title"].state == "changed"
    assert [r.a or r.b for r in differences(a, b) if r.element.id == "keywords.words"] == [
        "topography",
        "eruption",
        "lava",
    ]
    merged = a
    while differences(merged, b):
        merged = taken(merged, differences(merged, b)[0])
    assert sorted(str(v) for _, v in stated_places(merged)) == sorted(str(v) for _, v in stated_places(b))


# Templates and many


def test_a_template_fills_or_replaces_but_never_what_is_a_records_own(data):
    template = read_document(data / "templates" / "office_iso19139.xml").record
    gaps = read_document(data / "ash_samples.geojson.xml").record
    full, changes = applied(gaps, template)
    assert full.title == gaps.title and full.boxes == gaps.boxes and full.abstract == gaps.abstract
    assert {c.element for c in changes} >= {"contacts", "constraints", "topics", "record_contacts"}
    whole = read_document(data / "gas_readings.parquet.xml").record
    kept, changes = applied(whole, template)
    assert kept.maintenance == "daily" and [c.element for c in changes] == ["keywords"]
    assert kept.keywords[0].words[-1] == "Tolvane Island"
    over, _ = applied(whole, template, "replace", ["maintenance"])
    assert over.maintenance == "irregular" and over.topics == whole.topics
    assert template_of(whole, ["contacts"]) == Record(contacts=whole.contacts)


def test_a_template_goes_into_many_records_and_makes_new_ones(shelf):
    template = read_document(shelf / "templates" / "office_iso19139.xml")
    sources = [s for s in many.sources_in(shelf, deep=False) if s.path.name.startswith(("ash", "gas_st", "vents"))]
    plans = list(batch.plans(template, sources))
    assert [(p.path.name, p.is_new) for p in plans] == [
        ("ash_samples.geojson.xml", False), ("gas_stations.csv.xml", True), ("vents.kml.xml", True)]  # fmt: skip
    for plan in plans:
        assert not plan.saved().error
    made = read_document(shelf / "vents.kml.xml")
    assert made.record.contacts[0].organisation == "Tolvane Survey Office" and made.record.systems[0].code == "4326"
    assert made.record.representation == ("vector",) and check_schema(made.data, ISO, made.place_at) == []
    assert all(
        not p.changes for p in batch.plans(template, [many.RecordSource(shelf / "vents.kml", shelf / "vents.kml.xml")])
    )


def test_the_table_of_a_folder_says_what_is_missing(shelf, tmp_path):
    (shelf / "broken.xml").write_text("<gmd:MD_Metadata")
    chosen = ("title", "contacts.email", "boxes")
    rows = {row.source.path.name: row for row in many.table(many.sources_in(shelf), chosen)}
    assert rows["ash_samples.geojson.xml"].values == ("Ash samples", "", "-20.95434, -38.245, -20.83727, -38.16378")
    assert rows["ash_samples.geojson.xml"].faults == 3 and rows["ash_samples.geojson.xml"].complete == pytest.approx(
        5 / 9
    )
    assert rows["vents.kml"].standard == "" and "broken" in rows["broken.xml"].error
    assert "tolvane.brisk.json" not in rows
    out = tmp_path / "t.csv"
    many.write_csv(rows.values(), chosen, out, shelf)
    with out.open() as file:
        table = list(csv.DictReader(file))
    assert len(table) == len(rows) and table[0]["contact: e-mail"] == "" and table[0]["complete"] == "56%"
    many.write_xlsx(rows.values(), chosen, tmp_path / "t.xlsx", shelf)
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx").active
    assert sheet.max_row == len(rows) + 1 and sheet["A1"].value == "dataset"
    with pytest.raises(KeyError, match="nothing"):
        list(many.table([], ("nothing",)))


def test_many_records_are_read_by_children_in_order(data, tmp_path, monkeypatch):
    monkeypatch.setattr(many, "WORTH_WORKERS", 20)
    text = (data / "elevation_2031.tif.xml").read_text()
    for i in range(90):
        (tmp_path / f"r{i:03}.xml").write_text(text.replace("after the eruption", f"number {i}"))
    rows = list(many.table(many.sources_in(tmp_path), ("title",)))
    assert [row.values[0] for row in rows] == [f"Elevation of Tolvane Island number {i}, 2031" for i in range(90)]
    stopped = iter(many.table(many.sources_in(tmp_path), ("title",), None, lambda: 1 / 0))
    with pytest.raises(ZeroDivisionError):
        next(stopped)


# Flattening and handing on


def test_any_xml_becomes_tables(data, tmp_path):
    path = data / "fissures_2031" / "fissures.shp.xml"
    kinds = {kind.name: kind for kind in flattening.kinds_in(path)}
    assert kinds["attr"].count == 7 and kinds["attr"].has_children and not kinds["attrlabl"].has_children
    attributes, domains = flattening.flatten(path, ["attr", "edom"])
    assert len(attributes.rows) == 7 and "attrdomv.rdom.rdommax" in attributes.columns
    assert domains.columns[:3] == ("row", "parent", "parent_row") and [r[2] for r in domains.rows] == [7, 7]
    _, keys = flattening.flatten(path, ["theme"])
    assert keys.name == "theme.themekey" and [row[1:] for row in keys.rows] == [(1, "fissure"), (1, "volcano")]
    kml = flattening.flatten(data / "vents.kml", ["Placemark"], most=3)
    assert len(kml[0].rows) == 3 and kml[0].cut and "name" in kml[0].columns
    files = flattening.write_all_csv([attributes, domains], tmp_path / "out", "fissures")
    assert [f.name for f in files] == ["fissures_attr.csv", "fissures_edom.csv"]
    assert read.open(files[0]).parts[0].facts.count == 7


def test_a_page_stands_by_itself(data):
    from brisk_atlas.core.kinds.first_sight import picture_of
    from brisk_atlas.core.model import DataRef

    document = read_document(data / "elevation_2031.tif.xml")
    evil = replace(document.record, title="<script>alert(1)</script>", purpose="a & b")
    page = handing_on.html_page(document.edited(evil), picture_of(DataRef.file(data / "elevation_2031.tif")))
    tree = etree.HTML(page)
    assert not tree.findall(".//script") and tree.findtext(".//h1") == "<script>alert(1)</script>"
    assert tree.find(".//img").get("src").startswith("data:image/png;base64,") and tree.find(".//svg//rect") is not None
    assert not [e for e in tree.iter() if (e.get("href") or e.get("src") or "").startswith("http")]
    assert "Tolvane Survey Office" in page and picture_of(DataRef.file(data / "laboratory.xlsx")) is None


def test_a_catalogue_of_a_folder_reads_as_dcat(data, tmp_path):
    import rdflib

    graph, failed = handing_on.catalogue(data)
    assert failed == []
    handing_on.write_graph(graph, tmp_path / "c.jsonld")
    back = rdflib.Graph().parse(tmp_path / "c.jsonld")
    dcat = rdflib.DCAT
    catalogue = next(back.subjects(rdflib.RDF.type, dcat.Catalog))
    titles = {str(back.value(d, rdflib.DCTERMS.title)) for d in back.objects(catalogue, dcat.dataset)}
    assert {"Ash samples", "Fissures of Mount Serrick", "vents"} <= titles
    assert len(titles) > 20 and all(back.value(d, dcat.distribution) for d in back.objects(catalogue, dcat.dataset))


@pytest.mark.parametrize("suffix", [".ttl", ".jsonld", ".rdf"])
def test_a_dcat_record_stands_alone(data, tmp_path, suffix):
    made = convert(read_document(data / "ash_samples.geojson.xml"), STANDARDS["DCAT-AP"], tmp_path / f"ash{suffix}")
    save(made.document, tmp_path / f"ash{suffix}")
    dataset = read.open(tmp_path / f"ash{suffix}")
    assert (dataset.format, dataset.kind, dataset.parts[0].facts.name) == ("DCAT-AP", "record", "Ash samples")
    kept, _ = find_records(dataset)
    assert kept[0].document.record.abstract == "Ash thickness and grain size at 74 places."
    edited = kept[0].document.edited(replace(kept[0].document.record, purpose="", title="Ash"))
    assert edited.record.title == "Ash" and edited.record.boxes == kept[0].document.record.boxes


def test_conversion_reports_what_is_lost_and_missing(data):
    document = read_document(data / "fissures_2031" / "fissures.shp.xml")
    made = convert(document, ISO)
    text = "\n".join(made.lines())
    assert "lost: fields of (entities): 44 values" in text and "missing: topic" in text
    assert convert(document, FGDC).lines() == ["nothing was lost"]
    iso = read_document(data / "elevation_2031.tif.xml")
    back = convert(iso, FGDC)
    assert back.document.record.steps[0].description == iso.record.lineage
    assert any(row.element.id == "lineage" for row in back.moved) and back.document.record.systems == iso.record.systems
    assert "<utmzone>27</utmzone>" in back.document.text and "<fnorth>10000000</fnorth>" in back.document.text


@pytest.mark.parametrize(
    ("code", "spelt"),
    [
        ("4326", "geograph"),
        ("32630", "utmzone"),
        ("32727", "utmzone"),
        ("26911", "utmzone"),
        ("3031", "othergrd"),
        ("4258", "geograph"),
    ],
)
def test_reference_systems_are_spelt_out_and_known_again(code, spelt):
    record = Record(title="t", boxes=(Box(0, 0, 1, 1),), systems=(System(code, "EPSG"),))
    document = written(FGDC, record, Path("made.fgdc.xml"))
    assert f"<{spelt}>" in document.text and document.record.systems == (System(code, "EPSG"),)


def test_the_crosswalk_page_is_what_the_standards_do(request):
    from crosswalk_page import page

    told = (request.config.rootpath / "docs" / "crosswalk.md").read_text()
    assert told == page(), "run `python tests/crosswalk_page.py > docs/crosswalk.md`"
    assert len(crosswalk()) > 180


def test_standards_are_known_by_short_names():
    assert standard_named("fgdc").name == "FGDC CSDGM" and standard_named("iso19115-3").name == "ISO 19115-3"
    assert standard_named("dcat").name == "DCAT-AP"
    with pytest.raises(KeyError):
        standard_named("mine")


def test_values_of_an_element_across_items(data):
    record = read_document(data / "fissures_2031" / "fissures.shp.xml").record
    assert values_of(record, "entities.fields.ranges.unit") == ["year", "metres", "metres", "degrees"]
    assert json.loads(json.dumps(values_of(record, "contacts.email"))) == ["data@survey.tolvane.example"]
