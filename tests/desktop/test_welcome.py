"""Beginning: the welcome, recent work, empty pages, the tour, the guide, the keys, and what Do… finds."""

from __future__ import annotations

import re
from collections import Counter

import pytest
from babel.messages.pofile import read_po
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPixmap

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import CATALOGUES, DOMAIN
from brisk_atlas.desktop.welcome.help_window import HelpWindow
from brisk_atlas.desktop.welcome.keys_window import KeysWindow
from brisk_atlas.desktop.welcome.project_pictures import SIZE, picture_of, store_picture
from brisk_atlas.desktop.welcome.tasks import PAGE_TASKS
from brisk_atlas.desktop.welcome.tour import Tour
from brisk_atlas.help import sections, sections_in, sections_with

NAMED = re.compile(r"(?<!\*)\*([^*`]+)\*(?!\*)")  # as the window has it


@pytest.fixture
def stranger(driver):
    """A window as it is at its first start."""
    driver.window.find_page.show_welcome()
    driver.settle()
    return driver


def test_the_demo_is_two_clicks_from_the_first_start(stranger):
    welcome = stranger.window.find_page.welcome
    assert welcome.isVisible() and not stranger.window.find_page.glance.isVisible()
    assert not welcome.recent_heading.isVisible()
    stranger.click(welcome.demo)
    stranger.settle()
    assert stranger.window.page == "desk" and len(stranger.work.layers) > 5


def test_a_folder_that_is_looked_into_takes_the_place_of_the_welcome(stranger, monkeypatch):
    from PyQt6.QtWidgets import QFileDialog

    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *given: str(demo.DATA))
    find = stranger.window.find_page
    button = next(button for button, _ in find.welcome._ways if button.text().startswith("Look into a folder"))
    stranger.click(button)
    stranger.settle()
    assert find.list.isVisible() and find.glance.isVisible() and not find.welcome.isVisible()
    assert "elevation_2031.tif" in stranger.rows()
    stranger.command("welcome and recent")
    assert find.welcome.isVisible()


def test_recent_projects_have_the_picture_they_were_saved_with_and_open_at_a_click(driver, tmp_path):
    driver.open(demo.DATA / "elevation_2031.tif")
    driver.window.show_page("desk")
    driver.settle()
    path = tmp_path / "serrick & co.brisk.json"
    assert driver.window.project.save_to(path)
    picture = picture_of(path)
    assert (picture.width(), picture.height()) == (SIZE.width(), SIZE.height())
    driver.window.session.shelves.opened_project(path)
    driver.window.session.shelves.opened(DataRef.file(demo.DATA / "vents.kml"))
    driver.window.show_welcome()
    driver.settle()
    welcome = driver.window.find_page.welcome
    project = welcome.recent_grid.itemAt(0).widget()
    assert project.text() == "serrick && co" and not project.icon().isNull()
    driver.work.remove(driver.work.layers[0].id)
    driver.work.load(driver.work.state, None, None)  # nothing unsaved
    driver.click(project)
    driver.settle()
    assert [layer.name for layer in driver.work.layers] == ["elevation_2031"] and driver.window.page == "desk"
    driver.window.show_welcome()
    lately = [welcome.lately_row.itemAt(n).widget() for n in range(welcome.lately_row.count())]
    driver.click(next(each for each in lately if each.text().startswith("vents.kml")))
    driver.settle()
    assert any(layer.name.startswith("vents") for layer in driver.work.layers)


def test_few_pictures_of_projects_are_stored_and_one_that_is_gone_is_empty(tmp_path, monkeypatch, driver):
    monkeypatch.setattr("brisk_atlas.desktop.welcome.project_pictures.MOST", 3)
    shown = QPixmap(400, 400)
    shown.fill(QColor("#C2452D"))
    for number in range(6):
        store_picture(tmp_path / f"{number}.brisk.json", shown)
    stored = [not picture_of(tmp_path / f"{number}.brisk.json").isNull() for number in range(6)]
    assert sum(stored) == 3 and stored[5]
    assert picture_of(tmp_path / "never.brisk.json").isNull()


@pytest.mark.parametrize("page", ["desk", "record", "handover"])
def test_each_page_without_data_says_what_to_do_and_does_it(stranger, page):
    window = stranger.window
    window.show_page(page)
    stranger.settle()
    empty = (window.handover.recipes if page == "handover" else getattr(window, page)).empty
    assert empty.isVisible()
    stranger.click(empty.buttons["page_find"])
    assert window.page == "find"
    window.show_page(page)
    stranger.click(empty.buttons["open_demo"])
    stranger.settle()
    window.show_page(page)
    stranger.settle()
    assert stranger.work.layers and not empty.isVisible()


def test_the_tour_shows_each_part_with_the_keyboard_alone_and_can_be_left(stranger):
    window = stranger.window
    stranger.command("tour")
    tour = window.findChild(Tour)
    assert tour is not None and tour.isVisible() and tour.title.text().startswith("Find")
    seen = []
    for _ in tour.stops:
        stranger.settle()
        marked = tour.stops[tour.at].widget()
        assert marked.isVisible() and tour.frame.isVisible() and tour.frame.size() == marked.size()
        assert window.rect().contains(tour.geometry())
        seen.append(window.page)
        stranger.press(tour, Qt.Key.Key_Right)
    assert seen == ["find", "desk", "desk", "desk", "record", "handover", "desk"] and not tour.isVisible()
    window.commands.do("tour")
    stranger.press(tour, Qt.Key.Key_Escape)
    assert not tour.isVisible() and not tour.frame.isVisible()


