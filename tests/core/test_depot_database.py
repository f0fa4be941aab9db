"""A Depot in a PostgreSQL database: served by several processes at once, cut off from it, and alike one in a folder."""

from __future__ import annotations

import random
import subprocess
import sys
import time

import httpx
import numpy as np
import pytest
import shapely
from starlette.testclient import TestClient
from test_postings import ADA, BEN, FIELDS, QUICK, outlet, rows, wkb

from brisk_atlas import cli
from brisk_atlas.core.depot.postings.depot_store import DepotStore, EditConflict
from brisk_atlas.core.depot.postings.outlet import OutletField
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.posted_rows import BadRow
from brisk_atlas.core.depot.postings.postgres_store import PostgresStore
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import EVERYBODY, Right
from brisk_atlas.core.depot.postings.store_database import StoreFault
from brisk_atlas.core.depot.serving import free_port, postings_application
from brisk_atlas.core.model import CannotRead
from database_server import running

EVERYBODY_READS = ((EVERYBODY, frozenset({Right.READ})),)


def opened(address, files=None):
    return DepotStore(PostgresStore(address, files), lambda database: People(database, QUICK))


def until(found, longest_s=20.0):
    end = time.monotonic() + longest_s
    while not (answer := found()) and time.monotonic() < end:
        time.sleep(0.05)
    return answer


@pytest.fixture
def two(new_database):
    """Two processes' views of one Depot."""
    address = new_database()
    found = opened(address), opened(address)
    posting = found[0].post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    found[0].offer(outlet(posting, id="team"), by="olga")
    found[0].offer(outlet(posting, id="public", rights=EVERYBODY_READS, where="id < 4"), by="olga")
    yield found
    for each in found:
        each.close()


def test_what_one_process_changes_the_others_show_and_conflicts_are_found(two):
    one, other = two
    seen = one.through("team", ADA).page(RowsAsked(), 10)[0]
    clients = [TestClient(postings_application(each, "Tolvane Depot")) for each in two]
    assert clients[0].get("/collections/public/items").content == clients[1].get("/collections/public/items").content
    other.change_row("team", BEN, seen.name, seen.state, {"id": 3, "place": "new"})
    with pytest.raises(EditConflict):
        one.change_row("team", ADA, seen.name, seen.state, {"place": "newer"})
    assert until(lambda: b'"new"' in clients[0].get("/collections/public/items").content)  # asked before, and stored
    assert one.figures(one.through("public", ADA)) == other.figures(other.through("public", ADA))
    assert one.database.key == other.database.key


