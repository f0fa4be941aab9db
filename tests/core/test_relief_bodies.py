"""What stands in a relief: faces and strokes against brute force, buildings, walls, boreholes, points that are picked;
and what is drawn of the ground itself."""

from __future__ import annotations

import csv
import json
from dataclasses import replace
from functools import partial

import laspy
import numpy as np
import pyarrow as pa
import pyogrio
import pyproj
import pytest
import rasterio
import shapely
from rasterio.transform import from_origin

from brisk_atlas import cli, demo
from brisk_atlas.core.draw import View
from brisk_atlas.core.inspect.guess_boreholes import boreholes_guess, interval_tables, intervals_guess
from brisk_atlas.core.inspect.hole_tables import deviation_tables
from brisk_atlas.core.model import AtlasError, Columns, DataRef, OpenOptions
from brisk_atlas.core.model.standing import Foot, Standing, StandingWay
from brisk_atlas.core.relief.bodies import ReliefBodies, bodies, bodies_of
from brisk_atlas.core.relief.boreholes import directions_of
from brisk_atlas.core.relief.eye import Eye, GroundSpot
from brisk_atlas.core.relief.ground import (
    cloud_words,
    flat_heights,
    ground_words,
    heights_in,
    heights_under,
    no_heights,
    space_of,
)
from brisk_atlas.core.relief.light import Light, Lighting
from brisk_atlas.core.relief.pick_points import points_within
from brisk_atlas.core.relief.points import relief_points
from brisk_atlas.core.relief.rays import SIDE_BY_SIDE, Division, Look
from brisk_atlas.core.relief.scene import ReliefScene
from brisk_atlas.core.relief.space import Space
from brisk_atlas.core.relief.surface_drape import ASPECTS, SLOPE_EDGES, DrapeKind, SurfaceDrape
from brisk_atlas.core.workspace import Workspace

CRS, WEST, NORTH, SIDE = "EPSG:32727", 500_000.0, 5_770_000.0, 1000.0
LOOK = Look((200.0, 180.0, 160.0), (10.0, 20.0, 30.0), (10.0, 20.0, 30.0))
SIZE = (96, 60)


def plane(heights=flat_heights, drape=(90, 90, 90, 255)):
    """Return the scene of a square kilometre whose heights are read by a function."""
    space = Space(CRS, (WEST, NORTH), (SIDE, SIDE), 10.0, (1.0, 1.0), 0.0)
    over = lambda view: np.broadcast_to(np.array(drape, np.uint8), (view.height, view.width, 4))  # noqa: E731
    scene = ReliefScene(space, heights, over, Lighting((Light(height=90.0),), 0.2), 1.0)
    scene.load_base()
    return scene


def sloping(rise_east, rise_north):
    """Return what reads a plane that rises by so much a metre, 100 m in the middle."""

    def heights(view):
        x = view.x + (np.arange(view.width) + 0.5 - view.width / 2) * view.resolution - (WEST + SIDE / 2)
        y = view.y - (np.arange(view.height) + 0.5 - view.height / 2) * view.resolution - (NORTH - SIDE / 2)
        return (100 + rise_east * x[None, :] + rise_north * y[:, None]).astype(np.float32)

    return heights


def written(path, geometry, crs=CRS, **columns):
    """Write features and return their file."""
    shapes = np.array(geometry, object)
    table = pa.table({**columns, "geometry": shapely.to_wkb(shapes)})
    kind = "Point" if shapes[0].geom_type == "Point" else shapes[0].geom_type
    kind += " Z" if shapely.has_z(shapes[0]) else ""
    pyogrio.write_arrow(
        table, path, layer=path.stem, driver="GPKG", geometry_name="geometry", geometry_type=kind, crs=crs
    )
    return path


def here(x, y):
    """Return a position of the map by metres from the middle."""
    return WEST + SIDE / 2 + x, NORTH - SIDE / 2 + y


