"""The relief by hand: layers that stand, boreholes, measures, lines of sight, points picked, the surface, twin, change,
stored lights, films and models."""

from __future__ import annotations

import av
import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox

from brisk_atlas import demo
from brisk_atlas.core.model import Columns, DataRef, OpenOptions
from brisk_atlas.core.model.standing import Foot, StandingWay
from brisk_atlas.core.relief.eye import Eye, GroundSpot
from brisk_atlas.core.relief.surface_drape import DrapeKind
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.desktop.legend_edit import LegendEdit
from brisk_atlas.desktop.panes.relief_files import ReliefFilmForm, ReliefModelForm
from brisk_atlas.desktop.panes.relief_tool import ReliefToolKind
from relief_hands import LEFT, PLAIN, drag, middle, pane_of

SURVEY = demo.DATA / "tolvane_survey.gpkg"


@pytest.fixture
def island(driver):
    """The island of 2029 in relief."""
    driver.open(demo.DATA / "elevation_2029.tif")
    driver.press(driver.canvas, Qt.Key.Key_R)
    driver.settle()
    return driver


def click(d, at):
    d.qtbot.mouseClick(pane_of(d).canvas, LEFT, PLAIN, QPoint(*(round(each) for each in at)))
    d.settle()


def pick(d, name, data):
    """Choose an entry of a box of the Style drawer by its value."""
    box = d.window.desk.side.drawers["style"].findChild(QComboBox, name)
    number = next(n for n in range(box.count()) if box.itemData(n) == data)
    box.setCurrentIndex(number)
    box.activated.emit(number)
    d.settle()


def colours_of(canvas):
    image = canvas.grab().toImage()
    return {QColor(image.pixel(x, y)).name() for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)}


def test_a_walk_from_collars_in_a_table_to_the_rock_at_the_foot_of_a_hole(island):
    d, pane, session = island, pane_of(island), island.window.session
    stated = OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing"))
    session.open_as(DataRef.file(demo.DATA / "boreholes" / "collars.csv"), stated)
    d.settle()
    d.window.commands.do("style")
    pick(d, "standing way", StandingWay.BOREHOLES)
    standing = d.layer("collars").standing
    assert (standing.foot, standing.foot_by, standing.height_by) == (Foot.FIELD, "elevation_m", "depth_m")
    assert standing.intervals.colour_by == "rock" and standing.deviation.ref.part == "deviation"  # found beside them
    assert (
        "basalt flow" in [text for _, text in pane.canvas.legend]
    ) and "vertical datum not stated" in pane.canvas.notes
    pane.surfaces.solid.setValue(40)
    d.settle()
    bodies = pane.scene.bodies[0].bodies
    deep = bodies.ends[(bodies.widths == 5.0) & (bodies.stroke_rows == 3)][-1].mean(axis=0)
    eye = Eye.looking_at(GroundSpot(deep[0], deep[1], deep[2] * 1.5), 2500, 10, 25)
    pane.canvas.jump(eye)
    d.settle()
    click(d, pane.canvas.eye.seen_at(GroundSpot(deep[0], deep[1], deep[2] * 1.5), *pane._size))
    (finding,) = d.window.desk.probe.findings
    assert {reading.label: reading.value for reading in finding.readings}["hole_id"] == "TG-4"
    assert d.work.picks.rows == (3,)
    pick(d, "standing way", StandingWay.DRAPED)
    assert pane.scene.bodies == () and pane.canvas.legend == ()
    d.window.commands.do("undo")
    d.settle()
    assert len(pane.scene.bodies) == 1


def test_polygons_are_raised_by_the_form_and_clicked_and_say_what_they_lack(island):
    d, pane = island, pane_of(island)
    d.window.session.open_refs([DataRef.file(SURVEY).with_part("closed_zones")])
    d.settle()
    d.window.commands.do("style")
    pick(d, "standing way", StandingWay.RAISED)
    form = d.window.desk.side.drawers["style"]
    form.findChild(QDoubleSpinBox, "standing height").setValue(300.0)
    d.settle()
    (standing,) = pane.scene.bodies
    roof = standing.bodies.corners[0]
    assert np.ptp(roof[:, 2]) == 0 and len(set(standing.bodies.face_rows.tolist())) == 3
    spot = GroundSpot(*(roof.mean(axis=0) * (1, 1, 1.5)))
    pane.canvas.jump(Eye.looking_at(spot, 4000, 20, 60))
    d.settle()
    click(d, pane.canvas.eye.seen_at(spot, *pane._size))
    assert d.window.desk.probe.findings[0].row == standing.bodies.face_rows[0]
    pick(d, "standing foot", (Foot.OWN_Z, None))
    assert "3 of 3 have no height here" in pane.canvas.notes


