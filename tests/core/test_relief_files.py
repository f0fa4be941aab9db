"""What a relief is taken along as: films, models, stored lights; and lines of sight."""

from __future__ import annotations

from dataclasses import replace

import av
import numpy as np
import pytest
import trimesh
from scipy import ndimage

from brisk_atlas import cli, demo
from brisk_atlas.core.model import AtlasError, CannotWrite, DataRef, Extent
from brisk_atlas.core.model.standing import Foot, IntervalSource, Standing, StandingWay
from brisk_atlas.core.relief.caption import captioned
from brisk_atlas.core.relief.eye import Eye, GroundSpot
from brisk_atlas.core.relief.film import flight_through, turn_about, write_film
from brisk_atlas.core.relief.ground import flat_heights
from brisk_atlas.core.relief.light import Light, Lighting
from brisk_atlas.core.relief.line_of_sight import line_of_sight
from brisk_atlas.core.relief.model_file import write_model
from brisk_atlas.core.relief.rays import Look
from brisk_atlas.core.relief.scene import ReliefScene
from brisk_atlas.core.relief.sight_kernels import fill_sight
from brisk_atlas.core.relief.space import EARTH_RADIUS_M, Space
from brisk_atlas.core.relief.stored_lights import StoredLights
from brisk_atlas.core.workspace import Workspace, project_file

SPACE = Space("EPSG:32727", (0.0, 1000.0), (1000.0, 1000.0), 10.0, (1.0, 1.0), 0.0)
LOOK = Look((200.0, 180.0, 160.0), (10.0, 20.0, 30.0), (10.0, 20.0, 30.0))


def green(view):
    return np.broadcast_to(np.array((20, 200, 40, 255), np.uint8), (view.height, view.width, 4))


def hill(view):
    """A cone of 200 m in the middle, with a hole to the west of it."""
    x = view.x + (np.arange(view.width) + 0.5 - view.width / 2) * view.resolution
    y = view.y - (np.arange(view.height) + 0.5 - view.height / 2) * view.resolution
    away = np.hypot(x[None, :] - 500, y[:, None] - 500)
    found = np.maximum(0, 200 - away / 2).astype(np.float32)
    found[np.hypot(x[None, :] - 150, y[:, None] - 500) < 60] = np.nan
    return found


def test_a_film_of_a_turn_has_its_frames_and_its_last_joins_its_first(tmp_path):
    scene = ReliefScene(SPACE, hill, green, Lighting(), 1.0)
    scene.load_base()
    eye = Eye.looking_at(GroundSpot(0, 0, 50), 1500, 30, 30, exaggeration=1.0)
    eyes = turn_about(eye, GroundSpot(0, 0, 50), 10)
    assert [round(each.azimuth) for each in eyes[:3]] == [30, 66, 102] and eyes[-1].azimuth == pytest.approx(354)
    shares = []
    write_film(scene, eyes, (201, 121), LOOK, tmp_path / "turn.mp4", shares.append)
    with av.open(str(tmp_path / "turn.mp4")) as film:
        frames = [each.to_ndarray(format="rgb24").astype(int) for each in film.decode(video=0)]
        assert film.streams.video[0].codec_context.name == "h264"
    assert len(frames) == 10 and frames[0].shape == (120, 200, 3) and shares[-1] == 1.0  # even sides
    drawn = scene.fine_picture(eyes[4], (200, 120), LOOK).image[..., :3]
    assert np.abs(frames[4] - drawn).mean() < 4 and np.abs(frames[4] - frames[0]).mean() > 0.3
    with pytest.raises(CannotWrite, match=r"as \.mp4 or \.gif"):
        write_film(scene, eyes, (64, 64), LOOK, tmp_path / "turn.avi")

    def stop(share):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        write_film(scene, eyes, (64, 64), LOOK, tmp_path / "half.mp4", stop)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["turn.mp4"]  # nothing half-written


def test_a_flight_passes_through_all_its_views_and_turns_the_shorter_way():
    views = [Eye(0, 0, 500, 350, 30), Eye(800, 100, 300, 20, 45), Eye(900, 900, 700, 200, 10, 50.0, 3.0)]
    way = flight_through(views, 601)
    for view in views:
        near = min(way, key=lambda each: np.hypot(each.east - view.east, each.north - view.north))
        assert (near.east, near.north, near.up) == pytest.approx((view.east, view.north, view.up), abs=8)
        assert near.tilt == pytest.approx(view.tilt, abs=1.5)
    assert way[0] == views[0] and way[-1].exaggeration == pytest.approx(3.0)
    steps = np.diff(np.degrees(np.unwrap(np.radians([each.azimuth for each in way[:250]]))))
    assert steps.sum() < 120 and np.abs(np.diff([(each.east, each.north, each.up) for each in way], axis=0)).max() < 12


