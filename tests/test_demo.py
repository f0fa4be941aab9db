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
    from brisk_atlas.demo.generate.marine import write_marine
    from brisk_atlas.demo.generate.records import write_records
    from brisk_atlas.demo.generate.tables import write_tables

    folder = tmp_path_factory.mktemp("remade")
    write_elevation(folder)
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


def test_the_truth_can_be_worked_out_again(truth):
    from brisk_atlas.demo.generate.truth import facts

    made = json.loads(json.dumps(facts()))
    assert made["counts"] == truth["counts"] and made["boat_lines"] == truth["boat_lines"]
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
