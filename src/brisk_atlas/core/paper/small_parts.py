"""What stands beside a map on paper: titles, text, scale bar, north, credits, pictures."""

from __future__ import annotations

import re
from collections.abc import Mapping
from math import cos, radians, sin

import numpy as np

from brisk_atlas.core.draw.outlines import Outlines, Pen, ring
from brisk_atlas.core.draw.overlays import bar_for

from .box import PT_MM, PageBox
from .direction import reads_leftwards
from .layout import PaperBlock
from .lettering import CAP_HEIGHT, LINE_HEIGHT, broken, shortened, text_width
from .surface import INK, PAPER, QUIET, PageSurface

BAR_PARTS = 4
BAR_HIGH = 1.6  # mm
SMALLEST = 0.5  # of the size of a title, where it is long


def filled(text: str, words: Mapping[str, str]) -> str:
    """Return a text with the words in braces that are known replaced.

    >>> filled("Sheet {page} of {pages}, {other}", {"page": "2", "pages": "9"})
    'Sheet 2 of 9, {other}'
    """
    return re.sub(r"\{([^{}]+)\}", lambda found: words.get(found[1], found[0]), text)


def draw_title(surface: PageSurface, block: PaperBlock, text: str) -> None:
    """Write one line, smaller where it is long."""
    size, wide = block.size * PT_MM, block.width
    needed = text_width(text, size, "sans-bold")
    size *= max(SMALLEST, min(1.0, wide / needed if needed else 1.0))
    shown = shortened(text, size, wide + 0.01, "sans-bold")
    left = _left(block, shown, size, "sans-bold")
    surface.text(shown, left, block.y + block.height / 2 + size * CAP_HEIGHT / 2, size, face="sans-bold")


def draw_text(surface: PageSurface, block: PaperBlock, text: str, colour: str = INK, *, low: bool = False) -> None:
    """Write a text in as many lines as there is room for, from the top, or down to the lower edge."""
    size = block.size * PT_MM
    step = size * LINE_HEIGHT
    lines, most = broken(text, size, block.width), max(1, int((block.height + 0.25 * size) // step))
    if len(lines) > most:
        lines = [*lines[: most - 1], shortened(" ".join(lines[most - 1 :]), size, block.width)]
    top = block.y + block.height - len(lines) * step if low else block.y
    for number, each in enumerate(lines):
        surface.text(each, _left(block, each, size), top + (number + 0.8) * step, size, colour=colour)


def _left(block: PaperBlock, text: str, size: float, face: str = "sans") -> float:
    """Return where a line begins on the left: one that is read from right to left ends at the right edge."""
    return block.x + (block.width - text_width(text, size, face) if reads_leftwards(text) else 0.0)


def draw_credits(surface: PageSurface, block: PaperBlock, text: str) -> None:
    """Write whom the data is from, down to the lower edge."""
    draw_text(surface, block, text, QUIET, low=True)


def draw_scale_bar(surface: PageSurface, block: PaperBlock, scale: float) -> None:
    """Draw a bar of a round length, true at the middle of the map."""
    size = block.size * PT_MM
    found = bar_for(scale / 1000, block.width - 3 * size)
    if found is None:
        return
    long, label = found
    x, y = block.x + size, block.y + block.height / 2
    part = long / BAR_PARTS
    for number in range(BAR_PARTS):
        box = PageBox(x + number * part, y, part, BAR_HIGH)
        surface.draw([_rect(box, INK if number % 2 == 0 else PAPER, Pen(INK, 0.2, "mitre"))])
    value, unit = label.split(" ")
    for share, text in ((0.0, "0"), (0.5, f"{float(value) / 2:g}"), (1.0, f"{value} {unit}")):
        left = x + share * long - text_width(text if share < 1 else value, size, "mono") / 2
        surface.text(text, left, y - size * 0.35, size, face="mono")


def draw_north(surface: PageSurface, block: PaperBlock, north: float) -> None:
    """Draw an arrow to where north lies, degrees clockwise from up."""
    (x, y), reach = block.box.middle, min(block.width, block.height) / 2
    c, s = cos(radians(north)), sin(radians(north))

    def at(right: float, up: float) -> tuple[float, float]:
        return x + reach * (right * c + up * s), y + reach * (right * s - up * c)

    pen = Pen(INK, 0.2)
    tip, tail = at(0, 0.62), at(0, -0.72)
    surface.draw(
        [ring(tip, at(0.3, -0.95), tail, fill=INK, pen=pen), ring(tip, at(-0.3, -0.95), tail, fill=PAPER, pen=pen)]
    )
    size = block.size * PT_MM
    px, py = at(0, 0.84)
    surface.text("N", px - text_width("N", size, "sans-bold") / 2, py + size * CAP_HEIGHT / 2, size, face="sans-bold")


def draw_picture(surface: PageSurface, box: PageBox, image: np.ndarray) -> None:
    """Draw (rows, cols, 4) uint8 premultiplied RGBA as large as there is room, in the middle."""
    rows, cols = image.shape[:2]
    scale = min(box.width / cols, box.height / rows)
    wide, high = cols * scale, rows * scale
    surface.picture(image, PageBox(box.x + (box.width - wide) / 2, box.y + (box.height - high) / 2, wide, high))


def draw_frame(surface: PageSurface, box: PageBox) -> None:
    """Draw a line around a block."""
    surface.draw([_rect(box, None, Pen(INK, 0.2, "mitre"))])


def _rect(box: PageBox, fill: str | None, pen: Pen | None) -> Outlines:
    return ring((box.x, box.y), (box.right, box.y), (box.right, box.bottom), (box.x, box.bottom), fill=fill, pen=pen)
