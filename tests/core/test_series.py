"""Grids of several dates: which belong together, and the statistics of each cell."""

from __future__ import annotations

import itertools
import json
from datetime import date

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pytest
import rasterio
from rasterio.transform import from_origin
from scipy import stats

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.compare.layer_series import dated_bands, series_with
from brisk_atlas.core.compare.layer_time import layer_time, time_in
from brisk_atlas.core.compare.partner import best_partner, in_order_of_time
from brisk_atlas.core.compare.record_time import time_of_record
from brisk_atlas.core.compare.series import SECONDS_A_YEAR, DatedBand, series_statistics, years_of
from brisk_atlas.core.model import AtlasError, Facts
from brisk_atlas.core.record.model import DatedEvent, Period, Record
from brisk_atlas.core.table.time_steps import time_steps
from brisk_atlas.core.workspace import Workspace


def dated(folder, values, *, nodata=-99.0, shift=0.0):
    """Write a grid a year from 2000 on; returns them as a series."""
    found = []
    for number, each in enumerate(values):
        path = folder / f"height_{2000 + number}.tif"
        rows, cols = each.shape
        with rasterio.open(
            path, "w", driver="GTiff", count=1, height=rows, width=cols, dtype="float32", nodata=nodata,
            crs="EPSG:32727", transform=from_origin(500_000 + (shift if number else 0), 5_770_000, 10, 10),
        ) as out:  # fmt: skip
            out.write(np.where(np.isnan(each), nodata, each).astype(np.float32), 1)
            out.set_band_unit(1, "m")
        found.append(DatedBand(read.open(path).parts[0], 1, time_in(path.name).seconds))
    return found


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("MERIDEL3_20310624", "2031-06-24"),
        ("tide 2031-06-24T10:30:05 level", "2031-06-24 10:30:05"),
        ("S2_20310624T103005_x", "2031-06-24 10:30:05"),
        ("ndvi_2031175.tif", "2031-06-24"),
        ("mean_2031_06", "2031-06"),
        ("elevation_2029", "2029"),
        ("run_99999999_2031", "2031"),
        ("tile 20311345", None),
        ("block 1234567890", None),
        ("zone 27", None),
    ],
)
def test_a_time_is_read_from_a_name(name, text):
    found = time_in(name)
    assert (found.text if found else None) == text


def test_what_a_scene_states_comes_before_its_name():
    facts = Facts("x", kind="raster", notes={"acquired": "2031-06-24T13:20:00Z"})
    assert layer_time("best of 2029", facts).text == "2031-06-24 13:20:00"
    assert layer_time("best of 2029", Facts("x", kind="raster")).text == "2029"
    assert layer_time("plain", None) is None


@pytest.mark.parametrize("gaps", [0.0, 0.25])
def test_statistics_are_those_of_other_libraries(tmp_path, gaps):
    random = np.random.default_rng(6)
    stack = random.normal(0, 1, (9, 7, 8)) + np.arange(9)[:, None, None] * random.normal(0, 0.4, (7, 8)) + 400
    stack[random.random(stack.shape) < gaps] = np.nan
    stack[:, 0, 0] = np.nan  # never measured
    stack[1:, 0, 1] = np.nan  # once
    stack[:, 0, 2] = 5.0  # always the same
    stack = stack.astype(np.float32).astype(float)
    found = series_statistics(dated(tmp_path, stack))
    count, low, high, mean, trend, chance, jump_at, jump = found.grid.values
    years = years_of([each.seconds for each in dated(tmp_path, stack)])
    assert (count == np.isfinite(stack).sum(axis=0)).all() and not found.grid.valid[0, 0]
    for row, col in np.ndindex(7, 8):
        known = np.isfinite(stack[:, row, col])
        values, at = stack[known, row, col], years[known]
        if not known.any():
            assert np.isnan([low[row, col], mean[row, col], trend[row, col]]).all()
            continue
        assert (low[row, col], high[row, col]) == (values.min(), values.max())
        assert mean[row, col] == pytest.approx(values.mean(), rel=1e-6)
        if len(values) < 2:
            assert np.isnan(trend[row, col]) and np.isnan(jump[row, col])
            continue
        steps = np.diff(values)
        if np.ptp(values):
            assert jump[row, col] == pytest.approx(steps[np.argmax(np.abs(steps))], rel=1e-5)
            assert jump_at[row, col] == pytest.approx(at[1:][np.argmax(np.abs(steps))], abs=2e-4)
        if len(values) > 2:
            line = stats.linregress(at, values)
            assert trend[row, col] == pytest.approx(line.slope, rel=1e-4, abs=1e-6)
            assert chance[row, col] == pytest.approx(line.pvalue if np.ptp(values) else 1.0, abs=1e-5)
        else:
            assert np.isnan(chance[row, col])


