"""Files that are not whole, or not as they should be, and yet hold data: it is opened, with a remark."""

from __future__ import annotations

import json
import shutil
import struct
import zipfile

import ezdxf
import laspy
import numpy as np
import plyfile
import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import pytest
import shapely
from affine import Affine

import made_files as made
from brisk_atlas import cli
from brisk_atlas.core import read
from brisk_atlas.core.find import question_about
from brisk_atlas.core.model import CannotRead, Extent, FeatureQuery, OpenOptions
from brisk_atlas.core.model.open_options import options_from, saved_form
from brisk_atlas.core.read.curves import arcs
from brisk_atlas.core.read.dbf_text import TO_CHOOSE
from brisk_atlas.core.read.times import times_of

LOG = """~Version
VERS. 2.0 :
WRAP. NO :
~Well
STRT.M 100 :
STOP.M {stop} :
STEP.M 1 :
NULL. -999.25 :
{well}~Curve
DEPT.M :
GR.GAPI : natural gamma
~ASCII
100 50
101 51
102 -999.25
"""


@pytest.mark.parametrize("well", ["WELL. TG-9 :\n", ""])
def test_logs_that_end_early_or_have_no_name(tmp_path, well):
    path = tmp_path / "hole.las"
    path.write_text(LOG.format(stop=250, well=well))
    dataset = read.open(path)
    assert dataset.parts[0].facts.name == ("TG-9" if well else "hole")
    assert "it should reach 250 and ends at 102" in dataset.warnings[0]
    assert dataset.parts[0].rows().column("GR").to_pylist() == [50, 51, None]


def test_a_table_with_a_footnote(tmp_path):
    path = tmp_path / "rain.csv"
    path.write_text("station,mm\nA,1.5\nB,2.5\n\nSource: the office, 2031\n* estimated, see the report, page 3\n")
    dataset = read.open(path)
    assert dataset.parts[0].rows().to_pylist() == [{"station": "A", "mm": 1.5}, {"station": "B", "mm": 2.5}] or (
        "left out" in dataset.warnings[0]
    )
    assert "left out" in dataset.warnings[0]


def test_text_in_another_encoding_than_stated(tmp_path, data):
    path = made.vector(data, tmp_path, "zones.shp", "ESRI Shapefile")
    table = path.with_suffix(".dbf")
    raw = bytearray(table.read_bytes())
    first = int.from_bytes(raw[8:10], "little")
    raw[first + 3 : first + 7] = "Träg".encode("latin-1")
    table.write_bytes(raw)
    path.with_suffix(".cpg").write_text("UTF-8")
    rows = read.open(path).parts[0].read().table
    assert any("Träg" in str(value) for value in rows.slice(0, 1).to_pylist()[0].values())


def test_a_member_without_a_date_is_unpacked(tmp_path):
    path = tmp_path / "packed.zip"
    with zipfile.ZipFile(path, "w") as out:
        out.writestr(zipfile.ZipInfo("a.csv", (1980, 1, 1, 0, 0, 0)), "x,y\n1,2\n")
    raw = path.read_bytes().replace(struct.pack("<H", (0 << 9) | (1 << 5) | 1), struct.pack("<H", 0))
    path.write_bytes(raw)
    assert read.open(path).parts[0].facts.count == 1


def test_dimensions_of_several_numbers_are_taken_apart(tmp_path):
    header = laspy.LasHeader(point_format=6, version="1.4")
    header.scales, header.offsets = (0.01,) * 3, (506_000, 5_770_000, 0)
    header.add_extra_dim(laspy.ExtraBytesParams("normal", "3f4"))
    cloud = laspy.LasData(header)
    cloud.x, cloud.y, cloud.z = np.full((3, 20), [[506_001], [5_770_001], [5]])
    cloud.normal = np.tile([0.0, 0.6, 0.8], (20, 1)).astype("f4")
    cloud.write(tmp_path / "normals.las")
    part = read.open(tmp_path / "normals.las").parts[0]
    assert {"normal 1", "normal 3"} <= set(part.facts.cloud.dimensions)
    assert np.allclose(part.read().values("normal 3"), 0.8)


