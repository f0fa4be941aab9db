"""Copies of outlets that are edited here: merged field by field with what others do, sent once, and never lost."""

from __future__ import annotations

import itertools
import random
import threading

import pytest
import shapely
from argon2 import PasswordHasher
from hypothesis import given, settings
from hypothesis import strategies as st
from test_postings import FIELDS, rows, wkb

from brisk_atlas.core.connect import copy as copies
from brisk_atlas.core.connect import outlet_client
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Identity, Right
from brisk_atlas.core.depot.serving import running_postings
from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef, Edit
from brisk_atlas.core.model.errors import NotReached
from brisk_atlas.core.model.passwords import remember
from brisk_atlas.core.working_copy.copy_store import WorkingCopy
from brisk_atlas.core.working_copy.draft_refs import draft_in, with_draft
from brisk_atlas.core.working_copy.merging import PLACE, WHOLE, decided, folded, merged
from brisk_atlas.core.working_copy.shared_rows import DraftStep, RowDraft, SharedRow, StepDeed
from brisk_atlas.core.workspace import row_editing
from brisk_atlas.core.workspace.workspace import Workspace

PASSWORD = "long enough 1"
BEN = Identity("ben", frozenset({"team"}))


@pytest.fixture
def store(tmp_path):
    made = DepotStore(tmp_path / "depot", lambda file: People(file, PasswordHasher(1, 8, 1)))
    people = made.people
    people.join(people.invite(by="", owner=True), "olga", PASSWORD)
    people.join(people.invite(["team"], by="olga"), "ada", PASSWORD)
    posting = made.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    every = tuple(OutletField(each.name, each.name) for each in FIELDS)
    made.offer(Outlet("team", posting.id, "For the team", every, (("team", ALL_RIGHTS),)), by="olga")
    made.offer(Outlet("public", posting.id, "For all", every, ((EVERYBODY, frozenset({Right.READ})),)), by="olga")
    yield made
    made.close()


@pytest.fixture
def address(store):
    with running_postings(store, "Tolvane Depot") as address:
        mine = address.replace("://", "://ada@")
        remember(mine, PASSWORD)
        yield mine


@pytest.fixture
def layer(address, monkeypatch, tmp_path):
    """A layer of the team's outlet, copied to be edited."""
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path / "home"))
    from brisk_atlas.core.read.permissions import allow, place_of

    workspace = Workspace()
    allow((place_of(address),))
    ref = copies.make_copy(DataRef.service("ogcapi", address, "team"))
    (made,) = workspace.open(ref)
    yield workspace, made
    workspace.close()


def put(workspace, ref):
    """Give the layer another draft, as the window does."""
    workspace.work.change("edit", workspace.work.layers[0].id, ref=ref)
    return workspace.work.layers[0]


def table(workspace):
    layer = workspace.work.layers[0]
    workspace.cache.forget(layer.ref)
    return {row["id"]: row for row in workspace.cache.table(layer.ref).to_pylist()}


def row_number(workspace, id_):
    return [row["id"] for row in workspace.cache.table(workspace.work.layers[0].ref).to_pylist()].index(id_)


def edit(workspace, id_, **values):
    for name, value in values.items():
        layer = workspace.work.layers[0]
        layer = put(
            workspace,
            row_editing.change_values(workspace.cache, layer, [Edit(name, (row_number(workspace, id_),), (value,))]),
        )
    return layer


def others_change(store, id_, **values):
    shown = store.through("team", BEN)
    (row,) = [each for each in shown.page(copies_all(), 100) if each.values["id"] == id_]
    return store.change_row("team", BEN, row.name, row.state, values)


def copies_all():
    from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked

    return RowsAsked()


