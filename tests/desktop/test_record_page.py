"""The Record page: read, checked, mended, compared, put into another standard, many at once."""

from __future__ import annotations

import csv
import shutil

import pytest
from lxml import etree
from owslib.iso import MD_Metadata
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QLineEdit

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.record import read_document
from brisk_atlas.desktop.record.bar import BESIDE, BRIEF, FULL, TEXT

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


@pytest.fixture
def shelf(tmp_path):
    """The demo's data where it may be written to."""
    folder = tmp_path / "shelf"
    shutil.copytree(demo.DATA, folder)
    return folder


class Reader:
    """Works with the page as a person does."""

    def __init__(self, driver):
        self.d, self.page = driver, driver.window.record
        self.tree = self.page.tree

    def read(self, path):
        self.d.window.read_record(DataRef.file(path))
        self.d.settle()
        return self

    def view(self, number):
        self.d.click(self.page.bar.view_buttons[number])

    def click_row(self, item, column=1):
        self.tree.scrollToItem(item)
        rect = self.tree.visualItemRect(item)
        self.d.click(self.tree.viewport(), (self.tree.columnViewportPosition(column) + 20, rect.center().y()))

    def row(self, *place):
        return self.tree._items[place]

    def put(self, text, *place):
        """Click a row, F2, type, Enter."""
        self.click_row(self.row(*place))
        self.d.press(self.tree, Qt.Key.Key_F2)
        editor = self.tree.viewport().findChild(QLineEdit, "value editor")
        assert editor is not None, f"{place} cannot be typed into"
        self.d.type(editor, text)

    def findings(self):
        return {f.place: f.reason for f in self.page.checks.findings}

    def click_finding(self, words):
        checks = self.page.checks.list
        item = next(i for i in map(checks.item, range(checks.count())) if words in i.text())
        checks.scrollToItem(item)
        center = checks.visualItemRect(item).center()
        self.d.click(checks.viewport(), (center.x(), center.y()))

    def until_idle(self, form):
        self.d.qtbot.waitUntil(lambda: not form.busy, timeout=60_000)
        self.d.settle()


@pytest.fixture
def reader(driver):
    driver.window.show_page("record")
    return Reader(driver)


# OpenOptions


def test_what_find_sent_is_read_in_brief(driver):
    driver.window.find_page.go_to(demo.DATA)
    driver.settle()
    driver.find("elevation_2031.tif")
    driver.click(driver.window.find_page.glance.record_button)
    page = driver.window.record
    text = page.brief.reading.toPlainText()
    assert driver.window.page == "record" and page.view == BRIEF
    assert "Elevation of Tolvane Island after the eruption, 2031" in text and "Ines Maro" in text
    assert "WGS 84 / UTM zone 27S" in text and "Derived from the data" in text
    assert page.brief.map.isVisible() and page.brief._picture.frames
    assert "17 of 17 filled in; nothing is wrong" in page.checks.message.text()


def test_the_cut_off_column_is_found_by_search(reader):
    r = reader.read(demo.DATA / "fissures_2031" / "fissures.shp")
    assert "MAXOPEN_M" in r.page.brief.reading.toPlainText()
    r.d.type(r.page.bar.search, "maxopen")
    assert r.page.brief.reading.textCursor().selectedText() == "MAXOPEN"
    r.view(FULL)
    r.d.type(r.page.bar.search, "maxopen")
    assert r.tree.currentItem().text(1) == "MAXOPEN_M" and r.tree.currentItem().text(0) == "Attribute label"
    r.d.type(r.page.bar.search, "Largest opening")
    assert "Widest gap measured across the fissure" in r.tree.currentItem().text(1)


def test_full_speaks_in_the_words_of_the_standard(reader):
    r = reader.read(demo.DATA / "fissures_2031" / "fissures.shp")
    r.view(FULL)
    assert (
        r.row("status").text(0) == "Progress"
        and r.row("contacts", 1, "email").text(0) == "Contact electronic mail address"
    )
    r.d.choose(r.page.bar.standard, "ISO 19139")
    assert r.row("status").text(0) == "Status" and ("topics",) in r.findings()
    assert r.row("topics").text(2) == "missing" and "topic category" in r.findings()["topics",]
    assert ("entities",) not in r.tree._items or not r.row("entities", 0, "name").flags() & Qt.ItemFlag.ItemIsEditable
    r.d.choose(r.page.bar.standard, "INSPIRE")
    assert any("INSPIRE themes" in reason for reason in r.findings().values())


