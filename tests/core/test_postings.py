"""Postings of a Depot: edits with their history, what outlets show and leave out, and who may do what."""

from __future__ import annotations

import itertools
import random
import sqlite3
import threading
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
import shapely
from argon2 import PasswordHasher
from hypothesis import Phase, example, given, settings
from hypothesis import strategies as st

from brisk_atlas.core.depot.postings import posted_rows
from brisk_atlas.core.depot.postings.depot_store import DepotStore, EditConflict, NotAllowed
from brisk_atlas.core.depot.postings.outlet import BadOutlet, Outlet, OutletField
from brisk_atlas.core.depot.postings.outlet_filter import OutletFilter
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.people import BadAccount, People, WrongSecret
from brisk_atlas.core.depot.postings.posted_rows import BadRow, RowGone, UndoConflict
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField, value_as
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, ANYONE, EVERYBODY, Identity, Right
from brisk_atlas.core.depot.postings.sqlite_store import SqliteStore
from brisk_atlas.core.model import AtlasError, BadExpression, CannotRead
from brisk_atlas.core.table.cql2_text import parse

FIELDS = (
    PostedField("id", FieldType.INTEGER), PostedField("place", FieldType.TEXT), PostedField("depth", FieldType.NUMBER, "m"),
    PostedField("secret", FieldType.TEXT), PostedField("open", FieldType.BOOLEAN), PostedField("since", FieldType.DATE),
    PostedField("seen", FieldType.TIME),
)  # fmt: skip
OWNER, ADA, BEN = (
    Identity("olga", is_owner=True),
    Identity("ada", frozenset({"team"})),
    Identity("ben", frozenset({"team"})),
)
QUICK = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)


def wkb(x, y):
    return shapely.to_wkb(shapely.Point(x, y))


def rows(count=6):
    for n in range(count):
        values = {"id": n, "place": f"p{n}", "depth": n * 1.234, "secret": f"s{n}", "open": n % 2 == 0,
                  "since": f"2031-06-{10 + n}", "seen": f"2031-06-24T12:0{n}:00+02:00"}  # fmt: skip
        yield values, wkb(500_000 + 10 * n, 5_770_000) if n != 3 else None


def outlet(posting, **changed):
    fields = tuple(OutletField(each.name, each.name) for each in FIELDS)
    return Outlet(**{"id": "", "posting": posting.id, "title": "Team", "fields": fields,
                     "rights": (("team", ALL_RIGHTS),), **changed})  # fmt: skip


@pytest.fixture
def store(place):
    made = DepotStore(place(), lambda file: People(file, QUICK))
    yield made
    made.close()


@pytest.fixture
def posting(store):
    return store.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")


def test_rows_come_back_as_they_were_posted_and_nobody_sees_them_before_there_is_an_outlet(store, posting, place):
    stored = list(store.rows(posting.id).all_rows())
    assert [row.values for row in stored] == [
        values | {"seen": f"2031-06-24T10:0{n}:00.000000Z"} for n, (values, _) in enumerate(rows())
    ]
    assert [row.wkb for row in stored] == [shape for _, shape in rows()]
    assert store.readable(OWNER) == store.readable(ADA) == []
    again = DepotStore(place())
    assert again.posting(posting.id) == posting and again.postings == [posting]
    again.close()