def test_dates_with_other_cells_are_interpolated_and_that_is_stated(tmp_path):
    values = np.add.outer(np.zeros(6), np.arange(8.0)) * 10
    found = series_statistics(dated(tmp_path, [values, values], shift=5.0))
    assert found.resampled == 1
    assert found.grid.values[4][:, 1:] == pytest.approx(-5.0 / (366 * 86_400 / SECONDS_A_YEAR), rel=1e-3)


def test_a_series_of_one_date_or_of_the_same_date_twice_is_refused(tmp_path):
    one = dated(tmp_path, [np.ones((2, 2))])
    for bands in (one, one + one):
        with pytest.raises(AtlasError, match="two dates or more"):
            series_statistics(bands)


def test_a_record_states_the_time_where_a_name_does_not_or_states_less():
    day = time_in("2031-06-24")
    assert (
        layer_time("relief", None, day).text == "2031-06-24" and layer_time("relief 2031", None, day).text == day.text
    )
    assert layer_time("relief 2029", None, day).text == "2029"  # a record of something else
    scene = Facts("x", kind="raster", notes={"acquired": "2030-01-02"})
    assert layer_time("relief", scene, day).text == "2030-01-02"
    both = Record(times=(Period("2030-05", "2030-06"),), dates=(DatedEvent("2031", "creation"),))
    assert time_of_record(both).text == "2030-05" and time_of_record(Record()) is None
    assert (
        time_of_record(Record(dates=(DatedEvent("2031", "revision"), DatedEvent("2032", "publication")))).text == "2032"
    )


