"""The relief: rays against brute force, the error of what is drawn, the eye, light, the ground of several grids."""

from __future__ import annotations

import itertools
from datetime import UTC, datetime

import laspy
import numpy as np
import pytest
import rasterio
from PIL import Image, ImageSequence
from rasterio.transform import from_origin
from scipy import ndimage

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.draw.cloud_order import order_of
from brisk_atlas.core.kinds import painter_for
from brisk_atlas.core.model import DataRef, Extent
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.relief.complete import complete_picture
from brisk_atlas.core.relief.eye import Eye, GroundSpot, eye_over
from brisk_atlas.core.relief.ground import drape_in, draped, heights_in, space_of
from brisk_atlas.core.relief.light import Light, Lighting, sun_at
from brisk_atlas.core.relief.points import ReliefPoints, relief_points, space_around
from brisk_atlas.core.relief.rays import Look
from brisk_atlas.core.relief.scene import ReliefScene, Wanted, WindowKind
from brisk_atlas.core.relief.space import Space, WindowPlace
from brisk_atlas.core.relief.viewshed import SightQuestion, viewshed
from brisk_atlas.core.relief.window_store import StoredWindow
from brisk_atlas.core.workspace import Workspace

LOOK = Look((200.0, 180.0, 160.0), (10.0, 20.0, 30.0), (10.0, 20.0, 30.0), 0.0, 1.0)
CELL = 10.0


def rough(side, seed=2, height=300.0):
    """Return a ground with forms of all sizes, as eroded land has it."""
    random, ground = np.random.default_rng(seed), np.zeros((side, side))
    for octave in range(7):
        steps = 4 * 2**octave
        ground += ndimage.zoom(random.normal(size=(steps, steps)), side / steps, order=3)[:side, :side] / 2**octave
    return (ground * height).astype(np.float32)


def averaged(ground, level):
    side = 2**level
    rows, cols = ground.shape[0] // side, ground.shape[1] // side
    return ground[: rows * side, : cols * side].reshape(rows, side, cols, side).mean(axis=(1, 3))


PLAIN = Lighting()


def scene_of(ground, *, lighting=PLAIN, colour=(120, 160, 80, 255), bend=0.0, exaggeration=1.0):
    """Return the scene of an array of heights, read by level as from averaged overviews, and what was read."""
    rows, cols = ground.shape
    space = Space("EPSG:32727", (0.0, rows * CELL), (cols * CELL, rows * CELL), CELL, (1.0, 1.0), bend)
    levels = {}

    def heights(view):
        level = round(np.log2(view.resolution / CELL))
        levels.setdefault(level, averaged(ground, level))
        col = round((view.x - view.width * view.resolution / 2) / view.resolution)
        row = round((rows * CELL - view.y - view.height * view.resolution / 2) / view.resolution)
        found = np.full((view.height, view.width), np.nan, np.float32)
        piece = levels[level][row : row + view.height, col : col + view.width]
        found[: piece.shape[0], : piece.shape[1]] = piece
        return found

    def drape(view):
        return np.broadcast_to(np.array(colour, np.uint8), (view.height, view.width, 4))

    scene = ReliefScene(space, heights, drape, lighting, exaggeration)
    scene.load_base()
    return scene


def at_rest(scene, eye, size=(320, 200)):
    """Return the picture, not smoothed, once all windows that it needs are there."""
    complete_picture(scene, eye, size, LOOK)
    picture = scene.picture(eye, size, LOOK)
    assert scene.missing(picture) == []
    return picture


def heights_under(ground, east, north):
    """Return the heights of a ground at places, bilinear between its samples, NaN without."""
    rows, cols = ground.shape
    u, v = (east + cols * CELL / 2) / CELL - 0.5, (rows * CELL / 2 - north) / CELL - 0.5
    i, j = np.clip(np.floor(u).astype(int), 0, cols - 2), np.clip(np.floor(v).astype(int), 0, rows - 2)
    x, y = u - i, v - j
    found = (ground[j, i] * (1 - x) + ground[j, i + 1] * x) * (1 - y)
    found = found + (ground[j + 1, i] * (1 - x) + ground[j + 1, i + 1] * x) * y
    return np.where((u < 0) | (v < 0) | (u > cols - 1) | (v > rows - 1), np.nan, found)


