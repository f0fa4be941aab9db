"""Every format that is written, read back by another library: all types, nulls, unicode, zones, Z and M, gaps."""

from __future__ import annotations

import dataclasses
import datetime as dt
import hashlib
import json
import sqlite3
import warnings
import zipfile

import geopandas
import h5py
import laspy
import numpy as np
import openpyxl
import pandas
import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import pytest
import rasterio
import shapely
import zarr
from lxml import etree
from pmtiles.reader import MmapSource, Reader
from test_recipe_grids import cloud, hills, holes

from brisk_atlas.core import read
from brisk_atlas.core.draw.classes import colouring_of
from brisk_atlas.core.handover.formats import FORMATS, format_for, formats_of
from brisk_atlas.core.handover.formats.copc import octree
from brisk_atlas.core.handover.geometry_column import shapes_of
from brisk_atlas.core.handover.recipe import RecipeStep
from brisk_atlas.core.handover.record_handed import RecordPlan
from brisk_atlas.core.handover.sources import FileSources
from brisk_atlas.core.handover.step import BadStep, StepContext
from brisk_atlas.core.handover.steps.records import ApplyRecordTemplate, ConvertRecordTo, FillPieceRecord
from brisk_atlas.core.handover.steps.write import WriteStep
from brisk_atlas.core.model import AtlasError, CannotWrite, DataKind, Lattice, StyleRule, VectorStyle
from brisk_atlas.core.record import read_document
from flows import UTM, grid_of, rows_of

ZONE = pa.timestamp("us", "UTC")
NOON = dt.datetime(2031, 6, 24, 12, 30, 15, tzinfo=dt.UTC)
TEXTS = ["Harrow Bay", "Çölübü — 火山", None, ""]


def written(flow, path, *edits, warned=None, **settings):
    """Return the files that the step "write" makes of a flow; `edits` are steps that change the record."""
    step = RecipeStep("write", {"path": str(path), **settings}).made({})
    assert isinstance(step, WriteStep)
    scratch = path.parent / ".scratch"
    scratch.mkdir(exist_ok=True)
    context = StepContext(lambda name: flow, scratch, warnings=warned if warned is not None else [])
    made = step.write(flow, context, plan=RecordPlan(("From a survey", "Rows where: n > 1"), edits))
    assert [p.name for p in path.parent.iterdir() if p.name.startswith(".brisk")] == []  # nothing half-written is left
    return made


def all_types(shapes):
    """Return features of all field types, with missing values, in three batches."""
    return rows_of(
        shapes,
        whole=pa.array([1, -(2**40), None, 7]),
        small=pa.array([1, 2, None, 4], pa.int16()),
        number=pa.array([1.5, float("1e300"), None, -0.25]),
        text=pa.array(TEXTS),
        yes=pa.array([True, False, None, True]),
        day=pa.array([dt.date(2031, 6, 24), dt.date(1601, 2, 3), None, dt.date(2029, 1, 1)]),
        at=pa.array([NOON, NOON + dt.timedelta(hours=1), None, NOON], ZONE),
    )


def polygons():
    hole = shapely.Polygon([(500_000, 5_700_000), (500_100, 5_700_000), (500_100, 5_700_090), (500_000, 5_700_000)],
                           [[(500_060, 5_700_010), (500_080, 5_700_010), (500_080, 5_700_030), (500_060, 5_700_010)]])  # fmt: skip
    several = shapely.MultiPolygon([shapely.box(500_200, 5_700_000, 500_210, 5_700_010), shapely.box(500_220, 5_700_000, 500_230, 5_700_010)])  # fmt: skip
    return [hole, several, shapely.Polygon(), None]


@pytest.mark.parametrize(("name", "exact"), [("a.gpkg", True), ("a.fgb", False), ("a.parquet", True), ("a.geojson", False), ("a.gml", False), ("a.shp", False)])  # fmt: skip
def test_features_of_all_types_come_back(name, exact, tmp_path):
    flow = all_types(polygons())
    (made,) = written(flow, tmp_path / name)
    assert made.count == 4 and made.path.name == name
    found = geopandas.read_parquet(made.path) if name.endswith("parquet") else geopandas.read_file(made.path)
    crs = "EPSG:4326" if name == "a.geojson" else UTM
    assert found.crs == crs and len(found) == 4
    expected = geopandas.GeoSeries(polygons(), crs=UTM).to_crs(crs)
    near = 1e-6 if crs == UTM else 2e-7
    assert all(ours.hausdorff_distance(theirs) < near for ours, theirs in zip(expected[:2], found.geometry[:2]))
    assert shapely.get_num_interior_rings(shapely.get_parts(found.geometry.iloc[0])).tolist() == [1]
    assert all(shape is None or shape.is_empty for shape in found.geometry[2:])
    assert found["whole"].iloc[:2].astype(float).tolist() == [1, -(2**40)] and pandas.isna(found["whole"].iloc[2])
    assert found["text"].iloc[:2].tolist() == TEXTS[:2] and (pandas.isna(found["text"].iloc[2]))
    assert [float(v) for v in found["number"].iloc[[0, 3]]] == [1.5, -0.25]
    when = found["at"].iloc[0]
    if exact:
        assert pandas.Timestamp(when) == pandas.Timestamp(NOON) and found["yes"].iloc[:2].tolist() == [True, False]
        assert pandas.Timestamp(found["day"].iloc[1]) == pandas.Timestamp("1601-02-03")
    else:
        assert "2031-06-24" in str(when) and "12:30:15" in str(when)


