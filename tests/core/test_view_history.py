"""Back and forward through what the map showed; a view in another CRS."""

from __future__ import annotations

import numpy as np
import pytest

from brisk_atlas.core.draw import View
from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.map_crs import equal_area
from brisk_atlas.core.place.transformation import AS_IT_IS, transformation_between
from brisk_atlas.core.workspace.view_history import MOST, ViewHistory, VisitedView

UTM = "EPSG:32727"


def test_places_are_gone_through_and_a_small_move_is_no_place():
    history = ViewHistory()
    for x in (0.0, 1.0, 500.0, 9_000.0):  # the second is where the first was
        history.note(VisitedView(x, 0.0, 1.0, UTM), 800)
    assert [history.back().x, history.back().x, history.back()] == [500.0, 1.0, None] and not history.can_go_back
    assert history.on().x == 500.0
    history.note(VisitedView(-4_000.0, 0.0, 1.0, UTM), 800)
    assert not history.can_go_on and history.on() is None and history.back().x == 500.0
    history.note(VisitedView(500.0, 0.0, 2.0, UTM), 800)
    assert history.back().resolution == 1.0
    for x in range(300):
        history.note(VisitedView(1e5 * x, 0.0, 1.0, UTM), 800)
    assert sum(history.back() is not None for _ in range(400)) == MOST - 1


@pytest.mark.parametrize("crs", ["EPSG:4326", "EPSG:3857", equal_area(-20.9, -38.2), "EPSG:32728"])
def test_a_view_in_another_crs_shows_the_same_place_at_its_scale(crs):
    view = View(509_000, 5_771_000, 8.0, 900, 700, UTM)
    there = view.shown_in(crs)
    corners = np.array([view.to_map(300, 200), view.to_map(600, 500)])
    seen = np.array([there.to_pixel(*place) for place in transform(corners, UTM, crs)])
    apart = np.hypot(*(seen[1] - seen[0])) / np.hypot(300, 300)
    assert there.crs == crs and 0.75 < apart < 1.35 and np.allclose(seen.mean(axis=0), (450, 350), atol=20)
    back = there.shown_in(UTM)
    assert (back.x, back.y) == pytest.approx((view.x, view.y), abs=0.01)
    assert back.resolution == pytest.approx(8.0, rel=0.15)


def test_a_view_that_another_crs_does_not_reach_is_none():
    assert View(0, 95, 0.1, 800, 600, "EPSG:4326").shown_in("EPSG:3031") is None
    view = View(1, 2, 3, 4, 5, None)
    assert view.shown_in(UTM).crs == UTM and view.shown_in(UTM).x == 1


def test_the_transformation_of_a_layer_is_stated():
    assert transformation_between(UTM, UTM) == AS_IT_IS and transformation_between(None, UTM).text == "as it is, exact"
    to_degrees = transformation_between(UTM, "EPSG:4326")
    assert to_degrees.accuracy_m == 0 and to_degrees.text == "Inverse of UTM zone 27S, exact"
    datum = transformation_between("EPSG:4277", "EPSG:4326")  # an old datum, for which better grids exist than are here
    assert datum.accuracy_m is not None and datum.accuracy_m >= 1
    assert datum.missing_grids and "a better one needs" in datum.text
    with pytest.raises(CannotPlace):
        transformation_between("nonsense", UTM)
