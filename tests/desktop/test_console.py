"""The console: Python beside the window, with its layers, that holds nothing up and ends with it."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt

from brisk_atlas import demo
from brisk_atlas.desktop.console.console_window import ConsoleWindow
from brisk_atlas.desktop.theme import NIGHT

SURVEY = demo.DATA / "tolvane_survey.gpkg"


class Console:
    """What a person does with the panel."""

    def __init__(self, driver):
        self.driver, self.qtbot = driver, driver.qtbot
        driver.press(driver.window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        driver.settle()
        self.panel = driver.window.findChild(ConsoleWindow)
        self.lines = self.panel.text._control
        self.wait(lambda: self.panel.state.text() == "Ready" and "In [1]:" in self.text)

    @property
    def text(self):
        return self.lines.toPlainText()

    def wait(self, done):
        self.qtbot.waitUntil(done, timeout=60_000)

    def type(self, code):
        """Type a line, and return what it answers."""
        before = len(self.text)
        self.qtbot.keyClicks(self.lines, code)
        self.qtbot.keyClick(self.lines, Qt.Key.Key_Return)
        return lambda: self.text[before + len(code) :]

    def ask(self, code):
        answer = self.type(code)
        self.wait(lambda: "In [" in answer() and self.panel.state.text() == "Ready")
        return answer().rpartition("In [")[0].strip()


@pytest.fixture
def console(driver):
    driver.open(SURVEY, part="lava_flows")
    return Console(driver)


def test_code_has_the_layers_and_the_operations_and_shows_data_in_the_window(console, tmp_path):
    layers = console.driver.work.layers
    assert console.ask("[layer.name for layer in workspace.work.layers]").endswith("['lava_flows']")
    out = tmp_path / "flows.geojson"
    written = console.ask(f"Export('lava_flows', '{out}', where='year = 2031').run(workspace).what")
    assert "4 features" in written and out.exists(), written
    console.ask(f"show('{out}')")
    console.wait(lambda: len(console.driver.work.layers) > len(layers))
    assert console.driver.work.layers[0].name == "flows"
    fault = console.ask("Export('nowhere', 'x.geojson').run(workspace)")
    assert "Open are: lava_flows" in fault and "Traceback" not in fault, "a fault of data has words, not lines of code"
    assert "ZeroDivisionError" in console.ask("1 / 0")


def test_layers_are_taken_anew_when_they_are_asked_for(console):
    assert not console.panel.refresh.isEnabled()
    console.driver.open(SURVEY, part="coastline")
    assert console.ask("len(workspace.work.layers)").endswith("1")
    console.driver.click(console.panel.refresh)
    console.wait(lambda: "refresh()" in console.text and console.panel.state.text() == "Ready")
    assert console.ask("len(workspace.work.layers)").endswith("2") and not console.panel.refresh.isEnabled()


def test_what_runs_is_stopped_and_the_window_works_meanwhile(console):
    assert not console.panel.stop.isEnabled()
    answer = console.type("while True: pass")
    console.qtbot.keyClick(console.lines, Qt.Key.Key_Return)
    console.wait(lambda: console.panel.stop.isEnabled())
    console.driver.window.show_page("find")
    console.driver.settle()
    console.driver.click(console.panel.stop)
    console.wait(lambda: "KeyboardInterrupt" in answer() and console.panel.state.text() == "Ready")
    console.ask("mine = 5")
    console.driver.click(console.panel.restart)
    console.wait(lambda: "In [1]:" in console.text and console.panel.state.text() == "Ready")
    assert "NameError" in console.ask("mine") and console.ask("len(workspace.work.layers)").endswith("1")


def test_it_ends_with_its_window_and_looks_like_the_rest(console):
    process = int(console.ask("__import__('os').getpid()").split(":")[-1])
    console.driver.window.use_theme(NIGHT)
    console.driver.settle()
    assert NIGHT.raised in console.panel.text.style_sheet
    image = console.lines.grab().toImage()
    assert image.pixelColor(image.width() // 2, image.height() - 4).name().upper() == NIGHT.raised
    console.panel.close()
    console.wait(lambda: not _runs(process))
    console.driver.window.activateWindow()
    console.wait(console.driver.window.isActiveWindow)
    again = Console(console.driver)
    assert again.panel is not console.panel and again.ask("len(workspace.work.layers)").endswith("1")


def test_it_ends_with_the_main_window_and_leaves_no_folder_behind(console):
    process = int(console.ask("__import__('os').getpid()").split(":")[-1])
    folder = Path(console.ask("str(workspace.work.file)").split("'")[1]).parent
    assert folder.name.startswith("brisk-atlas-console-")
    console.driver.window.session.work.load(console.driver.work.state, None, None)
    console.driver.window.close()
    console.wait(lambda: not _runs(process))
    assert not folder.exists()


def _runs(process):
    """Whether a process runs; one that has ended and was not looked after does not."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False
