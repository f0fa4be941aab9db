"""The drawing of a relief, in a process of its own.

The 3D library holds Python's lock while it draws, and a broken graphics driver can end a process.
In a child both are harmless: the window stays quick, and a dead stage is started anew.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any

import numpy as np

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.system.child import end_with_parent

from .terrain import Camera, Terrain

PATIENCE_S = 60.0
WHOLE_ASPECT = 0.85  # a pane narrower than this, width to height, is looked at from further away


@dataclass(frozen=True)
class _Picture:
    camera: Camera
    size: tuple[int, int]
    background: str
    fine: bool


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


def _serve(pipe: Connection) -> None:
    """Draw what is asked until the pipe closes. Runs in the child."""
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")  # needs no display
    import pyvista as pv

    end_with_parent()
    plotter: Any = None
    terrain: Terrain | None = None
    middle, actor = 0.0, None
    while True:
        try:
            asked = pipe.recv()
        except (EOFError, OSError):
            return
        if asked is None:
            return
        try:
            if isinstance(asked, Terrain):
                terrain = asked
                if plotter is not None:
                    plotter.close()
                plotter = pv.Plotter(off_screen=True, lighting="none")
                plotter.render_window.SetMultiSamples(0)
                plotter.add_light(pv.Light(position=(-1, 1, 1.6), light_type="scene light", intensity=0.95))
                plotter.add_light(pv.Light(position=(1, -0.6, 1.2), light_type="scene light", intensity=0.4))
                mesh = _mesh(terrain).compute_normals(consistent_normals=False, split_vertices=False)
                actor = plotter.add_mesh(
                    mesh,
                    texture=pv.Texture(np.ascontiguousarray(terrain.drape)),
                    smooth_shading=True,
                    ambient=0.28,
                    diffuse=0.85,
                    specular=0.0,
                )
                middle = float(np.nanmean(terrain.heights))
                pipe.send(True)
            elif isinstance(asked, _Picture) and terrain is not None and actor is not None:
                grain = 2 if asked.fine else 1  # drawn at twice the size and averaged: smooth edges
                plotter.window_size = asked.size[0] * grain, asked.size[1] * grain
                plotter.set_background(asked.background)
                actor.scale = (1.0, 1.0, asked.camera.exaggeration)
                _place_camera(plotter, terrain, asked.camera, middle)
                plotter.render()
                image = plotter.screenshot(return_img=True)
                if asked.fine:
                    image = image.reshape(asked.size[1], 2, asked.size[0], 2, 3).mean(axis=(1, 3)).astype(np.uint8)
                pipe.send(np.ascontiguousarray(image))
        except Exception as error:
            pipe.send(
                error
                if isinstance(error, ValueError | RuntimeError)
                else RuntimeError(f"{type(error).__name__}: {error}")
            )


class Stage:
    """Draws one terrain from any side. Calls come from one thread at a time; a dead child is replaced."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: Any = None
        self._pipe: Connection | None = None
        self._terrain: Terrain | None = None

    def _start(self) -> Connection:
        context = multiprocessing.get_context("spawn")
        ours, theirs = context.Pipe()
        self._process = context.Process(target=_serve, args=(theirs,), daemon=True, name="relief")
        self._process.start()
        theirs.close()
        self._pipe = ours
        return ours

    def _ask(self, question: Any) -> Any:
        pipe = self._pipe or self._start()
        try:
            pipe.send(question)
            if not pipe.poll(PATIENCE_S):
                raise EOFError("no answer")
            answer = pipe.recv()
        except (EOFError, OSError) as error:
            self._drop()
            raise AtlasError(
                "Relief", "the 3D drawing stopped", "Try again; if it stops again, Mesa's libEGL may be missing."
            ) from error
        if isinstance(answer, Exception):
            raise AtlasError("Relief", f"the 3D drawing failed ({answer})", "Check that Mesa's libEGL is installed.")
        return answer

    def _drop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.join()
        self._process, self._pipe, self._terrain = None, None, None

    def picture(
        self, terrain: Terrain, camera: Camera, size: tuple[int, int], background: str, *, fine: bool = True
    ) -> np.ndarray:
        """Return (rows, cols, 3) uint8 of the terrain seen by the camera. Raises AtlasError.

        `fine` smooths edges and takes several times as long; leave it out while the hand moves.
        """
        with self._lock:
            if self._terrain is not terrain:
                self._ask(terrain)
                self._terrain = terrain
            return self._ask(_Picture(camera, size, background, fine))

    def close(self) -> None:
        """End the child."""
        with self._lock:
            self._drop()