def test_a_geopackage_takes_several_layers_and_keeps_z_and_m(tmp_path):
    path = tmp_path / "a.gpkg"
    written(rows_of([shapely.Point(1, 2, 3)] * 4, n=[1, 2, 3, 4]), path, options={"layer": "first"})
    measured = shapely.from_wkt(["LINESTRING ZM (0 0 1 5, 1 1 2 6)", "LINESTRING ZM (0 0 1 5, 9 1 2 7)"])
    written(rows_of(measured, n=[1, 2], pieces=1), path, options={"layer": "second"}, append=True)
    assert tuple(pyogrio.list_layers(path)[0]) == ("first", "Point Z")
    with sqlite3.connect(path) as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        stated = db.execute("SELECT geometry_type_name, z, m FROM gpkg_geometry_columns ORDER BY table_name").fetchall()
        assert stated == [("POINT", 1, 0), ("LINESTRING", 1, 2)]
        (blob,) = db.execute('SELECT geom FROM "second" WHERE n = 2').fetchone()
    assert shapely.to_wkt(shapely.from_wkb(blob[56:]), output_dimension=4) == "LINESTRING ZM (0 0 1 5, 9 1 2 7)"
    with pytest.raises(BadStep, match="nothing can be added"):
        written(rows_of([shapely.Point(1, 2)]), tmp_path / "b.fgb", append=True)


def test_geoparquet_states_types_extent_and_covering_and_sorts_by_place(tmp_path):
    rng = np.random.default_rng(1)
    shapes = shapely.points(rng.uniform(500_000, 501_000, (3000, 2)))
    written(rows_of(shapes), tmp_path / "a.parquet", options={"sorted": True, "rows_in_group": 500})
    about = json.loads(pq.read_metadata(tmp_path / "a.parquet").metadata[b"geo"])
    column = about["columns"]["geometry"]
    assert about["version"] == "1.1.0" and column["geometry_types"] == ["Point"]
    assert np.allclose(column["bbox"], shapely.total_bounds(shapes)) and column["covering"]["bbox"]["xmin"] == [
        "bbox",
        "xmin",
    ]
    found = geopandas.read_parquet(tmp_path / "a.parquet", bbox=(500_000, 500_000, 500_100, 500_100))
    inside = (shapely.get_x(shapes) <= 500_100) & (shapely.get_y(shapes) <= 500_100)
    assert sorted(found["n"]) == np.flatnonzero(inside).tolist()
    groups = pq.ParquetFile(tmp_path / "a.parquet")
    areas = [np.ptp(shapely.get_x(s)) * np.ptp(shapely.get_y(s)) for s in (
        shapely.from_wkb(groups.read_row_group(i, ["geometry"])["geometry"].to_numpy()) for i in range(groups.num_row_groups))]  # fmt: skip
    assert groups.num_row_groups == 6 and np.mean(areas) < 0.5 * 1000 * 1000
    assert read.open(tmp_path / "a.parquet").parts[0].facts.count == 3000
    written(
        rows_of(polygons(), crs=None, geometry=["a", "b", "c", "d"]), tmp_path / "b.parquet"
    )  # a field of that name
    assert geopandas.read_parquet(tmp_path / "b.parquet").active_geometry_name == "geometry_2"


