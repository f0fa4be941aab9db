"""The Change drawer for pictures, classes and surfaces with typed errors: what is asked and what comes of it."""

from __future__ import annotations

import numpy as np
import pytest
import rasterio
from PyQt6.QtCore import QPoint, Qt
from rasterio.transform import from_origin

from brisk_atlas import demo
from brisk_atlas.desktop.drawers.change_drawer import ChangeKind
from qt_pixels import pixels


def drawer_of(d):
    drawer = d.window.desk.change
    if not d.window.desk.side.shows(drawer):
        d.window.commands.do("change")
        d.settle()
    return drawer


def grid(path, values, *, west=504_000.0, kind="float32", cell=10.0, nodata=None):
    with rasterio.open(
        path, "w", driver="GTiff", count=1, height=values.shape[0], width=values.shape[1], dtype=kind, nodata=nodata,
        crs="EPSG:32727", transform=from_origin(west, 5_776_000, cell, cell),
    ) as out:  # fmt: skip
        out.write(values.astype(kind), 1)
        if kind == "uint8":
            out.write_colormap(1, {1: (32, 64, 47, 255), 2: (90, 176, 196, 255), 3: (60, 40, 40, 255)})
    return path


def test_a_walk_from_two_scenes_to_the_patches_of_lost_green_and_their_sheet(driver):
    d = driver
    for name in ("MERIDEL3_20290311", "MERIDEL3_20310624"):
        d.open(demo.DATA / name)
    dates = d.window.desk.map.dates
    assert dates.isVisible() and [text[:10] for text in dates.track.texts] == ["2029-03-11", "2031-06-24"]
    dates.go(0)
    d.settle()
    assert [layer.visible for layer in d.work.layers] == [False, True] and "20290311" in d.work.subject.name
    d.press(d.canvas, Qt.Key.Key_C)  # the earlier one is A without being asked
    d.settle()
    first = d.work.layer(d.work.state.comparison.side_a[0])
    assert "20290311" in first.name
    drawer = drawer_of(d)
    assert drawer.kind.currentData() == ChangeKind.PICTURES and drawer.either.currentWidget() is drawer.image
    pane = drawer.image
    d.click(pane.check)
    assert "B lies" in pane.shift_text.text() and "windows agree" in pane.shift_text.text()
    d.choose(pane.measure, "vegetation index")
    pane.smallest.setValue(20_000)
    d.click(pane.compare)
    change = pane.result.change
    assert change.areas["loss"] > change.areas["gain"] and pane.bars.isVisible()
    x = round(pane.bars.x_of(change.threshold * 1.5))
    d.qtbot.mouseClick(pane.bars, Qt.MouseButton.LeftButton, pos=QPoint(x, 20))
    d.settle()
    assert pane.limit.currentData() == "hand" and pane.result.change.areas["loss"] < change.areas["loss"]
    assert pane.result.change.threshold == pytest.approx(change.threshold * 1.5, rel=0.05)
    d.click(pane.add_polygons)
    made = d.work.subject
    assert made.kind.has_shapes and {"class", "area_m2", "mean_change"} <= {
        f.name for f in d.window.session.facts_of(made).fields
    }
    d.window.commands.do("sheet")
    d.settle()
    with rasterio.open(_added_grid(d, pane)) as file:
        assert file.count == 2 and np.nansum(file.read(2) > 0) * 900 == pytest.approx(
            sum(pane.result.change.areas.values())
        )
    d.work.choose(made.id)
    d.settle()
    assert d.window.desk.sheet.layer.id == made.id and d.window.session.facts_of(made).count == len(
        pane.result.change.patches
    )


def _added_grid(d, pane):
    d.click(pane.add_change)
    return d.work.subject.ref.path


def test_b_is_moved_by_the_shift_that_was_found_and_put_back(driver, tmp_path):
    d, random = driver, np.random.default_rng(1)
    from scipy import ndimage

    picture = sum(ndimage.gaussian_filter(random.normal(0, 1, (300, 320)), s) * s for s in (1, 3, 8)) * 100
    before = grid(tmp_path / "wave_2029.tif", picture)
    after = grid(tmp_path / "wave_2031.tif", picture, west=504_030.0)  # three cells too far east
    stored = after.read_bytes()
    d.open(before)
    d.open(after)
    drawer = drawer_of(d)
    drawer.show_kind(ChangeKind.PICTURES)
    pane = drawer.image
    assert not pane.move_b.isEnabled()
    d.click(pane.compare)
    unmoved = pane.result.change.change
    d.click(pane.check)
    assert "+30.0" in pane.shift_text.text()
    d.click(pane.add_arrows)
    arrows = d.work.subject
    assert d.window.session.facts_of(arrows).geometry_type.lower() == "linestring" and arrows.name.startswith(
        "shift_of_wave_2031"
    )
    drawer.show_kind(ChangeKind.PICTURES)
    d.click(pane.move_b)
    extent = d.window.session.facts_of(d.layer("wave_2031")).extent
    assert extent.xmin == pytest.approx(504_000, abs=0.6) and after.read_bytes() == stored
    d.click(pane.compare)
    moved = pane.result.change.change
    assert np.nanstd(moved.values) < np.nanstd(unmoved.values) / 5
    project = tmp_path / "moved.brisk.json"
    d.window.session.save_project(project)
    d.settle()
    d.window.session.open_files([project])
    d.settle()
    assert d.window.session.facts_of(d.layer("wave_2031")).extent.xmin == pytest.approx(504_000, abs=0.6)
    drawer = drawer_of(d)
    drawer.show_kind(ChangeKind.PICTURES)
    assert pane.move_b.text() == "Put B back"
    d.click(pane.move_b)
    assert d.window.session.facts_of(d.layer("wave_2031")).extent.xmin == 504_030


