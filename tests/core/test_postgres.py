"""PostgreSQL with PostGIS, against a real server: what it holds is found, opened, filtered by it, and kept safe."""

from __future__ import annotations

import json
import logging
import subprocess
import sys
import threading
import time
from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brisk_atlas.core.cache import DataCache, by_view
from brisk_atlas.core.connect import arrow_links, connector_for
from brisk_atlas.core.connect.postgres import close_all, conninfo
from brisk_atlas.core.connect.table_names import names_in, query_ref, table_ref
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.drawn_ahead import DrawnAhead
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.model import (
    CannotRead,
    DataKind,
    DataRef,
    Extent,
    Facts,
    FeatureQuery,
    Layer,
    Ordering,
    passwords,
)
from brisk_atlas.core.operations import CountRows
from brisk_atlas.core.read import database
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read.database import DatabaseTable
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.read.table_about import Column, TableAbout
from brisk_atlas.core.strip.holes.find_holes import holes_of
from brisk_atlas.core.strip.holes.read_hole import read_hole
from brisk_atlas.core.system.jobs import Jobs
from brisk_atlas.core.system.log import MaskedForm
from brisk_atlas.core.table import seen_of, seen_shown
from brisk_atlas.core.table.query import ask, ask_rows
from brisk_atlas.core.table.server_sql import as_postgres
from brisk_atlas.core.workspace import Workspace
from database_server import running

TABLES = '''
CREATE TABLE zones (id serial PRIMARY KEY, name text, area numeric(12,3), level int2, since date, seen timestamptz,
                    tags text[], open boolean, more jsonb, geom geometry(Polygon, 32727));
INSERT INTO zones (name, area, level, since, seen, tags, open, more, geom)
SELECT CASE WHEN i % 7 = 0 THEN NULL ELSE 'zone ' || i END, i * 1.5, i % 5, DATE '2031-01-01' + i,
       TIMESTAMPTZ '2031-06-24 12:00:00+02' + i * INTERVAL '1 hour', ARRAY['a', 'b'], i % 2 = 0, '{"n": 1}',
       ST_SetSRID(ST_MakeEnvelope(500000 + i * 100, 5770000, 500080 + i * 100, 5770100), 32727)
FROM generate_series(1, 2000) AS i;
CREATE INDEX ON zones USING gist (geom);
COMMENT ON TABLE zones IS 'closed after the eruption';
COMMENT ON COLUMN zones.level IS 'how dangerous, 0 to 4';
CREATE VIEW open_zones AS SELECT id, name, geom FROM zones WHERE open;
CREATE MATERIALIZED VIEW high AS SELECT id, level, geom FROM zones WHERE level = 4;
CREATE TABLE vents (name text, spot geography(Point, 4326), reach geometry(Point, 32727));
INSERT INTO vents VALUES ('a', 'SRID=4326;POINT(-20.9 -38.2)', 'SRID=32727;POINT(509000 5770000)'),
                         ('b', NULL, 'SRID=32727;POINT(510000 5771000)');
CREATE TABLE readings (station text, value float8, count bigint);
INSERT INTO readings VALUES ('x', 1.5, 3), ('y', NULL, 4), ('Z', 'NaN', NULL);
CREATE SCHEMA "Old data";
CREATE TABLE "Old data"."survey.2029 ""first""" ("Height (m)" float8, "select" text);
INSERT INTO "Old data"."survey.2029 ""first""" VALUES (12.5, 'ä''b');
CREATE TABLE loose (n int, geom geometry);
INSERT INTO loose VALUES (1, ST_Point(1, 2)), (2, 'LINESTRING Z (0 0 5, 1 1 6)'), (3, NULL), (4, 'POLYGON EMPTY');
CREATE TABLE empty (n int, geom geometry(Point, 32727));
CREATE TABLE visits (zone int REFERENCES zones (id), who text);
INSERT INTO visits VALUES (1, 'Ada'), (1, 'Ben'), (2, 'Ada');
CREATE SCHEMA drilling;
CREATE TABLE drilling.collars (bore_id text, total_depth float8, geom geometry(Point, 32727));
INSERT INTO drilling.collars VALUES ('K1', 50, 'SRID=32727;POINT(500000 5770000)'),
                                    ('K2', 40, 'SRID=32727;POINT(500100 5770000)');
CREATE TABLE drilling.layers (bore text, top float8, bottom float8, soil text);
INSERT INTO drilling.layers VALUES ('K1', 0, 20, 'sand'), ('K1', 20, 50, 'clay'), ('K2', 0, 40, 'silt');
CREATE TABLE drilling.survey (bore_id text, depth_m float8, azimuth_deg float8, inclination_deg float8);
INSERT INTO drilling.survey VALUES ('K2', 0, 90, 0), ('K2', 40, 90, 30);
CREATE TABLE drilling.people (name text, phone text);
CREATE ROLE guest LOGIN PASSWORD 'guest';
CREATE ROLE kim LOGIN;
GRANT SELECT ON readings TO kim;
GRANT SELECT (id, name) ON zones TO guest;
'''


