"""The change between two grids, against the truth of the generator and by hand."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import rasterio
from rasterio.transform import from_origin

from brisk_atlas.core import read
from brisk_atlas.core.compare import change_between
from brisk_atlas.core.model import AtlasError
from made_files import at


def grid(path: Path, values, *, west=0.0, north=100.0, cell=10.0, crs="EPSG:32727"):
    values = np.asarray(values, np.float32)
    with rasterio.open(path, "w", driver="GTiff", width=values.shape[1], height=values.shape[0], count=1, dtype="float32",
                       crs=crs, transform=from_origin(west, north, cell, cell), nodata=-9999) as out:  # fmt: skip
        out.write(values, 1)
    return read.open(path).parts[0]


def test_new_lava_and_the_fallen_rim(before, after, truth):
    change = change_between(before, after, threshold=0.5)
    told = truth["eruption_2031"]
    assert change.risen_volume == pytest.approx(told["lava_volume_m3"])
    assert change.risen_area == pytest.approx(told["lava_area_m2"])
    assert change.maximum == told["thickest_m"]
    assert change.net_volume == pytest.approx(told["net_change_m3"])
    assert change.compared_cells == truth["elevation"]["valid_cells"] and not change.resampled


def test_the_rim_without_threshold(before, after, truth):
    change = change_between(before, after)
    assert change.fallen_volume == pytest.approx(truth["eruption_2031"]["rim_loss_m3"])
    assert change.fallen_area == pytest.approx(truth["eruption_2031"]["rim_area_m2"])


def test_swapped_sides_swap_the_signs(before, after):
    there, back = change_between(before, after, threshold=0.5), change_between(after, before, threshold=0.5)
    assert (back.risen_volume, back.fallen_volume) == pytest.approx((there.fallen_volume, there.risen_volume))
    assert back.net_volume == pytest.approx(-there.net_volume)


def test_only_cells_with_data_on_both_sides_count(tmp_path):
    a = grid(tmp_path / "a.tif", [[1, 1], [1, -9999]])
    b = grid(tmp_path / "b.tif", [[3, -9999], [0, 5]])
    change = change_between(a, b)
    assert (change.compared_cells, change.risen_volume, change.fallen_volume) == (2, 200, 100)
    assert change.difference.valid.tolist() == [[True, False], [True, False]]
    assert (change.mean, change.minimum, change.maximum) == (0.5, -1, 2)


def test_shifted_grids_share_their_overlap(tmp_path):
    a = grid(tmp_path / "a.tif", np.zeros((4, 4)))
    b = grid(tmp_path / "b.tif", np.full((4, 4), 2.0), west=20, north=80)
    change = change_between(a, b)
    assert (change.compared_cells, change.risen_volume, change.resampled) == (4, 800, False)


def test_a_finer_grid_is_put_onto_the_cells_of_the_first_and_that_is_said(tmp_path):
    a = grid(tmp_path / "a.tif", np.zeros((4, 4)))
    b = grid(tmp_path / "b.tif", np.full((8, 8), 1.5), cell=5)
    change = change_between(a, b)
    assert change.resampled and change.mean == pytest.approx(1.5) and change.cell_area == 100


def test_grids_that_do_not_meet_or_have_no_metres_are_refused(tmp_path):
    a = grid(tmp_path / "a.tif", np.zeros((2, 2)))
    far = grid(tmp_path / "far.tif", np.zeros((2, 2)), west=9000)
    with pytest.raises(AtlasError, match="does not overlap"):
        change_between(a, far)
    degrees = grid(tmp_path / "d.tif", np.zeros((2, 2)), west=-20, north=-38, cell=0.1, crs="EPSG:4326")
    with pytest.raises(AtlasError, match="projected CRS"):
        change_between(degrees, degrees)
    empty = grid(tmp_path / "e.tif", np.full((2, 2), -9999))
    with pytest.raises(AtlasError, match="no cell has data"):
        change_between(a, empty)


def test_each_side_has_its_own_band(cache, data):
    scene = cache.raster(at(data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave"))
    bands = scene.native(bands=(3, 4)).values.astype(float)
    assert change_between(scene, scene, bands=(3, 4)).mean == pytest.approx((bands[1] - bands[0]).mean())