def test_an_outlet_is_copied_edited_undone_and_sent(store, layer):
    workspace, _ = layer
    assert table(workspace)[2]["depth"] == 2.468 and len(table(workspace)) == 6
    made = edit(workspace, 2, depth=9.5, place="here")
    features = workspace.cache.features(made.ref)
    moved = shapely.to_wkb(shapely.Point(500_001, 5_770_002))
    made = put(workspace, row_editing.move_feature(workspace.cache, made, row_number(workspace, 1), moved))
    made = put(workspace, row_editing.add_feature(made, {"id": 50, "place": "new"}, moved))
    made = put(workspace, row_editing.delete_features(workspace.cache, made, [row_number(workspace, 0)]))
    assert sorted(table(workspace)) == [1, 2, 3, 4, 5, 50] and len(row_editing.unsent(made)) == 4
    workspace.work.undo()
    assert 0 in table(workspace)
    workspace.work.redo()
    assert store.rows("gas_stations").edits() == []  # nothing was sent yet
    report = copies.send(made.ref)
    assert (report.sent, report.conflicts, report.refused) == (4, [], []) and row_editing.unsent(made) == []
    now = {row.values["id"]: row for row in store.rows("gas_stations").all_rows()}
    assert sorted(now) == [1, 2, 3, 4, 5, 50] and now[2].values["depth"] == 9.5 and now[1].wkb == now[50].wkb == moved
    assert {each.account for each in store.rows("gas_stations").edits()} == {"ada"}
    assert sorted(table(workspace)) == sorted(now) and features.crs == "EPSG:32727"
    assert copies.send(made.ref).sent == 0 and len(store.rows("gas_stations").edits()) == 4  # nothing twice


def test_what_others_change_comes_and_other_fields_of_the_same_row_merge(store, layer):
    workspace, _ = layer
    made = edit(workspace, 2, depth=9.5)
    assert not copies.refresh(made.ref)
    others_change(store, 2, place="theirs")
    others_change(store, 4, place="theirs too")
    assert copies.refresh(made.ref) and not copies.refresh(made.ref)
    now = table(workspace)
    assert (now[2]["depth"], now[2]["place"], now[4]["place"]) == (9.5, "theirs", "theirs too")
    others_change(store, 2, secret="between")  # which is not known here when it is sent
    assert copies.send(made.ref).sent == 1
    (row,) = [each.values for each in store.rows("gas_stations").all_rows() if each.values["id"] == 2]
    assert (row["depth"], row["place"], row["secret"]) == (9.5, "theirs", "between")


@pytest.mark.parametrize("mine", [True, False])
def test_a_field_that_both_changed_waits_until_it_is_decided(store, layer, mine):
    workspace, _ = layer
    edit(workspace, 1, depth=7.0)
    made = edit(workspace, 2, depth=9.5, place="mine")
    others_change(store, 2, depth=1.0)
    report = copies.send(made.ref)
    assert report.sent == 1 and len(report.conflicts) == 1
    (conflict,) = report.conflicts[0].conflicts
    assert conflict[:4] == ("depth", 2.468, 9.5, 1.0)
    assert store.rows("gas_stations").edits()[-1].after.values["depth"] == 7.0  # of the other row
    (waiting,) = row_editing.unsent(made)
    made = put(workspace, row_editing.decide(made, waiting, {"depth": mine}))
    assert table(workspace)[2]["depth"] == (9.5 if mine else 1.0)
    assert copies.send(made.ref).sent == 1
    (row,) = [each.values for each in store.rows("gas_stations").all_rows() if each.values["id"] == 2]
    assert (row["depth"], row["place"]) == (9.5 if mine else 1.0, "mine")


def test_a_row_that_one_deleted_and_the_other_changed_waits_too(store, layer):
    workspace, _ = layer
    made = edit(workspace, 2, depth=9.5)
    made = put(workspace, row_editing.delete_features(workspace.cache, made, [row_number(workspace, 4)]))
    others_change(store, 4, place="theirs")
    shown = store.through("team", BEN)
    (row,) = [each for each in shown.page(copies_all(), 100) if each.values["id"] == 2]
    store.delete_row("team", BEN, row.name, row.state)
    report = copies.send(made.ref)
    assert report.sent == 0 and [each.whole for each in report.conflicts] == [True, True]
    assert 2 in table(workspace) and 4 in table(workspace)  # nothing disappears unseen
    for waiting in row_editing.unsent(made):
        made = put(workspace, row_editing.decide(made, waiting, {WHOLE: True}))
    assert copies.send(made.ref).sent == 2
    there = {each.values["id"]: each.values for each in store.rows("gas_stations").all_rows()}
    assert 4 not in there and there[2]["depth"] == 9.5


