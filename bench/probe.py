"""Picking among 1,000,000 polygons with the exact test, against shapely's tree alone."""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterator

import numpy as np

from . import data
from .case import Case, Measured, peak_mb

COUNT = 1_000_000
PICKS = 2000
MOST_S = 0.010  # a pick may take ten milliseconds, exact test and all
TREE_SHARE = 1 / 1.5  # the least ratio: at most 1.5 times the tree alone


def run() -> Iterator[Case]:
    import pyarrow as pa
    import shapely

    from brisk_atlas.core.inspect import Where
    from brisk_atlas.core.inspect.picking import hit
    from brisk_atlas.core.model.shapes import Features
    from brisk_atlas.core.read.shape_index import index_of
    from brisk_atlas.core.read.wkb import shapes_of

    corners = data.rings(COUNT, 12, 102_400, 90_000, (20, 75), 1) + (data.WEST, data.SOUTH)
    polygons = shapely.polygons(corners)
    wkb = pa.array(shapely.to_wkb(polygons), pa.binary())
    shapes = shapes_of(wkb)[0]
    index_of(shapes_of(wkb.slice(0, 10))[0]).at(0.0, 0.0, 1.0)  # compiled code is loaded
    begun = time.perf_counter()
    index = index_of(shapes)
    built = time.perf_counter() - begun
    begun = time.perf_counter()
    tree = shapely.STRtree(polygons)
    tree.query(shapely.Point(0, 0))
    grown = time.perf_counter() - begun
    features = Features(pa.table({"id": range(COUNT)}), wkb, shapes, data.CRS)
    random = np.random.default_rng(3)
    places = random.uniform((0, 0), (102_400, 90_000), (PICKS, 2)) + (data.WEST, data.SOUTH)
    wheres = [Where.at(x, y, data.CRS, 12.0) for x, y in places.tolist()]
    mine, theirs, exact, found = [], [], [], 0
    for where, (x, y) in zip(wheres, places.tolist()):
        begun = time.perf_counter()
        got = hit(features, index, where)
        mine.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        near = tree.query(shapely.Point(x, y))
        theirs.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        same = tree.query(shapely.Point(x, y), predicate="intersects")
        exact.append(time.perf_counter() - begun)
        assert sorted(got.tolist()) == sorted(same.tolist()) and len(near) >= len(same)
        found += len(got)
    ours, alone, whole = (statistics.median(times) for times in (mine, theirs, exact))
    each = f"{ours * 1e6:.0f} µs; tree alone {alone * 1e6:.0f} µs, with its exact test {whole * 1e6:.0f} µs"
    told = f"{each}; {found:,} hits in {PICKS:,} picks, the same on both sides; index {built:.2f} s, tree {grown:.2f} s"
    peak = peak_mb()
    title = f"a pick among {COUNT:,} polygons, exact"
    yield Case("probe", title, "ten milliseconds", Measured(ours, peak), Measured(MOST_S, 0.0), 1.0, told)
    yield Case("probe", title, "shapely's tree alone, bounds", Measured(ours, peak), Measured(alone, peak), TREE_SHARE)
    yield Case(
        "probe", title, "shapely's tree with its exact test", Measured(ours, peak), Measured(whole, peak), TREE_SHARE
    )