@pytest.mark.parametrize("fault", ["scale", "records"])
def test_headers_of_clouds_that_can_not_be_true_are_refused(tmp_path, fault):
    path = made.laser(tmp_path, "1.4", 6, "strip.laz")
    raw = bytearray(path.read_bytes())
    if fault == "scale":
        raw[131:139] = struct.pack("<d", 0.0)
    else:
        raw[100:104] = struct.pack("<I", 0xFFFFFFF0)
    path.write_bytes(raw)
    with pytest.raises(CannotRead, match=r"scale is 0|more records than it has room"):
        read.open(path)


def test_a_ply_that_promises_too_much_is_refused(tmp_path):
    path = tmp_path / "many.ply"
    path.write_text(
        "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty double x\nproperty double y\nproperty double z\nend_header\n"
    )
    with pytest.raises(CannotRead, match="more than it has room for"):
        read.open(path)


def _head(kind):
    return b"\x01" + struct.pack("<I", kind)


def _positions(*xy):
    return struct.pack("<I", len(xy)) + b"".join(struct.pack("<2d", *p) for p in xy)


def test_curves_and_patches_become_straight_lines_and_polygons(tmp_path):
    arc = _head(8) + _positions((0, 0), (1, 1), (2, 0))
    ring = _head(9) + struct.pack("<I", 2) + arc + _head(2) + _positions((2, 0), (0, 0))
    half_disc = _head(10) + struct.pack("<I", 1) + ring
    patch = _head(17) + struct.pack("<I", 1) + _positions((0, 0), (1, 0), (0, 1), (0, 0))
    tin = _head(16) + struct.pack("<I", 1) + patch
    geo = {"version": "1.0.0", "primary_column": "g", "columns": {"g": {"encoding": "WKB", "geometry_types": []}}}
    table = pa.table({"n": [0, 1, 2, 3], "g": pa.array([arc, half_disc, tin, b"\x01\x63"], pa.binary())})
    pq.write_table(table.replace_schema_metadata({"geo": json.dumps(geo)}), tmp_path / "curved.parquet")
    features = read.open(tmp_path / "curved.parquet").parts[0].read()
    shapes = shapely.from_wkb(features.wkb.to_pylist())
    assert shapes[0].length == pytest.approx(np.pi, rel=2e-3) and shapes[1].area == pytest.approx(np.pi / 2, rel=2e-3)
    assert shapes[2].area == 0.5 and shapes[3] is None
    whole = arcs(np.array([[1.0, 0, 5], [-1, 0, 5], [1, 0, 5]]))
    assert np.allclose(np.hypot(whole[:, 0], whole[:, 1]), 1) and np.all(whole[:, 2] == 5) and len(whole) > 80


@pytest.mark.parametrize("ending", [".qix", ".sbn"])
def test_an_index_of_another_file_hides_nothing(tmp_path, ending):
    square = lambda x: (x, 0.0, x + 1.0, 1.0)  # noqa: E731
    path = made.write_squares(tmp_path / "near.shp", [square(i) for i in range(40)])
    other = made.write_squares(tmp_path / "far.shp", [square(1e6 + i) for i in range(40)])
    if ending == ".qix":
        pyogrio.write_arrow(pa.table({"n": [1], "geometry": shapely.to_wkb([shapely.box(1e6, 0, 1e6 + 1, 1)])}), other,
                            driver="ESRI Shapefile", geometry_name="geometry", geometry_type="Polygon", SPATIAL_INDEX="YES")  # fmt: skip
        shutil.copy(other.with_suffix(ending), path.with_suffix(ending))
    else:
        path.with_suffix(ending).write_bytes(b"\x00\x00'\n\xff\xff\xfep" + bytes(92))
    found = read.open(path).parts[0].read(FeatureQuery(extent=Extent(3.2, 0, 9.8, 1, made.CRS)))
    assert len(found) == 7


def test_times_keep_their_zones(tmp_path):
    texts = lambda *values: times_of(pa.chunked_array([pa.array(values, pa.string())]))  # noqa: E731
    assert texts("2031-06-24T12:00:00", None).type == pa.timestamp("ms")
    assert str(texts("2031-06-24T12:00:00+02:00").type.tz) == "+02:00"
    several = texts("2031-06-24T12:00:00+02:00", "2031-06-24T12:00:00Z", None)
    assert several.type.tz == "UTC" and [t and t.hour for t in several.to_pylist()] == [10, 12, None]
    assert texts("2031-06-24T12:00:00+02:00", "2031-06-24T12:00:00").type == pa.string()
    table = pa.table(
        {"t": pa.array([0], pa.timestamp("ms", "+05:30")), "geometry": shapely.to_wkb([shapely.Point(0, 0)])}
    )
    pyogrio.write_arrow(
        table, tmp_path / "t.fgb", driver="FlatGeobuf", geometry_name="geometry", geometry_type="Point", crs="EPSG:4326"
    )
    back = read.open(tmp_path / "t.fgb").parts[0].read().table.column("t")
    assert back.type.tz == "+05:30" and back[0].as_py().timestamp() == 0