@pytest.fixture(autouse=True)
def no_other_passwords(server):
    """Leave no password of a test to those that follow."""
    passwords.remember(server.address, server.password)
    yield
    passwords.forget_all()


@pytest.fixture(scope="module")
def server():
    with running() as found:
        with found.connect() as link:
            link.execute(TABLES)
            link.execute("ANALYZE")
        yield found
        close_all()


def ref(server, table="zones", schema="public"):
    return table_ref(DataRef.parse(server.address_with_password), schema, table)


def only_part(server, table="zones", schema="public"):
    (part,) = open_dataset(ref(server, table, schema)).parts
    return part


# Finding


def test_a_database_lists_its_schemas_and_a_schema_its_tables(server):
    place = DataRef.parse(server.address_with_password)
    connector = connector_for(place)
    assert [(item.name, item.is_folder) for item in connector.list(place)] == [
        ("Old data", True), ("drilling", True), ("public", True),
    ]  # fmt: skip
    tables = [item.name for item in connector.list(table_ref(place, "public"))]
    own = ["empty", "high", "loose", "open_zones", "readings", "vents", "visits", "zones"]
    assert [name for name in tables if name in own] == own and tables == sorted(tables)  # other tests make more


def test_names_with_points_quotes_and_words_of_sql_are_read(server):
    (item,) = connector_for(ref(server)).list(table_ref(ref(server), "Old data"))
    table = DataRef.parse(str(item.ref))
    assert names_in(table)[0] == "Old data"
    (part,) = open_dataset(item.ref).parts
    assert part.rows().to_pylist() == [{"Height (m)": 12.5, "select": "ä'b"}]


def test_facts_are_those_of_the_catalogue(server):
    dataset = open_dataset(ref(server))
    (part,) = dataset.parts
    facts = part.facts
    assert dataset.kind is DataKind.VECTOR and facts.count == 2000 and facts.geometry_type == "Polygon"
    assert facts.crs == "EPSG:32727" and facts.extent.bounds == (500_100.0, 5_770_000.0, 700_080.0, 5_770_100.0)
    assert facts.notes["comment"] == "closed after the eruption" and dataset.size_bytes > 100_000
    types = {field.name: field.type for field in facts.fields}
    assert types == {"id": "int32", "name": "string", "area": "double", "level": "int16", "since": "date32[day]",
                     "seen": "timestamp[us, tz=UTC]", "tags": "string", "open": "bool", "more": "string"}  # fmt: skip


def test_comments_on_columns_are_the_meanings_of_fields(server):
    from brisk_atlas.core.read.field_meanings import meanings_of

    assert meanings_of(open_dataset(ref(server)), "zones")["level"].description == "how dangerous, 0 to 4"


def test_each_column_of_geometry_is_a_part_and_a_table_without_one_has_rows(server):
    spot, reach = open_dataset(ref(server, "vents")).parts
    assert (spot.facts.name, spot.facts.crs) == ("vents spot", "EPSG:4326") and reach.facts.crs == "EPSG:32727"
    assert np.allclose(spot.read().shapes.xy, [[-20.9, -38.2]]) and len(spot.read()) == 2
    near = replace(spot.facts.extent, xmin=-21.0, xmax=-20.0, ymin=-39.0, ymax=-38.0)
    assert len(spot.read(FeatureQuery(extent=near))) == 1
    table = only_part(server, "readings")
    assert table.facts.kind is DataKind.TABLE and table.rows().column("station").to_pylist() == ["x", "y", "Z"]


@pytest.mark.parametrize(("table", "kind", "count"), [("open_zones", "view", 1000), ("high", "materialised view", 400)])
def test_views_are_opened_as_tables_are(server, table, kind, count):
    part = only_part(server, table)
    assert part.facts.notes["kind of table"] == kind and part.facts.count == count == len(part.read())
    assert part.facts.crs == "EPSG:32727" and part.facts.geometry_type == "Polygon"


def test_geometry_of_any_type_without_a_crs_and_of_no_rows(server):
    loose = only_part(server, "loose")
    found = loose.read()
    assert loose.facts.crs is None and loose.facts.geometry_type == "Unknown" and len(found) == 4
    assert np.isnan(found.shapes.bounds[2]).all() and np.isnan(found.shapes.bounds[3]).all()
    empty = only_part(server, "empty")
    assert empty.facts.count == 0 and empty.facts.extent is None and len(empty.read()) == 0


# Asking


