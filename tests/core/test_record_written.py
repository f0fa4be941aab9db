"""What each standard makes of one full record, looked at with other eyes than those that wrote it."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest
import rdflib
from lxml import etree
from owslib.fgdc import Metadata
from owslib.iso import MD_Metadata

from brisk_atlas.core.curate.handing_on import locator
from brisk_atlas.core.record import STANDARDS, check, check_schema, completeness, document_in, written
from brisk_atlas.core.record.adapting import for_dcat, for_fgdc, for_words
from brisk_atlas.core.record.model import (
    BandDefinition,
    Box,
    Constraint,
    Contact,
    DatedEvent,
    Format,
    KeywordSet,
    Link,
    Measure,
    Period,
    ProcessStep,
    QualityResult,
    Record,
    System,
)

OFFICE = Contact(
    person="Ines Maro",
    organisation="Tolvane Survey Office",
    role="owner",
    phone="+000 20 9000",
    city="Harrow Landing",
    email="data@survey.tolvane.example",
)
FULL = Record(
    title="Lava of 2031",
    abstract="Outlines of new lava.",
    purpose="Planning.",
    status="completed",
    topics=("geoscientificInformation",),
    keywords=(KeywordSet("theme", ("lava", "vent")), KeywordSet("discipline", ("volcanology",))),
    languages=("eng",),
    contacts=(OFFICE,),
    credits=("Crew of the Kite", "Crew of the Gannet"),
    dates=(DatedEvent("2031-06-24", "creation"), DatedEvent("2031-07-30", "publication")),
    times=(Period("2031-04-18", "2031-06-24"),),
    maintenance="asNeeded",
    boxes=(Box(-20.95, -38.25, -20.83, -38.16),),
    places=("Harrow Bay",),
    systems=(System("32727", "EPSG"),),
    distances=(Measure(10.0, "m"), Measure(0.5, "km")),
    representation=("vector",),
    constraints=(
        Constraint("legal", ("Not for navigation.",), ("otherRestrictions",), ("license",), ("Name the office.",)),
    ),
    lineage="Mapped from two grids.",
    steps=(ProcessStep("Walked.", day="2031-06-25"),),
    quality=(QualityResult("absoluteExternalPositionalAccuracy", "vertical accuracy", value="0.2", unit="m"),),
    formats=(Format("GeoPackage", "1.3"),),
    links=(
        Link("https://data.survey.tolvane.example/lava.gpkg", "lava", function="download"),
        Link("https://survey.tolvane.example/lava", function="information"),
    ),
    bands=(BandDefinition("B1", "red"),),
    identifier="lava-2031",
    language="eng",
    level="dataset",
    stamped="2031-07-30",
    record_contacts=(replace(OFFICE, role="pointOfContact"),),
)


def made(name, suffix):
    standard = STANDARDS[name]
    return written(standard, standard.adapted(FULL), Path(f"made{suffix}"))


def test_iso_as_another_library_reads_it():
    said = MD_Metadata(etree.fromstring(made("ISO 19139", ".xml").data))
    about = said.identification[0]
    assert (said.identifier, said.datestamp, about.title) == ("lava-2031", "2031-07-30", "Lava of 2031")
    assert about.contact[0].email == "data@survey.tolvane.example" and about.contact[0].role == "owner"
    assert [float(v) for v in (about.bbox.minx, about.bbox.miny, about.bbox.maxx, about.bbox.maxy)] == [
        -20.95,
        -38.25,
        -20.83,
        -38.16,
    ]
    assert about.temporalextent_start == "2031-04-18" and said.referencesystem.code == "32727"
    assert said.dataquality.lineage == "Mapped from two grids." and about.distance == ["10", "0.5"]
    assert said.distribution.online[0].url == "https://data.survey.tolvane.example/lava.gpkg"


def test_fgdc_as_another_library_reads_it():
    said = Metadata(etree.fromstring(made("FGDC CSDGM", ".xml").data))
    assert (
        said.idinfo.citation.citeinfo["title"] == "Lava of 2031"
        and said.idinfo.citation.citeinfo["pubdate"] == "20310730"
    )
    assert said.idinfo.citation.citeinfo["origin"] == "Tolvane Survey Office"
    assert said.idinfo.useconst == "Not for navigation." and said.idinfo.accconst == "Name the office."
    assert float(said.idinfo.spdom.westbc) == -20.95 and said.idinfo.status.progress == "Complete"
    assert said.metainfo.metd == "20310730" and said.metainfo.metstdv == "FGDC-STD-001-1998"


def test_fitting_for_fgdc_moves_and_says_nothing_new():
    adapted = for_fgdc(FULL)
    assert adapted.steps[0].description == FULL.lineage and not adapted.lineage and len(adapted.steps) == 2
    assert {k.kind for k in adapted.keywords} == {"theme", "place"}
    assert KeywordSet("theme", ("geoscientificInformation",), "ISO 19115 topic category") in adapted.keywords
    assert [c.role for c in adapted.contacts] == ["pointOfContact", "originator"]
    assert adapted.credits == ("Crew of the Kite; Crew of the Gannet",)
    assert adapted.quality[0].report == "vertical accuracy: 0.2 m"
    assert for_fgdc(adapted).steps == adapted.steps  # a second time moves nothing more


def test_fitting_for_lists_of_words():
    adapted = for_words(FULL)
    assert adapted.keywords == (KeywordSet(words=("lava", "vent", "volcanology")),)
    assert Constraint("legal", use=("license",), other=("Name the office.",)) in adapted.constraints
    assert Constraint("limits", limits=("Not for navigation.",)) in adapted.constraints
    assert [c.role for c in for_dcat(FULL).contacts] == ["originator", "publisher", "pointOfContact"]
    assert for_words(Record()) == Record() and for_dcat(Record()) == Record()


@pytest.mark.parametrize("suffix", [".ttl", ".jsonld", ".rdf"])
def test_dcat_as_a_graph(suffix):
    document = made("DCAT-AP", suffix)
    kind = {".ttl": "turtle", ".jsonld": "json-ld", ".rdf": "xml"}[suffix]
    graph = rdflib.Graph().parse(data=document.data, format=kind)
    dcat, dct = rdflib.DCAT, rdflib.DCTERMS
    about = next(graph.subjects(rdflib.RDF.type, dcat.Dataset))
    assert str(about) == "urn:dataset:lava-2031" and str(graph.value(about, dct.title)) == "Lava of 2031"
    assert {str(k) for k in graph.objects(about, dcat.keyword)} == {"lava", "vent", "volcanology"}
    assert str(graph.value(about, dct.accrualPeriodicity)).endswith("frequency/AS_NEEDED")
    assert str(graph.value(about, dct.conformsTo)) == "http://www.opengis.net/def/crs/EPSG/0/32727"
    assert [float(r) for r in graph.objects(about, dcat.spatialResolutionInMeters)] == [10.0]
    point = graph.value(about, dcat.contactPoint)
    vcard = rdflib.Namespace("http://www.w3.org/2006/vcard/ns#")
    assert str(graph.value(point, vcard.hasEmail)) == "mailto:data@survey.tolvane.example"
    assert str(graph.value(graph.value(about, dct.spatial), dcat.bbox)).startswith(
        "POLYGON((-20.95 -38.25, -20.83 -38.25"
    )
    assert str(graph.value(graph.value(about, dcat.distribution), dcat.downloadURL)).endswith("lava.gpkg")
    assert str(graph.value(about, dcat.landingPage)) == "https://survey.tolvane.example/lava"
    assert document_in(document.data, document.path).record == document.record


def test_stac_as_json():
    told = json.loads(made("STAC", ".json").data)
    assert told["type"] == "Collection" and told["id"] == "lava-2031" and told["license"] == "Name the office."
    assert told["extent"]["spatial"]["bbox"] == [[-20.95, -38.25, -20.83, -38.16]]
    assert told["extent"]["temporal"]["interval"] == [["2031-04-18T00:00:00Z", "2031-06-24T00:00:00Z"]]
    assert told["providers"][0] == {"name": "Tolvane Survey Office", "roles": ["licensor"]}
    assert told["assets"]["data1"]["href"].endswith("lava.gpkg") and told["links"][0]["rel"] == "about"
    assert told["bands"] == [{"name": "B1", "description": "red"}] and told["proj:code"] == "EPSG:32727"


def test_a_stac_item_keeps_what_it_has():
    item = {
        "type": "Feature", "stac_version": "1.0.0", "id": "scene", "geometry": None, "bbox": [0, 0, 1, 1], "links": [],
        "properties": {"datetime": "2031-06-24T10:42:17Z", "platform": "meridel-3", "gsd": 30},
        "assets": {"B1": {"href": "b1.tif", "eo:bands": [{"name": "B1"}]}},
    }  # fmt: skip
    document = document_in(json.dumps(item).encode(), Path("s.json"))
    changed = replace(
        document.record, title="Scene", times=(Period("2031-06-24", "2031-06-25"),), boxes=(Box(0.0, 0.0, 2.0, 2.0),)
    )
    told = json.loads(document.edited(changed).data)
    assert told["properties"]["platform"] == "meridel-3" and told["assets"] == item["assets"]
    assert told["properties"]["datetime"] is None and told["properties"]["end_datetime"] == "2031-06-25T00:00:00Z"
    assert told["bbox"] == [0.0, 0.0, 2.0, 2.0] and told["geometry"]["coordinates"][0][2] == [2.0, 2.0]


def test_dublin_core_as_xml():
    root = etree.fromstring(made("Dublin Core", ".xml").data)
    texts = [(etree.QName(e).localname, e.text) for e in root]
    assert ("title", "Lava of 2031") in texts and ("issued", "2031-07-30") in texts and ("type", "Dataset") in texts
    assert [t for n, t in texts if n == "subject"] == ["lava", "vent", "volcanology"]
    assert next(t for n, t in texts if n == "spatial").startswith("northlimit=-38.16; eastlimit=-20.83")


def test_a_locator_map_shows_every_box_and_crosses_the_antimeridian():
    map_ = locator([Box(-20.95, -38.25, -20.83, -38.16), Box(-21.1, -38.36, -20.7, -38.04)])
    assert map_ is not None and len(map_.boxes) == 2 and map_.meridians and map_.parallels
    assert all(0 <= x <= 360 and 0 <= y <= 220 for x, y, _, _ in map_.boxes)
    across = locator([Box(179.0, -10.0, -179.0, -9.0)])
    assert across is not None and 0 < across.boxes[0][2] < 360
    assert any(label.endswith("W") for _, label in across.meridians)
    assert locator([]) is None and locator([Box(1.0, None, 2.0, 3.0)]) is None


FAULTS = {  # what a full record of ISO still lacks in each standard
    "ISO 19139": [],
    "ISO 19115-3": [],
    "INSPIRE": [
        "The dataset must have a unique identifier of its own.",
        "At least one keyword must come from the list of INSPIRE themes.",
        "Conformity to a specification must be said.",
    ],
    "FGDC CSDGM": [
        "What the time says is mandatory: ground condition, publication date.",
        "A process step must have a date.",  # the lineage statement, which became one
    ],
    "Dublin Core": [],
    "DCAT-AP": [],
    "STAC": [],
}


@pytest.mark.parametrize("name", FAULTS)
def test_what_a_full_record_still_lacks(name):
    standard = STANDARDS[name]
    found = check(standard.adapted(FULL), standard)
    assert [f.reason for f in found if f.severity == "fault"] == FAULTS[name]
    full = completeness(standard.adapted(FULL), standard)
    assert full.stated <= full.asked and (full.share == 1) <= (not FAULTS[name])
    assert sum(asked for _, _, asked in full.sections) == full.asked


@pytest.mark.parametrize("name", ["ISO 19139", "FGDC CSDGM"])
def test_a_full_record_is_valid_by_its_schema(name):
    document = made(name, ".xml")
    assert check_schema(document.data, document.standard, document.place_at) == []
    emptied = document.edited(replace(document.record, contacts=(), keywords=(), dates=(), constraints=()))
    assert check_schema(emptied.data, emptied.standard, emptied.place_at) == []
    assert emptied.record.contacts == () and emptied.edited(document.record).record == document.record


def test_each_standard_calls_the_same_thing_by_its_own_name():
    words = {name: STANDARDS[name].word("maintenance") for name in STANDARDS}
    assert words["ISO 19139"] == "maintenance and update frequency" == words["FGDC CSDGM"]
    assert words["DCAT-AP"] == "accrual periodicity" and words["Dublin Core"] == "" == words["STAC"]
    fgdc = made("FGDC CSDGM", ".xml")
    roles = {c.role: fgdc.standard.word_at(fgdc.record, ("contacts", i)) for i, c in enumerate(fgdc.record.contacts)}
    assert roles == {"originator": "originator", "pointOfContact": "contact information"}


def test_a_time_takes_the_place_of_one_that_was_not_known():
    standard = STANDARDS["FGDC CSDGM"]
    before = written(standard, Record(title="Ash", currentness="ground condition"), Path("made.xml"))
    after = before.edited(replace(before.record, times=(Period("2031", ""),)))
    assert after.text.count("<timeperd>") == 1 and "<begdate>2031</begdate>" in after.text
    assert after.record.times[0].begin == "2031" and after.record.currentness == "ground condition"
