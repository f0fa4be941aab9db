"""Two deliveries of a layer or table: what was edited comes out, whatever else lies otherwise."""

from __future__ import annotations

import datetime as dt
import json
import os
import subprocess
import sys

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import rasterio
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas import cli
from brisk_atlas.core.compare.delivery import RowState, changes_listed, delivery_change
from brisk_atlas.core.compare.patch import changed_features
from brisk_atlas.core.compare.row_match import MatchedBy, guess_key
from brisk_atlas.core.compare.value_change import changed_values
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.operations import Compare
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.wkb import exact_shapes
from brisk_atlas.core.workspace import Workspace

UTM = "EPSG:32727"


def features(table, shapes, crs=UTM):
    wkb, flat = exact_shapes(pa.array(shapely.to_wkb(np.asarray(shapes, object)), pa.binary()))
    return Features(table, wkb, flat, crs)


def survey(count=60, seed=1):
    """A layer with an id, a text, a number with gaps and squares on a grid."""
    numbers = np.random.default_rng(seed)
    x, y = 500_000 + 50 * np.arange(count), 5_770_000 + 30.0 * (np.arange(count) % 7)
    table = pa.table({
        "zone_id": pa.array(numbers.permutation(count) + 100),
        "name": pa.array([f"zone {i % 11}" for i in range(count)]),
        "height": pa.array([None if i % 9 == 0 else i / 4 for i in range(count)], pa.float64()),
        "seen": pa.array([dt.datetime(2031, 1, 1) + dt.timedelta(hours=i) for i in range(count)], pa.timestamp("us")),
    })  # fmt: skip
    return features(table, shapely.box(x, y, x + 40, y + 20))


def edited(layer, *, removed=(), values=(), moved=(), added=0, order=None):
    """Return the next delivery: rows removed, (row, field, value) changed, (row, metres) moved east, rows added."""
    columns = {name: layer.table.column(name).to_pylist() for name in layer.table.column_names}
    shapes = shapely.from_wkb(layer.wkb.to_numpy(zero_copy_only=False))
    for row, field, value in values:
        columns[field][row] = value
    for row, metres in moved:
        shapes[row] = shapely.transform(shapes[row], lambda xy, metres=metres: xy + [metres, 0])
    stays = [row for row in range(len(layer)) if row not in removed]
    shapes = [*shapes[stays], *(shapely.box(490_000 + 50 * i, 0, 490_040 + 50 * i, 20) for i in range(added))]
    whole = {name: [column[row] for row in stays] for name, column in columns.items()}
    for i in range(added):
        for name, value in zip(whole, (10_000 + i, "new", 1.0, dt.datetime(2032, 1, 1))):
            whole[name].append(value)
    order = np.arange(len(shapes)) if order is None else order(len(shapes))
    table = pa.table({n: pa.array([c[i] for i in order], layer.table.field(n).type) for n, c in whole.items()})
    return features(table, [shapes[i] for i in order], layer.crs)


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_the_edits_that_were_made_are_those_that_are_found(data):
    before = survey(40)
    rows = st.integers(0, 39)
    removed = data.draw(st.sets(rows, max_size=6))
    values = data.draw(st.dictionaries(st.tuples(rows, st.sampled_from(["name", "height"])), st.booleans(), max_size=8))
    moved = data.draw(st.dictionaries(rows, st.floats(0.01, 500), max_size=6))
    added, seed = data.draw(st.integers(0, 5)), data.draw(st.integers(0, 9))
    new = [(row, field, None if none else "other" if field == "name" else 999.5)
           for (row, field), none in values.items() if row not in removed]  # fmt: skip
    new = [each for each in new if before.table.column(each[1])[each[0]].as_py() != each[2]]
    moved = {row: metres for row, metres in moved.items() if row not in removed}
    after = edited(before, removed=removed, values=new, moved=moved.items(), added=added,
                   order=np.random.default_rng(seed).permutation)  # fmt: skip
    change = delivery_change(before, after)
    assert (change.match.by, change.match.key, change.match.repeated) == (MatchedBy.KEY, ("zone_id",), (0, 0))
    assert set(change.match.only_a) == removed and len(change.match.only_b) == added
    first = change.match.pairs[:, 0]
    found = {(int(first[k]), name) for name, mask in change.values.items() for k in np.flatnonzero(mask)}
    assert found == {(row, field) for row, field, _ in new}
    assert set(first[change.shape]) == moved.keys()
    by_row = dict(zip(first, change.distance))
    assert all(by_row[row] == pytest.approx(metres, abs=1e-6) for row, metres in moved.items())
    listed = changes_listed(before, after, change)
    assert len(listed) == len(removed) + added + len(new) + len(moved)
    assert sum(change.counts.values()) == 40 + added and change.differs == bool(len(listed))
    old = {(r["zone_id"], r["field"]): (r["old"], r["new"]) for r in listed.to_pylist() if r["change"] == "values"}
    ids = before.table.column("zone_id").to_pylist()
    for row, field, value in new:
        was, now = old[str(ids[row]), field]
        assert now == (None if value is None else str(value)) and was != now


