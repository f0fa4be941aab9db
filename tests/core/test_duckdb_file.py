"""DuckDB files as databases: their tables are found, opened and asked, and reach nothing else."""

from __future__ import annotations

import duckdb
import numpy as np
import pyproj
import pytest
import shapely

from brisk_atlas.core import read
from brisk_atlas.core.find.scan_worker import summary_of
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Extent, FeatureQuery, Ordering
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.read.field_meanings import meanings_of
from brisk_atlas.core.table.expression import mask_of
from brisk_atlas.core.table.query import ask, ask_rows
from brisk_atlas.core.table.write_back import why_not
from brisk_atlas.core.workspace.workspace import Workspace


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "survey.duckdb"
    crs = pyproj.CRS("EPSG:32727").to_wkt().replace("'", "''")
    with duckdb.connect(str(path)) as link:
        link.execute(f"CREATE TABLE zones (id int, name varchar, since date, geom geometry('{crs}'))")
        link.execute("INSERT INTO zones SELECT i, CASE WHEN i % 7 = 0 THEN NULL ELSE 'zone ' || i END, "
                     "DATE '2031-01-01' + i::int, ('POINT(' || (500000 + i * 100) || ' 5770000)')::geometry "
                     "FROM range(1, 301) t(i)")  # fmt: skip
        link.execute("COMMENT ON TABLE zones IS 'closed'")
        link.execute("COMMENT ON COLUMN zones.since IS 'first day'")
        link.execute('CREATE TABLE "odd ""name" (shape geometry, other geometry, "a.b" double)')
        link.execute("""INSERT INTO "odd ""name" VALUES ('LINESTRING(0 0, 1 2)', NULL, 1.5), (NULL, NULL, NULL)""")
        link.execute("CREATE VIEW few AS SELECT id, name FROM zones WHERE id < 5")
        link.execute("CREATE SCHEMA old")
        link.execute("CREATE TABLE old.empty (x int)")
    return path


def test_tables_views_and_columns_of_geometry_are_parts(file):
    dataset = read.open(file)
    names = [part.facts.name for part in dataset.parts]
    assert (
        names == ["few", 'odd "name shape', 'odd "name other', "zones", "old.empty"] and dataset.kind is DataKind.VECTOR
    )
    zones = dataset.part("zones").facts
    assert (zones.count, zones.geometry_type, zones.crs) == (300, "Point", "EPSG:32727")
    assert zones.extent == Extent(500_100, 5_770_000, 530_000, 5_770_000, "EPSG:32727")
    assert zones.notes["comment"] == "closed" and meanings_of(dataset, "zones")["since"].description == "first day"
    assert dataset.warnings == (no_crs('odd "name shape'),)  # the one that states none
    summary = summary_of(DataRef.file(file))
    assert not summary.fault and summary.amount == "5 parts"


def test_values_and_shapes_are_those_of_the_file(file):
    found = read.open(file).part("zones").read()
    with duckdb.connect(str(file), read_only=True) as link:
        expected = link.execute("SELECT id, name, since FROM zones").fetchall()
    assert [tuple(row.values()) for row in found.table.to_pylist()] == expected
    assert shapely.get_x(shapely.from_wkb(found.wkb[0].as_py())) == 500_100
    odd = read.open(file).part('odd "name shape').read()
    assert odd.table.column("a.b").to_pylist() == [1.5, None] and odd.wkb[1].as_py() is None
    assert len(read.open(file).part("old.empty").rows()) == 0


@pytest.mark.parametrize(
    "where", ("id > 100 AND id <= 140", "name = 'zone 3'", "name IS NULL", "upper(name) = 'ZONE 9'")
)
def test_questions_are_answered_as_on_rows_held_here(file, where):
    part = read.open(file).part("zones")
    whole = part.rows()
    query = FeatureQuery(where=where, columns=("id",), order=(Ordering("id", descending=True),), limit=5)
    expected = np.array(whole.column("id"))[mask_of(whole, where)][::-1][:5].tolist()
    assert ask_rows(part, query).column("id").to_pylist() == expected
    box = Extent(501_000, 5_769_000, 502_050, 5_771_000, "EPSG:32727")
    inside = ask(part, FeatureQuery(extent=box, where=where)).table.column("id").to_pylist()
    assert inside == [i for i in np.array(whole.column("id"))[mask_of(whole, where)].tolist() if 10 <= i <= 20]


def test_a_file_is_only_read_and_opens_on_the_desk(file):
    before = file.read_bytes()
    with Workspace() as workspace:
        layer = workspace.open(DataRef.file(file).with_part("zones"))[0]
        assert len(workspace.sheet_of(layer)) == 300
    assert file.read_bytes() == before and {each.name for each in file.parent.iterdir()} == {"survey.duckdb"}
    assert why_not(read.open(file))


@pytest.mark.parametrize("spoil", (lambda b: b[:5000], lambda b: b[:8] + b"DUCK" + bytes(9000), lambda b: b[:200]))
def test_damaged_files_are_refused_in_a_sentence(file, spoil):
    file.write_bytes(spoil(file.read_bytes()))
    with pytest.raises(CannotRead) as caught:
        read.open(file)
    assert "survey.duckdb" in str(caught.value) and caught.value.remedy


def test_a_view_reaches_nothing_outside_the_file(tmp_path):
    (tmp_path / "secret.csv").write_text("a\n1\n")
    path = tmp_path / "trap.duckdb"
    with duckdb.connect(str(path)) as link:
        link.execute("CREATE TABLE fine (x int)")
        link.execute(f"CREATE VIEW trap AS SELECT * FROM read_csv('{tmp_path / 'secret.csv'}')")
    dataset = read.open(path)
    assert [part.facts.name for part in dataset.parts] == ["fine"]
    assert "trap: it can't be read" in dataset.warnings[0]
