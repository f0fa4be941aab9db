"""The window as a whole: pages, commands, undo, notices, themes, opening and saving."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QPushButton

from brisk_atlas import demo
from brisk_atlas.core.workspace.project_file import read as read_project
from brisk_atlas.desktop import theme
from brisk_atlas.desktop.app import settle
from brisk_atlas.desktop.do_palette import matching
from brisk_atlas.desktop.icons import _face
from brisk_atlas.desktop.window import PAGES

CTRL = Qt.KeyboardModifier.ControlModifier


def contrast(a: str, b: str) -> float:
    """Return the contrast ratio of WCAG 2.1, section 1.4.3."""

    def light(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    high, low = sorted((light(a), light(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("which", [theme.LIGHT, theme.NIGHT])
def test_all_text_can_be_read(which):
    for ground in (which.paper, which.raised, which.wash):
        assert contrast(which.ink, ground) >= 7
        for role in ("quiet", "good", "caution", "fault"):
            assert contrast(getattr(which, role), ground) >= (4.5 if ground != which.wash else 3), (role, ground)
    for role in ("accent", "second"):  # these two are text on raised ground only
        assert contrast(getattr(which, role), which.raised) >= 4.5
    assert contrast(which.on_accent, which.accent) >= 4.5


def test_an_empty_window_says_what_to_do_next(driver):
    window = driver.window
    assert window.page == "find" and not window.has_desk
    driver.press(window, Qt.Key.Key_2, CTRL)
    assert window.page == "desk" and window.desk.empty.isVisible()
    driver.click(window.desk.empty.buttons["page_find"])
    assert window.page == "find"
    driver.press(window, Qt.Key.Key_3, CTRL)
    assert window.record.empty.isVisible()
    driver.press(window, Qt.Key.Key_4, CTRL)
    assert not window.handover.recipes.bar.go.isEnabled()


@pytest.fixture
def windows(qapp):
    """Note what takes the keyboard as a window of its own."""
    found = set()

    def note(window):
        if window is not None:
            found.add(window.objectName())

    qapp.focusWindowChanged.connect(note)
    yield found
    qapp.focusWindowChanged.disconnect(note)


def test_every_command_can_be_run_on_the_demo_without_harm(demo_driver, monkeypatch, windows):
    window = demo_driver.window
    monkeypatch.setattr("PyQt6.QtWidgets.QFileDialog.getOpenFileNames", lambda *a: ([], ""))
    monkeypatch.setattr("PyQt6.QtWidgets.QFileDialog.getOpenFileName", lambda *a: ("", ""))
    monkeypatch.setattr("PyQt6.QtWidgets.QFileDialog.getSaveFileName", lambda *a: ("", ""))
    monkeypatch.setattr("PyQt6.QtWidgets.QFileDialog.getExistingDirectory", lambda *a: "")
    monkeypatch.setattr(window.session, "save_project", lambda path: True)
    notices = []
    window.session.noticed.connect(lambda kind, text, details: notices.append((kind, text)))
    for command in window.commands.all():
        if command.id not in ("quit", "do", "open_demo"):  # the last of which asks about the work that is open
            window.commands.do(command.id)
        if command.id == "lock_layer":
            window.commands.do(command.id)  # or it would rightly refuse what follows
    demo_driver.settle()
    assert [notice for notice in notices if notice[0] != "good"] == []
    assert [name for name in windows if name.startswith("Q")] == []  # a part of a form, before it has its place


def test_every_icon_of_a_command_is_in_the_font(driver):
    names = {command.icon for command in driver.window.commands.all() if command.icon}
    assert names <= set(_face()[1])


def test_keys_of_commands_are_all_different(driver):
    keys = [c.keys for c in driver.window.commands.all() if c.keys]
    assert len(keys) == len(set(keys))


def test_do_finds_by_words_and_runs(demo_driver):
    commands = demo_driver.window.commands.all()
    assert matching(commands, "curtain")[0].id == "curtain"
    assert matching(commands, "fit all")[0].id == "fit_all"
    assert not matching(commands, "no such words")
    demo_driver.command("go to hand")
    assert demo_driver.window.page == "handover"


def test_undo_and_redo_by_key(demo_driver):
    d = demo_driver
    trails = d.layer("trails")
    d.work.choose(trails.id)
    d.press(d.window, Qt.Key.Key_H)
    assert not d.layer("trails").visible
    d.press(d.window, Qt.Key.Key_Z, CTRL)
    assert d.layer("trails").visible
    d.press(d.window, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert not d.layer("trails").visible
    assert "show or hide" in d.window.commands["undo"].toolTip()
    d.settle()


def test_the_subject_bar_speaks_of_the_subject(demo_driver, truth):
    d, bar = demo_driver, demo_driver.window.subject
    texts = [chip.text() for chip in bar.chips]
    assert bar.name.text() == "lava_flows"
    assert (
        texts == ["polygon", f"{truth['counts']['lava_flows']} features", "EPSG:32727", texts[3], "ok"]
        and "km" in texts[3]
    )
    d.work.choose(d.layer("sea floor").id)
    assert bar.chips[1].text() == "401 x 321 cells" and bar.chips[2].text() == "EPSG:4326"
    d.work.choose(d.layer("gas_readings").id)
    assert bar.chips[1].text() == "25,613 rows"


def test_a_bad_file_is_one_notice_and_the_work_goes_on(demo_driver, tmp_path):
    bad = tmp_path / "bad.tif"
    bad.write_text("this is no grid")
    before = len(demo_driver.work.layers)
    demo_driver.open(bad, demo.DATA / "vents.kml")
    notice = demo_driver.window.notice
    assert "bad.tif: its name says GeoTIFF, its content is text" in notice.text.text()
    assert len(demo_driver.work.layers) == before + 1  # the other one opened
    demo_driver.click(notice.close_button)
    assert not notice.isVisible()


def test_faults_wait_their_turn(driver):
    notice = driver.window.notice
    for text in ("first", "second", "second"):
        notice.say("fault", text)
    assert notice.text.text() == "first" and notice.close_button.text() == "Next (1)"
    notice.dismiss()
    assert notice.text.text() == "second"
    notice.dismiss()
    assert notice.isHidden()


def test_an_unforeseen_error_has_details_to_unfold(driver):
    def work(job):
        return [][1]

    driver.window.session.run("breaking", work)
    driver.settle()
    notice = driver.window.notice
    assert "IndexError" in notice.text.text() and not notice.details.isVisible()
    driver.click(notice.more)
    assert "Traceback" in notice.details.toPlainText() and notice.details.isVisible()


def test_files_dropped_on_the_window_open(driver):
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(demo.DATA / "elevation_2029.tif"))])
    how = (Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(driver.window, QDragEnterEvent(QPoint(50, 50), *how))
    QApplication.sendEvent(driver.window, QDropEvent(QPointF(50, 50), *how))
    driver.settle()
    assert [layer.name for layer in driver.work.layers] == ["elevation_2029"] and driver.window.page == "desk"


def test_the_same_file_twice_is_two_layers_of_different_names(driver):
    for _ in range(2):
        driver.open(demo.DATA / "elevation_2029.tif")
    assert sorted(layer.name for layer in driver.work.layers) == ["elevation_2029", "elevation_2029 2"]


def test_saving_and_opening_again(demo_driver, tmp_path, monkeypatch):
    d, path = demo_driver, tmp_path / "mine.brisk.json"
    monkeypatch.setattr("PyQt6.QtWidgets.QFileDialog.getSaveFileName", lambda *a: (str(path), ""))
    d.work.change("opacity", d.layer("trails").id, opacity=0.5)
    assert d.window.windowTitle().startswith("tolvane *")
    d.press(d.window, Qt.Key.Key_S, CTRL | Qt.KeyboardModifier.ShiftModifier)
    d.settle()
    assert json.loads(path.read_text())["brisk_atlas_project"] == 2
    assert d.window.windowTitle() == "mine · Brisk Atlas"
    state = d.work.state
    d.open(path)
    assert d.work.state == state and d.canvas.frames


def test_a_project_that_can_not_be_saved_says_so(demo_driver, tmp_path):
    assert not demo_driver.window.session.save_project(tmp_path / "nowhere" / "x.brisk.json")
    assert "x.brisk.json" in demo_driver.window.notice.text.text()


def test_a_project_whose_file_is_gone_keeps_the_layer_and_says_so(driver, tmp_path):
    told = json.loads(demo.PROJECT.read_text())
    for layer in told["layers"]:
        layer["ref"]["place"] = str(demo.DATA / layer["ref"]["place"])
    told["layers"][1]["ref"]["place"] = "gone.gpkg"
    path = tmp_path / "w.brisk.json"
    path.write_text(json.dumps(told))
    driver.open(path)
    assert len(driver.work.layers) == len(told["layers"])
    assert "gone.gpkg: there is no such file" in driver.window.notice.text.text()
    driver.work.choose(told["layers"][1]["id"])
    assert driver.window.subject.chips[0].text() == "file can't be read"


def test_a_damaged_project_is_refused_with_its_reason(demo_driver, tmp_path):
    path = tmp_path / "w.brisk.json"
    path.write_text('{"brisk_atlas_project": 1, "layers": [')
    layers = demo_driver.work.layers
    demo_driver.open(path)
    assert "not whole JSON" in demo_driver.window.notice.text.text() and demo_driver.work.layers == layers


def test_night_and_day_on_every_page(demo_driver):
    d = demo_driver
    for page in PAGES:
        d.window.show_page(page)
    d.press(d.window, Qt.Key.Key_T, CTRL)
    d.settle()
    for page in PAGES:
        d.window.show_page(page)
        d.settle()
        corner = d.window.grab().toImage().pixelColor(640, 795).name()
        assert corner == theme.NIGHT.raised.lower()
    assert d.canvas.theme is theme.NIGHT and d.window.settings.value("theme") == "night"
    d.press(d.window, Qt.Key.Key_T, CTRL)


def test_jobs_show_and_can_be_cancelled(driver):
    from threading import Event

    started = Event()

    def endless(job):
        started.set()
        while True:
            job.report(0.4, "turning")
            job._stop.wait(0.02)

    job = driver.window.session.run("Counting sheep", endless)
    driver.qtbot.waitUntil(
        lambda: started.is_set() and "Counting sheep" in driver.window.foot.jobs.text(), timeout=60_000
    )
    driver.window.foot._fill_menu()
    line = driver.window.foot.menu.actions()[0].defaultWidget()
    button = next(b for b in line.findChildren(type(driver.window.notice.more)) if b.text() == "Cancel")
    driver.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    driver.qtbot.waitUntil(lambda: job.state == "cancelled", timeout=60_000)
    driver.qtbot.waitUntil(lambda: driver.window.foot.jobs.text() == "no jobs", timeout=60_000)


@pytest.mark.parametrize(("button", "closes", "saved"), [
    ("Stay", False, False), ("Save", True, True), ("Close without saving", True, False),
])  # fmt: skip
def test_closing_asks_about_unsaved_work(demo_driver, tmp_path, button, closes, saved):
    d, file = demo_driver, tmp_path / "mine.brisk.json"
    assert d.window.session.save_project(file)
    before = file.read_bytes()
    d.work.change("opacity", d.layer("trails").id, opacity=0.5)
    pressed = []

    def press():
        box = QApplication.activeModalWidget()
        if box is None:
            QTimer.singleShot(20, press)
            return
        wanted = next(b for b in box.findChildren(QPushButton) if b.text().replace("&", "") == button)
        pressed.append(box.text())
        d.qtbot.mouseClick(wanted, Qt.MouseButton.LeftButton)

    QTimer.singleShot(20, press)
    assert d.window.close() == closes and len(pressed) == 1
    assert d.window.isVisible() != closes and (file.read_bytes() != before) == saved
    if saved:
        state, _, _ = read_project(file)
        assert next(layer for layer in state.layers if layer.name == "trails").opacity == 0.5


def test_the_window_stays_as_wide_as_it_was(demo_driver):
    for page in PAGES:
        demo_driver.window.show_page(page)
        demo_driver.settle()
    demo_driver.window.commands.do("relief")
    demo_driver.window.commands.do("sheet")
    settle(demo_driver.window)
    assert (demo_driver.window.width(), demo_driver.window.height()) == (1280, 800)
