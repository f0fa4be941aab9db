"""Features across the antimeridian, the poles and the edges of projections, against the sphere and pyproj."""

import numpy as np
import pyproj
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.model.shapes import AREA, LINE, POLYGON, Shapes, bounds_of
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.domain import angle_from, domain_of, has_place
from brisk_atlas.core.place.map_crs import equal_area, equidistant
from brisk_atlas.core.place.seams import shapes_across
from brisk_atlas.core.read.shape_index import index_of

DEGREES = "EPSG:4326"
WORLDS = [
    DEGREES,
    "EPSG:3857",
    "EPSG:8857",
    "+proj=eqearth +lon_0=150 +datum=WGS84",
    "EPSG:3832",
    "EPSG:3031",
    "EPSG:3995",
    equal_area(178.0, -40.0),
    equidistant(-175.0, 10.0),
    "+proj=aea +lat_1=-20 +lat_2=-50 +lon_0=175 +datum=WGS84",
]


def shapes_of(*features: tuple[int, list[list[tuple[float, float]]]]) -> Shapes:
    """Return shapes of (kind, paths) each."""
    paths = [np.array(p, float) for _, own in features for p in own]
    kinds = np.array([kind for kind, own in features for _ in own], np.uint8)
    starts = np.concatenate([[0], np.cumsum([len(p) for p in paths])]).astype(np.int64)
    feature_starts = np.concatenate([[0], np.cumsum([len(own) for _, own in features])]).astype(np.int64)
    xy = np.concatenate(paths)
    return Shapes(xy, None, starts, kinds, feature_starts, bounds_of(xy, starts, feature_starts))


def circle(lon: float, lat: float, radius: float, count: int = 120) -> np.ndarray:
    """Return a closed ring in degrees around a place, `radius` degrees of arc from it on the sphere."""
    centre = pyproj.CRS(f"+proj=aeqd +lat_0={lat} +lon_0={lon} +R=6371000")
    out = pyproj.Transformer.from_crs(centre, "+proj=longlat +R=6371000", always_xy=True)
    turn = np.linspace(0, 2 * np.pi, count + 1)
    far = np.radians(radius) * 6371000
    x, y = out.transform(far * np.cos(turn), far * np.sin(turn))
    ring = np.column_stack([x, y])
    ring[-1] = ring[0]
    return ring


@settings(max_examples=60, deadline=None)
@given(
    lon=st.floats(-180, 180),
    lat=st.floats(-90, 90),
    radius=st.floats(2, 50),
    world=st.sampled_from(WORLDS),
    seed=st.integers(0, 1000),
)
def test_a_place_is_in_a_polygon_on_the_map_where_it_is_on_the_globe(lon, lat, radius, world, seed):
    made = shapes_across(shapes_of((POLYGON, [circle(lon, lat, radius).tolist()])), DEGREES, world)
    index = index_of(made)
    rng = np.random.default_rng(seed)
    places = np.column_stack([rng.uniform(-180, 180, 60), np.degrees(np.arcsin(rng.uniform(-1, 1, 60)))])
    near = np.array([[lon, lat]]) + rng.normal(0, radius, (60, 2))
    near = near[np.abs(near[:, 1]) < 90]
    places = np.concatenate([places, np.column_stack([(near[:, 0] + 180) % 360 - 180, near[:, 1]])])
    away = np.abs(angle_from(places, (lon, lat)) - radius) > 0.3 + radius / 60  # of chords and edges in degrees
    away &= np.abs(places[:, 1]) < 88.5
    domain = domain_of(world)
    if domain.is_disc:
        away &= angle_from(places, domain.centre) < domain.radius - 1
    xy = transform(places, DEGREES, world)
    inside = angle_from(places, (lon, lat)) < radius
    for spot, expected, sure in zip(xy.tolist(), inside.tolist(), away.tolist()):
        if sure and np.isfinite(spot).all():
            assert bool(index.at(*spot, 0.0).size) == expected


@pytest.mark.parametrize("world", WORLDS)
def test_a_line_across_the_antimeridian_is_cut_and_not_drawn_across_the_map(world):
    track = [(178.0 + i * 0.25, -10.0 - i * 0.2) for i in range(20)]
    track = [(x - 360 if x > 180 else x, y) for x, y in track]
    made = shapes_across(shapes_of((LINE, [track])), DEGREES, world)
    steps = np.hypot(*np.diff(made.xy, axis=0).T)
    within = np.ones(len(steps), bool)
    within[made.path_starts[1:-1] - 1] = False
    per_degree = 1.0 if world == DEGREES else 111_320.0
    assert steps[within].max() < 2.5 * per_degree
    assert (made.path_kinds == LINE).all()


