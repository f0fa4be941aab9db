"""Recipes: stored, checked, run to checkpoints and to files, over many inputs, through faults."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import geopandas
import jsonschema
import numpy as np
import pyarrow.parquet as pq
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas import cli
from brisk_atlas.core.handover.batch import Batch, Journal, inputs_in, watched_inputs
from brisk_atlas.core.handover.batch_groups import TaskGroups
from brisk_atlas.core.handover.batch_report import report_json, write_report
from brisk_atlas.core.handover.batch_task import DONE, FAILED, SKIPPED, BatchTask
from brisk_atlas.core.handover.batch_worker import ProcessRunner
from brisk_atlas.core.handover.checkpoints import CheckpointStore
from brisk_atlas.core.handover.geometry_column import shapes_of
from brisk_atlas.core.handover.recipe import (
    BadRecipe,
    Branch,
    Parameter,
    Recipe,
    RecipeStep,
    differences,
    read_recipe,
    recipe_schema,
    write_recipe,
)
from brisk_atlas.core.handover.run_recipe import RecipeRun
from brisk_atlas.core.handover.sources import FileSources
from brisk_atlas.core.handover.steps import STEPS
from brisk_atlas.core.model import AtlasError, CannotRead, DataRef
from brisk_atlas.core.record import Record, standard_named, written

STEP = RecipeStep


def recipe(*steps, source="${input}", others=(), parameters=()):
    return Recipe("Piece", (Branch("main", source, tuple(steps)), *others), tuple(parameters))


def survey(data, layer):
    return f"{data / 'tolvane_survey.gpkg'}#{layer}"


LAVA = (
    STEP("where", {"where": "year = ${year}"}),
    STEP("compute", {"field": "km2", "expression": "area_ellipsoid() / 1e6"}),
    STEP("reproject", {"crs": "EPSG:4326"}),
    STEP("clip", {"polygons": "zones"}),
)


def lava(data, *more):
    zones = Branch("zones", DataRef.typed(survey(data, "closed_zones")))
    return recipe(*LAVA, *more, source=DataRef.typed(survey(data, "lava_flows")), others=(zones,),
                  parameters=(Parameter("year", 2031, "the year of the eruption"),))  # fmt: skip


def test_a_recipe_is_stored_by_its_schema_and_comes_back(data, tmp_path):
    made = lava(data, STEP("write", {"path": "${out}/a.gpkg"}, "for the office", off=True))
    path = tmp_path / "a.recipe.json"
    write_recipe(made, path)
    assert read_recipe(path) == made
    schema = recipe_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(json.loads(path.read_text()), schema)
    wrong = json.loads(path.read_text())
    wrong["branches"][0]["steps"][0]["wheer"] = "x"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(wrong, schema)
    assert {step["properties"]["do"]["const"] for step in schema["properties"]["branches"]["items"]["properties"]["steps"]["items"]["oneOf"]} == set(STEPS)  # fmt: skip
    changed = replace(made, version=2).with_branch(replace(made.branches[0], steps=made.branches[0].steps[1:]))
    assert any(line.startswith("-") and '"where"' in line for line in differences(made, changed))
    assert differences(made, replace(made, version=9)) == []


@pytest.mark.parametrize(
    ("stored", "reason"),
    [
        ("{", "can't be read"), ("[1]", "not a recipe"), ('{"brisk_atlas_recipe": 7}', "form 7"),
        ('{"brisk_atlas_recipe": 1, "branches": []}', "no source"),
        ('{"brisk_atlas_recipe": 1, "branches": [{"name": "a", "source": 5}]}', "not as a recipe should be"),
        ('{"brisk_atlas_recipe": 1, "branches": [{"name": "a", "source": "a"}]}', "needs itself"),
        ('{"brisk_atlas_recipe": 1, "branches": [{"name": "a", "source": "x", "steps": [{"where": "b"}]}]}', "what it does"),
        ('{"brisk_atlas_recipe": 1, "branches": [{"name": "a", "source": "${strange}"}]}', "no parameter strange"),
        ('{"brisk_atlas_recipe": 1, "branches": [{"name": "a", "source": "x"}, {"name": "a", "source": "y"}]}', "one name"),
    ],
)  # fmt: skip
def test_what_is_no_recipe_is_refused_with_its_reason(stored, reason, tmp_path):
    path = tmp_path / "a.recipe.json"
    path.write_text(stored)
    with pytest.raises(BadRecipe, match=reason):
        read_recipe(path)


def test_branches_that_need_each_other_are_refused():
    a = Branch("a", "x", (STEP("clip", {"polygons": "b"}),))
    with pytest.raises(BadRecipe, match="needs itself"):
        Recipe("", (a, Branch("b", "a"))).check()


def test_each_checkpoint_has_counts_rejected_rows_and_a_result(data):
    store = CheckpointStore()
    with RecipeRun(lava(data), FileSources(), stored=store) as run:
        source, where, compute, moved, clipped = run.checkpoints("main")
    every = geopandas.read_file(data / "tolvane_survey.gpkg", layer="lava_flows")
    chosen = every[every["year"] == 2031]
    assert (source.account.count_out, where.account.count_in, where.account.count_out) == (
        len(every),
        len(every),
        len(chosen),
    )
    assert where.account.rejected == {"does not meet the condition": len(every) - len(chosen)}
    left_out = where.rejected.whole()
    assert sorted(left_out.column("flow_id").to_pylist()) == sorted(every[every["year"] != 2031]["flow_id"])
    assert set(left_out.column("why it was left out").to_pylist()) == {"does not meet the condition"}
    assert "km2" in compute.flow.fields and moved.flow.crs == "EPSG:4326"
    zones = geopandas.read_file(data / "tolvane_survey.gpkg", layer="closed_zones")
    expected = geopandas.overlay(chosen, zones[["geometry"]].dissolve()).to_crs(4326)
    assert clipped.account.count_out == len(expected)
    assert np.isclose(shapely.area(shapes_of(clipped.flow.whole())).sum(), expected.geometry.area.sum(), rtol=1e-3)
    assert all(each.account.seconds >= 0 for each in (source, where, compute, moved, clipped))
    store.clear()


def test_a_changed_step_runs_anew_from_there_only(data):
    store, base = CheckpointStore(), lava(data)
    with RecipeRun(base, FileSources(), stored=store) as run:
        before = list(run.checkpoints("main"))
    changed = base.with_branch(
        replace(base.branches[0], steps=(*LAVA[:2], STEP("reproject", {"crs": "EPSG:3857"}), LAVA[3]))
    )
    with RecipeRun(changed, FileSources(), stored=store) as run:
        after = list(run.checkpoints("main"))
    assert [a is b for a, b in zip(before, after)] == [True, True, True, False, False]
    commented = base.with_branch(replace(base.branches[0], steps=(replace(LAVA[0], comment="why"), *LAVA[1:])))
    with RecipeRun(commented, FileSources(), stored=store) as run:
        assert all(a is b for a, b in zip(before, run.checkpoints("main")))
    with RecipeRun(base, FileSources(), {"year": 2029}, stored=store) as run:
        assert [a is b for a, b in zip(before, run.checkpoints("main"))][:2] == [True, False]
    store.clear()


def test_a_template_that_changed_makes_its_step_run_again(data, tmp_path):
    template = tmp_path / "template.xml"
    standard = standard_named("ISO 19139")
    template.write_bytes(written(standard, Record(title="One"), template).data)
    made = recipe(STEP("where", {"where": "year > 0"}), STEP("record-template", {"template": str(template)}),
                  source=DataRef.typed(survey(data, "lava_flows")))  # fmt: skip
    store = CheckpointStore()
    with RecipeRun(made, FileSources(), stored=store) as run:
        before = list(run.checkpoints("main"))
        assert all(a is b for a, b in zip(before, run.checkpoints("main")))
        template.write_bytes(written(standard, Record(title="Another one"), template).data)
        assert [a is b for a, b in zip(before, run.checkpoints("main"))] == [True, True, False]


def test_a_step_that_fails_says_why_and_the_ones_before_stand(data):
    wrong = lava(data, STEP("compute", {"field": "x", "expression": "nothing + 1"}), STEP("sort", {"by": ["x"]}))
    with RecipeRun(wrong, FileSources(), stored=CheckpointStore()) as run:
        found = list(run.checkpoints("main"))
    assert len(found) == 6 and "no field nothing" in str(found[-1].account.error) and found[-2].flow is not None
    mixed = recipe(STEP("terrain", {}), source=DataRef.typed(survey(data, "lava_flows")))
    with RecipeRun(mixed, FileSources(), stored=CheckpointStore()) as run:
        assert "works on raster" in str(list(run.checkpoints("main"))[-1].account.error)


def test_a_look_ahead_is_on_some_rows_larger_cells_and_some_points(data):
    for place, step in (
        (data / "elevation_2031.tif", STEP("terrain", {})),
        (data / "harrow_bay_2031.laz", STEP("classes", {"classes": [2]})),
    ):
        with RecipeRun(recipe(step, source=str(place)), FileSources(), sampled=True, stored=CheckpointStore()) as run:
            source, result = run.checkpoints("main")
        assert source.flow.sampled and result.flow.sampled and result.account.count_out
    flow = FileSources().flow(str(data / "elevation_2031.tif"), sampled=True)
    assert max(flow.lattice.columns, flow.lattice.rows) <= 512


def test_streams_do_not_hold_a_layer(tmp_path):
    """Batch by batch through a filter, a computed field, another CRS and into GeoParquet."""
    import pyarrow as pa
    import pyogrio

    source = tmp_path / "many.gpkg"
    rng = np.random.default_rng(1)
    points = shapely.points(rng.uniform(0, 1000, (200_000, 2)) + (500_000, 5_700_000))
    pyogrio.write_arrow(pa.table({"n": np.arange(200_000), "geometry": pa.array(shapely.to_wkb(points), pa.binary())}), source,
                        driver="GPKG", geometry_name="geometry", geometry_type="Point", crs="EPSG:32727")  # fmt: skip
    made = recipe(STEP("where", {"where": "n % 2 = 0"}), STEP("compute", {"field": "m", "expression": "n + 1"}),
                  STEP("reproject", {"crs": "EPSG:4326"}), STEP("write", {"path": str(tmp_path / "a.parquet")}))  # fmt: skip
    with RecipeRun(made, FileSources(), {"input": str(source)}) as run:
        flow = run.flow("main")
        sizes = [batch.num_rows for batch in flow.batches()]
        (result,) = run.write()
    assert max(sizes) < 70_000 and sum(sizes) == 100_000 and result.written[0].count == 100_000
    found = geopandas.read_parquet(tmp_path / "a.parquet")
    assert (found["m"] == found["n"] + 1).all()
    assert np.allclose(found.geometry.x, geopandas.GeoSeries(points[::2], crs=32727).to_crs(4326).x, atol=1e-9)


def test_a_branch_may_begin_where_another_ends_and_several_write(data, tmp_path):
    made = Recipe("", (
        Branch("main", DataRef.typed(survey(data, "lava_flows")), (STEP("where", {"where": "year = 2031"}),)),
        Branch("table", "main", (STEP("table-from-points", {}), STEP("write", {"path": "${out}/t.csv"}), STEP("write", {"path": "${out}/t.parquet"}))),
        Branch("union", "main", (STEP("dissolve", {}), STEP("write", {"path": "${out}/u.gpkg"}))),
    ))  # fmt: skip
    with RecipeRun(made, FileSources(), {"out": str(tmp_path)}) as run:
        runs = run.write()
    assert [each.branch for each in runs] == ["table", "union"]
    assert pq.read_table(tmp_path / "t.parquet").num_rows == runs[0].written[0].count
    assert geopandas.read_file(tmp_path / "u.gpkg")["count"].tolist() == [runs[0].written[0].count]
    with pytest.raises(BadRecipe, match="nothing is written"), RecipeRun(lava(data), FileSources()) as run:
        run.write()


# Many inputs


@pytest.fixture
def inputs(data, tmp_path):
    """Twelve deliveries, one of them cut short."""
    folder = tmp_path / "in"
    folder.mkdir()
    content = (data / "ash_samples.geojson").read_text()
    for number in range(12):
        (folder / f"day_{number:02}.geojson").write_text(content)
    (folder / "day_07.geojson").write_text(content[: len(content) // 2])
    (folder / "notes.docx").write_text("no data")
    return folder


def ash(folder, name="ash.recipe.json"):
    made = recipe(
        STEP("where", {"where": "thickness_mm > ${minimum}"}), STEP("compute", {"field": "cm", "expression": "thickness_mm / 10"}),
        STEP("write", {"path": "${out}/${name}.gpkg"}), parameters=(Parameter("minimum", 10),),
    )  # fmt: skip
    write_recipe(made, folder / name)
    return folder / name


def test_a_batch_goes_on_past_what_fails_and_is_taken_up_again(inputs, tmp_path, data):
    batch = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs]), tmp_path / "out")
    outcomes = batch.run(ProcessRunner(2))
    assert [o.state for o in outcomes] == [DONE] * 7 + [FAILED] + [DONE] * 4
    assert "day_07" in outcomes[7].reason and "JSON ends in the middle" in outcomes[7].reason
    counts = {o.count for o in outcomes if o.state == DONE}
    expected = geopandas.read_file(data / "ash_samples.geojson")
    assert counts == {(expected["thickness_mm"] > 10).sum()}
    (inputs / "day_07.geojson").write_text((data / "ash_samples.geojson").read_text())
    (tmp_path / "out" / "day_03.gpkg").unlink()
    again = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs]), tmp_path / "out").run(ProcessRunner(2), resume=True)
    assert [i for i, o in enumerate(again) if o.state == DONE] == [3, 7] and sum(
        o.state == SKIPPED for o in again
    ) == 10
    other = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs]), tmp_path / "out", {"minimum": "60"})
    assert all(o.state == DONE for o in other.run(ProcessRunner(2), resume=True))  # with another value nothing was done
    write_report(batch.recipe, outcomes, 1.5, tmp_path / "r.html")
    page = (tmp_path / "r.html").read_text()
    assert "11 done" in page and "1 failed" in page and "does not meet the condition" in page and "day_07" in page
    stored = report_json(batch.recipe, outcomes, 1.5)
    assert stored["totals"] == {"done": 11, "done before": 0, "failed": 1} and stored["inputs"] == 12


def test_two_inputs_for_one_file_and_a_target_that_is_a_source_are_refused(inputs, tmp_path):
    one = recipe(STEP("write", {"path": "${out}/one.gpkg"}))
    with pytest.raises(BadRecipe, match="both be written"):
        Batch(one, inputs_in([inputs]), tmp_path)
    over = recipe(STEP("write", {"path": "${out}/${name}.geojson"}))
    with pytest.raises(BadRecipe, match="originals are read-only"):
        Batch(over, inputs_in([inputs]), inputs)
    with pytest.raises(BadRecipe, match="no dataset"):
        inputs_in([_empty(tmp_path)])


def _empty(folder):
    (folder / "empty").mkdir()
    return folder / "empty"


def test_a_journal_that_was_cut_off_is_read_as_far_as_it_is_whole(inputs, tmp_path):
    batch = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs])[:3], tmp_path / "out")
    batch.run(ProcessRunner(2))
    content = batch.journal.read_bytes()
    batch.journal.write_bytes(content[:-20])
    assert len(Journal.read(batch.journal)) == 2
    again = Batch(batch.recipe, inputs_in([inputs])[:3], tmp_path / "out").run(ProcessRunner(1), resume=True)
    assert sorted(o.state for o in again) == [DONE, SKIPPED, SKIPPED] and len(Journal.read(batch.journal)) == 3


def test_a_batch_from_a_shell_with_values_a_plan_and_a_report(inputs, tmp_path, capsys):
    path = str(ash(tmp_path))
    assert cli.main(["run", path, str(inputs), "--out", str(tmp_path / "out"), "--dry-run"]) == 0
    plan = capsys.readouterr().out
    assert "day_00.geojson → " in plan and "JSON ends in the middle" in plan and not (tmp_path / "out").exists()
    asked = ["run", path, str(inputs), "--out", str(tmp_path / "out"), "--set", "minimum=60", "--workers", "2"]
    assert cli.main([*asked, "--report", str(tmp_path / "r.json"), "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["totals"] == {"done": 11, "done before": 0, "failed": 1}
    assert json.loads((tmp_path / "r.json").read_text())["outcomes"][0]["branches"][0]["steps"][1]["rejected"]
    assert cli.main(["run", path, str(inputs), "--out", str(tmp_path / "out"), "--set", "strange=1"]) == 1
    assert "no parameter strange" in capsys.readouterr().err
    write_recipe(replace(read_recipe(Path(path)), title="Other"), tmp_path / "b.recipe.json")
    assert cli.main(["recipe-differences", path, str(tmp_path / "b.recipe.json")]) == 0
    assert '+  "title": "Other"' in capsys.readouterr().out
    assert cli.main(["recipe-schema", "--path", str(tmp_path / "s.json")]) == 0


def test_one_step_from_a_shell(tmp_path, data, capsys):
    out = tmp_path / "slope.tif"
    assert cli.main(["step", "terrain", str(data / "elevation_2031.tif"), str(out), "--what", "slope"]) == 0
    assert "Written: " in capsys.readouterr().out and out.is_file()
    zones = survey(data, "closed_zones")
    asked = ["step", "clip", survey(data, "lava_flows"), str(tmp_path / "a.gpkg"), "--polygons", zones]
    assert cli.main(asked) == 0 and len(geopandas.read_file(tmp_path / "a.gpkg")) > 0
    assert cli.main(["step"]) == 0 and all(word in capsys.readouterr().out for word in ("dissolve",))
    assert (
        cli.main(["step", "ferry"]) == 1
        and cli.main(["step", "sort", zones, str(tmp_path / "b.csv"), "--by", "no"]) == 1
    )
    assert "there is no field no" in capsys.readouterr().err


def test_a_folder_is_watched_for_what_comes_whole(inputs, data):
    class Enough(Exception):
        pass

    seen: list[list[str]] = []
    end = time.monotonic() + 20

    def check():
        if len(seen) >= 2 or time.monotonic() > end:
            raise Enough

    growing = inputs / "late.geojson"

    def copy():
        time.sleep(0.6)
        content = (data / "ash_samples.geojson").read_text()
        with growing.open("w") as file:
            for start in range(0, len(content), len(content) // 3 + 1):
                file.write(content[start : start + len(content) // 3 + 1])
                file.flush()
                time.sleep(0.15)

    thread = threading.Thread(target=copy)
    thread.start()
    with pytest.raises(Enough):
        for ready in watched_inputs(inputs, stable_s=0.4, poll_s=0.05, check=check):
            seen.append(ready)  # noqa: PERF402
    thread.join()
    assert len(seen[0]) == 12 and [Path(p).name for p in seen[1]] == ["late.geojson"]


# Faults


def leftovers(folder):
    return [p.name for p in folder.glob("*") if p.suffix == ".gpkg" and not _whole(p)]


def _whole(path):
    import sqlite3

    with sqlite3.connect(path) as db:
        return (
            db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
            and db.execute("SELECT count(*) FROM gpkg_contents").fetchone()[0] == 1
        )


def test_a_worker_that_is_killed_is_tried_again_and_nothing_is_lost(inputs, tmp_path):
    batch = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs]), tmp_path / "out")
    killed: list[int] = []

    def check():
        here = subprocess.run(
            ["pgrep", "-P", str(os.getpid()), "-f", "worker_main"], capture_output=True, text=True
        ).stdout.split()
        fresh = [int(pid) for pid in here if int(pid) not in killed]
        if len(killed) < 2 and fresh and random.random() < 0.05:
            killed.append(fresh[0])
            os.kill(fresh[0], signal.SIGKILL)

    outcomes = batch.run(ProcessRunner(2), check=check)
    assert [o.state for o in outcomes].count(DONE) >= 10 and leftovers(tmp_path / "out") == []
    again = Batch(batch.recipe, inputs_in([inputs]), tmp_path / "out").run(ProcessRunner(2), resume=True)
    assert [o.state for o in again].count(FAILED) == 1 and len(list((tmp_path / "out").glob("*.gpkg"))) == 11


def test_an_application_that_is_killed_leaves_whole_files_and_resume_finishes(inputs, tmp_path):
    program = [
        sys.executable,
        "-m",
        "brisk_atlas",
        "run",
        str(ash(tmp_path)),
        str(inputs),
        "--out",
        str(tmp_path / "out"),
        "--resume",
        "--workers",
        "2",
    ]
    for _ in range(3):
        process = subprocess.Popen(program, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        until = time.monotonic() + 60
        count = len(list((tmp_path / "out").glob("*.gpkg"))) if (tmp_path / "out").exists() else 0
        while process.poll() is None and time.monotonic() < until:
            if (tmp_path / "out").exists() and len(list((tmp_path / "out").glob("*.gpkg"))) > count:
                break
            time.sleep(0.01)
        process.kill()
        process.wait()
        assert leftovers(tmp_path / "out") == []
    last = subprocess.run(program, capture_output=True, text=True)
    assert last.returncode == 1 and "1 failed" in last.stdout, last.stderr  # the one that is cut short
    assert len(list((tmp_path / "out").glob("*.gpkg"))) == 11 and leftovers(tmp_path / "out") == []
    assert [p.name for p in (tmp_path / "out").iterdir() if p.name.startswith(".brisk-atlas-writing")] == []


@pytest.fixture
def small_disk(tmp_path):
    """A file system of 600 kB, where one may be made."""
    place = tmp_path / "small"
    place.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", "size=600k", "tmpfs", str(place)]
    if subprocess.run(mount, capture_output=True).returncode:
        pytest.skip("no file system can be made here")
    yield place
    subprocess.run(["umount", "--lazy", str(place)], check=True)  # workers may be about to end


def test_a_full_disk_fails_inputs_by_name_and_what_is_left_is_done_with_more_room(inputs, small_disk, tmp_path):
    def batch():
        return Batch(
            read_recipe(ash(tmp_path)), [i for i in inputs_in([inputs]) if "07" not in Path(i).name], small_disk / "out"
        )

    outcomes = batch().run(ProcessRunner(2))
    failed = [outcome for outcome in outcomes if outcome.state == FAILED]
    assert all(".brisk-atlas-writing" not in o.reason for o in failed)
    assert any("the disk is full" in o.reason for o in failed)  # some fail while another gives room back
    assert len(list((small_disk / "out").glob("*.gpkg"))) == len(outcomes) - len(failed)
    assert leftovers(small_disk / "out") == []
    subprocess.run(["mount", "-o", "remount,size=8m", str(small_disk)], check=True)
    again = batch().run(ProcessRunner(2), resume=True)
    assert sorted({o.state for o in again}) == [DONE, SKIPPED] and len(list((small_disk / "out").glob("*.gpkg"))) == 11


def test_a_source_that_goes_while_it_is_read_is_a_failure_of_that_input_alone(inputs, tmp_path):
    batch = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs]), tmp_path / "out")
    (inputs / "day_02.geojson").unlink()
    outcomes = batch.run(ProcessRunner(2))
    assert [i for i, o in enumerate(outcomes) if o.state == FAILED] == [2, 7] and "day_02" in outcomes[2].reason
    with pytest.raises(CannotRead):
        FileSources().flow(str(inputs / "day_02.geojson"))


def test_a_cluster_on_this_machine_does_the_same(inputs, tmp_path):
    from distributed import LocalCluster

    from brisk_atlas.core.handover.batch_cluster import ClusterRunner

    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, host="127.0.0.1") as cluster:
        batch = Batch(read_recipe(ash(tmp_path)), inputs_in([inputs]), tmp_path / "out")
        outcomes = batch.run(ClusterRunner(cluster.scheduler_address))
    assert [o.state for o in outcomes].count(DONE) == 11 and len(list((tmp_path / "out").glob("*.gpkg"))) == 11
    with pytest.raises(AtlasError, match="no scheduler answers"):
        Batch(batch.recipe, inputs_in([inputs]), tmp_path / "out").run(ClusterRunner("tcp://127.0.0.1:1"))


@given(st.integers(1, 25), st.sets(st.integers(0, 24)), st.integers(1, 6), st.randoms(use_true_random=False))
def test_every_task_ends_once_however_workers_fail_and_the_scheduler_is_lost(count, deadly, room, chance):
    tasks = [(BatchTask(n, f"t{n}", {}, f"t{n}"), (n,)) for n in range(count)]
    groups, running, ended, lost = TaskGroups(iter(tasks)), [], {}, 0
    while True:
        while len(running) < room and (given_out := groups.hand_out()):
            running.append([task for task, _ in given_out])
        if not running:
            break
        if chance.random() < 0.3 and lost < 5:
            lost += 1
            room = max(1, room // 2)  # fewer workers came back
            groups.begin_again()
            running.clear()
            continue
        group = running.pop(chance.randrange(len(running)))
        if deadly & {task.number for task in group} and groups.give_back(group):
            continue
        for task in group:
            assert task.number not in ended
            ended[task.number] = len(group) == 1 and task.number in deadly
            groups.ended(task, 0.1)
    assert sorted(ended) == list(range(count)) and groups.is_empty
    assert {n for n, failed in ended.items() if failed} == {n for n in deadly if n < count}


class EndsItsWorker:
    """An argument that ends the process that unpacks it, unless that is this one, where the scheduler is."""

    def __reduce__(self):
        return unpacked, (os.getpid(),)


def unpacked(home):
    return EndsItsWorker() if os.getpid() == home else os._exit(1)


def test_an_input_that_ends_its_worker_fails_alone_though_small_ones_go_together(inputs, tmp_path):
    import cloudpickle
    import dask
    from distributed import LocalCluster

    from brisk_atlas.core.handover.batch_cluster import ClusterRunner

    cloudpickle.register_pickle_by_value(sys.modules[__name__])  # which workers do not know
    batch = Batch(
        read_recipe(ash(tmp_path)), [i for i in inputs_in([inputs]) if "07" not in Path(i).name], tmp_path / "out"
    )
    tasks = [(task, batch.arguments(task, 0)) for task in batch.tasks]
    tasks[6] = tasks[6][0], (*tasks[6][1][:-1], EndsItsWorker())
    with (
        dask.config.set({"distributed.scheduler.allowed-failures": 0}),
        LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None, host="127.0.0.1") as cluster,
    ):
        runner = ClusterRunner(cluster.scheduler_address)
        outcomes = {task.number: outcome for task, outcome in runner.run(tasks, lambda: None)}
    assert [outcomes[n].state for n in range(len(tasks))] == [DONE] * 6 + [FAILED] + [DONE] * (len(tasks) - 7)


FULL_DISK = """
import resource, signal, sys
from pathlib import Path
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep
from brisk_atlas.core.handover.run_recipe import RecipeRun
from brisk_atlas.core.handover.sources import FileSources
from brisk_atlas.core.model import CannotWrite
source, target, room = sys.argv[1:]
recipe = Recipe("", (Branch("main", source, (RecipeStep("write", {"path": target}),)),))
with RecipeRun(recipe, FileSources()) as run:
    flow = run.flow("main")
    resource.setrlimit(resource.RLIMIT_FSIZE, (int(room), resource.RLIM_INFINITY))
    try:
        run.write()
        print("written")
    except CannotWrite as error:
        print("refused", error)
"""
OF_KIND = {
    "tolvane_survey.gpkg#buildings": (".gpkg", ".geojson", ".fgb", ".shp", ".parquet", ".kml", ".gml", ".csv", ".xlsx", ".zip"),
    "elevation_2031.tif": (".tif", ".asc"), "harrow_bay_2031.laz": (".laz", ".copc.laz"),
}  # fmt: skip


@pytest.mark.parametrize(("source", "ending"), [(s, e) for s, endings in OF_KIND.items() for e in endings])
def test_a_full_disk_leaves_what_was_there(source, ending, data, tmp_path):
    target = tmp_path / f"out{ending}"
    target.write_bytes(b"what was there before")
    arguments = [str(data / source), str(target), "6000"]
    done = subprocess.run([sys.executable, "-c", FULL_DISK, *arguments], capture_output=True, text=True, timeout=120)
    assert done.stdout.startswith("refused"), done.stderr[-600:]
    assert target.read_bytes() == b"what was there before"
    assert [p.name for p in tmp_path.iterdir()] == [target.name]
