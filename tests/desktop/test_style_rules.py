"""Rules, legends and ramps by mouse and keyboard."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QColorDialog, QComboBox, QDoubleSpinBox, QFileDialog, QLineEdit, QPushButton

from brisk_atlas.desktop.drawers.rule_list import RuleList
from brisk_atlas.desktop.name_line import NameLine
from brisk_atlas.desktop.stack_tile import LAYER_ID, LEGEND_LINE_PX, TILE_PX


def form(d):
    return d.window.desk.style_form


def rule_list(d):
    return form(d).findChild(RuleList)


def subject(d):
    return d.work.subject.style


@pytest.fixture
def ruled(demo_driver):
    """Return a driver whose subject, the lava, is drawn by the two rules with which rules begin."""
    d = demo_driver
    d.work.choose(d.layer("lava_flows").id)
    d.press(d.canvas, Qt.Key.Key_S)
    d.settle()
    d.click(form(d).findChild(QPushButton, "by rules"))
    return d


def test_a_rule_is_added_given_its_condition_and_its_look(ruled):
    d = ruled
    assert [rule.name for rule in subject(d).rules] == ["all others", "rule"] and rule_list(d).current == 1
    line = form(d).findChild(QLineEdit, "rule where")
    d.type(line, "no_field = 1")
    assert line.property("wrong") and "no_field" in line.toolTip() and subject(d).rules[1].where == ""
    d.type(line, "year >= 2030")
    assert subject(d).rules[1].where == "year >= 2030" and not line.property("wrong")
    width = form(d).findChild(QDoubleSpinBox, "width")
    width.setValue(4.0)
    d.settle()
    assert [rule.style.width for rule in subject(d).rules] == [pytest.approx(0.8), 4.0]
    d.press(rule_list(d).list, Qt.Key.Key_Down)
    d.settle()
    assert width.value() == pytest.approx(0.8) and rule_list(d).about.text() == "Look of all others"
    d.window.commands.do("undo")
    assert subject(d).rules[1].style.width == pytest.approx(0.8)


def test_rules_are_ordered_switched_off_renamed_and_removed(ruled):
    d, rules = ruled, rule_list(ruled)
    d.click(rules.buttons["down"])
    assert [rule.name for rule in subject(d).rules] == ["rule", "all others"] and rules.current == 0
    item = rules.list.item(1)
    item.setCheckState(Qt.CheckState.Unchecked)
    d.settle()
    assert subject(d).hidden == ("rule",)
    rules.list.setCurrentRow(1)
    rules.list.item(1).setText("all others")
    d.settle()
    assert [rule.name for rule in subject(d).rules] == ["all others 2", "all others"]
    assert subject(d).hidden == ("all others 2",)
    d.press(rules.list, Qt.Key.Key_Delete)
    d.settle()
    assert [rule.name for rule in subject(d).rules] == ["all others"] and len(d.work.layers) > 5
    d.click(form(d).findChild(QPushButton, "no rules"))
    assert subject(d).rules == () and subject(d).hidden == () and rule_list(d) is None


def test_scales_of_a_rule_that_can_never_be_are_refused(ruled):
    d, scales = ruled, rule_list(ruled).range
    scales.closest.setCurrentText("1:50,000")
    scales.ended.emit()
    assert subject(d).rules[1].scales == (50_000.0, float("inf"))
    scales.farthest.setCurrentText("1:10,000")
    scales.ended.emit()
    assert subject(d).rules[1].scales == (50_000.0, float("inf")) and "further out" in d.window.notice.text.text()


def legend_point(d, name, number, *, swatch=False):
    """Return where an entry of the subject's legend stands on the spine."""
    spine = d.window.desk.spine
    item = next(spine.item(i) for i in range(spine.count()) if spine.item(i).data(LAYER_ID) == d.layer(name).id)
    spine.scrollToItem(item)
    tile = spine.tile.tile_rect(spine.visualItemRect(item), d.layer(name).id)
    legend = spine.thumbs[d.layer(name).id][2]
    top = tile.top() + TILE_PX - 6 + (LEGEND_LINE_PX if legend.title else 0) + (34 if legend.ramp else 0)
    return spine.viewport(), (tile.left() + (14 if swatch else 60), top + LEGEND_LINE_PX * number + 8)


