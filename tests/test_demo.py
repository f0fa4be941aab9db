"""The shipped survey is what the generator makes, and small enough to ship."""

from __future__ import annotations

import json

import numpy as np
import pytest
import rasterio

from brisk_atlas import demo
from brisk_atlas.core.place import transform
from made_files import at


@pytest.fixture(scope="module")
def remade(tmp_path_factory):
    from brisk_atlas.demo.generate.boreholes import write_boreholes
    from brisk_atlas.demo.generate.grids import write_elevation
    from brisk_atlas.demo.generate.land_cover import write_land_cover
    from brisk_atlas.demo.generate.marine import write_marine
    from brisk_atlas.demo.generate.records import write_records
    from brisk_atlas.demo.generate.tables import write_tables

    folder = tmp_path_factory.mktemp("remade")
    write_elevation(folder)
    write_land_cover(folder)
    for write in (write_tables, write_boreholes, write_marine):
        write(folder)
    (folder / "MERIDEL3_20310624").mkdir()
    (folder / "fissures_2031").mkdir()
    write_records(folder)
    return folder


@pytest.mark.parametrize("name", ["elevation_2029.tif", "elevation_2031.tif"])
def test_the_grids_can_be_made_again_cell_by_cell(remade, data, name):
    with rasterio.open(remade / name) as made, rasterio.open(data / name) as shipped:
        assert np.abs(made.read(1) - shipped.read(1)).max() <= 1 / 16  # the last step of rounding may differ by machine
        assert made.profile == shipped.profile


@pytest.mark.parametrize(
    "name",
    ["gas_stations.csv", "boreholes/intervals.csv", "boreholes/collars.csv", "boreholes/tg-2_description.txt", "boat_lines/tso2903.mgd77",
     "elevation_2029.tif.xml", "seafloor.nc.xml", "fissures_2031/fissures.shp.xml"],
)  # fmt: skip
def test_texts_can_be_made_again_letter_by_letter(remade, data, name):
    assert (remade / name).read_text() == (data / name).read_text()


@pytest.mark.parametrize("year", [2029, 2031])
def test_the_land_cover_can_be_made_again_class_by_class(remade, data, year):
    name = f"land_cover/land_cover_{year}.tif"
    with rasterio.open(remade / name) as made, rasterio.open(data / name) as shipped:
        assert (made.read(1) != shipped.read(1)).mean() < 1e-3  # shares that are nearly equal may differ by machine


def test_the_truth_can_be_worked_out_again(truth):
    from brisk_atlas.demo.generate.truth import facts

    made = json.loads(json.dumps(facts()))
    assert made["counts"] == truth["counts"] and made["boat_lines"] == truth["boat_lines"]
    assert made["delivery_2032"] == truth["delivery_2032"]
    for key, value in made["eruption_2031"].items():
        assert value == pytest.approx(truth["eruption_2031"][key], rel=1e-6), key


def test_it_fits_into_the_package(data):
    sizes = [path.stat().st_size for path in data.rglob("*") if path.is_file()]
    assert max(sizes) <= 4_000_000 and sum(sizes) <= 16_000_000


def test_lava_runs_downhill_to_the_sea(cache, data, before):
    lava = cache.features(at(data / "tolvane_survey.gpkg", "lava_flows"))
    largest = int(np.argmax(lava.table.column("volume_m3").to_numpy()))
    bounds = lava.shapes.bounds[largest]
    grid = before.native()
    inside = [
        grid.values[0, r, c]
        for x, y in lava.shapes.paths(largest)[0]
        if (where := grid.cell_of(x, y))
        for r, c in [where]
        if grid.valid[r, c]
    ]
    assert max(inside) > 200 and min(inside) < 0 and bounds[0] > 509_000


def test_fissures_say_the_same_in_both_files(cache, data):
    survey = cache.features(at(data / "tolvane_survey.gpkg", "fissures"))
    shape = cache.features(at(data / "fissures_2031" / "fissures.shp", "fissures"))
    assert np.allclose(survey.shapes.xy, shape.shapes.xy)
    assert survey.table.column("fissure").to_pylist() == shape.table.column("FISS_ID").to_pylist()


