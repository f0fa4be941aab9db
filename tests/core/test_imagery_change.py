"""Two pictures: the shift between them, their brightness, what changed by which measure and threshold."""

from __future__ import annotations

import json

import numpy as np
import pyogrio
import pytest
import rasterio
import shapely
from hypothesis import given
from hypothesis import strategies as st
from rasterio.transform import from_origin
from scipy import ndimage

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.compare.image_change import (
    GAIN,
    LOSS,
    ChangeMeasure,
    ImageQuestion,
    Limit,
    image_change,
    measured,
    otsu_threshold,
)
from brisk_atlas.core.compare.image_shift import phase_shift, shift_between
from brisk_atlas.core.compare.patches import patches_of
from brisk_atlas.core.compare.radiometry import Normalise, brightness
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.operations import ImageChange
from brisk_atlas.core.read.masked_raster import masked
from brisk_atlas.core.workspace import Workspace

UTM = "EPSG:32727"


def textured(rows, cols, seed=3):
    """Return a picture with detail of many sizes, as land has it."""
    random = np.random.default_rng(seed)
    return sum(ndimage.gaussian_filter(random.normal(0, 1, (rows, cols)), s) * s for s in (1, 3, 9)) * 100 + 1000


def moved(picture, right, down):
    """Return a picture moved by a fraction of cells, by its Fourier transform; it runs on at its edges."""
    return np.real(np.fft.ifft2(ndimage.fourier_shift(np.fft.fft2(picture), (down, right))))


def written(path, bands, *, cell=10.0, north=5_776_000.0, west=504_000.0, nodata=None, roles=(), crs=UTM, down=True):
    bands = np.asarray(bands, np.float32)
    transform = from_origin(west, north, cell, cell) if down else rasterio.Affine(
        cell, 0, west, 0, cell, north - cell * bands.shape[1]
    )  # fmt: skip
    with rasterio.open(
        path, "w", driver="GTiff", count=len(bands), height=bands.shape[1], width=bands.shape[2], dtype="float32",
        crs=crs, transform=transform, nodata=nodata,
    ) as out:  # fmt: skip
        out.write(bands)
        for number, role in enumerate(roles, start=1):
            out.set_band_description(number, role)
    return read.open(path).parts[0]


# The shift


@pytest.mark.parametrize(("right", "down"), [(0.0, 0.0), (3.3, -1.7), (-0.45, 0.25), (12.6, 7.1)])
def test_a_shift_is_found_to_a_tenth_of_a_pixel(right, down):
    picture = textured(256, 256)
    noise = np.random.default_rng(1).normal(0, 5, (256, 256))
    col, row, quality = phase_shift(picture, moved(picture, right, down) * 1.4 + 90 + noise)
    assert (col, row) == pytest.approx((right, down), abs=0.1) and quality > 0.3


@pytest.mark.parametrize("down", [True, False])
def test_a_shift_put_into_a_file_is_found_in_map_units_and_written_as_arrows(tmp_path, down, capsys):
    picture = textured(600, 700)
    picture[200:260, 100:180] = np.nan  # clouds
    a = np.where(np.isfinite(picture), picture, -1)
    other = moved(textured(600, 700), 2.4, -1.2)
    written(tmp_path / "a.tif", [a], nodata=-1)
    other[300:420, 300:420] = 4000  # something that changed
    if not down:  # stored from the south on, so that what lies lower in the file lies further north
        other = other[::-1]
    written(tmp_path / "b.tif", [other], down=down)
    field = shift_between(read.open(tmp_path / "a.tif").parts[0], read.open(tmp_path / "b.tif").parts[0])
    assert field.shift == pytest.approx((24.0, 12.0), abs=1.0) and field.residual < 1.0
    assert field.used.sum() > 10
    command = ["image-shift", "--before", tmp_path / "a.tif", "--after", tmp_path / "b.tif", "--path",
               tmp_path / "arrows.gpkg", "--exaggeration", "10", "--json"]  # fmt: skip
    assert cli.main([str(each) for each in command]) == 0
    assert json.loads(capsys.readouterr().out)["shift"] == pytest.approx([24.0, 12.0], abs=1.0)
    arrows = pyogrio.raw.read(tmp_path / "arrows.gpkg")
    lines = shapely.from_wkb(arrows[2])
    agree = arrows[3][list(arrows[0]["fields"]).index("agrees")].astype(bool)
    assert np.median(shapely.length(lines[agree])) == pytest.approx(10 * np.hypot(24, 12), rel=0.05)


