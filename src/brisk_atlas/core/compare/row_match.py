"""Which row of one delivery is which of another: by a key, or by geometry where there is none."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features

from .value_change import texts_of

TITLE = "name"
KEY_NAMES = ("id", "fid", "gid", "uid", "uuid", "guid", "key", "code", "number", "nr", "no", "name")
SAMPLE = 20_000  # rows by which fields that repeat are ruled out before all rows are looked at
SHARED = 0.3  # of B's keys that A must have for a field to be taken for a key
DENSE = 8  # times as many as there are values that whole numbers may range over to stand for themselves
MOST_TRIED = 6  # fields that are tried together, two or three at a time
NEAR = 0.5  # of the bounds of both together that unlike shapes must share to be taken for one feature


class MatchedBy(StrEnum):
    """What rows were matched by."""

    KEY = "key"
    GEOMETRY = "geometry"
    VALUES = "values"


@dataclass(frozen=True, eq=False)
class RowMatch:
    """Rows of A and of B that are the same thing.

    pairs : (n, 2) int64, a row of A and the row of B that it became
    only_a, only_b : int64 rows without a partner
    repeated : how many rows of A and of B have a key that another one has too; they are matched in their order
    """

    by: MatchedBy
    key: tuple[str, ...]
    pairs: np.ndarray
    only_a: np.ndarray
    only_b: np.ndarray
    repeated: tuple[int, int] = (0, 0)


def guess_key(a: pa.Table, b: pa.Table) -> tuple[str, ...]:
    """Return the fields that identify the rows of both tables: one if there is such a one, else two or three
    together; none if nothing does. Names of things, which are mended from time to time, come after codes."""
    shared = [name for name in a.column_names if name in b.column_names and _may_be_key(a, b, name)]
    found = []
    for name in sorted(shared, key=lambda name: not _is_named_as_key(name)):
        share = _share_as_key(a, b, (name,))
        if share == 1.0 and _is_named_as_key(name) and name.lower() != TITLE:
            return (name,)
        if share >= SHARED:
            strong = _is_named_as_key(name) and name.lower() != TITLE
            found.append((strong, share, name.lower() == TITLE, -shared.index(name), name))
    if found:
        return (max(found)[-1],)
    several = sorted(shared, key=lambda name: -_distinct(a.slice(0, SAMPLE), (name,)))[:MOST_TRIED]
    for count in (2, 3):
        for names in combinations(several, count):
            if _share_as_key(a, b, names) >= SHARED:
                return names
    return ()


def _share_as_key(a: pa.Table, b: pa.Table, names: tuple[str, ...]) -> float:
    """Return which share of B's keys A has too; 0 for fields that do not identify the rows of both."""
    if (
        not len(a)
        or not len(b)
        or any(_distinct(few, names) < len(few) for few in (a.slice(0, SAMPLE), b.slice(0, SAMPLE)))
    ):
        return 0.0
    own, other = codes_of([a, b], names)
    stands = np.zeros(int(max(own.max(), other.max())) + 1, np.uint8)
    stands[own] = 1
    if int(stands.sum()) < len(own) or int(np.bincount(other).max()) > 1:
        return 0.0
    return float(stands[other].mean())


def _may_be_key(a: pa.Table, b: pa.Table, name: str) -> bool:
    return all(
        pa.types.is_integer(t.field(name).type) or pa.types.is_string(t.field(name).type)
        or pa.types.is_large_string(t.field(name).type) or pa.types.is_temporal(t.field(name).type)
        for t in (a, b)
    ) and not (a.column(name).null_count or b.column(name).null_count)  # fmt: skip


def _is_named_as_key(name: str) -> bool:
    words = name.lower().replace("-", "_").split("_")
    return words[-1] in KEY_NAMES[:-1] or name.lower() in KEY_NAMES or name.lower().endswith("id")


def _distinct(table: pa.Table, names: tuple[str, ...]) -> int:
    if len(names) == 1:
        return int(pc.count_distinct(table.column(names[0])).as_py())
    (codes,) = codes_of([table], names)
    return len(np.unique(codes))