def test_stations_lie_where_their_heights_say(cache, data, before):
    table = cache.table(at(data / "gas_stations.csv", "gas_stations")).to_pydict()
    xy = transform(np.column_stack([table["longitude"], table["latitude"]]), "EPSG:4326", "EPSG:32727")
    grid = before.native()
    for (x, y), height in zip(xy, table["elevation_m"]):
        row, col = grid.cell_of(x, y)
        near = grid.values[0, row - 1 : row + 2, col - 1 : col + 2]
        assert near.min() - 1 <= height <= near.max() + 1


def test_gas_leaps_at_the_onset_and_the_buried_station_falls_silent(cache, data):
    table = cache.table(at(data / "gas_readings.parquet", "gas_readings"))
    station = np.array(table.column("station").to_pylist())
    when, gas = table.column("time").to_numpy(), table.column("so2_ppm").to_numpy()
    onset = np.datetime64("2031-04-17T05:00")
    near = station == "G04"
    assert gas[near & (when > onset)][:40].mean() > 10 * gas[near & (when < np.datetime64("2030-06-01"))].mean()
    assert when[station == "G05"].max() < onset + np.timedelta64(2, "D")


def test_every_keyed_table_knows_only_real_stations(cache, data):
    known = set(cache.table(at(data / "gas_stations.csv", "gas_stations")).column("station").to_pylist())
    for file, part in (("gas_readings.parquet", "gas_readings"), ("laboratory.xlsx", "water")):
        assert set(cache.table(at(data / file, part)).column("station").to_pylist()) <= known


def test_the_demo_is_found_where_it_is_installed():
    assert demo.PROJECT.is_file() and demo.truth()["elevation"]["cell_m"] == 10


def test_what_was_edited_in_the_second_delivery_is_what_comparing_finds(data, truth):
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.compare.datasets import dataset_change
    from brisk_atlas.core.model import DataRef

    cache, edits = DataCache(), truth["delivery_2032"]
    sides = DataRef.file(data / "tolvane_survey.gpkg"), DataRef.file(data / "delivery_2032" / "tolvane_survey.gpkg")
    parts = {part.name: part for part in dataset_change(cache, *sides).parts}
    houses, told = parts["buildings"].rows, edits["buildings"]
    assert houses.match.key == ("building",)
    names = [cache.attributes(ref).column("building").to_pylist() for ref in parts["buildings"].refs]
    assert sorted(names[0][n] for n in houses.match.only_a) == sorted(told["removed"])
    assert sorted(names[1][n] for n in houses.match.only_b) == sorted(told["added"])
    assert sorted(names[0][n] for n in houses.match.pairs[houses.shape, 0]) == sorted(told["moved"])
    assert houses.distance[houses.shape] == pytest.approx(told["move_m"], abs=0.02)
    assert dict(houses.by_field) == {"people": len(told["people_counted"])}
    trails = parts["trails"].rows
    assert [list(each) for each in trails.fields.renamed] == [edits["trails"]["renamed_field"]]
    assert trails.by_field["name"] == 1 and trails.by_field["open_2031"] == len(edits["trails"]["opened"])
    zones = parts["closed_zones"].rows
    assert list(zones.fields.added) == ["in_charge"] and zones.shape.sum() == len(edits["closed_zones"]["grown"])


def test_the_land_cover_went_from_class_to_class_as_the_generator_says(data, truth):
    from brisk_atlas.core import read
    from brisk_atlas.core.compare.class_change import class_matrix

    told = truth["land_cover"]
    folder = data / "land_cover"
    found = class_matrix(*(read.open(folder / f"land_cover_{year}.tif").parts[0] for year in (2029, 2031)))
    assert set(found.classes) <= set(told["classes"])
    at = [told["classes"].index(name) for name in found.classes]
    assert found.areas == pytest.approx(np.array(told["from_to_m2"])[np.ix_(at, at)])
    assert found.total == pytest.approx(np.sum(told["from_to_m2"])) and 0.4 < found.kappa < 0.999
    lava = found.after[found.classes.index("new lava")]
    assert 0.5 < lava / truth["eruption_2031"]["lava_area_m2"] < 1  # the rest is thin, or below the sea
