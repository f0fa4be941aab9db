"""The stack by hand: groups, several at once, scales, notes, files that moved or changed, many layers."""

from __future__ import annotations

import shutil
from dataclasses import replace

from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication

from brisk_atlas import demo
from brisk_atlas.core.workspace.source_watch import SourceState
from brisk_atlas.desktop.name_line import NameLine
from brisk_atlas.desktop.stack_tile import LAYER_ID, LEGEND_LINE_PX, TILE_PX, StackTile

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def lines(d):
    """Return the names on the spine, indented."""
    spine = d.window.desk.spine
    return [
        "  " * spine.tile.depths[item.data(LAYER_ID)] + item.data(Qt.ItemDataRole.AccessibleTextRole)
        for i in range(spine.count())
        if not (item := spine.item(i)).isHidden()
    ]


def tile_of(d, name):
    spine = d.window.desk.spine
    item = next(
        spine.item(i) for i in range(spine.count()) if spine.item(i).data(Qt.ItemDataRole.AccessibleTextRole) == name
    )
    spine.scrollToItem(item)
    return spine.visualItemRect(item)


def click(d, name, modifiers=Qt.KeyboardModifier.NoModifier):
    rect = tile_of(d, name)
    d.click(d.window.desk.spine.viewport(), (rect.left() + 100, rect.top() + 12), modifiers)


def test_chosen_layers_are_grouped_named_folded_and_hidden_together(desk):
    d, spine = desk, desk.window.desk.spine
    click(d, "lava_flows")
    click(d, "buildings", CTRL)
    d.press(d.window, Qt.Key.Key_G, CTRL | ALT)
    at = lines(d).index("group")
    assert lines(d)[at + 1 : at + 3] == ["  lava_flows", "  buildings"] or "  buildings" in lines(d)[at + 1 : at + 3]
    click(d, "group")
    d.press(spine, Qt.Key.Key_F2)
    line = next(each for each in spine.findChildren(NameLine) if each.isVisible())
    d.type(line, "after the eruption")
    assert "after the eruption" in lines(d)
    head = spine.tile.tile_rect(tile_of(d, "after the eruption"), d.work.state.groups[0].id)
    d.click(
        spine.viewport(), (StackTile.group_dot_rect(head).center().x(), StackTile.group_dot_rect(head).center().y())
    )
    assert not d.work.state.groups[0].visible
    assert not any(la.visible for la in d.work.drawn() if la.name in ("lava_flows", "buildings"))
    d.press(spine, Qt.Key.Key_Left)
    assert d.work.state.groups[0].folded and "  buildings" not in lines(d)
    d.press(spine, Qt.Key.Key_Right)
    assert "  buildings" in lines(d)
    click(d, "after the eruption")
    d.command("take the group apart")
    assert not d.work.state.groups and "buildings" in lines(d)


def test_several_are_closed_at_once_and_come_back(desk):
    d = desk
    count = len(d.work.layers)
    click(d, "trails")
    click(d, "buildings", CTRL)
    assert [la.name for la in d.work.chosen_layers] == ["trails", "buildings"] or len(d.work.chosen_layers) == 2
    d.press(d.window, Qt.Key.Key_Delete)
    assert len(d.work.layers) == count - 2
    d.press(d.window, Qt.Key.Key_Z, CTRL)
    assert len(d.work.layers) == count


def test_a_layer_is_dragged_into_a_group_and_out_again(desk):
    d, spine = desk, desk.window.desk.spine
    group = d.work.put_in_group({d.layer("lava_flows").id}, "lava")
    click(d, "trails")
    head, inside = tile_of(d, "lava"), tile_of(d, "lava_flows")

    def drop(at):
        nothing = Qt.KeyboardModifier.NoModifier
        mime = QMimeData()
        spine.dropEvent(QDropEvent(QPointF(at), Qt.DropAction.MoveAction, mime, Qt.MouseButton.LeftButton, nothing))

    drop(QPoint(inside.left() + 40, inside.bottom() - 6))
    assert d.layer("trails").group == group.id
    assert lines(d)[lines(d).index("lava") + 1 :][:2] == ["  lava_flows", "  trails"]
    drop(QPoint(head.left() + 40, tile_of(d, "lava").top() + 2))
    assert d.layer("trails").group is None and lines(d).index("trails") == lines(d).index("lava") - 1


def test_what_is_dropped_on_the_stack_goes_where_it_is_dropped(desk):
    d, window = desk, desk.window
    before = lines(d)
    rect = tile_of(d, before[3])
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(demo.DATA / "vents.kml"))])
    view = window.desk.spine.viewport()
    at = view.mapTo(window, QPoint(rect.left() + 50, rect.top() + 4))
    left, nothing = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(window, QDragEnterEvent(at, Qt.DropAction.CopyAction, mime, left, nothing))
    QApplication.sendEvent(window, QDropEvent(QPointF(at), Qt.DropAction.CopyAction, mime, left, nothing))
    d.settle()
    assert lines(d)[3] == "vents" and lines(d)[4] == before[3]


