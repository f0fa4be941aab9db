"""MariaDB, against a real server: what it holds is found, opened, filtered by it, and given up when nobody waits."""

from __future__ import annotations

import datetime as dt
import json
import threading
import time

import numpy as np
import pytest
import shapely

from brisk_atlas.core.connect import connector_for, mariadb
from brisk_atlas.core.connect.table_names import query_ref, table_ref
from brisk_atlas.core.model import (
    CannotRead,
    CannotWrite,
    DataKind,
    DataRef,
    Edit,
    Extent,
    FeatureQuery,
    Ordering,
    passwords,
)
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.operations import CountRows, SaveEdits
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read.dry_run import dry_run
from brisk_atlas.core.read.field_meanings import meanings_of
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.system.jobs import Jobs
from brisk_atlas.core.table.query import ask, ask_rows
from brisk_atlas.core.table.write_back import why_not
from brisk_atlas.core.workspace import Workspace
from database_edits import edit
from mariadb_server import running_mariadb

TABLES = (
    """CREATE TABLE zones (id int unsigned PRIMARY KEY AUTO_INCREMENT, name varchar(40) COMMENT 'as on the map',
       area decimal(12,3), level tinyint, open bool, since date, seen timestamp NULL, logged datetime, lasts time,
       tags set('a','b'), more json, geom polygon REF_SYSTEM_ID=32727 NOT NULL, SPATIAL INDEX (geom))
       COMMENT 'closed after the eruption'""",
    """INSERT INTO zones (name, area, level, open, since, seen, logged, lasts, tags, more, geom)
       SELECT CASE WHEN seq % 7 = 0 THEN NULL ELSE concat('zone ', seq) END, seq * 1.5, seq % 5, seq % 2,
       DATE '2031-01-01' + INTERVAL seq DAY, TIMESTAMP '2031-06-24 12:00:00', '2031-06-24 12:00:00.25', '26:03:04', 'a,b',
       '{"n": 1}', ST_GeomFromText(concat('POLYGON((', 500000 + seq * 100, ' 5770000,', 500080 + seq * 100, ' 5770000,',
       500080 + seq * 100, ' 5770100,', 500000 + seq * 100, ' 5770100,', 500000 + seq * 100, ' 5770000))'), 32727)
       FROM seq_1_to_2000""",
    "CREATE TABLE visits (zone int unsigned, who varchar(20) CHARACTER SET latin1, FOREIGN KEY (zone) REFERENCES zones (id))",
    "INSERT INTO visits VALUES (1, 'Ada'), (1, 'Bén'), (2, 'ada')",
    "CREATE VIEW open_zones AS SELECT id, name, geom FROM zones WHERE open",
    "CREATE TABLE spots (n bigint unsigned, spot point, reach geometry)",
    "INSERT INTO spots VALUES (18446744073709551615, POINT(1, 2), ST_GeomFromText('LINESTRING(0 0, 5 6)')), (1, NULL, NULL)",
    'CREATE TABLE `odd "name` (`select` text, `a.b` double)',
    "INSERT INTO `odd \"name` VALUES ('it''s', 1.5)",
    "CREATE TABLE empty (n int, geom point)",
)


@pytest.fixture(scope="module")
def server():
    with running_mariadb() as found:
        with found.connect() as link, link.cursor() as cursor:
            cursor.execute("SET time_zone = '+02:00'")
            for statement in TABLES:
                cursor.execute(statement)
        yield found


@pytest.fixture(autouse=True)
def known_password(server):
    """Each test begins with the password known, and leaves none."""
    passwords.remember(server.address, server.password)
    yield
    passwords.forget_all()


def ref(server, table="zones"):
    return table_ref(DataRef.parse(server.address), "survey", table)


def only_part(server, table="zones"):
    (part,) = open_dataset(ref(server, table)).parts
    return part


