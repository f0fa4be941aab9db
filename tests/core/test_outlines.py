"""Features as outlines: the same picture as the map has, hatches inside by even-odd, and what can be left out."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.draw.classes import Colouring
from brisk_atlas.core.draw.hatch_lines import hatch_dots, hatch_lines
from brisk_atlas.core.draw.outlines import Pen, Stamps, line, outlines_of
from brisk_atlas.core.draw.vector import Inks, draw_vector
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import AREA, LINE, POINT, POLYGON, Shapes, bounds_of
from brisk_atlas.core.paper.box import PX_MM
from brisk_atlas.core.paper.pixel_surface import PixelSurface
from brisk_atlas.core.read.shape_index import index_of

SIZE = 300
VIEW = View(150.0, 150.0, 1.0, SIZE, SIZE)


def shapes_of(features):
    """Return shapes of features: lists of (kind, vertices)."""
    paths = [path for feature in features for path in feature]
    xy = np.concatenate([np.array(vertices, float) for _, vertices in paths])
    starts = np.concatenate([[0], np.cumsum([len(vertices) for _, vertices in paths])])
    kinds = np.array([kind for kind, _ in paths], np.uint8)
    of = np.concatenate([[0], np.cumsum([len(feature) for feature in features])])
    return Shapes(xy, None, starts, kinds, of, bounds_of(xy, starts, of))


def circle(x, y, radius, count=60):
    turn = np.linspace(0, 2 * np.pi, count + 1)
    return np.column_stack([x + radius * np.cos(turn), y + radius * np.sin(turn)])


def as_pixels(drawn, density=1.0):
    """Return what outlines look like on clear paper, as the page of pixels draws them."""
    surface = PixelSurface(SIZE * PX_MM, SIZE * PX_MM, 96.0 * density)
    surface.draw(drawn, 0.0, 0.0, PX_MM)
    return surface.pages[0][..., :3].astype(int)


def on_paper(features, style, inks, view=VIEW):
    """Return what the map draws, on the same paper."""
    image = np.zeros((SIZE, SIZE, 4), np.uint8)
    draw_vector(image, index_of(features), inks, style, view)
    return image[..., :3].astype(int) + (255 - image[..., 3:].astype(int))


RING = [(POLYGON, circle(140, 160, 90)), (POLYGON, circle(150, 150, 40))]
ZIGZAG = [(LINE, [(5.0, 20.0), (80.0, 120.0), (90.0, 30.0), (200.0, 40.0), (290.0, 280.0)])]
DOTS = [[(POINT, [(x, y)])] for x, y in ((30.5, 40.25), (120.0, 200.0), (125.0, 203.0), (260.0, 90.0))]
LOOKS = {
    "plain": VectorStyle(width=3.0),
    "mitred": VectorStyle(width=7.0, join="mitre", cap="flat"),
    "dashed": VectorStyle(width=3.0, dash=(12.0, 6.0), cap="flat"),
    "cased": VectorStyle(width=3.0, casing=2.0, casing_colour="#ffcc00"),
    "hollow": VectorStyle(width=4.0, hollow=True),
    "squares": VectorStyle(symbol="square", size=21.0, width=2.0),
    "pins": VectorStyle(symbol="pin", size=16.0, width=0.0),
    "lines inside": VectorStyle(hatch="rising", hatch_gap=9.0, width=2.0),
    "crossed": VectorStyle(hatch="crossed", hatch_gap=14.0, width=2.0),
    "level": VectorStyle(hatch="level", hatch_gap=7.0, width=2.0),
    "dots": VectorStyle(hatch="dots", hatch_gap=10.0, width=2.0),
}


@pytest.mark.parametrize("turn", [0.0, 30.0])
@pytest.mark.parametrize("look", LOOKS)
def test_outlines_are_what_the_map_draws(look, turn):
    features = shapes_of([RING, ZIGZAG, *DOTS]).turned(turn)
    view = View(*np.mean([features.xy.min(axis=0), features.xy.max(axis=0)], axis=0), 1.3, SIZE, SIZE)
    rgb = np.array([(200, 30, 30), (30, 30, 200), *[(10, 150, 40)] * 4], np.uint8)
    inks = Inks(Colouring(rgb))
    drawn = outlines_of(index_of(features), inks, LOOKS[look], view)
    apart = np.abs(as_pixels(drawn) - on_paper(features, LOOKS[look], inks, view))
    assert apart.mean() < 0.6  # of 255; edges of a hatch and of a dash lie a part of a pixel aside
    assert (apart.max(axis=2) > 100).mean() < 0.004
    blank = np.abs(255 - on_paper(features, LOOKS[look], inks, view)).mean()
    assert blank > 5  # there is something to compare


def test_features_keep_their_order_and_share_looks_only_with_neighbours():
    squares = [[(POLYGON, [(x, 10), (x + 60, 10), (x + 60, 70), (x, 70), (x, 10)])] for x in (10, 40, 70, 100)]
    rgb = np.array([(255, 0, 0), (255, 0, 0), (0, 0, 255), (255, 0, 0)], np.uint8)
    drawn = outlines_of(index_of(shapes_of(squares)), Inks(Colouring(rgb)), VectorStyle(), VIEW)
    assert [each.fill for each in drawn] == ["#ff0000", "#0000ff", "#ff0000"]
    assert [len(each.shape_starts) - 1 for each in drawn] == [2, 1, 1]
    shown = np.array([True, False, True, False])
    drawn = outlines_of(index_of(shapes_of(squares)), Inks(Colouring(rgb)), VectorStyle(), VIEW, shown=shown)
    assert [each.fill for each in drawn] == ["#ff0000", "#0000ff"]


def test_what_was_cut_for_a_map_is_filled_alone_and_stroked_along_its_own_outline():
    square = [(10, 10), (60, 10), (60, 70), (10, 70), (10, 10)]
    cut = shapes_of([[(AREA, square), (LINE, square[:3])]])
    filled, stroked = outlines_of(index_of(cut), Inks(), VectorStyle(), VIEW)
    assert filled.fill and filled.pen is None and filled.closed
    assert stroked.pen and stroked.fill is None and not stroked.closed and len(stroked.xy) == 3


def test_a_long_coast_is_thinned_to_what_a_page_can_show_and_what_lies_far_off_is_left_out():
    turn = np.linspace(0, 2 * np.pi, 200_001)
    coast = np.column_stack([150 + 40_000 * np.cos(turn), 150 - 39_950 + 40_000 * np.sin(turn)])
    coast[-1] = coast[0]
    features = shapes_of([[(POLYGON, coast)]])
    (drawn,) = outlines_of(index_of(features), Inks(), VectorStyle(), VIEW)
    assert len(drawn.xy) < 1_000
    apart = np.abs(as_pixels([drawn]) - on_paper(features, VectorStyle(), Inks()))
    assert apart.mean() < 0.1
    dense = shapes_of([[(LINE, np.column_stack([np.linspace(0, 300, 100_000), np.full(100_000, 9.0)]))]])
    (drawn,) = outlines_of(index_of(dense), Inks(), VectorStyle(), VIEW)
    assert 1_000 < len(drawn.xy) < 3_000 and drawn.xy[-1][0] == 300.0


def test_too_much_for_a_page_is_said_to_be_so(monkeypatch):
    monkeypatch.setattr("brisk_atlas.core.draw.outlines.MOST_VERTICES", 50)
    assert outlines_of(index_of(shapes_of([RING])), Inks(), VectorStyle(), VIEW) is None


def test_empty_and_unplaced_features_draw_nothing():
    features = shapes_of([[(POINT, [(np.nan, np.nan)])], [(POLYGON, [(np.nan, 1.0)] * 4)], DOTS[0]])
    drawn = outlines_of(index_of(features), Inks(), VectorStyle(), VIEW)
    (stamps,) = [each for each in drawn if len(each.xy)]
    assert isinstance(stamps, Stamps) and len(stamps.xy) == 1


coordinate = st.integers(0, 120)


@settings(max_examples=60, deadline=None)
@given(
    rings=st.lists(st.lists(st.tuples(coordinate, coordinate), min_size=3, max_size=8), min_size=1, max_size=3),
    hatch=st.sampled_from(["rising", "falling", "level"]),
    gap=st.floats(3.0, 17.0),
    shift=st.floats(-40.0, 40.0),
)
def test_hatch_lines_are_those_of_another_library(rings, hatch, gap, shift):
    """The even-odd area is made by shapely, of the same rings."""
    closed = [np.array([*ring, ring[0]], float) for ring in rings]
    area = shapely.Polygon()
    for ring in closed:
        area = shapely.symmetric_difference(area, _even_odd(ring), grid_size=1e-6)  # else it may leave slivers
    starts = np.concatenate([[0], np.cumsum([len(ring) for ring in closed])])
    xy = np.concatenate(closed)
    lines = hatch_lines(xy, starts, np.array([0, len(closed)]), hatch, gap, (shift, -shift / 2))
    found = float(np.hypot(*(lines[:, 1] - lines[:, 0]).T).sum()) if len(lines) else 0.0
    wide = np.arange(-80, 80)
    across, along = {"rising": ((1, 1), (1, -1)), "falling": ((1, -1), (1, 1)), "level": ((0, 1), (1, 0))}[hatch]
    reach = gap * (1 if hatch == "level" else np.sqrt(2))
    t = wide * reach - np.dot((shift, -shift / 2), across)
    inverse = np.linalg.inv(np.array([across, along], float))
    ends = np.stack([np.column_stack([t, np.full(len(t), side)]) @ inverse.T for side in (-900.0, 900.0)], axis=1)
    expected = shapely.length(shapely.intersection(shapely.linestrings(ends), area)).sum()
    assert found == pytest.approx(expected, abs=max(2.0, 0.02 * expected))


def _even_odd(ring):
    """Return the area within a ring that may cross itself, by even-odd."""
    noded = shapely.unary_union(shapely.LineString(ring))
    parts = shapely.get_parts(shapely.polygonize(shapely.get_parts(noded)))
    inside = [part for part in parts if _crossed(ring, part.representative_point()) % 2]
    return shapely.union_all(inside) if inside else shapely.Polygon()


def _crossed(ring, point):
    """Return how many sides of a ring a ray to the right of a point meets."""
    (x0, y0), (x1, y1) = ring[:-1].T, ring[1:].T
    meets = (y0 > point.y) != (y1 > point.y)
    at = x0[meets] + (point.y - y0[meets]) * (x1 - x0)[meets] / (y1 - y0)[meets]
    return int((at > point.x).sum())


def test_dots_of_a_hatch_stand_on_their_squares_inside_alone():
    ring = circle(50.0, 50.0, 40.0, 200)
    dots = hatch_dots(ring, np.array([0, len(ring)]), np.array([0, 1]), 7.0, (3.0, 1.0))
    grid = np.stack(np.meshgrid(np.arange(-5, 30), np.arange(-5, 30)), axis=-1).reshape(-1, 2) * 7.0 + 3.5 - (3.0, 1.0)
    expected = grid[shapely.contains_xy(shapely.Polygon(ring), grid)]
    assert sorted(map(tuple, dots.round(6).tolist())) == sorted(map(tuple, expected.round(6).tolist()))


def test_widths_of_a_page_are_those_of_the_outline_at_any_density():
    outline = line((20.0, 50.0), (200.0, 50.0), pen=Pen("#000000", 6.0, cap="flat"))
    for density in (1.0, 3.0):
        dark = (as_pixels([outline], density)[..., 0] < 128).sum()
        assert dark / density**2 == pytest.approx(180 * 6, rel=0.01)
