"""Menus where the hand is, renaming and duplicating, the map's CRS, and the way back to where one was."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication
from PyQt6.QtWidgets import QApplication, QMenu

from brisk_atlas import demo
from brisk_atlas.core.table import shown_rows
from brisk_atlas.core.workspace.project_file import read
from brisk_atlas.desktop.menus import (
    CRS_MENU,
    FIELD_MENU,
    FIND_MENU,
    JOBS_MENU,
    LAYER_MENU,
    MAP_MENU,
    PROBE_MENU,
    ROW_MENU,
    SCALE_MENU,
)
from brisk_atlas.desktop.name_line import NameLine
from brisk_atlas.desktop.turn_to import TurnTo

MENUS = (
    LAYER_MENU, MAP_MENU, FIND_MENU, ROW_MENU, FIELD_MENU, PROBE_MENU, SCALE_MENU, CRS_MENU, JOBS_MENU,
)  # fmt: skip
MENU_KEY, RIGHT = QContextMenuEvent.Reason.Keyboard, QContextMenuEvent.Reason.Mouse


def menu_of(d, widget, at, reason=RIGHT):
    """Open the menu of a widget as a hand or the menu key does; returns its texts by command."""
    inner = widget.viewport() if hasattr(widget, "viewport") else widget
    QApplication.sendEvent(inner, QContextMenuEvent(reason, at, inner.mapToGlobal(at)))
    menu = next(each for each in widget.findChildren(QMenu) if each.isVisible())
    return menu, {action.text(): action for action in menu.actions() if action.text()}


def choose(d, menu, action):
    menu.setActiveAction(action)
    d.press(menu, Qt.Key.Key_Return)
    d.settle()


def test_all_that_menus_offer_are_commands(desk):
    known = {command.id for command in desk.window.commands.all()}
    assert {name for groups in MENUS for group in groups for name in group} <= known


def test_the_scale_and_the_crs_at_the_foot_have_menus_by_hand_and_by_key(desk):
    d, foot = desk, desk.window.foot
    for widget, entry in ((foot.scale, "Zoom in"), (foot.crs, "Turn the map to an angle…")):
        for reason in (RIGHT, MENU_KEY):
            menu, texts = menu_of(d, widget, widget.rect().center(), reason)
            assert entry in texts
            menu.close()
    before = d.canvas.view.resolution
    menu, texts = menu_of(d, foot.scale, foot.scale.rect().center())
    choose(d, menu, texts["Zoom in"])
    assert d.canvas.view.resolution < before


def test_a_layer_is_renamed_from_the_menu_of_its_tile(desk):
    d, spine = desk, desk.window.desk.spine
    row = next(i for i, layer in enumerate(d.work.layers) if layer.name == "closed_zones")
    menu, texts = menu_of(d, spine, spine.visualItemRect(spine.item(row)).center())
    assert d.work.subject.name == "closed_zones"  # what is asked about becomes the subject
    assert {
        "Rename the layer or group",
        "Duplicate the subject",
        "Fit the subject",
        "Close the chosen layers",
    } <= texts.keys()
    choose(d, menu, texts["Rename the layer or group"])
    line = next(each for each in spine.findChildren(NameLine) if each.isVisible())
    assert line.selectedText() == "closed_zones"
    d.type(line, "Zones of 2031")
    assert d.work.subject.name == "Zones of 2031" and d.work.undo_text == "rename"
    d.press(spine, Qt.Key.Key_F2)
    line = next(each for each in spine.findChildren(NameLine) if each.isVisible())
    line.setText("nonsense")
    d.press(line, Qt.Key.Key_Escape)
    d.settle()
    assert d.work.subject.name == "Zones of 2031" and not line.isVisible()
    d.work.undo()
    assert d.work.subject.name == "closed_zones"


def test_names_stay_apart_and_a_copy_has_a_look_of_its_own(desk, tmp_path):
    d = desk
    flows = d.layer("lava_flows")
    d.work.choose(flows.id)
    d.press(d.window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    d.settle()
    copy = d.work.subject
    assert copy.name == "lava_flows copy" and copy.ref == flows.ref and copy.id != flows.id
    assert d.work.layers.index(copy) == d.work.layers.index(d.work.layer(flows.id)) - 1
    d.work.change("opacity", copy.id, opacity=0.3)
    assert d.work.layer(flows.id).opacity == flows.opacity
    d.work.rename(copy.id, "trails")
    assert d.work.layer(copy.id).name == "trails 2"
    d.work.rename(copy.id, "  ")
    assert d.work.layer(copy.id).name == "trails 2"
    assert d.window.session.save_project(tmp_path / "w.brisk.json")
    assert [layer.name for layer in read(tmp_path / "w.brisk.json")[0].layers].count("trails 2") == 1


def test_one_layer_alone_and_all_again(desk):
    d = desk
    before = {layer.name for layer in d.work.layers if layer.visible}
    d.work.choose(d.layer("trails").id)
    d.command("Show only the chosen layers")
    assert {layer.name for layer in d.work.layers if layer.visible} == {
        "trails",
        "gas_readings",
    }  # a table is not drawn
    d.work.undo()
    assert {layer.name for layer in d.work.layers if layer.visible} == before
    d.window.commands.do("show_all")
    assert all(layer.visible for layer in d.work.layers)


def test_the_menu_of_the_map_speaks_of_the_place_it_was_opened_at(desk):
    d, canvas = desk, desk.canvas
    at = QPoint(200, 300)
    menu, texts = menu_of(d, canvas, at)
    place = canvas.view.to_map(200, 300)
    choose(d, menu, texts["Copy the position"])
    copied = QGuiApplication.clipboard().text()
    d.window.notice.hide()
    d.settle()
    place = canvas.view.to_map(200, 300)
    assert f"{place[0]:,.1f} E {place[1]:,.1f} N" in copied and "MGRS\t27H" in copied
    menu, texts = menu_of(d, canvas, at)
    choose(d, menu, texts["What is here"])
    assert d.window.desk.probe.where_at.middle == pytest.approx(place)
    menu, texts = menu_of(d, canvas, at)
    choose(d, menu, texts["Measure from here"])
    assert canvas.tool.kind == "distance" and canvas.tool.corners[0] == pytest.approx(place)
    d.press(canvas, Qt.Key.Key_Escape)
    menu, texts = menu_of(d, canvas, at)
    choose(d, menu, texts["Put this place in the centre"])
    assert (canvas.view.x, canvas.view.y) == pytest.approx(place)
    menu, texts = menu_of(d, canvas, QPoint(5, 5), MENU_KEY)
    assert "Back to the place before" in texts and "On to the place after" not in texts
    menu.close()


def test_back_and_on_through_the_places(desk):
    d, canvas = desk, desk.canvas
    first = canvas.view
    canvas.centre_on(first.x + 5_000, first.y)
    d.settle()
    d.window.commands.do("fit_all")
    d.settle()
    wide = canvas.view
    alt = Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ControlModifier
    d.press(d.window, Qt.Key.Key_Left, alt)
    d.settle()
    assert (canvas.view.x, canvas.view.resolution) == pytest.approx((first.x + 5_000, first.resolution))
    d.press(d.window, Qt.Key.Key_Left, alt)
    d.settle()
    assert canvas.view.x == pytest.approx(first.x)
    d.press(d.window, Qt.Key.Key_Right, alt)
    d.press(d.window, Qt.Key.Key_Right, alt)
    d.settle()
    assert canvas.view.resolution == pytest.approx(wide.resolution)


def test_the_maps_crs_is_chosen_at_the_foot_and_the_place_stays(desk, tmp_path):
    d, canvas = desk, desk.canvas
    d.click(d.window.foot.crs)
    form = d.window.map_dialogs.crs_form
    texts = [form.picker.list.item(i).text() for i in range(form.picker.list.count())]
    assert any("EPSG:3857" in text and "tiles" in text for text in texts) and not any("unknown" in t for t in texts)
    row = next(i for i, text in enumerate(texts) if text.startswith("Equal-area around 38.2° S"))
    form.picker.list.setCurrentRow(row)
    d.settle()
    lines = {form.layers.topLevelItem(i).text(0): form.layers.topLevelItem(i).text(1)
             for i in range(form.layers.topLevelItemCount())}  # fmt: skip
    assert lines["coastline"].endswith("exact") and "gas_readings" not in lines
    was = d.work.state.crs
    d.click(form.use)
    assert d.window.foot.crs.text().startswith("Equal-area around") and not canvas.settling
    assert abs(canvas.view.x) < 4_000 and abs(canvas.view.y) < 4_000  # of the projection's own centre
    frame = canvas.frames[0]
    assert frame[1].crs == d.work.state.crs and d.work.undo_text == "change the map's CRS"
    assert d.window.session.save_project(tmp_path / "w.brisk.json")
    assert read(tmp_path / "w.brisk.json")[0].crs == d.work.state.crs
    d.work.undo()
    d.settle()
    assert d.work.state.crs == was and canvas.view.crs == was
    assert canvas.view.x == pytest.approx(canvas.view.x) and abs(canvas.view.x - 509_000) < 5_000


def test_a_scale_is_chosen_at_the_foot(desk):
    d, canvas, foot = desk, desk.canvas, desk.window.foot
    centre = canvas.view.x, canvas.view.y
    action = next(each for each in foot.scale.menu().actions() if each.text() == "1:25,000")
    action.trigger()
    d.settle()
    assert foot.scale.text() == "1:25,000" and (canvas.view.x, canvas.view.y) == centre
    d.work.use_crs("EPSG:4326")
    d.settle()
    action.trigger()
    d.settle()
    assert foot.scale.text() == "1:25,000" and canvas.view.crs == "EPSG:4326"


def test_tiles_show_dark_layers_by_night(desk):
    d, spine = desk, desk.window.desk.spine
    row = next(i for i, layer in enumerate(d.work.layers) if layer.name == "buildings")
    d.window.toggle_theme()
    d.settle()
    tile = spine.visualItemRect(spine.item(row))
    ground = spine.viewport().grab().toImage().pixelColor(tile.left() + 14, tile.top() + 12)
    assert ground.lightness() > 200 and d.window.theme.name == "night"
    d.window.toggle_theme()


def test_from_a_tile_to_its_file_and_its_record(desk):
    d = desk
    d.work.choose(d.layer("coastline").id)
    d.command("Show the subject's file on Find")
    assert (
        d.window.page == "find"
        and d.window.find_page.list.rows.row_at(d.window.find_page.list.currentIndex()).entry.name
        == "tolvane_survey.gpkg"
    )
    d.window.show_page("desk")
    d.window.commands.do("read_record")
    d.settle()
    assert d.window.page == "record" and "tolvane_survey" in d.window.record.bar.title.text()


def test_the_map_is_turned_by_hand_by_key_and_by_typing_and_back_to_north(desk):
    d, canvas = desk, desk.canvas
    middle = canvas.view.x, canvas.view.y
    w, h = canvas.width(), canvas.height()
    d.drag(canvas, (w // 2, h // 2 - 120), (w // 2 + 120, h // 2), Qt.KeyboardModifier.AltModifier)
    assert canvas.view.turn == pytest.approx(90, abs=2) and (canvas.view.x, canvas.view.y) == pytest.approx(middle)
    assert canvas.frames[0][1].turn == canvas.view.turn  # drawn turned, not only shown so
    d.press(canvas, Qt.Key.Key_Comma)
    assert canvas.view.turn == pytest.approx(75, abs=2)
    d.command("turn the map to an angle")
    box = d.window.findChild(TurnTo)
    d.qtbot.keyClicks(box.line, "-30")
    assert "30° to the left" in box.list.item(0).text()
    d.press(box.line, Qt.Key.Key_Return)
    d.settle()
    assert canvas.view.turn == -30
    crater = d.at(509_000, 5_771_400)
    d.click(canvas, crater)
    assert d.window.desk.probe.where_at.middle == pytest.approx((509_000, 5_771_400), abs=20)
    d.window.commands.do("fit_all")
    d.settle()
    assert canvas.view.turn == -30
    d.command("turn the map back to north")
    assert canvas.view.turn == 0 and not d.window.commands["north_up"].isEnabled()


def test_a_wrong_crs_of_a_layer_is_set_for_it_alone_and_saved(desk, tmp_path):
    d = desk
    layer = d.layer("coastline")
    d.work.choose(layer.id)
    before = d.window.session.cache.shapes_in(layer.ref, "EPSG:4326").bounds.copy()
    d.command("set the subject's CRS")
    form = d.window.layer_dialogs.crs_form
    d.type(form.picker.line, "32728", enter=False)
    d.qtbot.waitUntil(lambda: not form.picker.busy)
    form.picker.list.setCurrentRow(0)
    assert form.picker.code == "EPSG:32728" and "14.9" in form.lands.text()  # six degrees further east
    d.click(form.use)
    layer = d.work.layer(layer.id)
    after = d.window.session.cache.shapes_in(layer.ref, "EPSG:4326").bounds
    assert after[:, 0] == pytest.approx(before[:, 0] + 6, abs=1e-6) and after[:, 1] == pytest.approx(before[:, 1])
    assert d.window.session.facts_of(layer).crs == "EPSG:32728"
    assert d.window.session.save_project(tmp_path / "w.brisk.json")
    stored = next(la for la in read(tmp_path / "w.brisk.json")[0].layers if la.id == layer.id)
    assert stored.ref.crs == "EPSG:32728" and stored.ref == layer.ref
    d.work.undo()
    d.settle()
    assert d.work.layer(layer.id).ref.crs is None


def test_rows_of_find_have_a_menu_of_commands(desk, tmp_path):
    d, find = desk, desk.window.find_page
    d.window.show_page("find")
    find.go_to(demo.DATA)
    d.settle()
    d.find("vents.kml")
    index = find.list.currentIndex()
    menu, texts = menu_of(d, find.list, find.list.visualRect(index).center())
    assert "Open the chosen datasets" in texts and "Pin or unpin the chosen folder" not in texts
    assert texts["Read the record of the chosen dataset"] is d.window.commands["read_chosen_record"]
    choose(d, menu, texts["Read the record of the chosen dataset"])
    assert d.window.page == "record" and "vents" in d.window.record.bar.title.text()
    d.window.show_page("find")
    d.find("boreholes")
    menu, texts = menu_of(d, find.list, find.list.visualRect(find.list.currentIndex()).center(), MENU_KEY)
    choose(d, menu, texts["Pin or unpin the chosen folder"])
    assert demo.DATA / "boreholes" in d.window.session.shelves.pinned
    d.window.commands.do("go_to_chosen")
    d.settle()
    assert find.folder == demo.DATA / "boreholes"


def test_a_line_of_the_probe_is_copied_pinned_filtered_and_coloured_by(desk):
    d, tree = desk, desk.window.desk.probe.tree
    layer = d.layer("lava_flows")
    d.work.choose(layer.id)
    d.window.desk.probe.set_scope("subject")
    d.window.desk.probe.show_row(layer, 2)
    d.settle()
    item = next(i for i in tree.findItems("", Qt.MatchFlag.MatchContains | Qt.MatchFlag.MatchRecursive)
                if i.text(0).strip() == "year")  # fmt: skip
    at = tree.visualItemRect(item).center()
    menu, texts = menu_of(d, tree, at)
    year = tree.reading.value
    choose(d, menu, texts["Copy the probe's value"])
    assert QGuiApplication.clipboard().text() == tree.reading.text
    menu, texts = menu_of(d, tree, at)
    choose(d, menu, texts["Show only what has this value"])
    layer = d.work.layer(layer.id)
    shown = shown_rows(d.window.session.cache, layer)
    table = d.window.session.cache.table(layer.ref)
    assert {v for v, on in zip(table["year"].to_pylist(), shown) if on} == {year}
    menu, texts = menu_of(d, tree, at)
    choose(d, menu, texts["Colour the layer by this field"])
    assert d.work.layer(layer.id).style.colour_by == "year"
    menu, texts = menu_of(d, tree, at)
    choose(d, menu, texts["Show this value first, or no more"])
    first = tree.topLevelItem(0).child(0)
    assert first.text(0).strip() == "year" and not first.icon(0).isNull()


def test_rows_of_the_sheet_have_a_menu_of_commands(desk):
    d, sheet = desk, desk.window.desk.sheet
    d.work.choose(d.layer("buildings").id)
    d.window.commands.do("sheet")
    d.settle()
    sheet.grid.row_menu_wanted.emit(sheet.mapToGlobal(QPoint(20, 20)))
    menu = next(each for each in d.window.findChildren(QMenu) if each.isVisible())
    texts = {action.text(): action for action in menu.actions() if action.text()}
    assert texts["Copy rows as GeoJSON"] is d.window.commands["copy_geojson"]
    choose(d, menu, texts["Copy cell"])
    assert QGuiApplication.clipboard().text()
