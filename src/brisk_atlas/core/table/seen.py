"""The rows of the features that a map shows of a layer: all that are held, those of a view, or a sample."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import Seen, is_stream, seen_features
from brisk_atlas.core.model import Extent, Layer, VectorPart
from brisk_atlas.core.model.shapes import Features

from .expression import mask_of
from .extended import Check, extend, rows_of, shown_rows
from .filters import where_of
from .server_sql import as_stated


def seen_of(
    cache: DataCache,
    layer: Layer,
    extent: Extent,
    pixel: float = 0.0,
    growing: Callable[[Seen], None] = lambda seen: None,
    check: Callable[[], None] = lambda: None,
    arriving: Callable[[Features], None] | None = None,
) -> Seen:
    """Return the features of a layer that serve a view, as `seen_features` does. Of a large table of a database they
    are those that its filters show, as far as the database means the same by them: no sample then misses what is
    looked for."""
    return seen_features(cache, layer.ref, extent, pixel, growing, check, _asked_where(cache, layer), arriving)


def _asked_where(cache: DataCache, layer: Layer) -> str:
    """Return the condition that a database is asked for a layer's features by; "" for none."""
    part = cache.part(layer.ref)
    look = layer.rows
    if not look.on_map or not look.filtered or look.edits or not isinstance(part, VectorPart) or not part.is_database:
        return ""
    if not is_stream(cache, layer.ref):
        return ""
    names = {field.name: field.type for field in part.facts.fields}
    return as_stated(where_of(look), names, part.dialect) or ""


def seen_rows(cache: DataCache, layer: Layer, seen: Seen, check: Check = None) -> pa.Table:
    """Return the rows of features that serve a view, with what was added to them. Raises BadExpression."""
    if seen.key == ("all",):
        return rows_of(cache, layer, check)
    table = seen.features.table
    if not any(layer.rows.modifications):
        return table
    return cache.derive_latest(
        ("seen rows", layer.id, layer.ref),
        (seen.key, layer.rows.modifications),
        lambda: extend(
            cache, table, replace(layer.rows, edits=()), seen.features, ("measure", layer.ref, seen.key), check
        ),
    )


def seen_shown(cache: DataCache, layer: Layer, seen: Seen, check: Check = None) -> np.ndarray | None:
    """Return (features,) bool of seen features that the map shows under filters that act on it, or None
    for all. Raises BadExpression."""
    if not layer.rows.on_map or not layer.rows.filtered:
        return None
    if seen.key == ("all",):
        return shown_rows(cache, layer, check)
    where = where_of(layer.rows)
    return cache.derive_latest(
        ("seen shown", layer.id, layer.ref),
        (seen.key, layer.rows.modifications, where),
        lambda: mask_of(seen_rows(cache, layer, seen, check), where, check),
    )


def all_seen_rows(cache: DataCache, layer: Layer) -> pa.Table:
    """Return the rows that stand for all of a vector layer: all of them, or the sample of a stream."""
    extent = cache.part(layer.ref).facts.extent
    return seen_rows(cache, layer, seen_features(cache, layer.ref, extent)) if extent else pa.table({})