def test_work_goes_on_while_the_depot_is_away_and_an_answer_that_was_lost_adds_nothing_twice(store, layer, monkeypatch):
    workspace, made = layer
    monkeypatch.setattr("brisk_atlas.core.connect.fetching.BACK_OFF_S", 0.01)
    real = outlet_client.exchange
    gone = {"all": True, "answers": False}

    def exchange(ref, address, method="GET", body=b"", headers=None, check=lambda: None):
        if gone["all"]:
            raise NotReached(ref, "the server can't be reached", "")
        found = real(ref, address, method, body, headers, check)
        if gone["answers"] and method != "GET":
            raise NotReached(ref, "the answer was lost", "")
        return found

    monkeypatch.setattr(outlet_client, "exchange", exchange)
    made = edit(workspace, 2, depth=9.5)
    made = put(workspace, row_editing.add_feature(made, {"id": 50}, None))
    for call in (copies.refresh, copies.send):
        with pytest.raises(NotReached):
            call(made.ref)
    gone.update(all=False, answers=True)
    for _ in range(3):
        with pytest.raises(NotReached):
            copies.send(made.ref)
        assert len(row_editing.unsent(made)) == 2
    gone.update(answers=False)
    copies.send(made.ref)
    assert row_editing.unsent(made) == [] and len(list(store.rows("gas_stations").all_rows())) == 7
    assert [each.deed for each in store.rows("gas_stations").edits()] == ["change", "add"]


def test_what_the_depot_refuses_stays_here_with_the_reason(store, layer, address):
    workspace, made = layer
    with pytest.raises(CannotWrite, match="only read"):
        copies.make_copy(DataRef.service("ogcapi", address, "public"))
    made = edit(workspace, 2, depth=9.5)
    line = shapely.to_wkb(shapely.LineString([(0, 0), (1, 1)]))
    made = put(workspace, row_editing.move_feature(workspace.cache, made, row_number(workspace, 1), line))
    report = copies.send(made.ref)
    assert report.sent == 1 and "LineString" in report.refused[0][1] and len(row_editing.unsent(made)) == 1
    made = put(workspace, row_editing.take_back(made, row_editing.unsent(made)[0]))
    assert row_editing.unsent(made) == []
    with pytest.raises(CannotRead, match="no copy"):
        WorkingCopy.of(DataRef.service("copy", address, "nothing")).rows()
    with pytest.raises(CannotRead):
        copies.make_copy(DataRef.service("ogcapi", address, "none"))


def test_an_outlet_that_is_offered_otherwise_is_copied_anew(store, layer):
    workspace, made = layer
    made = edit(workspace, 2, depth=9.5)
    every = tuple(OutletField(each.name, each.name) for each in FIELDS if each.name != "secret")
    store.offer(Outlet("team", "gas_stations", "Fewer", every, (("team", ALL_RIGHTS),)), by="olga")
    assert copies.refresh(made.ref)
    assert "secret" not in table(workspace)[2] and table(workspace)[2]["depth"] == 9.5


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_merging_loses_nothing_and_overwrites_nothing_unseen(data):
    """Any two sets of changes of one row: what is shown, sent and in conflict is what a plain table of cases says."""
    values = st.sampled_from([None, 0, 1, True, "a"])
    names = ("p", "q")
    base = SharedRow("r", {n: data.draw(values) for n in names}, data.draw(st.sampled_from([None, b"1"])), "s")
    theirs = SharedRow("r", {n: data.draw(values) for n in names}, data.draw(st.sampled_from([None, b"1", b"2"])), "t")
    mine = {n: data.draw(values) for n in data.draw(st.sets(st.sampled_from(names)))}
    moves, place = data.draw(st.booleans()), data.draw(st.sampled_from([None, b"1", b"3"]))
    found = merged(RowDraft("r", base, mine, place, moves), theirs)
    same = lambda a, b: (type(a), a) == (type(b), b)  # noqa: E731
    for name in names:
        changed = name in mine and not same(mine[name], theirs.values[name])
        unseen = changed and not same(theirs.values[name], base.values[name])
        assert (name in found.values) == (changed and not unseen)
        assert (name in {each.field for each in found.conflicts}) == unseen
        assert same(found.shown.values[name], mine[name] if name in mine else theirs.values[name])
    moved = moves and place != theirs.wkb
    assert found.moves == (moved and theirs.wkb == base.wkb)
    assert any(each.is_place for each in found.conflicts) == (moved and theirs.wkb != base.wkb)
    keep = {each.field: data.draw(st.booleans()) for each in found.conflicts}
    after = folded(decided(found, keep)).get("r")
    again = merged(after, theirs) if after is not None else found
    assert not again.in_conflict and again.shown.values == {
        n: theirs.values[n] if keep.get(n) is False else found.shown.values[n] for n in names
    }  # fmt: skip
    assert again.shown.wkb == (theirs.wkb if keep.get(PLACE) is False else found.shown.wkb)


