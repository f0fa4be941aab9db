"""Inks: pixels as the kernels lay them, premultiplied red, green, blue and alpha in one number."""

from __future__ import annotations

import numpy as np

NO_INK = np.uint32(0)


def inks_from(rgb: np.ndarray, opacity: float = 1.0) -> np.ndarray:
    """Return (n,) uint32 inks, premultiplied, of (n, 3) colours."""
    rgba = np.empty((len(rgb), 4), np.uint8)
    rgba[:, :3] = np.round(rgb * opacity)
    rgba[:, 3] = round(255 * opacity)
    return rgba.view(np.uint32)[:, 0]


def pixels_of(image: np.ndarray) -> np.ndarray:
    """Return the (rows, cols, 4) uint8 picture as (rows, cols) uint32 that share its memory."""
    return image.view(np.uint32)[..., 0]
