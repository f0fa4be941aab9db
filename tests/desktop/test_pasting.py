"""The clipboard, both ways: what is copied elsewhere opens as a layer, a pane goes out as a picture."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QMimeData, Qt, QUrl
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from brisk_atlas import demo

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def clipboard():
    board = QGuiApplication.clipboard()
    yield board
    board.clear()


def test_geometry_is_pasted_onto_the_desk_with_a_key(desk, clipboard, qtbot):
    said = []
    desk.window.session.noticed.connect(lambda kind, words, details: said.append(words))
    before = len(desk.work.layers)
    clipboard.setText("POLYGON ((509000 5770000, 511000 5770000, 511000 5772000, 509000 5770000))")
    desk.press(desk.canvas, Qt.Key.Key_V, CTRL)
    qtbot.waitUntil(lambda: len(desk.work.layers) == before + 1, timeout=30_000)
    desk.settle()
    facts = desk.window.session.facts_of(desk.work.subject)
    assert facts.count == 1 and desk.work.subject.ref.is_inline
    assert any("read as EPSG:32727" in words for words in said)


def test_files_are_pasted_and_text_that_is_no_data_is_explained(driver, clipboard, qtbot):
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(demo.DATA / "vents.kml"))])
    clipboard.setMimeData(mime)
    driver.window.commands.do("paste")
    qtbot.waitUntil(lambda: bool(driver.work.layers), timeout=30_000)
    driver.settle()
    clipboard.setText("a shopping list")
    driver.window.commands.do("paste")
    driver.settle()
    assert "no geometry" in driver.window.notice.text.text()


def test_rows_get_a_file_of_their_own(driver, clipboard, qtbot, tmp_path, monkeypatch):
    path = tmp_path / "wells.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *given: (str(path.with_suffix("")), ""))
    clipboard.setText("well\tdepth\nTV-1\t120\nTV-2\t80\n")
    driver.window.commands.do("paste")
    qtbot.waitUntil(lambda: bool(driver.work.layers), timeout=30_000)
    driver.settle()
    assert path.read_text() == "well,depth\nTV-1,120\nTV-2,80\n"
    assert driver.window.session.facts_of(driver.work.layers[0]).count == 2


def test_the_pane_with_the_keyboard_is_copied_as_a_picture(desk, clipboard):
    desk.canvas.setFocus()
    before = desk.canvas.size()
    desk.press(desk.canvas, Qt.Key.Key_F9, CTRL)
    image = clipboard.image()
    assert image.size() == before
    colours = {image.pixelColor(x, y).name() for x in range(0, image.width(), 9) for y in range(0, image.height(), 9)}
    assert len(colours) > 20
    desk.window.commands.do("sheet")
    desk.settle()
    desk.window.desk.sheet.grid.setFocus()
    desk.window.commands.do("copy_picture")
    assert clipboard.image().width() == desk.window.desk.sheet.grid.width()