def test_a_server_lists_its_schemas_and_tables(server):
    whole = DataRef.parse(server.address.rpartition("/")[0])
    passwords.remember(whole.place, server.password)
    assert [(item.name, item.is_folder) for item in connector_for(whole).list(whole)] == [("survey", True)]
    place = DataRef.parse(server.address_with_password)
    assert str(place) == server.address
    names = [item.name for item in connector_for(place).list(place)]
    assert names == ["empty", 'odd "name', "open_zones", "spots", "visits", "zones"]
    odd = connector_for(place).list(place)[1].ref
    assert open_dataset(DataRef.parse(str(odd))).parts[0].rows().to_pylist() == [{"select": "it's", "a.b": 1.5}]


def test_facts_comments_and_relations_are_those_of_the_catalogue(server):
    dataset = open_dataset(ref(server))
    (part,) = dataset.parts
    assert (part.facts.count, part.facts.geometry_type, part.facts.crs) == (2000, "Polygon", "EPSG:32727")
    assert part.facts.extent == Extent(500_100, 5_770_000, 700_080, 5_770_100, "EPSG:32727")
    assert part.facts.notes["comment"] == "closed after the eruption"
    assert meanings_of(dataset, "zones")["name"].description == "as on the map"
    types = {field.name: field.type for field in part.facts.fields}
    assert types["id"] == "int64" and types["open"] == "bool" and types["seen"] == "timestamp[us, tz=UTC]"
    (relation,) = part.relations
    assert (relation.ref, relation.key, relation.other_key, relation.many) == (
        ref(server, "visits"),
        "id",
        "zone",
        True,
    )
    assert not only_part(server, "visits").relations[0].many
    assert open_dataset(ref(server, "visits")).kind is DataKind.TABLE


def test_values_are_those_that_another_client_reads(server):
    part = only_part(server)
    found = part.read()
    with server.connect() as link, link.cursor() as cursor:
        cursor.execute("SELECT name, area, level, since, logged, ST_AsText(geom) FROM zones ORDER BY id")
        expected = cursor.fetchall()
    rows = found.table.to_pylist()
    assert [row["name"] for row in rows] == [each[0] for each in expected]
    assert [(row["area"], row["level"], row["since"], row["logged"]) for row in rows] == [
        (float(area), level, since, logged) for _, area, level, since, logged, _ in expected
    ]
    assert rows[0]["seen"] == dt.datetime(2031, 6, 24, 10, 0, tzinfo=dt.UTC)  # stored at noon, two hours ahead
    assert (rows[0]["lasts"], rows[0]["tags"], rows[0]["open"]) == ("26:03:04", "a,b", True)
    assert json.loads(rows[0]["more"]) == {"n": 1}
    shapes = shapely.from_wkb(found.wkb.to_numpy(zero_copy_only=False))
    assert shapely.equals(shapes, shapely.from_wkt([each[-1] for each in expected])).all()


def test_large_numbers_missing_shapes_and_tables_without_rows(server):
    spots = open_dataset(ref(server, "spots"))
    assert [part.facts.name for part in spots.parts] == ["spots spot", "spots reach"]
    found = spots.parts[0].read()
    assert found.table.column("n").to_pylist() == [2**64 - 1, 1] and found.wkb[1].as_py() is None
    empty = only_part(server, "empty")
    assert empty.facts.count == 0 and len(empty.read()) == 0 and empty.facts.extent is None
    assert only_part(server, "visits").rows().column("who").to_pylist() == ["Ada", "Bén", "ada"]


@pytest.mark.parametrize(("where", "pushed"), [
    ("level >= 3 AND area < 100", True), ("name IS NULL", True), ("since = '2031-02-03'", True),
    ("level IN (1, 2) AND NOT (area > 50)", True), ("name = 'ZONE 3'", False), ("upper(name) = 'ZONE 3'", False),
])  # fmt: skip
def test_conditions_are_asked_of_the_server_where_they_mean_the_same(server, where, pushed):
    part = only_part(server)
    before = len(server.statements())
    found = ask_rows(part, FeatureQuery(where=where, columns=("id",))).column("id").to_pylist()
    asked = server.statements()[before:]
    assert (" WHERE (" in asked) is pushed
    whole = part.rows()
    from brisk_atlas.core.table.expression import mask_of

    assert found == np.array(whole.column("id"))[mask_of(whole, where)].tolist()


