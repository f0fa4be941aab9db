"""Extents, errors and words."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core import model
from brisk_atlas.core.model import CannotRead, Extent, size_text
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.shapes import bounds_of

numbers = st.floats(-1e7, 1e7, allow_nan=False)


@st.composite
def extents(draw):
    xs, ys = sorted([draw(numbers), draw(numbers)]), sorted([draw(numbers), draw(numbers)])
    return Extent(xs[0], ys[0], xs[1], ys[1])


@given(extents(), extents())
def test_union_holds_both_and_intersection_lies_in_both(a, b):
    union = a.union(b)
    for extent in (a, b):
        assert union.contains(extent.xmin, extent.ymin) and union.contains(extent.xmax, extent.ymax)
    shared = a.intersection(b)
    if shared is not None:
        assert a.contains(*shared.centre) and b.contains(*shared.centre)
    assert (shared is None) == (a.xmin > b.xmax or b.xmin > a.xmax or a.ymin > b.ymax or b.ymin > a.ymax)


@given(extents())
def test_an_extent_meets_itself_in_itself(extent):
    assert extent.intersection(extent) == extent
    assert extent.union(extent) == extent


def test_around_nothing_is_nothing():
    assert Extent.around([]) is None


def test_grown_by_a_share_of_the_longer_side():
    assert Extent(0, 0, 10, 4).grown(0.1) == Extent(-1, -1, 11, 5)


def test_an_error_says_file_reason_and_remedy_in_one_sentence_each():
    error = CannotRead("a.tif", "the file is empty.", "Ask for it again.")
    assert str(error) == "a.tif: the file is empty. Ask for it again."
    assert (error.place, error.reason, error.remedy) == ("a.tif", "the file is empty", "Ask for it again.")


@pytest.mark.parametrize(
    ("size", "text"),
    [(0, "0 bytes"), (999, "999 bytes"), (1000, "1 kB"), (1_164_000, "1.16 MB"), (999_700, "1 MB"), (5e12, "5 TB")],
)
def test_sizes_read_as_people_say_them(size, text):
    assert size_text(int(size)) == text


def test_every_name_that_the_model_offers_can_be_had():
    for name in model.__all__:
        assert getattr(model, name) is not None
    with pytest.raises(AttributeError, match="no attribute 'Nonsense'"):
        _ = model.Nonsense


def test_grid_finds_the_cell_of_a_point_and_none_outside():
    grid = Grid.over(np.zeros((1, 4, 5)), np.ones((4, 5), bool), Extent(100, 200, 150, 240))
    assert grid.cell == (10, 10)
    assert grid.cell_of(101, 239) == (0, 0)
    assert grid.cell_of(149.9, 200.1) == (3, 4)
    assert grid.cell_of(150, 200) == (3, 4)  # the far edges belong to the last cells
    assert grid.cell_of(151, 220) is None


def test_bounds_leave_out_features_without_vertices():
    xy = np.array([[0.0, 5.0], [2.0, 1.0], [7.0, 7.0]])
    bounds = bounds_of(xy, np.array([0, 2, 3]), np.array([0, 0, 1, 2, 2]))
    assert np.isnan(bounds[0]).all() and np.isnan(bounds[3]).all()
    assert bounds[1].tolist() == [0, 1, 2, 5]
    assert bounds[2].tolist() == [7, 7, 7, 7]
