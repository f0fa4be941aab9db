"""The Relief pane: orbit, pan, look around, walk, the rose, numbers, light, the tether, clouds, pictures."""

from __future__ import annotations

import dataclasses
from dataclasses import replace

import numpy as np
import pytest
import rasterio
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QWheelEvent
from PyQt6.QtWidgets import QApplication, QSpinBox
from rasterio.transform import from_origin

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef, Label
from brisk_atlas.desktop.panes.relief_files import ReliefPictureForm
from brisk_atlas.desktop.panes.relief_signs import paint_signs
from relief_hands import CTRL, LEFT, MIDDLE, PLAIN, RIGHT, SHIFT, drag, middle, pane_of


@pytest.fixture
def island(driver):
    """The island of 2029 in relief, the drawer closed."""
    driver.open(demo.DATA / "elevation_2029.tif")
    driver.press(driver.canvas, Qt.Key.Key_R)
    driver.settle()
    driver.window.desk.side.hide()
    driver.settle()
    return driver


def test_a_drag_orbits_about_the_spot_under_the_pointer(island):
    canvas = pane_of(island).canvas
    before, at = canvas.eye, middle(canvas)
    spot = canvas.spot_at(QPointF(*at))
    drag(island, at, (at[0] + 80, at[1] + 20))
    assert canvas.eye.azimuth != before.azimuth and canvas.eye.tilt > before.tilt
    assert canvas.eye.seen_at(spot, canvas.width(), canvas.height()) == pytest.approx(at, abs=1.5)
    assert canvas.eye.distance_to(spot) == pytest.approx(before.distance_to(spot), rel=0.01)
    canvas.go_back()
    assert canvas.eye == before


def test_the_ground_is_moved_with_the_right_button_and_the_eye_turned_with_ctrl(island):
    canvas = pane_of(island).canvas
    at = middle(canvas)
    spot, before = canvas.spot_at(QPointF(*at)), canvas.eye
    for button, keys in ((RIGHT, PLAIN), (LEFT, SHIFT)):
        drag(island, at, (at[0] - 60, at[1] - 30), button, keys)
        seen = canvas.eye.seen_at(spot, canvas.width(), canvas.height())
        assert seen == pytest.approx((at[0] - 60, at[1] - 30), abs=2) and canvas.eye.azimuth == before.azimuth
        canvas.go_back()
        island.settle()
    for button, keys in ((MIDDLE, PLAIN), (LEFT, CTRL)):
        here = canvas.eye
        drag(island, at, (at[0] + 60, at[1]), button, keys)
        assert (canvas.eye.east, canvas.eye.north, canvas.eye.up) == (here.east, here.north, here.up)
        assert canvas.eye.azimuth != here.azimuth


