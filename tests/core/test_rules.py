"""Looks by rules, clusters, arrows, own ramps and shared scales: what they draw, checked against the data itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from rasterio.transform import Affine
from scipy import ndimage
from scipy.spatial import cKDTree

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View, ramps
from brisk_atlas.core.draw.class_edit import with_entry_colour, with_entry_name
from brisk_atlas.core.draw.clusters import clusters_of
from brisk_atlas.core.draw.flow import draw_flow
from brisk_atlas.core.draw.labels import Room, anchors_of, place_labels
from brisk_atlas.core.draw.ramps import OwnRamp
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import kind_of, painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import DataKind, GridStyle, Label, Layer, Stretch, StyleRule, VectorStyle
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import shapes_of
from brisk_atlas.core.workspace import Work
from brisk_atlas.core.workspace.project_file import project_bytes, read
from made_files import CRS as UTM
from made_files import at, write_grid_file

RED, BLUE = "#ff0000", "#0000ff"
VIEW = View(500_500, 5_770_500, 10.0, 100, 100, UTM)


def measure(text, size):
    lines = text.split("\n")
    return 0.5 * size * max(map(len, lines)), size * len(lines)


def squares_with(tmp_path, values):
    """Return a layer of squares side by side, each with its value; 100 m wide, from the left of the view."""
    boxes = [shapely.box(500_000 + 100 * i, 5_770_400, 500_080 + 100 * i, 5_770_600) for i in range(len(values))]
    table = pa.table({"v": pa.array(values), "geometry": shapely.to_wkb(boxes)})
    path = tmp_path / "squares.gpkg"
    pyogrio.write_arrow(table, path, layer="squares", geometry_name="geometry", geometry_type="Polygon", crs=UTM)
    return at(path, "squares")


def drawn_colours(cache, ref, style, view=VIEW):
    """Return the colour in the middle of each square, "" where nothing is drawn."""
    image = painter_for(cache).frame([Layer("a", "a", ref, DataKind.VECTOR, style)], view).image
    count = len(cache.features(ref))
    spots = [view.to_pixel(500_040 + 100 * i, 5_770_500) for i in range(count)]
    pixels = [image[round(y), round(x)] for x, y in spots]
    return [ramps.hex_of(p[:3]) if p[3] == 255 else "" for p in pixels]


def look(colour, **values):
    return VectorStyle(fill=colour, line=colour, width=0.0, **values)


# Rules


def test_each_feature_is_drawn_by_the_rules_that_it_meets_and_the_rest_by_the_other_one(tmp_path):
    ref, cache = squares_with(tmp_path, [1, 5, None, 7]), DataCache()
    style = VectorStyle(rules=(StyleRule("rest", style=look("#00ff00"), otherwise=True), StyleRule("high", "v > 4", look(RED)),
                               StyleRule("highest", "v = 7", look(BLUE))))  # fmt: skip
    assert drawn_colours(cache, ref, style) == ["#00ff00", RED, "#00ff00", BLUE]
    assert drawn_colours(cache, ref, replace(style, hidden=("highest",))) == ["#00ff00", RED, "#00ff00", RED]
    assert drawn_colours(cache, ref, replace(style, hidden=("rest", "high"))) == ["", "", "", BLUE]
    no_rest = replace(style, rules=style.rules[1:])
    assert drawn_colours(cache, ref, no_rest) == ["", RED, "", BLUE]


def test_a_rule_draws_between_its_scales(tmp_path):
    ref, cache = squares_with(tmp_path, [1]), DataCache()
    style = VectorStyle(rules=(StyleRule("near", "", look(RED), scales=(0.0, VIEW.scale * 0.9)),
                               StyleRule("far", "", look(BLUE), scales=(VIEW.scale, np.inf))))  # fmt: skip
    assert drawn_colours(cache, ref, style) == [BLUE]
    assert drawn_colours(cache, ref, style, replace(VIEW, resolution=5.0, x=500_200)) == [RED]


def test_what_no_rule_draws_is_not_probed_and_has_no_label(tmp_path):
    ref, cache = squares_with(tmp_path, [1, 5]), DataCache()
    style = VectorStyle(rules=(StyleRule("high", "v > 4", look(RED, label=Label("v"))),))
    layer = Layer("a", "a", ref, DataKind.VECTOR, style)
    found = [probe(cache, layer, Where.at(500_040 + 100 * i, 5_770_500, UTM, 1.0)) for i in (0, 1)]
    assert [bool(each) for each in found] == [False, True]
    frame = painter_for(cache).frame([layer], replace(VIEW, resolution=2.0, x=500_100), measure=measure)
    assert [label.text for label in frame.labels] == ["5"]


def test_a_rule_with_a_wrong_condition_is_reported_by_name(tmp_path):
    ref, cache = squares_with(tmp_path, [1]), DataCache()
    layer = Layer("a", "a", ref, DataKind.VECTOR, VectorStyle(rules=(StyleRule("bad", "no_field > 1"),)))
    assert "no_field" in painter_for(cache).frame([layer], VIEW).faults["a"]


def test_the_legend_lists_rules_as_they_lie_with_a_piece_of_what_each_draws(tmp_path):
    ref, cache = squares_with(tmp_path, [1, 5]), DataCache()
    style = VectorStyle(
        rules=(StyleRule("rest", style=look(BLUE), otherwise=True), StyleRule("high", "v > 4", look(RED)))
    )
    legend = kind_of(DataKind.VECTOR).legend(cache, Layer("a", "a", ref, DataKind.VECTOR, style))
    assert legend.entries == ((RED, "high"), (BLUE, "rest")) and legend.hidden == ()
    assert [ramps.hex_of(piece.beside_entry[14, 22][:3]) for piece in legend.swatches] == [RED, BLUE]


def test_rules_classes_and_scales_are_saved_with_the_project(tmp_path):
    style = VectorStyle(rules=(StyleRule("rest", style=look(BLUE, label=Label("v", wrap=9, callout=12, priority=8)),
                                    otherwise=True), StyleRule("high", "v > 4", look(RED), scales=(0.0, 5000.0))),
                        cluster=40.0, ramp="tide in 5 classes")  # fmt: skip
    work = Work()
    ref = squares_with(tmp_path, [1, 5])
    work.add(ref.whole, DataCache().part(ref).facts, style)
    work.change("shared", work.layers[0].id, scale_group="scale-1")
    file = tmp_path / "p.brisk.json"
    file.write_bytes(project_bytes(work.state, None, {}, tmp_path))
    assert read(file)[0].layers == work.layers


# Classes edited in the legend


def test_classes_have_colours_and_names_of_their_own(tmp_path):
    ref, cache = squares_with(tmp_path, [1, 5]), DataCache()
    style = look(RED, colour_by="v", method="unique")
    style = with_entry_name(with_entry_colour(style, "5", BLUE, of_line=False), "5", "five")
    assert drawn_colours(cache, ref, style)[1] == BLUE
    legend = kind_of(DataKind.VECTOR).legend(cache, Layer("a", "a", ref, DataKind.VECTOR, style))
    assert legend.entries[1] == (BLUE, "5") and legend.name_of("5") == "five" and legend.name_of("1") == "1"
    assert drawn_colours(cache, ref, replace(style, hidden=("5",)))[1] == ""
    assert with_entry_name(style, "5", "").class_looks[0].name is None


def test_a_rule_renamed_in_the_legend_stays_off_and_takes_no_name_twice():
    style = VectorStyle(rules=(StyleRule("a"), StyleRule("b")), hidden=("b",))
    assert with_entry_name(style, "b", "c").hidden == ("c",)
    assert with_entry_name(style, "b", "a") == style


# Labels


def two_labels(style_of, tmp_path):
    """Return two layers with a label at the same place."""
    ref = squares_with(tmp_path, [1])
    return [Layer(name, name, ref, DataKind.VECTOR, look(RED, label=style_of(name))) for name in ("low", "top")]


def test_a_label_of_higher_priority_is_placed_before_that_of_an_upper_layer(tmp_path):
    view = replace(VIEW, resolution=2.0, x=500_040)
    for priority, first in ((5, "top"), (6, "low")):
        layers = two_labels(lambda name: Label(f"'{name}'", priority=priority if name == "low" else 5), tmp_path)  # noqa: B023
        assert [x.text for x in painter_for(DataCache()).frame(layers, view, measure=measure).labels] == [first]


def point_labels(texts, label, view):
    """Return the labels of points ten pixels apart."""
    wkb = pa.array(shapely.to_wkb([shapely.Point(10 * i, 0) for i in range(len(texts))]), pa.binary())
    features = Features(pa.table({"t": texts}), wkb, shapes_of(wkb)[0], None)
    index = index_of(features.shapes)
    anchors = anchors_of(features, features.table, index, label, view)
    return place_labels(index, anchors, label, 8.0, view, measure, Room(), {})


def test_text_is_broken_into_lines_at_spaces_and_where_it_says_so():
    view = View(0, 0, 1.0, 300, 200)
    assert (
        point_labels(["harrow bay landing\nnorth"], Label("t", wrap=10), view)[0].text == "harrow bay\nlanding\nnorth"
    )


def test_callouts_stand_apart_from_each_other_with_a_line_to_their_feature():
    view = View(25, 0, 1.0, 400, 300)
    placed = point_labels(["first", "second", "third", "fourth"], Label("t", callout=20), view)
    assert len(placed) == 4
    for number, label in enumerate(placed):
        assert label.anchor == pytest.approx((10 * label.feature, 0))
        assert abs(label.y) >= 6 and np.hypot(label.x - label.anchor[0], label.y) > 18
        for other in placed[:number]:
            assert abs(label.x - other.x) > 20 or abs(label.y - other.y) > 10


# Clusters


@given(st.integers(0, 10_000), st.floats(0.0, 359.0))
def test_clusters_hold_every_point_once_near_their_middle(seed, turn):
    rng = np.random.default_rng(seed)
    xy = rng.normal(0, 150, (200, 2))
    wkb = pa.array(shapely.to_wkb(shapely.points(xy)), pa.binary())
    view = View(0, 0, 4.0, 400, 400, turn=turn)
    index = index_of(shapes_of(wkb)[0].turned(turn))
    found = clusters_of(index, None, 30.0, view)
    assert found.counts.sum() == 200
    distances, _ = cKDTree(found.xy).query(np.column_stack(view.on_plane(*xy.T)))
    assert distances.max() <= 30.0 * 4.0 * 2  # a point lies within two squares of a middle
    alone = found.counts == 1
    assert np.allclose(found.xy[alone], index.shapes.xy[found.first[alone]])


def test_a_cluster_says_its_number_and_is_picked_as_a_whole(tmp_path):
    wkb = shapely.to_wkb([shapely.Point(500_500 + 10 * i, 5_770_500) for i in range(5)])
    path = tmp_path / "points.gpkg"
    pyogrio.write_arrow(pa.table({"n": list(range(5)), "geometry": wkb}), path, layer="points",
                        geometry_name="geometry", geometry_type="Point", crs=UTM)  # fmt: skip
    cache, layer = DataCache(), Layer("p", "p", at(path, "points"), DataKind.VECTOR, VectorStyle(cluster=60.0))
    frame = painter_for(cache).frame([layer], VIEW, measure=measure)
    assert [label.text for label in frame.labels] == ["5"]
    x, y = frame.view.to_pixel(frame.labels[0].x, frame.labels[0].y)
    assert frame.image[round(y), round(x) + 8, 3] == 255
    found = probe(cache, layer, Where.at(frame.labels[0].x, frame.labels[0].y + 120, UTM, 6 * VIEW.resolution))
    assert len(found.rows) == 5


# Arrows


@pytest.mark.parametrize("turn", [0.0, 70.0])
@pytest.mark.parametrize("crs", [UTM, "EPSG:4326", "EPSG:3031"])
def test_arrows_point_where_the_motion_goes(crs, turn):
    """The head of an arrow is broader than its tail, and lies where a step east and north on the Earth leads."""
    spot = np.array([[-20.9, -38.2]]) if crs != "EPSG:3031" else np.array([[60.0, -75.0]])
    x, y = transform(spot, "EPSG:4326", crs)[0]
    view = View(x, y, 1e-4 if crs == "EPSG:4326" else 10.0, 240, 240, crs, turn=turn)
    u, v = 3.0, 1.0
    step = 1e-3 * np.array([[u / np.cos(np.radians(spot[0, 1])), v]])
    ahead = np.array(view.to_pixel(*transform(spot + step, "EPSG:4326", crs)[0])) - view.to_pixel(x, y)
    image, motion = np.zeros((240, 240, 4), np.uint8), np.ones((240, 240), np.float32)
    assert draw_flow(image, motion * u, motion * v, view, 60, "#000000") == pytest.approx(np.hypot(u, v))
    arrows, count = ndimage.label(image[..., 3] > 128)
    whole = [n for n in range(1, count + 1) if not {0, 239} & {*np.argwhere(arrows == n).ravel().tolist()}]
    at_arrow = np.argwhere(arrows == whole[0])[:, ::-1]
    head = ahead / np.hypot(*ahead)
    off = at_arrow - at_arrow.mean(axis=0)
    along, aside = off @ head, off @ np.array([-head[1], head[0]])
    assert np.ptp(along) > 1.5 * np.ptp(aside)
    middle = (along.max() + along.min()) / 2
    assert np.ptp(aside[along > middle]) > 1.5 * np.ptp(aside[along < middle])


def test_arrows_take_the_northward_band_of_another_part(tmp_path):
    still = np.zeros((40, 40), np.float32)
    place = Affine(25.0, 0, 500_000, 0, -25.0, 5_771_000)
    east = write_grid_file(tmp_path / "east.tif", still + 2.0, place)
    north = write_grid_file(tmp_path / "north.tif", still + 1.5, place)
    cache = DataCache()
    style = GridStyle(flow=at(north, "north"), stretch=Stretch("hand", 0, 5))
    frame = painter_for(cache).frame([Layer("g", "g", at(east, "east"), DataKind.RASTER, style)], VIEW)
    assert frame.notes["g"] == "longest arrow 2.5"
    found = probe(
        cache, Layer("g", "g", at(east, "east"), DataKind.RASTER, style), Where.at(500_200, 5_770_800, UTM, 0)
    )
    assert (found.reading("speed").value, found.reading("towards").text) == (2.5, "53.1")
    plain = painter_for(cache).frame(
        [Layer("g", "g", at(east, "east"), DataKind.RASTER, replace(style, flow=None))], VIEW
    )
    assert (frame.image != plain.image).any() and not plain.notes


# Ramps and scales


@given(
    st.lists(st.tuples(st.integers(0, 0xFFFFFF), st.integers(0, 100)), min_size=2, max_size=9),
    st.sampled_from([0, 2, 5, 32]),
)
def test_a_ramp_of_ones_own_is_read_as_it_was_written(stops, classes):
    stops = sorted(stops, key=lambda stop: stop[1])
    own = OwnRamp(tuple(f"#{c:06x}" for c, _ in stops), tuple(at / 100 for _, at in stops), classes)
    assert OwnRamp.parse(str(own)) == own
    colours = ramps.ramp(str(own))
    assert colours.shape == (256, 3) and (not classes or len(np.unique(colours, axis=0)) <= classes)


def test_a_ramp_of_ones_own_has_its_colours_where_they_stand():
    colours = ramps.ramp("#102030 0%, #ffffff 25%, #203040 100%")
    assert [ramps.hex_of(colours[i]) for i in (0, 255)] == ["#102030", "#203040"]
    assert abs(int(colours[64, 0]) - 255) < 6
    assert len(np.unique(ramps.ramp("ember in 6 classes"), axis=0)) == 6


@pytest.mark.parametrize("text", ["", "rainbow", "#102030 0%", "#102030 50%, #ffffff 20%", "ember in 1 classes",
                                  "ember in 9999 classes", "#12 0%, #ffffff 100%", "#102030 0%, #ffffff 200%"])  # fmt: skip
def test_what_is_no_ramp_is_refused(text):
    with pytest.raises(KeyError):
        ramps.ramp(text)


def test_layers_that_share_a_scale_change_together_and_undo_together(tmp_path):
    place = Affine(25.0, 0, 500_000, 0, -25.0, 5_771_000)
    work, cache = Work(), DataCache()
    for name in ("one", "two"):
        ref = at(write_grid_file(tmp_path / f"{name}.tif", np.ones((4, 4), np.float32), place), name)
        work.add(ref.whole, cache.part(ref).facts, GridStyle())
    work.share_scale([layer.id for layer in work.layers], "tide", -1.0, 9.0)
    assert {(la.style.ramp, la.style.stretch) for la in work.layers} == {("tide", Stretch("hand", -1.0, 9.0))}
    first = work.layers[0]
    work.change("stretch", first.id, style=replace(first.style, stretch=Stretch("hand", 0.0, 5.0), shade=0.5))
    assert [la.style.stretch.high for la in work.layers] == [5.0, 5.0]
    assert [la.style.shade for la in work.layers] == [0.5, 0.0]
    work.undo()
    assert [la.style.stretch.high for la in work.layers] == [9.0, 9.0]
    work.change("own colour scale", first.id, scale_group=None)
    work.change("ramp", first.id, style=replace(work.layers[0].style, ramp="moss"))
    assert [la.style.ramp for la in work.layers] == ["moss", "tide"]


def test_the_legend_draws_the_ends_between_which_symbols_grow(tmp_path):
    wkb = shapely.to_wkb([shapely.Point(500_500 + 10 * i, 5_770_500) for i in range(3)])
    path = tmp_path / "points.gpkg"
    pyogrio.write_arrow(pa.table({"depth": [3.0, 12.5, 1200.0], "geometry": wkb}), path, layer="points",
                        geometry_name="geometry", geometry_type="Point", crs=UTM)  # fmt: skip
    style = look(RED, size_by="depth", sizes=(3.0, 11.0))
    layer = Layer("p", "p", at(path, "points"), DataKind.VECTOR, style)
    (low, small), (high, large) = kind_of(DataKind.VECTOR).legend(DataCache(), layer).sizes
    assert (low, high) == ("depth 3", "depth 1,200")
    assert 0 < (small.beside_entry[..., 3] > 128).sum() < (large.beside_entry[..., 3] > 128).sum()
    assert kind_of(DataKind.VECTOR).legend(DataCache(), replace(layer, style=look(RED))).sizes == ()
