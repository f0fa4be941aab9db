"""The Sheet: rows and map together, filters, sorting, columns, computed fields, joins, editing, copies."""

from __future__ import annotations

import io
import shutil
from dataclasses import replace

import numpy as np
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq
import pyogrio
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication
from PyQt6.QtWidgets import QApplication, QPushButton, QToolButton

from brisk_atlas import demo
from brisk_atlas.core.draw import ramps
from brisk_atlas.core.model import ComputedField
from brisk_atlas.core.workspace import Picks
from brisk_atlas.core.workspace.plates import PlateKind
from brisk_atlas.desktop.sheet.drawer import Scope
from qt_pixels import pixels

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Hand:
    """Works with the sheet as a person does."""

    def __init__(self, driver):
        self.d, self.drawer = driver, driver.window.desk.sheet
        self.grid, self.tools = self.drawer.grid, self.drawer.tools

    def cell(self, place, field, modifiers=Qt.KeyboardModifier.NoModifier):
        at = self.grid.cell_rect(place, self.grid.columns.number_of(field)).center()
        self.d.click(self.grid.view, (at.x(), at.y()), modifiers)

    def head(self, field, modifiers=Qt.KeyboardModifier.NoModifier):
        at = self.grid.head_rect(field).center()
        self.d.click(self.grid.view, (at.x(), 8), modifiers)

    def column(self, field):
        sheet = self.drawer.sheet
        return sheet.values(0, len(sheet), [field])[field]

    @property
    def fields(self):
        return [c.field for c in self.grid.columns.all]

    def button(self, parent, name, kind=QPushButton):
        found = parent.findChild(kind, name)
        assert found is not None, name
        self.d.click(found)

    def type_in(self, edit, text):
        edit.setFocus()
        edit.selectAll()
        self.d.qtbot.keyClicks(edit, text)
        self.d.settle()

    def menu(self, field):
        """Open the menu of a column's head by the keyboard."""
        self.grid.current = (self.grid.current[0], self.grid.columns.number_of(field))
        self.d.press(self.grid, Qt.Key.Key_Down, ALT)
        self.d.settle()
        return self.tools.menu


@pytest.fixture
def hand(demo_driver):
    demo_driver.press(demo_driver.canvas, Qt.Key.Key_T)
    demo_driver.work.choose(demo_driver.layer("lava_flows").id)
    demo_driver.settle()
    return Hand(demo_driver)


def test_picking_on_the_map_shows_the_row_and_back(hand):
    d, zones = hand.d, hand.d.layer("closed_zones")
    d.work.choose(zones.id)
    d.settle()
    d.click(d.canvas, d.at(508_700, 5_771_900))
    assert d.work.picks == Picks(zones.id, (0,)) and hand.grid.rows == {0}
    before = pixels(d.canvas.grab().toImage())
    hand.cell(2, "name")
    assert d.work.picks.rows == (2,) and d.window.desk.probe.tree.readings()["name"] == "Harrow Bay delta"
    after = pixels(d.canvas.grab().toImage())
    violet = (np.abs(after.astype(int) - ramps.rgb_of("#7A2DBF")).max(axis=2) < 6).sum()
    assert violet > 100 and not np.array_equal(before, after)
    hand.button(hand.drawer, "go", QToolButton)
    zone = d.window.session.cache.shapes_in(zones.ref, "EPSG:32727").bounds[2]
    assert d.canvas.view.extent.contains(*zone[:2]) and d.canvas.view.extent.width < 6000


def test_rows_are_picked_by_hand_and_key(hand):
    d = hand.d
    hand.cell(1, "year")
    hand.cell(3, "year", SHIFT)
    assert hand.grid.rows == {1, 2, 3}
    hand.cell(2, "year", CTRL)
    assert hand.grid.rows == {1, 3} == set(d.work.picks.rows)
    d.press(hand.grid, Qt.Key.Key_End, CTRL)
    assert hand.grid.rows == {12}
    d.press(hand.grid, Qt.Key.Key_Up, SHIFT)
    assert hand.grid.rows == {11, 12}
    d.press(hand.grid, Qt.Key.Key_A, CTRL)
    assert len(hand.grid.rows) == 13
    d.press(hand.grid, Qt.Key.Key_Home, CTRL)
    d.press(hand.grid, Qt.Key.Key_Space)
    assert d.work.picks is None


