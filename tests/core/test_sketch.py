"""Sketches: what is drawn is stored in the reference of its layer, and handed over like any other data."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pyogrio
import pyproj
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.connect import localise
from brisk_atlas.core.draw import View
from brisk_atlas.core.kinds import painter_for
from brisk_atlas.core.model import AtlasError, CannotRead, DataRef, Edit, Layer
from brisk_atlas.core.operations import Export
from brisk_atlas.core.place import transform
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.sketch import Mark, MarkKind, Sketch, first_look
from brisk_atlas.core.workspace import Workspace
from brisk_atlas.core.workspace.sketching import change_mark, draw_mark, move_mark, remove_mark, sketch_layer, sketch_of
from made_files import CRS as UTM

LINE = np.array([[505_000.0, 5_770_000.0], [508_000.0, 5_774_000.0]])
RING = np.array([[505_000.0, 5_770_000.0], [506_000.0, 5_770_000.0], [506_000.0, 5_772_000.0]])


@pytest.fixture
def workspace():
    made = Workspace()
    made.work.use_crs(UTM)
    yield made
    made.close()


coordinates = st.floats(-2e7, 2e7).map(lambda v: round(v, 4))
corners = st.lists(st.tuples(coordinates, coordinates), min_size=3, max_size=8).map(tuple)
marks = st.builds(
    lambda kind, xy, text, note: Mark(kind, xy[:1] if kind in ("point", "text") else xy, text, note),
    st.sampled_from(list(MarkKind)), corners, st.text(max_size=30), st.text(max_size=30),
)  # fmt: skip


@given(st.lists(marks, max_size=6).map(tuple))
def test_a_sketch_is_what_its_reference_carries_however_it_is_written(drawn):
    sketch = Sketch("sketch", UTM, drawn)
    ref = sketch.ref()
    assert Sketch.of(ref) == sketch
    assert DataRef.parse(str(ref)) == ref and DataRef.from_json(json.loads(json.dumps(ref.as_json()))) == ref


@pytest.mark.parametrize("crs", [UTM, "EPSG:4326", "EPSG:3031"])
def test_measures_are_those_on_the_ellipsoid(crs):
    xy = transform(RING, UTM, crs)
    length, area = Mark(MarkKind.AREA, tuple(map(tuple, xy.tolist()))).measures(crs)
    lon, lat = transform(RING, UTM, "EPSG:4326").T
    true_area, true_length = pyproj.Geod(ellps="WGS84").polygon_area_perimeter(lon, lat)
    assert (length, area) == (pytest.approx(true_length, rel=1e-6), pytest.approx(abs(true_area), rel=1e-6))


def test_a_sketch_is_in_the_maps_crs_or_in_degrees_where_that_has_no_code():
    own = pyproj.CRS.from_proj4("+proj=laea +lat_0=-38 +lon_0=-21").to_wkt()
    assert Sketch.begun_in("a", UTM).crs == UTM and Sketch.begun_in("a", own).crs == "EPSG:4326"


def test_marks_are_drawn_moved_written_and_removed_each_a_step_of_undo(workspace):
    work = workspace.work
    layer_id, number = draw_mark(work, MarkKind.LINE, LINE)
    assert (layer_id, number) == (work.layers[0].id, 0) and work.undo_text == "draw a line"
    assert draw_mark(work, MarkKind.TEXT, LINE[:1], "here") == (layer_id, 1)
    move_mark(work, layer_id, 1, LINE[1:])
    mark = sketch_of(work.layers[0]).marks[1]
    assert mark.text == "here" and mark.xy == ((508_000.0, 5_774_000.0),)
    change_mark(work, layer_id, 1, "note of a mark", replace(mark, note="seen twice"))
    remove_mark(work, layer_id, 0)
    assert [m.kind for m in sketch_of(work.layers[0]).marks] == [MarkKind.TEXT]
    remove_mark(work, layer_id, 0)
    assert not work.layers
    for count in (1, 2, 2, 2):
        work.undo()
        assert len(sketch_of(work.layers[0]).marks) == count
    assert sketch_of(work.layers[0]).marks[1].xy == ((505_000.0, 5_770_000.0),)
    work.undo()
    work.undo()
    assert not work.layers
    work.redo()
    assert len(sketch_of(work.layers[0]).marks) == 1


def test_marks_go_into_the_subject_else_into_the_topmost_sketch_that_is_free(workspace):
    work = workspace.work
    first, _ = draw_mark(work, MarkKind.POINT, LINE[:1])
    second, _ = draw_mark(work, MarkKind.POINT, LINE[:1], anew=True)
    assert first != second and [layer.name for layer in work.layers] == ["sketch 2", "sketch"]
    work.choose(first)
    assert draw_mark(work, MarkKind.POINT, LINE[1:]) == (first, 1)
    work.change("lock", first, locked=True)
    with pytest.raises(AtlasError, match="locked"):
        draw_mark(work, MarkKind.POINT, LINE[1:])
    work.choose(None)
    assert sketch_layer(work).id == second


def test_a_mark_drawn_on_a_map_in_another_crs_stands_at_the_same_place(workspace):
    work = workspace.work
    layer_id, _ = draw_mark(work, MarkKind.LINE, LINE)
    work.use_crs("EPSG:4326")
    draw_mark(work, MarkKind.LINE, transform(LINE, UTM, "EPSG:4326"))
    one, two = sketch_of(work.layer(layer_id)).marks
    assert np.allclose(one.xy, two.xy, atol=1e-3)


def test_what_has_no_place_or_no_crs_is_refused(workspace):
    work = workspace.work
    work.use_crs("EPSG:3857")
    draw_mark(work, MarkKind.LINE, np.zeros((2, 2)))
    work.use_crs("EPSG:4326")
    with pytest.raises(AtlasError, match="no place on the Earth"):
        draw_mark(work, MarkKind.LINE, np.array([[0.0, 0.0], [0.0, 95.0]]))
    bare = Workspace()
    with pytest.raises(AtlasError, match="no CRS"):
        draw_mark(bare.work, MarkKind.LINE, LINE)
    bare.close()


def test_a_mark_is_not_removed_below_values_edited_by_its_number(workspace):
    work = workspace.work
    layer_id, _ = draw_mark(work, MarkKind.LINE, LINE)
    draw_mark(work, MarkKind.LINE, LINE)
    rows = replace(work.layers[0].rows, edits=(Edit("text", (1,), ("new",)),))
    work.change("edit", layer_id, rows=rows)
    with pytest.raises(AtlasError, match="edited values"):
        remove_mark(work, layer_id, 0)


def test_a_sketch_is_saved_in_the_project_and_comes_back_whole(workspace, tmp_path):
    work = workspace.work
    draw_mark(work, MarkKind.AREA, RING, "Ångström\n<b>ash</b>")
    workspace.save_project(tmp_path / "p.brisk.json")
    other = Workspace()
    assert other.open_project(tmp_path / "p.brisk.json") == []
    assert other.work.layers == work.layers
    assert other.cache.features(other.work.layers[0].ref).table.column("text").to_pylist() == ["Ångström\n<b>ash</b>"]
    other.close()


def test_a_sketch_is_handed_over_like_any_layer(workspace, tmp_path):
    draw_mark(workspace.work, MarkKind.LINE, LINE, "path")
    draw_mark(workspace.work, MarkKind.AREA, RING, "ash")
    Export("sketch", tmp_path / "out.gpkg").run(workspace)
    about, _, wkb, fields = pyogrio.raw.read(tmp_path / "out.gpkg")
    values = dict(zip(about["fields"], fields))
    assert about["crs"] == UTM and len(wkb) == 2 and values["text"].tolist() == ["path", "ash"]
    assert values["area_m2"].astype(float)[1] == pytest.approx(1e6, rel=2e-3)


def test_each_kind_of_mark_is_drawn_and_texts_stand_where_they_were_written(tmp_path):
    marks = (Mark(MarkKind.AREA, ((0.0, 0.0), (40.0, 0.0), (40.0, 40.0))), Mark(MarkKind.LINE, ((0.0, 60.0), (80.0, 60.0))),
             Mark(MarkKind.POINT, ((70.0, 20.0),)), Mark(MarkKind.TEXT, ((20.0, 80.0),), "here"))  # fmt: skip
    ref, cache = Sketch("s", "EPSG:3857", marks).ref(), DataCache()
    layer = Layer("s", "s", ref, open_dataset(ref).parts[0].facts.kind, first_look())
    view = View(50, 50, 1.0, 100, 100, "EPSG:3857")
    frame = painter_for(cache).frame([layer], view, measure=lambda text, size: (len(text) * size, size))
    for x, y in ((40, 20), (40, 60), (70, 20)):
        px, py = view.to_pixel(x, y)
        assert frame.image[round(py), round(px), 3] > 200
    px, py = view.to_pixel(20, 80)
    assert not frame.image[round(py) - 5 : round(py) + 5, round(px) - 5 : round(px) + 5].any()
    assert [(t.text, t.x, t.y) for t in frame.labels] == [("here", pytest.approx(20, abs=1), pytest.approx(80, abs=1))]


# What is no sketch


@pytest.mark.parametrize(
    "text",
    ["", "{", "[]", '{"type":"FeatureCollection"}', '{"type":"FeatureCollection","features":[{"type":"Feature"}]}',
     '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"kind":"star"},"geometry":null}]}',
     '{"type":"FeatureCollection","crs":{"properties":{"name":"file:///etc/passwd"}},"features":[]}'],
)  # fmt: skip
def test_text_that_is_no_sketch_is_refused_by_name(text):
    with pytest.raises(CannotRead, match=r"^s\.geojson: it is no sketch"):
        Sketch.of(DataRef.inline("s.geojson", text))


def test_any_geojson_can_be_carried_but_names_no_other_place(tmp_path):
    text = '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"n":1},"geometry":null}]}'
    assert open_dataset(f"data:application/geo+json,{text}").parts[0].facts.count == 1
    ref = DataRef.inline("../../etc/passwd", text)
    assert "etc" not in localise(ref).path.parent.parts and localise(ref).path.read_text() == text
    with pytest.raises(CannotRead, match=r"^bad\.geojson: ") as error:
        open_dataset(DataRef.inline("bad.geojson", "no json"))
    assert "no json" not in str(error.value)
    with pytest.raises(CannotRead, match="characters"):
        open_dataset(DataRef.inline("big.geojson", " " * 9_000_000))
