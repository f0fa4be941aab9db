"""Quick reading: the card at the spot, folded findings, pictures and links in values."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QDesktopServices, QImage

from brisk_atlas.desktop.drawers.picture_strip import decoded
from range_server import serving


@pytest.fixture
def holes(desk, tmp_path, monkeypatch):
    """Return the driver with a borehole open whose values point at pictures and pages, and what was opened outside."""
    (tmp_path / "photos").mkdir()
    for name, hue in (("a.png", "red"), ("b.jpg", "blue")):
        picture = QImage(300, 200, QImage.Format.Format_RGB32)
        picture.fill(QColor(hue))
        assert picture.save(str(tmp_path / "photos" / name))
    values = {"hole": "TG-1", "photo": "photos/a.png", "second": "photos/b.jpg", "outside": "../x.png",
              "page": "https://survey.tolvane.example/tg-1"}  # fmt: skip
    place = {"type": "Point", "coordinates": [509_050, 5_770_350]}
    crs = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::32727"}}
    features = [{"type": "Feature", "properties": values, "geometry": place}]
    path = tmp_path / "holes.geojson"
    path.write_text(json.dumps({"type": "FeatureCollection", "name": "holes", "crs": crs, "features": features}))
    desk.open(path)
    desk.opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: desk.opened.append(url.toString()))
    return desk


def probe_hole(d):
    x, y = d.canvas.view.to_pixel(509_050, 5_770_350)
    d.click(d.canvas, (x, y))


def tree(d):
    return d.window.desk.probe.tree


def line_of(d, label):
    top = tree(d).topLevelItem(0)
    return next(top.child(i) for i in range(top.childCount()) if top.child(i).text(0) == label)


def test_with_drawers_closed_a_card_reads_the_place_and_opens_all_of_it(holes):
    d = holes
    d.window.desk.side.hide()
    d.settle()
    probe_hole(d)
    card = d.window.desk.showing.card
    assert card.isVisible() and not d.window.desk.side.isVisible()
    assert card.texts()[0][0] == "holes, row 1" and card.texts()[0][1].startswith("TG-1")
    assert any(title == "elevation_2029" and text.endswith(" m") for title, text in card.texts())
    assert d.canvas.rect().contains(card.geometry())
    d.click(card.more)
    assert d.window.desk.side.on_show == "probe" and not card.isVisible()


def test_the_card_goes_when_the_map_moves(holes):
    d = holes
    d.window.desk.side.hide()
    d.settle()
    probe_hole(d)
    d.press(d.canvas, Qt.Key.Key_Left)
    d.settle()
    assert not d.window.desk.showing.card.isVisible()


def test_the_subject_is_open_the_others_are_a_line_and_stay_as_they_were_left(holes):
    d = holes
    probe_hole(d)
    tops = {tree(d).topLevelItem(i).text(0): tree(d).topLevelItem(i) for i in range(tree(d).topLevelItemCount())}
    assert tops["holes, row 1"].isExpanded() and not tops["elevation_2029"].isExpanded()
    assert tops["elevation_2029"].text(1).endswith(" m") and not tops["elevation_2029"].isFirstColumnSpanned()
    tops["elevation_2029"].setExpanded(True)
    probe_hole(d)
    again = next(tree(d).topLevelItem(i) for i in range(tree(d).topLevelItemCount())
                 if tree(d).topLevelItem(i).text(0) == "elevation_2029")  # fmt: skip
    assert again.isExpanded() and again.isFirstColumnSpanned()


def test_pictures_beside_the_data_are_shown_and_opened(holes):
    d = holes
    probe_hole(d)
    strip = d.window.desk.probe.pictures
    assert [strip.item(i).text() for i in range(strip.count())] == ["a.png", "b.jpg"] and strip.isVisible()
    strip.itemActivated.emit(strip.item(1))
    assert d.opened[0].endswith("photos/b.jpg")
    d.click(d.canvas, (40, 40))
    assert not strip.isVisible()


def test_links_and_what_lies_outside_are_opened_after_asking(holes):
    d = holes
    probe_hole(d)
    tree(d).itemActivated.emit(line_of(d, "page"), 1)
    assert d.opened == [] and "survey.tolvane.example" in d.window.notice.text.text()
    leave = d.window.notice.answers[1]
    assert leave.text() == "Leave it"
    d.click(leave)
    assert d.opened == []
    tree(d).itemActivated.emit(line_of(d, "page"), 1)
    d.click(d.window.notice.answers[0])
    assert d.opened == ["https://survey.tolvane.example/tg-1"]
    tree(d).itemActivated.emit(line_of(d, "outside"), 1)
    assert "outside its own folder" in d.window.notice.text.text()


def test_a_picture_on_a_server_is_fetched_only_when_asked(holes, tmp_path):
    d = holes
    with serving(tmp_path / "photos") as address:
        text = (tmp_path / "holes.geojson").read_text().replace("../x.png", f"{address}/a.png")
        (tmp_path / "more.geojson").write_text(text.replace('"holes"', '"more"'))
        d.open(tmp_path / "more.geojson")
        probe_hole(d)
        assert d.window.desk.probe.pictures.count() == 2
        tree(d).itemActivated.emit(line_of(d, "outside"), 1)
        d.click(d.window.notice.answers[0])
        strip = d.window.desk.probe.pictures
        assert strip.count() == 3 and strip.item(2).text() == "a.png"


@pytest.mark.parametrize(
    "content", [b"", b"\x89PNG\r\n\x1a\n broken", b"<svg xmlns='http://www.w3.org/2000/svg'/>", b"GIF89a"]
)
def test_what_is_no_picture_decodes_to_none(qapp, content):
    assert decoded(content).isNull()