def test_pictures_without_a_common_place_or_look_are_refused(tmp_path):
    random = np.random.default_rng(5)
    a = written(tmp_path / "a.tif", [random.normal(0, 1, (300, 300))])
    noise = written(tmp_path / "b.tif", [random.normal(0, 1, (300, 300))])
    with pytest.raises(AtlasError, match="looks like"):
        shift_between(a, noise)
    with pytest.raises(AtlasError, match="does not overlap"):
        shift_between(a, written(tmp_path / "c.tif", [textured(300, 300)], west=900_000))
    with pytest.raises(AtlasError, match="smaller than 32 cells"):
        shift_between(a, written(tmp_path / "d.tif", [np.ones((1, 1))]))
    with pytest.raises(AtlasError, match="looks like"):
        shift_between(a, written(tmp_path / "e.tif", [np.full((300, 300), 7.0)]))


# Brightness


def test_the_brightness_of_unchanged_cells_is_found_among_changed_ones():
    random = np.random.default_rng(8)
    a = random.uniform(200, 3000, 40_000)
    b = (a + 150) / 1.3 + random.normal(0, 4, a.size)
    changed = random.random(a.size) < 0.25
    b[changed] = random.uniform(100, 3000, changed.sum())
    found = brightness(a, b, Normalise.REGRESSION)
    assert found(np.array([500.0, 2000.0])) == pytest.approx(np.array([500.0, 2000.0]) * 1.3 - 150, abs=12)
    by_histogram = brightness(a, b, Normalise.HISTOGRAM)
    assert np.quantile(by_histogram(b), [0.1, 0.5, 0.9]) == pytest.approx(np.quantile(a, [0.1, 0.5, 0.9]), abs=15)
    constant = np.full(100, 3.0)
    assert brightness(constant, constant, Normalise.REGRESSION)(constant) == pytest.approx(constant)


# Measures


def test_measures_follow_their_formulas():
    a = np.array([[[0.2, 0.4]], [[0.1, 0.1]]])  # two bands, one row, two cells
    b = np.array([[[0.3, 0.4]], [[0.1, 0.0]]])
    ask = lambda measure, **more: measured(ImageQuestion(measure, **more), a, b)  # noqa: E731
    assert ask(ChangeMeasure.DIFFERENCE)[0] == pytest.approx(np.array([[0.1, 0.0]]))
    assert ask(ChangeMeasure.RATIO)[0] == pytest.approx(np.array([[np.log2(1.5), 0.0]]))
    assert ask(ChangeMeasure.VEGETATION)[0] == pytest.approx(np.array([[0.2 / 0.4 - 0.1 / 0.3, 1 - 0.3 / 0.5]]))
    size, direction = ask(ChangeMeasure.VECTOR)
    assert size == pytest.approx(np.array([[0.1, 0.1]])) and direction == pytest.approx(np.array([[0.0, 270.0]]))
    angle = np.degrees(np.arctan2(0.1, 0.2) - np.arctan2(0.1, 0.3))
    assert ask(ChangeMeasure.ANGLE)[0][0, 0] == pytest.approx(angle)
    expressed = ask(ChangeMeasure.EXPRESSION, expression="(b1 - b2) / (b1 + b2)")[0]
    assert expressed == pytest.approx(ask(ChangeMeasure.VEGETATION)[0])
    zero = np.zeros((2, 1, 1))
    assert np.isnan(measured(ImageQuestion(ChangeMeasure.VEGETATION), zero, zero)[0]).all()


def test_otsu_parts_two_humps_in_the_middle_between_them():
    random = np.random.default_rng(2)
    values = np.concatenate([random.normal(1, 0.1, 9000), random.normal(5, 0.3, 1000)])
    counts, edges = np.histogram(values, 512, (0, 7))
    within = lambda t: sum(part.size * part.var() for part in (values[values < t], values[values >= t]))  # noqa: E731
    found = otsu_threshold(counts, edges)
    assert within(found) <= min(within(t) for t in edges if 0.8 < t < 5.5) * 1.001 and 2 < found < 4


