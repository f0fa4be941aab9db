"""Which layers are one thing at several dates, and the bands of each date."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Facts, GridDimension, Layer, RasterPart
from brisk_atlas.core.model.dimension import bands_along
from brisk_atlas.core.model.style import shown_band

from .layer_time import LayerTime
from .partner import make_of
from .series import DatedBand

DIGITS = re.compile(r"[\d_\-.: ]+")


class SeriesDate(NamedTuple):
    """A layer of a series and when it was taken."""

    layer_id: str
    name: str
    time: LayerTime


def series_with(
    subject: Layer, layers: Sequence[Layer], facts: Mapping[str, Facts | None], times: Mapping[str, LayerTime | None]
) -> list[SeriesDate]:
    """Return the layers that show the same as the subject at other dates, and itself, by date; fewer than two are no
    series and none is returned. They are of one kind, have the same bands or fields, and names that differ in digits
    alone. `facts` and `times` are by layer id."""
    about = facts.get(subject.id)
    if about is None or subject.style is None:
        return []
    found: dict[float, SeriesDate] = {}
    for layer in (subject, *layers):
        theirs = facts.get(layer.id)
        if theirs is None or layer.kind != subject.kind or layer.style is None or make_of(theirs) != make_of(about):
            continue
        alike = DIGITS.sub("", layer.name.lower()) == DIGITS.sub("", subject.name.lower())
        time = times.get(layer.id)
        if alike and time is not None:
            found.setdefault(time.seconds, SeriesDate(layer.id, layer.name, time))
    return sorted(found.values(), key=lambda each: each.time.seconds) if len(found) > 1 else []


def time_dimension(part: RasterPart) -> tuple[int, GridDimension] | None:
    """Return which dimension of a grid is its time, and that; None without."""
    dimensions = part.facts.grid.dimensions if part.facts.grid is not None else ()
    return next(((number, each) for number, each in enumerate(dimensions) if each.is_time), None)


def dated_bands(cache: DataCache, layers: Sequence[Layer], times: Mapping[str, LayerTime | None]) -> list[DatedBand]:
    """Return a band for each date of grids: of a grid with a time dimension those along it, at the place of the shown
    one; of others the shown band at the layer's own time. Layers without a time are left out. `times` are by layer
    id."""
    found = []
    for layer in layers:
        part, band = cache.raster(layer.ref), shown_band(layer.style)
        along = time_dimension(part)
        if along is not None and part.facts.grid is not None:
            which, dimension = along
            bands = bands_along(part.facts.grid.dimensions, band, which)
            found += [DatedBand(part, each, seconds) for each, seconds in zip(bands, dimension.seconds)]
        elif (time := times.get(layer.id)) is not None:
            found.append(DatedBand(part, band, time.seconds))
    return found