def test_all_picked_and_in_view(hand):
    d = hand.d
    hand.cell(0, "year")
    hand.cell(5, "year", CTRL)
    d.click(hand.drawer.scopes[Scope.PICKED])
    assert hand.drawer.filter_line.count.text() == "2 of 13 rows" and hand.drawer.sheet.order.tolist() == [0, 5]
    d.click(hand.drawer.scopes[Scope.VIEW])
    d.canvas.look_at_centre(510_600, 5_770_300, 3.0, "EPSG:32727")
    d.settle()
    bounds = d.window.session.cache.shapes_in(d.layer("lava_flows").ref, "EPSG:32727").bounds
    e = d.canvas.view.extent
    inside = (bounds[:, 0] <= e.xmax) & (bounds[:, 2] >= e.xmin) & (bounds[:, 1] <= e.ymax) & (bounds[:, 3] >= e.ymin)
    assert hand.drawer.sheet.order.tolist() == np.flatnonzero(inside).tolist() and 0 < inside.sum() < 13
    d.click(hand.drawer.scopes[Scope.ALL])
    assert hand.drawer.filter_line.count.text() == "13 rows"


def test_filter_by_expression_with_a_live_count_and_the_fault_at_its_place(hand, truth):
    d, drawer = hand.d, hand.drawer
    hand.type_in(drawer.filter_line.edit, "year = 2031")
    d.qtbot.waitUntil(lambda: "match" in drawer.filter_line.count.text(), timeout=60_000)
    flows = truth["eruption_2031"]["flows"]
    assert drawer.filter_line.count.text() == f"{flows} rows match, Return shows them" and len(drawer.sheet) == 13
    d.press(drawer.filter_line.edit, Qt.Key.Key_Return)
    d.settle()
    assert drawer.filter_line.count.text() == f"{flows} of 13 rows" and set(hand.column("year")) == {2031}
    d.type(drawer.filter_line.edit, "year > 2000 and vollume_m3 > 5")
    assert drawer.filter_line.wrong.isVisible() and "Is it volume_m3?" in drawer.filter_line.wrong.text()
    assert drawer.filter_line.edit.marked == "vollume_m3" and len(drawer.sheet) == flows
    d.press(d.window, Qt.Key.Key_Z, CTRL)
    d.settle()
    assert len(drawer.sheet) == 13
    d.press(d.window, Qt.Key.Key_Z, CTRL | SHIFT)
    d.settle()
    assert len(drawer.sheet) == flows
    d.click(drawer.filter_line.clear)
    assert len(drawer.sheet) == 13 and not drawer.filter_line.edit.text()


def test_names_are_completed(hand):
    d, edit = hand.d, hand.drawer.filter_line.edit
    edit.setFocus()
    edit.selectAll()
    d.qtbot.keyClicks(edit, "vol")
    popup = edit._completer.popup()
    assert popup.isVisible()
    d.press(edit, Qt.Key.Key_Tab)
    assert edit.text() == "volume_m3"
    d.qtbot.keyClicks(edit, " > 1000000")
    d.press(edit, Qt.Key.Key_Return)
    d.settle()
    assert min(hand.column("volume_m3")) > 1e6


def test_the_filter_can_act_on_the_map(hand, truth):
    d = hand.d
    row, col = truth["eruption_2031"]["thickest_cell"]
    x, y = 504_000 + (col + 0.5) * 10, 5_776_000 - (row + 0.5) * 10
    d.canvas.look_at_centre(x, y, 4.0, "EPSG:32727")
    d.settle()
    shown = d.colour(d.at(x, y))
    d.type(hand.drawer.filter_line.edit, "year < 2031")
    assert d.colour(d.at(x, y)) == shown
    hand.button(hand.drawer, "on map", QToolButton)
    assert d.colour(d.at(x, y)) != shown
    d.press(d.window, Qt.Key.Key_Z, CTRL)
    d.settle()
    assert d.colour(d.at(x, y)) == shown