def test_a_model_has_the_heights_the_picture_and_no_faces_over_holes(tmp_path):
    whole = Extent(0, 0, 1000, 1000, "EPSG:32727")
    counts = write_model(tmp_path / "hill.glb", SPACE, whole, hill, green, 2.0, 10_000)
    (mesh,) = trimesh.load(tmp_path / "hill.glb").geometry.values()
    assert counts == (len(mesh.vertices), len(mesh.faces)) and 9_000 < counts[0] < 10_000
    east, up, south = mesh.vertices.T
    away = np.hypot(east, south)
    assert up == pytest.approx(np.maximum(0, 200 - away / 2) * 2.0, abs=0.01)
    assert not (np.hypot(east + 350, south) < 59).any()  # the hole, on the western side
    assert np.asarray(mesh.visual.material.baseColorTexture.convert("RGB"))[5, 5].tolist() == [20, 200, 40]
    assert (mesh.face_normals[:, 1] > 0).all()
    write_model(tmp_path / "hill.obj", SPACE, whole, hill, green, 1.0, 2_500)
    again = trimesh.load(tmp_path / "hill.obj")
    assert again.vertices[:, 2].max() == pytest.approx(190, abs=10) and (tmp_path / "hill.mtl").exists()
    write_model(tmp_path / "hill.stl", SPACE, whole, hill, green, 1.0, 10_000)
    body = trimesh.load(tmp_path / "hill.stl")
    assert body.is_watertight and body.is_winding_consistent
    cone = np.pi * 400**2 * 200 / 3
    assert body.volume == pytest.approx(cone + 50 * 990**2 - 50 * np.pi * 60**2, rel=0.02)  # on a base 50 m below
    with pytest.raises(AtlasError, match="no ground within"):
        write_model(tmp_path / "x.stl", SPACE, Extent(130, 480, 170, 520, "EPSG:32727"), hill, green)
    with pytest.raises(CannotWrite, match=r"\.glb, \.obj or \.stl"):
        write_model(tmp_path / "x.ply", SPACE, whole, flat_heights, green)


def test_the_command_flies_through_views(tmp_path, capsys):
    elevation, path = str(demo.DATA / "elevation_2031.tif"), tmp_path / "flight.mp4"
    asked = ["relief", "--sources", elevation, "--path", str(path), "--width", "160", "--height", "96", "--frames", "7"]
    views = ["508000", "5769000", "4000", "350", "30", "510000", "5771000", "2500", "20", "15"]
    assert cli.main([*asked, "--flight", *views]) == 0
    with av.open(str(path)) as film:
        frames = [each.to_ndarray(format="rgb24").astype(int) for each in film.decode(video=0)]
    assert len(frames) == 7 and np.abs(frames[0] - frames[-1]).mean() > 5
    assert cli.main([*asked, "--flight", *views[:-1]]) == 1 and "no views of a flight" in capsys.readouterr().err


def test_the_command_writes_a_model_of_an_extent(tmp_path):
    elevation, path = str(demo.DATA / "elevation_2031.tif"), tmp_path / "crater.glb"
    asked = [
        "relief-model",
        "--sources",
        elevation,
        "--path",
        str(path),
        "--extent",
        "507500",
        "5768500",
        "509500",
        "5770500",
    ]
    assert cli.main([*asked, "--samples", "40000"]) == 0
    (mesh,) = trimesh.load(path).geometry.values()
    assert mesh.extents[[0, 2]] == pytest.approx((1990, 1990), abs=15)
    assert cli.main(["relief-model", "--sources", elevation, "--path", elevation]) == 1  # never over its own source


