"""Hand over, by mouse and keys: a recipe is built, looked at step by step, written, and run for many inputs."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import geopandas
import pyogrio
import pytest
import rasterio
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFileDialog, QPushButton

from brisk_atlas import demo
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.handover.recipe import read_recipe
from brisk_atlas.core.handover.steps import STEPS
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.system.folders import data_folder
from brisk_atlas.desktop.recipes.step_inputs import SwitchInput

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
SURVEY = demo.DATA / "tolvane_survey.gpkg"


class Hand:
    """What a person does on the page."""

    def __init__(self, d):
        self.d, self.page = d, d.window.handover.recipes
        d.press(d.window, Qt.Key.Key_E, CTRL)
        d.settle()

    def add(self, word):
        self.page.add_menu.aboutToShow.emit()
        groups = [action.menu() for action in self.page.add_menu.actions()]
        next(a for group in groups for a in group.actions() if a.text() == STEPS[word].label).trigger()
        self.d.settle()

    def offered(self):
        self.page.add_menu.aboutToShow.emit()
        return {action.text() for action in self.page.add_menu.actions()}

    def type(self, setting, text):
        self.d.type(self.page.form.inputs[setting].line, text)

    def take_source(self, setting, name):
        made = self.page.form.inputs[setting]
        made.sources.aboutToShow.emit()
        next(action for action in made.sources.actions() if action.text() == name).trigger()
        self.d.settle()

    def choose(self, at):
        self.page.list.choose("main", at)
        self.d.settle()

    def write_to(self, path):
        """Go to the step that writes, and say where to."""
        steps = self.page.recipe.branches[0].steps
        self.choose(next(n for n, step in enumerate(steps) if step.do == "write"))
        self.d.type(self.page.write_form.path, str(path))

    def counts(self):
        return [line.counts for line in self.page.list.lines]

    def remarks(self):
        return [line.remark for line in self.page.list.lines]


@pytest.fixture
def hand(demo_driver):
    return Hand(demo_driver)


def build(hand):
    """The steps of the walk: a filter, a computed field, another CRS, polygons that clip."""
    hand.add("where")
    hand.type("where", "year = 2031")
    hand.add("compute")
    hand.type("field", "km2")
    hand.type("expression", "area_ellipsoid() / 1e6")
    hand.add("reproject")
    hand.type("crs", "EPSG:4326")
    hand.add("clip")
    hand.take_source("polygons", "closed_zones")


def test_a_recipe_is_built_looked_at_written_and_opened_as_written(hand, tmp_path):
    d, page = hand.d, hand.page
    build(hand)
    every = geopandas.read_file(SURVEY, layer="lava_flows")
    left = int((every["year"] == 2031).sum())
    assert hand.counts()[:3] == [f"{len(every)}", f"{len(every)} → {left}", f"{left}"]
    assert hand.remarks()[1] == f"{len(every) - left} left out"
    hand.choose(0)
    assert page.view.table.rows.rowCount() == left and page.view.picture.layers
    d.click(page.view.left_out)
    assert page.view.table.rows.rowCount() == len(every) - left
    assert page.view.table.rows.values(0) == ["does not meet the condition"] * (len(every) - left)
    d.click(page.view.result)
    hand.choose(1)
    column = page.view.table.rows.table.column_names.index("km2")
    assert page.view.table.rows.values(column) == pytest.approx(
        page.view.checkpoint.flow.whole().column("km2").to_pylist()
    )
    hand.choose(2)
    assert page.view.checkpoint.flow.crs == "EPSG:4326"
    hand.write_to(tmp_path / "piece.gpkg")
    assert (
        page.write_form.outlook.text().startswith("Will be written: ")
        and " rows, about " in page.write_form.outlook.text()
    )
    d.click(page.bar.go)
    assert page.bar.result.text().startswith("Wrote ") and page.bar.open.isVisible()
    found = geopandas.read_file(tmp_path / "piece.gpkg")
    assert found.crs == "EPSG:4326" and (found["year"] == 2031).all() and "km2" in found
    d.click(page.bar.open)
    assert d.window.page == "desk" and d.work.subject.name == "piece"


def test_looking_goes_on_when_the_recipes_are_shown_again(hand):
    page, handover = hand.page, hand.d.window.handover
    page.add_step("where", {"where": "year = 2031"})
    page.add_step("reproject", {"crs": "EPSG:4326"})
    hand.d.qtbot.mouseClick(handover.to_depot, Qt.MouseButton.LeftButton)  # before anything was looked at
    hand.d.settle()
    assert all(line.waiting for line in page.list.lines)
    hand.d.click(handover.to_recipe)
    assert not any(line.waiting for line in page.list.lines)
    assert hand.counts()[1] == "13 → 4"


def test_a_changed_step_is_looked_at_anew_and_undo_takes_it_back(hand):
    d, page = hand.d, hand.page
    build(hand)
    first = page.checkpoints["main", 0]
    hand.choose(2)
    hand.type("crs", "EPSG:3857")
    assert page.checkpoints["main", 0] is first and page.checkpoints["main", 2].flow.crs == "EPSG:3857"
    d.press(d.window, Qt.Key.Key_Z, CTRL)
    d.settle()
    assert (
        page.recipe.branches[0].steps[2].settings["crs"] == "EPSG:4326"
        and page.checkpoints["main", 2].flow.crs == "EPSG:4326"
    )
    hand.choose(0)
    d.press(page.list, Qt.Key.Key_Space)
    d.settle()
    assert (page.recipe.branches[0].steps[0].off and hand.counts()[1] == "13 → 4") or page.list.lines[1].off
    d.press(page.list, Qt.Key.Key_Down, ALT)
    d.settle()
    assert [s.do for s in page.recipe.branches[0].steps][:2] == ["compute", "where"]
    d.press(page.list, Qt.Key.Key_Delete)
    d.settle()
    assert "where" not in [s.do for s in page.recipe.branches[0].steps]


def test_a_transformation_is_chosen_by_its_accuracy(hand):
    hand.add("reproject")
    hand.type("crs", "EPSG:4314")  # an older datum, to which several lead
    made = hand.page.form.inputs["transformation"]
    made.offered.aboutToShow.emit()
    first, *others = [action for action in made.offered.actions() if not action.isSeparator()]
    assert first.text() == made.button.text() == "the most accurate one" and first.isChecked() and len(others) > 1
    words = others[1].text()
    others[1].trigger()
    hand.d.settle()
    name = hand.page.recipe.branches[0].steps[0].settings["transformation"]
    assert words.startswith(name) and made.button.text() == name and words in hand.remarks()[1]


def test_a_step_that_fails_says_so_and_shows_what_comes_to_it(hand):
    hand.add("where")
    assert hand.remarks()[1] == "to be filled in" and hand.page.view.table.rows.rowCount() == 13
    hand.type("where", "nofield = 1")
    assert "no field nofield" in hand.remarks()[1] and "no field nofield" in hand.page.view.facts.text()
    assert hand.page.list.lines[2].account is None and hand.page.view.table.rows.rowCount() == 13
    hand.add("reproject")
    hand.type("crs", "EPSG:12")
    hand.choose(0)
    hand.type("where", "year > 0")
    assert "not a coordinate reference system" in hand.remarks()[2]


def test_fields_are_chosen_and_named_in_a_table(hand):
    hand.add("fields")
    made = hand.page.form.inputs["fields"]
    made.table.item(1, 0).setCheckState(Qt.CheckState.Unchecked)
    made.table.item(0, 2).setText("flow")
    box = made.table.cellWidget(2, 3)
    assert isinstance(box, QComboBox)
    box.setCurrentIndex(box.findData("text"))
    box.activated.emit(box.currentIndex())
    hand.d.settle()
    fields = hand.page.checkpoints["main", 0].flow.fields
    assert (
        fields[0] == "flow"
        and "year" not in fields
        and hand.page.checkpoints["main", 0].flow.schema.field(fields[1]).type == "string"
    )


def test_what_a_format_loses_is_stated_with_a_remedy_a_click_away(hand, tmp_path):
    page = hand.page
    hand.write_to(tmp_path / "a.shp")
    assert page.write_form.format.currentData() == "Shapefile"
    words = [w.text() for w in page.write_form.findChildren(QPushButton) if w.isVisible()]
    assert {"Rename them", "Write GeoPackage"} <= set(words)
    hand.d.click(next(b for b in page.write_form.findChildren(QPushButton) if b.text() == "Rename them"))
    assert [s.do for s in page.recipe.branches[0].steps] == ["fields", "write"]
    assert not any("cut to 10" in text for text in page.checkpoints["main", 1].account.warnings)
    hand.choose(1)
    page.write_form.format.setCurrentIndex(page.write_form.format.findData("CSV"))
    page.write_form.format.activated.emit(page.write_form.format.currentIndex())
    hand.d.settle()
    assert page.write_form.path.text().endswith("a.csv") and "option separator" in {
        made.objectName() for made in page.write_form._option_inputs.values()
    }


def test_a_recipe_writes_into_the_depot_and_again_with_another_condition(hand):
    """By the format's name; the title of the posting is that of the file before."""
    d, page = hand.d, hand.page
    DepotStore(data_folder("depot")).close()
    hand.add("where")
    hand.type("where", "year = 2031")
    hand.write_to("/home/ana/lava 2031.gpkg")
    form = page.write_form
    d.choose(form.format, "Depot")
    assert form.path.text() == "depot://#lava 2031" and form.place.text() == "Posting"
    assert not form.browse.isEnabled() and "others see it through its outlets" in form.about.text()
    assert not form.record.isVisible()
    d.click(page.bar.go)
    assert "Wrote 4 features to depot://#lava%202031" in page.bar.result.text()
    assert page.bar.show_posting.hasFocus() and not page.bar.open.isVisible()
    d.click(page.bar.go)
    assert "there is a posting of that title" in page.bar.result.text()
    hand.choose(0)
    hand.type("where", "year >= 2007")
    hand.choose(1)
    switch = form.findChild(SwitchInput, "option replace")
    d.click(switch.box)
    assert switch.value()
    d.click(page.bar.go)
    store = DepotStore(data_folder("depot"))
    every = geopandas.read_file(SURVEY, layer="lava_flows")
    assert len(list(store.rows("lava_2031").all_rows())) == (every["year"] >= 2007).sum()
    store.close()
    d.press(page.bar.show_posting, Qt.Key.Key_Space)
    d.settle()
    depot = d.window.handover.depot
    assert depot.isVisible() and depot.tree.currentItem().text(0) == "lava 2031"
    assert not page.bar.isVisible()
    d.click(d.window.handover.to_recipe)
    d.choose(form.format, "GeoPackage   .gpkg")
    assert form.path.text() == "/home/ana/lava 2031.gpkg" and form.place.text() == "File"


