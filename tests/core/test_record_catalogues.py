"""Catalogues of records: searched, read as the record files that they are, and led on to the data."""

from __future__ import annotations

import pytest

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.connect import connector_for, is_listed
from brisk_atlas.core.connect.catalogues import RecordSearch
from brisk_atlas.core.connect.recognise import recognise
from brisk_atlas.core.find.record_links import links_of_record, ref_of_link
from brisk_atlas.core.find.summary import summarise
from brisk_atlas.core.model import CannotRead, DataKind, DataRef
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.record.model import Link

NEAR, FAR = (-21.0, -39.0, -20.0, -38.0), (10.0, 10.0, 11.0, 11.0)


@pytest.fixture(autouse=True)
def allowed(home):
    allow(("127.0.0.1",))


@pytest.fixture(params=("/csw", "/collections/records"))
def catalogue(request, served):
    """The list of all records of a catalogue."""
    ref = recognise(served[1].address + request.param).ref
    assert is_listed(ref)
    (folder,) = connector_for(ref).list(ref) if ref.protocol == "records" else [None]
    return ref if folder is None else folder.ref


def names(ref):
    return {item.ref.inner.partition("/")[2] for item in connector_for(ref).list(ref)}


def test_all_records_are_listed_and_a_search_narrows_them(served, catalogue):
    assert names(catalogue) == set(served[0].offers) and not any(
        is_listed(item.ref) for item in connector_for(catalogue).list(catalogue)
    )
    collection = catalogue.inner or "records"
    assert names(RecordSearch(collection, "harrow bay STRIP").place(catalogue)) == {"laser_strip"}
    assert names(RecordSearch(collection, "", NEAR).place(catalogue)) == set(served[0].offers)
    assert names(RecordSearch(collection, "lava", FAR).place(catalogue)) == set()
    assert names(RecordSearch(collection, "it's 50%").place(catalogue)) == set()
    search = RecordSearch(collection, "a & b", NEAR).place(catalogue)
    assert RecordSearch.of(DataRef.parse(str(search))) == RecordSearch(collection, "a & b", NEAR) and is_listed(search)


def test_very_many_records_come_page_by_page(served, catalogue, monkeypatch):
    import brisk_atlas.core.connect.csw as csw
    import brisk_atlas.core.connect.records as records

    for module in (csw, records):
        monkeypatch.setattr(module, "PAGE", 4)
    before = len(served[1].log)
    assert names(catalogue) == set(served[0].offers)
    assert sum("GetRecords&" in line or "/records/items?" in line for line in served[1].log[before:]) == 3


def test_a_record_is_read_with_its_title_place_and_links(served, catalogue):
    item = next(i for i in connector_for(catalogue).list(catalogue) if i.ref.inner.endswith("/elevation_2029"))
    dataset = open_dataset(item.ref)
    assert dataset.kind is DataKind.RECORD and dataset.ref == item.ref
    summary = summarise(dataset)
    assert summary.title == item.name and "2029" in summary.title and summary.kind == "record"
    found, failed = find_records(dataset)
    record = found[0].document.record
    assert not failed and not found[0].can_edit and record.abstract and record.boxes[0].south < -38
    links = [str(link.ref) for link in links_of_record(DataCache(), item.ref)]
    address = served[1].address
    assert any(link.startswith((f"wms+{address}/wms#elevation_2029", f"{address}/wms")) for link in links)
    assert f"{address}/files/elevation_2029.tif" in links
    with pytest.raises(CannotRead):
        open_dataset(DataRef.parse(f"{str(item.ref).rpartition('/')[0]}/nothing_of_that_name"))


@pytest.mark.parametrize(("link", "ref"), [
    (Link("https://a.example/ows?map=x&", "zones", "", "OGC:WFS-2.0.0-http-get-feature"), "wfs+https://a.example/ows?map=x#zones"),
    (Link("https://a.example/rest/services/z/FeatureServer", "z", "", "REST"), "https://a.example/rest/services/z/FeatureServer"),
    (Link("https://a.example/z.zip", "z", "", "WWW:DOWNLOAD-1.0-http--download"), "https://a.example/z.zip"),
])  # fmt: skip
def test_links_say_by_their_protocol_what_they_lead_to(link, ref):
    assert str(ref_of_link(link)) == ref


def test_a_client_of_the_standard_reads_the_catalogue(served):
    from owslib.csw import CatalogueServiceWeb
    from owslib.ogcapi.records import Records

    csw = CatalogueServiceWeb(f"{served[1].address}/csw")
    csw.getrecordbyid(id=["closed_zones"], outputschema="http://www.isotc211.org/2005/gmd")
    (record,) = csw.records.values()
    assert record.identifier == "closed_zones" and "closed_zones" in record.identification[0].title
    records = Records(f"{served[1].address}/")
    assert "records" in records.records()
    assert records.collection_items("records", q="strip", limit=5)["numberMatched"] == 1
