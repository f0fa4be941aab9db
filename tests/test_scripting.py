"""The core from Python and from a shell, without a window."""

from __future__ import annotations

import doctest
import importlib
import json
import re
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import laspy
import numpy as np
import pyarrow.csv
import pyarrow.parquet
import pyogrio
import pytest
import rasterio
from PIL import Image

from brisk_atlas import cli, demo
from brisk_atlas.core.handover.recipe import Recipe
from brisk_atlas.core.model import AtlasError, CannotWrite, Columns, DataRef, Edit, Extent, OpenOptions
from brisk_atlas.core.model.table_view import ComputedField, TableView
from brisk_atlas.core.operations import (
    COMMANDS,
    Export,
    GridChange,
    RenderView,
    SampleGrid,
    SaveEdits,
    Statistics,
    ZonalStatistics,
    from_json,
    operation_called,
    to_json,
)
from brisk_atlas.core.operations.done_log import DoneLog
from brisk_atlas.core.place import transform
from brisk_atlas.core.system.jobs import Cancelled
from brisk_atlas.core.table.editing import state_of
from brisk_atlas.core.workspace import Workspace
from brisk_atlas.core.workspace.workspace import FrozenWorkspace

ROOT = Path(__file__).parents[1]
SURVEY, AFTER, BEFORE = (demo.DATA / n for n in ("tolvane_survey.gpkg", "elevation_2031.tif", "elevation_2029.tif"))


@pytest.fixture
def workspace(tmp_path, monkeypatch):
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path / "home"))
    with Workspace() as made:
        yield made


