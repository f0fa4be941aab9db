"""What a page is drawn on: PDF, SVG and pixels do the same things in their own ways."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import AbstractContextManager
from typing import NamedTuple, Protocol

import numpy as np

from brisk_atlas.core.draw.outlines import Outlined
from brisk_atlas.core.model import Blend

from .box import PageBox

INK, QUIET, RULE, PAPER = "#1D2A35", "#5F6B73", "#B9AF9E", "#FFFFFF"


class Halo(NamedTuple):
    """What stands around letters so that they are read on a picture."""

    colour: str
    width: float


class PageSurface(Protocol):
    """A page. Positions are millimetres from its upper left corner, y grows down; sizes of letters are millimetres too.

    `dots` is the pixels in an inch of what is drawn of pixels; `holds_outlines` is False where everything is.
    `missing` are the letters written so far that no font here has.
    """

    dots: float
    holds_outlines: bool
    missing: set[str]

    def draw(self, outlined: Sequence[Outlined], x: float = 0.0, y: float = 0.0, scale: float = 1.0) -> None:
        """Draw shapes: their positions, widths and dashes times `scale`, moved by (x, y)."""

    def picture(self, image: np.ndarray, box: PageBox) -> None:
        """Draw (rows, cols, 4) uint8 premultiplied RGBA."""

    def text(
        self, text: str, x: float, y: float, size: float, *, face: str = "sans", colour: str = INK, angle: float = 0.0,
        halo: Halo | None = None,
    ) -> None:  # fmt: skip
        """Write one line from the left end of its baseline; `angle` turns it clockwise, degrees."""

    def within(self, box: PageBox) -> AbstractContextManager[None]:
        """Show what is drawn meanwhile within a box alone."""

    def layer(self, name: str, opacity: float, blend: Blend) -> AbstractContextManager[None]:
        """Lay what is drawn meanwhile on the page as one, so strongly."""
