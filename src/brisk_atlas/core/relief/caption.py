"""A strip below a picture of a relief: its caption, how it was seen, and a length in the middle of it."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.draw.outlines import Outlines, Pen
from brisk_atlas.core.draw.overlays import bar_for
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.lettering import shortened, text_width
from brisk_atlas.core.paper.pixel_letters import draw_outlines, write_on
from brisk_atlas.core.paper.surface import INK, QUIET

from .eye import Eye

PAPER = 255, 253, 248
WIDTH = 1280  # of a picture for which the sizes below are meant
CAPTION_PX, NOTE_PX, RIM_PX, BAR_PX = 20, 14, 16, 180


def captioned(image: np.ndarray, caption: str, eye: Eye, away: float, heights: str = "") -> np.ndarray:
    """Return a picture (rows, cols, 4) uint8 with a strip below it, as wide as it is. `away` metres is what is seen in
    the middle; `heights` is what is known of the ground's heights.

    The bar is true in the middle of the picture, across the line of sight, as nearer things look larger.
    """
    rows, cols = image.shape[:2]
    size = max(0.5, cols / WIDTH)
    rim = round(RIM_PX * size)
    note = tr(
        "heights × {exaggeration:g}; towards {azimuth:.0f}°, {tilt:.0f}° below the horizon",
        exaggeration=eye.exaggeration,
        azimuth=eye.azimuth,
        tilt=eye.tilt,
    )
    note = f"{heights}; {note}" if heights else f"{note[0].upper()}{note[1:]}"
    lines = [(text, px, ink) for text, px, ink in ((caption, CAPTION_PX, INK), (note, NOTE_PX, QUIET)) if text]
    high = 2 * rim + sum(round(px * 1.4 * size) for _, px, _ in lines)
    strip = np.empty((high, cols, 4), np.uint8)
    strip[:] = (*PAPER, 255)
    bar = bar_for(away * eye.pixel(rows), BAR_PX * size)
    room = cols - 3 * rim - (bar[0] if bar is not None else 0)
    top = rim
    for text, px, ink in lines:
        letters = px * size
        write_on(strip, shortened(text, letters, room), rim, top + letters, letters, ink)
        top += round(px * 1.4 * size)
    if bar is not None:
        wide, length = bar
        right, foot = cols - rim, high - rim - 0.5  # through the middles of pixels
        ends = np.array(
            [(right - wide, foot - 6 * size), (right - wide, foot), (right, foot), (right, foot - 6 * size)]
        )
        pen = Pen(INK, max(1.0, float(round(1.5 * size))), "mitre", "flat")
        draw_outlines(strip, Outlines(ends, np.array([0, 4]), np.array([0, 1]), False, None, pen))
        words, letters = tr("{length} in the middle", length=length), NOTE_PX * size
        write_on(strip, words, right - text_width(words, letters), foot - 8 * size, letters, INK)
    return np.concatenate([image, strip])
