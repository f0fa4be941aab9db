"""Find: the list, its filters and search, the glance, and the sheet that asks before opening."""

from __future__ import annotations

import os
import shutil
import stat
import time

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QGuiApplication
from PyQt6.QtWidgets import QApplication, QMessageBox, QPushButton

import made_files as made
from brisk_atlas import demo
from brisk_atlas.core.model import Columns, DataRef, OpenOptions
from made_files import at

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def found(driver):
    driver.window.find_page.go_to(demo.DATA)
    driver.settle()
    return driver


def go(driver, folder, name=None):
    driver.window.find_page.go_to(folder, choose=name)
    driver.settle()
    return driver.window.find_page


def drop(widget, paths, at=(10, 10)):
    """Drop files on a widget, as a file manager does."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    left, nothing = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(
        widget, QDragEnterEvent(QPoint(*map(round, at)), Qt.DropAction.CopyAction, mime, left, nothing)
    )
    QApplication.sendEvent(widget, QDropEvent(QPointF(*at), Qt.DropAction.CopyAction, mime, left, nothing))


# The list


def test_the_list_tells_the_facts_of_each_dataset(found, truth):
    rows = found.rows()
    assert rows["elevation_2029.tif"]["amount"] == "1,024 × 900" and rows["elevation_2029.tif"]["kind"] == "grid"
    assert rows["ash_samples.geojson"]["crs"] == "EPSG:4326" and rows["ash_samples.geojson"]["record"] == "ISO 19139"
    assert rows["gas_readings.parquet"]["amount"] == f"{truth['counts']['gas_readings']:,} rows"
    assert (rows["tolvane.brisk.json"]["kind"], rows["tolvane.brisk.json"]["amount"]) == ("project", "11 layers")
    assert rows["MERIDEL3_20310624"]["kind"] == "scene" and rows["MERIDEL3_20310624"]["amount"] == "4 band groups"
    found.find("tolvane_survey.gpkg", "lava_flows")
    listed = found.window.find_page.list
    assert found.window.find_page.glance.name.text() == "tolvane_survey.gpkg · lava_flows"
    at = listed.visualRect(listed.rows.index_of(DataRef.file(demo.DATA / "tolvane_survey.gpkg")))
    shown = listed.rows.rowCount()
    found.click(listed.viewport(), (at.left() + 9, at.center().y()))  # the arrow folds it
    assert listed.rows.rowCount() == shown - 7


def test_filter_as_you_type_also_by_what_is_inside(found):
    find = found.window.find_page
    found.type(find.filter, "lava", enter=False)
    assert list(found.rows()) == ["tolvane_survey.gpkg"] and find.glance.name.text() == "tolvane_survey.gpkg"
    assert find.count.text().startswith("1 of 14 datasets")


def test_filters_by_kind_crs_date_and_area(found):
    bar = found.window.find_page.filter_bar
    grid = next(a for a in bar.choices("kinds").actions() if a.text().startswith("grid"))
    grid.trigger()
    found.settle()
    assert {"elevation_2029.tif", "seafloor.nc", "sea_temperature.nc", "MERIDEL3_20310624"} == set(found.rows()) - {
        "elevation_2031.tif",
        "MERIDEL3_20290311",
    }
    next(a for a in bar.choices("crs").actions() if a.text().startswith("EPSG:4326")).trigger()
    assert list(found.rows()) == ["sea_temperature.nc", "seafloor.nc"]
    found.click(bar.clear)
    assert len(found.rows()) == 20
    next(a for a in bar.choices("age").actions() if a.text() == "today").trigger()
    for name in found.rows():
        assert (time.time() - (demo.DATA / name).stat().st_mtime) < 86_500
    bar.let_all_through()
    found.click(bar.area)
    locator = bar.locator
    at, to = locator.to_pixel(-20.93, -38.17), locator.to_pixel(-20.92, -38.175)
    found.drag(locator, (round(at.x()), round(at.y())), (round(to.x()) + 8, round(to.y()) + 8))
    shown = set(found.rows())
    assert "elevation_2031.tif" in shown and "harrow_bay_2031.laz" not in shown and "boreholes" not in shown
    found.press(locator, Qt.Key.Key_Delete)
    assert len(found.rows()) == 20


def test_columns_can_be_chosen_ordered_and_sorted_by(found):
    listed = found.window.find_page.list
    listed.column_menu().actions()[list(made_columns()).index("Files")].trigger()
    assert "files" in listed.rows.columns and found.rows()["elevation_2031.tif"]["files"] == "2"
    header = listed.horizontalHeader()
    at = listed.rows.columns.index("size")
    found.click(header.viewport(), (header.sectionViewportPosition(at) + 8, 10))
    names = [row.entry.name for row in listed.rows.shown if not row.entry.is_folder]
    sizes = [row.summary.size_bytes for row in listed.rows.shown if not row.entry.is_folder]
    assert sizes == sorted(sizes) and names[0] == "gas_stations.csv"
    found.click(header.viewport(), (header.sectionViewportPosition(at) + 8, 10))
    assert next(row.entry.name for row in listed.rows.shown if not row.entry.is_folder) == "harrow_bay_2031.laz"
    assert listed.settings.value("find/columns").split(",")[0] == "name"


def made_columns():
    from brisk_atlas.core.find import entry_filter

    return [column.title for column in entry_filter.COLUMNS.values()]


def test_grouped_by_the_themes_of_the_records(found):
    find = found.window.find_page
    found.click(find.filter_bar.theme_button)
    model = find.list.rows
    names = [model.data(model.index(i, 0)) for i in range(model.rowCount())]
    at = names.index("lava (3)")
    assert names[at + 1 : at + 4] == ["elevation_2031.tif", "harrow_bay_2031.laz", "tolvane_survey.gpkg"]
    assert "no theme (8)" in names
    found.find("tolvane_survey.gpkg", "trails")  # it stands under five themes, and unfolds under each
    assert [model.data(model.index(i, 0)) for i in range(model.rowCount())].count("trails") == 5
    found.press(find.list, Qt.Key.Key_Left)
    found.press(find.list, Qt.Key.Key_Left)
    assert "trails" not in [model.data(model.index(i, 0)) for i in range(model.rowCount())]
    found.click(find.filter_bar.theme_button)
    assert len(found.rows()) == 20


def test_enter_opens_a_folder_or_a_part(found):
    find = found.window.find_page
    found.find("boreholes")
    found.press(find.list, Qt.Key.Key_Return)
    found.settle()
    assert find.folder == demo.DATA / "boreholes" and found.rows()["tg-1.las"]["amount"] == "1,241 rows"
    found.press(find.list, Qt.Key.Key_Backspace)
    found.settle()
    assert find.folder == demo.DATA and find.list.rows.row_at(find.list.currentIndex()).entry.name == "boreholes"
    found.find("tolvane_survey.gpkg", "fissures")
    found.press(find.list, Qt.Key.Key_Return)
    found.settle()
    assert [layer.name for layer in found.work.layers] == ["fissures"] and found.window.page == "desk"


def test_a_change_in_the_folder_is_seen(driver, tmp_path):
    (tmp_path / "a.csv").write_text("n\n1\n")
    go(driver, tmp_path)
    assert list(driver.rows()) == ["a.csv"]
    (tmp_path / "b.csv").write_text("n\n1\n2\n")
    driver.qtbot.waitUntil(lambda: len(driver.rows()) == 2, timeout=60_000)
    driver.settle()
    assert driver.rows()["b.csv"]["amount"] == "2 rows"


def test_twenty_thousand_files_are_listed_at_once_and_known_by_and_by(driver, tmp_path):
    for number in range(20_000):
        (tmp_path / f"plot_{number:05d}.csv").touch()
    driver.window.find_page.go_to(tmp_path)
    driver.qtbot.waitUntil(lambda: driver.window.find_page.list.rows.rowCount() == 20_000, timeout=60_000)
    find = driver.window.find_page
    find.list.scrollToBottom()  # what is in view is looked at before the rest
    last = find.list.rows.index(19_999, 1)
    driver.qtbot.waitUntil(lambda: last.data() == "fault", timeout=60_000)
    find.folder_index.stop()
    driver.settle()


# Shelves


def test_pinning_by_key_menu_and_drop(found, tmp_path):
    find, shelves = found.window.find_page, found.window.session.shelves
    found.press(found.window, Qt.Key.Key_D, CTRL)
    assert shelves.pinned == [demo.DATA]
    (tmp_path / "bare").mkdir()
    go(found, tmp_path / "bare")
    assert "Nothing here" in find.count.text()
    drop(find.shelves.viewport(), [tmp_path / "bare"], at=(20, 400))
    assert shelves.pinned == [demo.DATA, tmp_path / "bare"]
    drop(find.shelves.viewport(), [tmp_path / "bare"], at=tuple_of(find, demo.DATA.name))
    assert shelves.pinned == [tmp_path / "bare", demo.DATA]  # dropped on another, it comes before it
    found.click(find.shelves.viewport(), tuple_of(find, demo.DATA.name))
    assert find.folder == demo.DATA
    found.press(found.window, Qt.Key.Key_D, CTRL)
    find.shelves.setCurrentRow(next(i for i in range(9) if find.shelves.item(i).text().strip() == "bare"))
    found.press(find.shelves, Qt.Key.Key_Delete)
    assert shelves.pinned == []


def tuple_of(find, name):
    at = next(i for i in range(find.shelves.count()) if find.shelves.item(i).text().strip() == name)
    middle = find.shelves.visualItemRect(find.shelves.item(at)).center()
    return middle.x(), middle.y()


def test_a_dataset_is_found_by_a_word_that_stands_only_in_its_abstract(driver, tmp_path):
    shelf = tmp_path / "delivery" / "deep"
    shelf.mkdir(parents=True)
    for file in ("vents.kml", "ash_samples.geojson"):
        shutil.copy(demo.DATA / file, shelf / file)
    shutil.copy(demo.DATA / "elevation_2031.tif.xml", shelf / "vents.kml.xml")
    text = (shelf / "vents.kml.xml").read_text("utf-8")
    at = text.index("CharacterString>", text.index("<gmd:abstract>")) + len("CharacterString>")
    (shelf / "vents.kml.xml").write_text(f"{text[:at]}Obsidian was seen. {text[at:]}", "utf-8")
    find = driver.window.find_page
    find.pin(tmp_path / "delivery")
    driver.settle()
    driver.press(driver.window, Qt.Key.Key_F, CTRL)
    assert find.everywhere.isChecked() and "Type words" in find.count.text()
    driver.command("index pinned")
    driver.type(find.filter, "obsid", enter=False)
    assert list(driver.rows()) == ["vents.kml"] and driver.rows()["vents.kml"]["folder"] == "delivery/deep"
    assert find.glance.name.text() == "vents.kml"
    driver.type(find.filter, "thickness_mm", enter=False)  # the name of a field
    assert list(driver.rows()) == ["ash_samples.geojson"]
    driver.type(find.filter, "nowhere at all", enter=False)
    assert "Nothing on the pinned shelves" in find.count.text()
    driver.click(find.everywhere)
    assert find.folder == tmp_path / "delivery" and find.list.rows.columns[1] == "kind"


# The glance


def test_the_glance_of_a_grid_a_table_a_scene_and_a_part(found):
    glance = found.window.find_page.glance
    found.find("elevation_2031.tif")
    assert glance.picture.frames and "Tolvane Survey Office" in glance.record.toPlainText()
    assert "metadata record" in glance.files.tree.topLevelItem(1).text(0)
    wide = glance.picture.view.resolution
    found.qtbot.wait(1)
    glance.picture.look(glance.picture.view.zoomed(4.0, 50, 50))
    found.settle()
    assert glance.picture.frames[0][1].resolution < wide / 3
    found.find("gas_readings.parquet")
    assert "it has no geometry" in glance.picture.words and "so2_ppm (number)" in glance.facts.toPlainText()
    assert glance.rows.rows.rowCount() == 100 and glance.rows.rows.headerData(0, Qt.Orientation.Horizontal).endswith(
        "text"
    )
    found.find("MERIDEL3_20310624")
    assert glance.picture.frames and "sun elevation" in glance.facts.toPlainText()
    found.find("tolvane_survey.gpkg", "closed_zones")
    assert glance.rows.message.text() == "4 fields; rows 1 to 3 of 3"
    assert found.work.layers == ()  # nothing was opened by looking


def test_files_that_are_missing_or_out_of_date_are_said(driver, tmp_path):
    for source in (demo.DATA / "fissures_2031").glob("fissures.*"):
        if source.suffix != ".prj":
            shutil.copy(source, tmp_path / source.name)
    with (tmp_path / "fissures.shp").open("ab") as out:
        out.write(b"\0" * 40)  # shapes were added, the index was not made anew
    find = go(driver, tmp_path, "fissures.shp")
    lines = [find.glance.files.tree.topLevelItem(i) for i in range(find.glance.files.tree.topLevelItemCount())]
    told = {item.text(0).partition("\n")[0]: item for item in lines}
    assert "without it the coordinate reference system is unknown" in told["fissures.prj"].child(0).text(0)
    assert "does not fit the shapes" in told["fissures.shx"].child(0).text(0)
    assert find.glance.tabs.tabText(3) == "Files (2 !)"


def test_a_stale_lock_is_deleted_only_when_told_to(driver, tmp_path, monkeypatch):
    shutil.copy(demo.DATA / "vents.kml", tmp_path / "vents.kml")
    lock, fresh = tmp_path / "vents.kml.lock", tmp_path / "vents.lck"
    lock.write_text("mara on ws-204")
    fresh.write_text("jon")
    os.utime(lock, (time.time() - 5 * 86_400,) * 2)
    find = go(driver, tmp_path, "vents.kml")
    files = find.glance.files
    assert files.delete.text() == "Delete vents.kml.lock…"
    said = []

    def answer(button):
        def run(box):
            said.append(box.informativeText())
            wanted = next(b for b in box.buttons() if b.text() == button)
            monkeypatch.setattr(box, "clickedButton", lambda: wanted, raising=False)

        return run

    monkeypatch.setattr(QMessageBox, "exec", answer("Keep it"))
    driver.click(files.delete)
    assert lock.exists() and "mara on ws-204" in said[0] and "5 days old" in said[0]
    monkeypatch.setattr(QMessageBox, "exec", answer("Delete it"))
    driver.click(files.delete)
    assert not lock.exists() and fresh.exists() and not files.delete.isVisible()


def test_the_text_of_a_file_is_seen_and_searched(driver):
    find = go(driver, demo.DATA / "MERIDEL3_20310624", "MERIDEL3_20310624_META.txt")
    find.glance.tabs.setCurrentIndex(4)
    driver.settle()
    text = find.glance.text
    assert text.lines.in_view()[0] == "GROUP = MERIDEL_SCENE" and text.message.text() == "134 lines, utf-8"
    driver.type(text.line, "thermal infrared")
    assert 'NAME = "thermal infrared"' in text.lines.pages.lines(text.lines.found, 1)[0]
    first = text.lines.found
    driver.press(text.line, Qt.Key.Key_Return)
    driver.settle()
    assert text.lines.found == first  # there is one, and the search goes around
    driver.press(text.lines, Qt.Key.Key_Home)
    driver.click(text.lines.viewport(), (120, 8))
    driver.press(text.lines, Qt.Key.Key_C, CTRL)
    assert QGuiApplication.clipboard().text() == "GROUP = MERIDEL_SCENE"


# Opening


def test_a_table_opens_as_points_after_its_columns_were_put_right(driver, tmp_path):
    path = tmp_path / "stations.csv"
    path.write_text(
        (demo.DATA / "gas_stations.csv").read_text().replace("longitude,latitude", "lat,lon")
    )  # named the wrong way
    find = go(driver, tmp_path, "stations.csv")
    driver.click(find.glance.open_button)
    sheet = driver.sheet
    form = sheet.forms[0]
    assert (form.x_box.currentText(), form.y_box.currentText()) == ("lon", "lat")
    assert form.text_form.preview.item(0, 1).text() == "Crater rim west"
    driver.choose(form.x_box, "lat")
    assert not sheet.open_button.isEnabled() and "same column" in sheet.open_button.toolTip()
    driver.choose(form.y_box, "lon")
    assert sheet.open_button.isEnabled() and form.crs.code == "EPSG:4326"
    assert "38.200° S, 20.907° W" in form.landing.text()
    driver.click(sheet.open_button)
    layer = driver.layer("stations")
    assert layer.kind == "vector" and driver.window.page == "desk" and driver.canvas.frames
    features = driver.window.session.cache.features(layer.ref)
    assert len(features) == 12 and -21 < features.shapes.xy[0, 0] < -20
    driver.open(path)  # it is not asked twice
    assert len(driver.work.layers) == 2 and not driver.window.questions.sheet.isVisible()
    assert driver.window.session.answers.get(path) == OpenOptions("EPSG:4326", form.form(), Columns("lat", "lon"))


def test_a_file_without_a_crs_is_given_one(driver, tmp_path):
    for source in (demo.DATA / "fissures_2031").glob("fissures.*"):
        if source.suffix != ".prj":
            shutil.copy(source, tmp_path / source.name)
    shutil.copy(demo.DATA / "elevation_2031.tif", tmp_path)
    find = go(driver, tmp_path, "fissures.shp")
    driver.press(find.list, Qt.Key.Key_Return)
    driver.settle()
    form = driver.sheet.forms[0]
    assert form.crs.code == "EPSG:32727" and "elevation_2031.tif" in form.question.crs_reason
    driver.type(form.crs.line, "utm 28s wgs 84", enter=False)
    driver.press(form.crs.line, Qt.Key.Key_Return)
    driver.settle()
    assert form.crs.code == "EPSG:32728" and "38.203° S, 14.904° W" in form.landing.text()
    driver.type(form.crs.line, "32727")
    assert form.crs.code == "EPSG:32727" and form.locator.chosen is not None
    driver.click(driver.sheet.open_button)
    facts = driver.window.session.facts_of(driver.layer("fissures"))
    assert facts.crs == "EPSG:32727" and "given by you" in facts.notes["reference system"]
    driver.window.session.save_project(tmp_path / "work.brisk.json")
    driver.window.session.answers._by_path.clear()
    driver.window.session.cache.options.clear()
    driver.open(tmp_path / "work.brisk.json")  # the project knows it too
    assert driver.window.session.facts_of(driver.layer("fissures")).crs == "EPSG:32727"


def test_several_files_are_asked_about_on_one_sheet(driver, tmp_path):
    shutil.copy(demo.DATA / "gas_stations.csv", tmp_path / "one.csv")
    shutil.copy(demo.DATA / "laboratory.xlsx", tmp_path / "two.xlsx")
    shutil.copy(demo.DATA / "vents.kml", tmp_path / "three.kml")
    drop(driver.window, [tmp_path / "one.csv", tmp_path / "two.xlsx", tmp_path / "three.kml"])
    driver.settle()
    assert [layer.name for layer in driver.work.layers] == ["vents"]  # what needs no word is open
    sheet = driver.sheet
    assert sheet.files.count() == 2
    sheet.files.setCurrentRow(1)
    parts = sheet.forms[1]
    none = next(b for b in parts.findChildren(QPushButton) if b.text() == "None")
    driver.click(none)
    assert not sheet.open_button.isEnabled()
    parts.parts.item(0).setCheckState(Qt.CheckState.Checked)
    driver.click(sheet.open_button)
    kinds = {layer.name: layer.kind for layer in driver.work.layers}
    assert kinds["one"] == "vector" and list(kinds.values()).count("table") == 1


def test_all_can_be_asked_again_by_key(found):
    find = found.window.find_page
    found.find("tolvane_survey.gpkg")
    found.press(find.list, Qt.Key.Key_Return, CTRL)
    found.settle()
    form = found.sheet.forms[0]
    assert form.parts.count() == 7 and "7 of 7" in form.why_parts.text()
    for i in range(1, 7):
        form.parts.item(i).setCheckState(Qt.CheckState.Unchecked)
    found.click(found.sheet.open_button)
    assert [layer.name for layer in found.work.layers] == ["coastline"]


def test_datasets_in_a_zip_are_chosen_and_opened(driver, tmp_path):
    path = made.zipped(tmp_path, "delivery.zip", demo.DATA / "vents.kml", demo.DATA / "ash_samples.geojson")
    find = go(driver, tmp_path, "delivery.zip")
    assert driver.rows()["delivery.zip"]["amount"] == "2 datasets"
    driver.find("delivery.zip", "ash_samples.geojson")  # looked at where it lies
    assert find.glance.name.text() == "ash_samples.geojson" and find.glance.picture.frames
    driver.press(find.list, Qt.Key.Key_Return)
    driver.settle()
    assert [layer.ref.path for layer in driver.work.layers] == [path / "ash_samples.geojson"]
    driver.work.remove(driver.work.layers[0].id)
    driver.window.show_page("find")
    driver.find("delivery.zip")
    driver.press(find.list, Qt.Key.Key_Return)
    driver.settle()
    driver.click(driver.sheet.open_button)
    assert {layer.ref.path for layer in driver.work.layers} == {path / "vents.kml", path / "ash_samples.geojson"}


def test_a_scene_opens_by_its_metadata_and_its_composites_are_switched(driver):
    find = go(driver, demo.DATA / "MERIDEL3_20310624", "MERIDEL3_20310624_META.txt")
    driver.press(find.list, Qt.Key.Key_Return)
    driver.settle()
    layer = driver.work.subject
    assert layer.part == "visible to shortwave" and layer.style.bands == (3, 2, 1)
    driver.press(driver.canvas, Qt.Key.Key_S)
    driver.settle()
    rows = driver.window.desk.style_form
    from PyQt6.QtWidgets import QCheckBox, QComboBox

    natural = driver.canvas.grab().toImage()
    preset = rows.findChild(QComboBox, "preset")
    driver.choose(preset, "colour infrared")
    assert driver.work.subject.style.bands == (4, 3, 2) and driver.canvas.grab().toImage() != natural
    driver.choose(rows.findChild(QComboBox, "quantity"), "reflectance")
    layer = driver.work.subject
    assert (layer.part, layer.ref.quantity) == ("visible to shortwave", "reflectance")
    part = driver.window.session.cache.raster(layer.ref)
    stored = driver.window.session.cache.raster(layer.ref.with_part("visible to shortwave"))
    x, y = 506_000.0, 5_772_000.0
    from brisk_atlas.core.model import Extent

    spot = Extent(x, y, x + 30, y + 30, "EPSG:32727")
    a, b = part.native(spot, bands=(4,)), stored.native(spot, bands=(4,))
    assert a.values[0, 0, 0] == pytest.approx(b.values[0, 0, 0] * 2e-5 - 0.1, abs=1e-6)
    before = driver.canvas.frames[0][0].copy()
    driver.click(rows.findChild(QCheckBox, "mask cloud"), (8, 8))
    assert driver.work.subject.style.mask == ("quality", 1, (4,))
    after = driver.canvas.frames[0][0]
    clear = sum(after.pixelColor(i, j).alpha() == 0 < before.pixelColor(i, j).alpha()
                for i in range(0, after.width(), 4) for j in range(0, after.height(), 4))  # fmt: skip
    assert clear > 50
    driver.command("undo")
    assert driver.work.subject.style.mask is None


def test_a_project_opens_from_the_list(found):
    found.find("tolvane.brisk.json")
    found.press(found.window.find_page.list, Qt.Key.Key_Return)
    found.settle()
    assert found.work.file == demo.PROJECT and len(found.work.layers) > 8
    assert found.window.session.shelves.projects == [demo.PROJECT]


# Bad input


def test_a_folder_of_damaged_files_lists_whole_each_with_its_reason(driver, tmp_path):
    for number, path in enumerate(sorted(p for p in demo.DATA.iterdir() if p.is_file() and p.suffix != ".xml")):
        (tmp_path / f"cut {number}{path.suffix}").write_bytes(path.read_bytes()[: 30 + 7 * number])
    (tmp_path / "empty.tif").write_bytes(b"")
    shutil.copy(demo.DATA / "vents.kml", tmp_path / "good.kml")
    locked = tmp_path / "locked.tif"
    locked.write_bytes(b"II*\0")
    locked.chmod(stat.S_IWUSR)
    find = go(driver, tmp_path)
    rows = driver.rows()
    assert rows["good.kml"]["amount"] == "8 features"
    bad = {n: r for n, r in rows.items() if n.startswith(("cut", "empty", "locked")) and not n.endswith(".csv")}
    assert len(bad) > 8 and all(r["kind"] == "fault" and r["remarks"] for r in bad.values())
    driver.find("empty.tif")
    assert "the file is empty" in find.glance.picture.words and not find.glance.open_button.isVisible()


def test_a_folder_that_is_not_there_is_a_notice(driver, tmp_path):
    driver.type(driver.window.find_page.path_line, str(tmp_path / "gone"))
    assert "gone" in driver.window.notice.text.text()


def test_a_file_that_brings_libraries_down_is_not_opened_in_the_window(driver, tmp_path):
    from brisk_atlas.core.find.listing import entry_of
    from brisk_atlas.core.find.summary import faulty

    path = shutil.copy(demo.DATA / "vents.kml", tmp_path / "vents.kml")
    row = faulty(
        at(path), "the library that reads it broke down on it (SIGSEGV)", "Ask for it again.", 1, "", danger=True
    )
    driver.window.session.catalogue.store(tmp_path, [(entry_of(path), row)])  # as a child that died leaves it
    find = go(driver, tmp_path, "vents.kml")
    assert driver.rows()["vents.kml"]["kind"] == "fault" and "broke down" in find.glance.picture.words
    assert not find.glance.open_button.isVisible()
    driver.open(path)
    assert driver.work.layers == () and "broke down on it (SIGSEGV)" in driver.window.notice.text.text()


def test_rows_are_dragged_to_the_desk(found):
    find, window = found.window.find_page, found.window
    found.find("vents.kml")
    mime = find.list.rows.mimeData([find.list.currentIndex()])
    assert [url.toLocalFile() for url in mime.urls()] == [str(demo.DATA / "vents.kml")]
    desk = window.bar.page_buttons.button(1)
    at = desk.mapTo(window, desk.rect().center())
    left, nothing = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(window, QDragEnterEvent(at, Qt.DropAction.CopyAction, mime, left, nothing))
    QApplication.sendEvent(window, QDragMoveEvent(at, Qt.DropAction.CopyAction, mime, left, nothing))
    assert window.page == "desk"
    QApplication.sendEvent(window, QDropEvent(QPointF(500, 400), Qt.DropAction.CopyAction, mime, left, nothing))
    found.settle()
    assert [layer.name for layer in found.work.layers] == ["vents"]
