"""Plates from the key to the page in a browser: captured, said, put in order, shown again, written and looked at."""

from __future__ import annotations

import io
import re
import shutil
from base64 import b64decode
from dataclasses import replace

import numpy as np
import pytest
import rasterio
import trimesh
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QDialogButtonBox
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.wait import WebDriverWait

from brisk_atlas import demo
from brisk_atlas.core.operations import WriteAlbum
from brisk_atlas.core.workspace import project_file
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.core.workspace.plates import Album, Passage, PlateKind
from brisk_atlas.desktop.album.plate_pictures import map_pictures
from brisk_atlas.desktop.album.series_form import SeriesForm
from browser import browser, needs_browser, violations

SURVEY, OLD, NEW = (demo.DATA / name for name in ("tolvane_survey.gpkg", "elevation_2029.tif", "elevation_2031.tif"))
UTM = "EPSG:32727"
HARROW = (510_380, 5_769_700)


def pixels(data):
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)


def capture(driver, qtbot, widget=None):
    """Capture by the key; returns the plate."""
    work = driver.work
    count = len(work.state.album.items)
    if widget is not None:
        widget.setFocus()
    driver.press(widget or driver.canvas, Qt.Key.Key_F9)
    qtbot.waitUntil(lambda: len(work.state.album.items) == count + 1, timeout=60_000)
    return work.state.album.items[-1]


@pytest.fixture
def desk(driver):
    """Buildings over the heights of two years, at Harrow Landing."""
    driver.open(OLD)
    driver.open(NEW)
    driver.open(SURVEY, part="buildings")
    driver.window.show_page("desk")
    driver.canvas.look_at_centre(*HARROW, 1.6, UTM)
    driver.settle()
    return driver.window.desk


def test_one_key_captures_the_map_sharp_and_the_plate_shows_it_again(driver, desk, qtbot):
    before, view = driver.work.state, driver.canvas.view
    plate = capture(driver, qtbot)
    image = Image.open(io.BytesIO(plate.picture))
    assert image.size == (2 * view.width, 2 * view.height) and plate.kind is PlateKind.MAP and not plate.other
    assert "buildings" in plate.alt and {each.name for each in plate.sources} >= {"buildings", "elevation_2031"}
    assert all(each.fingerprint and each.credit == "Tolvane Survey Office" for each in plate.sources)
    driver.work.change("hide", before.layers[0].id, visible=False)
    driver.work.remove(before.layers[1].id)
    driver.open(demo.DATA / "vents.kml")
    driver.canvas.look_at_centre(505_000, 5_772_000, 20.0, UTM)
    driver.settle()
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.click(half.show_it)
    driver.settle()
    assert driver.window.page == "desk"
    shown = {layer.name: layer.visible for layer in driver.work.layers}
    assert shown == {layer.name: layer.visible for layer in before.layers} | {"vents": False}
    now = driver.canvas.view
    assert (now.x, now.y) == pytest.approx((view.x, view.y)) and now.resolution == pytest.approx(
        view.resolution, rel=0.2
    )
    again, _ = map_pictures(driver.window.session, plate.view, lambda: None)
    assert np.abs(pixels(again) - pixels(plate.picture)).mean() < 1
    driver.window.commands.do("undo")
    assert driver.work.layer(before.layers[1].id) is None  # one step back, as it was before


def test_both_sides_of_a_comparison_are_captured(driver, desk, qtbot):
    layers = {layer.name: layer.id for layer in driver.work.layers}
    driver.work.choose(layers["elevation_2031"])
    driver.window.commands.do("curtain")
    driver.canvas.look_at_centre(510_500, 5_770_300, 9.0, UTM)
    driver.settle()
    plate = capture(driver, qtbot)
    assert plate.view.comparison.way is Way.CURTAIN
    differs = np.abs(pixels(plate.picture) - pixels(plate.other)).max(axis=2) > 12
    assert 0.005 < differs.mean() < 0.5  # the new ground, and not the rest


