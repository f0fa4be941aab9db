"""Laying whole pictures over one another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.system.shares import CORES, in_pieces

from .frame import Frame
from .kernels.pixels import NORMAL, blend


def lay_picture(image: np.ndarray, above: np.ndarray) -> None:
    """Lay a (rows, cols, 4) uint8 premultiplied picture on another of the same size, in place."""
    in_pieces(len(above), CORES, lambda a, b: blend(image, above, 1.0, NORMAL, a, b))


def laid_over(below: Frame, above: Frame) -> Frame:
    """Return one frame of two of the same view, with what is to be known of both. The picture of `below` is used up."""
    lay_picture(below.image, above.image)
    return replace(
        below,
        faults=below.faults | above.faults,
        notes=below.notes | above.notes,
        limits=below.limits | above.limits,
        unfinished=below.unfinished + above.unfinished,
        coming=below.coming + above.coming,
        failing=below.failing + above.failing,
        labels=below.labels + above.labels,
    )
