"""A strip below a picture of a relief: its caption, how it was seen, and a length in the middle of it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from brisk_atlas.core.draw.overlays import bar_for
from brisk_atlas.core.model.language import tr

from .eye import Eye

FONTS = Path(__file__).parents[2] / "fonts"
PAPER, INK, QUIET = (255, 253, 248), (29, 42, 53), (95, 107, 115)
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
    strip = Image.new("RGBA", (cols, high), (*PAPER, 255))
    drawn = ImageDraw.Draw(strip)
    bar = bar_for(away * eye.pixel(rows), BAR_PX * size)
    room = cols - 3 * rim - (bar[0] if bar is not None else 0)
    top = rim
    for text, px, ink in lines:
        font = ImageFont.truetype(FONTS / "SourceSans3-Regular.ttf", round(px * size))
        shown = text
        while drawn.textlength(shown, font) > room and len(shown) > 1:
            shown = shown[:-2].rstrip() + "…"
        drawn.text((rim, top), shown, ink, font)
        top += round(px * 1.4 * size)
    if bar is not None:
        wide, words = bar
        font = ImageFont.truetype(FONTS / "SourceSans3-Regular.ttf", round(NOTE_PX * size))
        right, foot = cols - rim, high - rim
        ends = [(right - wide, foot - 6 * size), (right - wide, foot), (right, foot), (right, foot - 6 * size)]
        drawn.line(ends, INK, max(1, round(1.5 * size)))
        drawn.text((right, foot - 8 * size), f"{words} in the middle", INK, font, anchor="rs")
    return np.concatenate([image, np.asarray(strip)])