def first_met(ground, eye, way, reach, exaggeration, bend=0.0):
    """Return how far a ray goes until it is below a ground, by small steps, inf for never; NaN where it grazes it."""
    t = np.arange(0.0, reach, CELL / 40)
    east, north = eye.east + t * way[0], eye.north + t * way[1]
    up = (eye.up + t * way[2] + bend * t**2 * (way[0] ** 2 + way[1] ** 2)) / exaggeration
    over = up - heights_under(ground, east, north)
    below = np.flatnonzero(over <= 0)
    if not below.size:
        return np.inf if not np.nanmin(np.abs(over), initial=np.inf) < 0.5 else np.nan
    return t[below[0]] if over[below[0] - 1] > 0 else np.inf  # from no ground into its side: nothing is seen


@pytest.mark.parametrize(("bend", "exaggeration"), [(0.0, 1.0), (0.0, 2.5), (1e-5, 1.0)])
def test_rays_meet_the_ground_where_brute_force_finds_it(bend, exaggeration):
    ground, random = rough(120), np.random.default_rng(5)
    ground[40:60, 70:90] = np.nan
    ground[random.integers(0, 120, 40), random.integers(0, 120, 40)] = np.nan
    scene = scene_of(ground, bend=bend)
    met = missed = 0
    for azimuth, tilt, away in ((20, 35, 1500), (140, 12, 1800), (260, 70, 900), (330, 90, 1200)):
        spot = GroundSpot(random.uniform(-200, 200), random.uniform(-200, 200), 0.0)
        eye = Eye.looking_at(spot, away, azimuth, tilt, exaggeration=exaggeration)
        eye = eye.within(scene.space, scene.ground_up(eye.east, eye.north, exaggeration), 50.0)
        picture = scene.picture(eye, (64, 40), LOOK)
        for col, row in random.integers(0, (64, 40), (70, 2)):
            expected = first_met(ground, eye, eye.direction(col + 0.5, row + 0.5, 64, 40), 6000, exaggeration, bend)
            found = float(picture.depth[row, col])
            if np.isnan(expected):
                continue
            if np.isinf(expected) or np.isinf(found):
                missed += 1
                assert np.isinf(expected) == np.isinf(found), (azimuth, tilt, col, row, expected, found)
            else:
                met += 1
                spot = picture.spot(col * 1.0, row * 1.0)
                height = heights_under(ground, spot.east, spot.north)
                assert picture.height_at(spot) == pytest.approx(height, abs=0.1)
                assert found == pytest.approx(expected, abs=CELL / 20), (azimuth, tilt, col, row)
    assert met > 100 and missed > 10


def test_what_is_drawn_lies_within_a_pixel_of_the_full_grid():
    ground, random = rough(1600, height=200.0), np.random.default_rng(8)
    scene = scene_of(ground)
    pixel_errors = []
    for _ in range(8):
        spot = GroundSpot(random.uniform(-3000, 3000), random.uniform(-3000, 3000), 100.0)
        eye = Eye.looking_at(
            spot, random.uniform(400, 25_000), random.uniform(0, 360), random.uniform(8, 85), exaggeration=1
        )
        eye = eye.within(scene.space, scene.ground_up(eye.east, eye.north, 1.0), 60.0)
        picture = at_rest(scene, eye)
        rows, cols = picture.depth.shape
        j, i = np.mgrid[0:rows:3, 0:cols:3]
        ways = np.array([eye.direction(c + 0.5, r + 0.5, cols, rows) for r, c in zip(j.ravel(), i.ravel())])
        far = picture.depth[j, i].ravel().astype(float)
        seen = np.isfinite(far)
        place = np.array([eye.east, eye.north, eye.up]) + far[seen, None] * ways[seen]
        off = np.abs(place[:, 2] - heights_under(ground, place[:, 0], place[:, 1]))
        flat = np.sqrt(1 - ways[seen, 2] ** 2)  # an upright error is seen at full length from the side, not from above
        pixel_errors.append(off * flat / (far[seen] * eye.pixel(rows)))
    every = np.concatenate(pixel_errors)
    every = every[np.isfinite(every)]
    print(np.percentile(every, [50, 90, 99, 99.9, 100]))
    assert every.size > 20_000 and every.max() <= 1.0


