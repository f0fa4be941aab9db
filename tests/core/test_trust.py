"""Faults that were put into data are found, at their rows and places; data without them gives none."""

from __future__ import annotations

import datetime
import json
import sqlite3
from contextlib import closing
from decimal import Decimal
from math import inf

import laspy
import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import rasterio
import shapely
from lxml import html
from rasterio.transform import from_origin

from brisk_atlas import demo
from brisk_atlas.cli import main
from brisk_atlas.core.model import CannotWrite, DataRef, Lattice
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.facts import Band
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.operations import Trust
from brisk_atlas.core.read.field_meanings import FieldMeaning
from brisk_atlas.core.record import Record, standard_named, written
from brisk_atlas.core.record.document import read_document
from brisk_atlas.core.trust import TrustReport
from brisk_atlas.core.trust.cells import cell_findings
from brisk_atlas.core.trust.clouds import cloud_findings
from brisk_atlas.core.trust.features import geometry_findings
from brisk_atlas.core.trust.fields import field_findings
from brisk_atlas.core.trust.stated import class_findings, stated_findings
from brisk_atlas.core.workspace import Workspace

UTM, E0, N0 = "EPSG:32727", 510_000.0, 5_770_000.0
LATTICE = Lattice(10.0, 0.0, E0, 0.0, -10.0, N0, 200, 160, UTM)


def nothing() -> None:
    pass


def by_test(findings):
    """Return the findings by their test; one of a test twice is a list."""
    found = {}
    for each in findings:
        found.setdefault(each.test, []).append(each)
    return {test: each[0] if len(each) == 1 else each for test, each in found.items()}


