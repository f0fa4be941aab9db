"""The strip log in the window: holes found and picked, tracks chosen, read with a cursor, compared, correlated, saved."""

from __future__ import annotations

import json
from dataclasses import replace

import lasio
import numpy as np
import pypdfium2
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef, OpenOptions
from brisk_atlas.core.model.hole_choices import TableRole
from brisk_atlas.core.model.open_options import Columns
from brisk_atlas.core.strip.holes.tracks import TrackKind
from brisk_atlas.core.workspace.plates import PlateKind
from brisk_atlas.desktop import hole_columns_form
from brisk_atlas.desktop.panes.log_canvas import PX_MM, SIDE_PX, LogSpot
from relief_hands import LEFT, PLAIN

COLLARS = demo.DATA / "boreholes" / "collars.csv"


def log_of(d):
    return d.window.desk.log


def move(canvas, x, y, buttons=Qt.MouseButton.NoButton):
    at = QPointF(x, y)
    moved = QMouseEvent(
        QEvent.Type.MouseMove, at, QPointF(canvas.mapToGlobal(at.toPoint())), Qt.MouseButton.NoButton, buttons, PLAIN
    )
    QApplication.sendEvent(canvas, moved)


def wheel(canvas, x, y, steps, modifiers=PLAIN):
    at = QPointF(x, y)
    event = QWheelEvent(at, QPointF(canvas.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120 * steps),
                        Qt.MouseButton.NoButton, modifiers, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(canvas, event)


@pytest.fixture
def log(driver):
    """The demo's collars on the map, with the strip log beside it."""
    driver.window.show_page("desk")
    driver.window.session.open_as(
        DataRef.file(COLLARS), OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing"))
    )
    driver.settle()
    driver.press(driver.canvas, Qt.Key.Key_J)
    driver.settle()
    return driver


def rows_of(pane):
    table = pane.hole_list.table
    return [table.rows.text(row, 0) for row in range(table.rows.rowCount())]


def choose(d, *names):
    """Click holes in the list, with Ctrl from the second on."""
    pane = log_of(d)
    for number, name in enumerate(names):
        table = pane.hole_list.table
        row = rows_of(pane).index(name)
        table.scrollTo(table.rows.index(row, 0))
        at = table.visualRect(table.rows.index(row, 0)).center()
        modifiers = Qt.KeyboardModifier.ControlModifier if number else PLAIN
        d.qtbot.mouseClick(table.viewport(), LEFT, modifiers, at)
    d.settle()


def test_a_hole_of_a_region_is_found_its_facts_looked_at_quantities_chosen_read_and_saved(log, tmp_path, monkeypatch):
    d, pane = log, log_of(log)
    assert pane.isVisible() and len(rows_of(pane)) == 7 and pane.canvas.holes[0].data.hole.name == "TG-1"
    pane.hole_list.menu.aboutToShow.emit()
    next(action for action in pane.hole_list.menu.actions() if action.text() == "photographs").trigger()
    d.qtbot.keyClicks(pane.hole_list.text, "TG-2")
    assert rows_of(pane) == ["TG-2"] and pane.hole_list.count.text() == "1 of 7"
    choose(d, "TG-2")
    d.click(pane.bar.page_buttons["facts"])
    facts = pane.facts.table.rows
    stated = {facts.text(row, 0): facts.text(row, 1) for row in range(facts.rowCount())}
    assert (stated["hole"], stated["length"], stated["log"]) == ("TG-2", "480.0 m", "tg-2.las")
    d.click(pane.bar.page_buttons["log"])
    pane.bar.choose_menu.aboutToShow.emit()
    quantities = pane.bar.quantities
    quantities.search.setText("temp")
    shown = [quantities.tree.topLevelItem(n) for n in range(quantities.tree.topLevelItemCount())]
    (category,) = [item for item in shown if not item.isHidden()]
    assert category.text(0) == "Temperature" and category.isExpanded()
    category.child(0).setCheckState(0, Qt.CheckState.Checked)
    assert pane.template.tracks[-1].curves[0].name == "TEMP" and "TEMP" in pane.drawn()
    canvas, data = pane.canvas, pane.first
    y = canvas.y_of(240.0)
    move(canvas, 60, y)
    assert pane.read.text().startswith("TG-2 at 24") and "rock " in pane.read.text() and d.canvas.cross is not None
    gamma = data.curve("GR").values[int(np.argmin(np.abs(data.curve("GR").depth - canvas.cursor_at.measured)))]
    assert f"GR {gamma:,.5g}"[:8] in pane.read.text()
    d.click(pane.bar.page_buttons["numbers"])
    assert pane.numbers.rows.rowCount() == 961 and "TEMP" in pane.numbers.rows.heads
    canvas.see(100.0, 110.0)
    assert pane.numbers.rows.rowCount() == 21 and pane.numbers.rows.text(0, 0) == "100.0"
    for suffix in (".csv", ".las", ".pdf", ".png"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, s=suffix: (str(tmp_path / f"o{s}"), f"x (*{s})"))
        monkeypatch.setattr(QInputDialog, "getItem", lambda *a: ("1:500", True))
        pane.bar.save_menu.aboutToShow.emit()
        words = {".csv": "Numbers in sight as a table…", ".las": "Curves on show as LAS 2.0…",
                 ".pdf": "Log as PDF at a true scale…", ".png": "What is in sight as a picture…"}[suffix]  # fmt: skip
        next(action for action in pane.bar.save_menu.actions() if action.text() == words).trigger()
        d.settle()
    assert len((tmp_path / "o.csv").read_text().splitlines()) == 22
    assert (
        "TEMP" in [curve.mnemonic for curve in lasio.read(tmp_path / "o.las").curves]
        and len(pypdfium2.PdfDocument(tmp_path / "o.pdf")) > 3
    )
    assert QImage(str(tmp_path / "o.png")).width() > 1000


def test_the_log_is_scrolled_zoomed_and_a_stretch_is_chosen(log):
    d, pane = log, log_of(log)
    canvas = pane.canvas
    low, high = canvas.low, canvas.high
    at = canvas.depth_at(300)
    wheel(canvas, 100, 300, 3, Qt.KeyboardModifier.ControlModifier)
    assert canvas.high - canvas.low == pytest.approx((high - low) / 1.25**3)
    assert canvas.depth_at(300) == pytest.approx(at)
    before = canvas.low
    wheel(canvas, 100, 300, -1)
    assert canvas.low > before
    d.press(canvas, Qt.Key.Key_Home)
    assert (canvas.low, canvas.high) == (low, high)
    canvas.setFocus()
    canvas.put_cursor(LogSpot(0, 100.0))
    d.press(canvas, Qt.Key.Key_Down)
    assert canvas.cursor_at.measured == 100.5
    d.press(canvas, Qt.Key.Key_Up)
    d.press(canvas, Qt.Key.Key_Up)
    assert canvas.cursor_at.measured == 99.5
    top, base = canvas.y_of(200.0), canvas.y_of(300.0)
    d.qtbot.mousePress(canvas, LEFT, PLAIN, QPoint(100, round(top)))
    move(canvas, 100, (top + base) / 2, LEFT)
    move(canvas, 100, round(base), LEFT)
    d.qtbot.mouseRelease(canvas, LEFT, PLAIN, QPoint(100, round(base)))
    hole, first, last = canvas.stretch
    assert (first, last) == pytest.approx((200, 300), abs=1.5) and "GR mean" in pane.read.text() and hole == 0
    pane.derive.show_net("GR", 50.0)
    assert "have GR ≥ 50 GAPI" in d.window.notice.text.text()
    d.press(canvas, Qt.Key.Key_Escape)
    assert canvas.stretch is None
    d.press(canvas, Qt.Key.Key_Right)
    assert canvas.offset > 0 and pane.aside.isVisible()


def test_holes_beside_each_other_hang_on_a_marker_that_is_dragged_and_made(log, monkeypatch, tmp_path):
    d, pane = log, log_of(log)
    choose(d, "TG-1", "TG-2", "TG-5")
    canvas = pane.canvas
    assert [hole.data.hole.name for hole in canvas.holes] == ["TG-1", "TG-2", "TG-5"]
    assert [track.kind for track in pane.template.tracks] == [TrackKind.DEPTH, TrackKind.ROCKS, TrackKind.CURVES]
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a: ("first lava", True))
    pane.deeds.ask_marker("TG-1", 300.0)
    (marker,) = d.layer("collars").holes.markers
    x, y = SIDE_PX + 60, round(canvas.y_of(300.0))
    d.qtbot.mousePress(canvas, LEFT, PLAIN, QPoint(x, y))
    move(canvas, x, y + 20, LEFT)
    move(canvas, x, y + 40, LEFT)
    d.qtbot.mouseRelease(canvas, LEFT, PLAIN, QPoint(x, y + 40))
    (moved,) = d.layer("collars").holes.markers
    assert moved.depth == pytest.approx(canvas.depth_at(y + 40), abs=1.5) and moved.name == marker.name
    other = round(SIDE_PX + canvas.hole_px + 60)
    d.qtbot.mousePress(canvas, LEFT, PLAIN, QPoint(x, y + 40))
    move(canvas, (x + other) // 2, y, LEFT)
    move(canvas, other, y - 60, LEFT)
    d.qtbot.mouseRelease(canvas, LEFT, PLAIN, QPoint(other, y - 60))
    _, made = d.layer("collars").holes.markers
    assert (made.name, made.hole) == ("first lava", "TG-2") and made.depth == pytest.approx(
        canvas.depth_at(y - 60), abs=1.5
    )
    pane.bar.hang_menu.aboutToShow.emit()
    next(action for action in pane.bar.hang_menu.actions() if action.text() == "marker first lava").trigger()
    assert [hole.shift for hole in canvas.holes] == [moved.depth, made.depth, 0.0] and canvas.low < -100
    assert canvas.shown_of(LogSpot(1, made.depth)) == pytest.approx(0)
    pane.files.write_markers(tmp_path / "m.csv")
    d.settle()
    assert (tmp_path / "m.csv").read_text().splitlines()[1].startswith('"first lava","TG-1"')
    d.work.undo()
    d.settle()
    assert len(d.layer("collars").holes.markers) == 1


def test_depths_are_stated_vertical_from_the_sea_and_in_feet_and_the_map_shows_where_the_hole_runs(log):
    d, pane = log, log_of(log)
    choose(d, "TG-5")
    canvas, hole = pane.canvas, pane.first.hole
    for words in ("vertical", "from sea level", "in feet"):
        pane.bar.actions_by_name[words].trigger()
    end = (hole.way.vertical_at(460.0)[0] - hole.elevation) / 0.3048
    assert canvas.limits == pytest.approx((-hole.elevation / 0.3048, end), rel=1e-6)
    spot = canvas.spot_at(SIDE_PX + 30, canvas.y_of(end - 20))
    assert 440 < spot.measured < 460
    canvas.put_cursor(spot)
    there = np.array(hole.xy) + hole.way.position_at(spot.measured)[0, :2]
    assert d.canvas.cross == pytest.approx(tuple(there), abs=0.5) and len(d.canvas.stretch) == 60
    assert pane.read.text().split("   ")[0].endswith(" ft")
    choose(d, "TG-6")
    assert d.canvas.stretch is None


def test_a_collar_is_picked_on_the_map_and_holes_are_filtered_by_what_is_picked(log, tmp_path):
    d, pane = log, log_of(log)
    there = pane.content.holes.holes[3].xy
    d.window.desk.map.fit_subject()
    d.settle()
    at = QPoint(*(round(each) for each in d.canvas.view.to_pixel(*there)))
    d.qtbot.mouseClick(d.canvas, LEFT, PLAIN, at)
    d.settle()
    assert [hole.data.hole.name for hole in pane.canvas.holes] == ["TG-4"]
    assert [name for name, _, _, on in d.canvas.names if on] == ["TG-4"] and len(d.canvas.names) == 7
    ring = [
        [507_000, 5_769_000],
        [508_800, 5_769_000],
        [508_800, 5_771_500],
        [507_000, 5_771_500],
        [507_000, 5_769_000],
    ]
    feature = {"type": "Feature", "properties": {"n": 1}, "geometry": {"type": "Polygon", "coordinates": [ring]}}
    crs = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::32727"}}
    (tmp_path / "r.geojson").write_text(json.dumps({"type": "FeatureCollection", "crs": crs, "features": [feature]}))
    d.click(pane.hole_list.in_region)
    assert not pane.hole_list.in_region.isChecked() and "No polygon is picked" in d.window.notice.text.text()
    d.open(tmp_path / "r.geojson")
    d.window.desk.spots.go_to_feature(d.layer("r").id, 0)
    d.settle()
    d.click(pane.hole_list.in_region)
    d.settle()
    assert rows_of(pane) == ["TG-2", "TG-3", "TG-7"]


def test_a_cross_plot_picks_depths_and_a_curve_is_worked_out(log, monkeypatch):
    d, pane = log, log_of(log)
    d.click(pane.bar.page_buttons["plot"])
    plot = pane.plot
    assert [box.currentText() for box in (plot.across, plot.up, plot.colour)] == ["GR, GAPI", "RES, OHMM", "one colour"]
    plot.colour.setCurrentIndex(plot.colour.findData("RHOB"))
    plot.colour.activated.emit(plot.colour.currentIndex())
    d.click(plot.canvas, at=(3, 3))
    d.press(plot.canvas, Qt.Key.Key_F9)
    d.qtbot.waitUntil(lambda: bool(d.work.state.album.plates), timeout=60_000)
    (plate,) = d.work.state.album.plates
    assert plate.kind is PlateKind.CHART and plate.view.drawer == "strip"
    assert plate.title.endswith("RES, OHMM over GR, GAPI")
    x, y = plot.canvas.pixels()
    gamma, resistivity = pane.first.curve("GR").values, pane.first.curve("RES").values
    inside = (gamma > 70) & (resistivity < 20)
    box = QRectF(QPointF(x[inside].min(), y[inside].min()), QPointF(x[inside].max(), y[inside].max()))
    for event, at in (("mousePress", box.topLeft()), ("mouseRelease", box.bottomRight())):
        if event == "mouseRelease":
            move(plot.canvas, at.x() + 1, at.y() + 1, LEFT)
        getattr(d.qtbot, event)(
            plot.canvas, LEFT, PLAIN, at.toPoint() + (QPoint(1, 1) if event == "mouseRelease" else QPoint(-1, -1))
        )
    picked = pane.canvas.picked
    assert set(picked) >= set(pane.first.curve("GR").depth[inside]) and len(picked) < 1.2 * inside.sum()
    d.click(pane.bar.page_buttons["log"])
    plain = pane.canvas.grab().toImage()
    pane.canvas.show_picked(None)
    assert pane.canvas.grab().toImage() != plain
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("porosity = (2.65 - RHOB) / 1.65", True))
    pane.derive.ask_expression()
    d.settle()
    assert pane.template.tracks[-1].curves[0].name == "porosity" and "porosity" in pane.drawn()
    pane.derive.add_despiked("GR")
    d.settle()
    assert "GR without spikes" in pane.drawn()
    pane.derive.compare_rocks()
    d.settle()
    assert "0 of 25 intervals look like another rock" in d.window.notice.text.text()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("bad = NOTHING", True))
    pane.derive.ask_expression()
    d.settle()
    assert "NOTHING" in d.window.notice.text.text() and "bad" not in pane.drawn()