@pytest.mark.parametrize("shapes", [True, False])
def test_parquet_comes_some_rows_at_a_time_and_without_its_boxes(shapes, tmp_path):
    points = shapely.points(np.arange(100_000.0), 1.0)
    flow = rows_of(points) if shapes else dataclasses.replace(rows_of(points[:1]), crs=None)
    if not shapes:
        table = pa.table({"n": np.arange(100_000), "word": pa.array(["ä", None] * 50_000)})
        flow = dataclasses.replace(flow, schema=table.schema, batches=lambda: iter([table]))
    written(flow, tmp_path / "a.parquet")
    read_back = FileSources().flow(str(tmp_path / "a.parquet"))
    for _ in range(2):  # the first time, and anew
        batches = list(read_back.batches())
        assert len(batches) > 3 and pa.concat_tables(batches).equals(flow.whole().cast(read_back.schema))
    assert FileSources().flow(str(tmp_path / "a.parquet"), sampled=True).whole().num_rows == 2000
    none = dataclasses.replace(flow, batches=lambda: iter([flow.schema.empty_table()]), count=0)
    written(none, tmp_path / "none.parquet", empty=True)
    assert FileSources().flow(str(tmp_path / "none.parquet")).whole().equals(flow.schema.empty_table())


def test_what_a_shapefile_loses_is_stated_and_its_names_stay_apart(tmp_path):
    flow = rows_of(shapely.points([[1, 2]] * 2), mean_thickness_2029=[1.0, 2.0], mean_thickness_2031=[3.0, 4.0],
                   yes=[True, False], note=["x" * 300, "ü"], pieces=1)  # fmt: skip
    step = RecipeStep("write", {"path": str(tmp_path / "a.shp")}).made({})
    losses = {loss.text: loss for loss in step.losses(flow)}
    cut = next(loss for text, loss in losses.items() if "cut to 10" in text)
    assert (
        "mean_thickness_2031 → mean_thi_1" in cut.text and cut.step[0] == "fields" and cut.other_format == "GeoPackage"
    )
    written(flow, tmp_path / "a.shp")
    found = geopandas.read_file(tmp_path / "a.shp")
    assert found["mean_thi_1"].tolist() == [3.0, 4.0] and found["yes"].tolist() == [1, 0] and found["note"][1] == "ü"
    renamed = RecipeStep(*cut.step).made({}).flow(flow, StepContext(lambda n: flow, tmp_path))
    assert not any("cut to 10" in loss.text for loss in step.losses(renamed))
    with pytest.raises(CannotWrite, match="several"):
        written(rows_of([shapely.Point(1, 2), shapely.box(0, 0, 1, 1)]), tmp_path / "b.shp")
    assert not (tmp_path / "b.shp").exists()


def test_kml_and_kmz_are_drawn_in_a_colour_and_named(tmp_path):
    flow = rows_of(polygons()[:2], label=["a<b>&", "火"], about=["one", None], pieces=1)
    options = {"colour": "#112233", "name_field": "label", "description_field": "about", "opacity": 1.0}
    for name in ("a.kml", "a.kmz"):
        written(flow, tmp_path / name, options=options)
        content = (
            (tmp_path / name).read_bytes() if name.endswith("kml") else zipfile.ZipFile(tmp_path / name).read("doc.kml")
        )
        root = etree.fromstring(content)
        kml = {"k": "http://www.opengis.net/kml/2.2"}
        assert root.xpath("//k:PolyStyle/k:color/text()", namespaces=kml) == ["ff332211"]
        assert root.xpath("//k:Placemark/k:name/text()", namespaces=kml) == ["a<b>&", "火"]
        assert len(root.xpath("//k:Placemark[k:styleUrl='#look0']", namespaces=kml)) == 2
        assert geopandas.read_file(tmp_path / name).to_crs(UTM).geometry.area.sum() == pytest.approx(sum(p.area for p in polygons()[:2]), rel=1e-4)  # fmt: skip
    with pytest.raises(AtlasError, match="no colour"):
        written(flow, tmp_path / "b.kml", options={"colour": "red"})


def test_kml_looks_as_its_layer_does(tmp_path):
    by_value = VectorStyle(colour_by="kind", method="unique", line="#102030", width=3.0)
    shapes = [*polygons()[:3], shapely.LineString([(500_000, 5_700_000), (500_900, 5_700_400)])]
    flow = rows_of(shapes, kind=["a", "b", "a", "b"], n=[1, 2, 3, 4], pieces=2)

    def looked(style):
        written(dataclasses.replace(flow, look=style), tmp_path / "a.kml", options={"opacity": 1.0})
        root = etree.parse(tmp_path / "a.kml").getroot()
        styles = {each.get("id"): each for each in root.iter("{*}Style")}
        looks = [mark.findtext("{*}styleUrl", "#")[1:] for mark in root.iter("{*}Placemark")]
        return [(styles[look].findtext("{*}PolyStyle/{*}color"), styles[look].findtext("{*}LineStyle/{*}color"))
                if look else None for look in looks]  # fmt: skip

    rgb = colouring_of(flow.whole(), by_value).rgb
    fills = ["ff" + bytes(row[::-1]).hex() for row in rgb.tolist()]
    assert looked(by_value) == [(fills[0], "ff302010"), (fills[1], "ff302010"), (fills[0], "ff302010"), (fills[1],) * 2]
    rules = (
        StyleRule("low", "n < 3", VectorStyle(fill="#ff0000")),
        StyleRule("one", "n = 1", VectorStyle(fill="#00ff00")),
    )
    assert [each and each[0] for each in looked(VectorStyle(rules=rules))] == ["ff00ff00", "ff0000ff", None, None]
    assert len(set(looked(VectorStyle(colour_by="nowhere")))) == 1  # its field is not among those that are written


