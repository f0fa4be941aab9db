"""Which layer another is best compared with, and which of the two comes first."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from difflib import SequenceMatcher

from brisk_atlas.core.model import Facts, Layer
from brisk_atlas.core.place import transform_extent

from .layer_time import LayerTime

NAME, PLACE, MAKE = 0.5, 0.3, 0.2  # what names, extents, and bands or fields weigh
DIGITS = re.compile(r"\d+")


def best_partner(subject: Layer, others: Sequence[Layer], facts: Mapping[str, Facts | None]) -> Layer | None:
    """Return the layer most like another: of its kind, by name, extent, and bands or fields. None without others.

    Names that differ in their numbers alone, as those of two dates do, are alike. `facts` are by layer id.
    """
    same = [layer for layer in others if layer.kind == subject.kind] or list(others)
    about = facts.get(subject.id)

    def likeness(other: Layer) -> float:
        theirs = facts.get(other.id)
        one, two = (DIGITS.sub("0", layer.name.lower()) for layer in (subject, other))
        found = NAME * (0.8 * _ratio(one, two) + 0.2 * _ratio(subject.name, other.name))
        if about is not None and theirs is not None:
            found += PLACE * _shared_extent(about, theirs) + MAKE * (make_of(about) == make_of(theirs))
        return found

    return max(same, key=likeness) if same else None


def _ratio(a: str, b: str) -> float:
    return SequenceMatcher(None, a, b).ratio()


def in_order_of_time(a: Layer, b: Layer, times: Mapping[str, LayerTime | None]) -> tuple[Layer, Layer]:
    """Return two layers with the earlier one first; by name where their times are unknown or the same. `times` are by
    layer id."""
    one, two = times.get(a.id), times.get(b.id)
    if one is not None and two is not None and one.seconds != two.seconds:
        return (a, b) if one.seconds < two.seconds else (b, a)
    first, second = sorted((a, b), key=lambda layer: layer.name)
    return first, second


def _shared_extent(a: Facts, b: Facts) -> float:
    """Return the share of the area of both that they share, 0 to 1."""
    if a.extent is None or b.extent is None:
        return 0.0
    placed = transform_extent(b.extent, a.crs)
    common = placed.intersection(a.extent) if placed is not None else None
    if placed is None or common is None:
        return 0.0
    areas = [each.width * each.height for each in (a.extent, placed, common)]
    return areas[2] / max(areas[0] + areas[1] - areas[2], 1e-300)


def make_of(facts: Facts) -> tuple[object, ...]:
    """Return what two versions of one thing have alike: bands with their units, or fields."""
    if facts.grid is not None:
        return tuple((band.role, band.unit) for band in facts.grid.bands[:16])
    return tuple(field.name for field in facts.fields)