def test_a_line_is_measured_on_the_relief_and_one_is_looked_along(island):
    d, pane = island, pane_of(island)
    canvas = pane.canvas
    pane.do("distance")
    assert "Click along" in canvas.notes
    one, two = middle(canvas), (middle(canvas)[0] + 40, middle(canvas)[1] - 20)
    begin, end = (canvas.spot_at(QPointF(*at)) for at in (one, two))
    click(d, one)
    click(d, two)
    level = np.hypot(end.east - begin.east, end.north - begin.north)
    assert f"{level:,.1f} m level" in canvas.tool.words
    drag(d, (one[0] + 5, one[1] + 40), (one[0] + 60, one[1] + 40))  # the eye still moves
    assert len(canvas.tool.spots) == 2 and canvas.tool.spots[0].east == pytest.approx(begin.east)
    d.press(canvas, Qt.Key.Key_Return)
    d.settle()
    assert canvas.tool is None and d.window.desk.probe.tree.topLevelItem(0).text(0) == "Measured"
    pane.do("sight")
    for at in (one, two):
        click(d, at)
    assert canvas.tool.kind is ReliefToolKind.SIGHT and (
        "seen over" in canvas.tool.words or "hidden" in canvas.tool.words
    )
    d.press(canvas, Qt.Key.Key_Backspace)
    assert len(canvas.tool.spots) == 1
    d.press(canvas, Qt.Key.Key_Escape)
    assert canvas.tool is None


def test_the_position_under_the_pointer_of_the_relief_stands_at_the_foot(island):
    d, pane = island, pane_of(island)
    at = QPointF(*middle(pane.canvas))
    pane.canvas.pointed.emit(pane.canvas.spot_at(at))
    spot = pane.canvas.spot_at(at)
    x, y = pane.scene.space.to_map(spot.east, spot.north)
    shown = [button.text() for button in d.window.foot.places]
    assert any(f"{x:,.1f}" in text and f"{y:,.1f}" in text for text in shown), (shown, x, y)
    assert f"{pane.canvas.picture.height_at(spot):,.1f} m" in pane.reading.text()


def test_what_can_be_seen_from_the_middle_becomes_a_layer(island):
    d, pane = island, pane_of(island)
    spot = pane.canvas.centre
    pane.do("viewshed")
    d.settle()
    layer = d.work.subject
    assert "seen_from" in layer.name
    x, y = pane.scene.space.to_map(spot.east, spot.north)
    part = d.window.session.cache.raster(layer.ref)
    col, row = (int(each) for each in part.facts.lattice.to_cells(x, y))
    from brisk_atlas.core.model import CellWindow

    assert part.block(CellWindow(col, row, col + 1, row + 1)).values[0, 0, 0] == 0.0


