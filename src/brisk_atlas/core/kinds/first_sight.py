"""The first sight of a dataset: what is drawn of it, and a small picture."""

from __future__ import annotations

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.frame import extent_of
from brisk_atlas.core.draw.png import png_bytes
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.model import AtlasError, DataRef, Dataset, Layer

from . import first_style, painter_for

MANY_PARTS = 200
WIDE, TALL = 480, 340  # pixels


def at_a_sight(dataset: Dataset) -> int:
    """Return of how many parts a first sight is taken; each takes its time where a database has thousands."""
    return 24 if len(dataset.parts) <= MANY_PARTS else 3


def first_layers(dataset: Dataset, part_name: str | None = None) -> list[Layer]:
    """Return what to draw for a first sight of a dataset, or of one part: of rasters the first one only, of many
    parts the first."""
    layers: list[Layer] = []
    for number, part in enumerate(dataset.parts):
        if len(layers) == at_a_sight(dataset):
            break
        style = first_style(part.facts, number)
        if style is not None and part_name in (None, part.facts.name):
            name = part.facts.name
            layers.append(Layer(f"glance-{number}", name, dataset.ref.with_part(name), part.facts.kind, style))
    return layers[:1] if dataset.kind.has_cells and part_name is None else layers


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
        frame = whole_frame(painter_for(cache), layers, View.fitting(extent, width, height))
    except AtlasError:
        return None
    return png_bytes(frame.image) if frame.image.any() else None
