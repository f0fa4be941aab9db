"""The legend of a layer as lines of a page: a small picture and what it stands for."""

from __future__ import annotations

import base64
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.ramps import ramp
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import Layer, number_text

from .pictures import encoded

RAMP_ROWS = 12


@dataclass(frozen=True)
class LegendLines:
    """What a legend says: its title with a unit, entries of a picture (an address that holds it, or "") or a colour and
    a text, and a ramp with what its ends mean, "" for none."""

    title: str
    entries: tuple[tuple[str, str, str], ...]
    ramp: str
    low: str
    high: str


def legend_lines(cache: DataCache, layer: Layer) -> LegendLines | None:
    """Return the legend of a layer, None where it has none, or one of a single look that says nothing."""
    legend = kind_of(layer.kind).legend(cache, layer)
    if legend is None or not (legend.entries or legend.ramp):
        return None
    pictures = [_address(each) for each in legend.swatches]
    pictures += [""] * (len(legend.entries) - len(pictures))
    named = ((colour, legend.name_of(text)) for colour, text in legend.entries)
    entries = tuple((picture, colour, text) for picture, (colour, text) in zip(pictures, named))
    title = f"{legend.title}, {legend.unit}" if legend.title and legend.unit else legend.title
    if not legend.ramp:
        return LegendLines(title, entries, "", "", "")
    opaque = np.full((1, len(ramp(legend.ramp)), 1), 255, np.uint8)
    strip = np.repeat(np.dstack([ramp(legend.ramp)[None], opaque]), RAMP_ROWS, axis=0)
    low, high = (number_text(float(f"{value:.4g}")) for value in (legend.low, legend.high))
    return LegendLines(title, (), _address(strip), low, high)


def _address(picture: np.ndarray) -> str:
    """Return an address that holds a picture."""
    return f"data:image/png;base64,{base64.b64encode(encoded(picture)).decode()}"