def test_a_cut_polygon_has_no_outline_along_the_cut():
    box = [(179.0, -5.0), (179.0, 5.0), (-179.0, 5.2), (-179.0, -5.2), (179.0, -5.0)]
    made = shapes_across(shapes_of((POLYGON, [box])), DEGREES, DEGREES)
    assert set(made.path_kinds.tolist()) == {LINE, AREA} and (made.path_kinds == AREA).sum() == 2
    for path in np.flatnonzero(made.path_kinds == LINE):
        run = made.xy[made.path_starts[path] : made.path_starts[path + 1]]
        assert not (np.abs(np.abs(run[:-1, 0]) - 180) + np.abs(np.abs(run[1:, 0]) - 180) < 1e-6).any()
    assert np.isclose(index_of(made).areas[0], 2 * 10.2, rtol=0.01)


def test_a_box_around_the_world_stays_one():
    box = [(-170.0, -80.0), (170.0, -80.0), (170.0, 80.0), (-170.0, 80.0), (-170.0, -80.0)]
    index = index_of(shapes_across(shapes_of((POLYGON, [box])), DEGREES, "EPSG:8857"))
    for place, inside in (((0, 0), True), ((150, 70), True), ((178, 0), False), ((0, -85), False)):
        assert bool(index.at(*transform(np.array([place], float), DEGREES, "EPSG:8857")[0].tolist(), 0).size) is inside


@settings(max_examples=40, deadline=None)
@given(
    start=st.tuples(st.floats(-170, 170), st.floats(-75, 75)),
    step=st.tuples(st.floats(-30, 30), st.floats(-9, 9)),
    world=st.sampled_from(WORLDS[1:]),
)
def test_long_edges_follow_the_projection_to_a_tenth_of_a_pixel(start, step, world):
    end = (start[0] + step[0], start[1] + step[1])
    made = shapes_across(shapes_of((LINE, [[start, end]])), DEGREES, world)
    share = np.linspace(0.0, 1.0, 400)
    truth = transform(np.array(start) + share[:, None] * np.array(step), DEGREES, world)
    domain = domain_of(world)
    lonlat = np.array(start) + share[:, None] * np.array(step)
    if domain.is_disc:
        truth = truth[angle_from(lonlat, domain.centre) < domain.radius - 0.5]
    if not len(truth):
        return
    pixel = max(np.ptp(truth, axis=0).max() / 4000.0, 0.5)  # on a screen of 4,000, or two pixels a metre
    a, b = [], []
    for path in range(len(made.path_kinds)):
        run = made.xy[made.path_starts[path] : made.path_starts[path + 1]]
        a.append(run[:-1])
        b.append(run[1:])
    a, b = np.concatenate(a), np.concatenate(b)
    along = b - a
    length = np.maximum((along**2).sum(axis=1), 1e-30)
    for x in truth:
        t = np.clip(((x - a) * along).sum(axis=1) / length, 0, 1)
        assert np.sqrt((((a + t[:, None] * along) - x) ** 2).sum(axis=1).min()) < pixel / 10


def test_a_ring_around_the_pole_of_a_polar_grid_fills_the_pole_in_degrees():
    ring = [(2e6 * np.cos(t), 2e6 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 200)]
    ring[-1] = ring[0]
    made = shapes_across(shapes_of((POLYGON, [ring])), "EPSG:3031", DEGREES)
    index = index_of(made)
    assert index.at(35.0, -89.0, 0.0).size and index.at(-179.5, -75.0, 0.0).size
    assert not index.at(35.0, -60.0, 0.0).size
    assert made.xy[:, 1].min() == -90.0
    assert np.abs(made.xy[:, 0]).max() <= 180.0


@pytest.mark.parametrize(
    "crs, inside, outside",
    [
        (DEGREES, [(0, 90), (400, 0)], [(0, 92), (10, -90.5)]),
        ("EPSG:8857", [(0, 0), (1.7e7, 0)], [(1.7e7, 8.2e6), (0, 9e6), (2e7, 0)]),
        ("EPSG:3857", [(0, 0), (5e7, 1e7)], [(0, 4e7)]),
        ("EPSG:3031", [(0, 0), (5e6, 5e6)], [(9e7, 0)]),
        ("EPSG:32760", [(5e5, 5e6)], [(4e7, 5e6)]),
    ],
)
def test_what_is_no_place_on_earth_is_known(crs, inside, outside):
    assert has_place(np.array(inside, float), crs).all()
    assert not has_place(np.array(outside, float), crs).any()