def test_a_database_that_is_gone_and_comes_back_loses_nothing_accepted(tmp_path):
    with running() as server:
        store = opened(server.address_of("survey"))
        posting = store.post("It", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
        store.offer(outlet(posting, id="team"), by="olga")
        store.offer(outlet(posting, id="public", rights=EVERYBODY_READS), by="olga")
        client, accepted, chance = TestClient(postings_application(store, "Depot")), [], random.Random(1)
        for turn in range(30):
            if turn in (10, 20):
                server.control("stop")
            if turn in (15, 25):
                server.control("start")
            try:
                accepted.append(store.add_row("team", ADA, {"id": turn, "depth": chance.random()}, wkb(turn, 1)).name)
            except StoreFault:
                answer = client.get("/collections/public/items")
                assert answer.status_code == 503 and "can't be used now" in answer.json()["description"]
        assert 20 <= len(accepted) <= 22  # a link that was cut is found out by the first that uses it
        edits = store.rows(posting.id).edits()
        assert [edit.row for edit in edits] == accepted
        assert {row.name for row in store.rows(posting.id).all_rows()} >= set(accepted)
        assert client.get("/collections/public/items?limit=100").json()["numberReturned"] == 6 + len(accepted)
        assert until(lambda: isinstance(store.database.version_seen(), int))  # changes of others are heard again
        store.close()


WORDS = ("a", "A", "ä", "Z", "a\\b", "a_b", "50%", "it's", "", "éa", "?", "%s", '"')
NUMBERS = (0.05, -0.04, 2.5, 1e15, -7.123456, 0.0, 33.3333)


def content(rng, count=120):
    shapes = (
        lambda x, y: shapely.Point(x, y),
        lambda x, y: shapely.LineString([(x, y, 3.0), (x + 12.4, y + 5, 4.0)]),
        lambda x, y: shapely.Polygon([(x, y), (x + 31.3, y), (x, y + 31.7)]),
        lambda x, y: shapely.MultiPoint([(x, y), (x + 300, y)]),
    )
    for n in range(count):
        x, y = rng.uniform(-1000, 1000, 2)
        values = {"n": n if n % 9 else None, "word": rng.choice([None, *WORDS]), "x": rng.choice([None, *NUMBERS]),
                  "open": rng.choice([None, True, False]), "day": rng.choice([None, "2031-06-24", "2029-01-01"]),
                  "seen": rng.choice([None, "2031-06-24T12:00:00+02:00"])}  # fmt: skip
        values = {name: value.item() if isinstance(value, np.generic) else value for name, value in values.items()}
        yield values, None if n % 11 == 0 else shapely.to_wkb(shapes[n % 4](x, y), output_dimension=3)


QUESTIONS = (
    RowsAsked(), RowsAsked(order=("-word",)), RowsAsked(order=("word", "-x")), RowsAsked(order=("x", "n")),
    RowsAsked(order=("seen", "-open", "day")), RowsAsked((-200.0, -300.0, 400.0, 500.0)),
    RowsAsked((-500.0, -500.0, 100.0, 100.0), ("-n",)),
)  # fmt: skip
CONDITIONS = (  # of outlets
        "word LIKE 'a%'", "word LIKE 'a\\%'", r"word LIKE 'a\b'", "word NOT LIKE '%a%'", "word > 'a'", "word < 'ä'", "word = '?'",
        "word IN ('%s', 'it''s', '\"')", "open", "open = false", "NOT open", "day > DATE '2030-01-01'", "x >= 0.05",
        "x BETWEEN -8 AND 2.5", "seen = TIMESTAMPTZ '2031-06-24 10:00:00+00'", "n < 50 AND (x IS NULL OR x > 0)", "x = 2.5",
)  # fmt: skip


@pytest.mark.parametrize("hides", [False, True])
def test_a_database_answers_as_a_folder_does(tmp_path, new_database, hides):
    types = {"n": FieldType.INTEGER, "word": FieldType.TEXT, "x": FieldType.NUMBER, "open": FieldType.BOOLEAN,
             "day": FieldType.DATE, "seen": FieldType.TIME}  # fmt: skip
    fields = tuple(PostedField(*each) for each in types.items())
    found = []
    for place in (tmp_path / "depot", PostgresStore(new_database(), None)):
        store = DepotStore(place, lambda database: People(database, QUICK))
        posting = store.post("It", fields, content(np.random.default_rng(5)), owner="olga", crs="EPSG:32727",
                             geometry_type="Unknown")  # fmt: skip
        shown = tuple(OutletField(name, name, 1 if hides and name == "x" else None) for name in types)
        more = {"where": "word <> 'Z'", "area": (-900.0, -900.0, 900.0, 900.0), "blur": 7.0} if hides else {}
        store.offer(outlet(posting, id="it", fields=shown, **more), by="olga")
        rows_ = store.through("it", ADA)
        order = {row.name: n for n, row in enumerate(store.rows(posting.id).all_rows())}  # names are of chance
        answers = []
        fewer = [(RowsAsked(), where) for where in CONDITIONS]
        for asked, where in [*((asked, more.get("where", "")) for asked in QUESTIONS), *fewer]:
            through = store.rows_shown(outlet(posting, id="it", fields=shown, **{**more, "where": where}), posting)
            page = through.page(asked, 1000)
            answers.append((asked, [(row.values, row.wkb, order[row.name]) for row in page], through.count(asked)))
        answers = [
            (asked, each if asked.order else sorted(each, key=lambda row: row[2]), count)
            for asked, each, count in answers
        ]
        found.append((answers, store.figures(rows_)))
        store.close()
    for (asked, one, count), (_, other, number) in zip(found[0][0], found[1][0]):  # those of one value in any order
        keys = [[row[0][name.removeprefix("-")] for name in asked.order] for row in one]
        assert keys == [[row[0][name.removeprefix("-")] for name in asked.order] for row in other], asked
        by_number = [sorted(rows_, key=lambda row: row[2]) for rows_ in (one, other)]
        assert by_number[0] == by_number[1] and count == number, asked
    assert found[0][1] == found[1][1]
    assert any(1 < len(rows_) < 60 for _, rows_, _ in found[0][0])


def test_the_command_line_works_in_a_database_and_says_what_it_can_not(new_database, tmp_path, capsys, data):
    address = new_database()
    shown = ["depot", "list", "--database", address]
    assert cli.main(["depot", "post", str(data / "vents.kml"), "--database", address]) == 0
    name = capsys.readouterr().out.strip()
    assert cli.main(["depot", "offer", name, "--title", "Vents", "--to", "everybody:read", "--database", address]) == 0
    assert cli.main(shown) == 0 and "everybody may read" in capsys.readouterr().out
    assert cli.main(["depot", "post", str(data / "elevation_2031.tif"), "--database", address]) == 1
    assert "no folder for files" in capsys.readouterr().err
    assert cli.main(["depot", "list", "--database", f"{address}_not_there"]) == 1
    assert "does not exist" in capsys.readouterr().err
    with pytest.raises(SystemExit):
        cli.main(["depot", "list"])
    with pytest.raises(BadRow):
        opened(address).post("It", FIELDS[:1], [({"id": "text"}, None)], owner="")
    ports = [free_port(), free_port()]
    servers = [subprocess.Popen([sys.executable, "-m", "brisk_atlas", "depot", "serve", "--database", address, "--port",
                                 str(port)], stdout=subprocess.PIPE, text=True) for port in ports]  # fmt: skip
    try:
        for server in servers:
            assert any("OGC API" in line for line in server.stdout)
        answers = [
            until(lambda port=port: answer(f"http://127.0.0.1:{port}/collections/vents/items")) for port in ports
        ]
        assert answers[0] and answers[0] == answers[1]
    finally:
        for server in servers:
            server.terminate()
            server.communicate()


def answer(address):
    try:
        return httpx.get(address).json()["features"]
    except httpx.TransportError:
        return None


def test_a_store_of_a_later_version_is_refused(new_database, depot_server):
    address = new_database()
    opened(address).close()
    with depot_server.connect_to(address.rpartition("/")[2]) as link:
        link.execute("UPDATE depot.schema_version SET number = 99")
    with pytest.raises(CannotRead, match="version 99"):
        opened(address)
