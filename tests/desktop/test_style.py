"""The Style drawer by mouse and keyboard, and what it does to the map and the spine."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QLineEdit, QPushButton, QSlider, QWidget

from brisk_atlas import demo
from brisk_atlas.core.draw import ramps
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.workspace.project_file import read, save
from brisk_atlas.desktop.drawers.histogram import Histogram


@pytest.fixture
def styled(demo_driver):
    """Return a driver with the Style drawer open on a layer of the demo."""

    def on(name):
        demo_driver.work.choose(demo_driver.layer(name).id)
        if not demo_driver.window.desk.side.shows(demo_driver.window.desk.style_form):
            demo_driver.press(demo_driver.canvas, Qt.Key.Key_S)
        demo_driver.settle()
        return demo_driver

    return on


def row(d, kind, name):
    found = d.window.desk.style_form.findChild(kind, name)
    assert found is not None, name
    return found


def choose(d, name, text):
    """Go down or up a box with the arrow keys until it says `text`."""
    box = row(d, QComboBox, name)
    steps = box.findText(text) - box.currentIndex()
    assert box.findText(text) >= 0, [box.itemText(i) for i in range(box.count())]
    for _ in range(abs(steps)):
        d.press(box, Qt.Key.Key_Down if steps > 0 else Qt.Key.Key_Up)
    d.settle()
    assert box.currentText() == text


def legend(d, name):
    return d.window.desk.spine.thumbs[d.layer(name).id][2]


def test_an_expression_colours_and_a_wrong_one_is_marked(styled):
    d = styled("buildings")
    choose(d, "colour_by", "an expression…")
    line = row(d, QLineEdit, "colour_by expression")
    assert line.isVisible()
    before = d.layer("buildings").style
    d.type(line, "no_such_field * 2")
    assert line.property("wrong") and "no_such_field" in line.toolTip()
    assert d.layer("buildings").style == before
    d.type(line, "length(village)")
    assert d.layer("buildings").style.colour_by == "length(village)" and not line.property("wrong")
    assert legend(d, "buildings").ramp and legend(d, "buildings").title == "length(village)"


def test_classes_change_the_legend_and_are_undone(styled):
    d = styled("lava_flows")
    before = d.layer("lava_flows").style
    choose(d, "method", "quantiles")
    row(d, QDoubleSpinBox, "classes").setValue(3)
    d.settle()
    assert (d.layer("lava_flows").style.method, d.layer("lava_flows").style.classes) == ("quantile", 3)
    assert len(legend(d, "lava_flows").entries) == 3
    assert not row(d, Histogram, "histogram").isVisible()
    choose(d, "method", "each value its own")
    assert "2031" in [text for _, text in legend(d, "lava_flows").entries]
    while d.work.undo_text:
        d.press(d.canvas, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert d.layer("lava_flows").style == before
    d.settle()


def test_labels_come_and_go(styled):
    d = styled("closed_zones")
    plain = d.canvas.frames[0][0].copy()
    choose(d, "label", "name")
    assert d.layer("closed_zones").style.label.text == "name"
    assert d.canvas.frames[0][0] != plain
    row(d, QDoubleSpinBox, "label size").setValue(20)
    d.settle()
    assert d.layer("closed_zones").style.label.size == 20
    choose(d, "label", "none")
    assert d.layer("closed_zones").style.label is None and d.canvas.frames[0][0] == plain


def test_dashes_hatch_and_symbols_reach_the_map(styled):
    d = styled("trails")
    choose(d, "dash", "long dashes")
    row(d, QDoubleSpinBox, "casing").setValue(2)
    d.settle()
    assert d.layer("trails").style.dash == (16.0, 6.0) and d.layer("trails").style.casing == 2
    d = styled("lava_flows")
    assert not row(d, QDoubleSpinBox, "hatch_gap").isVisible()
    choose(d, "hatch", "hatch crossed")
    assert d.layer("lava_flows").style.hatch == "crossed" and row(d, QDoubleSpinBox, "hatch_gap").isVisible()


def test_a_handle_of_the_histogram_sets_the_stretch(styled):
    d = styled("elevation_2029")
    chart = row(d, Histogram, "histogram")
    assert chart.isVisible() and chart.shown is not None
    end = chart.x_of(chart.ends[1])
    start, to = QPoint(round(end), 30), QPoint(round(end) - 60, 30)
    d.qtbot.mousePress(chart, Qt.MouseButton.LeftButton, pos=start)
    d.move(chart, to)
    d.qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=to)
    d.settle()
    stretch = d.layer("elevation_2029").style.stretch
    assert stretch.kind == "hand" and chart.x_of(stretch.high) == pytest.approx(to.x(), abs=1)
    assert legend(d, "elevation_2029").high == pytest.approx(stretch.high)
    chart.setFocus()
    d.press(chart, Qt.Key.Key_Left)
    d.settle()
    assert d.layer("elevation_2029").style.stretch.high < stretch.high


def test_a_preset_composes_bands_by_their_roles(styled):
    d = styled("scene 2031")
    choose(d, "preset", "colour infrared")
    assert d.layer("scene 2031").style.bands == (4, 3, 2)
    assert [text for _, text in legend(d, "scene 2031").entries] == ["near infrared", "red", "green"]


def test_a_band_of_another_layer_joins_a_composite_and_survives_saving(styled, tmp_path):
    d = styled("scene 2031")
    box = row(d, QComboBox, "band red")
    other = next(box.itemText(i) for i in range(box.count()) if box.itemText(i).startswith("elevation_2029"))
    box.setCurrentText(other)
    d.settle()
    style = d.layer("scene 2031").style
    assert style.others[0].part == "elevation_2029" and style.others[1:] == (None, None)
    d.work.change("show", d.layer("scene 2031").id, visible=True)
    d.settle()
    assert not d.window.notice.isVisible()
    save(d.work, tmp_path / "with band.brisk.json")
    assert "elevation_2029.tif" in (tmp_path / "with band.brisk.json").read_text()
    state, _, _ = read(tmp_path / "with band.brisk.json")
    assert next(la for la in state.layers if la.name == "scene 2031").style == style


def test_light_and_slope(styled):
    d = styled("elevation_2029")
    choose(d, "lights", "several sides")
    assert not row(d, QDoubleSpinBox, "azimuth").isVisible()
    row(d, QCheckBox, "slope").click()
    d.settle()
    assert d.layer("elevation_2029").style.slope and legend(d, "elevation_2029").unit == "°"
    assert row(d, QComboBox, "ramp").currentText() == "land"


def test_stretch_by_what_is_in_view_is_told_by_the_legend(styled):
    d = styled("elevation_2029")
    row(d, QCheckBox, "in view").click()
    d.settle()
    summit = View(508_700, 5_771_900, 2.0, 10, 10, "EPSG:32727")
    d.canvas.look(summit)
    d.settle()
    assert legend(d, "elevation_2029").low > 300


def test_multiply_darkens_what_lies_below(styled):
    d = styled("lava_flows")
    d.work.change("look", d.layer("lava_flows").id, opacity=1.0)
    d.canvas.look(View(510_700, 5_769_900, 5.0, 10, 10, "EPSG:32727"))
    d.settle()
    middle = QPoint(d.canvas.width() // 2, d.canvas.height() // 2)
    before = d.canvas.grab().toImage().pixelColor(middle).lightness()
    choose(d, "blend", "multiply (darken)")
    assert d.layer("lava_flows").blend == "multiply"
    assert d.canvas.grab().toImage().pixelColor(middle).lightness() < before


def test_a_style_is_copied_from_layer_to_layer(styled):
    d = styled("lava_flows")
    assert not row(d, QPushButton, "paste style").isEnabled()
    d.click(row(d, QPushButton, "copy style"))
    style = d.layer("lava_flows").style
    styled("ash_bands")
    d.click(row(d, QPushButton, "paste style"))
    assert d.layer("ash_bands").style == style
    styled("elevation_2029")
    assert not row(d, QPushButton, "paste style").isEnabled()


def test_grid_lines_and_north_are_laid_over_the_map(demo_driver):
    d = demo_driver
    plain = d.canvas.grab().toImage()
    d.press(d.canvas, Qt.Key.Key_L)
    d.settle()
    lines = d.canvas.grab().toImage()
    d.press(d.canvas, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    d.settle()
    degrees = d.canvas.grab().toImage()
    assert plain != lines != degrees and d.window.commands["grid_geographic"].isChecked()
    d.press(d.canvas, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    d.press(d.canvas, Qt.Key.Key_N)
    d.settle()
    north = d.canvas.grab().toImage()
    corner = QPoint(d.canvas.width() - 30, 24)
    assert north.pixelColor(corner) != plain.pixelColor(corner)
    assert north.pixelColor(20, 20) == plain.pixelColor(20, 20)


def test_every_row_of_every_form_has_a_name(styled):
    """What a screen reader says of a box that has no label of its own."""
    for name in ("buildings", "trails", "lava_flows", "elevation_2029", "scene 2031", "laser strip"):
        d = styled(name)
        boxes = d.window.desk.style_form.findChildren(QComboBox)
        assert boxes and all(box.accessibleName() or box.objectName() == "stretch" for box in boxes)
        assert d.window.desk.style_form.findChild(QWidget, "opacity") is not None


def test_ramp_names_are_those_of_the_core(styled):
    d = styled("elevation_2029")
    box = row(d, QComboBox, "ramp")
    assert [box.itemText(i) for i in range(box.count())] == [*ramps.NAMES, "make one…"]


def test_the_ramp_is_offered_wherever_colours_go_through_one(demo_driver):
    d = demo_driver
    d.window.show_page("desk")
    d.open(demo.DATA / "ash_samples.geojson")
    layer = d.layer("ash_samples")
    d.work.choose(layer.id)
    d.window.commands.do("style")
    d.settle()

    def box():
        return next(b for b in d.window.desk.style_form.findChildren(QComboBox) if b.objectName() == "ramp")

    assert box().isHidden()
    for changed in ({"density": 20.0}, {"colour_by": "thickness_mm", "method": "quantile"}):
        d.work.change("look", layer.id, style=replace(layer.style, **changed))
        d.settle()
        assert not box().isHidden()


def test_a_form_that_is_being_taken_apart_is_filled_as_far_as_it_is_there(desk):
    drawer = desk.window.desk.style_form
    desk.window.commands.do("style")
    desk.settle()
    layer = desk.work.subject
    sip.delete(drawer.findChild(QSlider, "opacity"))
    desk.work.change("opacity", layer.id, opacity=0.3)  # has the form filled again
    desk.settle()
    assert desk.work.subject.opacity == 0.3