def test_the_wheel_comes_closer_to_the_pointer_and_finer_windows_are_read(island):
    canvas = pane_of(island).canvas
    at = QPointF(*middle(canvas))
    spot = canvas.spot_at(at)
    far = canvas.eye.distance_to(spot)
    for _ in range(12):
        turned = QWheelEvent(at, QPointF(canvas.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, PLAIN,
                             Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(canvas, turned)
    island.settle()
    assert canvas.eye.distance_to(spot) < far / 5
    assert canvas.eye.seen_at(spot, canvas.width(), canvas.height()) == pytest.approx((at.x(), at.y()), abs=2)
    assert pane_of(island).scene.missing(canvas.picture) == []
    again = canvas.spot_at(at)
    ground = pane_of(island).scene.ground_up(again.east, again.north, canvas.eye.exaggeration)
    assert again.up == pytest.approx(ground, abs=canvas.eye.distance_to(again) * 0.01)


def test_keys_turn_walk_over_the_ground_and_go_back(island):
    d, pane = island, pane_of(island)
    canvas, work = pane.canvas, island.work.state
    canvas.setFocus()
    first = canvas.eye
    d.press(canvas, Qt.Key.Key_Left)
    assert canvas.eye.azimuth == pytest.approx((first.azimuth + 6) % 360)
    d.press(canvas, Qt.Key.Key_Backspace)
    assert canvas.eye == first
    over = canvas.eye.up - (pane.scene.ground_up(canvas.eye.east, canvas.eye.north, 1.5) or 0.0)
    d.press(canvas, Qt.Key.Key_W)  # not the places drawer, while the relief has the keyboard
    ahead = np.array(canvas.eye.ahead[:2])
    step = np.array([canvas.eye.east - first.east, canvas.eye.north - first.north])
    assert step @ ahead > 0 and step[0] * ahead[1] == pytest.approx(step[1] * ahead[0])
    d.press(canvas, Qt.Key.Key_PageUp)
    assert canvas.eye.up > first.up or over < 0
    d.press(canvas, Qt.Key.Key_A)
    d.press(canvas, Qt.Key.Key_Home)
    d.settle()
    assert island.work.state == work and d.window.desk.side.isHidden()
    outline = pane.scene.outline * (1, 1, canvas.eye.exaggeration)
    seen = [
        canvas.eye.seen_at(type(canvas.centre)(*place), canvas.width(), canvas.height()) for place in outline.tolist()
    ]
    assert all(0 <= x <= canvas.width() and 0 <= y <= canvas.height() for x, y in seen)


def test_views_from_sides_and_the_rose(island):
    d, pane = island, pane_of(island)
    for name, azimuth in (("north", 180), ("east", 270), ("south", 0), ("west", 90)):
        d.window.commands.do(f"relief_{name}")
        assert pane.canvas.eye.azimuth == azimuth
    pane.show_view("above")
    assert pane.canvas.eye.tilt == 90
    pane.show_view("back")
    assert pane.canvas.eye.azimuth == 90 and pane.canvas.eye.tilt < 80
    d.settle()
    rose = pane.rose
    d.qtbot.mousePress(rose, LEFT, PLAIN, QPoint(48 + 20, 48))  # the east of the ring goes up: north is at the right
    d.qtbot.mouseRelease(rose, LEFT, PLAIN, QPoint(48 + 20, 48))
    assert pane.canvas.eye.azimuth == pytest.approx(270, abs=3)
    d.qtbot.mousePress(rose, LEFT, PLAIN, QPoint(48 + 33, 48 + 33))
    d.qtbot.mouseRelease(rose, LEFT, PLAIN, QPoint(48 + 33, 48 + 33))
    assert pane.canvas.eye.tilt == pytest.approx(45, abs=2)
    d.qtbot.mouseClick(rose, LEFT, PLAIN, QPoint(50, 112))
    assert pane.numbers.isVisible()
    pane.numbers.boxes["azimuth"].setValue(123.0)
    assert pane.canvas.eye.azimuth == pytest.approx(123)
    pane.numbers.boxes["field"].setValue(60.0)
    assert pane.canvas.eye.field == 60
    pane.numbers.boxes["over"].setValue(2500.0)
    eye = pane.canvas.eye
    ground = pane.scene.ground_up(eye.east, eye.north, eye.exaggeration) or 0.0
    assert (eye.up - ground) / eye.exaggeration == pytest.approx(2500, abs=1)
    pane.numbers.hide()


def test_light_is_dragged_and_put_where_the_sun_stands(island):
    d, pane = island, pane_of(island)
    panel, before = pane.lights, pane.canvas.image.copy()
    panel.show_below(pane.light)
    dial = panel.dial
    d.qtbot.mouseClick(dial, LEFT, PLAIN, QPoint(dial.width() // 2 + 40, dial.height() // 2))
    d.settle()
    light = panel.lighting.lights[0]
    assert light.azimuth == pytest.approx(90, abs=2) and 15 < light.height < 45
    assert pane.scene.lighting == panel.lighting and pane.canvas.image != before
    d.click(panel.shadows)
    assert panel.lighting.lights[0].shadows
    d.click(panel.sun)
    sun = panel.lighting.lights[0]
    assert 20 < sun.height < 35 and (sun.azimuth < 30 or sun.azimuth > 330)  # a winter noon of the south
    assert "The sun stands" in panel.note.text()
    d.click(panel.add)
    assert len(panel.lighting.lights) == 3 and panel.at == 2
    d.click(panel.remove)
    assert len(panel.lighting.lights) == 2
    pale = pane.canvas.image.copy()
    panel.haze.setValue(80)
    d.settle()
    assert pane.canvas.image != pale
    panel.hide()


def test_tethered_map_and_relief_go_together_and_show_each_other_the_pointer(island):
    d, pane = island, pane_of(island)
    assert d.canvas.seen is not None and len(d.canvas.seen) > 10  # the map shows what the relief sees
    d.qtbot.mouseMove(pane.canvas, QPoint(*middle(pane.canvas)))
    pane.canvas.pointed.emit(pane.canvas.spot_at(QPointF(*middle(pane.canvas))))
    assert d.canvas.cross is not None and " m" in pane.reading.text() and "°" in pane.reading.text()
    x, y = d.canvas.view.x, d.canvas.view.y
    d.canvas.pointer_moved.emit(x, y)
    assert pane.canvas.mark is not None
    d.click(pane.tethered)
    d.canvas.look_at_centre(508_500, 5_771_000, 3.0, "EPSG:32727")
    d.settle()
    space, centre = pane.scene.space, pane.canvas.centre
    assert space.to_map(centre.east, centre.north) == pytest.approx((508_500, 5_771_000), abs=60)
    pane.canvas.come_closer(2.0)
    d.settle()
    assert d.canvas.view.resolution == pytest.approx(1.5, rel=0.1)
    d.click(pane.tethered)
    place = d.canvas.view
    pane.canvas.come_closer(2.0)
    d.settle()
    assert d.canvas.view == place
    d.press(d.canvas, Qt.Key.Key_R)
    assert d.canvas.seen is None and pane.scene is None  # what it held is given back
    eye = pane.canvas.eye
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    assert pane.canvas.eye == eye and pane.scene is not None


def test_a_click_probes_and_a_double_click_brings_into_the_middle(island):
    d, pane = island, pane_of(island)
    canvas = pane.canvas
    at = QPoint(canvas.width() // 2 - 60, canvas.height() // 2 + 40)
    spot = canvas.spot_at(QPointF(at))
    d.qtbot.mouseClick(canvas, LEFT, PLAIN, at)
    d.settle()
    (finding,) = d.window.desk.probe.findings
    height = next(reading.value for reading in finding.readings if reading.unit == "m")
    assert height == pytest.approx(spot.up / canvas.eye.exaggeration, abs=25)
    d.qtbot.mouseDClick(canvas, LEFT, PLAIN, at)
    d.settle()
    assert (canvas.centre.east, canvas.centre.north) == pytest.approx((spot.east, spot.north), abs=60)


def test_ones_own_ground_lies_over_another(island, tmp_path):
    d, pane = island, pane_of(island)
    with rasterio.open(
        tmp_path / "tower.tif", "w", driver="GTiff", count=1, width=200, height=200, dtype="float32", crs="EPSG:32727",
        transform=from_origin(506_000, 5_773_000, 2, 2),
    ) as out:  # fmt: skip
        out.write(np.full((1, 200, 200), 1500, np.float32))
    d.open(tmp_path / "tower.tif")
    assert pane.ground.text() == "tower"
    pane.choose_grids(tuple(layer.id for layer in d.work.layers))
    d.settle()
    assert pane.ground.text() == "tower over 1 more" and pane.scene.space.spacing == 2.0
    there = pane.scene.space.to_metres(506_200, 5_772_800)
    assert pane.scene.ground_up(*there, 1.0) == pytest.approx(1500, abs=5)
    aside = pane.scene.space.to_metres(508_000, 5_771_000)
    assert 0 < pane.scene.ground_up(*aside, 1.0) < 1000


def test_a_cloud_alone_opens_in_relief_and_its_points_are_picked(driver):
    d = driver
    d.open(demo.DATA / "harrow_bay_2031.laz")
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    pane, canvas = pane_of(d), pane_of(d).canvas
    assert pane.ground.text() == "no ground" and len(pane.scene.clouds) == 1
    j, i = np.argwhere(canvas.picture.nearest >= 0)[len(np.argwhere(canvas.picture.nearest >= 0)) // 2]
    row = pane.scene.clouds[0].row(int(canvas.picture.nearest[j, i]))
    d.qtbot.mouseClick(canvas, LEFT, PLAIN, QPoint(int(i), int(j)))
    d.settle()
    expected = d.window.session.cache.points(d.work.subject.ref).xyz[row]
    (finding,) = d.window.desk.probe.findings
    values = [reading.value for reading in finding.readings]
    assert any(value == pytest.approx(expected[2]) for value in values if isinstance(value, float))
    before = canvas.eye
    drag(d, (int(i), int(j)), (int(i) + 50, int(j)))
    assert canvas.eye.azimuth != before.azimuth


def test_a_picture_is_written_at_any_size(island, tmp_path):
    d, pane = island, pane_of(island)
    pane.do("picture")
    form = next(each for each in pane.findChildren(ReliefPictureForm) if each.isVisible())
    wide, high = form.findChild(QSpinBox, "picture width"), form.findChild(QSpinBox, "picture height")
    wide.setValue(600)
    assert high.value() == pytest.approx(600 * pane.canvas.height() / pane.canvas.width(), abs=1)
    form.path.setText(str(tmp_path / "island"))
    form._accept()
    d.settle()
    with rasterio.open(tmp_path / "island.png") as file:
        assert (file.width, file.height) == (600, high.value()) and file.read().std() > 5


def test_the_drape_follows_the_map_and_the_theme(island):
    d, pane = island, pane_of(island)
    before = pane.canvas.image.copy()
    d.open(demo.DATA / "land_cover" / "land_cover_2029.tif")
    d.work.choose(d.layer("elevation_2029").id)
    d.settle()
    assert pane.canvas.image != before and pane.ground.text() == "elevation_2029"
    day = pane.canvas.image.copy()
    d.window.commands.do("theme")
    d.settle()
    assert pane.canvas.image != day


def test_labels_stand_upright_over_their_places_and_hide_behind_the_ground(island):
    d, pane = island, pane_of(island)
    d.window.session.open_refs([DataRef.file(demo.DATA / "tolvane_survey.gpkg").with_part("trails")])
    d.settle()
    trails = d.layer("trails")
    d.work.change("label", trails.id, style=replace(trails.style, label=Label("name")))
    d.work.choose(d.layer("elevation_2029").id)
    d.settle()
    canvas = pane.canvas
    assert {sign.text for sign in canvas.signs} >= {"Harrow Landing to the rim"}
    size = QRectF(canvas.rect())
    picture, target = canvas.picture, QImage(canvas.size(), QImage.Format.Format_RGB32)
    painter = QPainter(target)
    shown = paint_signs(painter, canvas.signs, picture, canvas.eye, size)
    hidden = paint_signs(
        painter, canvas.signs, dataclasses.replace(picture, depth=picture.depth * 0.5), canvas.eye, size
    )
    twice = paint_signs(painter, canvas.signs * 2, picture, canvas.eye, size)
    painter.end()
    assert shown > 0 and hidden == 0 and twice == shown


def test_the_curtain_of_the_map_stands_in_the_relief_too(island):
    d, pane = island, pane_of(island)
    d.open(demo.DATA / "elevation_2031.tif")
    later = d.layer("elevation_2031")
    d.work.change("look", later.id, style=replace(later.style, ramp="ember"))
    d.work.choose(d.layer("elevation_2029").id)
    d.settle()
    d.press(d.canvas, Qt.Key.Key_C)
    d.settle()
    canvas = pane.canvas
    d.canvas.move_edge(0.5)
    d.settle()
    both = canvas.picture.image[..., :3].astype(int)
    seen = np.isfinite(canvas.picture.depth)
    d.canvas.move_edge(1.0)
    d.settle()
    only_a = canvas.picture.image[..., :3].astype(int)
    d.canvas.move_edge(0.0)
    d.settle()
    only_b = canvas.picture.image[..., :3].astype(int)
    half = seen.shape[1] // 2
    left, right = seen.copy(), seen.copy()
    left[:, half - 2 :], right[:, : half + 2] = False, False
    assert np.abs(both - only_a)[left].mean() < 1 < np.abs(both - only_b)[left].mean()
    assert np.abs(both - only_b)[right].mean() < 1 < np.abs(both - only_a)[right].mean()
    d.press(d.canvas, Qt.Key.Key_X)  # blink: one over the other
    d.window.desk.map.blinker.mixed.emit(0.5)
    d.settle()
    assert pane.driver.division.way == 4
    d.press(d.canvas, Qt.Key.Key_X)
    d.settle()
    assert pane.driver.division.way == 0 and len(pane.driver.content.drapes) == 1


def test_a_named_place_remembers_from_where_the_relief_was_seen(island, tmp_path):
    d, pane = island, pane_of(island)
    pane.show_view("east")
    pane.canvas.come_closer(2.0)
    d.settle()
    eye = pane.canvas.eye
    d.window.commands.do("store_place")
    d.settle()
    d.window.session.workspace.save_project(tmp_path / "views.brisk.json")
    pane.show_view("west")
    d.press(d.canvas, Qt.Key.Key_R)
    assert pane.isHidden()
    d.window.session.open_project(tmp_path / "views.brisk.json")
    d.settle()
    d.window.desk.places.go_wanted.emit(d.work.state.places[0])
    d.settle()
    assert pane.isVisible()
    for name in ("east", "north", "up", "azimuth", "tilt", "exaggeration"):
        assert getattr(pane.canvas.eye, name) == pytest.approx(getattr(eye, name), abs=0.01)
