"""Tables of real PostgreSQL and MariaDB servers that recipes write: read back by other clients, whole or as they were."""

from __future__ import annotations

import datetime as dt
import tempfile
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
import shapely

from brisk_atlas.core import read
from brisk_atlas.core.connect import postgres
from brisk_atlas.core.handover.batch import Batch
from brisk_atlas.core.handover.batch_worker import ProcessRunner
from brisk_atlas.core.handover.recipe import BadRecipe, Branch, Recipe, RecipeStep
from brisk_atlas.core.handover.run_recipe import check_targets
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.handover.steps.write import WriteStep
from brisk_atlas.core.model import AtlasError, CannotWrite, DataRef, passwords
from brisk_atlas.core.system.jobs import Cancelled
from database_server import running
from flows import UTM, grid_of, rows_of
from mariadb_server import running_mariadb

SQUARE = shapely.box(500_000, 5_700_000, 500_010, 5_700_010)
TYPES = {
    "small": pa.array([1, None, 3], pa.int8()), "large": pa.array([2**64 - 1, 0, None], pa.uint64()),
    "number": pa.array([1.5, float("nan"), None]), "exact": pa.array([Decimal("1.25"), None, Decimal("-7.50")]),
    "Näme": pa.array(["Çölübü — 火山", "it's", None]), "yes": pa.array([True, None, False]),
    "day": pa.array([dt.date(2031, 6, 24), None, dt.date(1, 1, 1)]), "clock": pa.array([dt.time(3, 4, 5, 6), None, None]),
    "seen": pa.array([dt.datetime(2040, 6, 24, 12, tzinfo=dt.UTC), None, None], pa.timestamp("us", "-02:00")),
    "logged": pa.array([dt.datetime(2031, 6, 24, 12, 0, 0, 250), None, None]),
    "raw": pa.array([b"\0\xff", b"", None]), "list": pa.array([["a", "b"], None, []]),
}  # fmt: skip


@pytest.fixture(scope="module")
def post():
    with running() as found:
        passwords.remember(found.address, found.password)
        yield found
        postgres.close_all()


@pytest.fixture(scope="module")
def maria():
    with running_mariadb() as found:
        yield found


@pytest.fixture(autouse=True)
def known(post, maria):
    passwords.remember(post.address, post.password)
    passwords.remember(maria.address, maria.password)
    yield
    passwords.forget_all()


def put(flow, place, check=lambda: None, **settings):
    """Write a flow to a table; return how many rows, and what was warned of."""
    step = RecipeStep("write", {"path": place, **settings}).made({})
    assert isinstance(step, WriteStep)
    with tempfile.TemporaryDirectory() as scratch:
        context = StepContext(lambda name: flow, Path(scratch), check)
        return step.write(flow, context)[0].count, context.warnings


def all_types():
    return rows_of([SQUARE, None, shapely.multipolygons([SQUARE])], **TYPES)


def test_postgres_has_every_value_as_it_was(post):
    flow = all_types()
    assert put(flow, f"{post.address}#public.all types")[0] == 3
    with post.connect() as link:
        asked = link.execute('SELECT * FROM public."all types" ORDER BY gid')
        names, rows = [each.name for each in asked.description], asked.fetchall()
        types = dict(
            link.execute("SELECT column_name, data_type FROM information_schema.columns WHERE table_name = 'all types'")
        )
        ((srid, kind),) = link.execute("SELECT srid, type FROM geometry_columns WHERE f_table_name = 'all types'")
        shapes = [row[0] for row in link.execute('SELECT ST_AsBinary(geom) FROM public."all types" ORDER BY gid')]
        indexes = link.execute("SELECT count(*) FROM pg_indexes WHERE tablename = 'all types'").fetchone()[0]
    table = flow.whole()
    for name in (n for n in TYPES if n not in ("list", "number", "seen")):
        at = names.index(name)
        assert [row[at] for row in rows] == table.column(name).to_pylist(), name
    assert rows[0][names.index("seen")] == dt.datetime(2040, 6, 24, 12, tzinfo=dt.UTC)
    assert [row[names.index("list")] for row in rows] == ['["a", "b"]', None, "[]"]
    assert np.isnan(rows[1][names.index("number")]) and rows[2][names.index("number")] is None
    assert (types["small"], types["large"], types["seen"]) == ("smallint", "numeric", "timestamp with time zone")
    assert (srid, kind, indexes) == (32727, "MULTIPOLYGON", 2)
    made = shapely.from_wkb(shapes)
    assert made[1] is None and shapely.equals(made[[0, 2]], shapely.multipolygons([SQUARE])).all()
    part = read.open(DataRef.parse(f"{post.address}#public.all types")).parts[0]
    assert part.facts.crs == UTM and part.row_key == "gid"  # so that edits can be saved into it