def test_features_are_those_that_another_client_reads(server):
    found = only_part(server).read()
    with server.connect() as link:
        rows = link.execute("SELECT id, name, area, ST_AsBinary(geom) FROM zones ORDER BY id").fetchall()
    assert found.table.column("id").to_pylist() == [row[0] for row in rows]
    assert found.table.column("name").to_pylist() == [row[1] for row in rows]
    assert found.table.column("area").to_pylist() == [float(row[2]) for row in rows]
    assert shapely.equals(
        shapely.from_wkb(found.wkb.to_numpy(zero_copy_only=False)), shapely.from_wkb([r[3] for r in rows])
    ).all()
    first = found.table.column("seen")[0].as_py()
    assert first.isoformat() == "2031-06-24T11:00:00+00:00"


def test_an_extent_fields_and_a_number_of_rows_are_asked_of_the_server(server):
    part, box = only_part(server), Extent(500_300, 5_770_000, 500_950, 5_770_050, "EPSG:32727")
    before = len(server.statements())
    found = part.read(FeatureQuery(extent=box, columns=("name",), limit=3))
    assert found.table.to_pylist() == [{"name": "zone 3"}, {"name": "zone 4"}, {"name": "zone 5"}]
    asked = server.statements()[before:]
    assert "ST_MakeEnvelope(500300" in asked and "LIMIT 3" in asked and '"area"' not in asked
    statement = next(line for line in asked.splitlines() if "ST_MakeEnvelope" in line).partition("COPY (SELECT")[2]
    statement = statement.rpartition(") TO STDOUT")[0]
    with server.connect() as link:
        link.execute("SET enable_seqscan = off")
        plan = "\n".join(row[0] for row in link.execute("EXPLAIN SELECT" + statement.replace("%", "%%")).fetchall())
    assert "Index" in plan and "geom" in plan


@pytest.mark.parametrize(
    ("where", "pushed"),
    [("level >= 3 AND name = 'zone 13'", True), ("since BETWEEN '2031-02-01' AND '2031-02-10'", True),
     ("name IN ('zone 1', 'zone 2') OR name IS NULL", True), ("NOT (level = 2) AND 5 > level", True),
     ("area / 2 > 700", False), ("length(name) = 6", False), ("name < 'zone 2'", False)],
)  # fmt: skip
def test_conditions_are_asked_of_the_server_where_they_mean_the_same(server, where, pushed):
    part = only_part(server)
    before = len(server.statements())
    found = ask(part, FeatureQuery(where=where, columns=("id",)))
    whole = part.read()
    from brisk_atlas.core.table import mask_of

    expected = np.array(whole.table.column("id").to_pylist())[mask_of(whole.table, where)]
    assert found.table.column("id").to_pylist() == expected.tolist() and len(expected)
    asked = next(line for line in server.statements()[before:].splitlines() if "ST_AsBinary" in line)
    assert ("WHERE" in asked) == pushed


@given(st.lists(st.tuples(st.sampled_from(["level", "id"]), st.sampled_from(["=", "<>", "<", ">="]), st.integers(-2, 50)),
                min_size=1, max_size=4), st.sampled_from([" AND ", " OR "]), st.booleans())  # fmt: skip
@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_condition_that_is_asked_of_the_server_finds_the_same_rows(server, terms, word, negated):
    where = word.join(f"{field} {sign} {value}" for field, sign, value in terms)
    where = f"NOT ({where})" if negated else where
    part = only_part(server)
    from brisk_atlas.core.table import mask_of

    rows = part.rows()
    assert as_postgres(where, {f.name: f.type for f in part.facts.fields}) is not None
    found = ask_rows(part, FeatureQuery(where=where, columns=("id",)))
    assert found.column("id").to_pylist() == np.array(rows.column("id").to_pylist())[mask_of(rows, where)].tolist()


@pytest.mark.parametrize("order", [(Ordering("level", descending=True),), (Ordering("name"), Ordering("id"))])
def test_orders_are_those_of_tables_held_here(server, order):
    part = only_part(server)
    from brisk_atlas.core.read.answer import ParsedTable

    held = ParsedTable(part.ref, part.facts, part.rows())
    query = FeatureQuery(order=order, limit=40, columns=("id",))
    assert ask_rows(part, query).equals(ask_rows(held, query).cast(ask_rows(part, query).schema))


@pytest.mark.parametrize("table", ["zones", "open_zones"])
def test_one_in_so_many_rows_stands_for_all(server, table):
    part = only_part(server, table)
    before = len(server.statements())
    ids = part.read(FeatureQuery(step=10)).table.column("id").to_pylist()
    assert part.facts.count / 40 < len(ids) < part.facts.count / 3 and len(set(ids)) == len(ids)
    assert ("TABLESAMPLE" in server.statements()[before:]) == (table == "zones")


