"""Compile the kernels of this room ahead of their first use."""

from __future__ import annotations

import numpy as np

from . import scene
from .bodies import ReliefBodies, bodies
from .eye import Eye, eye_over
from .light import Light, Lighting
from .rays import Look
from .sight_kernels import fill_sight
from .space import Space


def warm() -> None:
    """Draw next to nothing once; compiled code is stored beside the sources."""
    space = Space(None, (0.0, 8.0), (8.0, 8.0), 1.0, (1.0, 1.0), 0.0)
    made = scene.ReliefScene(
        space, lambda view: np.zeros((view.height, view.width), np.float32),
        lambda view: np.zeros((view.height, view.width, 4), np.uint8), Lighting((Light(shadows=True), Light())),
    )  # fmt: skip
    made.load_base()
    black = (0.0, 0.0, 0.0)
    fill_sight(np.zeros((3, 3), np.float32), 1.0, 1.0, 1, 1, 1.0, 0.0, 0.0, 9.0, np.zeros((3, 3), np.float32), 0, 3)
    one = np.zeros(1, np.int32)
    made.bodies = (ReliefBodies("", bodies(np.zeros((1, 3, 3)), one, one, np.zeros((1, 2, 3)), one, one, one)),)
    look = Look(black, black, black, 0.0, 1.0, contours=1.0, solid=0.5)
    made.fine_picture(eye_over(made.outline, 1.0, Eye()), (16, 16), look)