def test_tracks_are_moved_changed_and_stored_as_a_template_for_another_hole(log, monkeypatch):
    d, pane = log, log_of(log)

    def act(*words):
        pane.bar.tracks_menu.aboutToShow.emit()
        menu = pane.bar.tracks_menu
        for word in words[:-1]:
            menu = next(action for action in menu.actions() if action.text() == word).menu()
        next(action for action in menu.actions() if action.text() == words[-1]).trigger()

    act("RES", "To the left")
    act("RES", "Wider")
    act("GR", "Into the track of RES")
    merged = next(track for track in pane.template.tracks if len(track.curves) == 2)
    assert [curve.name for curve in merged.curves] == ["RES", "GR"] and merged.width == pytest.approx(26 * 4 / 3)
    act("RES, GR", "GR…", "Fill to RES")
    act("RES, GR", "Logarithmic")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("150 to 0", True))
    act("RES, GR", "GR…", "Values at the sides…")
    changed = next(track for track in pane.template.tracks if len(track.curves) == 2)
    assert changed.curves[1].fill == "RES" and not changed.logarithmic
    assert (changed.curves[1].low, changed.curves[1].high) == (150, 0)
    act("photographs", "Remove")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("for lavas", True))
    act("Store as a template…")
    act("As it comes")
    assert any(track.kind is TrackKind.PICTURES for track in pane.template.tracks)
    choose(d, "TG-3")
    act("Template for lavas")
    assert changed in pane.template.tracks and not any(t.kind is TrackKind.PICTURES for t in pane.template.tracks)


