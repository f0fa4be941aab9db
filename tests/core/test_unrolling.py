"""Shapes stored with a jump across 180 degrees: measured, checked and cut as the pieces of the Earth that they are."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyogrio
import pyproj
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.handover import VectorOrder, hand_over_vector
from brisk_atlas.core.inspect.feature import geometry_readings
from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place.unrolling import cut_around, in_one_piece
from brisk_atlas.core.read.wkb import shapes_of
from brisk_atlas.core.table.measures import measure

DEGREES = "EPSG:4326"


def jumped(shape):
    """Return a shape beyond 180 as files store it: with longitudes from -180 to 180."""
    return shapely.transform(shape, lambda xy: np.column_stack([(xy[:, 0] + 180) % 360 - 180, xy[:, 1]]))


def features_of(*shapes):
    wkb = pa.array(shapely.to_wkb(np.array(shapes, dtype=object)), pa.binary())
    return Features(pa.table({"n": list(range(len(shapes)))}), wkb, shapes_of(wkb)[0], DEGREES)


@given(st.floats(170, 189), st.floats(-60, 60), st.floats(0.5, 9), st.booleans())
def test_a_shape_in_one_piece_is_the_one_that_was_stored_with_a_jump(lon, lat, size, hole):
    shape = shapely.Point(lon, lat).buffer(size)
    shape = shape.difference(shapely.Point(lon, lat).buffer(size / 3)) if hole else shape
    stored = jumped(shape)
    (made,), (across,) = in_one_piece(np.array([stored], dtype=object), DEGREES)
    assert across == bool(shape.bounds[0] < 180 < shape.bounds[2])
    if across:
        shift = round((made.bounds[0] - shape.bounds[0]) / 360) * 360
        assert shapely.transform(made, lambda xy: xy - (shift, 0.0)).equals_exact(shape, 1e-9)
    else:
        assert made is stored


def test_what_goes_around_a_pole_or_is_truly_wide_stays_as_it_is():
    pole = shapely.Polygon([(x, -70) for x in range(-180, 181, 10)] + [(180, -90), (-180, -90)])
    wide = shapely.Polygon([(x, 0) for x in range(-100, 101, 20)] + [(x, 10) for x in range(100, -101, -20)])
    shapes = np.array([pole, wide, None], dtype=object)
    made, across = in_one_piece(shapes, DEGREES)
    assert not across.any() and all(a is b for a, b in zip(made, shapes))
    assert in_one_piece(np.array([jumped(shapely.box(179, 0, 181, 1))], dtype=object), "EPSG:3857")[1].tolist() == [
        False
    ]


def test_measures_and_validity_are_those_of_the_piece():
    across, here = shapely.box(179, -1, 182, 1), shapely.box(0, -1, 3, 1)
    features = features_of(jumped(across), here)
    for name in ("area_plane", "length_plane", "area_ellipsoid", "length_ellipsoid"):
        one, two = measure(features, name)
        assert one == pytest.approx(two, rel=1e-9), name
    assert measure(features, "centroid_x")[0] == pytest.approx(-179.5)
    assert measure(features, "centroid_x", "EPSG:32601")[0] == pytest.approx(
        pyproj.Transformer.from_crs(4326, 32601, always_xy=True).transform(-179.5, 0.0)[0], abs=1e-6
    )
    readings = {r.label: r for r in geometry_readings(features.wkb[0], DEGREES)}
    assert readings["valid"].text == "yes"


def test_an_export_cuts_such_a_shape_where_it_lies(tmp_path):
    features = features_of(jumped(shapely.Point(180, 0).buffer(2)), shapely.box(0, 0, 1, 1))
    for within, area in ((Extent(179, -1, 180, 1, DEGREES), 2.0), (Extent(-180, -1, -179, 1, DEGREES), 2.0),
                         (Extent(179, -1, 181, 1, DEGREES), 4.0), (Extent(0, 0, 0.5, 1, DEGREES), 0.5)):  # fmt: skip
        path = tmp_path / f"{area}{within.xmin}.gpkg"
        assert hand_over_vector(features, VectorOrder(path, "GeoPackage", "out", within=within)) == 1
        _, table = pyogrio.read_arrow(path)
        (shape,) = shapely.from_wkb(table.column(table.num_columns - 1).to_numpy())
        assert shape.area == pytest.approx(area) and shape.is_valid and np.abs(shape.bounds)[[0, 2]].max() <= 180


def test_a_cut_that_leaves_nothing_leaves_nothing():
    shapes = np.array([jumped(shapely.Point(180, 0).buffer(2))], dtype=object)
    left = cut_around(shapes, DEGREES, lambda some: np.array([None] * len(some), dtype=object))
    assert left.tolist() == [None]
