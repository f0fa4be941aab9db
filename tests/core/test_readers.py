"""Every shipped file says what the generator put into it."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing

import numpy as np
import pyogrio
import pytest
import rasterio
import shapely

import made_files as made
from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CannotRead, DataKind, Extent, FeatureQuery
from brisk_atlas.core.place import transform
from brisk_atlas.core.read import vector
from brisk_atlas.core.read.foreign_keys import relations_in
from brisk_atlas.core.table import mask_of
from brisk_atlas.core.table.query import ask_rows
from made_files import at


def facts(path, part=None):
    dataset = read.open(path)
    return (dataset.parts[0] if part is None else dataset.part(part)).facts


@pytest.mark.parametrize(
    "layer", ["coastline", "lava_flows", "fissures", "ash_bands", "trails", "buildings", "closed_zones"]
)
def test_survey_layers(data, truth, layer):
    f = facts(data / "tolvane_survey.gpkg", layer)
    assert f.count == truth["counts"][layer] and f.crs == "EPSG:32727" and f.kind == "vector"
    assert f.extent.intersection(Extent(504_000, 5_767_000, 514_240, 5_776_000))


@pytest.mark.parametrize(
    ("file", "kind", "count"),
    [
        ("vents.kml", "vector", "vents"),
        ("ash_samples.geojson", "vector", "ash_samples"),
        ("gas_stations.csv", "table", "gas_stations"),
        ("gas_readings.parquet", "table", "gas_readings"),
        ("laboratory.xlsx", "table", "laboratory"),
        ("boreholes/collars.csv", "table", "collars"),
        ("boreholes/intervals.csv", "table", "intervals"),
        ("harrow_bay_2031.laz", "pointcloud", "laser_points"),
        ("fissures_2031/fissures.shp", "vector", "fissures"),
    ],
)
def test_counts_of_the_other_files(data, truth, file, kind, count):
    f = facts(data / file)
    assert (f.kind, f.count) == (kind, truth["counts"][count])


def test_boat_lines_have_what_the_boat_measured(data, truth, cache):
    for code, count in truth["boat_lines"].items():
        path = data / "boat_lines" / f"{code.lower()}.mgd77"
        assert facts(path).count == count
        table = cache.table(at(path, path.stem))
        depth = table.column("depth_m").to_numpy()
        assert np.nanmin(depth) > 0 and np.sort(depth)[-2] < 4000  # one is an outlier
        gravity = table.column("gravity_mgal").null_count == count
        assert gravity == (code in ("TSO2903", "TSO2905", "TSO2908"))


def test_gravity_answers_to_the_sea_floor(data, cache):
    table = cache.table(at(data / "boat_lines" / "tso2901.mgd77", "tso2901"))
    depth, free_air = (table.column(n).to_numpy() for n in ("depth_m", "free_air_mgal"))
    assert np.corrcoef(-depth, free_air)[0, 1] > 0.9


def test_well_logs(data, truth, cache):
    for hole, samples in truth["logs"].items():
        path = data / "boreholes" / f"{hole.lower()}.las"
        f = facts(path)
        assert (f.name, f.count) == (hole, samples)
        assert f.fields[0].name == "DEPT"
        assert cache.table(at(path, hole)).column("GR").null_count > 0  # the stretch that the tool missed


def test_logs_agree_with_the_layers(data, cache):
    log = cache.table(at(data / "boreholes" / "tg-1.las", "TG-1"))
    layers = cache.table(at(data / "boreholes" / "intervals.csv", "intervals")).to_pylist()
    depth, density = log.column("DEPT").to_numpy(), log.column("RHOB").to_numpy()
    heavy, light = [], []
    for row in layers:
        if row["hole_id"] == "TG-1" and row["to_m"] - row["from_m"] > 6:
            inside = density[(depth > row["from_m"] + 2) & (depth < row["to_m"] - 2)]
            (heavy if row["rock"] in ("basalt flow", "dyke") else light).append(inside.mean())
    assert heavy and light and min(heavy) > 2.7 > max(light)


def test_elevation_grid(data, truth, cache):
    f = facts(data / "elevation_2029.tif")
    assert (f.grid.width, f.grid.height, f.grid.dtype, f.grid.nodata) == (1024, 900, "float32", -9999)
    assert f.grid.resolution == (10, 10) and f.grid.overviews == (2, 4, 8)
    assert f.grid.bands[0].unit == "m" and "mean sea level" in f.notes["vertical datum"]
    grid = cache.raster(at(data / "elevation_2029.tif", "elevation_2029")).native()
    assert grid.valid.sum() == truth["elevation"]["valid_cells"]
    assert grid.values[0][grid.valid].max() == truth["elevation"]["highest_2029_m"]


def test_seafloor_is_placed(data, truth):
    f = facts(data / "seafloor.nc")
    assert (
        f.crs == "EPSG:4326"
        and f.grid.width == truth["seafloor"]["columns"]
        and f.grid.height == truth["seafloor"]["rows"]
    )
    assert f.extent.contains(-20.9, -38.2)


def test_scene_by_either_of_its_metadata_files(data, truth):
    for epoch, folder in (("before", "MERIDEL3_20290311"), ("after", "MERIDEL3_20310624")):
        text = read.open(data / folder / f"{folder}_META.txt")
        item = read.open(data / folder / f"{folder}.stac.json")
        assert text.kind == item.kind == "scene"
        assert [p.facts.name for p in text.parts] == [p.facts.name for p in item.parts]
        assert sum(len(p.facts.grid.bands) for p in text.parts) == truth["scenes"][epoch]["bands"]
        near = text.parts[0].facts.grid.bands[3]
        assert (near.name, near.role, near.centre_um) == ("near infrared", "near infrared", 0.845)
        assert text.part("thermal").facts.grid.resolution == (60, 60)


def test_the_scene_after_is_cooler_darker_and_less_green(data, cache):
    def band(folder, part, index):
        grid = cache.raster(at(data / folder / f"{folder}_META.txt", part)).native(bands=(index,))
        return grid.values[0].astype(float)

    def green(folder):
        red, near = (band(folder, "visible to shortwave", i) * 2e-5 - 0.1 for i in (3, 4))
        land = band(folder, "quality", 1) == 1
        return ((near - red) / (near + red))[land].mean(), near[land].mean()

    old, new = "MERIDEL3_20290311", "MERIDEL3_20310624"
    assert green(new)[0] < green(old)[0] and green(new)[1] < green(old)[1]
    assert np.median(band(new, "thermal", 1)) < np.median(band(old, "thermal", 1))


def test_laser_header_and_points(data, cache):
    f = facts(data / "harrow_bay_2031.laz")
    assert (f.cloud.point_format, f.cloud.version, f.crs) == (7, "1.4", "EPSG:32727")
    assert {"intensity", "classification", "red", "gps_time", "ash_mm"} <= set(f.cloud.dimensions)
    points = cache.points(at(data / "harrow_bay_2031.laz", "harrow_bay_2031"))
    assert len(points) == 300_000
    assert np.allclose(points.xyz.min(axis=0)[:2], [f.extent.xmin, f.extent.ymin], atol=0.02)


def test_laser_ground_lies_on_the_grid_after(data, cache, after):
    points = cache.points(at(data / "harrow_bay_2031.laz", "harrow_bay_2031"))
    ground = points.xyz[points.dimensions["classification"] == 2][::500]
    grid = after.native()
    row, col = (
        ((grid.extent.ymax - ground[:, 1]) // 10).astype(int),
        ((ground[:, 0] - grid.extent.xmin) // 10).astype(int),
    )
    known = grid.valid[row, col]
    assert np.median(np.abs(grid.values[0][row, col] - ground[:, 2])[known]) < 1.5


def test_shapefile_is_one_dataset_with_its_record(data):
    dataset = read.open(data / "fissures_2031" / "fissures.shp")
    assert {m.suffix for m in dataset.members} == {".shp", ".shx", ".dbf", ".prj", ".cpg", ".xml"}
    assert all(len(f.name) <= 10 for f in dataset.parts[0].facts.fields)


@pytest.mark.parametrize(
    ("file", "standard"),
    [
        ("elevation_2031.tif.xml", "ISO 19139"),
        ("seafloor.nc.xml", "ISO 19115-3"),
        ("fissures_2031/fissures.shp.xml", "FGDC CSDGM"),
        ("templates/office_iso19139.xml", "ISO 19139"),
    ],
)
def test_records_are_known_by_their_content(data, file, standard):
    dataset = read.open(data / file)
    assert (dataset.kind, dataset.format) == ("record", standard)


def test_the_record_with_gaps_still_has_a_title(data):
    assert read.open(data / "ash_samples.geojson.xml").parts[0].facts.name == "Ash samples"


def test_facts_go_to_json_and_every_shipped_dataset_has_some(data):
    seen = 0
    for path in sorted(data.rglob("*")):
        if path.is_file() and not path.name.endswith((".dbf", ".shx", ".prj", ".cpg", ".aux.xml")):
            told = json.loads(json.dumps(read.open(path).as_json()))
            assert told["parts"] and told["size_bytes"] > 0 and path.name in told["members"]
            seen += 1
    assert seen > 60


# Rasters: what is read is what is there


def test_native_cells_are_those_of_the_file(data, after):
    with rasterio.open(data / "elevation_2031.tif") as source:
        direct = source.read(1)[100:120, 300:340]
    window = Extent(504_000 + 3001, 5_776_000 - 1199, 504_000 + 3399, 5_776_000 - 1001, "EPSG:32727")
    grid = after.native(window)
    assert grid.shape == (20, 40) and np.array_equal(grid.values[0], direct)
    assert grid.extent.bounds == (507_000, 5_774_800, 507_400, 5_775_000)


def test_reading_at_the_files_own_scale_changes_nothing(after):
    extent = Extent(508_000, 5_771_000, 509_000, 5_772_000, "EPSG:32727")
    assert np.array_equal(after.read(extent, (100, 100)).values, after.native(extent).values)


def test_beyond_the_file_there_is_no_data(after):
    grid = after.read(Extent(500_000, 5_767_000, 504_500, 5_768_000, "EPSG:32727"), (10, 45))
    assert not grid.valid[:, :40].any()
    far = after.read(Extent(0, 0, 10, 10, "EPSG:32727"), (5, 5))
    assert not far.valid.any()


def test_decimated_means_stay_true(after):
    coarse = after.read(Extent(504_000, 5_767_000, 514_200, 5_776_000, "EPSG:32727"), (90, 102), smooth=True)
    fine = after.native()
    blocks = fine.values[0, :, :1020].reshape(90, 10, 102, 10).mean(axis=(1, 3))
    whole = fine.valid[:, :1020].reshape(90, 10, 102, 10).all(axis=(1, 3))
    assert np.median(np.abs(coarse.values[0] - blocks)[whole]) < 1.0  # metres


def test_warping_puts_cells_where_pyproj_says(after):
    extent = Extent(-20.90, -38.21, -20.89, -38.20, "EPSG:4326")
    grid = after.read(extent, (200, 200))
    rows, cols = np.array([10, 60, 140, 190]), np.array([15, 90, 30, 180])
    lon, lat = extent.xmin + (cols + 0.5) * 5e-5, extent.ymax - (rows + 0.5) * 5e-5
    xy = transform(np.column_stack([lon, lat]), "EPSG:4326", "EPSG:32727")
    source = after.native()
    for k, (x, y) in enumerate(xy):
        row, col = source.cell_of(x, y)
        near = source.values[0, row - 1 : row + 2, col - 1 : col + 2]
        assert near.min() <= grid.values[0, rows[k], cols[k]] <= near.max()


def test_holdings_read_once_and_anew_after_forgetting(data, monkeypatch):
    held = DataCache()
    source = at(data / "tolvane_survey.gpkg", "trails")
    first = held.features(source)
    assert held.features(source) is first
    moved = held.shapes_in(source, "EPSG:4326")
    assert held.shapes_in(source, "EPSG:4326") is moved and held.shapes_in(source, "EPSG:32727") is first.shapes
    held.forget(source)
    assert held.peek(source) is None and held.features(source) is not first


def test_a_part_that_is_gone_is_said_by_name(data, cache):
    with pytest.raises(CannotRead, match="no part called roads"):
        cache.part(at(data / "tolvane_survey.gpkg", "roads"))


def test_a_third_party_reader_takes_over_its_ending(monkeypatch, tmp_path):
    from brisk_atlas.core.model import Dataset, Facts, Part
    from brisk_atlas.core.read import registry
    from brisk_atlas.core.read.on_disk import on_disk

    def opens(path, reading):
        return Dataset(
            format="Sketch",
            kind=DataKind.DOCUMENT,
            parts=(Part(path, Facts("s", DataKind.DOCUMENT, 1)),),
            **on_disk(path),
        )

    class Point:
        @staticmethod
        def load():
            return registry.Reader("Sketch", (".sketch",), ("text",), opens)

    monkeypatch.setattr("importlib.metadata.entry_points", lambda group: [Point])
    registry.readers.cache_clear()
    try:
        path = tmp_path / "a.sketch"
        path.write_text("x")
        assert read.open(path).format == "Sketch"
    finally:
        registry.readers.cache_clear()


@pytest.mark.parametrize("mark", ["!", ";", "#", "%", "?", "["])
def test_names_that_look_like_addresses_are_names(data, tmp_path, mark):
    folder = tmp_path / f"of{mark}today"
    folder.mkdir()
    made.vector(data, tmp_path, "zones.shp", "ESRI Shapefile")
    for member in list(tmp_path.glob("zones.*")):
        member.rename(folder / member.name.replace("zones", f"zones{mark}2"))
    (part,) = read.open(folder / f"zones{mark}2.shp").parts
    assert len(part.read().table) == part.facts.count > 0
    assert part.facts.crs == "EPSG:32727" and part.read().table.column_names


def test_two_names_that_differ_in_a_mark_are_two_datasets(tmp_path):
    for number, mark in enumerate("!;", 1):
        spot = {"type": "Feature", "properties": {"n": number}, "geometry": {"type": "Point", "coordinates": [1, 2]}}
        (tmp_path / f"a{mark}b.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": [spot]}))
    parts = [read.open(tmp_path / f"a{mark}b.geojson").parts[0] for mark in "!;"]
    assert [part.read().table.column("n").to_pylist() for part in (*parts, parts[0])] == [[1], [2], [1]]


@pytest.mark.parametrize("options", ({}, {"SPATIALITE": "YES"}))
def test_tables_without_geometry_of_a_sqlite_file_are_parts_beside_those_with(tmp_path, options):
    path = tmp_path / "survey.sqlite"
    pyogrio.raw.write(path, shapely.to_wkb(shapely.points([1, 2], [3, 4])), [np.array([1, 2])], ["n"],
                      geometry_type="Point", crs="EPSG:32727", driver="SQLite", dataset_options=options)  # fmt: skip
    with closing(sqlite3.connect(path)) as database:
        database.execute("CREATE TABLE visits (who TEXT, times INTEGER)")
        database.execute("INSERT INTO visits VALUES ('Ada', 3), ('Bo', 1)")
        database.execute("CREATE VIEW often AS SELECT who FROM visits WHERE times > 2")
        database.commit()
    parts = {part.facts.name: part for part in read.open(path).parts}
    assert list(parts) == ["survey", "visits", "often"] and parts["survey"].facts.kind is DataKind.VECTOR
    assert [parts[name].rows().to_pylist() for name in ("visits", "often")] == [
        [{"who": "Ada", "times": 3}, {"who": "Bo", "times": 1}],
        [{"who": "Ada"}],
    ]


@pytest.mark.parametrize(
    ("where", "asked"),
    (("n > 2 AND name = 'b'", True), ("NOT (n = 2) OR name IS NULL", True), ("name IN ('B', 'a')", True),
     ("since >= '2031-01-03'", True), ("since = '2031-01-03' AND name <> 'x'", False), ("ratio = 0.1", False),
     ("upper(name) = 'B'", False), ("name < 'b'", False)),
)  # fmt: skip
@pytest.mark.parametrize("declared", ("TEXT", "TEXT COLLATE NOCASE"))
def test_conditions_are_asked_of_a_geopackage_where_they_mean_the_same(tmp_path, monkeypatch, where, asked, declared):
    path = made.write_squares(tmp_path / "survey.gpkg", [(i, i, i + 1, i + 1) for i in range(6)])
    with closing(sqlite3.connect(path)) as database:
        database.execute(
            f"CREATE TABLE notes (fid INTEGER PRIMARY KEY, n INTEGER, name {declared}, since DATE, ratio FLOAT)"
        )
        database.execute("INSERT INTO gpkg_contents (table_name, data_type) VALUES ('notes', 'attributes')")
        rows = [(i, name, f"2031-01-0{i}", i / 10) for i, name in enumerate(("a", "b", "B", None, "it's"), 1)]
        database.executemany("INSERT INTO notes (n, name, since, ratio) VALUES (?, ?, ?, ?)", rows)
        database.commit()
    part = next(part for part in read.open(path).parts if part.facts.name == "notes")
    stated = []
    library = vector.read_arrow
    monkeypatch.setattr(
        vector, "read_arrow", lambda *a, **which: stated.append(which.get("where")) or library(*a, **which)
    )
    whole = part.rows()
    found = ask_rows(part, FeatureQuery(where=where, columns=("n",))).column("n").to_pylist()
    assert found == np.array(whole.column("n"))[mask_of(whole, where)].tolist()
    assert (stated[-1] is not None) == (asked and declared == "TEXT")


@pytest.mark.parametrize("ending", (".gpkg", ".sqlite"))
def test_foreign_keys_of_a_file_are_related_tables(tmp_path, ending):
    path = made.write_squares(tmp_path / f"survey{ending}", [(0, 0, 1, 1), (2, 2, 3, 3)])
    with closing(sqlite3.connect(path)) as database:
        database.execute("CREATE TABLE visits (id INTEGER PRIMARY KEY, who TEXT, zone INTEGER REFERENCES survey)")
        database.execute("CREATE TABLE pairs (a INTEGER, b INTEGER, FOREIGN KEY (a, b) REFERENCES visits (id, zone))")
        database.execute("INSERT INTO visits VALUES (1, 'Ada', 1), (2, 'Bo', 1)")
        if ending == ".gpkg":
            database.execute("INSERT INTO gpkg_contents (table_name, data_type) VALUES ('visits', 'attributes')")
        database.commit()
    parts = {part.facts.name: part for part in read.open(path).parts}
    (visit,), (back,) = relations_in(at(path))["visits"], parts["survey"].relations
    assert ending != ".gpkg" or parts["visits"].relations == (visit,)
    assert (visit.ref.part, visit.key, visit.many) == ("survey", "zone", False)
    assert (back.ref.part, back.key, back.other_key, back.many) == ("visits", visit.other_key, "zone", True)
    assert visit.ref.whole == at(path)
