"""Layers of several dates: the bar of their dates, stepping, playing, the stretch that counts, charts and statistics."""

from __future__ import annotations

import numpy as np
import pytest
import rasterio
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QToolButton
from rasterio.transform import from_origin

from brisk_atlas import demo

CTRL = Qt.KeyboardModifier.ControlModifier
YEARS = (2026, 2027, 2029, 2031)


@pytest.fixture
def series(driver, tmp_path):
    """Grids of four dates, each rising by 2 m a year from west to east, the earliest one opened last."""
    for year in reversed(YEARS):
        path = tmp_path / f"dome_{year}.tif"
        values = np.add.outer(np.zeros(40), np.arange(50.0)) + 2.0 * (year - 2026)
        with rasterio.open(
            path, "w", driver="GTiff", count=1, height=40, width=50, dtype="float32", crs="EPSG:32727",
            transform=from_origin(504_000, 5_776_000, 10, 10),
        ) as out:  # fmt: skip
            out.write(values.astype("float32"), 1)
            out.set_band_unit(1, "m")
        driver.open(path)
    driver.window.desk.map.fit_all()
    driver.settle()
    return driver


def shown(d):
    return {layer.name for layer in d.work.layers if layer.visible and layer.name.startswith("dome_")}


def bar(d):
    return d.window.desk.map.dates


def click_mark(d, number):
    track = bar(d).track
    d.qtbot.mouseClick(track, Qt.MouseButton.LeftButton, pos=QPoint(round(track.x_of(number)), track.height() // 2))
    d.settle()


def test_the_dates_stand_where_they_are_in_time_and_show_their_layer(series):
    d = series
    assert bar(d).isVisible() and bar(d).track.texts == tuple(map(str, YEARS))
    track = bar(d).track
    places = [track.x_of(number) for number in range(4)]
    assert (places[2] - places[1]) / (places[1] - places[0]) == pytest.approx(2.0, abs=0.02)
    click_mark(d, 2)
    assert shown(d) == {"dome_2029"} and d.work.subject.name == "dome_2029" and bar(d).date.text() == "2029"
    d.click(bar(d).findChild(QToolButton, "next date"))
    d.press(track, Qt.Key.Key_Left)
    d.press(track, Qt.Key.Key_Left)
    d.settle()
    assert shown(d) == {"dome_2027"}
    d.press(d.canvas, Qt.Key.Key_Z, CTRL)  # a walk through the dates is one step
    d.settle()
    assert shown(d) == {f"dome_{year}" for year in YEARS}


def test_playing_goes_round_within_the_stretch_that_counts(series, qtbot):
    d = series
    click_mark(d, 1)
    track = bar(d).track
    y = track.height() // 2
    d.drag(track, (round(track.x_of(0)) - 8, y), (round(track.x_of(1)), y))
    d.drag(track, (round(track.x_of(3)) + 8, y), (round(track.x_of(2)), y))
    assert bar(d).ends == (1, 2)
    seen = []
    d.window.session.work_changed.connect(lambda what: seen.append(d.work.subject.name))
    bar(d).player._timer.setInterval(60)
    qtbot.mouseClick(bar(d).player, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(set(seen)) == 2 and len(seen) > 4, timeout=60_000)
    qtbot.mouseClick(bar(d).player, Qt.MouseButton.LeftButton)
    d.settle()
    assert set(seen) == {"dome_2027", "dome_2029"}


def test_the_probe_charts_the_value_through_the_dates(series):
    d = series
    click_mark(d, 3)
    d.click(d.canvas, d.at(504_105, 5_775_805))
    chart = d.window.desk.probe.along
    name, through = chart.series[0]
    assert chart.isVisible() and "dates" in name and through.unit == "m"
    assert through.values == pytest.approx((10.0, 12.0, 16.0, 20.0)) and through.at == 3


def test_statistics_become_a_layer_that_shows_the_trend(series):
    d = series
    d.click(bar(d).statistics)
    made = d.work.subject
    assert made.name.startswith("statistics_dome_2026") and made.style.bands == (5,)
    facts = d.window.session.facts_of(made)
    assert [band.name for band in facts.grid.bands][4] == "trend" and facts.grid.bands[4].unit == "m/a"
    with rasterio.open(made.ref.path) as file:
        assert file.read(5) == pytest.approx(np.full((40, 50), 2.0), abs=0.01)
        assert file.read(8) == pytest.approx(np.full((40, 50), 4.0))


def test_a_layer_without_other_dates_has_no_bar(driver):
    driver.open(demo.DATA / "elevation_2031.tif")
    assert not bar(driver).isVisible()


def test_a_grid_with_times_plays_too(driver, qtbot):
    d = driver
    d.open(demo.DATA / "sea_temperature.nc")
    along = d.window.desk.map.along
    player, slider = along.findChild(QToolButton, "play time"), along.sliders["time"]
    player._timer.setInterval(60)
    slider.setValue(slider.maximum() - 1)
    d.settle()
    seen = []
    slider.valueChanged.connect(seen.append)
    qtbot.mouseClick(player, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: 0 in seen and 1 in seen, timeout=60_000)
    qtbot.mouseClick(player, Qt.MouseButton.LeftButton)
    d.settle()


def test_the_dates_of_a_field_show_the_rows_of_each_on_the_map_and_in_the_sheet(driver):
    d = driver
    d.open(demo.DATA / "ash_samples.geojson")
    d.window.commands.do("sheet")
    d.settle()
    fields, dates = d.window.desk.sheet.fields, d.window.desk.map.rows_dates
    fields.take_field("note")
    d.window.commands.refresh()
    assert not d.window.commands["field_dates"].isEnabled() and not dates.isVisible()
    fields.take_field("sampled")
    d.window.commands.do("field_dates")
    d.settle()
    days = sorted(set(d.window.session.cache.features(d.work.subject.ref).table.column("sampled").to_pylist()))
    assert dates.isVisible() and list(dates.track.texts) == [str(day) for day in days]
    assert dates.date.text() == "all dates" and len(d.window.desk.sheet.grid.sheet.order) == 74
    d.click(dates.findChild(QToolButton, "next date"))
    d.click(dates.findChild(QToolButton, "next date"))
    rows = d.work.subject.rows
    assert (dates.track.at, rows.filters[0].low, rows.on_map) == (1, days[1], True)
    assert (
        len(d.window.desk.sheet.grid.sheet.order) == dates.steps[1].rows
        and f"{dates.steps[1].rows} row" in dates.date.text()
    )
    d.click(dates.before)
    assert len(d.window.desk.sheet.grid.sheet.order) == dates.steps[0].rows + dates.steps[1].rows
    d.window.commands.do("undo")  # all the way: what follows on each other is one step
    d.settle()
    assert dates.isVisible() and d.work.subject.rows.filters == () and dates.track.at == -1
    dates.go(3)
    d.settle()
    d.click(dates.close_bar)
    assert (
        not dates.isVisible() and d.work.subject.rows.filters == () and len(d.window.desk.sheet.grid.sheet.order) == 74
    )
