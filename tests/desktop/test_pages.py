"""Find, Record and Hand over, by mouse and keys."""

from __future__ import annotations

import shutil
import stat

import pyogrio
import pytest
import rasterio
from PyQt6.QtCore import Qt

from brisk_atlas import demo

CTRL = Qt.KeyboardModifier.ControlModifier


def row(find, name):
    items = [find.list.topLevelItem(i) for i in range(find.list.topLevelItemCount())]
    return next(item for item in items if item.text(0) == name)


@pytest.fixture
def found(driver):
    driver.window.find_page.go_to(demo.DATA)
    driver.settle()
    return driver


# Find


def test_the_list_tells_the_facts_of_each_dataset(found, truth):
    find = found.window.find_page
    assert row(find, "elevation_2029.tif").text(2) == "1,024 x 900 cells"
    assert row(find, "ash_samples.geojson").text(3) == "EPSG:4326"
    assert row(find, "gas_readings.parquet").text(2) == f"{truth['counts']['gas_readings']:,} rows"
    assert row(find, "tolvane.brisk.json").text(1) == "project" and row(find, "tolvane.brisk.json").text(2).endswith(
        "layers"
    )
    survey = row(find, "tolvane_survey.gpkg")
    assert survey.childCount() == 7 and survey.child(1).text(0) == "lava_flows" and survey.child(1).text(1) == "polygon"


def test_filter_as_you_type_also_by_what_is_inside(found):
    find = found.window.find_page
    found.type(find.filter, "lava", enter=False)
    shown = [i.text(0) for i in find._items() if not i.isHidden()]
    assert shown == ["tolvane_survey.gpkg"] and find.glance.name.text() == "tolvane_survey.gpkg"


def test_the_glance_of_a_grid_a_table_and_a_part(found):
    find, glance = found.window.find_page, found.window.find_page.glance
    find.list.setCurrentItem(row(find, "elevation_2031.tif"))
    found.settle()
    assert not glance.picture.pixmap().isNull() and "Tolvane Survey Office" in glance.record.toPlainText()
    assert "metadata record" in glance.members.toPlainText()
    find.list.setCurrentItem(row(find, "gas_readings.parquet"))
    found.settle()
    assert "it has no geometry" in glance.picture.text() and "so2_ppm (float)" in glance.facts.toPlainText()
    find.list.setCurrentItem(row(find, "tolvane_survey.gpkg").child(6))
    found.settle()
    assert glance.name.text() == "tolvane_survey.gpkg · closed_zones" and "features" in glance.facts.toPlainText()
    assert found.work.layers == ()  # nothing was opened by looking


def test_enter_opens_a_folder_or_a_part(found):
    find = found.window.find_page
    find.list.setCurrentItem(row(find, "boreholes"))
    found.press(find.list, Qt.Key.Key_Return)
    found.settle()
    assert find.folder == demo.DATA / "boreholes" and row(find, "tg-1.las").text(2) == "1,241 rows"
    found.press(find.list, Qt.Key.Key_Backspace)
    found.settle()
    assert find.folder == demo.DATA and find.list.currentItem().text(0) == "boreholes"
    find.list.setCurrentItem(row(find, "tolvane_survey.gpkg").child(2))
    found.press(find.list, Qt.Key.Key_Return)
    found.settle()
    assert [layer.name for layer in found.work.layers] == ["fissures"] and found.window.page == "desk"


def test_pinning_by_key_and_going_there_by_click(found, tmp_path):
    find, shelves = found.window.find_page, found.window.session.shelves
    found.press(found.window, Qt.Key.Key_D, CTRL)
    assert shelves.pinned == [demo.DATA]
    (tmp_path / "bare").mkdir()
    find.go_to(tmp_path / "bare")
    found.settle()
    assert "Nothing here" in find.count.text()
    at = next(i for i in range(find.shelves.count()) if find.shelves.item(i).text().strip() == demo.DATA.name)
    rect = find.shelves.visualItemRect(find.shelves.item(at))
    found.click(find.shelves.viewport(), (rect.center().x(), rect.center().y()))
    assert find.folder == demo.DATA
    found.press(found.window, Qt.Key.Key_D, CTRL)
    assert shelves.pinned == []


def test_a_folder_of_damaged_files_lists_whole_each_with_its_reason(driver, tmp_path):
    for number, path in enumerate(sorted(p for p in demo.DATA.iterdir() if p.is_file() and p.suffix != ".xml")):
        (tmp_path / f"cut {number}{path.suffix}").write_bytes(path.read_bytes()[: 30 + 7 * number])
    (tmp_path / "empty.tif").write_bytes(b"")
    shutil.copy(demo.DATA / "vents.kml", tmp_path / "good.kml")
    locked = tmp_path / "locked.tif"
    locked.write_bytes(b"II*\0")
    locked.chmod(stat.S_IWUSR)
    find = driver.window.find_page
    find.go_to(tmp_path)
    driver.settle()
    assert row(find, "good.kml").text(2) == "8 features"
    bad = [
        item
        for item in find._items()
        if item.text(0).startswith(("cut", "empty", "locked")) and not item.text(0).endswith((".csv",))
    ]
    assert len(bad) > 8 and all(item.text(1) == "can't be read" and item.text(6) for item in bad)
    find.list.setCurrentItem(row(find, "empty.tif"))
    driver.settle()
    assert "the file is empty" in find.glance.summary.text() and not find.glance.open_button.isVisible()


