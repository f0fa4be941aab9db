"""Vector parts too large to hold: the map sees a sample of them from afar and reads them by view
from near, through the format's own index."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, replace
from math import ceil, floor, log2

import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import CannotRead, Capability, DataRef, Extent, FeatureQuery, Part, VectorPart
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.read.lazy_table import LazyTable

from .data_cache import DataCache

MOST_HELD = 5_000_000  # features
MOST_SHARE = 0.25  # of the machine's memory, for the file of a layer that is held
SAMPLED = 200_000  # features of the sample that stands for all of a layer
BY_VIEW = 300_000  # features, estimated from the sample, up to which a view is read in full
SERVER_HELD = 1_000_000  # features of a table of a database up to which all are read
PAGED_HELD = 20_000  # features of a service up to which all are read, and at most those of a view
OFF_PX = 0.3  # pixels that a simplified shape may be off by
OVERVIEW_PX = 4000  # across all of a layer, as fine as its sample has to be
AROUND = 0.5  # of the view's longer side, read beyond its edges for the next pan
AROUND_ASKED = 0.1  # the same, of what a server sends; a first picture asks for what it shows alone


@dataclass(frozen=True, eq=False)
class Seen:
    """The features that serve a view. `key` tells different ones of a layer apart; `note` says what
    is left out, if anything."""

    features: Features
    key: tuple
    note: str = ""


def is_stream(cache: DataCache, source: DataRef) -> bool:
    """Return whether a vector part is too large to be held."""
    part = cache.part(source)
    count = part.facts.count or 0
    if is_paged(part):
        return part.facts.count is None or count > PAGED_HELD
    if isinstance(part, VectorPart) and part.is_database:
        return count > SERVER_HELD
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return count > MOST_HELD or cache.dataset(source).size_bytes > MOST_SHARE * memory


def is_paged(part: Part) -> bool:
    """Return whether the features of a part come page by page from a server."""
    return isinstance(part, VectorPart) and part.paged


def seen_features(
    cache: DataCache,
    source: DataRef,
    extent: Extent,
    pixel: float = 0.0,
    growing: Callable[[Seen], None] = lambda seen: None,
    check: Callable[[], None] = lambda: None,
    where: str = "",
    arriving: Callable[[Features], None] | None = None,
) -> Seen:
    """Return the features that serve a view of `extent`: all, those in view, or a sample of all. `pixel` is how large a
    pixel of the view is, in units of its CRS: shapes may be off by a part of it where that saves traffic. `growing` is
    given what is there while features come page by page; `check` may raise to stop that. Where not all are held, they
    are those for which `where` is true, a condition in the part's own SQL. `arriving` is given pieces of what is read
    for this view in full, in order, before the next ones are there; perhaps not all of them, or none."""
    if not is_stream(cache, source):
        if is_paged(cache.part(source)) and not cache.has_features(source):
            for found, is_all in cache.coming(source).states(check):
                if not is_all:
                    growing(_so_far(found, source, ("all",)))
        return Seen(cache.features(source), ("all",))
    part = cache.part(source)
    assert isinstance(part, VectorPart)
    if part.paged:
        asked = FeatureQuery(simplify=_tolerance(part, extent, pixel), where=where)
        return _seen_of_service(cache, source, part, extent, asked, growing, check)
    count = part.facts.count or 0
    if where:
        count = cache.derive_latest(("stream matching", source), where, lambda: part.expected_in(None, where)) or count
    every = max(1, ceil(count / SAMPLED))
    own = _in_first_world(transform_extent(extent, part.facts.crs))
    tolerance = _tolerance(part, extent, pixel)
    held = cache.latest(("stream view", source, where))
    if (
        part.is_database
        and own is not None
        and held is not None
        and held[0][1] <= tolerance
        and _holds(held[0][0], own)
    ):
        return Seen(held[1], ("view", where, *held[0]), tr("read by view"))
    expected = None
    if own is not None:
        expected = cache.derive_latest(("stream expected", source), (own, where), lambda: part.expected_in(own, where))
    if own is None or expected is None or expected > BY_VIEW:
        sample = _sample(cache, source, part, every, where)
        if own is None:
            return Seen(sample, ("sample", where), tr("1 in {every:,} features", every=every))
        if expected is None:
            expected = int(sample.shapes.meeting(own).sum()) * every
        if expected > BY_VIEW:
            return Seen(sample, ("sample", where), tr("1 in {every:,} features at this scale", every=every))
    if held is None or held[0][1] > tolerance or not _holds(held[0][0], own):
        around = AROUND if not part.is_database else AROUND_ASKED if held is not None else 0.0
        state = own.grown(around), tolerance
        query = FeatureQuery(extent=state[0], simplify=tolerance, where=where)
        features = cache.derive_latest(
            ("stream view", source, where), state, lambda: _with_fields_when_asked(cache, source, part, query, arriving)
        )
        return Seen(features, ("view", where, *state), tr("read by view"))
    return Seen(held[1], ("view", where, *held[0]), tr("read by view"))


def _with_fields_when_asked(
    cache: DataCache,
    source: DataRef,
    part: VectorPart,
    query: FeatureQuery,
    arriving: Callable[[Features], None] | None,
) -> Features:
    """Return features whose fields are read when something needs them, where rows are found again by a key: most
    pictures need none. A row that is gone by then has no values."""
    key = part.row_key
    if not key:
        return cache.read_features(source, query, arriving)
    schema = cache.derive(("fields of", source), lambda: part.rows(FeatureQuery(limit=0)).schema)
    found = cache.read_features(source, replace(query, columns=(key,)), arriving)
    keys = found.table.column(key).combine_chunks()

    def read(names: list[str], count: int | None = None) -> pa.Table:
        wanted = (key, *(n for n in names if n != key))
        table = part.rows(FeatureQuery(extent=query.extent, columns=wanted, where=query.where))
        rows = pc.index_in(keys.slice(0, count) if count is not None else keys, table.column(key).combine_chunks())
        return table.take(rows).select(names)

    table = LazyTable(schema, len(keys), read, {key: found.table.column(key)})
    return replace(found, table=table)


def _sample(cache: DataCache, source: DataRef, part: VectorPart, every: int, where: str) -> Features:
    """Return one in so many features of a part, which stand for all of it."""
    extent = part.facts.extent
    coarse = _tolerance(part, extent, extent.width / OVERVIEW_PX) if extent is not None else 0.0
    query = FeatureQuery(step=every, simplify=coarse, where=where)
    return cache.derive(("stream sample", source, where), lambda: cache.read_features(source, query))


def _tolerance(part: VectorPart, extent: Extent | None, pixel: float) -> float:
    """Return how far shapes may be off, in units of the part's CRS, where it is able to simplify them: a power of two,
    so that a small change of scale asks for nothing new."""
    if Capability.SIMPLIFY not in part.able or pixel <= 0 or extent is None or extent.width <= 0:
        return 0.0
    own = transform_extent(extent, part.facts.crs)
    if own is None or not own.is_finite:
        return 0.0
    allowed = OFF_PX * pixel * own.width / extent.width
    return 2.0 ** floor(log2(allowed)) if allowed > 0 else 0.0


def _seen_of_service(
    cache: DataCache,
    source: DataRef,
    part: VectorPart,
    extent: Extent,
    asked: FeatureQuery,
    growing: Callable[[Seen], None],
    check: Callable[[], None],
) -> Seen:
    """Return the features of a service in a view that are asked for: as fine as it needs where there are coarser ones,
    or the first so many of them."""
    own = _in_first_world(transform_extent(extent, part.facts.crs))
    tolerance, where = asked.simplify, asked.where
    state = own.grown(AROUND) if own is not None else None, tolerance
    limit = None if Capability.SIMPLIFY in part.able else PAGED_HELD
    held = cache.latest(("stream view", source, where))
    serves = held is not None and own is not None and held[0][0] is not None and _holds(held[0][0], own)
    if held is None or not serves or held[0][1] != tolerance or len(held[1]) == limit:
        query = replace(asked, extent=state[0], limit=limit)

        def read() -> Features:
            for found, is_all in part.read_growing(query, check):
                if is_all:
                    return found if source.crs is None else replace(found, crs=source.crs)
                growing(_so_far(found, source, (where, *state)))
            raise AssertionError("the last ones are all")

        features = cache.derive_latest(("stream view", source, where), state, read)
    else:
        state, features = held
    cut = limit is not None and len(features) >= limit
    note = f"the first {grouped(len(features))} features in view" if cut else "read by view"
    return Seen(features, ("view", where, *state), note)


def _so_far(found: Features, source: DataRef, state: tuple) -> Seen:
    """Return the features that have come of those that are asked for."""
    there = found if source.crs is None else replace(found, crs=source.crs)
    return Seen(there, ("growing", *state, len(there)), tr("{count:,} features so far", count=len(there)))


def _in_first_world(extent: Extent | None) -> Extent | None:
    """Return an extent from -180 to 180 degrees; one across 180 becomes all longitudes at its latitudes."""
    return Extent.around(sides_of(extent)) if extent is not None else None


def _holds(outer: Extent, inner: Extent) -> bool:
    return outer.contains(inner.xmin, inner.ymin) and outer.contains(inner.xmax, inner.ymax)


def piece_of(cache: DataCache, source: DataRef, within: Extent | None) -> Features:
    """Return a part's features; of one too large to be held, those that meet `within`.

    Raises CannotRead for all of one that is too large.
    """
    if not is_stream(cache, source):
        return cache.features(source)
    part = cache.part(source)
    assert isinstance(part, VectorPart)
    own = _in_first_world(transform_extent(within, part.facts.crs)) if within is not None else None
    if own is None:
        refuse_stream(cache, source)
    assert own is not None
    return cache.read_features(source, FeatureQuery(extent=own))


def refuse_stream(cache: DataCache, source: DataRef) -> None:
    """Raise CannotRead for a part that is too large to be held."""
    if is_stream(cache, source):
        count = cache.part(source).facts.count
        stated = f"{grouped(count)} features" if count is not None else "features that its service does not count"
        raise CannotRead(
            source.whole,
            tr("{part} has {stated}, more than are held at once", part=source.part, stated=stated),
            tr("The map and the probe read it by view; hand over a piece by extent to have its rows."),
        )