def test_all_rows_are_read_at_once_however_many_the_database_believes_there_are(server, home):
    with server.connect() as link:
        link.execute("CREATE TABLE grown AS SELECT i AS n, 'a' AS word FROM generate_series(1, 150000) AS i")
        link.execute("ANALYZE grown")
        link.execute("INSERT INTO grown SELECT i, 'b' FROM generate_series(150001, 150500) AS i")
    held = DataCache()
    allow(("127.0.0.1",))
    assert held.part(ref(server, "grown").with_part("grown")).facts.count == 150_000  # an estimate
    table = held.table(ref(server, "grown").with_part("grown"))
    with server.connect() as link:
        link.execute("DROP TABLE grown")  # a column asked for later would be of other rows, or of none
    assert (table.num_rows, len(table.column("n")), table.column("word")[-1].as_py()) == (150_500, 150_500, "b")


@pytest.mark.parametrize("table", ("zones", "visitors"))
def test_the_halves_of_a_large_table_are_of_one_moment(server, monkeypatch, table):
    with server.connect() as link:
        link.execute("DROP TABLE IF EXISTS visitors")
        link.execute("CREATE TABLE visitors AS SELECT i AS id, i % 5 AS level FROM generate_series(5000, 1, -1) AS i")
        link.execute("ALTER TABLE visitors ADD PRIMARY KEY (id)")
        link.execute("ANALYZE visitors")
    part = only_part(server, table)
    whole = part.rows().sort_by("id")
    share = arrow_links._share_moment

    def shared_while_another_writes(*links):
        assert share(*links)
        with server.connect() as link:
            link.execute("UPDATE visitors SET level = 9")
            link.execute("DELETE FROM visitors WHERE id < 2500")
        return True

    monkeypatch.setattr(database, "HALVED_BYTES", 0)
    monkeypatch.setattr(arrow_links, "_share_moment", shared_while_another_writes)
    before = len(server.statements())
    assert part.rows().equals(whole)
    assert server.statements()[before:].count("::tid") == 2
    level_4 = part.rows(FeatureQuery(where='"level" = 4', columns=("id",)))
    assert len(level_4) == (400 if table == "zones" else 0)


def test_a_server_that_can_not_share_a_moment_is_asked_once(server, monkeypatch):
    with server.connect() as link:
        link.execute("REVOKE EXECUTE ON FUNCTION pg_export_snapshot() FROM public")
    monkeypatch.setattr(database, "HALVED_BYTES", 0)
    passwords.remember(server.address.replace("ana@", "guest@"), "guest")
    place = DataRef.parse(server.address.replace("ana@", "guest@"))
    (part,) = open_dataset(table_ref(place, "public", "zones")).parts
    before = len(server.statements())
    assert part.rows().column("id").to_pylist() == list(range(1, 2001))
    assert "::tid" not in server.statements()[before:]


# A SELECT of one's own


def test_a_select_of_ones_own_is_a_dataset(server):
    database = DataRef.parse(server.address_with_password)
    made = query_ref(
        database,
        "SELECT level, count(*) AS n, ST_Union(geom) AS geom FROM zones WHERE name LIKE 'zone 1%' GROUP BY level;",
    )
    assert DataRef.parse(str(made)) == made and made.name == "query"
    (part,) = open_dataset(made).parts
    assert part.facts.count == 5 and part.facts.crs == "EPSG:32727" and part.facts.notes["kind of table"] == "query"
    with server.connect() as link:
        counts = dict(
            link.execute("SELECT level, count(*) FROM zones WHERE name LIKE 'zone 1%' GROUP BY level").fetchall()
        )
    assert dict(zip(part.read().table.column("level").to_pylist(), part.rows().column("n").to_pylist())) == counts
    table = open_dataset(query_ref(database, "SELECT 1 AS one, '100%' AS share -- a remark")).parts[0]
    assert table.rows().to_pylist() == [{"one": 1, "share": "100%"}]
    half = ask(part, FeatureQuery(where="level >= 3", columns=("level",)))
    assert sorted(half.table.column("level").to_pylist()) == [3, 4]


@pytest.mark.parametrize(
    ("statement", "reason"),
    [("DELETE FROM zones RETURNING id", "can't follow it"), ("SELECT no_field FROM zones", "no_field"),
     ("SELECT 1; DROP TABLE zones", "can't follow it|refuses"), ("SELECT id, id FROM zones", "two of its columns are called id"),
     ("SELECT * FROM nowhere", "nowhere"), ("WITH gone AS (DELETE FROM zones RETURNING id) SELECT * FROM gone", "refuses|can't follow"),
     ("SELECT 1) AS a; DROP TABLE zones; SELECT * FROM (SELECT 2", "can't follow it|refuses")],
)  # fmt: skip
def test_a_statement_that_is_no_select_is_refused_before_it_runs(server, statement, reason):
    with pytest.raises(CannotRead, match=reason):
        open_dataset(query_ref(DataRef.parse(server.address_with_password), statement))
    with server.connect() as link:
        assert link.execute("SELECT count(*) FROM zones").fetchone() == (2000,)


