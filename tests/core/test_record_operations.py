"""Operations on records: what they report, what they write, and what they refuse to write over."""

from __future__ import annotations

import csv
import shutil

import pytest

from brisk_atlas import demo
from brisk_atlas.core.curate.documents import documents_of
from brisk_atlas.core.curate.saving import save_inside
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.operations import (
    ApplyTemplate,
    ConvertRecord,
    FillRecord,
    TableRecords,
    WriteRecordPage,
    from_json,
    to_json,
)
from brisk_atlas.core.record import read_document
from brisk_atlas.core.workspace.workspace import Workspace


@pytest.fixture
def folder(tmp_path):
    for name in ("elevation_2029.tif", "elevation_2031.tif", "ash_samples.geojson", "tolvane_survey.gpkg"):
        shutil.copy(demo.DATA / name, tmp_path)
        shutil.copy(demo.DATA / f"{name}.xml", tmp_path)
    shutil.copy(demo.DATA / "vents.kml", tmp_path)
    return tmp_path


def test_a_conversion_is_reported_before_it_is_written(folder):
    operation = ConvertRecord(folder / "ash_samples.geojson.xml", "dcat-ap", only_report=True)
    assert from_json(to_json(operation)) == operation
    report = operation.run(Workspace())
    assert not report.is_written and not report.path.exists()
    assert report.path.name == "ash_samples.geojson.dcat.jsonld" and report.as_json()["lost"] > 0
    made = ConvertRecord(folder / "ash_samples.geojson.xml", "dcat-ap").run(Workspace())
    assert made.lines() == [f"Written: {report.path}", *report.lines()]
    assert read_document(made.path).record.title == read_document(folder / "ash_samples.geojson.xml").record.title


def test_one_of_several_records_is_named_by_its_label(folder):
    package = folder / "tolvane_survey.gpkg"
    other = read_document(folder / "elevation_2029.tif.xml")
    row = save_inside(other, package)
    labels = [label for label, _ in documents_of(package)[0]]
    assert labels[-1].startswith(f"inside, metadata {row}")
    made = ConvertRecord(package, "Dublin Core", folder / "inside.xml", which=f"metadata {row}").run(Workspace())
    assert read_document(made.path).record.title == other.record.title
    page = WriteRecordPage(package, folder / "page.html", labels[-1], folder / "elevation_2029.tif").run(Workspace())
    text = page.paths[0].read_text()
    assert other.record.title in text and "data:image/png;base64," in text and "Derived from the data" in text
    with pytest.raises(AtlasError, match="no record called another"):
        ConvertRecord(package, "Dublin Core", which="another").run(Workspace())


def test_a_template_is_not_saved_into_records_that_changed_since_the_look(folder):
    template = demo.DATA / "templates" / "office_iso19139.xml"
    paths = (folder / "ash_samples.geojson", folder / "vents.kml")
    look = ApplyTemplate(template, paths).run(Workspace())
    assert [plan.is_new for plan in look.plans] == [False, True] and not (folder / "vents.kml.xml").exists()
    record = folder / "ash_samples.geojson.xml"
    before = record.read_bytes()
    record.write_bytes(before.replace(b"</gmd:MD_Metadata>", b"<!-- by a colleague --></gmd:MD_Metadata>"))
    with pytest.raises(AtlasError, match="changed since"):
        ApplyTemplate(template, paths, write=True, digest=look.digest).run(Workspace())
    assert b"by a colleague" in record.read_bytes() and not (folder / "vents.kml.xml").exists()
    record.write_bytes(before)
    saved = ApplyTemplate(template, paths, write=True, digest=look.digest).run(Workspace())
    assert saved.is_written and read_document(folder / "vents.kml.xml").record.constraints
    again = ApplyTemplate(template, paths).run(Workspace())
    assert not any(plan.changes for plan in again.plans)


def test_a_record_that_can_not_be_written_does_not_stop_the_others(folder):
    template = demo.DATA / "templates" / "office_iso19139.xml"
    record = folder / "ash_samples.geojson.xml"
    record.chmod(0o444)
    made = ApplyTemplate(template, (folder / "ash_samples.geojson", folder / "vents.kml"), write=True).run(Workspace())
    assert (folder / "vents.kml.xml").exists()
    assert ["write-protected" in plan.error for plan in made.plans] == [True, False]
    assert any("write-protected" in line for line in made.lines())


def test_the_table_has_the_rows_with_some_words_in_a_chosen_order(folder, tmp_path_factory):
    path = tmp_path_factory.mktemp("tables") / "records.csv"
    TableRecords((folder,), path, ("title",), words="ELEVATION", order_by="dataset", descending=True).run(Workspace())
    with path.open() as file:
        assert [row["dataset"] for row in csv.DictReader(file)] == ["elevation_2031.tif", "elevation_2029.tif"]
    TableRecords((folder,), path, ("title",), order_by="complete").run(Workspace())
    with path.open() as file:
        shares = [float(row["complete"].rstrip("%") or -1) for row in csv.DictReader(file)]
    assert shares == sorted(shares) and len(shares) == 5
    with pytest.raises(AtlasError, match="no column is called so"):
        TableRecords((folder,), path, order_by="heading").run(Workspace())


def test_a_new_record_is_made_beside_the_one_that_is_there(folder):
    data = folder / "elevation_2031.tif"
    made = FillRecord(data, "FGDC CSDGM", new=True).run(Workspace())
    assert made.paths[0] != data.with_name("elevation_2031.tif.xml")
    assert read_document(made.paths[0]).standard.name == "FGDC CSDGM"
    filled = FillRecord(data).run(Workspace())
    assert filled.paths == (data.with_name("elevation_2031.tif.xml"),) and filled.what.endswith("values filled in")
