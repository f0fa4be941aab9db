"""Checking the subject's data from the window: the report, and the way from a finding to its rows and places."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import rasterio
import shapely
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog
from rasterio.transform import from_origin

from brisk_atlas.core.record.document import read_document
from brisk_atlas.desktop.reading_again import read_again
from brisk_atlas.desktop.trust.trust_window import TrustWindow

UTM, E0, N0 = "EPSG:32727", 510_000.0, 5_770_000.0


@pytest.fixture
def checked(driver, tmp_path):
    """Zones, of which one is there twice and one is not valid, checked with the key."""
    shapes = [shapely.box(E0 + 200 * n, N0, E0 + 200 * n + 150, N0 + 150) for n in range(12)]
    shapes.append(shapes[4])
    x = E0 + 5_000
    shapes.append(shapely.from_wkt(f"POLYGON (({x} {N0}, {x + 90} {N0 + 90}, {x + 90} {N0}, {x} {N0 + 90}, {x} {N0}))"))
    table = pa.table({"name": [f"zone {n}" for n in range(12)] + ["zone 4", "bow"],
                      "geometry": pa.array(shapely.to_wkb(np.array(shapes)))})  # fmt: skip
    path = tmp_path / "zones.gpkg"
    pyogrio.write_arrow(table, path, driver="GPKG", layer="zones", geometry_name="geometry", geometry_type="Polygon",
                        crs=UTM)  # fmt: skip
    driver.open(path)
    driver.window.show_page("desk")
    driver.settle()
    driver.press(driver.window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    driver.settle()
    panel = driver.window.findChild(TrustWindow)
    assert panel is not None and panel.isVisible()
    return driver, panel


def line_with(panel, words):
    return next(panel.list.item(n) for n in range(panel.list.count()) if words in panel.list.item(n).text())


def test_the_worst_stands_first_and_what_was_not_found_is_named(checked):
    _, panel = checked
    assert panel.name.text() == "zones" and panel.summary.text().startswith("2 faults")
    assert all(panel.list.item(n).text().startswith("✕") for n in range(2))
    assert "no gaps" in panel.passed.text() and "valid geometry" not in panel.passed.text()


def test_a_finding_goes_to_its_place_and_picks_its_rows(checked):
    driver, panel = checked
    canvas = driver.window.desk.map.canvas
    panel.list.setCurrentItem(line_with(panel, "not valid"))
    driver.click(panel.on)
    driver.settle()
    assert (canvas.view.x, canvas.view.y) == pytest.approx((E0 + 5_045, N0 + 45)) and canvas.view.resolution < 2.0
    driver.click(panel.rows)
    driver.settle()
    assert driver.work.picks.rows == (13,)
    panel.list.setCurrentItem(line_with(panel, "second time"))
    driver.click(panel.rows)
    assert driver.work.picks.rows == (12,)


def test_what_was_mended_is_gone_when_it_is_looked_at_again(checked, tmp_path):
    driver, panel = checked
    layer = driver.work.layers[0]
    table = pyogrio.read_arrow(layer.ref.place)[1]
    pyogrio.write_arrow(table.slice(0, 12), layer.ref.place, driver="GPKG", layer="zones", geometry_name="geom",
                        geometry_type="Polygon", crs=UTM)  # fmt: skip
    read_again(driver.window.session, [layer])
    driver.settle()
    driver.click(panel.again)
    driver.settle()
    assert panel.list.count() == 0 and not panel.record.isEnabled()
    assert panel.summary.text().startswith("Nothing wrong")


def test_what_was_found_goes_into_a_record(checked, tmp_path, monkeypatch):
    driver, panel = checked
    record = tmp_path / "zones_checked.xml"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *given: (str(record), ""))
    driver.click(panel.record)
    driver.settle()
    assert any("not valid" in each.report for each in read_document(record).record.quality)


def test_what_was_found_is_a_page_too(checked, tmp_path, monkeypatch):
    driver, panel = checked
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *given: (str(tmp_path / "found"), ""))
    driver.click(panel.page)
    driver.settle()
    assert "not valid: Self-intersection" in (tmp_path / "found.html").read_text()


def test_places_of_a_grid_are_gone_through_one_by_one(driver, tmp_path):
    x = np.tile(np.arange(80), (60, 1))
    values = (100 + 20 * np.sin(x / 12) + np.random.default_rng(1).normal(0, 0.05, x.shape)).astype(np.float32)
    values[20, 30] += 70
    values[40, 50] += 70
    path = tmp_path / "surface.tif"
    with rasterio.open(path, "w", driver="GTiff", width=80, height=60, count=1, dtype="float32", crs=UTM,
                       transform=from_origin(E0, N0, 10, 10)) as out:  # fmt: skip
        out.write(values, 1)
    driver.open(path)
    driver.window.show_page("desk")
    driver.settle()
    driver.window.commands.do("trust")
    driver.settle()
    panel, canvas = driver.window.findChild(TrustWindow), driver.window.desk.map.canvas
    panel.list.setCurrentItem(line_with(panel, "2 spikes"))
    assert panel.where.text() == "2 places" and not panel.rows.isVisible()
    seen = []
    for _ in range(3):
        driver.click(panel.on)
        driver.settle()
        seen.append((round(canvas.view.x - E0), round(N0 - canvas.view.y)))
    assert seen == [(305, 205), (505, 405), (305, 205)] and panel.where.text() == "1 of 2"
    driver.click(panel.back)
    assert panel.where.text() == "2 of 2"
    assert canvas.view.resolution <= 10 / 6 + 0.01
