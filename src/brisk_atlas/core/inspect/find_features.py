"""Finding features by any of their values, over all layers."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.table import rows_of


@dataclass(frozen=True)
class FoundFeature:
    """A row of a layer, and the field and text by which it was found."""

    layer_id: str
    layer: str
    row: int
    field: str
    text: str


def find_features(
    cache: DataCache, layers: Sequence[Layer], words: str, limit: int = 200, check: Callable[[], None] = lambda: None
) -> list[FoundFeature]:
    """Return the rows that hold a text in any field, whatever its case; of numbers, dates and truth values those that
    are written so. Whole values come first, then those that begin so, each in the order of the layers.

    Layers whose rows can't be read are left out.
    """
    words = words.strip()
    if not words:
        return []
    found: list[tuple[int, FoundFeature]] = []
    for layer in layers:
        check()
        try:
            table = rows_of(cache, layer, check)
        except AtlasError:
            continue
        for name in table.column_names:
            check()
            for row, text in _rows_with(table.column(name), words, limit):
                rank = 0 if text.lower() == words.lower() else 1 if text.lower().startswith(words.lower()) else 2
                found.append((rank, FoundFeature(layer.id, layer.name, row, name, text)))
    found.sort(key=lambda each: each[0])
    seen: dict[tuple[str, int], FoundFeature] = {}
    for _, each in found:
        seen.setdefault((each.layer_id, each.row), each)
    return list(seen.values())[:limit]


def _rows_with(column: pa.ChunkedArray, words: str, limit: int) -> Iterator[tuple[int, str]]:
    """Return the first rows of a column that hold a text, with their values."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.cast(kind.value_type), kind.value_type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        hit = pc.match_substring(column, words, ignore_case=True)
    elif pa.types.is_nested(kind) or pa.types.is_binary(kind) or pa.types.is_large_binary(kind):
        return
    elif pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        try:
            hit = pc.equal(column, pa.scalar(float(typed_number(words))))
        except (ValueError, pa.ArrowInvalid, pa.ArrowNotImplementedError):
            return
    else:
        try:
            column = column.cast(pa.string())
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
            return
        hit = pc.match_substring(column, words, ignore_case=True)
    rows = np.flatnonzero(pc.fill_null(hit, False).to_numpy(zero_copy_only=False))[:limit]
    for row in rows.tolist():
        value = column[row].as_py()
        yield row, f"{value:g}" if isinstance(value, float) else str(value)
