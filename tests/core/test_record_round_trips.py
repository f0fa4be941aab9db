"""Records written and read back, edited in place, and passed between standards."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from lxml import etree

from brisk_atlas.core.record import STANDARDS, convert, document_in, written
from brisk_atlas.core.record.document import representable
from brisk_atlas.core.record.elements import element_id, stated_places
from brisk_atlas.core.record.model import Box, Contact, DatedEvent, KeywordSet, Link, Measure, Period, Record, System
from brisk_atlas.core.record.schemas import fgdc_schema, iso19139_schema
from brisk_atlas.core.record.words import Words
from brisk_atlas.demo import DATA
from made_records import records

XML = ("ISO 19139", "ISO 19115-3", "FGDC CSDGM", "Dublin Core")
OTHERS = ("DCAT-AP", "STAC")
often = settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
DEMO = sorted(path for path in DATA.rglob("*.xml") if not path.name.endswith(".aux.xml"))


def said_by_itself(standard, record):
    """Return a record with the name of its standard, which FGDC writes even where no one said it."""
    if standard.name != "FGDC CSDGM":
        return record
    return replace(
        record,
        standard_name=record.standard_name or standard.title,
        standard_version=record.standard_version or standard.edition,
    )


def path_for(standard):
    return Path("made" + standard.suffix)


@pytest.mark.parametrize("name", XML)
@given(record=records)
@often
def test_what_a_standard_holds_comes_back_from_its_xml(name, record):
    standard = STANDARDS[name]
    held = said_by_itself(standard, representable(standard, record))
    assert written(standard, record, path_for(standard)).record == held


@pytest.mark.parametrize("name", XML)
@given(first=records, second=records)
@often
def test_a_record_edited_in_place_says_what_it_was_made_to_say(name, first, second):
    standard = STANDARDS[name]
    before = written(standard, first, path_for(standard))
    wanted = said_by_itself(standard, representable(standard, second))
    after = before.edited(wanted)
    assert after.record == wanted
    back = after.edited(before.record)
    assert back.record == before.record


@pytest.mark.parametrize("name", OTHERS)
@given(first=records, second=records)
@often
def test_json_and_rdf_come_back_and_can_be_edited(name, first, second):
    standard = STANDARDS[name]
    before = written(standard, standard.adapted(first), path_for(standard))
    again = written(standard, before.record, path_for(standard))
    assert again.record == before.record
    wanted = representable(standard, standard.adapted(second))
    assert before.edited(wanted).record == wanted


SAID = {  # a value of each element, and words of it that the file must have
    "title": ("Ash of 2031", "Ash of 2031"),
    "abstract": ("Thickness of ash", "Thickness of ash"),
    "identifier": ("urn:x:ash", "urn:x:ash"),
    "keywords": ((KeywordSet(words=("ash", "tephra")),), "tephra"),
    "times": ((Period("2031-04-01", "2031-05-02"),), "2031-05-02"),
    "boxes": ((Box(-21.0, -38.3, -20.8, -38.1),), "-38.3"),
    "systems": ((System("32727", "EPSG"),), "32727"),
    "distances": ((Measure(10.0, "m"),), "10"),
    "contacts": ((Contact(organisation="Tolvane Survey Office", role="publisher"),), "Tolvane Survey Office"),
    "dates": ((DatedEvent("2031-06-01", "publication"),), "2031-06-01"),
    "languages": (("en",), "EN"),
    "links": ((Link(url="https://data.example/ash"),), "https://data.example/ash"),
    "lineage": ("Measured by hand", "Measured by hand"),
    "maintenance": ("annually", "ANNUAL"),
}
NOT_IN_STAC = ("languages", "links", "lineage", "maintenance")


@pytest.mark.parametrize(("name", "element"), [
    (name, element) for name in OTHERS for element in SAID if name != "STAC" or element not in NOT_IN_STAC
])  # fmt: skip
def test_each_element_is_in_the_file_and_comes_back(name, element):
    """What must be there is listed here, so that a writer that leaves an element out is found."""
    value, words = SAID[element]
    document = written(STANDARDS[name], Record(**{element: value}), path_for(STANDARDS[name]))
    assert getattr(document.record, element) == value
    assert words in document.text and document_in(document.data, document.path).record == document.record


@given(record=records)
@often
def test_iso_19139_is_valid_whatever_the_record_says(record):
    document = written(STANDARDS["ISO 19139"], record, Path("made.xml"))
    schema = iso19139_schema()
    assert schema.validate(etree.fromstring(document.data)), schema.error_log


@given(record=records, second=records)
@often
def test_fgdc_is_valid_once_it_has_an_extent(record, second):
    box = (Box(-21.0, -38.3, -20.8, -38.1),)
    document = written(STANDARDS["FGDC CSDGM"], replace(record, boxes=box), Path("made.xml"))
    edited = document.edited(replace(representable(STANDARDS["FGDC CSDGM"], second), boxes=box))
    schema = fgdc_schema()
    for made in (document, edited):
        assert schema.validate(etree.fromstring(made.data)), (schema.error_log, made.text)


@pytest.mark.parametrize("path", DEMO, ids=lambda p: p.name)
def test_only_what_was_edited_changes(path):
    """Comments, unknown elements and the order of the rest stay as they were."""
    root = etree.parse(path).getroot()
    root.insert(1, etree.Comment(" kept by hand "))
    stranger = etree.SubElement(root, "{urn:office}note")
    stranger.text = "for the archive"
    document = document_in(etree.tostring(root), path)
    assert any("note" in u.path and u.line > 1 for u in document.unplaced)
    assert document.edited(document.record).data == document.data
    edited = document.edited(replace(document.record, title="Another title"))
    assert edited.record == replace(document.record, title="Another title")

    def canonical(data):
        out = io.BytesIO()
        etree.fromstring(data).getroottree().write_c14n(out)
        return out.getvalue().decode().splitlines()

    before, after = canonical(document.data), canonical(edited.data)
    changed = [pair for pair in zip(before, after) if pair[0] != pair[1]]
    assert len(before) == len(after) and len(changed) == 1
    assert "Another title" in changed[0][1]


@pytest.mark.parametrize("there", ["ISO 19115-3", "FGDC CSDGM", "Dublin Core", "DCAT-AP", "STAC"])
@given(record=records)
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_conversion_and_back_loses_only_what_the_crosswalk_says(there, record):
    """Every element that is gone after ISO -> other -> ISO has no place in the other, or the report says it moved."""
    iso, other = STANDARDS["ISO 19139"], STANDARDS[there]
    start = written(iso, record, Path("start.xml"))
    over = convert(start, other, path_for(other))
    back = convert(over.document, iso, Path("back.xml"))
    reported = {element_id(row.place_a) for row in (*over.lost, *over.moved) if row.place_a}
    gone = {element_id(p) for p, _ in stated_places(start.record)} - {
        element_id(p) for p, _ in stated_places(back.document.record)
    }
    assert all(
        not other.places(e) or any(r == e or r.startswith(e + ".") or e.startswith(r) for r in reported) for e in gone
    )


def test_translations_are_read_and_written():
    said = Record(
        title=Words("Lava of 2031", (("por", "Lava de 2031"), ("fre", "Lave de 2031"))), abstract="The flows."
    )
    for name in ("ISO 19139", "ISO 19115-3"):
        document = written(STANDARDS[name], said, Path("made.xml"))
        assert document.record.title.also == (("por", "Lava de 2031"), ("fre", "Lave de 2031"))
        edited = document.edited(replace(document.record, title=Words("Lava of 2031", (("por", "Lava"),))))
        assert edited.record.title.also == (("por", "Lava"),)
        assert "Lave de" not in edited.text
    assert iso19139_schema().validate(etree.fromstring(written(STANDARDS["ISO 19139"], said, Path("m.xml")).data))
    dcat = written(STANDARDS["DCAT-AP"], said, Path("m.ttl"))
    assert dict(dcat.record.title.also)["por"] == "Lava de 2031"
    assert written(STANDARDS["FGDC CSDGM"], said, Path("m.xml")).record.title == "Lava of 2031"
