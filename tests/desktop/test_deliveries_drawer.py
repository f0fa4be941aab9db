"""The Change drawer with two deliveries of a layer: compared, stepped through, added as a layer, reported."""

from __future__ import annotations

import pyarrow as pa
import pyogrio
import pytest
import shapely
from PyQt6.QtCore import Qt


@pytest.fixture
def deliveries(tmp_path):
    """Zones, and a later delivery: zone 3 moved by 4 m, zone 5 renamed, zone 8 removed, zone 40 added."""
    made = []
    for version in (1, 2):
        ids = [i for i in range(12) if version == 1 or i != 8] + ([40] if version == 2 else [])
        names = [f"zone {i}" if version == 1 or i != 5 else "Grey <b>Gate" for i in ids]
        shift = [4.0 if version == 2 and i == 3 else 0.0 for i in ids]
        shapes = [
            shapely.box(507_000 + i * 60 + s, 5_770_000, 507_040 + i * 60 + s, 5_770_050) for i, s in zip(ids, shift)
        ]
        table = pa.table({"zone_id": ids, "name": names, "geometry": pa.array(shapely.to_wkb(shapes), pa.binary())})
        path = tmp_path / f"zones_203{version}.gpkg"
        pyogrio.write_arrow(
            table, path, driver="GPKG", geometry_name="geometry", geometry_type="Polygon", crs="EPSG:32727"
        )
        made.append(path)
    return made


def test_two_deliveries_are_compared_stepped_through_and_added_as_a_layer(driver, deliveries, tmp_path, home):
    d = driver
    for path in deliveries:
        d.open(path)
    d.press(d.canvas, Qt.Key.Key_D)
    drawer, pane = d.window.desk.change, d.window.desk.change.delivery
    assert pane.isVisible() and not drawer.surface.isVisible() and not pane.add.isEnabled()
    assert (drawer.side_a.currentText(), drawer.side_b.currentText()) == ("zones_2031", "zones_2032")
    assert [pane.key.itemText(i) for i in range(1, 3)] == ["zone_id", "name"]
    d.click(pane.compare)
    text = pane.answer.text()
    assert "Rows are matched by zone_id" in text and "shapes differ by up to 4.000 m" in text
    rows = [[pane.list.topLevelItem(i).text(c) for c in range(3)] for i in range(pane.list.topLevelItemCount())]
    assert rows == [["added", "40", ""], ["removed", "8", ""], ["values", "5", "name: zone 5 → Grey <b>Gate"],
                    ["shape", "3", "shape: 4.000 m"]]  # fmt: skip
    pane.list.setFocus()
    pane.list.setCurrentItem(pane.list.topLevelItem(2))
    d.press(pane.list, Qt.Key.Key_Down)
    view = d.canvas.view
    assert (view.x, view.y) == pytest.approx((507_204.0, 5_770_025.0)) and view.extent.width < 1000
    d.click(pane.add)
    made = next(layer for layer in d.work.layers if layer.style is not None and layer.style.colour_by == "change")
    assert d.window.session.facts_of(made).count == 4 and d.work.subject.id == made.id
    assert drawer.side_b.currentText() == "zones_2032" and pane.list.topLevelItemCount() == 4  # the result stays
    pane.write_report(tmp_path / "changes")
    d.settle()
    page = (tmp_path / "changes.html").read_text()
    assert "zones_2032.gpkg against zones_2031.gpkg" in page and "Grey &lt;b&gt;Gate" in page
    drawer.side_b.setCurrentText("zones_2031")
    drawer.side_b.activated.emit(drawer.side_b.currentIndex())
    assert not pane.compare.isEnabled() and "Open both deliveries" in pane.answer.text()


def test_a_key_that_one_has_not_and_grids_after_layers_are_told(driver, deliveries, demo_data=None):
    from brisk_atlas import demo

    d = driver
    for path in deliveries:
        d.open(path)
    d.press(d.canvas, Qt.Key.Key_D)
    pane = d.window.desk.change.delivery
    pane.key.setCurrentText("shape, or all values")
    d.click(pane.compare)
    assert "matched by geometry" in pane.answer.text()
    d.open(demo.DATA / "elevation_2029.tif")
    assert not pane.isVisible() and d.window.desk.change.surface.measure.isVisible()
