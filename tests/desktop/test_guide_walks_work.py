"""More tasks of the guide, walked through by mouse and by keyboard: drawing, comparing, rows, records, albums, saving."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QMenu

from brisk_atlas import demo
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.core.workspace.sketching import sketch_of
from brisk_atlas.desktop.console.console_window import ConsoleWindow
from brisk_atlas.desktop.settings.settings_window import SettingsWindow
from brisk_atlas.desktop.welcome.help_window import HelpWindow
from guide_hand import ALT, BOTH, CTRL, MOUSE, Hand

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def hand(desk):
    return Hand(desk)


@BOTH
def test_open_a_dataset_from_find(hand, way):
    find = hand.window.find_page
    find.go_to(demo.DATA)
    hand.page(way, 1)
    hand.type(find.filter, "vents", enter=False)
    if way == MOUSE:
        rect = find.list.visualRect(find.list.rows.index(0, 0))
        at = (rect.left() + 20, rect.center().y())
        hand.click(find.list.viewport(), at)
        hand.click(find.glance.open_button)
    else:
        hand.key(Qt.Key.Key_Down, on=find.filter)
        assert find.list.hasFocus()
        hand.key(Qt.Key.Key_Return, on=find.list)
    hand.d.settle()
    assert hand.d.work.subject.name == "vents" and hand.window.page == "desk" and hand.steps == 4


@BOTH
def test_draw_on_the_map(hand, way):
    d = hand.d
    if way == MOUSE:
        hand.do(way, "draw points")
        hand.click(d.canvas, (300, 300))
    else:
        hand.key(Qt.Key.Key_1, ALT, on=d.canvas)
        d.canvas.setFocus()
        hand.key(Qt.Key.Key_Space, on=d.canvas)
    marks = sketch_of(hand.window.desk.sketch.layer).marks
    assert len(marks) == 1 and hand.steps == (4 if way == MOUSE else 2)
    hand.key(Qt.Key.Key_Escape, on=d.canvas)
    hand.key(Qt.Key.Key_Z, CTRL)
    assert hand.window.desk.sketch.layer is None


@BOTH
def test_compare_before_with_after(hand, way):
    d = hand.d
    d.work.choose(d.layer("elevation_2029").id)
    d.settle()
    if way == MOUSE:
        hand.button("curtain")
    else:
        hand.key(Qt.Key.Key_C)
    comparison = d.work.state.comparison
    assert comparison is not None and comparison.way is Way.CURTAIN and hand.steps == 1
    before = d.canvas.sides.at
    if way == MOUSE:
        at = QPoint(round(d.canvas.width() * before), 300)
        hand.drag(d.canvas, (at.x(), at.y()), (at.x() + 100, 300))
    else:
        hand.key(Qt.Key.Key_BracketRight, on=d.canvas)
    assert d.canvas.sides.at > before and hand.steps == 2


@BOTH
def test_read_rows_from_the_lowest_up(hand, way):
    d, sheet = hand.d, hand.window.desk.sheet
    d.work.choose(d.layer("lava_flows").id)
    d.settle()
    if way == MOUSE:
        hand.do(way, "sheet drawer")
        at = sheet.grid.head_rect("volume_m3").center()
        hand.click(sheet.grid.view, (at.x(), 8))
    else:
        hand.key(Qt.Key.Key_T)
        sheet.grid.current = (0, sheet.grid.columns.number_of("volume_m3"))
        sheet.grid.setFocus()
        hand.do(way, "lowest first")
    assert sheet.isVisible() and d.layer("lava_flows").rows.sort == (("volume_m3", False),)
    assert hand.steps == 4


@BOTH
def test_read_and_check_a_record(hand, way):
    hand.page(way, 3)
    page = hand.window.record
    assert page.views.brief.reading.toPlainText() and "16 of 16" in page.checks.message.text()
    if way == MOUSE:
        hand.button("check schema", page.checks)
    else:
        hand.key(Qt.Key.Key_Space, on=page.checks.schema)
    hand.d.settle()
    assert "Valid by the schema" in page.checks.message.text() and hand.steps == 2


@BOTH
def test_capture_a_plate_and_give_it_a_title(hand, way, qtbot):
    d = hand.d
    d.canvas.setFocus()
    if way == MOUSE:
        hand.do(way, "capture a plate")
    else:
        hand.key(Qt.Key.Key_F9)
    qtbot.waitUntil(lambda: bool(d.work.state.album.plates), timeout=60_000)
    d.settle()
    hand.do(way, "album")
    album = hand.window.handover.album
    album.choose(d.work.state.album.plates[0].id)
    hand.type(album.item_title, "Lava at Harrow Bay")
    assert d.work.state.album.plates[0].title == "Lava at Harrow Bay"
    assert hand.steps == (7 if way == MOUSE else 5)


@BOTH
def test_send_a_link_to_a_view(hand, way):
    if way == MOUSE:
        hand.do(way, "copy a link")
    else:
        hand.key(Qt.Key.Key_U, CTRL | ALT)
    assert QGuiApplication.clipboard().text().startswith("brisk-atlas:view?")
    assert hand.steps == (3 if way == MOUSE else 1)


@BOTH
def test_copy_a_picture_of_the_map(hand, way):
    d = hand.d
    d.canvas.setFocus()
    if way == MOUSE:
        hand.menu(d.canvas.findChildren(QMenu)[0], "Copy a picture of the pane", QPoint(200, 200), d.canvas)
    else:
        hand.key(Qt.Key.Key_F9, CTRL)
    image = QGuiApplication.clipboard().image()
    assert image.width() >= d.canvas.width() and hand.steps == (2 if way == MOUSE else 1)


@BOTH
def test_choose_units(hand, way):
    if way == MOUSE:
        hand.do(way, "settings")
    else:
        hand.key(Qt.Key.Key_Comma, CTRL)
    form = hand.window.findChild(SettingsWindow)
    assert form.isVisible() and hand.steps == (3 if way == MOUSE else 1)
    form.units.setFocus()
    hand.key(Qt.Key.Key_Down, on=form.units)
    assert str(hand.window.settings.value("length_units", ""))
    hand.key(Qt.Key.Key_Up, on=form.units)
    assert form.units.currentIndex() == 0


@BOTH
def test_save_the_work(hand, way, tmp_path, monkeypatch):
    path = tmp_path / "work.brisk.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **options: (str(path), ""))
    hand.window.session.work.saved(None)
    if way == MOUSE:
        hand.do(way, "save the project as")
    else:
        hand.key(Qt.Key.Key_S, CTRL | SHIFT)
    hand.d.settle()
    assert path.exists() and hand.steps == (3 if way == MOUSE else 1)


@BOTH
def test_read_what_was_measured_along_a_line(hand, way):
    d, pane = hand.d, hand.window.desk.strip
    d.open(demo.DATA / "boat_lines" / "tso2901.mgd77")
    if way == MOUSE:
        hand.do(way, "strip")
    else:
        hand.key(Qt.Key.Key_J, on=d.canvas)
    assert pane.isVisible() and "185 places" in pane.what.text()
    assert hand.steps == (3 if way == MOUSE else 1)


@BOTH
def test_read_help_on_where_one_is(hand, way):
    if way == MOUSE:
        hand.do(way, "help")
    else:
        hand.key(Qt.Key.Key_F1)
    box = hand.window.findChild(HelpWindow)
    assert box.isVisible() and "map" in box.text.toPlainText() and hand.steps == (3 if way == MOUSE else 1)


@BOTH
def test_work_in_python_beside_the_window(hand, way, qtbot):
    hand.do(way, "console")
    panel = hand.window.findChild(ConsoleWindow)
    lines = panel.text._control
    qtbot.waitUntil(lambda: "In [1]:" in lines.toPlainText(), timeout=60_000)
    hand.steps += 2
    qtbot.keyClicks(lines, "Statistics('elevation_2029').run(workspace).unit")
    qtbot.keyClick(lines, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "Out[1]: 'm'" in lines.toPlainText(), timeout=60_000)
    assert hand.steps == 5
    panel.close()
