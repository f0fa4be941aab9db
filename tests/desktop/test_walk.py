"""The whole job once, from looking for data to handing a piece of it over, by mouse and by keyboard."""

from __future__ import annotations

import pyogrio
import pytest
import shapely
from PyQt6.QtCore import Qt

from brisk_atlas import demo
from brisk_atlas.core.place import transform

CTRL = Qt.KeyboardModifier.ControlModifier


def thickest(truth):
    row, col = truth["eruption_2031"]["thickest_cell"]
    return 504_000 + (col + 0.5) * 10, 5_776_000 - (row + 0.5) * 10


@pytest.mark.parametrize("way", ["mouse", "keyboard"])
def test_the_walk(demo_driver, truth, tmp_path, way):
    d, window, by_mouse = demo_driver, demo_driver.window, way == "mouse"
    find, desk = window.find_page, window.desk

    # Find the grid after the eruption, and see its glance.
    if by_mouse:
        d.click(window.bar.page_buttons.button(0))
    else:
        d.press(window, Qt.Key.Key_1, CTRL)
    find.go_to(demo.DATA)
    d.settle()
    d.type(find.filter, "elevation_2031", enter=not by_mouse)
    assert find.glance.name.text() == "elevation_2031.tif"
    assert find.glance.picture.frames
    assert "1,024 columns x 900 rows" in find.glance.facts.toPlainText()

    # Open it.
    if by_mouse:
        d.click(find.glance.open_button)
    else:
        d.press(find.list, Qt.Key.Key_Return)
        d.settle()
    assert window.page == "desk" and d.work.subject.name == "elevation_2031"

    # Draw the curtain against the one before and read the change at the pointer.
    if by_mouse:
        curtain = next(
            b for b in desk.map.bar.findChildren(type(window.bar.page_buttons.button(0))) if b.objectName() == "curtain"
        )
        d.click(curtain)
    else:
        d.press(desk.map.canvas, Qt.Key.Key_C)
        d.settle()
    assert d.canvas.sides.titles == ("elevation_2029", "elevation_2031")
    change = f"{truth['eruption_2031']['thickest_m']:+.2f} m"
    x, y = thickest(truth)
    if by_mouse:
        from PyQt6.QtCore import QPoint

        d.move(d.canvas, QPoint(*map(round, d.at(x, y))), button=Qt.MouseButton.NoButton)
        d.qtbot.waitUntil(lambda: "change" in d.canvas.hint, timeout=60_000)
        d.click(d.canvas, d.at(x, y))
    else:
        d.canvas.look_at_centre(x, y, 5.0, d.canvas.view.crs)
        d.settle()
        d.press(d.canvas, Qt.Key.Key_Space)
        d.settle()
    readings = {
        (top.text(0), top.child(i).text(0)): top.child(i).text(1)
        for k in range(desk.probe.tree.topLevelItemCount())
        for top in [desk.probe.tree.topLevelItem(k)]
        for i in range(top.childCount())
    }
    found = float(readings["From A to B", "change, B − A"].split()[0])
    assert found == pytest.approx(truth["eruption_2031"]["thickest_m"], abs=12 if by_mouse else 0.005)
    if not by_mouse:
        assert readings["From A to B", "change, B − A"] == change
    before = d.canvas.sides.at
    if by_mouse:
        d.drag(d.canvas, (round(d.canvas.width() * before), 200), (300, 200))
        assert d.canvas.sides.at == pytest.approx(300 / d.canvas.width(), abs=0.01)
    else:
        d.press(d.canvas, Qt.Key.Key_BracketLeft)
        assert d.canvas.sides.at == pytest.approx(before - 0.05)
    d.press(d.canvas, Qt.Key.Key_C)
    d.settle()
    assert d.work.state.comparison is None

    # See it in relief with the scene draped.
    d.work.change("show", d.layer("scene 2031").id, visible=True)
    d.work.choose(d.layer("elevation_2031").id)
    d.press(d.canvas, Qt.Key.Key_R)
    d.settle()
    assert desk.relief.ground.text() == "elevation_2031" and desk.relief.canvas.image is not None
    seen = desk.relief.canvas.image.copy()
    if by_mouse:
        d.drag(desk.relief.canvas, (150, 150), (260, 150))
    else:
        d.press(desk.relief.canvas, Qt.Key.Key_Right)
        d.settle()
    assert desk.relief.canvas.eye.azimuth != 340 and desk.relief.canvas.image != seen
    d.press(desk.relief.canvas, Qt.Key.Key_R)
    d.settle()

    # Pick a lava polygon and see its row.
    d.work.choose(d.layer("lava_flows").id)
    d.press(window, Qt.Key.Key_T)
    d.settle()
    d.canvas.look_at_centre(x, y, 5.0, d.canvas.view.crs)
    d.settle()
    if by_mouse:
        d.click(d.canvas, d.at(x, y))
    else:
        d.press(d.canvas, Qt.Key.Key_Space)
        d.settle()
    sheet = desk.sheet
    assert len(sheet.grid.rows) == 1
    place = sheet.sheet.place_of(next(iter(sheet.grid.rows)))
    assert sheet.grid.texts(place, 1, ["year"])[place, "year"] == "2031"

    # Read the record.
    if by_mouse:
        d.click(window.bar.page_buttons.button(2))
    else:
        d.press(window, Qt.Key.Key_3, CTRL)
        d.settle()
    assert "Survey layers of Tolvane Island" in window.record.brief.reading.toPlainText()

    # Hand over the lava of 2031 inside the closed zones, in degrees, and open the result.
    if by_mouse:
        d.click(window.bar.page_buttons.button(3))
    else:
        d.press(window, Qt.Key.Key_E, CTRL)
        d.settle()
    page, target = window.handover.recipes, tmp_path / "lava_2031.gpkg"
    for word, settings in (
        ("where", {"where": "year = 2031"}), ("clip", {"polygons": d.layer("closed_zones").ref.as_json()}),
        ("reproject", {"crs": "EPSG:4326"}),
    ):  # fmt: skip
        page.add_step(word, settings)
        d.settle()
    page.list.choose("main", 3)
    d.type(page.write_form.path, str(target))
    if by_mouse:
        d.click(page.bar.go)
    else:
        page.bar.go.setFocus()
        d.press(page.bar.go, Qt.Key.Key_Space)
        d.settle()
    assert page.bar.result.text().startswith(f"Wrote {truth['eruption_2031']['flows_in_closed_zones']} features")
    shapes = shapely.from_wkb(pyogrio.raw.read(target)[2])
    area = shapely.area(shapely.transform(shapes, lambda xy: transform(xy, "EPSG:4326", "EPSG:32727"))).sum()
    assert area == pytest.approx(truth["eruption_2031"]["lava_in_closed_zones_m2"], rel=1e-6)
    if by_mouse:
        d.click(page.bar.open)
    else:
        d.press(page.bar.open, Qt.Key.Key_Space)
        d.settle()
    assert window.page == "desk" and d.work.subject.name == "lava_2031" and not window.notice.isVisible()
    picture = window.grab().toImage()
    assert picture.width() == 1280 and picture.height() == 800
