"""Which fields of two deliveries correspond, and where their values differ in rows that are the same thing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

ALIKE = 0.95  # of the rows in which a dropped and an added field must agree to be one that was renamed


@dataclass(frozen=True)
class FieldChange:
    """How the fields of two tables differ. `renamed` are pairs (A, B) that agree in nearly all rows; `retyped` are
    (name, type in A, type in B)."""

    added: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()
    renamed: tuple[tuple[str, str], ...] = ()
    retyped: tuple[tuple[str, str, str], ...] = ()
    reordered: bool = False

    @property
    def differs(self) -> bool:
        """Whether anything but the order of fields differs."""
        return bool(self.added or self.dropped or self.renamed or self.retyped)


def changed_values(a: pa.ChunkedArray, b: pa.ChunkedArray, tolerance: float = 0.0) -> np.ndarray:
    """Return (rows,) bool: where two columns of the same length differ. Missing values are equal to each other, and so
    are not-a-numbers; numbers that differ by no more than `tolerance` are equal. Columns of unlike types are compared
    as numbers where both are numbers, as instants where both are times, else as texts."""
    a, b = _alike(a, b)
    missing_a, missing_b = (np.asarray(pc.is_null(each, nan_is_null=_is_float(each.type))) for each in (a, b))
    if _is_float(a.type) or (tolerance and pa.types.is_integer(a.type)):
        x, y = (pc.fill_null(each, 0).to_numpy().astype(float) for each in (a, b))
        with np.errstate(invalid="ignore"):
            unequal = ~((x == y) | (np.abs(x - y) <= tolerance))
    else:
        unequal = np.asarray(pc.fill_null(pc.not_equal(a, b), False))
    return (missing_a != missing_b) | (unequal & ~missing_a & ~missing_b)


def _is_float(kind: pa.DataType) -> bool:
    return bool(pa.types.is_floating(kind))


def _alike(a: pa.ChunkedArray, b: pa.ChunkedArray) -> tuple[pa.ChunkedArray, pa.ChunkedArray]:
    """Return two columns in one type."""
    if a.type.equals(b.type) and not pa.types.is_nested(a.type):
        return a, b
    kinds = a.type, b.type
    common = pa.string()
    if all(pa.types.is_integer(kind) for kind in kinds):
        common = pa.int64()
    elif all(pa.types.is_integer(kind) or _is_float(kind) for kind in kinds):
        common = pa.float32() if pa.float32() in kinds and pa.float64() in kinds else pa.float64()
    elif all(pa.types.is_timestamp(kind) for kind in kinds):
        common = pa.timestamp("us")
    if common == pa.string() or pa.types.is_nested(a.type):
        return texts_of(a), texts_of(b)
    return a.cast(common, safe=False), b.cast(common, safe=False)


def texts_of(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Return values as texts."""
    if pa.types.is_nested(column.type) or pa.types.is_binary(column.type):
        texts = [None if value is None else str(value) for value in column.to_pylist()]
        return pa.chunked_array([pa.array(texts, pa.string())])
    return column.cast(pa.string())


def field_change(a: pa.Table, b: pa.Table, pairs: np.ndarray, key: tuple[str, ...]) -> FieldChange:
    """Return how the fields of two tables differ, given the rows (n, 2) that are the same thing."""
    shared = [name for name in a.column_names if name in b.column_names]
    dropped = [name for name in a.column_names if name not in b.column_names]
    added = [name for name in b.column_names if name not in a.column_names]
    retyped = tuple(
        (name, str(a.field(name).type), str(b.field(name).type))
        for name in shared
        if not a.field(name).type.equals(b.field(name).type)
    )
    renamed = []
    for old in list(dropped):
        column = a.column(old).take(pa.array(pairs[:, 0]))
        if not len(pairs) or pc.count_distinct(column).as_py() < 2:
            continue  # nothing distinguishes such a field from another
        for new in added:
            if a.field(old).type.equals(b.field(new).type):
                unequal = changed_values(column, b.column(new).take(pa.array(pairs[:, 1])))
                if 1 - unequal.mean() >= ALIKE:
                    renamed.append((old, new))
                    dropped.remove(old)
                    added.remove(new)
                    break
    order = [name for name in b.column_names if name in shared]
    return FieldChange(tuple(added), tuple(dropped), tuple(renamed), retyped, order != shared)
