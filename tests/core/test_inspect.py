"""Probes: what is under a point, and picking, against shapely and the files themselves."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pytest
import shapely
from affine import Affine
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.compare import change_between
from brisk_atlas.core.compare.point_change import PointChange, change_at
from brisk_atlas.core.inspect import Where, summarise
from brisk_atlas.core.kinds import first_style
from brisk_atlas.core.kinds.asking import probe as probe_at
from brisk_atlas.core.model import DataKind, GridStyle, Layer, number_text
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import shapes_of
from made_files import at, write_grid_file

UTM = "EPSG:32727"


def layer(cache, path, part):
    facts = cache.part(at(path, part)).facts
    return Layer(part, part, at(path, part), facts.kind, first_style(facts, 0))


def values(finding):
    return {reading.name: reading for reading in finding.readings}


def probe(cache, layer, x, y, crs, reach):
    return probe_at(cache, layer, Where.at(x, y, crs, reach))


def pick(shapes, x, y, reach):
    return index_of(shapes).at(x, y, reach).tolist()


def thickest(truth):
    row, col = truth["eruption_2031"]["thickest_cell"]
    return 504_000 + (col + 0.5) * 10, 5_776_000 - (row + 0.5) * 10


inside = st.floats(0, 10).map(lambda v: round(v, 6))


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(inside, inside), min_size=3, max_size=7, unique=True), inside, inside)
def test_picking_polygons_agrees_with_shapely(corners, x, y):
    polygon = shapely.Polygon(corners)
    if not polygon.is_valid or polygon.boundary.distance(shapely.Point(x, y)) < 1e-9:
        return
    flat, _ = shapes_of(pa.array([shapely.to_wkb(polygon)], pa.binary()))
    assert bool(pick(flat, x, y, 0.0)) == polygon.contains(shapely.Point(x, y))


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(inside, inside), min_size=2, max_size=5), inside, inside, st.floats(0.01, 3))
def test_picking_lines_reaches_as_far_as_the_tolerance(corners, x, y, reach):
    line = shapely.LineString(corners)
    off = line.distance(shapely.Point(x, y))
    if abs(off - reach) < 1e-6:
        return
    flat, _ = shapes_of(pa.array([shapely.to_wkb(line)], pa.binary()))
    assert bool(pick(flat, x, y, reach)) == (off < reach)


def test_the_feature_drawn_last_is_found_first():
    flat, _ = shapes_of(
        pa.array([shapely.to_wkb(shapely.box(0, 0, 9, 9)), shapely.to_wkb(shapely.box(1, 1, 8, 8))], pa.binary())
    )
    assert pick(flat, 5, 5, 0) == [1, 0] and pick(flat, 0.5, 0.5, 0) == [0]


def test_lava_under_the_pointer(cache, data, truth):
    found = probe(cache, layer(cache, data / "tolvane_survey.gpkg", "lava_flows"), *thickest(truth), UTM, 5)
    assert values(found)["year"].value == 2031
    assert values(found)["max_thick_m"].value == pytest.approx(truth["eruption_2031"]["thickest_m"], abs=0.01)
    assert values(found)["area, plane"].unit == "m²" and found.row is not None


def test_elevation_under_the_pointer(cache, data, truth, after):
    x, y = thickest(truth)
    found = probe(cache, layer(cache, data / "elevation_2031.tif", "elevation_2031"), x, y, UTM, 5)
    row, col = truth["eruption_2031"]["thickest_cell"]
    assert values(found)["elevation"].value == after.native().values[0, row, col]
    assert values(found)["elevation"].unit == "m" and values(found)["cell"].value == (row, col)


def test_the_change_across_the_curtain_is_the_thickness(cache, data, truth):
    a, b = (layer(cache, data / f"elevation_{y}.tif", f"elevation_{y}") for y in (2029, 2031))
    change = change_at(cache, a, b, *thickest(truth), UTM)
    assert change.change == pytest.approx(truth["eruption_2031"]["thickest_m"])
    assert change.text.endswith(f"change +{truth['eruption_2031']['thickest_m']:.2f} m")


def test_a_side_without_data_gives_no_change():
    assert PointChange(None, 4.0, ("m", "m")).change is None
    assert "no data" in PointChange(None, 4.0, ("m", "m")).text and "change" not in PointChange(None, 4.0).text
    assert PointChange(None, None).text == "no data on either side"


def test_an_elevation_and_a_band_of_light_are_not_subtracted(cache, data):
    elevation = layer(cache, data / "elevation_2029.tif", "elevation_2029")
    scene = layer(cache, data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave")
    found = change_at(cache, elevation, scene, 508_700, 5_771_900, UTM)
    assert found.a == pytest.approx(717.12, abs=1) and found.b > 1000 and found.units == ("m", "")
    assert found.change is None and "measures light" in found.unlike and "change" not in found.text


def test_nodata_is_said_and_not_numbered(cache, data):
    found = probe(cache, layer(cache, data / "elevation_2031.tif", "elevation_2031"), 504_005, 5_767_005, UTM, 5)
    assert values(found)["elevation"].text == "no data" and values(found)["elevation"].value is None


def test_every_band_of_a_scene_with_its_wavelength(cache, data):
    scene = layer(cache, data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave")
    readings = probe(cache, scene, 508_700, 5_771_900, UTM, 5).readings
    labels = [r.label for r in readings if r.group == "bands" and not r.label.startswith(" ")]
    assert labels[0] == "blue (0.485 µm) · blue" and labels[3] == "near infrared (0.845 µm)" and len(labels) == 6


def test_a_laser_point_with_its_class(cache, data):
    cloud = layer(cache, data / "harrow_bay_2031.laz", "harrow_bay_2031")
    found = values(probe(cache, cloud, 510_600, 5_769_650, UTM, 4))
    assert found["classification"].text.split()[0] in ("2", "5", "6", "7", "9")
    assert abs(found["x"].value - 510_600) <= 4 and found["points"].value > 1
    assert probe(cache, cloud, 505_000, 5_775_000, UTM, 4) is None


def test_a_probe_given_in_degrees_finds_the_same(cache, data):
    zones = layer(cache, data / "tolvane_survey.gpkg", "closed_zones")
    lon, lat = transform(np.array([[508_700.0, 5_771_900.0]]), UTM, "EPSG:4326")[0]
    found = probe(cache, zones, lon, lat, "EPSG:4326", 1e-5)
    assert values(found)["name"].value == "Serrick crater"


def test_nothing_there_is_none(cache, data):
    assert probe(cache, layer(cache, data / "tolvane_survey.gpkg", "buildings"), 508_700, 5_771_900, UTM, 5) is None
    assert probe(cache, layer(cache, data / "elevation_2031.tif", "elevation_2031"), 0, 0, UTM, 5) is None


@pytest.mark.parametrize(
    ("value", "text"),
    [(None, "unknown"), (float("nan"), "unknown"), (True, "yes"), (1962, "1962"), (25_613, "25,613"), (0.25, "0.25"),
     (1234.567, "1,234.57"), (-7.0, "-7"), ("basalt", "basalt"), (np.float32(0.5), "0.5"), (0, "0")],
)  # fmt: skip
def test_numbers_as_text(value, text):
    assert number_text(value) == text


def test_summary_leaves_out_what_is_unknown():
    summary = summarise(np.array([1.0, np.nan, 3.0]))
    assert (summary.count, summary.minimum, summary.mean, summary.maximum) == (2, 1, 2, 3)
    assert summary.counts.sum() == 2 and summarise(np.array([np.nan])) is None


def test_the_change_at_a_point_is_that_of_the_whole_comparison(cache, tmp_path):
    """Also where the cells of the two do not coincide."""
    random = np.random.default_rng(5)
    for name, x, size in (("a", 5e5, 10), ("b", 5e5 - 3, 7)):
        place = Affine(size, 0, x, 0, -size, 5.77e6)
        write_grid_file(tmp_path / f"{name}.tif", random.uniform(0, 9, (40, 40)).astype("float32"), place, crs=UTM)
    sides = [Layer(n, n, at(tmp_path / f"{n}.tif", n), DataKind.RASTER, GridStyle()) for n in "ab"]
    whole = change_between(*(cache.raster(side.ref) for side in sides))
    grid = whole.difference
    for row, column in ((3, 4), (20, 11)):
        x, y = grid.lattice.to_map(column + 0.5, row + 0.5)
        assert change_at(cache, *sides, x + 2, y - 3, UTM).change == pytest.approx(
            float(grid.values[0, row, column]), abs=1e-4
        )
    assert change_at(cache, *sides, 0, 0, UTM).text == "no data on either side"
