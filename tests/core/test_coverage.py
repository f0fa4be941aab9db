"""The drawing kernels, against areas and distances computed another way."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.coverage import blend, colour_by_ramp, draw_points, hillshade
from brisk_atlas.core.draw.vector import draw_shapes
from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.read.wkb import shapes_of

SIZE = 24
VIEW = View(SIZE / 2, SIZE / 2, 1.0, SIZE, SIZE)  # one map unit a pixel; y grows north


def flat(*shapes):
    return shapes_of(pa.array([shapely.to_wkb(s) for s in shapes], pa.binary()))[0]


def drawn(shapes, *, view=VIEW, fill=(255, 255, 255, 1.0), line=(0, 0, 0, 0.0), width=0.0, size=8.0, image=None):
    """Return the picture of shapes, all in one fill and one line colour (0 to 255, opacity 0 to 1)."""
    image = np.zeros((view.height, view.width, 4), np.uint8) if image is None else image
    n = len(shapes)
    bodies, lines = np.tile(np.array(fill, float), (n, 1)), np.tile(np.array(line, float), (n, 1))
    style = VectorStyle(width=width, size=size)
    draw_shapes(image, shapes, np.arange(n), bodies, lines, style, view, lambda: None)
    return image


def exact_cover(shape):
    """Return the share of each pixel that a shape covers, by shapely."""
    cover = np.zeros((SIZE, SIZE))
    for row in range(SIZE):
        for col in range(SIZE):
            cell = shapely.box(col, SIZE - row - 1, col + 1, SIZE - row)
            cover[row, col] = shape.intersection(cell).area
    return cover


inside = st.floats(-6, SIZE + 6)


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(inside, inside), min_size=3, max_size=3, unique=True))
def test_a_triangle_covers_pixels_as_its_area_does(corners):
    triangle = shapely.Polygon(corners)
    alpha = drawn(flat(triangle))[..., 3] / 255
    assert np.abs(alpha - exact_cover(triangle)).max() <= 1.5 / 255 + 0.002


def test_holes_stay_empty_whichever_way_the_rings_run():
    outer, hole = [(2, 2), (20, 2), (20, 20), (2, 20)], [(6, 6), (14, 6), (14, 14), (6, 14)]
    for ring in (hole, hole[::-1]):
        shape = shapely.Polygon(outer, [ring])
        alpha = drawn(flat(shape))[..., 3] / 255
        assert np.abs(alpha - exact_cover(shape)).max() < 1e-9
        assert alpha[SIZE - 10, 10] == 0


def test_tiles_of_a_plane_leave_no_seam_where_edges_meet_pixels():
    shapes = flat(*(shapely.box(x, y, x + 3, y + 4) for x in range(0, 24, 3) for y in range(0, 24, 4)))
    assert (drawn(shapes) == 255).all()


def test_a_polygon_around_the_whole_view_fills_it_without_edges():
    huge = shapely.box(-1e7, -1e7, 1e7, 1e7)
    assert (drawn(flat(huge))[..., 3] == 255).all()


def test_a_shape_smaller_than_a_pixel_is_its_share_and_not_nothing():
    alpha = drawn(flat(shapely.box(5.25, 5.25, 5.75, 5.75)))[..., 3]
    assert alpha[SIZE - 6, 5] == pytest.approx(0.25 * 255, abs=1)
    assert alpha.sum() == alpha[SIZE - 6, 5]


@settings(max_examples=15, deadline=None)
@given(st.integers(-5, 5), st.integers(-5, 5))
def test_moving_by_whole_pixels_moves_the_picture(dx, dy):
    shape = shapely.Polygon([(8.3, 8.1), (15.7, 9.9), (11.2, 15.4)])
    still = drawn(flat(shape), line=(10, 20, 30, 1.0), width=1.5)
    moved = drawn(flat(shapely.transform(shape, lambda xy: xy + (dx, -dy))), line=(10, 20, 30, 1.0), width=1.5)
    assert np.abs(np.roll(still, (dy, dx), (0, 1)).astype(int) - moved).max() <= 1


def test_no_jitter_at_extreme_zoom():
    """Coordinates of 1e7 m seen at 1 cm a pixel."""
    x, y, cm = 9_876_543.21, 8_765_432.10, 0.01
    square = shapely.box(x - 4 * cm, y - 4 * cm, x + 4 * cm, y + 4 * cm)
    alpha = drawn(flat(square), view=View(x, y, cm, SIZE, SIZE))[..., 3] / 255
    assert np.abs(alpha[8:16, 8:16] - 1).max() < 0.01 and alpha.sum() == pytest.approx(64, abs=0.1)


def test_a_line_is_as_wide_as_asked():
    for width in (1.0, 2.0, 5.0):
        image = drawn(
            flat(shapely.LineString([(-9, 12), (40, 12)])), fill=(255, 0, 0, 1), line=(255, 0, 0, 1), width=width
        )
        assert image[:, 12, 3].sum() / 255 == pytest.approx(width, abs=0.02)


def test_a_line_that_turns_back_is_not_laid_twice():
    there = [(4, 12), (20, 12)]
    once = drawn(flat(shapely.LineString(there)), fill=(0, 0, 0, 0.5), line=(0, 0, 0, 0.5), width=3)
    twice = drawn(flat(shapely.LineString([*there, there[0]])), fill=(0, 0, 0, 0.5), line=(0, 0, 0, 0.5), width=3)
    assert np.array_equal(once, twice)


def test_a_stroke_matches_the_buffer_of_the_line():
    line = shapely.LineString([(3.2, 4.1), (12.7, 18.3), (20.5, 6.6)])
    alpha = drawn(flat(line), fill=(0, 0, 0, 1), line=(0, 0, 0, 1), width=4)[..., 3] / 255
    assert np.abs(alpha - exact_cover(line.buffer(2, quad_segs=32))).mean() < 0.012


def test_later_features_lie_over_earlier_ones():
    shapes = flat(shapely.box(0, 0, 24, 24), shapely.box(0, 0, 24, 24))
    image = np.zeros((SIZE, SIZE, 4), np.uint8)
    bodies = np.array([[255.0, 0, 0, 1], [0, 0, 255.0, 1]])
    draw_shapes(image, shapes, np.array([0, 1]), bodies, bodies * 0, VectorStyle(width=0), VIEW, lambda: None)
    assert image[5, 5].tolist() == [0, 0, 255, 255]


def test_points_are_round_and_outlined():
    image = drawn(flat(shapely.Point(12, 12)), fill=(200, 0, 0, 1), line=(0, 0, 200, 1), width=2, size=12)
    assert image[12, 12].tolist() == [200, 0, 0, 255]
    assert image[12, 17, 2] > 150 and image[12, 17, 0] < 60  # in the rim
    assert image[..., 3].sum() / 255 == pytest.approx(np.pi * 36, rel=0.03)


def test_bands_of_threads_join_without_a_trace():
    tall = View(50, 100, 1.0, 100, 200)  # more rows than one thread takes
    shape = shapely.Point(50, 100).buffer(45)
    whole = drawn(flat(shape), view=tall, line=(9, 9, 9, 1), width=3)
    assert np.abs(whole[:100].astype(int) - whole[100:][::-1]).max() <= 2


def test_scratch_is_clean_after_a_drawing():
    first = drawn(flat(shapely.box(3, 3, 9.5, 9.5)))
    again = drawn(flat(shapely.box(3, 3, 9.5, 9.5), shapely.box(30, 30, 40, 40)))
    assert np.array_equal(first, again)


def test_blend_by_opacity():
    base, above = np.zeros((2, 2, 4), np.uint8), np.zeros((2, 2, 4), np.uint8)
    base[...] = (100, 100, 100, 255)
    above[...] = (200, 0, 0, 255)
    blend(base, above, 0.5, 0, 2)
    assert base[0, 0].tolist() == [150, 50, 50, 255]


def test_cloud_points_are_squares_in_their_colour():
    image = np.zeros((10, 10, 4), np.uint8)
    draw_points(
        image,
        0,
        10,
        np.array([4.5, 100.0]),
        np.array([5.5, 5.0]),
        np.array([[1, 2, 3], [9, 9, 9]], np.uint8),
        0.0,
        10.0,
        1.0,
        3.0,
    )
    assert (image[..., 3] > 0).sum() == 9 and image[4, 4].tolist() == [1, 2, 3, 255]


def test_a_ramp_colours_by_value_and_leaves_nodata_clear():
    table = np.repeat(np.arange(256, dtype=np.uint8)[:, None], 3, axis=1)
    values, valid = np.array([[0.0, 5.0], [10.0, 99.0]]), np.array([[True, True], [True, False]])
    image = np.zeros((2, 2, 4), np.uint8)
    colour_by_ramp(values, valid, 0.0, 10.0, table, np.zeros((0, 0), np.float32), image)
    assert image[0, 0, 0] == 0 and image[0, 1, 0] == 128 and image[1, 0, 0] == 255
    assert image[1, 1].tolist() == [0, 0, 0, 0]


def test_hillshade_is_even_on_the_flat_and_brighter_towards_the_light():
    rows, cols = np.mgrid[0:9, 0:9].astype(float)
    valid = np.ones((9, 9), bool)
    assert (hillshade(np.zeros((9, 9)), valid, 10.0, 10.0, 1.0) == 1).all()
    facing = hillshade(rows * -5 + cols * 5, valid, 10.0, 10.0, 1.0)  # faces neither
    north_west = hillshade((rows + cols) * 5, valid, 10.0, 10.0, 1.0)  # rises to the south-east, so it faces the light
    south_east = hillshade((rows + cols) * -5, valid, 10.0, 10.0, 1.0)
    assert north_west[4, 4] > 1 > south_east[4, 4]
    assert south_east[4, 4] < facing[4, 4] < north_west[4, 4]


def test_hillshade_of_a_slope_is_the_cosine_to_the_light():
    rows, cols = np.mgrid[0:5, 0:5].astype(float)
    fall = 0.3
    lit = hillshade((rows + cols) * 10 * fall, np.ones((5, 5), bool), 10.0, 10.0, 1.0)[2, 2]
    normal = np.array([-fall, fall, 1.0]) / np.sqrt(1 + 2 * fall**2)  # east, north, up
    light = np.array([-0.5, 0.5, np.sqrt(0.5)])
    assert lit == pytest.approx(normal @ light / np.sqrt(0.5), rel=1e-6)


def test_slopes_beside_nodata_are_not_guessed():
    valid = np.ones((5, 5), bool)
    valid[2, 3] = False
    lit = hillshade(np.mgrid[0:5, 0:5][0] * 9.0, valid, 10.0, 10.0, 1.0)
    assert lit[2, 2] == 1 and lit[2, 1] != 1
