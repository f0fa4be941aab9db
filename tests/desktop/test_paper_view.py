"""A map on paper from the key on the Desk to the file: sheet, scale, blocks by hand and keyboard, pages of features."""

from __future__ import annotations

import io
import threading
from dataclasses import replace

import numpy as np
import pypdfium2
import pytest
from PIL import Image
from PyQt6.QtCore import QMarginsF, QPoint, QPointF, QSizeF, Qt
from PyQt6.QtGui import QDesktopServices, QFontDatabase, QPageLayout, QPageSize, QWheelEvent
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QApplication

from brisk_atlas import demo
from brisk_atlas.core.paper import font_files, paper_page
from brisk_atlas.core.paper.box import PX_MM
from brisk_atlas.core.paper.layout import BlockKind, PaperGrid
from brisk_atlas.core.paper.map_frame import view_on_paper
from brisk_atlas.core.paper.shaping import shaped
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.core.workspace.plates import Plate, PlateKind
from brisk_atlas.desktop import theme

SURVEY, OLD, NEW = (demo.DATA / name for name in ("tolvane_survey.gpkg", "elevation_2029.tif", "elevation_2031.tif"))
UTM = "EPSG:32727"


@pytest.fixture
def paper(driver, qtbot, monkeypatch):
    """Zones over heights, laid out by the key."""
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: True)
    driver.open(OLD)
    driver.open(SURVEY, part="closed_zones")
    driver.window.show_page("desk")
    driver.canvas.look_at_centre(510_000, 5_770_500, 10.0, UTM)
    driver.settle()
    driver.press(driver.canvas, Qt.Key.Key_F9, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: driver.window.page == "handover" and shown(driver).plate is not None, timeout=60_000)
    driver.settle()
    return shown(driver)


def shown(driver):
    return driver.window.handover.album.paper_view


def centre(paper, block_id):
    """Return where a block lies on the page of the window."""
    at = paper.page._rect(paper.paper.block(block_id).box).center().toPoint()
    return at.x(), at.y()


def pixels(paper):
    """Return the drawn page in pixels."""
    image = paper.page.picture.convertToFormat(paper.page.picture.Format.Format_RGB888)
    rows = image.constBits().asstring(image.sizeInBytes())
    return (
        np.frombuffer(rows, np.uint8).reshape(image.height(), image.bytesPerLine())[:, : image.width() * 3].astype(int)
    )


def test_a_key_lays_the_map_out_and_three_steps_write_it(driver, paper, tmp_path, qtbot):
    layout = paper.paper
    assert paper.page.hasFocus() and layout.sheet == "A4" and layout.wide
    assert pixels(paper).std() > 30 and not paper.note.text()
    view = driver.work.state.album.plates[0].view
    frame = layout.of_kind(BlockKind.MAP)[0]
    seen = view_on_paper(frame.box, UTM, (view.x, view.y), layout.scale)
    assert seen.resolution * frame.width / PX_MM >= view.resolution * view.width  # all of it is shown
    driver.choose(paper.form.sheet, "A3")
    assert paper.paper.size == (420.0, 297.0)
    driver.type(paper.form.scale, "40,000")
    assert paper.paper.scale == 40_000
    path = tmp_path / "map.pdf"
    paper.output.write_to(path, paper.plate)
    qtbot.waitUntil(lambda: not paper.busy, timeout=60_000)
    document = pypdfium2.PdfDocument(path)
    assert document[0].get_size() == pytest.approx((420 / 25.4 * 72, 297 / 25.4 * 72), abs=0.1)
    assert "1 : 40,000" in document[0].get_textpage().get_text_range()
    while paper.paper.sheet != "A4":  # each size that the arrow keys went through is a step
        driver.window.commands.do("undo")
    driver.settle()
    assert paper.form.sheet.currentText() == "A4"