def test_a_note_and_scales_are_written_and_the_layer_keeps_to_them(desk):
    d = desk
    layer = d.layer("buildings")
    d.work.choose(layer.id)
    d.press(d.window, Qt.Key.Key_I, CTRL | ALT)
    form = d.window.layer_dialogs.form
    form.note.setPlainText("roofs of 2030 are missing")
    d.type(form.farthest.lineEdit(), "1:5,000", enter=False)
    d.type(form.closest.lineEdit(), "1:9,000", enter=False)
    assert not form.use.isEnabled() and "never be drawn" in form.message.text()
    d.type(form.closest.lineEdit(), "any", enter=False)
    d.click(form.use)
    layer = d.work.layer(layer.id)
    assert layer.note == "roofs of 2030 are missing" and layer.scales == (0.0, 5_000.0)
    d.window.commands.do("solo")
    d.settle()
    image, view = d.canvas.frames[0]
    place = d.window.session.cache.shapes_in(layer.ref, view.crs).bounds[0, :2]
    d.click(d.canvas, d.at(*place))
    assert not any(found.layer_id == layer.id for found in d.window.desk.probe.findings)  # nor is it probed
    assert view.scale > 5_000 and not image.constBits().asstring(image.sizeInBytes()).strip(b"\0")
    x, y = d.window.session.cache.shapes_in(layer.ref, view.crs).bounds[0, :2]
    d.canvas.look_at_centre(x, y, 0.5, view.crs)
    d.settle()
    image, view = d.canvas.frames[0]
    assert view.scale < 5_000 and image.constBits().asstring(image.sizeInBytes()).strip(b"\0")


def test_a_locked_layer_refuses_another_look(desk):
    d = desk
    layer = d.layer("trails")
    d.work.choose(layer.id)
    d.command("lock or unlock")
    assert not d.work.change("style", layer.id, style=layer.style.__class__(width=9.0))
    assert d.work.layer(layer.id).style == layer.style and "locked" in d.window.notice.text.text()


def test_a_flash_shows_the_chosen_alone_and_then_all_again(desk):
    d = desk
    d.work.choose(d.layer("lava_flows").id)
    whole = d.canvas.frames[0][0].copy()
    seen = []
    d.window.desk.map.renderer.drawn.connect(lambda frames: seen.append(frames[0].image.any(axis=2).mean()))
    d.press(d.window, Qt.Key.Key_H, CTRL | ALT)
    d.qtbot.waitUntil(lambda: len(seen) >= 4, timeout=60_000)
    d.settle()
    assert min(seen) < 0.5 * max(seen) and d.canvas.frames[0][0] == whole


def test_moved_files_are_marked_and_found_again_for_a_whole_folder(driver, tmp_path):
    old, new = tmp_path / "2031", tmp_path / "archive" / "2031"
    old.mkdir()
    for name in ("vents.kml", "gas_stations.csv", "ash_samples.geojson"):
        shutil.copy(demo.DATA / name, old / name)
    driver.open(old / "vents.kml", old / "ash_samples.geojson")
    driver.window.show_page("desk")
    driver.settle()
    d, session = driver, driver.window.session
    session.check_sources()
    d.settle()
    assert d.window.desk.spine.tile.states == {}
    new.parent.mkdir()
    old.rename(new)
    session.check_sources()
    d.settle()
    assert set(d.window.desk.spine.tile.states.values()) == {SourceState.MISSING}
    assert "moved or gone" in d.window.desk.spine.item(0).toolTip()
    d.window.layer_dialogs.relink(d.layer("vents"), str(new / "vents.kml"))
    d.settle()
    assert {la.ref.folder for la in d.work.layers} == {new} and d.window.desk.spine.tile.states == {}
    assert "2 layers" in d.window.notice.text.text()
    d.work.undo()
    assert {la.ref.folder for la in d.work.layers} == {old}


def test_a_file_that_changed_is_marked_and_read_again_when_asked(driver, tmp_path):
    path = tmp_path / "samples.geojson"
    shutil.copy(demo.DATA / "ash_samples.geojson", path)
    driver.open(path)
    driver.window.show_page("desk")
    driver.settle()
    d, session = driver, driver.window.session
    session.check_sources()
    d.settle()
    layer = d.work.layers[0]
    count = len(session.cache.features(layer.ref))
    path.write_text(path.read_text().replace('"features": [', '"features":  [').replace("Point", "Point"))
    import json

    whole = json.loads(path.read_text())
    whole["features"] = whole["features"][:5]
    path.write_text(json.dumps(whole))
    session.check_sources()
    d.settle()
    assert d.window.desk.spine.tile.states == {layer.id: SourceState.CHANGED}
    assert len(session.cache.features(layer.ref)) == count  # not before it is asked for
    d.command("read the files of the chosen layers again")
    assert len(session.cache.features(layer.ref)) == 5 and d.window.desk.spine.tile.states == {}


def test_many_layers_are_filtered_by_name_and_stay_in_order(desk):
    d = desk
    layer = d.layer("trails")
    with d.work.together():
        for _ in range(60):
            d.work.duplicate(layer.id)
    d.settle()
    assert d.window.desk.stack.line.isVisible()
    d.press(d.window, Qt.Key.Key_F, CTRL | ALT)
    d.type(d.window.desk.stack.line, "LAVA", enter=False)
    assert lines(d) == ["lava_flows"]
    d.press(d.window.desk.stack.line, Qt.Key.Key_Escape)
    assert len(lines(d)) == len(d.work.layers)


def test_a_class_is_switched_off_and_on_in_the_legend(desk):
    d, spine = desk, desk.window.desk.spine
    layer = d.layer("lava_flows")
    d.work.choose(layer.id)
    style = replace(layer.style, colour_by='"year"', method="unique")
    d.work.change("classes", layer.id, style=style)
    d.settle()
    legend = spine.thumbs[layer.id][2]
    assert legend.swatches and legend.hidden == ()
    tile = spine.tile.tile_rect(tile_of(d, "lava_flows"), layer.id)
    at = tile.left() + 60, tile.top() + TILE_PX - 6 + LEGEND_LINE_PX + 6  # the first line below the title
    d.click(spine.viewport(), at)
    assert d.work.layer(layer.id).style.hidden == (legend.entries[0][1],)
    d.settle()
    d.click(spine.viewport(), at)
    assert d.work.layer(layer.id).style.hidden == ()