def test_the_spot_under_a_pixel_has_the_height_of_the_grid():
    ground = rough(600)
    scene = scene_of(ground)
    picture = at_rest(scene, eye_over(scene.outline, 1.6, Eye(tilt=40, exaggeration=2.0)))
    spots = [picture.spot(col, row) for col in range(20, 320, 40) for row in range(60, 180, 30)]
    spots = [spot for spot in spots if spot is not None]
    assert len(spots) > 10 and picture.spot(0, 0) is None and picture.spot(-5, 900) is None
    for spot in spots:
        away = picture.eye.distance_to(spot) * picture.eye.pixel(200)
        assert spot.up / 2.0 == pytest.approx(heights_under(ground, spot.east, spot.north), abs=away)
        up = scene.ground_up(spot.east, spot.north, 2.0)
        assert up == pytest.approx(spot.up, abs=2 * away)


# The eye


def test_what_is_turned_about_or_come_closer_to_stays_where_it_is_seen():
    eye, spot, size = Eye(100.0, -4000.0, 2500.0, 350.0, 30.0), GroundSpot(300.0, 200.0, 150.0), (640, 400)
    at = eye.seen_at(spot, *size)
    assert eye.turned_about(spot, 70.0, 25.0).seen_at(spot, *size) == pytest.approx(at)
    assert eye.turned_about(spot, 70.0, 25.0).distance_to(spot) == pytest.approx(eye.distance_to(spot))
    near = eye.closer(spot, 3.0, 10.0)
    assert near.seen_at(spot, *size) == pytest.approx(at)
    assert near.distance_to(spot) == pytest.approx(eye.distance_to(spot) / 3)
    assert eye.closer(spot, 1e9, 10.0).distance_to(spot) == pytest.approx(10.0)
    assert eye.panned(spot, 500, 300, *size).seen_at(spot, *size) == pytest.approx((500, 300))
    assert eye.panned(spot, 500, 300, *size).up == eye.up
    assert eye.panned(spot, 320, -5000, *size) == eye  # over the horizon
    high = eye.exaggerated(4.0, spot)
    risen = GroundSpot(spot.east, spot.north, spot.up * 4.0 / 1.5)
    assert high.exaggeration == 4.0 and high.seen_at(risen, *size) == pytest.approx(at)
    assert eye.exaggerated(1e9, None).exaggeration == 50.0 and eye.exaggerated(0.0, None).exaggeration == 0.1


def test_a_ray_through_a_pixel_is_seen_there_and_walking_goes_where_it_looks():
    eye = Eye(10.0, 20.0, 300.0, 200.0, 15.0)
    way = eye.direction(123.0, 45.0, 640, 400) * 700
    there = GroundSpot(eye.east + way[0], eye.north + way[1], eye.up + way[2])
    assert eye.seen_at(there, 640, 400) == pytest.approx((123.0, 45.0))
    assert eye.seen_at(GroundSpot(*(2 * np.array([10, 20, 300.0]) - there)), 640, 400) is None  # behind
    after = eye.walked(100.0, 0.0, 5.0)
    assert np.degrees(np.arctan2(after.east - 10, after.north - 20)) % 360 == pytest.approx(200) and after.up == 305
    aside = eye.walked(0.0, 10.0, 0.0)
    assert (aside.east - 10, aside.north - 20) == pytest.approx((10 * eye.right[0], 10 * eye.right[1]))
    assert eye.looked_around(170.0, -100.0).azimuth == 10.0 and eye.looked_around(0, -100).tilt == -60


