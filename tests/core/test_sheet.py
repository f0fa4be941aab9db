"""The table engine."""

from __future__ import annotations

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.sheet import Sheet


@pytest.fixture
def sheet(lava):
    return Sheet(lava.table)


def test_filter_and_sort(sheet, truth):
    order = sheet.arrange("year = 2031", "volume_m3", True)
    assert len(order) == truth["eruption_2031"]["flows"]
    volumes = sheet.rows(0, 100).column("volume_m3").to_pylist()
    assert volumes == sorted(volumes, reverse=True)
    assert sum(volumes) == pytest.approx(truth["eruption_2031"]["lava_volume_m3"], rel=1e-6)


def test_only_what_is_asked_for_is_fetched(sheet):
    last = len(sheet) - 1
    assert sheet.rows(3, 2).num_rows == 2 and sheet.rows(last, 100).num_rows == 1 and sheet.rows(999, 5).num_rows == 0


def test_place_of_a_row(sheet):
    sheet.arrange("", "year", True)
    for place in (0, 7, len(sheet) - 1):
        assert sheet.place_of(int(sheet.order[place])) == place
    sheet.arrange("year = 1962")
    assert sheet.place_of(len(sheet.table) - 1) is None


@settings(max_examples=25, deadline=None)
@given(st.lists(st.one_of(st.none(), st.integers(-99, 99)), min_size=1, max_size=30), st.booleans())
def test_sorting_keeps_rows_and_puts_unknown_last(values, descending):
    sheet = Sheet(pa.table({"v": pa.array(values, pa.int64())}))
    sheet.arrange("", "v", descending)
    out = sheet.rows(0, 99).column("v").to_pylist()
    known = sorted((v for v in values if v is not None), reverse=descending)
    assert out == known + [None] * (len(values) - len(known))


@pytest.mark.parametrize(
    "expression",
    [
        "year ==== 3",
        "nofield = 1",
        "1); DROP TABLE rows; SELECT (1",
        "year = 2031; SELECT 1",
        "(",
        "year = 2031 --",
        "'open",
    ],
)
def test_what_is_no_single_condition_is_refused_and_changes_nothing(sheet, truth, expression):
    sheet.arrange("year = 2031")
    if expression.endswith("--"):  # a trailing comment is harmless
        assert len(sheet.matching(expression)) == truth["eruption_2031"]["flows"]
        return
    with pytest.raises(BadExpression) as caught:
        sheet.arrange(expression)
    assert caught.value.remedy and len(sheet) == truth["eruption_2031"]["flows"] and sheet.filter == "year = 2031"


@pytest.mark.parametrize(
    "expression",
    [
        "(SELECT count(*) FROM read_text('/etc/passwd')) > 0",
        "(SELECT count(*) FROM read_csv('/etc/passwd')) > 0",
        "(SELECT count(*) FROM '/etc/passwd') > 0",
        "(SELECT count(*) FROM glob('/*')) > 0",
        "getenv('HOME') = 'x'",
    ],
)
def test_expressions_reach_no_file(sheet, expression):
    with pytest.raises(BadExpression):
        sheet.matching(expression)


def test_external_access_can_not_be_switched_on_again(sheet):
    import duckdb

    with pytest.raises(duckdb.Error):
        sheet._db.execute("SET enable_external_access = true")


def test_names_with_quotes_can_be_sorted_by():
    sheet = Sheet(pa.table({'odd "name"': [2, 1], "b c": [1, 2]}))
    sheet.arrange('"b c" > 0', 'odd "name"')
    assert sheet.order.tolist() == [1, 0]