def standing_of(path, standing, scene, **style):
    """Return what stands of a file."""
    with Workspace() as workspace:
        (layer,) = workspace.open(path)
        layer = replace(layer, standing=standing, style=replace(layer.style, **style))
        ground = partial(heights_under, scene.heights, scene.space)
        return bodies_of(workspace.cache, layer, scene.space, ground)


def met_by_faces(corners, eye, cols, rows):
    """Return (rows, cols) the distance along each ray to the nearest face, inf for none, by Möller and Trumbore (1997)."""
    found = np.full((rows, cols), np.inf)
    begin = np.array([eye.east, eye.north, eye.up])
    for j in range(rows):
        for i in range(cols):
            way = eye.direction(i + 0.5, j + 0.5, cols, rows)
            a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
            one, two = b - a, c - a
            across = np.cross(way, two)
            det = (one * across).sum(axis=1)
            off = begin - a
            u = (off * across).sum(axis=1) / det
            turned = np.cross(off, one)
            v = (turned * way).sum(axis=1) / det
            t = (two * turned).sum(axis=1) / det
            hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
            found[j, i] = t[hit].min(initial=np.inf)
    return found


def test_faces_are_where_brute_force_finds_them_also_around_and_behind_the_eye():
    random = np.random.default_rng(3)
    middles = random.uniform((-300, -300, -50), (300, 300, 250), (40, 3))
    corners = middles[:, None, :] + random.normal(0, 90, (40, 3, 3))
    scene = plane(no_heights)
    scene.bodies = (ReliefBodies("a", bodies(corners, np.full(40, 0xFF0000FF), np.arange(40))),)
    for azimuth, tilt, place in ((20, 10, (0, 0, 100)), (200, 35, (-50, 250, 300)), (90, -20, (120, 0, 40))):
        eye = Eye(*place, azimuth, tilt, 70.0, 1.0)
        expected = met_by_faces(corners, eye, *SIZE)
        depth = scene.picture(eye, SIZE, LOOK).depth
        both = np.isfinite(expected) & np.isfinite(depth)
        assert both.sum() > 1500
        assert (np.isfinite(expected) != np.isfinite(depth)).mean() < 0.002  # rays along an edge
        assert np.median(np.abs(depth[both] / expected[both] - 1)) < 1e-6
        assert (np.abs(depth[both] / expected[both] - 1) > 1e-4).mean() < 0.002


def test_a_stroke_passes_through_the_pixels_of_its_ends_and_hides_behind_the_ground_until_that_is_seen_through():
    scene = plane()
    ends = np.array([[[-200.0, 0, 60], [200, 0, 60]], [[-200, 100, -80], [200, 100, -80]]])
    stroke = bodies(ends=ends, stroke_inks=[0xFF0000FF, 0xFF00FF00], widths=[3, 3], stroke_rows=[7, 8])
    scene.bodies = (ReliefBodies("a", stroke),)
    eye = Eye.looking_at(GroundSpot(0, 0, 0), 900, 0, 40, exaggeration=1.0)
    solid = scene.picture(eye, (400, 300), LOOK)
    through = scene.picture(eye, (400, 300), LOOK._replace(solid=0.4))
    for number, row in ((0, 7), (1, 8)):
        for spot in ends[number] * 0.97 + ends[number][::-1] * 0.03:
            at = eye.seen_at(GroundSpot(*spot), 400, 300)
            assert solid.thing(*at) == ((0, row) if row == 7 else None)
            assert through.thing(*at) == (0, row)
    assert eye.places_of(ends[0], 0.0, 400, 300)[:, :2] == pytest.approx(
        np.array([eye.seen_at(GroundSpot(*each), 400, 300) for each in ends[0]])
    )
    deep = through.image[
        tuple(reversed([int(each) for each in eye.seen_at(GroundSpot(*ends[1].mean(axis=0)), 400, 300)]))
    ]
    assert deep[1] > 2 * deep[0]  # the green one, through the ground
    twin = scene.picture(eye, (400, 300), LOOK, division=Division(SIDE_BY_SIDE)).twin
    assert twin is not None and (twin == solid.image).all()  # one drape: both sides look alike