def test_the_ground_can_not_be_lost():
    scene = scene_of(rough(200))
    far = Eye(1e9, 0.0, 1e9).within(scene.space, None, 1.0)
    assert np.hypot(far.east, far.up) == pytest.approx(6 * scene.space.longer)
    ground = scene.ground_up(0.0, 0.0, 3.0)
    assert Eye(0.0, 0.0, -1e6).within(scene.space, ground, 5.0).up == pytest.approx(ground + 5)
    for tilt in (0, 25, 60, 90):
        eye = eye_over(scene.outline, 1.5, Eye(azimuth=77, tilt=tilt, exaggeration=3.0))
        seen = np.array([eye.seen_at(GroundSpot(x, y, 3 * z), 600, 400) for x, y, z in scene.outline.tolist()])
        assert (seen > 0).all() and (seen < (600, 400)).all()
        assert np.ptp(seen[:, 0]) > 500 or np.ptp(seen[:, 1]) > 330  # and fills the picture


# Light


def test_the_sun_stands_where_tables_say():
    # Reda, I. and Andreas, A. (2004), "Solar position algorithm for solar radiation applications", table A5.1
    azimuth, height = sun_at(datetime(2003, 10, 17, 19, 30, 30, tzinfo=UTC), -105.1786, 39.742476)
    assert (azimuth, height) == pytest.approx((194.340, 90 - 50.112), abs=0.05)
    # at noon of the equinox, the height is what is missing from the latitude to 90 degrees
    noon = sun_at(datetime(2031, 3, 20, 13, 31), -20.9, -38.2)
    assert noon[1] == pytest.approx(90 - 38.2, abs=0.3) and min(noon[0], 360 - noon[0]) < 2.0  # in the north
    assert sun_at(datetime(2031, 6, 21, 1, 24), -20.9, -38.2)[1] < -60  # midnight in winter


def brightness(ground, lighting, azimuth_of_slope):
    """Return how bright the slope of a cone is that faces an azimuth."""
    scene = scene_of(ground, lighting=lighting)
    picture = at_rest(scene, Eye.looking_at(GroundSpot(0, 0, 0), 3000, 0, 90, exaggeration=1.0), (200, 200))
    turn = np.radians(azimuth_of_slope)
    found = picture.eye.seen_at(GroundSpot(300 * np.sin(turn), 300 * np.cos(turn), 300.0), 200, 200)
    return int(picture.image[int(found[1]), int(found[0]), 0])


def test_water_hides_what_lies_below_its_level_and_the_deep_more_than_the_shallow():
    x = (np.arange(200) - 99.5) * CELL
    cone = (600 - np.hypot(x, x[:, None])).astype(np.float32)
    scene = scene_of(cone)
    eye = Eye.looking_at(GroundSpot(0, 0, 0), 3000, 0, 90, exaggeration=1.0)
    wet = LOOK._replace(water=200.0, shore=(-1000.0, -1000.0, 600.0, 1000.0))
    dry, flooded = (scene.picture(eye, (200, 200), look).image.astype(int) for look in (LOOK, wet))

    def change(east):
        col, row = eye.seen_at(GroundSpot(east, 0.0, 600.0 - abs(east)), 200, 200)
        return np.abs(flooded - dry)[int(row), int(col), :3].sum()

    assert change(-200.0) == 0 and change(-380.0) == 0  # above the level
    assert 0 < change(-500.0) < change(-900.0) and change(700.0) == 0  # beyond the shore


def test_slopes_towards_the_light_are_bright():
    x = (np.arange(200) - 99.5) * CELL
    cone = (600 - np.hypot(x, x[:, None])).astype(np.float32)
    for azimuth in (315.0, 60.0, 180.0):
        lighting = Lighting((Light(azimuth, 30.0, 0.9),), 0.1)
        towards, away = (brightness(cone, lighting, azimuth + turn) for turn in (0, 180))
        assert towards > 2 * away
    slope = np.cos(np.radians(45 - 30))  # of 45 degrees towards a light of 30: 15 degrees off its normal
    expected = 200 * 0 + 120 * (0.1 + 0.9 * slope)
    assert brightness(cone, Lighting((Light(315.0, 30.0, 0.9),), 0.1), 315.0) == pytest.approx(expected, abs=4)


