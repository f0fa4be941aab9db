"""Time series of the features of a plate: from any table that has their key, a time and a number."""

from __future__ import annotations

import itertools
from collections.abc import Mapping

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.album.page_parts import PageFeatures, PageSeries
from brisk_atlas.core.album.plate_features import key_text
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Facts, Layer
from brisk_atlas.core.table.extended import rows_of
from brisk_atlas.core.workspace.plates import PlateSeries, PlateView

ALL_POINTS, MOST_POINTS = 100_000, (40, 400)  # of all features of a layer, and of one, about
NUMBERS = ("int", "uint", "float", "double", "decimal")  # as the words of Arrow for types begin


def guessed_series(view: PlateView, facts: Mapping[str, Facts]) -> PlateSeries | None:
    """Return a series that a plate could have, by what its layers are: of the topmost one that shares the name of a
    field with an open table that has a time and a number; None where there is none."""
    layers, tables = layers_for_series(view)
    for layer in layers:
        names = {field.name for field in facts[layer.id].fields}
        for table in tables:
            about = facts[table.id]
            key = next((field.name for field in about.fields if field.name in names), None)
            times = time_fields(about)
            numbers = [name for name in number_fields(about) if name not in (key, *times)]
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
    """Return the series of the features of a layer that a page has by their keys, None where the table is gone or has
    none of them. Raises BadExpression, AtlasError."""
    table = next((layer for layer in view.layers if layer.id == wanted.table), None)
    keys = list(dict.fromkeys(filter(None, found.keys)))
    if table is None or not keys:
        return None
    rows = rows_of(cache, table)
    if any(name not in rows.column_names for name in (wanted.table_key, wanted.time, wanted.value)):
        return None
    distinct = pc.unique(rows.column(wanted.table_key))
    stated = {key_text(value): value for value in distinct.to_pylist()}
    known = pa.array([stated[key] for key in keys if key in stated], _type(distinct))
    of_keys = rows.column(wanted.table_key).cast(_type(distinct))
    rows = pa.table({
        "key": of_keys, "time": rows.column(wanted.time),
        "value": pc.cast(rows.column(wanted.value), pa.float64()),
    }).filter(pc.is_in(of_keys, known))  # fmt: skip
    rows = rows.filter(pc.fill_null(pc.is_finite(rows.column("value")), False)).drop_null()
    if not rows.num_rows:
        return None
    rows = rows.sort_by([("key", "ascending"), ("time", "ascending")])
    times, values = _time_texts(rows.column("time")), rows.column("value").to_numpy()
    owners = rows.column("key").to_numpy(zero_copy_only=False)
    starts = np.flatnonzero(np.concatenate([[True], owners[1:] != owners[:-1]]))
    most = int(np.clip(ALL_POINTS // len(starts), *MOST_POINTS))
    lines: list[tuple[tuple[str, float], ...]] = []
    numbers, is_thinned = dict[str, int](), False
    for start, end in zip(starts, [*starts[1:], len(owners)]):
        shown = start + _lows_and_highs(values[start:end], most)
        is_thinned |= len(shown) < end - start
        numbers[key_text(rows.column("key")[int(start)].as_py())] = len(lines)
        lines.append(tuple((times[at], float(values[at])) for at in shown))
    unit = next((f.unit for f in cache.part(table.ref).facts.fields if f.name == wanted.value), "")
    title = f"{wanted.value}, {unit}" if unit else wanted.value
    return PageSeries(title, table.name, tuple(lines), tuple(map(numbers.get, found.keys)), bool(is_thinned))


def _type(values: pa.Array) -> pa.DataType:
    """Return the type of values, of a dictionary that of its entries."""
    return values.type.value_type if pa.types.is_dictionary(values.type) else values.type


def _lows_and_highs(values: np.ndarray, most: int) -> np.ndarray:
    """Return the numbers of the values that are shown: all, or of many the lowest and the highest of each of equal
    parts, so that no peak is lost."""
    if len(values) <= most:
        return np.arange(len(values))
    edges = np.linspace(0, len(values), most // 2 + 1).astype(int)
    ends = [(first + int(each(values[first:last]))) for first, last in itertools.pairwise(edges)
            for each in (np.argmin, np.argmax)]  # fmt: skip
    return np.unique([0, *ends, len(values) - 1])


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
