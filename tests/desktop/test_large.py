"""Layers that take a while: what the window shows until all of it is there."""

from __future__ import annotations

import numpy as np
import pyogrio
import pytest
import rasterio
import shapely
from PyQt6.QtCore import Qt
from rasterio.transform import from_origin

from brisk_atlas.core.cache import by_view
from brisk_atlas.core.draw import View, cloud, legend
from brisk_atlas.core.draw.frame import Frame
from brisk_atlas.core.read import pyramid

UTM = "EPSG:32727"


def seen_notes(driver):
    """Return a list that gathers what the map's bar says from now on."""
    said = []
    driver.window.desk.map.renderer.drawn.connect(lambda frames: said.append(driver.window.desk.map.message.text()))
    return said


@pytest.fixture
def wide(tmp_path, monkeypatch):
    monkeypatch.setattr(pyramid, "MANY_CELLS", 10_000)
    path = tmp_path / "wide.tif"
    values = np.arange(3000 * 4000, dtype=np.float32).reshape(3000, 4000)
    how = {"driver": "GTiff", "height": 3000, "width": 4000, "count": 1, "dtype": "float32", "crs": UTM}
    with rasterio.open(path, "w", transform=from_origin(504_000, 5_776_000, 2, 2), **how) as out:
        out.write(values, 1)
    return path


def test_a_grid_without_overviews_fills_up_and_says_so(driver, wide):
    assert driver.window.desk is not None
    said = seen_notes(driver)
    driver.open(wide)
    assert any("coarse while an overview is made" in text for text in said)
    assert driver.window.desk.map.message.text() == ""
    image = driver.canvas.frames[0][0]
    assert image.pixelColor(image.width() // 2, image.height() // 2).alpha() == 255
    tile = driver.window.desk.spine.thumbs[driver.layer("wide").id][1]
    assert tile.pixelColor(tile.width() // 2, tile.height() // 2).alpha() == 255


def test_the_glance_has_an_overview_made_and_looks_again(driver, wide):
    find = driver.window.find_page
    find.go_to(wide.parent, choose="wide.tif")
    driver.settle()
    image = find.glance.picture.frames[0][0]
    assert image.pixelColor(image.width() // 2, image.height() // 2).alpha() == 255
    driver.open(wide)  # and what was made for the glance serves the map
    assert driver.window.desk.map.message.text() == ""


def test_a_cloud_is_seen_in_part_and_then_in_full(driver, data, monkeypatch):
    for module in (cloud, legend):
        monkeypatch.setattr(module, "AT_ONCE", 50_000)
    assert driver.window.desk is not None
    said = seen_notes(driver)
    driver.open(data / "harrow_bay_2031.laz")
    assert any("1 in 6 points while the rest is read" in text for text in said)
    assert "while" not in driver.window.desk.map.message.text()
    assert len(driver.window.session.cache.points(driver.layer("harrow_bay_2031").ref)) == 300_000


def test_a_stream_says_what_is_left_out_and_has_all_its_rows(driver, tmp_path, monkeypatch):
    monkeypatch.setattr(by_view, "MOST_HELD", 1000)
    monkeypatch.setattr(by_view, "SAMPLED", 400)
    monkeypatch.setattr(by_view, "BY_VIEW", 600)
    x, y = (a.ravel() * 100.0 + b for a, b in zip(np.meshgrid(np.arange(80), np.arange(50)), (500_000, 5_770_000)))
    path = tmp_path / "crowd.gpkg"
    wkb = shapely.to_wkb(shapely.box(x, y, x + 50, y + 50))
    pyogrio.raw.write(path, wkb, [np.arange(4000)], ["n"], crs=UTM, geometry_type="Polygon", driver="GPKG")
    driver.open(path)
    assert driver.window.desk.map.message.text() == "crowd: 1 in 10 features at this scale"
    driver.canvas.look(View(500_325, 5_770_025, 0.5, 10, 10, UTM))
    driver.settle()
    assert driver.window.desk.map.message.text() == "crowd: read by view"
    driver.click(driver.canvas, (driver.canvas.width() // 2, driver.canvas.height() // 2))
    tree = driver.window.desk.probe.tree
    assert tree.topLevelItem(0).text(0) == "crowd" and tree.topLevelItem(0).child(0).text(1) == "3"
    driver.press(driver.canvas, Qt.Key.Key_T)
    driver.settle()
    drawer = driver.window.desk.sheet
    assert len(drawer.sheet) == 4000 and drawer.sheet.values(3998, 2, ["n"])["n"] == [3998, 3999]
    assert "not tied to the map" in drawer.filter_line.count.toolTip() and not drawer.tools.button["go"].isEnabled()
    driver.type(drawer.filter_line.edit, "n % 2 = 0")
    assert drawer.filter_line.count.text() == "2,000 of 4,000 rows"


def test_a_frame_that_is_not_finished_lies_over_the_last_whole_one(demo_driver):
    canvas = demo_driver.canvas
    whole = canvas.grab().toImage()
    view = canvas.wanted_view()
    image = np.zeros((view.height, view.width, 4), np.uint8)
    image[:60, :60] = (255, 0, 0, 255)
    canvas.show_begun(Frame(image, view))
    begun = canvas.grab().toImage()
    assert begun.pixelColor(30, 30).name() == "#ff0000"
    assert begun.pixelColor(400, 300) == whole.pixelColor(400, 300)
    canvas.show_frames([Frame(image, view)])
    assert canvas.grab().toImage().pixelColor(400, 300).name() == canvas.theme.paper.lower()
    demo_driver.window.desk.map.draw()
    demo_driver.settle()