def test_buildings_stand_on_the_lowest_of_their_ground_with_flat_roofs_and_holes(tmp_path):
    scene = plane(sloping(0.1, 0.0))
    house = shapely.box(*here(-50, -30), *here(50, 30)) - shapely.box(*here(-10, -10), *here(10, 10))
    path = written(tmp_path / "houses.gpkg", [house, shapely.box(*here(200, 200), *here(210, 210))], tall=[30.0, None])
    found = standing_of(path, Standing(StandingWay.RAISED, height_by="tall"), scene, fill="#ff0000")
    assert found.note == "1 of 2 have no height here"
    corners = found.bodies.corners
    flat = np.ptp(corners[..., 2], axis=1) < 1e-6
    roof = corners[flat]
    assert roof[..., 2] == pytest.approx(95 + 30, abs=0.01)  # the western wall stands 5 m lower than the middle
    one, two = roof[:, 1] - roof[:, 0], roof[:, 2] - roof[:, 0]
    assert np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]).sum() / 2 == pytest.approx(100 * 60 - 20 * 20)
    assert corners[~flat][..., 2].min() == pytest.approx(95, abs=0.01)
    assert set(found.bodies.face_inks.tolist()) == {0xFF0000FF} and set(found.bodies.face_rows.tolist()) == {0}
    down = standing_of(path, Standing(StandingWay.RAISED, height=20.0, factor=-1.0), scene)
    assert down.note == "" and down.bodies.corners[..., 2].min() == pytest.approx(75, abs=0.01)


def test_lines_and_points_are_lifted_from_the_ground_or_lie_at_their_own_heights(tmp_path):
    scene = plane(sloping(0.1, 0.0))
    line = shapely.LineString([(*here(-400, 0), 500.0), (*here(400, 0), 700.0)])
    path = written(tmp_path / "line.gpkg", [line])
    own = standing_of(path, Standing(StandingWay.LIFTED, Foot.OWN_Z, height=0.0), scene).bodies
    assert own.ends[:, :, 2].tolist() == [[500.0, 700.0]]
    feet = written(tmp_path / "feet.gpkg", [line], crs="EPSG:32727+6360")
    own = standing_of(feet, Standing(StandingWay.LIFTED, Foot.OWN_Z, height=0.0), scene).bodies
    assert own.ends[0, :, 2] == pytest.approx([152.4003, 213.3604])  # US survey feet
    over = standing_of(path, Standing(StandingWay.LIFTED, Foot.GROUND, height=15.0), scene).bodies
    assert len(over.ends) > 100  # it follows the ground
    assert over.ends[..., 2] == pytest.approx(115 + 0.1 * over.ends[..., 0], abs=0.01)
    assert over.ends[1:, 0] == pytest.approx(over.ends[:-1, 1])
    wall = standing_of(path, Standing(StandingWay.WALL, Foot.ZERO, height=80.0, factor=-1.0), scene).bodies
    assert (wall.corners[..., 2].min(), wall.corners[..., 2].max()) == (-80.0, 0.0)
    spots = [shapely.Point(*here(x, 0)) for x in (0, 50, 100, 150, 900, 950)]  # a second stretch after a gap
    path = written(tmp_path / "fixes.gpkg", spots, depth=[10.0, 20, 30, None, 50, 60])
    fixes = standing_of(path, Standing(StandingWay.WALL, Foot.ZERO, height_by="depth", factor=-1.0), scene)
    assert len(fixes.bodies.corners) == 6 and fixes.bodies.corners[..., 2].min() == -60  # 0-50, 50-100, and 900-950
    points = standing_of(path, Standing(StandingWay.LIFTED, Foot.GROUND, height=40.0), scene)
    stems = points.bodies.ends[np.ptp(points.bodies.ends[..., 2], axis=1) > 0]
    assert stems[:, 1, 2] - stems[:, 0, 2] == pytest.approx(40.0) and "2 of 6" in points.note  # beyond the ground