def test_sort_by_one_and_by_several_columns(hand):
    hand.head("volume_m3")
    assert hand.column("volume_m3") == sorted(hand.column("volume_m3"))
    hand.head("volume_m3")
    assert hand.column("volume_m3") == sorted(hand.column("volume_m3"), reverse=True)
    hand.head("volume_m3")
    assert hand.d.layer("lava_flows").rows.sort == ()
    hand.head("year")
    hand.head("volume_m3", SHIFT)
    pairs = list(zip(hand.column("year"), hand.column("volume_m3")))
    assert pairs == sorted(pairs) and hand.d.layer("lava_flows").rows.sort == (("year", False), ("volume_m3", False))


def test_filter_a_column_by_range_values_and_text(hand):
    d = hand.d
    menu = hand.menu("year")
    menu.low.setFocus()
    d.qtbot.keyClicks(menu.low, "2000")
    d.press(menu.low, Qt.Key.Key_Return)
    d.settle()
    assert min(hand.column("year")) >= 2000 and 0 < len(hand.drawer.sheet) < 13
    menu = hand.menu("surface")
    d.qtbot.waitUntil(lambda: menu.values.count() >= 2, timeout=60_000)
    row = next(i for i in range(menu.values.count()) if menu.values.item(i).text().startswith("rubbly"))
    menu.values.item(row).setCheckState(Qt.CheckState.Checked)
    hand.button(menu, "show these values")
    assert set(hand.column("surface")) <= {"rubbly"}
    assert [f.field for f in d.layer("lava_flows").rows.filters] == ["year", "surface"]
    menu = hand.menu("year")
    menu.low.setText("soon")
    d.press(menu.low, Qt.Key.Key_Return)
    assert menu.isVisible() and "whole number" in menu.wrong.text()
    menu.close()
    d.click(hand.drawer.filter_line.clear)
    menu = hand.menu("surface")
    d.qtbot.keyClicks(menu.text, "SMOO")
    d.press(menu.text, Qt.Key.Key_Return)
    d.settle()
    assert set(hand.column("surface")) == {"smooth"}


def test_columns_are_kept_in_sight_moved_widened_hidden_and_formatted(hand):
    d = hand.d
    hand.button(hand.menu("volume_m3"), "keep")
    assert hand.fields[0] == "volume_m3" and hand.grid.columns.pinned_width > 0
    right = hand.grid.horizontalScrollBar()
    right.setValue(right.maximum())
    assert hand.grid.cell_rect(0, 0).left() == hand.grid.cell_rect(0, 0).left() >= 0
    assert hand.grid.columns.at(10, hand.grid.scrolled) == 0  # still there, whatever scrolled away
    right.setValue(0)
    at, to = hand.grid.head_rect("year").center(), hand.grid.head_rect("surface").center()
    d.drag(hand.grid.view, (at.x(), 8), (to.x() + 60, 8))
    assert hand.fields.index("year") > hand.fields.index("max_thick_m")
    place = hand.fields.index("vent")
    hand.grid.current = (0, place)
    d.press(hand.grid, Qt.Key.Key_Right, ALT)
    assert hand.fields.index("vent") == place + 1
    edge = hand.grid.head_rect("flow_id")
    before = edge.width()
    d.drag(hand.grid.view, (edge.right(), 8), (edge.right() + 55, 8))
    assert hand.grid.head_rect("flow_id").width() == pytest.approx(before + 55, abs=4)
    edge = hand.grid.head_rect("flow_id")
    d.qtbot.mouseDClick(hand.grid.view, Qt.MouseButton.LeftButton, pos=QPoint(edge.right(), 8))
    assert hand.grid.head_rect("flow_id").width() < before + 40
    menu = hand.menu("volume_m3")
    d.choose(menu.form, "scientific")
    menu.form.activated.emit(menu.form.currentIndex())
    menu.close()
    d.settle()
    assert "e+" in hand.grid.texts(0, 1, ["volume_m3"])[0, "volume_m3"]
    hand.button(hand.menu("vent"), "hide")
    assert "vent" not in hand.fields


