"""Which cells of a scene do not show the ground, by its quality band: clouds, their shadows and the like."""

from __future__ import annotations

from typing import NamedTuple

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import DataRef, GridStyle, Layer, RasterPart
from brisk_atlas.core.model.quality_band import quality_band
from brisk_atlas.core.read.masked_raster import masked


class HiddenCells(NamedTuple):
    """The part that holds the classes, its band, and the values and names of those that are left out."""

    classes: DataRef
    band: int
    values: tuple[int, ...]
    names: tuple[str, ...]


def hidden_cells(cache: DataCache, layer: Layer, names: tuple[str, ...] | None = None) -> HiddenCells | None:
    """Return which classes of its scene's quality band hide cells of a layer: those that are named, else those whose
    names say that the ground is not seen and those that its style masks. None where none do."""
    quality = quality_band(cache.dataset(layer.ref.whole), layer.part)
    if quality is None:
        return None
    style, wanted = layer.style, set(quality.values_of(quality.obscured if names is None else names))
    if names is None and isinstance(style, GridStyle) and style.mask is not None:
        wanted |= set(style.mask[2])
    found = [(value, name) for value, _, name in quality.classes if value in wanted]
    if not found:
        return None
    classes = layer.ref.with_part(quality.part).with_crs(layer.ref.crs)
    return HiddenCells(classes, quality.band, *zip(*found))


def clear_part(cache: DataCache, layer: Layer, hidden: HiddenCells | None) -> RasterPart:
    """Return the raster of a layer without its hidden cells."""
    part = cache.raster(layer.ref)
    if hidden is None:
        return part
    return masked(part, cache.raster(hidden.classes), hidden.band, hidden.values)