def test_rows_and_records_are_plates_too(driver, desk, qtbot):
    driver.work.choose(next(layer.id for layer in driver.work.layers if layer.name == "buildings"))
    driver.window.commands.do("sheet")
    driver.settle()
    rows = capture(driver, qtbot, desk.sheet.grid)
    assert rows.kind is PlateKind.SHEET and rows.table.total == 140 and len(rows.table.rows) == 140
    assert rows.table.fields[0] == "building" and dict(zip(rows.table.fields, rows.table.numbers))["floors"]
    desk.sheet.grid._pick({3, 139})
    few = capture(driver, qtbot, desk.sheet.grid)
    assert few.table.total == 2 and [row[0] for row in few.table.rows] == ["B004", "B140"]
    driver.window.show_page("record")
    driver.settle()
    record = capture(driver, qtbot, driver.window)
    assert record.kind is PlateKind.RECORD and record.picture and record.sources[0].name == "buildings"
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(record.id)
    driver.click(half.show_it)
    assert driver.window.page == "record"


def test_captions_titles_and_order_are_steps_of_undo_and_lie_in_the_project(driver, desk, qtbot, tmp_path):
    first = capture(driver, qtbot)
    driver.canvas.look_at_centre(508_300, 5_769_250, 1.6, UTM)
    driver.settle()
    second = capture(driver, qtbot)
    driver.window.commands.do("album")
    half = driver.window.handover.album
    driver.type(half.title, "Mount Serrick")
    half.choose(first.id)
    driver.type(half.item_title, "Harrow Landing")
    half.caption.text.setFocus()
    qtbot.keyClicks(half.caption.text, "Houses by use")
    half.caption.text.moveCursor(QTextCursor.MoveOperation.StartOfWord, QTextCursor.MoveMode.KeepAnchor)
    qtbot.keyClick(half.caption.text, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: driver.work.state.album.plates[0].caption == "Houses by **use**", timeout=60_000)
    half.choose(second.id)
    driver.click(half.up)
    driver.click(half.text)
    driver.type(half.item_title, "Then")
    driver.click(half.down)
    ids = [each.id for each in driver.work.state.album.items]
    assert ids == [second.id, first.id, "item-3"] and half.current.title == "Then"
    driver.press(half.list, Qt.Key.Key_Delete)
    assert [each.id for each in driver.work.state.album.items] == [second.id, first.id]
    driver.window.commands.do("undo")
    assert driver.work.state.album.items[-1].title == "Then"
    path = tmp_path / "work.brisk.json"
    project_file.save(driver.work, path)
    state, _, _ = project_file.read(path)
    assert state.album == driver.work.state.album and state.album.title == "Mount Serrick"


def test_what_is_typed_stays_with_its_item_when_another_is_chosen_at_once(driver, desk, qtbot):
    work = driver.work
    work.change_album("album", Album("", "", (Passage("a", "One", "first"), Passage("b", "Two", "second"))))
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose("a")
    half.caption.text.setFocus()
    half.caption.text.moveCursor(QTextCursor.MoveOperation.End)
    qtbot.keyClicks(half.caption.text, " word")
    half.choose("b")  # before the pause after the last key
    assert [each.text for each in work.state.album.items] == ["first word", "second"]
    assert half.caption.markdown == "second"
    qtbot.keyClicks(half.caption.text, "x")
    work.change_album("title", work.state.album._replace(title="Other"))  # as a capture that ends now would
    assert work.state.album.items[1].text == "secondx" and work.state.album.title == "Other"


def test_a_plate_says_that_its_data_changed_and_is_drawn_again(driver, qtbot, tmp_path):
    place = tmp_path / "elevation.tif"
    shutil.copyfile(OLD, place)
    driver.open(place)
    driver.window.show_page("desk")
    driver.settle()
    plate = capture(driver, qtbot)
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.settle()
    assert "changed since" not in half.facts.text()
    shutil.copyfile(NEW, place)
    half.list.setCurrentRow(-1)
    half.choose(plate.id)
    qtbot.waitUntil(lambda: "changed since: elevation" in half.facts.text(), timeout=60_000)
    driver.click(half.again)
    qtbot.waitUntil(lambda: driver.work.state.album.plates[0].picture != plate.picture, timeout=60_000)
    driver.settle()
    assert "changed since" not in half.facts.text()