# Opening and drawing


def test_a_table_is_opened_drawn_and_its_password_stands_nowhere(server, tmp_path, home):
    allow(("127.0.0.1",))
    workspace = Workspace()
    (layer,) = workspace.open(f"{server.address_with_password}#public.zones")
    frame = workspace.painter.frame(workspace.work.drawn(), View(500_550, 5_770_050, 2.0, 400, 100, "EPSG:32727"))
    assert not frame.faults and frame.image[50, 20:380, 3].any()
    workspace.save_project(tmp_path / "p.brisk.json")
    workspace.shelves.opened(layer.ref)
    workspace.shelves.save()
    other = Workspace()
    assert other.open_project(tmp_path / "p.brisk.json") == [] and other.work.layers[0].ref == layer.ref
    for workspace_ in (workspace, other):
        workspace_.close()
    told = [file.read_bytes() for file in (*tmp_path.rglob("*"), *home.rglob("*")) if file.is_file()]
    assert not any(server.password.encode() in text for text in told)
    assert server.password not in str(layer.ref) + repr(layer) + json.dumps(layer.ref.as_json())


def test_a_project_that_names_a_server_asks_first(server):
    cache = DataCache()
    with pytest.raises(CannotRead, match=r"127\.0\.0\.1, which nothing was asked for yet"):
        cache.dataset(ref(server))


def test_facts_are_printed_by_the_shell(server):
    def facts(address):
        command = [sys.executable, "-m", "brisk_atlas", "facts", address, "--json"]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    done = facts(f"{server.address_with_password}#public.zones")
    (found,) = json.loads(done.stdout)
    assert found["parts"][0]["count"] == 2000 and found["format"] == "PostgreSQL table"
    many = facts(server.address_with_password)
    assert many.returncode == 1 and "many tables" in many.stderr
    assert server.password not in done.stdout + done.stderr + many.stdout + many.stderr


# What goes wrong


def test_wrong_passwords_rights_names_and_ports_are_told_apart(server):
    wrong = server.address.replace("ana@", "ana:wrong%20pass@")
    cases = {
        f"{wrong}#public.zones": "password authentication failed",
        server.address.replace("/survey", "/nothing").replace("ana@", f"ana:{quoted(server.password)}@") + "#public.zones":
            'database "nothing" does not exist',
        f"{server.address_with_password}#public.nothing": "no table public.nothing",
        server.address.replace(str(server.port), "1").replace("ana@", "ana:x@") + "#public.zones": "can't be reached",
        server.address.replace("ana@", "guest:guest@") + "#public.vents": "you may not read it",
    }  # fmt: skip
    for address, reason in cases.items():
        close_all()
        with pytest.raises(CannotRead, match=reason) as error:
            open_dataset(address)
        assert "wrong pass" not in str(error.value) and server.password not in str(error.value)
    passwords.remember(server.address, server.password)


def test_only_the_columns_that_may_be_read_are_fields(server):
    (part,) = open_dataset(f"{server.address.replace('ana@', 'guest:guest@')}#public.zones").parts
    assert [field.name for field in part.facts.fields] == ["id", "name"] and part.facts.kind is DataKind.TABLE
    assert part.rows(FeatureQuery(limit=1)).to_pylist() == [{"id": 1, "name": "zone 1"}]


def test_nothing_can_be_written_through_a_reading_connection(server):
    from brisk_atlas.core.connect.postgres import ask as ask_server

    with pytest.raises(CannotRead, match="read-only"):
        ask_server(ref(server), "DELETE FROM zones RETURNING 1")


def test_a_connection_that_broke_is_made_again(server):
    part = only_part(server)
    with server.connect() as link:
        link.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'Brisk Atlas'")
    assert len(part.read(FeatureQuery(limit=1))) == 1


def quoted(text):
    from urllib.parse import quote

    return quote(text, safe="")


# Passwords


@pytest.mark.parametrize(
    ("address", "clean", "password"),
    [("postgresql://ana:a%3Ab@h/d", "postgresql://ana@h/d", "a:b"),
     ("postgresql://h/d?user=ana&password=p%20q&sslmode=require", "postgresql://h/d?user=ana&sslmode=require", "p q"),
     ("postgresql://ana@h/d", "postgresql://ana@h/d", None), ("postgresql://ana:@h/d", "postgresql://ana@h/d", "")],
)  # fmt: skip
def test_a_password_is_taken_out_of_an_address(address, clean, password):
    assert passwords.without_password(address) == (clean, password)
    ref_ = DataRef.parse(address + "#s.t")
    assert str(ref_) == clean + "#s.t" and (password is None or passwords.password_of(clean) == password)