def test_a_folder_that_is_not_there_is_a_notice(driver, tmp_path):
    driver.type(driver.window.find_page.path_line, str(tmp_path / "gone"))
    assert "gone" in driver.window.notice.text.text()


def test_a_project_opens_from_the_list(found):
    find = found.window.find_page
    find.list.setCurrentItem(row(find, "tolvane.brisk.json"))
    found.press(find.list, Qt.Key.Key_Return)
    found.settle()
    assert found.work.file == demo.PROJECT and len(found.work.layers) > 8


# Record


def test_the_record_of_what_find_sent(found):
    find = found.window.find_page
    find.list.setCurrentItem(row(find, "ash_samples.geojson"))
    found.settle()
    found.click(find.glance.record_button)
    page = found.window.record
    assert found.window.page == "record" and page.title.text() == "ash_samples.geojson"
    assert "things not said" in page.said.text() and "not said" in page.reading.toPlainText()
    assert any("not said" in page.outline.item(i).text() for i in range(page.outline.count()))


def test_a_standard_that_is_not_read_yet_is_said_so(demo_driver):
    d = demo_driver
    d.work.choose(d.layer("sea floor").id)
    d.press(d.window, Qt.Key.Key_3, CTRL)
    d.settle()
    assert "ISO 19115-3" in d.window.record.said.text() and "not read yet" in d.window.record.said.text()


def test_the_outline_leads_to_its_section(demo_driver):
    d = demo_driver
    d.press(d.window, Qt.Key.Key_3, CTRL)
    d.settle()
    page = d.window.record
    last = page.outline.item(page.outline.count() - 1)
    rect = page.outline.visualItemRect(last)
    d.click(page.outline.viewport(), (rect.center().x(), rect.center().y()))
    assert page.reading.verticalScrollBar().value() > 0


# Hand over


def test_a_grid_as_the_map_shows_it(demo_driver, tmp_path):
    d = demo_driver
    d.work.choose(d.layer("elevation_2029").id)
    d.canvas.look_at_centre(508_700, 5_771_900, 2.0, "EPSG:32727")
    d.settle()
    d.press(d.window, Qt.Key.Key_E, CTRL)
    page = d.window.handover
    assert not page.form.isRowVisible(1)  # a grid has no rows
    page.extent.setCurrentText("what the map shows")
    d.type(page.path, str(tmp_path / "piece"), enter=False)
    d.click(page.go)
    with rasterio.open(tmp_path / "piece.tif") as made:
        seen = d.canvas.view.extent
        assert abs(made.bounds.left - seen.xmin) <= 10 and abs(made.bounds.top - seen.ymax) <= 10
        assert "1 band" in page.result.text()


def test_picked_rows_and_chosen_fields(demo_driver, tmp_path):
    d = demo_driver
    d.work.choose(d.layer("closed_zones").id)
    d.click(d.canvas, d.at(508_700, 5_771_900))
    d.press(d.window, Qt.Key.Key_E, CTRL)
    page = d.window.handover
    page.rows.setCurrentText("picked rows (1)")
    page.fields.item(0).setCheckState(Qt.CheckState.Unchecked)
    page.format.setCurrentText("GeoJSON")
    assert "EPSG:4326" in page.note.text()
    d.type(page.path, str(tmp_path / "zone.geojson"), enter=False)
    d.click(page.go)
    info = pyogrio.read_info(tmp_path / "zone.geojson", force_feature_count=True)
    assert info["features"] == 1 and "zone" not in info["fields"] and "name" in info["fields"]


def test_a_wrong_crs_is_told_while_typing_and_can_not_be_used(demo_driver):
    page = demo_driver.window.handover
    demo_driver.press(demo_driver.window, Qt.Key.Key_E, CTRL)
    demo_driver.type(page.crs, "EPSG:12", enter=False)
    assert "not a coordinate reference system" in page.crs_said.text() and not page.go.isEnabled()
    demo_driver.type(page.crs, "EPSG:4326", enter=False)
    assert page.crs_said.text() == "WGS 84 (EPSG:4326)" and page.go.isEnabled()


def test_a_folder_that_takes_no_file_is_told_and_the_page_goes_on(demo_driver, tmp_path):
    d, page = demo_driver, demo_driver.window.handover
    d.press(d.window, Qt.Key.Key_E, CTRL)
    d.type(page.path, str(tmp_path / "nowhere" / "x.gpkg"), enter=False)
    d.click(page.go)
    assert "x.gpkg" in page.result.text() and page.go.isEnabled() and not page.open_result.isVisible()


def test_a_source_that_is_open_is_never_written_over(demo_driver):
    d, page = demo_driver, demo_driver.window.handover
    d.press(d.window, Qt.Key.Key_E, CTRL)
    before = (demo.DATA / "tolvane_survey.gpkg").read_bytes()
    d.type(page.path, str(demo.DATA / "tolvane_survey.gpkg"), enter=False)
    d.click(page.go)
    assert "originals are read-only" in page.result.text()
    assert (demo.DATA / "tolvane_survey.gpkg").read_bytes() == before


def test_a_wrong_condition_is_told(demo_driver, tmp_path):
    d, page = demo_driver, demo_driver.window.handover
    d.press(d.window, Qt.Key.Key_E, CTRL)
    page.rows.setCurrentText("rows where…")
    d.type(page.where, "nofield = 1", enter=False)
    d.type(page.path, str(tmp_path / "x.gpkg"), enter=False)
    d.click(page.go)
    assert "nofield" in page.result.text() and not (tmp_path / "x.gpkg").exists()