def test_extents_orders_limits_and_steps_are_asked_of_the_server(server):
    part = only_part(server)
    box = Extent(510_000, 5_769_000, 510_990, 5_771_000, "EPSG:32727")
    before = len(server.statements())
    found = ask(part, FeatureQuery(extent=box, columns=("id",), order=(Ordering("id", descending=True),), limit=3))
    asked = server.statements()[before:]
    assert found.table.column("id").to_pylist() == [109, 108, 107] and "MBRIntersects" in asked and "LIMIT 3" in asked
    with server.connect() as link, link.cursor() as cursor:
        statement = next(line for line in asked.splitlines() if "MBRIntersects" in line)
        cursor.execute("SET sql_mode = 'ANSI_QUOTES'")
        cursor.execute("EXPLAIN " + statement[statement.index("SELECT") :])
        assert "geom" in str(cursor.fetchall())  # the index of that name
    thinned = part.read(FeatureQuery(step=10))
    assert 100 < len(thinned) < 320
    names = ask_rows(part, FeatureQuery(columns=("name",), order=(Ordering("name"),))).column("name").to_pylist()
    known = [name for name in names if name is not None]
    assert known == sorted(known) and names[len(known) :] == [None] * (2000 - len(known))


def test_a_table_opens_draws_and_counts(server, tmp_path):
    allow(("127.0.0.1",))
    with Workspace() as workspace:
        layer = workspace.open(ref(server, "open_zones"))[0]
        assert workspace.facts_of(layer).count == 1000 and len(workspace.sheet_of(layer)) == 1000
        assert CountRows(layer.id).run(workspace).what == "open_zones has 1,000 rows"
        project = workspace.save_project(tmp_path / "with_table").read_text()
        assert server.address in project and server.password not in project


def test_nothing_is_written_and_wrong_logins_names_and_ports_are_told_apart(server):
    from brisk_atlas.core.connect.mariadb import ask as ask_server

    with pytest.raises(CannotRead, match="READ ONLY"):
        ask_server(ref(server), "DELETE FROM zones")
    with pytest.raises(CannotRead, match="no table"):
        open_dataset(ref(server, "nothing"))
    passwords.remember(server.address, "wrong-" + server.password)
    with pytest.raises(NeedsPassword) as caught:
        open_dataset(ref(server))
    assert server.password not in str(caught.value)
    other = DataRef.parse(server.address.replace(str(server.port), "1"))
    with pytest.raises(CannotRead, match="can't be reached"):
        connector_for(other).list(other)


# A SELECT of one's own


def test_a_select_of_ones_own_has_its_columns_types_and_rows(server):
    asked = query_ref(
        DataRef.parse(server.address),
        "SELECT z.id, z.name, z.area * 2 AS twice, z.open, z.since, count(v.who) AS visits, z.geom "
        "FROM zones z LEFT JOIN visits v ON v.zone = z.id WHERE z.id <= 20 GROUP BY z.id;",
    )
    words = dry_run(asked)
    assert (
        "id (int), name (varchar), twice (decimal), open (tinyint), since (date), visits (bigint), geom (geometry)"
        in words
    )
    part = open_dataset(asked).parts[0]
    assert part.facts.notes["kind of table"] == "query" and part.facts.count == 20 and part.facts.crs == "EPSG:32727"
    assert {f.name: f.type for f in part.facts.fields} == {
        "id": "int64", "name": "string", "twice": "double", "open": "bool", "since": "date32[day]", "visits": "int64",
    }  # fmt: skip
    found = part.read(FeatureQuery(order=(Ordering("id"),)))
    with server.connect() as link, link.cursor() as cursor:
        cursor.execute(
            "SELECT z.id, area * 2, (SELECT count(*) FROM visits v WHERE v.zone = z.id) FROM zones z WHERE id <= 20 ORDER BY id"
        )
        rows = cursor.fetchall()
    columns = [found.table.column(name).to_pylist() for name in ("id", "twice", "visits")]
    assert list(zip(*columns)) == [(id_, float(twice), visits) for id_, twice, visits in rows]
    box = Extent(500_300, 5_770_000, 500_590, 5_770_050, "EPSG:32727")
    assert part.read(FeatureQuery(extent=box)).table.column("id").to_pylist() == [3, 4, 5]
    assert why_not(open_dataset(asked)) == "it is a query"