def test_shadows_fall_as_the_light_does():
    ground = rough(300, height=150.0)
    light = Light(235.0, 14.0, 1.0, shadows=True)
    scene = scene_of(ground, lighting=Lighting((light,), 0.0))
    lit = scene._lit_in(StoredWindow(scene.space.whole(0), 0), CELL, CELL)[0]
    towards, random = np.array(light.towards), np.random.default_rng(3)
    away = np.arange(CELL / 4, 2500, CELL / 4)
    right = total = 0
    for row, col in random.integers(20, 280, (400, 2)):
        east, north = (col + 0.5 - 150) * CELL, (150 - row - 0.5) * CELL
        flat = np.hypot(towards[0], towards[1])
        over = ground[row, col] + away * towards[2] / flat
        there = heights_under(ground, east + away * towards[0] / flat, north + away * towards[1] / flat)
        clear = np.nanmin(over - there)
        if abs(clear) > 3.0:  # not along the edge of a shadow
            total += 1
            right += (lit[row, col] > 127) == (clear > 0)
    assert total > 250 and right / total > 0.985 and 0.2 < (lit > 127).mean() < 0.9


# Points


def test_points_stand_before_and_behind_the_ground_and_are_found_again(tmp_path):
    side = 64
    scene = scene_of(np.zeros((side, side), np.float32))
    x = np.array([0.0, 100.0, -100.0, 0.0])
    y = np.array([0.0, 0.0, 0.0, 100.0])
    z = np.array([50.0, 20.0, -30.0, 80.0])  # the third one lies below the ground
    header = laspy.LasHeader(point_format=6, version="1.4")
    header.scales, header.offsets = [0.01] * 3, [0, 0, 0]
    las = laspy.LasData(header)
    centre = scene.space.middle
    las.x, las.y, las.z = x + centre[0], y + centre[1], z
    las.classification = np.array([2, 3, 4, 5], np.uint8)
    las.write(tmp_path / "few.las")
    with Workspace() as workspace:
        layer = workspace.open(tmp_path / "few.las")[0]
        cloud = relief_points(workspace.cache, layer, scene.space)
        alone = space_around(workspace.cache, [layer])
    assert cloud.whole and len(cloud) == 4 and alone.metres[0] == pytest.approx(200, rel=0.01)
    scene.show_clouds([cloud])
    eye = Eye.looking_at(GroundSpot(0, 0, 0), 900, 15, 35, exaggeration=1.0)
    picture = scene.picture(eye, (400, 300), LOOK)
    for row in range(4):
        at = eye.seen_at(GroundSpot(x[row], y[row], z[row]), 400, 300)
        found = picture.thing(*at)
        if row == 2:
            assert found is None
        else:
            assert found is not None and found[0] == 0 and cloud.row(found[1]) == row
            spot = picture.spot(*at)
            assert (spot.east, spot.north, spot.up) == pytest.approx((x[row], y[row], z[row]), abs=cloud.spacing)
    assert (picture.nearest >= 0).sum() < 3000
    moving = scene.picture(eye, (400, 300), LOOK, coarser=2.0)
    assert (moving.nearest >= 0).any()


def test_a_cloud_is_thinned_by_whole_levels():
    count = 1_500_000
    random = np.random.default_rng(1)
    points = Points(
        np.column_stack([random.uniform(0, 1000, (count, 2)), random.uniform(0, 50, count)]), {}, "EPSG:32727"
    )
    order = order_of(points, "EPSG:32727")
    cloud = ReliefPoints("c", order, np.zeros(count, np.uint32), np.zeros(3), np.ones(3), 1.0, 2.0, True)
    assert cloud.first(1_250_000) == pytest.approx(1_200_000, rel=0.01)  # chosen by chance, a quarter by a quarter
    assert cloud.first(count) == count and cloud.first(10) == pytest.approx(300_000, rel=0.01)


# Sight