@pytest.mark.parametrize(
    ("texts", "kind"),
    [
        (["POINT Z (1 2 3)", "POINT Z EMPTY"], "POINT"),
        (["POINT (1 2)", "LINESTRING Z (0 0 1, 1 1 2)"], "GEOMETRY"),
        (["POINT ZM (1 2 3 4)", "POINT M (1 2 7)"], "GEOMETRY"),
        (["MULTIPOINT (1 2, 3 4)", "GEOMETRYCOLLECTION (POINT (1 2))"], "GEOMETRY"),
    ],
)
def test_postgres_holds_heights_measures_and_mixed_types(post, texts, kind):
    place = f"{post.address}#public.shapes"
    put(rows_of(shapely.from_wkt(texts)), place, options={"replace": True})
    with post.connect() as link:
        found = link.execute("SELECT ST_AsText(geom), ST_SRID(geom) FROM shapes ORDER BY gid").fetchall()
        assert link.execute("SELECT type FROM geometry_columns WHERE f_table_name = 'shapes'").fetchone()[0] == kind
    assert [shapely.from_wkt(text).wkt for text, _ in found] == [shapely.from_wkt(text).wkt for text in texts]
    assert {srid for _, srid in found} == {32727}


def test_a_table_is_replaced_whole_or_stays_and_its_rights_stay(post):
    place = f"{post.address}#public.closed"
    put(rows_of([SQUARE] * 3), place)
    with post.connect() as link:
        link.execute("CREATE ROLE reader; GRANT SELECT ON closed TO reader; GRANT SELECT ON closed TO PUBLIC")
    with pytest.raises(CannotWrite, match="there is a table of that name"):
        put(rows_of([SQUARE]), place)
    seen = []

    def stop():
        seen.append(1)
        if len(seen) > 12:
            raise Cancelled

    with pytest.raises(Cancelled):
        put(rows_of([SQUARE] * 50, pieces=30), place, stop, options={"replace": True})
    with post.connect() as link:
        assert link.execute("SELECT count(*) FROM closed").fetchone()[0] == 3
        left = link.execute("SELECT count(*) FROM pg_class WHERE relname LIKE 'closed%' AND relkind = 'r'").fetchone()[
            0
        ]
        assert left == 1
        link.execute("CREATE VIEW open_ones AS SELECT * FROM closed")
    with pytest.raises(CannotWrite, match="depend on it"):
        put(rows_of([SQUARE]), place, options={"replace": True})
    with post.connect() as link:
        link.execute("DROP VIEW open_ones")
    assert put(rows_of([SQUARE] * 2), place, options={"replace": True})[0] == 2
    with post.connect() as link:
        rights = link.execute("SELECT grantee FROM information_schema.role_table_grants WHERE table_name = 'closed'")
        assert {row[0] for row in rights} == {"ana", "reader", "PUBLIC"}
        assert link.execute("SELECT count(*) FROM closed").fetchone()[0] == 2


