"""Every format: what `facts --json` says is what the general libraries say when asked directly."""

from __future__ import annotations

import json
from dataclasses import replace

import laspy
import numpy as np
import pyarrow.parquet as pq
import pyogrio
import pytest
import rasterio

import made_files as made
from brisk_atlas import cli
from brisk_atlas.core import read
from brisk_atlas.core.model import CannotRead, OpenOptions, TextForm
from brisk_atlas.core.model.open_options import Columns
from brisk_atlas.core.place import same_crs
from brisk_atlas.core.read import geopackage, geotiff, raster, shapefile, vector
from made_files import at
from range_server import serving


def facts_printed(capsys, path) -> dict:
    assert cli.main(["facts", "--json", str(path)]) == 0
    return json.loads(capsys.readouterr().out)[0]


@pytest.mark.parametrize("name", made.VECTORS)
def test_vector_facts_agree(name, data, tmp_path, capsys):
    path = made.VECTORS[name](data, tmp_path)
    before = {f.name for f in tmp_path.rglob("*")}
    facts = facts_printed(capsys, path)
    part = facts["parts"][0]
    info = pyogrio.read_info(path, layer=part["name"], force_feature_count=True, force_total_bounds=True)
    assert facts["format"] == name and facts["kind"] == "vector"
    assert part["count"] == info["features"] and part["geometry_type"] == info["geometry_type"]
    assert [f["name"] for f in part["fields"]] == list(info["fields"])
    np.testing.assert_allclose(part["extent"], info["total_bounds"])
    assert part["crs"] is None if name == "DXF" else same_crs(part["crs"], info["crs"])
    features = read.open(path).parts[0].read()
    assert len(features) == part["count"] and len(features.shapes.xy)
    assert {f.name for f in tmp_path.rglob("*")} == before  # nothing was written beside the data


@pytest.mark.parametrize("name", made.GRIDS)
def test_grid_facts_agree(name, tmp_path, capsys):
    path = made.GRIDS[name](tmp_path)
    facts = facts_printed(capsys, path)
    part = facts["parts"][0]
    with rasterio.open(path) as source:
        assert (part["width"], part["height"], part["band_count"]) == (source.width, source.height, source.count)
        assert part["dtype"] == source.dtypes[0] and part["nodata"] == source.nodata
        np.testing.assert_allclose(part["extent"], source.bounds)
        np.testing.assert_allclose(part["resolution"], source.res)
        assert same_crs(part["crs"], source.crs.to_wkt()) if source.crs else part["crs"] is None
        grid = read.open(path).parts[0].native()
        np.testing.assert_allclose(grid.values[0][grid.valid], source.read(1)[grid.valid])
    assert facts["kind"] == "raster" and grid.valid.any()


@pytest.mark.parametrize("name", made.CONTAINERS)
def test_containers_unfold_into_their_grids(name, tmp_path, capsys):
    path = made.CONTAINERS[name](tmp_path)
    facts = facts_printed(capsys, path)
    with rasterio.open(path) as source:
        listed = source.subdatasets
    grids = 0
    for inner in listed or [str(path)]:
        with rasterio.open(inner) as source:
            grids += min(source.shape) > 1
    assert len(facts["parts"]) == grids and facts["format"] == name
    assert all(read.open(path).part(p["name"]).native().valid.any() for p in facts["parts"])


def test_geoparquet_and_its_spread_out_points(data, tmp_path, capsys):
    path = made.geoparquet(data, tmp_path)
    part = facts_printed(capsys, path)["parts"][0]
    meta = pq.read_metadata(path)
    assert (part["count"], part["crs"], part["geometry_type"]) == (meta.num_rows, "EPSG:32727", "Polygon")
    features = read.open(path).parts[0].read()
    assert np.allclose(part["extent"], [*features.shapes.bounds[:, :2].min(0), *features.shapes.bounds[:, 2:].max(0)])


@pytest.mark.parametrize(
    ("version", "point_format"),
    [("1.0", 0), ("1.1", 1), ("1.2", 2), ("1.2", 3), ("1.3", 4), ("1.3", 5), *[("1.4", n) for n in range(6, 11)]],
)
@pytest.mark.parametrize("ending", ["las", "laz"])
def test_every_point_format(version, point_format, ending, tmp_path, capsys):
    if ending == "laz" and point_format in (4, 5, 9, 10):
        pytest.skip("waveform points are not written compressed by the library")
    path = made.laser(tmp_path, version, point_format, f"strip.{ending}")
    part = facts_printed(capsys, path)["parts"][0]
    with laspy.open(path) as source:
        assert part["count"] == source.header.point_count == 500
        assert part["dimensions"] == list(source.header.point_format.dimension_names)
        np.testing.assert_allclose(part["extent"], [*source.header.mins[:2], *source.header.maxs[:2]])
    assert (part["point_format"], part["version"]) == (point_format, version)
    points = read.open(path).parts[0].read()
    assert np.allclose(points.xyz[:, 0], 506_000 + np.arange(500) * 0.5)
    assert np.allclose(points.values("amplitude"), np.arange(500) / 7, atol=1e-5)


