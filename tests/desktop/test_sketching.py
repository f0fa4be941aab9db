"""Drawing on the map by hand: points, lines, areas and text, their notes, and moving them."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLineEdit, QPushButton

from brisk_atlas.core.sketch import MarkKind
from brisk_atlas.core.workspace.sketching import sketch_of
from brisk_atlas.desktop.name_line import NameLine

CONTROL = Qt.KeyboardModifier.ControlModifier
ALT = Qt.KeyboardModifier.AltModifier


@pytest.fixture
def hand(desk):
    """Return the driver with the drawing of marks by pixel added."""

    def draw(tool_key, *points):
        desk.press(desk.canvas, tool_key, ALT)
        for at in points:
            desk.click(desk.canvas, at)
        desk.press(desk.canvas, Qt.Key.Key_Return)
        desk.settle()
        desk.press(desk.canvas, Qt.Key.Key_Escape)

    desk.draw = draw
    return desk


def drawer(d):
    return d.window.desk.sketch


def marks(d):
    return sketch_of(drawer(d).layer).marks


def corner_px(d, number, corner):
    """Return the pixel of a corner of a mark; the sketch is in the map's CRS."""
    x, y = d.canvas.view.to_pixel(*marks(d)[number].xy[corner])
    return QPoint(round(x), round(y))


def test_a_line_is_drawn_with_its_length_beside_the_hand_and_in_the_list(hand):
    d = hand
    d.press(d.canvas, Qt.Key.Key_2, ALT)
    assert d.window.desk.side.on_show == "sketch" and drawer(d).tools["sketch line"].isChecked()
    d.click(d.canvas, (200, 200))
    d.move(d.canvas, QPoint(300, 200), button=Qt.MouseButton.NoButton)
    d.settle()
    assert "distance, ellipsoid" in d.canvas.say
    d.click(d.canvas, (300, 200))
    d.press(d.canvas, Qt.Key.Key_Return)
    d.settle()
    (line,) = marks(d)
    expected = 100 * d.canvas.view.resolution
    assert line.kind is MarkKind.LINE and np.hypot(*np.subtract(*line.xy)) == pytest.approx(expected, rel=1e-6)
    assert d.work.subject.ref.is_inline and d.canvas.shape is None and d.canvas.say == ""
    assert drawer(d).list.item(0).text().startswith("Line   ") and drawer(d).measures.text().endswith(" m")
    assert d.window.desk.probe.findings == []  # drawing is no probing


def test_an_area_and_points_go_into_the_same_layer_and_undo_takes_them_back(hand):
    d = hand
    d.draw(Qt.Key.Key_3, (200, 200), (320, 200), (260, 300))
    d.draw(Qt.Key.Key_1, (400, 400), (420, 420))
    assert [m.kind.value for m in marks(d)] == ["area", "point", "point"]
    assert sum(layer.ref.is_inline for layer in d.work.layers) == 1
    assert drawer(d).current == 2
    d.press(d.canvas, Qt.Key.Key_Z, CONTROL)
    assert len(marks(d)) == 2
    d.click(drawer(d).new)
    assert drawer(d).layer is None
    d.draw(Qt.Key.Key_1, (150, 150))
    assert [layer.name for layer in d.work.layers if layer.ref.is_inline] == ["sketch 2", "sketch"]


def test_text_is_typed_where_it_is_to_stand_and_none_draws_nothing(hand):
    d = hand
    d.press(d.canvas, Qt.Key.Key_4, ALT)
    d.click(d.canvas, (250, 250))
    line = d.canvas.findChild(NameLine, "sketched text")
    d.qtbot.keyClicks(line, "no survey here")
    d.press(line, Qt.Key.Key_Return)
    d.settle()
    assert [(m.kind.value, m.text) for m in marks(d)] == [("text", "no survey here")]
    d.click(d.canvas, (350, 350))
    line = next(each for each in d.canvas.findChildren(NameLine) if each.isVisible())
    d.press(line, Qt.Key.Key_Escape)
    d.settle()
    assert len(marks(d)) == 1


def test_text_and_note_of_a_mark_are_written_and_found_by_the_probe(hand):
    d = hand
    d.draw(Qt.Key.Key_1, (300, 300))
    d.type(drawer(d).findChild(QLineEdit, "mark text"), "steam vent")
    drawer(d).note.setFocus()
    d.qtbot.keyClicks(drawer(d).note, "hot, do not enter")
    d.canvas.setFocus()
    d.settle()
    assert (marks(d)[0].text, marks(d)[0].note) == ("steam vent", "hot, do not enter")
    d.click(d.canvas, (300, 300))
    found = next(f for f in d.window.desk.probe.findings if f.layer_id == d.work.subject.id)
    assert {"steam vent", "hot, do not enter"} <= {reading.text for reading in found.readings}


