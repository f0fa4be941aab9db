"""Drawers and the relief in windows of their own, remembered for the next run."""

from __future__ import annotations

from PyQt6.QtCore import QSettings, Qt

from brisk_atlas.desktop.drawers.drawer_titles import DRAWER_TITLES

CTRL_ALT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier


def test_a_drawer_floats_works_there_and_comes_back(demo_driver, tmp_path):
    d = demo_driver
    d.window.show_page("desk")
    d.settle()
    desk, settings = d.window.desk, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    desk.side.use_settings(settings)
    desk.side.toggle("statistics")
    d.press(d.window, Qt.Key.Key_W, CTRL_ALT)
    window = desk.floating.windows["statistics"]
    assert window.isVisible() and window.isAncestorOf(desk.statistics) and "Statistics" in window.windowTitle()
    assert [desk.side.tabs.tabText(i) for i in range(desk.side.tabs.count())] == list(DRAWER_TITLES.values())
    d.work.choose(d.layer("elevation_2029").id)
    d.settle()
    assert desk.side.shows(desk.statistics) and desk.statistics.isVisible()
    assert settings.value("floating") == ["statistics"]
    window.resize(520, 700)
    window.close()
    assert not desk.floating.windows and desk.side.tabs.currentWidget() is desk.statistics
    desk.turn_float("statistics")
    assert desk.floating.windows["statistics"].width() == 520  # where it was
    desk.turn_float("statistics")


def test_what_floated_floats_again_at_the_next_start(demo_driver, tmp_path):
    d = demo_driver
    d.window.show_page("desk")
    desk, settings = d.window.desk, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    settings.setValue("floating", ["places", "relief"])
    desk.side.use_settings(settings)
    assert set(desk.floating.windows) == {"places"} and desk.places.isVisible()
    assert desk.side.tabs.indexOf(desk.places) == -1
    desk.turn_float("places")
    assert desk.side.tabs.currentWidget() is desk.places