def test_a_grid_as_the_map_shows_it_and_terrain(demo_driver, tmp_path):
    d = demo_driver
    d.work.choose(d.layer("elevation_2029").id)
    d.canvas.look_at_centre(508_700, 5_771_900, 2.0, "EPSG:32727")
    d.settle()
    hand = Hand(d)
    assert "Rows" not in hand.offered() and "Cells" in hand.offered()
    hand.add("extent")
    hand.add("terrain")
    hand.write_to(tmp_path / "slope.tif")
    assert "cells" in hand.page.write_form.outlook.text()
    d.click(hand.page.bar.go)
    with rasterio.open(tmp_path / "slope.tif") as made:
        seen = d.canvas.view.extent
        assert abs(made.bounds.left - seen.xmin) <= 10 and abs(made.bounds.top - seen.ymax) <= 10
        assert made.descriptions == ("slope",) and made.tags(ns="IMAGE_STRUCTURE")["LAYOUT"] == "COG"


def test_picked_rows_go_by_their_numbers(demo_driver, tmp_path):
    d = demo_driver
    d.work.choose(d.layer("closed_zones").id)
    d.click(d.canvas, d.at(508_700, 5_771_900))
    hand = Hand(d)
    hand.add("rows")
    hand.write_to(tmp_path / "zone.geojson")
    d.click(hand.page.bar.go)
    assert pyogrio.read_info(tmp_path / "zone.geojson", force_feature_count=True)["features"] == 1