def test_gain_and_loss_are_found_cleaned_and_measured(tmp_path):
    base = textured(200, 240)
    after = base + np.random.default_rng(4).normal(0, 3, base.shape)
    after[20:60, 30:90] += 400  # 2,400 cells
    after[120:140, 150:190] -= 500  # 800 cells
    after[180, 20] += 900  # one cell, too small to count
    parts = written(tmp_path / "a.tif", [base]), written(tmp_path / "b.tif", [after * 0.8 - 60])
    ask = ImageQuestion(normalise=Normalise.REGRESSION, minimum_m2=1000.0)
    found = image_change(*parts, ask)
    assert found.areas["gain"] == pytest.approx(240_000, rel=0.01)
    assert found.areas["loss"] == pytest.approx(80_000, rel=0.01) and len(found.patches) == 2
    assert found.compared_m2 == 200 * 240 * 100
    assert sorted(found.patches.means) == pytest.approx([-500, 400], abs=8)
    by_hand = image_change(*parts, ImageQuestion(normalise=Normalise.REGRESSION, limit=Limit.HAND, level=450.0))
    assert by_hand.areas["loss"] == pytest.approx(80_000, rel=0.01) and by_hand.areas["gain"] == 100
    by_deviations = image_change(
        *parts, ImageQuestion(normalise=Normalise.REGRESSION, limit=Limit.DEVIATIONS, level=1.0)
    )
    assert by_deviations.centre == pytest.approx(
        by_deviations.change.values[by_deviations.change.valid[None]].mean(), abs=1e-3
    )
    assert by_deviations.areas["gain"] == pytest.approx(240_000, rel=0.01)


def test_an_unaligned_picture_is_interpolated_and_nodata_left_out(tmp_path):
    base = textured(120, 120)
    a = written(tmp_path / "a.tif", [np.where(np.arange(120) < 30, -9, base)], nodata=-9)
    b = written(tmp_path / "b.tif", [np.kron(base, np.ones((2, 2))) + 100], cell=5.0)
    found = image_change(a, b, ImageQuestion(limit=Limit.HAND, level=90.0))
    assert found.resampled and found.compared_m2 == pytest.approx(120 * 90 * 100, rel=0.03)
    assert found.areas["gain"] == pytest.approx(found.compared_m2, rel=0.1) and found.areas["loss"] == 0


def test_bands_are_found_by_their_role_and_what_lacks_them_is_refused(tmp_path, cache):
    scenes = [read.open(demo.DATA / name).parts[0] for name in ("MERIDEL3_20290311", "MERIDEL3_20310624")]
    found = image_change(*scenes, ImageQuestion(ChangeMeasure.VEGETATION))
    roles = [{band.index: band.role for band in scene.facts.grid.bands} for scene in scenes]
    assert [roles[0][n] for n in found.bands.a] == [roles[1][n] for n in found.bands.b] == ["near infrared", "red"]
    assert found.areas["loss"] > found.areas["gain"]  # lava lies where there was green
    grey = written(tmp_path / "g.tif", [textured(40, 40)])
    with pytest.raises(AtlasError, match=r"side B.*no band whose role is near infrared or red"):
        image_change(scenes[0], grey, ImageQuestion(ChangeMeasure.VEGETATION))
    with pytest.raises(AtlasError, match="the other 1"):
        image_change(scenes[0], grey, ImageQuestion(ChangeMeasure.VECTOR))
    nothing = written(tmp_path / "n.tif", [np.full((40, 40), -1.0)], nodata=-1)
    with pytest.raises(AtlasError, match="no cell can be compared"):
        image_change(grey, nothing, ImageQuestion())


def test_patches_of_rise_are_the_lava_of_the_generator(truth, lava):
    parts = [read.open(demo.DATA / f"elevation_{year}.tif").parts[0] for year in (2029, 2031)]
    found = image_change(*parts, ImageQuestion(limit=Limit.HAND, level=0.54))
    told = truth["eruption_2031"]
    assert found.areas["gain"] == pytest.approx(told["lava_area_m2"], rel=0.03)  # its thin rims are below the threshold
    assert found.areas["loss"] == pytest.approx(told["rim_area_m2"], rel=0.01)
    flows = shapely.union_all(shapely.from_wkb(lava.wkb.to_numpy(zero_copy_only=False))[
        np.array(lava.table.column("year").to_pylist()) == 2031
    ])  # fmt: skip
    rows, cols = np.nonzero(found.classes == GAIN)
    x, y = found.change.lattice.to_map(cols + 0.5, rows + 0.5)
    inside = shapely.contains_xy(flows, x, y)
    assert inside.mean() > 0.99 and inside.sum() * 100 > 0.95 * flows.area


