"""Classes, labels, overlays, spreads and streams: what styles are made of besides pixels."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import shapely
import shapely.affinity
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Geod

from brisk_atlas.core.cache import DataCache, by_view
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.classes import breaks, colouring_of, grown
from brisk_atlas.core.draw.contours import draw_contours
from brisk_atlas.core.draw.density import draw_density
from brisk_atlas.core.draw.labels import Room, anchors_of, place_labels
from brisk_atlas.core.draw.limits import limits_of
from brisk_atlas.core.draw.overlays import grid_lines, north_of, scale_bar
from brisk_atlas.core.draw.swatch import Swatch
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import kind_of, painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import (
    BadExpression,
    CannotRead,
    DataKind,
    Extent,
    GridStyle,
    Label,
    Layer,
    Stretch,
    VectorStyle,
)
from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON, Features, Shapes, bounds_of
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import shapes_of
from brisk_atlas.core.table import column_of
from made_files import at

UTM, DEGREES = "EPSG:32727", "EPSG:4326"


def measure(text, size):
    return 0.5 * size * len(text), size


# Classes


def test_natural_breaks_part_what_lies_apart():
    values = np.concatenate([np.random.default_rng(1).normal(m, 0.3, 200) for m in (0, 10, 50)])
    edges = breaks(values, "natural", 3)
    assert len(edges) == 4 and 1.5 < edges[1] <= 10 and 12 < edges[2] <= 50


@pytest.mark.parametrize("offset", [0.0, 5.7e6, -3e12, 1e15])
def test_natural_breaks_stay_where_they_are_wherever_the_values_lie(offset):
    values = np.array([1, 2, 2, 3, 40, 41, 42, 99.0]) + offset
    edges = breaks(values, "natural", 3) - offset  # the last class is one value
    assert len(edges) == 4 and 3 < edges[1] < 40 and 42 < edges[2] < 99


def test_natural_breaks_have_the_least_spread_of_all():
    values = np.array([1.0, 2, 4, 7, 8, 13, 14, 20])

    def distribution(cuts):
        return sum(((part - part.mean()) ** 2).sum() for part in np.split(values, cuts) if part.size)

    best = min(distribution([i, j]) for i in range(1, 8) for j in range(i + 1, 8))
    edges = breaks(values, "natural", 3)
    assert distribution(np.searchsorted(values, edges[1:-1])) == pytest.approx(best)


@given(
    st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=60),
    st.sampled_from(["equal", "quantile", "natural"]),
    st.integers(2, 7),
)
def test_classes_take_in_every_value_in_order(values, method, count):
    edges = breaks(np.array(values), method, count)
    assert (np.diff(edges) > 0).all() and edges[0] <= min(values) and edges[-1] >= max(values)
    assert 2 <= len(edges) <= count + 1


def test_quantiles_hold_as_many_each_and_the_legend_names_them():
    table = pa.table({"n": np.arange(100.0) ** 2})
    made = colouring_of(table, VectorStyle(colour_by="n", method="quantile", classes=4))
    assert len(made.entries) == 4 and made.entries[0][1].startswith("0 to ")
    assert np.unique(made.rgb, axis=0, return_counts=True)[1].tolist() == [25, 25, 25, 25]


def test_unique_values_sort_numbers_as_numbers():
    table = pa.table({"n": [10, 9, 9, None]})
    assert [t for _, t in colouring_of(table, VectorStyle(colour_by="n", method="unique")).entries] == ["9", "10"]


def test_sizes_grow_with_a_value_and_the_unknown_is_least():
    assert grown(pa.table({"n": [0.0, 5.0, 10.0, None]}), "n", (2.0, 12.0)).tolist() == [2, 7, 12, 2]


@pytest.mark.parametrize("bad", ["sum(n)", "n; DROP TABLE rows", "no_such", "read_csv('/etc/passwd')", "n +"])
def test_an_expression_that_is_none_is_refused(bad):
    with pytest.raises(BadExpression):
        column_of(pa.table({"n": [1, 2]}), bad)


# Labels


@pytest.fixture
def painter(cache):
    return painter_for(cache)


def labelled(data, part, text, **more):
    return Layer(
        part, part, at(data / "tolvane_survey.gpkg", part), DataKind.VECTOR, VectorStyle(label=Label(text, **more))
    )


def boxes(labels, view):
    made = []
    for label in labels:
        width, height = measure(label.text, label.look.size)
        turned = shapely.affinity.rotate(shapely.box(-width / 2, -height / 2, width / 2, height / 2), label.angle)
        made.append(shapely.affinity.translate(turned, *view.to_pixel(label.x, label.y)))
    return made


def test_labels_do_not_lie_over_each_other(painter, data):
    layers = [
        labelled(data, "buildings", "village"),
        labelled(data, "trails", "name"),
        labelled(data, "closed_zones", "name"),
    ]
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 900, 800)
    frame = painter.frame(layers, view, measure=measure)
    assert len(frame.labels) >= 4
    made = boxes(frame.labels, frame.view)
    for i, box in enumerate(made):
        assert not any(box.intersection(other).area > 1 for other in made[:i])


def test_labels_of_lines_lie_on_them_and_read_upright(painter, data, cache):
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 1200, 1000)
    frame = painter.frame([labelled(data, "trails", "name")], view, measure=measure)
    shapes = cache.features(at(data / "tolvane_survey.gpkg", "trails")).wkb.to_numpy(zero_copy_only=False)
    assert frame.labels
    for label in frame.labels:
        line = shapely.from_wkb(shapes[label.feature])
        assert line.distance(shapely.Point(label.x, label.y)) < 12 * frame.view.resolution and -90 <= label.angle <= 90


def test_labels_of_polygons_lie_inside_them(painter, data, cache):
    view = View.fitting(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), 1200, 1000)
    frame = painter.frame([labelled(data, "closed_zones", "name")], view, measure=measure)
    shapes = cache.features(at(data / "tolvane_survey.gpkg", "closed_zones")).wkb.to_numpy(zero_copy_only=False)
    assert frame.labels
    for label in frame.labels:
        assert shapely.from_wkb(shapes[label.feature]).buffer(1).contains(shapely.Point(label.x, label.y))


def test_labels_stay_where_they_are_while_the_map_is_panned(painter, data):
    layer = labelled(data, "buildings", "village")
    view = View(509_000, 5_771_500, 9.0, 700, 600, UTM)
    before = {p.feature: (p.x, p.y) for p in painter.frame([layer], view, measure=measure).labels}
    for _ in range(4):
        view = view.panned(15, -10)
        now = {p.feature: (p.x, p.y) for p in painter.frame([layer], view, measure=measure).labels}
        both = before.keys() & now.keys()
        assert len(both) >= 0.8 * len(before)
        assert all(now[f] == pytest.approx(before[f], abs=view.resolution) for f in both)
        before = now


def test_the_greatest_value_is_placed_first():
    table = pa.table({"name": ["low", "high"], "rank": [1, 9]})
    wkb = pa.array([shapely.to_wkb(shapely.box(x, 0, x + 60, 30)) for x in (0, 10)], pa.binary())
    features = Features(table, wkb, shapes_of(wkb)[0], None)
    index, look = index_of(features.shapes), Label("name", first="rank")
    view = View(30, 15, 1, 100, 60)
    anchors = anchors_of(features, table, index, look, view)
    placed = place_labels(index, anchors, look, 0, view, measure, Room(), {})
    assert [p.text for p in placed] == ["high"]


# Overlays


def test_grid_lines_in_degrees_lie_on_whole_minutes():
    view = View(508_700, 5_771_900, 12.0, 900, 700, UTM)
    lines = grid_lines(view, geographic=True)
    assert {line.upright for line in lines} == {True, False} and 6 < len(lines) < 24
    line = next(line for line in lines if line.text.startswith("20°54"))
    x, y = view.to_map(line.points[:, 0], line.points[:, 1])
    there = transform(np.column_stack([x, y]), UTM, DEGREES)
    assert line.upright and np.abs(there[:, 0] + 20.9).max() < 1e-6


def test_grid_lines_in_map_units_are_round_numbers():
    for line in grid_lines(View(508_700, 5_771_900, 12.0, 900, 700, UTM), geographic=False):
        assert int(line.text.replace(",", "")) % 1000 == 0


def test_north_follows_the_meridians():
    assert north_of(View(500_000, 5_771_900, 10, 100, 100, UTM)) == pytest.approx(0, abs=0.01)  # the middle meridian
    east = View(800_000, 5_771_900, 10, 100, 100, UTM)
    lon = transform(np.array([[east.x, east.y]]), UTM, DEGREES)[0]
    exact = np.degrees(np.arctan(np.tan(np.radians(lon[0] + 21)) * np.sin(np.radians(lon[1]))))
    assert north_of(east) == pytest.approx(-exact, abs=0.02)
    assert north_of(View(0, 0, 1, 100, 100, None)) is None


@pytest.mark.parametrize("crs,x,y", [(UTM, 508_700, 5_771_900), ("EPSG:3857", -2_320_000, -4_620_000)])
def test_the_scale_bar_is_as_long_as_it_says_on_the_ground(crs, x, y):
    """Against geodesics: a Mercator map is stretched by a quarter there."""
    for resolution in (0.013, 1.0, 27.0):
        width, label = scale_bar(View(x, y, resolution, 900, 700, crs))
        stated = float(label.split()[0]) * {"cm": 0.01, "m": 1, "km": 1000}[label.split()[1]]
        ends = transform(np.array([(x, y), (x + width * resolution, y)]), crs, "EPSG:4326")
        assert Geod(ellps="WGS84").inv(*ends[0], *ends[1])[2] == pytest.approx(stated, rel=3e-3) and 60 < width <= 160


# Spreads


def test_a_spread_counts_the_values_and_knows_the_ends(cache, data):
    layer = Layer(
        "e",
        "e",
        at(data / "elevation_2031.tif", "elevation_2031"),
        DataKind.RASTER,
        GridStyle(stretch=Stretch("percent", 2, 98)),
    )
    distribution = kind_of(layer.kind).distribution(cache, layer)
    assert len(distribution.counts) == 1 and distribution.counts[0].sum() > 100_000
    assert distribution.edges[0] < distribution.low < distribution.high < distribution.edges[-1]
    words = Layer(
        "b", "b", at(data / "tolvane_survey.gpkg", "buildings"), DataKind.VECTOR, VectorStyle(colour_by="village")
    )
    assert kind_of(words.kind).distribution(cache, words) is None


def test_a_stretch_by_deviations_stays_within_the_values():
    values = np.random.default_rng(1).normal(100, 10, 10_000)
    low, high = limits_of(values, Stretch("deviations", 2, 1))
    assert (low, high) == pytest.approx((80, 110), abs=1)
    assert limits_of(np.array([1.0, 2, 3]), Stretch("deviations", 9, 9)) == (1, 3)


# Streams


@pytest.fixture
def crowd(tmp_path, monkeypatch):
    """A layer that counts as too large to be held: 4,000 squares on a lattice of 100 m."""
    monkeypatch.setattr(by_view, "MOST_HELD", 1000)
    monkeypatch.setattr(by_view, "SAMPLED", 400)
    monkeypatch.setattr(by_view, "BY_VIEW", 600)
    x, y = (a.ravel() * 100.0 + b for a, b in zip(np.meshgrid(np.arange(80), np.arange(50)), (500_000, 5_770_000)))
    wkb = shapely.to_wkb(shapely.box(x, y, x + 50, y + 50))
    path = tmp_path / "crowd.gpkg"
    pyogrio.raw.write(path, wkb, [np.arange(4000)], ["n"], crs=UTM, geometry_type="Polygon", driver="GPKG")
    return path


def test_a_stream_is_sampled_from_afar_and_whole_from_near(crowd):
    cache = DataCache()
    layer = Layer("c", "c", at(crowd, "crowd"), DataKind.VECTOR, VectorStyle(width=0))
    painter = painter_for(cache)
    far = painter.frame([layer], View(504_000, 5_772_500, 10.0, 820, 520, UTM))
    assert far.notes["c"] == "1 in 10 features at this scale"
    assert (far.image[..., 3] > 0).sum() == pytest.approx(400 * 25, rel=0.1)
    near = painter.frame([layer], View(504_000, 5_772_500, 2.0, 400, 300, UTM))
    assert near.notes["c"] == "read by view" and (near.image[..., 3] > 0).mean() == pytest.approx(0.25, abs=0.02)


def test_a_stream_is_read_once_for_a_pan_within_what_was_read(crowd, monkeypatch):
    cache = DataCache()
    part = cache.part(at(crowd, "crowd"))
    asked = []
    batches = type(part).batches
    monkeypatch.setattr(
        type(part), "batches", lambda self, query, **how: asked.append(query.extent) or batches(self, query, **how)
    )
    painter = painter_for(cache)
    layer = Layer("c", "c", at(crowd, "crowd"), DataKind.VECTOR, VectorStyle())
    view = View(504_000, 5_772_500, 2.0, 400, 300, UTM)
    for dx in (0, 30, 60):
        painter.frame([layer], view.panned(dx, 0))
    assert len([extent for extent in asked if extent is not None]) == 1


def test_a_pan_does_not_mix_the_sample_with_what_is_read_by_view(crowd):
    """A strip that comes into view is small enough to be read in full; the picture must not be half one, half other."""
    layer = Layer("c", "c", at(crowd, "crowd"), DataKind.VECTOR, VectorStyle(width=0))
    used, view = painter_for(DataCache()), View(504_000, 5_772_500, 8.0, 820, 520, UTM)
    used.frame([layer], view)
    view = view.panned(-40, 25)
    moved, anew = used.frame([layer], view), painter_for(DataCache()).frame([layer], view)
    assert np.array_equal(moved.image, anew.image) and moved.notes == anew.notes


def test_the_probe_reads_a_stream_where_it_is_asked(crowd):
    cache = DataCache()
    layer = Layer("c", "c", at(crowd, "crowd"), DataKind.VECTOR, VectorStyle())
    found = probe(cache, layer, Where.at(500_325, 5_770_025, UTM, 1.0))
    assert found.row is None and found.readings[0].value == 3
    assert probe(cache, layer, Where.at(500_375, 5_770_025, UTM, 1.0)) is None


def test_a_piece_of_a_stream_can_be_had_and_all_of_it_is_refused(crowd):
    cache = DataCache()
    piece = by_view.piece_of(cache, at(crowd, "crowd"), Extent(500_000, 5_770_000, 500_260, 5_770_060, UTM))
    assert sorted(piece.table["n"].to_pylist()) == [0, 1, 2]
    with pytest.raises(CannotRead, match="4,000 features"):
        by_view.piece_of(cache, at(crowd, "crowd"), None)


def test_contours_lie_where_the_grid_has_their_values():
    x, y = np.meshgrid(np.arange(200) + 0.5, np.arange(100) + 0.5)
    values = (x + 0 * y).astype(np.float32)  # each pixel's value is the place of its middle
    image = np.zeros((100, 200, 4), np.uint8)
    assert draw_contours(image, values, 20.0, "#000000", 1.0) == ""
    dark = image[5:95, :, 3].max(axis=0)
    inked = np.flatnonzero(dark > 60)
    assert {round(v / 20) * 20 for v in inked.tolist()} == {20, 40, 60, 80, 100, 120, 140, 160, 180}
    assert all(abs(v + 0.5 - round(v / 20) * 20) <= 1.5 for v in inked.tolist())
    assert image[50, 99:101, 3].sum() > image[50, 79:81, 3].sum()  # each fifth one is heavier
    values[:, 90:110] = np.nan
    image[:] = 0
    draw_contours(image, values, 20.0, "#000000", 1.0)
    assert not image[:, 92:108].any() and image[:, 110:].any()
    assert "too many" in draw_contours(image, values, 0.01, "#000000", 1.0)


def test_a_swatch_shows_the_symbol_the_stroke_and_the_hatch():
    size = (44, 28)
    area = Swatch(VectorStyle(fill="#ff0000", line="#0000ff", width=2.0), POLYGON, None).picture(size, 2.0)
    assert tuple(area[14, 22]) == (255, 0, 0, 255) and area[1, 22, 2] > 150
    hatched = Swatch(VectorStyle(fill="#ff0000", hatch="rising", width=1.0), POLYGON, None).picture(size, 2.0)
    inside = hatched[6:22, 6:38, 3]
    assert 0 < (inside < 128).sum() < inside.size
    line = Swatch(VectorStyle(line="#00ff00", width=1.5), LINE, "#ff0000").picture(size, 2.0)
    assert line[..., 0].max() > 200 and line[..., 1].max() < 30  # the colour of a class wins
    large = Swatch(VectorStyle(fill="#ff0000", size=60.0, symbol="square"), POINT, None).picture(size, 2.0)
    assert large[14, 22, 0] == 255 and not large[:, 0].any()  # no larger than it has room for


def test_a_class_that_is_off_is_neither_drawn_nor_picked(cache, data):
    layer = Layer("l", "l", at(data / "tolvane_survey.gpkg", "lava_flows"), DataKind.VECTOR, VectorStyle())
    style = VectorStyle(colour_by='"year"', method="unique", width=0.0)
    whole = replace(layer, style=style)
    years = cache.table(layer.ref)["year"].to_pylist()
    off = replace(whole, style=replace(style, hidden=(str(years[0]),)))
    extent = cache.part(layer.ref).facts.extent
    view = View.fitting(extent, 300, 260)
    painter = painter_for(cache)
    before, after = painter.frame([whole], view), painter.frame([off], view)
    gone = before.image[..., 3].astype(int) - after.image[..., 3]
    assert (gone > 200).sum() > 5 and after.image.any()
    at_once = np.argwhere(gone > 250)
    found = [probe(cache, whole, Where.at(*before.view.to_map(c + 0.5, r + 0.5), view.crs, 0.0)) for r, c in at_once]
    assert any(each is not None and years[each.row] == years[0] for each in found)
    for row, col in at_once.tolist():
        seen = probe(cache, off, Where.at(*before.view.to_map(col + 0.5, row + 0.5), view.crs, 0.0))
        assert seen is None or years[seen.row] != years[0]


def test_density_is_highest_where_points_are_thickest_and_counts_each_once():
    random = np.random.default_rng(4)
    xy = np.concatenate([random.normal((300, 300), 20, (900, 2)), random.uniform(0, 1000, (100, 2))])
    count = len(xy)
    one_each = np.arange(count + 1, dtype=np.int64)
    kinds = np.full(count, POINT, np.uint8)
    index = index_of(Shapes(xy, None, one_each, kinds, one_each, bounds_of(xy, one_each, one_each)))
    view = View(500, 500, 5.0, 200, 200, UTM)  # all of them, five metres a pixel
    image = np.zeros((200, 200, 4), np.uint8)
    highest = draw_density(image, index, None, 4.0, "ember", view)
    row, col = np.unravel_index(image[..., 3].astype(int).argmax(), (200, 200))
    x, y = view.to_map(col + 0.5, row + 0.5)
    assert np.hypot(x - 300, y - 300) < 40
    within = np.hypot(*(xy - (300, 300)).T)
    expected = np.exp(-(within**2) / (2 * 20.0**2)).sum() / (2 * np.pi * 20.0**2) * 1e6  # of the same curve, there
    assert highest == pytest.approx(expected, rel=0.15)
    few = np.zeros(count, bool)
    few[:90] = True
    assert draw_density(np.zeros_like(image), index, few, 4.0, "ember", view) == pytest.approx(highest / 10, rel=0.35)
    degrees = Shapes(
        np.array([[10.0, 60.0]]), None, one_each[:2], kinds[:1], one_each[:2], np.array([[10.0, 60, 10, 60]])
    )
    far = View(10.0, 60.0, 0.01, 200, 200, DEGREES)
    top = draw_density(np.zeros_like(image), index_of(degrees), None, 8.0, "ember", far)
    pixel_km2 = (0.01 * 111.32) ** 2 * np.cos(np.radians(60))  # degrees of longitude are half as long there
    assert top == pytest.approx(1 / (2 * np.pi * 8.0**2) / pixel_km2, rel=0.02)
    moved = np.zeros_like(image)
    turned = replace(view, turn=90.0)
    draw_density(moved, index_of(index.shapes.turned(90.0)), None, 4.0, "ember", turned)
    assert np.abs(np.rot90(image, -1).astype(int) - moved).mean() < 3.0


def test_a_text_is_set_again_along_a_line_and_stays_there_while_it_is_panned(painter, data):
    layer = labelled(data, "trails", "name", repeat=180.0)
    view = View(508_700, 5_771_900, 5.0, 900, 700, UTM)
    found = painter.frame([layer], view, measure=measure).labels
    of = [label.feature for label in found]
    assert len(of) > len(set(of)) and not painter.frame([layer], view, measure=measure).faults
    made = boxes(found, view)
    for i, box in enumerate(made):
        assert not any(box.intersection(other).area > 1 for other in made[:i])
    places = {(round(label.x), round(label.y)) for label in found}
    moved = painter.frame([layer], view.panned(60, 0), measure=measure).labels
    assert len(places & {(round(label.x), round(label.y)) for label in moved}) > 0.6 * len(places)
