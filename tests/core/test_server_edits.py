"""Edits written back into a real PostgreSQL database: all or none, and never over what others wrote."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import pytest

from brisk_atlas.core.connect.postgres import close_all
from brisk_atlas.core.connect.table_names import query_ref, table_ref
from brisk_atlas.core.model import CannotWrite, DataRef, Edit, passwords
from brisk_atlas.core.operations import SaveEdits
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.table.write_back import why_not
from brisk_atlas.core.workspace import Workspace
from brisk_atlas.core.workspace.saved_rows import rows_from, saved_rows
from database_edits import edit
from database_server import running

TABLES = """
CREATE TABLE wells (area text, number int2, name varchar(8), depth numeric(8,2), level float4, seen timestamptz,
                    logged timestamp, since date, open boolean, tags text[], more jsonb, id uuid,
                    geom geometry(Point, 32727), PRIMARY KEY (area, number), CHECK (depth > 0));
INSERT INTO wells SELECT CASE WHEN i % 2 = 0 THEN 'north' ELSE 'south' END, i, 'w' || i, i * 1.25, i / 10.0,
    '2031-06-24 12:00+02', '2031-06-24 12:00', '2031-06-24', NULL, ARRAY['a'], '{"n": 1}', gen_random_uuid(),
    ST_SetSRID(ST_Point(500000 + i, 5770000), 32727) FROM generate_series(1, 40) AS i;
