"""Points of a corridor as a picture, made once for what is in sight."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from brisk_atlas.core.strip.profile import Dots

from ..frame_image import picture_of


class DotsPicture:
    """Draws points into a box of a canvas, two pixels wide each."""

    def __init__(self) -> None:
        self._held: dict[int, tuple[tuple, QImage]] = {}

    def paint(
        self, painter: QPainter, dots: Dots, box: QRectF, limits: tuple[float, float], sight: tuple[float, float],
        x_of: Callable[[np.ndarray], np.ndarray],
    ) -> None:  # fmt: skip
        """Draw points. limits : heights at the lower and the upper edge; sight : distances at the sides."""
        state = (dots, box, limits, sight)
        held = self._held.get(id(dots))
        if held is None or held[0] != state:
            held = state, self._picture(dots, box, limits, x_of)
            self._held = {key: value for key, value in self._held.items() if value[0][1:] == state[1:]}
            self._held[id(dots)] = held
        painter.drawImage(box.topLeft(), held[1])

    def _picture(
        self, dots: Dots, box: QRectF, limits: tuple[float, float], x_of: Callable[[np.ndarray], np.ndarray]
    ) -> QImage:
        wide, tall = max(1, int(box.width())), max(1, int(box.height()))
        low, high = limits
        x = np.floor(x_of(dots.distance) - box.left()).astype(np.int64)
        y = np.floor((1.0 - (dots.height - low) / (high - low)) * tall).astype(np.int64)
        picture = np.zeros((tall + 1, wide + 1), np.uint32)
        inside = (x >= 0) & (x < wide) & (y >= 0) & (y < tall)
        x, y, inks = x[inside], y[inside], dots.inks[inside]
        for dx, dy in ((1, 1), (0, 1), (1, 0), (0, 0)):
            picture[y + dy, x + dx] = inks
        return picture_of(np.ascontiguousarray(picture[:tall, :wide]).view(np.uint8).reshape(tall, wide, 4))
