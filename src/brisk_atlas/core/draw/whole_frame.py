"""Frames for those who wait: with all that comes from servers, within a time."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

from brisk_atlas.core.model import Layer

from .frame import Frame, Painter
from .view import View

WAIT_S = 20.0  # for pieces that come from servers
LOOK_S = 0.05


def whole_frame(
    painter: Painter, layers: Sequence[Layer], view: View, check: Callable[[], None] = lambda: None
) -> Frame:
    """Return the picture of layers (bottom first) once all pieces have come that come within a time. `check` may raise
    to stop."""
    until = time.monotonic() + WAIT_S
    frame = painter.frame(layers, view, check=check)
    while frame.coming and time.monotonic() < until:
        check()
        time.sleep(LOOK_S)
        frame = painter.frame(layers, view, check=check)
    return frame
