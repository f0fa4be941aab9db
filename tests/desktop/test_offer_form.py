"""Offering from the window: what of a grid is handed out and how, and a record of data that are elsewhere."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt

from brisk_atlas import demo
from brisk_atlas.core.depot.postings.outlet_ways import ALL_SERVICES, OfferedService
from brisk_atlas.core.workspace.plates import Album, Passage

RECORD = demo.DATA / "tolvane_survey.gpkg.xml"


@pytest.fixture
def depot(driver, qtbot):
    """The Depot half of Hand over, with a grid on the Desk."""
    driver.open(demo.DATA / "elevation_2031.tif")
    driver.window.show_page("desk")
    qtbot.waitUntil(lambda: driver.window.desk.map.canvas.view is not None, timeout=60_000)
    driver.window.show_page("handover")
    driver.click(driver.window.handover.to_depot)
    return driver.window.handover.depot


def tick(driver, qtbot, button, words):
    """Tick something in the menu of a button by the mouse, and close the menu."""
    menu = button.menu()
    menu.popup(button.mapToGlobal(QPoint(0, button.height())))
    qtbot.waitUntil(menu.isVisible, timeout=60_000)
    for action in menu.actions():
        if action.text().partition(":")[0] in words:
            qtbot.mouseMove(menu, menu.actionGeometry(action).center())
            qtbot.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
            assert menu.isVisible()  # further ones can be ticked
    qtbot.keyClick(menu, Qt.Key.Key_Escape)


def test_a_part_of_a_grid_is_offered_as_a_picture_alone(driver, depot, qtbot):
    driver.click(depot.offer)
    qtbot.waitUntil(lambda: len(depot.form.columns) == 2 and depot.form.offer.isEnabled(), timeout=60_000)
    public = depot.form.columns[1]
    assert not public.fields.isVisible() and public.bands.isVisible() and public.services.text() == "all services"
    driver.click(public.of_view)
    assert public.area.text().count(",") == 3
    driver.type(public.area, "506000, 5769000, 508000")
    qtbot.waitUntil(lambda: "xmin, ymin" in public.seen.text() and not depot.form.offer.isEnabled(), timeout=60_000)
    driver.type(public.area, "506000, 5769000, 508000, 5771500")
    tick(driver, qtbot, public.services, ("coverages", "catalogue"))
    tick(driver, qtbot, public.downloads, ("the file",))
    assert (public.services.text(), public.downloads.text()) == ("maps", "no files")
    qtbot.waitUntil(lambda: "what is chosen of it" in public.seen.text(), timeout=60_000)
    driver.click(depot.form.offer)
    qtbot.waitUntil(lambda: depot.tree.topLevelItemCount() == 1, timeout=60_000)
    found = {each.title: each for each in depot.listed[0].outlets}
    seen = found["elevation_2031"]
    assert seen.area == (506000, 5769000, 508000, 5771500) and seen.downloads == ()
    assert OfferedService.MAPS in seen.services and not {OfferedService.COVERAGES, OfferedService.CATALOGUE} & set(
        seen.services
    )
    assert found["elevation_2031 for team"].services == ALL_SERVICES
    depot.tree.setCurrentItem(depot.tree.topLevelItem(0).child(0))
    qtbot.waitUntil(lambda: "Within:" in depot.detail.words.text() and "By: maps" in depot.detail.words.text())
    driver.click(depot.change)
    qtbot.waitUntil(lambda: len(depot.form.columns) == 2, timeout=60_000)
    again = next(each for each in depot.form.columns if each.title.text() == "elevation_2031")
    assert again.wished() == seen


def test_a_record_is_offered_without_its_data(driver, depot, qtbot):
    driver.click(depot.offer)
    qtbot.waitUntil(lambda: bool(depot.form.columns), timeout=60_000)
    depot.form.offer_record(RECORD)
    qtbot.waitUntil(lambda: len(depot.form.columns) == 1 and depot.form.offer.isEnabled(), timeout=60_000)
    (public,) = depot.form.columns
    assert not public.downloads.isVisible() and not public.area.isVisible() and not public.where.isVisible()
    title = depot.form.title.text()
    assert title and depot.form.summary.text()
    driver.click(depot.form.offer)
    qtbot.waitUntil(lambda: depot.tree.topLevelItemCount() == 1, timeout=60_000)
    posting = depot.listed[0].posting
    assert posting.is_record and posting.title == title and "Tolvane" in posting.record


def test_the_album_is_offered_as_a_page(driver, depot, qtbot):
    work = driver.work
    work.change_album("album", Album("Mount Serrick", "What changed", (Passage("a", "Before", "Text"),)))
    driver.click(depot.offer)
    qtbot.waitUntil(lambda: bool(depot.form.columns), timeout=60_000)
    driver.choose(depot.form.which, "The album: Mount Serrick")
    depot.form.which.activated.emit(depot.form.which.currentIndex())
    qtbot.waitUntil(lambda: len(depot.form.columns) == 1 and depot.form.offer.isEnabled(), timeout=60_000)
    driver.settle()
    (public,) = depot.form.columns
    assert not public.area.isVisible() and public.downloads.isVisible() and depot.form.title.text() == "Mount Serrick"
    driver.click(depot.form.offer)
    qtbot.waitUntil(lambda: depot.tree.topLevelItemCount() == 1, timeout=60_000)
    posting = depot.listed[0].posting
    assert posting.is_album and b"<h2>Before</h2>" in depot.store.file_of(posting).read_bytes()
