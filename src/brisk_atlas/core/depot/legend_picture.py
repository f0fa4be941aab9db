"""The legend of a layer as a picture, for clients that can't draw it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PIL import Image, ImageDraw

from brisk_atlas.core.draw.ramps import ramp
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import Layer, number_text
from brisk_atlas.core.paper.lettering import shortened, text_width
from brisk_atlas.core.paper.pixel_letters import write_on

from .offers import Depot

WIDTH_PX, LINE_PX, EDGE_PX, RAMP_PX, LETTERS_PX = 176, 18, 4, 12, 13


def legend_picture(depot: Depot, layer: Layer) -> np.ndarray:
    """Return (rows, cols, 4) uint8 premultiplied RGBA of a legend, ink on nothing."""
    legend = kind_of(layer.kind).legend(depot.cache, layer)
    assert legend is not None
    grid = depot.cache.part(layer.ref).facts.grid
    if grid is not None and grid.dimensions:  # it speaks of all places along them
        legend = replace(legend, title=layer.name)
    entries = () if legend.ramp else legend.entries
    lines = bool(legend.title) + len(entries) + (2 if legend.ramp else 0)
    picture = Image.new("RGBA", (WIDTH_PX, max(1, lines) * LINE_PX + 2 * EDGE_PX))
    pen, texts, top = ImageDraw.Draw(picture), list[tuple[str, float, float]](), EDGE_PX
    if legend.title:
        unit = f", {legend.unit}" if legend.unit else ""
        texts.append((f"{legend.title}{unit}", EDGE_PX, top))
        top += LINE_PX
    for number, (colour, text) in enumerate(entries):
        if number < len(legend.swatches):
            drawn = legend.swatches[number].beside_entry
            swatch = Image.fromarray(drawn, "RGBa").convert("RGBA").resize((22, 14))
            picture.paste(swatch, (EDGE_PX, top + 1), swatch)
        else:
            pen.rectangle((EDGE_PX, top + 2, EDGE_PX + 21, top + 14), colour)
        texts.append((legend.name_of(text), EDGE_PX + 28, top))
        top += LINE_PX
    if legend.ramp:
        across = WIDTH_PX - 2 * EDGE_PX
        strip = Image.fromarray(ramp(legend.ramp)[None]).resize((across, RAMP_PX))
        picture.paste(strip, (EDGE_PX, top + 2))
        top += LINE_PX
        low, high = (number_text(float(f"{value:.4g}")) for value in (legend.low, legend.high))
        texts.append((low, EDGE_PX, top))
        texts.append((high, WIDTH_PX - EDGE_PX - text_width(high, LETTERS_PX), top))
    pixels = np.asarray(picture)
    alpha = pixels[..., 3:].astype(np.uint16)
    made = np.dstack([(pixels[..., :3] * alpha // 255).astype(np.uint8), pixels[..., 3]])
    for text, left, above in texts:
        shown = shortened(text, LETTERS_PX, WIDTH_PX - EDGE_PX - left)
        write_on(made, shown, left, above + LETTERS_PX, LETTERS_PX)
    return made