def test_fields_are_chosen_and_ordered_in_one_list(hand):
    d = hand.d
    d.window.commands.do("sheet_fields")
    form = hand.tools.form
    d.qtbot.keyClicks(form.search, "thick")
    hand.button(form, "hide found")
    form.search.clear()
    form.list.setCurrentRow(
        next(i for i in range(form.list.count()) if form.list.item(i).text().startswith("volume_m3"))
    )
    for _ in range(3):
        hand.button(form, "up")
    hand.button(form, "main")
    assert "mean_thick_m" not in hand.fields and hand.fields.index("volume_m3") < hand.fields.index("vent")


def test_a_computed_density_is_built_and_sorted_by(hand, lava):
    d = hand.d
    hand.button(hand.drawer, "compute", QToolButton)
    form = hand.tools.form
    hand.type_in(form.expression, "volume_m3 / aera_ellipsoid()")
    d.qtbot.waitUntil(lambda: "no function" in form.wrong.text(), timeout=60_000)
    assert form.expression.marked == "aera_ellipsoid()" and form.preview.rowCount() == 0
    form.expression.selectAll()
    item = next(i for i in form.parts.findItems("volume_m3", Qt.MatchFlag.MatchRecursive))
    form.parts.itemDoubleClicked.emit(item, 0)
    d.qtbot.keyClicks(form.expression, " / area_plane()")
    d.qtbot.keyClicks(form.name, "year")
    d.qtbot.waitUntil(lambda: form.preview.rowCount() == 12, timeout=60_000)
    assert form.preview.columnCount() == 2
    hand.button(form, "main")
    assert "already" in form.wrong.text()
    d.type(form.name, "density", enter=False)
    d.qtbot.keyClicks(form.unit, "m")
    hand.button(form, "main")
    d.settle()
    assert "density" in hand.fields and "density" in {f.name for f in d.window.session.fields_of(d.layer("lava_flows"))}
    hand.grid.horizontalScrollBar().setValue(9999)
    hand.head("density")
    import shapely

    area = shapely.area(shapely.from_wkb(lava.wkb.to_numpy(zero_copy_only=False)))
    expected = np.sort(lava.table.column("volume_m3").to_numpy() / area)
    assert hand.column("density") == pytest.approx(expected.tolist())
    d.click(d.canvas, d.at(510_600, 5_770_300))
    assert "density" in d.window.desk.probe.tree.readings()
    d.work.undo()
    d.work.undo()
    d.settle()
    assert "density" not in hand.fields


def test_a_summary_row_and_small_distributions(hand, lava):
    hand.button(hand.drawer, "summary", QToolButton)
    d = hand.d
    d.qtbot.waitUntil(lambda: "volume_m3" in hand.grid.summaries, timeout=60_000)
    told = hand.grid.summaries["volume_m3"]
    volumes = lava.table.column("volume_m3").to_numpy()
    assert (told.count, told.missing) == (13, 0) and told.total == pytest.approx(volumes.sum())
    assert hand.grid.foot_height > 0 and hand.grid.bars["volume_m3"].sum() == 13
    d.type(hand.drawer.filter_line.edit, "year = 2031")
    d.qtbot.waitUntil(lambda: "volume_m3" in hand.grid.summaries, timeout=60_000)
    assert hand.grid.summaries["volume_m3"].count < 13
    edge = hand.grid.head_rect("flow_id")
    d.drag(hand.grid.view, (edge.right(), 8), (edge.right() + 450, 8))
    d.type(hand.drawer.filter_line.edit, "year > 1990")
    d.qtbot.waitUntil(lambda: "year" in hand.grid.summaries, timeout=60_000)
    assert "surface" not in hand.grid.summaries  # out of sight, so not worked out
    hand.grid.horizontalScrollBar().setValue(9999)
    d.qtbot.waitUntil(lambda: "surface" in hand.grid.summaries, timeout=60_000)
    assert hand.grid.summaries["year"].minimum == 1994


