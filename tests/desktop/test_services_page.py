"""Services in the window: connected, judged on Find, drawn, probed; slow, dead and back again."""

from __future__ import annotations

import time

import numpy as np
import pytest
import rasterio
import shapely
from PyQt6.QtCore import QDate, QPoint, Qt
from PyQt6.QtWidgets import QApplication, QComboBox
from rasterio.transform import from_origin

from brisk_atlas.core.connect import fetching
from brisk_atlas.core.connect.stored_answers import ANSWERS, LIMIT_BYTES
from brisk_atlas.core.find.shelves import Shelves
from brisk_atlas.core.model import CellWindow, DataRef, Quantity, passwords
from brisk_atlas.core.read import tile_store
from brisk_atlas.core.read.permissions import permissions_file
from brisk_atlas.core.read.tile_store import TILES
from stand_in import demo_server


@pytest.fixture(scope="module")
def served():
    with demo_server() as found:
        yield found


@pytest.fixture(autouse=True)
def as_it_should(served, monkeypatch):
    """Each test begins with a server that behaves, and with nothing stored."""
    monkeypatch.setattr(fetching, "BACK_OFF_S", 0.01)
    monkeypatch.setattr(tile_store, "FORGIVE_S", 1.0)  # long enough for a busy machine to draw again
    TILES.forget()
    fetching.set_offline(False)  # whatever a test of all commands left behind
    yield
    for name, value in vars(type(served[1].behaviour)()).items():
        setattr(served[1].behaviour, name, value)
    fetching.set_offline(False)
    ANSWERS.limit = LIMIT_BYTES
    passwords.forget_all()


def rows(d):
    return {row.entry.name: row for row in d.window.find_page.list.rows.shown}


def shelf(d, text):
    shelves = d.window.find_page.shelves
    return next(shelves.item(i) for i in range(shelves.count()) if shelves.item(i).text().strip() == text)


def choose_shelf(d, text):
    shelves = d.window.find_page.shelves
    spot = shelves.visualItemRect(shelf(d, text)).center()
    d.click(shelves.viewport(), (spot.x(), spot.y()))


def wait_until(d, met, seconds=15.0):
    until = time.monotonic() + seconds
    while not met() and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
    assert met()


def paste(d, address):
    d.window.show_page("find")
    d.type(d.window.find_page.path_line, address)


def test_a_pasted_address_is_listed_judged_opened_drawn_and_probed(driver, served):
    d, (depot, server) = driver, served
    find = d.window.find_page
    for _ in range(3):  # a machine that is busy may not answer in time
        paste(d, f"{server.address}/wms")
        if find.path_line.text() == f"wms+{server.address}/wms":
            break
    d.settle()
    assert set(rows(d)) == {o.title for o in depot.offers.values()}
    row = rows(d)["lava_flows"]
    assert (row.summary.kind, row.summary.crs) == ("picture", "EPSG:32727") and shelf(d, f"{server.address[7:]} WMS")
    find.list.go_to(find.list.rows.index_of(row.entry.ref))
    d.settle()
    assert find.glance.picture.frames and find.glance.picture.words == ""
    d.press(find.list, Qt.Key.Key_Return)
    d.settle()
    assert (
        d.window.page == "desk" and d.work.layers[0].name == "lava_flows" and d.canvas.credit == "Tolvane Survey Office"
    )
    image = d.canvas.frames[0][0]
    assert any(image.pixelColor(x, y).alpha() for x in range(0, image.width(), 7) for y in range(0, image.height(), 7))
    flows = depot.features(depot.offers["lava_flows"])
    middle = shapely.from_wkb(flows.wkb[3].as_py()).representative_point()
    d.click(d.canvas, d.canvas.view.to_pixel(middle.x, middle.y))
    assert d.window.desk.probe.findings[0].reading("flow_id").text == flows.table.column("flow_id")[3].as_py()


