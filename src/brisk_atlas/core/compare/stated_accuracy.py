"""How exact the heights of two datasets are, by the records that lie with them."""

from __future__ import annotations

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.read.find_records import find_records

from .accuracy import vertical_accuracy


def stated_accuracies(cache: DataCache, a: DataRef, b: DataRef) -> tuple[float, float] | None:
    """Return the standard errors, metres, that the records of two datasets state for heights; None unless both do."""
    found = []
    for ref in (a, b):
        records = find_records(cache.dataset(ref))[0]
        stated = vertical_accuracy(records[0].document.record) if records else None
        if stated is None:
            return None
        found.append(stated)
    return found[0], found[1]
