"""The Catalogue half of Hand over: a folder becomes a site, and what the next build does is listed before."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices

from brisk_atlas import demo
from brisk_atlas.core.read.permissions import allow
from stand_in import demo_server


@pytest.fixture
def shelf(tmp_path):
    folder = tmp_path / "shelf"
    folder.mkdir()
    for name in ("gas_stations.csv", "ash_samples.geojson", "elevation_2029.tif", "elevation_2029.tif.xml"):
        shutil.copy(demo.DATA / name, folder / name)
    return folder


@pytest.fixture
def view(driver):
    driver.window.commands.do("catalogue")
    driver.settle()
    return driver.window.handover.catalogue


def listed(view):
    return {row[0]: row[1:] for row in view.table.rows.rows}


def test_a_folder_becomes_a_site_and_only_what_changed_is_made_anew(driver, view, shelf, tmp_path, monkeypatch):
    opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(QUrl(url).toLocalFile()))
    assert not view.make.isEnabled() and not view.look.isEnabled()
    out = tmp_path / "site"
    driver.type(view.source.lineEdit(), str(shelf))
    driver.type(view.out, str(out))
    driver.type(view.title, "Tolvane data")
    assert view.head.text() == "3 datasets: 3 new." and {row[-1] for row in listed(view).values()} == {"new"}
    driver.click(view.make)
    assert "3 datasets, 3 built anew" in view.result.text() and "conform" in view.result.text()
    assert view.head.text() == "3 datasets: 3 as they are. 2 without a record: their pages state what the data says."
    assert listed(view)["elevation_2029.tif"] == (
        "Elevation of Tolvane Island before the eruption, 2029",
        "elevation",
        "yes",
        "as it is",
    )
    driver.click(view.look)
    assert opened == [str(out / "index.html")] and "Tolvane data" in Path(opened[0]).read_text()
    (shelf / "gas_stations.csv").write_text("station,longitude,latitude\nG01,-20.9,-38.2\n")
    (shelf / "broken.gpkg").write_bytes(b"SQLite format 3\0nothing")
    view.look_ahead()
    driver.settle()
    assert listed(view)["gas_stations.csv"][-1] == "changed" and listed(view)["broken.gpkg"][-1] == "new"
    driver.click(view.make)
    assert "2 built anew" in view.result.text() and "Left out: broken.gpkg" in view.result.text()
    assert listed(view)["broken.gpkg"][-1].startswith("left out: ")


def test_a_site_that_is_there_says_how_it_was_asked_for(driver, view, shelf, tmp_path):
    out = tmp_path / "site"
    driver.type(view.source.lineEdit(), str(shelf))
    driver.type(view.out, str(out))
    driver.type(view.title, "Tolvane data")
    view.summary.setPlainText("What was measured.")
    driver.type(view.address, "https://data.tolvane.example")
    view.largest.setValue(50)
    driver.click(view.make)
    for line in (view.title, view.address, view.out):
        driver.type(line, "")
    view.site = None
    driver.type(view.out, str(out))
    assert (view.title.text(), view.address.text(), view.largest.value()) == (
        "Tolvane data",
        "https://data.tolvane.example",
        50,
    )
    assert view.summary.toPlainText() == "What was measured." and view.make.text() == "Make the site anew"


def test_what_can_t_be_made_is_said_and_changes_nothing(driver, view, shelf, tmp_path, qtbot):
    driver.type(view.source.lineEdit(), str(tmp_path / "nowhere"))
    driver.type(view.out, str(tmp_path / "site"))
    assert "it is no folder" in view.head.text()
    driver.type(view.source.lineEdit(), str(shelf))
    driver.type(view.address, "data.tolvane.example")
    assert "no address of the web" in view.head.text()
    driver.type(view.address, "")
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "mine.txt").write_text("mine")
    driver.type(view.out, str(tmp_path / "full"))
    with qtbot.waitSignal(
        driver.window.session.noticed,
        check_params_cb=lambda mood, text, details: "something else" in text,
        timeout=60_000,
    ):
        driver.click(view.make)
    assert [each.name for each in (tmp_path / "full").iterdir()] == ["mine.txt"] and view.make.isEnabled()


def test_an_address_is_reached_once_it_was_entered(driver, view, tmp_path, qtbot):
    driver.type(view.out, str(tmp_path / "site"))
    with demo_server() as (_, server):
        allow(("127.0.0.1",))
        address = f"{server.address}/wfs"
        driver.type(view.source.lineEdit(), address, enter=False)
        assert view.head.text().startswith("Press Enter") and not server.log
        driver.press(view.source.lineEdit(), Qt.Key.Key_Return)
        driver.settle()
        assert len(listed(view)) >= 5 and view.head.text().endswith("new.")
        view.build()
        qtbot.waitUntil(lambda: "conform" in view.result.text(), timeout=240_000)
        assert f"{len(listed(view))} datasets" in view.result.text()
    page = next(path for path in (tmp_path / "site" / "datasets").glob("*lava*/index.html"))
    assert "add a WFS layer by this address" in page.read_text() and address in page.read_text()
