"""The drawing of a relief, in a process of its own.

The 3D library holds Python's lock while it draws, and a broken graphics driver can end a process.
In a child both are harmless: the window stays quick, and a dead stage is started anew.
"""

from __future__ import annotations

import os
import threading
from contextlib import ExitStack
from typing import Any

import numpy as np

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.system.workers import Call, Worker, WorkerDied, WorkerPool, WorkerTooSlow

from .terrain import Camera, Terrain

PATIENCE_S = 60.0
WHOLE_ASPECT = 0.85  # a pane narrower than this, width to height, is looked at from further away


def _place_camera(plotter: Any, terrain: Terrain, camera: Camera, middle: float) -> None:
    size = max(terrain.width, terrain.depth)
    turn, rise = np.radians(camera.azimuth), np.radians(camera.elevation)
    wide, high = plotter.window_size
    away = camera.distance * size * max(1.0, WHOLE_ASPECT * high / wide)
    focus = np.array([camera.shift_x * size, camera.shift_y * size, middle * camera.exaggeration])
    eye = focus + away * np.array([np.sin(turn) * np.cos(rise), np.cos(turn) * np.cos(rise), np.sin(rise)])
    plotter.camera_position = [tuple(eye), tuple(focus), (0.0, 0.0, 1.0)]
    plotter.camera.clipping_range = (away * 0.01, away * 4 + size * 2)


def _mesh(terrain: Terrain) -> Any:
    import pyvista as pv

    rows, cols = terrain.heights.shape
    x = (np.arange(cols) + 0.5) / cols * terrain.width - terrain.width / 2
    y = terrain.depth / 2 - (np.arange(rows) + 0.5) / rows * terrain.depth
    gx, gy = np.meshgrid(x, y)
    known = np.isfinite(terrain.heights)
    points = np.column_stack([gx.ravel(), gy.ravel(), np.where(known, terrain.heights, 0).ravel()]).astype(np.float32)
    index = np.arange(rows * cols).reshape(rows, cols)
    whole = known[:-1, :-1] & known[1:, :-1] & known[:-1, 1:] & known[1:, 1:]
    a, b, c, d = (corner[whole] for corner in (index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]))
    faces = np.column_stack([np.full(a.size, 4), a, b, c, d]).ravel()
    mesh = pv.PolyData(points, faces)
    u, v = (gx / terrain.width + 0.5).ravel(), (gy / terrain.depth + 0.5).ravel()
    mesh.active_texture_coordinates = np.column_stack([u, v]).astype(np.float32)
    return mesh


class _Scene:
    """What the worker process of a relief holds from one picture to the next."""

    plotter: Any = None
    terrain: Terrain | None = None
    actor: Any = None
    middle = 0.0


def load(terrain: Terrain) -> None:
    """Make the scene of a terrain. Runs in a worker."""
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")  # needs no display
    import pyvista as pv

    if _Scene.plotter is not None:
        _Scene.plotter.close()
    _Scene.terrain, _Scene.plotter = terrain, pv.Plotter(off_screen=True, lighting="none")
    _Scene.plotter.render_window.SetMultiSamples(0)
    _Scene.plotter.add_light(pv.Light(position=(-1, 1, 1.6), light_type="scene light", intensity=0.95))
    _Scene.plotter.add_light(pv.Light(position=(1, -0.6, 1.2), light_type="scene light", intensity=0.4))
    mesh = _mesh(terrain).compute_normals(consistent_normals=False, split_vertices=False)
    texture = pv.Texture(np.ascontiguousarray(terrain.drape))
    _Scene.actor = _Scene.plotter.add_mesh(
        mesh, texture=texture, smooth_shading=True, ambient=0.28, diffuse=0.85, specular=0.0
    )
    _Scene.middle = float(np.nanmean(terrain.heights))


def draw(camera: Camera, size: tuple[int, int], background: str, fine: bool) -> np.ndarray:
    """Return the picture of the terrain that was loaded. Runs in a worker."""
    plotter, terrain = _Scene.plotter, _Scene.terrain
    if terrain is None:
        raise ValueError("no terrain was loaded")
    scale = 2 if fine else 1  # drawn at twice the size and averaged: smooth edges
    plotter.window_size = size[0] * scale, size[1] * scale
    plotter.set_background(background)
    _Scene.actor.scale = (1.0, 1.0, camera.exaggeration)
    _place_camera(plotter, terrain, camera, _Scene.middle)
    plotter.render()
    image = plotter.screenshot(return_img=True)
    if fine:
        image = image.reshape(size[1], 2, size[0], 2, 3).mean(axis=(1, 3)).astype(np.uint8)
    return np.ascontiguousarray(image)


class Stage:
    """Draws one terrain from any side, in a worker of its own. Safe for threads; a dead worker is replaced."""

    def __init__(self, pool: WorkerPool) -> None:
        self._pool = pool
        self._lock = threading.Lock()
        self._lease = ExitStack()
        self._worker: Worker | None = None
        self._terrain: Terrain | None = None

    def picture(
        self, terrain: Terrain, camera: Camera, size: tuple[int, int], background: str, *, fine: bool = True
    ) -> np.ndarray:
        """Return (rows, cols, 3) uint8 of the terrain seen by the camera. Raises AtlasError.

        `fine` smooths edges and takes several times as long; leave it out while the hand moves.
        """
        with self._lock:
            if self._terrain is not terrain:
                self._ask("load", terrain)
                self._terrain = terrain
            return self._ask("draw", camera, size, background, fine)

    def close(self) -> None:
        """End the worker."""
        with self._lock:
            self._drop()

    def _ask(self, function: str, *arguments: Any) -> Any:
        if self._worker is None:
            self._worker = self._lease.enter_context(self._pool.reserved())
        try:
            return self._worker.run(Call(f"{__name__}:{function}", arguments, PATIENCE_S))
        except (WorkerDied, WorkerTooSlow) as error:
            self._drop()
            raise AtlasError(
                "Relief", "the 3D drawing stopped", "Try again; if it stops again, Mesa's libEGL may be missing."
            ) from error
        except Exception as error:
            self._terrain = None
            remedy = "Check that Mesa's libEGL is installed."
            raise AtlasError("Relief", f"the 3D drawing failed ({error})", remedy) from error

    def _drop(self) -> None:
        self._lease.close()
        self._worker, self._terrain = None, None