def test_boreholes_come_back_with_their_intervals_and_true_to_their_dip(tmp_path):
    home = demo.DATA / "boreholes"
    stated = OpenOptions(crs=CRS, columns=Columns("easting", "northing"))
    with Workspace() as workspace:
        ref = DataRef.file(home / "collars.csv")
        workspace.cache.set_options(ref, stated)
        (layer,) = workspace.open(ref)
        guess = boreholes_guess(workspace.cache.part(layer.ref).facts.fields)
        assert (guess.foot_by, guess.height_by, guess.azimuth_by, guess.dip_by) == (
            "elevation_m", "depth_m", "azimuth_deg", "dip_deg",
        )  # fmt: skip
        (table,) = interval_tables(workspace.cache, layer, ())
        assert (table.hole, table.begin, table.end, table.colour_by) == ("hole_id", "from_m", "to_m", "rock")
        layer = replace(layer, standing=replace(guess, intervals=table))
        (grid,) = workspace.open(demo.DATA / "elevation_2029.tif")
        space = space_of(workspace.cache, [grid])
        found = bodies_of(workspace.cache, layer, space, lambda places: np.zeros(len(places)))
        with (home / "intervals.csv").open() as file:
            rows = list(csv.DictReader(file))
        core = found.bodies.ends[found.bodies.widths == 5.0]
        lengths = np.linalg.norm(core[:, 1] - core[:, 0], axis=1)
        assert lengths == pytest.approx([float(row["to_m"]) - float(row["from_m"]) for row in rows], abs=1e-6)
        assert {text for _, text in found.legend} == {row["rock"] for row in rows} and found.note == ""
        (survey,) = deviation_tables(workspace.cache, layer, ())
        bent = replace(layer, standing=replace(layer.standing, deviation=survey))
        bodies = bodies_of(workspace.cache, bent, space, lambda places: np.zeros(len(places))).bodies
        row = workspace.cache.table(layer.ref).column("hole_id").to_pylist().index("TG-5")
        core = bodies.ends[(bodies.widths == 5.0) & (bodies.stroke_rows == row)]
        collar = bodies.ends[(bodies.widths == 8.0) & (bodies.stroke_rows == row)][0, 0]
        truth = json.loads((demo.DATA.parent / "truth.json").read_text())["deviated"]
        end = [truth["east_m"], truth["north_m"], -truth["down_m"]]
        assert core[-1, 1] - collar == pytest.approx(end, abs=0.01)
        assert np.linalg.norm(core[:, 1] - core[:, 0], axis=1).sum() == pytest.approx(460.0, abs=0.05)
        lost = replace(bent.standing, deviation=replace(survey, azimuth="nothing"))
        with pytest.raises(AtlasError, match="survey of deviation has no field nothing"):
            bodies_of(workspace.cache, replace(layer, standing=lost), space, lambda places: np.zeros(len(places)))
        broken = replace(layer.standing, intervals=replace(table, colour_by="nothing"))
        with pytest.raises(AtlasError, match="no field nothing"):
            bodies_of(workspace.cache, replace(layer, standing=broken), space, lambda places: np.zeros(len(places)))
        other = tmp_path / "others.csv"
        other.write_text("hole_id,top_m,base_m,lithology\nTG-1,0,10,ash\nTG-9,0,5,ash\n")
        fields = workspace.cache.dataset(DataRef.file(other)).parts[0].facts.fields
        own = workspace.cache.part(layer.ref).facts.fields
        guessed = intervals_guess(own, DataRef.file(other).with_part("others"), fields)
        assert guessed is not None and (guessed.begin, guessed.end) == ("top_m", "base_m")
        few = bodies_of(workspace.cache, replace(layer, standing=replace(guess, intervals=guessed)), space,
                        lambda places: np.zeros(len(places)))  # fmt: skip
        assert few.note == "1 intervals of holes that are not here"
    ways = directions_of(np.array([90.0, 0.0, np.nan]), np.array([-60.0, -90.0, -45.0]))
    assert ways == pytest.approx(np.array([[0.5, 0, -(3**0.5) / 2], [0, 0, -1], [0, 0, -1]]), abs=1e-12)
    assert directions_of(np.array([180.0]), np.array([30.0]))[0] == pytest.approx((0, -(3**0.5) / 2, -0.5), abs=1e-12)


