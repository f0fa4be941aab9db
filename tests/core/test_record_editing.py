"""How edits are put into XML: order, indentation, what must be there, what gives way; texts and values."""

from __future__ import annotations

import pickle
from dataclasses import replace
from pathlib import Path

import pytest
from lxml import etree

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.read.records_inside import record_from_tags
from brisk_atlas.core.record import STANDARDS, Draft, convert, document_in, read_document, written
from brisk_atlas.core.record.binding import many, one, shape
from brisk_atlas.core.record.brief_sections import box_text, brief, contact_text
from brisk_atlas.core.record.comparing import CHANGED, ONLY_B, SAME, comparisons_of, taken
from brisk_atlas.core.record.elements import (
    elements,
    empty_of,
    is_stated,
    label_of,
    stated_places,
    value_at,
    with_value,
    without,
)
from brisk_atlas.core.record.iso_values import OwnText, number_in, plain_number
from brisk_atlas.core.record.model import Box, Contact, DatedEvent, KeywordSet, Link, Record, System
from brisk_atlas.core.record.safe_xml import xml_in
from brisk_atlas.core.record.spelt_systems import spelt_system
from brisk_atlas.core.record.words import Words, tidy

ISO, FGDC = STANDARDS["ISO 19139"], STANDARDS["FGDC CSDGM"]


@pytest.fixture
def ash(data):
    return read_document(data / "ash_samples.geojson.xml")


# Putting


def test_new_elements_are_indented_as_their_neighbours(ash):
    edited = ash.edited(replace(ash.record, credits=("The crew",), purpose="Roofs."))
    rows = edited.text.splitlines()
    deep = {
        name: len(row) - len(row.lstrip())
        for row in rows
        for name in ("purpose", "credit", "abstract")
        if f"<gmd:{name}>" in row
    }
    assert deep["purpose"] == deep["credit"] == deep["abstract"] and len(set(deep.values())) == 1
    assert not any(row.count("<gmd:") > 1 and "/>" not in row for row in rows if "The crew" in row or "Roofs." in row)
    old = ash.text.splitlines()
    assert [row for row in old[1:] if row not in rows] == []


def test_a_document_without_line_breaks_stays_without(ash):
    plain = etree.tostring(etree.fromstring(ash.data, etree.XMLParser(remove_blank_text=True)))
    edited = document_in(plain, ash.path).edited(replace(ash.record, purpose="Roofs."))
    assert edited.data.count(b"\n") <= 2 and edited.record.purpose == "Roofs."


def test_new_elements_stand_where_the_schema_wants_them(ash):
    record = replace(
        ash.record, status="completed", credits=("crew",), supplement="more", topics=("environment",), purpose="Roofs.",
        contacts=(Contact(organisation="Office", role="owner"),), representation=("vector",),
    )  # fmt: skip
    about = etree.fromstring(ash.edited(record).data).find(".//{*}MD_DataIdentification")
    names = [etree.QName(e).localname for e in about]
    assert names == ["citation", "abstract", "purpose", "credit", "status", "pointOfContact", "spatialRepresentationType",
                     "language", "topicCategory", "extent", "supplementalInformation"]  # fmt: skip


def test_what_must_be_there_says_that_it_is_missing_and_gives_way():
    bare = written(ISO, Record(title="Lava"), Path("a.xml"))
    assert '<gmd:abstract gco:nilReason="missing"/>' in bare.text and bare.record == Record(title="Lava")
    full = bare.edited(replace(bare.record, abstract="Flows.", record_contacts=(Contact(person="Ines", role="owner"),)))
    assert "<gmd:abstract gco:nil" not in full.text and full.text.count("<gmd:contact") == 1 + full.text.count(
        "<gmd:contactI"
    )
    assert '<gmd:abstract gco:nilReason="missing"/>' in full.edited(replace(full.record, abstract="")).text
    fgdc = written(FGDC, Record(title="Lava"), Path("a.xml"))
    assert "<origin>Unknown</origin>" in fgdc.text and "spdom" not in fgdc.text
    named = fgdc.edited(replace(fgdc.record, contacts=(Contact(organisation="Office", role="originator"),)))
    assert "<origin>Office</origin>" in named.text and named.text.count("<origin>") == 1


def test_an_item_added_in_the_middle_stands_in_the_middle(data):
    document = read_document(data / "elevation_2031.tif.xml")
    words = document.record.keywords[0].words
    new = (*words[:1], "delta", *words[1:])
    edited = document.edited(with_value(document.record, ("keywords", 0, "words"), new))
    assert edited.record.keywords[0].words == new
    lines = [edited.line_of(("keywords", 0, "words", i)) for i in range(len(new))]
    assert lines == sorted(lines)


