"""From the core's frames to Qt's images."""

from __future__ import annotations

from typing import TYPE_CHECKING

import PyQt6.sip as sip
from PyQt6.QtGui import QImage

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Frame


def image_of(frame: Frame) -> QImage:
    """Return a Qt image that shares the frame's pixels."""
    rows, cols = frame.image.shape[:2]
    image = QImage(  # type: ignore[call-overload]
        sip.voidptr(frame.image.ctypes.data), cols, rows, cols * 4, QImage.Format.Format_RGBA8888_Premultiplied
    )
    image._pixels = frame.image  # keeps them alive
    return image