def test_points_in_a_lasso_are_those_that_are_seen_there_and_classes_that_are_off_are_neither_seen_nor_picked(tmp_path):
    random = np.random.default_rng(8)
    header = laspy.LasHeader(point_format=6, version="1.4")
    header.scales, header.offsets = [0.01] * 3, [0, 0, 0]
    header.add_crs(pyproj.CRS(CRS))
    las = laspy.LasData(header)
    x, y, z = random.uniform(-300, 300, 4000), random.uniform(-300, 300, 4000), random.uniform(0, 120, 4000)
    las.x, las.y = here(x, y)
    las.z = z
    las.classification = np.where(np.arange(4000) % 4 == 0, 6, 2).astype(np.uint8)
    las.write(tmp_path / "cloud.las")
    scene, outline = plane(no_heights), np.array([(150.0, 90), (290, 120), (260, 210), (170, 180)])
    eye = Eye.looking_at(GroundSpot(0, 0, 0), 900, 40, 30, exaggeration=2.0)
    with Workspace() as workspace:
        (layer,) = workspace.open(tmp_path / "cloud.las")
        cloud = relief_points(workspace.cache, layer, scene.space)
        some = relief_points(workspace.cache, replace(layer, style=replace(layer.style, hidden=(6,))), scene.space)
    area, expected = shapely.Polygon(outline), []
    for row in range(4000):
        at = eye.seen_at(GroundSpot(x[row], y[row], z[row] * 2.0), 400, 300)
        if at is not None and area.contains(shapely.Point(at)):
            expected.append(row)
    (found,) = points_within((cloud,), outline, eye, 0.0, (400, 300))
    assert 200 < len(expected) < 3000 and len(set(expected) ^ set(found.rows.tolist())) <= 2  # steps of a centimetre
    (ground,) = points_within((some,), outline, eye, 0.0, (400, 300))
    assert set(ground.rows.tolist()) == {row for row in found.rows.tolist() if row % 4}
    scene.show_clouds([some])
    nearest = scene.picture(eye, (400, 300), LOOK).nearest
    seen = {some.row(each) for each in np.unique(nearest[nearest >= 0]).tolist()}
    assert len(seen) > 500 and all(row % 4 for row in seen)


# The ground itself


def test_contour_lines_run_where_the_ground_has_their_heights():
    scene = plane(sloping(0.2, 0.1))
    eye = Eye.looking_at(GroundSpot(0, 0, 100), 1100, 20, 50, exaggeration=1.5)
    plain = scene.picture(eye, (400, 300), LOOK)
    lined = scene.picture(eye, (400, 300), LOOK._replace(contours=25.0, contour=(255.0, 0.0, 0.0)))
    drawn = np.argwhere((plain.image != lined.image).any(axis=2))
    assert len(drawn) > 1000
    off = []
    for row, col in drawn[::7].tolist():
        height = lined.height_at(lined.spot(col, row))
        off.append(abs((height + 12.5) % 25.0 - 12.5))
    assert np.median(off) < 1.0 and max(off) < 4.0  # metres, of a pixel's 4 m across the slope
    assert (
        scene.picture(eye, (400, 300), LOOK._replace(contours=0.05)).image == plain.image
    ).mean() > 0.99  # too close