def codes_of(tables: Sequence[pa.Table], names: Iterable[str]) -> list[np.ndarray]:
    """Return an int64 number for each row of each table: the same for rows with the same values in some fields."""
    whole: np.ndarray | None = None
    for name in names:
        columns = [table.column(name) for table in tables]
        if len({column.type for column in columns}) > 1:
            whole_numbers = all(pa.types.is_integer(column.type) for column in columns)
            columns = [column.cast(pa.int64()) if whole_numbers else texts_of(column) for column in columns]
        elif pa.types.is_nested(columns[0].type):
            columns = [texts_of(column) for column in columns]
        codes = _codes(columns)
        if whole is None:
            whole = codes
        else:
            whole = np.unique(whole * (int(codes.max(initial=0)) + 1) + codes, return_inverse=True)[1].astype(np.int64)
    if whole is None:
        whole = np.zeros(sum(map(len, tables)), np.int64)
    return np.split(whole, np.cumsum([len(table) for table in tables])[:-1])


def _codes(columns: Sequence[pa.ChunkedArray]) -> np.ndarray:
    """Return an int64 number from 0 on for each value of columns of one type, one column after another."""
    joined = pa.chunked_array([chunk for column in columns for chunk in column.chunks], type=columns[0].type)
    if pa.types.is_integer(joined.type) and not joined.null_count and len(joined):
        values = joined.to_numpy().astype(np.int64)
        low = int(values.min())
        if int(values.max()) - low < DENSE * len(values):
            return values - low
    found: np.ndarray = pc.fill_null(joined.dictionary_encode().combine_chunks().indices, -1).to_numpy()
    return found.astype(np.int64) + 1


def match_by_key(a: pa.Table, b: pa.Table, key: tuple[str, ...]) -> RowMatch:
    """Return the rows with the same key. Raises AtlasError for a field that one of them has not."""
    for table, side in ((a, "A"), (b, "B")):
        missing = [name for name in key if name not in table.column_names]
        if missing:
            raise AtlasError(
                ", ".join(key),
                tr("{side} has no field {missing}", side=side, missing=missing[0]),
                tr("Choose fields that both have."),
            )
    codes = codes_of([a, b], key)
    numbers, repeated = _apart(codes)
    return _matched(MatchedBy.KEY, key, *numbers, repeated)


def match_rows(a: pa.Table, b: pa.Table) -> RowMatch:
    """Return the rows with the same values, of tables that have neither key nor geometry."""
    shared = [name for name in a.column_names if name in b.column_names]
    numbers, repeated = _apart(codes_of([a, b], shared))
    return _matched(MatchedBy.VALUES, (), *numbers, repeated)


def _apart(codes: list[np.ndarray]) -> tuple[tuple[np.ndarray, np.ndarray], tuple[int, int]]:
    """Return numbers of rows in which those with the same code differ by how many came before, and how many rows have a
    code that another one has too."""
    repeats = [_turns(each) for each in codes]
    most = max((int(each.max(initial=0)) for each in repeats), default=0) + 1
    if most == 1:
        return (codes[0], codes[1]), (0, 0)
    counts = [np.bincount(each) for each in codes]
    repeated = tuple(int(count[count > 1].sum()) for count in counts)
    both = np.concatenate([each * most + turns for each, turns in zip(codes, repeats)])
    numbers = np.unique(both, return_inverse=True)[1].astype(np.int64)
    return (numbers[: len(codes[0])], numbers[len(codes[0]) :]), (repeated[0], repeated[1])


def _turns(codes: np.ndarray) -> np.ndarray:
    """Return for each row how many before it have the same code."""
    if len(codes) == 0 or np.bincount(codes).max() == 1:
        return np.zeros(len(codes), np.int64)
    order = np.argsort(codes, kind="stable")
    starts = np.flatnonzero(np.diff(codes[order], prepend=-1))
    turns = np.empty(len(codes), np.int64)
    turns[order] = np.arange(len(codes)) - np.repeat(starts, np.diff(starts, append=len(codes)))
    return turns