def test_lines_of_sight_agree_with_the_viewshed_cell_by_cell():
    random = np.random.default_rng(6)
    ground = ndimage.gaussian_filter(random.normal(0, 60, (81, 81)), 3).astype(np.float32)
    ground *= 40 / ground.std()
    step = 25.0

    def heights(places):
        col, row = places[:, 0] / step + 40, 40 - places[:, 1] / step
        return ndimage.map_coordinates(ground, [row, col], order=1, cval=np.nan)

    missing = np.empty((81, 81), np.float32)
    fill_sight(ground, step, step, 40, 40, 1.7, 0.0, 0.87 / (2 * EARTH_RADIUS_M), 1e9, missing, 0, 81)
    off, agree = [], 0
    for row, col in random.integers(0, 81, (300, 2)).tolist():
        target = ((col - 40) * step, (40 - row) * step)
        found = line_of_sight(heights, (0.0, 0.0), target)
        if found is None:
            continue
        off.append(abs(found.missing - float(missing[row, col])))
        agree += (found.blocked_at is None) == (missing[row, col] == 0)
        assert found.blocked_at is None or 0 < found.blocked_at < found.length
    assert np.median(off) < 0.5 and np.quantile(off, 0.95) < 5 and agree > 0.97 * len(off) > 250
    assert line_of_sight(heights, (0.0, 0.0), (5000.0, 0.0)) is None
    flat = line_of_sight(lambda places: np.zeros(len(places)), (0.0, 0.0), (30_000.0, 0.0), eye=1.7)
    assert flat is not None and flat.blocked_at is not None  # below the horizon, sqrt(2 R 1.7 / 0.87) = 4,990 m away
    assert flat.missing == pytest.approx((30_000 - 4_990) ** 2 * 0.87 / (2 * EARTH_RADIUS_M), rel=0.01)


def test_a_caption_stands_below_the_picture_with_a_bar_that_is_true_in_its_middle():
    eye = Eye.looking_at(GroundSpot(0, 0, 0), 2000, 340, 30, 36.0, 2.5)
    image = np.full((400, 640, 4), 200, np.uint8)
    found = captioned(
        image, "Mount Serrick from the south-east, after the eruption of 2031 " * 4, eye, 2000, "Heights in m"
    )
    assert (found[:400] == image).all() and found.shape[1] == 640 and 30 < len(found) - 400 < 120
    strip = found[400:, :, :3].astype(int).sum(axis=2)
    dark = strip < 300
    foot = max(range(len(strip)), key=lambda row: np.count_nonzero(dark[row, 400:]))
    bar = np.ptp(np.flatnonzero(dark[foot, 400:]))
    metres = bar * 2000 * eye.pixel(400)
    assert metres == pytest.approx(200, rel=0.03)  # the length that it states, of 1, 2 and 5 times a power of ten
    assert dark[:30, :380].any() and not dark[:, 634:].any()  # a long caption ends before the bar
    assert len(captioned(image, "", eye, 2000)) < len(found)


def test_light_settings_are_stored_under_names_and_a_damaged_file_is_none(tmp_path):
    lights = StoredLights(tmp_path / "home" / "lights.json")
    low = Lighting((Light(80, 12, 0.9, True), Light(200, 50, 0.2)), 0.2)
    assert lights.all() == {}
    lights.store("low from the east", low)
    lights.store("plain", Lighting())
    assert StoredLights(lights.file).all() == {"low from the east": low, "plain": Lighting()}
    lights.remove("plain")
    assert list(lights.all()) == ["low from the east"]
    lights.file.write_text('{"a": 3')
    assert lights.all() == {}


def test_how_a_layer_stands_is_saved_with_the_project_and_moves_with_its_files(tmp_path):
    with Workspace() as workspace:
        (layer,) = workspace.open(DataRef.file(demo.DATA / "tolvane_survey.gpkg").with_part("buildings"))
        source = IntervalSource(DataRef.file(tmp_path / "old" / "i.csv").with_part("i"), "h", "a", "b", "rock", "hole")
        standing = Standing(StandingWay.BOREHOLES, Foot.FIELD, "z", 5.0, "depth", -0.3048, "azi", "dip", source)
        workspace.work.change("stand", layer.id, standing=standing)
        path = tmp_path / "a.brisk.json"
        project_file.save(workspace.work, path)
        state, _, _ = project_file.read(path)
        assert state.layers[0].standing == standing
        text = path.read_text()
        path.write_text(text.replace('"boreholes"', '"floating"'))
        with pytest.raises(AtlasError, match="not a project"):
            project_file.read(path)
        workspace.work.relink({DataRef.file(tmp_path / "old" / "i.csv"): DataRef.file(tmp_path / "new" / "i.csv")})
        moved = workspace.work.layers[0].standing.intervals
        assert moved == replace(source, ref=DataRef.file(tmp_path / "new" / "i.csv").with_part("i"))