@pytest.mark.parametrize(
    ("values", "shape", "reason"),
    [
        ({"id": 2**63}, None, "integer"), ({"id": 1.5}, None, "integer"), ({"id": True}, None, "integer"),
        ({"depth": float("nan")}, None, "number"), ({"open": 1}, None, "boolean"), ({"since": "yesterday"}, None, "since"),
        ({"place": 4}, None, "text"), ({"strange": 1}, None, "no field strange"),
        ({}, b"\1\2", "can't be read"), ({}, shapely.to_wkb(shapely.box(0, 0, 1, 1)), "Polygon"),
        ({}, shapely.to_wkb(shapely.Point(float("inf"), 0)), "no numbers"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_refused_and_changes_nothing(store, posting, values, shape, reason):
    own = store.offer(outlet(posting), by="olga")
    with pytest.raises(BadRow, match=reason):
        store.add_row(own.id, ADA, values, shape)
    assert store.rows(posting.id).edits() == [] and store.through(own.id, ADA).count() == 6


def test_edits_are_noted_undone_by_their_author_and_the_past_can_be_looked_at(store, posting):
    own, all_rows = store.offer(outlet(posting), by="olga"), store.rows(posting.id)
    begin = {row.name: row for row in all_rows.all_rows()}
    first, *_ = store.through(own.id, ADA).page(RowsAsked(order=("id",)), 10)
    changed = store.change_row(own.id, ADA, first.name, first.state, {"depth": 7.5}, lambda old: wkb(1, 2))
    added = store.add_row(own.id, BEN, {"place": "new"}, None)
    store.delete_row(own.id, ADA, changed.name, changed.state)
    edits = all_rows.edits()
    assert [(e.deed, e.account) for e in edits] == [("change", "ada"), ("add", "ben"), ("delete", "ada")]
    assert edits[0].before == begin[first.name] and edits[0].after.wkb == wkb(1, 2)
    assert all_rows.rows_at("2000-01-01T00:00:00.000000Z") == begin
    assert set(all_rows.rows_at(edits[1].at)) == {*begin, added.name}
    with pytest.raises(NotAllowed):
        store.undo(posting.id, edits[2].number, BEN)
    assert store.undo(posting.id, edits[2].number, ADA).values["depth"] == 7.5
    with pytest.raises(UndoConflict):
        store.undo(posting.id, edits[2].number, ADA)
    store.undo(posting.id, edits[0].number, OWNER)
    store.undo(posting.id, edits[1].number, BEN)
    assert {row.name: row for row in all_rows.all_rows()} == begin and len(all_rows.edits()) == 6
    with pytest.raises(RowGone):
        store.undo(posting.id, 999, OWNER)


def test_a_clock_that_is_set_back_does_not_turn_the_history_round(store, posting, monkeypatch):
    own = store.offer(outlet(posting), by="olga")
    store.add_row(own.id, ADA, {"id": 10}, None)

    class Earlier(datetime):
        @classmethod
        def now(cls, zone=None):
            return datetime(2001, 1, 1, tzinfo=zone)

    monkeypatch.setattr(posted_rows, "datetime", Earlier)
    store.add_row(own.id, ADA, {"id": 11}, None)
    times = [edit.at for edit in store.rows(posting.id).edits()]
    assert times == sorted(times) and times[0] > "2002"


def test_a_row_that_somebody_else_changed_is_not_written_over_and_both_states_are_there(store, posting):
    own = store.offer(outlet(posting), by="olga")
    public = store.offer(
        outlet(posting, title="Public", rights=((EVERYBODY, frozenset({Right.READ})),),
               fields=(OutletField("place", "name"), OutletField("depth", "depth", 1))), by="olga"
    )  # fmt: skip
    row = store.through(own.id, ADA).page(RowsAsked(order=("id",)), 1)[0]
    seen = store.through(public.id, ANYONE).row(row.name)
    store.change_row(own.id, ADA, row.name, row.state, {"secret": "other"})
    assert store.through(public.id, ANYONE).row(row.name) == seen  # in its state too
    with pytest.raises(EditConflict) as conflict:
        store.change_row(own.id, BEN, row.name, row.state, {"depth": 1.0})
    assert conflict.value.now.values["secret"] == "other"
    now = store.change_row(own.id, BEN, row.name, conflict.value.now.state, {"depth": 2.34})
    assert now.values["secret"] == "other" and store.through(public.id, ANYONE).row(row.name).values == {
        "name": "p0", "depth": 2.3,
    }  # fmt: skip


ROLES = {"nobody": ANYONE, "member": ADA, "stranger": Identity("carl", frozenset({"others"})), "owner": OWNER,
         "narrow token": Identity("ada", frozenset({"team"}), frozenset({Right.READ, Right.ADD}))}  # fmt: skip


@pytest.mark.parametrize("role", ROLES)
@pytest.mark.parametrize("given_to", [EVERYBODY, "team"])
@pytest.mark.parametrize("until", [None, timedelta(hours=-1), timedelta(hours=1)])
def test_each_role_may_do_what_it_was_given_and_nothing_else(store, posting, role, given_to, until):
    who = ROLES[role]
    for rights in map(frozenset, itertools.chain.from_iterable(itertools.combinations(Right, n) for n in range(5))):
        end = datetime.now(UTC) + until if until is not None else None
        own = store.offer(outlet(posting, id="it", rights=((given_to, rights),), until=end), by="olga")
        reached = role == "owner" or (
            (given_to == EVERYBODY or "team" in who.circles) and (not until or end > datetime.now(UTC))
        )
        allowed = set(ALL_RIGHTS if role == "owner" else rights if reached else ())
        allowed = (allowed | {Right.READ} if allowed else allowed) & (who.scope | {Right.READ})
        row = store.rows(posting.id)
        name = next(row.all_rows()).name

        def state(name=name):
            return store.through("it", OWNER).row(name).state

        deeds = {
            Right.READ: lambda: store.through("it", who),
            Right.ADD: lambda: store.add_row("it", who, {"id": 1}, None),
            Right.CHANGE: lambda name=name: store.change_row("it", who, name, state(), {"id": random.randrange(10**9)}),
            Right.DELETE: lambda name=name: store.delete_row("it", who, name, state()),
        }
        for right, deed in deeds.items():
            before = len(row.edits())
            if right in allowed:
                deed()
            else:
                with pytest.raises(NotAllowed if allowed else KeyError):
                    deed()
            assert len(row.edits()) - before == (right in allowed and right is not Right.READ)
        assert (store.readable(who) == [own]) == bool(allowed)


def test_rows_of_others_and_rows_that_would_leave_the_outlet_are_not_touched(store, posting):
    own = store.offer(outlet(posting, own_rows=True, where="depth < 100", area=(0, 0, 600_000, 6_000_000)), by="olga")
    mine = store.add_row(own.id, ADA, {"depth": 1.0}, wkb(500_000, 5_000_000))
    others = next(row for row in store.through(own.id, BEN).page(RowsAsked(), 10) if row.name != mine.name)
    with pytest.raises(NotAllowed, match="somebody else"):
        store.change_row(own.id, BEN, mine.name, mine.state, {"depth": 2.0})
    with pytest.raises(NotAllowed, match="somebody else"):
        store.delete_row(own.id, ADA, others.name, others.state)
    for values, place in (({"depth": 100.0}, None), ({}, wkb(700_000, 0))):
        with pytest.raises(NotAllowed, match="would not be among"):
            store.change_row(own.id, ADA, mine.name, mine.state, values, lambda old, place=place: place or old)
    with pytest.raises(NotAllowed, match="would not be among"):
        store.add_row(own.id, ADA, {"depth": 1.0}, None)  # without a place it lies in no area
    assert store.through(own.id, ADA).row(mine.name) == mine and len(store.rows(posting.id).edits()) == 1
    rounded = store.offer(
        outlet(posting, title="Rounded", blur=100.0, fields=(OutletField("depth", "depth", 0),)), by="olga"
    )
    for values, place in (({"depth": 3.0}, None), ({}, wkb(1, 1))):
        with pytest.raises(NotAllowed, match=r"rounded|not exact"):
            shown = store.through(rounded.id, ADA).row(mine.name)
            store.change_row(rounded.id, ADA, mine.name, shown.state, values, lambda old, place=place: place or old)


# Nothing leaks


def matching(text, **more):
    """Return the question for rows that a condition in CQL2 is true of."""
    return RowsAsked(filter=OutletFilter(parse(text), "EPSG:32727"), **more)


QUESTIONS = (
    RowsAsked(), RowsAsked(order=("-depth", "id")), RowsAsked(order=("secret",)),
    *map(matching, (
        "place = 'p1'", "depth > 2.5 OR NOT (id < 3)", "secret = 's1'", '"__wkb" IS NULL', "f3 = 's1'", "added_by = 'olga'",
        "since BETWEEN DATE('2031-06-11') AND DATE('2031-06-14')", "1 = 1", "secret IS NULL OR place IS NOT NULL",
        "length(place) > 1", "place = secret", "rowid > 0", "depth * 10 > 25 AND CASEI(place) LIKE CASEI('P%')",
        "T_AFTER(since, DATE('2031-06-12'))", "S_DISJOINT(geometry, POINT(500000 5770000))", "geometry IS NULL",
        *(f"S_INTERSECTS(geometry, BBOX({x}, 5769950, {x + 30}, 5770050))" for x in (499_980, 500_000, 500_024.9, 500_045)),
        *(f"S_WITHIN(geometry, BBOX({x}, 5769950, {x + 30}, 5770050))" for x in (500_024.9, 500_045)),
    )),
    *(RowsAsked(box=(x, 5_769_950, x + 30, 5_770_050)) for x in (499_980, 500_000, 500_024.9, 500_045, 501_000)),
)  # fmt: skip


def answers(store, name):
    shown = store.through(name, ANYONE)
    found = [store.figures(shown).extent, store.figures(shown).count, shown.count()]
    for asked in QUESTIONS:
        try:
            page = shown.page(asked, 3)
            found.append([page, [row.state for row in page], shown.page(asked, 100, skip=1), shown.count(asked)])
        except BadExpression as error:
            found.append(str(error))
    each = [shown.row(row.name) for row in store.rows(store.outlet(name).posting).all_rows()]
    assert each[6:] == [None] * len(each[6:])  # as for a name that there is not
    return [*found, each[:6], shown.row("no")]


@settings(deadline=None, max_examples=20, phases=(Phase.explicit, Phase.generate))
@example(hidden=[("x", -0.04, 0.0)] * 6, more=0)  # a rounded zero has no sign
@given(
    hidden=st.lists(st.tuples(st.text(max_size=3), st.floats(-0.04, 0.04), st.floats(-9, 9)), min_size=6, max_size=6),
    more=st.integers(0, 3),
)
def test_what_an_outlet_leaves_out_changes_no_answer(tmp_path_factory, hidden, more):
    """Two postings that are alike in what is shown are alike in all answers, whatever else they hold."""
    found = []
    for differs in (False, True):
        with pytest.MonkeyPatch.context() as patch:
            numbers = itertools.count()
            patch.setattr(
                posted_rows, "new_names", lambda n, numbers=numbers: [f"{next(numbers):024x}" for _ in range(n)]
            )
            store = DepotStore(tmp_path_factory.mktemp("depot"), lambda file: People(file, QUICK))
            content = []
            for (values, shape), (text, little, off) in zip(rows(), hidden):
                depth = round(values["depth"], 1) + (little if differs else 0.0)
                place = (
                    wkb(500_000 + 100 * values["id"] + (off if differs else 0), 5_770_000 + off * differs)
                    if shape
                    else None
                )
                content.append((values | {"depth": depth, "secret": text if differs else "s"}, place))
            left_out = [({"id": 100 + n, "place": "hidden", "secret": "s"}, wkb(0, n)) for n in range(more * differs)]
            posting = store.post(
                "It", FIELDS, [*content, *left_out], owner="olga", crs="EPSG:32727", geometry_type="Point"
            )
            fields = tuple(
                OutletField(name, name, 1 if name == "depth" else None) for name in ("id", "place", "depth", "since")
            )
            store.offer(outlet(posting, id="it", fields=fields, blur=50.0, where="id < 100",
                               rights=((EVERYBODY, frozenset({Right.READ})),)), by="olga")  # fmt: skip
            found.append(answers(store, "it"))
            store.close()
    assert found[0] == found[1]


def test_questions_are_answered_as_by_brute_force(store):
    rng = np.random.default_rng(3)
    xy = rng.uniform((500_000, 5_770_000), (501_000, 5_771_000), (400, 2))
    depth = rng.uniform(0, 100, 400).round(3)
    content = [({"id": n, "depth": float(d), "place": f"p{n % 7}"}, wkb(*p)) for n, (d, p) in enumerate(zip(depth, xy))]
    posting = store.post("Many", FIELDS, content, owner="olga", crs="EPSG:32727", geometry_type="Point")
    for blur, decimals in ((0.0, None), (25.0, 0)):
        fields = (OutletField("id", "id"), OutletField("depth", "tiefe", decimals), OutletField("place", "place"))
        area = (500_100.0, 5_770_100.0, 500_900.0, 5_770_900.0)
        own = store.offer(outlet(posting, fields=fields, blur=blur, area=area, where="depth < 80"), by="olga")
        shown = store.through(own.id, ADA)
        seen = np.round(xy / blur) * blur if blur else xy
        values = np.round(depth) if decimals is not None else depth
        mask = (depth < 80) & ((xy > area[:2]) & (xy < area[2:])).all(axis=1)
        assert shown.count() == mask.sum() and store.figures(shown).extent == (
            *seen[mask].min(axis=0),
            *seen[mask].max(axis=0),
        )
        box = (500_300.0, 5_770_300.0, 500_700.0, 5_770_500.0)
        mask &= ((seen >= box[:2]) & (seen <= box[2:])).all(axis=1) & (values > 20)
        asked = matching("tiefe > 20 AND place <> 'p3'", box=box, order=("-tiefe",))
        found = shown.page(asked, 1000)
        wanted = np.flatnonzero(mask & (np.arange(400) % 7 != 3))
        assert sorted(row.values["id"] for row in found) == wanted.tolist() and shown.count(asked) == len(wanted)
        assert [row.values["tiefe"] for row in found] == sorted(values[wanted].tolist(), reverse=True)
        names = [row.name for row in shown.page(matching("tiefe > 20"), 1000)]
        paged, after = [], ""
        while page := shown.page(matching("tiefe > 20"), 17, after=after):
            paged, after = [*paged, *(row.name for row in page)], page[-1].name
        assert paged == names == sorted(names)


def test_outlets_that_a_posting_does_not_allow_are_refused(store, posting):
    for wrong in (
        {"fields": (OutletField("nothing", "a"),)}, {"fields": (OutletField("id", "a"), OutletField("place", "A"))},
        {"fields": (OutletField("id", "__name"),)}, {"blur": -1.0}, {"area": (5, 5, 1, 1)}, {"where": "nothing = 1"},
    ):  # fmt: skip
        with pytest.raises((BadOutlet, BadExpression)):
            store.offer(outlet(posting, **wrong), by="olga")
    assert store.outlets == []
    own = store.offer(outlet(posting, until=datetime(2040, 1, 1, tzinfo=UTC), area=(0.0, 0.0, 1.0, 1.0)), by="olga")
    assert store.outlet(own.id) == own
    store.withdraw(posting.id, by="olga")
    assert store.postings == store.outlets == []
    with pytest.raises(KeyError):
        store.through(own.id, OWNER)


def test_values_of_all_types_are_stored_in_one_form():
    assert value_as("2031-06-24T12:00:00+02:00", FieldType.TIME) == value_as("2031-06-24T10:00:00Z", FieldType.TIME)
    assert value_as(3, FieldType.NUMBER) == 3.0 and value_as(None, FieldType.DATE) is None


# People


def test_the_first_owner_invites_others_and_each_invitation_is_used_once(store):
    people = store.people
    assert people.is_new()
    first = people.invite(by="", owner=True)
    assert people.join(first, "olga", "long enough 1").is_owner and not people.is_new()
    with pytest.raises(WrongSecret):
        people.join(first, "eve", "long enough 1")
    secret = people.invite(["team"], by="olga")
    for name, password in (
        ("", "long enough 1"),
        ("a b", "long enough 1"),
        ("ada", "short"),
        ("olga", "long enough 1"),
    ):
        with pytest.raises(BadAccount):
            people.join(secret, name, password)
    assert people.join(secret, "ada", "long enough 2") == Identity("ada", frozenset({"team"}))
    people.put_into("others", "ada", by="olga")
    people.take_out_of("team", "ada", by="olga")
    assert people.identity("ada").circles == {"others"}
    assert [(e.account, e.deed) for e in people.audit()] == [
        ("", "invite"), ("olga", "join"), ("olga", "invite"), ("ada", "join"), ("olga", "add member"), ("olga", "remove member"),
    ]  # fmt: skip
    tables = ("account", "invitation", "audit", "member", "token", "session")
    stored = [list(store.database.reading.execute(f"SELECT * FROM {each}")) for each in tables]
    assert "long enough" not in repr(stored) and secret not in repr(stored)


def test_wrong_passwords_shut_an_account_longer_each_time(store, monkeypatch):
    people = store.people
    people.join(people.invite(by="", owner=True), "olga", "long enough 1")
    assert people.by_password("olga", "long enough 1").is_owner
    for _ in range(5):
        with pytest.raises(WrongSecret, match="not right"):
            people.by_password("olga", "wrong")
    with pytest.raises(WrongSecret, match="shut"):
        people.by_password("olga", "long enough 1")  # the right one too
    with pytest.raises(WrongSecret, match="not right"):
        people.by_password("nobody", "wrong")
    with store.database.changing() as database:
        database.execute("UPDATE account SET shut_until = ''")
    assert people.by_password("olga", "long enough 1").account == "olga"
    assert store.database.reading.execute("SELECT failures FROM account").fetchone() == (0,)


def test_a_token_has_the_rights_of_its_account_and_scope_until_it_ends(store):
    people = store.people
    people.join(people.invite(["team"], by=""), "ada", "long enough 1")
    soon = datetime.now(UTC) + timedelta(hours=1)
    secret = people.make_token("ada", "script", frozenset({Right.ADD}), soon)
    assert people.by_token(secret) == Identity("ada", frozenset({"team"}), frozenset({Right.ADD}))
    people.take_out_of("team", "ada", by="olga")
    assert people.by_token(secret).circles == frozenset()
    past = people.make_token("ada", "old", ALL_RIGHTS, datetime.now(UTC) - timedelta(seconds=1))
    people.drop_tokens("ada", "script")
    for gone in (past, secret, "", "guess"):
        with pytest.raises(WrongSecret):
            people.by_token(gone)


# Faults


def test_twenty_clients_with_conflicts_lose_no_edit_and_the_history_replays(store, posting):
    own = store.offer(outlet(posting), by="olga")
    begin = {row.name: row for row in store.rows(posting.id).all_rows()}
    accepted = []

    def client(number):
        chance, who = random.Random(number), Identity(f"c{number}", frozenset({"team"}))
        for _ in range(15):
            page = store.through(own.id, who).page(RowsAsked(), 50)
            row = chance.choice(page)
            try:
                if chance.random() < 0.2:
                    accepted.append(store.add_row(own.id, who, {"id": number}, wkb(number, 1)).name)
                elif chance.random() < 0.15:
                    store.delete_row(own.id, who, row.name, row.state)
                    accepted.append(row.name)
                else:
                    accepted.append(store.change_row(own.id, who, row.name, row.state, {"depth": chance.random()}).name)
            except (EditConflict, RowGone):
                pass

    threads = [threading.Thread(target=client, args=(n,)) for n in range(20)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    edits = store.rows(posting.id).edits()
    assert sorted(edit.row for edit in edits) == sorted(accepted)
    for edit in edits:
        assert begin.get(edit.row) == edit.before
        begin[edit.row] = edit.after
    assert {n: r for n, r in begin.items() if r is not None} == {r.name: r for r in store.rows(posting.id).all_rows()}
    if isinstance(store.database, SqliteStore):
        assert store.database.reading.execute("PRAGMA integrity_check").fetchone() == ("ok",)


@pytest.fixture
def in_a_folder(tmp_path):
    made = DepotStore(tmp_path / "depot", lambda file: People(file, QUICK))
    made.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    yield made
    made.close()


def test_nobody_else_reads_the_folder_of_a_depot(in_a_folder):
    folder = in_a_folder.database.path.parent
    assert all(not each.stat().st_mode & 0o077 for each in (folder, *folder.iterdir()))


def test_a_full_disk_a_locked_store_and_a_strange_file_are_said_and_lose_nothing(in_a_folder, tmp_path):
    store, posting = in_a_folder, in_a_folder.postings[0]
    own = store.offer(outlet(posting), by="olga")
    (pages,) = store.database.reading.execute("PRAGMA page_count").fetchone()
    store.database.reading.execute(f"PRAGMA max_page_count = {pages + 2}")
    with pytest.raises(sqlite3.OperationalError, match="full"):
        store.add_row(own.id, ADA, {"place": "x" * 100_000}, None)
    assert store.rows(posting.id).edits() == [] and store.through(own.id, ADA).count() == 6
    store.database.reading.execute("PRAGMA max_page_count = 1000000")
    assert store.add_row(own.id, ADA, {"place": "x" * 100_000}, None).values["id"] is None
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "depot.sqlite").write_bytes(b"something else" * 100)
    with pytest.raises(AtlasError, match="no database of a Depot"):
        DepotStore(tmp_path / "other")
    newer = DepotStore(tmp_path / "newer")
    newer.database.reading.execute("PRAGMA user_version = 99")
    newer.close()
    with pytest.raises(CannotRead, match="version 99"):
        DepotStore(tmp_path / "newer")
