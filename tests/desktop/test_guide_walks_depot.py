"""The task of the guide that takes two: a layer is offered, served, and edited by a colleague, by mouse and by keyboard."""

from __future__ import annotations

import httpx
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from brisk_atlas import demo
from brisk_atlas.core.depot.serving import free_port
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.passwords import remember
from brisk_atlas.core.workspace import Picks
from guide_hand import BOTH, MOUSE, Hand

SHIFT = Qt.KeyboardModifier.ShiftModifier
PASSWORD, MOST_TABS = "long enough 1", 60
SURVEY = demo.DATA / "tolvane_survey.gpkg"
FIELDS = ["building", "village", "use", "floors", "people", "damage"]


class TabbingHand(Hand):
    """A hand that reaches all by Tab, a step for each, where it has no mouse."""

    def to(self, widget):
        for _ in range(MOST_TABS):
            if widget.hasFocus():
                return
            self.key(Qt.Key.Key_Tab, on=QApplication.focusWidget() or self.window)
        raise AssertionError(f"Tab does not reach {widget.objectName() or widget.text()}")

    def push(self, way, button):
        if way == MOUSE:
            self.click(button)
        else:
            self.to(button)
            self.key(Qt.Key.Key_Space, on=button)


@pytest.fixture
def hand(driver):
    driver.open(SURVEY, part="buildings")
    return TabbingHand(driver)


def until(hand, holds):
    hand.d.qtbot.waitUntil(holds, timeout=60_000)


def leave_out(hand, way, table, row):
    """Take the mark off a field."""
    if way == MOUSE:
        rect = table.visualItemRect(table.item(row, 0))
        hand.click(table.viewport(), (rect.left() + 12, rect.center().y()))
        return
    hand.to(table)
    while table.currentRow() != row:
        hand.key(Qt.Key.Key_Down, on=table)
    hand.key(Qt.Key.Key_Space, on=table)


@BOTH
def test_offer_a_layer_and_edit_one_with_others(hand, way):
    window, work = hand.window, hand.d.work
    hand.page(way, 4)
    hand.push(way, window.handover.to_depot)
    depot = window.handover.depot
    depot.port = free_port()
    hand.push(way, depot.offer)
    until(hand, lambda: len(depot.form.columns) == 2 and depot.form.offer.isEnabled())
    public = depot.form.columns[1]
    for name in ("people", "damage"):
        leave_out(hand, way, public.fields, FIELDS.index(name))
    until(hand, lambda: public.preview.columnCount() == 4)
    hand.push(way, depot.form.offer)
    until(hand, lambda: depot.tree.topLevelItemCount() == 1)
    assert depot.tree.topLevelItem(0).childCount() == 2
    hand.push(way, depot.serve)
    until(hand, lambda: bool(depot.service.address))
    offered = hand.steps

    joined = httpx.post(depot.service.join, data={"name": "olga", "password": PASSWORD})  # in a browser
    assert joined.status_code == 200 and "olga" in joined.text
    mine = depot.service.address.rstrip("/").replace("://", "://olga@")
    remember(mine, PASSWORD)
    window.session.open_refs([DataRef.service("ogcapi", mine, "buildings_for_team")])
    until(hand, lambda: len(work.layers) == 2)
    hand.page(way, 2)
    desk = window.desk
    work.choose(next(layer.id for layer in work.layers if layer.ref.protocol == "ogcapi"))
    hand.key(Qt.Key.Key_E, SHIFT)
    hand.push(way, desk.edit.begin)
    until(hand, lambda: desk.editing.layer is not None and desk.edit.shown is not None)
    names = window.session.cache.table(desk.editing.layer.ref).column("building").to_pylist()
    work.pick(Picks(desk.editing.layer.id, (names.index("B002"),)))
    until(hand, lambda: desk.edit.shown.picked is not None)
    if way == MOUSE:
        hand.click(desk.edit.form.lines["floors"])
    else:
        hand.to(desk.edit.form.lines["floors"])
    hand.type(desk.edit.form.lines["floors"], "9")
    until(hand, lambda: len(desk.edit.shown.unsent) == 1)
    hand.push(way, desk.edit.send)
    until(hand, lambda: not desk.editing.busy and not desk.edit.shown.unsent)
    seen = httpx.get(f"{depot.service.address}collections/buildings/items?building=B002").json()["features"]
    assert [each["properties"]["floors"] for each in seen] == [9] and "people" not in seen[0]["properties"]
    assert (offered, hand.steps) == ((7, 13) if way == MOUSE else (70, 118))  # most of them Tab
    depot.service.shut()
