"""The legend of a layer as a picture, for clients that can't draw it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from brisk_atlas.core.draw.ramps import ramp
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import Layer, number_text

from .offers import Depot

WIDTH_PX, LINE_PX, EDGE_PX, RAMP_PX = 176, 18, 4, 12
INK = "#1D2A35"


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
    pen, font, top = ImageDraw.Draw(picture), ImageFont.load_default(12), EDGE_PX
    if legend.title:
        unit = f", {legend.unit}" if legend.unit else ""
        pen.text((EDGE_PX, top + 1), f"{legend.title}{unit}", INK, font)
        top += LINE_PX
    for number, (colour, text) in enumerate(entries):
        if number < len(legend.swatches):
            drawn = legend.swatches[number].beside_entry
            swatch = Image.fromarray(drawn, "RGBa").convert("RGBA").resize((22, 14))
            picture.paste(swatch, (EDGE_PX, top + 1), swatch)
        else:
            pen.rectangle((EDGE_PX, top + 2, EDGE_PX + 21, top + 14), colour)
        pen.text((EDGE_PX + 28, top + 1), legend.name_of(text), INK, font)
        top += LINE_PX
    if legend.ramp:
        across = WIDTH_PX - 2 * EDGE_PX
        strip = Image.fromarray(ramp(legend.ramp)[None]).resize((across, RAMP_PX))
        picture.paste(strip, (EDGE_PX, top + 2))
        top += LINE_PX
        low, high = (number_text(float(f"{value:.4g}")) for value in (legend.low, legend.high))
        pen.text((EDGE_PX, top + 1), low, INK, font)
        pen.text((WIDTH_PX - EDGE_PX, top + 1), high, INK, font, anchor="ra")
    pixels = np.asarray(picture)
    alpha = pixels[..., 3:].astype(np.uint16)
    return np.dstack([(pixels[..., :3] * alpha // 255).astype(np.uint8), pixels[..., 3]])