def test_a_recipe_of_what_was_done_on_the_desk(demo_driver):
    from dataclasses import replace

    from brisk_atlas.core.model import ComputedField

    d = demo_driver
    layer = d.layer("lava_flows")
    rows = replace(layer.rows, where="year > 2000", computed=(ComputedField("km3", "volume_m3 / 1e9", "DOUBLE"),))
    d.work.change("filter", layer.id, rows=rows)
    hand = Hand(d)
    assert [s.do for s in hand.page.recipe.branches[0].steps] == ["compute", "where", "write"]
    assert hand.counts()[2] == "13 → 7" and "km3" in hand.page.checkpoints["main", 1].flow.fields


def test_recipes_are_in_the_project_and_in_files(hand, tmp_path, monkeypatch):
    d, page = hand.d, hand.page
    build(hand)
    hand.choose(0)
    d.type(page.form.comment, "the last eruption")
    d.type(page.name, "Lava for the office")
    page.save_recipe(tmp_path / "lava")
    stored = read_recipe(tmp_path / "lava.recipe.json")
    assert stored.title == "Lava for the office" and stored.branches[0].steps[0].comment == "the last eruption"
    assert stored.version > 1 and json.loads((tmp_path / "lava.recipe.json").read_text())["brisk_atlas_recipe"] == 1
    project = d.window.session.workspace.save_project(tmp_path / "p")
    d.work.load(d.work.state.__class__(), None, None)
    d.open(project)
    assert d.work.state.recipes[0].branches == page.recipe.branches
    d.press(d.window, Qt.Key.Key_E, CTRL)
    d.settle()
    at = page.which.findText("Lava for the office")
    page.which.setCurrentIndex(at)
    page.which.activated.emit(at)
    d.settle()
    assert hand.counts()[1] == "13 → 4"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "lava.recipe.json"), ""))
    page.more_menu.aboutToShow.emit()
    next(a for a in page.more_menu.actions() if a.text() == "Open a recipe…").trigger()
    d.settle()
    assert len(d.work.state.recipes) == 2
    broken = tmp_path / "broken.recipe.json"
    broken.write_text("{")
    page.open_recipe(broken)
    assert "can't be read" in page.bar.result.text() and len(d.work.state.recipes) == 2


