"""Values over time of the features on a page: those of the table, in order, by any kind of key and time."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, datetime

import duckdb
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from test_album_page import picture

from brisk_atlas import demo
from brisk_atlas.core.album.page_file import album_page
from brisk_atlas.core.album.page_parts import PageContent, PageFeatures, PageFigure, PageSeries
from brisk_atlas.core.album.plate_features import features_in_view
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import Columns, OpenOptions
from brisk_atlas.core.operations.album_series import MOST_POINTS, guessed_series, series_for
from brisk_atlas.core.workspace.plates import PlateSeries, PlateView
from brisk_atlas.core.workspace.workspace import Workspace
from browser import browser, needs_browser, violations

VIEW = View(509_000, 5_770_500, 20.0, 700, 500, "EPSG:32727")


@pytest.fixture
def opened(tmp_path):
    """Stations on a map, and a table about them that is given."""
    rows = [
        "station,easting,northing",
        "G01,509000,5770500",
        "7,510000,5770900",
        "ÅØ,508000,5770100",
        ",508100,5770200",
    ]
    (tmp_path / "stations.csv").write_text("\n".join(rows) + "\n", "utf-8")
    with Workspace() as workspace:

        def with_table(**columns):
            pq.write_table(pa.table(columns), tmp_path / "readings.parquet")
            stated = OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing"))
            workspace.open(tmp_path / "stations.csv", stated)
            workspace.open(tmp_path / "readings.parquet")
            layers = {layer.name: layer for layer in workspace.work.layers}
            view = PlateView(workspace.work.layers)
            return workspace.cache, view, features_in_view(workspace.cache, layers["stations"], VIEW, "station"), layers

        yield with_table


def lines(series, found):
    """Return the lines of a series by the keys of features."""
    return {key: series.lines[at] for key, at in zip(found.keys, series.of_rows) if at is not None}


def series_of(opened, **columns):
    cache, view, found, layers = opened(**columns)
    wanted = PlateSeries(layers["stations"].id, "station", layers["readings"].id, "station", "time", "value")
    series = series_for(cache, view, wanted, found)
    return series, lines(series, found) if series is not None else {}


def test_values_are_sorted_by_time_and_those_without_one_are_left_out(opened):
    found, points = series_of(
        opened, station=["G01", "7", "G01", "G01", "other", "ÅØ", "7"], value=[3.5, 1.0, 1.5, None, 9.0, 2.0, float("nan")],
        time=[datetime(2031, 6, 24, 12, 30), datetime(2030, 1, 1), datetime(2029, 1, 1), datetime(2028, 1, 1), datetime(2030, 1, 1), datetime(2030, 1, 1), datetime(2030, 1, 1)],
    )  # fmt: skip
    assert points == {
        "G01": (("2029-01-01T00:00:00", 1.5), ("2031-06-24T12:30:00", 3.5)), "7": (("2030-01-01T00:00:00", 1.0),),
        "ÅØ": (("2030-01-01T00:00:00", 2.0),)}  # fmt: skip
    assert found.title == "value" and found.source == "readings" and not found.is_thinned


@pytest.mark.parametrize("times,texts", [
    ([2029, 2031], ["2029", "2031"]), ([date(2029, 1, 2), date(2031, 3, 4)], ["2029-01-02", "2031-03-04"]),
])  # fmt: skip
def test_years_days_and_numbers_as_keys(opened, times, texts):
    _, points = series_of(opened, station=[7, 7], time=times, value=[4, 5])
    assert points == {"7": ((texts[0], 4.0), (texts[1], 5.0))}


def test_large_whole_numbers_are_the_same_key_however_they_are_stored(tmp_path):
    (tmp_path / "wells.csv").write_text("well,easting,northing\n1234567,509000,5770500\n20001,510000,5770900\n")
    with Workspace() as workspace:
        workspace.open(tmp_path / "wells.csv", OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing")))
        for number, keys in enumerate(([1234567.0, 20001.0], ["1234567", "20001"], [1234567, 20001])):
            pq.write_table(
                pa.table({"well": keys, "year": [2029, 2031], "level": [1.5, 2.5]}),
                tmp_path / f"levels_{number}.parquet",
            )
            workspace.open(tmp_path / f"levels_{number}.parquet")
        layers = {layer.name: layer for layer in workspace.work.layers}
        view = PlateView(workspace.work.layers)
        found = features_in_view(workspace.cache, layers["wells"], VIEW, "well")
        for number in range(3):
            wanted = PlateSeries(layers["wells"].id, "well", layers[f"levels_{number}"].id, "well", "year", "level")
            series = series_for(workspace.cache, view, wanted, found)
            assert lines(series, found) == {"1234567": (("2029", 1.5),), "20001": (("2031", 2.5),)}


def test_nothing_that_fits_is_no_series(opened):
    assert series_of(opened, station=["x"], time=[2029], value=[1.0]) == (None, {})
    cache, view, found, layers = opened(station=["G01"], time=[2029], value=[1.0])
    for wrong in ({"table_key": "none"}, {"table": "none"}, {"value": "none"}):
        wanted = PlateSeries(layers["stations"].id, "station", layers["readings"].id, "station", "time", "value")
        assert series_for(cache, view, wanted._replace(**wrong), found) is None


def test_the_series_of_the_demo_are_those_of_the_table():
    with Workspace() as workspace:
        stated = OpenOptions(crs="EPSG:4326", columns=Columns("longitude", "latitude"))
        workspace.open(demo.DATA / "gas_stations.csv", stated)
        workspace.open(demo.DATA / "gas_readings.parquet")
        view = PlateView(workspace.work.layers)
        layers = {layer.name: layer for layer in workspace.work.layers}
        proposed = guessed_series(view, {each.id: workspace.cache.part(each.ref).facts for each in view.layers})
        assert (proposed.key, proposed.table_key, proposed.time, proposed.value) == (
            "station",
            "station",
            "time",
            "so2_ppm",
        )
        whole = View(509_500, 5_770_500, 40.0, 700, 500, "EPSG:32727")
        found = features_in_view(workspace.cache, layers["gas_stations"], whole, "station")
        series = series_for(workspace.cache, view, proposed, found)
        table = demo.DATA / "gas_readings.parquet"
        for station, points in lines(series, found).items():
            rows = duckdb.sql(
                f"SELECT time, so2_ppm FROM '{table}' WHERE station = '{station}' AND so2_ppm IS NOT NULL ORDER BY time"
            ).fetchall()
            stated = {time.isoformat(timespec="seconds"): value for time, value in rows}
            assert (
                all(stated[text] == pytest.approx(value) for text, value in points)
                and len(points) <= MOST_POINTS[1] + 2
            )
            assert points == tuple(sorted(points)) and (points[0][0], points[-1][0]) == (min(stated), max(stated))
            values = [value for _, value in points]
            assert (min(values), max(values)) == pytest.approx((min(stated.values()), max(stated.values())))
        assert series.is_thinned and None not in series.of_rows
        page = album_page(
            PageContent("Gas", "", (PageFigure("part-1", "x", (), features=(replace(found, series=series),)),))
        ).decode()
        assert '"thinned":true' in page


def test_a_click_draws_the_line_and_says_it(tmp_path):
    needs_browser()
    points = {"G01": tuple((f"{2020 + n}", float(n * n)) for n in range(8)), "G02": (("2031-06-24", 5.0),)}
    boxes = [np.array([[x, 2], [x + 14, 2], [x + 14, 16], [x, 16], [x, 2]]) for x in (2, 22)]
    features = PageFeatures("stations", ("station",), (("G01",), ("G02",)), ("area", "area"), tuple((box,) for box in boxes),
                            series=PageSeries("SO2 </script>, ppm", "readings", tuple(points.values()), (0, 1), True))  # fmt: skip
    path = tmp_path / "album.html"
    page_text = album_page(
        PageContent("Gas", "", (PageFigure("part-1", "Stations", (picture(),), features=(features,)),))
    ).decode()
    path.write_text(page_text, "utf-8")
    assert json.dumps("G01") in page_text
    with browser() as page:
        page.get(path.as_uri())
        stage = page.find_element("css selector", ".stage")
        for place, words in (
            (-0.27, "SO2 </script>, ppm: 8 values from 2020 to 2027, between 0 and 49"),
            (0.22, "1 values from 2031-06-24"),
        ):
            ActionChains(page).move_to_element_with_offset(
                stage, round(place * stage.size["width"]), 0
            ).click().perform()
            (chart,) = page.find_elements("css selector", ".picked svg.chart")
            assert words in chart.get_attribute("aria-label")
        assert "lows and highs" in page.find_element("css selector", ".picked").text and violations(page) == []
        assert not [each for each in page.get_log("browser") if each["level"] == "SEVERE"]