def test_a_class_gets_its_colour_and_name_in_the_legend(ruled, monkeypatch):
    d = ruled
    monkeypatch.setattr(QColorDialog, "getColor", lambda *args: QColor("#123456"))
    d.click(*legend_point(d, "lava_flows", 0, swatch=True))
    assert subject(d).rules[1].style.fill == "#123456"
    view, at = legend_point(d, "lava_flows", 0)
    d.click(view, at)
    assert subject(d).hidden == ("rule",)
    d.click(view, at)
    assert subject(d).hidden == ()
    point = view.rect().topLeft() + type(view.rect().topLeft())(*at)
    d.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=point)
    d.qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=point)
    line = d.window.desk.spine.findChild(NameLine)
    assert line is not None and line.text() == "rule"
    d.type(line, "new lava")
    assert subject(d).rules[1].name == "new lava" and subject(d).hidden == ()


def test_the_end_of_a_ramp_is_typed_in_the_legend(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("sea floor").id)
    d.settle()
    spine = d.window.desk.spine
    legend = spine.thumbs[d.layer("sea floor").id][2]
    item = next(spine.item(i) for i in range(spine.count()) if spine.item(i).data(LAYER_ID) == d.layer("sea floor").id)
    spine.scrollToBottom()
    d.settle()
    tile = spine.tile.tile_rect(spine.visualItemRect(item), d.layer("sea floor").id)
    top = tile.top() + TILE_PX - 6 + LEGEND_LINE_PX
    point = tile.topLeft() + type(tile.topLeft())(tile.width() - 20, top - tile.top() + 20)
    d.qtbot.mouseClick(spine.viewport(), Qt.MouseButton.LeftButton, pos=point)
    d.qtbot.mouseDClick(spine.viewport(), Qt.MouseButton.LeftButton, pos=point)
    d.type(spine.findChild(NameLine), "-250")
    assert d.layer("sea floor").style.stretch.high == -250 and d.layer("sea floor").style.stretch.kind == "hand"
    assert d.layer("sea floor").style.stretch.low == pytest.approx(legend.low)


def test_the_menu_of_a_legend_names_the_class_under_it(ruled):
    d = ruled
    view, at = legend_point(d, "lava_flows", 1)
    d.window.desk.spine.take_at(view.rect().topLeft() + type(view.rect().topLeft())(*at))
    d.window.commands.refresh()
    assert d.window.commands["class_name"].isEnabled()
    d.window.commands.do("class_turn")
    assert subject(d).hidden == ("all others",)


def test_a_ramp_is_made_and_stays_among_the_choices(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("sea floor").id)
    d.press(d.canvas, Qt.Key.Key_S)
    d.settle()
    box = form(d).findChild(QComboBox, "ramp")
    box.setCurrentIndex(box.count() - 1)
    ramp_form = form(d)._rows.ramp_form
    ramp_form.use_colour("#ff00ff")
    ramp_form.steps.setValue(6)
    d.click(ramp_form.turn)
    d.click(ramp_form.use)
    made = d.layer("sea floor").style.ramp
    assert made.endswith("#ff00ff 100% in 6 classes") and box.currentText() == "your own"
    d.click(ramp_form.use)
    box.setCurrentIndex(0)
    d.settle()
    assert d.layer("sea floor").style.ramp == "ember"


def test_two_grids_share_a_scale_by_command(demo_driver):
    d = demo_driver
    names = ("elevation_2029", "sea floor")
    d.window.desk.spine.setFocus()
    d.work.choose_rows([d.layer(name).id for name in names])
    d.command("share one colour scale")
    one, two = (d.layer(name).style for name in names)
    assert one.stretch == two.stretch and one.ramp == two.ramp and one.stretch.low < -500 < 500 < one.stretch.high


def test_a_style_goes_into_a_file_and_back_and_says_what_it_loses(ruled, tmp_path, monkeypatch):
    d, file = ruled, str(tmp_path / "lava.sld")
    style = subject(d)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args: (file, ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args: (file, ""))
    rules = (
        style.rules[0],
        replace(style.rules[1], where="year > 2000", style=replace(style.rules[1].style, hatch="rising")),
    )
    d.work.change("style", d.work.subject.id, style=replace(style, rules=rules))
    d.command("write the subject's style")
    assert "not written: hatches" in d.window.notice.text.text()
    d.work.change("plain", d.work.subject.id, style=replace(style, rules=()))
    d.window.commands.do("read_style")
    d.settle()
    assert [rule.name for rule in subject(d).rules] == ["all others", "rule"] and subject(d).rules[
        1
    ].style.hatch == "none"
    d.window.commands.do("undo")
    assert subject(d).rules == ()
    (tmp_path / "lava.sld").write_text("<a/>")
    d.window.commands.do("read_style")
    d.settle()
    assert "it is no style" in d.window.notice.text.text() and subject(d).rules == ()