def test_gpx_and_dxf(tmp_path):
    points = rows_of(shapely.points([[-20.9, -38.2, 12.5], [-20.8, -38.1, 13.0]]), crs="EPSG:4326", label=["A", "B"], code=[1, 2], pieces=1)  # fmt: skip
    written(points, tmp_path / "a.gpx", options={"name_field": "label"})
    found = geopandas.read_file(tmp_path / "a.gpx", layer="waypoints")
    assert found["name"].tolist() == ["A", "B"] and found["ele"].tolist() == [12.5, 13.0]
    assert shapely.get_coordinates(found.geometry.to_numpy()).tolist() == [[-20.9, -38.2], [-20.8, -38.1]]
    assert found["atlas_code"].astype(int).tolist() == [1, 2]
    lines = rows_of(
        [shapely.MultiLineString([[(-20.9, -38.2), (-20.8, -38.1)], [(0, 0), (1, 1)]])], crs="EPSG:4326", pieces=1
    )
    written(lines, tmp_path / "b.gpx")
    assert geopandas.read_file(tmp_path / "b.gpx", layer="tracks").geometry[0].equals(shapes_of(lines.whole())[0])
    with pytest.raises(CannotWrite, match="points and lines"):
        written(rows_of([shapely.box(0, 0, 1, 1)], crs="EPSG:4326"), tmp_path / "c.gpx")
    shapes = [shapely.LineString([(0, 0), (5, 5)]), shapely.Point(3, 4), shapely.box(0, 0, 2, 2)]
    drawing = rows_of(shapes, kind=["road", "tree", "plot"], pieces=1)
    written(drawing, tmp_path / "a.dxf", options={"layer_field": "kind"})
    found = geopandas.read_file(tmp_path / "a.dxf")
    assert dict(zip(found["Layer"], found.geometry.geom_type)) == {
        "road": "LineString",
        "tree": "Point",
        "plot": "LineString",
    }
    assert found.set_index("Layer").geometry["plot"].is_closed


def test_tables_as_text_and_workbooks(tmp_path):
    flow = all_types(shapely.points([[1.5, 2.25], [3, 4], [5, 6], [7, 8]]))
    written(flow, tmp_path / "a.csv")
    found = pandas.read_csv(tmp_path / "a.csv", keep_default_na=False)
    assert found["WKT"][0] == "POINT (1.5 2.25)" and found["text"].tolist() == ["Harrow Bay", "Çölübü — 火山", "", ""]
    assert found["at"][0] == "2031-06-24T12:30:15Z" and found["whole"].tolist() == ["1", str(-(2**40)), "", "7"]
    written(
        flow, tmp_path / "b.csv", options={"geometry": "x and y", "separator": "semicolon", "byte_order_mark": True}
    )
    assert (tmp_path / "b.csv").read_bytes().startswith(b"\xef\xbb\xbf")
    assert pandas.read_csv(tmp_path / "b.csv", sep=";", encoding="utf-8-sig")["y"].tolist() == [2.25, 4, 6, 8]
    written(flow, tmp_path / "a.xlsx")
    rows = list(openpyxl.load_workbook(tmp_path / "a.xlsx").active.iter_rows(values_only=True))
    assert (
        rows[0][:3] == ("whole", "small", "number")
        and rows[1][6] == dt.datetime(2031, 6, 24, 12, 30, 15)
        and rows[3][0] is None
    )
    written(flow, tmp_path / "a.ods")
    sheet = pandas.read_excel(tmp_path / "a.ods", engine="odf")
    assert sheet["text"][1] == "Çölübü — 火山" and sheet["number"][0] == 1.5 and len(sheet) == 4
    plain = rows_of(None, n=[1, None, 3], t=["a", None, "c"])
    written(plain, tmp_path / "a.parquet")
    assert pq.read_table(tmp_path / "a.parquet").to_pydict() == {"n": [1, None, 3], "t": ["a", None, "c"]}


