"""Rows that the engine reads from their file itself: the same answers as from what we read, and no other file."""

from __future__ import annotations

import os

import duckdb
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import BadExpression, CannotRead, ComputedField, DataKind, Edit, Layer, TableView
from brisk_atlas.core.read.lazy_table import LazyTable
from brisk_atlas.core.table import asking, mask_of, rows_of
from brisk_atlas.core.table.engine import Sheet
from made_files import at

COUNT = 5_000


@pytest.fixture
def samples(tmp_path):
    """Values with what is awkward: missing, infinite, not a number, equal, quoted names; in many groups of rows."""
    random = np.random.default_rng(2031)
    depth = random.normal(80, 30, COUNT).round(1)
    depth[::17], depth[5::400], depth[7::900] = np.nan, np.inf, -np.inf
    table = pa.table(
        {
            "n": np.arange(COUNT),
            "depth": pa.array(depth, mask=random.random(COUNT) < 0.1),
            'kind "of" rock': pa.array(["ash", "lava", None, "Lava", "pumice"]).take(
                pa.array(random.integers(0, 5, COUNT))
            ),
            "is_wet": pa.array(random.random(COUNT) < 0.5),
            "taken": pa.array(random.integers(0, 9_999_999, COUNT), pa.timestamp("s")),
        }
    )
    path = tmp_path / "samples.parquet"
    pq.write_table(table, path, row_group_size=700)
    return path


def sheet_of(path, *computed, edits=()):
    held = DataCache()
    layer = Layer(
        "s", "s", at(path, path.stem), DataKind.TABLE, rows=TableView(computed=tuple(computed), edits=tuple(edits))
    )
    return Sheet(rows_of(held, layer))


def in_memory(sheet):
    """Return the same rows, read as a whole."""
    return Sheet(sheet.table.whole())


CONDITIONS = (
    "depth > 100", "depth > 190", "depth = CAST('inf' AS DOUBLE)", "depth IS NULL", "isnan(depth)", "\"kind \"\"of\"\" rock\" = 'lava' AND depth BETWEEN 60 AND 90",
    "lower(\"kind \"\"of\"\" rock\") LIKE 'l%' OR is_wet", "n % 7 = 3 AND NOT is_wet", "taken > '1970-02-01'",
    "rank() OVER (ORDER BY n) < 100",
)  # fmt: skip


@pytest.mark.parametrize("where", CONDITIONS)
def test_conditions_give_the_same_rows_as_in_memory(samples, where):
    sheet = sheet_of(samples)
    found, known = sheet.arrange(where), in_memory(sheet).arrange(where)
    assert 0 < len(found) < COUNT and np.array_equal(found, known)
    assert np.array_equal(np.flatnonzero(mask_of(sheet_of(samples).table, where)), known)


@pytest.mark.parametrize("sort", [("depth", True), ("depth", False), ('kind "of" rock', False), ("taken", True)])
def test_orders_sums_and_counts_are_the_same(samples, sort):
    sheet = sheet_of(samples)
    order = sheet.arrange("n > 50", [sort])
    whole = in_memory(sheet)
    assert np.array_equal(order, whole.arrange("n > 50", [sort])) and not sheet_of(samples).ready([sort[0]])
    assert sheet.summary("depth") == whole.summary("depth") or np.isnan(whole.summary("depth").maximum)
    assert sheet.distinct('kind "of" rock') == whole.distinct('kind "of" rock')


def test_cells_are_looked_up_without_reading_their_columns(samples):
    sheet = sheet_of(samples)
    fields = ["n", "depth", 'kind "of" rock']
    for order in (sheet.order, sheet.order[::-1], sheet.arrange("", [("depth", True)])):
        sheet.order = order
        for start in (0, 1234, COUNT - 3):
            cells = sheet.values(start, 40, fields)
            assert not sheet.ready(["n"]) and sheet.ready(fields, start, 40)
            whole = in_memory(sheet_of(samples))
            whole.order = order
            assert str(cells) == str(whole.values(start, 40, fields))  # as text, for what is not a number
    sheet.load(fields)
    assert sheet.ready(fields)


