"""What drawers show before anything was asked of them."""

from __future__ import annotations

from brisk_atlas import demo
from brisk_atlas.desktop.drawers.change_drawer import ChangeKind


def test_the_probe_drawer_says_what_the_subject_is_until_something_is_probed(desk):
    d, tree = desk, desk.window.desk.probe.tree
    d.work.choose(d.layer("elevation_2029").id)
    lines = tree.readings()
    assert tree.topLevelItem(0).text(0) == "About elevation_2029"
    assert lines["cells"] == "1,024 x 900" and lines["band 1"] == "elevation, m" and "EPSG:32727" in lines["CRS"]
    d.work.choose(d.layer("lava_flows").id)
    assert tree.readings()["year"] == "whole number"
    d.click(d.canvas, d.at(509_000, 5_771_400))
    assert not tree.topLevelItem(0).text(0).startswith("About")
    d.work.choose(d.layer("coastline").id)
    assert not tree.topLevelItem(0).text(0).startswith("About")  # what was probed stays


def test_the_change_drawer_says_what_two_grids_have_in_common_before_they_are_compared(desk):
    d, drawer = desk, desk.window.desk.change
    d.open(demo.DATA / "elevation_2031.tif")
    d.work.choose(d.layer("elevation_2031").id)
    d.window.commands.do("change")
    d.settle()
    assert {drawer.side_a.currentText(), drawer.side_b.currentText()} == {"elevation_2029", "elevation_2031"}
    assert "Their cells coincide. B covers 100% of A." in drawer.surface.answer.text()
    d.choose(drawer.side_b, "scene 2031")
    drawer.side_b.activated.emit(drawer.side_b.currentIndex())
    drawer.show_kind(ChangeKind.SURFACES)
    assert "be compared: red measures light" in drawer.surface.answer.text() and "µm" in drawer.surface.answer.text()
    d.choose(drawer.side_b, "sea floor")
    drawer.side_b.activated.emit(drawer.side_b.currentIndex())
    assert (
        "B is read onto the cells of A" in drawer.surface.answer.text()
        and "<b>EPSG:4326</b>" in drawer.surface.answer.text()
    )