@pytest.mark.parametrize(
    ("rise", "degrees", "faces"),
    [
        ((0.0, -0.5), 26.565, "north"),
        ((-1.0, 0.0), 45.0, "east"),
        ((0.1, 0.1), 8.05, "south-west"),
        ((0, 0.01), 0.6, "flat"),
    ],
)
def test_slope_aspect_and_bands_of_height_are_what_the_plane_has(rise, degrees, faces):
    scene, view = plane(sloping(*rise)), View(*here(0, 0), 5.0, 20, 20, CRS)
    for surface, expected in (
        (DrapeKind.SLOPE, next(n for n in range(8) if SLOPE_EDGES[n] <= degrees < SLOPE_EDGES[n + 1])),
        (DrapeKind.ASPECT, ASPECTS.index(faces) if faces in ASPECTS else len(ASPECTS)),
    ):
        drape = SurfaceDrape(surface, scene.space, scene.heights)
        colour = drape.legend[expected][0].lstrip("#")
        assert {bytes(each[:3]).hex() for each in drape(view).reshape(-1, 4)} == {colour.lower()}
    bands = SurfaceDrape(DrapeKind.HEIGHTS, scene.space, scene.heights, 0.0, 200.0)
    assert [text for _, text in bands.legend][:2] == ["0 to 50 m", "50 to 100 m"]
    gap = SurfaceDrape(DrapeKind.SLOPE, scene.space, no_heights)(view)
    assert not gap.any()


def test_heights_under_places_are_those_of_the_ground_and_none_beyond_it():
    scene = plane(sloping(0.3, -0.2))
    places = np.random.default_rng(1).uniform(-490, 490, (500, 2))
    found = heights_under(scene.heights, scene.space, places)
    assert found == pytest.approx(100 + 0.3 * places[:, 0] - 0.2 * places[:, 1], abs=0.01)
    beyond = heights_under(scene.heights, scene.space, np.array([[600.0, 0], [np.nan, 0], [0, 0]]))
    assert np.isnan(beyond[:2]).all() and beyond[2] == pytest.approx(100, abs=0.01)


@pytest.mark.parametrize(
    ("unit", "crs", "words"),
    [
        ("m", "EPSG:32727", "Heights in m, vertical datum not stated"),
        ("ft", "EPSG:32727+5773", "Heights ft, shown in m, EGM96 height"),
        ("", "EPSG:32727+6360", "Heights US survey foot, shown in m, NAVD88 height (ftUS)"),
        ("", "EPSG:32727", "Heights unit not stated, assumed to be metres, vertical datum not stated"),
        (
            "fathom-ish",
            "EPSG:32727",
            "Heights unit fathom-ish not known, assumed to be metres, vertical datum not stated",
        ),
    ],
)
def test_what_is_known_of_heights_is_stated(tmp_path, unit, crs, words):
    path = tmp_path / "grid.tif"
    with rasterio.open(path, "w", driver="GTiff", count=1, width=4, height=4, dtype="float32", crs=crs,
                       transform=from_origin(WEST, NORTH, 10, 10)) as out:  # fmt: skip
        out.write(np.ones((1, 4, 4), np.float32))
        if unit:
            out.units = (unit,)
    with Workspace() as workspace:
        assert ground_words(workspace.cache, workspace.open(path)) == words


def test_a_coarse_grid_around_the_earth_goes_on_where_ones_own_ends_but_does_not_make_the_relief_as_large(tmp_path):
    for name, west, north, cell, side, value in (
        ("own", 500_000, 5_770_000, 10, 50, 300),
        ("wide", 100_000, 9_000_000, 20_000, 400, 50),
    ):
        with rasterio.open(tmp_path / f"{name}.tif", "w", driver="GTiff", count=1, width=side, height=side, dtype="float32",
                           crs=CRS, transform=from_origin(west, north, cell, cell)) as out:  # fmt: skip
            out.write(np.full((1, side, side), value, np.float32))
    with Workspace() as workspace:
        grids = [workspace.open(tmp_path / f"{name}.tif")[0] for name in ("own", "wide")]
        space = space_of(workspace.cache, grids)
        assert space.metres == pytest.approx((17 * 500, 17 * 500), rel=0.01) and space.spacing == 10
        read = partial(heights_in, workspace.cache, grids)
        middle = np.array(space.to_metres(500_250, 5_769_750))
        assert heights_under(read, space, np.array([middle, middle + (2000, 0)])) == pytest.approx([300, 50])


