"""A painter for pictures: maps, curves and scales stay as they are in a window that is read from the right.

Qt turns "left" and "right" of painted text round there, which would put the low end of a scale under its high end.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPaintDevice, QPainter


def picture_painter(device: QPaintDevice | None) -> QPainter:
    """Return a painter on a widget or an image whose left is at the left."""
    painter = QPainter(device)
    painter.setLayoutDirection(Qt.LayoutDirection.LeftToRight)
    return painter