def test_a_full_reading_that_was_emptied_is_searched_and_filled_again(reader):
    r = reader.read(demo.DATA / "fissures_2031" / "fissures.shp")
    r.view(FULL)
    r.page.views.show_nothing()
    assert not r.tree.find_next("status") and r.tree.item_at(("status",)) is None
    r.tree.go_to_section("What it is")
    r.read(demo.DATA / "tolvane_survey.gpkg")
    assert r.row("title").text(1) == "Survey layers of Tolvane Island"


def test_the_outline_says_how_complete_each_section_is_and_leads_there(reader):
    r = reader.read(demo.DATA / "ash_samples.geojson")
    outline = r.page.outline
    names = {outline.item(i).text(): outline.item(i) for i in range(outline.count())}
    spoken = Qt.ItemDataRole.AccessibleTextRole
    assert names["When"].data(spoken) == "When, 0 of 1 filled in, 1 faults"
    assert names["Where and how fine"].data(spoken) == "Where and how fine, 1 of 1 filled in, 0 faults"
    rect = outline.visualItemRect(names["How it was made"])
    r.d.click(outline.viewport(), (rect.center().x(), rect.center().y()))
    assert r.page.brief.reading.verticalScrollBar().value() > 0
    r.view(TEXT)
    rect = outline.visualItemRect(outline.item(outline.count() - 1))
    r.d.click(outline.viewport(), (rect.center().x(), rect.center().y()))
    assert "fileIdentifier" in r.page.text.textCursor().block().text()


def test_text_and_outline_follow_each_other(reader):
    r = reader.read(demo.DATA / "elevation_2031.tif")
    r.view(TEXT)
    text = r.page.text
    assert text.toPlainText() == (demo.DATA / "elevation_2031.tif.xml").read_text()
    r.d.type(r.page.bar.search, "statement")
    assert "gmd:statement" in text.textCursor().block().text()
    r.d.press(text, Qt.Key.Key_Down)
    assert r.page.outline.chosen == "How it was made"
    first = text.textCursor().blockNumber()
    r.d.click(r.page.bar.fold)
    assert not text.document().findBlockByNumber(first).isVisible() and text.document().findBlockByNumber(1).isVisible()
    text.go_to(first + 1)
    assert text.document().findBlockByNumber(first).isVisible()
    r.view(FULL)
    assert r.tree.place == ("lineage",)


def test_a_dataset_without_a_record_gets_one(reader, shelf):
    r = reader.read(shelf / "gas_stations.csv")
    assert (
        "No record beside the data" in r.page.bar.message.text()
        and "station (text)" in r.page.brief.reading.toPlainText()
    )
    assert r.page.checks.message.text() == "No record to check."
    r.d.click(r.page.bar.make)
    made = read_document(shelf / "gas_stations.csv.xml")
    assert made.record.title == "gas_stations" and made.record.representation == ("textTable",)
    assert r.page.bar.records.currentText() == "gas_stations.csv.xml, ISO 19139" and not r.page.bar.make.isVisible()


# Editing