def test_a_known_password_is_masked_in_errors_and_in_the_log():
    passwords.remember("postgresql://x@h/d", "p@ss w")
    assert "p@ss w" not in str(CannotRead("x", "the library said p@ss w and p%40ss%20w"))
    record = logging.LogRecord("a", logging.ERROR, "f", 1, "it has %s", ("p@ss w",), None)
    assert MaskedForm("%(message)s").format(record) == "it has ***"
    passwords.remember("postgresql://y@h/d", "a")
    assert str(CannotRead("x", "a table has a fault: a")).count("***") == 3 and "table" in str(
        CannotRead("x", "a table")
    )
    passwords.forget("postgresql://x@h/d")
    assert passwords.password_of("postgresql://x@h/d") is None


# Relations, counting, giving up


def test_foreign_keys_are_relations_of_both_tables(server):
    visits, zones = only_part(server, "visits"), only_part(server, "zones")
    (own,), (other,) = visits.relations, zones.relations
    assert (own.ref, own.key, own.other_key, own.many) == (zones.ref.whole, "zone", "id", False)
    assert (other.ref, other.key, other.other_key, other.many) == (visits.ref.whole, "id", "zone", True)


def test_rows_are_counted_exactly_when_that_is_asked_for(server):
    with server.connect() as link:
        link.execute("CREATE TABLE many AS SELECT i FROM generate_series(1, 150000) i")
        link.execute("ANALYZE many")
        link.execute("DELETE FROM many WHERE i % 3 = 0")
    allow(("127.0.0.1",))
    with Workspace() as workspace:
        layer = workspace.open(table_ref(DataRef.parse(server.address_with_password), "public", "many"))[0]
        assert workspace.facts_of(layer).count == 150_000
        found = CountRows(layer.id).run(workspace)
    assert found.what == "many has 100,000 rows" and found.remarks == ("its facts state 150,000",)


@pytest.mark.parametrize("statement", ("pg_sleep(60)::text AS a", "i, pg_sleep(0.01)::text AS a"))
def test_a_cancelled_job_stops_its_statement_on_the_server(server, statement):
    ref = query_ref(DataRef.parse(server.address_with_password), f"SELECT {statement} FROM generate_series(1, 5000) i")
    jobs, over = Jobs(1), threading.Event()
    try:
        part = open_dataset_without_counting(ref)
        job = jobs.start("Reading", lambda job: part.rows(), lambda job: over.set())
        wait_until(lambda: running_statements(server))
        job.cancel()
        assert over.wait(10) and job.state == "cancelled"
        wait_until(lambda: not running_statements(server))
    finally:
        jobs.close()


def open_dataset_without_counting(ref):
    facts = Facts("query", DataKind.TABLE, None, None, (), None, None)
    return DatabaseTable(ref, facts, TableAbout("q", 0, 0, "", (Column("a", "text", ""),), ()))


def running_statements(server):
    with server.connect() as link:
        return link.execute(
            "SELECT count(*) FROM pg_stat_activity WHERE state = 'active' AND query LIKE '%pg_sleep%' "
            "AND pid <> pg_backend_pid()"
        ).fetchone()[0]


def wait_until(met, seconds=15):
    until = time.monotonic() + seconds
    while not met():
        assert time.monotonic() < until
        time.sleep(0.02)


# Certificates


def test_a_server_is_known_by_its_certificate_and_a_user_by_theirs(server):
    folder = server.certificates
    checked = f"{server.address_with_password}?sslmode=verify-full&sslrootcert={folder / 'ca.crt'}"
    with pytest.raises(CannotRead, match="certificate") as caught:  # it is made out to localhost
        connector_for(DataRef.parse(checked)).list(DataRef.parse(checked))
    assert "certificates" in caught.value.remedy and server.password not in str(caught.value)
    named = DataRef.parse(checked.replace("127.0.0.1", "localhost") + "&hostaddr=127.0.0.1")
    assert "public" in [item.name for item in connector_for(named).list(named)]
    kim = f"postgresql://kim@localhost:{server.port}/survey?sslmode=verify-full&hostaddr=127.0.0.1&sslrootcert={folder / 'ca.crt'}"
    with pytest.raises(CannotRead, match="certificate"):
        connector_for(DataRef.parse(kim)).list(DataRef.parse(kim))
    known = DataRef.parse(f"{kim}&sslcert={folder / 'kim.crt'}&sslkey={folder / 'kim.key'}")
    assert [item.name for item in connector_for(known).list(table_ref(known, "public"))] == ["readings"]


