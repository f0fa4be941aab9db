"""Records that must not lose what they say: other languages, larger works, free dates, fields of FGDC."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from lxml import etree

from brisk_atlas.core.record.converting import convert
from brisk_atlas.core.record.document import read_document, written
from brisk_atlas.core.record.draft import Draft
from brisk_atlas.core.record.model import DatedEvent, Record, Related
from brisk_atlas.core.record.schemas import iso19139_schema
from brisk_atlas.core.record.standards import STANDARDS
from brisk_atlas.core.record.words import Words

ISO, FGDC, DCAT = (STANDARDS[name] for name in ("ISO 19139", "FGDC CSDGM", "DCAT-AP"))
FULL_FIELDS = """<metadata><idinfo><citation><citeinfo><origin>Office</origin><pubdate>2031</pubdate><title>Ash</title>
</citeinfo></citation></idinfo><eainfo>
<detailed><enttyp><enttypl>ash</enttypl><enttypt>Feature Class</enttypt><enttypc>48</enttypc><enttypd>thickness</enttypd>
<enttypds>Office</enttypds></enttyp>
<attr><attrlabl>T</attrlabl><attalias>Thickness</attalias><attrtype>Double</attrtype><attwidth>8</attwidth>
<atprecis>12</atprecis><attscale>3</attscale><attrdef>How thick</attrdef><attrdefs>Office</attrdefs>
<attrdomv><rdom><rdommin>0</rdommin><rdommax>40</rdommax><attrunit>mm</attrunit><attrmres>0.1</attrmres></rdom></attrdomv>
<attrdomv><rdom><rdommin>900</rdommin><rdommax>950</rdommax><attrunit>mm</attrunit></rdom></attrdomv>
<attrdomv><edom><edomv>-1</edomv><edomvd>not measured</edomvd><edomvds>Office</edomvds></edom></attrdomv>
<begdatea>20310601</begdatea><enddatea>20310701</enddatea>
<attrvai><attrva>0.5</attrva><attrvae>by ruler</attrvae></attrvai><attrmfrq>daily</attrmfrq></attr></detailed>
<overview><eaover>Values are mm.</eaover><eadetcit>Field book 7</eadetcit><eadetcit>Field book 8</eadetcit></overview>
<overview><eaover>Roofs apart.</eaover><eadetcit>Field book 9</eadetcit></overview></eainfo></metadata>"""


@pytest.mark.parametrize("name", ["ISO 19139", "ISO 19115-3"])
def test_editing_one_language_leaves_the_others(name):
    record = replace(Record(), title=Words("Ash", (("de", "Asche"), ("fr", "Cendres"))), abstract="Thickness")
    draft = Draft(written(STANDARDS[name], record, Path("made.xml")))
    draft.write(("title",), "Ash of 2031")
    assert draft.record.title == Words("Ash of 2031", (("de", "Asche"), ("fr", "Cendres")))
    assert "Asche" in draft.document.text and "Cendres" in draft.document.text
    draft.undo()
    assert draft.record.title == record.title


def test_a_dataset_with_a_larger_work_stays_itself_in_dcat(tmp_path):
    record = replace(Record(), title="Zones", related=(Related("All of the eruption", "", "largerWorkCitation"),))
    for suffix in (".dcat.ttl", ".dcat.jsonld", ".dcat.rdf"):
        made = convert(written(FGDC, record, tmp_path / "made.xml"), DCAT, tmp_path / f"made{suffix}").document
        made.path.write_bytes(made.data)
        back = read_document(made.path).record
        assert back.title == "Zones" and back.related == record.related


@pytest.mark.parametrize("day", ["Unpublished material", "spring 2030", "1999 to present", "2031-02-30", "20310x01"])
def test_free_text_in_dates_does_not_make_iso_invalid(day):
    record = replace(
        Record(), title="Ash", dates=(DatedEvent(day, "publication"), DatedEvent("2031-07", "creation")), stamped=day
    )
    document = written(FGDC, record, Path("made.xml"))
    conversion = convert(document, ISO)
    assert iso19139_schema().validate(etree.fromstring(conversion.document.data)), iso19139_schema().error_log
    assert day not in conversion.document.text
    assert any(day in str(row.a) for row in conversion.lost)


def test_reports_tell_what_is_lost_from_what_is_moved():
    record = replace(
        Record(), title=Words("Ash", (("de", "Asche"),)), lineage="Weighed on roofs.", purpose="For farmers."
    )
    conversion = convert(written(ISO, record, Path("made.xml")), FGDC)
    lost, moved = ("\n".join(f"{row.a}" for row in rows) for rows in (conversion.lost, conversion.moved))
    assert "Ash" in lost  # its German title is gone
    assert "Weighed on roofs." in moved and "Weighed on roofs." not in lost  # it is a process step now


def test_all_of_the_entity_and_attribute_part_has_its_place(tmp_path):
    path = tmp_path / "ash.xml"
    path.write_text(FULL_FIELDS)
    document = read_document(path)
    assert [u for u in document.unplaced if u.path.startswith("eainfo")] == []
    (entity,) = document.record.entities
    (field,) = entity.fields
    assert (entity.type, entity.count) == ("Feature Class", "48")
    assert (field.alias, field.type, field.width, field.precision, field.scale) == (
        "Thickness",
        "Double",
        "8",
        "12",
        "3",
    )
    assert [(r.lowest, r.highest, r.unit, r.step) for r in field.ranges] == [
        ("0", "40", "mm", "0.1"),
        ("900", "950", "mm", ""),
    ]
    assert field.meanings[0].meaning == "not measured" and (field.begins, field.ends) == ("2031-06-01", "2031-07-01")
    assert (field.accuracy, field.accuracy_note, field.frequency) == ("0.5", "by ruler", "daily")
    assert [(o.summary, o.citations) for o in document.record.overviews] == [
        ("Values are mm.", ("Field book 7", "Field book 8")), ("Roofs apart.", ("Field book 9",))
    ]  # fmt: skip
    draft = Draft(document)
    draft.write(("entities", 0, "fields", 0, "ranges", 1, "highest"), "960")
    draft.write(("entities", 0, "fields", 0, "type"), "Float")
    changed = draft.document.text.partition("?>")[2].replace(">960<", ">950<").replace(">Float<", ">Double<")
    assert changed.split() == document.text.split()  # nothing else was touched