def test_the_command_draws_what_stands(tmp_path):
    elevation, buildings = str(demo.DATA / "elevation_2031.tif"), str(demo.DATA / "tolvane_survey.gpkg#buildings")
    asked = ["relief", "--sources", elevation, "--path", str(tmp_path / "a.png"), "--width", "320", "--height", "200"]
    assert cli.main(asked) == 0
    plain = rasterio.open(tmp_path / "a.png").read()
    assert cli.main([*asked, "--standing", buildings, "--height-by", "200"]) == 0
    assert 100 < (rasterio.open(tmp_path / "a.png").read() != plain).any(axis=0).sum() < 12_000
    assert cli.main([*asked, "--caption", "Tolvane"]) == 0
    captioned = rasterio.open(tmp_path / "a.png").read()
    assert captioned.shape[1] > 200 and (captioned[:, :200] == plain).all()
    assert cli.main([*asked, "--contours", "50", "--opacity", "0.5"]) == 0
    assert (rasterio.open(tmp_path / "a.png").read() != plain).any(axis=0).mean() > 0.2


def test_heights_of_a_cloud_in_feet_become_metres(tmp_path):
    header = laspy.LasHeader(point_format=6, version="1.4")
    header.scales, header.offsets = [0.01] * 3, [0, 0, 0]
    header.add_crs(pyproj.CRS("EPSG:32727+6360"))
    las = laspy.LasData(header)
    las.x, las.y, las.z = *here(np.array([0.0, 10.0]), np.array([0.0, 10.0])), np.array([100.0, 3937.0])
    las.write(tmp_path / "feet.las")
    with Workspace() as workspace:
        (layer,) = workspace.open(tmp_path / "feet.las")
        cloud = relief_points(workspace.cache, layer, plane(no_heights).space)
        assert sorted(cloud.outline[:, 2].tolist()) == pytest.approx([30.48006, 1200.0], abs=0.01)
        assert cloud_words(workspace.cache, [layer]) == "Heights US survey foot, shown in m, NAVD88 height (ftUS)"


@pytest.mark.parametrize("way", list(StandingWay))
def test_empty_mixed_broken_and_endless_geometry_stands_as_far_as_it_can(tmp_path, way):
    scene = plane()
    shapes = [
        shapely.Polygon(), shapely.Point(), shapely.GeometryCollection([shapely.box(*here(0, 0), *here(5, 5))]),
        shapely.Polygon([here(20, 20), here(40, 40), here(40, 20), here(20, 40)]),  # crosses itself
        shapely.LineString([here(0, 0), here(0, 0)]), shapely.LineString([(-1e300, 0), (1e300, 0)]), shapely.Point(here(9, 9)),
    ]  # fmt: skip
    path = tmp_path / "odd.gpkg"
    table = pa.table({"h": [3.0] * 7, "t": ["tall"] * 7, "geometry": shapely.to_wkb(np.array(shapes, object))})
    pyogrio.write_arrow(
        table, path, layer="odd", driver="GPKG", geometry_name="geometry", geometry_type="Unknown", crs=CRS
    )
    for foot in Foot:
        found = standing_of(path, Standing(way, foot, "h" if foot is Foot.FIELD else None, 4.0), scene)
        assert np.isfinite(found.bodies.corners).all() and np.isfinite(found.bodies.ends).all()
        scene.bodies = (found,)
        scene.picture(Eye.looking_at(GroundSpot(0, 0, 0), 900, 30, 30, exaggeration=1.0), SIZE, LOOK)
    if way not in (StandingWay.DRAPED,):
        with pytest.raises(AtlasError, match="t holds no numbers"):
            standing_of(path, Standing(way, height_by="t"), scene)