def test_drafts_are_a_tree_that_a_kill_does_not_break(tmp_path):
    copy = WorkingCopy(tmp_path / "copies" / "a.sqlite")
    steps = [DraftStep("r", StepDeed.CHANGE, {"p": n}, base=SharedRow("r", {"p": -1})) for n in range(4)]
    one = copy.add_steps(0, steps[:1])
    two = copy.add_steps(one, steps[1:2])
    other = copy.add_steps(one, steps[2:3])
    assert [[d.draft.values["p"] for d in copy.draft_rows(n)] for n in (0, one, two, other)] == [[], [0], [1], [2]]
    ref = DataRef.service("copy", "http://127.0.0.1:1/", "team")
    assert draft_in(with_draft(ref, other)) == other and with_draft(with_draft(ref, 9), 0) == ref
    assert DataRef.parse(str(with_draft(ref, 9))) == with_draft(ref, 9)
    threads = [threading.Thread(target=copy.add_steps, args=(0, steps)) for _ in range(8)]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert copy.add_steps(0, steps) == 3 + 8 * 4 + 4


@pytest.mark.parametrize("seed", range(2))
def test_two_who_edit_at_random_and_send_at_random_end_with_the_same_rows(store, address, tmp_path, monkeypatch, seed):
    """Each decides its conflicts; at the end both copies are the Depot, whose history replays to it."""
    from brisk_atlas.core.read.working_copy import open_dataset

    people = store.people
    people.join(people.invite(["team"], by="olga"), "ben", PASSWORD)
    his = address.replace("ada@", "ben@")
    remember(his, PASSWORD)
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path / "home"))
    draw = random.Random(seed)
    refs = [copies.make_copy(DataRef.service("ogcapi", each, "team")) for each in (address, his)]
    marks = itertools.count()
    begin = {row.name: row for row in store.rows("gas_stations").all_rows()}
    for _ in range(40):
        who = draw.randrange(2)
        ref, copy = refs[who], WorkingCopy.of(refs[who])
        deed, names = draw.random(), open_dataset(ref).parts[0].names
        if deed < 0.5 and names:
            name = draw.choice(names)
            field, value = draw.choice([("depth", float(next(marks))), ("place", str(next(marks))), ("secret", "x")])
            base = copy.row(name)
            draft = copy.add_steps(draft_in(ref), [DraftStep(name, StepDeed.CHANGE, {field: value}, base=base)])
        elif deed < 0.6:
            draft = copy.add_steps(
                draft_in(ref), [DraftStep(f"new-{who}-{next(marks)}", StepDeed.ADD, {"id": 7}, wkb(1, 2), True)]
            )
        elif deed < 0.65 and names:
            name = draw.choice(names)
            draft = copy.add_steps(draft_in(ref), [DraftStep(name, StepDeed.DELETE, base=copy.row(name))])
        else:
            (copies.refresh if deed < 0.8 else copies.send)(ref)
            continue
        refs[who] = with_draft(ref, draft)
    for who in (0, 1, 0):
        copies.refresh(refs[who])
        for waiting in WorkingCopy.of(refs[who]).draft_rows(draft_in(refs[who])):
            if waiting.in_conflict:
                keep = {each.field: draw.random() < 0.5 for each in waiting.conflicts} | {WHOLE: draw.random() < 0.5}
                refs[who] = with_draft(
                    refs[who], WorkingCopy.of(refs[who]).add_steps(draft_in(refs[who]), decided(waiting, keep))
                )
        report = copies.send(refs[who])
        assert not report.refused and not report.conflicts
    copies.refresh(refs[1])
    there = {row.name: (row.values, row.wkb) for row in store.rows("gas_stations").all_rows()}
    for ref in refs:
        copy = WorkingCopy.of(ref)
        assert copy.draft_rows(draft_in(ref)) == []
        assert {row.name: (dict(row.values), row.wkb) for row in copy.rows()} == there
    replayed = dict(begin)
    for done in store.rows("gas_stations").edits():
        replayed.pop(done.row, None) if done.after is None else replayed.update({done.row: done.after})
    assert {name: (row.values, row.wkb) for name, row in replayed.items()} == there
