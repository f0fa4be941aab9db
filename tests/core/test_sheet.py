"""The table engine: order, what is asked for, sums, distributions, formats and copies."""

from __future__ import annotations

import csv
import datetime
import io
import json
import threading
import time

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.model import BadExpression, ColumnView, ComputedField, DataKind, Layer
from brisk_atlas.core.system.jobs import Cancelled, Job
from brisk_atlas.core.table import copying
from brisk_atlas.core.table.engine import Sheet
from brisk_atlas.core.table.formats import MISSING, text_of
from brisk_atlas.core.table.preview import preview
from made_files import at


@pytest.fixture
def sheet(lava):
    return Sheet(lava.table)


def test_filter_and_sort(sheet, truth):
    sheet.order = sheet.arrange("year = 2031", [("volume_m3", True)])
    assert len(sheet) == truth["eruption_2031"]["flows"]
    volumes = sheet.values(0, 100, ["volume_m3"])["volume_m3"]
    assert volumes == sorted(volumes, reverse=True)
    assert sum(volumes) == pytest.approx(truth["eruption_2031"]["lava_volume_m3"], rel=1e-6)


def test_only_what_is_asked_for_is_fetched(sheet):
    last = len(sheet) - 1
    assert len(sheet.values(3, 2, ["year"])["year"]) == 2 and len(sheet.values(last, 100, ["year"])["year"]) == 1
    assert sheet.values(999, 5, ["year", "vent"]) == {"year": [], "vent": []}


def test_cells_of_a_table_in_many_chunks_are_those_of_the_whole():
    whole = pa.table({"n": np.arange(1000), "t": [f"t{i}" for i in range(1000)]})
    sheet = Sheet(pa.Table.from_batches(whole.to_batches(max_chunksize=37)))
    sheet.order = np.random.default_rng(3).permutation(1000)
    got = sheet.values(500, 60, ["t", "n"])
    assert got["n"] == sheet.order[500:560].tolist() and got["t"] == [f"t{i}" for i in got["n"]]


def test_place_of_a_row(sheet):
    sheet.order = sheet.arrange("", [("year", True)])
    for place in (0, 7, len(sheet) - 1):
        assert sheet.place_of(int(sheet.order[place])) == place
    sheet.order = sheet.arrange("year = 1962")
    assert sheet.place_of(len(sheet.table) - 1) is None


@settings(max_examples=25, deadline=None)
@given(st.lists(st.one_of(st.none(), st.integers(-99, 99)), min_size=1, max_size=30), st.booleans())
def test_sorting_keeps_rows_and_puts_unknown_last(values, descending):
    sheet = Sheet(pa.table({"v": pa.array(values, pa.int64())}))
    sheet.order = sheet.arrange("", [("v", descending)])
    out = sheet.values(0, 99, ["v"])["v"]
    known = sorted((v for v in values if v is not None), reverse=descending)
    assert out == known + [None] * (len(values) - len(known))


def test_sorting_by_several_columns_and_among_chosen_rows():
    sheet = Sheet(pa.table({"a": [2, 1, 2, 1, 2], "b": [1, 5, 3, 4, 2]}))
    assert sheet.arrange("", [("a", False), ("b", True)]).tolist() == [1, 3, 2, 4, 0]
    among = np.array([1, 0, 1, 1, 0], bool)
    assert sheet.arrange("", [("a", False), ("b", True)], among).tolist() == [3, 2, 0]
    with pytest.raises(BadExpression, match="no such field"):
        sheet.arrange("", [("gone", False)])


def test_names_with_quotes_can_be_sorted_by():
    sheet = Sheet(pa.table({'odd "name"': [2, 1], "b c": [1, 2]}))
    assert sheet.arrange('"b c" > 0', [('odd "name"', False)]).tolist() == [1, 0]


@settings(max_examples=30, deadline=None)
@given(st.lists(st.one_of(st.none(), st.floats(-1e6, 1e6)), min_size=1, max_size=40), st.data())
def test_a_summary_says_what_numpy_says(values, data):
    sheet = Sheet(pa.table({"v": pa.array(values, pa.float64())}))
    sheet.order = np.array(sorted(data.draw(st.sets(st.integers(0, len(values) - 1), min_size=1))))
    shown = [values[i] for i in sheet.order]
    known = np.array([v for v in shown if v is not None])
    told = sheet.summary("v")
    assert (told.count, told.missing) == (known.size, len(shown) - known.size)
    assert told.distinct == len(set(known.tolist()) if known.size else ())
    if known.size:
        assert (told.minimum, told.maximum) == (known.min(), known.max())
        assert told.mean == pytest.approx(known.mean(), abs=1e-6) and told.total == pytest.approx(known.sum(), abs=1e-5)
    else:
        assert told.minimum is told.mean is told.maximum is None


