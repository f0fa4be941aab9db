"""Well-known binary to flat arrays, against shapely."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON
from brisk_atlas.core.read.wkb import shapes_of

coordinate = st.floats(-1e6, 1e6, allow_nan=False, width=64)
points = st.builds(shapely.Point, coordinate, coordinate)
lines = arrays(float, st.tuples(st.integers(2, 6), st.just(2)), elements=coordinate).map(shapely.LineString)
boxes = st.builds(
    lambda x, y, w, h: shapely.box(x, y, x + w, y + h), coordinate, coordinate, st.floats(1, 9), st.floats(1, 9)
)
geometry = st.one_of(
    points,
    lines,
    boxes,
    st.lists(points, min_size=1, max_size=3).map(shapely.MultiPoint),
    st.lists(lines, min_size=1, max_size=3).map(shapely.MultiLineString),
    st.lists(boxes, min_size=1, max_size=3).map(shapely.MultiPolygon),
    st.lists(st.one_of(points, lines, boxes), min_size=1, max_size=3).map(shapely.GeometryCollection),
    st.just(shapely.Polygon()),
)


def as_wkb(shapes, **options):
    return pa.array([None if s is None else shapely.to_wkb(s, **options) for s in shapes], pa.binary())


@settings(max_examples=60)
@given(st.lists(geometry, max_size=8))
def test_vertices_and_bounds_are_those_of_shapely(shapes):
    flat, status = shapes_of(as_wkb(shapes))
    assert status == 0 and len(flat) == len(shapes)
    assert np.array_equal(flat.xy, shapely.get_coordinates(shapes))
    assert np.array_equal(flat.bounds, shapely.bounds(shapes).reshape(-1, 4), equal_nan=True)


def test_rings_lines_and_points_are_told_apart():
    ring = shapely.Polygon([(0, 0), (9, 0), (9, 9), (0, 9)], [[(2, 2), (4, 2), (4, 4)]])
    flat, _ = shapes_of(as_wkb([ring, shapely.LineString([(0, 0), (1, 1)]), shapely.Point(3, 3)]))
    assert flat.path_kinds.tolist() == [POLYGON, POLYGON, LINE, POINT]
    assert np.diff(flat.path_starts).tolist() == [5, 4, 2, 1]
    assert [len(p) for p in flat.paths(0)] == [5, 4]


def test_heights_survive_in_both_ways_of_writing_them():
    line = shapely.LineString([(0, 0, 5), (1, 1, 7)])
    for flavor in ("iso", "extended"):
        flat, status = shapes_of(as_wkb([line], flavor=flavor, output_dimension=3))
        assert status == 0 and flat.z.tolist() == [5, 7]
        assert flat.xy.tolist() == [[0, 0], [1, 1]]


def test_null_and_empty_become_features_without_paths():
    flat, status = shapes_of(as_wkb([None, shapely.Point(1, 2), shapely.LineString()]))
    assert status == 0 and np.diff(flat.feature_starts).tolist() == [0, 1, 1]
    assert np.isnan(flat.bounds[0]).all() and np.isnan(flat.bounds[2]).all()


def test_a_sliced_array_starts_where_it_says():
    whole = as_wkb([shapely.Point(i, i) for i in range(6)])
    flat, _ = shapes_of(whole.slice(2, 3))
    assert flat.xy[:, 0].tolist() == [2, 3, 4]


@given(st.binary(max_size=80), st.integers(0, 60))
def test_damage_never_leads_outside_the_buffer(noise, cut):
    good = shapely.to_wkb(shapely.LineString([(0, 0), (1, 1), (2, 0)]))
    for blob in (noise, good[:cut], good[:9] + noise, b"\x01\x02\x00\x00\x00\xff\xff\xff\x7f" + noise):
        flat, _ = shapes_of(pa.array([blob, good], pa.binary()))
        assert len(flat) == 2 and flat.path_starts[-1] == len(flat.xy)
        assert flat.paths(1)[0].tolist() == [[0, 0], [1, 1], [2, 0]]  # the neighbour is whole


def test_big_endian_and_curves_are_owned_up_to():
    assert shapes_of(as_wkb([shapely.Point(1, 2)], byte_order=0))[1] == 3
    assert shapes_of(pa.array([b"\x01\x08\x00\x00\x00\x00\x00\x00\x00"], pa.binary()))[1] == 2