def test_rows_are_added_to_what_is_there_in_its_own_types(post, maria):
    with post.connect() as link:
        link.execute(
            "CREATE TABLE wells (id serial PRIMARY KEY, n int2, geom geometry(Polygon, 32727), CHECK (n < 100))"
        )
    place = f"{post.address}#public.wells"
    assert put(rows_of([SQUARE] * 2, n=[1, 2]), place, append=True)[0] == 2
    assert put(rows_of([SQUARE] * 2, n=[3, 4]), place, append=True)[0] == 2
    for values, words in (([5, 500], "violates check constraint"), ([5, 70_000], "out of range")):
        with pytest.raises(CannotWrite, match=words):
            put(rows_of([SQUARE] * 2, n=values), place, append=True)
    with pytest.raises(CannotWrite, match="no field depth"):
        put(rows_of([SQUARE], depth=[1.0]), place, append=True)
    with pytest.raises(CannotWrite, match="SRID"):
        put(rows_of([SQUARE], n=[1], crs="EPSG:4326"), place, append=True)
    with post.connect() as link:
        assert [row[0] for row in link.execute("SELECT n FROM wells ORDER BY id")] == [1, 2, 3, 4]
    other = f"{maria.address}#survey.wells"
    put(rows_of([SQUARE] * 2, n=[1, 2]), other, append=True)  # of which there is none
    put(rows_of([SQUARE] * 2, n=[3, 4]), other, append=True)
    with maria.connect() as link, link.cursor() as cursor:
        cursor.execute("ALTER TABLE survey.wells ADD CHECK (n < 100)")
        with pytest.raises(CannotWrite, match="CONSTRAINT"):
            put(rows_of([SQUARE] * 2, n=[5, 500]), other, append=True)
        cursor.execute("SELECT n FROM survey.wells ORDER BY gid")
        assert [row[0] for row in cursor.fetchall()] == [1, 2, 3, 4]


def test_a_table_that_another_program_holds_is_reported(post):
    place = f"{post.address}#public.held"
    put(rows_of([SQUARE]), place)
    with post.connect() as link, link.transaction():
        link.execute("LOCK TABLE held IN ACCESS SHARE MODE")
        with pytest.raises(CannotWrite, match="another program holds its rows"):
            put(rows_of([SQUARE] * 2), place, options={"replace": True})
        assert link.execute("SELECT count(*) FROM held").fetchone()[0] == 1


def test_mariadb_has_every_value_that_it_can_hold(maria):
    flow = all_types()
    count, warned = put(flow, f"{maria.address}#survey.all types")
    assert count == 3
    lost = " ".join(warned)
    assert "seen: times become those of UTC" in lost and "values of number" in lost
    with maria.connect() as link, link.cursor() as cursor:
        cursor.execute("SELECT * FROM survey.`all types` ORDER BY gid")
        names = [each[0] for each in cursor.description]
        rows = cursor.fetchall()
        cursor.execute("SELECT ST_AsWKB(geom), ST_SRID(geom) FROM survey.`all types` ORDER BY gid")
        shapes = cursor.fetchall()
    table = flow.whole()
    for name in (n for n in TYPES if n not in ("list", "number", "seen", "clock", "yes")):
        assert [row[names.index(name)] for row in rows] == table.column(name).to_pylist(), name
    assert [row[names.index("yes")] for row in rows] == [1, None, 0]
    assert [row[names.index("number")] for row in rows] == [1.5, None, None]
    assert rows[0][names.index("clock")] == dt.timedelta(hours=3, minutes=4, seconds=5, microseconds=6)
    assert rows[0][names.index("seen")] == dt.datetime(2040, 6, 24, 12)
    assert [srid for _, srid in shapes] == [32727, None, 32727]
    assert shapely.equals(shapely.from_wkb([shapes[0][0], shapes[2][0]]), shapely.multipolygons([SQUARE])).all()