def test_a_feature_service_opens_as_features_with_its_rows(driver, served):
    d, (_, server) = driver, served
    paste(d, server.address)
    find = d.window.find_page
    assert rows(d)["buildings"].summary.kind == "vector" or rows(d)["buildings"].summary.parts
    find.list.go_to(find.list.rows.index_of(rows(d)["buildings"].entry.ref))
    d.press(find.list, Qt.Key.Key_Return)
    d.settle()
    layer = d.work.layers[0]
    assert layer.kind.has_shapes and d.window.session.facts_of(layer).count == 140 and len(d.work.layers) == 1
    assert len(d.window.session.workspace.sheet_of(layer)) == 140


def test_a_connection_is_added_tried_named_and_removed(driver, served):
    d, (_, server) = driver, served
    d.window.show_page("find")
    d.window.find_page.fill_shelves()
    choose_shelf(d, "Connect…")
    form = d.window.find_page.connections.form
    d.type(form.address, f"{server.address}/wfs", enter=False)
    d.click(form.test)
    assert form.address.text() == f"wfs+{server.address}/wfs"
    assert form.says.text().startswith("WFS: answers in ") and form.says.text().endswith(" 6 layers, no login")
    d.type(form.name, "Office features", enter=False)
    form.group.setCurrentText("Office")
    d.click(form.use)
    assert shelf(d, "Office features") and shelf(d, "Office") and "lava_flows" in rows(d)
    stored = Shelves(file=d.window.session.shelves.file)
    stored.load()
    assert [(each.name, each.group) for each in stored.connections] == [("Office features", "Office")]
    d.window.find_page.connections.edit(stored.connections[0].ref)
    form = d.window.find_page.connections.form
    d.type(form.name, "Features of the office", enter=False)
    d.click(form.use)
    assert [each.name for each in d.window.session.shelves.connections] == ["Features of the office"]
    d.window.find_page.shelves.disconnect_from(stored.connections[0].ref)
    assert d.window.session.shelves.connections == []


def test_a_server_that_wants_a_login_is_given_one_and_it_is_stored_nowhere(driver, served, home):
    d, (_, server) = driver, served
    server.behaviour.password = "ana:s3cret-word"
    paste(d, f"{server.address}/wms?login=1")
    form = d.window.find_page.connections.password_form
    assert form.isVisible()
    d.type(form.user, "ana", enter=False)
    d.type(form.password, "s3cret-word", enter=False)
    d.click(form.use)
    assert "lava_flows" in rows(d) and "ana@" in d.window.find_page.path_line.text()
    d.window.session.shelves.save()
    texts = [file.read_bytes() for file in home.rglob("*") if file.is_file()]
    assert texts and not any(b"s3cret" in text for text in texts)


def test_the_map_stays_when_a_server_dies_and_its_return_is_noticed(driver, served):
    d, (_, server) = driver, served
    d.open(f"wms+{server.address}/wms#elevation_2029")
    message = d.window.desk.map.message
    before = d.canvas.frames[0][0].copy()
    server.behaviour.status = 500
    for _ in range(5):  # so close that other tiles are needed
        d.press(d.canvas, Qt.Key.Key_Plus)
    wait_until(d, lambda: "did not come" in message.text())
    assert "500" in message.text() and d.canvas.frames and before.width() == d.canvas.frames[0][0].width()
    server.behaviour.status = 0
    d.window.desk.map._pieces._retry.start(50)
    wait_until(d, lambda: message.text() == "")
    d.settle()
    assert not d.window.notice.isVisible()


def test_the_window_goes_on_while_a_server_does_not_answer(driver, served):
    d, (_, server) = driver, served
    d.open(f"wms+{server.address}/wms#elevation_2029")
    server.behaviour.delay_s = 60
    longest, last = 0.0, time.monotonic()
    for turn in range(40):
        if turn % 10 == 0:
            d.press(d.canvas, Qt.Key.Key_Minus if turn % 20 else Qt.Key.Key_Plus)
            d.qtbot.mouseMove(d.canvas, QPoint(100 + turn, 100))
        QApplication.processEvents()
        longest, last = max(longest, time.monotonic() - last), time.monotonic()
        time.sleep(0.01)
    assert longest < 5  # it never waited for the server
    wait_until(d, lambda: bool(d.canvas.frames))
    server.behaviour.delay_s = 0


