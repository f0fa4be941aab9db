"""Saving edits: into the file they came from, checked against what others did to it, or not at all."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from dataclasses import replace

import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import pytest

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.handover.table import write_table
from brisk_atlas.core.model import CannotWrite, Edit, Layer, OpenOptions, TableView, TextForm
from brisk_atlas.core.table.editing import state_of
from brisk_atlas.core.table.write_back import save_edits, why_not
from made_files import at


def edited(cache, path, part, *edits):
    dataset = cache.dataset(at(path))
    part = part or dataset.parts[0].facts.name
    kind = dataset.part(part).facts.kind
    return Layer("l", part, at(path, part), kind, rows=TableView(edits=edits, edited_from=state_of(dataset.members)))


def rows(path, layer=None):
    _, _, _, columns = pyogrio.raw.read(path, layer=layer)
    names = pyogrio.read_info(path, layer=layer)["fields"].tolist()
    return dict(zip(names, columns))


@pytest.fixture
def survey(data, tmp_path):
    path = tmp_path / "survey.gpkg"
    shutil.copy2(data / "tolvane_survey.gpkg", path)
    return path


def test_a_geopackage_is_updated_in_place_and_all_else_in_it_stays(survey):
    held = DataCache()
    before = rows(survey, "lava_flows")
    with closing(sqlite3.connect(survey)) as db:
        tables = db.execute("SELECT name, sql FROM sqlite_master ORDER BY name").fetchall()
        extent = db.execute("SELECT * FROM rtree_lava_flows_geom ORDER BY id").fetchall()
    layer = edited(held, survey, "lava_flows", Edit("surface", (2, 5), ("glassy", None)), Edit("year", (0,), (1999,)))
    assert save_edits(held, layer) == 3
    after = rows(survey, "lava_flows")
    assert (after["surface"][2], after["surface"][5], after["year"][0]) == ("glassy", None, 1999)
    assert [v for i, v in enumerate(after["surface"]) if i not in (2, 5)] == [
        v for i, v in enumerate(before["surface"]) if i not in (2, 5)
    ]
    assert after["volume_m3"].tolist() == before["volume_m3"].tolist()
    with closing(sqlite3.connect(survey)) as db:
        assert db.execute("SELECT name, sql FROM sqlite_master ORDER BY name").fetchall() == tables
        assert db.execute("SELECT * FROM rtree_lava_flows_geom ORDER BY id").fetchall() == extent
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    assert [p.name for p in survey.parent.iterdir()] == ["survey.gpkg"]


@pytest.mark.parametrize("name", ["flows.geojson", "flows.fgb", "flows.shp"])
def test_single_layer_files_are_rewritten_with_their_geometry(data, tmp_path, name, lava):
    path = tmp_path / name
    driver = {"geojson": "GeoJSON", "fgb": "FlatGeobuf", "shp": "ESRI Shapefile"}[path.suffix[1:]]
    crs = "EPSG:4326" if driver == "GeoJSON" else "EPSG:32727"
    table = lava.table.append_column("geometry", lava.wkb.cast(pa.binary()))
    options = {"SPATIAL_INDEX": "NO"} if driver == "FlatGeobuf" else {}
    pyogrio.write_arrow(
        table,
        path,
        driver=driver,
        geometry_name="geometry",
        geometry_type="Unknown" if driver != "ESRI Shapefile" else "Polygon",
        crs=crs,
        **options,
    )
    held = DataCache()
    before, shapes = rows(path), pyogrio.raw.read(path)[2]
    layer = edited(held, path, None, Edit("year", (3,), (1888,)))
    assert save_edits(held, layer) == 1
    after = rows(path)
    order = [before["flow_id"].tolist().index(v) for v in after["flow_id"]]  # the index may turn the order
    years = after["year"][[order.index(i) for i in range(len(order))]]
    assert years[3] == 1888 and sum(a != b for a, b in zip(years, before["year"])) == 1
    again = pyogrio.raw.read(path)[2]
    assert [again[order.index(i)] for i in range(len(order))] == list(shapes)
    assert pyogrio.read_info(path)["crs"] == crs


def test_geojson_keeps_what_else_it_holds(tmp_path):
    path = tmp_path / "samples.geojson"
    point = {"type": "Point", "coordinates": [-20.9, -38.2]}
    told = {
        "type": "FeatureCollection", "title": "samples",
        "features": [{"type": "Feature", "id": "a7", "note": {"by": "hand"}, "properties": {"n": 1, "t": "é"}, "geometry": point}],
    }  # fmt: skip
    path.write_text(json.dumps(told), "utf-8")
    held = DataCache()
    save_edits(held, edited(held, path, None, Edit("n", (0,), (2,))))
    back = json.loads(path.read_text("utf-8"))
    assert back["title"] == "samples" and back["features"][0]["note"] == {"by": "hand"}
    assert back["features"][0]["properties"]["n"] == 2 and back["features"][0]["properties"]["t"] == "é"
    assert back["features"][0]["id"] == "a7" and back["features"][0]["geometry"] == point


def test_a_text_table_keeps_its_form_and_the_text_of_other_cells(tmp_path):
    path = tmp_path / "stations.csv"
    raw = 'id;height;name\r\n007;1,50;"Rim; west"\r\n008;2,00;Träger\r\n'
    path.write_bytes(raw.encode("latin-1"))
    held = DataCache()
    held.set_options(at(path), OpenOptions(form=TextForm(";", "latin-1", True, ",")))
    save_edits(held, edited(held, path, None, Edit("height", (1,), (2.75,)), Edit("name", (0,), (None,))))
    assert path.read_bytes().decode("latin-1") == "id;height;name\r\n007;1,50;\r\n008;2,75;Träger\r\n"


def test_parquet_is_rewritten_with_its_types(tmp_path):
    path = tmp_path / "t.parquet"
    pq.write_table(pa.table({"n": pa.array([1, 2], pa.int16()), "t": ["a", "b"]}), path)
    held = DataCache()
    save_edits(held, edited(held, path, None, Edit("n", (1,), (9,))))
    back = pq.read_table(path)
    assert back.column("n").to_pylist() == [1, 9] and back.schema.field("n").type == pa.int16()


@pytest.mark.parametrize("what", ["another changed the value", "another took a row away", "it is gone"])
def test_rows_that_somebody_changed_meanwhile_are_not_overwritten(survey, what):
    held = DataCache()
    layer = edited(held, survey, "lava_flows", Edit("surface", (0,), ("mine",)))
    held.table(layer.ref)
    with closing(sqlite3.connect(survey)) as db:
        for name in ("ST_IsEmpty", "ST_MinX", "ST_MaxX", "ST_MinY", "ST_MaxY"):
            db.create_function(name, 1, lambda blob: 0)
        if what == "another changed the value":
            db.execute("UPDATE lava_flows SET surface = 'theirs' WHERE fid = 1")
        elif what == "another took a row away":
            for (name,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
                db.execute(f'DROP TRIGGER "{name}"')
            db.execute("DELETE FROM lava_flows WHERE fid = 9")
        db.commit()
    if what == "it is gone":
        survey.unlink()
    theirs = survey.read_bytes() if survey.exists() else None
    with pytest.raises(CannotWrite, match="gone" if theirs is None else "another program changed its rows") as caught:
        save_edits(held, layer)
    assert "new file" in caught.value.remedy
    assert (survey.read_bytes() if survey.exists() else None) == theirs


OTHER_PROGRAM = """
import sqlite3, sys
db = sqlite3.connect(sys.argv[1], isolation_level=None)
db.execute("PRAGMA journal_mode = WAL")
db.execute("CREATE TABLE other (x)")
db.execute("INSERT INTO other VALUES (7)")
print("written", flush=True)
sys.stdin.readline()
print(db.execute("SELECT surface FROM lava_flows WHERE fid = 1").fetchone()[0], db.execute("SELECT x FROM other").fetchone()[0])
"""


def test_what_others_do_elsewhere_in_a_database_does_not_hinder_and_stays(survey):
    held = DataCache()
    layer = edited(held, survey, "lava_flows", Edit("surface", (0,), ("mine",)))
    other = subprocess.Popen(
        [sys.executable, "-c", OTHER_PROGRAM, str(survey)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert other.stdout.readline() == "written\n"  # their rows lie in the log beside the file, which stays open
    os.utime(survey.with_name("survey.gpkg-shm"))
    assert save_edits(held, layer) == 1
    assert other.communicate("\n")[0].split() == ["mine", "7"]


def test_a_database_that_another_program_is_writing_to_is_left_alone(survey, monkeypatch):
    monkeypatch.setattr("brisk_atlas.core.table.write_back.PATIENCE_S", 0.1)
    held = DataCache()
    layer = edited(held, survey, "lava_flows", Edit("surface", (0,), ("mine",)))
    with closing(sqlite3.connect(survey, isolation_level=None)) as other:
        other.execute("BEGIN EXCLUSIVE")
        with pytest.raises(CannotWrite, match="another program is writing"):
            save_edits(held, layer)


@pytest.fixture
def samples(data, tmp_path):
    return shutil.copy2(data / "ash_samples.geojson", tmp_path / "samples.geojson")


def test_other_files_that_changed_meanwhile_are_not_overwritten(samples):
    held = DataCache()
    field = held.dataset(at(samples)).parts[0].facts.fields[0].name
    layer = edited(held, samples, None, Edit(field, (0,), ("mine",)))
    os.utime(samples, ns=(1, 1))
    before = samples.read_bytes()
    with pytest.raises(CannotWrite, match="changed by another program"):
        save_edits(held, layer)
    assert samples.read_bytes() == before


def test_a_change_while_writing_is_noticed_too(samples):
    held = DataCache()
    field = held.dataset(at(samples)).parts[0].facts.fields[0].name
    layer = edited(held, samples, None, Edit(field, (0,), ("mine",)))

    def meddle(share, step):
        if step == "checking the original":
            os.utime(samples, ns=(5, 5))

    before = samples.read_bytes()
    with pytest.raises(CannotWrite, match="changed by another program"):
        save_edits(held, layer, meddle)
    assert samples.read_bytes() == before


def test_a_database_whose_write_broke_off_is_seen_as_it_was_before(survey, tmp_path):
    whole = rows(survey, "lava_flows")["surface"].tolist()
    script = (
        "import os, sqlite3, sys; db = sqlite3.connect(sys.argv[1]); db.execute('PRAGMA cache_size = 1');"
        "[db.create_function('ST_' + n, 1, lambda b: 0) for n in ('IsEmpty', 'MinX', 'MaxX', 'MinY', 'MaxY')];"
        'db.execute("UPDATE lava_flows SET surface = hex(randomblob(3000))"); os._exit(1)'
    )
    subprocess.run([sys.executable, "-c", script, str(survey)], check=False)
    assert survey.with_name("survey.gpkg-journal").stat().st_size > 0
    damaged = survey.read_bytes()
    held = DataCache()
    assert held.table(at(survey, "lava_flows")).column("surface").to_pylist() == whole
    assert survey.read_bytes() == damaged  # looking changes nothing


def test_a_failure_half_way_leaves_the_file(survey, monkeypatch):
    held = DataCache()
    layer = edited(held, survey, "lava_flows", Edit("no such field", (0,), ("x",)))
    before = survey.read_bytes()
    with pytest.raises(CannotWrite, match="no field no such field"):
        save_edits(held, layer)
    assert survey.read_bytes() == before and [p.name for p in survey.parent.iterdir()] == ["survey.gpkg"]


def test_what_is_not_written_back_says_why(data, tmp_path):
    held = DataCache()
    for name in ("laboratory.xlsx", "vents.kml"):
        dataset = held.dataset(at(data / name))
        assert "is not written back" in why_not(dataset)
        layer = edited(held, data / name, None, Edit("x", (0,), (1,)))
        with pytest.raises(CannotWrite, match="not written back"):
            save_edits(held, replace(layer, rows=replace(layer.rows, edited_from=())))
    assert why_not(held.dataset(at(data / "tolvane_survey.gpkg"))) is None
    assert why_not(held.dataset(at(data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt"))) is not None


def test_tables_go_out_in_each_form_and_come_back(tmp_path, cache):
    import datetime

    table = pa.table(
        {
            "n": [1, None],
            "t": ["a", "ü"],
            "x": [1.5, float("nan")],
            "d": [datetime.date(2031, 1, 2), None],
            "b": [b"\x01", None],
        }
    )
    for format_, suffix in (("CSV", ".csv"), ("XLSX", ".xlsx"), ("Parquet", ".parquet")):
        path = tmp_path / f"rows{suffix}"
        write_table(table, path, format_)
        back = cache.table(at(path, cache.dataset(at(path)).parts[0].facts.name))
        assert back.column("n").to_pylist() == [1, None] and back.column("t").to_pylist() == ["a", "ü"]
        assert back.num_rows == 2 and back.column_names == table.column_names
    with pytest.raises(CannotWrite, match="room for"):
        write_table(pa.table({"n": range(1_048_576)}), tmp_path / "much.xlsx", "XLSX")