def test_the_missing_date_is_seen_added_saved_and_read_by_another_library(reader, shelf):
    path = shelf / "ash_samples.geojson.xml"
    before = path.read_bytes()
    r = reader.read(shelf / "ash_samples.geojson")
    r.click_finding("A citation must have a date")
    assert r.page.view == FULL and r.tree.place == ("dates",)
    r.d.press(r.tree, Qt.Key.Key_Return)
    r.put("24.6.2031", "dates", 0, "day")
    assert "is no date" in r.page.bar.wrong.text() and not r.page.bar.save.isEnabled()
    editor = r.tree.viewport().findChild(QLineEdit, "value editor")
    r.d.type(editor, "2031-06-02")
    assert (
        r.page.shown.draft.record.dates[0].day == "2031-06-02" and "happened then" in r.findings()["dates", 0, "kind"]
    )
    r.click_row(r.row("dates", 0, "kind"))
    r.d.press(r.tree, Qt.Key.Key_F2)
    box = r.tree.viewport().findChildren(object)
    combo = next(w for w in box if getattr(w, "objectName", lambda: "")() == "value editor")
    r.d.choose(combo, "creation")
    assert ("dates",) not in r.findings() and path.read_bytes() == before
    r.d.click(r.page.bar.save)
    saved = MD_Metadata(etree.parse(path).getroot())
    assert [(d.date, d.type) for d in saved.identification[0].date] == [("2031-06-02", "creation")]
    assert saved.identification[0].title == "Ash samples" and not r.page.bar.save.isEnabled()
    old, new = before.decode().splitlines(), path.read_text().splitlines()
    assert [line for line in old[1:] if line not in new] == []  # nothing else was touched


def test_edits_can_be_undone_and_stay_while_others_are_read(reader, shelf):
    r = reader.read(shelf / "elevation_2031.tif")
    r.view(FULL)
    r.put("Another title", "title")
    assert r.row("title").text(1) == "Another title" and "edited, not saved" in r.page.bar.message.text()
    r.read(shelf / "elevation_2029.tif").read(shelf / "elevation_2031.tif")
    assert r.row("title").text(1) == "Another title" and r.page.unsaved == ["elevation_2031.tif"]
    r.d.window.commands.do("undo")
    assert r.row("title").text(1).startswith("Elevation of Tolvane") and not r.page.bar.save.isEnabled()
    r.d.window.commands.do("redo")
    assert r.row("title").text(1) == "Another title"
    assert (shelf / "elevation_2031.tif.xml").read_text() == (demo.DATA / "elevation_2031.tif.xml").read_text()


def test_what_the_data_tells_is_filled_in_and_marked(reader, shelf):
    r = reader.read(shelf / "fissures_2031" / "fissures.shp")
    r.view(FULL)
    assert (
        "reference system" in " ".join(f.reason for f in r.page.checks.findings).lower() or ("systems",) in r.findings()
    )
    r.d.click(r.page.bar.fill)
    assert r.row("systems", 0, "code").text(1) == "32727" and r.row("boxes", 0, "west").text(2) == "from the data"
    assert r.page.shown.draft.record.objects[0].count == 6
    r.put("7", "objects", 0, "count")
    assert "6 objects; the record says 7" in r.findings()["objects", 0, "count"]


def test_items_are_added_and_removed_by_keys(reader, shelf):
    r = reader.read(shelf / "elevation_2031.tif")
    r.view(FULL)
    r.click_row(r.row("keywords", 0, "words", 3))
    r.d.press(r.tree, Qt.Key.Key_Insert)
    editor = r.tree.viewport().findChild(QLineEdit, "value editor")
    r.d.type(editor, "delta")
    assert r.page.shown.draft.record.keywords[0].words[-1] == "delta"
    r.click_row(r.row("keywords", 0, "words", 0))
    r.d.press(r.tree, Qt.Key.Key_Delete)
    assert r.page.shown.draft.record.keywords[0].words[0] == "eruption"
    r.d.click(r.page.bar.everything)
    assert r.row("edition").text(1) == "not stated"
    r.put("2", "edition")
    assert "gmd:edition" in r.page.shown.draft.document.text


def test_edited_field_definitions_reach_the_sheet(driver, shelf):
    driver.open(shelf / "fissures_2031" / "fissures.shp")
    r = Reader(driver).read(shelf / "fissures_2031" / "fissures.shp")
    r.view(FULL)
    editor_place = ("entities", 0, "fields", 5, "definition")
    assert r.row(*editor_place).text(1).startswith("Dip.")
    r.page._written(editor_place, "Steepness. Dip of the wall.")
    r.d.click(r.page.bar.save)

    words = driver.window.session.cache.field_meanings(driver.work.layers[0].ref)
    assert words["DIP_DEG"].alias == "Steepness"


# Two records, other standards


