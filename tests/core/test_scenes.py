"""Scenes: what their numbers are turned into, in every room; metadata in its several layouts; masks."""

from __future__ import annotations

import json
import shutil

import numpy as np
import pytest
import rasterio

import made_files as made
from brisk_atlas.core import read
from brisk_atlas.core.draw import View
from brisk_atlas.core.handover import RasterOrder, hand_over_raster
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import CannotRead, DataKind, Extent, GridStyle, Layer, Quantity, Rescale, Stretch
from brisk_atlas.core.read.scene import parse_groups
from brisk_atlas.core.read.scene_words import role_of_band
from brisk_atlas.demo.generate import grids as generator
from made_files import at

AFTER = "MERIDEL3_20310624"
SPOT = Extent(508_700, 5_772_000, 509_300, 5_772_600, "EPSG:32727")


@pytest.fixture
def scene(data):
    return data / AFTER / f"{AFTER}_META.txt"


def stored(data, band):
    with rasterio.open(data / AFTER / f"{AFTER}_{band}.tif") as source:
        return source.read(1).astype(float)


def test_reflectance_radiance_and_temperature(scene, data, cache):
    optical = cache.raster(at(scene, "visible to shortwave"))
    assert optical.quantities == ("reflectance", "radiance")
    whole = optical.measured_as(Quantity.REFLECTANCE).native(bands=(4,))
    expected = stored(data, "B4") * generator.REFLECTANCE_SCALE + generator.REFLECTANCE_OFFSET
    assert np.allclose(whole.values[0][whole.valid], expected[whole.valid], atol=1e-6)
    radiance = cache.raster(at(scene, "visible to shortwave").with_quantity(Quantity.RADIANCE))
    gain, offset = generator.radiance_of("B4", "after")
    grid = radiance.native(bands=(4,))
    assert np.allclose(grid.values[0][grid.valid], (stored(data, "B4") * gain + offset)[grid.valid], rtol=1e-5)
    assert (
        radiance.facts.grid.bands[3].unit == "W/(m² sr µm)" and "radiance: number x" in radiance.facts.notes["values"]
    )
    warm = cache.raster(at(scene, "thermal").with_quantity(Quantity.TEMPERATURE))
    kelvin = warm.native().values[0]
    assert np.nanmin(kelvin) > 255 and np.nanmax(kelvin) < 330 and warm.facts.grid.bands[0].unit == "K"
    # the sun's share: both quantities are of one light
    ratio = grid.values[0][grid.valid] / whole.values[0][whole.valid]
    assert np.allclose(ratio, gain / generator.REFLECTANCE_SCALE, rtol=1e-3)
    with pytest.raises(CannotRead, match="no part called"):
        cache.part(at(scene, "visible to shortwave").with_quantity(Quantity.TEMPERATURE))


def test_all_ways_of_reading_turn_the_numbers_alike(scene, cache):
    part = cache.raster(at(scene, "visible to shortwave").with_quantity(Quantity.REFLECTANCE))
    native = part.native(SPOT, bands=(3,))
    again = part.read(native.extent, native.shape, bands=(3,))
    level = part.levels(3)[0]
    col, row = part.facts.lattice.to_cells(np.array([native.extent.xmin + 1]), np.array([native.extent.ymax - 1]))
    c, r = int(col[0]), int(row[0])
    cells = part.cells(3, level, (c, r, c + native.shape[1], r + native.shape[0]))
    assert np.allclose(native.values[0], again.values[0]) and np.allclose(native.values[0], cells, equal_nan=True)
    assert part.value_dtype == "float32" and part.facts.grid.dtype == "uint16"


def test_temperature_from_the_constants_of_a_band():
    how = Rescale(Quantity.TEMPERATURE, 0.0003342, 0.1, "K", 774.8853, 1321.0789)
    values = how(np.array([22000, 0, 65535], np.uint16))
    radiance = 22000 * 0.0003342 + 0.1
    assert values[0] == pytest.approx(1321.0789 / np.log(774.8853 / radiance + 1), rel=1e-5) and 280 < values[0] < 300
    assert "ln(" in how.formula() and values.dtype == np.float64
    assert np.isnan(
        Rescale(Quantity.TEMPERATURE, 1.0, -5.0, "K", 700.0, 1300.0)(np.array([1.0]))[0]
    )  # no light, no warmth