def test_another_source_is_a_branch_that_steps_may_use(hand):
    page = hand.page
    page.editing.add_branch(DataRef.file(SURVEY).with_part("closed_zones"))
    hand.d.settle()
    assert [line.label for line in page.list.lines if line.at == -1] == ["lava_flows", "closed_zones"]
    hand.choose(-1)
    hand.add("clip")
    hand.take_source("polygons", "branch closed_zones")
    assert page.recipe.branches[0].steps[0].settings == {"polygons": "closed_zones"} and "→" in hand.counts()[1]
    page.list.choose("closed_zones", -1)
    hand.add("where")
    hand.type("where", "zone = 'nowhere'")
    assert "has no polygons" in hand.remarks()[1]


def test_many_inputs_are_run_and_the_one_that_fails_says_why(hand, tmp_path, monkeypatch):
    d, page = hand.d, hand.page
    folder = tmp_path / "in"
    folder.mkdir()
    for number in range(12):
        shutil.copy(demo.DATA / "ash_samples.geojson", folder / f"day_{number:02}.geojson")
    (folder / "day_05.geojson").write_text("{")
    d.open(demo.DATA / "ash_samples.geojson")
    d.press(d.window, Qt.Key.Key_E, CTRL)
    page.make_of_subject()
    d.settle()
    hand.add("where")
    hand.type("where", "thickness_mm > 20")
    d.click(page.many)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(folder))
    d.click(page.batch.add_folder)
    assert page.batch.table.rowCount() == 12
    d.type(page.batch.out, str(tmp_path / "out"))
    d.click(page.batch.go)
    states = [page.batch.table.item(row, 1).text() for row in range(12)]
    assert states == ["done"] * 5 + ["failed"] + ["done"] * 6
    assert "JSON ends in the middle" in page.batch.table.item(5, 4).text()
    assert page.batch.state.text() == "12 inputs: 11 done, 1 failed"
    assert len(list((tmp_path / "out").glob("*.gpkg"))) == 11
    shutil.copy(demo.DATA / "ash_samples.geojson", folder / "day_05.geojson")
    d.click(page.batch.again)
    assert page.batch.state.text() == "12 inputs: 1 done, 11 done before"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "r.html"), "Page (*.html)"))
    d.click(page.batch.report)
    assert "day_05" in (tmp_path / "r.html").read_text()
    page.batch.table.selectRow(0)
    d.click(page.batch.open)
    assert d.window.page == "desk" and d.work.subject.name == "day_00"


