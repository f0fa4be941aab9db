"""The relief: a frame while turning against a full mesh drawn by VTK, and a grid of 20,000 x 20,000 cells."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from . import data
from .case import Case, Measured, peak_mb, timed

SIZE = (1280, 800)
SIDE = 4096  # cells, and pixels of the drape
TURNS = 24
FRAME_S = 1 / 15
PEER_FRAMES = 3
COARSER = 2.0  # as the window draws while the hand moves
FIRST_S, MOST_MB = 1.0, 600.0
_LARGE = "from bench.relief import large_grid; large_grid()"
_MESH = "from bench.relief import full_mesh; full_mesh()"
_POINTS = "from bench.relief import many_points; many_points()"
_GAPS = "from bench.relief import window_gaps; window_gaps()"
POINTS_FRAME_S, POINTS_REST_S, GAP_S = 1 / 10, 2.0, 0.05


def run() -> Iterator[Case]:
    yield from _turning()
    yield from _large()
    for alone, cases in ((_POINTS, _point_cases), (_GAPS, _gap_cases)):
        done = subprocess.run([sys.executable, "-c", alone], capture_output=True, text=True, check=True, cwd=_root())
        yield from cases(json.loads(done.stdout.splitlines()[-1]))


def _grid() -> Path:
    """Return a grid of 4,096 x 4,096 cells with overviews."""

    def make(path: Path) -> None:
        import rasterio
        from rasterio.enums import Resampling
        from rasterio.transform import from_origin

        with rasterio.open(
            path, "w", driver="GTiff", count=1, width=SIDE, height=SIDE, dtype="float32", crs=data.CRS, tiled=True,
            blockxsize=256, blockysize=256, transform=from_origin(data.WEST, data.SOUTH + SIDE * 5, 5, 5),
        ) as out:  # fmt: skip
            out.write(_heights(), 1)
        with rasterio.open(path, "r+") as out:
            out.build_overviews([2, 4, 8, 16], Resampling.average)

    return data.made(f"relief-{SIDE}.tif", make)


def _heights() -> np.ndarray:
    from scipy import ndimage

    random, ground = np.random.default_rng(4), np.zeros((SIDE, SIDE), np.float32)
    for octave in range(8):
        steps = 4 * 2**octave
        piece = random.normal(size=(steps, steps)).astype(np.float32)
        ground += ndimage.zoom(piece, SIDE / steps, order=1) * (900 / 2**octave)
    return ground


def _drape(rows: int = SIDE, cols: int = SIDE) -> np.ndarray:
    """Return a picture with detail everywhere."""
    j, i = np.mgrid[0:rows, 0:cols]
    return np.stack([(i // 16 * 37 + j // 16 * 91) % 200 + 55, (i // 8) % 256, (j // 8) % 256], axis=2).astype(np.uint8)


def _scene(path: Path):  # type: ignore[no-untyped-def]
    """Return the scene of a grid with a drape as large as itself, complete for its first eye, and that eye."""
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.model import DataKind, DataRef, GridStyle, Layer
    from brisk_atlas.core.relief.eye import Eye, eye_over
    from brisk_atlas.core.relief.ground import heights_in, space_of
    from brisk_atlas.core.relief.light import Lighting
    from brisk_atlas.core.relief.scene import ReliefScene

    cache = DataCache()
    layer = Layer("grid", "grid", DataRef.file(path).with_part(path.stem), DataKind.RASTER, GridStyle())
    space, whole = space_of(cache, [layer]), _drape()

    def drape(view):  # type: ignore[no-untyped-def]
        step = max(1, round(view.resolution / 5))
        row = max(0, round((space.corner[1] - view.y) / 5 - view.height * step / 2))
        col = max(0, round((view.x - space.corner[0]) / 5 - view.width * step / 2))
        found = np.full((view.height, view.width, 4), 255, np.uint8)
        piece = whole[row : row + view.height * step : step, col : col + view.width * step : step]
        found[: piece.shape[0], : piece.shape[1], :3] = piece
        return found

    scene = ReliefScene(space, lambda view: heights_in(cache, [layer], view), drape, Lighting())
    scene.load_base()
    return scene, eye_over(scene.outline, SIZE[0] / SIZE[1], Eye(tilt=35.0))


def _look():  # type: ignore[no-untyped-def]
    from brisk_atlas.core.relief.rays import Look

    return Look((200.0, 200.0, 200.0), (240.0, 240.0, 240.0), (220.0, 230.0, 240.0), 0.0, 1.0)


def _complete(scene, eye) -> None:  # type: ignore[no-untyped-def]
    look = _look()
    for _ in range(40):
        missing = scene.missing(scene.picture(eye, SIZE, look, coarser=COARSER))
        if not missing:
            return
        scene.load(missing[0])


def _moving(scene, eye, pace) -> float:  # type: ignore[no-untyped-def]
    """Return how long a picture takes while the hand moves, as coarse as the window draws it then."""
    took = timed(lambda: scene.picture(eye, SIZE, _look(), coarser=pace.coarser))
    pace.took(took)
    return took


def _turning() -> Iterator[Case]:
    scene, whole = _scene(_grid())
    look = _look()
    from brisk_atlas.core.relief.eye import GroundSpot
    from brisk_atlas.core.relief.pace import Pace

    near = whole.closer(GroundSpot(0.0, 0.0, 0.0), 4.0, 10.0)
    pace = Pace()
    frames, still = [], []
    for eye in (whole, near):
        for turn in range(TURNS):
            now = eye.turned_about(GroundSpot(0.0, 0.0, 0.0), turn * 15.0, 0.0)
            if turn % 6 == 0:
                _complete(scene, now)
                still.append(timed(lambda now=now: scene.picture(now, SIZE, look)))  # type: ignore[misc]
            frames.append(_moving(scene, now, pace))
    mine = Measured(statistics.median(frames), peak_mb())
    worst = max(frames)
    yield Case("relief", "4,096 x 4,096 cells and as large a drape, a frame while turning", "15 frames a second",
               mine, Measured(FRAME_S, 0.0), 1.0,
               f"slowest of {len(frames)}: {worst * 1000:.0f} ms; {pace.coarser:.1f} times coarser than at rest")  # fmt: skip
    done = subprocess.run([sys.executable, "-c", _MESH], capture_output=True, text=True, check=True, cwd=_root())
    theirs = json.loads(done.stdout.splitlines()[-1])
    yield Case("relief", "the same at rest, every pixel", "the full mesh through VTK",
               Measured(statistics.median(still), peak_mb()), Measured(theirs["seconds"], theirs["peak"]), 20.0,
               f"VTK takes {theirs['first']:.1f} s for its first picture")  # fmt: skip


def _root() -> Path:
    return Path(__file__).parents[1]


def full_mesh() -> None:
    """Draw all of the grid as triangles with a texture, in a process of its own: print times and memory as JSON."""
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")
    import time

    import pyvista as pv

    begun = time.perf_counter()
    heights = _heights()
    x = (np.arange(SIDE, dtype=np.float32) + 0.5) * 5
    grid = pv.StructuredGrid(*np.meshgrid(x, x[::-1]), heights)
    mesh = grid.extract_surface(pass_pointid=False, pass_cellid=False)
    mesh.texture_map_to_plane(inplace=True)
    plotter = pv.Plotter(off_screen=True, window_size=list(SIZE))
    plotter.add_mesh(mesh, texture=pv.Texture(_drape()), smooth_shading=False)
    plotter.camera_position = "xz"
    plotter.camera.elevation = 35
    plotter.render()
    first = time.perf_counter() - begun
    times = []
    for _ in range(PEER_FRAMES):
        plotter.camera.azimuth += 15
        begun = time.perf_counter()
        plotter.render()
        plotter.screenshot(return_img=True)
        times.append(time.perf_counter() - begun)
    print(json.dumps({"seconds": statistics.median(times), "first": first, "peak": peak_mb()}))


def large_grid() -> None:
    """Show the large grid on the map and in relief, in a process of its own: print times and memory as JSON."""
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.kinds import painter_for
    from brisk_atlas.core.model import DataKind, DataRef, GridStyle, Layer, Stretch
    from brisk_atlas.core.relief import warm
    from brisk_atlas.core.relief.eye import Eye, GroundSpot, eye_over
    from brisk_atlas.core.relief.ground import drape_in, heights_in, space_of
    from brisk_atlas.core.relief.light import Lighting
    from brisk_atlas.core.relief.pace import Pace
    from brisk_atlas.core.relief.scene import ReliefScene

    warm.warm()
    start, look = peak_mb(), _look()
    path = data.grid(overviews=True)
    style = GridStyle(ramp="land", stretch=Stretch("hand", 100, 900))
    layer = Layer("grid", "grid", DataRef.file(path).with_part(path.stem), DataKind.RASTER, style)
    cache = DataCache()
    painter = painter_for(cache)
    extent = cache.raster(layer.ref).facts.extent
    on_map = timed(lambda: painter.frame([layer], View.fitting(extent, *SIZE)))
    made = {}

    def first_relief() -> None:
        scene = ReliefScene(space_of(cache, [layer]), lambda view: heights_in(cache, [layer], view),
                            lambda view: drape_in(painter, [layer], view), Lighting())  # fmt: skip
        scene.load_base()
        made["scene"], made["eye"] = scene, eye_over(scene.outline, SIZE[0] / SIZE[1], Eye())
        scene.picture(made["eye"], SIZE, look, coarser=COARSER)

    in_relief = timed(first_relief)
    scene, eye = made["scene"], made["eye"]
    pace, frames = Pace(), []
    for closer in (1.0, 3.0, 9.0, 27.0):
        near = eye.closer(GroundSpot(0.0, 0.0, 0.0), closer, 100.0)
        for turn in range(6):
            now = near.turned_about(GroundSpot(0.0, 0.0, 0.0), 60.0 * turn, 0.0)
            _complete(scene, now)
            frames.append(_moving(scene, now, pace))
    print(json.dumps({"map": on_map, "relief": in_relief, "frame": statistics.median(frames), "start": start,
                      "peak": peak_mb()}))  # fmt: skip


def _large() -> Iterator[Case]:
    data.grid(overviews=True)
    done = subprocess.run([sys.executable, "-c", _LARGE], capture_output=True, text=True, check=True, cwd=_root())
    found = json.loads(done.stdout.splitlines()[-1])
    memory = found["peak"] - found["start"]
    yield Case("relief", "20,000 x 20,000 cells, a frame while turning, near and far", "15 frames a second",
               Measured(found["frame"], memory), Measured(FRAME_S, MOST_MB), 1.0,
               f"{memory:.0f} MB above the start, of {MOST_MB:.0f}")  # fmt: skip
    yield Case("relief", "20,000 x 20,000 cells, first picture", f"the map's first picture and {FIRST_S:g} s",
               Measured(found["relief"], memory), Measured(found["map"] + FIRST_S, 0.0), 1.0,
               f"the map's own first picture: {found['map'] * 1000:.0f} ms")  # fmt: skip


def many_points() -> None:
    """Turn a cloud of 20,000,000 points, in a process of its own: print times and memory as JSON."""
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.model import CloudStyle, DataKind, DataRef, Layer
    from brisk_atlas.core.relief.eye import Eye, GroundSpot, eye_over
    from brisk_atlas.core.relief.ground import no_heights
    from brisk_atlas.core.relief.light import Lighting
    from brisk_atlas.core.relief.pace import Pace
    from brisk_atlas.core.relief.points import relief_points, space_around
    from brisk_atlas.core.relief.scene import ReliefScene

    path = data.cloud()
    cache = DataCache()
    ref = DataRef.file(path)
    layer = Layer(
        "cloud", "cloud", ref.with_part(cache.dataset(ref).parts[0].facts.name), DataKind.POINTCLOUD, CloudStyle()
    )
    cache.points(layer.ref)
    space = space_around(cache, [layer])
    scene = ReliefScene(space, no_heights, lambda view: np.zeros((view.height, view.width, 4), np.uint8), Lighting())
    scene.load_base()
    scene.show_clouds([relief_points(cache, layer, space)])
    eye, pace = eye_over(scene.outline, SIZE[0] / SIZE[1], Eye(tilt=35.0)), Pace()
    frames, still = [], []
    for turn in range(TURNS):
        now = eye.turned_about(GroundSpot(0.0, 0.0, 0.0), turn * 15.0, 0.0)
        frames.append(_moving(scene, now, pace))
        if turn % 6 == 0:
            still.append(timed(lambda now=now: scene.picture(now, SIZE, _look())))  # type: ignore[misc]
    print(json.dumps({"frame": statistics.median(frames), "rest": statistics.median(still), "peak": peak_mb()}))


def _point_cases(found: dict) -> Iterator[Case]:
    yield Case("relief", "20,000,000 points, a frame while turning", "10 frames a second",
               Measured(found["frame"], found["peak"]), Measured(POINTS_FRAME_S, 0.0), 1.0)  # fmt: skip
    yield Case("relief", "20,000,000 points, all of them at rest", "2 s",
               Measured(found["rest"], found["peak"]), Measured(POINTS_REST_S, 0.0), 1.0)  # fmt: skip


def window_gaps() -> None:
    """Turn the large grid in the real window, in a process of its own: print how long its thread was away at most."""
    import tempfile
    import time

    os.environ["QT_QPA_PLATFORM"], os.environ["BRISK_ATLAS_HOME"] = "offscreen", tempfile.mkdtemp()
    from brisk_atlas.desktop.app import make_application, make_window, settle
    from brisk_atlas.desktop.collector import Collector
    from brisk_atlas.desktop.warm_up import warm_later

    from .stall import READY_S, Heartbeat

    app = make_application()
    window = make_window()
    Collector(window).start()
    window.session.asks = False
    window.resize(1280, 800)
    window.show()
    warm_later(window)
    ready = time.perf_counter() + READY_S
    while time.perf_counter() < ready:
        app.processEvents()
        time.sleep(0.001)
    window.session.open_files([data.grid(overviews=True)])
    settle(window, 120)
    window.show_page("desk")
    window.commands.do("relief")
    settle(window, 120)
    heart, canvas = Heartbeat(), window.desk.relief.canvas

    def turning() -> None:
        for step in range(240):
            canvas.turn(canvas.eye.turned_about(canvas.centre, 3.0, 0.0))
            if step % 40 == 39:
                canvas.come_closer(1.5)
            end = time.perf_counter() + 0.016
            while time.perf_counter() < end:
                app.processEvents()
        settle(window, 120)

    longest, typical = heart.during(turning)
    print(json.dumps({"longest": longest, "typical": typical, "peak": peak_mb()}))
    window.session.work.load(window.session.work.state, None, None)
    window.close()


def _gap_cases(found: dict) -> Iterator[Case]:
    yield Case("relief", "longest gap of the window while the large grid turns", "50 ms",
               Measured(found["longest"], found["peak"]), Measured(GAP_S, 0.0), 1.0,
               f"median of the worst ten: {found['typical'] * 1000:.0f} ms")  # fmt: skip