def test_without_a_key_rows_are_matched_by_geometry_and_by_what_is_near():
    before = survey(30)
    bare = features(
        before.table.select(["name", "height"]), shapely.from_wkb(before.wkb.to_numpy(zero_copy_only=False))
    )
    after = edited(survey(30), removed=(3,), values=[(5, "name", "other")], moved=[(8, 5.0), (9, 2000.0)], added=2)
    after = features(after.table.select(["name", "height"]), shapely.from_wkb(after.wkb.to_numpy(zero_copy_only=False)))
    change = delivery_change(bare, after)
    assert change.match.by is MatchedBy.GEOMETRY and guess_key(bare.table, after.table) == ()
    assert change.match.only_a.tolist() == [3] and len(change.match.only_b) == 2
    first = change.match.pairs[:, 0]
    assert first[change.values["name"]].tolist() == [5]
    assert dict(zip(first[change.shape], change.distance[change.shape].round(6))) == {8: 5.0, 9: 2000.0}


def test_several_fields_together_are_a_key_and_repeated_keys_are_stated():
    a = pa.table({"hole": [1, 1, 2, 2], "from": [0, 5, 0, 5], "rock": ["ash", "lava", "ash", "ash"]})
    b = pa.table({"hole": [2, 1, 1, 2], "from": [0, 0, 5, 9], "rock": ["ash", "ash", "tuff", "ash"]})
    change = delivery_change(a, b)
    assert change.match.key == ("hole", "from") and change.by_field == {"rock": 1}
    assert (change.counts[RowState.ADDED], change.counts[RowState.REMOVED]) == (1, 1)
    twice = delivery_change(a, b, key=("hole",))
    assert twice.match.repeated == (4, 4) and len(twice.match.pairs) == 4
    with pytest.raises(AtlasError, match="has no field"):
        delivery_change(a, b, key=("depth",))
    count = 30_000
    alike = pa.table({"kind": pa.array(np.full(count, 70_000)), "n": np.arange(count) % 5})
    assert delivery_change(alike, alike, key=("kind",)).match.repeated == (count, count)
    lists = pa.table({"v": [[1, 2], [3]], "w": [0.5, 0.5]})
    assert delivery_change(lists, lists.slice(1)).match.only_a.tolist() == [0]
    rows = delivery_change(pa.table({"v": [1.5, 2.5, 2.5]}), pa.table({"v": [2.5, 1.5, 9.0]}))
    assert rows.match.by is MatchedBy.VALUES and (len(rows.match.only_a), len(rows.match.only_b)) == (1, 1)


def test_fields_that_came_went_changed_type_or_name_are_told_apart():
    a = pa.table({"id": [1, 2, 3], "height": [1.5, 2.5, None], "old": ["a", "b", "c"], "kind": [1, 2, 3]})
    b = pa.table({
        "kind": pa.array(["1", "2", "4"]), "id": pa.array([1, 2, 3], pa.int32()), "elevation": [1.5, 2.5, None],
        "new": ["x", "y", "z"],
    })  # fmt: skip
    change = delivery_change(a, b)
    fields = change.fields
    assert fields.renamed == (("height", "elevation"),) and fields.reordered
    assert (fields.added, fields.dropped) == (("new",), ("old",))
    assert fields.retyped == (("id", "int64", "int32"), ("kind", "int64", "string"))
    assert change.by_field == {"kind": 1} and change.differs


