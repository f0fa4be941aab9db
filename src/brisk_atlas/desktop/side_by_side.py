"""Two sides of a page with a handle between them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget


def put_side_by_side(owner: QWidget, left: QWidget, right: QWidget, widths: tuple[int, int] = (430, 850)) -> None:
    """Fill a widget with two others; the right one takes what room comes, and none can be closed."""
    split = QSplitter(Qt.Orientation.Horizontal)
    split.addWidget(left)
    split.addWidget(right)
    split.setStretchFactor(1, 1)
    split.setSizes(list(widths))
    split.setChildrenCollapsible(False)
    whole = QVBoxLayout(owner)
    whole.setContentsMargins(0, 0, 0, 0)
    whole.addWidget(split)
