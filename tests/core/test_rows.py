"""Rows with what the analyst adds: joins, computed fields, filters, edits; kept in the project."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import (
    BadExpression,
    ColumnView,
    ComputedField,
    DataKind,
    Edit,
    FieldFilter,
    Join,
    Label,
    Layer,
    TableView,
    VectorStyle,
)
from brisk_atlas.core.table import fields_with_added, mask_of, rows_of, shown_rows
from brisk_atlas.core.table.editing import changed_cells, edited, replacing, value_from
from brisk_atlas.core.table.filters import condition_of, words_of
from brisk_atlas.core.table.joining import joined, partners, related_rows, report
from brisk_atlas.core.workspace import Work
from brisk_atlas.core.workspace.project_file import read, save
from made_files import at


@pytest.fixture
def flows(data):
    return Layer("lava", "lava_flows", at(data / "tolvane_survey.gpkg", "lava_flows"), DataKind.VECTOR, VectorStyle())


def looking(layer, **rows):
    return replace(layer, rows=TableView(**rows))


# Filters


TABLE = pa.table(
    {
        "n": [1, 5, None, 9],
        "t": ["Harrow", "Ash 'x'", None, "harbour"],
        "d": [datetime.date(2031, 1, d) for d in (1, 2, 3, 4)],
        "x": [0.1, float("nan"), 0.3, None],
    }
)


@pytest.mark.parametrize(
    ("chosen", "shown", "words"),
    [
        (FieldFilter("n", "range", low=2), [1, 3], "n from 2"),
        (FieldFilter("n", "range", low=1, high=5), [0, 1], "n 1 to 5"),
        (FieldFilter("t", "text", text="HAR"), [0, 3], "t holds “HAR”"),
        (FieldFilter("t", "values", ("Ash 'x'", None)), [1, 2], "t: Ash 'x', missing"),
        (FieldFilter("n", "values", (9,)), [3], "n: 9"),
        (FieldFilter("n", "values", ()), [], "n: "),
        (FieldFilter("x", "missing"), [3], "x is missing"),
        (FieldFilter("t", "known"), [0, 1, 3], "t is known"),
        (FieldFilter("d", "range", low="2031-01-03"), [2, 3], "d from 2031-01-03"),
        (FieldFilter("x", "values", (0.1,)), [0], "x: 0.1"),
    ],
)
def test_filters_of_single_fields(chosen, shown, words):
    assert np.flatnonzero(mask_of(TABLE, condition_of(chosen))).tolist() == shown
    assert words_of(chosen) == words


def test_filters_and_a_condition_hold_together(cache, flows, lava):
    layer = looking(flows, where="year = 2031", filters=(FieldFilter("volume_m3", "range", low=1e6),))
    mask = shown_rows(cache, layer)
    years, volumes = lava.table.column("year").to_numpy(), lava.table.column("volume_m3").to_numpy()
    assert mask.tolist() == ((years == 2031) & (volumes >= 1e6)).tolist() and 0 < mask.sum() < len(mask)
    assert shown_rows(cache, flows) is None


def test_a_filter_acts_on_the_map_and_on_the_hand_if_it_is_let(cache, flows, lava, truth):
    row, col = truth["eruption_2031"]["thickest_cell"]
    x, y = 504_000 + (col + 0.5) * 10, 5_776_000 - (row + 0.5) * 10
    view = View(x, y, 2.0, 40, 40, "EPSG:32727")
    style = VectorStyle(label=Label("vent"))
    there = Where.at(x, y, "EPSG:32727", 1)
    painter = painter_for(cache)
    for on_map, drawn in ((False, True), (True, False)):
        layer = replace(looking(flows, where="year < 2031", on_map=on_map), style=style)
        frame = painter.frame([layer], view, measure=lambda text, size: (8.0, 8.0))
        assert bool(frame.image.any()) == drawn and bool(frame.labels) == drawn
        assert (probe(cache, layer, there) is not None) == drawn
    assert not painter.frame([replace(layer, rows=replace(layer.rows, where="nofield = 1"))], view).image.any()


# Computed fields


def test_population_over_area_is_worked_out_and_colours_the_map(cache, flows, lava):
    layer = looking(
        flows,
        computed=(
            ComputedField("thick", "volume_m3 / area_plane()", unit="m"),
            ComputedField("class", "CASE WHEN thick > 2 THEN 'thick' ELSE 'thin' END"),
        ),
    )
    table = rows_of(cache, layer)
    area = shapely.area(shapely.from_wkb(lava.wkb.to_numpy(zero_copy_only=False)))
    thick = table.column("thick").to_numpy()
    assert thick == pytest.approx(lava.table.column("volume_m3").to_numpy() / area)
    assert table.column("class").to_pylist() == ["thick" if t > 2 else "thin" for t in thick]
    assert [f.name for f in fields_with_added(cache, layer)][-2:] == ["thick", "class"]
    assert "thick" not in cache.table(flows.ref).column_names  # the original stays as it is
    styled = replace(layer, style=VectorStyle(colour_by="class", method="unique"))
    frame = painter_for(cache).frame([styled], View(510_000, 5_771_000, 20, 300, 300, "EPSG:32727"))
    assert frame.image.any() and not frame.faults


def test_a_computed_field_that_fails_says_so(cache, flows):
    with pytest.raises(BadExpression, match="no field nothing"):
        rows_of(cache, looking(flows, computed=(ComputedField("x", "nothing + 1"),)))
    frame = painter_for(cache).frame(
        [replace(looking(flows, computed=(ComputedField("x", "nothing + 1"),)), style=VectorStyle(colour_by="x"))],
        View(510_000, 5_771_000, 20, 30, 30, "EPSG:32727"),
    )
    assert "no field nothing" in next(iter(frame.faults.values()))


def test_a_centroid_in_another_crs_and_one_that_is_none(cache, flows):
    table = rows_of(cache, looking(flows, computed=(ComputedField("lon", "centroid_x('EPSG:4326')"),)))
    assert all(-21 < v < -20.8 for v in table.column("lon").to_pylist())
    with pytest.raises(BadExpression, match="not a coordinate reference system"):
        rows_of(cache, looking(flows, computed=(ComputedField("lon", "centroid_x('EPSG:nothing')"),)))


# Joins


def test_a_join_reports_what_does_not_match_on_both_sides():
    own = pa.chunked_array([["a", "b", "b", None, "x"]])
    other = pa.chunked_array([["b", "a", "a", "c", None]])
    told = report(own, other)
    assert (told.rows, told.matched, told.unmatched, told.unmatched_other) == (5, 3, 2, 2)
    assert (told.repeated, told.repeated_other) == (1, 1)
    assert told.named == (("x",), ("c",), ("b",), ("a",))
    assert (
        told.words[0] == "3 of 5 rows have a partner" and "1 keys in several rows of the other table: a" in told.words
    )


def test_the_first_of_several_partners_is_joined_and_numbers_meet_numbers():
    own = pa.table({"k": pa.array([1, 2, 3, None], pa.int16())})
    other = pa.table({"key": [2.0, 1.0, 1.0], "v": ["two", "one", "uno"]})
    both = joined(own, other, Join("o", at(None, "o"), "k", "key"))
    assert both.column("o.v").to_pylist() == ["one", "two", None, None]
    assert partners(pa.chunked_array([["1", "07"]]), pa.chunked_array([[1, 7]])).tolist() == [0, -1]
    with pytest.raises(BadExpression, match="not there any more"):
        joined(own, other, Join("o", at(None, "o"), "gone", "key"))


@given(
    st.lists(st.one_of(st.none(), st.integers(0, 6)), max_size=20),
    st.lists(st.one_of(st.none(), st.integers(0, 6)), max_size=20),
)
def test_partners_are_those_of_a_plain_search(own, other):
    got = partners(pa.chunked_array([pa.array(own, pa.int64())]), pa.chunked_array([pa.array(other, pa.int64())]))
    assert got.tolist() == [other.index(k) if k is not None and k in other else -1 for k in own]


def test_joined_fields_stand_in_expressions_and_related_rows_are_looked_up(cache, data):
    stations = Layer("s", "stations", at(data / "gas_stations.csv", "gas_stations"), DataKind.TABLE)
    readings = data / "gas_readings.parquet"
    part = cache.dataset(at(readings)).parts[0].facts.name
    laboratory = data / "laboratory.xlsx"
    lab = cache.dataset(at(laboratory)).parts[0].facts
    key = next(f.name for f in lab.fields if f.name.lower().startswith("station"))
    layer = looking(
        stations,
        joins=(
            Join("lab", at(laboratory, lab.name), "station", key),
            Join("gas", at(readings, part), "station", "station", many=True),
        ),
        computed=(ComputedField("both", f"station || '/' || lab.{key}"),),
    )
    table = rows_of(cache, layer)
    assert table.num_rows == 12 and f"lab.{key}" in table.column_names and "gas.station" not in table.column_names
    assert all(v is None or v.split("/")[0] == v.split("/")[1] for v in table.column("both").to_pylist())
    rows = related_rows(table, layer.rows.joins[1], cache.table(at(readings, part)), 3)
    assert rows.num_rows > 1000 and set(rows.column("station").to_pylist()) == {table.column("station")[3].as_py()}


# Edits


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("12", pa.int32(), 12), ("1,234", pa.int64(), 1234), ("2.5", pa.float64(), 2.5), ("2,5", pa.float64(), 2.5), ("", pa.int8(), None),
        ("yes", pa.bool_(), True), ("false", pa.bool_(), False), ("2031-06-24", pa.date32(), datetime.date(2031, 6, 24)),
        ("2031-06-24 13:50", pa.timestamp("ms"), datetime.datetime(2031, 6, 24, 13, 50)), ("free text ", pa.string(), "free text "),
        ("b", pa.dictionary(pa.int8(), pa.string()), "b"),
    ],
)  # fmt: skip
def test_typed_values_fit_their_field(text, kind, value):
    assert value_from(text, kind, "f") == value


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("300", pa.int8()),
        ("x", pa.int32()),
        ("1.5", pa.int32()),
        ("maybe", pa.bool_()),
        ("24.6.2031", pa.date32()),
        ("x", pa.float32()),
        ("x", pa.binary()),
    ],
)
def test_what_does_not_fit_is_refused(text, kind):
    with pytest.raises(BadExpression, match="f: "):
        value_from(text, kind, "f")


def test_edits_lie_over_the_table_and_the_last_one_wins():
    edits = (Edit("n", (0, 2), (7, 8)), Edit("n", (2,), (None,)), Edit("t", (1,), ("new",)), Edit("gone", (0,), (1,)))
    table = edited(TABLE, edits)
    assert table.column("n").to_pylist() == [7, 5, None, 9] and table.column("t")[1].as_py() == "new"
    assert TABLE.column("n")[0].as_py() == 1 and changed_cells(edits)[2, "n"] is None
    categories = pa.table({"c": pa.array(["a", "b"]).dictionary_encode()})
    assert edited(categories, (Edit("c", (0,), ("z",)),)).column("c").to_pylist() == ["z", "b"]


def test_find_and_replace_among_the_rows_that_show():
    rows = np.array([3, 0, 1])
    edit = replacing(TABLE, "t", "ar", "AR", rows, whole=False)
    assert dict(zip(edit.rows, edit.values)) == {3: "hARbour", 0: "HARrow"}
    assert replacing(TABLE, "t", "arr", "x", np.array([1, 3]), whole=False) is None
    assert replacing(TABLE, "n", "5", "6", np.arange(4), whole=True).values == (6,)
    with pytest.raises(BadExpression, match="whole number"):
        replacing(TABLE, "n", "5", "five", np.arange(4), whole=True)


# In the project


def test_all_of_it_is_kept_in_the_project(tmp_path, data, cache):
    path = data / "tolvane_survey.gpkg"
    rows = TableView(
        (
            ColumnView("year", pinned=True, width=90, form="fixed", digits=0, thousands=False, alias="Year"),
            ColumnView("vent", shown=False),
        ),
        (("year", True), ("volume_m3", False)),
        "year > 1960",
        (FieldFilter("vent", "values", ("summit", None)), FieldFilter("day", "range", low=datetime.date(2031, 1, 2))),
        True,
        True,
        (ComputedField("thick", "volume_m3 / area_plane()", "DOUBLE", "m"),),
        (Join("lab", at(data / "laboratory.xlsx", "samples"), "flow_id", "flow"),),
        (Edit("vent", (1, 4), ("rim", None)), Edit("when", (0,), (datetime.datetime(2031, 6, 24, 1, 2),))),
        (("tolvane_survey.gpkg", 5, 7),),
    )
    work = Work()
    facts = cache.part(at(path, "lava_flows")).facts
    layer = work.add(at(path), facts, first_style(facts, 0))
    work.change("rows", layer.id, rows=rows)
    save(work, tmp_path / "w.brisk.json")
    state, _, _ = read(tmp_path / "w.brisk.json")
    back = state.layers[0].rows
    assert replace(back, edits=()) == replace(rows, edits=())
    assert [(e.field, e.rows, e.values) for e in back.edits] == [(e.field, e.rows, e.values) for e in rows.edits]
    work.undo()
    assert work.layers[0].rows == TableView()


def test_looking_at_rows_again_works_nothing_out_again(data, flows):
    cache = DataCache()
    layer = looking(flows, computed=(ComputedField("a", "area_ellipsoid()"),))
    first = rows_of(cache, layer)
    assert rows_of(cache, replace(layer, rows=replace(layer.rows, summary=True))) is first
    assert rows_of(cache, replace(layer, rows=replace(layer.rows, computed=()))) is not first