def test_all_plates_are_drawn_again_in_one_step_that_is_undone_as_one(driver, qtbot, tmp_path):
    place = tmp_path / "elevation.tif"
    shutil.copyfile(OLD, place)
    driver.open(place)
    driver.window.show_page("desk")
    driver.settle()
    for turn in (0.0, 30.0):
        driver.window.desk.map.canvas.look(replace(driver.window.desk.map.canvas.view, turn=turn))
        driver.settle()
        capture(driver, qtbot)
    before = driver.work.state.album.plates
    shutil.copyfile(NEW, place)
    driver.window.commands.do("draw_plates_again")
    qtbot.waitUntil(lambda: driver.work.state.album.plates[1].picture != before[1].picture, timeout=60_000)
    after = driver.work.state.album.plates
    session = driver.window.session
    assert [each.picture for each in after] == [map_pictures(session, each.view, lambda: None)[0] for each in after]
    assert all(a.sources != b.sources and a.picture != b.picture for a, b in zip(before, after))
    driver.window.commands.do("undo")
    assert driver.work.state.album.plates == before


def test_pictures_from_elsewhere_stand_among_plates_and_what_is_none_is_refused(
    driver, desk, qtbot, tmp_path, monkeypatch
):
    Image.new("RGB", (60, 40), "#C2452D").save(tmp_path / "crew.png")
    (tmp_path / "not.png").write_bytes(b"\x89PNG but no more")
    driver.window.commands.do("album")
    half = driver.window.handover.album
    faults = []
    driver.window.session.noticed.connect(lambda mood, text, details: faults.append(text) if mood == "fault" else None)
    half.add_picture(tmp_path / "not.png")
    qtbot.waitUntil(lambda: bool(faults), timeout=60_000)
    assert "not.png" in faults[0] and not driver.work.state.album.items
    monkeypatch.setattr(Image, "MAX_IMAGE_PIXELS", 1_000)
    half.add_picture(tmp_path / "crew.png")  # as if it were of hundreds of millions of pixels
    qtbot.waitUntil(lambda: len(faults) == 2, timeout=60_000)
    assert "crew.png" in faults[1] and "more than 0 million pixels" in faults[1]
    monkeypatch.undo()
    half.add_picture(tmp_path / "crew.png")
    qtbot.waitUntil(lambda: len(driver.work.state.album.items) == 1, timeout=60_000)
    assert driver.work.state.album.plates[0].kind is PlateKind.OUTSIDE and not half.show_it.isEnabled()


