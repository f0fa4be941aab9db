"""Tasks of the guide, walked through by mouse and by keyboard: grids, scenes, dates, lines, boreholes, pages, a site."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFileDialog, QToolButton

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef, OpenOptions
from brisk_atlas.core.model.open_options import Columns
from guide_hand import BOTH, MOUSE, Hand

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def hand(desk):
    return Hand(desk)


def style_row(hand, way, name):
    """Open the Style drawer for the subject, and return one of its inputs."""
    if way == MOUSE:
        hand.click_tab(hand.window.desk.side.tabs, "Style")
    else:
        hand.key(Qt.Key.Key_S)
    return next(box for box in hand.window.desk.style_form.findChildren(QComboBox, name) if box.isVisible())


@BOTH
def test_see_the_cells_of_a_grid(hand, way):
    hand.d.work.choose(hand.d.layer("elevation_2029").id)
    hand.d.settle()
    hand.choose(way, style_row(hand, way, "resample"), "nearest cell (classes)")
    assert hand.d.layer("elevation_2029").style.resample == "nearest" and hand.steps <= 4


@BOTH
def test_switch_the_composite_of_a_scene(hand, way):
    hand.d.work.choose(hand.d.layer("scene 2031").id)
    hand.d.settle()
    box = style_row(hand, way, "preset")
    hand.choose(way, box, "colour infrared")
    assert hand.d.layer("scene 2031").style.bands == (4, 3, 2) and hand.steps <= 2 + box.count()


@BOTH
def test_follow_a_place_through_time(hand, way):
    d = hand.d
    d.open(demo.DATA / "elevation_2031.tif")
    bar = hand.window.desk.map.dates
    assert bar.isVisible() and bar.track.texts == ("2029-03-11", "2031-06-24")
    if way == MOUSE:
        hand.click(bar.findChild(QToolButton, "date before"))
    else:
        hand.key(Qt.Key.Key_Left, on=bar.track)
    assert bar.date.text() == "2029-03-11" and d.work.subject.name == "elevation_2029" and hand.steps == 1


@BOTH
def test_find_a_line_that_measured_magnetics_and_check_it(hand, way):
    d, pane = hand.d, hand.window.desk.strip
    d.open(demo.DATA / "boat_lines")
    if way == MOUSE:
        hand.do(way, "strip")
    else:
        hand.key(Qt.Key.Key_J, on=d.canvas)
    hand.type(pane.lines.text, "2907", enter=False)
    table = pane.lines.table
    if way == MOUSE:
        at = table.visualRect(table.rows.index(0, 0)).center()
        hand.click(table.viewport(), (at.x(), at.y()))
        hand.click(pane.bar.page_buttons["check"])
        hand.click(pane.check.go)
    else:
        hand.key(Qt.Key.Key_Down, on=pane.lines.text)
        hand.key(Qt.Key.Key_Space, on=pane.bar.page_buttons["check"])
        hand.key(Qt.Key.Key_Space, on=pane.check.go)
    hand.d.settle()
    rows = pane.check.table.rows
    assert pane.what.text().startswith("boat_lines, TSO2907")
    assert "jump" in [rows.text(row, 2) for row in range(rows.rowCount())]
    assert hand.steps == (7 if way == MOUSE else 5)


@BOTH
def test_read_a_borehole(hand, way):
    d, pane = hand.d, hand.window.desk.log
    hand.window.session.open_as(
        DataRef.file(demo.DATA / "boreholes" / "collars.csv"),
        OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing")),
    )
    d.settle()
    if way == MOUSE:
        hand.do(way, "strip")
    else:
        hand.key(Qt.Key.Key_J, on=d.canvas)
    hand.type(pane.hole_list.text, "TG-2", enter=False)
    if way == MOUSE:
        table = pane.hole_list.table
        at = table.visualRect(table.rows.index(0, 0)).center()
        hand.click(table.viewport(), (at.x(), at.y()))
        hand.click(pane.bar.page_buttons["facts"])
    else:
        hand.key(Qt.Key.Key_Down, on=pane.hole_list.text)
        hand.key(Qt.Key.Key_Space, on=pane.bar.page_buttons["facts"])
    facts = pane.facts.table.rows
    assert {facts.text(row, 0): facts.text(row, 1) for row in range(facts.rowCount())}["hole"] == "TG-2"
    assert hand.steps == (6 if way == MOUSE else 4)


@BOTH
def test_print_a_map(hand, way, tmp_path, qtbot, monkeypatch):
    path = tmp_path / "map.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **options: (str(path), ""))
    if way == MOUSE:
        hand.do(way, "map on paper")
    else:
        hand.key(Qt.Key.Key_F9, SHIFT, on=hand.d.canvas)
    album = hand.window.handover.album
    qtbot.waitUntil(lambda: album is not None and album.paper_view.plate is not None, timeout=60_000)
    hand.d.settle()
    hand.type(album.paper_view.form.scale, "60,000")
    if way == MOUSE:
        hand.click(album.paper_view.write)
    else:
        hand.key(Qt.Key.Key_Space, on=album.paper_view.write)
    qtbot.waitUntil(lambda: path.exists() and not album.paper_view.busy, timeout=60_000)
    assert path.read_bytes().startswith(b"%PDF") and hand.steps == (5 if way == MOUSE else 3)


@BOTH
def test_make_a_site_of_a_folder(hand, way, tmp_path):
    shelf, out = tmp_path / "shelf", tmp_path / "site"
    shelf.mkdir()
    (shelf / "gas_stations.csv").write_bytes((demo.DATA / "gas_stations.csv").read_bytes())
    hand.page(way, 4)
    if way == MOUSE:
        hand.button("catalogue half")
    else:
        hand.key(Qt.Key.Key_Space, on=hand.window.handover.to_catalogue)
    view = hand.window.handover.catalogue
    hand.type(view.source.lineEdit(), str(shelf))
    hand.type(view.out, str(out))
    hand.type(view.title, "Gas of Tolvane")
    if way == MOUSE:
        hand.click(view.make)
    else:
        hand.key(Qt.Key.Key_Space, on=view.make)
    assert "Gas of Tolvane" in (out / "index.html").read_text() and hand.steps == 6


@BOTH
def test_do_again_what_was_done(hand, way, tmp_path, monkeypatch):
    path = tmp_path / "again.py"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **options: (str(path), ""))
    hand.page(way, 4)
    page = hand.window.handover.recipes
    hand.d.type(page.write_form.path, str(tmp_path / "piece.gpkg"))
    hand.d.click(page.bar.go)
    hand.steps = 0
    hand.do(way, "save what was done")
    compile(path.read_text(), str(path), "exec")
    (recipe,) = set(tmp_path.glob("again*")) - {path}
    assert "piece.gpkg" in recipe.read_text() and recipe.name in path.read_text() and hand.steps == 3
