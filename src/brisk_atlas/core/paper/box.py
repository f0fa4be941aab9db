"""Lengths and rectangles on a page."""

from __future__ import annotations

from typing import NamedTuple

INCH_MM, PT_MM, PX_MM = 25.4, 25.4 / 72, 25.4 / 96
POINTS = 72 / 25.4  # in a millimetre


class PageBox(NamedTuple):
    """A rectangle on a page: millimetres from its upper left corner."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        return self.x + self.width

    @property
    def bottom(self) -> float:
        return self.y + self.height

    @property
    def middle(self) -> tuple[float, float]:
        return self.x + self.width / 2, self.y + self.height / 2

    def inner(self, margin: float) -> PageBox:
        """Return it without a margin at each side."""
        return PageBox(self.x + margin, self.y + margin, self.width - 2 * margin, self.height - 2 * margin)
