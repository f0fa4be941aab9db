"""Hand over, by mouse and keys."""

from __future__ import annotations

import pyogrio
import rasterio
from PyQt6.QtCore import Qt

from brisk_atlas import demo

CTRL = Qt.KeyboardModifier.ControlModifier


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
