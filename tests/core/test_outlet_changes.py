"""What changed in an outlet since somebody looked, who did what, and rows that are sent twice."""

from __future__ import annotations

import random
import time
from datetime import UTC, datetime

import pytest
from starlette.testclient import TestClient
from test_postings import ADA, BEN, FIELDS, OWNER, QUICK, outlet, rows, wkb

from brisk_atlas.core.depot.load import LoadCounter
from brisk_atlas.core.depot.postings.depot_store import DepotStore, NotAllowed
from brisk_atlas.core.depot.postings.outlet import OutletField
from brisk_atlas.core.depot.postings.outlet_changes import BadCursor
from brisk_atlas.core.depot.postings.outlet_figures import FiguresMemory
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.rights import ANYONE, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application

SHOWN = (OutletField("id", "id"), OutletField("place", "name"), OutletField("depth", "depth", 1))
READ_ALL = ((EVERYBODY, frozenset({Right.READ})),)


@pytest.fixture
def store(place):
    made = DepotStore(place(), lambda file: People(file, QUICK))
    posting = made.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    made.offer(outlet(posting, id="team"), by="olga")
    area = (400_000.0, 5_700_000.0, 600_000.0, 5_800_000.0)
    made.offer(
        outlet(posting, id="public", fields=SHOWN, rights=READ_ALL, where="id < 4", area=area, blur=10.0), by="olga"
    )
    yield made
    made.close()


@pytest.mark.parametrize("seed", range(3))
def test_a_copy_that_follows_the_changes_is_what_is_shown_and_nothing_else_is_stated(store, seed, monkeypatch):
    """Random edits of hidden and shown values, of places, and of what decides whether a row is shown."""
    monkeypatch.setattr("brisk_atlas.core.depot.postings.outlet_changes.AT_ONCE", 3)
    draw, team = random.Random(seed), store.through("team", ADA)
    shown = lambda: {row.name: row for row in store.through("public", ANYONE).page(RowsAsked(), 100)}  # noqa: E731
    copy, cursor = shown(), store.changes("public", ANYONE, "").cursor
    for _ in range(60):
        before = shown()
        for _ in range(draw.randint(1, 3)):
            there = team.page(RowsAsked(), 100)
            row = draw.choice(there) if there else None
            deed = draw.random()
            if row is None or deed < 0.15:
                store.add_row(
                    "team",
                    ADA,
                    {"open": draw.random() < 0.5, "id": draw.choice([1, 9])},
                    draw.choice([None, wkb(500_000, 5_770_000)]),
                )
            elif deed < 0.25:
                store.delete_row("team", ADA, row.name, row.state)
            else:
                change = draw.choice(
                    [
                        {"secret": str(draw.random())},
                        {"depth": round(draw.random(), 3)},
                        {"id": draw.choice([0, 9])},
                        {},
                    ]
                )
                place = draw.choice([row.wkb, row.wkb, wkb(500_000 + draw.randint(0, 9), 5_770_000), wkb(0, 0)])
                store.change_row("team", ADA, row.name, row.state, change, lambda _, place=place: place)
        after, found, first = shown(), [], True
        while first or found[-1].changed or found[-1].gone:
            found.append(store.changes("public", ANYONE, cursor))
            first = False
            if not found[-1].changed and not found[-1].gone:
                assert found[-1].cursor == cursor  # nothing, and not even that something else has changed
            cursor = found[-1].cursor
            copy |= {row.name: row for row in found[-1].changed}
            for name in found[-1].gone:
                copy.pop(name, None)
        assert copy == after
        public = store.through("public", ANYONE)
        assert store.figures(public) == FiguresMemory().of(public) and store.figures(public).count == len(after)
        stated = {row.name for each in found for row in each.changed} | {name for each in found for name in each.gone}
        if before == after and len(found) == 1:
            assert not stated
        assert stated <= {*before, *after} or len(found) > 2  # one that came and left again may be stated as gone


def test_a_cursor_of_another_outlet_or_of_another_offer_is_refused(store):
    cursor = store.changes("public", ANYONE, "").cursor
    for other in (store.changes("team", ADA, "").cursor, "00" * 28, "zz", cursor[:-2]):
        with pytest.raises(BadCursor):
            store.changes("public", ANYONE, other)
    posting = store.posting("gas_stations")
    store.offer(outlet(posting, id="public", fields=SHOWN[:2], rights=READ_ALL, where="id < 4"), by="olga")
    with pytest.raises(BadCursor):
        store.changes("public", ANYONE, cursor)


def test_history_is_as_the_outlet_shows_it_and_an_edit_is_taken_back_through_it(store):
    row = store.through("team", ADA).page(RowsAsked(order=("id",)), 1)[0]
    row = store.change_row("team", ADA, row.name, row.state, {"secret": "x"})
    row = store.change_row("team", BEN, row.name, row.state, {"depth": 5.0})
    mine, his = store.history("team", ADA, row.name)
    assert (mine.account, his.account) == ("ada", "ben") and his.after == row and mine.before.values["secret"] == "s0"
    assert [each.after.values["depth"] for each in store.history("public", OWNER, row.name)] == [
        5.0
    ]  # of the secret nothing
    with pytest.raises(NotAllowed):
        store.history("public", ANYONE, row.name)
    with pytest.raises(NotAllowed, match="somebody else"):
        store.undo_through("team", ADA, row.name, his.edit)
    assert store.undo_through("team", BEN, row.name, his.edit).values["depth"] == 0.0