def test_a_project_that_refers_to_a_service_asks_before_it_reaches_it(driver, served, tmp_path, home):
    d, (_, server) = driver, served
    d.open(f"wms+{server.address}/wms#trails")
    project = d.window.session.workspace.save_project(tmp_path / "with_service")
    assert f"wms+{server.address}/wms" in project.read_text()
    d.work.load(d.work.state.__class__(), None, None)
    d.window.session.cache.clear()
    permissions_file().unlink()
    server.log.clear()
    d.open(project)
    assert server.log == [] and d.window.notice.isVisible() and "127.0.0.1" in d.window.notice.text.text()


def test_offline_the_map_draws_what_is_stored_and_says_so(driver, served):
    d, (_, server) = driver, served
    d.open(f"wms+{server.address}/wms#elevation_2029")
    d.window.commands.do("offline")
    assert not d.window.foot.offline.isHidden() and d.window.commands["offline"].isChecked()
    server.log.clear()
    TILES.forget()
    d.window.session.painter.forget()
    d.window.desk.map.draw()
    wait_until(d, lambda: bool(d.canvas.frames))
    image = d.canvas.frames[0][0]
    assert image.pixelColor(image.width() // 2, image.height() // 2).alpha() == 255 and server.log == []
    for _ in range(6):
        d.press(d.canvas, Qt.Key.Key_Plus)
    wait_until(d, lambda: "offline" in d.window.desk.map.message.text())
    d.window.commands.do("stored_answers")
    form = d.window.services.form
    d.settle()
    assert form.stored_size.text() not in ("counting…", "0 bytes")
    form.limit.setValue(50)
    d.click(form.clear)
    d.settle()
    assert form.stored_size.text() == "0 bytes" and ANSWERS.limit == 50_000_000
    d.click(form.close_button)
    d.window.commands.do("offline")
    assert d.window.foot.offline.isHidden() and server.log == []


def test_what_was_listed_of_services_is_searched(driver, served):
    d, (_, server) = driver, served
    paste(d, f"{server.address}/wms")
    d.window.find_page.begin_search()
    d.type(d.window.find_page.filter, "lava_flows")
    found = d.window.find_page.list.rows.shown
    assert [str(row.entry.ref) for row in found] == [f"wms+{server.address}/wms#lava_flows"]
    d.press(d.window.find_page.list, Qt.Key.Key_Return)
    d.settle()
    assert d.work.layers[0].name == "lava_flows"


def test_a_folder_of_a_web_server_is_listed_and_its_files_open_where_they_lie(driver, served):
    d, (_, server) = driver, served
    paste(d, f"{server.address}/files")
    assert d.window.find_page.path_line.text() == f"{server.address}/files/" and shelf(d, "files")
    found = rows(d)
    assert found["boat_lines"].entry.is_folder and "elevation_2029.tif.xml" not in found
    assert found["elevation_2029.tif"].summary.crs == "EPSG:32727"
    assert found["harrow_bay_2031.laz"].summary is None  # it would have to be fetched whole for that
    assert not any("harrow_bay_2031.laz" in line for line in server.log)
    d.window.find_page.list.go_to(d.window.find_page.list.rows.index_of(found["elevation_2029.tif"].entry.ref))
    d.press(d.window.find_page.list, Qt.Key.Key_Return)
    d.settle()
    assert d.work.layers[0].name == "elevation_2029" and d.canvas.frames
    d.window.show_page("find")
    d.window.find_page.list.go_to(d.window.find_page.list.rows.index_of(found["boat_lines"].entry.ref))
    d.press(d.window.find_page.list, Qt.Key.Key_Return)
    d.settle()
    assert "tso2901.mgd77" in rows(d)
    d.click(d.window.find_page.up)
    assert "elevation_2029.tif" in rows(d)


def test_a_catalogue_of_scenes_is_searched_and_a_scene_opened(driver, served):
    d, (_, server) = driver, served
    paste(d, f"{server.address}/stac")
    find = d.window.find_page
    assert not d.window.commands["search_scenes"].isEnabled()  # a collection has to be chosen first
    find.list.go_to(find.list.rows.index(0, 0))
    d.press(find.list, Qt.Key.Key_Return)
    d.settle()
    assert set(rows(d)) == {"MERIDEL3_20310624", "MERIDEL3_20290311"}
    d.window.commands.do("search_scenes")
    form = find.connections.scene_form
    form.from_on.setChecked(True)
    form.first.setDate(QDate(2030, 1, 1))
    form.cloud_on.setChecked(True)
    d.click(form.use)
    assert set(rows(d)) == {"MERIDEL3_20310624"} and "first=2030-01-01" in str(find.place)
    row = rows(d)["MERIDEL3_20310624"]
    assert (row.summary.kind, row.summary.crs) == ("scene", "EPSG:32727")
    find.list.go_to(find.list.rows.index_of(row.entry.ref))
    d.press(find.list, Qt.Key.Key_Return)
    d.settle()
    assert d.work.layers and d.window.session.facts_of(d.work.layers[0]).grid.bands and d.canvas.frames


def test_a_catalogue_searches_its_records_and_leads_to_the_data(driver, served):
    d, (depot, server) = driver, served
    paste(d, f"{server.address}/csw")
    find = d.window.find_page
    assert len(rows(d)) == len(depot.offers) and "Enter searches" in find.filter.placeholderText()
    d.type(find.filter, "harrow strip")
    assert find.place.inner == "records?q=harrow+strip" and len(rows(d)) == 1
    (row,) = rows(d).values()
    assert row.summary.kind == "record"
    find.list.go_to(find.list.rows.index_of(row.entry.ref))
    d.settle()
    assert "Harrow" in row.summary.title
    d.click(find.glance.data_button)
    d.settle()
    form = find.records.form
    texts = [form.list.item(i).text() for i in range(form.list.count())]
    wanted = next(i for i, text in enumerate(texts) if text.startswith("Pictures"))
    form.list.setCurrentRow(wanted)
    d.click(form.go)
    d.settle()
    assert [layer.ref.protocol for layer in d.work.layers] == ["wms"] and d.work.layers[0].name == "laser strip"


def test_heights_in_the_colours_of_tiles_go_on_where_ones_own_ground_ends(driver, served, tmp_path):
    d, (depot, server) = driver, served
    truth = depot.cache.raster(depot.offers["elevation_2029"].layer.ref)
    x, y = truth.facts.extent.centre
    own = tmp_path / "own.tif"
    with rasterio.open(own, "w", driver="GTiff", count=1, width=60, height=60, dtype="float32", crs=truth.facts.crs,
                       transform=from_origin(x - 600, y + 600, 20, 20)) as out:  # fmt: skip
        out.write(np.full((1, 60, 60), 1500, np.float32))
    d.window.session.open_refs([DataRef.parse(f"xyz+{server.address}/heights/elevation_2029/{{z}}/{{x}}/{{y}}.png")])
    d.settle()
    d.window.commands.do("style")
    (tiles,) = d.work.layers
    box = d.window.desk.side.drawers["style"].findChild(QComboBox, "quantity")
    box.setCurrentIndex(box.findData(Quantity.HEIGHT_TENTHS))
    d.settle()
    tiles = d.work.layer(tiles.id)
    assert tiles.ref.quantity is Quantity.HEIGHT_TENTHS and tiles.style.bands == (1,)
    d.open(own)
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    pane = d.window.desk.relief
    pane.choose_grids((d.layer("own").id, tiles.id))
    d.settle()
    assert pane.ground.text() == "own over 1 more"
    (east, north) = pane.scene.space.to_metres(x + 2000, y + 500)
    column, row = truth.facts.lattice.to_cells(x + 2000, y + 500)
    height = truth.block(CellWindow(int(column), int(row), int(column) + 1, int(row) + 1)).values[0, 0, 0]
    assert pane.scene.ground_up(east, north, 1.0) == pytest.approx(height, abs=40)  # by a coarse window
