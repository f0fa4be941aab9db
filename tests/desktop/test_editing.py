"""Editing features of an outlet on the Desk: by the mouse, the keyboard and the sheet, with undo, away from the Depot."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from argon2 import PasswordHasher
from PyQt6.QtCore import Qt

from brisk_atlas.core.connect.copy import make_copy
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, Identity, Right
from brisk_atlas.core.depot.serving import running_postings
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.passwords import remember
from brisk_atlas.core.workspace import Picks
from brisk_atlas.core.workspace.row_editing import row_names, unsent

PASSWORD = "long enough 1"
BEN = Identity("ben", frozenset({"team"}))
X, Y = 504_000.0, 5_770_000.0
PLOTS = {
    "west": shapely.Polygon(
        [(X, Y), (X + 100, Y), (X + 100, Y + 100), (X, Y + 100)],
        [[(X + 40, Y + 40), (X + 60, Y + 40), (X + 50, Y + 60)]],
    ),
    "east": shapely.box(X + 150, Y, X + 250, Y + 100),
}


@pytest.fixture
def store(tmp_path):
    made = DepotStore(tmp_path / "depot", lambda file: People(file, PasswordHasher(1, 8, 1)))
    people = made.people
    people.join(people.invite(by="", owner=True), "olga", PASSWORD)
    people.join(people.invite(["team"], by="olga"), "ada", PASSWORD)
    fields = (PostedField("name", FieldType.TEXT), PostedField("floors", FieldType.INTEGER))
    rows = [({"name": name, "floors": 1}, shapely.to_wkb(shape)) for name, shape in PLOTS.items()]
    posting = made.post("Plots", fields, rows, owner="olga", crs="EPSG:32727", geometry_type="Polygon")
    shown = tuple(OutletField(each.name, each.name) for each in fields)
    made.offer(Outlet("plots", posting.id, "Plots", shown, (("team", ALL_RIGHTS),)), by="olga")
    made.offer(Outlet("values", posting.id, "Values", shown, (("team", frozenset({Right.CHANGE})),)), by="olga")
    yield made
    made.close()


@pytest.fixture
def editing(driver, store):
    """The plots on the Desk, copied to be edited."""
    with running_postings(store, "Tolvane Depot") as address:
        mine = address.replace("://", "://ada@")
        remember(mine, PASSWORD)
        driver.window.session.open_refs([make_copy(DataRef.service("ogcapi", mine, "plots"))])
        driver.settle()
        driver.window.show_page("desk")
        desk = driver.window.desk
        desk.side.toggle("edit")
        driver.qtbot.waitUntil(lambda: desk.edit.shown is not None, timeout=60_000)
        desk.map.canvas.look_at_centre(X + 125, Y + 50, 0.6, "EPSG:32727")
        driver.settle()
        yield desk.editing


def wait(driver, holds):
    driver.qtbot.waitUntil(holds, timeout=60_000)


def shapes(driver, editing):
    features = driver.window.session.cache.features(editing.layer.ref)
    return dict(
        zip(features.table.column("name").to_pylist(), shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False)))
    )


def pick(driver, editing, name):
    names = driver.window.session.cache.table(editing.layer.ref).column("name").to_pylist()
    driver.work.pick(Picks(editing.layer.id, (names.index(name),)))
    wait(
        driver, lambda: editing.drawer.shown.picked is not None and editing.drawer.shown.picked[0] == (name or "a row")
    )


def pixel(driver, x, y):
    return tuple(round(value) for value in driver.at(x, y))


def has_corner(driver, x, y):
    """Return whether the tool in the hand knows a corner at a place."""
    return any(np.hypot(*(each.xy - (x, y)).T).min() < 0.01 for each in driver.canvas.tool.outlines)


def drag(driver, start, end):
    driver.drag(driver.canvas, pixel(driver, *start), pixel(driver, *end))


def test_a_corner_is_dragged_snaps_to_its_neighbour_and_is_undone(driver, editing):
    pick(driver, editing, "west")
    driver.click(editing.drawer.tools["move"])
    wait(driver, lambda: driver.canvas.tool.current is not None)
    before = shapes(driver, editing)
    drag(driver, (X + 100, Y), (X + 148, Y + 2))  # near a corner of the other plot
    wait(driver, lambda: shapes(driver, editing)["west"] != before["west"])
    moved = shapes(driver, editing)["west"]
    assert (X + 150, Y) in shapely.get_coordinates(moved).tolist() or [X + 150, Y] in shapely.get_coordinates(
        moved
    ).tolist()
    assert len(shapely.get_rings(moved)) == 2 and shapes(driver, editing)["east"] == before["east"]
    driver.work.undo()
    wait(driver, lambda: shapes(driver, editing) == before)
    editing.drawer.snap.setChecked(False)
    wait(driver, lambda: has_corner(driver, X + 100, Y) and not editing.busy)
    drag(driver, (X + 100, Y), (X + 148, Y + 2))
    wait(driver, lambda: shapes(driver, editing)["west"] != before["west"])
    assert [X + 150, Y] not in shapely.get_coordinates(shapes(driver, editing)["west"]).tolist()


def test_a_new_corner_a_whole_feature_and_one_that_crosses_itself(driver, editing, monkeypatch):
    pick(driver, editing, "east")
    editing.drawer.snap.setChecked(False)
    driver.click(editing.drawer.tools["move"])
    wait(driver, lambda: driver.canvas.tool.current is not None)
    drag(driver, (X + 250, Y + 50), (X + 280, Y + 50))  # the middle of a side
    wait(driver, lambda: shapely.get_num_coordinates(shapes(driver, editing)["east"]) == 6)
    wait(driver, lambda: not editing.busy and len(driver.canvas.tool._outline.xy) == 5)
    driver.press(driver.canvas, Qt.Key.Key_Delete)
    wait(driver, lambda: shapely.get_num_coordinates(shapes(driver, editing)["east"]) == 5)
    area = shapely.area(shapes(driver, editing)["east"])
    wait(driver, lambda: not editing.busy and len(driver.canvas.tool._outline.xy) == 4)
    drag(driver, (X + 170, Y), (X + 170, Y - 30))  # a side, so that all of it moves
    wait(driver, lambda: shapes(driver, editing)["east"].bounds[1] < Y - 20)
    assert shapely.area(shapes(driver, editing)["east"]) == pytest.approx(area)
    said = []
    driver.window.session.noticed.connect(lambda mood, text, details: said.append(text))
    before = shapes(driver, editing)["east"]
    xy = shapely.get_coordinates(before)[:-1]
    wait(driver, lambda: not editing.busy and has_corner(driver, *xy[0]))
    across = xy[1] * 2 - xy[0] + (xy[2] - xy[1]) / 2  # beyond the next corner, so that a side crosses another
    drag(driver, tuple(xy[0]), tuple(across))
    wait(driver, lambda: any("not be valid" in text for text in said))
    assert shapes(driver, editing)["east"] == before


def test_a_feature_is_drawn_named_in_the_drawer_and_deleted(driver, editing, store):
    driver.click(editing.drawer.tools["add"])
    wait(driver, lambda: driver.canvas.tool is not None and driver.canvas.tool.kind == "new area")
    for x, y in ((X + 20, Y - 40), (X + 80, Y - 40), (X + 50, Y - 12)):
        driver.click(driver.canvas, pixel(driver, x, y))
    driver.press(driver.canvas, Qt.Key.Key_Return)
    wait(driver, lambda: len(shapes(driver, editing)) == 3 and editing.drawer.shown.picked is not None)
    wait(driver, lambda: editing.drawer.shown.picked[1]["name"] is None)
    driver.type(editing.drawer.form.lines["name"], "south")
    wait(driver, lambda: "south" in shapes(driver, editing))
    driver.type(editing.drawer.form.lines["floors"], "many")  # which is refused
    wait(driver, lambda: not editing.busy)
    assert [each.draft.values for each in unsent(editing.layer)] == [{"name": "south"}]
    pick(driver, editing, "east")
    driver.click(editing.drawer.tools["delete"])
    wait(driver, lambda: sorted(shapes(driver, editing)) == ["south", "west"])
    assert editing.drawer.send.text() == "Send 2"
    driver.click(editing.drawer.send)
    wait(driver, lambda: not editing.busy and not editing.drawer.shown.unsent)
    assert {row.values["name"] for row in store.rows("plots").all_rows()} == {"south", "west"}
    assert "draft" not in str(editing.layer.ref)


def test_the_sheet_edits_the_copy_and_find_and_replace_does_too(driver, editing):
    desk = driver.window.desk
    desk.toggle_sheet()
    wait(driver, lambda: desk.sheet.grid.sheet is not None)
    driver.click(desk.sheet.tools.button["edit"])
    desk.sheet.grid.edited.emit(1, "floors", "4")
    wait(driver, lambda: [each.draft.values for each in unsent(editing.layer)] == [{"floors": 4}])
    assert editing.layer.rows.edits == () and driver.work.undo_text == "edit floors"
    driver.work.undo()
    wait(driver, lambda: not unsent(editing.layer))


def test_edits_of_others_come_and_the_same_feature_stays_picked(driver, editing, store):
    pick(driver, editing, "east")
    seen = store.through("plots", BEN)
    west = next(row for row in seen.page(RowsAsked(), 10) if row.values["name"] == "west")
    store.delete_row("plots", BEN, west.name, west.state)
    wait(driver, lambda: sorted(shapes(driver, editing)) == ["east"])
    wait(driver, lambda: driver.work.picks is not None and driver.work.picks.rows == (0,))
    store.add_row("plots", BEN, {"name": "north"}, shapely.to_wkb(shapely.box(X, Y + 200, X + 50, Y + 250)))
    wait(driver, lambda: sorted(shapes(driver, editing)) == ["east", "north"])
    assert editing.drawer.shown.picked[0] == "east" and "Up to date" in editing.drawer.state.text()


def test_work_goes_on_while_the_depot_is_away_and_is_there_after_a_new_start(driver, editing, store, monkeypatch):
    from brisk_atlas.core.connect.fetching import set_offline

    pick(driver, editing, "east")
    set_offline(True)
    try:
        driver.type(editing.drawer.form.lines["floors"], "8")
        wait(driver, lambda: len(editing.drawer.shown.unsent) == 1)
        wait(driver, lambda: "can't be reached" in editing.drawer.state.text())
        ref, name = editing.layer.ref, row_names(driver.window.session.cache, editing.layer)[driver.work.picks.rows[0]]
        driver.window.session.cache.forget(ref)
        driver.window.session.open_refs([ref.whole])
        wait(driver, lambda: len(driver.work.layers) == 2)
        assert unsent(driver.work.layers[0])[0].draft.row == name
    finally:
        set_offline(False)
    driver.work.choose(editing.session.work.layers[0].id)
    wait(driver, lambda: len(editing.drawer.shown.unsent) == 1)
    driver.click(editing.drawer.send)
    wait(driver, lambda: not editing.busy and not unsent(editing.layer))
    assert [row.values["floors"] for row in store.rows("plots").all_rows() if row.values["name"] == "east"] == [8]


def test_edits_that_were_neither_sent_nor_saved_are_there_when_the_layer_is_edited_again(driver, editing):
    mine = editing.layer.ref.address
    pick(driver, editing, "east")
    for floors in ("8", "9"):
        driver.type(editing.drawer.form.lines["floors"], floors)
        wait(
            driver,
            lambda floors=floors: [each.draft.values["floors"] for each in unsent(editing.layer)] == [int(floors)],
        )
    driver.work.undo()
    wait(driver, lambda: editing.drawer.shown.unsent[0].draft.values["floors"] == 8)
    driver.work.remove(editing.layer.id)
    driver.window.session.open_refs([DataRef.service("ogcapi", mine, "plots")])
    driver.settle()
    wait(driver, lambda: editing.drawer.begin.isVisible())
    driver.click(editing.drawer.begin)
    wait(driver, lambda: editing.layer is not None and editing.drawer.shown is not None)
    assert [each.draft.values for each in unsent(editing.layer)] == [{"floors": 8}]


def test_an_outlet_that_is_only_read_shows_what_others_change(driver, editing, store):
    driver.window.session.open_refs([DataRef.service("ogcapi", editing.layer.ref.address, "values")])
    driver.settle()
    read = next(layer for layer in driver.work.layers if layer.ref.protocol == "ogcapi")
    following, cache = driver.window.desk.following, driver.window.session.cache
    wait(driver, lambda: bool(following._cursors.get(read.ref.whole)))
    seen = store.through("plots", BEN)
    east = next(row for row in seen.page(RowsAsked(), 10) if row.values["name"] == "east")
    store.change_row("plots", BEN, east.name, east.state, {"floors": 12})
    wait(driver, lambda: 12 in cache.table(read.ref).column("floors").to_pylist())


def test_who_may_only_change_values_has_no_other_tools_and_a_layer_without_rights_is_not_copied(driver, editing, store):
    mine = editing.layer.ref.address
    driver.window.session.open_refs([DataRef.service("ogcapi", mine, "values")])
    driver.settle()
    driver.work.choose(next(layer.id for layer in driver.work.layers if layer.ref.protocol == "ogcapi"))
    wait(driver, lambda: editing.drawer.begin.isVisible())
    driver.click(editing.drawer.begin)
    wait(
        driver,
        lambda: (
            editing.layer is not None
            and editing.drawer.shown is not None
            and "add" not in editing.drawer.shown.outlet.rights
        ),
    )
    assert not editing.drawer.tools["add"].isEnabled() and editing.drawer.tools["move"].isEnabled()
    zones = np.array([each.ref.protocol == "copy" for each in driver.work.layers])
    assert zones.all()