def test_a_box_picks_points_and_classes_are_switched_in_the_drawer_and_the_legend(driver):
    d = driver
    d.open(demo.DATA / "harrow_bay_2031.laz")
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    pane = pane_of(d)
    canvas, layer = pane.canvas, d.layer("harrow_bay_2031")
    points = d.window.session.cache.points(layer.ref)
    pane.do("box")
    drag(
        d, (canvas.width() // 2 - 60, canvas.height() // 2 - 40), (canvas.width() // 2 + 60, canvas.height() // 2 + 40)
    )
    count = len(canvas.picked)
    stated = [reading.value for reading in d.window.desk.probe.findings[0].readings if reading.label == "points"]
    assert stated[0] == count and 100 < count < len(points)
    assert "#7a2dbf" in colours_of(canvas)
    d.press(canvas, Qt.Key.Key_Escape)
    d.window.commands.do("style")
    d.settle()
    drawer = d.window.desk.side.drawers["style"]
    codes = np.unique(points.dimensions["classification"]).tolist()
    boxes = {code: drawer.findChild(QCheckBox, f"class {code}") for code in codes}
    assert all(box is not None and box.isChecked() for box in boxes.values())
    before = (pane.canvas.picture.nearest >= 0).sum()
    d.qtbot.mouseClick(boxes[codes[0]], LEFT, PLAIN, QPoint(8, boxes[codes[0]].height() // 2))
    d.settle()
    assert d.layer("harrow_bay_2031").style.hidden == (codes[0],)
    cloud = pane.scene.clouds[0]
    nearest = pane.canvas.picture.nearest
    seen = [cloud.row(each) for each in np.unique(nearest[nearest >= 0]).tolist()]
    assert (nearest >= 0).sum() < before and codes[0] not in points.dimensions["classification"][seen]
    LegendEdit(d.window.session, d.window).turn_class(layer.id, str(codes[0]))
    d.settle()
    assert d.layer("harrow_bay_2031").style.hidden == ()


def test_vector_layers_without_any_grid_stand_on_a_plane_which_can_also_be_chosen(driver):
    d = driver
    d.window.session.open_refs([DataRef.file(SURVEY).with_part("lava_flows")])
    d.settle()
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    pane = pane_of(d)
    assert pane.ground.text() == "a plane at 0 m" and pane.canvas.message == ""
    assert pane.scene.range == (0.0, 0.0) and len(colours_of(pane.canvas)) > 20
    d.open(demo.DATA / "elevation_2029.tif")
    d.settle()
    assert pane.ground.text() == "elevation_2029"
    pane._fill_menu()
    plane = pane.bar.ground_menu.actions()[-1]
    assert not plane.isChecked()
    plane.trigger()
    d.settle()
    assert pane.ground.text() == "a plane at 0 m" and pane.scene.range == (0.0, 0.0)


def test_slope_contours_and_opacity_change_the_picture_and_a_legend_reads_it(island):
    d, pane = island, pane_of(island)
    d.window.commands.do("relief_surface")
    panel = pane.surfaces
    assert panel.isVisible()
    seen = [pane.canvas.image.copy()]
    for change in (
        lambda: (panel.surface.setCurrentIndex(1), panel.surface.activated.emit(1)),
        lambda: panel.contours.setValue(50.0),
        lambda: panel.solid.setValue(50),
        lambda: panel.wet.setChecked(True),
    ):
        change()
        d.settle()
        assert pane.canvas.image != seen[-1]
        seen.append(pane.canvas.image.copy())
    assert [text for _, text in pane.canvas.legend][:2] == ["0 to 2°", "2 to 5°"]
    pane.drape_surface(DrapeKind.MAP)
    d.settle()
    assert pane.canvas.legend == () and panel.surface.currentText() == "the map"
    panel.hide()


def test_twin_and_change_of_two_surfaces_in_the_relief(island):
    d, pane = island, pane_of(island)
    d.open(demo.DATA / "elevation_2031.tif")
    a, b = d.layer("elevation_2029").id, d.layer("elevation_2031").id
    plain = pane.canvas.image.copy()
    d.work.compare((a,), (b,), Way.CHANGE)
    d.settle()
    assert pane.canvas.image != plain and not pane.canvas.twin
    d.work.look_by(Way.TWIN)
    d.settle()
    canvas = pane.canvas
    assert canvas.twin and canvas.twin_image is not None and canvas.drawn_size.width() == canvas.width() // 2
    at = canvas.drawn_size.width() / 2, canvas.height() / 2 + 20
    left, right = (
        canvas.spot_at(QPointF(*at)),
        canvas.spot_at(QPointF(at[0] + canvas.width() - canvas.drawn_size.width(), at[1])),
    )
    assert left is not None and left == right
    d.work.stop_comparing()
    d.settle()
    assert not canvas.twin and canvas.drawn_size.width() == canvas.width()


def test_lights_are_stored_under_a_name_and_used_again(island):
    d, pane = island, pane_of(island)
    lights = pane.lights
    lights.show_below(pane.light)
    lights.azimuth.setValue(77.0)
    lights.stored.setEditText("from the sea")
    d.click(lights.store_now)
    assert "Stored as from the sea" in lights.note.text()
    lights.azimuth.setValue(200.0)
    lights.show_below(pane.light)
    number = lights.stored.findText("from the sea")
    lights.stored.activated.emit(number)
    assert lights.lighting.lights[0].azimuth == 77.0
    lights.stored.setEditText("from the sea")
    d.click(lights.forget)
    assert lights.stored.findText("from the sea") < 0 and lights.lighting.lights[0].azimuth == 77.0
    lights.hide()


def test_a_film_and_a_model_are_written_from_the_menu(island, tmp_path):
    d, pane = island, pane_of(island)
    pane.do("film")
    (form,) = [each for each in pane.findChildren(ReliefFilmForm) if each.isVisible()]
    assert form.way.count() == 1  # no named places yet
    form.seconds.setValue(0.5)
    form.width_.setValue(160)
    form.path.setText(str(tmp_path / "turn"))
    form._accept()
    d.settle()
    with av.open(str(tmp_path / "turn.mp4")) as film:
        assert len(list(film.decode(video=0))) == 8
    for azimuth in (0.0, 90.0):
        pane.canvas.turn(Eye.looking_at(pane.canvas.centre, 5000, azimuth, 30))
        d.settle()
        d.window.desk.spots.store_place()
        d.settle()
    pane.do("film")
    (form,) = [each for each in pane.findChildren(ReliefFilmForm) if each.isVisible()]
    assert form.way.count() == 2
    form.way.setCurrentIndex(1)
    form.seconds.setValue(0.5)
    form.width_.setValue(160)
    form.path.setText(str(tmp_path / "flight.gif"))
    form._accept()
    d.settle()
    assert (tmp_path / "flight.gif").exists()
    pane.do("model")
    (form,) = [each for each in pane.findChildren(ReliefModelForm) if each.isVisible()]
    form.samples.setValue(2_000)
    form.path.setText(str(tmp_path / "island.stl"))
    form._accept()
    d.settle()
    assert trimesh.load(tmp_path / "island.stl").is_winding_consistent
