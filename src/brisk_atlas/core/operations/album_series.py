"""Time series of the features of a plate: from any table that has their key, a time and a number."""

from __future__ import annotations

import itertools

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.album.page_parts import PageFeatures, PageSeries
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Facts, Layer
from brisk_atlas.core.table.extended import rows_of
from brisk_atlas.core.workspace.plates import PlateSeries, PlateView

MOST_POINTS = 400  # of one feature, about
MOST_FEATURES = 500
NUMBERS = ("int", "uint", "float", "double", "decimal")  # as the words of Arrow for types begin


def guessed_series(cache: DataCache, view: PlateView) -> PlateSeries | None:
    """Return a series that a plate could have: of the topmost layer that shares the name of a field with an open table
    that has a time and a number; None where there is none."""
    tables = [(layer, cache.part(layer.ref).facts) for layer in view.layers if not layer.kind.has_place]
    for layer in view.shown:
        if not layer.kind.has_shapes:
            continue
        names = {field.name for field in cache.part(layer.ref).facts.fields}
        for table, facts in tables:
            key = next((field.name for field in facts.fields if field.name in names), None)
            times = time_fields(facts)
            numbers = [name for name in number_fields(facts) if name not in (key, *times)]
            if key is not None and times and numbers:
                return PlateSeries(layer.id, key, table.id, key, times[0], numbers[0])
    return None


def time_fields(facts: Facts) -> list[str]:
    """Return the fields that can say when: days, times, and years by their name."""
    return [field.name for field in facts.fields
            if field.type.startswith(("date", "timestamp"))
            or (field.type.startswith(("int", "uint")) and "year" in field.name.casefold())]  # fmt: skip


def number_fields(facts: Facts) -> list[str]:
    """Return the fields that have numbers."""
    return [
        field.name for field in facts.fields if field.type.startswith(("int", "uint", "float", "double", "decimal"))
    ]


def series_for(cache: DataCache, view: PlateView, wanted: PlateSeries, found: PageFeatures) -> PageSeries | None:
    """Return the series of the features of a layer that a page has, None where the table is gone or has none of them.
    Raises BadExpression, AtlasError."""
    layers = {layer.id: layer for layer in view.layers}
    table = layers.get(wanted.table)
    names = [name.partition(", ")[0] for name in found.fields]
    if table is None or wanted.key not in names:
        return None
    at = names.index(wanted.key)
    keys = list(dict.fromkeys(row[at] for row in found.rows if row[at]))[:MOST_FEATURES]
    columns = [wanted.table_key, wanted.time, wanted.value]
    rows = rows_of(cache, table)
    if any(name not in rows.column_names for name in columns):
        return None
    stated = pc.cast(_plain(rows.column(wanted.table_key)), pa.string())
    chosen = pc.fill_null(pc.and_(pc.is_in(stated, pa.array(keys)), pc.is_valid(rows.column(wanted.value))), False)
    rows = pa.table({"key": stated, "time": _plain(rows.column(wanted.time)), "value": rows.column(wanted.value)})
    rows = rows.set_column(2, "value", pc.cast(rows.column("value"), pa.float64()))
    usable = pc.fill_null(pc.is_finite(rows.column("value")), False)
    rows = rows.filter(pc.and_(chosen, usable)).drop_null()
    rows = rows.sort_by([("key", "ascending"), ("time", "ascending")])
    if not rows.num_rows:
        return None
    times, values = _time_texts(rows.column("time")), rows.column("value").to_numpy()
    owners = rows.column("key").to_numpy(zero_copy_only=False)
    starts = np.flatnonzero(np.concatenate([[True], owners[1:] != owners[:-1]]))
    points, is_thinned = {}, False
    for start, end in zip(starts, [*starts[1:], len(owners)]):
        shown = start + _lows_and_highs(values[start:end])
        is_thinned |= len(shown) < end - start
        points[str(owners[start])] = tuple((times[at], float(values[at])) for at in shown)
    unit = next((f.unit for f in cache.part(table.ref).facts.fields if f.name == wanted.value), "")
    return PageSeries(at, f"{wanted.value}, {unit}" if unit else wanted.value, table.name, points, bool(is_thinned))


def _lows_and_highs(values: np.ndarray) -> np.ndarray:
    """Return the numbers of the values that are shown: all, or of many the lowest and the highest of each of equal
    parts, so that no peak is lost."""
    if len(values) <= MOST_POINTS:
        return np.arange(len(values))
    edges = np.linspace(0, len(values), MOST_POINTS // 2 + 1).astype(int)
    ends = [(first + int(each(values[first:last]))) for first, last in itertools.pairwise(edges)
            for each in (np.argmin, np.argmax)]  # fmt: skip
    return np.unique([0, *ends, len(values) - 1])


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Return a column without its dictionary."""
    return column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column


def _time_texts(column: pa.ChunkedArray) -> list[str]:
    """Return times as ISO 8601 has them, to the second; years as they are."""
    if pa.types.is_integer(column.type):
        return [str(value) for value in column.to_pylist()]
    if pa.types.is_date(column.type):
        return [value.isoformat() for value in column.to_pylist()]
    return [value.isoformat(timespec="seconds") for value in column.to_pylist()]


def layers_for_series(view: PlateView) -> tuple[list[Layer], list[Layer]]:
    """Return the layers of a plate whose features can have series, and the tables that these can be from."""
    return ([layer for layer in view.shown if layer.kind.has_shapes],
            [layer for layer in view.layers if layer.kind.has_rows and not layer.kind.has_place])  # fmt: skip