@pytest.mark.parametrize(("sheet", "share"), [("A4", 1.0), ("A5", 148.0 / 210.0)])
def test_pages_are_printed_at_their_true_size_and_smaller_on_smaller_paper(driver, paper, tmp_path, qtbot, sheet, share,
                                                                          monkeypatch):  # fmt: skip
    path = tmp_path / "printed.pdf"
    said = []
    driver.window.session.noticed.connect(lambda *words: said.append(words))

    def answer(dialog):
        printer = dialog.printer()
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(str(path))
        assert printer.pageLayout().fullRect(QPageLayout.Unit.Millimeter).size() == QSizeF(297, 210)
        size = QPageSize(QPageSize.PageSizeId[sheet])
        printer.setPageLayout(QPageLayout(size, QPageLayout.Orientation.Landscape, QMarginsF(0, 0, 0, 0)))
        printer.setResolution(150)
        return True

    monkeypatch.setattr(QPrintDialog, "exec", answer)
    driver.click(paper.print)
    qtbot.waitUntil(lambda: any("printed" in each[1] for each in said), timeout=60_000)
    (page,) = pypdfium2.PdfDocument(path)
    inked = np.argwhere(page.render(scale=2).to_numpy()[..., :3].min(axis=2) < 200)
    whole = pixels_of_written(paper, tmp_path, qtbot)
    reach = np.argwhere(whole < 200)
    assert inked.max(axis=0) == pytest.approx(reach.max(axis=0) * share, abs=4)
    assert inked.min(axis=0) == pytest.approx(reach.min(axis=0) * share, abs=4)
    _, words, details = next(each for each in said if "printed" in each[1])
    assert words.endswith(": 1 page printed") and ("71%" in details) == (share < 1)


def pixels_of_written(paper, folder, qtbot):
    """The page as its own PDF has it, two pixels a point."""
    path = folder / "written.pdf"
    paper.output.write_to(path, paper.plate)
    qtbot.waitUntil(lambda: not paper.busy, timeout=60_000)
    return pypdfium2.PdfDocument(path)[0].render(scale=2).to_numpy()[..., :3].min(axis=2)


def test_blocks_are_moved_resized_written_and_removed_by_hand(driver, paper):
    before = paper.paper.block("legend")
    start = centre(paper, "legend")
    driver.click(paper.page, start)
    assert paper.page.block_id == "legend" and paper.blocks.currentText() == "legend"
    scale = paper.page.per_mm
    driver.drag(paper.page, start, (round(start[0] - 80), round(start[1] + 13)), Qt.KeyboardModifier.AltModifier)
    now = paper.paper.block("legend")
    assert (now.x, now.y) == pytest.approx((before.x - 80 / scale, before.y + 13 / scale), abs=0.02)
    assert paper.block.sides["from left"].value() == pytest.approx(now.x, abs=0.06)
    corner = paper.page._rect(now.box).bottomRight().toPoint()
    driver.drag(
        paper.page, (corner.x(), corner.y()), (corner.x() - 40, corner.y() - 60), Qt.KeyboardModifier.AltModifier
    )
    small = paper.paper.block("legend")
    assert small.width == pytest.approx(now.width - 40 / scale, abs=0.6) and (small.x, small.y) == (now.x, now.y)
    driver.window.commands.do("undo")
    assert paper.paper.block("legend") == now
    paper.block.sides["height"].setValue(31.5)
    driver.settle()
    assert paper.paper.block("legend").height == 31.5
    driver.click(paper.page, centre(paper, "title"))
    paper.block.text.setPlainText("Zones of {date}\nbefore")
    driver.qtbot.waitUntil(lambda: paper.paper.block("title").text == "Zones of {date}\nbefore", timeout=60_000)
    driver.press(paper.page, Qt.Key.Key_Delete)
    driver.settle()
    assert paper.paper.block("title") is None and paper.page.block_id is None
    assert len(driver.work.layers) == 2  # Delete means the block, not the layer
    driver.click(paper.anew)
    assert paper.paper.block("title").text == "{title}" and paper.paper.block("legend") == before