def test_the_probe_says_the_quantity_and_its_unit(scene, cache):
    x, y = SPOT.centre

    def readings(part, band, quantity=None):
        layer = Layer("s", "s", at(scene, part).with_quantity(quantity), DataKind.RASTER, GridStyle())
        found = probe(cache, layer, Where.at(x, y, "EPSG:32727", 5.0))
        return next(reading for reading in found.readings if reading.label.startswith(band))

    number = readings("visible to shortwave", "red")
    share = readings("visible to shortwave", "red", Quantity.REFLECTANCE)
    assert share.value == pytest.approx(number.value * 2e-5 - 0.1, abs=1e-6)
    warm = readings("thermal", "thermal infrared", Quantity.TEMPERATURE)
    assert 255 < warm.value < 330 and warm.unit == "K"
    assert readings("quality", "quality").text in ("1 clear land", "4 cloud")


def test_a_quantity_is_handed_over_as_it_reads(scene, cache, tmp_path):
    part = cache.raster(at(scene, "visible to shortwave").with_quantity(Quantity.REFLECTANCE))
    hand_over_raster(part, RasterOrder(tmp_path / "red.tif", (3,)))
    with rasterio.open(tmp_path / "red.tif") as out:
        assert out.dtypes == ("float32",) and np.isnan(out.nodata)
        assert np.allclose(out.read(1), part.native(bands=(3,)).values[0], equal_nan=True)


def test_a_scale_that_a_file_declares_is_applied_everywhere(tmp_path, cache):
    path = made.grid(tmp_path, "depth.tif", "GTiff", dtype="int16")
    with rasterio.open(path, "r+") as out:
        out.scales, out.offsets, out.units = (0.1,), (-5.0,), ("m",)
    part = cache.raster(at(path, "depth"))
    assert "as the file declares" in part.facts.notes["values"] and part.facts.grid.dtype == "int16"
    grid = part.native()
    with rasterio.open(path) as source:
        assert np.allclose(grid.values[0], source.read(1) * 0.1 - 5.0, atol=1e-5)
    hand_over_raster(part, RasterOrder(tmp_path / "out.tif", (1,)))
    with rasterio.open(tmp_path / "out.tif") as out:
        assert out.dtypes == ("float64",) and np.allclose(out.read(1), grid.values[0])


def test_the_quality_band_leaves_out_what_it_is_told_to(scene, data, cache):
    painter = painter_for(cache)
    extent = cache.raster(at(scene, "quality")).facts.extent
    view = View.fitting(extent, 341, 300)
    style = GridStyle((3, 2, 1), stretch=Stretch("hand", 5000, 20000))
    layer = Layer("s", "s", at(scene, "visible to shortwave"), DataKind.RASTER, style)
    from dataclasses import replace

    masked = replace(layer, style=replace(style, mask=("quality", 1, (4,))))
    whole, left = (painter.frame([each], view).image[..., 3] > 0 for each in (layer, masked))
    quality = stored(data, "B9")
    share = (whole & ~left).sum() / whole.sum()
    assert share == pytest.approx((quality == 4).mean(), rel=0.1) and share > 0.005
    close = View(*extent.centre, 4.0, 200, 200, extent.crs)  # closer than the cells too
    assert not painter.frame([masked], close).faults


def test_bands_are_known_by_name_role_or_wavelength():
    assert role_of_band("B4", "nir", None) == "near infrared" == role_of_band("B5", "", 0.845)
    assert role_of_band("red", "visible", 0.66) == "red" and role_of_band("B7", "panchromatic", 0.59) == "panchromatic"
    assert role_of_band("b", "swir22", None) == "shortwave infrared 2"


def flat_text(names):
    lines = ["GROUP = SCENE_FILE", "GROUP = PRODUCT"]
    lines += [f'FILE_NAME_BAND_{mark} = "{file}"' for mark, file in names.items()]
    lines += ["END_GROUP = PRODUCT", "GROUP = IMAGE", "SUN_ELEVATION = 27.4", "CLOUD_COVER = 1.7", "END_GROUP = IMAGE"]
    lines += ["GROUP = RESCALING", "REFLECTANCE_MULT_BAND_3 = 2.0E-05", "REFLECTANCE_ADD_BAND_3 = -0.1"]
    lines += ["RADIANCE_MULT_BAND_8 = 3.3420E-04", "RADIANCE_ADD_BAND_8 = 0.1", "K1_CONSTANT_BAND_8 = 774.8853"]
    lines += ["K2_CONSTANT_BAND_8 = 1321.0789", "END_GROUP = RESCALING", "END_GROUP = SCENE_FILE", "END"]
    return "\n".join(lines)