@pytest.mark.parametrize(("eye", "target", "reach"), [(1.7, 0.0, None), (30.0, 5.0, None), (2.0, 0.0, 900.0)])
def test_what_can_be_seen_is_what_brute_force_sees(tmp_path, eye, target, reach):
    ground, random = rough(130, seed=6, height=60.0), np.random.default_rng(2)
    ground[20:26, 60:90] = np.nan
    path = tmp_path / "ground.tif"
    with rasterio.open(
        path, "w", driver="GTiff", count=1, width=130, height=130, dtype="float32", crs="EPSG:32727", nodata=np.nan,
        transform=from_origin(500_000, 5_770_000, CELL, CELL),
    ) as out:  # fmt: skip
        out.write(ground, 1)
    part = read.open(path).parts[0]
    row, col = 71, 40
    at = 500_000 + (col + 0.5) * CELL, 5_770_000 - (row + 0.5) * CELL
    found = viewshed(part, 1, 1.0, SightQuestion(at, eye, target, reach))
    lattice, missing = found.missing.lattice, found.missing.values[0]
    top, left = (round(v) for v in ((5_770_000 - lattice.f) / CELL, (lattice.c - 500_000) / CELL))
    bend, agree, total = 0.87 / (2 * 6_371_008.8), 0, 0
    for j, i in random.integers(0, 130, (300, 2)):
        inside = 0 <= j - top < missing.shape[0] and 0 <= i - left < missing.shape[1]
        away = np.hypot(i - col, j - row) * CELL
        if not np.isfinite(ground[j, i]) or away < 2 * CELL or (reach is not None and away > reach):
            assert not inside or away < 2 * CELL or np.isnan(missing[j - top, i - left])
            continue
        share = np.arange(0.02, 0.995, 0.25 / max(abs(i - col), abs(j - row)))
        u, v = col + share * (i - col), row + share * (j - row)
        along = ndimage.map_coordinates(np.nan_to_num(ground, nan=-1e6), [v, u], order=1)
        ends = ground[row, col] + eye, ground[j, i] + target - bend * away**2
        over = ends[0] + share * (ends[1] - ends[0]) - (along - bend * (share * away) ** 2)
        if abs(over.min()) > 2.0:  # bilinear and along rows differ by a little
            total += 1
            agree += (missing[j - top, i - left] == 0) == (over.min() > 0)
    assert total > 80 and agree / total > 0.98
    assert found.seen_m2 == pytest.approx((missing == 0).sum() * 100) and found.seen_m2 < found.looked_at_m2


def test_the_earth_hides_what_lies_low_and_far(tmp_path, capsys):
    path = tmp_path / "sea.tif"
    with rasterio.open(
        path, "w", driver="GTiff", count=1, width=400, height=3, dtype="float32", crs="EPSG:32727",
        transform=from_origin(500_000, 5_770_000, 100, 100),
    ) as out:  # fmt: skip
        out.write(np.zeros((1, 3, 400), np.float32))
    out = tmp_path / "seen.tif"
    asked = ["viewshed", "--grid", str(path), "--at", "500050", "5769850", "--path", str(out), "--eye", "10"]
    assert cli.main([*asked, "--refraction", "0"]) == 0
    missing = rasterio.open(out).read(1)[1]
    horizon = np.sqrt(2 * 6_371_008.8 * 10)  # metres to the horizon of a sphere
    first_hidden = np.flatnonzero(missing > 1e-3)[0] * 100
    assert first_hidden == pytest.approx(horizon, rel=0.03)
    assert missing[-1] == pytest.approx((39_900 - horizon) ** 2 / (2 * 6_371_008.8), rel=0.05)
    assert cli.main([*asked[:4], "9", "9", *asked[6:]]) == 1 and "outside it" in capsys.readouterr().err


# The operation