def test_surfaces_are_measured_from_each_to_the_next_by_their_records_dates(tmp_path, capsys):
    truth = json.loads((demo.DATA.parent / "truth.json").read_text())
    paths = [demo.DATA / f"elevation_{year}.tif" for year in (2031, 2029)]
    paths.append(demo.DATA / "delivery_2032" / "elevation_2032.tif")
    table = tmp_path / "steps.csv"
    assert cli.main(["surface-steps", "--sources", *map(str, paths), "--path", str(table), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    first, second = found["steps"]
    assert (first["from"], first["to"], second["to"]) == ("elevation_2029", "elevation_2031", "elevation_2032")
    days = (date(2031, 6, 24) - date(2029, 3, 11)).days
    assert first["years"] == pytest.approx(days / 365.2425)
    assert first["net_m3"] == pytest.approx(truth["eruption_2031"]["net_change_m3"])
    assert second["net_m3"] == pytest.approx(truth["surface_2032"]["net_change_m3"])
    assert second["counts_from"] == pytest.approx(1.96 * np.hypot(0.21, 0.17), rel=1e-3)
    assert found["whole"]["net_m3"] == pytest.approx(first["net_m3"] + second["net_m3"])
    assert len(pyarrow.csv.read_csv(table)) == 3
    assert cli.main(["surface-steps", "--sources", *map(str, paths[:2])]) == 1
    assert "a sequence needs three surfaces" in capsys.readouterr().err


def test_layers_of_the_same_make_are_a_series_and_find_their_partner(tmp_path):
    dated(tmp_path, [np.full((4, 4), v) for v in (1.0, 2.0, 4.0)])
    with Workspace() as workspace:
        for name in ("height_2002.tif", "height_2000.tif", "height_2001.tif"):
            workspace.open(tmp_path / name)
        workspace.open(demo.DATA / "elevation_2031.tif")
        layers = workspace.work.layers
        facts = {layer.id: workspace.facts_of(layer) for layer in layers}
        times = {layer.id: workspace.time_of(layer) for layer in layers}
        subject = next(layer for layer in layers if layer.name == "height_2001")
        series = series_with(subject, layers, facts, times)
        assert [each.name for each in series] == ["height_2000", "height_2001", "height_2002"]
        assert [band.seconds for band in dated_bands(workspace.cache, [subject], times)] == [series[1].time.seconds]
        others = [layer for layer in layers if layer.id != subject.id]
        best = best_partner(subject, others, facts)
        assert best.name.startswith("height_")
        later = next(layer for layer in layers if layer.name == "height_2002")
        assert [la.name for la in in_order_of_time(later, subject, times)] == ["height_2001", "height_2002"]
        elevation = next(layer for layer in layers if layer.name == "elevation_2031")
        assert series_with(elevation, layers, facts, times) == []


def test_the_command_takes_files_or_a_grid_with_times(tmp_path, capsys):
    dated(tmp_path, [np.full((4, 4), v) for v in (1.0, 2.0, 3.0, 4.1)])
    paths = [str(tmp_path / f"height_{2000 + n}.tif") for n in range(4)]
    out = tmp_path / "statistics.tif"
    assert cli.main(["series-statistics", "--sources", *paths, "--path", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["rising_share"] == 1.0
    with rasterio.open(out) as file:
        assert file.descriptions[:5] == ("count", "minimum", "maximum", "mean", "trend") and file.units[4] == "m/a"
        assert file.read(5)[0, 0] == pytest.approx(1.03, abs=0.01)
    again = ["series-statistics", "--sources", *paths, "--path", str(out), "--end", "2001.5"]
    assert cli.main(again) == 0 and "2 dates" in capsys.readouterr().out
    assert cli.main(["series-statistics", "--sources", paths[0], "--path", str(out)]) == 1
    assert "its dates are known" in capsys.readouterr().err
    source = str(demo.DATA / "sea_temperature.nc")
    assert cli.main(["series-statistics", "--sources", source, "--path", str(tmp_path / "sea.tif"), "--json"]) == 0
    dates = json.loads(capsys.readouterr().out)["dates"]
    times = next(d for d in read.open(source).parts[0].facts.grid.dimensions if d.is_time)
    assert dates == len(times) > 10


@pytest.mark.parametrize(
    ("values", "kind", "texts", "rows"),
    [
        ([date(2031, 4, 1), date(2031, 4, 1), None, date(1931, 5, 2)], pa.date32(), ["1931-05-02", "2031-04-01"], [1, 2]),
        ([0, 10**9, 1, 61 * 10**9], pa.timestamp("ns"), ["1970-01-01 00:00:00", "1970-01-01 00:00:01", "1970-01-01 00:01:01"],
         [2, 1, 1]),
        ([-3600, 23 * 3600], pa.timestamp("s", "+02:00"), ["1970-01-01 01:00:00", "1970-01-02 01:00:00"], [1, 1]),
        (list(range(0, 400 * 86_400, 3600)), pa.timestamp("s"), [f"1970-{m:02}" for m in range(1, 13)] + ["1971-01", "1971-02"],
         None),
        ([date(year, 7, 1) for year in range(1000, 1900)], pa.date32(), [f"{year}0s" for year in range(100, 190)], [10] * 90),
    ],
)  # fmt: skip
def test_times_become_steps_of_the_finest_unit_that_gives_few_enough(values, kind, texts, rows):
    steps = time_steps(pa.chunked_array([pa.array(values, kind)]))
    assert [step.text for step in steps] == texts
    assert [step.rows for step in steps] == rows or rows is None
    assert sum(step.rows for step in steps) == len([v for v in values if v is not None])
    assert all(a.last < b.first for a, b in itertools.pairwise(steps))
