"""The Strip pane: a survey along its track, grids along a drawn line, the cursor on strip, map and relief, a stretch."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from relief_hands import LEFT, PLAIN

SURVEY = demo.DATA / "boat_lines" / "tso2901.mgd77"


def strip_of(d):
    return d.window.desk.strip


def move(canvas, x, y=60, buttons=Qt.MouseButton.NoButton):
    at = QPointF(x, y)
    moved = QMouseEvent(
        QEvent.Type.MouseMove, at, QPointF(canvas.mapToGlobal(at.toPoint())), Qt.MouseButton.NoButton, buttons, PLAIN
    )
    QApplication.sendEvent(canvas, moved)


@pytest.fixture
def survey(driver):
    """A survey with its strip open."""
    driver.open(SURVEY)
    driver.press(driver.canvas, Qt.Key.Key_J)
    driver.settle()
    return driver


def test_a_survey_is_read_with_the_cursor_and_the_map_follows_and_leads(survey):
    d, pane = survey, strip_of(survey)
    canvas, profile = pane.canvas, pane.profile
    assert pane.isVisible() and pane.chosen() == ("depth_m", "magnetic_total_nt", "magnetic_residual_nt")
    assert "185 places" in pane.what.text() and [canvas._is_down(canvas.bands[n]) for n in (0, 1)] == [
        True,
        False,
    ]  # depths go down
    move(canvas, 300)
    place = canvas.cursor_at
    assert place == profile.nearest(canvas.distance_at(300)) and "2029-04-02 06:" in pane.what.text()
    there = np.array(d.window.desk.map.canvas.cross)
    view = d.window.desk.map.canvas.view
    expected = d.window.desk.strip_tether._on_map(profile.xy[place : place + 1], profile.crs)[0]
    assert there == pytest.approx(expected) and f"{profile.traces[2].values[place]:,.1f}" in canvas.words_of(0)
    other = d.window.desk.strip_tether._on_map(profile.xy[120:121], profile.crs)[0]
    d.window.desk.map.canvas.pointer_moved.emit(*other.tolist())
    assert canvas.cursor_at == 120
    d.window.desk.map.canvas.pointer_moved.emit(other[0], other[1] + 400 * view.resolution)
    assert canvas.cursor_at is None  # far from the line
    canvas.setFocus()
    d.press(canvas, Qt.Key.Key_Right)
    first = canvas.cursor_at
    d.press(canvas, Qt.Key.Key_Right)
    assert canvas.cursor_at == first + 1


def test_a_stretch_is_chosen_zoomed_and_highlighted_on_the_map(survey):
    d, pane = survey, strip_of(survey)
    canvas, profile = pane.canvas, pane.profile
    whole = len(d.window.desk.map.canvas.stretch)
    assert whole == len(profile)
    d.qtbot.mousePress(canvas, LEFT, PLAIN, QPoint(200, 50))
    move(canvas, 260, 50, LEFT)
    move(canvas, 320, 50, LEFT)
    d.qtbot.mouseRelease(canvas, LEFT, PLAIN, QPoint(320, 50))
    low, high = canvas.stretch
    assert (low, high) == pytest.approx((canvas.distance_at(200), canvas.distance_at(320)))
    depth = next(each for each in profile.stretch(low, high) if each.name == "depth_m")
    assert f"{depth.count:,} values" in canvas.words_of(0) and pane.what.text().startswith("a stretch of")
    at = QPointF(300, 60)
    before = canvas.distance_at(300)
    turned = QWheelEvent(at, QPointF(canvas.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 360), Qt.MouseButton.NoButton,
                         PLAIN, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(canvas, turned)
    assert canvas.distance_at(300) == pytest.approx(before) and canvas.high - canvas.low < profile.length / 1.5
    assert len(d.window.desk.map.canvas.stretch) < whole
    d.press(canvas, Qt.Key.Key_Home)
    assert (canvas.low, canvas.high) == (0.0, profile.length)
    d.qtbot.mouseClick(canvas, LEFT, PLAIN, QPoint(250, 50))
    assert canvas.stretch is None


def test_quantities_are_chosen_from_the_menu_remembered_for_the_layer_and_saved(survey, tmp_path):
    d, pane = survey, strip_of(survey)
    for name in ("gravity_mgal, mGal", "depth_m, m"):
        next(action for action in pane.bar.menu.actions() if action.text() == name).trigger()
    assert pane.chosen() == ("magnetic_total_nt", "magnetic_residual_nt", "gravity_mgal")
    assert [trace.name for trace in pane.canvas.traces] == list(pane.chosen())
    pane.write(tmp_path / "line.csv")
    d.settle()
    assert (tmp_path / "line.csv").read_text().splitlines()[0].endswith('"magnetic_residual_nt","gravity_mgal"')
    d.open(demo.DATA / "boat_lines" / "tso2905.mgd77")
    assert "tso2905" in pane.what.text() and pane.chosen() == ("depth_m",)  # it measured nothing else
    d.work.choose(d.layer("tso2901").id)
    d.settle()
    assert pane.chosen() == ("magnetic_total_nt", "magnetic_residual_nt", "gravity_mgal")


def test_two_surfaces_stand_along_a_drawn_line_on_one_axis_and_in_the_relief(driver):
    d = driver
    for year in (2029, 2031):
        d.open(demo.DATA / f"elevation_{year}.tif")
    d.press(d.canvas, Qt.Key.Key_J)
    d.settle()
    pane = strip_of(d)
    assert pane.profile is None and "draw one" in pane.canvas.message
    d.click(pane.bar.draw)
    assert d.window.desk.tool == "distance"
    view = d.canvas.view
    before, after = (d.window.session.cache.raster(d.layer(f"elevation_{year}").ref).native() for year in (2029, 2031))
    change = np.where(before.valid & after.valid, after.values - before.values, 0.0)[0]
    row, col = np.unravel_index(np.argmin(change), change.shape)  # where most of the rim dropped
    middle = [round(each) for each in view.to_pixel(*before.lattice.to_map(col + 0.5, row + 0.5))]
    for at in ((middle[0] - 80, middle[1]), (middle[0] + 80, middle[1])):
        d.qtbot.mouseClick(d.canvas, LEFT, PLAIN, QPoint(*at))
    d.press(d.canvas, Qt.Key.Key_Return)
    d.settle()
    profile = pane.profile
    assert [trace.name for trace in profile.traces] == ["elevation_2031", "elevation_2029"]
    assert profile.length == pytest.approx(160 * view.resolution, rel=0.02)
    change = profile.traces[0].values - profile.traces[1].values
    assert np.nanmax(np.abs(change)) > 1  # the rim that dropped
    assert len(pane.canvas.bands) == 2 and pane.canvas.exaggeration_of(0) > 0
    pane.bar.together.trigger()
    assert [band.traces for band in pane.canvas.bands] == [(0, 1)]
    d.window.commands.do("relief")
    d.settle()
    move(pane.canvas, 300)
    relief = d.window.desk.relief
    assert relief.canvas.mark is not None
    relief.do("distance")
    for x in (-30, 40):
        spot = QPoint(relief.canvas.width() // 2 + x, relief.canvas.height() // 2 + 20)
        d.qtbot.mouseClick(relief.canvas, LEFT, PLAIN, spot)
        d.settle()
    d.press(relief.canvas, Qt.Key.Key_Return)
    d.settle()
    assert pane.profile is not profile and pane.profile.length > 100  # what is measured there is shown along, too
    d.window.commands.do("strip")
    assert not pane.isVisible() and d.window.desk.map.canvas.stretch is None


def test_a_picked_line_has_grids_along_it_and_what_has_no_numbers_says_so(driver):
    d = driver
    d.open(demo.DATA / "elevation_2029.tif")
    d.window.session.open_refs([DataRef.file(demo.DATA / "tolvane_survey.gpkg").with_part("trails")])
    d.settle()
    d.press(d.canvas, Qt.Key.Key_J)
    d.settle()
    from brisk_atlas.core.workspace import Picks

    pane = strip_of(d)
    d.work.pick(Picks(d.layer("trails").id, (2,)))
    d.settle()
    assert pane.profile.title == "trails, row 3" and [trace.name for trace in pane.profile.traces] == [
        "elevation_2029",
        "Z",
    ]
    d.window.session.open_refs([DataRef.file(demo.DATA / "vents.kml")])
    d.settle()
    assert pane.profile is not None or pane.canvas.message
