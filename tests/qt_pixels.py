"""The pixels of Qt pictures."""

from __future__ import annotations

import numpy as np


def pixels(image):
    """Return (rows, cols, 3) uint8 of a picture, apart from it."""
    image = image.convertToFormat(image.Format.Format_RGB888)
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    rows = np.frombuffer(bits, np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()