@pytest.mark.parametrize("text", [True, False])
def test_ply(text, tmp_path, capsys):
    path = made.ply(tmp_path, text=text)
    part = facts_printed(capsys, path)["parts"][0]
    assert (part["count"], part["extent"]) == (200, [0, 0, 199, 398]) and part["crs"] is None
    points = read.open(path).parts[0].read()
    assert points.xyz[30, 2] == pytest.approx(10) and points.values("red")[0] == 200 * 257


def test_text_points_with_chosen_columns(tmp_path, capsys):
    path = made.xyz(tmp_path)
    assert facts_printed(capsys, path)["parts"][0]["extent"] == [506_000, 5_770_000, 506_299, 5_770_598]
    swapped = read.open(path, OpenOptions(columns=Columns(x="column 2", y="column 1", z="column 4")))
    assert swapped.parts[0].facts.cloud.zrange == (0, 6) and swapped.parts[0].facts.extent.xmin == 5_770_000


def test_tables(data, tmp_path, capsys):
    assert facts_printed(capsys, made.dbf(data, tmp_path))["parts"][0]["count"] == 6
    part = facts_printed(capsys, made.ods(tmp_path))["parts"][0]
    assert (
        part["name"] == "samples" and part["count"] == 3 and [f["name"] for f in part["fields"]] == ["sample", "silica"]
    )


def test_text_tables_in_every_form(tmp_path):
    forms = {
        "semi.csv": ("Gerät;Höhe\na;1,5\nb;2,25\n", "cp1252"),
        "tabs.tsv": ("name\tvalue\na\t1.5\nb\t2.25\n", "utf-8"),
        "wide.csv": ("name,value\na,1.5\nb,2.25\n", "utf-16"),
        "pipes.txt": ("name|value\na|1.5\nb|2.25\n", "utf-8"),
        "bare.csv": ("1,1.5\n2,2.25\n", "utf-8"),
    }
    for name, (text, encoding) in forms.items():
        path = tmp_path / name
        path.write_bytes(text.encode(encoding))
        dataset = read.open(path)
        table = dataset.parts[0].rows()
        assert dataset.kind == "table" and table.column(1).to_pylist() == [1.5, 2.25], name
    assert read.open(tmp_path / "semi.csv").parts[0].facts.fields[1].name == "Höhe"
    facts = OpenOptions(form=TextForm(";", "cp437", True, "."))
    assert read.open(tmp_path / "semi.csv", facts).parts[0].rows().column(1).to_pylist() == ["1,5", "2,25"]


def test_rows_become_points(data, tmp_path):
    dataset = read.open(data / "gas_stations.csv", OpenOptions("EPSG:4326", columns=Columns("longitude", "latitude")))
    features = dataset.parts[0].read()
    assert (dataset.kind, len(features), dataset.parts[0].facts.geometry_type) == ("vector", 12, "Point")
    assert features.shapes.xy[:, 0].min() > -21 and "station" in features.table.column_names[0]
    path = tmp_path / "shapes.csv"
    path.write_text('id,where\n1,"POINT (506000 5770000)"\n2,\n3,"POINT (506010 5770000)"\n')
    placed = read.open(path, OpenOptions("EPSG:32727", columns=Columns(wkt="where"))).parts[0]
    assert placed.facts.extent.bounds == (506_000, 5_770_000, 506_010, 5_770_000)
    assert placed.facts.notes["rows without a place"] == "1"
    path = tmp_path / "refs.csv"
    path.write_text("id,ref\n1,27H WC 08767 72205\n2,27HWC0876772205\n")
    xy = read.open(path, OpenOptions(columns=Columns(mgrs="ref"))).parts[0].read().shapes.xy
    assert np.allclose(xy[0], xy[1]) and -21 < xy[0, 0] < -20
    with pytest.raises(CannotRead, match="no positions"):
        read.open(path, OpenOptions("EPSG:4326", columns=Columns("ref", "ref")))


