"""From the window to the browser: a layer is offered to colleagues and to everybody, edited by two at once, and seen."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt

from brisk_atlas import demo
from brisk_atlas.core.depot.serving import free_port
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.passwords import remember
from brisk_atlas.core.workspace import Picks
from browser import browser, needs_browser

PASSWORD = "long enough 1"
SURVEY = demo.DATA / "tolvane_survey.gpkg"
HIDDEN = ("people", "damage")


def join(page, address, name):
    """Take up an invitation as people do."""
    page.get(address)
    page.find_element("name", "name").send_keys(name)
    page.find_element("name", "password").send_keys(PASSWORD)
    page.find_element("css selector", "button").click()
    assert name in page.find_element("css selector", "main p").text


def cells(page, building):
    """Return the row of a building in the table of a page."""
    rows = page.execute_script(
        "return [...document.querySelectorAll('#rows tbody tr')].map(r => [...r.cells].map(c => c.textContent))"
    )
    return next((row for row in rows if row[0] == building), None)


@pytest.fixture
def depot(driver, qtbot):
    """The Depot half of Hand over, with a layer that is offered and served."""
    driver.open(SURVEY, part="buildings")
    driver.window.show_page("handover")
    page = driver.window.handover
    driver.click(page.to_depot)
    page.depot.port = free_port()
    return page.depot


def test_a_layer_goes_from_the_window_to_colleagues_and_to_the_browser(driver, depot, qtbot, tmp_path):
    needs_browser()
    driver.click(depot.offer)
    qtbot.waitUntil(lambda: len(depot.form.columns) == 2 and depot.form.offer.isEnabled(), timeout=60_000)
    team, public = depot.form.columns
    fields = [public.fields.item(row, 0).text() for row in range(public.fields.rowCount())]
    for name in HIDDEN:
        public.fields.item(fields.index(name), 0).setCheckState(Qt.CheckState.Unchecked)
    qtbot.waitUntil(lambda: public.preview.columnCount() == 4, timeout=60_000)
    assert team.preview.columnCount() == 6 and "140 rows" in public.seen.text()
    driver.click(depot.form.offer)
    qtbot.waitUntil(lambda: depot.tree.topLevelItemCount() == 1, timeout=60_000)
    assert {depot.tree.topLevelItem(0).child(n).text(1) for n in (0, 1)} == {
        "everybody: read",
        "team: read, add, change, delete",
    }
    driver.click(depot.serve)
    qtbot.waitUntil(lambda: bool(depot.service.address), timeout=60_000)
    address = depot.service.address
    said = []
    driver.window.session.noticed.connect(lambda mood, text, details: said.append(text))
    with browser() as page:
        join(page, depot.service.join, "olga")
        for name in ("ada", "ben"):
            said.clear()
            depot.invite_to("team")
            qtbot.waitUntil(lambda: any("/join/" in text for text in said), timeout=60_000)
            join(page, said[-1].rpartition(" ")[2], name)
        page.get(f"{address}pages/buildings")
        assert cells(page, "B003")[:2] == ["B003", "Harrow Landing"] and len(cells(page, "B003")) == 4
        assert not any(name in page.page_source for name in HIDDEN)

        mine = address.replace("://", "://ada@")
        remember(mine.rstrip("/"), PASSWORD)
        driver.window.session.open_refs([DataRef.service("ogcapi", mine, "buildings_for_team")])
        qtbot.waitUntil(lambda: len(driver.work.layers) == 2, timeout=60_000)
        driver.window.show_page("desk")
        desk = driver.window.desk
        driver.work.choose(next(layer.id for layer in driver.work.layers if layer.ref.protocol == "ogcapi"))
        desk.side.toggle("edit")
        driver.click(desk.edit.begin)
        qtbot.waitUntil(lambda: desk.editing.layer is not None and desk.edit.shown is not None, timeout=60_000)
        names = driver.window.session.cache.table(desk.editing.layer.ref).column("building").to_pylist()
        driver.work.pick(Picks(desk.editing.layer.id, (names.index("B002"),)))
        qtbot.waitUntil(lambda: desk.edit.shown.picked is not None, timeout=60_000)
        driver.type(desk.edit.form.lines["floors"], "9")
        qtbot.waitUntil(lambda: len(desk.edit.shown.unsent) == 1, timeout=60_000)

        script = Path(__file__).parents[1] / "second_colleague.py"
        there = os.environ | {"BRISK_ATLAS_HOME": str(tmp_path / "another machine"), "DEPOT_PASSWORD": PASSWORD}
        done = subprocess.run(
            [sys.executable, str(script), address.replace("://", "://ben@"), "buildings_for_team", "floors", "B001=5", "B002=6", "B003=7"],
            env=there, capture_output=True, text=True, timeout=180,
        )  # fmt: skip
        assert done.returncode == 0 and "sent" in done.stdout, done.stderr[-2000:]

        qtbot.waitUntil(lambda: [each.in_conflict for each in desk.edit.shown.unsent] == [True], timeout=60_000)
        floors = driver.window.session.cache.table(desk.editing.layer.ref).column("floors").to_pylist()
        assert [floors[names.index(each)] for each in ("B001", "B002", "B003")] == [5, 9, 7]
        assert not desk.edit.send.isEnabled()
        driver.click(desk.edit.decide)
        form = desk.editing.form
        assert [button.text() for button in form.choices["floors"]] == ["9", "6"]
        form.choices["floors"][0].click()
        form.use.click()
        qtbot.waitUntil(lambda: desk.edit.send.isEnabled(), timeout=60_000)
        driver.click(desk.edit.send)
        qtbot.waitUntil(lambda: not desk.editing.busy and not desk.edit.shown.unsent, timeout=60_000)

        qtbot.waitUntil(
            lambda: [cells(page, each)[3] for each in ("B001", "B002", "B003")] == ["5", "9", "7"], timeout=60_000
        )
        assert not any(name in page.page_source for name in HIDDEN)
        row = page.execute_async_script(
            "fetch('../collections/buildings/items?building=B002').then(a => a.json()).then(arguments[0])"
        )
        feature = row["features"][0]
        tried = page.execute_async_script(
            """const [row, state, end] = arguments;
            const send = (place, method, headers = {}) => fetch(`../collections/${place}`, {method, headers:
                {"Content-Type": "application/geo+json", "If-Match": `"${state}"`, ...headers}, body: method === "DELETE" ? null :
                JSON.stringify({type: "Feature", properties: {floors: 1}, geometry: null})}).then((a) => a.status);
            Promise.all([send("buildings/items", "POST"), send(`buildings/items/${row}`, "PATCH"), send(`buildings/items/${row}`, "PUT"),
                send(`buildings/items/${row}`, "DELETE"), send(`buildings_for_team/items/${row}`, "PATCH")]).then(end);""",
            feature["id"], feature["state"],
        )  # fmt: skip
        assert tried == [403, 403, 403, 403, 404]
        assert not [
            each for each in page.get_log("browser") if each["level"] == "SEVERE" and each["source"] != "network"
        ]
    driver.window.show_page("handover")
    qtbot.waitUntil(lambda: "by ada" in depot.tree.topLevelItem(0).text(1), timeout=60_000)
    depot.tree.setCurrentItem(depot.tree.topLevelItem(0))
    qtbot.waitUntil(lambda: depot.detail.edits.count() == 4, timeout=60_000)
    assert "B002: floors 6 to 9 by ada" in depot.detail.edits.item(0).text()
    depot.withdraw_now(depot.listed[0].posting.id, "buildings")
    qtbot.waitUntil(lambda: depot.tree.topLevelItem(0).childCount() == 1, timeout=60_000)
    driver.click(depot.serve)
    qtbot.waitUntil(lambda: not depot.service.begun, timeout=60_000)