@pytest.mark.parametrize(("statement", "reason"), [
    ("SELECT id, id FROM zones", "two of its columns|uplicate"), ("SELEC 1", "can't follow"), ("DELETE FROM zones", "can't follow|READ ONLY"),
    ("SELECT 1) AS asked; DROP TABLE zones; SELECT (1", "can't follow"), ("SELECT nothing FROM zones", "can't follow"),
])  # fmt: skip
def test_a_statement_that_is_no_select_is_refused(server, statement, reason):
    with pytest.raises(CannotRead, match=reason):
        dry_run(query_ref(DataRef.parse(server.address), statement))
    assert only_part(server).facts.count == 2000


# Edits


@pytest.fixture
def wells(server, home):
    allow(("127.0.0.1",))
    with server.connect() as link, link.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS wells")
        cursor.execute("CREATE TABLE wells (area varchar(9), number int, name varchar(8), depth decimal(8,2) CHECK (depth > 0), "
                       "level float, seen timestamp NULL, logged datetime, since date, open bool, PRIMARY KEY (area, number)) "
                       "ENGINE InnoDB")  # fmt: skip
        cursor.execute("INSERT INTO wells SELECT IF(seq % 2 = 0, 'north', 'south'), seq, concat('w', seq), seq * 1.25, seq / 10, "
                       "'2031-06-24 12:00:00', '2031-06-24 12:00:00', '2031-06-24', NULL FROM seq_1_to_40")  # fmt: skip
    with Workspace() as workspace:
        workspace.open(ref(server, "wells"))
        yield workspace


def stored(server, query="SELECT area, number, name, depth, level, since FROM wells ORDER BY area, number"):
    with server.connect() as link, link.cursor() as cursor:
        cursor.execute("SET time_zone = '+00:00'")
        cursor.execute(query)
        return cursor.fetchall()


def test_edited_values_are_saved_whole(server, wells):
    new = {
        "name": "Südöst", "depth": 12.35, "level": 0.1, "seen": dt.datetime(2031, 7, 1, 8, 30),
        "logged": dt.datetime(2031, 7, 1, 8, 30), "since": dt.date(1999, 12, 31), "open": True,
    }  # fmt: skip
    layer = edit(
        wells, *(Edit(field, (3,), (value,)) for field, value in new.items()), Edit("name", (5, 6), ("x", None))
    )
    assert SaveEdits(layer).run(wells).what == "9 edited values"
    (row,) = stored(
        server, "SELECT name, depth, level, seen, logged, since, open FROM wells WHERE area = 'north' AND number = 8"
    )
    assert [float(v) if i in (1, 2) else v for i, v in enumerate(row)] == [*list(new.values())[:6], 1]
    names = [row[2] for row in stored(server)]
    assert (
        names[5] == "x"
        and names[6] is None
        and wells.cache.table(wells.work.layers[0].ref).column("name")[3].as_py() == "Südöst"
    )