def test_dublin_core_is_known_by_its_content(tmp_path, capsys):
    facts = facts_printed(capsys, made.dublin_core(tmp_path))
    assert (facts["kind"], facts["format"], facts["parts"][0]["name"]) == (
        "record",
        "Dublin Core",
        "Report on the eruption",
    )


def test_packed_files_are_read_where_they_lie(data, tmp_path, capsys):
    shape = made.vector(data, tmp_path, "zones.shp", "ESRI Shapefile")
    one = made.zipped(tmp_path, "one.zip", *sorted(tmp_path.glob("zones.*")))
    facts = facts_printed(capsys, one)
    assert facts["path"] == str(one / "zones.shp") and facts["parts"][0] == facts_printed(capsys, shape)["parts"][0]
    several = made.zipped(
        tmp_path, "several.zip", shape, shape.with_suffix(".dbf"), shape.with_suffix(".shx"), data / "gas_stations.csv"
    )
    facts = facts_printed(capsys, several)
    assert facts["kind"] == "archive" and [p["name"] for p in facts["parts"]] == ["gas_stations.csv", "zones.shp"]
    assert facts_printed(capsys, several / "gas_stations.csv")["parts"][0]["count"] == 12
    for source in (
        made.vector(data, tmp_path, "z.geojson", "GeoJSON", degrees=True),
        made.grid(tmp_path, "g.tif", "GTiff"),
    ):
        assert facts_printed(capsys, made.gzipped(source))["parts"] == facts_printed(capsys, source)["parts"]


def test_the_unknown_and_the_broken_say_so_in_one_line(tmp_path, capsys):
    (tmp_path / "notes.docx").write_bytes(b"PK\x03\x04")
    (tmp_path / "cut.gpkg").write_bytes(b"SQLite format 3\0" + b"\0" * 80)
    for path in (tmp_path / "notes.docx", tmp_path / "cut.gpkg", made.hostile_zip(tmp_path), made.bomb(tmp_path)):
        assert cli.main(["facts", str(path)]) == 1
        error = capsys.readouterr().err.strip()
        assert error.startswith(str(path)) and "\n" not in error
    assert not (tmp_path.parent / "outside.csv").exists()


@pytest.mark.parametrize(
    "file",
    [
        "elevation_2031.tif",
        "tolvane_survey.gpkg",
        "ash_samples.geojson",
        "gas_stations.csv",
        "harrow_bay_2031.laz",
        "gas_readings.parquet",
    ],
)
def test_files_on_a_server(file, data, capsys):
    with serving(data) as address:
        facts, here = facts_printed(capsys, f"{address}/{file}"), facts_printed(capsys, data / file)
        for part in (*facts["parts"], *here["parts"]):
            part["fields"] = [field["name"] for field in part["fields"]]
        assert facts["parts"] == here["parts"] and facts["path"] == f"{address}/{file}"
        with pytest.raises(CannotRead, match="the server has nothing there"):
            read.open(f"{address}/nothing.tif")
    with pytest.raises(CannotRead, match="can't be reached"):
        read.open(f"{address}/{file}")


def test_heads_read_by_ourselves_say_what_the_library_says(data, tmp_path):
    grids = [made.grid(tmp_path, "two.tif", "GTiff", count=2), made.grid(tmp_path, "cog.tif", "COG", copy=True)]
    grids += [made.grid(tmp_path, "degrees.tif", "GTiff", crs="EPSG:4326", cell=0.001)]
    grids += [
        path for path in data.rglob("*.tif") if path.parent.name != "land_cover"
    ]  # whose colours are the library's
    own = {path: geotiff.plain_tiff(at(path)) for path in grids}
    assert all(known is not None for known in own.values())
    for path, known in own.items():
        assert known == raster.open_named(at(path), str(path)), path.name
    for layer in ("buildings", "trails", "ash_bands", "coastline"):
        path = made.vector(data, tmp_path, f"{layer}.shp", "ESRI Shapefile", layer=layer)
        assert shapefile.open_dataset(at(path)) == vector.open_dataset(at(path))
    survey = at(data / "tolvane_survey.gpkg")
    own, library = geopackage.open_dataset(survey), vector.open_dataset(survey)
    assert replace(own, parts=()) == replace(library, parts=())
    assert [part.facts for part in own.parts] == [part.facts for part in library.parts]
    made.grid(tmp_path, "colours.tif", "GTiff", dtype="uint8", count=3)
    assert geotiff.plain_tiff(at(tmp_path / "colours.tif")) is None  # left to the library
