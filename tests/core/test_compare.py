"""The change between two grids, against the truth of the generator and by hand."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyproj
import pytest
import rasterio
from rasterio.transform import from_origin

from brisk_atlas.core import read
from brisk_atlas.core.compare import change as change_module
from brisk_atlas.core.compare import change_between
from brisk_atlas.core.compare.accuracy import vertical_accuracy
from brisk_atlas.core.compare.change import detection_level
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.operations import GridChange
from brisk_atlas.core.place.geodesy import row_areas
from brisk_atlas.core.record.model import QualityResult, Record
from brisk_atlas.core.workspace import Workspace
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
    nowhere = grid(tmp_path / "d.tif", np.zeros((2, 2)), crs=None)
    with pytest.raises(AtlasError, match="projected CRS"):
        change_between(nowhere, nowhere)
    empty = grid(tmp_path / "e.tif", np.full((2, 2), -9999))
    with pytest.raises(AtlasError, match="no cell has data"):
        change_between(a, empty)


def test_each_side_has_its_own_band(cache, data):
    scene = cache.raster(at(data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave"))
    bands = scene.native(bands=(3, 4)).values.astype(float)
    assert change_between(scene, scene, bands=(3, 4)).mean == pytest.approx((bands[1] - bands[0]).mean())


def test_cells_of_a_geographic_grid_have_their_areas_on_the_ellipsoid(tmp_path):
    a = grid(tmp_path / "a.tif", np.zeros((3, 2)), west=-20.9, north=-38, cell=0.1, crs="EPSG:4326")
    b = grid(tmp_path / "b.tif", [[1, 0], [0, 0], [0, -2]], west=-20.9, north=-38, cell=0.1, crs="EPSG:4326")
    change = change_between(a, b)
    geod = pyproj.Geod(ellps="WGS84")

    def area(north):
        along = np.linspace(0, 0.1, 400)
        x, y = np.concatenate([along, along[::-1]]), np.repeat([north, north - 0.1], 400)
        return abs(geod.polygon_area_perimeter(x, y)[0])

    assert change.risen_volume == pytest.approx(area(-38.0), rel=1e-6) and change.on_ellipsoid
    assert change.fallen_volume == pytest.approx(2 * area(-38.2), rel=1e-6)
    whole = row_areas(np.linspace(90, -90, 19), 360.0, "EPSG:4326").sum()
    assert whole == pytest.approx(510_065_621_724_088, rel=1e-9)  # of the ellipsoid of WGS 84


def test_changes_below_the_level_of_detection_do_not_count_and_volumes_have_errors(tmp_path):
    steps = np.array([[0.4, 0.6, -0.4], [-3.0, 2.0, 0.0]])
    a, b = grid(tmp_path / "a.tif", np.zeros((2, 3))), grid(tmp_path / "b.tif", steps)
    plain = change_between(a, b)
    change = change_between(a, b, accuracies=(0.18, 0.2))
    sigma = np.hypot(0.18, 0.2)
    assert detection_level((0.18, 0.2)) == pytest.approx(1.959964 * sigma) and 0.5 < change.threshold < 0.6
    assert plain.uncertainty is None and plain.risen_volume == pytest.approx(300)
    assert (change.risen_volume, change.fallen_volume) == pytest.approx((260, 300))
    risen = change.uncertainty.risen
    assert risen.alike == pytest.approx(1.959964 * sigma * 200)
    assert risen.independent == pytest.approx(1.959964 * sigma * 100 * np.sqrt(2))
    assert change.uncertainty.net.alike == pytest.approx(1.959964 * sigma * 600)
    numbers = np.random.default_rng(3)
    noise = numbers.normal(0, 0.3, (200, 200))
    noisy = change_between(grid(tmp_path / "c.tif", np.zeros((200, 200)), north=2000),
                           grid(tmp_path / "e.tif", 2.0 + noise, north=2000), accuracies=(0.0, 0.3))  # fmt: skip
    assert abs(noisy.net_volume - 2.0 * 4_000_000) < 2 * noisy.uncertainty.net.independent


def test_the_shipped_lava_comes_back_within_the_stated_uncertainty(data, truth):
    with Workspace() as workspace:
        sides = [DataRef.file(data / f"elevation_{year}.tif") for year in (2029, 2031)]
        result = GridChange(*sides).run(workspace)
        zones = DataRef.file(data / "tolvane_survey.gpkg").with_part("closed_zones")
        inner = GridChange(*sides, within=zones).run(workspace).change
    change, told = result.change, truth["eruption_2031"]
    assert 0 < change.uncertainty.accuracies[0] < 0.5 and change.uncertainty.detection == change.threshold
    risen, (thin, _) = change.uncertainty.risen, change.uncertainty.left_out
    assert abs(change.risen_volume - told["lava_volume_m3"]) <= thin + risen.independent < risen.alike
    assert change.risen_volume + thin == pytest.approx(told["lava_volume_m3"])
    assert abs(change.net_volume - told["net_change_m3"]) <= change.uncertainty.net.independent
    assert inner.risen_area == pytest.approx(told["lava_in_closed_zones_m2"], rel=0.04)  # its thin edges left out
    assert any("level of detection" in line for line in result.lines()) and result.as_json()["uncertainty"]["detection"]


@pytest.mark.parametrize(
    ("measure", "value", "unit", "expected"),
    [("vertical accuracy, root mean square", "0.18", "m", 0.18), ("vertical accuracy, 95 % confidence", "19.6", "cm", 0.1),
     ("horizontal accuracy", "1", "m", None), ("vertical accuracy", "good", "m", None), ("vertical error", "0.5", "", None)],
)  # fmt: skip
def test_the_vertical_accuracy_of_a_record_is_a_standard_error(measure, value, unit, expected):
    record = Record(
        quality=(QualityResult(measure="positional, 1 m"), QualityResult(measure=measure, value=value, unit=unit))
    )
    assert vertical_accuracy(record) == (pytest.approx(expected, abs=1e-4) if expected else None)


def test_blocks_give_the_same_as_one_pass_and_a_large_difference_is_not_held(before, after, monkeypatch):
    whole = change_between(before, after, threshold=0.5)
    monkeypatch.setattr(change_module, "BLOCK_CELLS", 30_000)
    monkeypatch.setattr(change_module, "TILE", 7)
    monkeypatch.setattr(change_module, "ACROSS", 100)
    monkeypatch.setattr(change_module, "KEPT_CELLS", 1000)
    pieces = change_between(before, after, threshold=0.5)
    assert pieces.difference is None and whole.difference is not None
    names = (
        "compared_cells",
        "risen_volume",
        "fallen_volume",
        "net_volume",
        "mean",
        "minimum",
        "maximum",
        "risen_area",
    )
    assert [getattr(pieces, n) for n in names] == pytest.approx([getattr(whole, n) for n in names], rel=1e-12)

    class Stopped(BaseException):
        pass

    def stop(share):
        raise Stopped

    with pytest.raises(Stopped):
        change_between(before, after, check=stop)