def test_a_cell_of_the_matrix_shows_its_places(driver, tmp_path):
    d = driver
    a, b = np.ones((60, 80), int), np.ones((60, 80), int)
    a[:, 40:], b[:, 40:] = 2, 2
    b[10:30, 50:70] = 3  # 4 ha of 2 became 3
    d.open(grid(tmp_path / "cover_2029.tif", a, kind="uint8"))
    d.open(grid(tmp_path / "cover_2031.tif", b, kind="uint8"))
    drawer = drawer_of(d)
    assert drawer.kind.currentData() == ChangeKind.CLASSES
    pane = drawer.classes
    d.click(pane.compare)
    assert "91.67%" in pane.answer.text() and pane.table.item(1, 2).text() == "4.0"
    assert pane.table.item(1, 3).text() == "24.0" and pane.table.item(3, 2).text() == "4.0"  # sums of A and of B
    d.window.desk.map.fit_all()
    d.settle()
    x, y = (round(v) for v in d.at(504_600, 5_775_800))  # in the middle of what changed
    before = pixels(d.canvas.grab().toImage())[y, x]
    pane.table.setCurrentCell(1, 2)
    d.settle()
    assert tuple(pixels(d.canvas.grab().toImage())[y, x]) == (122, 45, 191) != tuple(before)
    assert "4.00 ha" in pane.chosen.text()
    for mark in (False, True):  # closed, the drawer leaves nothing on the map that it does not explain
        d.window.commands.do("change")
        d.settle()
        assert (d.window.desk.map.marked is not None) is mark
    d.click(pane.add)
    made = d.work.subject
    assert (d.window.session.facts_of(made).count == 1 and made.name == pane.result.matrix.classes[1] + "_to_3") or made
    pane.table.setCurrentCell(0, 2)  # nothing became so
    d.settle()
    assert not pane.add.isEnabled() and tuple(pixels(d.canvas.grab().toImage())[y, x]) != (122, 45, 191)


def test_classes_of_polygons_are_compared_by_a_field(driver):
    d = driver
    d.open(demo.DATA / "tolvane_survey.gpkg", part="lava_flows")
    d.open(demo.DATA / "tolvane_survey.gpkg", part="closed_zones")
    drawer = drawer_of(d)
    drawer.show_kind(ChangeKind.CLASSES)
    pane = drawer.classes
    assert pane.fields[0].isVisible()
    d.click(pane.compare)
    assert "are the same" in pane.answer.text() and pane.table.isVisible()
    total = pane.result.matrix.total
    assert total == pytest.approx(demo.truth()["eruption_2031"]["lava_in_closed_zones_m2"], rel=2e-3)


def test_typed_errors_come_before_those_of_the_records(driver):
    d = driver
    d.open(demo.DATA / "elevation_2029.tif")
    d.open(demo.DATA / "elevation_2031.tif")
    drawer = drawer_of(d)
    assert drawer.kind.currentData() == ChangeKind.SURFACES
    pane = drawer.surface
    assert "heights from" in pane.answer.text()
    d.click(pane.measure)
    stated = pane.result.uncertainty.detection
    for box in pane.errors:
        box.setValue(2.0)
    d.click(pane.measure)
    assert pane.result.uncertainty.detection == pytest.approx(1.959964 * np.hypot(2, 2), rel=1e-4) and stated < 1
    assert "You typed standard errors of 2 m" in pane.answer.text()


def test_contours_of_both_and_all_dates_of_surfaces_stay_beside_the_answer(driver):
    d = driver
    for path in ("elevation_2029.tif", "elevation_2031.tif", "delivery_2032/elevation_2032.tif"):
        d.open(demo.DATA / path)
    drawer = drawer_of(d)
    pane, subject = drawer.surface, d.work.subject
    assert drawer.either.currentWidget() is pane and pane.steps.text() == "Measure through all 3 dates"
    d.click(pane.contours)
    lines = next(layer for layer in d.work.layers if layer.name.startswith("contours_of"))
    both = d.window.session.cache.features(lines.ref)
    assert set(both.table.column("grid").to_pylist()) == {layer.name for layer in drawer.sides}
    assert [look.text for look in lines.style.class_looks] == [layer.name for layer in drawer.sides]
    d.click(pane.steps)
    assert d.work.subject.id == subject.id and drawer.either.currentWidget() is pane
    assert pane.answer.text().count("±") == 4 and "elevation_2029 to elevation_2032" in pane.answer.text()
    table = next(layer for layer in d.work.layers if layer.name.startswith("steps_"))
    assert d.window.session.facts_of(table).count == 3


def test_a_cloud_is_measured_from_a_grid_and_its_points_become_a_layer(driver):
    d = driver
    d.open(demo.DATA / "elevation_2029.tif")
    d.open(demo.DATA / "harrow_bay_2031.laz")
    drawer = drawer_of(d)
    assert drawer.kind.currentData() == ChangeKind.CLOUDS and not drawer.clouds.along.isEnabled()
    d.choose(drawer.side_a, "elevation_2029")
    d.choose(drawer.side_b, "harrow_bay_2031")
    drawer.side_b.activated.emit(drawer.side_b.currentIndex())
    pane = drawer.clouds
    d.click(pane.measure)
    assert "points lie near the other side" in pane.answer.text() and pane.result.numbers["95th percentile"] > 1
    d.click(pane.add)
    made = d.work.subject
    assert made.style.colour_by == "distance" and made.style.ramp == "scar"