def test_the_scripts_of_the_page_run_without_qt(tmp_path):
    """The page's own code, where nothing of the window can be imported."""
    text = (ROOT / "docs" / "scripting.md").read_text("utf-8")
    code = "\n".join(re.findall(r"```python\n(.*?)```", text, re.DOTALL))
    guard = "import sys\nfor name in ('PyQt6', 'brisk_atlas.desktop'): sys.modules[name] = None\n"
    done = subprocess.run([sys.executable, "-c", guard + code], cwd=tmp_path, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr[-3000:]
    said = done.stdout.splitlines()
    assert "lava_flows" in said[0] and said[1].endswith("m³ rose") and said[2] == "3 zones"
    flows = pyogrio.read_arrow(tmp_path / "out" / "flows_2031.geojson")[1]
    assert said[3] == f"{len(flows):,} features" and set(flows.column("year").to_pylist()) == {2031}
    assert said[4] == "flows_2031 []"


@pytest.mark.parametrize("module", [
    "core.model.query", "core.model.remark", "core.record.detect", "core.workspace.workspace", "core.operations", "core.curate.documents",
])  # fmt: skip
def test_examples_in_docstrings(module):
    found = importlib.import_module(f"brisk_atlas.{module}")
    names = {"Path": Path, **vars(found)}
    if module == "core.operations":
        names["SaveEdits"] = SaveEdits
    result = doctest.testmod(found, extraglobs=names, optionflags=doctest.ELLIPSIS)
    assert result.attempted and not result.failed


# Operations


def test_every_operation_is_a_value_that_json_brings_back():
    grid, zones = DataRef.file(AFTER), DataRef.file(SURVEY).with_part("closed_zones")
    box = Extent(505_000, 5_768_000, 507_000, 5_770_000, "EPSG:32727")
    made = [
        Export(zones, Path("a.gpkg"), ("name",), "a > 1", (1, 2), box, "lava", "EPSG:4326"),
        ZonalStatistics(zones, grid, 1, Path("z.csv")),
        GridChange("a", grid, 0.5, (1, 1)),
        Statistics(grid, "elevation", box),
        RenderView(Path("p.png"), ("a", grid), box, "EPSG:4326", 300, 200),
    ]
    for operation in made:
        told = json.loads(json.dumps(to_json(operation)))
        assert from_json(told) == operation and operation == type(operation)(**vars(operation))
    for wrong in ({"operation": "nothing"}, {"operation": "export"}, {**to_json(made[0]), "more": 1},
                  {**to_json(made[1]), "band": "many"}):  # fmt: skip
        with pytest.raises(ValueError):
            from_json(wrong)


def test_the_numbers_are_those_of_another_library(workspace, tmp_path):
    with rasterio.open(AFTER) as file:
        after = file.read(1, masked=True)
    result = Statistics(DataRef.file(AFTER)).run(workspace)
    assert result.summary.count == after.count() and result.summary.mean == pytest.approx(float(after.mean()))
    assert result.as_json()["median"] == pytest.approx(float(np.ma.median(after)), abs=0.01)
    box = Extent(505_000, 5_768_000, 507_000, 5_770_000, "EPSG:32727")
    part = Statistics(DataRef.file(AFTER), within=box).run(workspace).summary
    assert 0 < part.count <= 200 * 200 < result.summary.count


def test_points_take_the_values_of_the_cells_they_lie_in(workspace, tmp_path):
    places = DataRef.file(demo.DATA / "ash_samples.geojson").with_part("ash_samples")
    made = SampleGrid(places, DataRef.file(AFTER), tmp_path / "heights.gpkg").run(workspace)
    found = pyogrio.read_arrow(tmp_path / "heights.gpkg")[1]
    names = [name for name in found.column_names if name.startswith("elevation")]
    features = workspace.cache.features(places)
    with rasterio.open(AFTER) as file:
        xy = transform(features.shapes.xy, features.crs, "EPSG:32727")
        wanted = [None if v.mask.any() else float(v[0]) for v in file.sample(xy.tolist(), masked=True)]
    assert found.column(names[0]).to_pylist() == wanted and made.what == f"{len(wanted):,} points"
    assert any(v is None for v in wanted) == bool(made.remarks)
    with pytest.raises(AtlasError, match="points"):
        SampleGrid(DataRef.file(SURVEY).with_part("lava_flows"), DataRef.file(AFTER), tmp_path / "x.gpkg").run(
            workspace
        )


def test_a_source_is_never_written_over_and_bad_names_are_told(workspace, tmp_path):
    (tmp_path / "own.csv").write_text("n\n1\n")
    workspace.open(tmp_path / "own.csv")
    for operation, words in (
        (Export("own", tmp_path / "own.csv"), "originals are read-only"),
        (Export("own", tmp_path / "own.tif"), "not written as"),
        (Export("own", tmp_path / "x.csv", fields=("m",)), "There are: n"),
        (Export("nobody", tmp_path / "x.csv"), "Open are: own"),
        (Export(DataRef.file(SURVEY), tmp_path / "x.gpkg"), "Name one of them"),
        (GridChange("own", DataRef.file(AFTER)), "not a grid"),
        (ZonalStatistics(DataRef.file(SURVEY).with_part("closed_zones"), DataRef.file(AFTER), 9), "no band 9"),
        (SaveEdits("own"), "no edits"),
    ):
        with pytest.raises(AtlasError, match=words):
            operation.run(workspace)
    assert (tmp_path / "own.csv").read_text() == "n\n1\n" and not (tmp_path / "x.csv").exists()
    assert issubclass(CannotWrite, AtlasError)


def test_progress_is_told_and_what_it_raises_stops_the_work(workspace, tmp_path):
    shares = []

    def progress(share, step=""):
        shares.append(share)
        if len(shares) > 1:
            raise Cancelled("enough")

    grid, zones = DataRef.file(AFTER), DataRef.file(SURVEY).with_part("closed_zones")
    with pytest.raises(Cancelled):
        ZonalStatistics(zones, grid, path=tmp_path / "z.csv").run(workspace, progress)
    assert shares == sorted(shares) and list(tmp_path.glob("z*")) == []


# From a shell


@pytest.mark.parametrize("command", COMMANDS)
def test_each_operation_has_a_help_that_names_all_its_fields(command, capsys):
    with pytest.raises(SystemExit):
        cli.main([command, "--help"])
    said = capsys.readouterr().out
    for name, field in operation_called(command).__dataclass_fields__.items():
        shown = name.upper() if field.metadata["placed"] else f"--{name.replace('_', '-')}"
        assert shown in said and field.metadata["help"], (command, name)


def test_zones_and_pictures_from_a_shell(tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path / "home"))
    zones, table = f"{SURVEY}#closed_zones", tmp_path / "zones.csv"
    assert cli.main(["zonal-statistics", "--zones", zones, "--grid", str(AFTER), "--path", str(table), "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == {"paths": [str(table)], "what": "3 zones", "remarks": []}
    rows = pyarrow.csv.read_csv(table).to_pylist()
    assert {"elevation_2031_minimum", "elevation_2031_standard_deviation"} <= rows[0].keys() and len(rows) == 3
    picture = tmp_path / "map.png"
    size = ["--width", "320", "--height", "200"]
    assert cli.main(["render-view", "--project", str(demo.PROJECT), "--path", str(picture), *size]) == 0
    image = np.asarray(Image.open(picture))
    assert image.shape[:2] == (200, 320) and len(np.unique(image.reshape(-1, image.shape[2]), axis=0)) > 50
    capsys.readouterr()
    box = "505000,5768000,507000,5770000,EPSG:32727"
    assert cli.main(["statistics", "--source", str(AFTER), "--within", box]) == 0
    assert "mean" in capsys.readouterr().out
    assert cli.main(["statistics", "--source", str(tmp_path / "nothing.tif")]) == 1
    assert "nothing.tif" in capsys.readouterr().err
    with pytest.raises(SystemExit):
        cli.main(["statistics", "--source", str(AFTER), "--within", "1,2,three"])


def test_edits_are_saved_once_and_taken_from_the_layer(workspace, tmp_path):
    path = tmp_path / "vents.csv"
    path.write_text("name,depth\nEastern,1\nWestern,2\n")
    (layer,) = workspace.open(path, OpenOptions(columns=Columns()))
    state = state_of(workspace.dataset_of(layer).members)
    rows = replace(layer.rows, edits=(Edit("depth", (1,), (7,)),), edited_from=state)
    workspace.work.change("edit", layer.id, rows=rows)
    assert SaveEdits("vents").run(workspace).what == "1 edited value"
    workspace.drop_edits(layer)
    assert workspace.cache.table(layer.ref).column("depth").to_pylist() == [1, 7]
    assert path.read_text().splitlines()[2] == "Western,7" and not workspace.layer("vents").rows.edits
    with pytest.raises(AtlasError, match="no edits"):
        SaveEdits("vents").run(workspace)


def test_an_id_means_one_layer_whatever_others_are_called(workspace, tmp_path):
    for name in ("ash", "layer-1"):
        (tmp_path / f"{name}.csv").write_text("n\n1\n")
    (first,) = workspace.open(tmp_path / "ash.csv")
    workspace.open(tmp_path / "layer-1.csv")
    assert first.id == "layer-1" and workspace.layer("layer-1").name == "ash"


def test_work_is_done_on_the_layers_as_they_stood_when_it_was_asked_for(workspace, tmp_path):
    (tmp_path / "ash.csv").write_text("n\n1\n2\n")
    (layer,) = workspace.open(tmp_path / "ash.csv")
    frozen = FrozenWorkspace(workspace)
    workspace.work.remove(layer.id)
    assert workspace.work.layers == () and frozen.cache is workspace.cache
    assert Export(layer.id, tmp_path / "out.csv").run(frozen).what == "2 rows"


def test_any_kind_of_data_is_exported_in_any_of_its_formats(data, tmp_path):
    workspace = Workspace()
    path = tmp_path / "part.las"
    cloud = data / "harrow_bay_2031.laz"
    extent = workspace.cache.dataset(DataRef.file(cloud)).parts[0].facts.extent
    half = replace(extent, xmax=(extent.xmin + extent.xmax) / 2)
    exported = Export(DataRef.file(cloud), path, within=half).run(workspace)
    whole, part = laspy.read(cloud), laspy.read(path)
    assert len(part.points) == (np.asarray(whole.x) <= half.xmax).sum() and "points" in exported.what
    lava = DataRef.file(data / "tolvane_survey.gpkg").with_part("lava_flows")
    flows = Export(lava, tmp_path / "new.parquet", fields=("year", "vent"),
                   where="year = 2031", crs="EPSG:4326").run(workspace)  # fmt: skip
    table = pyarrow.parquet.read_table(tmp_path / "new.parquet")
    assert set(table.column("year").to_pylist()) == {2031} and flows.what == f"{table.num_rows} features"
    Export(DataRef.file(data / "elevation_2031.tif"), tmp_path / "coarse.nc", resolution=100.0).run(workspace)
    with rasterio.open(tmp_path / "coarse.nc") as found:
        assert found.res == (100.0, 100.0)
    with pytest.raises(AtlasError, match="no field nowhere"):
        Export(lava, tmp_path / "a.fgb.gml", fields=("nowhere",)).run(workspace)
    with pytest.raises(AtlasError, match="Choose one of"):
        Export(DataRef.file(cloud), tmp_path / "points.gpkg").run(workspace)


def test_what_was_done_is_a_script_that_does_it_again(tmp_path):
    out, log = tmp_path / "out", DoneLog()
    out.mkdir()
    with Workspace() as workspace:
        workspace.open_project(demo.PROJECT)
        workspace.open(demo.DATA / "elevation_2031.tif")
        work = workspace.work
        before, after, flows = (workspace.layer(name) for name in ("elevation_2029", "elevation_2031", "lava_flows"))
        view = TableView(computed=(ComputedField("doubled", "volume_m3 * 2"),))
        work.change("compute", flows.id, rows=view)
        deeds = (
            ("Comparing\nheights", GridChange(before.id, after.id, threshold=0.5)),
            (
                "Writing flows.csv",
                Export(flows.id, out / "flows.csv", fields=("flow_id", "doubled"), where="year = 2031"),
            ),
            ("Saving edits", SaveEdits(flows.id)),
        )
        results = []
        for title, operation in deeds:
            if not operation.needs_work:
                results += operation.run(workspace).lines()
            log.note(title, operation, work.layers)
        recipe = Recipe.from_json({
            "brisk_atlas_recipe": 1, "title": "clipped", "version": 1, "parameters": [],
            "branches": [{"name": "main", "source": after.id, "steps": [
                {"do": "write", "path": str(out / "after.tif")}]}],
        })  # fmt: skip
        log.note("Handing over clipped", recipe, work.layers)
        files = log.write(tmp_path / "it's done.py", dict(workspace.cache.options))
    assert [file.name for file in files] == ["it's done.py", "it's done_4.recipe.json", "it's done.brisk.json"]
    first = (out / "flows.csv").read_text()
    (out / "flows.csv").unlink()
    again = subprocess.run([sys.executable, str(files[0])], capture_output=True, text=True, check=True)
    assert again.stdout.splitlines()[: len(results)] == results
    assert (out / "flows.csv").read_text() == first and "doubled" in first.splitlines()[0]
    with rasterio.open(out / "after.tif") as written, rasterio.open(demo.DATA / "elevation_2031.tif") as original:
        assert written.shape == original.shape
    assert "left out" in files[0].read_text()