def test_metadata_with_a_key_a_band(data, tmp_path):
    names = {mark: f"S_B{mark}.tif" for mark in ("3", "8")}
    for mark, name in names.items():
        shutil.copy(data / AFTER / f"{AFTER}_B{mark}.tif", tmp_path / name)
    (tmp_path / "S_MTL.txt").write_text(flat_text(names))
    dataset = read.open(tmp_path)  # the folder stands for its scene
    parts = {part.facts.name: part for part in dataset.parts}
    assert set(parts) == {"visible to shortwave", "thermal"} and parts["thermal"].facts.notes["cloud cover"] == "1.7"
    assert parts["visible to shortwave"].quantities == ("reflectance",)
    assert parts["thermal"].quantities == ("radiance", "temperature")
    assert dataset.part_of(dataset.ref.with_part("thermal").with_quantity(Quantity.TEMPERATURE)).native().valid.any()


@pytest.mark.parametrize("new", [False, True])
def test_stac_items_old_and_new(data, tmp_path, new):
    for name in (f"{AFTER}_B3.tif", f"{AFTER}_B8.tif", f"{AFTER}_B9.tif", f"{AFTER}.stac.json"):
        shutil.copy(data / AFTER / name, tmp_path / name)
    path = tmp_path / f"{AFTER}.stac.json"
    item = json.loads(path.read_text())
    item["assets"] = {key: item["assets"][key] for key in ("B3", "B8", "B9")}
    if new:  # version 1.1: one list of bands, with prefixed names
        item["stac_version"] = "1.1.0"
        for asset in item["assets"].values():
            old, numbers = asset.pop("eo:bands")[0], (asset.pop("raster:bands", None) or [{}])[0]
            band = {
                "name": old["name"],
                "eo:common_name": old.get("common_name", ""),
                "eo:center_wavelength": old.get("center_wavelength"),
            }
            band |= {f"raster:{key}" if key != "unit" else key: value for key, value in numbers.items()}
            asset["bands"] = [band]
    path.write_text(json.dumps(item))
    dataset = read.open(path)
    assert dataset.part("thermal").quantities == ("temperature",)
    assert dataset.part("visible to shortwave").quantities == ("reflectance",)
    assert dataset.part("quality").facts.grid.bands[0].classes[-1][2] == "cloud"
    assert dataset.parts[0].facts.notes["sun elevation"] == "27.4"


def test_a_stac_collection_is_a_record(tmp_path):
    path = tmp_path / "all.json"
    path.write_text(
        json.dumps({"type": "Collection", "stac_version": "1.0.0", "id": "m3", "title": "All scenes", "links": []})
    )
    dataset = read.open(path)
    assert (dataset.kind, dataset.format, dataset.parts[0].facts.name) == ("record", "STAC collection", "All scenes")


def test_groups_that_are_not_closed_are_refused():
    assert parse_groups("GROUP = A\nK = 1\nEND_GROUP = A\nEND\nrest = 9") == {"A": {"K": "1"}}
    with pytest.raises(ValueError, match="not closed"):
        parse_groups("GROUP = A\nK = 1\nEND")
    with pytest.raises(ValueError, match="was not open"):
        parse_groups("GROUP = A\nEND_GROUP = B\nEND")


def test_assets_that_lie_elsewhere_are_not_fetched_and_copies_beside_the_item_are_used(data, tmp_path):
    path = tmp_path / f"{AFTER}.stac.json"
    item = json.loads((data / AFTER / path.name).read_text())
    item["assets"] = {key: item["assets"][key] for key in ("B3", "B8")}
    item["assets"]["B3"]["href"] = f"https://scenes.tolvane.example/{AFTER}_B3.tif?key=1"
    item["assets"]["B8"]["href"] = f"../../elsewhere/{AFTER}_B8.tif"
    path.write_text(json.dumps(item))
    dataset = read.open(path)
    assert dataset.kind == "record" and "2 of its bands lie elsewhere (https://scenes" in dataset.warnings[-1]
    shutil.copy(data / AFTER / f"{AFTER}_B3.tif", tmp_path)
    dataset = read.open(path)
    assert dataset.kind == "scene" and len(dataset.parts) == 1
    assert "1 of its bands lie elsewhere (../../elsewhere/" in dataset.warnings[-1]