def test_a_table_is_joined_and_its_rows_drawn_over_time(driver):
    driver.open(demo.PROJECT)
    d = driver
    d.open(demo.DATA / "gas_stations.csv")
    d.click(d.sheet.open_button)
    d.window.commands.do("sheet")
    d.settle()
    hand = Hand(d)
    hand.button(hand.drawer, "join", QToolButton)
    form = hand.tools.form
    d.choose(form.other, "gas_readings")
    d.qtbot.waitUntil(lambda: "12 of 12" in form.report.text(), timeout=60_000)
    assert form.many.isChecked() and form.other_key.currentText() == "station"
    assert "12 keys in several rows of the other table" in form.report.text()
    hand.button(form, "main")
    hand.cell(1, "station")
    series = hand.tools.series
    d.qtbot.waitUntil(lambda: series.rows is not None and series.rows.num_rows > 1000, timeout=60_000)
    x, y = series.series()
    assert series.isVisible() and len(x) == len(y) > 1000 and (np.diff(x) >= 0).all()
    assert set(series.rows.column("station").to_pylist()) == {"G02"}
    d.window.activateWindow()  # the form for joining had the keyboard
    d.qtbot.waitUntil(d.window.isActiveWindow)
    series.plot.setFocus()
    d.press(series.plot, Qt.Key.Key_F9)  # the curve alone is a plate
    d.qtbot.waitUntil(lambda: bool(d.work.state.album.plates), timeout=60_000)
    (plate,) = d.work.state.album.plates
    assert (
        plate.kind is PlateKind.CHART and plate.title == f"gas_stations: {series.title_words}" and not plate.view.drawer
    )
    with Image.open(io.BytesIO(plate.picture)) as image:
        assert image.size == (2 * series.plot.width(), 2 * series.plot.height())
    form_path = demo.DATA / "laboratory.xlsx"
    hand.tools.join()
    form = hand.tools.form
    form.add_file(form_path)
    d.settle()
    d.qtbot.waitUntil(lambda: "rows have a partner" in form.report.text(), timeout=60_000)
    form.many.setChecked(False)
    hand.button(form, "main")
    d.settle()
    assert any("." in field for field in hand.fields)
    hand.tools.more_menu().actions()
    assert [hand.drawer.tables.itemText(i) for i in range(hand.drawer.tables.count())][1] == "gas_readings, related"
    hand.drawer.tables.setCurrentIndex(1)
    hand.drawer.tables.activated.emit(1)
    d.settle()
    assert d.work.subject.name == "gas_readings" and len(hand.drawer.sheet) == 25_613


def test_a_copy_is_edited_with_type_checks_and_saved(driver, tmp_path):
    path = tmp_path / "survey.gpkg"
    shutil.copy2(demo.DATA / "tolvane_survey.gpkg", path)
    d = driver
    d.open(path, part="closed_zones")
    d.press(d.window, Qt.Key.Key_T)
    d.settle()
    hand = Hand(d)
    hand.button(hand.drawer, "edit", QToolButton)
    at = hand.grid.cell_rect(1, hand.grid.columns.number_of("reason")).center()
    d.qtbot.mouseDClick(hand.grid.view, Qt.MouseButton.LeftButton, pos=at)
    assert hand.grid.editor.isVisible() and hand.grid.editor.text() == "fresh lava and gas"
    d.type(hand.grid.editor, "cooling lava")
    assert hand.column("reason")[1] == "cooling lava" and "1 edited" in hand.drawer.filter_line.count.text()
    hand.grid.current = (0, hand.grid.columns.number_of("since"))
    d.press(hand.grid, Qt.Key.Key_F2)
    d.type(hand.grid.editor, "last spring")
    assert "not a date" in hand.drawer.filter_line.wrong.text() or len(d.work.subject.rows.edits) == 2
    before = pyogrio.raw.read(path, layer="closed_zones")[3]
    hand.tools.replace_values()
    form = hand.tools.form
    d.choose(form.field, "reason")
    d.qtbot.keyClicks(form.old, "fresh")
    d.qtbot.keyClicks(form.new, "old")
    hand.button(form, "main")
    assert form.hint.text() == "replaced in 1 row"
    form.accept()
    assert hand.column("reason")[1:] == ["cooling lava", "old lava and gas"]
    assert all((a == b).all() for a, b in zip(before, pyogrio.raw.read(path, layer="closed_zones")[3]))  # not yet
    hand.tools.save_edits()
    d.settle()
    names = pyogrio.read_info(path, layer="closed_zones")["fields"].tolist()
    reasons = pyogrio.raw.read(path, layer="closed_zones")[3][names.index("reason")]
    assert (
        list(reasons[1:]) == ["cooling lava", "old lava and gas"]
        and "edited" not in hand.drawer.filter_line.count.text()
    )
    assert hand.column("reason")[1] == "cooling lava"


