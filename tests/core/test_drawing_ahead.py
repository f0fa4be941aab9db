"""Features that are drawn, and looked at, while further ones come."""

from __future__ import annotations

import threading
import time
from itertools import pairwise

import numpy as np
import pyarrow as pa
import pytest
import shapely

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.bands import in_bands_by_turns
from brisk_atlas.core.draw.drawn_ahead import DrawnAhead
from brisk_atlas.core.draw.vector import Inks, draw_vector
from brisk_atlas.core.model import Extent, VectorStyle
from brisk_atlas.core.model.shapes import Features, Shapes
from brisk_atlas.core.read.shape_index import index_of
from brisk_atlas.core.read.wkb import exact_shapes, shapes_of
from brisk_atlas.core.system.ahead import made_ahead
from brisk_atlas.core.system.jobs import Cancelled, Jobs, Lane, stopped_by
from brisk_atlas.core.system.shares import yields

UTM = "EPSG:32727"
SIZE = 400


def features(shapes):
    wkb, flat = exact_shapes(pa.array(shapely.to_wkb(shapes), pa.binary()))
    return Features(pa.table({"n": np.arange(len(shapes))}), wkb, flat, UTM)


def crossing_discs(count=300, seed=31):
    """Discs that lie over each other, so that the order in which they are drawn can be seen."""
    random = np.random.default_rng(seed)
    x, y = random.uniform(0, SIZE, (2, count))
    return shapely.buffer(shapely.points(x, y), random.uniform(1, 60, count), quad_segs=4)


def drawn_in_pieces(shapes, edges, style, view):
    image = np.zeros((view.height, view.width, 4), np.uint8)
    ahead = DrawnAhead(image, style, view, lambda: None, lambda: None)
    for first, last in pairwise(edges):
        ahead.draw(features(shapes[first:last]))
    return image, ahead.count


@pytest.mark.parametrize("turn", [0.0, 37.0])
def test_pieces_make_the_picture_that_all_make_at_once(turn):
    shapes, style = crossing_discs(), VectorStyle(width=1.5)
    view = View(SIZE / 2, SIZE / 2, 1.0, SIZE, SIZE, UTM, turn=turn)
    image, count = drawn_in_pieces(shapes, (0, 1, 120, 120, 299, 300), style, view)
    whole = np.zeros_like(image)
    flat = features(shapes).shapes
    draw_vector(whole, index_of(flat.turned(turn) if turn else flat), Inks(), style, view.plane)
    assert count == 300 and np.array_equal(image, whole)
    backwards, _ = drawn_in_pieces(shapes[::-1], (0, 300), style, view)
    assert not np.array_equal(backwards, whole)  # the order matters here


def test_points_among_areas_are_left_to_the_picture_of_all():
    """Symbols lie above all areas, also those that come later."""
    shapes = np.concatenate([crossing_discs(5), shapely.points([[100, 100], [200, 200]]), crossing_discs(3)])
    view = View(SIZE / 2, SIZE / 2, 1.0, SIZE, SIZE, UTM)
    _, count = drawn_in_pieces(shapes, (0, 5, 7, 10), VectorStyle(), view)
    assert count == 5
    assert drawn_in_pieces(shapes[5:7], (0, 1, 2), VectorStyle(), view)[1] == 2
    assert drawn_in_pieces(shapes, (0, 10), VectorStyle(), view)[1] == 0


def test_shapes_that_are_joined_are_those_read_at_once():
    some = [
        *crossing_discs(4),
        None,
        shapely.from_wkt("POLYGON EMPTY"),
        shapely.from_wkt("LINESTRING Z (1 2 3, 4 5 6)"),
    ]
    some += [shapely.MultiPolygon([shapely.box(0, 0, 1, 1), shapely.box(3, 3, 4, 4)]), shapely.Point(7, 8)]
    wkb = pa.array(shapely.to_wkb(some), pa.binary())
    whole, _ = shapes_of(wkb)
    pieces = [shapes_of(wkb.slice(a, b - a))[0] for a, b in pairwise((0, 3, 3, 6, 9))]
    joined = Shapes.joined(pieces)
    for name in ("xy", "z", "path_starts", "path_kinds", "feature_starts", "bounds"):
        assert np.array_equal(getattr(joined, name), getattr(whole, name), equal_nan=name != "path_kinds"), name
    assert Shapes.joined(pieces[:2]).z is None


def test_features_in_an_extent_are_the_same_by_tree_and_one_by_one(monkeypatch):
    flat = features([*crossing_discs(2000), shapely.Polygon()]).shapes
    index = index_of(flat)
    for x, y, wide, margin in np.random.default_rng(4).uniform(0, 200, (30, 4)):
        extent = Extent(x, y, x + wide, y + wide)
        found = index.within(extent, margin)
        monkeypatch.setattr("brisk_atlas.core.read.shape_index.SEARCHED", 10)
        assert np.array_equal(found, index.within(extent, margin)) and 0 < len(found) < 2001
        monkeypatch.undo()


def test_each_band_sees_the_turns_in_order_and_a_check_stops_all():
    seen, lock = {}, threading.Lock()

    def draw(top, bottom, turn):
        with lock:
            seen.setdefault((top, bottom), []).append(turn)
        time.sleep(0.002)

    in_bands_by_turns(400, range(20), draw, lambda: None, lambda: None)
    assert all(turns == list(range(20)) for turns in seen.values())
    assert sorted(seen) == [(a, b) for a, b in pairwise(sorted({0, *(b for _, b in seen)}))] and max(seen)[1] == 400
    seen.clear()
    looks = iter([None, None, Cancelled("stop")])

    def check():
        if (error := next(looks, None)) is not None:
            raise error

    with pytest.raises(Cancelled):
        in_bands_by_turns(400, range(2000), draw, check, lambda: None)
    drawn = sum(map(len, seen.values()))
    time.sleep(0.05)
    assert sum(map(len, seen.values())) == drawn < 2000 * len(seen)
    with pytest.raises(ZeroDivisionError):
        in_bands_by_turns(400, [1, 0], lambda top, bottom, turn: 1 // turn, lambda: None, lambda: None)


def test_the_next_thing_is_made_while_one_is_worked_on():
    made = []

    def things():
        for number in range(5):
            made.append(number)
            yield number
        raise OSError("no more")

    given = made_ahead(things())
    assert next(given) == 0
    until = time.monotonic() + 10
    while made != [0, 1] and time.monotonic() < until:
        time.sleep(0.001)
    assert made == [0, 1]
    with pytest.raises(OSError, match="no more"):
        list(given)
    assert made == [0, 1, 2, 3, 4]


def test_what_is_made_ahead_comes_as_late_as_the_work_that_wants_it():
    jobs, found = Jobs(1), {}
    over = {lane: threading.Event() for lane in Lane}
    for lane in Lane:

        def work(job, lane=lane):
            found[lane] = next(made_ahead(yields() for _ in range(1)))

        jobs.start("reading", work, lambda job, lane=lane: over[lane].set(), lane=lane)
    assert all(event.wait(30) for event in over.values())
    jobs.close()
    assert found == {Lane.INTERACTIVE: False, Lane.BATCH: True}


def test_what_is_made_ahead_is_stopped_with_its_job():
    begun, stopped = threading.Event(), threading.Event()

    def things():
        with stopped_by(stopped.set):
            yield 1
            begun.set()
            assert stopped.wait(30), "nobody asked to stop"
            raise OSError("given up")

    jobs = Jobs(1)
    job = jobs.start("reading", lambda job: list(made_ahead(things())))
    assert begun.wait(30)
    job.cancel()
    assert stopped.wait(30)
    jobs.close()
