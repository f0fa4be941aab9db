"""A legend on paper: what stands for what, drawn as the map draws it, in as many columns as there is room for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from brisk_atlas.core.draw.legend import Legend
from brisk_atlas.core.draw.outlines import Outlined, ring
from brisk_atlas.core.draw.ramps import ramp
from brisk_atlas.core.draw.swatch import Swatch
from brisk_atlas.core.model import number_text

from .box import PT_MM, PX_MM, PageBox
from .layout import PaperBlock
from .lettering import CAP_HEIGHT, LINE_HEIGHT, shortened, text_width
from .surface import INK, QUIET, PageSurface

SWATCH_PX = (24, 14)  # width and height
COLUMN = 13.0  # minimum width of a column, in sizes of the letters
GAP = 1.2  # between columns, in sizes of the letters

Draw = Callable[[float, float, float], None]  # at x, y, so wide


def draw_legend(surface: PageSurface, block: PaperBlock, legends: Sequence[tuple[str, Legend]]) -> None:
    """Draw legends of layers under each other; those that find no room are counted."""
    size = block.size * PT_MM
    step = max(size * LINE_HEIGHT * 1.12, SWATCH_PX[1] * PX_MM)
    lines = [each for name, legend in legends for each in _lines(surface, name, legend, size)]
    rows = max(1, int((block.height + 0.2 * size) // step))
    most = max(1, int((block.width + GAP * size) // ((COLUMN + GAP) * size)))
    columns = min(most, -(-len(lines) // rows))
    if not columns:
        return
    wide = (block.width - (columns - 1) * GAP * size) / columns
    room = columns * rows
    shown = lines if len(lines) <= room else lines[: room - 1]
    for number, draw in enumerate(shown):
        column, row = divmod(number, rows)
        draw(block.x + column * (wide + GAP * size), block.y + row * step, wide)
    if len(shown) < len(lines):
        x, y = block.x + (columns - 1) * (wide + GAP * size), block.y + (rows - 1) * step
        left_out = f"{len(lines) - len(shown)} more"
        surface.text(left_out, x, y + size, size, colour=QUIET)


def _lines(surface: PageSurface, name: str, legend: Legend, size: float) -> Iterator[Draw]:
    """Give what draws each line of the legend of a layer."""
    single = len(legend.entries) == 1 and legend.name_of(legend.entries[0][1]) == name
    title = f"{legend.title}, {legend.unit}" if legend.title and legend.unit else legend.title
    if not single:
        yield _heading(surface, name, title if title != name else "", size)
    if legend.picture is not None:
        yield from _server_picture(surface, legend.picture, size)
    if legend.ramp:
        yield _ramp(surface, legend, size)
    else:
        for number, (colour, text) in enumerate(legend.entries):
            if legend.hidden is None or text not in legend.hidden:
                swatch = legend.swatches[number] if number < len(legend.swatches) else None
                yield _entry(surface, swatch, colour, legend.name_of(text), size)
    for text, swatch in legend.sizes:
        yield _entry(surface, swatch, INK, text, size)


def _heading(surface: PageSurface, name: str, title: str, size: float) -> Draw:
    def draw(x: float, y: float, wide: float) -> None:
        shown = shortened(name, size, wide, "sans-bold")
        surface.text(shown, x, y + size, size, face="sans-bold")
        after = text_width(shown, size, "sans-bold") + 0.5 * size
        if title and wide - after > 2 * size:
            surface.text(shortened(title, size, wide - after), x + after, y + size, size, colour=QUIET)

    return draw


def _entry(surface: PageSurface, swatch: Swatch | None, colour: str, text: str, size: float) -> Draw:
    def draw(x: float, y: float, wide: float) -> None:
        across, high = SWATCH_PX[0] * PX_MM, SWATCH_PX[1] * PX_MM  # as large as the map has it
        top = y + size * (1 - CAP_HEIGHT / 2) - high / 2
        if swatch is not None:
            surface.draw(swatch.outlines(SWATCH_PX), x, top, PX_MM)
        else:
            box: list[Outlined] = [ring((0, 0), (across, 0), (across, high), (0, high), fill=colour)]
            surface.draw(box, x, top)
        left = across + 0.5 * size
        surface.text(shortened(text, size, wide - left), x + left, y + size, size)

    return draw


def _ramp(surface: PageSurface, legend: Legend, size: float) -> Draw:
    low, high = (float(f"{value:.4g}") for value in (legend.low, legend.high))
    texts = [f"{each:g}" if legend.plain else number_text(each) for each in (low, high)]

    def draw(x: float, y: float, wide: float) -> None:
        left, right = (text_width(each, size, "mono") + 0.4 * size for each in texts)
        across = min(max(wide - left - right, 2 * size), 9 * size)
        colours = ramp(legend.ramp)
        strip = np.dstack([colours[None], np.full((1, len(colours), 1), 255, np.uint8)]).astype(np.uint8)
        surface.text(texts[0], x, y + size, size, face="mono")
        surface.picture(np.repeat(strip, 4, axis=0), PageBox(x + left, y + 0.3 * size, across, 0.72 * size))
        surface.text(texts[1], x + left + across + 0.4 * size, y + size, size, face="mono")

    return draw


def _server_picture(surface: PageSurface, image: np.ndarray, size: float) -> Iterator[Draw]:
    """Give the lines that a legend drawn by a server takes; the first draws it."""
    step = max(size * LINE_HEIGHT * 1.12, SWATCH_PX[1] * PX_MM)
    rows, cols = image.shape[:2]

    def draw(x: float, y: float, wide: float) -> None:
        scale = min(PX_MM, wide / cols)
        surface.picture(image, PageBox(x, y, cols * scale, rows * scale))

    yield draw
    for _ in range(int(rows * PX_MM // step)):
        yield lambda x, y, wide: None