def test_a_change_by_somebody_else_is_noticed_and_nothing_overwritten(driver, tmp_path):
    path = tmp_path / "t.csv"
    path.write_text("id,name\n1,rim\n2,bay\n")
    d = driver
    d.open(path)
    if d.window.questions.sheet is not None and d.window.questions.sheet.isVisible():
        d.click(d.window.questions.sheet.open_button)
    d.press(d.window, Qt.Key.Key_T)
    d.settle()
    hand = Hand(d)
    hand.button(hand.drawer, "edit", QToolButton)
    hand.grid.current = (0, 1)
    d.press(hand.grid, Qt.Key.Key_F2)
    d.type(hand.grid.editor, "crater")
    path.write_text("id,name\n1,rim\n2,bay\n3,new\n")
    hand.tools.save_edits()
    d.settle()
    assert "changed by another program" in d.window.notice.text.text() and path.read_text().endswith("3,new\n")
    hand.tools.write_new(d.work.subject, tmp_path / "mine.csv")
    d.settle()
    assert arrow_csv.read_csv(tmp_path / "mine.csv").column("name").to_pylist() == ["crater", "bay"]


def test_rows_are_copied_and_exported_as_seen(hand, tmp_path):
    d, board = hand.d, QGuiApplication.clipboard()
    d.type(hand.drawer.filter_line.edit, "year = 2031")
    hand.head("volume_m3")
    hand.button(hand.menu("vent"), "hide")
    hand.cell(0, "year")
    hand.cell(1, "year", CTRL)
    hand.tools.copy("rows")
    d.settle()
    lines = board.text().splitlines()
    assert lines[0].split("\t") == hand.fields and len(lines) == 3
    hand.tools.copy("cells")
    assert board.text() == "2031"
    hand.tools.copy("wkt")
    d.settle()
    assert board.text().startswith(("POLYGON", "MULTIPOLYGON"))
    hand.tools.copy("geojson")
    d.settle()
    assert board.text().count('"Feature"') == 2
    hand.tools.export_to(tmp_path / "seen", "Parquet")
    d.settle()
    out = pq.read_table(tmp_path / "seen.parquet")
    assert out.column_names == hand.fields and out.column("volume_m3").to_pylist() == hand.column("volume_m3")
    assert "Wrote" in d.window.notice.text.text()


def test_a_table_without_geometry_shows_only_what_is_seen_and_a_grid_has_none(hand):
    d = hand.d
    d.work.choose(d.layer("gas_readings").id)
    d.settle()
    assert len(hand.drawer.sheet) == 25_613
    d.window.desk.sheet.grid.grab()
    assert 0 < len(hand.grid._texts) < 60 * len(hand.fields)
    d.press(hand.grid, Qt.Key.Key_End, CTRL)
    hand.grid.grab()
    assert hand.grid.texts(25_612, 1, ["station"])[25_612, "station"] and hand.grid.rows == {25_612}
    d.work.choose(d.layer("sea floor").id)
    d.settle()
    assert hand.drawer.sheet is None and "has no rows" in hand.drawer.filter_line.count.text()


def test_the_sheet_stands_in_a_window_of_its_own_and_goes_back(hand):
    d, desk = hand.d, hand.d.window.desk
    hand.button(hand.drawer, "window", QToolButton)
    assert "sheet" in desk.floating.windows and desk.bottom.isHidden() and hand.drawer.isVisible()
    hand.cell(1, "year")
    assert d.work.picks.rows == (1,)
    desk.floating.windows["sheet"].close()
    d.settle()
    assert "sheet" not in desk.floating.windows and desk.bottom.isVisible() and hand.drawer.parent() is desk.bottom


CASTS = ("DOUBLE", "BIGINT", "VARCHAR", "DATE", "TIMESTAMP", "TIME", "INTERVAL", "BLOB", "DECIMAL(10,2)", "BOOLEAN")


