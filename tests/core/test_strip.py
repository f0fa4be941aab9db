"""Profiles: distances on the ellipsoid, grids along a line, points in their order, stretches, thinning."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyogrio
import pyproj
import pytest
import rasterio
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import csv, parquet
from rasterio.transform import from_origin

from brisk_atlas import cli, demo
from brisk_atlas.core.model import AtlasError, FieldFilter
from brisk_atlas.core.strip.corridor import points_along
from brisk_atlas.core.strip.profile import Profile, Trace, breaks_between, distances_along, thinned
from brisk_atlas.core.strip.sources import grids_along, line_of_row, points_in_order
from brisk_atlas.core.strip.trace_filters import area_between, smoothed, spikes
from brisk_atlas.core.workspace import Workspace

UTM = "EPSG:32727"


def profile_of(distance, *traces):
    distance = np.asarray(distance, float)
    xy = np.column_stack([distance, np.zeros(len(distance))])
    return Profile("line", "", distance, xy, UTM, traces, np.zeros(len(distance), bool))


def test_distances_are_those_of_the_ellipsoid_in_any_crs():
    random = np.random.default_rng(2)
    degrees = np.column_stack([random.uniform(-21, -20.7, 40), random.uniform(-38.4, -38.1, 40)])
    geod = pyproj.Geod(ellps="WGS84")
    expected = np.concatenate([[0], np.cumsum(geod.inv(*degrees[:-1].T, *degrees[1:].T)[2])])
    assert distances_along(degrees, "EPSG:4326") == pytest.approx(expected, abs=1e-6)
    plane = np.column_stack(pyproj.Transformer.from_crs(4326, UTM, always_xy=True).transform(*degrees.T))
    assert distances_along(plane, UTM) == pytest.approx(expected, abs=1e-3)
    assert distances_along(np.array([[0, 0], [3, 4], [3, 4]], float), None).tolist() == [0, 5, 5]
    assert distances_along(np.array([[0.0, 0.0]]), UTM).tolist() == [0]


@pytest.mark.parametrize("south_up", [False, True])
def test_grids_along_a_line_have_the_cells_that_it_passes(tmp_path, south_up):
    values = np.arange(50 * 60, dtype=np.float32).reshape(50, 60)
    values[20:30, 30:35] = -1
    path = tmp_path / "grid.tif"
    transform = from_origin(500_000, 5_770_000, 10, 10)
    stored = values[::-1] if south_up else values
    place = rasterio.Affine(10, 0, 500_000, 0, 10, 5_769_500) if south_up else transform
    with rasterio.open(path, "w", driver="GTiff", count=1, width=60, height=50, dtype="float32", nodata=-1, crs=UTM,
                       transform=place) as out:  # fmt: skip
        out.write(stored, 1)
        out.set_band_unit(1, "m")
    line = np.array([[500_015, 5_769_985], [500_455, 5_769_625], [500_555, 5_769_655]], float)
    with Workspace() as workspace:
        grids = workspace.open(path)
        found = grids_along(workspace.cache, grids, line, UTM)
        with pytest.raises(AtlasError, match="no length"):
            grids_along(workspace.cache, grids, line[:1], UTM)
    (trace,) = found.traces
    col, row = ((found.xy[:, 0] - 500_000) // 10).astype(int), ((5_770_000 - found.xy[:, 1]) // 10).astype(int)
    expected = np.where(values[row, col] == -1, np.nan, values[row, col])
    assert np.isnan(expected).any() and np.array_equal(trace.values, expected, equal_nan=True) and trace.unit == "m"
    assert len({*zip(col.tolist(), row.tolist())}) > 55 and found.length == pytest.approx(
        distances_along(line, UTM)[-1]
    )
    corner = found.xy[found.nearest(distances_along(line, UTM)[1])]
    assert corner == pytest.approx(line[1])  # corners are samples


def test_a_survey_is_read_along_its_track_in_time_with_its_gaps():
    truth = json.loads((demo.DATA.parent / "truth.json").read_text())
    with Workspace() as workspace:
        (layer,) = workspace.open(demo.DATA / "boat_lines" / "tso2901.mgd77")
        found = points_in_order(workspace.cache, layer)
        table = workspace.cache.table(layer.ref)
    traces = {trace.name: trace.values for trace in found.traces}
    assert "depth_m" in traces and len(found) == table.num_rows and np.all(np.diff(found.time) > np.timedelta64(0))
    assert found.length == pytest.approx(23_950, rel=0.01) and not found.breaks.any()
    field = traces["magnetic_total_nt"]
    gap = np.flatnonzero(np.isnan(field))
    assert 5 < gap.size < 20 and np.all(np.diff(gap) == 1)
    assert traces["depth_m"].tolist() == table.column("depth_m").to_pylist() and truth  # as the file has them


def written(path, shapes, **columns):
    table = pa.table({**columns, "geometry": shapely.to_wkb(np.array(shapes, object))})
    pyogrio.write_arrow(table, path, layer=path.stem, driver="GPKG", geometry_name="geometry",
                        geometry_type="Unknown", crs=UTM)  # fmt: skip
    return path


def test_points_go_by_their_time_and_filters_and_break_where_nothing_was_measured(tmp_path):
    x = [0, 100, 200, 300, 5000, 5100, 5200]
    points = [shapely.Point(500_000 + each, 5_770_000) for each in x]
    times = pa.array(np.array([6, 5, 4, 3, 2, 1, 0], "datetime64[D]").astype("datetime64[ms]"))
    path = written(tmp_path / "p.gpkg", points, when=times, value=[1.0, 2, None, 4, 5, 6, 7], name=list("abcdefg"))
    with Workspace() as workspace:
        (layer,) = workspace.open(path)
        found = points_in_order(workspace.cache, layer)
        assert found.rows.tolist() == [6, 5, 4, 3, 2, 1, 0] and [trace.name for trace in found.traces] == ["value"]
        assert np.flatnonzero(found.breaks).tolist() == [3]
        view = replace(layer.rows, filters=(FieldFilter("name", "values", values=("a", "b", "d")),), on_map=True)
        few = points_in_order(workspace.cache, replace(layer, rows=view))
        assert few.rows.tolist() == [3, 1, 0]
        one = replace(layer.rows, filters=(FieldFilter("name", "values", values=("a",)),), on_map=True)
        with pytest.raises(AtlasError, match="fewer than two points"):
            points_in_order(workspace.cache, replace(layer, rows=one))
        line = shapely.MultiLineString([[(0, 0, 1), (1, 0, 2)], [(5, 5, 7), (9, 5, 8), (9, 9, 9)]])
        (layer,) = workspace.open(written(tmp_path / "l.gpkg", [line, shapely.Point(0, 0)]))
        xy, (heights,) = line_of_row(workspace.cache, layer, 0)
        assert xy.tolist() == [[5, 5], [9, 5], [9, 9]] and heights.values.tolist() == [7, 8, 9]
        with pytest.raises(AtlasError, match="has no line"):
            line_of_row(workspace.cache, layer, 1)


def test_a_stretch_is_summed_up_with_its_slope_and_unknowns_apart():
    distance = np.linspace(0, 1000, 101)
    values = 5 + 0.02 * distance
    values[20:30] = np.nan
    found = profile_of(distance, Trace("z", "m", values), Trace("none", "", np.full(101, np.nan)))
    z, none = found.stretch(100, 500)
    known = values[10:51][np.isfinite(values[10:51])]
    assert (z.count, z.places, z.slope) == (31, 41, pytest.approx(0.02))
    assert (z.minimum, z.mean, z.maximum, z.deviation) == pytest.approx(
        (known.min(), known.mean(), known.max(), known.std())
    )
    assert none.count == 0 and np.isnan(none.mean)
    assert (
        found.nearest(104.9) == 10
        and found.nearest(105.1) == 11
        and found.nearest(-5) == 0
        and found.nearest(1e9) == 100
    )
    assert breaks_between(np.array([0.0, 0, 0])).tolist() == [False] * 3


def test_the_command_writes_profiles_of_grids_and_of_surveys(tmp_path, capsys):
    grids = [str(demo.DATA / f"elevation_{year}.tif") for year in (2029, 2031)]
    out = tmp_path / "line.csv"
    line = ["--line", "507000", "5769000", "511000", "5770000"]
    assert cli.main(["profile", "--sources", *grids, "--path", str(out), *line]) == 0
    table = csv.read_csv(out)
    assert table.column_names == ["distance_m", "x", "y", "elevation_2029 (m)", "elevation_2031 (m)"]
    assert table.column("distance_m")[-1].as_py() == pytest.approx(4123.1, abs=5)
    assert cli.main(["profile", "--sources", str(demo.DATA / "boat_lines" / "tso2902.mgd77"), "--path",
                     str(tmp_path / "s.parquet")]) == 0  # fmt: skip
    survey = parquet.read_table(tmp_path / "s.parquet")
    assert {"distance_m", "row", "time", "depth_m", "gravity_mgal"} <= set(survey.column_names)
    assert cli.main(["profile", "--sources", *grids, "--path", str(out)]) == 1 and "no line" in capsys.readouterr().err
    assert cli.main(["profile", "--sources", *grids, "--path", grids[0], *line]) == 1
    assert cli.main(["profile", "--sources", *grids, "--path", str(tmp_path / "a.txt"), *line]) == 1


@settings(max_examples=60, deadline=None)
@given(st.integers(2, 3000), st.integers(3, 60), st.integers(0, 2**31))
def test_what_is_left_out_of_a_drawn_line_changes_no_column(count, columns, seed):
    random = np.random.default_rng(seed)
    distance = np.sort(random.uniform(0, 100, count))
    values = random.normal(size=count)
    values[random.random(count) < 0.1] = np.nan
    places = thinned(distance, values, 20.0, 80.0, columns)
    assert np.all(np.diff(places) > 0) and len(places) <= 4 * (columns + 2)
    inside = np.flatnonzero((distance >= 20) & (distance < 80) & np.isfinite(values))
    for column in range(columns):
        own = inside[np.floor((distance[inside] - 20) / 60 * columns) == column]
        if own.size:
            left = np.intersect1d(places, own)
            assert values[left].min() == values[own].min() and values[left].max() == values[own].max()
            assert {own[0], own[-1]} <= set(left.tolist())


def test_points_beside_a_line_stand_in_their_order_along_it(tmp_path):
    random = np.random.default_rng(4)
    xy = np.column_stack([random.uniform(0, 1000, 400), random.uniform(-30, 30, 400)]) + (500_000, 5_770_000)
    table = pa.table({"wkb_geometry": shapely.to_wkb(shapely.points(xy)), "gold": xy[:, 0]})
    path = tmp_path / "p.gpkg"
    pyogrio.write_arrow(table, path, geometry_name="wkb_geometry", geometry_type="Point", crs=UTM)
    line = np.array([[500_900.0, 5_770_000], [500_100, 5_770_000]])
    with Workspace() as workspace:
        (layer,) = workspace.open(path)
        found = points_along(workspace.cache, layer, line, UTM, 20.0)
        with pytest.raises(AtlasError, match="fewer than two of its points lie within"):
            points_along(workspace.cache, layer, line + (0, 500), UTM, 20.0)
    inside = (np.abs(xy[:, 1] - 5_770_000) <= 10) & (xy[:, 0] >= 500_100) & (xy[:, 0] <= 500_900)
    expected = np.flatnonzero(inside)[np.argsort(-xy[inside, 0])]
    assert found.rows.tolist() == expected.tolist() and found.traces[0].values.tolist() == xy[expected, 0].tolist()
    assert found.distance == pytest.approx(500_900 - xy[expected, 0], rel=1e-3)


@settings(max_examples=40, deadline=None)
@given(st.integers(2, 60), st.integers(0, 2**31))
def test_areas_to_both_sides_of_a_reference_are_those_of_fine_steps(count, seed):
    random = np.random.default_rng(seed)
    at = np.cumsum(random.uniform(0.5, 2, count))
    values, level = random.normal(size=count), random.normal(size=count) * 0.3
    breaks = random.random(count) < 0.1
    above, below = area_between(at, values, level, breaks)
    fine_above = fine_below = 0.0
    for n in range(1, count):
        if not breaks[n]:
            off = np.linspace(values[n - 1] - level[n - 1], values[n] - level[n], 4001)
            step = (at[n] - at[n - 1]) / 4001
            fine_above += np.maximum(off, 0).sum() * step
            fine_below += np.maximum(-off, 0).sum() * step
    assert (above, below) == pytest.approx((fine_above, fine_below), abs=count * 2e-3)


def test_smoothing_stops_at_breaks_and_spikes_are_found_among_smooth_values():
    random = np.random.default_rng(2)
    at = np.arange(10.0)
    breaks = at == 5
    assert smoothed(at, at, 4.0, breaks).tolist() == [1, 1.5, 2, 2.5, 3, 6, 6.5, 7, 7.5, 8]
    values = np.array([1.0, np.nan, 3, 4])
    assert np.isnan(smoothed(at[:4], values, 2.0)[1]) and smoothed(at[:4], values, 2.0)[2] == 3.5
    assert smoothed(at, at, 0.0) is at
    wave = np.sin(np.arange(300) / 15)
    assert not spikes(wave).any() and not spikes(np.full(30, 2.0)).any() and not spikes(wave[:3]).any()
    wave = wave + random.normal(0, 0.02, 300)
    wave[[40, 41, 200]] += 9
    assert np.flatnonzero(spikes(wave)).tolist() == [40, 41, 200]