def test_a_computed_field_is_made_as_it_is_asked_for(samples):
    double = ComputedField("double", "depth * 2")
    words = ComputedField("words", 'n || \' is \' || "kind ""of"" rock"', "VARCHAR")
    above = ComputedField("above", "double > 150")
    place = ComputedField("place", "rank() OVER (ORDER BY n DESC)")
    sheet = sheet_of(samples, double, words, place)
    assert isinstance(sheet.table, LazyTable) and set(sheet.table.formulas) == {"double", "words"}
    assert not sheet.ready(["double"])
    for start in (0, 190, 4_000):
        cells = sheet.values(start, 20, ["n", "double", "words"])
        assert str(cells["double"]) == str(
            [None if d is None else 2 * d for d in sheet.values(start, 20, ["depth"])["depth"]]
        )
        assert all(w is None or w.startswith(f"{n} is ") for n, w in zip(cells["n"], cells["words"]))
    assert not sheet.ready(["double"])
    whole = sheet.table.column("double").to_pandas().to_numpy()
    assert np.array_equal(whole, sheet.table.column("depth").to_pandas().to_numpy() * 2, equal_nan=True)
    assert sheet.arrange("double > 200").tolist() == sheet.arrange("depth > 100").tolist()
    assert sheet.values(0, 1, ["place"])["place"] == [COUNT]
    assert sheet_of(samples, double, above).arrange("above").tolist() == sheet.arrange("depth > 75").tolist()


def test_a_late_row_that_can_not_be_computed_is_reported_when_it_is_reached(samples):
    sheet = sheet_of(samples, ComputedField("inverse", "CAST(CASE WHEN n < 4000 THEN '1' ELSE 'one' END AS INT)"))
    assert sheet.values(0, 5, ["inverse"])["inverse"] == [1] * 5
    with pytest.raises(BadExpression, match=r"(?i)could not convert"):
        sheet.load(["inverse"])


def test_edited_fields_are_not_read_from_the_file(samples):
    sheet = sheet_of(samples, edits=[Edit("depth", (3, 4), (777.0, None))])
    assert sheet.values(3, 2, ["depth"])["depth"] == [777.0, None]
    assert sheet.arrange("depth = 777").tolist() == [3]
    assert sheet.arrange("n < 5 AND depth IS NULL").tolist()[-1] == 4


def test_a_file_that_was_replaced_is_not_asked_by_the_engine(samples):
    sheet = sheet_of(samples)
    pq.write_table(pa.table({"other": [1]}), samples)
    os.utime(samples, ns=(1, 1))
    with pytest.raises(CannotRead):
        sheet.arrange("n > 5")


def test_a_file_replaced_by_one_of_the_same_fields_gives_its_own_rows(samples):
    assert len(sheet_of(samples).arrange("n >= 0")) == COUNT
    was = samples.stat()
    pq.write_table(pq.read_table(samples).slice(0, 900), samples, row_group_size=700)
    os.utime(samples, ns=(was.st_atime_ns, was.st_mtime_ns))  # as some copying keeps it
    sheet = sheet_of(samples)
    assert sheet.arrange("n >= 0").tolist() == list(range(900)) and not sheet.ready(["n"])


def test_names_that_the_engine_can_not_tell_apart_are_read_by_us(tmp_path):
    path = tmp_path / "twice.parquet"
    pq.write_table(pa.table({"Depth": [1, 2, 3], "depth": [30, 20, 10]}), path)
    sheet = sheet_of(path)
    assert sheet.table.stored is None
    assert sheet.values(0, 3, ["Depth", "depth 2"]) == {"Depth": [1, 2, 3], "depth 2": [30, 20, 10]}


def test_the_engine_reaches_no_other_file(samples, tmp_path):
    other = tmp_path / "other.parquet"
    pq.write_table(pa.table({"secret": [1]}), other)
    with asking._FILES.cursor(sheet_of(samples).table.stored) as db:
        assert db.sql("SELECT count(*) FROM rows").fetchall() == [(COUNT,)]
        for attack in (
            f"SELECT * FROM read_parquet('{other}')", "SELECT * FROM read_csv('/etc/passwd')",
            f"COPY (SELECT 1) TO '{tmp_path / 'made.csv'}'", "INSTALL httpfs", "SET enable_external_access = true",
            f"SET allowed_paths = ['{other}']", f"ATTACH '{tmp_path / 'made.db'}'",
        ):  # fmt: skip
            with pytest.raises(duckdb.Error):
                db.execute(attack)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["other.parquet", "samples.parquet"]


def test_quotes_in_the_name_of_a_file_stay_in_it(samples):
    path = samples.with_name("it's; DROP VIEW rows; --.parquet")
    samples.rename(path)
    sheet = sheet_of(path)
    assert len(sheet.arrange("n < 10")) == 10 and not sheet.ready(["n"])
