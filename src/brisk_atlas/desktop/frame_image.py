"""From the core's frames to Qt's images."""

from __future__ import annotations

from typing import TYPE_CHECKING

import PyQt6.sip as sip
from PyQt6.QtGui import QImage

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.draw.frame import Frame


def image_of(frame: Frame) -> QImage:
    """Return a Qt image that shares the frame's pixels."""
    return picture_of(frame.image)


def ramp_strip(name: str) -> QImage:
    """Return a colour ramp as an image of one row."""
    import numpy as np

    from brisk_atlas.core.draw.ramps import STEPS, ramp

    strip = np.full((1, STEPS, 4), 255, np.uint8)
    strip[0, :, :3] = ramp(name)
    return picture_of(strip)


def picture_of(pixels: np.ndarray) -> QImage:
    """Return a Qt image that shares (rows, cols, 4) uint8 premultiplied RGBA."""
    rows, cols = pixels.shape[:2]
    image = QImage(  # type: ignore[call-overload]
        sip.voidptr(pixels.ctypes.data), cols, rows, cols * 4, QImage.Format.Format_RGBA8888_Premultiplied
    )
    image._pixels = pixels  # keeps them alive
    return image