def test_two_records_side_by_side_and_one_value_taken(reader, shelf, monkeypatch):
    r = reader.read(shelf / "elevation_2029.tif")
    r.view(BESIDE)
    other = shelf / "elevation_2031.tif.xml"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(other), ""))
    compare = r.page.compare
    compare.other.activated.emit(compare.other.findData(-1))
    r.d.settle()
    rows = {
        compare.tree.topLevelItem(i).text(0).strip(): compare.tree.topLevelItem(i)
        for i in range(compare.tree.topLevelItemCount())
    }
    assert "12 values differ" in compare.message.text() or "values differ" in compare.message.text()
    assert (
        rows["purpose"].text(1).startswith("Base for measuring")
        and rows["purpose"].text(3) == "changed"
        and "status" not in rows
    )
    compare.tree.setCurrentItem(rows["purpose"])
    r.d.click(compare.take)
    assert r.page.shown.draft.record.purpose.startswith("Measures new lava")
    r.d.click(compare.only, (8, 8))
    assert any(
        compare.tree.topLevelItem(i).text(0).strip() == "status" for i in range(compare.tree.topLevelItemCount())
    )


def test_converting_reports_first_and_writes_beside(reader, shelf):
    r = reader.read(shelf / "fissures_2031" / "fissures.shp")
    r.page.actions_.convert()
    form = r.page.actions_.form
    r.d.choose(form.standard, "ISO 19115-3")
    r.until_idle(form)
    lines = [form.report.item(i).text() for i in range(form.report.count())]
    assert any(line.startswith("Lost: time says") for line in lines) and any("Missing: topic" in line for line in lines)
    r.d.click(form.go)
    r.until_idle(form)
    r.d.settle()
    assert (
        read_document(shelf / "fissures_2031" / "fissures.shp.iso19115-3.xml").record.entities[0].fields[1].name
        == "OPEN_DT"
    )
    assert r.page.bar.records.count() == 2


def test_a_save_as_over_another_standards_record_is_refused(reader, shelf):
    r = reader.read(shelf / "fissures_2031" / "fissures.shp")
    r.page.actions_.save_as(shelf / "elevation_2031.tif.xml")
    r.d.settle()
    assert "holds a record in ISO 19139" in r.d.window.notice.text.text()
    assert read_document(shelf / "elevation_2031.tif.xml").standard.name == "ISO 19139"


def test_saving_inside_the_geopackage_from_the_menu(reader, shelf):
    r = reader.read(shelf / "tolvane_survey.gpkg")
    r.page.actions_.fill_menu(r.page.bar.menu)
    action = next(a for a in r.page.bar.menu.actions() if a.text() == "Save inside the GeoPackage")
    action.trigger()
    r.d.settle()
    labels = [r.page.bar.records.itemText(i) for i in range(r.page.bar.records.count())]
    assert any(label.startswith("inside, metadata 1") for label in labels)


# Many


def test_a_template_goes_into_five_datasets(reader, shelf):
    r = reader.read(shelf / "ash_samples.geojson")
    r.page.show_folder(shelf)
    r.d.settle()
    many = r.page.many
    names = ("ash_samples.geojson", "gas_stations.csv", "laboratory.xlsx", "vents.kml", "seafloor.nc")
    model = many.sorted
    many.table.setSelectionMode(many.table.SelectionMode.MultiSelection)
    for i in range(model.rowCount()):
        if model.index(i, 0).data() in names:
            many.table.selectRow(i)
    r.d.click(many.template)
    form = many.form
    r.d.type(form.template, str(shelf / "templates" / "office_iso19139.xml"))
    r.until_idle(form)
    tops = [form.changes.topLevelItem(i) for i in range(form.changes.topLevelItemCount())]
    assert len(tops) == 5 and form.message.text().startswith("5 of 5 records change")
    new = next(t for t in tops if t.text(0) == "vents.kml.xml")
    assert new.text(1) == "new record" and any(new.child(i).text(0) == "conditions" for i in range(new.childCount()))
    assert not (shelf / "vents.kml.xml").exists()
    r.d.click(form.go)
    r.until_idle(form)
    for name in names:
        record = read_document(shelf / f"{name}.xml").record
        assert record.constraints[0].limits[0].startswith("Free to use"), name
    assert read_document(shelf / "seafloor.nc.xml").standard.name == "ISO 19115-3"


