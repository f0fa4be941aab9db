"""Coordinate reference systems and notations, against pyproj and published points."""

from __future__ import annotations

import numpy as np
import pyproj
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.model import CannotPlace, Extent
from brisk_atlas.core.place import (
    crs_label,
    height_unit_of,
    is_geographic,
    metres_per_unit,
    proj_crs,
    same_crs,
    text_of,
    transform,
    transform_extent,
    unit_of,
)
from brisk_atlas.core.place.notation import degrees_text, mgrs_text

UTM27S = "EPSG:32727"


def test_the_code_is_found_behind_wkt_and_unknown_wkt_stays():
    assert text_of(pyproj.CRS(UTM27S).to_wkt()) == UTM27S
    odd = pyproj.CRS("+proj=laea +lat_0=-38 +lon_0=-21 +ellps=bessel").to_wkt()
    assert text_of(odd) == odd
    assert crs_label(odd) != odd


def test_nonsense_is_no_crs():
    with pytest.raises(CannotPlace, match="not a coordinate reference system"):
        proj_crs("EPSG:nonsense")


@given(st.floats(500_000, 516_000), st.floats(5_765_000, 5_779_000))
def test_there_and_back_again(x, y):
    there = transform(np.array([[x, y]]), UTM27S, "EPSG:4326")
    back = transform(there, "EPSG:4326", UTM27S)
    assert back[0] == pytest.approx([x, y], abs=1e-3)


def test_transform_agrees_with_pyproj():
    xy = np.array([[508_700.0, 5_771_900.0], [504_000.0, 5_767_000.0]])
    direct = pyproj.Transformer.from_crs(32727, 4326, always_xy=True).transform(xy[:, 0], xy[:, 1])
    assert transform(xy, UTM27S, "EPSG:4326") == pytest.approx(np.column_stack(direct))


def test_points_without_a_place_become_unknown_and_not_infinite():
    out = transform(np.array([[0.0, 90.0], [-21.0, -38.0]]), "EPSG:4326", "EPSG:3857")
    assert not np.isinf(out).any()
    assert np.isfinite(out[1]).all()


def test_an_unknown_crs_is_taken_as_the_other():
    assert same_crs(None, UTM27S) and same_crs(UTM27S, None)
    assert not same_crs(UTM27S, "EPSG:4326")


def test_extent_follows_the_bend_of_its_edges():
    extent = Extent(-21.1, -38.4, -20.7, -38.0, "EPSG:4326")
    wide = transform_extent(extent, UTM27S)
    corners = transform(np.array([[-21.1, -38.4], [-20.7, -38.4], [-21.1, -38.0], [-20.7, -38.0]]), "EPSG:4326", UTM27S)
    assert wide.xmin <= corners[:, 0].min() and wide.xmax >= corners[:, 0].max()
    assert wide.ymin <= corners[:, 1].min() and wide.ymax >= corners[:, 1].max() and wide.crs == UTM27S


def test_units():
    assert (unit_of(UTM27S), unit_of("EPSG:4326"), unit_of(None)) == ("m", "°", "")
    assert is_geographic("EPSG:4326") and not is_geographic(UTM27S)
    assert metres_per_unit(UTM27S) == 1
    assert metres_per_unit("EPSG:4326", 60) == pytest.approx(metres_per_unit("EPSG:4326", 0) / 2, rel=1e-9)


@pytest.mark.parametrize(
    ("lon", "lat", "text"),
    [
        (0, 0, "0°00′00.0″N 0°00′00.0″E"),
        (-20.9, -38.2, "38°12′00.0″S 20°54′00.0″W"),
        (179.9999999, 89.9999999, "90°00′00.0″N 180°00′00.0″E"),  # rounds up without 60 seconds
        (10.9999999, -0.99999, "1°00′00.0″S 11°00′00.0″E"),
    ],
)
def test_degrees_minutes_seconds(lon, lat, text):
    assert degrees_text(lon, lat) == text


@pytest.mark.parametrize(
    ("lon", "lat", "square", "utm"),
    [
        (0.0, 0.0, "31N AA", 32631),  # where the equator meets the prime meridian
        (-20.9, -38.2, "27H WT", 32727),
        (6.0, 60.0, "32V LM", 32632),  # the widened zone of 56 to 64 north, 3 to 12 east
    ],
)
def test_mgrs_is_utm_within_its_square(lon, lat, square, utm):
    zone, letters, east, north = mgrs_text(lon, lat).split()
    x, y = transform(np.array([[lon, lat]]), "EPSG:4326", f"EPSG:{utm}")[0]
    assert f"{zone} {letters}" == square
    assert abs(int(east) - x % 100_000) <= 1 and abs(int(north) - y % 100_000) <= 1


def test_heights_have_a_unit_only_where_the_plane_has_one():
    assert (height_unit_of(UTM27S), height_unit_of("EPSG:4326"), height_unit_of(None)) == ("m", "", "")
