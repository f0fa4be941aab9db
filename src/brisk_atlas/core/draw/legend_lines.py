"""A legend as lines of a page: small pictures and what they stand for."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from functools import lru_cache
from io import BytesIO

import numpy as np

from brisk_atlas.core.model import number_text

from .legend import Legend
from .ramps import ramp

RAMP_ROWS = 12


@dataclass(frozen=True)
class LegendLines:
    """What a legend says: its title with a unit, entries of a picture (an address that holds it, or "") or a colour and
    a text, and a ramp with what its ends mean, "" for none."""

    title: str
    entries: tuple[tuple[str, str, str], ...]
    ramp: str = ""
    low: str = ""
    high: str = ""


def lines_of(legend: Legend | None) -> LegendLines | None:
    """Return a legend as lines, None where there is none, or one of a single look that says nothing."""
    if legend is None or not (legend.entries or legend.ramp):
        return None
    pictures = [_address(each.beside_entry) for each in legend.swatches]
    pictures += [""] * (len(legend.entries) - len(pictures))
    named = ((colour, legend.name_of(text)) for colour, text in legend.entries)
    entries = tuple((picture, colour, text) for picture, (colour, text) in zip(pictures, named))
    title = f"{legend.title}, {legend.unit}" if legend.title and legend.unit else legend.title
    if not legend.ramp:
        return LegendLines(title, entries)
    opaque = np.full((1, len(ramp(legend.ramp)), 1), 255, np.uint8)
    strip = np.repeat(np.dstack([ramp(legend.ramp)[None], opaque]), RAMP_ROWS, axis=0)
    ends = [float(f"{value:.4g}") for value in (legend.low, legend.high)]
    low, high = (f"{each:g}" if legend.plain else number_text(each) for each in ends)
    return LegendLines(title, (), _address(strip), low, high)


def _address(image: np.ndarray) -> str:
    """Return an address that holds a picture of (rows, cols, 4) uint8 premultiplied RGBA."""
    return _address_of(image.tobytes(), image.shape)


@lru_cache(512)
def _address_of(pixels: bytes, shape: tuple[int, ...]) -> str:
    from PIL import Image

    out = BytesIO()
    Image.fromarray(np.frombuffer(pixels, np.uint8).reshape(shape), "RGBa").convert("RGBA").save(out, "PNG")
    return f"data:image/png;base64,{base64.b64encode(out.getvalue()).decode()}"
