"""Views, ramps, limits, legends and whole frames."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates

from brisk_atlas.core.draw import View, ramps, vector_painter
from brisk_atlas.core.draw import frame as frame_module
from brisk_atlas.core.draw.classes import colouring_of
from brisk_atlas.core.draw.cloud import CLASS_COLOURS
from brisk_atlas.core.draw.frame import Painter, Picked, extent_of
from brisk_atlas.core.draw.limits import grid_limits, limits_of
from brisk_atlas.core.draw.vector import draw_shapes, draw_symbols
from brisk_atlas.core.kinds import KINDS, first_style, grid, kind_of, painter_for
from brisk_atlas.core.model import (
    BadExpression,
    Blend,
    CloudStyle,
    DataKind,
    Extent,
    GridStyle,
    Layer,
    Stretch,
    VectorStyle,
)
from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON, Shapes, bounds_of
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.system.jobs import Cancelled
from made_files import at

UTM = "EPSG:32727"
views = st.builds(View, st.floats(-1e6, 1e6), st.floats(-1e6, 1e6), st.floats(0.01, 1e4), st.just(640), st.just(480))


def layer(cache, path, part, style=None, **more):
    facts = cache.part(at(path, part)).facts
    return Layer(more.pop("id", part), part, at(path, part), facts.kind, style or first_style(facts, 0), **more)


@pytest.fixture(scope="module")
def painter(cache):
    return painter_for(cache)


@pytest.fixture
def island(cache, data):
    return layer(cache, data / "elevation_2031.tif", "elevation_2031")


@given(views, st.floats(0, 640), st.floats(0, 480))
def test_to_the_map_and_back(view, px, py):
    assert view.to_pixel(*view.to_map(px, py)) == pytest.approx((px, py), abs=1e-3)


@given(views, st.floats(0, 640), st.floats(0, 480), st.floats(0.1, 10))
def test_zooming_keeps_what_is_under_the_pointer(view, px, py, factor):
    place = view.to_map(px, py)
    closer = view.zoomed(factor, px, py)
    assert closer.to_pixel(*place) == pytest.approx((px, py), abs=1e-2)
    assert closer.resolution == pytest.approx(view.resolution / factor)


@given(views, st.floats(-500, 500), st.floats(-500, 500))
def test_panning_moves_the_map_with_the_hand(view, dx, dy):
    place = view.to_map(100, 100)
    assert view.panned(dx, dy).to_pixel(*place) == pytest.approx((100 + dx, 100 + dy), abs=1e-2)


def test_fitting_shows_all_with_a_margin():
    extent = Extent(0, 0, 1000, 200, UTM)
    seen = View.fitting(extent, 500, 500).extent
    assert seen.contains(0, 0) and seen.contains(1000, 200) and seen.centre == pytest.approx(extent.centre)
    assert View.fitting(Extent(5, 5, 5, 5, UTM), 100, 100).resolution > 0


@pytest.mark.parametrize("name", ramps.NAMES)
def test_ramps_are_even_in_lightness(name):
    light = ramps.lightness(ramps.ramp(name))
    steps = np.diff(light)
    if name in ramps.DIVERGING:
        half = len(steps) // 2
        assert (steps[: half - 1] > 0).all() and (steps[half + 1 :] < 0).all()
        assert light[0] == pytest.approx(light[-1], abs=0.12)
    else:
        assert np.abs(steps - steps.mean()).max() < 0.012 and abs(light[-1] - light[0]) > 0.5


def test_ramps_begin_and_end_at_their_anchors():
    assert np.abs(ramps.ramp("ember")[0].astype(int) - ramps.rgb_of("#1b1426")).max() <= 2
    assert np.abs(ramps.ramp("ember")[-1].astype(int) - ramps.rgb_of("#fdf0cf")).max() <= 2


def test_limits():
    values = np.r_[np.arange(101.0), np.nan]
    assert limits_of(values, Stretch("range")) == (0, 100)
    assert limits_of(values, Stretch("percent", 10, 90)) == (10, 90)
    assert limits_of(values, Stretch("hand", 3, 4)) == (3, 4)
    assert limits_of(np.array([np.nan]), Stretch("range")) == (0, 1)


def test_limits_of_a_grid_come_from_all_of_it(cache, data, after):
    source = at(data / "elevation_2031.tif", "elevation_2031")
    low, high = grid_limits(cache, source, 1, Stretch("percent", 2, 98))
    cells = after.native()
    exact = np.percentile(cells.values[0][cells.valid], (2, 98))
    assert (low, high) == pytest.approx(tuple(exact), rel=0.05, abs=2)


def test_numbers_colour_through_the_ramp_and_words_through_the_palette():
    table = pa.table({"n": [0.0, 10.0, None], "w": ["b", "a", None]})
    by_number = colouring_of(table, VectorStyle(colour_by="n", ramp="ink")).rgb
    assert by_number[:2].tolist() == ramps.ramp("ink")[[0, -1]].tolist()
    by_word = colouring_of(table, VectorStyle(colour_by="w")).rgb
    assert by_word[1].tolist() == ramps.rgb_of(ramps.CLASSES[0]).tolist()  # a comes first
    assert by_number[2].tolist() == by_word[2].tolist()  # unknown is grey in both
    by_sum = colouring_of(table, VectorStyle(colour_by="n * 2 + 1", ramp="ink"))
    assert (by_sum.low, by_sum.high) == (1, 21) and by_sum.rgb.tolist() == by_number.tolist()
    with pytest.raises(BadExpression, match="gone"):
        colouring_of(table, VectorStyle(colour_by="gone"))


def test_first_looks_follow_what_the_data_is(cache, data):
    look = lambda path, part: first_style(cache.part(at(data / path, part)).facts, 0)  # noqa: E731
    assert look("elevation_2029.tif", "elevation_2029").shade > 0
    scene = "MERIDEL3_20310624/MERIDEL3_20310624_META.txt"
    assert look(scene, "visible to shortwave").bands == (3, 2, 1)
    assert look(scene, "quality").resample == "nearest"
    assert isinstance(look("harrow_bay_2031.laz", "harrow_bay_2031"), CloudStyle)
    assert look("tolvane_survey.gpkg", "trails").line == look("tolvane_survey.gpkg", "trails").fill
    assert look("gas_readings.parquet", "gas_readings") is None


def test_a_cell_under_the_pointer_has_the_colour_of_its_value(painter, island, after):
    style = GridStyle(ramp="ink", stretch=Stretch("hand", 0, 1000), resample="nearest")
    view = View(508_705, 5_771_895, 0.5, 200, 200, UTM)  # one cell is twenty pixels
    image = painter.frame([Layer("a", "a", island.ref, DataKind.RASTER, style)], view).image
    cells = after.native()
    for px, py in ((100, 100), (30, 170), (199, 0)):
        row, col = cells.cell_of(*view.to_map(px + 0.5, py + 0.5))
        step = min(int(cells.values[0, row, col] / 1000 * 256), 255)
        assert image[py, px, :3].tolist() == ramps.ramp("ink")[step].tolist()


def test_cells_are_squares_when_seen_from_near(painter, island):
    flat = GridStyle(ramp="ink", stretch=Stretch("hand", 0, 1000), resample="nearest")
    view = View(510_005, 5_771_495, 0.5, 200, 200, UTM)
    image = painter.frame([Layer("b", "b", island.ref, DataKind.RASTER, flat)], view).image
    changes = np.flatnonzero(np.diff(image[100, :, 0].astype(int)) != 0)
    left, _ = view.origin
    edges = (left + (changes + 1) * view.resolution - 504_000) % 10
    assert changes.size and np.allclose(np.minimum(edges, 10 - edges), 0, atol=0.5)


@pytest.mark.parametrize("crs", [UTM, "EPSG:4326"])
def test_a_continuous_grid_is_smooth_when_enlarged(painter, island, after, crs):
    style = GridStyle(ramp="ink", stretch=Stretch("hand", 0, 1000))
    view = View(508_705, 5_771_895, 0.5, 200, 200, UTM).shown_in(crs)  # one cell is about twenty pixels
    image = painter.frame([Layer("a", "a", island.ref, DataKind.RASTER, style)], view).image
    px, py = np.meshgrid(np.arange(200) + 0.5, np.arange(200) + 0.5)
    xy = transform(np.column_stack([v.ravel() for v in view.to_map(px, py)]), crs, UTM)
    col, row = after.native().lattice.to_cells(xy[:, 0], xy[:, 1])
    values = map_coordinates(after.native().values[0], [row - 0.5, col - 0.5], order=1).reshape(200, 200)
    steps = np.minimum((values / 1000 * 256).astype(int), 255)
    wanted = ramps.ramp("ink")[steps][..., :3].astype(int)
    assert np.abs(image[..., :3].astype(int) - wanted).max() <= 3
    jumps = np.abs(np.diff(image[100, :, 0].astype(int)))
    assert jumps.max() <= 3  # no edges of cells


def test_the_light_on_an_enlarged_grid_runs_on_from_cell_to_cell(painter, island):
    shaded = GridStyle(ramp="ink", stretch=Stretch("hand", -5000, -4000), shade=1.0)
    view = View(509_505, 5_771_895, 0.5, 200, 200, UTM)
    image = painter.frame([Layer("a", "a", island.ref, DataKind.RASTER, shaded)], view).image
    cells = painter.frame(
        [Layer("b", "b", island.ref, DataKind.RASTER, replace(shaded, resample="nearest"))], view
    ).image
    smooth, square = (np.abs(np.diff(each[..., 0].astype(int), axis=1)).max() for each in (image, cells))
    assert image[..., 0].std() > 1 and smooth < square


def test_one_changed_layer_is_drawn_anew_and_the_others_are_kept(painter, cache, data, island, monkeypatch):
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 160, 120)
    zones = layer(cache, data / "tolvane_survey.gpkg", "closed_zones")
    painter.frame([island, zones], view)
    asked = []

    monkeypatch.setattr(grid, "draw_raster", lambda *a: asked.append("raster") or grid.Drawn())
    monkeypatch.setattr(vector_painter, "draw_vector", lambda *a: asked.append("vector"))
    painter.frame([island, Layer("z", "z", zones.ref, DataKind.VECTOR, VectorStyle(fill="#123456"))], view)
    assert asked == ["vector"]


def test_hidden_and_clear_layers_leave_no_mark(painter, cache, data):
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 80, 60)
    path = data / "tolvane_survey.gpkg"
    hidden = layer(cache, path, "closed_zones", visible=False)
    clear = layer(cache, path, "lava_flows", opacity=0.0)
    assert not painter.frame([hidden, clear], view).image.any()


def test_opacity_is_that_of_the_layer(painter, cache, data):
    path = data / "tolvane_survey.gpkg"
    view = View(508_700, 5_771_900, 1.0, 9, 9, UTM)  # inside a closed zone
    zone = layer(cache, path, "closed_zones", VectorStyle(fill="#ff0000", width=0))
    half = Layer("h", "h", zone.ref, DataKind.VECTOR, zone.style, True, 0.5)
    assert painter.frame([zone], view).image[4, 4].tolist() == [255, 0, 0, 255]
    assert painter.frame([half], view).image[4, 4].tolist() == [128, 0, 0, 128]


def test_a_layer_that_fails_is_named_and_the_rest_is_drawn(painter, cache, data, tmp_path, island):
    gone = Layer("gone", "gone", at(tmp_path / "gone.tif", "gone"), DataKind.RASTER, GridStyle())
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 80, 60)
    frame = painter.frame([island, gone], view)
    assert "no such file" in frame.faults["gone"] and frame.image.any()


def test_asked_to_stop_it_stops(painter, island):
    def stop():
        raise Cancelled("stop")

    with pytest.raises(Cancelled):
        painter.frame([island], View(508_700, 5_771_900, 3.3, 300, 300, UTM), check=stop)


def test_picked_features_are_violet_with_a_halo(painter, cache, data):
    lava = layer(cache, data / "tolvane_survey.gpkg", "lava_flows", VectorStyle(fill="#ffffff", width=0))
    view = View.fitting(Extent(509_400, 5_769_400, 511_400, 5_771_300, UTM), 300, 300)
    plain = painter.frame([lava], view).image
    picked = painter.frame([lava], view, picked=Picked("lava_flows", tuple(range(len(cache.features(lava.ref)))))).image
    violet = (np.abs(picked[..., :3].astype(int) - ramps.rgb_of("#7A2DBF")).max(axis=2) < 4).sum()
    assert violet > 200 and not (plain == picked).all()


def test_a_layer_in_degrees_falls_on_its_place_in_metres(painter, cache, data):
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 200, 180)
    samples = layer(cache, data / "ash_samples.geojson", "ash_samples", VectorStyle(size=6))
    image = painter.frame([samples], view).image
    shapes = cache.shapes_in(samples.ref, UTM)
    for x, y in shapes.xy[:20]:
        px, py = view.to_pixel(x, y)
        assert image[int(py), int(px), 3] > 200


def test_points_by_class_have_the_colours_of_the_legend(painter, cache, data):
    cloud = layer(cache, data / "harrow_bay_2031.laz", "harrow_bay_2031", CloudStyle(colour_by="classification"))
    legend = kind_of(cloud.kind).legend(cache, cloud)
    assert {text: colour for colour, text in legend.entries}["9"] == CLASS_COLOURS[9]
    assert legend.name_of("9") == "9 water" and legend.hidden == ()
    frame = painter.frame([cloud], View.fitting(extent_of(cache, [cloud], UTM), 200, 200))
    water = (frame.image[..., :3] == ramps.rgb_of(CLASS_COLOURS[9])).all(axis=2)
    assert water.sum() > 1000
    dry = painter.frame([replace(cloud, style=replace(cloud.style, hidden=(9,)))], frame.view)
    assert not (dry.image[..., :3] == ramps.rgb_of(CLASS_COLOURS[9])).all(axis=2).any() and dry.image.any()


def test_legends(cache, data, island):
    hollow = layer(cache, data / "tolvane_survey.gpkg", "closed_zones", VectorStyle(hollow=True, line="#c2452d"))
    assert kind_of(hollow.kind).legend(cache, hollow).entries == (("#c2452d", "closed_zones"),)
    grid = kind_of(island.kind).legend(cache, island)
    assert (grid.title, grid.ramp, grid.unit) == ("elevation", "land", "m") and grid.low < 30 < 800 < grid.high
    path = data / "tolvane_survey.gpkg"
    words = KINDS[DataKind.VECTOR].legend(cache, layer(cache, path, "buildings", VectorStyle(colour_by="village")))
    assert [text for _, text in words.entries] == ["Gannet Cove", "Harrow Landing", "Northpoint", "West Tolvane"]
    years = KINDS[DataKind.VECTOR].legend(cache, layer(cache, path, "lava_flows", VectorStyle(colour_by="year")))
    assert (years.low, years.high) == (1962, 2031)


def test_extent_of_layers_in_another_crs(cache, data, island):
    extent = extent_of(cache, [island], "EPSG:4326")
    assert -21 < extent.xmin < extent.xmax < -20.8 and -38.3 < extent.ymin < extent.ymax < -38.1


def test_a_layer_that_raises_whatever_it_likes_leaves_the_others_drawn(cache, data, monkeypatch):
    def layer(name, file):
        facts = cache.dataset(at(data / file)).parts[0].facts
        return Layer(name, name, at(data / file, facts.name), facts.kind, first_style(facts, 0))

    good, bad = layer("good", "ash_samples.geojson"), layer("bad", "vents.kml")
    view = View.fitting(cache.part(good.ref).facts.extent, 200, 150)
    alone = painter_for(cache).frame([good], view).image
    drawn = Painter._draw

    def fails(self, layer, *rest):
        if layer.id == "bad":
            raise ZeroDivisionError("nobody foresaw this")
        return drawn(self, layer, *rest)

    monkeypatch.setattr(Painter, "_draw", fails)
    frame = painter_for(cache).frame([bad, good], view)
    assert "nobody foresaw this" in frame.faults["bad"] and "good" not in frame.faults
    assert np.array_equal(frame.image, alone) and alone.any()


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(
            *[st.sampled_from([0.0, 5.0, 50.0, -1e3, 1e9, 1e18, -1e64, 1e300, -1e308, np.inf, -np.inf, np.nan])] * 2
        ),
        min_size=2,
        max_size=9,
    ),
    st.sampled_from(["fill", "line", "dash", "wide", "points"]),
)
@example(
    [(1e18, 50.0), (-np.inf, 50.0), (5.0, 1e9), (1e18, 5.0), (-1e64, 50.0)], "dash"
)  # dashes that a double can't count
def test_coordinates_from_nowhere_neither_crash_nor_hang(xy, what):
    """Kernels are compiled without checks of their bounds: whatever a file holds must stay within them."""
    xy = np.array(xy, float)
    kind = {"fill": POLYGON, "points": POINT}.get(what, LINE)
    starts = np.arange(len(xy) + 1) if kind == POINT else np.array([0, len(xy)])
    kinds = np.full(len(starts) - 1, kind, np.uint8)
    features = np.array([0, len(kinds)])
    shapes = Shapes(xy, None, starts, kinds, features, bounds_of(xy, starts, features))
    style = VectorStyle(dash=(4.0, 3.0) if what == "dash" else (), width=9.0 if what == "wide" else 1.2)
    image = np.zeros((60, 80, 4), np.uint8)
    index, all_ = index_of(shapes), np.array([0])
    ink, half = np.array([0xFF0000FF], np.uint32), np.array([style.width / 2], np.float32)
    for resolution in (1.0, 1e-6, 1e6):
        view = View(40.0, 30.0, resolution, 80, 60)
        draw_shapes(image, index, all_, ink, ink, half, style, view)
        draw_symbols(image, index, all_, ink, ink, np.array([8.0], np.float32), style, view)
        index.within(view.extent, resolution)


def test_many_layers_laid_together_look_as_those_laid_one_by_one(data, cache, monkeypatch):
    ref = at(data / "tolvane_survey.gpkg", "lava_flows")
    facts = cache.part(ref).facts
    layers = [
        Layer(
            f"l{i}", f"l{i}", ref, facts.kind, VectorStyle(fill=f"#{20 + 3 * i:02x}50{230 - 4 * i:02x}", width=1 + i / 9),
            opacity=1.0 if i % 3 else 0.4, blend=Blend.MULTIPLY if i in (9, 30) else Blend.NORMAL,
        )
        for i in range(45)
    ]  # fmt: skip
    view = View.fitting(facts.extent, 300, 240)
    together = painter_for(cache)
    first = together.frame(layers, view).image
    again = together.frame(layers, view).image
    swapped = [*layers[:43], layers[44], layers[43]]
    after = together.frame(swapped, view).image
    monkeypatch.setattr(frame_module, "MANY", 1000)
    apart = painter_for(cache)
    assert np.array_equal(first, again)
    assert np.abs(first.astype(int) - apart.frame(layers, view).image).max() <= 6  # rounding, once a layer
    assert np.abs(after.astype(int) - apart.frame(swapped, view).image).max() <= 6
    assert (after != first).any()