def _matched(
    by: MatchedBy, key: tuple[str, ...], a: np.ndarray, b: np.ndarray, repeated: tuple[int, int] = (0, 0)
) -> RowMatch:
    """Return rows with the same number, each of which stands once on a side."""
    where = np.full(int(max(a.max(initial=-1), b.max(initial=-1))) + 1, -1, np.int64)
    where[b] = np.arange(len(b))
    found = where[a] if len(a) else np.zeros(0, np.int64)
    rows_a = np.flatnonzero(found >= 0)
    rows_b = found[rows_a]
    left = np.ones(len(b), bool)
    left[rows_b] = False
    pairs = np.column_stack([rows_a, rows_b])
    return RowMatch(by, key, pairs, np.flatnonzero(found < 0), np.flatnonzero(left), repeated)


def match_by_geometry(a: Features, b: Features) -> RowMatch:
    """Return the features with the same shape; of the others those with the same values; of the others those whose
    bounds share most, each the best of the other. Both must be in one CRS."""
    same = _matched(MatchedBy.GEOMETRY, (), *_apart(codes_of([_shape_table(a), _shape_table(b)], ("g",)))[0])
    pairs, only_a, only_b = [same.pairs], same.only_a, same.only_b
    shared = [name for name in a.table.column_names if name in b.table.column_names]
    if shared and len(only_a) and len(only_b):
        rest = [a.table.take(pa.array(only_a)), b.table.take(pa.array(only_b))]
        codes = codes_of(rest, shared)
        alike = _matched(MatchedBy.GEOMETRY, (), *_once_only(codes))
        pairs.append(np.column_stack([only_a[alike.pairs[:, 0]], only_b[alike.pairs[:, 1]]]))
        only_a, only_b = only_a[alike.only_a], only_b[alike.only_b]
    near = _nearest(a.shapes.bounds[only_a], b.shapes.bounds[only_b])
    pairs.append(np.column_stack([only_a[near[:, 0]], only_b[near[:, 1]]]))
    joined = np.concatenate(pairs).astype(np.int64)
    joined = joined[np.argsort(joined[:, 0], kind="stable")]
    return RowMatch(
        MatchedBy.GEOMETRY, (), joined, np.setdiff1d(only_a, joined[:, 0]), np.setdiff1d(only_b, joined[:, 1])
    )


def _once_only(codes: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Return numbers of rows in which those whose code stands several times on a side are like no other row."""
    most = int(max(each.max() for each in codes)) + 1
    found, free = [], most
    for each in codes:
        repeated = np.bincount(each, minlength=most)[each] > 1
        found.append(np.where(repeated, free + np.arange(len(each)), each))
        free += len(each)
    return found[0], found[1]


def _shape_table(features: Features) -> pa.Table:
    return pa.table({"g": pa.chunked_array([features.wkb])})


def _nearest(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Return (n, 2) rows of (count, 4) bounds that share most with each other, and enough to be the same thing."""
    known_a, known_b = np.flatnonzero(np.isfinite(a).all(axis=1)), np.flatnonzero(np.isfinite(b).all(axis=1))
    if not len(known_a) or not len(known_b):
        return np.zeros((0, 2), np.int64)
    tree = shapely.STRtree(shapely.box(*b[known_b].T))
    i, j = tree.query(shapely.box(*a[known_a].T))
    i, j = known_a[i], known_b[j]
    sides = np.minimum(a[i, 2:], b[j, 2:]) - np.maximum(a[i, :2], b[j, :2])
    areas = [np.prod(np.maximum(box[:, 2:] - box[:, :2], 1e-12), axis=1) for box in (a[i], b[j])]
    inner = np.prod(np.maximum(sides, 1e-12), axis=1)
    share = inner / (areas[0] + areas[1] - inner)
    order = np.argsort(-share, kind="stable")
    taken_a, taken_b, found = set(), set(), []
    for k in order[share[order] >= NEAR]:  # few are left by now
        if i[k] not in taken_a and j[k] not in taken_b:
            taken_a.add(i[k])
            taken_b.add(j[k])
            found.append((i[k], j[k]))
    return np.array(found, np.int64).reshape(-1, 2)
