"""Lengths, areas and bearings, against published values."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pyarrow as pa
import pyproj
import pytest
import shapely

from brisk_atlas.core.inspect.measured import measure
from brisk_atlas.core.model.length_units import (
    LengthUnits,
    area_text,
    length_text,
    length_units,
    round_length,
    use_length_units,
)
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place.geodesy import legs, lengths_on_ellipsoid, plane_area, ring_area, step_lengths
from brisk_atlas.core.read.wkb import shapes_of
from brisk_atlas.core.table.measures import measure as column

WGS84 = "EPSG:4326"

# C. F. F. Karney, "Test set for geodesics" (2010): lat1, lon1, azi1, lat2, lon2, s12
GEODESICS = [
    (35.60777, -139.44815, 111.098748429560326, -11.17491, -69.95921, 8935244.5604818305),
    (55.52454, 106.05087, 22.020059880982801, 77.03196, 197.18234, 4105086.1713924406),
    (-21.97856, 142.59065, -32.44456876433189, 41.84138, 98.56635, 8394328.894657671),
    (-66.99028, 112.2363, 173.73491240878403, -12.70631, 285.90344, 11150344.2312080241),
    (-17.42761, 173.34268, -159.033557661192928, -15.84784, 5.93557, 16076603.1631180673),
    (32.84994, 48.28919, 150.492927788121982, -56.28556, 202.29132, 16727068.9438164461),
    (6.96833, 52.74123, 92.581585386317712, -7.39675, 206.17291, 17102477.2496958388),
    (-50.56724, -16.30485, -105.439679907590164, -33.56571, -94.97412, 6455670.5118668696),
    (-58.93002, -8.90775, 140.965397902500679, -8.91104, 133.13503, 11756066.0219864627),
    (-68.82867, -74.28391, 93.774347763114881, -50.63005, -8.36685, 3956936.926063544),
    (-87.85331, 85.66836, -65.120313040242748, 66.48646, 16.09921, 17286615.3147144645),
    (1.74708, 128.32011, -101.584843631173858, -11.16617, 11.87109, 12942901.1241347408),
]

# The same author's tests of polygons: (latitude, longitude) of the corners, perimeter, area
POLYGONS = [
    ([(89, 0), (89, 90), (89, 180), (89, 270)], 631819.8745, 24952305678.0),
    ([(-89, 0), (-89, 90), (-89, 180), (-89, 270)], 631819.8745, 24952305678.0),
    ([(0, -1), (-1, 0), (0, 1), (1, 0)], 627598.2731, 24619419146.0),
    ([(90, 0), (0, 0), (0, 90)], 30022685, 63758202715511.0),
    ([(89, 0.1), (89, 90.1), (89, -179.9)], 539297, 12476152838.5),
    ([(2, 1), (1, 2), (3, 3)], None, 18454562325.45119),
]


@pytest.mark.parametrize(("lat1", "lon1", "azimuth", "lat2", "lon2", "metres"), GEODESICS)
def test_distance_and_bearing(lat1, lon1, azimuth, lat2, lon2, metres):
    (leg,) = legs(np.array([[lon1, lat1], [lon2, lat2]]), WGS84)
    assert leg.on_ellipsoid == pytest.approx(metres, abs=1e-7) and leg.azimuth == pytest.approx(
        azimuth % 360, abs=1e-10
    )
    assert np.isnan(leg.in_plane)  # degrees are no plane


@pytest.mark.parametrize(("corners", "perimeter", "area"), POLYGONS)
def test_areas_over_the_poles_and_the_antimeridian(corners, perimeter, area):
    xy = np.array([(lon, lat) for lat, lon in corners], float)
    assert ring_area(xy, WGS84) == pytest.approx(area, abs=1)
    if perimeter is not None:
        around = sum(leg.on_ellipsoid for leg in legs(np.vstack([xy, xy[:1]]), WGS84))
        assert around == pytest.approx(perimeter, abs=1 if perimeter % 1 == 0 else 1e-4)


def test_a_plane_has_its_own_lengths_and_bearings(cache):
    xy = np.array([[508_700.0, 5_771_900.0], [508_700.0, 5_772_900.0], [509_700.0, 5_772_900.0]])
    found = measure(cache, xy, "EPSG:32727", closed=True)
    north, east, back = found.legs
    assert (north.in_plane, north.grid_bearing, east.grid_bearing) == (1000, 0, 90) and back.grid_bearing == 225
    assert north.on_ellipsoid == pytest.approx(1000 / 0.9996, abs=0.1) and north.azimuth == pytest.approx(
        359.94, abs=0.05
    )
    assert found.area_plane == 500_000 and found.area_ellipsoid == pytest.approx(500_000 / 0.9996**2, rel=1e-5)
    assert dict(found.lines)["area, plane"] == "500,000.0 m²" and plane_area(xy[:2]) == 0


def test_without_a_crs_there_is_only_the_plane(cache):
    found = dict(measure(cache, np.array([[0.0, 0.0], [3.0, 4.0]]), None).lines)
    assert found == {"distance, plane": "5.00", "bearing, grid": "36.87°"}


def test_lengths_of_many_paths_are_those_of_each():
    rng = np.random.default_rng(5)
    xy = np.column_stack([rng.uniform(-180, 180, 60), rng.uniform(-89, 89, 60)])
    starts = np.array([0, 0, 5, 6, 30, 60, 60])
    geod = pyproj.Geod(ellps="WGS84")
    each = [geod.line_length(xy[a:b, 0], xy[a:b, 1]) if b - a > 1 else 0.0 for a, b in pairwise(starts)]
    assert lengths_on_ellipsoid(xy, starts, WGS84) == pytest.approx(each, abs=1e-4)


def test_measures_of_features_agree_with_the_libraries():
    shapes = [
        shapely.Polygon([(0, 0), (0, 9), (9, 9), (9, 0)], [[(2, 2), (2, 4), (4, 4), (4, 2)]]),
        shapely.MultiPolygon([shapely.box(20, 20, 21, 21), shapely.box(30, 30, 32, 31)]),
        shapely.LineString([(0, 0), (3, 4)]),
        shapely.Point(1, 2),
        None,
        shapely.Polygon(),
    ]
    wkb = pa.array([None if s is None else shapely.to_wkb(s) for s in shapes], pa.binary())
    table = pa.table({"i": range(6)})
    features = Features(table, wkb, shapes_of(wkb)[0], WGS84)
    geod = pyproj.Geod(ellps="WGS84")
    turned = [shapely.geometry.polygon.orient(p) for p in (shapes[0], *shapes[1].geoms)]
    areas = [geod.geometry_area_perimeter(p)[0] for p in turned]
    got = column(features, "area_ellipsoid")
    assert got[:2] == pytest.approx([areas[0], areas[1] + areas[2]], rel=1e-12) and np.isnan(got[2:5]).all()
    assert column(features, "area_plane")[:2] == pytest.approx([shapes[0].area, shapes[1].area])
    assert column(features, "length_plane")[:3] == pytest.approx([s.length for s in shapes[:3]])
    around = geod.geometry_length(shapes[2])
    assert column(features, "length_ellipsoid")[2] == pytest.approx(around)
    assert column(features, "centroid_x", "EPSG:4326")[3] == 1 and column(features, "vertices").tolist() == [
        10,
        10,
        2,
        1,
        0,
        0,
    ]


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        (length_text(9_999.994), "9,999.99 m"), (length_text(12_345.6), "12.346 km"), (length_text(float("nan")), "unknown"),
        (length_text(3.0, "ft"), "3.00 ft"), (area_text(2_514_265.0), "2.5143 km²"), (area_text(12.3), "12.3 m²"),
    ],
)  # fmt: skip
def test_measures_as_text(text, shown):
    assert text == shown


@pytest.fixture
def units_as_before():
    before = length_units()
    yield
    use_length_units(before)


@pytest.mark.parametrize(
    ("units", "lengths", "area", "bar"),
    [
        (LengthUnits.METRIC, ("1,609.34 m", "16.093 km"), "40.4686 km²", (1000.0, "1 km")),
        (LengthUnits.HECTARES, ("1,609.34 m", "16.093 km"), "4,046.8564 ha", (1000.0, "1 km")),
        (LengthUnits.FEET, ("5,280.00 ft", "10.000 mi"), "15.6250 mi²", (609.6, "2000 ft")),
        (LengthUnits.NAUTICAL, ("1,609.34 m", "8.690 NM"), "40.4686 km²", (1000.0, "1000 m")),
    ],
)
def test_lengths_and_areas_in_each_of_the_units(units_as_before, units, lengths, area, bar):
    use_length_units(units)
    assert (length_text(1609.344), length_text(16_093.44)) == lengths
    assert area_text(10_000 * 4046.8564224) == area
    assert round_length(1200.0) == (pytest.approx(bar[0]), bar[1])
    assert (length_text(3.0, "ft"), area_text(3.0, "")) == ("3.00 ft", "3.0")


@pytest.mark.parametrize("near", [0.0, 38.2, 60.0, 89.9])
def test_steps_short_and_long_are_as_the_geodesic_has_them(near):
    random = np.random.default_rng(4)
    reach = random.choice([0.0, 1e-6, 0.004, 0.006, 3.0], 4000)
    track = np.column_stack(
        [np.cumsum(random.uniform(-1, 1, 4000) * reach), near + random.uniform(-0.004, 0.004, 4000)]
    )
    track[:, 0] = (track[:, 0] + 360) % 360 - 180  # so that some steps cross 180 degrees
    track[700] = np.nan
    expected = pyproj.Geod(ellps="WGS84").inv(*track[:-1].T, *track[1:].T)[2]
    lengths = step_lengths(track, "EPSG:4326")
    assert np.isnan(lengths[699:701]).all()
    assert lengths == pytest.approx(expected, abs=2e-6, nan_ok=True)
    sphere = "+proj=longlat +R=6371000 +no_defs"
    expected = pyproj.Geod(a=6371000, b=6371000).inv(*track[:-1].T, *track[1:].T)[2]
    assert step_lengths(track, sphere) == pytest.approx(expected, abs=2e-6, nan_ok=True)
