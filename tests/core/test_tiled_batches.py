"""One large grid or cloud as many tasks: the same files as in one piece, whatever becomes of a task."""

from __future__ import annotations

import random
from pathlib import Path

import laspy
import numpy as np
import pytest
import rasterio
from test_recipe_grids import hills, holes

from brisk_atlas.core.handover import tiled_input
from brisk_atlas.core.handover.batch import PARTS, Batch
from brisk_atlas.core.handover.batch_task import DONE, FAILED, SKIPPED
from brisk_atlas.core.handover.batch_worker import ProcessRunner, outcome_of, run_one
from brisk_atlas.core.handover.formats import grids
from brisk_atlas.core.handover.recipe import INPUT, Branch, Recipe, RecipeStep
from flows import UTM


class Here:
    """Does tasks in this process, in any order and some of them twice; one of so many fails."""

    def __init__(self, fails: int = 0) -> None:
        self.fails, self.pieces = fails, 0

    def run(self, tasks, check):
        todo = list(tasks)
        random.Random(5).shuffle(todo)
        for number, (task, arguments) in enumerate(todo):
            self.pieces += arguments[-1] is not None
            if self.fails and number % self.fails == self.fails - 1:
                yield task, outcome_of(task, MemoryError("no more"))
                continue
            if number % 3 == 0:
                run_one(*arguments)
            yield task, outcome_of(task, run_one(*arguments))


def recipe(*steps):
    return Recipe("", (Branch("main", INPUT, tuple(RecipeStep(do, settings) for do, settings in steps)),))


@pytest.fixture
def grid(tmp_path):
    path = tmp_path / "in" / "heights.tif"
    path.parent.mkdir()
    valid = holes((310, 260))
    profile = {"driver": "GTiff", "width": 260, "height": 310, "count": 2, "dtype": "float32", "nodata": -1, "crs": UTM}
    with rasterio.open(path, "w", transform=rasterio.Affine(10, 0, 5e5, 0, -10, 57e5), **profile) as out:
        out.write(np.stack([np.where(valid, hills(310, 260), -1), hills(310, 260, 2)]).astype(np.float32))
    return path


MOVED = recipe(("reproject", {"crs": "EPSG:32728"}), ("write", {"path": "${out}/${name}.tif", "format": "GeoTIFF"}))


@pytest.fixture
def small(monkeypatch):
    """Tiles of few cells and points."""
    monkeypatch.setattr(grids, "PIECE", 40)
    for name, size in (("SIDE", 80), ("WINDOW", 40), ("RUN_POINTS", 700), ("SQUARE_POINTS", 900), ("PIECE", 300)):
        monkeypatch.setattr(tiled_input, name, size)


def cells(path):
    with rasterio.open(path) as found:
        return found.read(), found.read_masks(), found.transform, found.nodata


def assert_same_cells(a: Path, b: Path):
    assert all(np.array_equal(x, y, equal_nan=True) for x, y in zip(cells(a)[:2], cells(b)[:2]))
    assert cells(a)[2] == cells(b)[2] and str(cells(a)[3]) == str(cells(b)[3])


def test_the_tiles_of_a_grid_make_the_file_that_one_task_makes(grid, tmp_path, small):
    runner = Here()
    (whole,) = Batch(MOVED, [str(grid)], tmp_path / "a").run(Here())
    (tiled,) = Batch(MOVED, [str(grid)], tmp_path / "b").run(runner, tiles=True)
    assert tiled.state == DONE and runner.pieces == 21 and tiled.count == whole.count  # 4 x 5 tiles, and the file
    assert [step["out"] for step in tiled.branches[0]["steps"]] == [step["out"] for step in whole.branches[0]["steps"]]
    assert_same_cells(tmp_path / "a" / "heights.tif", tmp_path / "b" / "heights.tif")
    assert not (tmp_path / "b" / PARTS).exists()