def test_the_command_draws_a_relief(tmp_path, capsys):
    path = tmp_path / "relief.png"
    elevation, survey = str(demo.DATA / "elevation_2031.tif"), str(demo.DATA / "tolvane_survey.gpkg#lava_flows")
    size = ["--width", "320", "--height", "200"]
    asked = ["relief", "--sources", elevation, "--path", str(path), *size]
    assert cli.main(asked) == 0
    plain = rasterio.open(path).read()
    assert plain.shape[1:] == (200, 320)
    assert cli.main([*asked, "--drape", survey, elevation, "--sun", "60", "15"]) == 0
    draped_too = rasterio.open(path).read()
    assert (plain != draped_too).any(axis=0).mean() > 0.1
    assert cli.main([*asked, "--at", "510500", "5770500", "--distance", "900", "--tilt", "60"]) == 0
    near = rasterio.open(path).read()
    assert (near[0] != near[0, 0, 0]).mean() > 0.95  # no sky
    turn = tmp_path / "turn.gif"
    small = ["--width", "160", "--height", "100", "--frames", "6"]
    assert cli.main(["relief", "--sources", elevation, "--path", str(turn), *small]) == 0
    with Image.open(turn) as animated:
        assert (animated.n_frames, animated.size, animated.info["loop"]) == (6, (160, 100), 0)
        frames = [np.asarray(each.convert("RGB"), int) for each in ImageSequence.Iterator(animated)]
    assert all(np.abs(a - b).mean() > 0.5 for a, b in itertools.pairwise(frames))
    cloud = str(demo.DATA / "harrow_bay_2031.laz")
    assert cli.main(["relief", "--sources", cloud, "--path", str(path), *size]) == 0
    assert cli.main([*asked[:-1], "2"]) == 1 and "can't be drawn" in capsys.readouterr().err
    assert cli.main(["relief", "--sources", survey, "--path", str(path), *size]) == 0  # on a plane
    assert rasterio.open(path).read().std() > 5
    table = str(demo.DATA / "boreholes" / "intervals.csv")
    assert cli.main(["relief", "--sources", table, "--path", str(path)]) == 1
    assert cli.main(["relief", "--sources", elevation, "--path", elevation]) == 1


# The ground


def test_a_fine_grid_lies_over_a_coarse_one_and_goes_over_into_it(tmp_path):
    def written(name, values, cell, west, north, crs="EPSG:32727", unit="m"):
        with rasterio.open(
            tmp_path / name, "w", driver="GTiff", count=1, height=values.shape[0], width=values.shape[1],
            dtype="float32", crs=crs, transform=from_origin(west, north, cell, cell), nodata=-9999.0,
        ) as out:  # fmt: skip
            out.write(values.astype(np.float32), 1)
            out.set_band_unit(1, unit)
        return DataRef.file(tmp_path / name)

    coarse = written("coarse.tif", np.full((40, 40), 100.0), 50.0, 500_000, 5_772_000)
    fine = written("fine.tif", np.full((100, 100), 1000.0), 10.0, 500_500, 5_771_500, unit="ft")
    with Workspace() as workspace:
        lower, upper = (workspace.open(ref)[0] for ref in (coarse, fine))
        space = space_of(workspace.cache, [upper, lower])
        assert space.spacing == 10.0 and space.size == pytest.approx((2000, 2000))
        heights = heights_in(workspace.cache, [upper, lower], space.view(space.whole(0)))
        alone = space_of(workspace.cache, [lower])
    assert alone.spacing == 50.0 and heights.shape == (200, 200)
    middle, outside = heights[100, 100], heights[20, 100]
    assert (middle, outside) == pytest.approx((304.8, 100.0), rel=1e-5)  # feet are metres here
    across = heights[100, 45:95]
    assert (np.diff(across) >= -1e-3).all() and 5 < np.diff(across).max() < 25  # a slope, not a wall


