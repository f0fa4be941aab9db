"""Databases on Find: pasted, unfolded, judged and opened as files are; passwords are asked for and stand nowhere."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QToolButton

from brisk_atlas.core.cache import by_view
from brisk_atlas.core.connect.postgres import close_all
from brisk_atlas.core.connect.table_names import table_ref
from brisk_atlas.core.model import DataRef, passwords
from database_server import running
from mariadb_server import running_mariadb

TABLES = """
CREATE TABLE zones (id serial PRIMARY KEY, name text, level int, geom geometry(Polygon, 32727));
INSERT INTO zones (name, level, geom) SELECT 'zone ' || i, i % 5,
    ST_SetSRID(ST_MakeEnvelope(507000 + i * 100, 5770000, 507080 + i * 100, 5771000), 32727) FROM generate_series(1, 30) i;
CREATE TABLE readings (station text, value float8);
CREATE TABLE visits (zone int REFERENCES zones (id), who text);
INSERT INTO visits VALUES (1, 'Ada'), (1, 'Ben'), (2, 'Ada');
CREATE SCHEMA archive;
CREATE TABLE archive.old (n int);
ANALYZE
"""


@pytest.fixture(scope="module")
def server():
    with running() as found:
        with found.connect() as link:
            link.execute(TABLES.replace("ANALYZE", ""))
            link.execute("ANALYZE")
        yield found


@pytest.fixture(autouse=True)
def unknown_password(server):
    """Each test begins without the password, and without a connection that was open."""
    close_all()
    passwords.forget(server.address)
    yield
    close_all()


def names(d):
    return [row.entry.name for row in d.window.find_page.list.rows.shown]


def paste(d, text):
    d.window.show_page("find")
    d.type(d.window.find_page.path_line, text)


def shelf_texts(d):
    shelves = d.window.find_page.shelves
    return [shelves.item(i).text().strip() for i in range(shelves.count())]


def test_a_pasted_database_unfolds_and_its_tables_are_judged_before_they_are_opened(driver, server):
    d = driver
    paste(d, server.address_with_password)
    find = d.window.find_page
    assert names(d) == ["archive", "public"] and server.password not in find.path_line.text()
    assert "Connections" in shelf_texts(d) and "survey" in shelf_texts(d)
    find.list.go_to(find.list.rows.index(1, 0))
    d.press(find.list, Qt.Key.Key_Return)
    d.settle()
    assert names(d) == ["readings", "visits", "zones"]
    zones = next(row for row in find.list.rows.shown if row.entry.name == "zones")
    assert (zones.summary.kind, zones.summary.amount, zones.summary.crs) == ("polygon", "30 features", "EPSG:32727")
    find.list.go_to(find.list.rows.index_of(zones.entry.ref))
    d.settle()
    glance = " ".join(label.text() for label in find.glance.findChildren(QLabel))
    assert "zones" in glance and find.glance.chosen == zones.entry.ref
    d.press(find.list, Qt.Key.Key_Return)
    d.settle()
    assert (
        d.window.page == "desk"
        and d.work.layers[0].name == "zones"
        and d.work.subject.ref == zones.entry.ref.with_part("zones")
    )
    d.click(d.canvas, d.canvas.view.to_pixel(507_140, 5_770_500))
    assert d.window.desk.probe.findings[0].reading("name").text == "zone 1"
    d.window.show_page("find")
    d.press(find.list, Qt.Key.Key_Backspace)
    d.settle()
    assert names(d) == ["archive", "public"]


def test_a_missing_password_is_asked_for_and_a_wrong_one_again(driver, server):
    d = driver
    paste(d, server.address)
    form = d.window.find_page.connections.password_form
    assert form.isVisible() and form.password.echoMode() == form.password.EchoMode.Password
    d.qtbot.keyClicks(form.password, "wrong")
    d.click(form.use)
    again = d.window.find_page.connections.password_form
    assert again is not form and again.isVisible() and names(d) == []
    d.qtbot.keyClicks(again.password, server.password)
    d.press(again.password, Qt.Key.Key_Return)
    d.settle()
    assert names(d) == ["archive", "public"] and not again.isVisible()


def test_a_connection_is_remembered_without_its_password_and_removed(driver, server, home):
    d = driver
    paste(d, server.address_with_password)
    shelves = d.window.session.shelves
    assert [str(each.ref) for each in shelves.connections] == [server.address]
    assert server.password not in shelves.file.read_text()
    d.window.find_page.shelves.disconnect_from(shelves.connections[0].ref)
    assert shelves.connections == [] and "survey" not in shelf_texts(d)


def test_a_server_that_is_gone_is_reported_and_the_window_goes_on(driver, server):
    d = driver
    paste(d, server.address_with_password.replace(str(server.port), "1"))
    assert "can't be reached" in d.window.notice.text.text() and names(d) == []
    paste(d, server.address_with_password)
    assert names(d) == ["archive", "public"]


def test_a_select_is_tried_and_then_opened(driver, server):
    d = driver
    paste(d, server.address_with_password)
    d.window.commands.do("ask_database")
    form = d.window.find_page.query_form
    form.statement.setPlainText("SELECT nme FROM zones")
    d.click(form.test)
    assert "nme" in form.says.text() and not form.use.isEnabled()
    form.statement.setPlainText("SELECT name, level, geom FROM zones WHERE level = 2")
    d.click(form.test)
    assert "name (text), level (int4), geom (geometry)" in form.says.text()
    d.click(form.use)
    assert d.work.layers[0].name == "query" and d.window.session.facts_of(d.work.layers[0]).count == 6


def test_a_filter_on_a_table_that_is_read_by_view_is_asked_of_the_server(driver, server, monkeypatch):
    monkeypatch.setattr(by_view, "SERVER_HELD", 10)  # as if it were very large
    d = driver
    paste(d, server.address_with_password)
    d.window.session.open_refs([table_ref(DataRef.parse(server.address), "public", "zones")])
    d.settle()
    d.press(d.window, Qt.Key.Key_T)
    d.settle()
    everything = d.canvas.grab().toImage()
    line = d.window.desk.sheet.filter_line
    before = len(server.statements())
    d.type(line.edit, "level = 3 AND name <> 'zone 8'")
    d.click(d.window.desk.sheet.tools.button["on map"])
    d.settle()
    assert line.count.text() == "5 of 30 rows" and d.canvas.grab().toImage() != everything
    asked = [text for text in server.statements()[before:].splitlines() if "ST_AsBinary" in text]
    assert asked and all('"level" = 3' in text and "'zone 8'" in text for text in asked)
    d.click(d.canvas, d.canvas.view.to_pixel(508_340, 5_770_500))
    assert d.window.desk.probe.findings[0].reading("name").text == "zone 13"


def test_values_are_edited_in_the_sheet_and_saved_into_the_database(driver, server):
    d = driver
    paste(d, server.address_with_password)
    d.window.session.open_refs([table_ref(DataRef.parse(server.address), "public", "zones")])
    d.settle()
    d.press(d.window, Qt.Key.Key_T)
    d.settle()
    drawer = d.window.desk.sheet
    grid, tools = drawer.grid, drawer.tools

    def change(row, text):
        drawer.findChild(QToolButton, "edit").setChecked(True)
        tools.turn_editing()
        grid.current = (row, grid.columns.number_of("name"))
        d.press(grid, Qt.Key.Key_F2)
        d.type(grid.editor, text)

    def stored(row):
        with server.connect() as link:
            return link.execute("SELECT name FROM zones ORDER BY id OFFSET %s LIMIT 1", [row]).fetchone()[0]

    change(4, "Grey Gate")
    save = next(action for action in tools.more_menu().actions() if action.text() == "Save edits into public.zones")
    assert save.isEnabled() and stored(4) == "zone 5"
    save.trigger()
    d.settle()
    form = tools.form
    assert form.isVisible() and form.list.toPlainText() == "id = 5: name “zone 5” becomes “Grey Gate”"
    assert stored(4) == "zone 5" and form.write.text() == "Write 1 value"
    d.click(form.write)
    d.settle()
    assert stored(4) == "Grey Gate" and "Saved 1 edited value in public.zones" in d.window.notice.text.text()
    assert drawer.sheet.values(0, 6, ["name"])["name"][4] == "Grey Gate" and not d.work.subject.rows.edits
    change(6, "mine")
    with server.connect() as link:
        link.execute("UPDATE zones SET name = 'theirs' WHERE id = 7")
    tools.save_edits()
    d.settle()
    d.click(tools.form.write)
    d.settle()
    assert "id = 7 was changed meanwhile (name is now “theirs”, was “zone 7”)" in d.window.notice.text.text()
    assert stored(6) == "theirs" and len(d.work.subject.rows.edits) == 1


def test_tables_that_the_database_relates_are_joined_and_rows_are_counted(driver, server):
    d = driver
    paste(d, server.address_with_password)
    visits = table_ref(DataRef.parse(server.address), "public", "visits")
    d.window.session.open_refs([visits])
    d.settle()
    d.press(d.window, Qt.Key.Key_T)
    d.settle()
    drawer = d.window.desk.sheet
    join = next(action for action in drawer.tools.more_menu().actions() if action.text() == "Join public.zones by zone")
    join.trigger()
    d.settle()
    assert drawer.sheet.values(0, 3, ["zones.name"])["zones.name"] == ["zone 1", "zone 1", "zone 2"]
    again = next(action for action in drawer.tools.more_menu().actions() if action.text() == join.text())
    assert not again.isEnabled()
    d.window.commands.do("count_rows")
    d.settle()
    assert d.window.notice.text.text() == "Visits has 3 rows."


def test_a_mariadb_database_is_pasted_and_opened_in_the_same_way(driver):
    d = driver
    with running_mariadb() as maria:
        with maria.connect() as link, link.cursor() as cursor:
            cursor.execute("CREATE TABLE zones (id int PRIMARY KEY, name text, geom point REF_SYSTEM_ID=32727)")
            cursor.execute("INSERT INTO zones VALUES (1, 'Harrow', ST_GeomFromText('POINT(507000 5770000)', 32727))")
        paste(d, maria.address_with_password)
        assert names(d) == ["zones"] and maria.password not in d.window.find_page.path_line.text()
        row = d.window.find_page.list.rows.shown[0]
        assert (row.summary.kind, row.summary.amount, row.summary.crs) == ("point", "1 feature", "EPSG:32727")
        d.press(d.window.find_page.list, Qt.Key.Key_Return)
        d.settle()
        assert d.work.layers[0].name == "zones" and "survey" in shelf_texts(d)