def test_service_files_and_password_files_are_looked_at(server, tmp_path, monkeypatch):
    (tmp_path / "services").write_text(f"[office]\nhost=127.0.0.1\nport={server.port}\ndbname=survey\nuser=ana\n")
    escaped = server.password.replace("\\", "\\\\").replace(":", "\\:")
    (tmp_path / "pass").write_text(f"127.0.0.1:{server.port}:survey:ana:{escaped}\n")
    (tmp_path / "pass").chmod(0o600)
    monkeypatch.setenv("PGSERVICEFILE", str(tmp_path / "services"))
    monkeypatch.setenv("PGPASSFILE", str(tmp_path / "pass"))
    passwords.forget_all()
    ref = DataRef.parse("postgresql:///?service=office")
    assert "public" in [item.name for item in connector_for(ref).list(ref)]


def test_a_large_table_is_read_by_view_with_shapes_simplified_by_the_server(server, monkeypatch):
    monkeypatch.setattr(by_view, "SERVER_HELD", 100)
    monkeypatch.setattr(by_view, "BY_VIEW", 1000)
    with server.connect() as link:
        link.execute(
            "CREATE TABLE rounds AS SELECT i, ST_Buffer(ST_SetSRID(ST_Point(500000 + i * 100, 5770000), 32727), 40, 64) "
            "AS geom FROM generate_series(1, 400) i"
        )
        link.execute("ANALYZE rounds")
    allow(("127.0.0.1",))
    cache, source = DataCache(), ref(server, "rounds").with_part("rounds")
    box = Extent(510_000, 5_769_000, 512_000, 5_771_000, "EPSG:32727")
    coarse = by_view.seen_features(cache, source, box, pixel=20.0)
    fine = by_view.seen_features(cache, source, box, pixel=0.01)
    assert coarse.note == fine.note == "read by view"
    assert (len(coarse.features), len(fine.features)) == (21, 25)  # what is shown first, then what is around it too
    assert len(coarse.features.shapes.xy) * 4 < len(fine.features.shapes.xy)
    exact = shapely.from_wkb(fine.features.wkb.to_numpy(zero_copy_only=False))[2:-2]
    rough = shapely.from_wkb(coarse.features.wkb.to_numpy(zero_copy_only=False))
    assert not shapely.is_empty(rough).any() and shapely.hausdorff_distance(exact, rough).max() <= 0.3 * 20
    assert "ST_Simplify" in server.statements()
    asked = server.statements().count("ST_Simplify")
    by_view.seen_features(cache, source, box, pixel=0.02)  # what is held is finer than that
    assert server.statements().count("ST_Simplify") == asked


@pytest.mark.parametrize("order, pieces_drawn", [("i", True), ("i % 7, i", False)])
def test_a_picture_drawn_while_rows_come_is_that_of_all_in_the_order_of_their_key(
    server, monkeypatch, order, pieces_drawn
):
    monkeypatch.setattr(by_view, "SERVER_HELD", 100)
    monkeypatch.setitem(arrow_links.BATCHES, "adbc.postgresql.batch_size_hint_bytes", 50_000)
    table = "laid" + str(len(order))
    with server.connect() as link:
        link.execute(
            f"CREATE TABLE {table} AS SELECT i, ST_Buffer(ST_SetSRID(ST_Point(500000 + i % 50 * 8, 5770000 + i / 50 * 8), "
            f"32727), 4 + i % 30) AS geom FROM generate_series(1, 2500) i ORDER BY {order}"
        )
        link.execute(f"ALTER TABLE {table} ADD PRIMARY KEY (i)")
        link.execute(f"ANALYZE {table}")
    allow(("127.0.0.1",))
    counts = []
    draw = DrawnAhead.draw
    monkeypatch.setattr(DrawnAhead, "draw", lambda self, piece: [draw(self, piece), counts.append(self.count)][0])
    source = ref(server, table).with_part(table)
    view = View.fitting(Extent(500_000, 5_770_000, 500_400, 5_770_400, "EPSG:32727"), 500, 400)

    def picture():
        cache = DataCache()
        layer = Layer("a", table, source, DataKind.VECTOR, first_style(cache.part(source).facts, 0))
        frame = painter_for(cache).frame([layer], view)
        assert not frame.faults and frame.notes == {"a": "read by view"}
        return frame.image

    found = picture()
    assert (len(counts) > 5 and max(counts) == 2500) == pieces_drawn
    monkeypatch.setattr("brisk_atlas.core.draw.vector_painter.draws_ahead", lambda layer: False)
    counts.clear()
    assert np.array_equal(found, picture()) and counts == [] and found.any()