def test_the_page_works_in_a_browser_that_has_no_network(driver, desk, qtbot, tmp_path):
    needs_browser()
    houses = capture(driver, qtbot)
    layers = {layer.name: layer.id for layer in driver.work.layers}
    driver.work.choose(layers["elevation_2031"])
    driver.window.commands.do("curtain")
    driver.settle()
    capture(driver, qtbot)
    driver.work.choose(layers["buildings"])
    driver.window.commands.do("sheet")
    driver.settle()
    capture(driver, qtbot, desk.sheet.grid)
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.write_to(tmp_path / "album.html")
    qtbot.waitUntil(lambda: (tmp_path / "album.html").exists() and not half.busy, timeout=60_000)
    text = (tmp_path / "album.html").read_text()
    assert str(demo.DATA) not in text and str(tmp_path) not in text and "/home/" not in text
    with browser(width=1280, height=1000) as page:
        page.execute_cdp_cmd("Network.enable", {})
        page.execute_cdp_cmd("Network.emulateNetworkConditions",
                             {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0})  # fmt: skip
        page.get((tmp_path / "album.html").as_uri())
        first, second = page.find_elements("css selector", ".stage")
        assert violations(page) == []
        plain = page.get_screenshot_as_png()
        assert np.std(np.asarray(Image.open(io.BytesIO(plain)))) > 20

        into_view = "arguments[0].scrollIntoView({behavior: 'instant', block: 'center'})"
        page.execute_script(into_view, first)
        # a click on a house says what was noted of it
        x, y = houses.view.width / 2, houses.view.height / 2
        table = driver.window.session.cache.features(driver.work.layer(layers["buildings"]).ref)
        at = int(np.argmin(np.hypot(*(table.shapes.bounds[:, :2] - HARROW).T)))
        west, south, east, north = table.shapes.bounds[at]
        px = ((west + east) / 2 - houses.view.x) / houses.view.resolution + x
        py = (houses.view.y - (south + north) / 2) / houses.view.resolution + y
        size = first.size
        ActionChains(page).move_to_element_with_offset(
            first,
            round((px / houses.view.width - 0.5) * size["width"]),
            round((py / houses.view.height - 0.5) * size["height"]),
        ).click().perform()
        said = page.find_element("css selector", ".picked").text
        assert table.table.column("building")[at].as_py() in said and "village" in said

        # closer and back by the keyboard alone
        first.send_keys("+", "+")
        sheet = first.find_element("css selector", ".sheet")
        assert "scale(2.25)" in sheet.get_attribute("style")
        first.send_keys(Keys.ARROW_RIGHT)
        first.send_keys(Keys.ENTER)
        assert page.find_element("css selector", ".picked").text
        first.send_keys("0")
        assert "scale(1)" in sheet.get_attribute("style")

        # the curtain goes by hand and by key
        grip = second.find_element("css selector", ".grip")
        page.execute_script(into_view, second)
        ActionChains(page).drag_and_drop_by_offset(grip, -200, 0).perform()
        share = int(grip.get_attribute("aria-valuenow"))
        assert abs(share - (50 - 100 * 200 / second.size["width"])) < 3
        grip.send_keys(Keys.END)
        assert grip.get_attribute("aria-valuenow") == "100"
        a = second.screenshot_as_png
        grip.send_keys(Keys.HOME)
        assert np.abs(pixels(a) - pixels(second.screenshot_as_png)).mean() > 1

        # rows are sorted as numbers, what is missing last
        heads = page.find_elements("css selector", "table th button")
        names = [each.text for each in heads]
        page.execute_script(into_view, heads[0])
        heads[names.index("people")].click()
        script = "return [...document.querySelectorAll('tbody tr')].map(r => r.cells[arguments[0]].textContent)"
        shown = [int(each) for each in page.execute_script(script, names.index("people")) if each]
        assert shown == sorted(shown) and len(shown) > 100

        for head in page.get_log("browser"):
            assert head["level"] != "SEVERE", head
        asked = page.execute_script("return performance.getEntriesByType('resource').map(e => e.name)")
        assert not [each for each in asked if not each.startswith("data:")]
    with browser(scripts=False) as page:
        page.get((tmp_path / "album.html").as_uri())
        assert all(each.size["height"] > 200 for each in page.find_elements("css selector", ".stage"))