def test_the_table_of_contacts_of_a_folder(reader, shelf, tmp_path):
    r = reader
    r.page.show_folder(shelf)
    r.d.settle()
    many = r.page.many
    r.d.choose(many.sets, "Contacts")
    r.d.settle()
    heads = [many.model.headerData(i, Qt.Orientation.Horizontal) for i in range(many.model.columnCount())]
    assert "Contact: e-mail" in heads and "Complete" in heads
    column = heads.index("Contact: e-mail")
    texts = {many.model.index(i, 0).data(): many.model.index(i, column).data() for i in range(many.model.rowCount())}
    assert texts["elevation_2031.tif"] == "data@survey.tolvane.example" and texts["ash_samples.geojson"] == "not stated"
    assert texts["vents.kml"] == "" and "datasets without one" in many.message.text()
    r.d.type(many.filter, "elevation", enter=False)
    many.table.sortByColumn(0, Qt.SortOrder.DescendingOrder)
    many.export_to(tmp_path / "contacts.csv")
    r.d.settle()
    with (tmp_path / "contacts.csv").open() as file:
        rows = list(csv.DictReader(file))
    later = "delivery_2032/elevation_2032.tif"
    assert [row["dataset"] for row in rows] == ["elevation_2031.tif", "elevation_2029.tif", later]
    assert rows[0]["contact: e-mail"] == "data@survey.tolvane.example"
    many.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
    index = many.sorted.index(0, 0)
    rect = many.table.visualRect(index)
    r.d.click(many.table.viewport(), (rect.center().x(), rect.center().y()))
    r.d.qtbot.mouseDClick(many.table.viewport(), Qt.MouseButton.LeftButton, pos=rect.center())
    r.d.settle()
    assert r.page.bar.title.text() == "elevation_2032.tif" and r.page.split.isVisible()  # the first by its folder


def test_flattened_xml_opens_in_sheet(reader, shelf, home):
    r = reader.read(shelf / "fissures_2031" / "fissures.shp")
    r.page.actions_.flatten(shelf / "fissures_2031" / "fissures.shp.xml")
    form = r.page.actions_.form
    r.until_idle(form)
    form.names.item(0).setCheckState(Qt.CheckState.Checked)
    r.until_idle(form)
    assert form.chosen() == ["attr"] and form.preview.rowCount() == 7 and form.which.count() == 2
    r.d.click(form.open_button)
    r.until_idle(form)
    r.d.settle()
    assert any(layer.name == "fissures_attr" for layer in r.d.work.layers)


def test_a_page_and_a_catalogue_are_handed_on(reader, shelf, tmp_path):
    r = reader.read(shelf / "elevation_2031.tif")
    r.page.actions_.write_page(tmp_path / "page.html")
    r.d.settle()
    page = (tmp_path / "page.html").read_text()
    assert "data:image/png;base64," in page and "Derived from the data" in page
    r.page.show_folder(shelf / "fissures_2031")
    r.d.settle()
    r.page.many.catalogue_to(tmp_path / "c.ttl")
    r.d.settle()
    assert "Fissures of Mount Serrick" in (tmp_path / "c.ttl").read_text()


def test_night_and_day(reader):
    r = reader.read(demo.DATA / "elevation_2031.tif")
    for view in (BRIEF, FULL, TEXT, BESIDE):
        r.view(view)
        r.d.window.toggle_theme()
        assert r.page.theme is r.d.window.theme and r.tree.theme is r.page.theme


# The rest of the menu


def test_the_schema_is_asked_and_its_findings_lead_to_their_lines(reader):
    r = reader.read(demo.DATA / "ash_samples.geojson")
    r.d.click(r.page.checks.schema)
    r.d.settle()
    assert "The schema refuses 1" in r.page.checks.message.text()
    finding = next(f for f in r.page.checks.findings if f.source == "schema")
    r.view(TEXT)
    r.click_finding("dateStamp")
    assert abs(r.page.text.textCursor().blockNumber() + 1 - finding.line) <= 3
    r.read(demo.DATA / "elevation_2031.tif")
    r.d.click(r.page.checks.schema)
    r.d.settle()
    assert "Valid by the schema" in r.page.checks.message.text()


