"""A picture of a dataset for a page or a catalogue: its first look, as PNG."""

from __future__ import annotations

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.frame import Painter, extent_of
from brisk_atlas.core.draw.looks import first_layers
from brisk_atlas.core.draw.png import png_bytes
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import AtlasError, DataRef

WIDE, TALL = 480, 340  # pixels


def picture_of(ref: DataRef, part: str | None = None, *, width: int = WIDE, height: int = TALL) -> bytes | None:
    """Return a PNG of a dataset on paper, None where there is nothing to draw."""
    cache = DataCache()
    try:
        dataset = cache.dataset(ref)
        layers = first_layers(dataset, part)
        if not layers:
            return None
        extent = extent_of(cache, layers, cache.part(layers[0].ref).facts.crs)
        if extent is None:
            return None
        frame = Painter(cache).frame(layers, View.fitting(extent, width, height))
    except AtlasError:
        return None
    return png_bytes(frame.image) if frame.image.any() else None
