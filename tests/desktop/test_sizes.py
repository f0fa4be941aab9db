"""Texts fit at each size of the interface, on a small and on a large screen."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.desktop.settings.settings_window import SettingsWindow
from brisk_atlas.desktop.welcome.keys_window import KeysWindow
from clipped_text import clipped

DRAWERS = ("probe", "style", "change", "statistics", "places", "sketch", "edit")
# What is left of a screen where the interface is drawn at a size: its pixels divided by the size.
ROOMS = {
    "1280 x 800 at 80 %": (1600, 1000), "1280 x 800 at 100 %": (1280, 800), "1280 x 800 at 125 %": (1024, 640),
    "1280 x 800 at 150 %": (853, 533), "1280 x 800 at 200 %": (640, 400), "1920 x 1080 at 100 %": (1920, 1080),
    "1920 x 1080 at 150 %": (1280, 720), "1920 x 1080 at 200 %": (960, 540),
}  # fmt: skip


@pytest.mark.parametrize("room", list(ROOMS))
def test_no_text_is_cut_off_on_any_page(desk, room):
    window = desk.window
    window.resize(*ROOMS[room])
    desk.settle()
    assert (window.width(), window.height()) == ROOMS[room]
    found = {}
    for page in ("find", "record", "handover", "desk"):
        window.show_page(page)
        desk.settle()
        found[page] = clipped(window)
    for drawer in DRAWERS:
        window.commands.do(drawer)
        desk.settle()
        found[drawer] = clipped(window)
    assert {name: each for name, each in found.items() if each} == {}


def test_no_text_is_cut_off_in_windows_of_their_own(driver):
    window = driver.window
    for command in ("settings", "keys", "welcome"):
        window.commands.do(command)
    driver.settle()
    for box in (window.findChild(SettingsWindow), window.findChild(KeysWindow), window):
        assert clipped(box) == []


def test_a_page_that_fits_has_no_bars_to_scroll_it(desk):
    area = desk.window.pages.parentWidget().parentWidget()
    assert not area.verticalScrollBar().isVisible() and not area.horizontalScrollBar().isVisible()
    desk.window.resize(700, 420)
    desk.settle()
    assert area.verticalScrollBar().isVisible() and area.horizontalScrollBar().isVisible()


def test_all_tabs_of_the_drawers_are_in_sight_at_the_usual_size(desk):
    desk.window.resize(1280, 800)
    desk.window.commands.do("probe")
    desk.settle()
    bar = desk.window.desk.side.tabs.tabBar()
    assert bar.tabRect(bar.count() - 1).right() <= bar.width()


def test_the_finder_finds_texts_without_room(qtbot):
    window = QWidget()
    qtbot.addWidget(window)
    column = QVBoxLayout(window)
    words = QLabel("A sentence that is longer than its room")
    words.setMaximumWidth(60)
    button = QPushButton("Outside", window)
    button.setGeometry(150, 10, 120, 30)
    column.addWidget(words)
    window.resize(200, 80)
    window.show()
    assert sorted(each.split(" “")[0] for each in clipped(window)) == ["QLabel", "QPushButton"]
