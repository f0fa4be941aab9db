"""Pages as pixels."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from math import cos, radians, sin
from typing import NamedTuple

import numpy as np

from brisk_atlas.core.draw.composite import lay_picture
from brisk_atlas.core.draw.frame import BLENDS
from brisk_atlas.core.draw.kernels.pixels import blend as blend_pixels
from brisk_atlas.core.draw.outlines import Outlined, Outlines, Pen, Stamps
from brisk_atlas.core.model import Blend

from .box import INCH_MM, PageBox
from .lettering import letter_paths
from .pixel_letters import draw_outlines
from .shaping import missing_letters
from .surface import INK, Halo


class _Part(NamedTuple):
    """A part of a page that is drawn on, and where its upper left pixel lies on the page."""

    image: np.ndarray
    left: int
    top: int


class PixelSurface:
    """Pages of (rows, cols, 4) uint8 opaque RGBA each. `dots` is the pixels in an inch."""

    holds_outlines = False

    def __init__(self, width: float, height: float, dots: float) -> None:
        self.dots, self.per_mm = dots, dots / INCH_MM
        self.shape = round(height * self.per_mm), round(width * self.per_mm)
        self.pages: list[np.ndarray] = []
        self.missing: set[str] = set()
        self._stack: list[_Part] = []
        self.next_page()

    def next_page(self) -> None:
        """Go on on a new page of the same size."""
        page = np.full((*self.shape, 4), 255, np.uint8)
        self.pages.append(page)
        self._stack = [_Part(page, 0, 0)]

    def draw(self, outlined: Sequence[Outlined], x: float = 0.0, y: float = 0.0, scale: float = 1.0) -> None:
        part = self._stack[-1]
        scale, at = scale * self.per_mm, (x * self.per_mm - part.left, y * self.per_mm - part.top)
        for each in outlined:
            outlines = _stamped(each) if isinstance(each, Stamps) else each
            if len(outlines.xy):
                draw_outlines(part.image, outlines, scale, at)

    def picture(self, image: np.ndarray, box: PageBox) -> None:
        from PIL import Image

        whole, x, y = self._stack[-1]
        left, top, right, bottom = (round(each * self.per_mm) for each in (box.x, box.y, box.right, box.bottom))
        wide, high = max(1, right - left), max(1, bottom - top)
        if image.shape[:2] != (high, wide):
            image = np.asarray(Image.fromarray(image, "RGBa").resize((wide, high), Image.Resampling.LANCZOS))
        left, top = left - x, top - y
        rows = slice(max(0, top), min(top + high, whole.shape[0]))
        cols = slice(max(0, left), min(left + wide, whole.shape[1]))
        if rows.start < rows.stop and cols.start < cols.stop:
            part = np.ascontiguousarray(whole[rows, cols])
            above = image[rows.start - top : rows.stop - top, cols.start - left : cols.stop - left]
            lay_picture(part, np.ascontiguousarray(above))
            whole[rows, cols] = part

    def text(
        self, text: str, x: float, y: float, size: float, *, face: str = "sans", colour: str = INK, angle: float = 0.0,
        halo: Halo | None = None,
    ) -> None:  # fmt: skip
        self.missing.update(missing_letters(text, face))
        paths = letter_paths(text, size, face)
        if not paths:
            return
        c, s = cos(radians(angle)), sin(radians(angle))
        xy = np.concatenate(paths) @ np.array([[c, s], [-s, c]])
        starts = np.concatenate([[0], np.cumsum([len(path) for path in paths])])
        letters = np.array([0, len(paths)])
        if halo is not None:
            self.draw([Outlines(xy, starts, letters, True, None, Pen(halo.colour, halo.width))], x, y)
        self.draw([Outlines(xy, starts, letters, True, colour)], x, y)

    @contextmanager
    def within(self, box: PageBox) -> Iterator[None]:
        below, x, y = self._stack[-1]
        top, bottom = (min(max(0, round(each * self.per_mm) - y), below.shape[0]) for each in (box.y, box.bottom))
        left, right = (min(max(0, round(each * self.per_mm) - x), below.shape[1]) for each in (box.x, box.right))
        part = np.ascontiguousarray(below[top:bottom, left:right])
        self._stack.append(_Part(part, x + left, y + top))
        yield
        self._stack.pop()
        below[top:bottom, left:right] = part

    @contextmanager
    def layer(self, name: str, opacity: float, blend: Blend) -> Iterator[None]:
        below = self._stack[-1]
        above = np.zeros_like(below.image)
        self._stack.append(below._replace(image=above))
        yield
        self._stack.pop()
        blend_pixels(below.image, above, opacity, BLENDS[blend], 0, len(above))

    def png(self, page: int) -> bytes:
        """Return a page as PNG that states its size."""
        from io import BytesIO

        from PIL import Image

        out = BytesIO()
        Image.fromarray(np.ascontiguousarray(self.pages[page][..., :3])).save(out, "PNG", dpi=(self.dots, self.dots))
        return out.getvalue()


def _stamped(stamps: Stamps) -> Outlines:
    """Return an outline at all of its places."""
    count, corners = len(stamps.xy), len(stamps.outline)
    xy = (stamps.xy[:, None] + stamps.outline[None]).reshape(-1, 2)
    return Outlines(xy, np.arange(count + 1) * corners, np.arange(count + 1), True, stamps.fill, stamps.pen)