def test_a_tile_that_fails_fails_the_input_and_the_others_are_not_done_again(grid, tmp_path, small, monkeypatch):
    def batch():
        return Batch(MOVED, [str(grid)], tmp_path / "b")

    (failed,) = batch().run(Here(fails=5), tiles=True)
    assert failed.state == FAILED and "no more" in failed.reason and not (tmp_path / "b" / "heights.tif").exists()
    computed = []
    original = tiled_input.written_beside
    monkeypatch.setattr(tiled_input, "written_beside", lambda path: computed.append(path) or original(path))
    (done,) = batch().run(Here(), tiles=True, resume=True)
    assert done.state == DONE and len(computed) == 4 * 2  # values and gaps of the four that failed
    (again,) = batch().run(Here(), tiles=True, resume=True)
    assert again.state == SKIPPED and again.count == done.count


def test_the_squares_of_a_cloud_make_the_tiles_that_one_task_makes(tmp_path, small):
    path = tmp_path / "flown.laz"
    rng = np.random.default_rng(4)
    header = laspy.LasHeader(point_format=6, version="1.4")
    header.scales, header.offsets = [0.01] * 3, [500_000, 5_700_000, 0]
    with laspy.open(path, mode="w", header=header) as out:
        points = laspy.ScaleAwarePointRecord.zeros(6000, header=header)
        points.x, points.y = 500_000 + rng.uniform(-180, 180, 6000), 5_700_000 + rng.uniform(0, 300, 6000)
        points.z, points["classification"] = rng.uniform(0, 9, 6000), rng.integers(1, 4, 6000)
        out.write_points(points)
    steps = ("classes", {"classes": [1, 2]}), ("thin", {"size": 4.0}), ("tile", {"size": 40.0})
    tiles = recipe(*steps, ("write", {"path": "${out}/${name}.laz"}))
    (whole,) = Batch(tiles, [str(path)], tmp_path / "a").run(Here())
    runner = Here()
    (tiled,) = Batch(tiles, [str(path)], tmp_path / "b").run(runner, tiles=True)
    assert tiled.state == DONE and tiled.count == whole.count and runner.pieces > 9 + 4
    assert [step["out"] for step in tiled.branches[0]["steps"]] == [step["out"] for step in whole.branches[0]["steps"]]
    names = sorted(file.name for file in (tmp_path / "a").glob("*.laz"))
    assert names == sorted(file.name for file in (tmp_path / "b").glob("*.laz")) and len(names) > 60
    for name in names:
        a, b = laspy.read(tmp_path / "a" / name), laspy.read(tmp_path / "b" / name)
        assert np.array_equal(a.points.array, b.points.array)
    together = recipe(("above-ground", {}), *steps, ("write", {"path": "${out}/${name}.laz"}))
    runner = Here()
    Batch(together, [str(path)], tmp_path / "c").run(runner, tiles=True)
    assert runner.pieces == 0  # heights above ground look beyond a square


def test_tiles_by_processes_and_by_a_cluster(tmp_path):
    from distributed import LocalCluster

    from brisk_atlas.core.handover.batch_cluster import ClusterRunner

    path = tmp_path / "wide.tif"
    values = hills(64, 64).astype(np.float32).repeat(70, axis=1)
    profile = {"driver": "GTiff", "width": 4480, "height": 64, "count": 1, "dtype": "float32", "crs": UTM}
    with rasterio.open(path, "w", transform=rasterio.Affine(10, 0, 5e5, 0, -10, 57e5), **profile) as out:
        out.write(values, 1)
    slope = recipe(("terrain", {"what": "slope"}), ("write", {"path": "${out}/${name}.tif"}))
    (whole,) = Batch(slope, [str(path)], tmp_path / "a").run(Here())
    (here,) = Batch(slope, [str(path)], tmp_path / "b").run(ProcessRunner(2), tiles=True)
    assert here.state == whole.state == DONE, here.reason
    assert_same_cells(tmp_path / "a" / "wide.tif", tmp_path / "b" / "wide.tif")
    with LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None, host="127.0.0.1") as cluster:
        (far,) = Batch(slope, [str(path)], tmp_path / "c").run(ClusterRunner(cluster.scheduler_address), tiles=True)
    assert far.state == DONE, far.reason
    assert_same_cells(tmp_path / "a" / "wide.tif", tmp_path / "c" / "wide.tif")
