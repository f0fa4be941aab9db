"""The drawing kernels, against areas and distances computed another way."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pytest
import shapely
import shapely.affinity
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from brisk_atlas.core.draw import View, symbols
from brisk_atlas.core.draw.kernels.features import DOT_PX
from brisk_atlas.core.draw.kernels.pixels import MULTIPLY, NORMAL, blend
from brisk_atlas.core.draw.ramps import CLASSES, rgb_of
from brisk_atlas.core.draw.vector import Inks, draw_vector, inks_of
from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import shapes_of

SIZE = 24
VIEW = View(SIZE / 2, SIZE / 2, 1.0, SIZE, SIZE)  # one map unit a pixel; y grows north
NEAR_A_LEVEL = 1.5 / 255 + 0.004


def flat(*shapes):
    return shapes_of(pa.array([shapely.to_wkb(s) for s in shapes], pa.binary()))[0]


def drawn(*shapes, view=VIEW, **style):
    """Return the picture of shapes in one style: white fill and no outline unless said."""
    image = np.zeros((view.height, view.width, 4), np.uint8)
    style = VectorStyle(**{"fill": "#ffffff", "width": 0.0, **style})
    draw_vector(image, index_of(flat(*shapes)), Inks(), style, view)
    return image


def cover(*shapes, **more):
    return drawn(*shapes, **more)[..., 3] / 255


def exact_cover(shape):
    """Return the share of each pixel that a shape covers, by shapely."""
    cover = np.zeros((SIZE, SIZE))
    for row in range(SIZE):
        for col in range(SIZE):
            cell = shapely.box(col, SIZE - row - 1, col + 1, SIZE - row)
            cover[row, col] = shape.intersection(cell).area
    return cover


inside = st.floats(-6, SIZE + 6)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(inside, inside), min_size=3, max_size=3, unique=True))
def test_a_triangle_covers_pixels_as_its_area_does(corners):
    triangle = shapely.Polygon(corners)
    west, south, east, north = triangle.bounds
    assume(max(east - west, north - south) > DOT_PX)  # what is no larger is a box of its area, see below
    assert np.abs(cover(triangle) - exact_cover(triangle)).max() <= NEAR_A_LEVEL


def test_a_many_cornered_shape_covers_as_its_area_does():
    """Long rings are drawn in blocks of vertices, some of them out of sight."""
    shape = shapely.Point(10, 14).buffer(17, quad_segs=200).difference(shapely.Point(11, 12).buffer(5, quad_segs=150))
    assert np.abs(cover(shape) - exact_cover(shape)).max() <= NEAR_A_LEVEL


def test_holes_stay_empty_whichever_way_the_rings_run():
    outer, hole = [(2, 2), (20, 2), (20, 20), (2, 20)], [(6, 6), (14, 6), (14, 14), (6, 14)]
    for ring in (hole, hole[::-1]):
        shape = shapely.Polygon(outer, [ring])
        assert np.abs(cover(shape) - exact_cover(shape)).max() < 1e-9


@settings(max_examples=25, deadline=None)
@given(st.floats(0, 2 * np.pi), st.floats(0.3, 0.7))
def test_shapes_that_share_edges_leave_no_seam_and_no_double_edge(turn, share):
    """A square cut in two along any line is as even as the square, also when it is half clear."""
    square = shapely.box(2.3, 2.7, 21.6, 20.9)
    knife = shapely.affinity.rotate(shapely.box(-60, -60, 24 * share, 90), turn, use_radians=True, origin=(12, 12))
    parts = [p for p in (square.intersection(knife), square.difference(knife)) if not p.is_empty]
    whole, cut = cover(square), cover(*parts)
    assert np.abs(whole - cut).max() <= 3 / 255


def test_a_polygon_around_the_whole_view_fills_it_without_edges():
    assert (cover(shapely.box(-1e7, -1e7, 1e7, 1e7)) == 1).all()


def test_a_shape_smaller_than_a_pixel_is_its_share_and_not_nothing():
    alpha = cover(shapely.box(5.25, 5.25, 5.75, 5.75))
    assert alpha[SIZE - 6, 5] == pytest.approx(0.25, abs=1 / 255) and alpha.sum() == alpha[SIZE - 6, 5]


def test_a_crowd_of_tiny_shapes_covers_what_their_areas_do():
    corners = np.random.default_rng(2).uniform(2, 21, (60, 2))
    shapes = [shapely.Point(*xy).buffer(0.15) for xy in corners]
    assert cover(*shapes).sum() == pytest.approx(sum(s.area for s in shapes), rel=0.05)


@settings(max_examples=15, deadline=None)
@given(st.integers(-5, 5), st.integers(-5, 5), st.sampled_from(["none", "rising", "dots"]))
def test_moving_by_whole_pixels_moves_the_picture(dx, dy, hatch):
    shape = shapely.Polygon([(8.3, 8.1), (15.7, 9.9), (11.2, 15.4)])
    look = {"line": "#0a141e", "width": 1.5, "hatch": hatch}
    still = drawn(shape, **look)
    moved = drawn(shape, view=View(VIEW.x - dx, VIEW.y + dy, 1.0, SIZE, SIZE), **look)
    assert np.abs(np.roll(still, (dy, dx), (0, 1)).astype(int) - moved).max() <= 2


def test_no_jitter_at_extreme_zoom():
    """Coordinates of 1e7 m seen at 1 cm a pixel."""
    x, y, cm = 9_876_543.21, 8_765_432.10, 0.01
    alpha = cover(shapely.box(x - 4 * cm, y - 4 * cm, x + 4 * cm, y + 4 * cm), view=View(x, y, cm, SIZE, SIZE))
    assert np.abs(alpha[8:16, 8:16] - 1).max() < 0.01 and alpha.sum() == pytest.approx(64, abs=0.2)


def test_a_continent_seen_at_a_centimetre_a_pixel():
    """A feature 1e9 pixels across fills the view or misses it, without overflow."""
    x, y, cm = 9_876_543.21, 8_765_432.10, 0.01
    near = View(x, y, cm, SIZE, SIZE)
    assert (cover(shapely.box(x - 5e6, y - 5e6, x + 5e6, y + 5e6), view=near, width=2.0) == 1).all()
    assert not cover(shapely.box(x + 1, y - 5e6, x + 5e6, y + 5e6), view=near, width=2.0).any()


@pytest.mark.parametrize("width", [0.4, 1.0, 2.0, 5.0])
def test_a_line_is_as_wide_as_asked(width):
    alpha = cover(shapely.LineString([(-9, 12), (40, 12)]), width=width)
    assert alpha[:, 12].sum() == pytest.approx(width, abs=0.03)


def test_a_line_that_turns_back_reaches_no_further():
    there = [(4, 12), (20, 12)]
    for width in (4.0, 6.0):
        once, twice = (cover(shapely.LineString(line), width=width) for line in (there, [*there, there[0]]))
        assert np.array_equal(once > 0, twice > 0) and np.array_equal(once[11:13, 5:19], twice[11:13, 5:19])


@pytest.mark.parametrize(("join", "style"), [("round", 1), ("mitre", 2), ("bevel", 3)])
@pytest.mark.parametrize(("cap", "end"), [("round", 1), ("flat", 2), ("square", 3)])
def test_a_stroke_is_the_buffer_of_the_line(join, style, cap, end):
    line = shapely.LineString([(4.2, 5.1), (12.7, 17.3), (19.5, 7.6)])
    exact = line.buffer(2, quad_segs=32, join_style=style, cap_style=end)
    alpha = cover(line, width=4, join=join, cap=cap)
    assert np.abs(alpha - exact_cover(exact)).mean() < 0.006
    assert alpha.sum() == pytest.approx(exact.area, rel=0.03)


def test_a_thin_stroke_around_a_small_shape_lies_on_its_outline():
    shape = shapely.Point(12.3, 11.8).buffer(4.4)
    alpha = cover(shape, width=1.5, hollow=True)
    exact = exact_cover(shape.exterior.buffer(0.75))
    assert np.abs(alpha - exact).mean() < 0.02 and alpha.sum() == pytest.approx(exact.sum(), rel=0.03)


def test_a_long_way_of_many_vertices_is_the_same_as_a_straight_one():
    x = np.linspace(-500, 500, 40_000)
    many = shapely.LineString(np.column_stack([x, 12 + 0 * x]))
    assert np.abs(cover(many, width=3) - cover(shapely.LineString([(-500, 12), (500, 12)]), width=3)).max() <= 1 / 255


def test_dashes_are_drawn_and_left_out_in_turn():
    alpha = cover(shapely.LineString([(0, 12), (24, 12)]), width=2, dash=(6.0, 4.0), cap="flat")
    middle = alpha[12]
    assert middle[:6].min() == 1 and middle[6:10].max() == 0 and middle[10:16].min() == 1 and middle[16:20].max() == 0


def test_dashes_keep_their_rhythm_when_the_start_is_far_away():
    near, far = (
        cover(shapely.LineString([(x, 12), (24, 12)]), width=2, dash=(6.0, 4.0), cap="flat") for x in (0, -9000)
    )
    assert np.abs(near - far).max() <= 2 / 255


def test_a_casing_runs_along_both_sides():
    image = drawn(shapely.LineString([(-5, 12), (30, 12)]), width=2, line="#ff0000", casing=2, casing_colour="#0000ff")
    assert image[11, 12].tolist() == image[12, 12].tolist() == [255, 0, 0, 255]
    assert image[9, 12].tolist() == image[14, 12].tolist() == [0, 0, 255, 255] and not image[7, 12].any()


def test_a_hatch_inks_a_share_of_the_fill_and_leaves_the_rest_clear():
    box = shapely.box(0, 0, 24, 24)
    shares = {
        hatch: cover(box, hatch=hatch, hatch_gap=6).mean()
        for hatch in ("rising", "falling", "crossed", "level", "dots")
    }
    assert shares["rising"] == pytest.approx(shares["falling"], rel=0.1)
    assert shares["rising"] < shares["crossed"] < 2.1 * shares["rising"] and 0.02 < shares["dots"] < 0.3
    assert cover(box, hatch="level", hatch_gap=6).mean(axis=1).max() == 1


def test_later_features_lie_over_earlier_ones():
    table = pa.table({"n": ["b", "a"]})
    image = np.zeros((SIZE, SIZE, 4), np.uint8)
    box = shapely.box(0, 0, 24, 24)
    style = VectorStyle(width=0, colour_by="n")
    draw_vector(image, index_of(flat(box, box)), inks_of(table, style), style, VIEW)
    assert image[5, 5, :3].tolist() == rgb_of(CLASSES[0]).tolist()  # "a", drawn last


@pytest.mark.parametrize("name", symbols.NAMES)
def test_a_symbol_covers_its_own_shape_wherever_it_stands(name):
    for x, y in ((12.0, 10.0), (11.6, 10.3)):
        alpha = cover(shapely.Point(x, y), symbol=name, size=9)
        at = np.round(np.array([x, SIZE - y]) * 4 - 0.5) / 4 + 0.125  # a symbol stands on a quarter of a pixel
        outline = symbols.outline(name) * 4.5 + at
        shape = shapely.Polygon(np.column_stack([outline[:, 0], SIZE - outline[:, 1]]))
        assert alpha.sum() == pytest.approx(shape.area, rel=0.02)
        assert np.abs(alpha - exact_cover(shape)).mean() < 0.01


def test_a_pin_stands_on_its_place():
    alpha = cover(shapely.Point(12, 4), symbol="pin", size=10)
    rows = np.flatnonzero(alpha.max(axis=1) > 0.2)
    assert rows[-1] == 19 and rows[0] < 10


def test_points_are_outlined_and_grow_with_a_value():
    table = pa.table({"n": [0.0, 10.0]})
    style = VectorStyle(fill="#c80000", line="#0000c8", width=2, size_by="n", sizes=(4.0, 12.0))
    image = np.zeros((SIZE, SIZE, 4), np.uint8)
    draw_vector(image, index_of(flat(shapely.Point(4, 12), shapely.Point(16, 12))), inks_of(table, style), style, VIEW)
    assert image[12, 16].tolist() == [200, 0, 0, 255] and image[12, 21, 2] > 150
    small, large = image[:, :9, 3].sum() / 255, image[:, 9:, 3].sum() / 255
    assert small == pytest.approx(np.pi * 9, rel=0.06) and large == pytest.approx(np.pi * 49, rel=0.03)


def test_bands_of_threads_join_without_a_trace():
    tall = View(50, 100, 1.0, 100, 200)  # more rows than one thread takes
    whole = drawn(shapely.Point(50, 100).buffer(45), view=tall, line="#090909", width=3)
    assert np.abs(whole[:100].astype(int) - whole[100:][::-1]).max() <= 3


def test_buffers_are_clean_after_each_shape():
    first = drawn(shapely.box(3, 3, 9.5, 9.5))
    again = drawn(shapely.box(30, 30, 40, 40), shapely.LineString([(-50, 40), (60, 90)]), shapely.box(3, 3, 9.5, 9.5))
    assert np.array_equal(first, again)


def test_the_index_finds_what_is_in_view_in_drawing_order():
    centres = np.random.default_rng(5).uniform(0, 1000, (5000, 2))
    index = index_of(flat(*shapely.points(centres)))
    for view in (
        View(500, 500, 2, 100, 80),
        View(0, 0, 1, 50, 50),
        View(500, 500, 20, 100, 100),
        View(9e3, 0, 1, 9, 9),
    ):
        e = view.extent
        exact = np.flatnonzero((centres >= (e.xmin, e.ymin)).all(axis=1) & (centres <= (e.xmax, e.ymax)).all(axis=1))
        assert np.array_equal(index.within(e), exact)


def test_blend_by_opacity_and_by_multiplying():
    def laid(mode, opacity):
        base, above = np.zeros((2, 2, 4), np.uint8), np.zeros((2, 2, 4), np.uint8)
        base[...] = (100, 100, 200, 255)
        above[...] = (200, 0, 51, 255)
        blend(base, above, opacity, mode, 0, 2)
        return base[0, 0].tolist()

    assert laid(NORMAL, 0.5) == [150, 50, 126, 255]
    assert laid(MULTIPLY, 1.0) == [78, 0, 40, 255]
    assert laid(MULTIPLY, 0.5) == [89, 50, 120, 255]