def test_facts_are_json_whatever_stands_for_no_data(tmp_path, capsys):
    path = made.write_grid_file(
        tmp_path / "n.tif", np.zeros((2, 2), "float32"), Affine(1, 0, 0, 0, -1, 0), nodata=float("nan")
    )
    assert cli.main(["facts", "--json", str(path)]) == 0
    out = capsys.readouterr().out
    assert json.loads(out, parse_constant=lambda name: pytest.fail(name))[0]["parts"][0]["nodata"] == "nan"


@pytest.mark.parametrize("name", ["GeoPackage", "Shapefile", "FlatGeobuf", "MIF", "GML", "KML", "binary grid", "float grid", "ASCII grid", "grid with .hdr", "HFA grid", "netCDF 4", "PNG"])  # fmt: skip
@pytest.mark.parametrize("share", [0.2, 0.6, 0.95])
def test_what_is_cut_short_is_refused_or_says_so(tmp_path, data, name, share):
    makers = made.VECTORS if name in made.VECTORS else made.GRIDS
    path = makers[name](data, tmp_path) if name in made.VECTORS else makers[name](tmp_path)
    whole = contents(path)
    raw = path.read_bytes()
    path.write_bytes(raw[: int(len(raw) * share)])
    try:
        dataset, found = read.open(path), contents(path)
    except CannotRead:
        return
    assert dataset.warnings or all(np.array_equal(a, b) for a, b in zip(whole, found)), "opened as if it were whole"


def contents(path):
    """Return the cells of grids, and how many features there are as stated and as read."""
    return [
        part.native().values if part.facts.kind == "raster" else [part.facts.count, len(part.read())]
        for part in read.open(path).parts
    ]


def dbf_with(path, names):
    """Write a dBase table of two rows of text whose fields have the names, whatever they are."""
    head = struct.pack("<BBBBIHH20x", 3, 126, 1, 1, 2, 33 + 32 * len(names), 1 + 5 * len(names))
    fields = b"".join(name.encode().ljust(11, b"\0") + b"C" + bytes(4) + b"\5" + bytes(15) for name in names)
    path.write_bytes(head + fields + b"\r" + b" " + b"abcde" * len(names) + b" " + b"fghij" * len(names) + b"\x1a")
    return path


def test_fields_without_a_name_or_with_the_same_are_told_apart(tmp_path):
    path = dbf_with(tmp_path / "readings.dbf", ["", "", "a", "A", "a 2"])
    part = read.open(path).parts[0]
    names = [field.name for field in part.facts.fields]
    assert names == ["field 1", "field 2", "a", "A 3", "a 2"] or names == ["field 1", "field 2", "a", "A 2 2", "a 2"]
    assert part.rows().column_names == names
    (tmp_path / "again.csv").write_text("a,A,,a 2,a\n1,2,3,4,5\n")
    table = read.open(tmp_path / "again.csv").parts[0]
    assert len({name.casefold() for name in table.rows().column_names}) == 5
    assert sum(table.rows().to_pylist()[0].values()) == 15


