"""Settings: what is chosen is used, at once or from the next start, and is there again."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QSettings, Qt

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.workspace import Workspace
from brisk_atlas.desktop.settings.settings_window import SettingsWindow
from brisk_atlas.desktop.settings.stored_settings import (
    MEMORY,
    SCALE,
    SIZE,
    interface_size,
    memory_limit,
    take_interface_size,
    take_memory_limit,
)
from brisk_atlas.desktop.welcome.project_pictures import picture_of, store_picture


@pytest.fixture
def shown(driver):
    driver.settle()
    driver.press(driver.window, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    box = driver.window.findChild(SettingsWindow)
    assert box is not None and box.isVisible()
    return driver, box


def test_colours_and_the_network_are_switched_at_once(shown):
    driver, box = shown
    assert not box.night.isChecked() and not box.no_network.isChecked()
    driver.click(box.night)
    assert driver.window.theme.name == "night"
    driver.click(box.no_network)
    assert driver.window.services.is_offline
    driver.window.commands.do("theme")
    driver.window.commands.do("offline")
    driver.window.commands.do("settings")
    assert not box.night.isChecked() and not box.no_network.isChecked()


def test_memory_for_what_was_read_is_limited_at_once_and_again_at_the_next_start(shown):
    driver, box = shown
    cache = driver.window.session.cache
    of_machine = cache.budget
    assert box.by_machine.isChecked() and not box.memory.isEnabled()
    driver.click(box.by_machine)
    box.memory.setValue(500)
    assert cache.budget == 500_000_000 and memory_limit(driver.window.settings) == 500
    with Workspace() as again:
        take_memory_limit(driver.window.settings, again)
        assert again.cache.budget == 500_000_000
    driver.click(box.by_machine)
    assert cache.budget == of_machine and memory_limit(driver.window.settings) is None


def test_what_is_beyond_a_smaller_limit_is_given_back():
    with Workspace() as workspace:
        workspace.cache.points(workspace.read_parts(DataRef.file(demo.DATA / "harrow_bay_2031.laz"))[0].ref)
        before = workspace.cache.size
        workspace.use_memory(1_000_000)
        assert workspace.cache.size < before / 2


def test_the_size_of_the_interface_is_that_of_the_next_start(shown):
    driver, box = shown
    assert box.how_large.currentText() == "100 %" and not box.size_note.isVisible()
    box.how_large.setCurrentIndex(box.how_large.findText("125 %"))
    box.how_large.activated.emit(box.how_large.currentIndex())
    assert box.size_note.isVisible() and interface_size(driver.window.settings) == 125
    environment = {}
    take_interface_size(driver.window.settings, environment)
    assert environment == {SCALE: "1.25"}
    take_interface_size(driver.window.settings, named := {SCALE: "2"})
    assert named == {SCALE: "2"}


@pytest.mark.parametrize("stored", ["", "big", "-5", "99", "1e3"])
def test_what_is_stored_wrongly_counts_as_not_chosen(tmp_path, stored):
    settings = QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat)
    settings.setValue(SIZE, stored)
    settings.setValue(MEMORY, stored)
    assert interface_size(settings) == 100
    assert memory_limit(settings) in (None, 256)  # never less than what a picture takes


def test_recent_work_is_forgotten_with_its_pictures(shown, tmp_path):
    driver, box = shown
    shelves = driver.window.session.shelves
    shelves.opened(DataRef.file(demo.DATA / "vents.kml"))
    shelves.opened_project(tmp_path / "work.brisk.json")
    store_picture(tmp_path / "work.brisk.json", driver.window.grab())
    driver.click(box.forget)
    assert not shelves.recent and not shelves.projects and box.forgotten.text() == "Forgotten."
    assert picture_of(tmp_path / "work.brisk.json").isNull()
