"""Asking layers of any kind: what lies at a place, what their numbers are."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from brisk_atlas.core.inspect.finding import ProbeResult, Where
from brisk_atlas.core.model import AtlasError, Extent, Layer
from brisk_atlas.core.place import transform_extent

from . import kind_of

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.inspect.statistics import StatisticsSummary


def probe(cache: DataCache, layer: Layer, where: Where, check: Callable[[], None] = lambda: None) -> ProbeResult | None:
    """Return what `layer` has there, or None for nothing; nothing is off the Earth."""
    if where.kind == "click" and not where.is_on_earth:
        return None
    return kind_of(layer.kind).probe(cache, layer, where.in_first_world(), check)


def probe_all(
    cache: DataCache, layers: Sequence[Layer], where: Where, check: Callable[[], None] = lambda: None
) -> list[ProbeResult]:
    """Return what each of `layers` has there. One that can't be read is left out; the map says why."""
    findings = []
    for layer in layers:
        check()
        try:
            found = probe(cache, layer, where, check)
        except AtlasError:
            continue
        if found is not None:
            findings.append(found)
    return findings


def names_of(cache: DataCache, layer: Layer) -> list[str]:
    """Return what of a layer can be summed up: bands, fields of numbers, or dimensions."""
    return kind_of(layer.kind).names(cache, layer)


def statistics_of(
    cache: DataCache,
    layer: Layer,
    name: str,
    where: Where | Extent | None = None,
    check: Callable[[], None] = lambda: None,
) -> tuple[StatisticsSummary | None, str]:
    """Return the summary of a band, a field or a dimension by name, and its unit.

    `where` is an area, or the extent of a view, None for the whole. Fields are those of the rows that
    the filters show; in an area, of features that meet it. Raises BadExpression, CannotRead.
    """
    if isinstance(where, Extent):
        crs = cache.part(layer.ref).facts.crs
        own = transform_extent(where, crs)
        if own is None:
            return None, ""
        where = Where.box(own.xmin, own.ymin, own.xmax, own.ymax, crs)
    return kind_of(layer.kind).statistics(cache, layer, name, where, check)
