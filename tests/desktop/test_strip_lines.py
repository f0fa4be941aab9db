"""Lines of surveys in the window: found by what they measured, picked on list and map, compared where they cross, checked,
levelled, saved, read with their header; and corridors of points."""

from __future__ import annotations

import filecmp

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog
from test_strip_pane import move, strip_of

from brisk_atlas import demo
from relief_hands import LEFT, PLAIN

FOLDER = demo.DATA / "boat_lines"


@pytest.fixture
def surveys(driver):
    """All surveys as one layer, in sight, with the strip open."""
    driver.open(FOLDER)
    driver.press(driver.canvas, Qt.Key.Key_J)
    driver.settle()
    return driver


def listed(pane):
    table = pane.lines.table
    return [table.rows.text(row, 0) for row in range(table.rows.rowCount())]


def test_lines_with_magnetics_are_found_one_is_picked_read_switched_its_header_read_and_the_file_saved(
    surveys, tmp_path, monkeypatch
):
    d, pane = surveys, strip_of(surveys)
    assert len(listed(pane)) == 9 and pane.lines.isVisible() and pane.lines.count.text() == "9 of 9"
    pane.lines.menu.aboutToShow.emit()
    next(action for action in pane.lines.menu.actions() if action.text() == "magnetics").trigger()
    assert listed(pane) == [f"TSO29{n}" for n in ("01", "02", "03", "06", "07", "08", "09")]
    d.qtbot.keyClicks(pane.lines.text, "2907")
    assert listed(pane) == ["TSO2907"] and pane.lines.has.text() == "Has magnetics"
    d.qtbot.mouseClick(pane.lines.table.viewport(), LEFT, PLAIN, QPoint(20, 10))
    assert pane.what.text().startswith("boat_lines, TSO2907") and len(pane.profile) == 150
    assert len(d.canvas.stretch) == 150
    move(pane.canvas, pane.canvas.width() - 200)
    assert d.canvas.cross is not None and "2029-04-08" in pane.what.text()
    for name in ("depth_m, m", "gravity_mgal, mGal"):
        next(action for action in pane.bar.menu.actions() if action.text() == name).trigger()
    assert "gravity_mgal" in pane.chosen() and "depth_m" not in pane.chosen()
    d.click(pane.bar.page_buttons["header"])
    words = pane.header.words.rows
    stated = {words.text(row, 0): words.text(row, 1) for row in range(words.rowCount())}
    assert (stated["vessel"], stated["gravity"], stated["departure"]) == ("SV PETREL", "collected", "2029-04-08")
    d.click(pane.header.raw)
    assert pane.header.text.isVisible() and pane.header.text.toPlainText().startswith("4TSO2907 MGD77")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "own"), "MGD77 (*.mgd77)"))
    pane.bar.save_menu.aboutToShow.emit()
    next(action for action in pane.bar.save_menu.actions() if action.text() == "This line…").trigger()
    d.settle()
    assert filecmp.cmp(tmp_path / "own.mgd77", FOLDER / "tso2907.mgd77", shallow=False)


def test_a_line_is_picked_on_the_map_and_lines_are_filtered_by_place_and_date(surveys):
    d, pane = surveys, strip_of(surveys)
    lines = pane.content.listed.lines
    there = d.window.desk.strip_tether._on_map(lines.xy[lines.places(4)][200:201], lines.crs)[0]
    d.qtbot.mouseClick(
        d.canvas, LEFT, PLAIN, QPoint(*(round(each) for each in d.canvas.view.to_pixel(*there.tolist())))
    )
    d.settle()
    assert pane.content.number == 4 and pane.lines.table.chosen_rows() == [4]
    view = d.canvas.view
    d.canvas.look_at_centre(*there.tolist(), view.resolution / 12, view.crs)
    d.settle()
    d.click(pane.lines.in_view)
    assert "TSO2905" in listed(pane) and len(listed(pane)) < 4
    d.window.desk.map.fit_subject()
    d.settle()
    assert len(listed(pane)) == 9  # the list follows the map
    pane.lines.begin.setText("2029-04-04")
    pane.lines.end.setText("2029-04-05")
    assert listed(pane) == ["TSO2903", "TSO2904"] and "2029-04-04" in pane.lines.when.text()
    pane.lines.end.setText("2029-19-05")
    assert pane.lines.count.text() == "this is no day"


def test_crossovers_are_compared_marked_levelled_and_saved(surveys, tmp_path):
    d, pane = surveys, strip_of(surveys)
    d.click(pane.bar.page_buttons["crossovers"])
    page = pane.crossovers
    assert not page.level.isEnabled()
    d.click(page.seek)
    d.settle()
    assert page.table.rows.rowCount() == 12 and "12 differences, m: mean -1.943" in page.words.text()
    assert len(d.canvas.spots[0]) == 12 and page.bars.isVisible()
    page.table.selectRow(1)
    name = page.table.rows.text(1, 0)
    assert pane.what.text().startswith("at") and pane.profile.title.endswith(name) and d.canvas.cross is not None
    d.click(page.level)
    d.settle()
    layer = d.layer("boat_lines")
    assert [field.name for field in layer.rows.computed] == ["depth_m_levelled"]
    assert layer.rows.computed[0].unit == "m" and "depth_m_levelled" in [t.name for t in pane.profile.traces]
    d.click(page.seek)
    d.settle()
    page.quantity.setCurrentIndex(page.quantity.findText("depth_m_levelled, m"))
    page.quantity.activated.emit(page.quantity.currentIndex())
    assert page.found.summary(page.number).rms < 0.7
    d.work.undo()
    d.settle()
    assert not d.layer("boat_lines").rows.computed
    d.click(page.seek)
    d.settle()
    pane.deeds.save_crossovers(tmp_path / "c.csv")
    d.settle()
    assert len((tmp_path / "c.csv").read_text().splitlines()) == 13
    d.click(pane.bar.page_buttons["profile"])
    assert d.canvas.spots is None


