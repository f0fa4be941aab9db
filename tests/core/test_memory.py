"""What was read takes no more than its budget, and goes when nobody shows it."""

from __future__ import annotations

import threading

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.budget import size_of
from brisk_atlas.core.system.jobs import Cancelled, Jobs, Lane
from made_files import at


@pytest.fixture
def points(tmp_path):
    """Write layers of 20,000 points each."""

    def write(name):
        xy = np.random.default_rng(1).uniform(0, 1000, (20_000, 2))
        table = pa.table({"n": np.arange(20_000), "geometry": shapely.to_wkb(shapely.points(xy))})
        path = tmp_path / f"{name}.fgb"
        pyogrio.write_arrow(
            table,
            path,
            driver="FlatGeobuf",
            layer=name,
            geometry_name="geometry",
            geometry_type="Point",
            crs="EPSG:32727",
        )
        return path

    return write


def test_what_was_not_asked_for_longest_goes_first(points):
    sources = [at(points(name), name) for name in "abcd"]
    one = size_of(DataCache().features(sources[0]))
    assert 20_000 * 40 < one < 20_000 * 120
    held = DataCache(budget=int(2.5 * one))
    first = held.features(sources[0])
    for source in sources[1:]:
        held.features(source)
        assert held.features(sources[0]) is first  # asked for again and again
        assert held.size <= held.budget
    assert held.features(sources[1]) is not None and held.size <= held.budget


def test_released_data_goes_and_its_facts_stay(points):
    held, source = DataCache(), at(points("a"), "a")
    held.shape_index(source, "EPSG:32727")
    assert held.size > 1_000_000
    held.release(source)
    assert held.size < 10_000 and held.peek(source) is not None
    held.forget(source)
    assert held.peek(source) is None


def test_a_read_that_ends_after_it_was_forgotten_is_not_stored(points):
    held, path = DataCache(), points("a")
    begun, go = threading.Event(), threading.Event()

    def slow():
        begun.set()
        go.wait(10)
        return "old"

    key = ("made", at(path, "a"))
    reader = threading.Thread(target=lambda: held.derive(key, slow))
    reader.start()
    begun.wait(10)
    held.forget(at(path))
    go.set()
    reader.join()
    assert held.derive(key, lambda: "new") == "new"


def test_what_takes_long_does_not_hold_up_what_is_waited_for():
    jobs, go, drawn = Jobs(2), threading.Event(), threading.Event()
    long = [jobs.start("export", lambda job: go.wait(20), lane=Lane.BATCH) for _ in range(8)]
    jobs.start("draw", lambda job: None, lambda job: drawn.set())
    assert drawn.wait(5) and not any(job.finished for job in long)
    go.set()
    jobs.close()


def test_work_that_does_not_listen_is_left_to_itself_when_it_is_cancelled():
    jobs, deaf, ended = Jobs(1), threading.Event(), threading.Event()
    states = []
    stubborn = jobs.start(
        "deaf", lambda job: deaf.wait(20) or "late", lambda job: (states.append(job.state), ended.set())
    )
    while stubborn.state != "running":
        threading.Event().wait(0.01)
    stubborn.cancel()
    assert ended.wait(5) and states == ["cancelled"] and stubborn not in jobs.open
    after = threading.Event()
    jobs.start("next", lambda job: after.set())  # its only thread is still taken
    assert after.wait(5)
    deaf.set()
    assert jobs.close() and states == ["cancelled"] and stubborn.result is None


def test_work_that_listens_stops_at_its_next_check():
    jobs, stopped = Jobs(1), []

    def work(job):
        try:
            while True:
                job.check()
        except Cancelled:
            stopped.append(True)
            raise

    job = jobs.start("counting", work)
    while job.state != "running":
        threading.Event().wait(0.01)
    job.cancel()
    assert jobs.close() and stopped == [True] and job.state == "cancelled"


def test_work_cancelled_while_it_waits_costs_no_thread():
    jobs, go, ran = Jobs(1), threading.Event(), threading.Event()
    jobs.start("first", lambda job: go.wait(20))
    waiting = [jobs.start("waits", lambda job: None) for _ in range(5)]
    for job in waiting:
        job.cancel()
    while any(not job.finished for job in waiting):
        threading.Event().wait(0.01)
    go.set()
    jobs.start("after", lambda job: ran.set())
    assert ran.wait(5)
    assert jobs.close()
