"""Links to views: copied on one Desk, the same view on another; nothing is reached that was not allowed."""

from __future__ import annotations

import shutil

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication, QImage

from brisk_atlas import demo
from brisk_atlas.core.depot.offering import offer_album
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet
from brisk_atlas.core.depot.postings.rights import EVERYBODY, Right
from brisk_atlas.core.depot.serving import free_port, running_postings
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.operations import WriteAlbum
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.workspace.named_places import NamedPlace
from brisk_atlas.core.workspace.shared_views import SharedView
from brisk_atlas.core.workspace.view_link import ViewLink
from brisk_atlas.desktop.app import _begin
from brisk_atlas.desktop.view_links import _show_views, applications_folder
from stand_in import demo_server


def seen(driver):
    view = driver.canvas.view
    return view.crs, view.turn, view.extent.centre, view.resolution * view.height


def test_a_copied_link_brings_the_same_view_back(driver, qtbot):
    driver.open(demo.DATA / "elevation_2031.tif")
    driver.open(demo.DATA / "tolvane_survey.gpkg", part="lava_flows")
    driver.window.desk.map.canvas.look_at_centre(511_000, 5_769_500, 6.0, "EPSG:32727")
    driver.settle()
    before, shown = seen(driver), [layer.ref for layer in driver.work.layers]
    driver.window.commands.do("copy_link")
    link = QGuiApplication.clipboard().text()
    assert "2 layers" in driver.window.notice.text.text()
    driver.window.session.work.load(type(driver.work.state)(), None, None)
    driver.settle()
    assert not driver.work.layers
    _begin(driver.window, [link], None)
    qtbot.waitUntil(lambda: {layer.ref for layer in driver.work.layers} == set(shown), timeout=60_000)
    driver.settle()
    assert driver.window.page == "desk"
    crs, turn, centre, high = seen(driver)
    assert (crs, turn) == before[:2] and centre == pytest.approx(before[2]) and high == pytest.approx(before[3])
    driver.window.desk.map.canvas.look_at_centre(505_000, 5_765_000, 20.0, "EPSG:32727")
    _begin(driver.window, [link], None)  # what is open is shown at once
    driver.settle()
    assert seen(driver)[2] == pytest.approx(before[2]) and len(driver.work.layers) == 2


def test_a_link_reaches_no_host_unasked_and_a_damaged_one_is_said(driver, qtbot):
    asked = []
    driver.window.session.permission_wanted.disconnect()
    driver.window.session.permission_wanted.connect(asked.append)
    with demo_server() as (_, server):
        link = ViewLink.parse("brisk-atlas:view?x=1&y=2&resolution=4&width=840&height=480&layer="
                              f"ogcapi%2B{server.address}%23lava_flows")  # fmt: skip
        _begin(driver.window, [str(link)], None)
        qtbot.waitUntil(lambda: bool(asked), timeout=60_000)
        driver.settle()
        assert not server.log and not driver.work.layers
    with qtbot.waitSignal(
        driver.window.session.noticed,
        check_params_cb=lambda mood, text, details: "names no place" in text,
        timeout=60_000,
    ):
        _begin(driver.window, [str(link).replace("resolution=4.0", "resolution=0.0")], None)