def test_corners_are_dragged_added_and_removed(hand):
    d = hand
    d.draw(Qt.Key.Key_3, (200, 200), (320, 200), (260, 300))
    d.press(d.canvas, Qt.Key.Key_5, ALT)
    before = marks(d)[0].xy
    start = corner_px(d, 0, 1)
    d.drag(d.canvas, (start.x(), start.y()), (start.x() + 40, start.y() + 10))
    moved = marks(d)[0].xy
    assert moved[0] == before[0] and moved[1] != before[1] and corner_px(d, 0, 1) == start + QPoint(40, 10)
    middle = (corner_px(d, 0, 0) + corner_px(d, 0, 1)) / 2
    d.drag(d.canvas, (middle.x(), middle.y()), (middle.x(), middle.y() - 30))
    assert len(marks(d)[0].xy) == 4
    layers = len(d.work.layers)
    d.press(d.canvas, Qt.Key.Key_Delete)
    d.settle()
    assert len(marks(d)[0].xy) == 3 and len(d.work.layers) == layers
    d.press(d.canvas, Qt.Key.Key_Z, CONTROL)
    assert len(marks(d)[0].xy) == 4


def test_a_mark_moves_as_a_whole_by_its_side_and_another_is_chosen_by_a_press(hand):
    d = hand
    d.draw(Qt.Key.Key_2, (150, 150), (350, 150))
    d.draw(Qt.Key.Key_1, (200, 400))
    d.press(d.canvas, Qt.Key.Key_5, ALT)
    assert drawer(d).current == 1
    before = np.array(marks(d)[0].xy)
    d.drag(d.canvas, (190, 150), (190, 180))
    step = np.array(marks(d)[0].xy) - before
    assert drawer(d).current == 0 and np.allclose(step, step[0]) and step[0, 1] < 0
    d.press(d.canvas, Qt.Key.Key_Delete)
    d.settle()
    assert [m.kind.value for m in marks(d)] == ["point"]


def test_a_mark_is_removed_by_key_in_the_list_and_the_last_one_closes_the_layer(hand):
    d = hand
    layers = len(d.work.layers)
    d.draw(Qt.Key.Key_1, (200, 200), (250, 250))
    d.press(drawer(d).list, Qt.Key.Key_Delete)
    assert len(marks(d)) == 1
    d.click(drawer(d).remove)
    assert len(d.work.layers) == layers and drawer(d).layer is None and not drawer(d).about.isVisible()


def test_a_mark_chosen_in_the_list_is_picked_on_the_map_and_gone_to(hand):
    d = hand
    d.draw(Qt.Key.Key_3, (200, 200), (320, 200), (260, 300))
    d.draw(Qt.Key.Key_1, (400, 400))
    d.press(drawer(d).list, Qt.Key.Key_Up)
    d.settle()
    assert d.work.picks.rows == (0,)
    d.click(drawer(d).go)
    assert d.canvas.view.extent.contains(*np.mean(marks(d)[0].xy, axis=0))


def test_a_locked_sketch_says_so_and_stays(hand):
    d = hand
    d.draw(Qt.Key.Key_1, (200, 200))
    d.work.change("lock", d.work.subject.id, locked=True)
    d.draw(Qt.Key.Key_1, (250, 250))
    assert len(marks(d)) == 1 and "locked" in d.window.notice.text.text()
    assert not drawer(d).remove.isEnabled()


def test_the_sketch_has_rows_a_legend_and_can_be_restyled(hand):
    d = hand
    d.draw(Qt.Key.Key_3, (200, 200), (320, 200), (260, 300))
    legend = d.window.desk.spine.thumbs[d.work.subject.id][2]
    assert [text for _, text in legend.entries] == ["texts", "points", "lines", "areas"]
    d.window.commands.do("sheet")
    d.settle()
    assert [c.field for c in d.window.desk.sheet.grid.columns.all][:3] == ["kind", "text", "note"]
    d.window.commands.do("style")
    d.settle()
    assert d.window.desk.style_form.findChild(QPushButton, "no rules") is not None
