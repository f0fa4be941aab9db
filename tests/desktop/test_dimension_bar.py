"""Sliders by real coordinates over the map, times shared by layers, and the chart in the probe."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from brisk_atlas.core.inspect import Where
from made_files import write_sea


@pytest.fixture
def sea(driver, tmp_path):
    write_sea(tmp_path / "sea.nc")
    write_sea(tmp_path / "later.nc", units="days since 2029-02-01")
    driver.open(tmp_path / "sea.nc")
    driver.window.show_page("desk")
    driver.settle()
    return driver


def shown(d, name):
    return d.layer(name).style.bands[0]


def test_time_and_depth_are_gone_along_by_key_in_one_step_of_undo(sea):
    d, bar = sea, sea.window.desk.map.along
    assert bar.isVisible() and set(bar.sliders) == {"time", "depth"}
    assert bar.values["time"].text() == "2029-01-15 12:00"
    first = d.canvas.frames[0][0].copy()
    slider = bar.sliders["time"]
    for _ in range(3):
        d.press(slider, Qt.Key.Key_Right)
    d.settle()
    assert bar.values["time"].text() == "2029-04-15 12:00" and shown(d, "warmth") == 10
    assert d.canvas.frames[0][0] != first
    d.press(bar.sliders["depth"], Qt.Key.Key_End)
    assert bar.values["depth"].text() == "200 m" and shown(d, "warmth") == 12
    d.work.undo()
    d.settle()
    assert shown(d, "warmth") == 1 and bar.sliders["time"].value() == 0


def test_a_time_is_shared_by_all_layers_that_have_times(sea, tmp_path):
    d, bar = sea, sea.window.desk.map.along
    d.open(tmp_path / "later.nc")
    d.work.choose(d.layer("warmth").id)
    d.settle()
    d.press(bar.sliders["time"], Qt.Key.Key_Right)
    assert shown(d, "warmth 2") == 1
    d.click(bar.shared, (8, bar.shared.height() // 2))
    assert shown(d, "warmth 2") == 1 + 3 * 0  # 1 February is nearest to 15 February
    bar.sliders["time"].setValue(5)
    d.settle()
    assert bar.values["time"].text() == "2029-06-15 12:00"
    assert shown(d, "warmth 2") == 1 + 3 * 4  # 1 June


def test_the_probe_charts_the_value_along_time_and_along_depth(sea):
    d, chart = sea, sea.window.desk.probe.along
    assert not chart.isVisible()
    view = d.canvas.view
    d.click(d.canvas, d.at(view.x, view.y))
    assert chart.isVisible()
    assert [chart.choice.itemText(i) for i in range(chart.choice.count())] == [
        "warmth along time",
        "warmth along depth",
    ]
    assert chart.line.getAxis("bottom") is chart.line.dates
    d.choose(chart.choice, "warmth along depth")
    chart.choice.activated.emit(1)
    assert chart.line.getAxis("bottom").labelText == "depth, m"
    d.window.desk.probe.probe(Where.at(view.x + 50, view.y, d.work.state.crs, 0.0))
    d.settle()
    assert not chart.isVisible()


def test_a_layer_without_dimensions_has_no_sliders(demo_driver):
    demo_driver.window.show_page("desk")
    demo_driver.settle()
    assert not demo_driver.window.desk.map.along.isVisible()
