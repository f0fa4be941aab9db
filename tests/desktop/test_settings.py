"""Settings: what is chosen is used, at once or from the next start, and is there again."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QKeySequence

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef, NeedsPermission, date_words, digit_groups
from brisk_atlas.core.model.date_words import DateForm
from brisk_atlas.core.model.digit_groups import DigitGroups
from brisk_atlas.core.model.length_units import LengthUnits, length_units, use_length_units
from brisk_atlas.core.read.permissions import allow, allowed_places, check_host
from brisk_atlas.core.workspace import Workspace
from brisk_atlas.desktop.app import take_portal
from brisk_atlas.desktop.command_list import commands_of
from brisk_atlas.desktop.commands import Commands
from brisk_atlas.desktop.settings.numbers_and_dates import DATES, GROUPS, take_numbers_and_dates
from brisk_atlas.desktop.settings.own_keys import OWN_KEYS, own_keys
from brisk_atlas.desktop.settings.settings_window import SettingsWindow
from brisk_atlas.desktop.settings.stored_settings import (
    MEMORY,
    SCALE,
    SIZE,
    UNITS,
    interface_size,
    less_motion,
    memory_limit,
    take_interface_size,
    take_length_units,
    take_memory_limit,
)
from brisk_atlas.desktop.welcome.keys_window import KeysWindow
from brisk_atlas.desktop.welcome.project_pictures import picture_of, store_picture


@pytest.fixture
def metric_after():
    yield
    use_length_units(LengthUnits.METRIC)


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


def test_lengths_are_worded_in_the_units_chosen_in_runs_to_come_too(desk, metric_after):
    driver = desk
    canvas = driver.window.desk.map.canvas
    assert canvas.scale_bar()[1].endswith(" km")
    driver.window.commands.do("settings")
    box = driver.window.findChild(SettingsWindow)
    box.units.setCurrentIndex(box.units.findData(LengthUnits.FEET))
    box.units.activated.emit(box.units.currentIndex())
    width, label = canvas.scale_bar()
    amount, unit = label.split()
    metres = {"ft": 0.3048, "mi": 1609.344}[unit] * float(amount)
    assert width * canvas.view.ground_metres == pytest.approx(metres)
    use_length_units(LengthUnits.METRIC)
    take_length_units(driver.window.settings)
    assert length_units() is LengthUnits.FEET
    driver.window.settings.setValue(UNITS, "cubits")
    take_length_units(driver.window.settings)
    assert length_units() is LengthUnits.FEET


def test_with_less_motion_sides_blink_only_when_asked_to(desk):
    desk.window.commands.do("settings")
    box = desk.window.findChild(SettingsWindow)
    blinker = desk.window.desk.map.blinker
    desk.window.commands.do("blink")
    desk.settle()
    assert blinker.runs
    desk.click(box.calm, (8, box.calm.height() / 2))
    assert not blinker.runs and less_motion(desk.window.settings)
    for _ in range(2):
        desk.window.commands.do("blink")
        desk.settle()
    assert desk.work.state.comparison is not None and not blinker.runs
    bar = desk.window.desk.map.comparing
    desk.click(bar.plays)
    assert blinker.runs


def test_the_notations_at_the_foot_are_chosen(shown):
    driver, box = shown
    box.notations[0].setCurrentIndex(box.notations[0].findText("UTM"))
    box.notations[0].activated.emit(box.notations[0].currentIndex())
    assert driver.window.foot.slots == ["utm", "sexagesimal", "mgrs"]


def test_other_keys_are_given_to_a_command_and_taken_from_the_one_that_had_them(driver, qtbot):
    commands = driver.window.commands
    commands.do("keys")
    keys = driver.window.findChild(KeysWindow)

    def choose(title):
        (row,) = keys.tree.findItems(title, Qt.MatchFlag.MatchExactly | Qt.MatchFlag.MatchRecursive)
        keys.tree.setCurrentItem(row)
        return row

    trust = choose("Check the subject's data")
    keys.edit.setKeySequence(QKeySequence("Space"))
    assert not keys.use.isEnabled() and "map itself" in keys.words.text()
    keys.edit.setKeySequence(QKeySequence("Ctrl+K"))
    assert "“Do”" in keys.words.text() and keys.use.text() == "Use, and take from the other"
    driver.click(keys.use)
    assert trust.text(1) == "Ctrl+K" and commands["do"].shortcut().isEmpty()
    assert own_keys(driver.window.settings) == {"trust": "Ctrl+K", "do": ""}
    again = Commands(keys, own_keys(driver.window.settings))
    for each in commands_of(driver.window):
        again.add(each)
    assert again["trust"].shortcut() == QKeySequence("Ctrl+K")
    driver.click(keys.first)
    assert commands["trust"].shortcut() == QKeySequence("Ctrl+Alt+T") and commands["do"].shortcut().isEmpty()
    driver.click(keys.all_first)
    assert commands["do"].shortcut() == QKeySequence("Ctrl+K") and own_keys(driver.window.settings) == {}
    assert not keys.all_first.isEnabled()


def test_keys_given_to_a_page_are_those_of_its_tooltip(driver):
    driver.window.commands.do("keys")
    keys = driver.window.findChild(KeysWindow)
    keys.chosen.emit({"page_desk": "Ctrl+Alt+9"})
    assert "Ctrl+Alt+9" in driver.window.bar.page_buttons.buttons()[1].toolTip()


@pytest.mark.parametrize("stored", ["no json", "[1]", ""])
def test_stored_keys_that_are_not_understood_count_as_not_given(stored, tmp_path):
    settings = QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat)
    settings.setValue(OWN_KEYS, stored)
    assert own_keys(settings) == {}


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


@pytest.mark.parametrize(
    ("given", "theme"),
    [
        ({"WAYLAND_DISPLAY": "wayland-0"}, "xdgdesktopportal"),
        ({"WAYLAND_DISPLAY": "wayland-0", "QT_QPA_PLATFORMTHEME": "gtk3"}, "gtk3"),
        ({"DISPLAY": ":0"}, None),
    ],
)
def test_dialogs_for_files_are_the_desktops_own_under_wayland(given, theme):
    take_portal(given)
    assert given.get("QT_QPA_PLATFORMTHEME") == theme


def test_how_numbers_and_dates_are_written_is_chosen_and_counts_from_the_next_start(driver, monkeypatch):
    driver.window.commands.do("settings")
    form = driver.window.findChild(SettingsWindow)
    assert (form.groups.currentText(), form.dates.currentText()) == ("As usual in the language", "2031-06-24")
    assert not form.written_note.isVisible()
    for box, text in ((form.groups, "1\u202f234\u202f567.5"), (form.dates, "24 Jun 2031")):
        box.setFocus()
        while box.currentText() != text:
            driver.press(box, Qt.Key.Key_Down)
    assert form.written_note.isVisible()
    used = []
    monkeypatch.setattr(digit_groups, "use_digit_groups", used.append)
    monkeypatch.setattr(date_words, "use_date_form", used.append)
    take_numbers_and_dates(driver.window.settings, {date_words.CHOICE: "iso"})  # what the environment names stays
    take_numbers_and_dates(driver.window.settings, {digit_groups.CHOICE: "comma"})
    assert used == [DigitGroups.SPACE, DateForm.DAY_FIRST]
    driver.window.settings.setValue(GROUPS, "dozens")
    driver.window.settings.setValue(DATES, "moons")
    used.clear()
    take_numbers_and_dates(driver.window.settings, {})
    assert used == [DateForm.ISO]


def test_what_was_allowed_is_seen_and_taken_back(driver):
    allow(("maps.example", "/srv/shared", "tiles.example"))
    driver.window.commands.do("settings")
    driver.click(driver.window.findChild(SettingsWindow).allowed)
    form = driver.window.services.allowed
    listed = lambda: [form.places.item(i).text() for i in range(form.places.count())]  # noqa: E731
    assert form.isVisible() and listed() == ["/srv/shared", "maps.example", "tiles.example"]
    form.places.setCurrentRow(1)
    driver.press(form.places, Qt.Key.Key_Delete)
    assert listed() == ["/srv/shared", "tiles.example"] and allowed_places() == {"/srv/shared", "tiles.example"}
    with pytest.raises(NeedsPermission):
        check_host(DataRef.parse("https://maps.example/wms"))
    check_host(DataRef.parse("https://tiles.example/{z}/{x}/{y}.png"))
    for _ in range(2):
        driver.click(form.remove)
    assert not form.places.isVisible() and form.none.isVisible() and not form.remove.isEnabled()
