"""Named places with pictures, the overview, and finding a feature by any value."""

from __future__ import annotations

import json

import pyogrio
import pytest
import shapely
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QLineEdit

from brisk_atlas.core.inspect.find_features import find_features
from brisk_atlas.core.workspace.named_places import NamedPlace, geojson_of
from brisk_atlas.core.workspace.project_file import read

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def test_a_place_is_stored_named_and_gone_back_to(desk, tmp_path):
    d, canvas, drawer = desk, desk.canvas, desk.window.desk.places
    canvas.look_at_centre(509_000, 5_771_400, 2.0, canvas.view.crs)
    d.window.desk.map.turn_to(25.0)
    d.settle()
    d.press(d.window, Qt.Key.Key_P, CTRL | ALT)
    line = drawer.list.findChild(QLineEdit)
    line.selectAll()
    d.qtbot.keyClicks(line, "the crater")
    d.press(line, Qt.Key.Key_Return)
    d.qtbot.waitUntil(lambda: d.work.state.places[0].name != "place")
    place = d.work.state.places[0]
    assert place.name == "the crater" and (place.x, place.y, place.turn) == (509_000, 5_771_400, 25.0)
    picture = QPixmap()
    assert picture.loadFromData(place.picture) and picture.width() >= 160
    d.window.desk.map.turn_to(0.0)
    d.window.commands.do("fit_all")
    d.settle()
    d.click(drawer.go)
    d.settle()
    assert (canvas.view.x, canvas.view.turn) == pytest.approx((509_000, 25.0))
    assert canvas.view.resolution == pytest.approx(2.0, rel=0.5)
    assert d.window.session.save_project(tmp_path / "w.brisk.json")
    assert read(tmp_path / "w.brisk.json")[0].places == d.work.state.places
    drawer.list.setFocus()
    d.press(drawer.list, Qt.Key.Key_Delete)
    assert not d.work.state.places and drawer.empty.isVisible()
    d.work.undo()
    assert drawer.list.count() == 1


def test_places_are_written_as_areas_in_degrees_also_across_180(desk, tmp_path):
    d = desk
    d.window.commands.do("store_place")
    d.work.store_place(NamedPlace("", "far", 180.0, -40.0, 0.01, 400, 300, "EPSG:4326"))
    d.window.desk.places.export_to(tmp_path / "places")
    table = pyogrio.read_arrow(tmp_path / "places.geojson")[1].to_pydict()
    shapes = shapely.from_wkb(table["wkb_geometry"])
    view = d.canvas.view
    assert table["name"] == ["place", "far"]
    x, y = shapes[0].centroid.coords[0]
    assert (x, y) == pytest.approx((-20.9, -38.2), abs=0.1) and view.crs == "EPSG:32727"
    assert shapes[1].geom_type == "MultiPolygon" and shapes[1].area == pytest.approx(4.0 * 3.0)
    assert {round(v) for v in shapes[1].bounds} == {-180, 180, -42, -38}
    nowhere = json.loads(geojson_of([NamedPlace("a", "plan", 0, 0, 1.0, 10, 10, None)]))
    assert nowhere["features"][0]["geometry"] is None


def test_the_overview_shows_where_the_map_is_and_goes_where_it_is_clicked(desk):
    d, canvas = desk, desk.canvas
    d.press(d.window, Qt.Key.Key_W)
    overview = d.window.desk.places.overview
    d.qtbot.waitUntil(lambda: overview.picture is not None)
    d.settle()
    canvas.look_at_centre(509_000, 5_771_400, 3.0, canvas.view.crs)
    d.settle()
    at = 60, 70
    d.click(overview, at)
    d.settle()
    assert (canvas.view.x, canvas.view.y) == pytest.approx(overview.picture[1].to_map(*at))
    assert overview.view == canvas.view


def test_a_feature_is_found_by_a_part_of_any_value_and_gone_to(desk):
    d = desk
    d.press(d.window, Qt.Key.Key_K, CTRL | ALT)
    box = d.window.map_dialogs.feature
    d.qtbot.keyClicks(box.line, "gannet cove")
    d.qtbot.waitUntil(lambda: not box.busy and box.list.count() > 0)
    assert any("trails" in box.list.item(i).text() for i in range(box.list.count()))
    row = next(i for i in range(box.list.count()) if "of trails" in box.list.item(i).text())
    box.list.setCurrentRow(row)
    d.press(box.line, Qt.Key.Key_Return)
    d.settle()
    assert d.work.subject.name == "trails" and d.work.picks.layer_id == d.layer("trails").id
    bounds = d.window.session.cache.shapes_in(d.work.subject.ref, d.canvas.view.crs).bounds[d.work.picks.rows[0]]
    assert d.canvas.view.extent.contains(bounds[0], bounds[1]) and d.canvas.view.extent.contains(*bounds[2:])
    box.begin()
    d.qtbot.keyClicks(box.line, "zzzz")
    d.qtbot.waitUntil(lambda: "No open layer" in box.hint.text())
    assert box.list.count() == 0


def test_numbers_and_dates_are_found_as_they_are_written_whole_ones_first(desk):
    cache, layers = desk.window.session.cache, [la for la in desk.work.layers if la.kind.has_rows]
    found = find_features(cache, layers, "2031")
    assert {f.layer for f in found} >= {"lava_flows"} and all("2031" in f.text for f in found)
    whole = [f.text == "2031" for f in found]
    assert whole == sorted(whole, reverse=True)
    assert find_features(cache, layers, "  ") == []
