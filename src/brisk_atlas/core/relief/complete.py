"""A picture of a relief for those who wait: with all windows that it needs."""

from __future__ import annotations

from collections.abc import Callable

from .eye import Eye
from .rays import Look
from .scene import ReliefPicture, ReliefScene

MOST_WINDOWS = 100  # that a picture can need


def complete_picture(
    scene: ReliefScene, eye: Eye, size: tuple[int, int], look: Look, check: Callable[[float], None] = lambda share: None
) -> ReliefPicture:
    """Return what an eye sees once all windows are read, with smooth edges. `check` is given the share that is done."""
    for number in range(MOST_WINDOWS):
        missing = scene.missing(scene.picture(eye, size, look, coarser=2.0))
        if not missing:
            break
        scene.load(missing[0])
        check(min(0.9, number / 12))
    return scene.fine_picture(eye, size, look)
