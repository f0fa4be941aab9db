"""GRIB files: messages in any order as grids by quantity and kind of level, with time and level as dimensions.

What the tags mean: WMO Manual on Codes, volume I.2, FM 92 GRIB, as the raster library names it.
"""

from __future__ import annotations

import re
from collections import defaultdict
from dataclasses import replace
from typing import NamedTuple

import rasterio

from brisk_atlas.core.model import Facts, GridDimension, number_text
from brisk_atlas.core.model.dimension import count_of, places_of

from .dimensions import time_dimension

_LEVEL = re.compile(r"^\s*([-+\d.eE]+)\[([^\]]*)\]\s+\S+=\"(.*)\"")
EPOCH = "seconds since 1970-01-01"


class _Message(NamedTuple):
    band: int
    seconds: float
    level: float
    unit: str
    kind: str
    quantity: str


def grib_grids(source: rasterio.DatasetReader, facts: Facts) -> list[tuple[Facts, tuple[int, ...]]]:
    """Return the grids of a file, each with its bands in the order of its dimensions; the whole as it is where its
    messages do not say what they are. `facts` are those of all messages."""
    groups: dict[tuple[str, str], list[_Message]] = defaultdict(list)
    for band in source.indexes:
        message = _message(source, band)
        if message is None:
            return [(facts, tuple(source.indexes))]
        groups[message.quantity, message.kind].append(message)
    return [_grid(facts, quantity, kind, messages, len(groups) > 1) for (quantity, kind), messages in groups.items()]


def _message(source: rasterio.DatasetReader, band: int) -> _Message | None:
    tags, level = source.tags(band), _LEVEL.match(source.descriptions[band - 1] or "")
    try:
        seconds = float(tags["GRIB_VALID_TIME"].split()[0])
    except (KeyError, ValueError, IndexError):
        return None
    quantity = tags.get("GRIB_COMMENT", "").partition("[")[0].strip() or tags.get("GRIB_ELEMENT", "")
    if level is None or not quantity:
        return None
    unit = "" if level[2] == "-" else level[2]
    return _Message(band, seconds, float(level[1]), unit, level[3], quantity)


def _grid(
    facts: Facts, quantity: str, kind: str, messages: list[_Message], several: bool
) -> tuple[Facts, tuple[int, ...]]:
    assert facts.grid is not None
    messages = sorted(messages, key=lambda m: (m.seconds, m.level))
    times, levels = sorted({m.seconds for m in messages}), sorted({m.level for m in messages})
    level = GridDimension("level", tuple(levels), tuple(number_text(value) for value in levels), messages[0].unit)
    both = (time_dimension("time", times, EPOCH, "standard"), level)
    full = count_of(both) == len(messages) == len({(m.seconds, m.level) for m in messages})
    dimensions = tuple(each for each in both if len(each) > 1) if full else ()
    stored = [facts.grid.bands[m.band - 1] for m in messages]
    bands = []
    for number, band in enumerate(stored, 1):
        along = [each.shown(place) for each, place in zip(dimensions, places_of(dimensions, number))]
        bands.append(replace(band, index=number, name=", ".join([quantity, *along]) if along else band.name))
    notes = (
        {**facts.notes, "level": f"{kind}, {level.shown(0)}"} if len(levels) == 1 else {**facts.notes, "level": kind}
    )
    for each in dimensions:
        notes[each.name] = f"{len(each):,} from {each.shown(0)} to {each.shown(len(each) - 1)}"
    grid = replace(facts.grid, bands=tuple(bands), dimensions=dimensions)
    name = f"{quantity}, {kind}" if several else quantity
    return replace(facts, name=name, grid=grid, notes=notes), tuple(m.band for m in messages)