def test_a_watched_folder_is_run_for_until_it_is_cancelled(hand, tmp_path, monkeypatch):
    d, batch = hand.d, hand.page.batch
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    shutil.copy(demo.DATA / "ash_samples.geojson", folder / "day_00.geojson")
    d.click(hand.page.many)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(folder))
    d.click(batch.watch)
    assert batch.go.text() == "Run and watch" and not batch.again.isVisible()
    d.type(batch.out, str(out))
    d.qtbot.mouseClick(batch.go, Qt.MouseButton.LeftButton)
    d.qtbot.waitUntil(lambda: (out / "day_00.gpkg").exists(), timeout=60_000)
    shutil.copy(demo.DATA / "ash_samples.geojson", folder / "day_01.geojson")
    states = lambda: [batch.table.item(row, 1).text() for row in range(batch.table.rowCount())]  # noqa: E731
    d.qtbot.waitUntil(lambda: states() == ["done"] * 2, timeout=60_000)
    assert (out / "day_01.gpkg").exists() and batch.stop.isVisible()
    d.click(batch.stop)
    assert "“Run and watch” goes on" in batch.state.text() and not batch.busy


def test_a_folder_that_takes_no_file_and_a_source_are_told_and_the_page_goes_on(hand):
    d, page = hand.d, hand.page
    hand.write_to(Path("/proc/nowhere/x.gpkg"))
    d.click(page.bar.go)
    assert "x.gpkg" in page.bar.result.text() and page.bar.go.isEnabled() and not page.bar.open.isVisible()
    before = SURVEY.read_bytes()
    hand.write_to(SURVEY)
    d.click(page.bar.go)
    assert "originals are read-only" in page.bar.result.text() and SURVEY.read_bytes() == before


def test_a_large_layer_is_looked_at_in_part_and_in_whole_on_demand(driver, tmp_path):
    import numpy as np
    import pyarrow as pa
    import shapely

    points = shapely.points(np.random.default_rng(1).uniform(0, 1000, (6000, 2)) + (500_000, 5_700_000))
    pyogrio.write_arrow(pa.table({"n": np.arange(6000), "geometry": pa.array(shapely.to_wkb(points), pa.binary())}),
                        tmp_path / "many.gpkg", driver="GPKG", geometry_name="geometry", geometry_type="Point",
                        crs="EPSG:32727")  # fmt: skip
    driver.open(tmp_path / "many.gpkg")
    hand = Hand(driver)
    hand.add("where")
    hand.type("where", "n % 3 = 0")
    assert hand.counts()[:2] == ["2,000", "2,000 → 667"] and hand.page.view.facts.text().startswith("a sample")
    hand.choose(1)
    assert "about 2,001 rows" in hand.page.write_form.outlook.text()
    hand.choose(0)
    driver.click(hand.page.view.whole)
    assert hand.counts()[1] == "6,000 → 2,000" and "sample" not in hand.page.view.facts.text()
