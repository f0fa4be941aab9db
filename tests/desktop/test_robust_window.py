"""The window under attack: hostile names, exceptions in slots, results for nobody, crashes, other windows."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import shapely
from PIL import Image
from PyQt6.QtCore import QAbstractListModel, Qt
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QLabel, QTextEdit, QWidget

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.record.brief_sections import Line, Section
from brisk_atlas.core.workspace import autosave
from brisk_atlas.desktop.fault_hooks import FaultHooks
from brisk_atlas.desktop.reading_view import ReadingView

TAG = "<img src='file:///etc/hostname'><b>x</b>"
NAME = "<b>x<img src='file:::etc:hostname'>"  # as a file may be called


@pytest.fixture
def hostile(tmp_path):
    """A layer whose file, layer, fields, values and record are markup."""
    path = tmp_path / f"{NAME}.gpkg"
    table = pa.table(
        {TAG: [TAG, "b"], "n": [1, 2], "geometry": shapely.to_wkb(shapely.box([0, 5], [0, 5], [4, 9], [4, 9]))}
    )
    pyogrio.write_arrow(
        table,
        path,
        driver="GPKG",
        layer=f"a {NAME}",
        geometry_name="geometry",
        geometry_type="Polygon",
        crs="EPSG:32727",
    )
    record = Path(f"{path}.xml")
    words = TAG.replace("<", "&lt;").replace(">", "&gt;")
    record.write_text(
        f"<metadata><idinfo><citation><citeinfo><origin>{words}</origin><pubdate>2031</pubdate><title>{words}</title></citeinfo>"
        f"</citation><descript><abstract>{words}</abstract></descript></idinfo></metadata>"
    )
    return path


def markup_in(root: QWidget) -> list[str]:
    """Return where a widget below `root` takes the tag for markup."""
    found = []
    for widget in [root, *root.findChildren(QWidget)]:
        if isinstance(widget, QLabel) and widget.textFormat() != Qt.TextFormat.PlainText and "<img" in widget.text():
            found.append(f"label {widget.text()[:60]}")
        if "<img" in widget.toolTip():
            found.append(f"tooltip of {type(widget).__name__}")
        if isinstance(widget, QTextEdit):
            block = widget.document().begin()
            while block.isValid():
                found += [
                    f"picture in {type(widget).__name__}" for f in block.textFormats() if f.format.isImageFormat()
                ]
                block = block.next()
        if isinstance(widget, QAbstractItemView) and widget.model() is not None:
            model = widget.model()
            for row in range(min(model.rowCount(), 30)):
                for column in range(1 if isinstance(model, QAbstractListModel) else model.columnCount()):
                    tip = model.data(model.index(row, column), Qt.ItemDataRole.ToolTipRole)
                    if isinstance(tip, str) and "<img" in tip:
                        found.append(f"tooltip of a row of {type(widget).__name__}")
    return found


def test_text_from_files_is_never_markup(driver, hostile):
    window, find = driver.window, driver.window.find_page
    find.go_to(hostile.parent)
    driver.settle()
    driver.find(hostile.name)
    for tab in range(find.glance.tabs.count()):
        find.glance.tabs.setCurrentIndex(tab)
        driver.settle()
        assert markup_in(window) == []
    driver.open(hostile)
    for command in ("sheet", "probe", "style", "statistics"):
        window.commands.do(command)
        driver.settle()
        assert markup_in(window) == [], command
    driver.click(driver.canvas, driver.at(2, 2))
    assert markup_in(window) == []
    for page in ("record", "handover", "desk"):
        window.show_page(page)
        driver.settle()
        assert markup_in(window) == [], page
    window.session.noticed.emit("fault", f"{hostile}: {TAG}", TAG)
    assert window.notice.text.text().endswith(TAG) and markup_in(window) == []


def test_the_first_dataset_that_is_chosen_shows_all_its_tabs(driver):
    find = driver.window.find_page
    find.go_to(demo.DATA)
    driver.settle()
    driver.find("ash_samples.geojson")
    shown = [find.glance.tabs.tabText(i) for i in range(find.glance.tabs.count()) if find.glance.tabs.isTabVisible(i)]
    assert {"Facts", "Rows", "Text"} <= set(shown)


def test_an_exception_in_a_slot_becomes_a_notice_and_the_window_lives(driver, capfd):
    hooks = FaultHooks()
    hooks.raised.connect(lambda words, details: driver.window.notice.say("fault", words, details))
    old = sys.excepthook
    hooks.install()
    try:
        hooks._exception(ValueError, ValueError("a slot went wrong"), None)
        driver.settle()
    finally:
        hooks.remove()
        sys.excepthook = old
    assert "a slot went wrong" in driver.window.notice.text.text()
    assert driver.window.notice.more.isVisible()


def test_results_for_a_widget_that_is_gone_are_dropped(driver, qtbot):
    came = []
    widget = QLabel("here for a moment")

    def done(result):
        came.append(result)
        widget.setText(str(result))

    job = driver.window.session.run("slow", lambda job: time.sleep(0.2) or 7, done, shown=False)
    widget.deleteLater()
    QApplication.sendPostedEvents(widget, 52)  # DeferredDelete
    qtbot.waitUntil(lambda: job.finished)
    driver.settle()
    assert came == []


def test_unsaved_work_of_a_run_that_was_killed_is_offered_and_restored(driver, tmp_path, home):
    script = (
        "import sys, time\n"
        "from pathlib import Path\n"
        "from brisk_atlas.desktop.app import make_application, make_window, settle\n"
        "app = make_application(); window = make_window(); window.show()\n"
        "window.session.open_files(sys.argv[1:2]); settle(window)\n"
        "work = window.session.work; work.change('opacity', work.layers[0].id, opacity=0.4)\n"
        "window.autosave.store(); settle(window)\n"
        "print('stored', flush=True); time.sleep(60)\n"
    )
    run = subprocess.Popen(
        [sys.executable, "-c", script, str(demo.DATA / "vents.kml")], stdout=subprocess.PIPE, text=True
    )
    assert run.stdout.readline() == "stored\n"
    assert autosave.left_behind() == []  # it still runs
    run.send_signal(signal.SIGKILL)
    run.wait()
    window = driver.window
    window.autosave.offer_left_behind(window.notice)
    assert "before its work was saved" in window.notice.text.text()
    driver.click(window.notice.answers[0])
    assert [layer.ref.name for layer in driver.work.layers] == ["vents.kml"] and driver.work.changed
    assert driver.work.layers[0].opacity == 0.4 and driver.work.undo_text == "opacity"
    window.commands.do("undo")
    assert driver.work.layers[0].opacity == 1.0
    window.commands.do("undo")
    assert not driver.work.layers and not driver.work.undo_text
    assert not list(autosave.autosave_folder().glob("*.undo/*"))
    assert autosave.left_behind() == []


def test_the_later_of_two_windows_on_one_project_does_not_overwrite_the_earlier(driver, tmp_path):
    project = tmp_path / "shared.brisk.json"
    driver.open(demo.DATA / "vents.kml")
    assert driver.window.session.save_project(project)
    told = json.loads(project.read_text())
    told["layers"][0]["name"] = "theirs"
    project.write_text(json.dumps(told))
    os.utime(project, ns=(1, 1))
    assert not driver.window.session.save_project(project)
    assert "another window or program" in driver.window.notice.text.text()
    assert json.loads(project.read_text())["layers"][0]["name"] == "theirs"
    assert driver.window.session.save_project(tmp_path / "mine.brisk.json")


def test_the_bar_names_what_the_page_speaks_of_and_the_foot_only_a_map_in_sight(driver):
    window = driver.window
    driver.open(demo.DATA / "vents.kml")
    assert window.foot.crs.isVisible() and window.subject.name.text() == driver.work.subject.name
    window.read_record(DataRef.file(demo.DATA / "elevation_2031.tif"))
    driver.settle()
    assert window.subject.name.text() == "Record of elevation_2031.tif" and not window.foot.crs.isVisible()
    window.show_page("desk")
    driver.settle()
    assert window.subject.name.text() == driver.work.subject.name and window.foot.scale.isVisible()


def test_groups_of_a_scene_carry_its_name(driver):
    driver.open(demo.DATA / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt")
    assert [layer.name for layer in driver.work.layers] == ["MERIDEL3_20310624, visible to shortwave"]


def test_very_many_lines_are_laid_out_as_far_as_they_are_wanted(driver):
    page = ReadingView()
    sections = [Section(f"part {n}", tuple(Line(f"field {i}", f"text {n}.{i}") for i in range(100))) for n in range(30)]
    page.show_sections(sections)
    assert "text 5.99" in page.toPlainText() and "text 6.0" not in page.toPlainText()
    assert "Show 2,400 more lines" in page.toPlainText()
    page.go_to_section("part 29")
    assert "text 29.99" in page.toPlainText() and "more lines" not in page.toPlainText()


def test_many_datasets_open_together_and_close_one_by_one(driver, tmp_path):
    for number in range(40):
        box = {"type": "Polygon", "coordinates": [[[number, 0], [number + 1, 0], [number + 1, 1], [number, 0]]]}
        feature = {"type": "Feature", "properties": {"a": number}, "geometry": box}
        collection = {"type": "FeatureCollection", "features": [feature]}
        (tmp_path / f"plot_{number:02}.geojson").write_text(json.dumps(collection))
    told = []
    driver.work.listen(told.append)
    driver.open(*sorted(tmp_path.glob("*.geojson")))
    assert len(driver.work.layers) == 40 and told.count("layers") < 40
    assert len(json.loads(driver.window.session.shelves.file.read_text())["recent"]) == 12
    for _ in range(40):
        driver.work.undo()
    driver.settle()
    assert not driver.work.layers and not driver.window.notice.isVisible()


def test_a_widget_that_a_worker_asks_is_noticed(driver, touches):
    """The guard of this whole folder works."""
    label = driver.window.notice.text
    asked = threading.Thread(target=label.text, name="a worker")
    asked.start()
    asked.join()
    assert touches == ["PlainLabel.text from a worker"]
    touches.clear()


def test_the_window_is_drawn_in_all_its_pixels_on_a_fine_screen(tmp_path):
    """Twice as many pixels for the same window, and the map drawn in them, not blown up."""
    picture = tmp_path / "fine.png"
    code = f"import sys; from brisk_atlas import cli; sys.exit(cli.main(['--demo', '--picture', {str(picture)!r}, '--size', '960x600']))"
    done = subprocess.run([sys.executable, "-c", code], env={**os.environ, "QT_SCALE_FACTOR": "2"}, capture_output=True)
    assert done.returncode == 0, done.stderr[-2000:]
    pixels = np.asarray(Image.open(picture).convert("L"), float)
    assert pixels.shape == (1200, 1920)
    middle = pixels[400:900, 500:1200]
    doubled = middle[::2, ::2].repeat(2, 0).repeat(2, 1)  # what a picture of half as many pixels would be
    assert np.abs(middle - doubled).mean() > 0.5