def test_links_are_registered_with_the_desktop_of_the_machine(driver, qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    tool, noted = tmp_path / "xdg-mime", tmp_path / "noted"
    tool.write_text(f'#!/bin/sh\necho "$@" > {noted}\n')
    tool.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:{shutil.os.environ['PATH']}")
    driver.window.commands.do("register_links")
    driver.settle()
    entry = (applications_folder() / "brisk-atlas.desktop").read_text()
    assert "x-scheme-handler/brisk-atlas;" in entry and "-m brisk_atlas %U" in entry
    assert noted.read_text().split() == ["default", "brisk-atlas.desktop", "x-scheme-handler/brisk-atlas"]
    assert "Links open with Brisk Atlas" in driver.window.notice.text.text()


def test_the_address_of_an_album_opens_its_views_again(driver, qtbot, tmp_path):
    store = DepotStore(tmp_path / "depot")
    with demo_server() as (_, server):
        driver.window.session.open_files([f"ogcapi+{server.address}#lava_flows"])
        qtbot.waitUntil(lambda: len(driver.work.layers) == 1, timeout=60_000)
        driver.window.show_page("desk")
        driver.settle()
        plates = []
        for place in ((511_000, 5_769_500, 6.0), (509_000, 5_770_500, 3.0)):
            driver.window.notice.dismiss()  # the map is as high without it each time
            driver.canvas.look_at_centre(*place, "EPSG:32727")
            driver.settle()
            before = seen(driver), pixels(driver.canvas)
            driver.press(driver.canvas, Qt.Key.Key_F9)
            qtbot.waitUntil(lambda: len(driver.work.state.album.items) > len(plates), timeout=60_000)
            plates.append(before)
        WriteAlbum(tmp_path / "album.html").run(driver.window.session.workspace)
        outlet = Outlet("for_all", "", "For all", (), ((EVERYBODY, frozenset({Right.READ})),))
        offer_album(store, tmp_path / "album.html", "Serrick", "What changed", [outlet], by="local")
        driver.work.load(type(driver.work.state)(), None, None)
        driver.settle()
        with running_postings(store, "Tolvane Depot") as address:
            driver.window.session.open_files([f"{address}/pages/for_all"])
            qtbot.waitUntil(lambda: len(driver.work.layers) == 1, timeout=60_000)
            driver.settle()
            assert driver.window.page == "desk" and len(driver.work.state.places) == 2
            assert "2 views" in driver.window.notice.text.text()
            driver.window.notice.dismiss()
            driver.settle()
            for (before, picture), stored in zip(plates, driver.work.state.places):
                driver.window.desk.spots.go_to_place(stored)
                driver.settle()
                crs, turn, centre, high = seen(driver)
                assert (crs, turn) == before[:2] and centre == pytest.approx(before[2])
                assert high == pytest.approx(before[3])
                assert np.abs(pixels(driver.canvas) - picture).mean() < 1.0
    store.close()


PLACE = NamedPlace("", "", 511_000, 5_769_500, 6.0, 400, 300, "EPSG:32727")
TRAILS, FLOWS = (DataRef.parse(demo.DATA / "tolvane_survey.gpkg").with_part(name) for name in ("trails", "lava_flows"))


def test_a_view_is_shown_though_layers_of_another_one_do_not_come(driver, qtbot):
    allow(("127.0.0.1",))
    gone = DataRef.parse(f"ogcapi+http://127.0.0.1:{free_port()}#nothing")
    _show_views(
        driver.window, (SharedView("Paths", ViewLink(PLACE, (TRAILS,))), SharedView("Gone", ViewLink(PLACE, (gone,))))
    )
    qtbot.waitUntil(lambda: [layer.ref for layer in driver.work.layers] == [TRAILS], timeout=60_000)
    driver.settle()
    assert seen(driver)[2] == pytest.approx((511_000, 5_769_500))
    assert [place.name for place in driver.work.state.places] == ["Paths", "Gone"]


def test_layers_of_other_views_come_hidden(driver, qtbot):
    _show_views(driver.window, tuple(SharedView("", ViewLink(PLACE, (ref,))) for ref in (TRAILS, FLOWS)))
    qtbot.waitUntil(lambda: len(driver.work.layers) == 2, timeout=60_000)
    driver.settle()
    assert {layer.ref: layer.visible for layer in driver.work.layers} == {TRAILS: True, FLOWS: False}


def pixels(widget):
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    data = image.constBits()
    data.setsize(image.sizeInBytes())
    rows = np.frombuffer(data, np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].astype(int)