def test_the_scope_follows_from_layer_to_layer_and_a_raster_has_no_rows(driver, tmp_path):
    driver.open(demo.DATA / "tolvane_survey.gpkg", part="lava_flows")
    driver.open(demo.DATA / "gas_readings.parquet")
    driver.open(demo.DATA / "elevation_2031.tif")
    window, drawer = driver.window, driver.window.desk.sheet
    window.commands.do("sheet")
    for scope in (Scope.VIEW, Scope.PICKED, Scope.ALL):
        for layer in driver.work.layers:
            driver.click(drawer.scopes[scope])
            driver.work.choose(layer.id)
            driver.settle()
            assert not window.notice.isVisible(), window.notice.text.text()
            assert (drawer.layer and drawer.layer.id) == (layer.id if layer.kind != "raster" else None)
    raster = next(layer for layer in driver.work.layers if layer.kind == "raster")
    drawer.tools.write_new(raster, tmp_path / "rows.csv")
    driver.settle()
    assert "a raster is not written as '.csv'" in window.notice.text.text()
    assert not (tmp_path / "rows.csv").exists()


@pytest.mark.parametrize("cast", CASTS)
def test_a_computed_field_of_any_type_shows_and_sorts(driver, cast):
    driver.open(demo.DATA / "tolvane_survey.gpkg", part="lava_flows")
    driver.window.commands.do("sheet")
    driver.settle()
    layer, drawer = driver.work.subject, driver.window.desk.sheet
    for text in ("year", "surface", "year > 1950", "make_date(year, 1, 1)", "NULL"):
        look = replace(layer.rows, computed=(ComputedField("made", text, cast),), summary=True)
        driver.work.change("compute", layer.id, rows=look)
        driver.work.change("sort", layer.id, rows=replace(look, sort=(("made", True),)))
        driver.settle()
        assert drawer.filter_line.wrong.isVisible() or "made" in drawer.sheet.columns
        assert not driver.window.notice.isVisible(), driver.window.notice.text.text()


# The menu of a field


def head_menu(hand, field):
    """Open the menu of a head by a right click; return its entries by their command."""
    grid = hand.grid
    at = grid.head_rect(field).center()
    offered = []
    hand.d.window.desk.sheet.field_menu_wanted.connect(offered.append)
    QApplication.sendEvent(
        grid.viewport(), QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, grid.viewport().mapToGlobal(at))
    )
    menu = QApplication.activePopupWidget()
    assert offered and menu is not None
    entries = [action.text() for action in menu.actions() if action.text()]
    menu.close()
    return entries


def test_a_head_has_a_menu_of_commands_that_act_on_its_field(hand):
    d, commands = hand.d, hand.d.window.commands
    entries = head_menu(hand, "volume_m3")
    assert {"Sort by this field, highest first", "Colour the map by this field", "Hide this field"} <= set(entries)
    commands.do("field_sort_down")
    d.settle()
    assert d.layer("lava_flows").rows.sort == (("volume_m3", True),)
    head_menu(hand, "surface")
    commands.do("field_colour")
    d.settle()
    assert (d.layer("lava_flows").style.colour_by, d.layer("lava_flows").style.method) == ("surface", "unique")
    head_menu(hand, "year")
    commands.do("field_label")
    assert d.layer("lava_flows").style.label.text == "year"
    head_menu(hand, "vent")
    commands.do("field_hide")
    d.settle()
    assert "vent" not in hand.fields
    head_menu(hand, "year")
    commands.do("field_known")
    assert [(f.field, f.kind) for f in d.layer("lava_flows").rows.filters] == [("year", "known")]
    head_menu(hand, "year")
    commands.do("field_all")
    assert d.layer("lava_flows").rows.filters == ()
    d.window.commands.do("undo")
    assert d.layer("lava_flows").rows.filters != ()


def test_field_commands_act_on_the_current_cell_without_a_menu(hand):
    d = hand.d
    hand.grid.current = (0, hand.grid.columns.number_of("mean_thick_m"))
    d.window.commands.refresh()
    d.command("sort by this field, lowest")
    assert d.layer("lava_flows").rows.sort == (("mean_thick_m", False),)
    d.window.commands.do("field_panel")
    assert hand.tools.menu.field == "mean_thick_m" and hand.tools.menu.isVisible()