def test_titles_of_any_script_are_drawn_and_letters_without_a_font_are_named(driver, paper, monkeypatch):
    monkeypatch.setattr(font_files, "machine_fonts", lambda: ())
    font_files.other_font.cache_clear()
    driver.click(paper.page, centre(paper, "title"))
    paper.block.text.setPlainText("خليج هارو 2031 (Harrow Bay)")
    driver.settle()
    rows, box = pixels(paper), paper.paper.block("title").box
    cells = rows.reshape(len(rows), -1, 3)
    per_mm = cells.shape[1] / paper.paper.size[0]
    top, bottom, left, right = (round(each * per_mm) for each in (box.y, box.bottom, box.x, box.right))
    ink = np.argwhere(cells[top:bottom, left:right].max(axis=2) < 128)[:, 1]
    assert ink.max() > right - left - 8 and ink.min() > (right - left) / 4  # it ends at the right edge
    assert not paper.note.text()
    paper.block.text.setPlainText("Lava 哈")
    driver.settle()
    assert "哈" in paper.note.text() and "Install a font" in paper.note.text()
    font_files.other_font.cache_clear()
    shaped.cache_clear()
    assert {"Noto Sans Devanagari", "Noto Sans Thai", "Source Code Pro"} <= set(QFontDatabase.families())