def squares(count=6, side=100.0):
    """Return a coverage of squares that share their borders, row by row."""
    corners = [(E0 + side * (n % count), N0 + side * (n // count)) for n in range(count**2)]
    return np.array([shapely.box(x, y, x + side, y + side) for x, y in corners])


def geometry(shapes, crs=UTM, **fields):
    table = pa.table(fields or {"n": np.arange(len(shapes))})
    return by_test(geometry_findings(np.asarray(shapes, object), table, crs, nothing))


def test_a_coverage_without_faults_has_none():
    assert geometry(squares()) == {}


def test_invalid_and_missing_geometry_is_found_with_the_place():
    shapes = squares()
    shapes[7] = shapely.from_wkt(
        f"POLYGON (({E0} {N0}, {E0 + 10} {N0 + 10}, {E0 + 10} {N0}, {E0} {N0 + 10}, {E0} {N0}))"
    )
    shapes[9], shapes[11] = None, shapely.from_wkt("POLYGON EMPTY")
    found = geometry(shapes)
    assert found["valid geometry"].rows.tolist() == [7] and "Self-intersection (1)" in found["valid geometry"].text
    assert np.allclose(found["valid geometry"].places, [[E0 + 5, N0 + 5]])
    assert found["geometry there"].rows.tolist() == [9, 11]


def test_features_that_are_there_twice_are_told_from_those_with_other_values():
    shapes = np.append(squares(), [squares()[3], shapely.reverse(squares()[5])])
    found = geometry(shapes, fid=np.arange(38), name=[f"zone {n}" for n in range(36)] + ["zone 3", "other"])
    same, alike = found["geometry once"]
    assert same.rows.tolist() == [36] and "same values" in same.text and same.severity == "fault"
    assert alike.rows.tolist() == [37] and alike.severity == "caution"


def test_overlaps_gaps_and_slivers_of_a_coverage_are_found_where_they_are():
    shapes = squares()
    shapes[8] = shapely.transform(shapes[8], lambda xy: xy + [4.0, 0.0])
    shapes = np.append(shapes, shapely.box(E0, N0 - 1.0, E0 + 100.0, N0))
    found = geometry(shapes)
    overlap = found["no overlaps"]
    assert overlap.count == 1 and overlap.rows.tolist() == [8, 9]
    assert shapely.box(E0 + 300, N0 + 100, E0 + 304, N0 + 200).contains(shapely.Point(overlap.places[0]))
    gap = found["no gaps"]
    assert gap.count == 1 and shapely.box(E0 + 200, N0 + 100, E0 + 204, N0 + 200).contains(shapely.Point(gap.places[0]))
    assert found["no slivers"].rows.tolist() == [36]


def test_a_hole_that_a_polygon_has_of_itself_is_no_gap():
    shapes = squares()
    shapes[14] = shapes[14].difference(shapely.box(E0 + 230, N0 + 230, E0 + 232, N0 + 232))
    assert "no gaps" not in geometry(shapes)


def test_positions_that_can_not_be_are_found():
    points = shapely.points(np.column_stack([np.linspace(E0, E0 + 5e3, 60), np.full(60, N0)]))
    points[4] = shapely.Point(0, 0)  # where nothing of the zone is
    points[9] = shapely.Point(E0 + 900_000, N0)
    outside = geometry(points)["in its place"]
    rows = np.concatenate([each.rows for each in (outside if isinstance(outside, list) else [outside])])
    assert set(rows.tolist()) == {4, 9}
    swapped = shapely.points([[-38.2, -20.9], [-38.1, -20.8]])  # latitude first: yet both are on the Earth
    assert geometry(swapped, crs="EPSG:4326") == {}


def field(values, places=None, name="value"):
    return by_test(field_findings(pa.table({name: values}), places, nothing))


def test_fields_without_and_with_one_value_and_stand_ins_are_found():
    assert field(pa.array([None, None], pa.string()))["fields with values"].severity == "caution"
    assert field(["a", "a", None])["values that differ"].count == 2
    numbers = np.random.default_rng(1).normal(50, 3, 100)
    numbers[[3, 40]] = -9999.0
    found = field(numbers)
    assert found["no stand-ins for missing"].rows.tolist() == [3, 40] and "numbers like the others" not in found
    assert "no stand-ins for missing" not in field(np.linspace(-12_000, 3_000, 100).round())  # which runs through it
    assert field(["a", "  ", "b"])["no stand-ins for missing"].rows.tolist() == [1]


def test_keys_spellings_and_units_that_differ_are_found():
    ids = [f"Z{n}" for n in range(40)]
    ids[17] = "Z3"
    assert field(ids, name="zone_id")["keys once"].rows.tolist() == [3, 17]
    assert "keys once" not in field([1, 1, 2, 2, 3], name="code")  # no key: most are there several times
    names = ["Harrow Bay"] * 5 + ["harrow bay", "Harrow  Bay", "Serrick"]
    assert field(names)["one spelling"].rows.tolist() == [5, 6]
    widths = [f"{n} m" for n in range(10)] + ["33 ft"]
    assert field(widths)["one unit"].rows.tolist() == [10] and "ft, m" in field(widths)["one unit"].text


def test_numbers_unlike_all_others_and_unlike_those_around_are_found():
    rng = np.random.default_rng(2)
    places = rng.uniform(0, 1000, (400, 2))
    heights = places[:, 0] / 10 + rng.normal(0, 0.2, 400)  # from 0 to 100 m, smooth
    assert field(heights, places) == {}
    strange = heights.copy()
    strange[33] = 2_500.0
    assert field(strange, places)["numbers like the others"].rows.tolist() == [33]
    local = heights.copy()
    local[50] = 95.0 if places[50, 0] < 300 else 5.0  # of the range, but not there
    found = field(local, places)
    assert found["numbers like those around"].rows.tolist() == [50] and "numbers like the others" not in found
    assert "numbers like those around" not in field(rng.permutation(local), places)
    prices = rng.lognormal(3, 2, 2000)  # over decades: large ones are none of a fault
    assert "numbers like the others" not in field(prices)


def hills(dtype=np.float32):
    x, y = np.meshgrid(np.arange(200), np.arange(160))
    noise = np.random.default_rng(3).normal(0, 0.05, x.shape)
    return (200 + 40 * np.sin(x / 30) + 30 * np.cos(y / 25) + noise).astype(dtype)


def cells(values, valid=None, is_classes=False):
    valid = np.ones(values.shape, bool) if valid is None else valid
    return by_test(cell_findings(Grid(values[None], valid, LATTICE), "elevation", nothing, is_classes=is_classes))


def test_a_surface_with_a_cliff_has_no_faults():
    values = hills()
    values[:, 100:] += 80.0 * (np.arange(160) > 80)[:, None]  # an edge that ends
    assert cells(values) == {}


def test_holes_and_stand_ins_of_a_grid_are_found():
    valid = np.ones((160, 200), bool)
    valid[40:44, 50:60] = False
    valid[:30, :] = False  # the data ends there
    found = cells(hills(), valid)["no holes"]
    assert found.count == 40 and np.allclose(found.places, [[E0 + 545, N0 - 415 - 5]], atol=10)
    values = hills()
    values[5, 7] = -9999.0
    stand_in = cells(values)["no stand-ins for missing"]
    assert stand_in.count == 1 and np.allclose(stand_in.places, [[E0 + 75, N0 - 55]])
    assert cells(values, np.zeros((160, 200), bool))["cells with data"].severity == "fault"
    assert set(cells(np.full((160, 200), 7.0))) == {"values that differ"}


def test_spikes_stripes_and_steps_of_a_grid_are_found_where_they_are():
    values = hills()
    values[60, 80] += 90.0
    spike = cells(values)["no spikes"]
    assert spike.count == 1 and np.allclose(spike.places, [[E0 + 805, N0 - 605]])
    values = hills()
    values[[31, 77]] += 6.0
    stripes = cells(values)["no stripes"]
    assert stripes.count == 2 and np.allclose(stripes.places[:, 1], [N0 - 315, N0 - 775])
    values = hills()
    values[:, 128:] += 8.0
    step = cells(values)["no steps between tiles"]
    assert step.count == 1 and "column" in step.text and abs(step.places[0, 0] - (E0 + 1280)) <= 10
    assert cells(hills(np.int16), is_classes=True) == {}


def test_strange_points_of_a_cloud_are_found():
    rng = np.random.default_rng(4)
    xy = rng.uniform(0, 400, (20_000, 2))
    xyz = np.column_stack([xy + [E0, N0], 100 + xy[:, 0] / 50 + rng.normal(0, 0.1, 20_000)])
    ones = np.ones(20_000, np.uint8)
    plain = {"classification": ones * 2, "return_number": ones, "number_of_returns": ones}
    assert by_test(cloud_findings(Points(xyz, plain, UTM), nothing)) == {}
    wrong = xyz.copy()
    wrong[7, 2] += 60.0
    wrong[11] = wrong[12]
    classes, returns = ones * 2, ones.copy()
    classes[500], wrong[500, 2] = 7, 0.0  # known as noise: said once
    returns[99] = 3
    inside = (np.hypot(*(xy - 200).T) < 40) & ~np.isin(np.arange(20_000), [7, 11, 12, 99, 500])
    left = ~inside
    dimensions = {"classification": classes[left], "return_number": returns[left], "number_of_returns": ones[left]}
    found = by_test(cloud_findings(Points(wrong[left], dimensions, UTM), nothing))
    assert found["no spikes"].count == 1 and np.allclose(found["no spikes"].places, wrong[[7], :2])
    assert "60." in found["no spikes"].text or "59." in found["no spikes"].text
    assert (
        found["points once"].count == 1 and found["classified"].count == 1 and found["returns that can be"].count == 1
    )
    assert np.allclose(found["no holes"].places, [[E0 + 200, N0 + 200]], atol=25)
    assert by_test(cloud_findings(Points(np.empty((0, 3)), {}, None), nothing)) == {}


def test_a_cloud_of_which_most_has_no_class_says_which_classes_the_rest_has():
    classes = np.repeat(np.array([1, 2, 6], np.uint8), (700, 250, 50))
    rng = np.random.default_rng(8)
    points = Points(
        np.column_stack([rng.uniform(0, 60, (1000, 2)), rng.normal(5, 0.1, 1000)]), {"classification": classes}, UTM
    )
    found = by_test(cloud_findings(points, nothing))["classified"]
    assert (
        found.count == 700
        and found.text == "70% of the points have no class; 25.0% are of class 2, 5.0% are of class 6"
    )


def test_values_that_are_none_of_those_stated_are_found_with_their_rows():
    kinds = FieldMeaning(meanings=(("a", "ash"), ("l", "lava")))
    grades = FieldMeaning(meanings=(("-1", "unknown"),), ranges=((1.0, 5.0), (10.0, inf)))
    table = pa.table({"kind": ["a", "l", "x", None], "grade": [-1, 5, 7, 12], "other": [9, 9, 9, 9]})
    stated = {
        "kind": kinds,
        "grade": grades,
        "gone": kinds,
        "other": FieldMeaning(meanings=(("1", "one"),), others=True),
    }
    places = np.array([[0, 0], [1, 1], [2, 2], [np.nan, np.nan]])
    one, two = stated_findings(table, stated, places, nothing)
    assert one.rows.tolist() == [2] and "“x”" in one.text and one.places.tolist() == [[2, 2]]
    assert two.rows.tolist() == [2] and "grade is 7 in 1 row" in two.text
    assert one.severity == "fault"


def test_numbers_of_all_kinds_are_held_against_what_is_stated():
    special = FieldMeaning(meanings=(("-9999", "not measured"),))
    table = pa.table({
        "depth": [1.5, float("nan"), -9999.0, None], "price": pa.array([Decimal("2.50"), Decimal("3.00"), None, None]),
    })  # fmt: skip
    stated = {"depth": special, "price": FieldMeaning(meanings=(("2.5", ""),), ranges=((3.0, 4.0),))}
    (found,) = stated_findings(table, stated, None, nothing)
    assert found.rows.tolist() == [0] and found.severity == "fault"
    many = pa.table({"depth": [1.0, 2.0, 3.0, -9999.0]})  # the record lists special values alone
    (found,) = stated_findings(many, stated, None, nothing)
    assert found.severity == "caution" and found.count == 3


def test_what_a_geopackage_states_of_a_field_is_checked(tmp_path):
    path = tmp_path / "wells.gpkg"
    table = pa.table({"depth": [1.0, 4.0, 5.0, -2.0], "use": ["w", "w", "z", "p"]})
    shapes = shapely.points(np.arange(8.0).reshape(4, 2))
    pyogrio.write_arrow(table.append_column("geom", pa.array(shapely.to_wkb(shapes))), path, layer="wells",
                        geometry_name="geom", geometry_type="Point", crs=UTM)  # fmt: skip
    with closing(sqlite3.connect(path)) as db, db:
        db.executescript("""
            CREATE TABLE gpkg_data_columns (table_name TEXT, column_name TEXT, name TEXT, title TEXT, description TEXT,
                mime_type TEXT, constraint_name TEXT);
            CREATE TABLE gpkg_data_column_constraints (constraint_name TEXT, constraint_type TEXT, value TEXT, min NUMERIC,
                min_is_inclusive BOOLEAN, max NUMERIC, max_is_inclusive BOOLEAN, description TEXT);
            INSERT INTO gpkg_data_columns VALUES ('wells', 'depth', NULL, NULL, NULL, NULL, 'deep'),
                ('wells', 'use', NULL, NULL, NULL, NULL, 'uses');
            INSERT INTO gpkg_data_column_constraints VALUES ('deep', 'range', NULL, 0, 1, 5, 0, NULL),
                ('uses', 'enum', 'w', NULL, NULL, NULL, NULL, 'water'), ('uses', 'enum', 'p', NULL, NULL, NULL, NULL, '');
            """)
    with Workspace() as workspace:
        (report,) = Trust(DataRef.file(path)).run(workspace).reports
    found = {each.text.split()[0]: each for each in report.findings if each.test == "values as stated"}
    assert found["depth"].rows.tolist() == [2, 3] and found["use"].rows.tolist() == [2]


def test_classes_that_a_grid_does_not_name_are_found(tmp_path):
    values = np.ones((4, 5), np.uint8)
    values[1, 2], values[3] = 9, 2
    band = Band(1, "cover", classes=((1, "#00ff00", "grass"), (2, "#ff0000", "rock")))
    grid = Grid(values[None], values != 2, LATTICE)
    (found,) = class_findings(grid, band)
    assert found.count == 1 and "cover is 9 in 1 cell" in found.text and found.places.tolist() == [[E0 + 25, N0 - 15]]
    assert list(class_findings(Grid(np.ones((1, 4, 5), np.uint8), values > 0, LATTICE), band)) == []


def test_the_report_of_the_demo_has_what_is_planted_and_no_more(tmp_path):
    with Workspace() as workspace:
        survey = Trust(DataRef.file(demo.DATA / "tolvane_survey.gpkg")).run(workspace)
        names = [report.name for report in survey.reports]
        assert "buildings" in names and len(names) == 7
        assert not [each for report in survey.reports for each in report.findings if each.severity == "fault"]
        (grid,) = Trust(DataRef.file(demo.DATA / "elevation_2031.tif")).run(workspace).reports
        assert [each.test for each in grid.findings] == ["no holes"] and "no spikes" in grid.passed


@pytest.fixture
def faulty(tmp_path):
    """A file with a feature that is there twice and no CRS, and its record."""
    path = tmp_path / "zones.shp"
    shapes = np.append(squares(), squares()[3])
    table = pa.table(
        {"name": [f"zone {n}" for n in range(36)] + ["zone 3"], "geometry": pa.array(shapely.to_wkb(shapes))}
    )
    pyogrio.write_arrow(table, path, driver="ESRI Shapefile", geometry_name="geometry", geometry_type="Polygon")
    return path


def test_the_command_says_it_in_words_and_writes_it_into_a_record(faulty, tmp_path, capsys):
    record = tmp_path / "found.xml"
    assert main(["trust", str(faulty), "--record", str(record)]) == 0
    said = capsys.readouterr().out
    assert "2 faults" in said and "no CRS is stated" in said and "1 feature is there a second time" in said
    results = read_document(record).record.quality
    (twice,) = [each for each in results if "second time" in each.report]
    assert (twice.kind, twice.value, twice.day) == (
        "completenessCommission",
        "1",
        datetime.datetime.now(datetime.UTC).date().isoformat(),
    )
    assert main(["trust", str(faulty), "--json"]) == 0
    (report,) = json.loads(capsys.readouterr().out)["reports"]
    assert report["findings"][0]["rows"] or report["findings"][1]["rows"] == [36]
    with Workspace() as workspace, pytest.raises(CannotWrite):
        Trust(DataRef.file(faulty), record=faulty).run(workspace)


def test_a_record_whose_standard_has_no_quality_gives_way_to_one_that_has(faulty, tmp_path):
    beside = faulty.with_suffix(".shp.xml")
    beside.write_bytes(written(standard_named("Dublin Core"), Record(title="Zones of the island"), beside).data)
    with Workspace() as workspace:
        Trust(DataRef.file(faulty), record=tmp_path / "found.xml").run(workspace)
    found = read_document(tmp_path / "found.xml")
    assert found.record.title == "Zones of the island" and found.standard.name == "ISO 19115-3"
    assert any("second time" in each.report for each in found.record.quality)


def test_the_page_says_all_and_hostile_names_are_text(faulty, tmp_path):
    table = pa.table({"<script>alert(1)</script>": pa.array([None, None], pa.string()), "n": [1, 2],
                      "geometry": pa.array(shapely.to_wkb(squares()[:2]))})  # fmt: skip
    path = tmp_path / "a <b> & c.gpkg"
    pyogrio.write_arrow(
        table, path, driver="GPKG", layer="zones", geometry_name="geometry", geometry_type="Polygon", crs=UTM
    )
    with Workspace() as workspace:
        Trust(DataRef.file(path), page=tmp_path / "page.html").run(workspace)
        Trust(DataRef.file(faulty), page=tmp_path / "faulty.html").run(workspace)
    hostile, plain = ((tmp_path / name).read_text() for name in ("page.html", "faulty.html"))
    assert "<script" not in hostile and "&lt;script&gt;alert(1)&lt;/script&gt; has no value" in hostile
    assert "<b>" not in hostile and str(tmp_path) not in hostile + plain
    words = " ".join(html.fromstring(plain).text_content().split())
    assert "1 feature is there a second time" in words and "rows 37" in words and "things too many" in words
    assert "In order: " in words and "1 of 37 features" in words


def test_empty_data_and_a_grid_too_large_to_hold_are_looked_at_in_part(tmp_path, monkeypatch):
    empty = tmp_path / "empty.geojson"
    empty.write_text('{"type": "FeatureCollection", "features": []}')
    large = tmp_path / "large.tif"
    with rasterio.open(large, "w", driver="GTiff", width=200, height=160, count=1, dtype="float32", crs=UTM,
                       transform=from_origin(E0, N0, 10, 10)) as out:  # fmt: skip
        out.write(hills(), 1)
    monkeypatch.setattr("brisk_atlas.core.trust.reports.MOST_CELLS", 8_000)
    with Workspace() as workspace:
        assert isinstance(Trust(DataRef.file(empty)).run(workspace).reports[0], TrustReport)
        (report,) = Trust(DataRef.file(large)).run(workspace).reports
        assert report.sampled == "the middle 100 × 80 of 200 × 160 cells was looked at" and not report.findings
        assert report.sampled in report.lines()


def test_a_cloud_of_a_file_is_looked_at(tmp_path):
    header = laspy.LasHeader(point_format=3, version="1.2")
    header.scales = [0.01] * 3
    cloud = laspy.LasData(header)
    rng = np.random.default_rng(5)
    cloud.x, cloud.y, cloud.z = rng.uniform(0, 100, 5000), rng.uniform(0, 100, 5000), rng.normal(10, 0.2, 5000)
    cloud.write(tmp_path / "points.las")
    with Workspace() as workspace:
        (report,) = Trust(DataRef.file(tmp_path / "points.las")).run(workspace).reports
    assert {"a place stated", "classified"} <= {each.test for each in report.findings}
