"""Colouring by value: ramps, classes and unique values."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.table import column_of

from . import ramps
from .limits import limits_of, stretched

NO_VALUE = "#9AA3A8"
MOST_UNIQUE = 1000  # values with an entry of their own; the rest are drawn as "others"
NATURAL_SAMPLE = 600  # values among which natural breaks are looked for
METHODS = ("ramp", "equal", "quantile", "natural", "unique")


@dataclass(frozen=True, eq=False)
class Colouring:
    """What colouring by value comes to: (rows, 3) uint8 colours, and how to read them.

    Either `ramp` from `low` to `high`, or `entries` of (colour, text), with the entry of each row in `codes`, -1 for a
    row without a value. `names` are those of entries that are called otherwise than their text, `edges` those of
    classes of numbers.
    """

    rgb: np.ndarray
    entries: tuple[tuple[str, str], ...] = ()
    ramp: str = ""
    low: float = 0.0
    high: float = 0.0
    edges: tuple[float, ...] = ()
    codes: np.ndarray | None = None
    names: Mapping[str, str] = field(default_factory=dict)

    def showing(self, hidden: Collection[str]) -> np.ndarray | None:
        """Return (rows,) bool of those whose class is not hidden; None where none is."""
        if self.codes is None or not hidden:
            return None
        off = [code for code, (_, text) in enumerate(self.entries) if text in hidden]
        return ~np.isin(self.codes, off) if off else None


def is_number(kind: pa.DataType) -> bool:
    """Return whether values of a type are numbers that a ramp can run through."""
    return pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)


def numbers_of(table: pa.Table, expression: str) -> np.ndarray:
    """Return (rows,) float64 of a field or expression, NaN where missing. Raises BadExpression."""
    column = column_of(table, expression)
    return column.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)


def breaks(values: np.ndarray, method: str, count: int) -> np.ndarray:
    """Return (count + 1,) class edges over finite `values`, fewer where values repeat.

    method : `equal` (equal intervals), `quantile` (as many in each) or `natural` (minimum variance
        within classes; W. D. Fisher (1958), "On grouping for maximum homogeneity", JASA 53).
    """
    values = np.sort(values[np.isfinite(values)])
    if not values.size:
        return np.array([0.0, 1.0])
    if method == "equal":
        edges = np.linspace(values[0], values[-1], count + 1)
    elif method == "quantile":
        edges = np.quantile(values, np.linspace(0, 1, count + 1))
    else:
        edges = _natural(values, count)
    edges = np.unique(edges)
    return edges if edges.size > 1 else np.array([edges[0], edges[0] + 1.0])


def _natural(values: np.ndarray, count: int) -> np.ndarray:
    """Return class edges half way between the highest value of a class and the lowest of the next."""
    from brisk_atlas.core.system.lean_imports import allow

    allow("pandas")
    from mapclassify import FisherJenks  # slow to load, and seldom needed

    if values.size > NATURAL_SAMPLE:
        values = values[np.linspace(0, values.size - 1, NATURAL_SAMPLE).astype(int)]
    size = values[-1] - values[0]
    if not 0 < size < np.inf:
        return values[[0, -1]]
    share = (values - values[0]) / size  # sums of squares of values far from 0 lose the digits that distinguish them
    different, first = np.unique(share, return_index=True)
    tops = np.asarray(FisherJenks(share, k=min(count, different.size)).bins[:-1])
    last = np.searchsorted(different, tops, side="right") - 1
    different = values[first]
    last = last[last < different.size - 1]
    return np.concatenate([values[:1], (different[last] + different[last + 1]) / 2, values[-1:]])


def colouring_of(table: pa.Table, style: VectorStyle) -> Colouring | None:
    """Return the colours of rows by the style's field or expression; None for a single colour.

    Raises BadExpression.
    """
    if style.colour_by is None:
        return None
    column = column_of(table, style.colour_by)
    if style.method == "unique" or not is_number(column.type):
        return _as_looked(_unique(column), style)
    values = column.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
    rgb = np.tile(ramps.rgb_of(NO_VALUE), (len(values), 1))
    known = np.isfinite(values)
    table_of = ramps.ramp(style.ramp)
    if style.method == "ramp":
        low, high = limits_of(values, style.stretch)
        share = stretched(values[known], low, high, style.stretch.gamma)
        rgb[known] = table_of[np.clip(share * ramps.STEPS, 0, ramps.STEPS - 1).astype(int)]
        return Colouring(rgb, ramp=style.ramp, low=low, high=high)
    edges = breaks(values, style.method, style.classes)
    colours = table_of[np.linspace(12, ramps.STEPS - 13, edges.size - 1).round().astype(int)]
    number = np.clip(np.searchsorted(edges, values[known], side="right") - 1, 0, edges.size - 2)
    rgb[known] = colours[number]
    codes = np.full(len(values), -1)
    codes[known] = number
    texts = [f"{_short(a)} to {_short(b)}" for a, b in pairwise(edges)]
    entries = tuple(zip(map(ramps.hex_of, colours), texts))
    return _as_looked(Colouring(rgb, entries, edges=tuple(edges.tolist()), codes=codes), style)


def _as_looked(made: Colouring, style: VectorStyle) -> Colouring:
    """Return a colouring with the colours and names that classes have of their own."""
    colours = {look.text: look.colour for look in style.class_looks if look.colour is not None}
    names = {look.text: look.name for look in style.class_looks if look.name}
    if (not colours and not names) or made.codes is None:
        return made
    entries = tuple((colours.get(text, colour), text) for colour, text in made.entries)
    rgb = made.rgb.copy()
    for code, (colour, text) in enumerate(entries):
        if text in colours:
            rgb[made.codes == code] = ramps.rgb_of(colour)
    return replace(made, rgb=rgb, entries=entries, names=names)


def _short(value: float) -> str:
    return grouped(value, ",.0f") if abs(value) >= 1000 or float(value).is_integer() else f"{value:.4g}"


def _unique(column: pa.Array) -> Colouring:
    texts = column.cast(pa.string())
    counted = pc.value_counts(texts).flatten()
    found = [(name, n) for name, n in zip(counted[0].to_pylist(), counted[1].to_pylist()) if name is not None]
    names = sorted((name for name, _ in sorted(found, key=lambda p: -p[1])[:MOST_UNIQUE]), key=_natural_key)
    palette = np.array([ramps.rgb_of(c) for c in ramps.CLASSES])
    colours = palette[np.arange(len(names)) % len(palette)]
    codes = pc.fill_null(pc.index_in(texts, value_set=pa.array(names, pa.string())), -1).to_numpy(zero_copy_only=False)
    rgb = np.tile(ramps.rgb_of(NO_VALUE), (len(column), 1))
    rgb[codes >= 0] = colours[codes[codes >= 0]]
    entries = [(ramps.hex_of(c), n) for c, n in zip(colours, names)]
    if len(found) > len(names):
        entries.append((NO_VALUE, "others"))
        codes = np.where((codes < 0) & column.is_valid().to_numpy(zero_copy_only=False), len(names), codes)
    return Colouring(rgb, tuple(entries), codes=codes)


def _natural_key(text: str) -> tuple[int, float, str]:
    """Sort numbers as numbers, before words."""
    try:
        return 0, float(text), text
    except ValueError:
        return 1, 0.0, text


def grown(table: pa.Table, expression: str, ends: tuple[float, float]) -> np.ndarray:
    """Return (rows,) float32 pixels that grow with a value from the first to the second of `ends`.

    A missing value gets the minimum. Raises BadExpression.
    """
    values = numbers_of(table, expression)
    known = values[np.isfinite(values)]
    low, high = (known.min(), known.max()) if known.size else (0.0, 1.0)
    share = np.nan_to_num((values - low) / ((high - low) or 1.0))
    return (ends[0] + share * (ends[1] - ends[0])).astype(np.float32)