def test_a_row_that_is_sent_again_is_not_added_again(store):
    for who, auth in (("olga", True), ("ada", False)):
        secret = store.people.invite([] if auth else ["team"], by="", owner=auth)
        store.people.join(secret, who, "long enough 1")
    client = TestClient(postings_application(store, "Tolvane Depot"))
    sent = {"json": {"type": "Feature", "properties": {"place": "twice"}, "geometry": None}}
    place, mark = "/collections/team/items", {"Idempotency-Key": "3f6e"}
    first, again = (client.post(place, **sent, headers=mark, auth=("ada", "long enough 1")) for _ in range(2))
    assert first.status_code == again.status_code == 201 and first.headers["location"] == again.headers["location"]
    other = client.post(place, **sent, headers=mark, auth=("olga", "long enough 1"))
    plain = client.post(place, **sent, auth=("ada", "long enough 1"))
    assert len({first.headers["location"], other.headers["location"], plain.headers["location"]}) == 3
    assert client.get(f"{place}?place=twice", auth=("ada", "long enough 1")).json()["numberMatched"] == 3
    client.delete(first.headers["location"], headers={"If-Match": first.headers["etag"]}, auth=("ada", "long enough 1"))
    assert client.post(place, **sent, headers=mark, auth=("ada", "long enough 1")).status_code == 404
    changed = client.get("/collections/team/changes", auth=("ada", "long enough 1")).json()
    assert changed == {"type": "FeatureCollection", "features": [], "gone": [], "cursor": changed["cursor"]}
    assert client.get("/collections/team/changes?since=00", auth=("ada", "long enough 1")).status_code == 410


@pytest.mark.parametrize(
    ("where", "python"),
    [
        ("open", lambda v: v["open"]), ("NOT open", lambda v: not v["open"]), ("open = false", lambda v: not v["open"]),
        ("place LIKE 'p%'", lambda v: True), ("place LIKE 'P%'", lambda v: False), ("place NOT LIKE '%3'", lambda v: v["id"] != 3),
        ("place > 'p2'", lambda v: v["id"] > 2), ("place BETWEEN 'p1' AND 'p3'", lambda v: 1 <= v["id"] <= 3),
        ("seen >= TIMESTAMP '2031-06-24T10:03:00Z'", lambda v: v["id"] >= 3), ("seen < '2031-06-24T12:02:00+02:00'", lambda v: v["id"] < 2),
        ("since > '2031-06-12' AND open", lambda v: v["id"] > 2 and v["open"]),
    ],
)  # fmt: skip
def test_conditions_over_all_types_of_fields_mean_what_they_say(store, where, python):
    own = store.offer(outlet(store.postings[0], where=where), by="olga")
    found = store.through(own.id, ADA).page(RowsAsked(), 100)
    assert {row.values["id"] for row in found} == {values["id"] for values, _ in rows() if python(values)}


def test_rows_are_seen_as_they_were_through_the_outlet(store):
    row = store.through("team", ADA).page(RowsAsked(order=("id",)), 1)[0]
    store.change_row("team", ADA, row.name, row.state, {"depth": 5.0, "secret": "x"})
    then = datetime.now(UTC)
    store.delete_row("team", ADA, row.name, store.through("team", ADA).row(row.name).state)
    store.add_row("team", ADA, {"id": 70}, None)
    was = {each.values["id"]: each for each in store.as_it_was("team", BEN, then)}
    assert sorted(was) == [0, 1, 2, 3, 4, 5] and was[0].values["depth"] == 5.0
    seen = store.as_it_was("public", OWNER, then)
    assert {each.values["id"] for each in seen} == {0, 1, 2} and all(
        set(each.values) == {"id", "name", "depth"} for each in seen
    )
    with pytest.raises(NotAllowed):
        store.as_it_was("public", ANYONE, then)
    people = store.people
    people.join(people.invite(["team"], by=""), "ada", "long enough 1")
    client = TestClient(postings_application(store, "Tolvane Depot"))
    found = client.get("/collections/team/history", params={"at": then.isoformat()}, auth=("ada", "long enough 1"))
    assert found.json()["numberReturned"] == 6
    assert client.get("/collections/team/history?at=yesterday", auth=("ada", "long enough 1")).status_code == 400


def test_the_load_of_outlets_is_counted_whatever_it_is_asked_by(store, monkeypatch):
    monkeypatch.setattr("brisk_atlas.core.depot.load.WRITTEN_EVERY_S", 0.05)
    asked = ("/collections/public/items", "/pages/public", "/services/xyz/public/10/452/629.png", "/collections/nothing",
             "/services/wms?service=WMS&request=GetCapabilities", "/collections/team/items", "/")  # fmt: skip
    with TestClient(postings_application(store, "Depot")) as client:
        for _ in range(3):
            for address in asked:
                client.get(address)
        end = time.monotonic() + 20
        while sum(store.load.a_minute().values()) < 1.2 and time.monotonic() < end:
            time.sleep(0.05)
    assert store.load.a_minute() == {"public": 0.9, "team": 0.3}
    store.close_outlet("team", by="olga")
    store.load.note({"nothing": 5})
    assert store.load.a_minute() == {"public": 0.9}
    with store.database.changing() as database:
        database.execute("DELETE FROM load")
        database.execute("INSERT INTO load VALUES ('public', '2001-01-01T00:00:00.000000Z', 7)")
    store.load.note({"public": 1})
    assert store.load.a_minute() == {"public": 0.1}
    assert len(list(store.database.reading.execute("SELECT * FROM load"))) == 1  # what was long ago is gone


def test_questions_full_of_other_words_take_no_more_memory_than_a_bound(store, monkeypatch):
    monkeypatch.setattr("brisk_atlas.core.depot.load.MOST_NAMES", 500)
    counter = LoadCounter(postings_application(store, "Depot"), store)
    with TestClient(counter) as client:
        for number in range(100):
            client.get("/" + "/".join(f"w{number}x{n}" for n in range(50)))
        assert 500 <= len(counter._counted) < 600
