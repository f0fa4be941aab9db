"""Work in the background that makes a layer draw better than its first picture."""

from __future__ import annotations

from collections.abc import Callable

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CloudStyle, GridStyle, Layer

from .raster import channel_sources, pyramid_of


def prepare(cache: DataCache, layer: Layer, report: Callable[[float], None]) -> None:
    """Read all points of a cloud, or make the overviews that a grid's bands lack.

    `report` takes the share done and may raise to stop. Raises CannotRead, OSError for a full disk.
    """
    style = layer.style
    if isinstance(style, CloudStyle):
        cache.points(layer.ref, report)
    elif isinstance(style, GridStyle):
        asked = list(zip(channel_sources(layer.ref, style), style.bands))
        for number, (source, band) in enumerate(asked):
            pyramid = pyramid_of(cache, source, band, style)
            if pyramid is not None:
                pyramid.build(lambda share, n=number: report((n + share) / len(asked)))  # type: ignore[misc]
