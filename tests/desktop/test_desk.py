"""The Desk: map, spine, curtain, probe, sheet, style, change, relief."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QSlider

from brisk_atlas import demo
from brisk_atlas.core.model import GridStyle, VectorStyle
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.desktop.stack_tile import StackTile
from qt_pixels import pixels

SHIFT = Qt.KeyboardModifier.ShiftModifier


# The map


def test_the_drag_takes_the_map_along(demo_driver):
    d = demo_driver
    place = d.canvas.view.to_map(300, 300)
    d.drag(d.canvas, (300, 300), (420, 260))
    assert d.canvas.view.to_map(420, 260) == pytest.approx(place, abs=d.canvas.view.resolution)


def test_the_last_frame_follows_the_hand_before_the_new_one_comes(demo_driver):
    d = demo_driver
    before = pixels(d.canvas.grab().toImage())
    d.canvas.view = d.canvas.view.panned(60, 40)  # as in the middle of a drag, before anything is drawn anew
    after = pixels(d.canvas.grab().toImage())
    assert np.abs(before[100:400, 100:500].astype(int) - after[140:440, 160:560]).mean() < 1


def test_the_wheel_zooms_at_the_pointer(demo_driver, qapp):
    from PyQt6.QtCore import QPoint, QPointF
    from PyQt6.QtGui import QWheelEvent

    d = demo_driver
    place, resolution = d.canvas.view.to_map(200, 150), d.canvas.view.resolution
    none = Qt.KeyboardModifier.NoModifier
    at = QPointF(200, 150)
    event = QWheelEvent(
        at,
        d.canvas.mapToGlobal(at),
        QPoint(),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        none,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    qapp.sendEvent(d.canvas, event)
    assert d.canvas.view.resolution < resolution
    assert d.canvas.view.to_map(200, 150) == pytest.approx(place, abs=resolution)
    d.settle()


def test_a_box_becomes_the_view(demo_driver):
    d = demo_driver
    (x0, y1), (x1, y0) = d.canvas.view.to_map(200, 200), d.canvas.view.to_map(400, 320)
    d.drag(d.canvas, (200, 200), (400, 320), SHIFT)
    seen = d.canvas.view.extent
    assert seen.contains(x0, y0) and seen.contains(x1, y1) and seen.width < 3 * (x1 - x0)
    d.press(d.canvas, Qt.Key.Key_B)
    assert d.canvas.boxing
    d.press(d.canvas, Qt.Key.Key_Escape)
    assert not d.canvas.boxing


def test_fitting_the_subject_and_all(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("closed_zones").id)
    d.press(d.canvas, Qt.Key.Key_F)
    d.settle()
    near = d.canvas.view.extent
    extent = d.window.session.facts_of(d.layer("closed_zones")).extent
    assert near.contains(extent.xmin, extent.ymin) and near.contains(extent.xmax, extent.ymax)
    d.press(d.canvas, Qt.Key.Key_A)
    d.settle()
    assert d.canvas.view.extent.width > 3 * near.width


def test_keys_pan_and_zoom(demo_driver):
    d, view = demo_driver, demo_driver.canvas.view
    d.press(d.canvas, Qt.Key.Key_Right)
    assert d.canvas.view.x > view.x
    d.press(d.canvas, Qt.Key.Key_Up)
    assert d.canvas.view.y > view.y
    d.press(d.canvas, Qt.Key.Key_Plus)
    assert d.canvas.view.resolution < view.resolution
    d.settle()


def test_the_scale_bar_is_as_long_as_it_says(demo_driver):
    width, label = demo_driver.canvas.scale_bar()
    number, unit = label.split()
    metres = float(number) * {"km": 1000, "m": 1, "cm": 0.01}[unit]
    assert width * demo_driver.canvas.view.resolution == pytest.approx(metres, rel=1e-3) and 40 <= width <= 160  # UTM


def test_the_pointer_is_told_in_three_notations(demo_driver):
    d = demo_driver
    d.qtbot.mouseMove(d.canvas, d.canvas.rect().center())
    d.canvas.pointer_moved.emit(508_700.0, 5_771_900.0)
    foot = d.window.foot
    assert foot.places[0].text() == "508,700.0 E 5,771,900.0 N EPSG:32727"
    assert foot.places[1].text().startswith("38°12′") and foot.places[2].text().startswith("27H WT")
    assert foot.scale.text().startswith("1:") and "UTM zone 27S" in foot.crs.text()


# The spine


def test_tiles_have_pictures_and_the_subject_its_legend(demo_driver):
    spine = demo_driver.window.desk.spine
    drawn = [layer.id for layer in demo_driver.work.layers if layer.style is not None]
    assert all(spine.thumbs[i][1] is not None for i in drawn)
    subject = demo_driver.work.subject
    assert spine.thumbs[subject.id][2].title == "year"
    heights = {
        spine.item(i).data(Qt.ItemDataRole.UserRole): spine.visualItemRect(spine.item(i)).height()
        for i in range(spine.count())
    }
    assert heights[subject.id] > max(h for i, h in heights.items() if i != subject.id)


def test_the_dot_hides_the_layer(demo_driver):
    d, spine = demo_driver, demo_driver.window.desk.spine
    row = [layer.name for layer in d.work.layers].index("trails")
    tile = spine.visualItemRect(spine.item(row)).adjusted(4, 3, -4, -3)
    d.click(spine.viewport(), (StackTile.dot_rect(tile).center().x(), StackTile.dot_rect(tile).center().y()))
    assert not d.layer("trails").visible


def test_a_click_on_a_tile_makes_it_the_subject_and_keys_move_it(demo_driver):
    d, spine = demo_driver, demo_driver.window.desk.spine
    row = [layer.name for layer in d.work.layers].index("trails")
    rect = spine.visualItemRect(spine.item(row))
    d.click(spine.viewport(), (rect.left() + 90, rect.top() + 15))
    assert d.work.subject.name == "trails"
    d.press(spine, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert [layer.name for layer in d.work.layers].index("trails") == row - 1
    d.press(spine, Qt.Key.Key_Space)
    assert not d.layer("trails").visible
    d.settle()


# The curtain


def test_the_curtain_shows_a_left_and_b_right(driver):
    driver.open(demo.DATA / "elevation_2029.tif")
    driver.open(demo.DATA / "elevation_2031.tif")
    for name, ramp in (("elevation_2029", "ink"), ("elevation_2031", "tide")):
        driver.work.change("style", driver.layer(name).id, style=GridStyle(ramp=ramp))
    driver.press(driver.canvas, Qt.Key.Key_C)
    driver.settle()
    driver.canvas.move_edge(0.5)
    picture = pixels(driver.canvas.grab().toImage())
    middle = driver.canvas.width() // 2
    y = driver.canvas.height() // 2 - 60
    left, right = picture[y, middle - 80].astype(int), picture[y, middle + 80].astype(int)
    assert np.ptp(left) < 12 and np.ptp(right) > 12  # grey on one side, coloured on the other
    driver.canvas.move_edge(0.0)
    everywhere = pixels(driver.canvas.grab().toImage())[y, middle - 80].astype(int)
    assert np.ptp(everywhere) > 12


def test_groups_can_be_made_for_both_sides(demo_driver):
    d, pane = demo_driver, demo_driver.window.desk.map
    d.work.choose(d.layer("lava_flows").id)
    pane.toggle_way(Way.CURTAIN)
    d.press(d.canvas, Qt.Key.Key_A, SHIFT)
    d.work.choose(d.layer("trails").id)
    d.press(d.canvas, Qt.Key.Key_A, SHIFT)
    assert {d.layer("lava_flows").id, d.layer("trails").id} <= set(d.work.state.comparison.side_a)
    d.settle()
    assert d.canvas.sides.titles[0].endswith("layers")
    pane.turn_side(d.layer("trails").id)
    assert d.layer("trails").id in d.work.state.comparison.side_b
    d.settle()


# Probe


def test_a_probe_beside_everything_says_so(driver):
    driver.open(demo.DATA / "tolvane_survey.gpkg", part="buildings")
    driver.click(driver.canvas, (5, 5))
    assert driver.window.desk.probe.tree.topLevelItem(0).text(0) == "Nothing here" and driver.work.picks is None


# Style


def widget(d, kind, name):
    found = d.window.desk.style_form.findChild(kind, name)
    assert found is not None, name
    return found


def test_vector_style_by_the_form(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("buildings").id)
    d.press(d.canvas, Qt.Key.Key_S)
    d.settle()
    widget(d, QComboBox, "colour_by").setCurrentText("village")
    widget(d, QDoubleSpinBox, "width").setValue(3.0)
    widget(d, QSlider, "opacity").setValue(40)
    d.qtbot.waitUntil(lambda: d.layer("buildings").opacity == 0.4, timeout=3000)
    style = d.layer("buildings").style
    assert isinstance(style, VectorStyle) and (style.colour_by, style.width) == ("village", 3.0)
    d.settle()
    assert d.window.desk.spine.thumbs[d.layer("buildings").id][2].title == "village"
    for _ in range(3):
        d.work.undo()
    assert d.layer("buildings").opacity == 1 and widget(d, QComboBox, "colour_by").currentData() is None
    d.settle()


def test_grid_style_by_the_form(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("elevation_2029").id)
    d.press(d.canvas, Qt.Key.Key_S)
    d.settle()
    widget(d, QComboBox, "ramp").setCurrentText("ember")
    widget(d, QCheckBox, "shade").setChecked(False)
    widget(d, QComboBox, "stretch").setCurrentText("minimum to maximum")
    d.settle()
    assert not widget(d, QDoubleSpinBox, "stretch low").isEnabled()
    widget(d, QComboBox, "stretch").setCurrentText("by hand")
    d.settle()
    widget(d, QDoubleSpinBox, "stretch high").setValue(500)
    style = d.layer("elevation_2029").style
    assert (style.ramp, style.shade, style.stretch.kind, style.stretch.high) == ("ember", 0.0, "hand", 500)
    assert style.stretch.low == pytest.approx(-59, abs=3)  # by hand began at what was on show
    d.settle()


def test_a_scene_changes_its_composite(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("scene 2031").id)
    d.press(d.canvas, Qt.Key.Key_S)
    d.settle()
    widget(d, QComboBox, "band red").setCurrentText("near infrared")
    assert d.layer("scene 2031").style.bands == (4, 2, 1)
    widget(d, QComboBox, "composite").setCurrentText("one band through a ramp")
    assert d.layer("scene 2031").style.bands == (1,)
    d.settle()
    widget(d, QComboBox, "band band").setCurrentText("red")
    assert d.layer("scene 2031").style.bands == (3,)
    d.settle()


# Change and relief


def test_the_change_drawer_tells_the_truth(driver, truth):
    driver.open(demo.DATA / "elevation_2029.tif")
    driver.open(demo.DATA / "elevation_2031.tif")
    driver.press(driver.canvas, Qt.Key.Key_D)
    drawer = driver.window.desk.change
    driver.click(drawer.surface.measure)
    told = truth["eruption_2031"]
    found = drawer.surface.result
    assert found.risen_volume + found.uncertainty.left_out[0] == pytest.approx(told["lava_volume_m3"])
    assert f"{found.risen_volume:,.0f} m³" in drawer.surface.answer.text() and "±" in drawer.surface.answer.text()
    assert f"{told['net_change_m3']:+,.0f} m³" in drawer.surface.answer.text()
    driver.click(drawer.surface.keep)
    made = driver.work.subject
    assert made.name == "elevation_2031_minus_elevation_2029" and made.style.ramp == "scar"
    assert made.style.stretch.low == -made.style.stretch.high


def test_grids_that_can_not_be_compared_are_told_in_the_drawer(driver):
    driver.open(demo.DATA / "sea_temperature.nc")
    driver.open(demo.DATA / "elevation_2031.tif")
    drawer = driver.window.desk.change
    driver.window.commands.do("change")
    drawer.side_b.setCurrentText("elevation_2031")
    drawer.side_a.setCurrentIndex(next(i for i in range(drawer.side_a.count()) if i != drawer.side_b.currentIndex()))
    driver.click(drawer.surface.measure)
    assert "can't be compared" in drawer.surface.answer.text() and not drawer.surface.keep.isEnabled()


def test_relief_without_a_surface_says_what_to_open(driver):
    driver.open(demo.DATA / "vents.kml")
    driver.press(driver.canvas, Qt.Key.Key_R)
    driver.settle()
    relief = driver.window.desk.relief
    assert relief.ground.text() == "a plane at 0 m" and relief.canvas.message == ""
    driver.work.change("hide", driver.work.layers[0].id, visible=False)
    driver.settle()
    assert "an elevation grid becomes the ground" in relief.canvas.message


def test_vertical_exaggeration(demo_driver):
    d, relief = demo_driver, demo_driver.window.desk.relief
    d.work.choose(d.layer("elevation_2029").id)
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    flat, middle = relief.canvas.image.copy(), relief.canvas.centre
    relief.heights.setFocus()
    relief.heights.selectAll()
    d.qtbot.keyClicks(relief.heights, "3.5")
    d.press(relief.heights, Qt.Key.Key_Return)
    d.settle()
    assert relief.canvas.eye.exaggeration == 3.5 and relief.canvas.image != flat
    after = relief.canvas.centre  # the spot that was looked at is still in the middle
    assert (after.east, after.north) == pytest.approx((middle.east, middle.north), abs=40)
    assert after.up / 3.5 == pytest.approx(middle.up / 1.5, abs=20)


def test_the_sides_of_a_change_stay_when_its_difference_becomes_a_layer(demo_driver):
    d = demo_driver
    d.open(demo.DATA / "elevation_2031.tif")
    d.window.commands.do("change")
    d.settle()
    change = d.window.desk.change
    d.choose(change.side_a, "elevation_2029")
    d.choose(change.side_b, "elevation_2031")
    d.click(change.surface.measure)
    d.settle()
    d.click(change.surface.keep)
    d.settle()
    assert d.work.subject.name.startswith("elevation_2031_minus")
    assert (change.side_a.currentText(), change.side_b.currentText()) == ("elevation_2029", "elevation_2031")