def test_faults_are_listed_and_gone_to(surveys):
    d, pane = surveys, strip_of(surveys)
    d.open(demo.DATA / "elevation_2029.tif")
    d.work.choose(d.layer("boat_lines").id)
    d.settle()
    d.click(pane.bar.page_buttons["check"])
    pane.check.land.setCurrentIndex(pane.check.land.findText("elevation_2029"))
    d.click(pane.check.go)
    d.settle()
    rows = pane.check.table.rows
    texts = [[rows.text(row, column) for column in range(3)] for row in range(rows.rowCount())]
    assert ["TSO2907", "61", "jump"] in texts and "positions on land by elevation_2029" in pane.check.about.toolTip()
    pane.check.table.selectRow(texts.index(["TSO2907", "61", "jump"]))
    assert pane.profile.title == "boat_lines, TSO2907" and pane.canvas.cursor_at == 60


def test_values_are_smoothed_despiked_compared_with_a_reference_and_shown_over_time(surveys, monkeypatch):
    _d, pane = surveys, strip_of(surveys)
    pane.content.choose(6)
    depth = lambda: pane.canvas.traces[0].values  # noqa: E731
    measured = depth()[60]
    stored = next(trace.values for trace in pane.profile.traces if trace.name == "depth_m")
    pane.bar.despike.trigger()
    assert np.isnan(depth()[60]) and stored[60] == measured
    assert "without spikes" in pane.what.text()
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *a: (2000.0, True))
    pane.bar.smooth.trigger()
    inside = np.abs(pane.profile.distance - pane.profile.distance[30]) <= 1000
    assert depth()[30] == pytest.approx(stored[inside].mean())
    pane.bar.references.aboutToShow.emit()
    next(action for action in pane.bar.references.actions() if action.text() == "straight line").trigger()
    canvas = pane.canvas
    canvas.choose_stretch((2000.0, 9000.0))
    assert "area above" in canvas.words_of(0)
    length = pane.profile.length
    pane.bar.by_time.trigger()
    assert canvas.axis.unit == "s" and canvas.high == pytest.approx(4210.98, abs=0.1) and length > 19_000
    move(canvas, canvas.width() - 100)
    assert canvas.axis.values[canvas.cursor_at] == pytest.approx(canvas.distance_at(canvas.width() - 100), abs=30)


def test_zooming_the_strip_zooms_the_map_and_the_other_way_round_if_wanted(surveys):
    d, pane = surveys, strip_of(surveys)
    pane.content.choose(5)
    before = d.canvas.view
    pane.canvas.see(2000.0, 6000.0)
    d.settle()
    assert d.canvas.view == before
    pane.bar.zooms_map.trigger()
    pane.canvas.see(2000.0, 6000.0)
    d.settle()
    assert d.canvas.view.resolution < before.resolution / 3
    assert (pane.canvas.low, pane.canvas.high) == pytest.approx((2000.0, 6000.0))  # not changed by the map's answer
    d.canvas.look(before)
    d.settle()
    assert pane.canvas.high - pane.canvas.low > 15_000


def test_points_of_a_cloud_within_a_corridor_stand_along_a_drawn_line(driver, monkeypatch):
    d = driver
    d.open(demo.DATA / "harrow_bay_2031.laz")
    d.press(d.canvas, Qt.Key.Key_J)
    d.settle()
    pane, view = strip_of(d), d.canvas.view
    points = d.window.session.cache.points(d.layer("harrow_bay_2031").ref)
    ends = np.array([points.xyz[:, :2].min(axis=0) + 40, points.xyz[:, :2].max(axis=0) - 40])
    pane.show_line(ends, view.crs)
    d.settle()
    (dots,) = pane.profile.dots
    way = (ends[1] - ends[0]) / np.hypot(*(ends[1] - ends[0]))
    off = points.xyz[:, :2] - ends[0]
    along, aside = off @ way, np.abs(off @ [-way[1], way[0]])
    inside = (aside <= 2.5) & (along >= 0) & (along <= np.hypot(*(ends[1] - ends[0])))
    assert dots.count == inside.sum() > 100
    assert np.sort(dots.height) == pytest.approx(np.sort(points.xyz[inside, 2]))
    assert dots.distance.max() <= pane.profile.length + 1e-6 and len({*dots.inks.tolist()}) > 1
    shown = pane.canvas.grab().toImage()
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *a: (40.0, True))
    pane.bar.wide.trigger()
    d.settle()
    assert pane.profile.dots[0].count > 5 * dots.count and pane.canvas.grab().toImage() != shown
