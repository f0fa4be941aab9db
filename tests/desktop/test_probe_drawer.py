"""Probe and Numbers: picking by every tool, stepping, holding, measuring, going to a place."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QPushButton, QToolButton

from brisk_atlas import demo
from brisk_atlas.core.workspace import Picks

CRATER, RIDGE, WOOD = (508_700, 5_771_900), (510_200, 5_770_300), (505_500, 5_773_500)
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def probe(demo_driver):
    return demo_driver.window.desk.probe


def at(d, place):
    return d.at(*place)


def board():
    return QGuiApplication.clipboard().text()


def draw(d, *places):
    """Drag over the map through places."""
    points = [QPoint(*map(round, d.at(*place))) for place in places]
    left = Qt.MouseButton.LeftButton
    d.qtbot.mousePress(d.canvas, left, Qt.KeyboardModifier.NoModifier, points[0])
    for a, b in pairwise(points):
        for share in (0.35, 0.7, 1.0):
            d.move(d.canvas, QPoint(round(a.x() + (b.x() - a.x()) * share), round(a.y() + (b.y() - a.y()) * share)))
    d.qtbot.mouseRelease(d.canvas, left, Qt.KeyboardModifier.NoModifier, points[-1])
    d.settle()


def test_a_click_says_what_each_layer_has_there_and_where_that_is(demo_driver, probe):
    d = demo_driver
    d.click(d.canvas, at(d, CRATER))
    told = probe.tree.readings()
    assert told["name"] == "Serrick crater" and told["area, ellipsoid"].endswith("m²") and told["valid"] == "yes"
    assert {f.title.split(",")[0] for f in probe.findings} == {"closed_zones", "elevation_2029", "sea floor"}
    assert probe.places.lines["utm"].text().startswith("27 south 508,7") and probe.places.lines[
        "mgrs"
    ].text().startswith("27H WT 08")
    d.click(probe.places.lines["sexagesimal"])
    assert board() == probe.places.lines["sexagesimal"].text() and "38°12′" in board()
    d.click(probe.findChild(QPushButton, "vertices"))
    assert "Vertices of row 1" in probe.tree.as_text() and probe.tree.readings()["29"]


def test_overlapping_features_are_stepped_through(demo_driver, probe, data):
    d = demo_driver
    d.work.choose(d.layer("closed_zones").id)
    shapes = d.window.session.cache.features(d.layer("closed_zones").ref).shapes
    from brisk_atlas.core.read.shape_index import index_of

    index = index_of(shapes)
    spots = [
        (x, y)
        for x in range(508_000, 512_000, 100)
        for y in range(5_768_000, 5_773_000, 100)
        if len(index.at(x, y, 0)) == 2
    ]
    x, y = spots[len(spots) // 2]
    d.click(d.canvas, d.at(x, y))
    assert probe.step.isVisible() and probe.step.text.text() == "1 of 2 in closed_zones"
    first = d.work.picks.rows
    d.click(probe.findChild(QToolButton, "step on"))
    assert probe.step.text.text() == "2 of 2 in closed_zones" and d.work.picks.rows != first
    d.click(probe.findChild(QToolButton, "step on"))
    assert d.work.picks.rows == first


def test_a_box_and_a_lasso_pick_what_they_meet(demo_driver, probe):
    d = demo_driver
    d.work.choose(d.layer("buildings").id)
    probe.set_scope("subject")
    d.window.commands.do("fit_subject")
    d.settle()
    boxes = d.window.session.cache.shapes_in(d.layer("buildings").ref, "EPSG:32727").bounds
    low, high = (510_100.0, 5_769_300.0), (510_700.0, 5_769_900.0)
    d.click(probe.bar.tools["box"])
    assert d.canvas.tool.kind == "box" and probe.bar.tools["box"].isChecked()
    draw(d, low, high)
    inside = (boxes[:, 2] >= low[0]) & (boxes[:, 0] <= high[0]) & (boxes[:, 3] >= low[1]) & (boxes[:, 1] <= high[1])
    assert set(d.work.picks.rows) ^ set(np.flatnonzero(inside)) <= set(np.flatnonzero(_edge(boxes, low, high)))
    assert len(d.work.picks.rows) > 5 and probe.where.text() == "middle of the box"
    d.window.commands.do("pick_lasso")
    draw(d, low, (high[0], low[1]), high)
    half = len(d.work.picks.rows)
    assert 0 < half < inside.sum()
    d.press(d.canvas, Qt.Key.Key_Escape)
    assert d.canvas.tool is None and not probe.bar.tools["lasso"].isChecked()


def _edge(boxes, low, high):
    """Return which boxes lie within a pixel or two of the drawn edge."""
    reach = 15
    return (
        (np.abs(boxes[:, [0, 2]] - low[0]) < reach).any(axis=1) | (np.abs(boxes[:, [0, 2]] - high[0]) < reach).any(axis=1)
        | (np.abs(boxes[:, [1, 3]] - low[1]) < reach).any(axis=1) | (np.abs(boxes[:, [1, 3]] - high[1]) < reach).any(axis=1)
    )  # fmt: skip


def test_a_line_is_drawn_by_clicks_and_by_keys(demo_driver, probe):
    d = demo_driver
    d.work.choose(d.layer("trails").id)
    probe.set_scope("subject")
    d.window.commands.do("pick_line")
    for place in ((506_000, 5_771_000), (509_000, 5_771_000)):
        d.click(d.canvas, at(d, place))
    d.click(d.canvas, at(d, (511_000, 5_773_000)))
    d.press(d.canvas, Qt.Key.Key_Backspace)
    assert len(d.canvas.tool.corners) == 2
    d.press(d.canvas, Qt.Key.Key_Return)
    d.settle()
    assert len(d.work.picks.rows) >= 2 and probe.where.text() == "half way along the line"


def test_a_box_over_a_cloud_keeps_the_header_apart(demo_driver, probe):
    d = demo_driver
    d.work.change("show", d.layer("laser strip").id, visible=True)
    d.work.choose(d.layer("laser strip").id)
    probe.set_scope("subject")
    d.window.commands.do("fit_subject")
    d.settle()
    d.click(d.canvas, at(d, (510_600, 5_769_650)))
    assert "classification" in probe.tree.readings() and "density" in probe.tree.readings()
    d.window.commands.do("pick_box")
    draw(d, (510_500, 5_769_500), (510_800, 5_769_800))
    text = probe.tree.as_text()
    assert "inside" in text and "header of the whole file" in text and "of 300,000" in text and "software\t" in text


def test_three_held_probes_stand_side_by_side_with_spectra(demo_driver, probe, tmp_path):
    d = demo_driver
    scene = d.layer("scene 2031")
    d.work.change("show", scene.id, visible=True)
    d.work.choose(scene.id)
    probe.set_scope("subject")
    d.window.commands.do("fit_all")
    d.settle()
    for place in (CRATER, RIDGE, WOOD):
        d.click(d.canvas, at(d, place))
        d.press(d.canvas, Qt.Key.Key_K)
    table = probe.below.table.table
    assert len(probe.held) == 3 and table.columnCount() == 4 and len(d.canvas.discs) == 3
    assert d.window.desk.side.width() >= 430
    rows = {table.item(r, 0).text(): r for r in range(table.rowCount())}
    row = rows["near infrared (0.845 µm)"]
    values = [float(table.item(row, c).text().replace(",", "")) for c in (1, 2, 3)]
    from brisk_atlas.desktop.drawers.held_table import DIFFERS

    assert (
        table.item(row, 2).data(DIFFERS)
        == f"{values[1] - values[0]:+,.6g} ({(values[1] - values[0]) / values[0]:+.1%})"
    )
    assert (
        len(probe.below.chart.spectra) == 3
        and probe.below.chart.isVisible()
        and probe.below.chart.spectra[2].value[3] > 0.2
    )
    probe.below.table._choose(3)
    d.click(probe.below.table.buttons["left"])
    assert [h.number for h in probe.held.held] == [1, 3, 2]
    d.click(probe.copy_button)
    assert board().splitlines()[0].split("\t")[1:4] == ["1 scene 2031", "3 scene 2031", "2 scene 2031"]
    before = table.rowCount()
    d.click(probe.below.table.only, (8, 8))
    assert 0 < table.rowCount() <= before
    probe.below.save_to(tmp_path / "held.gpkg")
    d.settle()
    assert d.work.subject.name == "held" and d.window.session.facts_of(d.work.subject).count == 3
    d.click(probe.below.table.buttons["remove"])
    assert len(probe.held) == 2
    d.click(probe.below.table.buttons["clear"])
    assert not d.canvas.discs and probe.below.isHidden()


def test_fields_of_different_layers_are_matched_by_hand(demo_driver, probe):
    d = demo_driver
    d.work.choose(d.layer("closed_zones").id)
    d.click(d.canvas, at(d, CRATER))
    d.press(d.canvas, Qt.Key.Key_K)
    d.work.choose(d.layer("lava_flows").id)
    d.settle()
    probe.set_scope("subject")
    d.settle()
    d.click(d.canvas, at(d, (510_600, 5_770_300)))
    d.press(d.canvas, Qt.Key.Key_K)
    table = probe.below.table.table
    keys = [table.item(r, 0).toolTip() for r in range(table.rowCount())]
    assert "flow_id" in keys
    menu = probe.below.table.matching_menu("flow_id")
    next(a for a in menu.actions() if a.text() == "zone").trigger()
    row = [table.item(r, 0).toolTip() for r in range(table.rowCount())].index("zone")
    assert table.item(row, 1).text() == "CZ-1" and table.item(row, 2).text() not in ("", "CZ-1")


def test_measuring_a_distance_and_an_area(demo_driver, probe):
    d = demo_driver
    d.work.choose(d.layer("elevation_2029").id)
    d.press(d.canvas, Qt.Key.Key_M)
    assert d.window.desk.tool == "distance"
    d.click(d.canvas, at(d, (507_000, 5_771_900)))
    d.move(d.canvas, QPoint(*map(round, at(d, (509_000, 5_771_900)))), button=Qt.MouseButton.NoButton)
    d.settle()
    assert "distance, ellipsoid" in d.canvas.say
    d.click(d.canvas, at(d, (510_000, 5_771_900)))
    d.press(d.canvas, Qt.Key.Key_Return)
    d.settle()
    told = probe.tree.readings()
    metres = float(told["distance, ellipsoid"].split()[0].replace(",", ""))
    plane = float(told["distance, plane"].split()[0].replace(",", ""))
    assert metres == pytest.approx(3001, abs=15) and metres == pytest.approx(plane / 0.9996, rel=1e-4)
    assert float(told["over the surface"].split()[0].replace(",", "")) > metres and "up" in told["up and down"]
    d.window.commands.do("measure_area")
    for place in ((507_000, 5_771_000), (508_000, 5_771_000), (508_000, 5_772_000)):
        d.click(d.canvas, at(d, place))
    d.press(d.canvas, Qt.Key.Key_Return)
    d.settle()
    assert float(probe.tree.readings()["area, ellipsoid"].split()[0].replace(",", "")) == pytest.approx(
        500_000, rel=0.03
    )


@pytest.mark.parametrize("text", ["27S 508700 5771900", "38°12′02.9″S 20°54′02.3″W", "27H WT 08700 71900"])
def test_go_to_understands_what_is_typed(demo_driver, probe, text):
    d = demo_driver
    d.canvas.look_at_centre(505_000, 5_769_000, 2.0, "EPSG:32727")
    d.settle()
    d.press(d.canvas, Qt.Key.Key_G, CTRL)
    box = d.window.map_dialogs.place
    box.line.setText(text)
    assert box.list.count() >= 1
    d.press(box.line, Qt.Key.Key_Return)
    d.settle()
    assert (d.canvas.view.x, d.canvas.view.y) == pytest.approx((508_700, 5_771_900), abs=4)
    assert probe.tree.readings()["name"] == "Serrick crater"


def test_go_to_says_what_it_does_not_understand(demo_driver):
    d = demo_driver
    d.window.map_dialogs.ask_place()
    box = d.window.map_dialogs.place
    d.qtbot.keyClicks(box.line, "behind the hill")
    assert box.list.count() == 0 and "no place" in box.hint.text()


def test_the_status_line_shows_the_notations_that_were_chosen(demo_driver):
    d, foot = demo_driver, demo_driver.window.foot
    d.work.choose(d.layer("elevation_2029").id)
    menu = foot.notation_menu(1)
    next(a for a in menu.actions() if a.text() == "pixel, line").trigger()
    d.move(d.canvas, QPoint(*map(round, at(d, CRATER))), button=Qt.MouseButton.NoButton)
    assert foot.places[1].text().startswith("pixel 4") and foot.places[0].text().endswith("EPSG:32727")
    d.click(foot.places[1])
    assert board() == foot.places[1].text()
    assert foot.settings.value("notations").split()[1] == "cell"


def test_numbers_of_a_band_whole_in_view_and_in_a_drawn_area(demo_driver, truth):
    d, numbers = demo_driver, demo_driver.window.desk.statistics
    d.work.choose(d.layer("elevation_2029").id)
    d.press(d.canvas, Qt.Key.Key_U)
    d.settle()
    assert numbers.summary.count == truth["elevation"]["valid_cells"] and numbers.tree.readings()["maximum"].startswith(
        "973.69 m"
    )
    d.choose(numbers.over, "what is in view")
    numbers.over.activated.emit(1)
    d.canvas.look_at_centre(*CRATER, 2.0, "EPSG:32727")
    d.settle()
    assert numbers.summary.count < 40_000 and numbers.summary.minimum > 100
    d.window.commands.do("pick_box")
    draw(d, (508_500, 5_771_700), (508_900, 5_772_100))
    assert numbers.over.currentText() == "the drawn area" and numbers.summary.count == pytest.approx(1600, abs=90)
    d.work.choose(d.layer("lava_flows").id)
    d.choose(numbers.over, "the whole")
    d.settle()
    d.choose(numbers.what, "volume_m3")
    numbers.what.activated.emit(numbers.what.currentIndex())
    d.settle()
    assert numbers.summary.count == 13 and numbers.bars.isVisible()


def test_numbers_by_zone_become_a_table(demo_driver, home):
    d, numbers = demo_driver, demo_driver.window.desk.statistics
    d.work.choose(d.layer("closed_zones").id)
    d.window.commands.do("statistics")
    d.settle()
    d.choose(numbers.grid, "elevation_2029")
    d.click(numbers.make)
    d.settle()
    table = d.window.session.cache.table(d.work.subject.ref)
    assert d.work.subject.kind == "table" and table.num_rows == 3 and "elevation_2029_mean" in table.column_names
    assert home in d.work.subject.ref.path.parents


def test_a_probe_names_fields_as_the_record_does(driver):
    driver.open(demo.DATA / "fissures_2031" / "fissures.shp")
    driver.canvas.look_at_centre(
        *driver.canvas.view.extent.bounds[:2], driver.canvas.view.resolution, driver.canvas.view.crs
    )
    driver.settle()
    shapes = driver.window.session.cache.shapes_in(driver.work.subject.ref, driver.canvas.view.crs)
    x, y = shapes.paths(0)[0][1]
    driver.canvas.look_at_centre(x, y, driver.canvas.view.resolution / 4, driver.canvas.view.crs)
    driver.settle()
    driver.click(driver.canvas, driver.at(x, y))
    told = driver.window.desk.probe.tree.readings()
    assert told["Fissure length"].endswith("metres") and "active" in told["Active in 2031"]
    assert isinstance(driver.work.picks, Picks)
    driver.window.commands.do("sheet")
    driver.settle()
    grid = driver.window.desk.sheet.grid
    assert grid.aliases["FISS_LEN_M"] == "Fissure length"
    assert QPointF(QRect(grid.head_rect("FISS_LEN_M")).center()).y() > 0


def test_rows_walked_down_are_shown_and_can_be_held(demo_driver, probe, tmp_path):
    d = demo_driver
    d.work.choose(d.layer("closed_zones").id)
    d.window.commands.do("sheet")
    d.settle()
    grid = d.window.desk.sheet.grid
    grid.setFocus()
    for name in ("Upper fissure", "Harrow Bay delta"):
        d.press(grid, Qt.Key.Key_Down)
        d.settle()
        assert probe.tree.readings()["name"] == name and probe.places.lines["utm"].text().startswith("27 south 5")
        d.press(d.canvas, Qt.Key.Key_K)
    zones = d.window.session.cache.shapes_in(d.layer("closed_zones").ref, "EPSG:32727").bounds
    for row, kept in zip((1, 2), probe.held.held):
        assert zones[row, 0] < kept.x < zones[row, 2] and zones[row, 1] < kept.y < zones[row, 3]
    d.work.choose(d.layer("gas_readings").id)
    d.settle()
    d.press(grid, Qt.Key.Key_Down)
    d.settle()
    d.press(d.canvas, Qt.Key.Key_K)
    assert len(probe.held) == 3 and len(d.canvas.discs) == 2  # a row of a table has no place
    probe.below.save_to(tmp_path / "kept.gpkg")
    d.settle()
    assert d.window.session.facts_of(d.work.subject).count == 3