CREATE VIEW open_wells AS SELECT * FROM wells;
CREATE TABLE loose (n int);
CREATE ROLE guest LOGIN PASSWORD 'guest';
GRANT SELECT ON wells TO guest;
"""
ALL = "SELECT area, number, name, depth::float8, level, since FROM wells ORDER BY area, number"


@pytest.fixture(scope="module")
def running_server():
    with running() as found:
        yield found
        close_all()


@pytest.fixture
def server(running_server, home):
    allow(("127.0.0.1",))
    passwords.remember(running_server.address, running_server.password)
    with running_server.connect() as link:
        link.execute("DROP OWNED BY guest; DROP ROLE guest" if link.execute(
            "SELECT 1 FROM pg_roles WHERE rolname = 'guest'").fetchone() else "SELECT 1")  # fmt: skip
        link.execute("DROP TABLE IF EXISTS wells, loose CASCADE")
        link.execute(TABLES)
    yield running_server
    passwords.forget_all()


@pytest.fixture
def work(server):
    workspace = Workspace()
    workspace.open(f"{server.address}#public.wells")
    return workspace


def stored(server, query=ALL):
    with server.connect() as link:
        return link.execute(query).fetchall()


def test_values_of_every_kind_come_back_as_they_were_typed(server, work):
    zone = dt.timezone(dt.timedelta(hours=9))
    new = {
        "name": "Südöst", "depth": 12.35, "level": 0.1, "seen": dt.datetime(2031, 7, 1, 8, 30),
        "logged": dt.datetime(2031, 7, 1, 8, 30), "since": dt.date(1999, 12, 31), "open": True, "tags": '{b,"c d"}',
        "more": '{"n": 2}', "id": "00000000-0000-0000-0000-00000000002a",
    }  # fmt: skip
    with server.connect() as link:
        link.execute("ALTER DATABASE survey SET timezone = 'Pacific/Fiji'")  # a time typed here is in UTC all the same
    layer = edit(
        work, *(Edit(field, (3,), (value,)) for field, value in new.items()), Edit("name", (5, 6), ("x", None))
    )
    before = stored(server, "SELECT area, number, geom, name FROM wells ORDER BY area, number")
    written = SaveEdits(layer).run(work)
    assert (written.paths, written.what) == ((), "12 edited values")
    after = stored(server, "SELECT area, number, geom, name FROM wells ORDER BY area, number")
    changed = {3: "Südöst", 5: "x", 6: None}
    assert after == [(*row[:3], changed.get(at, row[3])) for at, row in enumerate(before)]
    found = stored(server, "SELECT name, depth, level, seen, logged, since, open, tags, more, id::text FROM wells "
                           "WHERE area = 'north' AND number = 8")[0]  # fmt: skip
    assert found[:3] == ("Südöst", Decimal("12.35"), 0.1)
    assert found[3] == dt.datetime(2031, 7, 1, 17, 30, tzinfo=zone) and found[4:7] == (
        new["logged"],
        new["since"],
        True,
    )
    assert found[7:] == (["b", "c d"], {"n": 2}, new["id"])
    assert work.cache.table(work.work.layers[0].ref).column("name")[3].as_py() == "Südöst"  # read anew


def test_what_others_wrote_meanwhile_is_never_written_over(server, work):
    layer = edit(work, Edit("name", (0,), ("mine",)), Edit("name", (2,), ("mine too",)))
    with server.connect() as link:
        link.execute("UPDATE wells SET name = 'theirs' WHERE area = 'north' AND number = 6")
    others = stored(server)
    with pytest.raises(
        CannotWrite, match=r"area = north, number = 6 was changed meanwhile \(name is now “theirs”, was “w6”"
    ):
        SaveEdits(layer).run(work)
    assert stored(server) == others  # the first one is not written either
    assert len(work.work.layers[0].rows.edits) == 2


def test_other_values_of_the_same_row_may_have_changed(server, work):
    layer = edit(work, Edit("name", (0,), ("mine",)))
    with server.connect() as link:
        link.execute("UPDATE wells SET depth = 99 WHERE area = 'north' AND number = 2")
    SaveEdits(layer).run(work)
    assert stored(server)[0] == ("north", 2, "mine", 99.0, pytest.approx(0.2), dt.date(2031, 6, 24))


def test_edits_saved_with_a_project_know_what_they_were_made_upon(server, work, tmp_path):
    layer = edit(work, Edit("since", (0,), (dt.date(2000, 1, 1),)))
    rows = work.work.layer(layer).rows
    with server.connect() as link:
        link.execute("UPDATE wells SET since = '2011-11-11' WHERE area = 'north' AND number = 2")
    later = Workspace()
    (again,) = later.open(f"{server.address}#public.wells")
    later.work.change("edit", again.id, rows=rows_from(saved_rows(rows, tmp_path), tmp_path))
    with pytest.raises(CannotWrite, match="since is now 2011-11-11, was 2031-06-24"):
        SaveEdits(again.id).run(later)


@pytest.mark.parametrize(
    ("meanwhile", "reason"),
    [("DELETE FROM wells WHERE number = 2", "number = 2 is no longer there"),
     ("UPDATE wells SET number = 102 WHERE number = 2", "number = 2 is no longer there")],
)  # fmt: skip
def test_a_row_that_went_is_named(server, work, meanwhile, reason):
    layer = edit(work, Edit("name", (0,), ("mine",)))
    with server.connect() as link:
        link.execute(meanwhile)
    with pytest.raises(CannotWrite, match=reason):
        SaveEdits(layer).run(work)


def test_edits_are_not_laid_over_other_rows_once_the_table_was_read_again(server, work):
    layer = edit(work, Edit("open", (0,), (True,)))
    with server.connect() as link:
        link.execute("INSERT INTO wells (area, number, depth) VALUES ('north', 1, 1)")
    work.forget(work.work.layer(layer))
    with pytest.raises(CannotWrite, match="rows were added or removed"):
        SaveEdits(layer).run(work)
    assert stored(server, "SELECT count(open) FROM wells") == [(0,)]


@pytest.mark.parametrize(
    ("field", "value", "reason"),
    [("depth", -1.0, "check constraint"), ("name", "far too long", "too long"), ("more", "{", "invalid input syntax"),
     ("number", 4, "duplicate key")],
)  # fmt: skip
def test_what_the_database_refuses_leaves_it_as_it_was(server, work, field, value, reason):
    before = stored(server)
    layer = edit(work, Edit("name", (4,), ("fine",)), Edit(field, (0,), (value,)))
    with pytest.raises(CannotWrite, match=reason):
        SaveEdits(layer).run(work)
    assert stored(server) == before


def test_rights_and_locks_are_told(server, work):
    layer = edit(work, Edit("name", (0,), ("mine",)))
    with server.connect() as link, link.transaction():
        link.execute("SELECT 1 FROM wells WHERE number = 2 FOR UPDATE")
        with pytest.raises(CannotWrite, match="another program holds its rows"):
            SaveEdits(layer).run(work)
    passwords.remember(server.address.replace("ana@", "guest@"), "guest")
    guest = Workspace()
    guest.open(f"{server.address.replace('ana@', 'guest@')}#public.wells")
    with pytest.raises(CannotWrite, match="you may not write it"):
        SaveEdits(edit(guest, Edit("name", (0,), ("mine",)))).run(guest)


def test_what_has_no_key_says_why_it_is_not_written(server, work):
    place = DataRef.parse(server.address)
    for ref, reason in ((table_ref(place, "public", "open_wells"), "a view"),
                        (table_ref(place, "public", "loose"), "no primary key"),
                        (query_ref(place, "SELECT * FROM wells"), "a query")):  # fmt: skip
        assert reason in why_not(work.cache.dataset(ref))
    assert why_not(work.cache.dataset(table_ref(place, "public", "wells"))) is None
