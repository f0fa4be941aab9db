"""How far clouds lie from grids and from each other."""

from __future__ import annotations

import json

import laspy
import numpy as np
import pytest

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.compare.cloud_change import Along, from_cloud, from_grid
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.place import transform

UTM = "EPSG:32727"


def slope(count, seed, *, rise=0.0, crs=UTM):
    """Return points on a plane that climbs by half to the east, some metres higher."""
    x, y = np.random.default_rng(seed).uniform(0, 100, (2, count)) + [[510_000], [5_770_000]]
    return Points(np.column_stack([x, y, 0.5 * (x - 510_000) + 20 + rise]), {}, crs)


@pytest.mark.parametrize(("along", "share"), [(Along.VERTICAL, 1.0), (Along.NORMAL, 1 / np.hypot(1, 0.5))])
def test_a_raised_slope_is_off_by_its_rise_or_less_along_its_normal(along, share):
    found = from_cloud(slope(20_000, 1), slope(5_000, 2, rise=3.0), along)
    inside = (np.abs(found.points.xyz[:, :2] - [510_050, 5_770_050]) < 45).all(axis=1)
    assert found.distance[inside] == pytest.approx(np.full(inside.sum(), 3.0 * share), abs=1e-3)


def test_clouds_of_two_crs_are_compared_where_they_lie():
    after = slope(4_000, 2, rise=-2.0)
    degrees = after.xyz.copy()
    degrees[:, :2] = transform(degrees[:, :2], UTM, "EPSG:4326")
    found = from_cloud(slope(20_000, 1), Points(degrees, {}, "EPSG:4326"))
    assert np.nanmedian(found.distance) == pytest.approx(-2.0, abs=1e-3)


@pytest.mark.parametrize("along", Along)
def test_what_has_nothing_near_is_unknown_and_too_few_points_are_refused(along):
    far = slope(50, 3)
    far.xyz[:, 0] += 5_000
    assert np.isnan(from_cloud(slope(5_000, 1), far, along).distance).all()
    with pytest.raises(AtlasError, match="fewer than 12"):
        from_cloud(slope(5, 1), slope(5, 2))


def test_the_laser_strip_lies_on_the_ground_of_2031_and_on_that_of_2029_where_no_lava_came(truth):
    cloud = read.open(demo.DATA / "harrow_bay_2031.laz").parts[0].read()
    grids = {year: read.open(demo.DATA / f"elevation_{year}.tif").parts[0] for year in (2029, 2031)}
    ground = cloud.dimensions["classification"] == 2
    now = from_grid(cloud, grids[2031], later=False)
    assert np.nanmedian(np.abs(now.distance[ground])) < 0.3
    since = from_grid(cloud, grids[2029], later=False).distance[ground]
    assert np.nanmax(since) > 10 and np.nanmedian(np.abs(since)) < 5
    turned = from_grid(cloud, grids[2031], later=True)
    assert np.array_equal(turned.distance, -now.distance, equal_nan=True)
    away = Points(cloud.xyz[:100] + [1e5, 0, 0], {}, cloud.crs)
    with pytest.raises(AtlasError, match="no point of the cloud lies on it"):
        from_grid(away, grids[2031], later=False)


def test_the_command_writes_points_with_their_distance(tmp_path, capsys):
    out = tmp_path / "off.laz"
    sides = ["--before", str(demo.DATA / "elevation_2031.tif"), "--after", str(demo.DATA / "harrow_bay_2031.laz")]
    assert cli.main(["cloud-change", *sides, "--path", str(out), "--json"]) == 0
    printed = json.loads(capsys.readouterr().out)
    with laspy.open(out) as file:
        cloud = file.read()
    assert len(cloud.points) == printed["known"] and float(np.mean(cloud["distance"])) == pytest.approx(
        printed["mean"], abs=1e-3
    )
    grids = ["--before", str(demo.DATA / "elevation_2031.tif"), "--after", str(demo.DATA / "elevation_2029.tif")]
    assert cli.main(["cloud-change", *grids]) == 1 and "one side must be a cloud" in capsys.readouterr().err
