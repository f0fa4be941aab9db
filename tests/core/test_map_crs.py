"""Which CRS a map is offered, and that they keep what is promised of them."""

from __future__ import annotations

import numpy as np
import pyproj
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.overlays import grid_lines
from brisk_atlas.core.model import Extent
from brisk_atlas.core.place import crs_name, proj_crs, transform
from brisk_atlas.core.place.domain import domain_of
from brisk_atlas.core.place.map_crs import ANTARCTIC, ARCTIC, equal_area, equal_area_world, equidistant, proposals

UTM = "EPSG:32727"
GEOD = pyproj.Geod(ellps="WGS84")


def codes(seen, subject=None):
    return {each.crs: each.reason for each in proposals(seen, subject, "lava_flows")}


def test_the_island_is_offered_its_own_zone_and_projections_around_it():
    found = proposals(Extent(504_000, 5_767_000, 514_240, 5_776_000, UTM), UTM, "lava_flows")
    assert found[0] == (UTM, "that of lava_flows") and [f.crs for f in found].count(UTM) == 1
    assert crs_name(found[1].crs) == "Equal-area around 38.2° S, 20.9° W" and "areas are true" in found[1].reason
    assert "EPSG:3857" in codes(None) and codes(None).keys() == {"EPSG:8857", "EPSG:3857", "EPSG:4326"}


def test_the_zone_is_offered_for_a_place_and_not_for_half_the_world():
    found = codes(Extent(-22, -39, -20, -37, "EPSG:4326"), "EPSG:4326")
    assert found[UTM] == "UTM zone 27 of the place in view" and found["EPSG:4326"] == "that of lava_flows"
    wide = codes(Extent(-170, -60, 170, 70, "EPSG:4326"))
    assert not any("zone" in reason or "around" in reason for reason in wide.values())


@pytest.mark.parametrize(("latitude", "code"), [(75, ARCTIC), (-75, ANTARCTIC)])
def test_near_a_pole_a_polar_one_is_offered(latitude, code):
    assert code in codes(Extent(10, latitude - 2, 14, latitude + 2, "EPSG:4326"))
    assert code not in codes(Extent(10, -2, 14, 2, "EPSG:4326"))


@settings(deadline=None, max_examples=30)
@given(st.floats(-180, 180), st.floats(-85, 85), st.floats(0, 360), st.floats(1_000, 2_000_000))
def test_distances_from_the_centre_are_true_in_the_equidistant_one(longitude, latitude, bearing, distance):
    x, y, _ = GEOD.fwd(longitude, latitude, bearing, distance)
    at = transform(np.array([[x, y]]), "EPSG:4326", equidistant(longitude, latitude))[0]
    assert np.hypot(*at) == pytest.approx(distance, rel=1e-6)


@settings(deadline=None, max_examples=20)
@given(st.floats(-180, 180), st.floats(-80, 80))
def test_areas_are_true_in_the_equal_area_one(longitude, latitude):
    ring = np.array([GEOD.fwd(longitude, latitude, turn, 300_000)[:2] for turn in np.arange(0, 360, 0.5)])
    truth = abs(GEOD.polygon_area_perimeter(ring[:, 0], ring[:, 1])[0])
    x, y = transform(ring, "EPSG:4326", equal_area(longitude, latitude)).T
    area = abs(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1))) / 2
    assert area == pytest.approx(truth, rel=2e-4)


def test_a_view_across_the_antimeridian_is_centred_where_it_lies():
    names = [crs_name(each.crs) for each in proposals(Extent(178, -20, 184, -14, "EPSG:4326"), None)]
    assert any(name.startswith("Equal-area around 17° S, 179° W") for name in names)
    assert "EPSG:32701" in codes(Extent(178, -20, 184, -14, "EPSG:4326"))
    assert all(proj_crs(each.crs).is_projected or each.crs == "EPSG:4326" for each in proposals(None, None))


def test_the_world_is_proposed_around_what_is_in_view():
    found = {p.crs: p.reason for p in proposals(Extent(60.0, -60.0, 240.0, 60.0, "EPSG:4326"), None)}
    world = equal_area_world(150.0)
    assert "around what is in view" in found[world] and proj_crs(world).name == "Equal Earth around 150° E"
    assert transform(np.array([[150.0, 0.0]]), "EPSG:4326", world)[0] == pytest.approx((0, 0), abs=1e-6)
    assert domain_of(world).west == pytest.approx(-30.0)


def test_grid_lines_of_a_world_are_cut_at_its_edge_and_named_once_around():
    world = equal_area_world(150.0)
    lines = grid_lines(View(0.0, 0.0, 40_000.0, 900, 500, world), geographic=True)
    texts = {line.text for line in lines if line.upright}
    assert {"0°", "180°", "45° E", "135° W"} <= texts and "180° W" not in texts
    for line in lines:
        assert np.hypot(*np.diff(line.points, axis=0).T).max() < 120  # none leaps across the map