def test_mariadb_replaces_at_once_indexes_and_leaves_nothing_behind(maria):
    place = f"{maria.address}#survey.closed"
    high = shapely.from_wkt(["POINT Z (1 2 3)", "POINT Z (4 5 6)"])
    put(rows_of(high), place)
    with pytest.raises(CannotWrite, match="there is a table of that name"):
        put(rows_of(high), place)
    with pytest.raises(Cancelled):
        put(rows_of([high[0]] * 9), place, _stopping(5), options={"replace": True})
    put(rows_of([high[0], shapely.from_wkt("POINT EMPTY")]), place, options={"replace": True})
    with maria.connect() as link, link.cursor() as cursor:
        cursor.execute("SELECT ST_AsText(geom) FROM survey.closed ORDER BY gid")
        assert [row[0] for row in cursor.fetchall()] == ["POINT(1 2)", None]
        put(rows_of(high), place, options={"replace": True})
        cursor.execute("SHOW INDEX FROM survey.closed")
        assert {row[10] for row in cursor.fetchall()} == {"BTREE", "SPATIAL"}
        cursor.execute("SELECT count(*) FROM information_schema.tables WHERE table_name LIKE 'brisk%'")
        assert cursor.fetchone()[0] == 0


def _stopping(after):
    left = [after]

    def check():
        left[0] -= 1
        if left[0] < 0:
            raise Cancelled

    return check


def test_what_can_not_go_into_a_table_is_refused_before_a_server_is_asked(post):
    with pytest.raises(AtlasError, match="it names no table"):
        put(rows_of([SQUARE]), "postgresql://ana@127.0.0.1:1/survey")
    with pytest.raises(AtlasError, match="not written to a table"):
        put(grid_of(np.zeros((2, 2))), f"{post.address}#public.grid")
    with pytest.raises(AtlasError, match="no record goes with a table"):
        put(rows_of([SQUARE]), f"{post.address}#public.x", record="beside")
    with pytest.raises(AtlasError, match="can't be reached"):
        put(rows_of([SQUARE]), "postgresql://ana@127.0.0.1:1/survey#public.x")
    with pytest.raises(AtlasError, match="no such schema"):
        put(rows_of([SQUARE]), f"{post.address}#nowhere.x")
    with pytest.raises(AtlasError, match="leave nothing to write"):
        put(replace(rows_of([SQUARE]), batches=lambda: iter(())), f"{post.address}#public.x")
    with pytest.raises(BadRecipe, match="originals are read-only"):
        place = f"{post.address}#public.wells"
        recipe = Recipe("r", (Branch("a", DataRef.parse(place), (RecipeStep("write", {"path": place}),)),))
        check_targets(recipe, ())


def test_many_files_go_into_tables_of_their_own_and_are_found_again(post, tmp_path):
    for n in range(3):
        put(rows_of([SQUARE], n=[n]), str(tmp_path / f"zone_{n}.gpkg"))
    write = RecipeStep(
        "write", {"path": f"{post.address_with_password}#public.${{name}}", "options": {"replace": True}}
    )
    recipe = Recipe("To the office", (Branch("all", "${input}", (write,)),))
    inputs = [str(tmp_path / f"zone_{n}.gpkg") for n in range(3)]
    outcomes = Batch(recipe, inputs, tmp_path / "out").run(ProcessRunner(2))
    assert [each.reason for each in outcomes] == [""] * 3
    with post.connect() as link:
        link.execute("DROP TABLE zone_1")
    again = Batch(recipe, inputs, tmp_path / "out").run(ProcessRunner(1), resume=True)
    assert [each.state for each in again] == ["done before", "done", "done before"]
    with post.connect() as link:
        assert link.execute("SELECT n FROM zone_1").fetchall() == [(1,)]
    added = Recipe("r", (Branch("all", "${input}", (RecipeStep("write", {**write.settings, "append": True}),)),))
    with pytest.raises(BadRecipe, match="would add twice"):
        Batch(added, inputs, tmp_path / "out")