def test_what_crosses_no_wire_is_encrypted_only_where_that_is_asked_for(monkeypatch):
    monkeypatch.delenv("PGSSLMODE", raising=False)
    here, there = "postgresql://ana@127.0.0.1/survey", "postgresql://ana@db.example/survey"
    assert "sslmode=allow" in conninfo(here) and "sslmode" not in conninfo(there)
    assert "sslmode=verify-full" in conninfo(here + "?sslmode=verify-full")
    monkeypatch.setenv("PGSSLMODE", "require")
    assert "sslmode" not in conninfo(here)


def test_no_sample_of_a_large_table_misses_what_a_filter_shows(server, monkeypatch):
    monkeypatch.setattr(by_view, "SERVER_HELD", 100)
    monkeypatch.setattr(by_view, "BY_VIEW", 500)
    monkeypatch.setattr(by_view, "SAMPLED", 1000)
    with server.connect() as link:
        link.execute(
            "CREATE TABLE spots AS SELECT i AS id, i % 250 AS kind, "
            "ST_SetSRID(ST_Point(500000 + i % 200, 5770000 + i / 200), 32727) AS geom FROM generate_series(1, 20000) AS i"
        )
        link.execute("ALTER TABLE spots ADD PRIMARY KEY (id)")
        link.execute("ANALYZE spots")
    allow(("127.0.0.1",))
    with Workspace() as workspace:
        (layer,) = workspace.open(str(ref(server, "spots")))
        whole = workspace.facts_of(layer).extent
        seen = seen_of(workspace.cache, layer, whole, 20.0)
        assert seen.note.startswith("1 in 20 features") and 500 < len(seen.features) < 2000
        rare = replace(layer, rows=replace(layer.rows, where="kind = 7", on_map=True))
        found = seen_of(workspace.cache, rare, whole, 20.0)
        assert sorted(found.features.table.column("id").to_pylist()) == list(range(7, 20000, 250))
        assert seen_shown(workspace.cache, rare, found).all() and found.note == "read by view"
        half = replace(layer, rows=replace(layer.rows, where="kind < 125", on_map=True))
        sample = seen_of(workspace.cache, half, whole, 20.0)
        assert (
            sample.note.startswith("1 in 10 features") and max(sample.features.table.column("kind").to_pylist()) < 125
        )
        here = replace(
            layer, rows=replace(layer.rows, where="kind + 0 = 7", on_map=True)
        )  # which only this program evaluates
        assert seen_of(workspace.cache, here, whole, 20.0).key == seen.key


def test_fields_of_a_view_come_when_something_needs_them_and_stand_in_their_rows(server, monkeypatch):
    monkeypatch.setattr(by_view, "SERVER_HELD", 100)
    monkeypatch.setattr(by_view, "BY_VIEW", 1000)
    with server.connect() as link:
        link.execute(
            "CREATE TABLE posts AS SELECT i AS id, 'post ' || i AS name, ST_SetSRID(ST_Point(500000 + i * 100, 5770000), "
            "32727) AS geom FROM generate_series(400, 1, -1) i"
        )
        link.execute("ALTER TABLE posts ADD PRIMARY KEY (id)")
        link.execute("ANALYZE posts")
    allow(("127.0.0.1",))
    cache, source = DataCache(), ref(server, "posts").with_part("posts")
    layer = Layer("a", "posts", source, DataKind.VECTOR, first_style(cache.part(source).facts, 0))
    view = View.fitting(Extent(510_000, 5_769_000, 512_000, 5_771_000, "EPSG:32727"), 300, 300)
    before = len(server.statements())
    assert painter_for(cache).frame([layer], view).image.any()
    assert '"name"' not in server.statements()[before:].replace("LIMIT 0", "").partition("ST_AsBinary")[2]
    seen = by_view.seen_features(cache, source, view.extent, view.resolution)
    ids = seen.features.table.column("id").to_pylist()
    assert ids == sorted(ids) and len(ids) > 15
    with server.connect() as link:
        link.execute("DELETE FROM posts WHERE id = %s", [ids[3]])
        link.execute("UPDATE posts SET id = 1000 + id WHERE id = %s", [ids[5]])
    names = seen.features.table.column("name").to_pylist()
    expected = [f"post {number}" for number in ids]
    expected[3] = expected[5] = None  # they are gone, and no other row stands in for them
    assert names == expected


def test_tables_of_a_schema_belong_to_the_collars_in_it(server, home):
    allow(("127.0.0.1",))
    with Workspace() as workspace:
        (layer,) = workspace.open(ref(server, "collars", "drilling"))
        found = holes_of(workspace.cache, layer)
        first, second = (read_hole(workspace.cache, hole) for hole in found.holes)
    assert [names_in(table.ref)[1] for table in found.tables] == ["layers", "survey"] and not found.remarks
    assert first.intervals[0].values == ("sand", "clay") and first.hole.path is None
    assert second.intervals[0].values == ("silt",) and second.hole.path is not None