def test_the_guide_is_found_by_words_and_opens_at_the_task_of_the_page(driver, qtbot):
    window = driver.window
    window.show_page("record")
    driver.press(window, Qt.Key.Key_F1)
    guide = window.findChild(HelpWindow)
    assert guide.isVisible() and guide.list.currentItem().text() == "Read, check and mend records"
    qtbot.keyClicks(guide.line, "curtain glass")
    assert [guide.list.item(n).text() for n in range(guide.list.count())] == ["Compare before with after"]
    assert "glass" in guide.text.toPlainText()
    qtbot.keyClicks(guide.line, " xyzzy")
    assert guide.none.isVisible() and not guide.text.toPlainText()


def test_the_guide_has_every_task_once_and_titles_come_first():
    titles = [each.title for each in sections()]
    assert len(titles) == len(set(titles)) > 20 and all(each.text for each in sections())
    assert sections_with("relief")[0].title == "See it in relief"
    assert sections_with("no such words anywhere") == []


def test_the_guide_of_another_language_has_the_same_tasks_code_and_names_of_the_window():
    english, german = sections_in("en"), sections_in("de")
    assert len(german) == len(english) and len({each.title for each in german}) == len(german)
    for one, other in zip(english, german):
        codes = [sorted(re.findall(r"`[^`]+`", " ".join(each.text.split()))) for each in (one, other)]
        assert codes[0] == codes[1], other.title
        assert [other.text.count(mark) for mark in ("\n- ", "|")] == [one.text.count(mark) for mark in ("\n- ", "|")]
    with (CATALOGUES / "de" / "LC_MESSAGES" / f"{DOMAIN}.po").open("rb") as file:
        texts = {each.id: each.string for each in read_po(file, locale="de") if isinstance(each.id, str)}
    assert {texts[title] for title in PAGE_TASKS.values()} <= {each.title for each in german}
    known = {text.rstrip("…") for text in texts.values()}
    named = {" ".join(each.split()).rstrip("…") for one in german for each in NAMED.findall(one.text)}
    assert len(named) > 130 and len(named - known) < 20, named - known  # what is stressed for another reason


def test_the_page_of_keys_has_each_key_once_for_one_command(driver, qtbot):
    driver.window.commands.do("keys")
    keys = driver.window.findChild(KeysWindow)
    groups = [keys.tree.topLevelItem(n) for n in range(keys.tree.topLevelItemCount())]
    rows = [group.child(n) for group in groups[:-1] for n in range(group.childCount())]
    commands = Counter(row.text(1) for row in rows if not row.isHidden())
    assert len(commands) == sum(1 for each in driver.window.commands.all() if each.keys)
    assert all(group.text(0) for group in groups)
    qtbot.keyClicks(keys.line, "ctrl+e")
    shown = [row.text(0) for group in groups for n in range(group.childCount())
             if not (row := group.child(n)).isHidden()]  # fmt: skip
    assert "Hand over the subject" in shown and "Relief" not in shown
    keys.line.setText("tour")
    (tour,) = keys.tree.findItems("Take the tour", Qt.MatchFlag.MatchExactly | Qt.MatchFlag.MatchRecursive)
    assert tour.isHidden()
    driver.click(keys.without)
    assert not tour.isHidden()


def test_do_finds_layers_fields_places_datasets_and_help(driver, qtbot):
    window = driver.window
    window.project.open_demo()
    driver.settle()
    window.session.shelves.opened(DataRef.file(demo.DATA / "seafloor.nc"))
    window.session.sheet_of(next(layer for layer in driver.work.layers if layer.name == "buildings"))

    def found(words):
        window.begin_do()
        window._palette_box.line.setText(words)
        box = window._palette_box
        return [box.list.item(n).text().split("      ") for n in range(box.list.count())]

    assert ["buildings", "layer"] in found("buildings")
    assert ["seafloor.nc", "dataset, opened lately"] in found("seafloor")
    assert ["See it in relief", "help"] in found("see it in relief")
    name = next(field.name for field in window.session.fields_of(
        next(layer for layer in driver.work.layers if layer.name == "buildings")))  # fmt: skip
    assert [name, "field of buildings"] in found(name)
    at = found("buildings").index(["buildings", "layer"])
    window._palette_box.list.setCurrentRow(at)
    driver.press(window._palette_box.line, Qt.Key.Key_Return)
    driver.settle()
    assert driver.work.subject.name == "buildings" and window.page == "desk"
    rows = found(name)
    window._palette_box.list.setCurrentRow(rows.index([name, "field of buildings"]))
    driver.press(window._palette_box.line, Qt.Key.Key_Return)
    driver.settle()
    grid = window.desk.sheet.grid
    assert grid.isVisible() and any(column.field == name for column in grid.columns.all)