def test_what_others_wrote_meanwhile_stays_and_nothing_is_written(server, wells):
    layer = edit(wells, Edit("name", (0,), ("mine",)), Edit("level", (2,), (9.5,)))
    with server.connect() as link, link.cursor() as cursor:
        cursor.execute("UPDATE wells SET level = 7 WHERE area = 'north' AND number = 6")
    others = stored(server)
    with pytest.raises(
        CannotWrite, match=r"area = north, number = 6 was changed meanwhile \(level is now 7.0, was 0.6"
    ):
        SaveEdits(layer).run(wells)
    assert stored(server) == others and len(wells.work.layers[0].rows.edits) == 2


def test_what_the_server_refuses_or_holds_is_said_and_nothing_is_written(server, wells, monkeypatch):
    before = stored(server)
    layer = edit(wells, Edit("name", (0,), ("far too long for it",)))
    with pytest.raises(CannotWrite, match="Data too long"):
        SaveEdits(layer).run(wells)
    layer = edit(wells, Edit("name", (0,), ("short",)), Edit("depth", (1,), (-1.0,)))
    with pytest.raises(CannotWrite, match="CONSTRAINT"):
        SaveEdits(layer).run(wells)
    assert stored(server) == before
    monkeypatch.setattr(mariadb, "LOCK_S", 1)
    layer = edit(wells, Edit("depth", (1,), (2.0,)))
    with server.connect() as link, link.cursor() as cursor:
        link.begin()
        cursor.execute("SELECT * FROM wells FOR UPDATE")
        with pytest.raises(CannotWrite, match="another program holds its rows"):
            SaveEdits(layer).run(wells)
    assert stored(server) == before
    assert why_not(open_dataset(ref(server, "open_zones"))) == "it is a view"
    assert why_not(open_dataset(ref(server, "spots"))) == "it has no primary key, which identifies its rows"


# Certificates


def test_the_servers_certificate_is_checked_and_ones_own_is_shown(server):
    folder = server.certificates
    here = server.address_with_password.replace("127.0.0.1", "localhost")
    checked = DataRef.parse(f"{here}?ssl-mode=verify-full&ssl-ca={folder / 'ca.crt'}#survey.zones")
    assert open_dataset(checked).parts[0].facts.count == 2000
    for wrong in (f"{server.address_with_password}?ssl-mode=verify-full&ssl-ca={folder / 'ca.crt'}",  # another name
                  f"{here}?ssl-mode=verify-full"):  # an authority that nobody knows  # fmt: skip
        with pytest.raises(CannotRead, match=r"(?i)certificate") as caught:
            open_dataset(DataRef.parse(f"{wrong}#survey.zones"))
        assert "certificates" in caught.value.remedy and server.password not in str(caught.value)
    kim = f"mariadb://kim@localhost:{server.port}/survey?ssl-mode=verify-full&ssl-ca={folder / 'ca.crt'}"
    with pytest.raises(NeedsPassword):
        open_dataset(DataRef.parse(f"{kim}#survey.zones"))
    shown = DataRef.parse(f"{kim}&ssl-cert={folder / 'kim.crt'}&ssl-key={folder / 'kim.key'}#survey.zones")
    assert open_dataset(shown).parts[0].facts.count == 2000


def test_a_cancelled_job_stops_its_statement_on_the_server(server):
    from brisk_atlas.core.connect.mariadb import ask as ask_server

    jobs, over = Jobs(1), threading.Event()
    count = (
        "SELECT count(*) FROM information_schema.processlist WHERE info LIKE '%sleep(60)%' AND id <> connection_id()"
    )

    def sleeping():
        with server.connect() as link, link.cursor() as cursor:
            cursor.execute(count)
            return cursor.fetchone()[0]

    def wait_until(met):
        until = time.monotonic() + 15
        while not met():
            assert time.monotonic() < until
            time.sleep(0.02)

    try:
        job = jobs.start("Reading", lambda job: ask_server(ref(server), "SELECT sleep(60)"), lambda job: over.set())
        wait_until(sleeping)
        job.cancel()
        assert over.wait(10) and job.state == "cancelled"
        wait_until(lambda: not sleeping())
    finally:
        jobs.close()