@pytest.mark.parametrize(
    ("a", "b", "tolerance", "expected"),
    [
        (pa.array([1.0, None, np.nan, 2.0]), pa.array([1.0, None, np.nan, 2.001]), 0.0, [False, False, False, True]),
        (pa.array([1.0, None, np.nan, 2.0]), pa.array([1.1, 0.0, 3.0, 2.001]), 0.01, [True, True, True, False]),
        (pa.array([0.1, 0.2], pa.float32()), pa.array([0.1, 0.25]), 0.0, [False, True]),
        (pa.array([1, 2, None]), pa.array([1, 3, None], pa.int16()), 0.0, [False, True, False]),
        (pa.array([10, 20]), pa.array([11, 25]), 2.0, [False, True]),
        (pa.array(["a", None, ""]), pa.array(["a", "", None]), 0.0, [False, True, True]),
        (pa.array([[1, 2], None]), pa.array([[1, 3], None]), 0.0, [True, False]),
        (pa.array([0, 3_600_000_000], pa.timestamp("us", "UTC")),
         pa.array([0, 1], pa.timestamp("s", "Etc/GMT+1")), 0.0, [False, True]),
        (pa.array([2**53, 2**53 + 1]), pa.array([2**53, 2**53]), 0.0, [False, True]),
    ],
)  # fmt: skip
def test_values_are_equal_where_they_mean_the_same(a, b, tolerance, expected):
    assert changed_values(pa.chunked_array([a]), pa.chunked_array([b]), tolerance).tolist() == expected


def test_the_same_shape_stored_otherwise_or_in_another_crs_did_not_change():
    before = survey(20)
    shapes = shapely.from_wkb(before.wkb.to_numpy(zero_copy_only=False))
    turned = [shapely.Polygon(np.roll(np.array(s.exterior.coords)[:-1], 2, axis=0)).reverse() for s in shapes]
    assert not delivery_change(before, features(before.table, turned)).differs
    placed = shapely.transform(shapes, lambda xy: transform(xy, UTM, "EPSG:4326"))
    change = delivery_change(before, features(before.table, placed, "EPSG:4326"))
    assert not change.shape.any() and change.has_other_crs and change.differs
    degrees = features(before.table, placed, "EPSG:4326")
    east = shapely.transform(placed, lambda xy: xy + [1e-5, 0])
    moved = delivery_change(degrees, features(before.table, east, "EPSG:4326"))
    expected = np.hypot(*(transform(np.array([[-20.9, -38.2], [-20.9 + 1e-5, -38.2]]), "EPSG:4326", UTM) @ [[1, 0], [0, 1]])
                        [1] - transform(np.array([[-20.9, -38.2]]), "EPSG:4326", UTM)[0])  # fmt: skip
    assert moved.shape.all() and np.allclose(moved.distance, expected, rtol=2e-3)


def test_heights_empty_shapes_and_other_kinds_of_shapes_are_changes():
    table = pa.table({"id": [1, 2, 3, 4]})
    a = features(table, [shapely.Point(0, 0, 5), shapely.Point(1, 1), None, shapely.box(0, 0, 1, 1)])
    b = features(table, [shapely.Point(0, 0, 7.5), None, None, shapely.box(0, 0, 1, 1).exterior])
    change = delivery_change(a, b)
    assert change.shape.tolist() == [True, True, False, True] and change.distance[0] == 2.5
    assert np.isnan(change.distance[1])
    assert delivery_change(features(table.slice(0, 0), []), features(table.slice(0, 0), [])).differs is False
    assert delivery_change(features(table.slice(0, 0), []), b).counts[RowState.ADDED] == 4


# Whole datasets, the report and the patch