def test_vector_tiles_hold_the_features_at_each_zoom(tmp_path):
    flow = rows_of(polygons()[:2], n=[1, 2], when=[NOON, None], pieces=1)
    written(flow, tmp_path / "a.pmtiles", options={"minimum_zoom": 3, "maximum_zoom": 9})
    with (tmp_path / "a.pmtiles").open("rb") as file:
        reader = Reader(MmapSource(file))
        header = reader.header()
        assert (header["min_zoom"], header["max_zoom"]) == (3, 9)
        assert reader.metadata()["vector_layers"][0]["fields"].keys() >= {"n", "when"}
    written(flow, tmp_path / "a.mbtiles", options={"maximum_zoom": 5})
    with sqlite3.connect(tmp_path / "a.mbtiles") as db:
        assert {z for (z,) in db.execute("SELECT DISTINCT zoom_level FROM tiles")} <= set(range(6))
    with pytest.raises(AtlasError, match="out of range"):
        written(flow, tmp_path / "b.pmtiles", options={"minimum_zoom": 9, "maximum_zoom": 3})


# Grids

MASKED = {"float": (np.float32, None), "nodata": (np.int16, -9999), "mask": (np.uint8, None)}


@pytest.mark.parametrize("kind", MASKED)
@pytest.mark.parametrize("format_", ["COG", "GeoTIFF"])
def test_tiled_grids_keep_values_gaps_names_and_place(format_, kind, tmp_path):
    dtype, nodata = MASKED[kind]
    valid = holes((1100, 900))
    values = np.stack([hills(1100, 900), hills(1100, 900, 2)]).clip(0, 200).astype(dtype)
    flow = grid_of(values, valid, nodata=nodata, unit="m")
    (made,) = written(flow, tmp_path / "a.tif", format=format_)
    with rasterio.open(made.path) as found:
        assert found.crs == UTM and found.transform[:6] == pytest.approx(flow.lattice.transform)
        assert (
            found.descriptions == ("band 1", "band 2")
            and found.units == ("m", "m")
            and found.block_shapes[0] == (512, 512)
        )
        assert (
            found.overviews(1)[:1] == [2] and found.nodata == (nodata if kind == "nodata" else None)
        ) or kind == "float"
        known = found.dataset_mask() > 0
        assert np.array_equal(known, valid) and np.array_equal(found.read()[:, valid], values[:, valid])
        layout = found.tags(ns="IMAGE_STRUCTURE").get("LAYOUT")
        assert (layout == "COG") == (format_ == "COG")
    if format_ == "COG":
        from rio_cogeo import cog_validate

        assert cog_validate(made.path, quiet=True)[0]


def test_a_band_keeps_its_data_where_another_has_none(tmp_path):
    values = np.array([[[1, -9, 3]], [[-9, 5, 6]]], np.int16)
    profile = {"driver": "GTiff", "width": 3, "height": 1, "count": 2, "dtype": "int16", "nodata": -9, "crs": UTM}
    with rasterio.open(tmp_path / "in.tif", "w", transform=rasterio.Affine(10, 0, 5e5, 0, -10, 57e5), **profile) as out:
        out.write(values)
    flow = FileSources().flow(str(tmp_path / "in.tif"))
    for name in ("a.tif", "b.tif"):
        moved = flow if name == "a.tif" else RecipeStep("bands", {"bands": ["2", "1"]}).made({}).flow(flow, None)
        written(moved, tmp_path / name)
        with rasterio.open(tmp_path / name) as found:
            assert np.array_equal(found.read(), values if name == "a.tif" else values[::-1])


def test_classes_keep_their_colours_and_overviews_mix_none(tmp_path):
    classes = np.random.default_rng(3).integers(1, 4, (1300, 1300)).astype(np.uint8)
    flow = grid_of(classes, nodata=0, classes=((1, "#102030", "lava"), (2, "#405060", "ash"), (3, "#708090", "sea")))
    written(flow, tmp_path / "a.tif")
    with rasterio.open(tmp_path / "a.tif") as found:
        assert found.colormap(1)[2] == (0x40, 0x50, 0x60, 255)
        assert set(np.unique(found.read(1, out_shape=(325, 325)))) <= {1, 2, 3}