@pytest.mark.parametrize("stated", [None, "UTF-8", "CP1251"])
def test_text_of_a_shapefile_in_another_encoding_than_it_states_can_be_chosen(tmp_path, stated):
    path = tmp_path / "towns.shp"
    point = np.array([shapely.to_wkb(shapely.Point(1, 2))], object)
    pyogrio.raw.write(
        str(path),
        point,
        [np.array(["Гавань"], object)],
        ["имя"],
        driver="ESRI Shapefile",
        geometry_type="Point",
        crs="EPSG:32727",
        encoding="CP1251",
    )
    path.with_suffix(".cpg").unlink()
    if stated:
        path.with_suffix(".cpg").write_text(stated)
    dataset = read.open(path)
    remarked = any(w.endswith(TO_CHOOSE) for w in dataset.warnings)
    assert remarked == (stated != "CP1251")
    assert dataset.parts[0].rows().to_pydict() == ({"имя": ["Гавань"]} if not remarked else {"èìÿ": ["Ãàâàíü"]})
    question = question_about(dataset)
    assert question is not None and not question.needed and question.text.example_by("CP1251") == "имя"
    chosen = read.open(path, OpenOptions(encoding="CP1251"))
    assert chosen.warnings == () and [f.name for f in chosen.parts[0].facts.fields] == ["имя"]
    assert chosen.parts[0].rows().to_pydict() == {"имя": ["Гавань"]} == chosen.parts[0].read().table.to_pydict()
    assert options_from(saved_form(OpenOptions(encoding="CP1251"))) == OpenOptions(encoding="CP1251")


def test_utf8_that_no_code_page_states_is_read_without_a_remark(tmp_path):
    path = tmp_path / "towns.shp"
    point = np.array([shapely.to_wkb(shapely.Point(1, 2))], object)
    names = [np.array(["Größe"], object)]
    pyogrio.raw.write(
        str(path), point, names, ["naïve"], driver="ESRI Shapefile", geometry_type="Point", crs="EPSG:32727"
    )
    path.with_suffix(".cpg").unlink()
    dataset = read.open(path)
    assert dataset.warnings == () and dataset.parts[0].facts.fields[0].name == "naïve"
    assert dataset.parts[0].rows().to_pydict() == {"naïve": ["Größe"]}


@pytest.mark.parametrize("version", ["R12", "R2004", "R2010"])
def test_a_binary_dxf_reads_as_the_same_drawing_in_text(tmp_path, version):
    drawing = ezdxf.new(version)
    space = drawing.modelspace()
    space.add_line((508_000, 5_771_000, 12.5), (508_100, 5_771_100, 13.5), dxfattribs={"layer": "Küste Ж"})
    space.add_circle((508_200, 5_771_200), 50, dxfattribs={"layer": "tanks"})
    space.add_text("Größe Ж", dxfattribs={"layer": "words"})
    drawing.saveas(tmp_path / "text.dxf")
    drawing.saveas(tmp_path / "binary.dxf", fmt="bin")
    text, binary = (read.open(tmp_path / f"{name}.dxf").parts[0].read() for name in ("text", "binary"))
    assert text.table.column("Layer").to_pylist() == ["Küste Ж", "tanks", "words"]
    assert text.table.column("Text").to_pylist() == [None, None, "Größe Ж"]
    assert binary.table.equals(text.table) and binary.wkb.equals(text.wkb)
    whole = (tmp_path / "binary.dxf").read_bytes()
    for size in (30, len(whole) // 2, len(whole) - 3):
        (tmp_path / "cut.dxf").write_bytes(whole[:size])
        with pytest.raises(CannotRead, match="end"):
            read.open(tmp_path / "cut.dxf")


def test_vertices_without_a_position_do_not_take_the_others_along(tmp_path):
    path = tmp_path / "rim.ply"
    vertices = np.array([(1.0, 2.0, 3.0), (np.nan, 5.0, 1.0), (4.0, np.inf, 0.0), (7.0, 8.0, 9.0)], "f8,f8,f8")
    vertices.dtype.names = ("x", "y", "z")
    plyfile.PlyData([plyfile.PlyElement.describe(vertices, "vertex")]).write(str(path))
    dataset = read.open(path)
    assert "2 of its 4 vertices have no finite position" in dataset.warnings
    assert dataset.parts[0].facts.extent.bounds == (1, 2, 7, 8) and dataset.parts[0].facts.cloud.zrange == (3, 9)


def test_text_of_parquet_that_is_not_utf8_is_read_column_by_column_too(tmp_path):
    path = tmp_path / "towns.parquet"
    pq.write_table(pa.table({"name": ["Harrow", "West"], "n": [1, 2]}), path, compression="none", use_dictionary=False)
    path.write_bytes(path.read_bytes().replace(b"Harrow", b"H\xe4rrow"))
    (part,) = read.open(path).parts
    lazy = part.rows().select(["name"])
    assert lazy.column("name").to_pylist() == part.rows().column("name").to_pylist() == ["Härrow", "West"]