def test_a_relief_is_captured_shown_again_and_turned_on_the_page(driver, desk, qtbot, tmp_path):
    needs_browser()
    driver.work.choose(next(layer.id for layer in driver.work.layers if layer.name == "elevation_2031"))
    driver.window.commands.do("relief")
    driver.settle()
    plate = capture(driver, qtbot, desk.relief.canvas)
    assert plate.kind is PlateKind.RELIEF and plate.view.eye is not None
    assert [driver.work.layer(each).name for each in plate.view.grounds] == ["elevation_2031"]
    eye = desk.relief.canvas.eye
    desk.relief.canvas.turn(replace(eye, azimuth=eye.azimuth + 90))
    driver.window.commands.do("relief")
    driver.window.handover.show_half("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.click(half.show_it)
    qtbot.waitUntil(
        lambda: desk.relief.isVisible() and abs(desk.relief.canvas.eye.azimuth - eye.azimuth) < 0.5, timeout=60_000
    )
    driver.settle()
    path = tmp_path / "album.html"
    WriteAlbum(path).run(driver.window.session.workspace)
    text = path.read_text()
    with rasterio.open(NEW) as source:
        highest = float(source.read(1, masked=True).max())
    glb = b64decode(re.search(r'id="model-part-1">([^<]*)<', text)[1])
    (mesh,) = trimesh.load(io.BytesIO(glb), file_type="glb").geometry.values()
    assert 20_000 < len(mesh.vertices) < 80_000 and mesh.bounds[1][1] == pytest.approx(
        1.5 * highest, rel=0.05
    )  # of samples
    with browser(reliefs=True) as page:
        page.get(path.as_uri())
        turn = page.find_elements("css selector", ".tools button")[-1]
        assert turn.text == "Turn it"
        turn.click()
        WebDriverWait(page, 60).until(lambda d: d.find_elements("css selector", "canvas.turning"))
        WebDriverWait(page, 60).until(lambda d: turn.text == "Picture")
        canvas = page.find_element("css selector", "canvas.turning")

        def shown():
            address = page.execute_script("return arguments[0].toDataURL()", canvas)
            return pixels(b64decode(address.partition(",")[2]))

        first = shown()
        assert 0.02 < (first.max(axis=2) > 10).mean() < 0.9  # a ground before the sky
        canvas.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT, Keys.ARROW_UP)
        turned = shown()
        assert np.abs(turned - first).mean() > 0.1 * first.mean()
        ActionChains(page).drag_and_drop_by_offset(canvas, 120, 0).perform()
        assert np.abs(shown() - turned).mean() > 0.1 * first.mean()
        canvas.send_keys("0")
        assert np.abs(shown() - first).mean() < 0.01 * first.mean()
        turn.click()
        assert not page.find_elements("css selector", "canvas.turning")
        assert not [each for each in page.get_log("browser") if each["level"] == "SEVERE"]
    with browser() as page:  # without three dimensions the picture stays, and says so
        page.get(path.as_uri())
        turn = page.find_elements("css selector", ".tools button")[-1]
        turn.click()
        WebDriverWait(page, 60).until(lambda d: turn.text in ("It can't be turned here", "Picture"))


def test_a_time_series_is_chosen_for_a_plate(driver, desk, qtbot):
    driver.open(demo.DATA / "gas_readings.parquet")
    plate = capture(driver, qtbot)
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    facts = {layer.id: driver.window.session.cache.part(layer.ref).facts for layer in plate.view.layers}
    form = SeriesForm(plate.view, facts, None, half)
    assert (form.layer.currentText(), form.table.currentText()) == ("buildings", "gas_readings")
    driver.choose(form.key, "village")
    driver.choose(form.value, "co2_ppm")
    form.buttons.button(QDialogButtonBox.StandardButton.Ok).click()
    layers = {layer.name: layer.id for layer in driver.work.layers}
    assert form.series == (layers["buildings"], "village", layers["gas_readings"], "station", "time", "co2_ppm")
    half._change("time series", series=form.series)
    assert "co2_ppm over time" in half.facts.text()
    again = SeriesForm(plate.view, facts, form.series, half)
    assert again.key.currentText() == "village" and again.value.currentText() == "co2_ppm"
    driver.click(again.none)
    assert again.series is None


def test_what_is_typed_last_is_in_the_work_before_closing_asks(driver, desk, qtbot, monkeypatch):
    from brisk_atlas.desktop import project_deeds

    plate = capture(driver, qtbot)
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.settle()
    asked = []
    monkeypatch.setattr(project_deeds, "may_close_work", lambda *given: asked.append(driver.work.state.album))
    half.caption.text.setFocus()
    qtbot.keyClicks(half.caption.text, "The rim is gone")
    driver.window.close()
    assert asked[0].item(plate.id).caption == "The rim is gone" and driver.window.isVisible()