@pytest.mark.parametrize(
    "ground",
    [
        np.full((40, 40), np.nan, np.float32), np.full((40, 40), 5.0, np.float32), np.full((1, 40), 5.0, np.float32),
        np.full((1, 1), 5.0, np.float32), np.where(np.eye(40) > 0, 1e30, 10).astype(np.float32),
        np.where(np.eye(40) > 0, np.nan, 10).astype(np.float32), np.full((40, 40), -3e38, np.float32),
    ],
    ids=["no data", "flat", "one row", "one cell", "spikes", "holes", "far below"],
)  # fmt: skip
def test_odd_grounds_are_drawn_or_leave_the_sky(ground):
    scene = scene_of(ground)
    eye = eye_over(scene.outline, 1.6, Eye())
    for each in (eye, Eye(0.0, 0.0, 500.0, 0.0, 90.0), Eye(0.0, -300.0, 200.0, 0.0, 30.0)):
        picture = at_rest(scene, each.within(scene.space, scene.ground_up(0, 0, 1.0), 1.0), (80, 50))
        assert picture.image.shape == (50, 80, 4) and not np.isnan(picture.depth).any()
    if ground.shape == (40, 40) and np.isfinite(ground[3, 7]) and ground[3, 7] > 0:
        assert np.isfinite(picture.depth).any()


def test_windows_are_chosen_by_what_is_seen_and_no_larger():
    scene = scene_of(rough(1600))
    far = eye_over(scene.outline, 1.6, Eye())
    at_rest(scene, far)
    spot = GroundSpot(-2000.0, 1500.0, float(heights_under(rough(1600), -2000.0, 1500.0)))
    near = Eye.looking_at(spot, 500.0, 20.0, 40.0, exaggeration=1.0)
    wanted = scene.missing(scene.picture(near, (320, 200), LOOK))
    heights = [each for each in wanted if each.kind is WindowKind.HEIGHTS]
    assert heights and min(each.place.level for each in heights) == 0
    assert all(max(each.place.cols, each.place.rows) < 700 for each in heights)
    place = WindowPlace(0, 10, 20, 300, 200)
    assert place.contains(WindowPlace(0, 10, 30, 300, 190)) and not place.contains(WindowPlace(1, 10, 30, 30, 19))
    for each in wanted:
        scene.load(Wanted(each.kind, each.place))
    assert not {each.place.level for each in scene.missing(scene.picture(near, (320, 200), LOOK))} & {
        each.place.level for each in wanted
    }


def test_the_ground_of_degrees_bends_and_is_as_wide_as_the_earth_says():
    narrow = Space.around(Extent(-21.0, -38.3, -20.8, -38.1, "EPSG:4326"), 0.001)
    assert narrow.bend == 0 and narrow.metres[0] == pytest.approx(0.2 * 111_320 * np.cos(np.radians(38.2)), rel=0.01)
    wide = Space.around(Extent(-24.0, -41.0, -17.0, -35.0, "EPSG:4326"), 0.01)
    assert wide.bend == pytest.approx(1 / (2 * 6_371_008.8))
    east, north = wide.to_metres(-20.0, -37.0)
    assert wide.to_map(east, north) == pytest.approx((-20.0, -37.0))
    feet = Space.around(Extent(0, 0, 10_000, 10_000, "EPSG:2225"), 10.0)
    assert feet.metres == pytest.approx((3048.006, 3048.006))


def test_the_island_is_drawn_from_its_file_with_the_map_over_it():
    with Workspace() as workspace:
        workspace.open_project(demo.PROJECT)
        layer = workspace.layer("elevation_2029")
        layers = draped([each for each in workspace.work.drawn() if each.visible])
        assert all(getattr(each.style, "shade", 0) == 0 for each in layers)  # the relief has its own light
        painter, space = painter_for(workspace.cache), space_of(workspace.cache, [layer])
        scene = ReliefScene(space, lambda view: heights_in(workspace.cache, [layer], view),
                            lambda view: drape_in(painter, layers, view), PLAIN)  # fmt: skip
        scene.load_base()
        picture = at_rest(scene, eye_over(scene.outline, 1.6, Eye()))
    assert scene.range[1] == pytest.approx(973.69, abs=0.01)
    seen = np.isfinite(picture.depth)
    assert 0.2 < seen.mean() < 0.7 and not seen[0].any()
    greens = picture.image[seen].astype(int)
    assert (greens[:, 1] > greens[:, 0]).mean() > 0.5  # the green island, not bare ground
