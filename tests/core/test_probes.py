"""Probes of every kind: picks, features, cells, composites, points, areas; held and compared."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.handover.probes import save_probes
from brisk_atlas.core.inspect import (
    Held,
    ProbeResult,
    ProbeValue,
    Where,
    as_rows,
    as_table,
    compare,
    feature_finding,
    picked,
    row_finding,
    spectra,
    vertex_readings,
)
from brisk_atlas.core.inspect.feature import geometry_readings
from brisk_atlas.core.inspect.held import difference
from brisk_atlas.core.kinds import first_style
from brisk_atlas.core.kinds.asking import probe, probe_all
from brisk_atlas.core.model import DataKind, Layer, Quantity
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import shapes_of
from made_files import at

UTM = "EPSG:32727"


def layer(cache, path, part=None):
    part = part or cache.dataset(at(path)).parts[0].facts.name
    facts = cache.part(at(path, part)).facts
    return Layer(part, part, at(path, part), facts.kind, first_style(facts, 0))


def values(finding):
    return {reading.name: reading for reading in finding.readings}


@pytest.fixture
def survey(data):
    return data / "tolvane_survey.gpkg"


# Picking


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**31), st.floats(0, 100), st.floats(0, 100), st.floats(0, 3))
def test_the_index_finds_what_a_plain_search_finds(seed, x, y, reach):
    random = np.random.default_rng(seed)
    count = random.integers(0, 700)
    at = random.uniform(0, 100, (count, 2))
    shapes = np.concatenate(
        [
            shapely.box(at[: count // 2, 0], at[: count // 2, 1], *(at[: count // 2] + 4).T),
            shapely.points(at[count // 2 :]),
        ]
    )
    index = index_of(shapes_of(pa.array(shapely.to_wkb(shapes), pa.binary()))[0])
    there = shapely.Point(x, y)
    solid = shapely.get_dimensions(shapes) == 2
    plain = np.where(solid, shapely.contains(shapes, there), shapely.distance(shapes, there) <= reach)
    edge = np.abs(shapely.distance(shapely.boundary(shapes), there)) < 1e-9
    assert set(index.at(x, y, reach).tolist()) - set(np.flatnonzero(edge)) == set(np.flatnonzero(plain & ~edge))


def test_hundreds_on_one_spot_are_all_found_the_last_one_first():
    wkb = pa.array([shapely.to_wkb(shapely.box(0, 0, 9, 9))] * 1000, pa.binary())
    assert index_of(shapes_of(wkb)[0]).at(5, 5, 0).tolist() == list(range(999, -1, -1))
    empty = index_of(shapes_of(pa.array([None, shapely.to_wkb(shapely.Polygon())], pa.binary()))[0])
    assert empty.at(0, 0, 1e9).size == 0


@pytest.mark.parametrize("crs", [UTM, "EPSG:4326"])
@pytest.mark.parametrize("kind", ["box", "lasso", "line"])
def test_areas_and_lines_hit_what_they_meet(cache, survey, kind, crs):
    buildings = layer(cache, survey, "buildings")
    xy = {
        "box": np.array([(510_200, 5_769_400), (510_700, 5_769_400), (510_700, 5_769_900), (510_200, 5_769_900), (510_200, 5_769_400)]),
        "lasso": np.array([(510_200, 5_769_400), (510_800, 5_769_500), (510_400, 5_769_600), (510_700, 5_769_900)]),
        "line": np.array([(510_200, 5_769_500), (510_800, 5_769_800)]),
    }[kind].astype(float)  # fmt: skip
    shapes = shapely.from_wkb(cache.features(buildings.ref).wkb.to_numpy(zero_copy_only=False))
    wanted = shapely.LineString(xy) if kind == "line" else shapely.Polygon(xy)
    expected = np.flatnonzero(shapely.intersects(wanted, shapes))
    where = Where(kind, transform(xy, UTM, crs), crs)
    _, found = picked(cache, buildings, where)
    assert 0 < len(expected) < len(shapes)
    if kind == "line" and crs != UTM:  # a straight line in degrees is not one in metres
        assert len(set(found) ^ set(expected)) <= 2
    else:
        assert sorted(found) == expected.tolist() and list(found) == sorted(found, reverse=True)


def test_damaged_geometry_does_not_keep_others_from_being_picked(cache, survey):
    buildings = layer(cache, survey, "buildings")
    whole = cache.features(buildings.ref)
    bow = shapely.Polygon([(510_300, 5_769_500), (510_500, 5_769_700), (510_500, 5_769_500), (510_300, 5_769_700)])
    wkb = pa.array([*whole.wkb.to_pylist()[:50], shapely.to_wkb(bow), b"\x01\x03\x00", None], pa.binary())
    features = Features(pa.table({"i": range(53)}), wkb, shapes_of(wkb)[0], UTM)

    class Held:
        def __getattr__(self, name):
            return getattr(cache, name)

        def features(self, source):
            return features

        def shape_index(self, source, crs):
            return index_of(features.shapes)

    _, found = picked(Held(), buildings, Where.box(510_000, 5_769_000, 511_000, 5_770_000, UTM))
    assert 50 in found and len(found) > 10


# Features


def test_attributes_stand_under_their_alias_with_unit_and_meaning(cache, data):
    fissures = layer(cache, data / "fissures_2031" / "fissures.shp")
    words = cache.field_meanings(fissures.ref)
    assert words["FISS_LEN_M"].alias == "Fissure length" and words["FISS_LEN_M"].unit == "metres"
    found = values(feature_finding(cache, fissures, 0))
    assert found["FISS_LEN_M"].label == "Fissure length" and found["FISS_LEN_M"].unit == "metres"
    assert "Length along the trace" in found["FISS_LEN_M"].about
    assert found["ACT_2031"].text.split(" ", 1)[1] in ("active", "not active")
    assert found["length, ellipsoid"].unit == "m" and found["vertices"].value > 1


@pytest.mark.parametrize(
    ("shape", "name", "text"),
    [
        (shapely.Polygon([(0, 0), (4, 4), (4, 0), (0, 4)]), "valid", "no: self-intersection at 2.00, 2.00"),
        (shapely.box(0, 0, 3, 4), "valid", "yes"),
        (shapely.LineString([(0, 0, 5), (3, 4, 9)]), "Z range", "5.00 to 9.00"),
        (shapely.MultiPoint([(0, 0), (1, 1)]), "parts", "2"),
        (shapely.box(0, 0, 3, 4), "area, plane", "12.00"),
        (shapely.LineString([(0, 0), (3, 4)]), "length, plane", "5.00"),
        (shapely.Polygon(), "vertices", "0"),
    ],
)
def test_facts_of_geometry(shape, name, text):
    found = {r.label: r.text for r in geometry_readings(pa.scalar(shapely.to_wkb(shape), pa.binary()), UTM)}
    assert found[name] == text


def test_no_geometry_and_a_damaged_one_are_said():
    assert geometry_readings(pa.scalar(None, pa.binary()), UTM)[0].text == "none"
    assert "damaged" in geometry_readings(pa.scalar(b"\x01\x03", pa.binary()), UTM)[0].text
    degrees = {
        r.label for r in geometry_readings(pa.scalar(shapely.to_wkb(shapely.box(0, 0, 1, 1)), pa.binary()), "EPSG:4326")
    }
    assert "area, ellipsoid" in degrees and "area, plane" not in degrees


def test_vertices_and_rows_on_request(cache, survey, data):
    zones = layer(cache, survey, "closed_zones")
    lines = vertex_readings(cache, zones, 0)
    assert len(lines) == values(feature_finding(cache, zones, 0))["vertices"].value and "," in lines[0].text
    stations = Layer("s", "stations", at(data / "gas_stations.csv", "gas_stations"), DataKind.TABLE)
    assert values(row_finding(cache, stations, 2))["station"].value == "G03"


# Cells and composites


def test_a_scene_says_the_numbers_behind_the_composite_in_every_quantity(cache, data):
    path = data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt"
    scene = layer(cache, path, "visible to shortwave")
    scene = replace(scene, style=replace(scene.style, bands=(5, 4, 3)))
    found = probe(cache, scene, Where.at(508_700, 5_771_900, UTM, 5))
    shown = {r.label.split(" · ")[1]: r.key for r in found.readings if " · " in r.label}
    assert shown == {"red": "shortwave infrared 1", "green": "near infrared", "blue": "red"}
    band = cache.raster(scene.ref).facts.grid.bands[4]
    rescale = next(r for r in band.rescale if r.quantity is Quantity.REFLECTANCE)
    number = found.reading("shortwave infrared 1").value
    assert found.reading("shortwave infrared 1, reflectance").value == pytest.approx(
        number * rescale.gain + rescale.offset, rel=1e-5
    )
    measured = replace(scene, ref=scene.ref.with_quantity(Quantity.REFLECTANCE))
    again = probe(cache, measured, Where.at(508_700, 5_771_900, UTM, 5))
    assert again.reading("shortwave infrared 1").value == pytest.approx(
        number * rescale.gain + rescale.offset, rel=1e-5
    )
    assert again.reading("shortwave infrared 1, reflectance") is None


def test_classes_and_other_units(cache, data, after):
    path = data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt"
    quality = next(p.facts.name for p in cache.dataset(at(path)).parts if p.facts.grid.bands[0].classes)
    found = probe(cache, layer(cache, path, quality), Where.at(508_700, 5_771_900, UTM, 5))
    assert found.readings[0].text.split(" ", 1)[1] in [
        name for _, _, name in cache.part(at(path, quality)).facts.grid.bands[0].classes
    ]
    height = probe(cache, layer(cache, data / "elevation_2031.tif"), Where.at(508_700, 5_771_900, UTM, 5))
    assert height.reading("elevation, in ft").value == pytest.approx(
        height.reading("elevation").value / 0.3048, rel=1e-5
    )
    assert height.reading("cell").value == (410, 470) and height.reading("cell centre").value == (508_705, 5_771_895)


def test_an_area_over_a_grid_gives_the_statistics_of_every_band(cache, data):
    scene = layer(cache, data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave")
    found = probe(cache, scene, Where.box(508_000, 5_771_000, 508_600, 5_771_600, UTM))
    assert found.reading("blue, values").value == 400 and len({r.group for r in found.readings}) == 6
    assert probe(cache, scene, Where.box(0, 0, 1, 1, UTM)) is None


# Points


def test_a_point_and_its_neighbours(cache, data):
    cloud = layer(cache, data / "harrow_bay_2031.laz")
    found = probe(cache, cloud, Where.at(510_600, 5_769_650, UTM, 5))
    points = cache.points(cloud.ref)
    off = np.hypot(*(points.xyz[:, :2] - (510_600, 5_769_650)).T)
    near = off <= 5
    assert found.reading("x").value == points.xyz[np.argmin(off), 0]
    assert found.reading("points").value == near.sum() and found.reading("z, mean").value == pytest.approx(
        points.xyz[near, 2].mean()
    )
    kinds = {r.key: r.value for r in found.readings if r.key.startswith("class ")}
    assert sum(kinds.values()) == near.sum() and found.reading("classification").text.split(" ", 1)[1]


def test_a_box_keeps_what_is_inside_apart_from_what_the_header_says(cache, data):
    import laspy

    cloud = layer(cache, data / "harrow_bay_2031.laz")
    found = probe(cache, cloud, Where.box(510_500, 5_769_500, 510_800, 5_769_800, UTM))
    with laspy.open(cloud.ref.path) as source:
        header = source.header
    points = cache.points(cloud.ref)
    inside = (np.abs(points.xyz[:, :2] - (510_650, 5_769_650)) <= 150).all(axis=1)
    groups = {r.group for r in found.readings}
    assert {"inside", "header of the whole file", "dimensions of the whole file", "records in the header"} <= groups
    head = {r.label: r.text for r in found.readings if r.group == "header of the whole file"}
    assert (
        head["software"] == header.generating_software.strip("\0 ")
        and head["created"] == header.creation_date.isoformat()
    )
    assert head["scale"] == ", ".join(f"{v:g}" for v in header.scales) and head["points"] == "300,000"
    assert found.readings[0].value == inside.sum()
    reading = next(r for r in found.readings if r.key == "intensity" and r.group == "inside")
    assert reading.value == (points.dimensions["intensity"][inside].min(), points.dimensions["intensity"][inside].max())
    assert any("LASF" in r.label for r in found.readings if r.group == "records in the header")
    nothing = probe(cache, cloud, Where.box(0, 0, 1, 1, UTM))
    assert nothing.readings[0].text == "0 of 300,000"


def test_all_layers_are_asked_and_one_that_can_not_be_read_is_left_out(cache, data, survey):
    gone = Layer("x", "x", at(data / "not there.gpkg", "x"), DataKind.VECTOR)
    layers = [layer(cache, survey, "closed_zones"), gone, layer(cache, data / "elevation_2031.tif")]
    found = probe_all(DataCache(), layers, Where.at(508_700, 5_771_900, UTM, 5))
    assert [f.layer_id for f in found] == ["closed_zones", "elevation_2031"]


# Held


def held(number, *readings, x=0.0):
    return Held(number, f"p{number}", x, 0.0, UTM, ProbeResult("l", f"layer {number}", tuple(readings)))


def test_held_probes_side_by_side():
    a = held(
        1,
        ProbeValue("area", 100, "100", "m²", "attributes", "AREA"),
        ProbeValue("kind", "lava", "lava", "", "attributes"),
    )
    b = held(
        2,
        ProbeValue("Area", 110, "110", "m²", "attributes", "area"),
        ProbeValue("kind", "ash", "ash", "", "attributes"),
    )
    c = held(3, ProbeValue("size", 100, "100", "m²", "attributes", "size_m2"))
    lines = {line.key: line for line in compare([a, b, c])}
    assert lines["area"].cells == ("100 m²", "110 m²", "") and lines["area"].differs == ("", "+10 (+10.0%)", "not here")
    assert lines["kind"].differs == ("", "unequal", "not here") and lines["size_m2"].differs[2] == "only here"
    matched = {line.key: line for line in compare([a, b, c], {"size_m2": "AREA"})}
    assert matched["area"].cells == ("100 m²", "110 m²", "100 m²") and not matched["area"].differs[2]
    assert "area\t100 m²\t110 m²\t100 m²\t+10 (+10.0%)\t" in as_table([a, b, c], {"size_m2": "AREA"})


@pytest.mark.parametrize(
    ("a", "b", "unit", "text"),
    [
        (2.0, 3.0, "m", "+1 (+50.0%)"), (0, 5, "m", "+5"), (-4, -6, "m", "-2 (-50.0%)"), (1, 1, "m", ""), (None, None, "m", ""),
        (None, 1, "m", "unknown in the first"), (1, None, "m", "unknown here"), ("a", "a", "m", ""), (True, False, "m", "unequal"),
        (1, 2, "ft", "other unit, ft"), (5_000_000, 7_500_000, "m", "+2,500,000 (+50.0%)"),
    ],
)  # fmt: skip
def test_differences(a, b, unit, text):
    assert difference(ProbeValue("v", a, str(a), "m"), ProbeValue("v", b, str(b), unit)) == text


def test_spectra_are_reflectance_over_wavelength(cache, data):
    scene = layer(cache, data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave")
    finding = probe(cache, scene, Where.at(505_500, 5_773_500, UTM, 5))
    (spectrum,) = spectra([Held(1, "green", 0, 0, UTM, finding), held(2, ProbeValue("n", 1, "1"))])
    bands = cache.raster(scene.ref).facts.grid.bands
    assert spectrum.wavelength.tolist() == sorted(b.centre_um for b in bands) and spectrum.unit == "reflectance"
    assert spectrum.value[3] > 2 * spectrum.value[2]  # leaves shine beyond red
    assert (spectrum.value > 0).all() and (spectrum.value < 1).all()


def test_held_probes_become_a_layer_of_points(tmp_path, cache, data):
    elevation = layer(cache, data / "elevation_2031.tif")
    there = [(508_700.0, 5_771_900.0), (505_000.0, 5_773_000.0)]
    kept = [
        Held(i, f"p{i}", x, y, UTM, probe(cache, elevation, Where.at(x, y, UTM, 5)))
        for i, (x, y) in enumerate(there, 1)
    ]
    lon, lat = transform(np.array([there[1]]), UTM, "EPSG:4326")[0]
    kept[1] = replace(kept[1], x=lon, y=lat, crs="EPSG:4326")
    path = save_probes(kept, {}, tmp_path / "probes.gpkg")
    held_anew = DataCache()
    features = held_anew.features(at(path, "probes"))
    assert features.shapes.xy == pytest.approx(np.array(there), abs=1e-3) and features.crs == UTM
    table = features.table
    assert table.column("elevation").to_pylist() == [k.finding.reading("elevation").value for k in kept]
    assert table.column("name").to_pylist() == ["p1", "p2"] and as_rows(kept).num_rows == 2