def test_what_is_not_a_number_does_not_spoil_a_sum_and_text_has_no_mean():
    sheet = Sheet(pa.table({"v": [1.0, float("nan"), 3.0, float("inf")], "t": ["b", "a", "a", None]}))
    assert sheet.summary("v").mean == 2 and sheet.summary("v").total == 4
    told = sheet.summary("t")
    assert (told.count, told.missing, told.distinct, told.minimum, told.maximum) == (3, 1, 2, "a", "b")
    assert told.mean is None and told.total is None


def test_distributions_and_values_with_their_counts():
    days = [datetime.date(2031, 1, 1 + i % 3) for i in range(9)]
    sheet = Sheet(
        pa.table({"n": np.arange(9), "t": list("aaabbcaab"), "d": days, "u": pa.array([None] * 9, pa.float64())})
    )
    assert sheet.distribution("n").sum() == 9 and sheet.distribution("t").tolist() == [5, 3, 1]
    assert sheet.distribution("d").tolist().count(3) == 3 and sheet.distribution("u") is None
    assert sheet.distinct("t") == ([("a", 5), ("b", 3), ("c", 1)], 3)
    assert sheet.distinct("n", 2) == ([(0, 1), (1, 1)], 9)


def test_a_sort_of_many_rows_stops_when_it_is_asked_to():
    rows = 3_000_000
    sheet = Sheet(pa.table({"v": np.random.default_rng(1).random(rows)}))
    job = Job("sorting")
    threading.Timer(0.05, job.cancel).start()
    began = time.monotonic()
    with pytest.raises(Cancelled):
        for _ in range(50):
            sheet.arrange("sin(v) > 0.1", [("v", True)], check=job.check)
    stopped = time.monotonic() - began
    assert stopped < 30 and len(sheet.arrange("v > 0.5")) == pytest.approx(rows / 2, rel=0.01)  # and it still works


@pytest.mark.parametrize(
    ("value", "look", "text"),
    [
        (None, {}, MISSING), (float("nan"), {}, MISSING), (1234.5678, {}, "1,234.57"), (True, {}, "yes"), (7, {}, "7"),
        (1234.5678, {"form": "fixed", "digits": 1}, "1,234.6"), (1234.5, {"form": "fixed", "thousands": False}, "1234.50"),
        (0.1234, {"form": "percent", "digits": 1}, "12.3%"), (12345.0, {"form": "scientific", "digits": 3}, "1.234e+04"),
        (datetime.date(2031, 6, 24), {}, "2031-06-24"), (datetime.date(2031, 6, 24), {"form": "day"}, "24 Jun 2031"),
        (datetime.datetime(2031, 6, 24, 13, 50), {}, "2031-06-24 13:50"), (datetime.date(2031, 6, 24), {"form": "year"}, "2031"),
        (b"abc", {}, "3 bytes"), (12345, {"thousands": False}, "12345"),
    ],
)  # fmt: skip
def test_values_as_a_column_shows_them(value, look, text):
    assert text_of(value, ColumnView("f", **look)) == text


def test_copies_can_be_read_back():
    table = pa.table({"a": [1, None], "t": ['say "x",\ty', "ü"], "d": [datetime.date(2031, 1, 2), None]})
    rows = list(csv.reader(io.StringIO(copying.separated(table, ","))))
    assert rows == [["a", "t", "d"], ["1", 'say "x",\ty', "2031-01-02"], ["", "ü", ""]]
    wkb = pa.array([shapely.to_wkb(shapely.Point(508_700, 5_771_900, 12)), None], pa.binary())
    told = json.loads(copying.geojson(table, wkb, "EPSG:32727"))
    point, nothing = told["features"]
    assert point["geometry"]["coordinates"][:2] == pytest.approx([-20.900637, -38.200807], abs=1e-6)
    assert point["properties"] == {"a": 1, "t": 'say "x",\ty', "d": "2031-01-02"} and nothing["geometry"] is None
    assert shapely.from_wkt(copying.well_known(wkb, [0]).strip()) == shapely.Point(508_700, 5_771_900, 12)
    with pytest.raises(BadExpression, match="no CRS"):
        copying.geojson(table, wkb, None)


def test_the_first_rows_of_an_expression_are_those_of_all(cache, data, lava):
    layer = Layer("l", "lava", at(data / "tolvane_survey.gpkg", "lava_flows"), DataKind.VECTOR)
    field = ComputedField("thick", "volume_m3 / area_plane()")
    shown = preview(cache, layer, (), field, 5)
    assert shown.column_names == ["volume_m3", "thick"] and shown.num_rows == 5
    area = shapely.area(shapely.from_wkb(lava.wkb.to_numpy(zero_copy_only=False)[:5]))
    volume = lava.table.column("volume_m3").to_numpy()[:5]
    assert shown.column("thick").to_numpy() == pytest.approx(volume / area)
    with pytest.raises(BadExpression) as caught:
        preview(cache, layer, (), ComputedField("x", "volume / 2"), 5)
    assert caught.value.at == (0, 6)