def test_columns_that_were_guessed_wrong_are_stated_in_a_form(log, tmp_path, monkeypatch):
    d, pane = log, log_of(log)
    (tmp_path / "collars.csv").write_text("hole,x,y,depth\nH1,0,0,20\n")
    (tmp_path / "odd.csv").write_text("nr,von,bis,art\nH1,0,4,Sand\nH1,4,20,Ton\n")
    d.window.session.open_as(DataRef.file(tmp_path / "collars.csv"), OpenOptions(columns=Columns("x", "y")))
    d.settle()
    assert rows_of(pane) == ["H1"] and not pane.first.intervals

    def state(form):
        (own,) = form.forms
        own.role.setCurrentIndex(own.role.findData(TableRole.INTERVALS))
        assert not form.buttons.button(form.buttons.StandardButton.Ok).isEnabled()
        assert "lacks what names the hole, depth, or begin, end" in form.words.text()
        for key, column in (("hole", "nr"), ("top", "von"), ("base", "bis")):
            own.boxes[key].setCurrentIndex(own.boxes[key].findData(column))
        assert form.buttons.button(form.buttons.StandardButton.Ok).isEnabled()
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(hole_columns_form.HoleColumnsForm, "exec", state)
    d.click(pane.bar.page_buttons["facts"])
    d.click(pane.facts.columns)
    d.settle()
    assert pane.first.intervals[0].values == ("Sand", "Ton")
    assert any(track.kind is TrackKind.ROCKS for track in pane.template.tracks)