def misspelled(edit):
    """Return the words that are underlined."""
    found, block = [], edit.document().firstBlock()
    while block.isValid():
        found += [
            block.text()[each.start : each.start + each.length]
            for each in block.layout().formats()
            if each.format.underlineStyle() == QTextCharFormat.UnderlineStyle.WaveUnderline
        ]
        block = block.next()
    return found


def test_captions_are_spelled_and_words_are_mended_from_the_menu(driver, desk, qtbot):
    plate = capture(driver, qtbot)
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.settle()
    edit, marks = half.caption.text, half.caption.spelling
    edit.setFocus()
    qtbot.keyClicks(edit, "The erupton reached buildings of elevation_2031, Tolvane")
    assert misspelled(edit) == ["erupton", "Tolvane"]

    menus = []  # that stay until the end

    def entries(word):
        cursor = edit.document().find(word)
        menu = edit.createStandardContextMenu()
        at = edit.cursorRect(cursor).center()
        at.setX(at.x() - 4)
        marks.fill_menu(menu, at)
        menus.append(menu)
        return {action.text(): action for action in menu.actions()}

    found = entries("Tolvane")
    found["Add “Tolvane” to the known words"].trigger()
    driver.settle()
    assert misspelled(edit) == ["erupton"]
    found = entries("erupton")
    assert next(iter(found)) == "eruption"
    found["eruption"].trigger()
    assert misspelled(edit) == [] and edit.toPlainText().startswith("The eruption reached")
    driver.settle()
    qtbot.waitUntil(lambda: "eruption" in driver.work.state.album.item(plate.id).caption, timeout=60_000)
    assert "~" not in driver.work.state.album.item(plate.id).caption  # marks are none of the text
    edit.setPlainText("Der Krater ist zerstort")
    assert len(misspelled(edit)) > 1
    found = entries("Krater")
    languages = found["Spelling"].menu()
    next(action for action in languages.actions() if action.text() == "German").trigger()
    driver.settle()
    assert misspelled(edit) == ["zerstort"]
    next(action for action in languages.actions() if action.text() == "Not looked at").trigger()
    driver.settle()
    assert misspelled(edit) == []


def test_a_chart_that_has_the_keyboard_is_captured_and_its_drawer_opens_again(driver, desk, qtbot):
    driver.work.choose(next(layer.id for layer in driver.work.layers if layer.name == "elevation_2031"))
    desk.side.open("statistics")
    bars = desk.side.drawers["statistics"].bars
    qtbot.waitUntil(lambda: bars.isVisible(), timeout=60_000)
    driver.settle()
    plate = capture(driver, qtbot, bars)
    assert plate.kind is PlateKind.CHART and plate.view.drawer == "statistics"
    assert plate.title.startswith("elevation_2031: Histogram of") and "elevation_2031" in plate.alt
    image = Image.open(io.BytesIO(plate.picture))
    assert image.size == (2 * bars.width(), 2 * bars.height()) and np.std(np.asarray(image.convert("L"))) > 10
    desk.side.open("probe")
    driver.window.commands.do("album")
    half = driver.window.handover.album
    half.choose(plate.id)
    driver.click(half.show_it)
    driver.settle()
    assert driver.window.page == "desk" and desk.side.on_show == "statistics"
    assert capture(driver, qtbot, driver.canvas).kind is PlateKind.MAP


def test_a_chart_lies_in_the_project_as_it_was_captured(driver, desk, qtbot, tmp_path):
    driver.work.choose(next(layer.id for layer in driver.work.layers if layer.name == "elevation_2029"))
    desk.side.open("statistics")
    bars = desk.side.drawers["statistics"].bars
    qtbot.waitUntil(lambda: bars.isVisible(), timeout=60_000)
    plate = capture(driver, qtbot, bars)
    project_file.save(driver.work, tmp_path / "work.brisk.json")
    state, _, _ = project_file.read(tmp_path / "work.brisk.json")
    assert state.album.plates[0] == plate
