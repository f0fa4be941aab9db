"""What an expression makes of the first rows, before a field is added."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import cast

import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import ComputedField, FeatureQuery, Layer, RowsPart
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.read.wkb import shapes_of
from brisk_atlas.core.table.expression import prepare
from brisk_atlas.core.table.extended import base_rows, computed, extend, features_of, rows_of

CONTEXT = 5_000  # rows that a window over "all rows" may see in a preview of a large table


def preview(
    cache: DataCache,
    layer: Layer,
    others: tuple[ComputedField, ...],
    field: ComputedField,
    count: int,
    check: Callable[[], None] | None = None,
) -> pa.Table:
    """Return the first rows: the fields that an expression names, and what it makes of them.

    `others` are the computed fields that stand before it. Raises BadExpression. Sums over all rows run
    over all rows of a table of up to CONTEXT rows, else over the first of them.
    """
    look = replace(layer.rows, computed=others)
    table, features = base_rows(cache, layer), features_of(cache, layer)
    few, key = table.num_rows > CONTEXT, ("measure", layer.ref)
    if few:
        first = cast(RowsPart, cache.part(layer.ref)).rows(FeatureQuery(limit=CONTEXT))
        features, key = _first(features, CONTEXT) if features else None, ("preview", layer.ref)
        table = extend(cache, first, replace(look, edits=()), features, key, check)
    else:
        table = rows_of(cache, replace(layer, rows=look), check)
    name = field.name or "made"
    made = computed(cache, table, field, features, key, check)
    used = prepare(field.expression, table.column_names, measured=features is not None).fields
    return table.select(list(used)).append_column(name, made).slice(0, count)


def _first(features: Features, count: int) -> Features:
    wkb = features.wkb.slice(0, count)
    return Features(features.table.slice(0, count), wkb, shapes_of(wkb)[0], features.crs)