def test_an_item_moved_to_another_place_of_the_standard_moves(data):
    document = read_document(data / "fissures_2031" / "fissures.shp.xml")
    record = with_value(document.record, ("contacts", 0, "role"), "publisher")
    edited = document.edited(record)
    assert "<publish>Tolvane Survey Office</publish>" in edited.text and "<origin>Unknown</origin>" in edited.text
    assert {c.role for c in edited.record.contacts} == {"publisher", "pointOfContact"}


def test_shapes_refuse_fields_that_do_not_exist():
    with pytest.raises(TypeError, match="Box has no sideways"):
        shape(Box, one("sideways", "side", OwnText()))
    held = shape(Record, many("credits", "credit", OwnText(), most=1)).representable(Record(credits=("a", "b")))
    assert held == Record(credits=("a",))


# Texts and values


def test_words_are_texts_with_translations():
    plain, both = Words("Lava"), Words("Lava", (("por", "Lavas"),))
    assert plain == "Lava" and hash(plain) == hash("Lava") and both != plain and both != "Lava"
    assert pickle.loads(pickle.dumps(both)) == both and both.upper() == "LAVA"
    assert tidy("  a\n   b\n\n  c \r\n") == "a b\n\nc" and tidy(None) == ""


@pytest.mark.parametrize(
    ("text", "whole", "value"),
    [
        ("5000", True, 5000),
        ("5000.0", True, 5000),
        ("-20,95", False, -20.95),
        ("about 5", False, None),
        ("5.5", True, None),
        ("inf", False, None),
        ("", False, None),
    ],
)
def test_numbers_are_read_as_they_come(text, whole, value):
    assert number_in(text, whole) == value


@pytest.mark.parametrize(
    ("value", "text"), [(10.0, "10"), (1e-7, "0.0000001"), (-20.95, "-20.95"), (1e21, "1000000000000000000000")]
)
def test_numbers_are_written_without_exponents(value, text):
    assert plain_number(value) == text and float(text) == value


def test_places_and_their_words():
    record = Record(contacts=(Contact(email="a@b.example"), Contact()), keywords=(KeywordSet(words=("a", "b")),))
    assert (
        label_of(("contacts", 0, "email")) == "contact 1, e-mail"
        and value_at(record, ("keywords", 0, "words", 1)) == "b"
    )
    assert list(stated_places(record)) == [
        (("keywords", 0, "words", 0), "a"),
        (("keywords", 0, "words", 1), "b"),
        (("contacts", 0, "email"), "a@b.example"),
    ]
    assert without(record, ("keywords", 0, "words", 0)).keywords[0].words == ("b",)
    assert without(record, ("title",)).title == "" and empty_of(elements()["size_mb"]) is None
    assert not is_stated(Contact()) and is_stated(0) and not is_stated((Contact(), ""))


def test_boxes_and_contacts_read_well():
    assert box_text(Box(-20.95, -38.245, 20.83, 38.16)) == "20.9500° W to 20.8300° E, 38.2450° S to 38.1600° N"
    assert box_text(Box(1.0, None, 2.0, 3.0)) == "incomplete"
    assert (
        contact_text(Contact("Ines", postcode="0001", city="Harrow Landing", link="https://a.example"))
        == "Ines, 0001 Harrow Landing, https://a.example"
    )
    assert brief(Record())[0].lines[0].text == "not stated"


def test_tags_become_a_record_and_the_rest_is_named():
    tags = {
        "NC_GLOBAL#title": "Sea floor", "NC_GLOBAL#keywords": "depth, sea; floor", "NC_GLOBAL#creator_name": "Ines Maro",
        "NC_GLOBAL#creator_email": "a@b.example", "geospatial_lon_min": "-21", "geospatial_lon_max": "-20", "geospatial_lat_min": "-39",
        "geospatial_lat_max": "-38", "time_coverage_start": "2029-01-01T00:00:00Z", "history": "gridded", "strange": "x",
    }  # fmt: skip
    record, lines, strange = record_from_tags(tags)
    assert (
        record.title == "Sea floor"
        and record.keywords[0].words == ("depth", "sea", "floor")
        and record.lineage == "gridded"
    )
    assert record.contacts == (Contact(person="Ines Maro", role="originator", email="a@b.example"),)
    assert record.boxes == (Box(-21.0, -39.0, -20.0, -38.0),) and record.times[0].begin == "2029-01-01"
    assert lines[("lineage",)] == 10 and strange == ["strange"]