def test_a_photograph_is_opened_in_full_and_gets_sharper_when_it_is_zoomed(log):
    d, pane = log, log_of(log)
    canvas = pane.canvas
    canvas.see(150.0, 165.0)
    d.settle()
    left = SIDE_PX + sum(track.width for track in pane.template.tracks[:3]) * PX_MM + 40
    shown = canvas.grab().toImage()
    colours = {shown.pixel(round(left) + n, round(canvas.y_of(155.5 + n / 10))) for n in range(0, 40, 2)}
    assert len(colours) > 4  # the photograph, not a grey box
    d.qtbot.mouseDClick(canvas, LEFT, PLAIN, QPoint(round(left), round(canvas.y_of(157.0))))
    d.settle()
    assert pane.window_of_photo.isVisible() and pane.window_of_photo.windowTitle() == "tg-1_155-160m.jpg"
    pane.window_of_photo.close()
    missing = replace(pane.first.hole.pictures[0], ref=DataRef.file(COLLARS))
    pane.open_photo(missing.ref)
    d.settle()
    assert "can't be read as a picture" in d.window.notice.text.text()


def test_a_log_alone_is_shown_and_a_layer_without_holes_says_what_to_do(driver):
    d = driver
    d.open(demo.DATA / "boreholes" / "tg-4.las")
    d.window.commands.do("strip")
    d.settle()
    pane = log_of(d)
    assert pane.isVisible() and pane.canvas.holes[0].data.hole.name == "TG-4"
    d.window.commands.do("strip")
    assert not pane.isVisible()
    d.open(demo.DATA / "gas_stations.csv")
    d.window.commands.do("strip_log")
    d.settle()
    assert pane.isVisible()
