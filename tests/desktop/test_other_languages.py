"""The window in other languages: nothing is left in English, texts fit, and it can be read from the right."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QRect, Qt

from brisk_atlas.core.model import language
from brisk_atlas.desktop.drawers.threshold_bars import ThresholdBars
from brisk_atlas.desktop.settings.chosen_language import LANGUAGE, stored_language, take_language, writes_numbers_alike
from brisk_atlas.desktop.settings.settings_window import SettingsWindow
from clipped_text import clipped

TESTS = Path(__file__).parents[1]


def walked(*arguments):
    """Return what a walk through a window of its own process found."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, str(TESTS / "left_out_words.py"), *arguments],
        capture_output=True, text=True, env=environment, check=False, timeout=280,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    return json.loads(done.stdout)


def test_no_word_is_left_out_of_the_translation_and_no_number_of_the_settings():
    assert walked() == []


def test_german_texts_fit_into_the_window():
    assert walked("de") == []


def test_the_language_is_chosen_in_the_settings_and_counts_from_the_next_start(driver, monkeypatch):
    driver.window.commands.do("settings")
    driver.settle()
    form = driver.window.findChild(SettingsWindow)
    assert form.language.currentText() == "That of the desktop"
    assert not form.language_note.isVisible()
    form.language.setCurrentIndex(form.language.findText("Deutsch"))
    form.language.activated.emit(form.language.currentIndex())
    assert form.language_note.isVisible()
    assert stored_language(driver.window.settings) == "de"
    spoken = []
    monkeypatch.setattr("brisk_atlas.desktop.settings.chosen_language.use_language", spoken.append)
    take_language(driver.window.settings, {"LANG": "fr_FR"})
    take_language(driver.window.settings, {language.CHOICE: "en"})  # what the environment names by itself stays
    driver.window.settings.setValue(LANGUAGE, "xx")
    take_language(driver.window.settings, {})
    assert spoken == ["de"]


@pytest.mark.parametrize(
    ("environment", "alike"),
    [
        ({}, True),
        ({"LANG": "C.UTF-8"}, True),
        ({"LANG": "en_US.UTF-8"}, True),
        ({"LANG": "de_DE.UTF-8"}, False),
        ({"LANG": "de_DE.UTF-8", "LC_NUMERIC": "C"}, True),
        ({"LANG": "en_US.UTF-8", "LC_NUMERIC": "de_DE@euro"}, False),
    ],
)
def test_qt_writes_numbers_as_the_window_does(environment, alike):
    assert writes_numbers_alike(environment) is alike


@pytest.fixture
def from_the_right(qapp):
    qapp.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
    yield
    qapp.setLayoutDirection(Qt.LayoutDirection.LeftToRight)


def test_maps_and_scales_are_not_turned_round(qapp, from_the_right, desk):
    page, spine = desk.window.desk, desk.window.desk.stack.spine

    def pictures():
        desk.settle()
        tile = spine.viewport().grab(spine.visualItemRect(spine.currentItem())).toImage()
        bars = ThresholdBars()
        bars.resize(200, 90)
        bars.show_histogram(np.array([3, 1, 2]), np.array([0.0, 1.0, 2.0, 3.0]), 1.5)
        scale_bar = QRect(0, page.map.canvas.height() - 80, 200, 80)
        return page.map.canvas.grab(scale_bar).toImage(), tile, bars.grab().toImage()

    from_right = pictures()
    qapp.setLayoutDirection(Qt.LayoutDirection.LeftToRight)
    assert from_right == pictures()


def test_the_window_can_be_read_from_the_right(from_the_right, desk):
    window = desk.window
    found = {}
    for page in ("find", "record", "handover", "desk"):
        window.show_page(page)
        desk.settle()
        found[page] = clipped(window)
    for drawer in ("probe", "style", "change", "statistics"):
        window.commands.do(drawer)
        desk.settle()
        found[drawer] = clipped(window)
    assert {name: each for name, each in found.items() if each} == {}
    page = window.desk
    assert page.stack.mapTo(window, page.stack.rect().center()).x() > window.width() / 2  # mirrored as a whole
    desk.click(page.map.canvas, (300, 300))  # the map itself is not: east stays at the right
    x = [page.map.canvas.view.to_map(at, 300)[0] for at in (100, 400)]
    assert x[0] < x[1]
