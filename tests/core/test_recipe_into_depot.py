"""Recipes that write into a Depot: new postings, others with other data, refusals, batches taken up again."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path

import geopandas
import laspy
import numpy as np
import pytest
import rasterio
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet_changes import changes_since
from brisk_atlas.core.depot.postings.posted_rows import PostedRows, RowBatch
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ANYONE
from brisk_atlas.core.handover.batch import Batch
from brisk_atlas.core.handover.batch_task import DONE, FAILED, SKIPPED
from brisk_atlas.core.handover.batch_worker import ProcessRunner
from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep
from brisk_atlas.core.handover.run_recipe import RecipeRun, targets
from brisk_atlas.core.handover.sources import FileSources
from brisk_atlas.core.model import AtlasError, CannotRead, CannotWrite, DataRef
from brisk_atlas.core.record.document import document_in
from brisk_atlas.core.system.folders import data_folder

SURVEY = demo.DATA / "tolvane_survey.gpkg"
STEP = RecipeStep


@pytest.fixture
def depot(tmp_path):
    """A folder with a Depot that is empty."""
    DepotStore(tmp_path / "depot").close()
    return tmp_path / "depot"


def into(depot, title, *steps, source=f"{SURVEY}#lava_flows", **options):
    """Run a recipe that writes to a posting."""
    write = STEP("write", {"path": f"depot://{depot}#{title}", "options": options})
    with RecipeRun(Recipe("Piece", (Branch("main", DataRef.typed(source), (*steps, write)),)), FileSources()) as run:
        (made,) = run.write()
    return made.written[0]


@pytest.fixture
def store(depot):
    made = DepotStore(depot)
    yield made
    made.close()


def test_rows_become_a_posting_with_its_record_that_a_circle_reads(depot, store):
    newer = STEP("where", {"where": "year = 2031"})
    made = into(depot, "Lava of 2031", newer, STEP("reproject", {"crs": "EPSG:4326"}), readers="everybody")
    expected = geopandas.read_file(SURVEY, layer="lava_flows").query("year == 2031").to_crs("EPSG:4326")
    (posting,) = store.postings
    assert made.count == len(expected) and made.format == "Depot" and str(made.path).endswith("#Lava%20of%202031")
    assert posting.title == "Lava of 2031" and posting.crs == "EPSG:4326" and posting.owner == "local"
    rows = list(store.rows(posting.id).all_rows())
    shapes = geopandas.GeoSeries.from_wkb([row.wkb for row in rows])
    assert np.allclose(shapes.total_bounds, expected.total_bounds)
    record = document_in(posting.record.encode(), Path("lava.xml")).record
    assert [step.description for step in record.steps][-2:] == ["Rows where: year = 2031", "Reproject: EPSG:4326"]
    (outlet,) = store.readable(ANYONE)
    assert outlet.title == "Lava of 2031" and store.through(outlet.id, ANYONE).count() == len(expected)


def test_another_delivery_changes_what_differs_and_outlets_stay(depot, store):
    into(depot, "Lava", readers="everybody")
    (outlet,) = store.outlets
    begun = changes_since(store.through(outlet.id, ANYONE), "", {}).cursor
    before = {row.name: row for row in store.rows("lava").all_rows()}
    moment = datetime.now(UTC)
    with pytest.raises(CannotWrite, match="there is a posting of that title"):
        into(depot, "Lava")
    into(depot, "Lava", STEP("where", {"where": "year <> 1962"}), replace=True)
    after = {row.name: row for row in store.rows("lava").all_rows()}
    gone = {name for name, row in before.items() if row.values["year"] == 1962}
    assert gone and after == {name: row for name, row in before.items() if name not in gone}  # the others are untouched
    found = changes_since(store.through(outlet.id, ANYONE), begun, {})
    assert set(found.gone) == gone and not found.changed
    assert store.outlets == [outlet] and len(store.postings) == 1
    assert len(store.rows("lava").rows_at(moment.isoformat())) == len(before)  # and the history has what was there


@pytest.mark.parametrize(
    ("source", "steps", "reason"),
    [
        ("closed_zones", (), "its fields differ"),
        ("lava_flows", (STEP("reproject", {"crs": "EPSG:4326"}),), "another CRS"),
        ("lava_flows", (STEP("compute", {"field": "year", "expression": "year || 'x'"}),), r"year \(text\)"),
        ("elevation_2031.tif", (), "data of another kind"),
    ],
)
def test_what_outlets_could_not_show_is_refused_and_nothing_changes(depot, store, source, steps, reason):
    into(depot, "Lava", readers="everybody")
    before = list(store.rows("lava").all_rows()), store.postings
    place = demo.DATA / source if source.endswith(".tif") else f"{SURVEY}#{source}"
    with pytest.raises(CannotWrite, match=reason):
        into(depot, "Lava", *steps, source=str(place), replace=True)
    assert (list(store.rows("lava").all_rows()), store.postings) == before


def test_grids_are_posted_as_files_and_replaced(depot, store):
    old, new = (str(demo.DATA / f"elevation_{year}.tif") for year in (2029, 2031))
    into(depot, "Heights", source=old, readers="everybody")
    made = into(depot, "Heights", source=new, replace=True)
    assert made.count == 1024 * 900
    cloud = into(depot, "Harrow Bay", source=str(demo.DATA / "harrow_bay_2031.laz"))
    with laspy.open(demo.DATA / "harrow_bay_2031.laz") as points:
        assert cloud.count == points.header.point_count
    store.withdraw("harrow_bay", by="local")
    (posting,) = store.postings
    with rasterio.open(store.file_of(posting)) as found, rasterio.open(new) as expected:
        assert np.array_equal(found.read(1), expected.read(1))
    assert len(store.rows(posting.id).last_edits(9)) >= 1 and len(store.outlets) == 1


def test_refusals_say_what_to_do(depot, home, tmp_path):
    with pytest.raises(CannotWrite, match=r"there is no circle teem.*everybody"):
        into(depot, "Lava", readers="teem")
    with pytest.raises(CannotRead, match="there is no Depot in it"):
        into(tmp_path / "none", "Lava")
    assert not (tmp_path / "none").exists()
    with pytest.raises(CannotRead, match=r"through its outlets[\s\S]*Serve it"):
        read.open(DataRef.parse(f"depot://{depot}#Lava"))
    with pytest.raises(AtlasError, match="names no layer"):
        into(depot, "")
    with pytest.raises(AtlasError, match="nothing can be added"):
        write = STEP("write", {"path": f"depot://{depot}#Lava", "append": True})
        with RecipeRun(Recipe("", (Branch("a", DataRef.typed(f"{SURVEY}#trails"), (write,)),)), FileSources()) as run:
            run.write()
    with pytest.raises(AtlasError):
        DataRef.parse("depot://#Lava") and into("", "Lava")  # this user has none
    DepotStore(data_folder("depot")).close()
    into("", "Lava")
    own = DepotStore(data_folder("depot"))
    assert [each.title for each in own.postings] == ["Lava"]
    own.close()


def test_a_batch_posts_each_input_and_is_taken_up_again(depot, store, tmp_path):
    folder = tmp_path / "in"
    folder.mkdir()
    content = (demo.DATA / "ash_samples.geojson").read_text()
    for day in range(4):
        (folder / f"day_{day}.geojson").write_text(content if day != 2 else content[:900])
    steps = (STEP("where", {"where": "thickness_mm > 10"}), STEP("write", {"path": f"depot://{depot}#Ash ${{name}}"}))
    recipe = Recipe("Ash", (Branch("main", "${input}", steps),))
    inputs = sorted(map(str, folder.iterdir()))
    assert len(set(map(str, targets(recipe, {"name": "a", "input": "b"})))) == 1
    outcomes = Batch(recipe, inputs, tmp_path / "out").run(ProcessRunner(2))
    assert [each.state for each in outcomes] == [DONE, DONE, FAILED, DONE]
    assert [each.title for each in store.postings] == ["Ash day_0", "Ash day_1", "Ash day_3"]
    store.withdraw("ash_day_1", by="local")
    (folder / "day_2.geojson").write_text(content)
    again = Batch(recipe, inputs, tmp_path / "out").run(ProcessRunner(2), resume=True)
    assert [each.state for each in again] == [SKIPPED, DONE, DONE, SKIPPED] and len(store.postings) == 4


def test_the_shell_replaces_rows_and_writes_by_recipe(depot, store, tmp_path, capsys):
    into(depot, "Lava")
    copy = tmp_path / "lava.gpkg"
    table = geopandas.read_file(SURVEY, layer="lava_flows")
    table.iloc[1:].to_file(copy, layer="lava")
    assert cli.main(["depot", "replace", "lava", str(copy), "--store", str(depot)]) == 0
    assert "0 rows added, 1 deleted" in capsys.readouterr().out
    assert len(list(store.rows("lava").all_rows())) == len(table) - 1
    recipe = tmp_path / "into.recipe.json"
    step = {"do": "write", "path": f"depot://{depot}#Ash"}
    recipe.write_text(json.dumps({"brisk_atlas_recipe": 1, "title": "Ash", "branches": [
        {"name": "main", "source": str(demo.DATA / "ash_samples.geojson"), "steps": [step]}]}))  # fmt: skip
    assert cli.main(["run", str(recipe)]) == 0
    assert {each.title for each in store.postings} == {"Lava", "Ash"}


VALUES = st.lists(st.tuples(st.none() | st.sampled_from("ab"), st.none() | st.integers(0, 2)), max_size=12)


@given(VALUES, VALUES)
def test_replacing_leaves_the_new_rows_and_notes_each_difference_once(tmp_path_factory, before, after):
    fields = (PostedField("name", FieldType.TEXT), PostedField("number", FieldType.INTEGER))
    store = DepotStore(tmp_path_factory.mktemp("depot"))
    posting = store.post("Rows", fields, [(dict(zip(("name", "number"), each)), None) for each in before], owner="")
    added, deleted = store.replace_rows(posting.id, [RowBatch(list(after), [None] * len(after))], by="local")
    rows = PostedRows(store.database, posting)
    key = lambda values: tuple(map(repr, values))  # noqa: E731
    assert sorted((tuple(row.values.values()) for row in rows.all_rows()), key=key) == sorted(after, key=key)
    left = list(before)
    new = [each for each in after if each not in left or left.remove(each)]
    assert (added, deleted) == (len(new), len(left)) and len(rows.edits()) == added + deleted
    store.close()