def test_what_was_not_read_leads_to_its_line(reader, shelf):
    path = shelf / "tolvane_survey.gpkg.xml"
    path.write_text(path.read_text().replace("<gco:Integer>5000<", "<gco:Integer>some<"))
    r = reader.read(shelf / "tolvane_survey.gpkg")
    r.click_finding("'some' is left as it is")
    assert r.page.view == TEXT and "denominator" in r.page.text.textCursor().block().text()


def test_a_template_is_saved_from_a_record(reader, shelf):
    r = reader.read(shelf / "elevation_2031.tif")
    r.page.actions_.save_template()
    form = r.page.actions_.form
    names = {form.elements.item(i).data(Qt.ItemDataRole.UserRole) for i in range(form.elements.count())}
    assert "title" not in names and "boxes" not in names and {"contacts", "constraints"} <= set(form.chosen())
    form.save_to(shelf / "mine.xml")
    made = read_document(shelf / "mine.xml").record
    assert made.contacts[0].organisation == "Tolvane Survey Office" and not made.title and not made.abstract


def test_a_record_is_linked_and_forgotten(reader, shelf, home):
    r = reader.read(shelf / "gas_stations.csv")
    r.page.actions_.link(shelf / "gas_readings.parquet.xml")
    r.d.settle()
    assert r.page.bar.records.currentText().startswith("gas_readings.parquet.xml, linked")
    r.page.actions_.fill_menu(r.page.bar.menu)
    next(a for a in r.page.bar.menu.actions() if a.text() == "Forget the linked record").trigger()
    r.d.settle()
    assert r.page.bar.records.count() == 0 and r.page.bar.make.isVisible()


def test_a_broken_record_is_named_and_the_rest_is_read(reader, shelf):
    (shelf / "elevation_2031.tif.iso.xml").write_text("<gmd:MD_Metadata")
    r = reader.read(shelf / "elevation_2031.tif")
    assert "elevation_2031.tif.iso.xml" in r.page.bar.message.text() and "broken" in r.page.bar.message.text()
    assert r.page.bar.records.count() == 1 and "Elevation of Tolvane" in r.page.brief.reading.toPlainText()


def test_a_record_that_changed_meanwhile_is_not_written_over(reader, shelf):
    path = shelf / "elevation_2031.tif.xml"
    r = reader.read(shelf / "elevation_2031.tif")
    r.view(FULL)
    r.put("Mine", "title")
    path.write_text(path.read_text().replace("Ines Maro", "Somebody Else"))
    r.d.click(r.page.bar.save)
    assert "changed by someone else" in r.d.window.notice.text.text() and "Somebody Else" in path.read_text()
    assert r.row("title").text(1) == "Mine" and r.page.bar.save.isEnabled()


def test_the_list_sorts_by_completeness_and_shows_what_cannot_be_read(reader, shelf):
    (shelf / "broken.xml").write_text("<metadata><idinfo>")
    r = reader
    r.page.show_folder(shelf)
    r.d.settle()
    many = r.page.many
    many.table.sortByColumn(3, Qt.SortOrder.DescendingOrder)
    assert many.sorted.index(0, 3).data() == "100%" and "1 that cannot be read" in many.message.text()
    last = many.model.columnCount() - 1
    errors = {many.model.index(i, 1).data(): many.model.index(i, last).data() for i in range(many.model.rowCount())}
    assert "broken" in errors["broken.xml"] and not many.table.isColumnHidden(last)
    r.d.choose(many.standard, "INSPIRE")
    r.d.settle()
    assert all(many.sorted.index(i, 3).data() != "100%" for i in range(many.sorted.rowCount()))


def test_what_can_be_folded_is_found():
    from brisk_atlas.desktop.record.xml_view import folds_of

    xml = "<a>\n <b>\n  <c/>\n </b>\n <!-- <d>\n -->\n <e>one line</e>\n</a>"
    assert folds_of(xml, ".xml") == {0: 7, 1: 3}
    assert folds_of('{\n "a": [\n  1,\n  2\n ],\n "b": {}\n}', ".json") == {0: 6, 1: 4}
