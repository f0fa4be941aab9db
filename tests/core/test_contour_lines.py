"""Contour lines as features: where they run, on which grids, and what is refused."""

from __future__ import annotations

import json

import numpy as np
import pyogrio
import pytest
import rasterio
import shapely
from affine import Affine

from brisk_atlas import cli
from brisk_atlas.core import read
from brisk_atlas.core.handover.contour_lines import contour_lines, proposed_interval
from brisk_atlas.core.model import AtlasError

PLACES = {
    "north-up": Affine(10, 0, 500_000, 0, -10, 5_770_000),
    "south-up": Affine(10, 0, 500_000, 0, 10, 5_760_000),
    "rotated": Affine(8, 6, 500_000, 6, -8, 5_770_000),
}


def written(path, values, place="north-up", nodata=-1.0):
    with rasterio.open(
        path, "w", driver="GTiff", count=1, height=values.shape[0], width=values.shape[1], dtype="float32",
        crs="EPSG:32727", transform=PLACES[place], nodata=nodata,
    ) as out:  # fmt: skip
        out.write(values.astype(np.float32), 1)
    return path


@pytest.mark.parametrize("place", PLACES)
def test_lines_run_where_the_surface_has_their_value(tmp_path, place):
    to_map = PLACES[place]
    cols, rows = np.meshgrid(np.arange(60) + 0.5, np.arange(50) + 0.5)
    x, y = to_map * (cols, rows)
    centre = to_map * (30, 25)
    height = 400 - np.hypot(x - centre[0], y - centre[1])  # a cone
    part = read.open(written(tmp_path / "cone.tif", height, place)).parts[0]
    found = contour_lines(part, 1, 50.0)
    assert found.interval == 50 and set(found.values) <= set(np.arange(0, 401, 50.0)) and len(found.values) >= 6
    for value, heavy, line in zip(found.values, found.heavy, found.lines):
        away = np.hypot(*(shapely.get_coordinates(line) - centre).T)
        assert np.abs(away - (400 - value)).max() < 0.6 and heavy == (value % 250 == 0)
        assert line.is_ring or value <= 150  # the others leave the grid


def test_lines_end_where_there_is_no_data(tmp_path):
    plane = np.add.outer(np.zeros(20), np.arange(30.0))
    plane[8:12] = -1
    found = contour_lines(read.open(written(tmp_path / "plane.tif", plane)).parts[0], 1, 10.0)
    assert found.values.tolist() == [0, 0, 10, 10, 20, 20]  # each above and below the gap
    assert max(line.length for line in found.lines) == pytest.approx(70)


@pytest.mark.parametrize(("low", "high", "interval"), [(0, 829, 50), (-3200, 300, 200), (0.1, 0.9, 0.05), (5, 5, 1)])
def test_a_round_interval_is_proposed(low, high, interval):
    assert proposed_interval(low, high) == pytest.approx(interval)


def test_the_command_names_the_grids_and_refuses_what_can_not_be_drawn(tmp_path, capsys):
    cone = written(tmp_path / "cone.tif", np.add.outer(np.arange(20.0), np.arange(30.0)))
    other = written(tmp_path / "later.tif", np.add.outer(np.arange(20.0), np.arange(30.0)) + 5)
    out = tmp_path / "both.gpkg"
    assert cli.main(["contour-lines", "--grids", str(cone), str(other), "--path", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)
    table = pyogrio.read_arrow(out)[1]
    assert set(table.column("grid").to_pylist()) == {"cone", "later"}
    assert {v % 5 for v in table.column("value").to_pylist()} == {0}
    before, link = cone.read_bytes(), tmp_path / "link.tif"
    link.symlink_to(cone)
    for target in (cone, link):
        assert cli.main(["contour-lines", "--grids", str(cone), "--path", str(target)]) == 1
        assert "originals are read-only" in capsys.readouterr().err and cone.read_bytes() == before
    assert cli.main(["contour-lines", "--grids", str(cone), "--path", str(out), "--interval", "0"]) == 1
    assert "Choose a number above 0" in capsys.readouterr().err
    empty = written(tmp_path / "empty.tif", np.full((4, 4), -1.0))
    with pytest.raises(AtlasError, match="no cell with data"):
        contour_lines(read.open(empty).parts[0], 1, 1.0)
    steep = written(tmp_path / "steep.tif", np.add.outer(np.arange(4.0), np.arange(4.0)) * 1e9)
    with pytest.raises(AtlasError, match="are too many"):
        contour_lines(read.open(steep).parts[0], 1, 1.0)