def test_everything_is_reached_by_the_keyboard(driver, paper):
    names = [None, *(each.id for each in paper.paper.blocks)]
    for name in names[1:4]:
        driver.press(paper.page, Qt.Key.Key_Tab)
        assert paper.page.block_id == name
    before = paper.paper.block(names[3])
    driver.press(paper.page, Qt.Key.Key_Left)
    driver.press(paper.page, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    now = paper.paper.block(names[3])
    assert (now.x, now.y) == pytest.approx((before.x - 1, before.y + 0.1), abs=1e-6)
    driver.press(paper.page, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert paper.paper.block(names[3]).height == pytest.approx(now.height - 1)
    driver.press(paper.page, Qt.Key.Key_Backtab, Qt.KeyboardModifier.ShiftModifier)
    assert paper.page.block_id == names[2]
    driver.press(paper.page, Qt.Key.Key_Escape)
    assert paper.page.block_id is None
    for _ in names:
        driver.press(paper.page, Qt.Key.Key_Tab)
    assert not paper.page.hasFocus()  # behind the last block the keyboard goes on
    driver.click(paper.back)
    assert driver.window.handover.album.whole.currentWidget() is driver.window.handover.album.plates


def test_the_map_is_moved_in_its_frame_and_comes_closer(driver, paper):
    layout, view = paper.paper, driver.work.state.album.plates[0].view
    driver.click(paper.hand)
    at = centre(paper, "map")
    driver.drag(paper.page, at, (at[0] + 50, at[1] - 20))
    x, y = paper.paper.centre
    metres = layout.scale / 1000 / paper.page.per_mm
    assert (x, y) == pytest.approx((view.x - 50 * metres, view.y - 20 * metres), rel=1e-4)
    assert paper.paper.block("map") == layout.block("map")
    before = paper.paper.scale
    wheel(paper.page, at, 120)
    driver.settle()
    assert paper.paper.scale in (before / 2, before / 2.5 * 2, before / 2.5, before * 0.8)
    wheel(paper.page, at, -120)
    driver.settle()
    assert paper.paper.scale == before
    driver.click(paper.form.fit)
    assert paper.paper.centre is None


def wheel(widget, at, by):
    where = QPointF(*at)
    event = QWheelEvent(where, widget.mapToGlobal(where), QPoint(), QPoint(0, by), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_pages_of_features_are_leafed_through(driver, paper, tmp_path, qtbot):
    driver.choose(paper.form.pages, "each of closed_zones")
    assert paper.paper.pages.name == "name" and paper.paper.pages.fits and not paper.form.scale.isEnabled()
    names = [paper.numbers.itemText(n) for n in range(paper.numbers.count())]
    assert len(names) == 3 and names[0].startswith("1  ")
    first = pixels(paper)
    driver.click(paper.after)
    assert paper.numbers.currentIndex() == 1 and np.abs(pixels(paper) - first).mean() > 3
    driver.choose(paper.form.order, "name")
    assert [paper.numbers.itemText(n)[3:] for n in range(3)] == sorted(name[3:] for name in names)
    driver.click(paper.form.fits)
    assert not paper.paper.pages.fits and paper.form.scale.isEnabled()
    driver.choose(paper.form.grid, "longitude and latitude")
    assert paper.paper.grid is PaperGrid.GEOGRAPHIC
    paper.output.write_to(tmp_path / "zones.svg", paper.plate)
    qtbot.waitUntil(lambda: not paper.busy, timeout=60_000)
    assert sorted(each.name for each in tmp_path.glob("*.svg")) == ["zones-1.svg", "zones-2.svg", "zones-3.svg"]
    driver.choose(paper.form.pages, "one page")
    assert paper.paper.pages is None and paper.numbers.count() == 1 and not paper.numbers.isVisible()


def test_blocks_are_added_and_the_page_comes_closer(driver, paper):
    menu = paper.add.menu()
    next(action for action in menu.actions() if action.text() == "Text").trigger()
    driver.settle()
    block = paper.paper.blocks[-1]
    assert block.kind is BlockKind.TEXT and paper.page.block_id == block.id and paper.block.text.isVisible()
    next(action for action in menu.actions() if action.text() == "Map").trigger()
    driver.settle()
    assert len(paper.paper.of_kind(BlockKind.MAP)) == 2
    before = paper.page.width()
    driver.click(paper.closer)
    assert paper.page.width() > 1.4 * before - 60 and paper.page.picture.width() > 1.3 * before
    driver.click(paper.whole)
    assert paper.page.width() == before


def test_a_comparison_stands_as_two_maps_and_a_picture_plate_fills_the_page(driver, paper, qtbot):
    driver.open(NEW)
    driver.window.show_page("desk")
    driver.window.commands.do("curtain")
    driver.settle()
    assert driver.work.state.comparison.way is Way.CURTAIN
    driver.window.commands.do("paper")
    qtbot.waitUntil(lambda: len(driver.work.state.album.plates) == 2, timeout=60_000)
    driver.settle()
    assert len(paper.paper.of_kind(BlockKind.MAP)) == 2
    out = io.BytesIO()
    Image.new("RGB", (80, 200), (10, 120, 60)).save(out, "PNG")
    album = driver.work.state.album
    plate = Plate(album.free_id(), "From outside", PlateKind.OUTSIDE, picture=out.getvalue())
    driver.work.change_album("picture", album.with_item(plate))
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.settle()
    assert not paper.paper.wide and not paper.form.map_rows.isVisible() and not paper.hand.isVisible()
    assert ((pixels(paper).reshape(-1, 3) - (10, 120, 60)) ** 2).sum(axis=1).min() < 30
    driver.work.change_album("remove", driver.work.state.album.without(plate.id))
    driver.settle()
    assert half.whole.currentWidget() is half.plates and half.current is not None


def test_what_cannot_be_drawn_is_said_below_the_page_in_both_themes(driver, paper, tmp_path):
    plate = driver.work.state.album.plates[0]
    driver.window.use_theme(theme.NIGHT)
    driver.choose(paper.form.pages, "each of closed_zones")
    gone = plate.view.layers[0]
    ref = type(gone.ref).parse(tmp_path / "gone.gpkg").with_part("gone")
    view = plate.view._replace(layers=(replace(gone, ref=ref), *plate.view.layers[1:]))
    album = driver.work.state.album
    driver.work.change_album("plate", album.changed(album.plates[0]._replace(view=view)))
    driver.settle()
    assert "gone.gpkg" in paper.note.text() and paper.note.isVisible()


def test_the_window_draws_pages_beside_itself(driver, paper, monkeypatch):
    """A page is drawn by another thread than the window's, and a drawing that is outdated is dropped."""
    threads, real = [], paper_page.draw_page

    def drawn(*args):
        threads.append(threading.current_thread())
        return real(*args)

    monkeypatch.setattr(paper_page, "draw_page", drawn)
    for scale in ("20000", "30000", "40000"):
        paper.form.scale.setText(scale)
        paper.form.scale.editingFinished.emit()
    driver.settle()
    assert threads and threading.main_thread() not in threads
    assert paper.paper.scale == 40_000 and len(threads) <= 3
