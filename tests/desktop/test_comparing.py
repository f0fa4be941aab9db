"""Comparing on the Desk: the four ways, their sides, and the panes of a twin."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QSlider, QToolButton

from brisk_atlas import demo
from brisk_atlas.core.model import GridStyle
from brisk_atlas.core.workspace.comparison import Comparison, Divide, Way
from qt_pixels import pixels

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def compared(driver):
    """Elevations of two years, A in greys and B in colours, the curtain between them."""
    driver.open(demo.DATA / "elevation_2029.tif")
    driver.open(demo.DATA / "elevation_2031.tif")
    for name, ramp in (("elevation_2029", "ink"), ("elevation_2031", "tide")):
        driver.work.change("style", driver.layer(name).id, style=GridStyle(ramp=ramp))
    driver.press(driver.canvas, Qt.Key.Key_C)
    driver.settle()
    return driver


def bar(d):
    return d.window.desk.map.comparing


def button(d, name, within=None):
    found = (within or bar(d)).findChild(QToolButton, name)
    assert found is not None, name
    return found


def is_grey(d, x, y, canvas=None):
    """Return whether A is seen around a pixel: its ramp is grey, that of B is not."""
    picture = pixels((canvas or d.canvas).grab().toImage())[y - 2 : y + 3, x - 2 : x + 3, :3].astype(int)
    return bool(np.median(np.ptp(picture, axis=2)) < 12)


def test_a_level_edge_and_a_round_glass_divide_the_map(compared):
    d = compared
    x, y = d.canvas.width() // 2 + 40, d.canvas.height() // 2
    d.click(button(d, "divide level"))
    assert is_grey(d, x, y - 60) and not is_grey(d, x, y + 60)
    d.drag(d.canvas, (x, round(d.canvas.height() * d.canvas.sides.at)), (x, y - 120))
    assert d.canvas.sides.at == pytest.approx((y - 120) / d.canvas.height(), abs=0.01) and not is_grey(d, x, y - 60)
    d.click(button(d, "divide glass"))
    d.move(d.canvas, QPoint(x, y), button=Qt.MouseButton.NoButton)
    assert not is_grey(d, x + 80, y) and is_grey(d, x - 200, y)
    d.move(d.canvas, QPoint(x - 150, y), button=Qt.MouseButton.NoButton)
    assert is_grey(d, x, y) and is_grey(d, x + 80, y)
    for _ in range(4):
        d.press(d.canvas, Qt.Key.Key_BracketRight)
    assert not is_grey(d, x, y)  # 150 px from its middle, which is inside now


def test_each_way_is_a_step_of_undo_and_has_the_same_sides(compared):
    d = compared
    sides = d.work.state.comparison.sides
    for key, way in ((Qt.Key.Key_X, Way.BLINK), (Qt.Key.Key_Y, Way.TWIN), (Qt.Key.Key_V, Way.CHANGE)):
        d.press(d.canvas, key)
        d.settle()
        assert (d.work.state.comparison.way, d.work.state.comparison.sides) == (way, sides)
    for way in (Way.TWIN, Way.BLINK, Way.CURTAIN):
        d.press(d.canvas, Qt.Key.Key_Z, CTRL)
        assert d.work.state.comparison.way is way
    d.settle()
    d.press(d.canvas, Qt.Key.Key_X, Qt.KeyboardModifier.ShiftModifier)
    assert d.work.state.comparison.sides == sides[::-1]
    d.click(button(d, "stop comparing"))
    assert d.work.state.comparison is None and not bar(d).isVisible()


def test_blinking_swaps_the_sides_and_a_key_holds_one(compared, qtbot):
    d = compared
    x, y = d.canvas.width() // 2 + 40, d.canvas.height() // 2
    d.window.desk.map.comparing.findChild(QDoubleSpinBox, "blink rate").setValue(0.1)
    d.press(d.canvas, Qt.Key.Key_X)
    d.settle()
    seen = set()
    d.window.desk.map.blinker.mixed.connect(seen.add)
    qtbot.waitUntil(lambda: seen == {0.0, 1.0}, timeout=60_000)
    qtbot.keyPress(d.canvas, Qt.Key.Key_BracketLeft)
    seen.clear()
    qtbot.wait(400)
    assert seen <= {0.0} and is_grey(d, x, y)
    qtbot.keyRelease(d.canvas, Qt.Key.Key_BracketLeft)
    qtbot.waitUntil(lambda: 1.0 in seen, timeout=60_000)
    d.click(button(d, "blink runs"))
    assert button(d, "blink runs").text() == "Play"
    mix = bar(d).findChild(QSlider, "blink mix")
    mix.setValue(100)
    b = pixels(d.canvas.grab().toImage())[y, x].astype(int)
    mix.setValue(0)
    a = pixels(d.canvas.grab().toImage())[y, x].astype(int)
    mix.setValue(50)
    between = pixels(d.canvas.grab().toImage())[y, x].astype(int)
    assert np.abs(between - (a + b) / 2).max() <= 2 and np.abs(a - b).max() > 8
    bar(d).findChild(QCheckBox, "blink fades").click()
    seen.clear()
    d.click(button(d, "blink runs"))
    qtbot.waitUntil(lambda: any(0.05 < each < 0.95 for each in seen), timeout=60_000)


def test_a_twin_shows_each_side_in_a_pane_that_goes_along_until_it_is_free(compared):
    d = compared
    d.press(d.canvas, Qt.Key.Key_Y)
    d.settle()
    twins = d.window.desk.twins
    (twin,) = twins.panes
    assert abs(twin.width() - d.window.desk.map.width()) < 8
    middle = d.canvas.width() // 2 + 40, d.canvas.height() // 2
    assert is_grey(d, *middle) and not is_grey(d, *middle, twin.canvas)
    d.canvas.centre_on(506_000, 5_770_000)
    d.settle()
    assert (twin.canvas.view.x, twin.canvas.view.resolution) == (506_000, d.canvas.view.resolution)
    d.press(twin.canvas, Qt.Key.Key_Plus)
    d.settle()
    assert d.canvas.view.resolution == twin.canvas.view.resolution
    d.move(twin.canvas, QPoint(50, 60), button=Qt.MouseButton.NoButton)
    assert d.canvas.cross == pytest.approx(twin.canvas.view.to_map(50, 60))
    twin.tether.click()
    d.press(d.canvas, Qt.Key.Key_Minus)
    d.settle()
    assert d.canvas.view.resolution > twin.canvas.view.resolution
    twin.tether.click()
    d.settle()
    assert d.canvas.view.resolution == twin.canvas.view.resolution


def test_a_third_pane_has_layers_of_its_own_and_can_be_taken_away(compared):
    d = compared
    d.press(d.canvas, Qt.Key.Key_Y)
    d.open(demo.DATA / "tolvane_survey.gpkg", part="buildings")
    d.click(button(d, "add pane"))
    third = d.window.desk.twins.panes[1]
    d.choose(third.side, "buildings")
    third.side.activated.emit(third.side.currentIndex())
    d.settle()
    assert d.work.state.comparison.sides[2] == (d.layer("buildings").id,)
    d.window.desk.map.turn_side(d.layer("buildings").id)  # from C on to all
    d.settle()
    assert d.work.state.comparison.side_of(d.layer("buildings").id) is None
    d.click(third.remove)
    assert len(d.work.state.comparison.sides) == 2 and len(d.window.desk.twins.panes) == 1
    d.press(d.canvas, Qt.Key.Key_Z, CTRL)
    d.settle()
    assert len(d.window.desk.twins.panes) == 2
    d.work.remove(d.layer("elevation_2031").id)
    d.settle()
    assert d.work.state.comparison is None and not d.window.desk.twins.panes


def test_a_probe_in_a_twin_picks_in_both_panes(compared):
    d = compared
    d.press(d.canvas, Qt.Key.Key_Y)
    d.open(demo.DATA / "tolvane_survey.gpkg", part="lava_flows")
    d.work.change("show", d.layer("lava_flows").id, opacity=1.0)
    d.settle()
    twin = d.window.desk.twins.panes[0]
    lava = shapely.from_wkb(d.window.session.cache.features(d.layer("lava_flows").ref).wkb[0].as_py())
    (x, y), *_ = shapely.maximum_inscribed_circle(lava).coords  # a place well inside
    d.work.choose(d.layer("lava_flows").id)
    d.window.desk.map.fit_subject()
    d.settle()
    before = pixels(d.canvas.grab().toImage())
    d.click(twin.canvas, twin.canvas.view.to_pixel(x, y))
    d.settle()
    assert np.hypot(*(np.array(d.window.desk.probe.where_at.middle) - (x, y))) < 2 * d.canvas.view.resolution
    assert (
        (pixels(d.canvas.grab().toImage()) != before).any()
        and d.work.picks is not None
        and d.work.picks.layer_id == d.layer("lava_flows").id
    )


def test_the_difference_on_the_map_is_coloured_and_grey_where_it_may_be_none(compared, truth):
    d = compared
    d.press(d.canvas, Qt.Key.Key_V)
    d.settle()
    scale = d.canvas.legend
    assert scale.unit == "m" and 0.3 < scale.faint < 1 and scale.limit > 10
    row, column = truth["eruption_2031"]["thickest_cell"]
    x, y = (round(each) for each in d.at(504_000 + (column + 0.5) * 10, 5_776_000 - (row + 0.5) * 10))
    red, _, blue = pixels(d.canvas.grab().toImage())[y, x, :3].astype(int)
    assert max(red, blue) - min(red, blue) > 60  # risen by more than most: the strong end of the ramp
    assert is_grey(d, round(d.canvas.width() * 0.5), round(d.canvas.height() * 0.3))
    assert "elevation_2031 − elevation_2029" in bar(d).words.text()


def test_what_has_no_difference_on_the_map_says_so(driver):
    d = driver
    d.open(demo.DATA / "tolvane_survey.gpkg", part="trails")
    d.open(demo.DATA / "tolvane_survey.gpkg", part="buildings")
    d.press(d.canvas, Qt.Key.Key_V)
    d.settle()
    assert d.canvas.legend is None and "Change drawer" in bar(d).words.text()


def test_sides_can_be_groups_and_come_back_with_the_project(compared, tmp_path):
    d = compared
    d.open(demo.DATA / "tolvane_survey.gpkg", part="trails")
    both = (d.layer("trails").id, d.layer("elevation_2031").id)
    d.work.set_side(1, both)
    d.settle()
    assert d.canvas.sides.titles == ("elevation_2029", "2 layers") and bar(d).boxes[1].currentText() == "2 layers"
    d.work.put_in_group(both, "after")
    d.settle()
    assert d.canvas.sides.titles == ("elevation_2029", "after") and bar(d).boxes[1].currentText() == "after"
    d.work.look_by(Way.CURTAIN, Divide.LEVEL)
    wanted = d.work.state.comparison
    path = tmp_path / "compared.brisk.json"
    d.window.session.save_project(path)
    d.settle()
    d.work.stop_comparing()
    d.window.session.open_files([path])
    d.settle()
    assert d.work.state.comparison == wanted and isinstance(wanted, Comparison)