@pytest.mark.parametrize(
    ("xml", "code"),
    [
        (
            "<h><planar><gridsys><utm><utmzone>27</utmzone><transmer><fnorth>10000000.0</fnorth></transmer></utm></gridsys></planar><geodetic><horizdn>WGS 84</horizdn></geodetic></h>",
            "32727",
        ),
        (
            "<h><planar><gridsys><utm><utmzone>11</utmzone></utm></gridsys></planar><geodetic><horizdn>North American Datum of 1983</horizdn></geodetic></h>",
            "26911",
        ),
        ("<h><geograph/><geodetic><horizdn>D_WGS_1984</horizdn></geodetic></h>", "4326"),
        ("<h><planar><gridsys><othergrd>Office grid, EPSG:3031</othergrd></gridsys></planar></h>", "3031"),
        ("<h><planar><mapproj><mapprojn>Conic of the office</mapprojn></mapproj></planar></h>", "Conic of the office"),
        (
            "<h><planar><gridsys><utm><utmzone>27</utmzone></utm></gridsys></planar></h>",
            "UTM zone 27, datum not stated",
        ),
    ],
)
def test_spelt_out_systems_are_recognised_or_told(xml, code):
    system = spelt_system(etree.fromstring(xml))
    assert system == System(code, "EPSG" if code.isdigit() else "")


# Two records


def test_items_are_paired_by_what_they_share():
    a = Record(contacts=(Contact("Ines", email="i@a.example"), Contact("Tom")), dates=(DatedEvent("2029", "creation"),))
    b = Record(
        contacts=(Contact("Tom", phone="1"), Contact("Ines", email="i@b.example")), links=(Link("https://a.example"),)
    )
    rows = {(row.label, row.a, row.b): row.state for row in comparisons_of(a, b) if not row.element.item}
    assert rows["e-mail", "i@a.example", "i@b.example"] == CHANGED and rows["person", "Ines", "Ines"] == SAME
    assert rows["phone", "", "1"] == ONLY_B and rows["day", "2029", None] == "only in A"
    link = next(row for row in comparisons_of(a, b) if row.element.id == "links")
    assert taken(a, link).links == b.links
    gone = next(row for row in comparisons_of(a, b) if row.element.id == "dates")
    assert taken(a, gone).dates == () and taken(b, gone, from_b=False).dates == a.dates


def test_a_draft_makes_room_for_new_items(ash):
    draft = Draft(ash)
    draft.write(("contacts", 0, "organisation"), "Office")
    draft.write(("contacts", 0, "role"), "owner")
    draft.write(("scales", 0), "5,000")
    assert draft.record.contacts == (Contact(organisation="Office", role="owner"),) and draft.record.scales == (5000,)
    draft.write(("scales", 0), "")
    assert draft.record.scales == () and draft.undo_name == "Remove scale 1 to 1"
    draft.mark_saved()
    assert not draft.changed and draft.undo() and draft.changed


# XML from strangers


def test_encodings_that_are_not_what_they_say():
    text = '<?xml version="1.0" encoding="UTF-8"?><a>Düne</a>'
    tree, note = xml_in(text.encode("cp1252"), Path("a.xml"))
    assert tree.getroot().text == "Düne" and "says that it is in UTF-8" in note
    assert xml_in(text.encode(), Path("a.xml"))[1] == ""
    utf16 = text.replace("UTF-8", "UTF-16").encode("utf-16")
    assert xml_in(utf16, Path("a.xml"))[0].getroot().text == "Düne"


@pytest.mark.parametrize("data", [b"", b"   ", b"<a", b"<a></b>", b"\x00\x01\x02", b"<a>&unknown;</a>"])
def test_what_is_no_xml_is_said_so(data):
    with pytest.raises(CannotRead, match=r"broken|empty"):
        xml_in(data, Path("a.xml"))


def test_a_conversion_keeps_identity_of_what_both_hold(data):
    iso = read_document(data / "tolvane_survey.gpkg.xml")
    three = convert(iso, STANDARDS["ISO 19115-3"])
    assert not three.lost and not three.moved and not three.missing
    back = convert(three.document, ISO).document.record
    assert replace(back, standard_name="", standard_version="") == replace(
        iso.record, standard_name="", standard_version=""
    )