@pytest.fixture(scope="module")
def deliveries(data, tmp_path_factory):
    """The survey, and a later delivery of it: buildings edited, a field renamed, fissures gone, a layer more."""
    folder = tmp_path_factory.mktemp("deliveries")
    first, second = data / "tolvane_survey.gpkg", folder / "tolvane_survey_2.gpkg"
    for number, (name, kind) in enumerate(pyogrio.list_layers(first)):
        if name == "fissures":
            continue
        meta, table = pyogrio.read_arrow(first, layer=name)
        shapes = shapely.from_wkb(table.column(table.num_columns - 1).to_numpy())
        values = table.remove_column(table.num_columns - 1)
        if name == "buildings":
            columns = {each: values.column(each).to_pylist() for each in values.column_names}
            columns["people"][7], columns["use"][9] = None, "<b>barn</b>"
            for row in (3, 9):
                shapes[row] = shapely.transform(shapes[row], lambda xy: xy + [2.5, 0.0])
            stays = [row for row in range(len(shapes)) if row not in (20, 21)]
            values = pa.table(
                {n: pa.array([c[row] for row in stays], values.field(n).type) for n, c in columns.items()}
            )
            values = values.rename_columns(["storeys" if n == "floors" else n for n in values.column_names])
            shapes = shapes[stays]
        write_layer(second, "trails_2031" if name == "trails" else name, values, shapes, kind, meta["crs"], number > 0)
    write_layer(second, "stops", pa.table({"n": [1]}), [shapely.Point(508_000, 5_770_000)], "Point", UTM, True)
    return first, second


def write_layer(path, name, values, shapes, kind, crs, append):
    whole = values.append_column("geometry", pa.array(shapely.to_wkb(shapes, flavor="iso"), pa.binary()))
    pyogrio.write_arrow(whole, path, driver="GPKG", layer=name, geometry_name="geometry", geometry_type=kind, crs=crs,
                        append=append)  # fmt: skip


def test_datasets_are_compared_layer_by_layer_and_the_changes_written(deliveries, tmp_path):
    report, patch = tmp_path / "changes.html", tmp_path / "changes.gpkg"
    with Workspace() as workspace:
        refs = [DataRef.file(path) for path in deliveries]
        result = Compare(*refs, report=report, patch=patch).run(workspace)
        same = Compare(refs[0], refs[0]).run(workspace)
        alone = Compare(refs[0].with_part("trails"), refs[1].with_part("buildings")).run(workspace)
    states = {part.name: part.state for part in result.change.parts}
    assert result.differs and not same.differs and alone.change.parts[0].rows.match.by is MatchedBy.GEOMETRY
    assert {name for name, state in states.items() if state == "unchanged"} == {
        "coastline", "lava_flows", "ash_bands", "closed_zones", "trails, trails_2031"}  # fmt: skip
    assert (states["fissures"], states["stops"], states["buildings"]) == ("removed", "added", "changed")
    lines = result.lines()
    counts = lines[lines.index("buildings: changed") + 2]
    assert counts.startswith("  2 removed, 1 changed in shape, 1 changed in values, 1 changed in shape and values, 135")
    assert "  field renamed, as their values agree: floors -> storeys" in lines
    assert [name for name, _ in pyogrio.list_layers(patch)] == ["buildings", "buildings changes"]
    changed = pyogrio.read_arrow(patch, layer="buildings")[1]
    kinds = changed.column("change").to_pylist()
    assert sorted(kinds) == ["removed", "removed", "shape", "shape and values", "values"]
    both = changed.filter(pa.compute.equal(changed.column("change"), "shape and values")).to_pylist()[0]
    assert (both["changed_fields"], both["use"], both["distance_m"]) == ("use", "<b>barn</b>", pytest.approx(2.5))
    names = changed.column_names
    old = pyogrio.read_arrow(deliveries[0], layer="buildings")[1].to_pylist()
    used = next(row["use"] for row in old if row["building"] == both["building"])
    assert (
        names[names.index("use") - 1] == "use_before" and both["use_before"] == used and "building_before" not in names
    )
    gone = changed.filter(pa.compute.equal(changed.column("change"), "removed"))
    assert gone.column("storeys").null_count == 0  # by the new name of the field
    listed = pyogrio.read_arrow(patch, layer="buildings changes")[1].to_pylist()
    assert len(listed) == 6 and [r["new"] for r in listed if r["field"] == "people"] == [None]
    page = report.read_text()
    assert "&lt;b&gt;barn&lt;/b&gt;" in page and "<b>barn" not in page and "floors → storeys" in page
    assert page.count("<rect ") == 5 and "fissures: removed" in page


