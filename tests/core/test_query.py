"""Queries of features and rows: who does what, and that the answer is the same whoever does it."""

from __future__ import annotations

import json
from types import SimpleNamespace

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.find import Catalogue, ScanPool
from brisk_atlas.core.find.scan_worker import summary_of
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.model import Capability, Columns, Extent, FeatureQuery, Layer, OpenOptions, Ordering, RowsPart
from brisk_atlas.core.read import table
from brisk_atlas.core.table.query import ask, ask_rows
from brisk_atlas.core.workspace import Answers
from brisk_atlas.core.workspace.preflight import OpenPreflight
from made_files import CRS, at

COUNT = 200
FORMATS = ("gpkg", "parquet", "csv")
X, Y = 500_000, 5_770_000


@pytest.fixture(scope="module")
def wells(tmp_path_factory):
    """The same points in a file with an index, in one whose columns lie apart, in one that is parsed as a whole; and
    what they are."""
    folder, random = tmp_path_factory.mktemp("wells"), np.random.default_rng(3)
    xy = random.uniform(0, 1000, (COUNT, 2)).round(2) + (X, Y)
    depth = pa.array([None if i % 9 == 0 else float(v) for i, v in enumerate(random.integers(0, 40, COUNT))])
    fields = {"name": pa.array([f"well {n:03d}" for n in range(COUNT)]), "depth": depth}
    fields |= {"x": pa.array(xy[:, 0]), "y": pa.array(xy[:, 1])}
    rows = pa.table(fields)
    placed = rows.append_column("geometry", pa.array(shapely.to_wkb(shapely.points(xy), flavor="iso")))
    pyogrio.write_arrow(placed, folder / "wells.gpkg", geometry_name="geometry", geometry_type="Point", crs=CRS)
    column = {"encoding": "WKB", "geometry_types": ["Point"], "crs": None, "bbox": [X, Y, X + 1000, Y + 1000]}
    geo = {"version": "1.1.0", "primary_column": "geometry", "columns": {"geometry": column}}
    pq.write_table(placed.replace_schema_metadata({"geo": json.dumps(geo)}), folder / "wells.parquet")
    pa.csv.write_csv(rows, folder / "wells.csv")
    options = OpenOptions(CRS, columns=Columns("x", "y"))
    parts = {name: read.open(folder / f"wells.{name}", options).parts[0] for name in FORMATS}
    return SimpleNamespace(parts=parts, truth=rows.to_pandas())


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_whoever_does_it_the_answer_is_the_same(wells, data):
    parts, truth = wells.parts, wells.truth
    west, south = data.draw(st.floats(0, 900)), data.draw(st.floats(0, 900))
    box = Extent(X + west, Y + south, X + west + 400, Y + south + 300, CRS)
    query = FeatureQuery(
        data.draw(st.sampled_from([None, box])),
        data.draw(st.sampled_from([None, ("name",), ("depth", "name")])),
        data.draw(st.sampled_from(["", "depth > 20", "depth IS NULL OR name < 'well 1'"])),
        data.draw(st.sampled_from([(), (Ordering("name", True),), (Ordering("depth", True), Ordering("name"))])),
        data.draw(st.sampled_from([None, 0, 7, 1000])),
        data.draw(st.sampled_from([1, 3])),
    )
    wanted = truth
    if query.extent:
        inside = wanted.x.between(box.xmin, box.xmax) & wanted.y.between(box.ymin, box.ymax)
        wanted = wanted[inside]
    if query.where:
        wanted = (
            wanted[wanted.depth > 20] if ">" in query.where else wanted[wanted.depth.isna() | (wanted.name < "well 1")]
        )
    if query.order:
        names, down = [o.field for o in query.order], [not o.descending for o in query.order]
        wanted = wanted.sort_values(names, ascending=down, kind="stable", na_position="last")
    whole = query.step > 1 and not (query.extent or query.where or query.order)
    for name, part in parts.items():
        expected = (
            wanted[wanted.index % 3 == 2] if whole and name == "gpkg" else wanted[:: query.step]
        )  # it counts from 1
        expected = expected[: query.limit]
        found, rows = ask(part, query), ask_rows(part, query)
        names, xs = rows.column("name").to_pylist(), found.shapes.xy[:, 0]
        assert names == found.table.column("name").to_pylist() and len(found) == len(found.wkb) == len(names), (
            name,
            query,
        )
        assert set(rows.column_names) == set(query.columns or ("name", "depth", "x", "y")), (name, query)
        if query.extent and not query.order:  # in the order of the index
            assert len(names) == len(expected) and set(names) <= set(wanted.name), (name, query)
        else:
            assert names == expected.name.tolist(), (name, query)
        assert np.allclose(xs, truth.set_index("name").x[names]) and np.allclose(found.shapes.bounds[:, 0], xs)


def test_a_query_is_divided_so_that_nothing_is_cut_off_too_early():
    query = FeatureQuery(Extent(0, 0, 1, 1), ("a",), "b > 1", (Ordering("c"),), 5, 2)
    asked, left = query.divided(Capability.LIMIT | Capability.COLUMNS | Capability.EXTENT)
    assert asked == FeatureQuery(Extent(0, 0, 1, 1)) and left == query.without(Capability.EXTENT)
    assert asked == FeatureQuery(Extent(0, 0, 1, 1)) and left == query.without(Capability.EXTENT)
    asked, left = query.divided(~Capability.NONE)
    assert asked == query.without(Capability.STEP | Capability.LIMIT) and left == FeatureQuery(step=2, limit=5)


def test_what_is_asked_of_a_file_with_columns_apart_reads_those_alone(wells, monkeypatch):
    part: RowsPart = wells.parts["parquet"]
    asked = []
    whole = pq.read_table
    monkeypatch.setattr(
        pq,
        "read_table",
        lambda path, columns=None, **more: asked.append(columns) or whole(path, columns=columns, **more),
    )
    lazy = DataCache().attributes(part.ref.with_part("wells"))
    assert asked == [] and lazy.column_names == ["name", "depth", "x", "y"] and len(lazy) == COUNT
    assert lazy.column("depth").null_count == 23 and asked == [["depth"]]


def test_from_a_path_to_the_first_picture_a_table_with_coordinates_is_parsed_once(tmp_path, monkeypatch):
    path = tmp_path / "vents.csv"
    path.write_text("name,lon,lat\n" + "".join(f"v{n},{-20.9 + n / 1000},{-38.2 + n / 900}\n" for n in range(50)))
    parsed = []
    whole = table.read_text
    monkeypatch.setattr(table, "read_text", lambda *a: parsed.append(a) or whole(*a))

    class LookedAt(ScanPool):
        """What another process found: its trial is not part of the way from the path to the picture."""

        def scan(self, ref, check=None):
            found = summary_of(ref)
            parsed.clear()
            return found

    cache = DataCache()
    catalogue, answers = Catalogue(tmp_path / "catalogue.sqlite"), Answers(tmp_path / "answers.json")
    preflight = OpenPreflight(cache, answers, catalogue, LookedAt(None))
    result = preflight.look(at(path))
    assert result.question is not None and result.question.guess.columns == Columns("lon", "lat")
    cache.set_options(at(path), result.question.guess)  # "Open" is pressed
    facts = cache.dataset(at(path)).parts[0].facts
    layer = Layer("v", "v", at(path, facts.name), facts.kind, first_style(facts, 0))
    frame = painter_for(cache).frame([layer], View.fitting(facts.extent, 160, 120))
    assert frame.image.any() and not frame.faults
    assert cache.table(layer.ref).num_rows == 50
    assert len(parsed) == 1
