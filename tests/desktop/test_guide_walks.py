"""Tasks of the guide, walked through by mouse and by keyboard, with the number of steps that each takes.

A step is a click, a key, a drag, or one thing typed.
"""

from __future__ import annotations

import numpy as np
import pyogrio
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractButton, QLineEdit, QMenu

from brisk_atlas import demo
from brisk_atlas.core.place.geodesy import legs
from brisk_atlas.desktop.trust.trust_window import TrustWindow
from guide_hand import ALT, BOTH, CTRL, MOUSE, Hand


@pytest.fixture
def hand(desk):
    return Hand(desk)


@BOTH
def test_know_what_a_dataset_is_before_opening_it(hand, way):
    find, d = hand.window.find_page, hand.d
    find.go_to(demo.DATA)
    hand.page(way, 1)
    hand.type(find.filter, "vents", enter=False)
    if way == MOUSE:
        rows = find.list.rows
        rect = find.list.visualRect(rows.index(0, 0))
        hand.click(find.list.viewport(), (rect.left() + 20, rect.center().y()))
    else:
        hand.key(Qt.Key.Key_Down, on=find.filter)
    d.settle()
    assert find.glance.name.text() == "vents.kml" and "8" in find.glance.facts.toPlainText()
    assert hand.steps == 3


@BOTH
def test_look_around_the_map(hand, way):
    canvas, d = hand.d.canvas, hand.d
    whole = canvas.view
    if way == MOUSE:
        hand.button("fit_subject")
        hand.button("zoom_in")
    else:
        hand.key(Qt.Key.Key_F)
        hand.key(Qt.Key.Key_Plus, on=canvas)
    near = canvas.view
    assert near.resolution < whole.resolution
    facts = hand.window.session.facts_of(d.work.subject)
    assert facts.extent.xmin < near.x < facts.extent.xmax
    hand.key(Qt.Key.Key_Left, CTRL | ALT)
    assert canvas.view.resolution > near.resolution and hand.steps == 3


@BOTH
def test_ask_what_is_there(hand, way):
    d, desk = hand.d, hand.window.desk
    vent = (508_700.0, 5_771_900.0)
    d.canvas.look_at_centre(*vent, 10.0, d.canvas.view.crs)
    d.settle()
    if way == MOUSE:
        hand.click(d.canvas, d.at(*vent))
    else:
        hand.key(Qt.Key.Key_Space, on=d.canvas)
    tops = [desk.probe.tree.topLevelItem(i).text(0) for i in range(desk.probe.tree.topLevelItemCount())]
    assert any("elevation_2029" in each for each in tops) and hand.steps == 1


@BOTH
def test_measure_a_distance(hand, way):
    d, desk = hand.d, hand.window.desk
    canvas = d.canvas
    if way == MOUSE:
        a, b = QPoint(200, 200), QPoint(400, 300)
        hand.button("measure")
        hand.click(canvas, (a.x(), a.y()))
        hand.steps += 1
        d.qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=b)
        d.qtbot.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=b)
        d.settle()
        ends = [canvas.view.to_map(each.x(), each.y()) for each in (a, b)]
    else:
        hand.key(Qt.Key.Key_M)
        canvas.setFocus()
        begun = (canvas.view.x, canvas.view.y)
        hand.key(Qt.Key.Key_Space, on=canvas)
        hand.key(Qt.Key.Key_Right, on=canvas)
        ends = [begun, (canvas.view.x, canvas.view.y)]
        hand.key(Qt.Key.Key_Space, on=canvas)
        hand.key(Qt.Key.Key_Return, on=canvas)
    d.settle()
    (leg,) = legs(np.array(ends), canvas.view.crs)
    found = desk.probe.tree.readings()["distance, ellipsoid"]
    assert float(found.split()[0].replace(",", "")) == pytest.approx(leg.on_ellipsoid, rel=0.01)
    assert hand.steps == (3 if way == MOUSE else 5)


@BOTH
def test_see_it_in_relief(hand, way):
    desk = hand.window.desk
    if way == MOUSE:
        hand.button("relief")
    else:
        hand.key(Qt.Key.Key_R)
    assert desk.relief.isVisible() and desk.relief.canvas.scene is not None and hand.steps == 1


@BOTH
def test_style_a_layer(hand, way):
    d, desk = hand.d, hand.window.desk
    before = d.work.subject.style
    if way == MOUSE:
        bar = desk.side.tabs.tabBar()
        if not desk.side.on_show:
            hand.window.commands.do("probe")
        hand.click(bar, (bar.tabRect(1).center().x(), bar.tabRect(1).center().y()))
        hand.button("hollow", desk.style_form)
    else:
        hand.key(Qt.Key.Key_S)
        hollow = next(b for b in desk.style_form.findChildren(QAbstractButton) if b.objectName() == "hollow")
        hollow.setFocus(Qt.FocusReason.TabFocusReason)
        hand.key(Qt.Key.Key_Space, on=hollow)
    assert d.work.subject.style != before and hand.steps == 2
    hand.key(Qt.Key.Key_Z, CTRL)
    assert d.work.subject.style == before


@BOTH
def test_check_whether_data_can_be_trusted(hand, way):
    d, spine = hand.d, hand.window.desk.spine
    if way == MOUSE:
        at = spine.visualItemRect(spine.currentItem()).center()
        hand.menu(spine.findChildren(QMenu)[0], "Check the subject's data", at, spine)
    else:
        hand.key(Qt.Key.Key_T, CTRL | ALT)
    d.settle()
    box = hand.window.findChild(TrustWindow)
    assert box is not None and box.isVisible() and hand.steps == (2 if way == MOUSE else 1)


@BOTH
def test_hand_a_piece_over(hand, tmp_path, way):
    d, page = hand.d, hand.window.handover.recipes
    if way == MOUSE:
        hand.page(way, 4)
    else:
        hand.key(Qt.Key.Key_E, CTRL)
    path = tmp_path / "piece.gpkg"
    hand.type(path_line(page), str(path))
    if way == MOUSE:
        hand.click(page.bar.go)
    else:
        hand.key(Qt.Key.Key_Space, on=page.bar.go)
    d.qtbot.waitUntil(path.exists, timeout=60_000)
    d.settle()
    assert len(pyogrio.read_dataframe(path)) == 13 and hand.steps == 3


def path_line(page):
    """The line in which the file is typed."""
    return next(each for each in page.findChildren(QLineEdit) if each.isVisible() and each.text().endswith(".gpkg"))