@pytest.mark.parametrize(("dtype", "nodata"), [("float32", None), ("int16", -9), ("uint8", 0)])
def test_overviews_are_the_means_of_four_that_have_data(dtype, nodata, tmp_path):
    valid = holes((2301, 2075))  # odd, and more than what is computed at once
    values = (hills(2301, 2075).clip(1, 200)).astype(dtype)
    (made,) = written(grid_of(values, valid, nodata=nodata), tmp_path / "a.tif")
    finer = np.where(valid, values.astype(float), np.nan)
    for level, factor in enumerate((2, 4, 8)):
        even = np.pad(finer, [(0, side % 2) for side in finer.shape], constant_values=np.nan)
        blocks = even.reshape(even.shape[0] // 2, 2, -1, 2).swapaxes(1, 2).reshape(even.shape[0] // 2, -1, 4)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            finer = np.nanmean(blocks, axis=2)
        finer = np.rint(finer) if nodata is not None else finer
        with rasterio.open(made.path, overview_level=level) as found:
            there = found.read(1, masked=True)
            assert found.shape == (-(-2301 // factor), -(-2075 // factor))
            assert np.array_equal(np.ma.getmaskarray(there), np.isnan(finer))
            assert np.allclose(there.filled(0), np.nan_to_num(finer), atol=1e-4 if nodata is None else 0)


def test_netcdf_zarr_and_text_grids(tmp_path):
    values, valid = hills(), holes((60, 80))
    flow = grid_of(values, valid)
    written(flow, tmp_path / "a.nc")
    with h5py.File(tmp_path / "a.nc") as found:
        name = next(n for n in found if found[n].shape == (60, 80))
        there = found[name][:]
        assert np.allclose(np.sort(there[np.isfinite(there)]), np.sort(values[valid]))
    assert np.isclose(read.open(tmp_path / "a.nc").parts[0].facts.extent.xmin, 500_000)
    written(flow, tmp_path / "a.zarr")
    written(flow, tmp_path / "a.zarr")  # over the one that is there
    group = zarr.open(tmp_path / "a.zarr", mode="r")
    array = next(group[k] for k in group.array_keys() if group[k].shape == (60, 80))
    assert np.allclose(array[:][valid], values[valid])
    written(flow, tmp_path / "a.asc")
    with rasterio.open(tmp_path / "a.asc") as found:
        assert (
            np.allclose(found.read(1)[valid], values[valid], rtol=1e-6)
            and (found.read(1)[~valid] == found.nodata).all()
        )
        assert found.crs == UTM
    bits = grid_of(np.arange(4800, dtype=np.uint8).reshape(60, 80), valid)  # every number is taken
    written(bits, tmp_path / "bits.nc")
    with rasterio.open(tmp_path / "bits.nc") as found:
        band = found.read(1, masked=True)[:: 1 if found.transform.e < 0 else -1]
        assert np.array_equal(~np.ma.getmaskarray(band), valid) and np.array_equal(
            band.data[valid], bits.whole().values[0][valid]
        )
    south_up = Lattice(10.0, 0.0, 500_000.0, 0.0, 10.0, 5_699_400.0, 80, 60, UTM)
    with pytest.raises(CannotWrite, match="north to south"):
        written(grid_of(values, lattice=south_up), tmp_path / "b.asc")


def test_pictures_have_a_world_file_and_tiles_are_pictures(tmp_path):
    picture = np.random.default_rng(4).integers(1, 255, (3, 300, 400)).astype(np.uint8)
    flow = grid_of(picture, nodata=0)
    written(flow, tmp_path / "a.png")
    written(flow, tmp_path / "a.jpg", options={"quality": 95})
    world = [float(line) for line in (tmp_path / "a.wld").read_text().split()]
    assert world == pytest.approx([10, 0, 0, -10, 500_005, 5_699_995])
    with rasterio.open(tmp_path / "a.png") as found:
        assert np.array_equal(found.read()[:3], picture)
    with pytest.raises(CannotWrite, match="Stretch"):
        written(grid_of(hills()), tmp_path / "b.png")
    written(flow, tmp_path / "a.mbtiles")
    with rasterio.open(tmp_path / "a.mbtiles") as found:
        assert found.crs == "EPSG:3857" and found.count in (3, 4) and found.read(1).any()
    offered = [loss.step for loss in RecipeStep("write", {"path": "c.png"}).made({}).losses(grid_of(hills()))]
    assert ("stretch", {}) in offered


# Clouds


@pytest.mark.parametrize(("name", "options"), [("a.las", {}), ("a.laz", {}), ("a.laz", {"version": "1.2"}), ("a.las", {"version": "1.3"}), ("a.copc.laz", {})])  # fmt: skip
def test_clouds_come_back_with_all_dimensions(name, options, tmp_path):
    flow = cloud()
    (made,) = written(flow, tmp_path / name, options=options)
    whole = flow.whole()
    with laspy.open(made.path) as source:
        found, header = source.read(), source.header
    assert str(header.version) == options.get("version", "1.4") and header.parse_crs().to_epsg() == 32727
    order, mine = (np.lexsort((np.asarray(p.z), np.asarray(p.y), np.asarray(p.x))) for p in (found, whole))
    for dimension in ("X", "Y", "Z", "intensity", "classification"):
        assert np.array_equal(np.asarray(found[dimension])[order], np.asarray(whole[dimension])[mine]), dimension
    if not name.endswith("copc.laz"):
        assert np.array_equal(np.asarray(found["X"]), np.asarray(whole["X"]))  # in their order too


def test_copc_is_read_by_place_and_by_scale(tmp_path):
    flow = cloud(60_000)
    written(flow, tmp_path / "a.copc.laz")
    whole = flow.whole()
    with laspy.CopcReader.open(str(tmp_path / "a.copc.laz")) as reader:
        assert len(reader.query()) == 60_000
        box = laspy.copc.Bounds(np.array([500_020, 5_700_010]), np.array([500_050, 5_700_040]))
        inside = (np.asarray(whole.x) >= 500_020) & (np.asarray(whole.x) <= 500_050) & (np.asarray(whole.y) >= 5_700_010) & (np.asarray(whole.y) <= 5_700_040)  # fmt: skip
        assert len(reader.query(box)) == inside.sum()
        assert 0 < len(reader.query(level=0)) < 60_000
    nodes = octree(np.random.default_rng(5).random((20_000, 3)), np.zeros(3), 1.0 + 1e-9)
    assert np.array_equal(np.sort(np.concatenate(list(nodes.values()))), np.arange(20_000))
    assert all((level - 1, x >> 1, y >> 1, z >> 1) in nodes for level, x, y, z in nodes if level)


def test_points_as_ply_and_text_and_in_tiles(tmp_path):
    from plyfile import PlyData

    flow = cloud(900)
    whole = flow.whole()
    written(flow, tmp_path / "a.ply")
    vertices = PlyData.read(str(tmp_path / "a.ply"))["vertex"]
    assert np.allclose(vertices["z"], whole.z) and np.array_equal(vertices["classification"], whole["classification"])
    written(flow, tmp_path / "a.xyz", options={"dimensions": "classification, intensity", "head": True})
    table = np.loadtxt(tmp_path / "a.xyz", skiprows=1)
    assert np.allclose(table[:, 0], whole.x, atol=1e-6) and np.array_equal(table[:, 3], whole["classification"])
    from dataclasses import replace

    tiles = written(replace(flow, tile_size=50.0), tmp_path / "t.laz")
    assert sum(tile.count for tile in tiles) == 900 and len(tiles) == 4
    for tile in tiles:
        points = laspy.read(tile.path)
        assert np.ptp(np.floor(np.asarray(points.x) / 50)) == 0 and np.ptp(np.floor(np.asarray(points.y) / 50)) == 0


# What goes with it


def test_a_record_goes_beside_or_inside_with_the_steps(tmp_path, data):
    import shutil

    shutil.copy(data / "ash_samples.geojson", tmp_path / "s.geojson")
    shutil.copy(data / "ash_samples.geojson.xml", tmp_path / "s.geojson.xml")
    from brisk_atlas.core.read.find_records import find_records

    flow = FileSources().flow(str(tmp_path / "s.geojson"))
    made = written(flow, tmp_path / "a.gpkg", record="beside")
    assert [each.path.name for each in made] == ["a.gpkg", "a.gpkg.xml"]
    before = find_records(read.open(tmp_path / "s.geojson"))[0][0].document.record
    ((location, *_), _) = find_records(read.open(tmp_path / "a.gpkg"))
    after = location.document.record
    assert after.title == before.title and after.abstract == before.abstract and after.contacts == before.contacts
    assert [step.description for step in after.steps[-2:]] == ["From a survey", "Rows where: n > 1"]
    assert after.objects[0].count == flow.count and after.links == ()
    written(flow, tmp_path / "b.gpkg", FillPieceRecord("Ash of the eruption"), record="inside")
    inside = find_records(read.open(tmp_path / "b.gpkg"))[0]
    assert inside and inside[0].document.record.title == "Ash of the eruption"
    with pytest.raises(BadStep, match="no record inside"):
        written(flow, tmp_path / "c.fgb", record="inside")


def test_the_record_is_filled_by_a_template_and_put_into_another_standard(tmp_path, data):
    flow = rows_of([shapely.Point(500_000, 5_700_000)] * 3, depth=[4.5, None, 1.25], name=["a", "b", None])
    template = tmp_path / "office.xml"
    template.write_bytes((data / "templates/office_iso19139.xml").read_bytes())
    stated = read_document(template).record
    fill = FillPieceRecord("Wells", "What was bored.", ("wells", "depth"), "Free for all.")
    warned = []
    steps = (fill, ApplyRecordTemplate(str(template)), ConvertRecordTo("FGDC CSDGM"))
    made = written(flow, tmp_path / "wells.gpkg", *steps, warned=warned, record="beside")
    document = read_document(made[1].path)
    record = document.record
    assert document.standard.name == "FGDC CSDGM"
    assert record.title == "Wells" and record.abstract == "What was bored."
    assert {"wells", "depth"} <= {word for each in record.keywords for word in each.words}
    assert any("Free for all." in text for each in record.constraints for text in (*each.other, *each.limits))
    ranges = {field.name: field.ranges for entity in record.entities for field in entity.fields}
    assert [(r.lowest, r.highest) for r in ranges["depth"]] == [("1.25", "4.5")] and not ranges.get("name")
    assert {c.organisation for c in stated.contacts} <= {c.organisation for c in record.contacts}
    assert any(text.startswith("FGDC CSDGM, missing") for text in warned)
    with pytest.raises(BadStep, match="goes nowhere"):
        written(flow, tmp_path / "w.gpkg", fill)
    with pytest.raises(BadStep, match="no standard is called"):
        written(flow, tmp_path / "w.gpkg", ConvertRecordTo("ISO 1"), record="beside")
    with pytest.raises(AtlasError):
        written(flow, tmp_path / "w.gpkg", ApplyRecordTemplate(str(tmp_path / "none.xml")), record="beside")


def test_a_zip_has_the_record_the_licence_a_page_and_checksums_that_hold(tmp_path):
    written(
        all_types(polygons()), tmp_path / "a.zip", FillPieceRecord("Piece"), format="Shapefile", licence="Free for all."
    )
    with zipfile.ZipFile(tmp_path / "a.zip") as package:
        names = set(package.namelist())
        assert {"README.txt", "LICENCE.txt", "SHA256SUMS", "a.shp", "a.dbf", "a.shx", "a.prj", "a.shp.xml"} <= names
        sums = dict(line.split("  ")[::-1] for line in package.read("SHA256SUMS").decode().splitlines())
        assert sums.keys() == names - {"SHA256SUMS"}
        assert all(hashlib.sha256(package.read(name)).hexdigest() == digest for name, digest in sums.items())
        page = package.read("README.txt").decode()
        assert "Piece" in page and "2. Rows where: n > 1" in page
    assert len(read.open(tmp_path / "a.zip").parts) >= 1


def test_a_file_for_each_value(tmp_path):
    from dataclasses import replace

    flow = replace(rows_of(None, g=["a/b", "a/b", None, "A_B"], n=[1, 2, 3, 4]), parted="g")
    made = written(flow, tmp_path / "out.csv")
    assert {each.path.name: each.count for each in made} == {"out_a_b.csv": 2, "out_missing.csv": 1, "out_A_B_2.csv": 1}


def test_formats_are_found_by_ending_or_name_and_their_options_are_checked(tmp_path):
    assert format_for(DataKind.POINTCLOUD, tmp_path / "a.copc.laz").name == "COPC"
    assert format_for(DataKind.RASTER, tmp_path / "a.tif").name == "COG"
    assert format_for(DataKind.TABLE, tmp_path / "a.parquet").name == "Parquet"
    assert format_for(DataKind.VECTOR, tmp_path / "a.parquet").name == "GeoParquet"
    with pytest.raises(AtlasError, match="Choose one of"):
        format_for(DataKind.RASTER, tmp_path / "a.gpkg")
    with pytest.raises(AtlasError, match="no option colour"):
        written(rows_of(None, n=[1]), tmp_path / "a.csv", options={"colour": "red"})
    with pytest.raises(AtlasError, match="comma, semicolon, tab"):
        written(rows_of(None, n=[1]), tmp_path / "a.csv", options={"separator": "pipe"})
    assert all(formats_of(kind) for kind in (DataKind.VECTOR, DataKind.TABLE, DataKind.RASTER, DataKind.POINTCLOUD))
    assert all(each.about for each in FORMATS.values())


def test_nothing_to_write_is_a_failure_unless_it_is_wanted(tmp_path):
    flow = rows_of(None, n=[1, 2])
    empty = RecipeStep("where", {"where": "n > 5"}).made({}).flow(flow, StepContext(lambda n: flow, tmp_path))
    with pytest.raises(CannotWrite, match="nothing to write"):
        written(empty, tmp_path / "a.csv")
    assert not (tmp_path / "a.csv").exists()
    written(empty, tmp_path / "a.csv", empty=True)
    assert (tmp_path / "a.csv").read_text().strip() == '"n"'