def test_clouds_of_either_scene_are_left_out_unless_that_is_not_wanted():
    scenes = [demo.DATA / name for name in ("MERIDEL3_20290311", "MERIDEL3_20310624")]
    refs = [DataRef.file(scene).with_part("visible to shortwave") for scene in scenes]
    cloudy = np.zeros(1, bool)
    for ref in refs:
        quality = next(part for part in read.open(ref.whole).parts if part.facts.name == "quality")
        cloudy = cloudy | (quality.native().values[0] == 4)
    with Workspace() as workspace:
        clear, whole = (ImageChange(*refs, leave_out=leave).run(workspace) for leave in (None, ()))
    assert clear.left_out == (("cloud",), ("cloud",)) and whole.left_out == ((), ())
    assert cloudy.any() and (clear.change.change.valid == whole.change.change.valid & ~cloudy).all()
    assert "left out of B: cloud" in clear.lines() and clear.as_json()["left_out"] == {"a": ["cloud"], "b": ["cloud"]}


def test_values_interpolated_from_hidden_cells_are_left_out_too(tmp_path):
    part = written(tmp_path / "a.tif", [np.arange(30.0).reshape(5, 6)])
    classes = written(tmp_path / "c.tif", [np.eye(5, 6)])
    hidden = masked(part, classes, 1, (1,))
    assert (hidden.native().valid == ~np.eye(5, 6, dtype=bool)).all() and not hidden.all_valid
    around = ndimage.binary_dilation(np.eye(5, 6), np.ones((3, 3)))
    assert (hidden.onto(part.facts.lattice, smooth=True).valid == ~around).all()


def test_equal_pictures_have_no_change_by_any_threshold(tmp_path):
    parts = written(tmp_path / "a.tif", [np.full((1, 1), 5.0)]), written(tmp_path / "b.tif", [np.full((1, 1), 5.0)])
    for limit in Limit:
        assert image_change(*parts, ImageQuestion(limit=limit)).areas == {"loss": 0.0, "gain": 0.0}


def test_the_command_writes_the_change_and_its_polygons(tmp_path, capsys):
    a, b = (demo.DATA / name for name in ("MERIDEL3_20290311", "MERIDEL3_20310624"))
    command = ["image-change", "--before", a, "--after", b, "--measure", "vegetation", "--minimum-area", "20000",
               "--polygons", tmp_path / "changes.gpkg", "--path", tmp_path / "change.tif", "--json"]  # fmt: skip
    assert cli.main([str(each) for each in command]) == 0
    printed = json.loads(capsys.readouterr().out)
    meta, _, wkb, columns = pyogrio.raw.read(tmp_path / "changes.gpkg")
    values = dict(zip(meta["fields"], columns))
    shapes = shapely.from_wkb(wkb)
    assert len(shapes) == printed["patches"] and shapely.is_valid(shapes).all()
    assert shapely.area(shapes) == pytest.approx(values["area_m2"]) and values["area_m2"].min() >= 20_000
    with rasterio.open(tmp_path / "change.tif") as file:
        assert file.descriptions == ("vegetation change, MERIDEL3_20310624 and MERIDEL3_20290311",) or file.count == 1
        inside = np.abs(file.read(1, masked=True)) >= printed["threshold"]
        assert inside.sum() * 900 >= sum(printed["areas_m2"].values()) * 0.99 or inside.any()
    assert cli.main(["image-change", "--before", str(a), "--after", str(b), "--measure", "greenness"]) == 1
    assert "greenness" in capsys.readouterr().err


@given(st.integers(0, 2**31), st.integers(1, 12))
def test_patches_are_those_that_hang_together(seed, minimum):
    random = np.random.default_rng(seed)
    classes = random.choice([0, LOSS, GAIN], (13, 17), p=[0.6, 0.2, 0.2]).astype(np.uint8)
    values = random.normal(0, 1, classes.shape)
    found = patches_of(classes, values, np.full(13, 2.0), 2.0 * minimum)
    for number in range(1, len(found) + 1):
        own = found.labels == number
        assert ndimage.label(own, np.ones((3, 3)))[1] == 1 and own.sum() >= minimum
        assert set(classes[own]) == {found.kinds[number - 1]} and found.areas[number - 1] == own.sum() * 2.0
        assert found.means[number - 1] == pytest.approx(values[own].mean())
        assert found.extremes[number - 1] == values[own][np.argmax(np.abs(values[own]))]
    for kind in (LOSS, GAIN):
        own, count = ndimage.label(classes == kind, np.ones((3, 3)))
        large = [n for n in range(1, count + 1) if (own == n).sum() >= minimum]
        assert np.count_nonzero(found.kinds == kind) == len(large)