def test_layers_without_a_field_in_common_have_a_patch_with_the_rows_of_both():
    before = survey(12)
    shapes = shapely.from_wkb(before.wkb.to_numpy(zero_copy_only=False))[:5]
    after = features(pa.table({"depth": pa.array([1.5] * 5), "kind": ["a"] * 5}), shapely.centroid(shapes))
    found = changed_features(before, after, delivery_change(before, after))
    kinds = found.table.column("change").to_pylist()
    assert kinds.count("added") == 5 and kinds.count("removed") == 12 and len(found.wkb) == 17
    assert found.table.column("depth").to_pylist() == [1.5] * 5 + [None] * 12


def test_the_report_is_in_the_language_of_who_writes_it(deliveries, tmp_path):
    page = tmp_path / "changes.html"
    words = {**os.environ, "BRISK_ATLAS_LANGUAGE": "de"}
    compare = [sys.executable, "-m", "brisk_atlas", "compare", *map(str, deliveries), "--report", str(page)]
    done = subprocess.run(compare, env=words, capture_output=True, text=True)
    text = page.read_text()
    assert done.returncode == 1 and '<html lang="de">' in text and "Was sich von A" in text and "geändert" in text
    assert "What changed" not in text and ">removed<" not in text and "geändert" in done.stdout


def test_the_command_says_by_its_exit_whether_anything_differs(deliveries, capsys, tmp_path):
    first, second = map(str, deliveries)
    assert cli.main(["compare", first, first]) == 0
    assert "unchanged: coastline" in capsys.readouterr().out
    assert cli.main(["compare", first, second, "--json"]) == 1
    found = json.loads(capsys.readouterr().out)
    (buildings,) = (part for part in found["parts"] if part["name"] == "buildings")
    assert buildings["counts"]["shape_and_values"] == 1 and buildings["key"] == ["building"] and found["differs"]
    assert cli.main(["compare", f"{first}#buildings", f"{second}#buildings", "--key", "house"]) == 2
    assert "A has no field house" in capsys.readouterr().err
    assert cli.main(["compare", first, str(tmp_path / "nothing.gpkg")]) == 2


def test_grids_are_compared_cell_by_cell_where_their_cells_coincide(data, tmp_path):
    with rasterio.open(data / "elevation_2029.tif") as source:
        values, profile = source.read(1), source.profile
    values[10, 10] += 2.5
    values[11, 11] = profile["nodata"]
    known = values[500, 500] != profile["nodata"]
    values[500, 500] = profile["nodata"]
    with rasterio.open(tmp_path / "next.tif", "w", **profile) as out:
        out.write(values, 1)
    with rasterio.open(data / "elevation_2029.tif") as source:
        before = source.read(1, masked=True)
    lost = int(known) + int(not before.mask[11, 11])
    changed = int(not before.mask[10, 10])
    with Workspace() as workspace:
        first, second = DataRef.file(data / "elevation_2029.tif"), DataRef.file(tmp_path / "next.tif")
        (part,) = Compare(first, second).run(workspace).change.parts
        (cells,) = part.cells
        assert (cells.changed, cells.lost) == (changed, lost) and lost
        (other,) = Compare(first, DataRef.file(data / "seafloor.nc")).run(workspace).change.parts
        assert other.remark.startswith("Their cells do not coincide") and not other.cells and other.facts


def test_what_is_compared_by_its_facts_alone_is_not_called_unchanged(data, capsys):
    cloud = str(data / "harrow_bay_2031.laz")
    assert cli.main(["compare", cloud, cloud]) == 2
    assert "not compared in full" in capsys.readouterr().out
